// Package solid makes solids of cut-outs: what stands in a photo as flat as a card gets the depth that
// its outline tells of.
//
// The thickness is that of the union of all balls that fit into the outline: with D(c) the distance of
// a place c from the outline,
//
//	h²(x) = max over c of D²(c) - |x-c|²
//
// so that a limb is round, and a trunk thicker than an arm, without steps where they meet. A place
// lies in the body where it is within h of the card it stands on, looked up where the camera sees it.
package solid

import (
	"image"
	"math"
	"slices"
	"sync/atomic"

	"pyrant/internal/room"
)

// Shape is a cut-out on a grid, with what its outline tells of each cell.
type Shape struct {
	ID   uint64          // no other that was made has it
	Rect image.Rectangle // cells, of the photo's grid
	Cell float64         // edge of a cell in pixels of the photo
	Tall float64         // the largest thickness, in cells
	used image.Rectangle // cells that it covers
	pix  []cell
	rise []rise
}

// rise is the square of the thickness at a cell, as if nothing crossed the shape, and half of how it grows to the
// right and down.
type rise struct{ h2, dx, dy float32 }

// cell is what is known of a place.
type cell struct {
	h2   float32 // square of the thickness, below 0 outside: of the ball that comes nearest
	ball float32 // radius of that ball
	out  float32 // distance from the outline for a place outside
}

// Bytes returns the memory that the shape takes.
func (s *Shape) Bytes() int64 { return int64(len(s.pix)) * 24 }

// Empty tells whether nothing is covered.
func (s *Shape) Empty() bool { return s.used.Empty() }

// Used returns the rectangle of cells that holds all that is covered.
func (s *Shape) Used() image.Rectangle { return s.used }

// made counts the shapes that were made.
var made atomic.Uint64

// New makes a shape of the cells that a thing covers by more than half, over all cells of rect; what
// lies beyond rect is unknown, and no outline. Cells that are away, where something else crosses it, are no
// outline either, but the shape has nothing there.
func New(covered, away []bool, rect image.Rectangle, size float64) *Shape {
	w, h := rect.Dx(), rect.Dy()
	thing := covered
	if away != nil {
		covered, thing = slices.Clone(covered), slices.Clone(covered)
		for i, a := range away {
			if a {
				covered[i], thing[i] = true, false
			}
		}
	}
	s := &Shape{ID: made.Add(1), Rect: rect, Cell: size, pix: make([]cell, w*h)}
	in, out := make([]float64, w*h), make([]float64, w*h)
	for i, c := range covered {
		if c {
			in[i] = far
		}
		if !thing[i] {
			out[i] = far
		}
	}
	depth, _ := spread(in, w, h) // of a covered cell, from the nearest that is not
	beside, _ := spread(out, w, h)
	balls := make([]float64, w*h)
	for i, d := range depth {
		// The outline runs half a cell before the first cell that is not covered.
		d = math.Max(math.Sqrt(math.Min(d, far))-0.5, 0)
		if !covered[i] || d > 1e9 {
			balls[i] = far
		} else {
			balls[i] = -d * d
		}
	}
	full := make([]float32, w*h) // the square of the thickness as if nothing crossed it
	least, from := spread(balls, w, h)
	for i, v := range least {
		c := &s.pix[i]
		if v >= far {
			c.h2, full[i], c.out = -far, -far, far
			continue
		}
		full[i] = float32(-v)
		if thing[i] {
			x, y := rect.Min.X+i%w, rect.Min.Y+i/w
			s.used = s.used.Union(image.Rect(x, y, x+1, y+1))
		}
		c.h2, c.ball = float32(-v), float32(math.Sqrt(-balls[from[i]]))
		if b := beside[i]; b > 0 {
			c.out = float32(math.Sqrt(b)) - 0.5
			if away != nil && away[i] && c.h2 > 0 {
				c.h2 = -c.out * c.out // balls of the thing beside it do not reach in
			}
		}
		s.Tall = math.Max(s.Tall, math.Sqrt(math.Max(-v, 0)))
	}
	s.rise = make([]rise, w*h)
	for y := range h {
		for x := range w {
			at := func(x, y int) float32 { return full[min(max(y, 0), h-1)*w+min(max(x, 0), w-1)] }
			s.rise[y*w+x] = rise{at(x, y), (at(x+1, y) - at(x-1, y)) / 4, (at(x, y+1) - at(x, y-1)) / 4}
		}
	}
	return s
}

