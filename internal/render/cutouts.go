package render

import (
	"context"
	"image"
	"slices"

	"pyrant/internal/base/coverage"
	"pyrant/internal/base/graph"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/shape"
)

// cutOut returns a value of a cut-out's pixels, which are read once.
func cutOut(ctx context.Context, c *graph.Graph, k *cutout.CutOut,
	what cutout.What) (cutout.Part, error) {
	m, err := graph.Get(ctx, c, pixelsOf(c, &k.Raster))
	if err != nil {
		return cutout.Part{}, err
	}
	return k.On(m, what), nil
}

// made is the coverage of traced shapes and cut-outs together: what is added, less all that is
// taken away.
type made struct {
	add, away []coverage.Coverage
	key       string
}

// coverKey names what shapes cover.
func coverKey(r *recipe.Recipe, shapes shape.Shapes, share bool) string {
	key := r.ShapesKey(shapes)
	if share && slices.ContainsFunc(shapes, shape.IsCutOut) {
		key += " share"
	}
	return key
}

// coverOf returns what shapes cover; with share, of cut-outs their share of the light.
func coverOf(ctx context.Context, c *graph.Graph, r *recipe.Recipe, shapes shape.Shapes,
	share bool) (coverage.Coverage, error) {
	if !slices.ContainsFunc(shapes, shape.IsCutOut) {
		return shapes, nil
	}
	m := &made{key: coverKey(r, shapes, share)}
	var add, away shape.Shapes
	for _, s := range shapes {
		k, ok := s.(shape.CutOut)
		switch {
		case !ok && s.Taken():
			away = append(away, shape.Subtracted(s, false))
		case !ok:
			add = append(add, s)
		default:
			o := r.CutOut(k.Of)
			if o == nil || o.Empty() {
				continue
			}
			what := cutout.Alpha
			if share {
				what = cutout.Share
			}
			part, err := cutOut(ctx, c, o, what)
			if err != nil {
				return nil, err
			}
			if k.Away {
				m.away = append(m.away, part)
			} else {
				m.add = append(m.add, part)
			}
		}
	}
	if len(add) > 0 {
		m.add = append(m.add, add)
	}
	if len(away) > 0 {
		m.away = append(m.away, away)
	}
	return m, nil
}

func (m *made) Key() string { return m.key }

func (m *made) sum(of func(coverage.Coverage) float64) (v float64) {
	for _, c := range m.add {
		v += of(c)
	}
	return
}

func (m *made) Area() float64 { return m.sum(coverage.Coverage.Area) }
func (m *made) Line() float64 { return m.sum(coverage.Coverage.Line) }

// Width is the mean of the widths by the lengths.
func (m *made) Width() float64 {
	l := m.Line()
	if l == 0 {
		return m.sum(coverage.Coverage.Width)
	}
	return m.sum(func(c coverage.Coverage) float64 { return c.Width() * c.Line() }) / l
}

func (m *made) At(scale float64) coverage.Mask {
	out := &madeMask{}
	for _, c := range m.add {
		k := c.At(scale)
		out.add = append(out.add, k)
		out.bounds = out.bounds.Union(k.Bounds())
	}
	for _, c := range m.away {
		out.away = append(out.away, c.At(scale))
	}
	return out
}

type madeMask struct {
	add, away []coverage.Mask
	bounds    image.Rectangle
}

func (m *madeMask) Bounds() image.Rectangle { return m.bounds }

func (m *madeMask) Fill(dst []float32, x0, y int) {
	clear(dst)
	if y < m.bounds.Min.Y || y >= m.bounds.Max.Y {
		return
	}
	one := make([]float32, len(dst))
	for _, k := range m.add {
		k.Fill(one, x0, y)
		for i, v := range one {
			dst[i] += v - dst[i]*v
		}
	}
	for _, k := range m.away {
		k.Fill(one, x0, y)
		for i, v := range one {
			dst[i] -= dst[i] * v
		}
	}
}

func (m *madeMask) Drop(y int) {
	for _, k := range slices.Concat(m.add, m.away) {
		k.Drop(y)
	}
}

func (m *madeMask) Bytes() (n int64) {
	for _, k := range slices.Concat(m.add, m.away) {
		n += k.Bytes()
	}
	return
}
