package area

import (
	"context"
	"image"
	"math"

	"pyrant/internal/base/raster"
)

// rule is a coverage that a function gives for every place of the frame: a mask that
// holds nothing.
type rule struct {
	frame image.Rectangle
	fill  func(dst []float32, x0, y int)
}

func (m rule) Bounds() image.Rectangle { return m.frame }
func (m rule) Drop(int)                {}
func (m rule) Bytes() int64            { return 64 }

// Fill is asked for places inside the frame and, by what blurs, outside of it.
func (m rule) Fill(dst []float32, x0, y int) {
	a, b := max(x0, m.frame.Min.X), min(x0+len(dst), m.frame.Max.X)
	if y < m.frame.Min.Y || y >= m.frame.Max.Y || a >= b {
		clear(dst)
		return
	}
	clear(dst[:a-x0])
	clear(dst[b-x0:])
	m.fill(dst[a-x0:b-x0], a, y)
}

// soften blurs a rule. What it covers does not end at the edge of the frame, so it is
// divided by how much of the blur lies inside: the frame's own blurred coverage.
func soften(ctx context.Context, w World, key string, m rule, sigma float64,
	r image.Rectangle) (Rows, error) {
	if sigma <= 0 {
		return m, nil
	}
	rows, err := w.Soften(ctx, key, m, sigma, r)
	if err != nil {
		return nil, err
	}
	inside := func(from, to, at int) float32 {
		u := func(edge int) float64 {
			return math.Erf((float64(edge) - float64(at) - 0.5) / sigma /
				math.Sqrt2)
		}
		return float32(2 / (u(to) - u(from)))
	}
	across := make([]float32, r.Dx())
	for i := range across {
		across[i] = inside(m.frame.Min.X, m.frame.Max.X, r.Min.X+i)
	}
	return whole{rows, across, r.Min.X, func(y int) float32 {
		return inside(m.frame.Min.Y, m.frame.Max.Y, y)
	}}, nil
}

type whole struct {
	Rows
	across []float32
	x0     int
	down   func(y int) float32
}

func (m whole) Fill(dst []float32, x0, y int) {
	m.Rows.Fill(dst, x0, y)
	k := m.down(y)
	for i := range dst {
		dst[i] *= k * m.across[x0-m.x0+i]
	}
}

// plane is a computed coverage as rows.
type plane struct{ *raster.Plane }

func (p plane) Fill(dst []float32, x0, y int) {
	copy(dst, p.Row(y)[x0-p.Rect.Min.X:])
}