// at returns what is known of a place, in cells from the corner of the grid, between the middles of
// cells linearly. Beyond the grid it is that of its rim, farther by the way to it.
func (s *Shape) at(x, y float64) (h2, ball, out float64) {
	x, y = x-float64(s.Rect.Min.X)-0.5, y-float64(s.Rect.Min.Y)-0.5
	w, h := s.Rect.Dx(), s.Rect.Dy()
	var dx, dy float64
	if x < 0 {
		x, dx = 0, x
	} else if top := float64(w - 1); x > top {
		x, dx = top, x-top
	}
	if y < 0 {
		y, dy = 0, y
	} else if top := float64(h - 1); y > top {
		y, dy = top, y-top
	}
	i, j := int(x), int(y)
	if i > w-2 {
		i = max(w-2, 0)
	}
	if j > h-2 {
		j = max(h-2, 0)
	}
	fx, fy := float32(x-float64(i)), float32(y-float64(j))
	n := j*w + i
	m, o := n+min(1, w-1), min(1, h-1)*w
	p, q, r, t := &s.pix[n], &s.pix[m], &s.pix[n+o], &s.pix[m+o]
	a, b := p.h2+(q.h2-p.h2)*fx, r.h2+(t.h2-r.h2)*fx
	h2 = float64(a + (b-a)*fy)
	a, b = p.ball+(q.ball-p.ball)*fx, r.ball+(t.ball-r.ball)*fx
	ball = float64(a + (b-a)*fy)
	a, b = p.out+(q.out-p.out)*fx, r.out+(t.out-r.out)*fx
	out = float64(a + (b-a)*fy)
	if dx != 0 || dy != 0 {
		d2 := dx*dx + dy*dy
		if h2 > 0 {
			h2 = 0
		}
		h2 -= d2
		out += math.Sqrt(d2)
	}
	return
}

// Thickness returns half the thickness at a place of the photo, in pixels of it, and its slope to the
// right and down. It is 0 outside.
func (s *Shape) Thickness(x, y float64) (h, dx, dy float64) {
	w, rows := s.Rect.Dx(), s.Rect.Dy()
	x, y = x/s.Cell-float64(s.Rect.Min.X)-0.5, y/s.Cell-float64(s.Rect.Min.Y)-0.5
	x, y = min(max(x, 0), float64(w-1)), min(max(y, 0), float64(rows-1))
	i, j := min(int(x), max(w-2, 0)), min(int(y), max(rows-2, 0))
	fx, fy := float32(x-float64(i)), float32(y-float64(j))
	n := j*w + i
	m, o := min(1, w-1), min(1, rows-1)*w
	p, q, r, t := &s.rise[n], &s.rise[n+m], &s.rise[n+o], &s.rise[n+o+m]
	mix := func(p, q, r, t float32) float64 {
		a, b := p+(q-p)*fx, r+(t-r)*fx
		return float64(a + (b-a)*fy)
	}
	h2 := mix(p.h2, q.h2, r.h2, t.h2)
	if h2 <= 0 {
		return 0, 0, 0
	}
	h = math.Sqrt(h2)
	// The slope of h² has no pole at the outline, that of h has.
	return h * s.Cell, mix(p.dx, q.dx, r.dx, t.dx) / h, mix(p.dy, q.dy, r.dy, t.dy) / h
}

// Body is a shape that stands somewhere.
type Body struct {
	*Shape
	Cam  *room.Camera
	Card room.Plane // that it stands on, facing the camera
	Flat bool       // it lies on the floor, which is its card
	unit float64    // of a cell, where it stands
	tall float64    // largest thickness, in units of the room

	right, down room.Vec // on the card, of length 1

	// sides are planes through the camera that hold all cells that are covered between them, with what lies more than a
	// cell inside; none where the card goes on too far.
	sides []room.Vec
	slack float64 // of a cell where it is largest

	// Mid and Round are a ball that holds the body.
	Mid   room.Vec
	Round float64
}

