package silhouette

import "pyrant/internal/base/simd"

// wide tells whether ways are gone eight and more at once, to the same bits.
var wide = simd.AVX2

// near8 does what touchedEach does.
//
//go:noescape
func near8(e *eight, b *ball) int32

// meet8 does what meetEach does.
//
//go:noescape
func meet8(e *eight, b *bounds, m *met) int32

// march does what marchEach does.
//
//go:noescape
func march(f *fan, s *still, pix *cell, count int)
