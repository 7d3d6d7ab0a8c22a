package render

import (
	"context"
	"image"
	"slices"
	"sync/atomic"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/guided"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/render/areas"
)

// passList is passes in a picture, with all that they refer to. It is plain: see graph.Of.
type passList struct {
	picture picture
	passes  []passInput
}

// passInput is a pass that is on.
type passInput struct {
	pass    *graph.Input[pass.Pass]
	area    areas.Input // nil for everywhere
	gel     gel         // that a ramp follows
	picture photoInput  // that is laid over; nil for none
}

// gel is the gel of a light; zero where there is none.
type gel struct {
	known           bool
	hue, saturation float64
}

// passList returns passes as they are in the plan's picture.
func (sc *scene) passList(ctx context.Context, list []pass.Pass) (passList, error) {
	out := passList{picture: sc.picture}
	for _, k := range list {
		if !k.On || k.Strength == 0 {
			continue
		}
		k.Name = ""
		in := passInput{pass: graph.Intern(sc.graph, setting.Key(k), k)}
		var err error
		if k.Area != "" {
			if in.area, err = sc.area(ctx, k.Area); err != nil {
				return out, err
			}
		}
		switch does := k.Does.(type) {
		case pass.Ramp:
			if l := sc.recipe.LightOf(area.LightRef(does.Follow)); does.Follow != "" && l != nil {
				in.gel = gel{true, l.Gel.Hue, l.Gel.Saturation}
			}
		case pass.Picture:
			if in.picture, err = sc.pictureOf(ctx, does.Sum); err != nil {
				return out, err
			}
		}
		out.passes = append(out.passes, in)
	}
	return out, nil
}

// pictureOf returns a picture that the recipe names; nil where it is not there.
func (sc *scene) pictureOf(ctx context.Context, sum string) (photoInput, error) {
	if sc.pictures == nil || sum == "" {
		return nil, nil
	}
	o, err := sc.pictures(ctx, sum)
	if err != nil || o == nil {
		return nil, err
	}
	return graph.Intern(sc.graph, sum, o), nil
}

// areas returns by step of a program the area in which it works; nil for everywhere.
func (l *passList) areas(of *pass.Program) []areas.Input {
	byRef := map[area.Ref]areas.Input{}
	for i := range l.passes {
		if a := l.passes[i].area; a != nil {
			byRef[l.passes[i].pass.Value().Area] = a
		}
	}
	var out []areas.Input
	for _, id := range of.Areas() {
		out = append(out, byRef[id])
	}
	return out
}

// guideFunc returns the guided filter for the picture as it is before pass n of a list, for a
// radius in pixels of the photo.
type guideFunc func(n int, radius float64) (*guided.Filter, error)

// compile makes the passes ready for rows.
func (l *passList) compile(ctx context.Context, g *graph.Graph,
	guide guideFunc) (*pass.Program, error) {
	var list []pass.Pass
	for i := range l.passes {
		list = append(list, l.passes[i].pass.Value())
	}
	return pass.Compile(list, pass.Site{
		Frame: l.picture.Frame,
		Guide: guide,
		Gel: func(id area.LightRef) *pass.Gel {
			for i := range l.passes {
				ramp, ok := l.passes[i].pass.Value().Does.(pass.Ramp)
				if k := l.passes[i].gel; ok && k.known && area.LightRef(ramp.Follow) == id {
					return &pass.Gel{Hue: k.hue, Saturation: k.saturation}
				}
			}
			return nil
		},
		Picture: func(k pass.Picture) (pass.PictureRows, error) {
			for i := range l.passes {
				of, ok := l.passes[i].pass.Value().Does.(pass.Picture)
				if in := l.passes[i].picture; ok && of.Sum == k.Sum && in != nil {
					return layOver(ctx, g, k, in, l.picture.Scale)
				}
			}
			return nil, nil
		},
	})
}

// shadeEdge is the variance of display values from which on an edge is kept.
const shadeEdge = 0.01

// guideEdge is the long edge of the picture that guided filters are worked out on: what they leave
// is smooth, and the same for every scale and part of the picture.
const guideEdge = 512

// guideOf returns the filter whose guide is the display brightness of a picture that row makes in
// pix, for a radius in pixels of the photo.
func guideOf(ctx context.Context, in picture, radius float64,
	row func(s *scratch, y int)) (*guided.Filter, error) {
	frame := in.Frame
	out := raster.NewPlane(frame)
	if err := raster.Rows(ctx, 0, frame.Max.Y, func(y0, y1 int) {
		s := newScratch(frame.Dx())
		for y := y0; y < y1; y++ {
			row(s, y)
			for i, to := 0, out.Row(y); i < len(to); i++ {
				to[i] = colour.Display.At(colour.Luma(s.pix[3*i], s.pix[3*i+1], s.pix[3*i+2]))
			}
		}
	}); err != nil {
		return nil, err
	}
	return guided.New(ctx, out, out, max(int(radius*in.Scale+0.5), 1), shadeEdge)
}

// duskGuide is the guided filter of the photo after some passes of dusk. What is kept out of dusk
// and given back comes after all of them.
type duskGuide struct {
	passes *graph.Input[passList]
	radius float64 // in pixels of the photo
}

func (k duskGuide) Build(ctx context.Context, g *graph.Graph) (*guided.Filter, error) {
	list := k.passes.Value()
	prog, err := list.compile(ctx, g, list.duskGuide(ctx, g))
	if err != nil {
		return nil, err
	}
	in := list.picture
	rows, err := photoRowsOf(ctx, g, in)
	if err != nil {
		return nil, err
	}
	planes, err := planesOf(ctx, g, list.areas(prog), in.Frame)
	if err != nil {
		return nil, err
	}
	return guideOf(ctx, in, k.radius, func(s *scratch, y int) {
		prog.Into(&s.pass, s.pix, rows(s, y), 0, y, planes)
	})
}

