package staging

import (
	"image"
	"sync"

	"pyrant/internal/coverage"
	"pyrant/internal/shape"
)

// faceMask returns what shows a face of a platform: all of the face, and of what is seen of the platform beside all of its
// faces, such as boards that stand out, what lies nearest.
func (s *Set) faceMask(i int, scale float64) coverage.Mask {
	f := &s.Surfaces[i]
	own := shape.Shapes{f.face}.At(scale)
	if f.seen == nil {
		return own
	}
	wide := shape.Shapes{shape.Tube{Nodes: f.face.Nodes, Width: 2 * rim * s.unit, Closed: true}}.At(scale)
	m := &rimmed{own: own, wide: wide, seen: f.seen.At(scale)}
	for k := range s.Surfaces {
		if g := &s.Surfaces[k]; k != i && g.Kind == Platform && g.ID == f.ID && g.cover == nil {
			m.others = append(m.others, shape.Shapes{g.face}.At(scale))
		}
	}
	m.rows.New = func() any { return new([]float32) }
	return m
}

// rimmed is a face with its rim.
type rimmed struct {
	own, wide, seen coverage.Mask
	others          []coverage.Mask // the platform's other faces
	rows            sync.Pool
}

// Bounds is that of Mask.
func (m *rimmed) Bounds() image.Rectangle { return m.own.Bounds().Union(m.wide.Bounds()) }

// Drop is that of Mask.
func (m *rimmed) Drop(int) {}

// Bytes is that of Mask.
func (m *rimmed) Bytes() int64 { return m.own.Bytes() + m.wide.Bytes() }

// Fill is that of Mask.
func (m *rimmed) Fill(dst []float32, x0, y int) {
	m.own.Fill(dst, x0, y)
	if b := m.wide.Bounds(); y < b.Min.Y || y >= b.Max.Y {
		return
	}
	row := m.rows.Get().(*[]float32)
	defer m.rows.Put(row)
	if len(*row) < 2*len(dst) {
		*row = make([]float32, 2*len(dst))
	}
	rest, one := (*row)[:len(dst)], (*row)[len(dst):2*len(dst)]
	m.wide.Fill(rest, x0, y)
	less := func(of coverage.Mask, keep func(v float32) float32) {
		of.Fill(one, x0, y)
		for i, v := range one {
			rest[i] *= keep(v)
		}
	}
	less(m.seen, func(v float32) float32 { return v })
	for _, o := range m.others {
		less(o, func(v float32) float32 { return 1 - v })
	}
	for i, v := range rest {
		dst[i] = max(dst[i], min(v, 1))
	}
}

// middle is what shows the card in a solid platform's middle: where all that is seen is the platform. At its soft edge the faces show
// as much as the platform covers; a card below them would show there as well, and take from what lies behind.
type middle struct{ coverage.Mask }

// Fill is that of Mask.
func (m middle) Fill(dst []float32, x0, y int) {
	m.Mask.Fill(dst, x0, y)
	for i, c := range dst {
		if c < 0.99 {
			dst[i] = 0
		}
	}
}
