// Package lightmap computes the light that falls on what stands in a room.
//
// A Scene is the surfaces of the room and what stands in the way: prisms for platforms, bodies for
// figures and things. A Light is a few pieces, each with places that shine for an area. At a place
// with the normal n
//
//	E = Σ A·e·cos / (pi·d² + A) · V
//
// over those places: A the area, e how much it shines to there, d the distance, cos the angle to n
// and V what of it is not hidden. That is what a disc gives to a place before its middle, at any
// distance; for a ball pi·d² alone is exact. A white matt surface at E = 1 shows white.
//
// What hides is asked in two steps. One way from the place to a piece's middle, as thick as the
// cone between them, tells in most cases that nothing is hidden, or all. Only where the cone meets
// an edge the places are asked one by one, each with a cone of its own, so that shadows are soft
// without noise. All ways from a place are asked of a blocker at once; see query.
package lightmap

import (
	"math"
	"slices"

	"pyrant/internal/base/camera"
	"pyrant/internal/light/room/silhouette"
)

// Scene is what light falls on and what it is hidden by.
type Scene struct {
	Prisms []*camera.Prism
	Bodies []*silhouette.Body
	Rods   []Rod // what lights are made of
}

// Rod is a round bar, or a ball where both ends are one: a light's body, which shades the others.
type Rod struct {
	A, B   camera.Vec
	Radius float64
	Of     any // whose light it does not shade
}

// worst returns how deep within the rod a way from x comes; see silhouette.Ways.
func (r *Rod) worst(x, d camera.Vec, near, far, end float64) float64 {
	// The nearest places of the two lines (after Ericson, Real-Time Collision Detection, 5.1.9).
	u := r.B.Sub(r.A)
	w := x.Sub(r.A)
	a, b, c, e, f := d.Dot(d), d.Dot(u), d.Dot(w), u.Dot(u), u.Dot(w)
	clamp := func(v, top float64) float64 {
		if v < 0 {
			return 0
		}
		if v > top {
			return top
		}
		return v
	}
	var t, s float64
	if e < 1e-12 {
		t = clamp(-c/a, end)
	} else {
		if det := a*e - b*b; det > 1e-12 {
			t = clamp((b*f-c*e)/det, end)
		}
		s = (b*t + f) / e
		if s < 0 || s > 1 {
			s = clamp(s, 1)
			t = clamp((b*s-c)/a, end)
		}
	}
	gap := x.Add(d.Mul(t)).Sub(r.A.Add(u.Mul(s))).Len()
	return (r.Radius - gap) / (near + (far-near)*t)
}

// lift is how far a place is taken from its surface before it is asked what hides it.
const lift = 1e-3

// blocker is what may hide a piece from a place.
type blocker struct {
	prism *camera.Prism
	body  *silhouette.Body
	rod   *Rod
	self  bool // the place asked for lies on the body
	mid   camera.Vec
	round float64 // of a ball that holds it
	name  uint64  // of where it stands and what it is like
}

// ask finds how deep within the blocker each of the ways comes, with cones wider by soft. With
// outside those that begin within a body count from where they leave it.
func (b *blocker) ask(ways *silhouette.Ways, soft float64, outside bool) {
	switch {
	case b.self:
		// what is near belongs to the same part of the body
		b.body.Worst(ways, silhouette.Way{Skip: selfNear * b.body.Tall(), Soft: soft})
	case b.body != nil:
		b.body.Worst(ways, silhouette.Way{Soft: soft, Outside: outside})
	case b.rod != nil:
		ways.Near(b.mid, b.round, soft, b.rod.worst)
	default:
		ways.Near(b.mid, b.round, soft, func(x, d camera.Vec, near, far, _ float64) float64 {
			deep, t := b.prism.Deep(x, d, max(near, far))
			return deep / (near + (far-near)*t)
		})
	}
}

// selfNear is how far from a place its own body does not shade it, of the body's largest thickness.
const selfNear = 0.5

// wholes lists what may hide something from a place on a body, without the parts of bodies that lie
// before them: of light that comes from all sides those keep away little.
func (s *Scene) wholes(self *silhouette.Body) []*blocker {
	return slices.DeleteFunc(s.blockers(self),
		func(b *blocker) bool { return b.body != nil && b.body.Of != nil })
}

// blockers lists what may hide something in the scene from a place on a body.
func (s *Scene) blockers(self *silhouette.Body) []*blocker {
	var out []*blocker
	for _, p := range s.Prisms {
		out = append(out, (&blocker{prism: p, mid: p.Mid, round: p.Round}).named())
	}
	for _, b := range s.Bodies {
		if self != nil && (b == self && b.Flat || b.Of == self) {
			continue // too low to shade itself
		}
		out = append(out, (&blocker{body: b, self: b == self, mid: b.Mid, round: b.Round}).named())
	}
	for i := range s.Rods {
		r := &s.Rods[i]
		out = append(out, (&blocker{rod: r, mid: r.A.Add(r.B).Mul(0.5),
			round: r.B.Sub(r.A).Len()/2 + r.Radius}).named())
	}
	return out
}