// duskGuide returns how dusk comes to its guides, of which l is the passes in the picture that they
// are worked out on.
func (l *passList) duskGuide(ctx context.Context, g *graph.Graph) guideFunc {
	return func(n int, radius float64) (*guided.Filter, error) {
		before := passList{l.picture, l.passes[:n]}
		return graph.Get(ctx, g, duskGuide{graph.Of(g, before), radius})
	}
}

// finishGuide is the guided filter of the lit picture after the passes of finish that its recipe
// has.
type finishGuide struct {
	photo    photoInput
	recipe   recipeInput
	pictures *graph.Input[[]namedPicture]
	radius   float64 // in pixels of the photo
	draft    bool    // of a picture that is a draft
}

// namedPicture is a picture that a recipe names.
type namedPicture struct {
	sum   string
	photo photoInput
}

func (k finishGuide) Build(ctx context.Context, g *graph.Graph) (*guided.Filter, error) {
	ph, r := k.photo.Value(), k.recipe.Value()
	q := &Request{Photo: ph, PhotoKey: k.photo.Content(), Recipe: r, Rough: newDraftFlag(k.draft),
		LongEdge: min(guideEdge, r.Photo.LongEdge()), pictures: picturesOf(k.pictures.Value())}
	p, err := newPlanUpTo(ctx, g, q, "finish")
	if err != nil {
		return nil, err
	}
	frame := p.picture.Frame
	rows, err := p.collect(ctx, frame)
	if err != nil {
		return nil, err
	}
	return guideOf(ctx, p.picture, k.radius, func(s *scratch, y int) {
		for _, r := range rows {
			r.row(s, 0, frame.Max.X, y)
		}
	})
}

// finishGuide returns how finish comes to its guides.
func (sc *scene) finishGuide(ctx context.Context, list *passList) guideFunc {
	return func(n int, radius float64) (*guided.Filter, error) {
		r := *sc.recipe
		r.Finish.Passes = nil
		for i := range list.passes[:n] {
			r.Finish.Passes = append(r.Finish.Passes, list.passes[i].pass.Value())
		}
		var pictures []namedPicture
		for _, k := range append(duskPasses(&r.Dusk), r.Finish.Passes...) {
			does, ok := k.Does.(pass.Picture)
			if !ok || !k.On {
				continue
			}
			in, err := sc.pictureOf(ctx, does.Sum)
			if err != nil {
				return nil, err
			}
			pictures = append(pictures, namedPicture{does.Sum, in})
		}
		k := finishGuide{sc.picture.Photo, inputOf(sc.graph, &r), graph.Of(sc.graph, pictures),
			radius, sc.spillIsDraft()}
		return graph.Get(ctx, sc.graph, k)
	}
}

// spillIsDraft reports whether some of the spill that the plan shows is a draft.
func (sc *scene) spillIsDraft() bool {
	m := sc.room
	if m == nil || m.draftFlag == nil || !sc.recipe.Spill.On {
		return false
	}
	return m.isDraft() || m.moved || slices.ContainsFunc(sc.lights, func(ll *litLight) bool {
		_, draft := m.light(ll.l)
		return draft && sc.spillPower(ll) > 0
	})
}

// photoRowsOf returns what gives the rows of a photo in a picture, which may use a scratch's
// memory.
func photoRowsOf(ctx context.Context, g *graph.Graph,
	in picture) (func(s *scratch, y int) []float32, error) {
	base, err := baseOf(ctx, g, in, in.Frame)
	return func(s *scratch, y int) []float32 {
		if base != nil {
			return base.Row(y)
		}
		in.Photo.Value().Linear(s.photo, 0, y, in.Frame.Dx())
		return s.photo
	}, err
}

// planesOf returns what areas cover of a part of the picture, nil for nil.
func planesOf(ctx context.Context, g *graph.Graph, list []areas.Input,
	part image.Rectangle) ([]*raster.Plane, error) {
	out := make([]*raster.Plane, len(list))
	for i, a := range list {
		if a == nil {
			continue
		}
		var err error
		if out[i], err = graph.Get(ctx, g, areas.Plane{Area: a, Part: part}); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// usesGuide reports whether a pass of a list needs a guide.
func usesGuide(list []pass.Pass) bool {
	for i := range list {
		if _, ok := list[i].Does.(pass.Shade); ok && list[i].On {
			return true
		}
	}
	return false
}

// duskPasses returns the passes of dusk with daylight, which comes before them.
func duskPasses(d *recipe.Dusk) []pass.Pass {
	day := pass.Pass{On: true, Strength: 1, Joining: pass.Normal,
		Does: pass.Levels{Exposure: d.Daylight, Middle: 1, White: 1}}
	return append([]pass.Pass{day}, d.Passes...)
}

// picturesOf returns how a request comes to pictures of a list.
func picturesOf(list []namedPicture) func(ctx context.Context, sum string) (*photo.Photo, error) {
	return func(_ context.Context, sum string) (*photo.Photo, error) {
		for _, p := range list {
			if p.sum == sum && p.photo != nil {
				return p.photo.Value(), nil
			}
		}
		return nil, nil
	}
}

// newDraftFlag returns where a request notes that it is a draft; nil for one that must not be.
func newDraftFlag(draft bool) *atomic.Bool {
	if draft {
		return new(atomic.Bool)
	}
	return nil
}
