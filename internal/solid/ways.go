package solid

import (
	"math"

	"pyrant/internal/room"
)

// Way is a straight way from a place, with a cone round it that grows from a radius of Near at the place to Far at
// its end.
type Way struct {
	D          room.Vec // to its end
	Near, Far  float64
	Begin, End float64 // what of it counts, as shares
	// Worst is how deep within a body the way comes, as a share of the cone's radius: 1 and more where that is hidden
	// wholly, -1 where it is not touched.
	Worst float64
}

// lanes is how many ways are gone side by side: each step of one waits for the one before, the steps of
// several do not wait for each other.
const lanes = 8

// fan is ways from one place, in cells of a body: as march reads it.
type fan struct {
	dx, dy, dz [lanes]float32 // to the end
	dw         [lanes]float32 // how far that goes from the card, in cells
	near, grow [lanes]float32 // radius of the cone at the place, and by how much more it is at the end
	t, t1      [lanes]float32 // from where to where it goes, as shares
	each       [lanes]float32 // 1 by the length
	worst      [lanes]float32 // the answer
}

// still is what is the same for all ways of a fan: as march reads it.
type still struct {
	x, y, z    float32 // the place
	w          float32 // how far it lies from the card, in cells
	k, cx, cy  float32 // from a direction of the camera to a cell
	right, low float32 // the last cells
	unit       float32 // of a cell
	least      float32 // that a step is long at least
	stride     int32   // cells to a row
	upright    uint32  // all bits, or none for what lies on its card
}

// How long steps are: of the way that is clear, and of the cone and of the body's largest thickness at least.
const (
	bold      = 0.85
	leastCone = 0.55
	leastTall = 0.05
)

// most is how many steps a way takes at the most, and eye the least depth before the camera.
const (
	most = 40
	eye  = 1e-3
)

// Worst finds how deep within the body each of the ways from a place comes. They go in steps as long as the body is away,
// at least a part of their cone.
func (b *Body) Worst(x room.Vec, ways []Way) {
	var f fan
	var of [lanes]int
	n := 0
	to := b.Mid.Sub(x)
	side, begun := b.Card.Side(x), false
	var s still
	flush := func() {
		for i := n; i < lanes; i++ { // as the first
			f.dx[i], f.dy[i], f.dz[i], f.dw[i], f.near[i], f.grow[i] = f.dx[0], f.dy[0], f.dz[0], f.dw[0], f.near[0], f.grow[0]
			f.t[i], f.t1[i], f.each[i] = f.t[0], f.t1[0], f.each[0]
		}
		if wide {
			march(&f, &s, &b.pix[0])
		} else {
			marchEach(&f, &s, b.pix)
		}
		for i, k := range of[:n] {
			ways[k].Worst = float64(f.worst[i])
		}
		n = 0
	}
	for i := range ways {
		w := &ways[i]
		w.Worst = -1
		d2 := w.D.Dot(w.D)
		// Past the ball that holds it by more than the cone it is not met.
		t := to.Dot(w.D) / d2
		if t < 0 {
			t = 0
		} else if t > 1 {
			t = 1
		}
		thick := w.Near
		if w.Far > thick {
			thick = w.Far
		}
		if gap, r := to.Sub(w.D.Mul(t)), b.Round+thick; gap.Dot(gap) > r*r {
			continue
		}
		t0, t1, ok := b.meets(x, side, w, thick)
		if !ok {
			continue
		}
		if !begun {
			begun = true
			s = b.still(x, side)
		}
		f.dx[n], f.dy[n], f.dz[n], f.dw[n] = float32(w.D.X), float32(w.D.Y), float32(w.D.Z), float32(b.Card.N.Dot(w.D)/b.unit)
		f.near[n], f.grow[n] = float32(w.Near), float32(w.Far-w.Near)
		f.t[n], f.t1[n], f.each[n] = float32(t0), float32(t1), float32(1/math.Sqrt(d2))
		of[n] = i
		if n++; n == lanes {
			flush()
		}
	}
	if n > 0 {
		flush()
	}
}

// still returns what is the same for all ways from a place that lies so far before the card.
func (b *Body) still(x room.Vec, side float64) still {
	k := b.Cam.F / b.Cell
	s := still{
		x: float32(x.X), y: float32(x.Y), z: float32(x.Z),
		w: float32(side / b.unit),
		k: float32(k), cx: float32(b.Cam.CX/b.Cell - float64(b.Rect.Min.X) - 0.5), cy: float32(b.Cam.CY/b.Cell - float64(b.Rect.Min.Y) - 0.5),
		right: float32(max(b.Rect.Dx()-1, 0)), low: float32(max(b.Rect.Dy()-1, 0)),
		unit:   float32(b.unit),
		least:  float32(leastTall * b.tall),
		stride: int32(b.Rect.Dx() + 1),
	}
	if !b.Flat {
		s.upright = math.MaxUint32
	}
	return s
}

