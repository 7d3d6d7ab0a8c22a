package render

import (
	"context"
	"fmt"
	"image"
	"slices"
	"time"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/aperture"
	"pyrant/internal/light/rays"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/shape"
)

// raysStage adds the rays of points over all else that shines.
type raysStage struct{ list []rayed }

// rayPower is how much brighter than white a ray is where it begins, at a strength of 1.
const rayPower = 2.5

// rayed is the rays of one light.
type rayed struct {
	star   rays.Star
	points []rays.Point
	lens   *aperture.Sprite // that makes the star; nil for drawn rays
	key    string           // of both, but for what weight holds
	weight [3]float32
	veil   veil
}

func (st *raysStage) prepare(ctx context.Context, p *plan) (bool, error) {
	master := p.q.Recipe.Glow
	if !master.On {
		return false, nil
	}
	for _, ll := range p.lights {
		r := &ll.l.Rays
		k := float32(ll.l.Gain() * master.Level * r.Strength * rayPower)
		if !r.On || k <= 0 {
			continue
		}
		one, err := p.rayed(ctx, ll)
		if err != nil {
			return false, err
		}
		if one == nil {
			continue
		}
		for c := range one.weight {
			one.weight[c] *= k
		}
		one.veil = p.veilOf(ll.l).trimmed(p, ll.l.Trim).trimmed(p, r.Trim)
		st.list = append(st.list, *one)
	}
	return len(st.list) > 0, nil
}

// rayed returns the rays of a light by themselves, nil for none.
func (p *plan) rayed(ctx context.Context, ll *litLight) (*rayed, error) {
	r := &ll.l.Rays
	spots := ll.l.Shapes.Spots()
	if len(spots) == 0 {
		return nil, nil
	}
	own, err := p.spotColours(ctx, ll)
	if err != nil {
		return nil, err
	}
	near, err := p.nearness(ctx, ll, spots)
	if err != nil {
		return nil, err
	}
	one := &rayed{star: rays.Of(*r), weight: [3]float32{1, 1, 1}}
	blades, by := aperture.Of(*r)
	if by {
		if one.lens, err = get(ctx, p, "aperture", diffraction{blades}); err != nil {
			return nil, err
		}
	}
	if own == nil {
		c := ll.l.Gel.Colour()
		one.weight = [3]float32{c.R, c.G, c.B}
	}
	lead := r.Leads(spots)
	for i, s := range spots {
		length, strength := r.Share(near[i])
		if i != lead {
			strength *= r.Chorus
		}
		c := [3]float32{float32(strength), float32(strength), float32(strength)}
		if own != nil {
			c[0], c[1], c[2] = c[0]*own[i].R, c[1]*own[i].G, c[2]*own[i].B
		}
		one.points = append(one.points, rays.Point{X: s.At.X, Y: s.At.Y, Size: length, Colour: c})
	}
	for _, k := range r.Cuts {
		if k.Point < len(one.points) {
			q := &one.points[k.Point]
			q.Cuts = append(q.Cuts, rays.Cut{Ray: k.Ray, At: k.At})
		}
	}
	one.key = fmt.Sprintf("rays %s %v %v %t %g %v %d %g %s %v %s", ll.l.Shapes.Key(), one.star,
		blades, by, r.Distance, near, lead, r.Chorus, r.Colour, r.Cuts, p.q.PhotoKey)
	return one, nil
}

// nearness returns how near the points of a light are, against the nearest of them.
func (p *plan) nearness(ctx context.Context, ll *litLight, spots []shape.Spot) ([]float64, error) {
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
		return p.covering(ctx, r.Near, ll.l.Shapes.Key(), spots)
	case r.By == recipe.ByDepth:
		if p.q.Recipe.Room.On {
			set, err := p.set(ctx)
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
		light, err := graph.Get(ctx, p.cache, pointBrightness{p.photo(), p.shapes(ll.l)})
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
func (p *plan) covering(ctx context.Context, id area.Ref, shapes string,
	spots []shape.Spot) (spotLight, error) {
	q := *p.q
	q.View, q.LongEdge = image.Rectangle{}, min(nearEdge, q.Recipe.Photo.LongEdge())
	small, err := newPlanUpTo(ctx, p.cache, &q, "photo")
	if err != nil {
		return nil, err
	}
	a := q.Recipe.Area(id)
	return graph.Fetch(ctx, p.cache, graph.Text(fmt.Sprintf("near %s %s", a.Key(world{plan: small}), shapes)),
		func(ctx context.Context) (spotLight, error) {
			out := make(spotLight, len(spots))
			for i, s := range spots {
				x, y := int(s.At.X*small.scale), int(s.At.Y*small.scale)
				at := image.Rect(x, y, x+1, y+1).Intersect(small.frame)
				if at.Empty() {
					continue
				}
				m, err := a.Plane(ctx, world{plan: small}, at)
				if err != nil {
					return nil, err
				}
				out[i] = float64(m.Row(at.Min.Y)[0])
			}
			return out, nil
		})
}

type spotLight []float64

func (l spotLight) Bytes() int64 { return 8*int64(len(l)) + 24 }

// RayAt returns which ray of a light of q's recipe passes nearest to a place of the photo, as
// render/rays draws them: the number of its point, its own, and at which share of its whole length
// that is.
func (e *Engine) RayAt(ctx context.Context, q Request, light int, x, y,
	within float64) (point, ray int, at float64, err error) {
	p, err := newPlanUpTo(ctx, e.Cache, &q, "photo")
	if err != nil {
		return 0, 0, 0, err
	}
	ll, err := newLight(ctx, e.Cache, q.Recipe, &q.Recipe.Lights[light])
	if err != nil {
		return 0, 0, 0, err
	}
	one, err := p.rayed(ctx, ll)
	if err != nil {
		return 0, 0, 0, err
	}
	if one == nil || !ll.l.Rays.On || one.lens != nil {
		return 0, 0, 0, fault.New(fault.Invalid, "The light has no rays that end one by one. Switch its rays on, made by rays or blades.")
	}
	point, ray, at, ok := one.star.Nearest(one.points, x, y, within)
	if !ok {
		return 0, 0, 0, fault.New(fault.Invalid, "No ray of this light passes there. Click on one where it is to end.")
	}
	return point, ray, at, nil
}

// spotColours returns the colours of a light's points as the photo shows them; nil where they have
// the gel.
func (p *plan) spotColours(ctx context.Context, ll *litLight) (spotColours, error) {
	if ll.l.Rays.Colour != recipe.OwnColours {
		return nil, nil
	}
	return graph.Get(ctx, p.cache, pointColours{p.photo(), p.shapes(ll.l)})
}

type spotColours []colour.RGB

func (c spotColours) Bytes() int64 { return 12*int64(len(c)) + 24 }

func (st *raysStage) collect(ctx context.Context, p *plan, part image.Rectangle) (rower, error) {
	var out raysRows
	for i := range st.list {
		r := &st.list[i]
		m, err := forPart(ctx, p, part != p.frame, fmt.Sprintf("%s %g %v", r.key, p.scale, part),
			func(ctx context.Context) (*raster.RGB, error) {
				defer p.stats.add("rays", time.Now())
				m, err := r.star.Draw(ctx, r.points, p.scale, part)
				if err == nil && r.lens != nil {
					err = r.star.Lay(ctx, m, r.points, p.scale, r.lens.At)
				}
				return m, err
			})
		if err != nil {
			return nil, err
		}
		v, err := r.veil.over(ctx, p, part)
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
			raster.AddColours(light, row, k.weight)
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
