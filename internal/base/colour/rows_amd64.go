package colour

import "golang.org/x/sys/cpu"

// wide tells whether rows go eight samples at a time.
var wide = cpu.X86.HasAVX2

// softAdd8 is SoftAddRow for n samples, a multiple of 8 above 0.
//
//go:noescape
func softAdd8(p, x *float32, n int)

// encode8x8 is Encode8 for 8·groups pixels of sRGB, groups above 0. It reads one sample beyond
// them.
//
//go:noescape
func encode8x8(dst *uint8, src *float32, groups int, seed, step uint32)

// expNeg8 is ExpNegRow for n samples, a multiple of 8 above 0.
//
//go:noescape
func expNeg8(x *float32, n int)
