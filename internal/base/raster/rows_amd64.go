package raster

import "golang.org/x/sys/cpu"

const wide = true // what every amd64 has

// eight tells whether add4 and mul4 take eight elements at a time, to the same bits.
var eight = cpu.X86.HasAVX2

// Each of these does the function of its name in rows.go for n elements of src, a multiple of 4
// above 0.

//go:noescape
func add4(dst, src *float32, n int)

//go:noescape
func mul4(dst, src *float32, n int)

//go:noescape
func colour4(dst, src *float32, n int, w *[3]float32)

//go:noescape
func colours4(dst, src *float32, n int, w *[3]float32)

//go:noescape
func cap4(dst *float32, n int, top float32)
