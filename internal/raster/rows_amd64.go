package raster

const wide = true // what every amd64 has

// Each of these does the function of its name in rows.go for n elements of src, a multiple of 4 above 0.

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
