package glow

import "golang.org/x/sys/cpu"

const wide = true // what every amd64 has

// eight tells whether these take eight samples at a time, to the same bits.
var eight = cpu.X86.HasAVX2

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