// Stand returns the body of a shape on a card at a depth along the camera's axis.
func Stand(s *Shape, cam *room.Camera, card room.Plane, depth float64) *Body {
	unit := s.Cell * depth / cam.F
	b := &Body{Shape: s, Cam: cam, Card: card, unit: unit, tall: s.Tall * unit}
	b.right, b.down = room.Vec{X: 1}.Off(card.N).Unit(), room.Vec{Y: 1}.Off(card.N).Unit()
	var at []room.Vec
	for i := range 4 {
		x, y := s.used.Min.X, s.used.Min.Y
		if i&1 != 0 {
			x = s.used.Max.X
		}
		if i&2 != 0 {
			y = s.used.Max.Y
		}
		r := cam.Ray(float64(x)*s.Cell, float64(y)*s.Cell)
		if t, ok := card.Hit(r); ok && t < 1e3 {
			at = append(at, r.Mul(t))
		}
	}
	for _, v := range at {
		b.Mid = b.Mid.Add(v.Mul(1 / float64(len(at))))
	}
	for _, v := range at {
		b.Round = math.Max(b.Round, v.Sub(b.Mid).Len()+b.tall)
	}
	if len(at) < 4 {
		b.Round = 1e3
		return b
	}
	for _, v := range at {
		b.slack = math.Max(b.slack, 1.5*s.Cell*(v.Z+b.tall)/cam.F)
	}
	x0, x1 := (float64(s.used.Min.X)*s.Cell-cam.CX)/cam.F, (float64(s.used.Max.X)*s.Cell-cam.CX)/cam.F
	y0, y1 := (float64(s.used.Min.Y)*s.Cell-cam.CY)/cam.F, (float64(s.used.Max.Y)*s.Cell-cam.CY)/cam.F
	for _, n := range [...]room.Vec{{X: 1, Z: -x0}, {X: -1, Z: x1}, {Y: 1, Z: -y0}, {Y: -1, Z: y1}} {
		b.sides = append(b.sides, n.Unit())
	}
	return b
}

// Tall returns the largest half of its thickness.
func (b *Body) Tall() float64 { return b.tall }

// Way returns the part of the way from x over d, as shares of it up to end, on which something thinner
// than near at its beginning and far at its end can meet the body; false for none.
func (b *Body) Way(x, d room.Vec, near, far, end float64) (t0, t1 float64, ok bool) {
	thick := near
	if far > thick {
		thick = far
	}
	t1 = end
	tall := b.tall + thick
	w0, dw := b.Card.Side(x), b.Card.N.Dot(d)
	if dw < 1e-9 && dw > -1e-9 {
		if w0 > tall || w0 < -tall && !b.Flat {
			return 0, 0, false
		}
	} else {
		a, c := (-tall-w0)/dw, (tall-w0)/dw
		if a > c {
			a, c = c, a
		}
		if a > t0 {
			t0 = a
		}
		if c < t1 {
			t1 = c
		}
	}
	if t0 >= t1 {
		return 0, 0, false
	}
	// It has to pass between the rays of the camera that the shape covers.
	for _, n := range b.sides {
		w0, dw := n.Dot(x)+thick+b.slack, n.Dot(d)
		switch {
		case w0 < 0 && w0+dw*t1 < 0 && w0+dw*t0 < 0:
			return 0, 0, false
		case dw > 1e-9:
			if t := -w0 / dw; t > t0 {
				t0 = t
			}
		case dw < -1e-9:
			if t := -w0 / dw; t < t1 {
				t1 = t
			}
		}
	}
	return t0, t1, t0 < t1
}

// Worst returns how deep within the body the way from x over d comes, as a share of the radius of a cone round
// it that grows from near at x to far at its end: 1 and more where that is hidden wholly, -1 where it is not
// touched. Of the way the share beyond end does not count. It goes in steps as long as the body is away.
func (b *Body) Worst(x, d room.Vec, near, far, end float64) float64 {
	t0, t1, ok := b.Way(x, d, near, far, end)
	if !ok {
		return -1
	}
	length := d.Len()
	w0, dw := b.Card.Side(x)/b.unit, b.Card.N.Dot(d)/b.unit
	k := b.Cam.F / b.Cell
	cx, cy := b.Cam.CX/b.Cell-float64(b.Rect.Min.X)-0.5, b.Cam.CY/b.Cell-float64(b.Rect.Min.Y)-0.5
	right, low := float64(b.Rect.Dx()-1), float64(b.Rect.Dy()-1)
	stride := b.Rect.Dx()
	worst := -1.0
	t := t0
	for n := 0; n < 40; n++ {
		cone := near + (far-near)*t
		z := x.Z + d.Z*t
		if z < 1e-3 {
			return worst
		}
		w := w0 + dw*t
		if w < 0 {
			if b.Flat {
				w = 0 // what would be below the floor is on it
			} else {
				w = -w
			}
		}
		u, v := cx+k*(x.X+d.X*t)/z, cy+k*(x.Y+d.Y*t)/z
		var clear float64
		far := false
		if u >= 0 && v >= 0 && u < right && v < low {
			// Well beside the shape one cell tells enough.
			if c := &b.pix[int(v+0.5)*stride+int(u+0.5)]; c.out > 4 {
				o := float64(c.out) - 0.8
				clear = math.Sqrt(o*o+w*w) * b.unit
				// The body may be thicker than its outline is near.
				if o := math.Sqrt(math.Max(float64(c.ball*c.ball-c.h2)+w*w, 0)) - float64(c.ball) - 0.8; o*b.unit < clear {
					clear = o * b.unit
				}
				far = true
			}
		}
		if !far {
			clear = b.clear(u+float64(b.Rect.Min.X)+0.5, v+float64(b.Rect.Min.Y)+0.5, w)
		}
		if q := -clear / cone; q > worst {
			if worst = q; worst >= 1 {
				return 1
			}
		}
		if t >= t1 {
			break
		}
		step := 0.85 * clear
		if step < 0 {
			step = -step
		}
		if least := 0.55*cone + 0.05*b.tall; step < least {
			step = least
		}
		if t += step / length; t > t1 {
			t = t1
		}
	}
	return worst
}

