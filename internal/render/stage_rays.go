package render

import (
	"context"
	"image"
	"slices"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/base/simd"
	"pyrant/internal/light/aperture"
	"pyrant/internal/light/rays"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/render/areas"
)

// raysStage adds the rays of points over all else that shines.
type raysStage struct {
	*scene
	list []rayed
}

// rayPower is how much brighter than white a ray is where it begins, at a strength of 1.
const rayPower = 2.5

// rayed is the rays of one light.
type rayed struct {
	star   rays.Star
	points *graph.Input[[]rays.Point]
	lens   *diffraction // that makes the star; nil for drawn rays
	weight [3]float32
	veil   veilInput
}

func (st *raysStage) prepare(ctx context.Context) (bool, error) {
	master := st.recipe.Glow
	if !master.On {
		return false, nil
	}
	for _, ll := range st.lights {
		r := &ll.l.Rays
		k := float32(ll.l.Gain() * master.Level * r.Strength * rayPower)
		if !r.On || k <= 0 {
			continue
		}
		one, err := st.rayed(ctx, ll)
		if err != nil {
			return false, err
		}
		if one == nil {
			continue
		}
		for c := range one.weight {
			one.weight[c] *= k
		}
		if one.veil, err = st.glowVeil(ctx, ll.l, r.Trim); err != nil {
			return false, err
		}
		st.list = append(st.list, *one)
	}
	return len(st.list) > 0, nil
}

// rayed returns the rays of a light by themselves, nil for none.
func (sc *scene) rayed(ctx context.Context, ll *litLight) (*rayed, error) {
	r := &ll.l.Rays
	spots := ll.l.Shapes.Spots()
	if len(spots) == 0 {
		return nil, nil
	}
	own, err := sc.spotColours(ctx, ll)
	if err != nil {
		return nil, err
	}
	near, err := sc.nearness(ctx, ll, spots)
	if err != nil {
		return nil, err
	}
	one := &rayed{star: rays.Of(*r), weight: [3]float32{1, 1, 1}}
	blades, by := aperture.Of(*r)
	if by {
		one.lens = &diffraction{blades}
	}
	if own == nil {
		c := ll.l.Gel.Colour()
		one.weight = [3]float32{c.R, c.G, c.B}
	}
	lead := r.Leads(spots)
	var points []rays.Point
	for i, s := range spots {
		length, strength := r.Share(near[i])
		if i != lead {
			strength *= r.Chorus
		}
		c := [3]float32{float32(strength), float32(strength), float32(strength)}
		if own != nil {
			c[0], c[1], c[2] = c[0]*own[i].R, c[1]*own[i].G, c[2]*own[i].B
		}
		points = append(points, rays.Point{X: s.At.X, Y: s.At.Y, Size: length, Colour: c})
	}
	for _, k := range r.Cuts {
		if k.Point < len(points) {
			q := &points[k.Point]
			q.Cuts = append(q.Cuts, rays.Cut{Ray: k.Ray, At: k.At})
		}
	}
	one.points = graph.Of(sc.graph, points)
	return one, nil
}

// nearness returns how near the points of a light are, against the nearest of them.
func (sc *scene) nearness(ctx context.Context, ll *litLight,
	spots []shape.Spot) ([]float64, error) {
	r := &ll.l.Rays
	near := make([]float64, len(spots))
	for i := range near {
		near[i] = spots[i].Radius
	}
	switch {
	case r.Distance == 0:
		return near, nil // which makes no difference
	case r.By == recipe.ByArea:
		if r.Near == "" {
			return slices.Repeat([]float64{1}, len(spots)), nil
		}
		// An area is not measured against its own brightest place.
		return sc.covering(ctx, r.Near, sc.shapes(ll.l))
	case r.By == recipe.ByDepth:
		if sc.room != nil {
			set, err := graph.Get(ctx, sc.graph, sc.room.set())
			if err != nil {
				return nil, err
			}
			if deep := set.Depths(ll.l, spots); deep != nil {
				for i, d := range deep {
					near[i] = 1 / d
				}
			}
		}
	case r.By == recipe.ByLight:
		light, err := graph.Get(ctx, sc.graph, pointBrightness{sc.picture.Photo, sc.shapes(ll.l)})
		if err != nil {
			return nil, err
		}
		copy(near, light)
	}
	most := slices.Max(near)
	for i := range near {
		near[i] /= max(most, 1e-9)
	}
	return near, nil
}

// nearEdge is the long edge of the picture on which an area tells how near points are: it is the
// same for every scale.
const nearEdge = 1500

// covering returns how much an area covers of the places of points.
func (sc *scene) covering(ctx context.Context, id area.Ref, of shapesInput) (spotLight, error) {
	small, err := sc.at(ctx, nearEdge)
	if err != nil {
		return nil, err
	}
	a, err := small.area(ctx, id)
	if err != nil {
		return nil, err
	}
	return graph.Get(ctx, sc.graph, pointCoverage{a, of})
}

// pointCoverage is how much an area covers of the places of points.
type pointCoverage struct {
	area areas.Input
	of   shapesInput
}

