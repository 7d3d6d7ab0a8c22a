package lightmap

import "pyrant/internal/base/simd"

// wide tells whether rows are worked out eight pixels at a time, to the same bits.
var wide = simd.AVX2

// Each of these does what the Go in rows.go does.

// read8 does what readEach does for n pixels and count numbers, of which each is a row of its own,
// so many pixels after the one before.
//
//go:noescape
func read8(dst *float32, n, count, stride int, at *scan, a *along)

// on8 does OnRow for n pixels, a multiple of 8 above 0; v and normals are rows of so many pixels.
//
//go:noescape
func on8(dst, v, normals *float32, stride, n int)

// onColours8 does OnColours for n pixels, a multiple of 8 above 0; all are rows of so many pixels.
//
//go:noescape
func onColours8(dst, v, normals *float32, stride, n int)

// add8 does Add for n pixels, a multiple of 8 above 0; b is rows of so many pixels.
//
//go:noescape
func add8(dst, w, e, b *float32, stride, n int, amount float32)

// divide8 does Divide for n places, a multiple of 8 above 0.
//
//go:noescape
func divide8(w, day, least *float32, n int, floor float32)