// meets returns the part of a way from x, which lies so far before the card, on which something so thick can meet the
// body; false for none.
func (b *Body) meets(x room.Vec, side float64, w *Way, thick float64) (t0, t1 float64, ok bool) {
	t0, t1 = w.Begin, w.End
	tall := b.tall + thick
	dw := b.Card.N.Dot(w.D)
	if dw < 1e-9 && dw > -1e-9 {
		if side > tall || side < -tall && !b.Flat {
			return 0, 0, false
		}
	} else {
		a, c := (-tall-side)/dw, (tall-side)/dw
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
		w0, dw := n.Dot(x)+thick+b.slack, n.Dot(w.D)
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

// marchEach goes the ways of a fan one after the other. What is said in the same words by march has the same bits: all
// numbers are rounded at each step.
func marchEach(f *fan, s *still, pix []cell) {
	for i := range lanes {
		worst, t := float32(-1), f.t[i]
		for range most {
			z := s.z + float32(f.dz[i]*t)
			if !(z >= eye) {
				break
			}
			clear := s.clear(pix, s.x+float32(f.dx[i]*t), s.y+float32(f.dy[i]*t), z, s.w+float32(f.dw[i]*t))
			cone := f.near[i] + float32(f.grow[i]*t)
			if q := -clear / cone; q > worst {
				worst = q
			}
			if worst >= 1 || t >= f.t1[i] {
				break
			}
			step := float32(bold * abs(clear))
			if least := float32(leastCone*cone) + s.least; step < least {
				step = least
			}
			if t += float32(step * f.each[i]); t > f.t1[i] {
				t = f.t1[i]
			}
		}
		if worst > 1 {
			worst = 1
		}
		f.worst[i] = worst
	}
}

func abs(v float32) float32 { return math.Float32frombits(math.Float32bits(v) &^ (1 << 31)) }

// clear returns how far a place lies outside of the body, about; below 0 inside. w is how far it lies from the
// card, in cells. Between the middles of cells all that is known of them goes evenly; beyond the grid it is that of its
// rim, farther by the way to it.
func (s *still) clear(pix []cell, x, y, z, w float32) float32 {
	k := s.k / z
	u, v := float32(x*k)+s.cx, float32(y*k)+s.cy
	cu, cv := within(u, s.right), within(v, s.low)
	u, v = u-cu, v-cv
	beyond := float32(u*u) + float32(v*v)
	i, j := int32(cu), int32(cv)
	fx, fy := cu-float32(i), cv-float32(j)
	n := j*s.stride + i
	p, q, r, t := &pix[n], &pix[n+1], &pix[n+s.stride], &pix[n+s.stride+1]
	mix := func(p, q, r, t float32) float32 {
		a, b := p+float32((r-p)*fy), q+float32((t-q)*fy)
		return a + float32((b-a)*fx)
	}
	off2, ball, out := mix(p.off2, q.off2, r.off2, t.off2), mix(p.ball, q.ball, r.ball, t.ball), mix(p.out, q.out, r.out, t.out)
	if s.upright != 0 {
		w = abs(w)
	} else if !(w > 0) {
		w = 0 // what would be below the floor is on it
	}
	w2 := float32(w * w)
	if beyond > 0 {
		if b2 := float32(ball * ball); b2 > off2 {
			off2 = b2
		}
		off2 += beyond
		out += sqrt(beyond)
	}
	d := sqrt(off2+w2) - ball
	if out > 0 {
		if e := sqrt(float32(out*out) + w2); e < d {
			d = e
		}
	}
	return d * s.unit
}

func sqrt(v float32) float32 { return float32(math.Sqrt(float64(v))) }

// within returns a value from 0 to a top; 0 for what is no number.
func within(v, top float32) float32 {
	if !(v > 0) {
		v = 0
	}
	if v > top {
		v = top
	}
	return v
}

// Clear returns how far a place lies outside of the body, about; below 0 inside.
func (b *Body) Clear(p room.Vec) float64 {
	if p.Z < eye {
		return math.Inf(1)
	}
	s := b.still(p, b.Card.Side(p))
	return float64(s.clear(b.pix, s.x, s.y, s.z, s.w))
}
