// Package simd does to rows of samples what every pixel of a frame goes through: sums, products,
// exposure, expansion, encoding.
//
// Each function is written in Go and, for amd64, in assembly beside it, with the same operations in
// the same order, so that the bits are the same on every machine. Products are converted to float32
// before they are added to, as the Go compiler otherwise fuses both where the processor has that.
// Lengths are checked before assembly is called. AVX2 is the one switch at run time, also for the
// kernels of other packages that work on types of their own.
package simd
