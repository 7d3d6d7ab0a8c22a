package render

import (
	"context"
	"image"
	"math"
	"slices"
	"sync/atomic"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/coverage"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/base/simd"
	"pyrant/internal/light/glow"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/render/areas"
)

// scene is what there is of a recipe in a picture: its lights, its room, and what it refers to.
type scene struct {
	canvas
	recipe *recipe.Recipe
	lights []*litLight // those that shine
	room   *room       // nil without one
	// draftFlag notes that something of the picture is a draft; nil for one that must not be
	draftFlag *atomic.Bool
	pictures  func(ctx context.Context, sum string) (*photo.Photo, error)
}

// newScene returns the scene of a request, whatever part of it is to be seen.
func newScene(ctx context.Context, g *graph.Graph, q *Request) (*scene, error) {
	w, h, scale := Size(q.Photo.Width, q.Photo.Height, q.LongEdge)
	if scale > 1 {
		return nil, tooLarge(max(q.Photo.Width, q.Photo.Height))
	}
	in := picture{Photo: graph.Intern(g, q.PhotoKey, q.Photo), Scale: scale,
		Frame: image.Rect(0, 0, w, h)}
	sc := &scene{canvas: canvas{g, in}, recipe: q.Recipe, draftFlag: q.Rough, pictures: q.pictures}
	sc.room = newRoom(sc)
	var err error
	if q.Layer != Plain {
		sc.lights, err = litLights(ctx, g, q.Recipe, scale)
	}
	return sc, err
}

// at returns the same scene in a picture with another long edge, at most the photo's.
func (sc *scene) at(ctx context.Context, edge int) (*scene, error) {
	ph := sc.picture.Photo
	return newScene(ctx, sc.graph, &Request{Photo: ph.Value(), PhotoKey: ph.Content(),
		Recipe: sc.recipe, LongEdge: min(edge, sc.recipe.Photo.LongEdge()), Rough: sc.draftFlag,
		pictures: sc.pictures})
}

// areaScene is a scene as areas see it. Where what they cover is solid, as of what blocks a light,
// a cut-out's soft edge is how much of a pixel it covers; else it is its share of the pixel's
// light, so that what is darkened beside it keeps no rim of what was behind.
type areaScene struct {
	*scene
	solid bool
}

// area returns an area of the recipe in the plan's picture.
func (sc *scene) area(ctx context.Context, id area.Ref) (areas.Input, error) {
	return areas.Resolve(ctx, sc.graph, sc.recipe.Area(id), sc.picture, areaScene{sc, false})
}

// solidArea returns an area of the recipe as what blocks a light.
func (sc *scene) solidArea(ctx context.Context, a *area.Area) (areas.Input, error) {
	return areas.Resolve(ctx, sc.graph, a, sc.picture, areaScene{sc, true})
}

func (s areaScene) Area(id area.Ref) *area.Area { return s.recipe.Area(id) }

// CutOut returns what one or all cut-outs cover.
func (s areaScene) CutOut(_ context.Context, id cutout.Ref) (areas.SourceInput, error) {
	what := cutout.Share
	if s.solid {
		what = cutout.Alpha
	}
	m := areas.Masks{Frame: s.picture.Frame}
	for i := range s.recipe.CutOuts {
		c := &s.recipe.CutOuts[i]
		if (id == "" || c.ID == string(id)) && !c.Empty() {
			m.Of = append(m.Of, maskOf(s.graph, c, what, s.picture.Scale))
		}
	}
	return areas.Of(s.graph, m), nil
}

// surfaceMask is where a surface of a room is seen.
type surfaceMask struct {
	room    roomSet
	surface area.SurfaceRef
	scale   float64
	frame   image.Rectangle
}

func (k surfaceMask) Build(ctx context.Context, g *graph.Graph) (coverage.Mask, error) {
	set, err := graph.Get(ctx, g, k.room)
	if err != nil {
		return nil, err
	}
	c, err := graph.Own(ctx, g, composer{set.Layout, k.scale})
	if err != nil {
		return nil, err
	}
	return c.Mask(string(k.surface), k.frame), nil
}

// Surface returns what is seen of a surface of the room.
func (s areaScene) Surface(_ context.Context, id area.SurfaceRef) (areas.SourceInput, error) {
	m := areas.Masks{Frame: s.picture.Frame}
	if s.room != nil {
		s.room.use()
		m.Of = append(m.Of, graph.To(s.graph,
			surfaceMask{s.room.bare(), id, s.picture.Scale, s.picture.Frame}))
	}
	return areas.Of(s.graph, m), nil
}

