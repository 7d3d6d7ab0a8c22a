package solid

import "golang.org/x/sys/cpu"

// wide tells whether march goes all ways of a fan at once, to the same bits.
var wide = cpu.X86.HasAVX2

// march does what marchEach does.
//
//go:noescape
func march(f *fan, s *still, pix *cell)
