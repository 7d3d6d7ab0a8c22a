package render

import (
	"context"
	"image"
	"math"
	"slices"

	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/glow"
	"pyrant/internal/light/streak"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/render/areas"
)

// litLight is a light that shines.
type litLight struct {
	l     *recipe.Light
	cover coverInput // what its shapes cover
	mask  maskRef    // of that, at the scale of the picture
}

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
func each[T any](ctx context.Context, lights []*litLight, of func(context.Context,
	*litLight) (*T, error)) (out []T, err error) {
	list := make([]*T, len(lights))
	if err := raster.Try(ctx, len(list), func(i int) (err error) {
		list[i], err = of(ctx, lights[i])
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

// width returns the mean width of the light's shapes, in pixels of the photo.
func (ll *litLight) width(ctx context.Context, g *graph.Graph) (float64, error) {
	v, err := graph.Get(ctx, g, meanWidth{ll.cover})
	return float64(v), err
}

// drawnMask returns the mask of the light as its streak draws it out.
func (ll *litLight) drawnMask(ctx context.Context, cv *canvas) (maskRef, error) {
	d := ll.drawn()
	if d.streak == (streak.Streak{}) {
		return ll.mask, nil
	}
	c, err := graph.Get(ctx, cv.graph, drawnStreak(d))
	if err != nil {
		return nil, err
	}
	// Of a streak that goes far beyond the frame only that is drawn which can be seen there.
	width, err := ll.width(ctx, cv.graph)
	if err != nil {
		return nil, err
	}
	part := reachable(ll.l, depthBlur*width, cv.picture)
	if c.Reach(cv.picture.Scale).In(part) {
		part = image.Rectangle{}
	}
	return graph.To(cv.graph, streakMask{drawnStreak(d), cv.picture.Scale, part}), nil
}

// reachable returns the pixels, in the frame and beside it, where a light's coverage can change the
// picture. It extends the frame by the reach of the light's widest shell, of its bloom, and of the
// blur that rounds its core. It grows in steps, so that dragging a radius seldom changes it.
func reachable(l *recipe.Light, depth float64, in picture) image.Rectangle {
	widest := math.Max(math.Hypot(l.Core.Feather, l.Core.BloomRadius), depth)
	for i := range l.Shells {
		widest = math.Max(widest, l.Shells[i].Radius)
	}
	far := float64(glow.Reach(widest * in.Scale))
	step := float64(max(in.Frame.Dx(), in.Frame.Dy())) / 8
	return in.Frame.Inset(-int(math.Ceil(math.Ceil(far/step) * step)))
}

// peak returns the largest value of the light's coverage blurred by a radius in pixels of the
// photo.
func (ll *litLight) peak(ctx context.Context, g *graph.Graph, radius float64) (float64, error) {
	f, err := graph.Get(ctx, g, lightPeaks{ll.drawn(), recipe.MaxRadius})
	if err != nil {
		return 0, err
	}
	return f.At(ctx, radius)
}

// weight returns what a shell's blurred coverage is multiplied by, under a fader's level.
func (ll *litLight) weight(ctx context.Context, g *graph.Graph, s *recipe.Shell,
	level float64) (float64, error) {
	peak := 1.0 // of a light with nothing traced yet
	if len(ll.l.Shapes) > 0 {
		var err error
		if peak, err = ll.peak(ctx, g, s.Radius); err != nil {
			return 0, err
		}
	}
	return glow.Norm(peak, s.Lift) * s.Strength * level, nil
}

// isCutOut reports whether the light is made of a cut-out, in part or all.
func (ll *litLight) isCutOut() bool { return slices.ContainsFunc(ll.l.Shapes, shape.IsCutOut) }

// seen returns the mask of the light less what blocks it: what of it meets the eye.
func (ll *litLight) seen(ctx context.Context, sc *scene) (maskRef, error) {
	m, err := ll.drawnMask(ctx, &sc.canvas)
	if err != nil {
		return nil, err
	}
	return sc.unblocked(ctx, m, ll.l)
}

// keeps returns the mask of what dusk is kept off for the light: of what of it is seen, its share
// of the light.
func (ll *litLight) keeps(ctx context.Context, sc *scene) (maskRef, error) {
	m := ll.mask
	if ll.isCutOut() {
		c, err := coverOf(ctx, sc.graph, sc.recipe, ll.l.Shapes, true)
		if err != nil {
			return nil, err
		}
		m = graph.To(sc.graph, areas.Mask{Cover: graph.Intern(sc.graph, c.Key(), c),
			Scale: sc.picture.Scale})
	}
	return sc.unblocked(ctx, m, ll.l)
}
