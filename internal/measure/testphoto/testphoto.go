// Package testphoto makes photos of shapes whose place and light are known, for tests.
package testphoto

import (
	"math"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/recipe/shape"
)

// Photo makes a photo of w by h: shapes of a light value each, one over the other, on a
// background, with a little grain.
func Photo(w, h int, back float64, light []float64, shapes ...shape.Shapes) *photo.Photo {
	p := &photo.Photo{Width: w, Height: h, Pix8: make([]uint8, 3*w*h), Profile: colour.SRGB}
	rows := make([][]float32, len(shapes))
	masks := make([]*shape.Mask, len(shapes))
	for i, s := range shapes {
		masks[i], rows[i] = shape.NewMask(s, 1), make([]float32, w)
	}
	seed := uint32(7)
	for y := range h {
		for i := range masks {
			masks[i].Fill(rows[i], 0, y)
		}
		for x := range w {
			v := back
			for i := range rows {
				v += (light[i] - v) * float64(rows[i][x])
			}
			seed = seed*1664525 + 1013904223
			c := 255*colour.LinearToSRGB(v) + float64(seed>>24)/64 - 2
			i := 3 * (y*w + x)
			p.Pix8[i] = uint8(math.Round(min(max(c, 0), 255)))
			p.Pix8[i+1], p.Pix8[i+2] = p.Pix8[i], p.Pix8[i]
		}
	}
	return p
}

// Poly returns an outline of straight sides, by its corners' places across and down in turn.
func Poly(xy ...float64) shape.Shapes {
	var out []shape.Node
	for i := 0; i < len(xy); i += 2 {
		out = append(out, shape.Node{X: xy[i], Y: xy[i+1]})
	}
	return shape.Shapes{shape.Outline{Nodes: shape.PathOf(out...)}}
}