func (k pointCoverage) Build(ctx context.Context, g *graph.Graph) (spotLight, error) {
	spots, in := k.of.Value().Spots(), k.area.Value().Picture
	out := make(spotLight, len(spots))
	for i, s := range spots {
		x, y := int(s.At.X*in.Scale), int(s.At.Y*in.Scale)
		at := image.Rect(x, y, x+1, y+1).Intersect(in.Frame)
		if at.Empty() {
			continue
		}
		m, err := areas.Plane{Area: k.area, Part: at}.Build(ctx, g)
		if err != nil {
			return nil, err
		}
		out[i] = float64(m.Row(at.Min.Y)[0])
	}
	return out, nil
}

// shapes returns the shapes of a light as an input of nodes.
func (sc *scene) shapes(l *recipe.Light) shapesInput {
	return graph.Intern(sc.graph, l.Shapes.Key(), l.Shapes)
}

type spotLight []float64

func (l spotLight) Bytes() int64 { return 8*int64(len(l)) + 24 }

// RayAt returns which ray of a light of q's recipe passes nearest to a place of the photo, as
// render/rays draws them: the number of its point, its own, and at which share of its whole length
// that is.
func (e *Engine) RayAt(ctx context.Context, q Request, light int, x, y,
	within float64) (point, ray int, at float64, err error) {
	sc, err := newScene(ctx, e.Cache, &q)
	if err != nil {
		return 0, 0, 0, err
	}
	ll, err := newLight(ctx, e.Cache, q.Recipe, &q.Recipe.Lights[light], sc.picture.Scale)
	if err != nil {
		return 0, 0, 0, err
	}
	one, err := sc.rayed(ctx, ll)
	if err != nil {
		return 0, 0, 0, err
	}
	if one == nil || !ll.l.Rays.On || one.lens != nil {
		return 0, 0, 0, fault.New(fault.Invalid, "This light has no rays to shorten. Switch rays on and choose a star from rays or blades.")
	}
	point, ray, at, ok := one.star.Nearest(one.points.Value(), x, y, within)
	if !ok {
		return 0, 0, 0, fault.New(fault.Invalid, "No ray of this light passes there. Click on a ray.")
	}
	return point, ray, at, nil
}

// spotColours returns the colours of a light's points as the photo shows them; nil where they have
// the gel.
func (sc *scene) spotColours(ctx context.Context, ll *litLight) (spotColours, error) {
	if ll.l.Rays.Colour != recipe.OwnColours {
		return nil, nil
	}
	return graph.Get(ctx, sc.graph, pointColours{sc.picture.Photo, sc.shapes(ll.l)})
}

type spotColours []colour.RGB

func (c spotColours) Bytes() int64 { return 12*int64(len(c)) + 24 }

// raysPlane is the rays of points over a part of the picture.
type raysPlane struct {
	star   rays.Star
	points *graph.Input[[]rays.Point]
	lens   diffraction // that makes the star; zero for drawn rays
	scale  float64
	part   image.Rectangle
	whole  bool // the part is the whole frame
}

func (k raysPlane) Passes() bool { return !k.whole }

func (k raysPlane) Build(ctx context.Context, g *graph.Graph) (*raster.RGB, error) {
	m, err := k.star.Draw(ctx, k.points.Value(), k.scale, k.part)
	if err != nil || k.lens == (diffraction{}) {
		return m, err
	}
	lens, err := graph.Get(ctx, g, k.lens)
	if err != nil {
		return nil, err
	}
	return m, k.star.Lay(ctx, m, k.points.Value(), k.scale, lens.At)
}

func (st *raysStage) collect(ctx context.Context, part image.Rectangle) (rower, error) {
	var out raysRows
	for i := range st.list {
		r := &st.list[i]
		k := raysPlane{star: r.star, points: r.points, scale: st.picture.Scale, part: part,
			whole: part == st.picture.Frame}
		if r.lens != nil {
			k.lens = *r.lens
		}
		m, err := graph.Get(ctx, st.graph, k)
		if err != nil {
			return nil, err
		}
		v, err := veilOver(ctx, st.graph, r.veil, part)
		if err != nil {
			return nil, err
		}
		out = append(out, readyRays{m, r.weight, v})
	}
	return out, nil
}

// readyRays is the rays of one light over a part of the picture.
type readyRays struct {
	*raster.RGB
	weight [3]float32
	veil   *raster.Plane // how much of them is seen at each place; nil for all
}

type raysRows []readyRays

func (r raysRows) row(s *scratch, x0, x1, y int) {
	light := s.light
	clear(light)
	for i := range r {
		k := &r[i]
		row := k.Row(y)[3*(x0-k.Rect.Min.X) : 3*(x1-k.Rect.Min.X)]
		if k.veil == nil {
			simd.AddColours(light, row, k.weight)
			continue
		}
		v := k.veil.Row(y)[x0-k.veil.Rect.Min.X:]
		for n := range x1 - x0 {
			e, w := row[3*n:3*n+3:3*n+3], v[n]
			light[3*n] += e[0] * k.weight[0] * w
			light[3*n+1] += e[1] * k.weight[1] * w
			light[3*n+2] += e[2] * k.weight[2] * w
		}
	}
	for n := range x1 - x0 {
		e := light[3*n : 3*n+3 : 3*n+3]
		if e[0] < none && e[1] < none && e[2] < none {
			e[0], e[1], e[2] = 0, 0, 0
			continue
		}
		s.hit[n] = true
	}
	colour.SoftAddRow(s.pix, light)
}
