package coverage

import "image"

// Add adds coverage to a row: what either covers, 1 − (1−a)·(1−b).
func Add(dst, v []float32) {
	dst = dst[:len(v)]
	for i, v := range v {
		dst[i] += v - dst[i]*v
	}
}

// Subtract takes coverage off a row: a·(1−b).
func Subtract(dst, v []float32) {
	dst = dst[:len(v)]
	for i, v := range v {
		dst[i] -= dst[i] * v
	}
}

// Combined is a mask of what any of some masks covers, less what any of others does.
type Combined struct{ Added, Subtracted []Mask }

// Bounds is that of Mask.
func (c *Combined) Bounds() (r image.Rectangle) {
	for _, m := range c.Added {
		r = r.Union(m.Bounds())
	}
	return r
}

// Fill is that of Mask.
func (c *Combined) Fill(dst []float32, x0, y int) {
	clear(dst)
	if r := c.Bounds(); y < r.Min.Y || y >= r.Max.Y {
		return
	}
	one := make([]float32, len(dst))
	for _, m := range c.Added {
		m.Fill(one, x0, y)
		Add(dst, one)
	}
	for _, m := range c.Subtracted {
		m.Fill(one, x0, y)
		Subtract(dst, one)
	}
}

// Drop is that of Mask.
func (c *Combined) Drop(y int) {
	for _, list := range [2][]Mask{c.Added, c.Subtracted} {
		for _, m := range list {
			m.Drop(y)
		}
	}
}

// Bytes is that of Mask.
func (c *Combined) Bytes() (n int64) {
	for _, list := range [2][]Mask{c.Added, c.Subtracted} {
		for _, m := range list {
			n += m.Bytes()
		}
	}
	return n
}
