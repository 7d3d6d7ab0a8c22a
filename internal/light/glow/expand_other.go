//go:build !amd64

package glow

const wide = false

func expand3(dst, src *float32, n int) { panic("glow: not made for this machine") }

func mean4(dst, q, r *float32, n int) { panic("glow: not made for this machine") }

func mostly4(dst, p, q, r *float32, n int) { panic("glow: not made for this machine") }
