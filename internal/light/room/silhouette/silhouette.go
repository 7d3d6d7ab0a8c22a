// Package silhouette makes solids of cut-outs: what stands in a photo as flat as a card gets the
// depth that its outline tells of.
//
// The thickness is that of the union of all balls that fit into the outline: with D(c) the distance
// of a place c from the outline,
//
//	h²(x) = max over c of D²(c) - |x-c|²
//
// so that a limb is round, and a trunk thicker than an arm, without steps where they meet. A place
// lies in the body where it is within h of the card it stands on, looked up where the camera sees
// it.
package silhouette

import (
	"context"
	"image"
	"math"
	"slices"
	"sync/atomic"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/raster"
)

// Shape is a cut-out on a grid, with what its outline tells of each cell.
type Shape struct {
	ID   uint64          // no other that was made has it
	Rect image.Rectangle // cells, of the photo's grid
	Cell float64         // edge of a cell in pixels of the photo
	Tall float64         // the largest thickness, in cells
	used image.Rectangle // cells that it covers
	pix  []cell          // one more than Rect to the right and down, as the last
	rise []rise
}

// rise is the square of the thickness at a cell, as if nothing crossed the shape, and half of how
// it grows to the right and down.
type rise struct{ h2, dx, dy float32 }

// cell is what is known of a place, four numbers, so that one can be read at once.
type cell struct {
	h2   float32 // square of the thickness, below 0 outside: of the ball that comes nearest
	ball float32 // radius of that ball
	out  float32 // distance from the outline for a place outside
	_    float32
}

// Bytes returns the memory that the shape takes.
func (s *Shape) Bytes() int64 { return int64(len(s.pix)) * 28 }

// Empty tells whether nothing is covered.
func (s *Shape) Empty() bool { return s.used.Empty() }

// Used returns the rectangle of cells that holds all that is covered.
func (s *Shape) Used() image.Rectangle { return s.used }

// made counts the shapes that were made.
var made atomic.Uint64

// thin is the radius, in cells, of what is too thin to tell how round it is.
const thin = 1

// New makes a shape of the cells that a thing covers by more than half, over all cells of rect;
// what lies beyond rect is unknown, and no outline. Cells that are away, where something else
// crosses it, are no outline either, but the shape has nothing there.
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
	s := &Shape{ID: made.Add(1), Rect: rect, Cell: size, pix: make([]cell, (w+1)*(h+1))}
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
		c := &s.pix[i/w*(w+1)+i%w]
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
			if away != nil && away[i] && v < 0 {
				c.h2 = -c.out * c.out // balls of the thing beside it do not reach in
			}
		}
		s.Tall = math.Max(s.Tall, math.Sqrt(math.Max(-v, 0)))
	}
	for y := range h {
		s.pix[y*(w+1)+w] = s.pix[y*(w+1)+max(w-1, 0)]
	}
	copy(s.pix[h*(w+1):], s.pix[max(h-1, 0)*(w+1):h*(w+1)])
	s.rise = make([]rise, w*h)
	dx, dy := make([]float32, w*h), make([]float32, w*h)
	for y := range h {
		for x := range w {
			at := func(x, y int) float32 { return full[min(max(y, 0), h-1)*w+min(max(x, 0), w-1)] }
			dx[y*w+x], dy[y*w+x] = (at(x+1, y)-at(x-1, y))/4, (at(x, y+1)-at(x, y-1))/4
		}
	}
	dx, dy = even(dx, w, h), even(dy, w, h)
	for y := range h {
		for x := range w {
			i := y*w + x
			// What is no thicker than a cell or two has a form that the grid cannot tell: it is as
			// if it faced the camera.
			round := min(max((s.pix[y*(w+1)+x].ball-thin)/thin, 0), 1)
			s.rise[i] = rise{full[i], round * dx[i], round * dy[i]}
		}
	}
	return s
}

// even evens a slope out over a few cells: an outline that leans a little goes on in steps, and
// without that a line runs across at each of them. Of what is round the square of the thickness has
// a slope that changes evenly, which stays as it is.
func even(f []float32, w, h int) []float32 {
	const times = 4 // nearly a Gaussian, of 1.6 cells
	p, err := raster.Boxes(context.Background(), &raster.Plane{Rect: image.Rect(0, 0, w, h),
		Pix: f}, 1, times)
	if err != nil {
		panic(err) // nothing cancels it
	}
	return p.Pix
}

