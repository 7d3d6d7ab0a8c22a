package staging

import (
	"context"
	"math"
	"slices"

	"pyrant/internal/base/coverage"
	"pyrant/internal/light/room/lightmap"
	"pyrant/internal/light/room/silhouette"
	"pyrant/internal/light/spill"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/shape"
)

// emitter is a part of a light that shines: one traced shape, or all that the light's cut-outs
// cover.
type emitter struct {
	// tells where it stands; of cut-outs it is the box around what they cover
	shape  shape.Shape
	cover  coverage.Coverage // what shines, less what the light subtracts
	area   float64           // of it, in square pixels of the photo
	raster bool              // the coverage comes from cut-outs
}

// rasterSamples is about how many places the cut-outs of a light are taken apart into. They may
// have any form, and holes.
const rasterSamples = 36

// emitters returns the parts of a light that shine, and the light with the shapes that tell where
// these stand. Where a cut-out and a traced shape of a light overlap, the traced shape shines.
func (s *Set) emitters(ctx context.Context, l *recipe.Light,
	covers Covers) ([]emitter, *recipe.Light, error) {
	var taken, rasters, over shape.Shapes
	for _, sh := range l.Shapes {
		switch _, is := sh.(shape.CutOut); {
		case sh.Taken():
			taken = append(taken, sh)
		case is:
			rasters = append(rasters, sh)
		default:
			over = append(over, shape.Subtracted(sh, true))
		}
	}
	placed := *l
	placed.Shapes = nil
	var out []emitter
	less := func(shapes, taken shape.Shapes) (coverage.Coverage, error) {
		k := *l
		k.Shapes = slices.Concat(shapes, taken)
		return covers.Light(ctx, &k)
	}
	for _, sh := range l.Shapes {
		if sh.Taken() || shape.IsCutOut(sh) {
			continue
		}
		e := emitter{shape: sh, cover: shape.Shapes{sh}, area: shape.Area(sh)}
		var err error
		if len(taken) > 0 {
			if e.cover, err = less(shape.Shapes{sh}, taken); err != nil {
				return nil, nil, err
			}
		}
		out, placed.Shapes = append(out, e), append(placed.Shapes, sh)
	}
	if len(rasters) > 0 {
		cover, err := less(rasters, slices.Concat(taken, over))
		if err != nil {
			return nil, nil, err
		}
		if box, area := covered(cover, 1/s.unit); area > 0 {
			out, placed.Shapes = append(out, emitter{box, cover, area, true}), append(placed.Shapes,
				box)
		}
	}
	return out, &placed, nil
}

// covered returns the box around what a coverage covers by half or more, or around all of it where
// that is nothing, and its area, both in pixels of the photo, looked at by a scale.
func covered(c coverage.Coverage, scale float64) (shape.Outline, float64) {
	m := c.At(scale)
	b := m.Bounds()
	row := make([]float32, b.Dx())
	area := 0.0
	for _, least := range []float32{0.5, 1e-3} {
		x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
		area = 0
		for y := b.Min.Y; y < b.Max.Y; y++ {
			m.Fill(row, b.Min.X, y)
			for x, v := range row {
				area += float64(v) / (scale * scale)
				if v >= least {
					at := float64(b.Min.X + x)
					x0, y0, x1, y1 = min(x0, at), min(y0, float64(y)), max(x1, at+1),
						max(y1, float64(y+1))
				}
			}
		}
		if x0 < x1 {
			x0, y0, x1, y1 = x0/scale, y0/scale, x1/scale, y1/scale
			return shape.Outline{Nodes: shape.PathOf(shape.Node{X: x0, Y: y0},
				shape.Node{X: x1, Y: y0}, shape.Node{X: x1, Y: y1}, shape.Node{X: x0, Y: y1})}, area
		}
	}
	return shape.Outline{}, 0
}

// clusters divides samples into groups of at most so many that lie near each other, by halving the
// longer side of what holds them.
func clusters(list []spill.Sample, most int) [][]spill.Sample {
	if len(list) <= most {
		return [][]spill.Sample{list}
	}
	x0, y0, x1, y1 := list[0].X, list[0].Y, list[0].X, list[0].Y
	for _, p := range list {
		x0, y0, x1, y1 = min(x0, p.X), min(y0, p.Y), max(x1, p.X), max(y1, p.Y)
	}
	wide := x1-x0 > y1-y0
	list = slices.Clone(list)
	slices.SortStableFunc(list, func(a, b spill.Sample) int {
		d := a.Y - b.Y
		if wide {
			d = a.X - b.X
		}
		switch {
		case d < 0:
			return -1
		case d > 0:
			return 1
		}
		return 0
	})
	half := len(list) / 2
	return append(clusters(list[:half], most), clusters(list[half:], most)...)
}

// For returns the scene as a light sees it: an object that is the light itself, made of its
// cut-out, does not shade it.
func (s *Set) For(l *recipe.Light) *lightmap.Scene {
	out := *s.Scene
	for i, t := range s.r.Room.Things {
		if b := s.Bodies[i]; b != nil && madeOf(l, t.Of) {
			out.Bodies = slices.DeleteFunc(slices.Clone(out.Bodies),
				func(o *silhouette.Body) bool { return o == b })
		}
	}
	return &out
}