// softest is how soft the edge of a body is, of its largest thickness.
const softest = 0.05

// through returns what of a cone is not hidden, by how deep it comes within a blocker; see
// silhouette.Ways.
func through(worst float64) float64 {
	if worst <= -1 {
		return 1
	}
	u := (1 - worst) / 2
	return u * u * (3 - 2*u)
}

// soft returns how soft a blocker's edge is.
func (b *blocker) soft() float64 {
	if b.body != nil {
		return softest * b.body.Tall()
	}
	return lift
}

// beams is a light as what gives values to places of a body, or of something flat.
type beams struct {
	s       *Scene
	l       *Light
	all     hidden
	shadows float64 // how much of what is hidden is kept away
}

func (f *beams) near(mids []Place, radius []float64) []hidden {
	q := newQuery(f.l, mids...)
	defer q.free()
	q.light(mids, radius)
	q.classify(radius, f.all)
	out := make([]hidden, len(mids))
	for n := range out {
		out[n] = hidden{}
	}
	for _, e := range q.edges {
		h, k := &out[int(e.at)/len(f.l.pieces)], e.at%int32(len(f.l.pieces))
		if i := len(*h) - 1; i >= 0 && (*h)[i].by == e.by {
			(*h)[i].pieces = append((*h)[i].pieces, k)
		} else {
			*h = append(*h, hider{e.by, []int32{k}})
		}
	}
	return out
}

func (f *beams) values(pls []Place, h hidden, out []value) {
	if h == nil {
		h = f.all
	}
	mix := func(l lit) float32 { return float32(l.bare + (l.e-l.bare)*f.shadows) }
	if pls[0].Body == nil {
		f.s.at(f.l, pls, h, func(n int, l lit) { out[n] = value{mix(l)} })
		return
	}
	f.s.beam(f.l, pls, h, func(n int, e, b Beam) {
		out[n] = value{mix(lit{e.V.X, b.V.X}), mix(lit{e.V.Y, b.V.Y}), mix(lit{e.V.Z, b.V.Z}),
			mix(lit{e.S, b.S})}
	})
}

// Place is a place that light falls on.
type Place struct {
	At   camera.Vec
	N    camera.Vec
	Body *silhouette.Body // that it lies on, if any
	Wet  *Gloss           // how it mirrors, if it does
}

// Gloss is how a wet or polished surface mirrors light, beside what it sends back by its colour: as
// many small facets whose slopes are spread by Rough (Beckmann's distribution), with Schlick's
// approximation of Fresnel's reflection for water. Amount is how much of it there is.
type Gloss struct {
	Amount, Rough float64
}

// dielectric is what water and varnish mirror of light that falls straight on, and usualAlbedo what
// a surface is taken to send back by its colour, against which its gloss is weighed.
const (
	dielectric  = 0.03
	usualAlbedo = 0.3
)

// mirrors returns what a sample gives to the eye by gloss, where nothing hides it, as the
// irradiance that a surface of usual albedo would need to look as bright. The eye is at the camera,
// in the origin.
func (g *Gloss) mirrors(p *piece, q *sample, x, n camera.Vec) float64 {
	d := q.at.Sub(x)
	d2 := d.Dot(d)
	to := d.Mul(1 / math.Sqrt(d2+1e-12))
	eye := x.Mul(-1).Unit()
	cv, cl := n.Dot(eye), n.Dot(to)
	if cv <= 1e-3 || cl <= 0 {
		return 0
	}
	h := eye.Add(to).Unit()
	ch := h.Dot(n)
	if ch <= 1e-3 {
		return 0
	}
	// What a sample stands for is seen at an angle: that softens its image as roughness does.
	size := q.size / math.Sqrt(d2+q.size*q.size) / 2
	m2 := g.Rough*g.Rough + size*size
	tan2 := (1 - ch*ch) / (ch * ch)
	facets := math.Exp(-tan2/m2) / (math.Pi * m2 * ch * ch * ch * ch)
	fresnel := dielectric + (1-dielectric)*math.Pow(1-math.Max(h.Dot(eye), 0), 5)
	// Facets hide each other at grazing angles.
	shade := math.Min(1, math.Min(2*ch*cv, 2*ch*cl)/math.Max(h.Dot(eye), 1e-3))
	radiance := math.Pi * q.area * p.emission(to.Mul(-1)) / p.wide(q,
		d2) * facets * fresnel * shade / (4 * cv)
	return g.Amount * radiance / usualAlbedo
}

// lit is what comes to a place, with what hides and without.
type lit struct{ e, bare float64 }