// Thickness returns half the thickness at a place of the photo, in pixels of it, and its slope to
// the right and down. It is 0 outside.
func (s *Shape) Thickness(x, y float64) (h, dx, dy float64) {
	w, rows := s.Rect.Dx(), s.Rect.Dy()
	x, y = x/s.Cell-float64(s.Rect.Min.X)-0.5, y/s.Cell-float64(s.Rect.Min.Y)-0.5
	x, y = min(max(x, 0), float64(w-1)), min(max(y, 0), float64(rows-1))
	i, j := min(int(x), max(w-2, 0)), min(int(y), max(rows-2, 0))
	fx, fy := float32(x-float64(i)), float32(y-float64(j))
	n := j*w + i
	m, o := min(1, w-1), min(1, rows-1)*w
	p, q, r, t := &s.rise[n], &s.rise[n+m], &s.rise[n+o], &s.rise[n+o+m]
	a, b := p.h2+(q.h2-p.h2)*fx, r.h2+(t.h2-r.h2)*fx
	h2 := float64(a + (b-a)*fy)
	if h2 <= 0 {
		return 0, 0, 0
	}
	h = math.Sqrt(h2)
	// The slope of h² has no pole at the outline, that of h has.
	a, b = p.dx+(q.dx-p.dx)*fx, r.dx+(t.dx-r.dx)*fx
	c, d := p.dy+(q.dy-p.dy)*fx, r.dy+(t.dy-r.dy)*fx
	return h * s.Cell, float64(a+(b-a)*fy) / h, float64(c+(d-c)*fy) / h
}

// Within returns how much of a place, in cells of the photo's grid, the shape covers, evenly
// between the middles of cells.
func (s *Shape) Within(x, y float64) float32 {
	x, y = x-0.5, y-0.5
	i, j := int(math.Floor(x)), int(math.Floor(y))
	fx, fy := float32(x-float64(i)), float32(y-float64(j))
	at := func(x, y int) float32 {
		x, y = min(max(x, s.Rect.Min.X), s.Rect.Max.X-1), min(max(y, s.Rect.Min.Y), s.Rect.Max.Y-1)
		if s.pix[(y-s.Rect.Min.Y)*(s.Rect.Dx()+1)+x-s.Rect.Min.X].h2 > 0 {
			return 1
		}
		return 0
	}
	a, b := at(i, j), at(i, j+1)
	a += (at(i+1, j) - a) * fx
	b += (at(i+1, j+1) - b) * fx
	return a + (b-a)*fy
}

// Body is a shape that stands somewhere.
type Body struct {
	*Shape
	Cam  *camera.Camera
	Card camera.Plane // that it stands on, facing the camera
	Flat bool         // it lies on the floor, which is its card
	Of   *Body        // that it is a part of, which it does not shade; nil for a whole one
	unit float64      // of a cell, where it stands
	tall float64      // largest thickness, in units of the room

	right, down camera.Vec // on the card, of length 1
	lid         *lid       // its flat top; nil for none

	// sides are planes through the camera that hold all cells that are covered between them, with
	// what lies more than a cell inside; none where the card goes on too far.
	sides []camera.Vec
	slack float64 // of a cell where it is largest

	// Mid and Round are a ball that holds the body.
	Mid   camera.Vec
	Round float64
}

// Stand returns the body of a shape on a card at a depth along the camera's axis.
func Stand(s *Shape, cam *camera.Camera, card camera.Plane, depth float64) *Body {
	unit := s.Cell * depth / cam.F
	b := &Body{Shape: s, Cam: cam, Card: card, unit: unit, tall: s.Tall * unit}
	b.right, b.down = camera.Vec{X: 1}.Off(card.N).Unit(), camera.Vec{Y: 1}.Off(card.N).Unit()
	var at []camera.Vec
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
	x0, x1 := (float64(s.used.Min.X)*s.Cell-cam.CX)/cam.F,
		(float64(s.used.Max.X)*s.Cell-cam.CX)/cam.F
	y0, y1 := (float64(s.used.Min.Y)*s.Cell-cam.CY)/cam.F,
		(float64(s.used.Max.Y)*s.Cell-cam.CY)/cam.F
	for _, n := range [...]camera.Vec{{X: 1, Z: -x0}, {X: -1, Z: x1}, {Y: 1, Z: -y0},
		{Y: -1, Z: y1}} {
		b.sides = append(b.sides, n.Unit())
	}
	return b
}

// Tall returns the largest half of its thickness.
func (b *Body) Tall() float64 { return b.tall }

// Surface returns the place of the body's front that is seen at a point of the photo, and the unit
// normal there.
func (b *Body) Surface(x, y float64) (at, n camera.Vec, ok bool) {
	r := b.Cam.Ray(x, y)
	t, ok := b.Card.Hit(r)
	if !ok {
		return
	}
	h, dx, dy := b.Thickness(x, y)
	at, n = r.Mul(t).Add(b.Card.N.Mul(h/b.Cell*b.unit)), b.normal(r, dx, dy)
	if k := b.lid.within(x, y); k > 0 {
		if t, ok := b.lid.plane.Hit(r); ok {
			at = at.Add(r.Mul(t).Sub(at).Mul(k))
			n = b.upwards(n, k)
		}
	}
	return at, n, true
}

