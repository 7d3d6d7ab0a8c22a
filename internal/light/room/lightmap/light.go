package lightmap

import (
	"math"

	"pyrant/internal/base/camera"
	"pyrant/internal/light/room/silhouette"
)

// Light is what a light's shapes are to the room: pieces that each shine by a law of their own.
type Light struct {
	pieces  []piece
	samples int // of all pieces
	// On is the body that the shapes lie on, if any: it shades what lies behind it, and gets none
	// of their light itself.
	On *silhouette.Body
	// Of says whose light it is: its own body does not shade it.
	Of any
}

// Rods returns the body of a light, as far as it is round.
func (l *Light) Rods() (out []Rod) {
	for i := range l.pieces {
		p := &l.pieces[i]
		switch {
		case p.thick > 0:
			out = append(out, Rod{p.a, p.b, p.thick, l.Of})
		case p.law == evenly:
			out = append(out, Rod{p.mid, p.mid, p.radius, l.Of})
		}
	}
	return
}

// law is how much a piece shines to the sides.
type law int

const (
	evenly law = iota // as a ball
	front             // as a flat thing, from its front
	both              // as a flat thing, to both sides
	round             // as an upright or other axis: by the sine of the angle to it
)

// piece is a part of a light that is small beside what it may be hidden by.
type piece struct {
	law     law
	axis    camera.Vec // normal of what is flat, axis of what is round
	mid     camera.Vec
	radius  float64    // of a ball round the middle that holds all of it
	a, b    camera.Vec // ends of a part of a tube; a == b for others
	thick   float64    // of a tube, half
	samples []sample
	first   int // of its samples among those of the light
}

// sample is a place that shines for an area.
type sample struct {
	at   camera.Vec
	area float64 // seen from where it is brightest
	size float64 // how far what it stands for goes to all sides
}

// add adds a piece with the ball round its samples.
func (l *Light) add(p piece) {
	if len(p.samples) == 0 {
		return
	}
	p.first = l.samples
	l.samples += len(p.samples)
	p.mid, p.radius = camera.Vec{}, 0
	for i := range p.samples {
		p.mid = p.mid.Add(p.samples[i].at.Mul(1 / float64(len(p.samples))))
	}
	for i := range p.samples {
		p.radius = math.Max(p.radius, p.samples[i].at.Sub(p.mid).Len()+p.samples[i].size)
	}
	l.pieces = append(l.pieces, p)
}

// emission returns how much a piece shines in a direction, of where it shines most.
func (p *piece) emission(to camera.Vec) float64 {
	switch p.law {
	case front:
		return math.Max(p.axis.Dot(to), 0)
	case both:
		return math.Abs(p.axis.Dot(to))
	case round:
		c := p.axis.Dot(to)
		return math.Sqrt(math.Max(1-c*c, 0))
	}
	return 1
}

// Bulb adds a ball that shines evenly.
func (l *Light) Bulb(at camera.Vec, radius float64) {
	p := piece{law: evenly}
	// Seen from anywhere it is a disc, of which the soft edge of one sample tells enough.
	p.samples = []sample{{at, math.Pi * radius * radius, radius}}
	l.add(p)
}

// tubeSamples is into how many places a part of a tube is taken apart for its shadows.
const tubeSamples = 2

// Tube adds a part of a tube between two places, taken apart so that none is longer than longest.
func (l *Light) Tube(a, b camera.Vec, half, longest float64) {
	d := b.Sub(a)
	length := d.Len()
	if length < 1e-9 {
		return
	}
	n := int(math.Ceil(length / longest))
	for i := range n {
		p := piece{law: round, axis: d.Unit(), thick: half,
			a: a.Add(d.Mul(float64(i) / float64(n))), b: a.Add(d.Mul(float64(i+1) / float64(n)))}
		part := length / float64(n) / tubeSamples
		for k := range tubeSamples {
			t := (float64(k) + 0.5) / tubeSamples
			p.samples = append(p.samples, sample{p.a.Mul(1 - t).Add(p.b.Mul(t)), 2 * half * part,
				math.Max(part/2, half)})
		}
		l.add(p)
	}
}

// Flat is a place of something flat, or of a round body, with the area that it stands for.
type Flat struct {
	At   camera.Vec
	Area float64
}

// Panel adds something flat that shines to its front, or to both sides.
func (l *Light) Panel(places []Flat, n camera.Vec, twoSided bool) {
	w := front
	if twoSided {
		w = both
	}
	l.flat(places, w, n)
}

// Round adds a round body that shines by the sine of the angle to its axis.
func (l *Light) Round(places []Flat, axis camera.Vec) { l.flat(places, round, axis) }

func (l *Light) flat(places []Flat, w law, axis camera.Vec) {
	p := piece{law: w, axis: axis}
	for _, f := range places {
		p.samples = append(p.samples, sample{f.At, f.Area, math.Sqrt(f.Area) / 2})
	}
	l.add(p)
}

// Empty tells whether nothing shines.
func (l *Light) Empty() bool { return len(l.pieces) == 0 }

// Bytes returns the memory that the light takes.
func (l *Light) Bytes() int64 {
	n := int64(64)
	for i := range l.pieces {
		n += 200 + 40*int64(len(l.pieces[i].samples))
	}
	return n
}

// tube returns the irradiance, by pi, that a part of a tube gives to a place with the normal n
// where nothing hides it, in closed form: with l along the axis from the foot of the perpendicular,
// d its distance, q = d² + l², p = n·(foot - x) and s = n·axis,
//
//	E = (2r/pi)·[ p·( l/(2dq) + atan(l/d)/(2d²) ) - s·d/(2q) ]
//
// between the ends, cut at the horizon of the place.
func (p *piece) tube(x, n camera.Vec) float64 {
	a := p.a.Sub(x)
	l0 := a.Dot(p.axis)
	foot := a.Sub(p.axis.Mul(l0))
	l1 := l0 + p.b.Sub(p.a).Dot(p.axis)
	d := math.Max(foot.Len(), p.thick)
	h, s := n.Dot(foot), n.Dot(p.axis)
	// Along l the height over the horizon is h + s·l.
	switch {
	case math.Abs(s) < 1e-9:
		if h <= 0 {
			return 0
		}
	case s > 0:
		l0 = math.Max(l0, -h/s)
	default:
		l1 = math.Min(l1, -h/s)
	}
	if l0 >= l1 {
		return 0
	}
	in := func(l float64) float64 {
		q := d*d + l*l
		return h*(l/(2*d*q)+math.Atan(l/d)/(2*d*d)) - s*d/(2*q)
	}
	return math.Max(2*p.thick/math.Pi*(in(l1)-in(l0)), 0)
}
