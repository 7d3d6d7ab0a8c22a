// Package tracer follows light through a scene of simple bodies by chance: the slow way, in which
// nothing is left out that would have to be thought of. It makes the truth that spill is measured
// against, and is no part of what the application does.
//
// A Scene is Parts, each a body with a matt surface. Radiance is asked for by rays: what a surface
// sends to the eye is
//
//	L = e + albedo/pi · ∫ L cos
//
// over the half space above it, by one sample of what shines for each hit and one ray for what
// bounces (Kajiya 1986, with the light sampled by area). A white matt surface at the irradiance pi
// has radiance 1.
package tracer

import (
	"math"
	"math/rand/v2"

	"pyrant/internal/base/camera"
)

// Body is a shape that rays can meet.
type Body interface {
	// Hit returns how far along the unit direction d the body is met first, beyond near and before
	// far, and its normal there, which may point either way.
	Hit(o, d camera.Vec, near, far float64) (t float64, n camera.Vec, ok bool)
	// Bound returns a ball that holds the body.
	Bound() Ball
}

// Shiner is a body that can be sampled by area, and so can shine.
type Shiner interface {
	Body
	Area() float64
	// At returns a place of the surface for two even numbers in [0, 1), and its outward normal.
	At(u, v float64) (p, n camera.Vec)
}

// Facing is a shiner that knows how to be sampled for a place: where it is near, and so gives most.
type Facing interface {
	Shiner
	// For returns a place of the surface for two even numbers as seen from a place, its outward
	// normal and the area that it stands for.
	For(from camera.Vec, u, v float64) (p, n camera.Vec, area float64)
}

// Part is a body with its surface.
type Part struct {
	Body
	Albedo func(p camera.Vec) float64 // in [0, 1]; nil is 0.5
	Name   string                     // what it belongs to
	Shines string                     // name of the light that it is, or none
}

// Scene is parts, and what of daylight comes from each direction where nothing is met.
type Scene struct {
	Parts []Part
	Sky   func(d camera.Vec) float64
	Sun   camera.Vec // unit direction to it; the zero value is none
	Disc  float64    // tangent of half of how wide it is seen
	Glare float64    // irradiance square to the sun's direction

	bounds []Ball // of the parts, with R squared
}

const (
	eps   = 1e-5
	never = 1e9
)

// Ready makes the scene ready to be asked, after its parts are there.
func (s *Scene) Ready() {
	s.bounds = make([]Ball, len(s.Parts))
	for i, p := range s.Parts {
		s.bounds[i] = p.Bound()
		s.bounds[i].R *= s.bounds[i].R
	}
}

// near tells whether a ray comes near to a bound.
func (b *Ball) near(o, d camera.Vec, far float64) bool {
	c := b.C.Sub(o)
	k, q := c.Dot(d), c.Dot(c)
	if q <= b.R { // inside
		return true
	}
	return k > 0 && q-k*k <= b.R && (k <= far || (k-far)*(k-far) <= b.R)
}

// First returns the part that a ray meets first, the place and the normal towards where it came
// from.
func (s *Scene) First(o, d camera.Vec) (part *Part, at, n camera.Vec) {
	far := never
	for i := range s.bounds {
		if !s.bounds[i].near(o, d, far) {
			continue
		}
		if t, m, ok := s.Parts[i].Hit(o, d, eps, far); ok {
			far, part, n = t, &s.Parts[i], m
		}
	}
	if part == nil {
		return nil, at, n
	}
	if n.Dot(d) > 0 {
		n = n.Mul(-1)
	}
	return part, o.Add(d.Mul(far)), n
}

// open tells whether nothing lies between two places.
func (s *Scene) open(from, to camera.Vec) bool {
	d := to.Sub(from)
	l := d.Len()
	d = d.Mul(1 / l)
	for i := range s.bounds {
		if !s.bounds[i].near(from, d, l) {
			continue
		}
		if _, _, ok := s.Parts[i].Hit(from, d, eps, l-eps); ok {
			return false
		}
	}
	return true
}

