//go:build !amd64

package lightmap

const wide = false

func read8(dst *float32, n, count, stride int, at *scan, a *along) {
	panic("irradiance: not made for this machine")
}

func on8(dst, v, normals *float32, stride, n int) {
	panic("irradiance: not made for this machine")
}

func onColours8(dst, v, normals *float32, stride, n int) {
	panic("irradiance: not made for this machine")
}

func add8(dst, w, e, b *float32, stride, n int, amount float32) {
	panic("irradiance: not made for this machine")
}

func divide8(w, day, least *float32, n int, floor float32) {
	panic("irradiance: not made for this machine")
}
