package render

import (
	"context"
	"image"
	"math"
	"slices"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/glow"
	"pyrant/internal/light/streak"
	"pyrant/internal/recipe"
	"pyrant/internal/render/areas"
)

// plan is a request made ready for rows at one scale. It is made once and then only read.
type plan struct {
	graph   *graph.Graph
	q       *Request
	layer   layer
	picture picture
	view    image.Rectangle
	profile *colour.Profile
	lights  []*litLight   // those that shine
	room    *room         // nil without one
	alone   []recipeInput // by light of the recipe: see lightAlone; nil without a room
	stages  []stage
}

// litLight is a light that shines.
type litLight struct {
	l     *recipe.Light
	cover coverInput // what its shapes cover
	mask  maskRef    // of that, at the scale of the plan
}

func newPlan(ctx context.Context, g *graph.Graph, q *Request) (*plan, error) {
	return newPlanUpTo(ctx, g, q, "")
}

// newPlanUpTo makes a plan of which the named stage is the last; "" is all of them.
func newPlanUpTo(ctx context.Context, g *graph.Graph, q *Request, last string) (*plan, error) {
	l, ok := layers[q.Layer]
	if !ok {
		return nil, fault.In("layer", "There is no layer %q; there are %q.", q.Layer, Layers())
	}
	w, h, scale := Size(q.Photo.Width, q.Photo.Height, q.LongEdge)
	if scale > 1 {
		return nil, tooLarge(max(q.Photo.Width, q.Photo.Height))
	}
	p := &plan{graph: g, q: q, layer: l, profile: q.Profile, picture: picture{
		Photo: graph.Intern(g, q.PhotoKey, q.Photo), Scale: scale, Frame: image.Rect(0, 0, w, h)}}
	p.view = p.picture.Frame
	if !q.View.Empty() {
		p.view = q.View.Intersect(p.picture.Frame)
	}
	if p.view.Empty() {
		return nil, outside(w, h)
	}
	if p.profile == nil {
		p.profile = q.Photo.Profile
	}
	p.room = roomOf(g, q)
	if p.room != nil {
		for i := range q.Recipe.Lights {
			p.alone = append(p.alone, lightAlone(g, q.Recipe, &q.Recipe.Lights[i]))
		}
	}
	var err error
	if q.Layer != Plain {
		if p.lights, err = litLights(ctx, g, q.Recipe, scale); err != nil {
			return nil, err
		}
	}
	for _, s := range stages {
		if l.stages != nil && !slices.Contains(l.stages, s.name) {
			continue
		}
		st := s.make()
		does, err := st.prepare(ctx, p)
		if err != nil {
			return nil, err
		}
		if does {
			p.stages = append(p.stages, st)
		}
		if s.name == last {
			break
		}
	}
	return p, ctx.Err()
}

func tooLarge(long int) error {
	return fault.In("long",
		"A picture is not made larger than its photo, whose long edge has %d pixels.", long)
}

func outside(w, h int) error {
	return fault.In("view", "The part that was asked for lies outside of the picture, "+
		"which has %d × %d pixels.", w, h)
}

// isWhole reports whether the picture has the size of the photo: rows come straight from that.
func (p *plan) isWhole() bool { return p.picture.Scale == 1 }

// litLights returns the lights of a recipe that shine.
func litLights(ctx context.Context, g *graph.Graph, r *recipe.Recipe,
	scale float64) (out []*litLight, err error) {
	lit := r.Lit()
	list := make([]*litLight, len(lit))
	if err := raster.Try(ctx, len(lit), func(i int) (err error) {
		if lit[i] {
			list[i], err = newLight(ctx, g, r, r.Shining(i), scale)
		}
		return err
	}); err != nil {
		return nil, err
	}
	return slices.DeleteFunc(list, func(l *litLight) bool { return l == nil }), nil
}

// newLight returns a light with what its shapes cover.
func newLight(ctx context.Context, g *graph.Graph, r *recipe.Recipe, l *recipe.Light,
	scale float64) (*litLight, error) {
	c, err := coverOf(ctx, g, r, l.Shapes, false)
	if err != nil {
		return nil, err
	}
	cover := graph.Intern(g, c.Key(), c)
	return &litLight{l, cover, graph.To(g, areas.Mask{Cover: cover, Scale: scale})}, nil
}