// Light returns what the shapes of lights cover, whether they shine or not, or where glow or spill
// arrives of those that shine.
func (s areaScene) Light(ctx context.Context, l area.Light) (areas.SourceInput, error) {
	switch l.What {
	case area.Covers:
		m := areas.Masks{Frame: s.picture.Frame}
		for i := range s.recipe.Lights {
			k := &s.recipe.Lights[i]
			if (l.Light == "" || k.ID == string(l.Light)) && len(k.Shapes) > 0 {
				m.Of = append(m.Of, s.shapesMask(k.Shapes))
			}
		}
		return areas.Of(s.graph, m), nil
	case area.Glow:
		return s.glowing(ctx, l)
	}
	return s.spilling(ctx, l)
}

// shapesMask is the mask of shapes some of which are cut-outs.
type shapesMask struct {
	of    recipeInput // with one light
	share bool        // of cut-outs their share of the light
	scale float64
}

func (k shapesMask) Build(ctx context.Context, g *graph.Graph) (coverage.Mask, error) {
	r := k.of.Value()
	c, err := coverOf(ctx, g, r, r.Lights[0].Shapes, k.share)
	if err != nil {
		return nil, err
	}
	return c.At(k.scale), nil
}

// shapesMask returns the mask of shapes.
func (sc *scene) shapesMask(list shape.Shapes) maskRef {
	if !slices.ContainsFunc(list, shape.IsCutOut) {
		return graph.To(sc.graph, areas.Mask{
			Cover: graph.Intern(sc.graph, list.Key(), coverage.Coverage(list)),
			Scale: sc.picture.Scale})
	}
	light := &recipe.Light{Shapes: list}
	of := inputOf(sc.graph,
		recipe.Recipe{Photo: sc.recipe.Photo}.With(sc.recipe, []*recipe.Light{light}))
	return graph.To(sc.graph, shapesMask{of, false, sc.picture.Scale})
}

// shining returns the lights that a reference means, of those that shine.
func (sc *scene) shining(id area.LightRef) (out []*litLight) {
	for _, ll := range sc.lights {
		if id == "" || ll.l.ID == string(id) {
			out = append(out, ll)
		}
	}
	return out
}

// arriving is light as coverage: 1 − e^(−light·gain) is covered.
type arriving struct {
	frame  image.Rectangle
	gain   float32
	shells []shellTerm
	spill  []spillTerm
}

// shellTerm is a shell of a light.
type shellTerm struct {
	mask   maskRef
	sigma  float64
	weight float32
	veil   veilInput
}

// spillTerm is what a light gives to its surroundings.
type spillTerm struct {
	inRoom roomShading // of any part; zero without a room
	flat   spillField  // without a room
	weight float32
	veil   veilInput
}

func (s areaScene) glowing(ctx context.Context, l area.Light) (areas.SourceInput, error) {
	out := arriving{frame: s.picture.Frame, gain: float32(math.Exp2(l.Gain))}
	master := s.recipe.Glow
	for _, ll := range s.shining(l.Light) {
		if !master.On || !ll.l.Glow {
			continue
		}
		for i := range ll.l.Shells {
			shell := &ll.l.Shells[i]
			k, err := ll.weight(ctx, s.graph, shell, ll.l.Gain()*master.Level)
			if err != nil {
				return nil, err
			}
			if k <= 0 {
				continue
			}
			t := shellTerm{sigma: shell.Radius * s.picture.Scale, weight: float32(k)}
			if t.mask, err = ll.seen(ctx, s.scene); err != nil {
				return nil, err
			}
			if t.veil, err = s.glowVeil(ctx, ll.l, shell.Trim); err != nil {
				return nil, err
			}
			out.shells = append(out.shells, t)
		}
	}
	return areas.Of(s.graph, out), nil
}

func (s areaScene) spilling(ctx context.Context, l area.Light) (areas.SourceInput, error) {
	out := arriving{frame: s.picture.Frame, gain: float32(math.Exp2(l.Gain))}
	for _, ll := range s.shining(l.Light) {
		if !s.recipe.Spill.On {
			break
		}
		sp, err := s.spillOf(ctx, ll)
		if err != nil {
			return nil, err
		}
		if sp == nil {
			continue
		}
		t := spillTerm{weight: sp.power, veil: sp.veil}
		if sp.room != nil {
			t.inRoom = s.room.shading(sp.room.light, s.picture.Frame)
		} else if t.flat, err = sp.field(ctx, &s.canvas); err != nil {
			return nil, err
		}
		out.spill = append(out.spill, t)
	}
	return areas.Of(s.graph, out), nil
}

