package glow

import (
	"context"
	"image"

	"pyrant/internal/base/coverage"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
)

// level is a level above the first of a mask's pyramid.
type level struct {
	mask *graph.Ref[coverage.Mask]
	n    int
}

func (k level) Build(ctx context.Context, g *graph.Graph) (*raster.Plane, error) {
	src, bounds, err := k.below(ctx, g)
	if err != nil {
		return nil, err
	}
	return reduce(ctx, src, bounds)
}

// below returns the level below k.
func (k level) below(ctx context.Context, g *graph.Graph) (Source, image.Rectangle, error) {
	k.n--
	return k.source(ctx, g)
}

// source returns the coverage of k and where there is some.
func (k level) source(ctx context.Context, g *graph.Graph) (Source, image.Rectangle, error) {
	if k.n == 0 {
		m, err := k.mask.Own(ctx, g)
		if err != nil {
			return nil, image.Rectangle{}, err
		}
		return m, m.Bounds(), nil
	}
	p, err := graph.Get(ctx, g, k)
	if err != nil {
		return nil, image.Rectangle{}, err
	}
	return planeSource{p}, p.Rect, nil
}

// blurred is a mask blurred by a Gaussian over a region, in samples of its level.
type blurred struct {
	mask   *graph.Ref[coverage.Mask]
	sigma  float64 // in pixels of the picture
	region image.Rectangle
	part   bool // of more
}

// Passes reports whether the region serves one part of a picture.
func (k blurred) Passes() bool { return k.part }

func (k blurred) Build(ctx context.Context, g *graph.Graph) (*raster.Plane, error) {
	n, rest := Level(k.sigma)
	src, bounds, err := level{k.mask, n}.source(ctx, g)
	if err != nil {
		return nil, err
	}
	return blur(ctx, src, bounds, rest, k.region)
}

// Shrink returns the samples of a level that cover a part of a picture, with what the expansion
// back reads.
func Shrink(r image.Rectangle, level int) image.Rectangle {
	for range level {
		r = image.Rect((r.Min.X>>1)-1, (r.Min.Y>>1)-1, (r.Max.X>>1)+2, (r.Max.Y>>1)+2)
	}
	return r
}

// WholeLimit is how many samples a field may have to be computed for a whole frame at once, so that
// panning finds it ready. Larger ones follow the view.
const WholeLimit = 1 << 20

// Blurred returns a mask blurred by a deviation in pixels of the picture, as a term for a part of
// the picture, weighted.
func Blurred(ctx context.Context, g *graph.Graph, mask *graph.Ref[coverage.Mask], sigma float64,
	frame, part image.Rectangle, weight ...float32) (Term, error) {
	m, err := mask.Own(ctx, g)
	if err != nil {
		return Term{}, err
	}
	n, rest := Level(sigma)
	bounds := m.Bounds()
	for range n {
		bounds = reducedRect(bounds)
	}
	reach := reached(bounds, rest).Intersect(Shrink(frame, n))
	need := Shrink(part, n).Intersect(reach)
	if need.Empty() {
		return Term{Level: n, Field: raster.NewPlane(image.Rectangle{}), Weight: weight}, nil
	}
	k := blurred{mask, sigma, reach, false}
	size, needed := reach.Dx()*reach.Dy(), need.Dx()*need.Dy()
	if size > WholeLimit || n == 0 && size > 4*needed {
		k.region, k.part = need, need != reach
	}
	f, err := graph.Get(ctx, g, k)
	return Term{Level: n, Field: f, Weight: weight}, err
}