// each makes something of each light, side by side, and returns what there is of it in their order.
func each[T any](ctx context.Context, p *plan, of func(context.Context,
	*litLight) (*T, error)) (out []T, err error) {
	list := make([]*T, len(p.lights))
	if err := raster.Try(ctx, len(list), func(i int) (err error) {
		list[i], err = of(ctx, p.lights[i])
		return err
	}); err != nil {
		return nil, err
	}
	for _, v := range list {
		if v != nil {
			out = append(out, *v)
		}
	}
	return out, nil
}

// drawn returns what a light covers, as its streak draws it out: core and glow are made of that.
func (ll *litLight) drawn() drawn {
	s := ll.l.Streak
	if s.Length <= 0 {
		return drawn{cover: ll.cover}
	}
	return drawn{ll.cover, streak.Streak{Length: s.Length, Angle: s.Angle,
		Both: s.Sides == recipe.BothSides, Taper: s.Taper}}
}

// drawnMask returns the mask of the light as its streak draws it out.
func (p *plan) drawnMask(ctx context.Context, ll *litLight) (maskRef, error) {
	d := ll.drawn()
	if d.streak == (streak.Streak{}) {
		return ll.mask, nil
	}
	c, err := graph.Get(ctx, p.graph, drawnStreak(d))
	if err != nil {
		return nil, err
	}
	// Of a streak that goes far beyond the frame only that is drawn which can be seen there.
	width, err := p.width(ctx, ll)
	if err != nil {
		return nil, err
	}
	part := p.near(ll.l, depthBlur*width)
	if c.Reach(p.picture.Scale).In(part) {
		part = image.Rectangle{}
	}
	return graph.To(p.graph, streakMask{drawnStreak(d), p.picture.Scale, part}), nil
}

// near returns the pixels, in the frame and beside it, where a light's coverage can change the
// picture. It extends the frame by the reach of the light's widest shell, of its bloom, and of the
// blur that rounds its core. It grows in steps, so that dragging a radius seldom changes it.
func (p *plan) near(l *recipe.Light, depth float64) image.Rectangle {
	widest := math.Max(math.Hypot(l.Core.Feather, l.Core.BloomRadius), depth)
	for i := range l.Shells {
		widest = math.Max(widest, l.Shells[i].Radius)
	}
	frame := p.picture.Frame
	far := float64(glow.Reach(widest * p.picture.Scale))
	step := float64(max(frame.Dx(), frame.Dy())) / 8
	return frame.Inset(-int(math.Ceil(math.Ceil(far/step) * step)))
}

// term is a blurred mask, weighted.
type term struct {
	mask   maskRef
	sigma  float64 // deviation in pixels of the picture
	weight []float32
}

// field returns the blurred mask over a part of the picture.
func (p *plan) field(ctx context.Context, t *term, part image.Rectangle) (glow.Term, error) {
	return glow.Blurred(ctx, p.graph, t.mask, t.sigma, p.picture.Frame, part, t.weight...)
}

// sumOf returns one blurred mask over a part of the picture.
func (p *plan) sumOf(ctx context.Context, t *term, part image.Rectangle) (*glow.Sum, error) {
	f, err := p.field(ctx, t, part)
	if err != nil {
		return nil, err
	}
	return glow.Collapse(ctx, []glow.Term{f}, 1, part)
}

// base returns a part of the photo at the plan's scale; nil where rows come from the photo itself.
func (p *plan) base(ctx context.Context, part image.Rectangle) (*raster.RGB, error) {
	return baseOf(ctx, p.graph, p.picture, part)
}

// baseOf returns a part of a photo at the scale of a picture; nil at 1.
func baseOf(ctx context.Context, g *graph.Graph, in picture,
	part image.Rectangle) (*raster.RGB, error) {
	if in.Scale == 1 {
		return nil, nil
	}
	return graph.Get(ctx, g, photo.Scaled{Photo: in.Photo, Scale: in.Scale, Part: part})
}

// usesDraft notes that the picture is a draft.
func (p *plan) usesDraft() { p.q.Rough.Store(true) }
