//go:build !amd64

package solid

const wide = false

func march(f *fan, s *still, pix *cell) { panic("solid: not made for this machine") }