// At returns the irradiance, by pi, of a place with a normal, with what hides and without.
func (s *Scene) At(l *Light, pl Place) (e, bare float64) {
	s.at(l, []Place{pl}, l.all(s.blockers(pl.Body)),
		func(_ int, to lit) { e, bare = to.e, to.bare })
	return
}

// at gives the irradiance of each of some places of one surface.
func (s *Scene) at(l *Light, pls []Place, h hidden, each func(n int, to lit)) {
	if l.On != nil && pls[0].Body == l.On {
		for n := range pls {
			each(n, lit{})
		}
		return
	}
	q := newQuery(l, pls...)
	defer q.free()
	q.light(pls, nil)
	q.classify(nil, h)
	for n, x := range q.x {
		state, gives, gloss, _ := q.place(n)
		for i := range l.pieces {
			p := &l.pieces[i]
			if state[i] == unlit {
				continue
			}
			// Of a tube that is seen, or not at all, the whole is known.
			if p.thick == 0 || state[i] == partly {
				for k := range p.samples {
					gives[p.first+k] = p.from(&p.samples[k], x, pls[n].N)
				}
			}
			if wet := pls[n].Wet; wet != nil {
				for k := range p.samples {
					gloss[p.first+k] = wet.mirrors(p, &p.samples[k], x, pls[n].N)
				}
			}
		}
	}
	q.look()
	for n := range q.x {
		each(n, q.sum(n, pls[n].N))
	}
}

// sum adds up what comes to place n, whose normal is given.
func (q *query) sum(n int, normal camera.Vec) (to lit) {
	states, all, allGloss, allSeen := q.place(n)
	for i := range q.l.pieces {
		p, state := &q.l.pieces[i], states[i]
		if state == unlit {
			continue
		}
		gives, gloss, seen := all[p.first:p.first+len(p.samples)], allGloss[p.first:],
			allSeen[p.first:]
		if p.thick > 0 {
			full, part := p.tube(q.x[n], normal), 1.0
			if state == partly && full > 0 {
				var sum, whole float64
				for k, g := range gives {
					whole += g
					sum += g * seen[k]
				}
				if part = 0; whole > 0 {
					part = sum / whole
				}
			}
			to.bare += full
			if state != shut {
				to.e += full * part
			}
			clear(gives)
		}
		for k, g := range gives {
			g += gloss[k]
			to.bare += g
			switch state {
			case open:
				to.e += g
			case partly:
				to.e += g * seen[k]
			}
		}
	}
	return to
}

// wide returns by what a sample's area is to be divided for what it gives so far away, by the
// square of the distance: as a disc does, or a ball.
func (p *piece) wide(q *sample, d2 float64) float64 {
	if p.law == evenly {
		return math.Max(math.Pi*d2, q.area)
	}
	return math.Pi*d2 + q.area
}

// from returns what a sample gives to a place where nothing hides it.
func (p *piece) from(q *sample, x, n camera.Vec) float64 {
	d := q.at.Sub(x)
	d2 := d.Dot(d)
	to := d.Mul(1 / math.Sqrt(d2+1e-12))
	c := n.Dot(to)
	if c <= 0 {
		return 0
	}
	return q.area * p.emission(to.Mul(-1)) * c / p.wide(q, d2)
}

// Beam is light that comes to a place from about one direction: what it gives depends on how a
// surface is turned.
type Beam struct {
	V camera.Vec // sum of what comes, each by its direction
	S float64    // sum without direction
}

// beam gives what comes to each of some places of a body, however they are turned, with what hides
// and without.
func (s *Scene) beam(l *Light, pls []Place, h hidden, each func(n int, e, bare Beam)) {
	if l.On != nil && pls[0].Body == l.On {
		for n := range pls {
			each(n, Beam{}, Beam{})
		}
		return
	}
	q := newQuery(l, pls...)
	defer q.free()
	for i := range q.state {
		q.state[i] = open
	}
	q.classify(nil, h)
	for i := range q.gives {
		q.gives[i] = 1 // whether they do is not worth asking before
	}
	q.look()
	for n, x := range q.x {
		var e, bare Beam
		state, _, _, seen := q.place(n)
		for i := range l.pieces {
			p := &l.pieces[i]
			for k := range p.samples {
				at := &p.samples[k]
				d := at.at.Sub(x)
				d2 := d.Dot(d)
				to := d.Mul(1 / math.Sqrt(d2+1e-12))
				g := at.area * p.emission(to.Mul(-1)) / p.wide(at, d2)
				bare.V, bare.S = bare.V.Add(to.Mul(g)), bare.S+g
				switch state[i] {
				case shut:
					continue
				case partly:
					g *= seen[p.first+k]
				}
				e.V, e.S = e.V.Add(to.Mul(g)), e.S+g
			}
		}
		each(n, e, bare)
	}
}