func (p *Part) albedo(at camera.Vec) float64 {
	if p.Albedo == nil {
		return 0.5
	}
	return p.Albedo(at)
}

// A Source is what shines: one group of parts, at radiance 1, or daylight, whose name is "".
type Source struct {
	s      *Scene
	shines []Shiner
	area   float64
	echoes []echo
	apart  float64
}

// echo is where light of the source has met a surface.
type echo struct {
	at, n  camera.Vec
	albedo float64
}

// Source returns the light of a name, or daylight. What of a light bounces comes from so many
// echoes of it where they lie farther away than apart, and else from rays as for daylight: rays
// from a place hardly ever meet the bright spot beside a lamp, but where they do an echo would be
// too bright (the two together are Kajiya's integral, in two parts of it).
func (s *Scene) Source(name string, echoes int, apart float64, r *rand.Rand) *Source {
	src := &Source{s: s, apart: apart}
	for _, p := range s.Parts {
		if name != "" && p.Shines == name {
			src.shines = append(src.shines, p.Body.(Shiner))
			src.area += p.Body.(Shiner).Area()
		}
	}
	if len(src.shines) == 0 {
		return src
	}
	src.echoes = make([]echo, echoes)
	for i := range src.echoes {
		p, n := src.sample((float64(i)+r.Float64())/float64(echoes), r)
		o := p.Add(n.Mul(eps))
		if part, at, m := s.First(o, cosine(n, r)); part != nil {
			src.echoes[i] = echo{at.Add(m.Mul(eps)), m, part.albedo(at)}
		}
	}
	return src
}

// sample returns a place that shines, which of all of its area.
func (s *Source) sample(which float64, r *rand.Rand) (p, n camera.Vec) {
	left := which * s.area
	for i, b := range s.shines {
		a := b.Area()
		if left < a || i == len(s.shines)-1 {
			return b.At(math.Min(left/a, 1), r.Float64())
		}
		left -= a
	}
	return
}

// echoed returns a sample of what falls on a place after one bounce from afar, by pi.
func (s *Source) echoed(at, n camera.Vec, r *rand.Rand) float64 {
	if len(s.echoes) == 0 {
		return 0
	}
	e := &s.echoes[r.IntN(len(s.echoes))]
	d := e.at.Sub(at)
	q := d.Dot(d)
	if e.albedo == 0 || q < s.apart*s.apart {
		return 0
	}
	d = d.Mul(1 / math.Sqrt(q))
	c, f := n.Dot(d), -e.n.Dot(d)
	if c <= 0 || f <= 0 || !s.s.open(at, e.at) {
		return 0
	}
	return s.area * e.albedo * c * f / (math.Pi * q)
}

// irradiance returns a sample of what falls on a place straight from the source, by pi; which is
// the part of the source.
func (s *Source) irradiance(at, n camera.Vec, which float64, r *rand.Rand) float64 {
	if len(s.shines) == 0 {
		if s.s.Glare == 0 {
			return 0
		}
		d := around(s.s.Sun, r, s.s.Disc)
		c := n.Dot(d)
		if c <= 0 || !s.s.open(at, at.Add(d.Mul(1e4))) {
			return 0
		}
		return s.s.Glare * c / math.Pi
	}
	p, m, area := s.toward(at, which, r)
	d := p.Sub(at)
	q := d.Dot(d)
	d = d.Mul(1 / math.Sqrt(q))
	c, e := n.Dot(d), -m.Dot(d)
	if c <= 0 || e <= 0 || !s.s.open(at, p) {
		return 0
	}
	return area * c * e / (math.Pi * q)
}