// Clear returns how far a place lies outside of the body, about; below 0 inside.
func (b *Body) Clear(p room.Vec) float64 {
	if p.Z < 1e-3 {
		return math.Inf(1)
	}
	w := b.Card.Side(p)
	k := b.Cam.F / b.Cell / p.Z
	w /= b.unit
	if b.Flat && w < 0 {
		w = 0
	}
	return b.clear(b.Cam.CX/b.Cell+k*p.X, b.Cam.CY/b.Cell+k*p.Y, w)
}

// clear is Clear for a place in cells, w cells before or behind the card.
func (b *Body) clear(x, y, w float64) float64 {
	h2, ball, out := b.at(x, y)
	d := 0.0
	if d2 := ball*ball - h2 + w*w; d2 > 0 {
		d = math.Sqrt(d2)
	}
	d -= ball
	if out > 0 {
		if e := math.Sqrt(out*out + w*w); e < d {
			d = e
		}
	}
	return d * b.unit
}

// Surface returns the place of the body's front that is seen at a point of the photo, and the unit
// normal there.
func (b *Body) Surface(x, y float64) (at, n room.Vec, ok bool) {
	r := b.Cam.Ray(x, y)
	t, ok := b.Card.Hit(r)
	if !ok {
		return
	}
	h, dx, dy := b.Thickness(x, y)
	return r.Mul(t).Add(b.Card.N.Mul(h / b.Cell * b.unit)), b.normal(r, dx, dy), true
}

// normal is the unit normal along a ray of the camera, where the thickness has a slope.
func (b *Body) normal(r room.Vec, dx, dy float64) room.Vec {
	if b.Flat {
		// What lies is seen from above and from its side.
		return b.Cam.Up.Sub(b.Cam.Level(r)).Unit()
	}
	return b.Turned(dx, dy)
}

// Facing returns the mean normal of the front over a square of the photo with a corner and an edge in pixels of it,
// in so many parts across and down, as far as it shows the body: at its outline that turns aside within less than a
// pixel of a small picture. Well within the outline the middle stands for all.
//
// The thickness grows by what relief adds to it at a place, nil for none.
func (b *Body) Facing(x, y, edge float64, parts int, relief func(x, y float64) (dx, dy float64)) (n room.Vec) {
	mx, my := x+edge/2, y+edge/2
	h, dx, dy := b.Thickness(mx, my)
	part := func(i int) float64 { return edge * (float64(i) + 0.5) / float64(parts) }
	if b.Flat || parts == 1 || h > wellWithin*edge {
		// Folds are finer than the form: of them the mean of all parts counts.
		for i := 0; relief != nil && i < parts*parts; i++ {
			u, v := relief(x+part(i%parts), y+part(i/parts))
			dx, dy = dx+u/float64(parts*parts), dy+v/float64(parts*parts)
		}
		return b.normal(b.Cam.Ray(mx, my), dx, dy)
	}
	for j := range parts {
		for i := range parts {
			u, v := x+part(i), y+part(j)
			if h, dx, dy := b.Thickness(u, v); h > 0 {
				if relief != nil {
					a, c := relief(u, v)
					dx, dy = dx+a, dy+c
				}
				n = n.Add(b.Turned(dx, dy))
			}
		}
	}
	if n == (room.Vec{}) {
		return b.Turned(dx, dy)
	}
	return n.Unit()
}

// wellWithin is how many edges of a square the body must be thick for its normal to be much the same all over it.
const wellWithin = 3

// Turned returns the normal of a front whose thickness grows by dx to the right and by dy down.
func (b *Body) Turned(dx, dy float64) room.Vec {
	return b.Card.N.Sub(b.right.Mul(dx)).Sub(b.down.Mul(dy)).Unit()
}
