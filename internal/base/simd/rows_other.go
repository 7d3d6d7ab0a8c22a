//go:build !amd64

package simd

// AVX2 reports whether the processor works on eight samples at a time.
const AVX2 = false

const wide, eight = false, false

const notMade = "simd: not made for this machine"

func add4(dst, src *float32, n int) { panic(notMade) }

func mul4(dst, src *float32, n int) { panic(notMade) }

func colour4(dst, src *float32, n int, w *[3]float32) { panic(notMade) }

func colours4(dst, src *float32, n int, w *[3]float32) { panic(notMade) }

func cap4(dst *float32, n int, top float32) { panic(notMade) }

func expand3(dst, src *float32, n int) { panic(notMade) }

func mean4(dst, q, r *float32, n int) { panic(notMade) }

func mostly4(dst, p, q, r *float32, n int) { panic(notMade) }

func softAdd8(p, x *float32, n int) { panic(notMade) }

func encode8x8(dst *uint8, src *float32, groups int, seed, step uint32) { panic(notMade) }

func expNeg8(x *float32, n int) { panic(notMade) }
