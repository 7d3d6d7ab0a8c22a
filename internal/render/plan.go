package render

import (
	"context"
	"image"
	"slices"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/graph"
)

// plan is a request made ready for rows at one scale. It is made once and then only read. What its
// stages need of it they are given when they are made; see stages.
type plan struct {
	*scene
	layer    layer
	view     image.Rectangle
	profile  *colour.Profile
	stages   []stage
	darkened bool // dusk makes the whole picture of the photo anew
}

// newPlan makes a plan of a request.
func newPlan(ctx context.Context, g *graph.Graph, q *Request) (*plan, error) {
	return newPlanUpTo(ctx, g, q, "")
}

// newPlanUpTo makes a plan of which the named stage is the last; "" is all of them.
func newPlanUpTo(ctx context.Context, g *graph.Graph, q *Request, last string) (*plan, error) {
	l, ok := layers[q.Layer]
	if !ok {
		return nil, fault.In("layer", "There is no layer %q. Choose one of %q.", q.Layer, Layers())
	}
	s, err := newScene(ctx, g, q)
	if err != nil {
		return nil, err
	}
	p := &plan{scene: s, layer: l, profile: q.Profile}
	if p.view, err = viewOf(q, s.picture); err != nil {
		return nil, err
	}
	if p.profile == nil {
		p.profile = q.Photo.Profile
	}
	for _, s := range stages {
		if l.stages != nil && !slices.Contains(l.stages, s.name) {
			continue
		}
		st := s.make(p)
		does, err := st.prepare(ctx)
		if err != nil {
			return nil, err
		}
		if does {
			p.stages = append(p.stages, st)
			p.darkened = p.darkened || s.name == "dusk"
		}
		if s.name == last {
			break
		}
	}
	return p, ctx.Err()
}

// viewOf returns the part of a picture that a request asks for.
func viewOf(q *Request, in picture) (image.Rectangle, error) {
	if q.View.Empty() {
		return in.Frame, nil
	}
	v := q.View.Intersect(in.Frame)
	if v.Empty() {
		return v, outside(in.Frame.Dx(), in.Frame.Dy())
	}
	return v, nil
}

func tooLarge(long int) error {
	return fault.In("long",
		"An export cannot be larger than its photo, whose long edge has %d pixels.", long)
}

func outside(w, h int) error {
	return fault.In("view", "The requested part lies outside the picture, "+
		"which has %d × %d pixels.", w, h)
}