// veiledTerms is light that is hidden alike.
type veiledTerms struct {
	veil  veilInput
	terms []glow.Term
}

// Rows returns the coverage; what arrives is soft, and gets no feather.
func (a arriving) Rows(ctx context.Context, g *graph.Graph, _ float64,
	r image.Rectangle) (areas.Rows, error) {
	var list []veiledTerms
	add := func(v veilInput, t glow.Term) {
		i := slices.IndexFunc(list, func(l veiledTerms) bool { return l.veil == v })
		if i < 0 {
			i, list = len(list), append(list, veiledTerms{veil: v})
		}
		list[i].terms = append(list[i].terms, t)
	}
	for _, t := range a.shells {
		f, err := glow.Blurred(ctx, g, t.mask, t.sigma, a.frame, r, t.weight)
		if err != nil {
			return nil, err
		}
		add(t.veil, f)
	}
	for _, t := range a.spill {
		f, err := t.term(ctx, g, r)
		if err != nil {
			return nil, err
		}
		add(t.veil, f)
	}
	out := lightRows{gain: a.gain}
	for _, l := range list {
		sum, err := glow.Collapse(ctx, l.terms, 1, r)
		if err != nil {
			return nil, err
		}
		v, err := veilOver(ctx, g, l.veil, r)
		if err != nil {
			return nil, err
		}
		out.sums = append(out.sums, readySum{sum, v})
	}
	return out, nil
}

// term returns the light that arrives in a part of the picture.
func (t spillTerm) term(ctx context.Context, g *graph.Graph, part image.Rectangle) (glow.Term,
	error) {
	if t.flat.source.cover != nil {
		f, err := graph.Get(ctx, g, t.flat)
		return glow.Term{Level: t.flat.level, Field: f, Weight: []float32{t.weight}}, err
	}
	k := t.inRoom
	if isLarge(k.surfaces.picture) {
		k.surfaces.part = part
	}
	c, err := graph.Get(ctx, g, k)
	return glow.Term{Field: c.plain, Colours: c.colours, Weight: []float32{t.weight}}, err
}

// lightRows is light as coverage.
type lightRows struct {
	sums []readySum
	gain float32
}

func (l lightRows) Fill(dst []float32, x0, y int) {
	clear(dst)
	one := make([]float32, len(dst))
	var tmp []float32
	for i := range l.sums {
		tmp = l.sums[i].row(one, 1, x0, y, tmp)
		simd.Add(dst, one)
	}
	for i, v := range dst {
		dst[i] = 1 - colour.ExpNeg(v*l.gain)
	}
}

// AreaMask returns the coverage of an area in the picture that q asks for, for looking at it; solid
// as what blocks a light.
func (e *Engine) AreaMask(ctx context.Context, q Request, id area.Ref,
	solid bool) (*raster.Plane, error) {
	return q.mask(ctx, func(q Request) (*raster.Plane, error) {
		sc, err := newScene(ctx, e.Cache, &q)
		if err != nil {
			return nil, err
		}
		view, err := viewOf(&q, sc.picture)
		if err != nil {
			return nil, err
		}
		a, err := areas.Resolve(ctx, sc.graph, q.Recipe.Area(id), sc.picture, areaScene{sc, solid})
		if err != nil {
			return nil, err
		}
		return graph.Get(ctx, sc.graph, areas.Plane{Area: a, Part: view})
	})
}

// mask returns the coverage that is asked for, taken out of what draw makes of the photo.
func (q *Request) mask(ctx context.Context,
	draw func(q Request) (*raster.Plane, error)) (*raster.Plane, error) {
	return cropped(q, draw, func(f *framing, m *raster.Plane) (*raster.Plane, error) {
		return f.plane(ctx, m)
	})
}

// LightMask returns the coverage of a light's shapes in the picture that q asks for, as sharp as
// they were traced.
func (e *Engine) LightMask(ctx context.Context, q Request, light int) (*raster.Plane, error) {
	return q.mask(ctx, func(q Request) (*raster.Plane, error) {
		_, _, scale := Size(q.Photo.Width, q.Photo.Height, q.LongEdge)
		c, err := coverOf(ctx, e.Cache, q.Recipe, q.Recipe.Lights[light].Shapes, false)
		if err != nil {
			return nil, err
		}
		m, out := c.At(scale), raster.NewPlane(q.View)
		for y := q.View.Min.Y; y < q.View.Max.Y; y++ {
			m.Fill(out.Row(y), q.View.Min.X, y)
		}
		return out, nil
	})
}
