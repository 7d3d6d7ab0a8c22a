package render

import (
	"context"
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
	out := new(coverage.Combined)
	for _, c := range m.add {
		out.Added = append(out.Added, c.At(scale))
	}
	for _, c := range m.away {
		out.Subtracted = append(out.Subtracted, c.At(scale))
	}
	return out
}