// toward returns a place that shines, its normal and the area that it stands for: more often of
// what is near.
func (s *Source) toward(at camera.Vec, which float64,
	r *rand.Rand) (p, n camera.Vec, area float64) {
	weight := func(b Shiner) float64 {
		bound := b.Bound()
		d := at.Sub(bound.C)
		return b.Area() / math.Max(d.Dot(d), 0.25*bound.R*bound.R)
	}
	all := 0.0
	for _, b := range s.shines {
		all += weight(b)
	}
	left := which * all
	for i, b := range s.shines {
		w := weight(b)
		if left >= w && i < len(s.shines)-1 {
			left -= w
			continue
		}
		u := math.Min(left/w, 1)
		if f, ok := b.(Facing); ok {
			p, n, area = f.For(at, u, r.Float64())
		} else {
			p, n = b.At(u, r.Float64())
			area = b.Area()
		}
		return p, n, area * all / w
	}
	return
}

// Radiance returns a sample of what comes to o from the direction d: what a light gives straight
// and after one bounce, or what daylight does after so many. What shines itself is not seen, but
// for daylight's sky. Where the ray meets something, several more go on from there.
func (s *Source) Radiance(o, d camera.Vec, bounces int, r *rand.Rand) float64 {
	part, at, n := s.s.First(o, d)
	if part == nil {
		return s.sky(d)
	}
	o = at.Add(n.Mul(eps))
	sum := 0.0
	for i := range split {
		sum += s.irradiance(o, n, (float64(i)+r.Float64())/split, r)
		if len(s.shines) > 0 {
			sum += (s.echoed(o, n, r)+s.echoed(o, n, r))/2 + s.close(o, n, r)
		} else {
			sum += s.daylight(o, n, bounces, r)
		}
	}
	return part.albedo(at) * sum / split
}

// split is how many samples are taken where a ray from the camera ends.
const split = 4

// close returns a sample of what falls on a place after one bounce from nearby, by pi.
func (s *Source) close(o, n camera.Vec, r *rand.Rand) float64 {
	part, at, n := s.s.First(o, cosine(n, r))
	if part == nil || at.Sub(o).Len() >= s.apart {
		return 0
	}
	return part.albedo(at) * s.irradiance(at.Add(n.Mul(eps)), n, r.Float64(), r)
}

// daylight returns a sample of what falls on a place from the sky and after bounces, by pi.
func (s *Source) daylight(o, n camera.Vec, bounces int, r *rand.Rand) float64 {
	sum, weight := 0.0, 1.0
	for ; ; bounces-- {
		d := cosine(n, r)
		part, at, m := s.s.First(o, d)
		if part == nil {
			return sum + weight*s.sky(d)
		}
		if bounces == 0 {
			return sum
		}
		n, o = m, at.Add(m.Mul(eps))
		weight *= part.albedo(at)
		sum += weight * s.irradiance(o, n, r.Float64(), r)
	}
}

// sky returns what comes from a direction where nothing is met.
func (s *Source) sky(d camera.Vec) float64 {
	if len(s.shines) > 0 || s.s.Sky == nil {
		return 0
	}
	return s.s.Sky(d)
}

// cosine returns a direction about n, by the cosine of the angle to it.
func cosine(n camera.Vec, r *rand.Rand) camera.Vec {
	u, v := Basis(n)
	q, a := r.Float64(), 2*math.Pi*r.Float64()
	s, c := math.Sincos(a)
	h := math.Sqrt(q)
	return u.Mul(h * c).Add(v.Mul(h * s)).Add(n.Mul(math.Sqrt(1 - q)))
}

// around returns a direction within a cone.
func around(d camera.Vec, r *rand.Rand, tan float64) camera.Vec {
	u, v := Basis(d)
	s, c := math.Sincos(2 * math.Pi * r.Float64())
	h := tan * math.Sqrt(r.Float64())
	return d.Add(u.Mul(h * c)).Add(v.Mul(h * s)).Unit()
}

// Basis returns two unit vectors that are square to a third and to each other.
func Basis(n camera.Vec) (u, v camera.Vec) {
	a := camera.Vec{X: 1}
	if math.Abs(n.X) > 0.7 {
		a = camera.Vec{Y: 1}
	}
	u = a.Cross(n).Unit()
	return u, n.Cross(u)
}
