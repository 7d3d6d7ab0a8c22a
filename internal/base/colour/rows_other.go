//go:build !amd64

package colour

const wide = false

func softAdd8(p, x *float32, n int) { panic("colour: not made for this machine") }

func encode8x8(dst *uint8, src *float32, groups int, seed, step uint32) {
	panic("colour: not made for this machine")
}

func expNeg8(x *float32, n int) { panic("colour: not made for this machine") }