// upwards returns the unit normal of what faces up by a share.
func (b *Body) upwards(n camera.Vec, share float64) camera.Vec {
	return n.Add(b.Cam.Up.Sub(n).Mul(share)).Unit()
}

// normal is the unit normal along a ray of the camera, where the thickness has a slope.
func (b *Body) normal(r camera.Vec, dx, dy float64) camera.Vec {
	if b.Flat {
		return b.lying(r, puffed*dx, puffed*dy)
	}
	return b.Turned(dx, dy)
}

// What lies is seen from above, and by so much from its side; its form rises by a share of what its
// outline tells, since that may be of a coil as well as of a bundle. Both are measured on made-up
// coils and the quay's rope.
const (
	aslant = 0.7
	puffed = 0.5
)

// lying is the unit normal along a ray of the camera of what lies on the floor, with a slope. On
// the floor it is as much longer away from the camera as the camera looks along it.
func (b *Body) lying(r camera.Vec, dx, dy float64) camera.Vec {
	steep := -r.Unit().Dot(b.Cam.Up)
	return b.Cam.Up.Sub(b.Cam.Level(r).Mul(aslant)).Sub(b.right.Mul(dx)).
		Sub(b.down.Mul(dy * steep)).Unit()
}

// Lean is how a front is turned against its card, as the sum of so many unit normals of parts of
// it: their sum is Ahead times the card's normal less Right and Down times its directions.
type Lean struct{ Right, Down, Ahead float32 }

// Lean returns how the front leans over a square of the photo with a corner and an edge in pixels
// of it, in so many parts across and down, as far as it shows the body: at its outline that turns
// aside within less than a pixel of a small picture. Well within the outline the middle stands for
// all. It does not depend on where the body stands.
//
// The thickness grows by what relief adds to it at a place, nil for none.
func (s *Shape) Lean(x, y, edge float64, parts int,
	relief func(x, y float64) (dx, dy float64)) (l Lean) {
	h, dx, dy := s.Thickness(x+edge/2, y+edge/2)
	if parts == 1 {
		if relief != nil {
			u, v := relief(x+edge/2, y+edge/2)
			dx, dy = dx+u, dy+v
		}
		return Lean{float32(dx), float32(dy), 1}
	}
	part := func(i int) float64 { return edge * (float64(i) + 0.5) / float64(parts) }
	if h > wellWithin*edge {
		// Folds are finer than the form: of them the mean of all parts counts.
		for i := 0; relief != nil && i < parts*parts; i++ {
			u, v := relief(x+part(i%parts), y+part(i/parts))
			dx, dy = dx+u/float64(parts*parts), dy+v/float64(parts*parts)
		}
		return Lean{float32(dx), float32(dy), 1}
	}
	for j := range parts {
		for i := range parts {
			u, v := x+part(i), y+part(j)
			if thick, du, dv := s.Thickness(u, v); thick > 0 {
				if relief != nil {
					a, c := relief(u, v)
					du, dv = du+a, dv+c
				}
				k := 1 / math.Sqrt(1+du*du+dv*dv)
				l.Right, l.Down, l.Ahead = l.Right+float32(du*k), l.Down+float32(dv*k),
					l.Ahead+float32(k)
			}
		}
	}
	if l.Ahead == 0 {
		return Lean{float32(dx), float32(dy), 1}
	}
	return l
}

// Facing writes the unit normals of a front that leans so at points of the photo in a row, the
// first of them at x and each step on, to dst: three numbers, each of them a row.
func (b *Body) Facing(dst []float32, of []Lean, x, y, step float64) {
	n := len(of)
	nx, ny, nz := dst[:n], dst[n:2*n], dst[2*n:3*n]
	card, right, down := b.Card.N, b.right, b.down
	for i, l := range of {
		var v camera.Vec
		at := x + float64(i)*step
		if b.Flat {
			// Folds count in full.
			_, dx, dy := b.Thickness(at, y)
			ahead := math.Max(float64(l.Ahead), 1e-6)
			v = b.lying(b.Cam.Ray(at, y), float64(l.Right)/ahead-(1-puffed)*dx,
				float64(l.Down)/ahead-(1-puffed)*dy)
		} else {
			v = card.Mul(float64(l.Ahead)).Sub(right.Mul(float64(l.Right))).
				Sub(down.Mul(float64(l.Down))).Unit()
		}
		if k := b.lid.within(at, y); k > 0 {
			v = b.upwards(v, k)
		}
		nx[i], ny[i], nz[i] = float32(v.X), float32(v.Y), float32(v.Z)
	}
}

// wellWithin is how many edges of a square the body must be thick for its normal to be much the
// same all over it.
const wellWithin = 3

// Turned returns the normal of a front whose thickness grows by dx to the right and by dy down.
func (b *Body) Turned(dx, dy float64) camera.Vec {
	return b.Card.N.Sub(b.right.Mul(dx)).Sub(b.down.Mul(dy)).Unit()
}
