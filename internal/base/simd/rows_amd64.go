package simd

import "golang.org/x/sys/cpu"

// AVX2 reports whether the processor works on eight samples at a time.
var AVX2 = cpu.X86.HasAVX2

// wide and eight tell whether rows go four samples at a time, as on every amd64, and eight. What
// takes four takes eight where it can, to the same bits.
const wide = true

var eight = AVX2

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

// expand3 writes the samples of n coarse columns of three channels, and those between each and the
// next, to dst. src is the first of the columns; the ones before and after are read, and one sample
// more. A sample beyond the last is written.
//
//go:noescape
func expand3(dst, src *float32, n int)

// mean4 writes (q + r)/2 for n samples, a multiple of 4 above 0.
//
//go:noescape
func mean4(dst, q, r *float32, n int)

// mostly4 writes (p + r)/8 + 3q/4 for n samples, a multiple of 4 above 0.
//
//go:noescape
func mostly4(dst, p, q, r *float32, n int)

// softAdd8 is SoftAddRow for n samples, a multiple of 8 above 0.
//
//go:noescape
func softAdd8(p, x *float32, n int)

// encode8x8 is EncodeRow for 8·groups pixels, groups above 0. It reads one sample beyond them.
//
//go:noescape
func encode8x8(dst *uint8, src *float32, groups int, seed, step uint32)

// expNeg8 is ExpNegRow for n samples, a multiple of 8 above 0.
//
//go:noescape
func expNeg8(x *float32, n int)
