package staging

import (
	"image"
	"math"
	"slices"
	"sync"

	"pyrant/internal/base/coverage"
	"pyrant/internal/recipe/shape"
)

// faceMask returns what shows a face of a platform: all of the face, and of what is seen of the
// platform beside all of its faces, such as boards that stand out, what lies nearest.
func (s *Set) faceMask(i int, scale float64) coverage.Mask {
	f := &s.Surfaces[i]
	own := shape.Shapes{f.face}.At(scale)
	if f.seen == nil {
		return own
	}
	wide := shape.Shapes{shape.Tube{Nodes: f.face.Nodes, Width: 2 * rim * s.unit,
		Closed: true}}.At(scale)
	m := &rimmed{own: own, wide: wide, seen: f.seen.At(scale), edge: outlineOf(f.face, scale)}
	for k := range s.Surfaces {
		if g := &s.Surfaces[k]; k != i && g.Kind == Platform && g.ID == f.ID && g.cover == nil {
			m.others = append(m.others, face{shape.Shapes{g.face}.At(scale),
				outlineOf(g.face, scale)})
		}
	}
	m.rows.New = func() any { return new([]float32) }
	return m
}

// rimmed is a face with its rim.
type rimmed struct {
	own, wide, seen coverage.Mask
	edge            outline
	others          []face // the platform's other faces
	rows            sync.Pool
}

// face is where a face is seen, and its outline.
type face struct {
	coverage.Mask
	edge outline
}

// outline is the corners of a face, in pixels.
type outline []shape.Node

func outlineOf(o shape.Outline, scale float64) (out outline) {
	for _, n := range o.Nodes.All() {
		out = append(out, shape.Node{X: n.X * scale, Y: n.Y * scale})
	}
	return
}

// away returns how far a place is from the outline.
func (o outline) away(x, y float64) float64 {
	least := math.Inf(1)
	for i, a := range o {
		b := o[(i+1)%len(o)]
		u, v := b.X-a.X, b.Y-a.Y
		t := math.Max(0, math.Min(1, ((x-a.X)*u+(y-a.Y)*v)/math.Max(u*u+v*v, 1e-12)))
		least = math.Min(least, math.Hypot(a.X+t*u-x, a.Y+t*v-y))
	}
	return least
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
	if !slices.ContainsFunc(rest, func(v float32) bool { return v > 0 }) {
		return
	}
	for _, o := range m.others {
		less(o, func(v float32) float32 { return 1 - v })
	}
	for i, v := range rest {
		if v <= dst[i] {
			continue
		}
		// What another face is nearer to is of that.
		px, py := float64(x0+i)+0.5, float64(y)+0.5
		own := m.edge.away(px, py)
		for _, o := range m.others {
			v = min(v, float32(math.Max(0.5+(o.edge.away(px, py)-own)/2, 0)))
		}
		dst[i] = max(dst[i], min(v, 1))
	}
}

// middle is what shows the card in a solid platform's middle: where all that is seen is the
// platform. At its soft edge the faces show as much as the platform covers; a card below them would
// show there as well, and take from what lies behind.
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
