package render

import (
	"context"
	"fmt"
	"image"
	"time"

	"pyrant/internal/aperture"
	"pyrant/internal/cache"
	"pyrant/internal/colour"
	"pyrant/internal/points"
	"pyrant/internal/raster"
	"pyrant/internal/rays"
	"pyrant/internal/recipe"
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
		spots := ll.l.Shapes.Spots()
		if len(spots) == 0 {
			continue
		}
		largest := 0.0
		for _, s := range spots {
			largest = max(largest, s.Radius)
		}
		own, err := p.spotColours(ctx, ll)
		if err != nil {
			return false, err
		}
		one := rayed{star: r.Star(), weight: [3]float32{k, k, k}, veil: p.veilOf(ll.l).trimmed(p, ll.l.Trim).trimmed(p, r.Trim)}
		blades, by := r.Blades()
		if by {
			if one.lens, err = cache.Get(ctx, p.cache, fmt.Sprintf("aperture %v", blades), func(ctx context.Context) (*aperture.Sprite, error) {
				defer p.stats.add("aperture", time.Now())
				return blades.New(ctx)
			}); err != nil {
				return false, err
			}
		}
		if own == nil {
			c := ll.l.Gel.Colour()
			one.weight = [3]float32{k * c.R, k * c.G, k * c.B}
		}
		lead := r.Leads(spots)
		for i, s := range spots {
			length, strength := r.Share(s.Radius / largest)
			if i != lead {
				strength *= r.Chorus
			}
			c := [3]float32{float32(strength), float32(strength), float32(strength)}
			if own != nil {
				c[0], c[1], c[2] = c[0]*own[i].R, c[1]*own[i].G, c[2]*own[i].B
			}
			one.points = append(one.points, rays.Point{X: s.At.X, Y: s.At.Y, Size: length, Colour: c})
		}
		one.key = fmt.Sprintf("rays %s %v %v %t %g %d %g %s %s", ll.l.Shapes.Key(), one.star, blades, by, r.Distance, lead, r.Chorus, r.Colour, p.q.PhotoKey)
		st.list = append(st.list, one)
	}
	return len(st.list) > 0, nil
}

// spotColours returns the colours of a light's points as the photo shows them; nil where they have the gel.
func (p *plan) spotColours(ctx context.Context, ll *litLight) (spotColours, error) {
	if ll.l.Rays.Colour != recipe.OwnColours {
		return nil, nil
	}
	return cache.Get(ctx, p.cache, fmt.Sprintf("spots %s %s", p.q.PhotoKey, ll.l.Shapes.Key()), func(ctx context.Context) (spotColours, error) {
		spots := ll.l.Shapes.Spots()
		out := make(spotColours, len(spots))
		return out, raster.Each(ctx, len(spots), func(i int) {
			out[i] = points.Colour(p.q.Photo, spots[i].At.X, spots[i].At.Y, spots[i].Radius)
		})
	})
}

type spotColours []colour.RGB

func (c spotColours) Bytes() int64 { return 12*int64(len(c)) + 24 }

func (st *raysStage) collect(ctx context.Context, p *plan, part image.Rectangle) (rower, error) {
	var out raysRows
	for i := range st.list {
		r := &st.list[i]
		m, err := forPart(ctx, p, part != p.frame, fmt.Sprintf("%s %g %v", r.key, p.scale, part), func(ctx context.Context) (*raster.RGB, error) {
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
