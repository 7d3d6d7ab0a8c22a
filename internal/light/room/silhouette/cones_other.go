//go:build !amd64

package silhouette

const wide = false

func near8(e *eight, b *ball) int32 { panic("solid: not made for this machine") }

func meet8(e *eight, b *bounds, m *met) int32 { panic("solid: not made for this machine") }

func march(f *fan, s *still, pix *cell, count int) { panic("solid: not made for this machine") }
