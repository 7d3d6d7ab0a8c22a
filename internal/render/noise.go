package render

import "math"

// patches is smooth noise over the picture, the same at every scale: values at the corners of a
// lattice, with smooth ways between them, in two sizes.
type patches struct {
	seed uint32
	per  float32 // cells for each pixel of the render
}

// newPatches makes patches whose larger cells are twice a width wide, in pixels of the render.
func newPatches(seed int, width float64) patches {
	return patches{uint32(seed), float32(1 / (2 * max(width, 0.5)))}
}

// at returns the noise at the middle of a pixel, from -0.5 to 0.5.
func (n patches) at(x, y int) float32 {
	u, v := (float32(x)+0.5)*n.per, (float32(y)+0.5)*n.per
	return (2*n.lattice(u, v, 0) + n.lattice(2*u, 2*v, 1)) / 3
}

func (n patches) lattice(u, v float32, layer uint32) float32 {
	i, j := math.Floor(float64(u)), math.Floor(float64(v))
	s, t := u-float32(i), v-float32(j)
	s, t = s*s*(3-2*s), t*t*(3-2*t)
	corner := func(di, dj int32) float32 {
		h := uint32(int32(i)+di)*0x9E3779B1 ^
			uint32(int32(j)+dj)*0x85EBCA77 ^
			(2*n.seed+layer)*0xC2B2AE3D
		h = (h ^ h>>15) * 0x2C1B3C6D
		h = (h ^ h>>12) * 0x297A2D39
		return float32(h^h>>15)/(1<<32) - 0.5
	}
	a, b := corner(0, 0), corner(0, 1)
	a += (corner(1, 0) - a) * s
	b += (corner(1, 1) - b) * s
	return a + (b-a)*t
}
