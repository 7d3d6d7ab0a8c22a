package silhouette

import (
	"math"
	"math/bits"

	"pyrant/internal/base/camera"
)

// Ways are straight ways, each with a cone round it. They are gone side by side, as each step of
// one waits for the one before, and those of several do not wait for each other.
type Ways struct {
	n    int
	list []eight
}

// lanes is how many ways are looked at side by side.
const lanes = 8

// eight is so many ways: as near8 and meet8 read them.
type eight struct {
	x, y, z    [lanes]float32 // where they begin
	dx, dy, dz [lanes]float32 // from there to the end
	near, far  [lanes]float32 // radius of the cone at the beginning and at the end
	end        [lanes]float32 // the share that counts
	worst      [lanes]float32
}

// Reset takes all ways away.
func (w *Ways) Reset() { w.n = 0 }

// Add adds a way from x by d, with a cone whose radius grows from near to far. What lies beyond the
// share end of it does not count.
func (w *Ways) Add(x, d camera.Vec, near, far, end float64) {
	k, i := w.n/lanes, uint(w.n)%lanes
	if k == len(w.list) {
		w.list = append(w.list, eight{})
	}
	e := &w.list[k]
	e.x[i], e.y[i], e.z[i] = float32(x.X), float32(x.Y), float32(x.Z)
	e.dx[i], e.dy[i], e.dz[i] = float32(d.X), float32(d.Y), float32(d.Z)
	e.near[i], e.far[i], e.end[i] = float32(near), float32(far), float32(end)
	w.n++
}

// Drop makes nothing of a way count any more.
func (w *Ways) Drop(i int) { w.list[i/lanes].end[i%lanes] = 0 }

// Worst returns how deep within what was asked last a way comes, as a share of its cone's radius: 1
// and more where that is hidden wholly, -1 where it is not touched.
func (w *Ways) Worst(i int) float64 { return float64(w.list[i/lanes].worst[i%lanes]) }

// each calls do for every eight of the ways, of which none is touched yet, with a bit for each of
// those that there are.
func (w *Ways) each(do func(e *eight, all uint)) {
	for k := range (w.n + lanes - 1) / lanes {
		e, all := &w.list[k], uint(1<<lanes-1)
		if left := w.n - k*lanes; left < lanes {
			all = 1<<left - 1
		}
		for i := range e.worst {
			e.worst[i] = -1
		}
		do(e, all)
	}
}

// Near finds how deep the ways, with cones wider by soft, come within what lies in a ball, by what
// worst tells of those that touch the ball.
func (w *Ways) Near(mid camera.Vec, round, soft float64, worst func(x, d camera.Vec, near, far,
	end float64) float64) {
	b := newBall(mid, round+soft)
	w.each(func(e *eight, all uint) {
		for left := b.touched(e) & all; left != 0; left &= left - 1 {
			i := bits.TrailingZeros(left)
			x := camera.Vec{X: float64(e.x[i]), Y: float64(e.y[i]), Z: float64(e.z[i])}
			d := camera.Vec{X: float64(e.dx[i]), Y: float64(e.dy[i]), Z: float64(e.dz[i])}
			e.worst[i] = float32(worst(x, d, float64(e.near[i])+soft, float64(e.far[i])+soft,
				float64(e.end[i])))
		}
	})
}

// ball holds what is asked for: as near8 reads it.
type ball struct{ x, y, z, round float32 }

func newBall(mid camera.Vec, round float64) ball {
	return ball{float32(mid.X), float32(mid.Y), float32(mid.Z), float32(round)}
}

// touched returns a bit for each way that does not pass the ball by more than its cone.
func (b *ball) touched(e *eight) uint {
	if wide {
		return uint(near8(e, b))
	}
	return b.touchedEach(e)
}

func (b *ball) touchedEach(e *eight) (out uint) {
	for i := range lanes {
		if b.touches(e, i) {
			out |= 1 << i
		}
	}
	return out
}

func (b *ball) touches(e *eight, i int) bool {
	x, y, z := e.dx[i], e.dy[i], e.dz[i]
	u, v, w := b.x-e.x[i], b.y-e.y[i], b.z-e.z[i]
	along := float32(u*x) + float32(v*y) + float32(w*z)
	t := within(along/(float32(x*x)+float32(y*y)+float32(z*z)), 1)
	x, y, z = u-float32(x*t), v-float32(y*t), w-float32(z*t)
	r := b.round + e.thick(i)
	return float32(x*x)+float32(y*y)+float32(z*z) <= float32(r*r) && e.end[i] > 0
}

// thick is the larger radius of a cone.
func (e *eight) thick(i int) float32 {
	if e.near[i] > e.far[i] {
		return e.near[i]
	}
	return e.far[i]
}

// bounds is where a body is: as meet8 reads it.
type bounds struct {
	ball
	tall       float32 // how thick the body is
	x, y, z, d float32 // the card
	each       float32 // cells to a unit
	skip       float32 // how much at the beginning of a way does not count
	slack      float32 // by how much more than a way is thick it may pass beside a side
	count      int32   // of sides
	sides      [4]normal
}

// normal is that of one of the planes through the camera that hold the body between them.
type normal struct{ x, y, z float32 }

// met is which part of ways can meet a body: as meet8 writes it.
type met struct {
	t0, t1 [lanes]float32
	w, dw  [lanes]float32 // how far the way begins before the card and goes from it, in cells
	each   [lanes]float32 // 1 by its length
}

// bounds returns where the body is, for ways whose cones are wider by soft.
func (b *Body) bounds(soft float64) bounds {
	n := b.Card.N
	out := bounds{
		ball: newBall(b.Mid, b.Round+soft), tall: float32(b.tall + soft),
		x: float32(n.X), y: float32(n.Y), z: float32(n.Z), d: float32(b.Card.D),
		each: float32(1 / b.unit), slack: float32(b.slack + soft), count: int32(len(b.sides)),
	}
	for i, n := range b.sides {
		out.sides[i] = normal{float32(n.X), float32(n.Y), float32(n.Z)}
	}
	return out
}

// meet finds the parts of ways on which they can meet the body, and returns a bit for each that has
// one.
func (b *bounds) meet(e *eight, m *met) uint {
	if wide {
		return uint(meet8(e, b, m))
	}
	return b.meetEach(e, m)
}

func (b *bounds) meetEach(e *eight, m *met) (out uint) {
	for i := range lanes {
		u, v, w, x, y, z := e.x[i], e.y[i], e.z[i], e.dx[i], e.dy[i], e.dz[i]
		m.each[i] = 1 / sqrt(float32(x*x)+float32(y*y)+float32(z*z))
		t0, t1 := float32(b.skip*m.each[i]), e.end[i]
		thick := e.thick(i)
		// Between two planes as far from the card as the body is thick.
		side, dw := float32(b.x*u)+float32(b.y*v)+float32(b.z*w)-b.d,
			float32(b.x*x)+float32(b.y*y)+float32(b.z*z)
		m.w[i], m.dw[i] = float32(side*b.each), float32(dw*b.each)
		tall := b.tall + thick
		lo, hi := -(tall+side)/dw, (tall-side)/dw
		if !(lo < hi) {
			if lo > hi {
				lo, hi = hi, lo
			} else {
				lo = hi
			}
		}
		if lo > t0 {
			t0 = lo
		}
		if hi < t1 {
			t1 = hi
		}
		// It has to pass between the rays of the camera that the shape covers.
		beside := thick + b.slack
		for _, s := range b.sides[:b.count] {
			dw := float32(s.x*x) + float32(s.y*y) + float32(s.z*z)
			t := -(float32(s.x*u) + float32(s.y*v) + float32(s.z*w) + beside) / dw
			if dw >= 0 {
				if t > t0 {
					t0 = t
				}
			} else if t < t1 {
				t1 = t
			}
		}
		m.t0[i], m.t1[i] = t0, t1
		if t0 < t1 && b.touches(e, i) {
			out |= 1 << i
		}
	}
	return out
}

// gang is how many ways are gone side by side.
const gang = 2 * lanes

// fan is ways, in cells of a body: as march reads it.
type fan struct {
	x, y, z    [gang]float32 // where they begin
	dx, dy, dz [gang]float32 // from there to the end
	w, dw      [gang]float32 // how far they begin before the card and go from it, in cells
	// radius of the cone at the beginning, and by how much more it is at the end
	near, grow [gang]float32
	t, t1      [gang]float32 // from where to where they go, as shares; march moves t
	each       [gang]float32 // 1 by the length
	worst      [gang]float32 // the answer
}

// still is what is the same for all ways of a fan: as march reads it.
type still struct {
	k, cx, cy  float32 // from a direction of the camera to a cell
	right, low float32 // the last cells
	unit       float32 // of a cell
	least      float32 // that a step is long at least
	stride     int32   // cells to a row
	upright    uint32  // all bits, or none for what lies on its card
	within     uint32  // all bits where what begins within the body counts from there on, or none
}

// How long steps are: of the way that is clear, and of the cone and of the body's largest thickness
// at least, beside what nothing can come deeper on than what is known.
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

// Way is how ways are gone.
type Way struct {
	Skip float64 // what of their beginning does not count
	Soft float64 // by how much wider their cones are
	// Outside tells that those that begin within the body count from where they leave it: what lies
	// below it is not seen, and is taken to be as it is beside it.
	Outside bool
}

// Worst finds how deep within the body each of the ways comes. They go in steps as long as the body
// is away, at least a part of their cone.
func (b *Body) Worst(w *Ways, how Way) {
	at, s := b.bounds(how.Soft), b.still()
	at.skip = float32(how.Skip)
	wider := float32(how.Soft)
	if !how.Outside {
		s.within = math.MaxUint32
	}
	var f fan
	var of [gang]*float32
	n := 0
	flush := func() {
		count := (n + lanes - 1) / lanes
		for i := n; i < count*lanes; i++ { // nothing of them is left to go
			f.t[i], f.t1[i] = 0, 0
		}
		if wide {
			_ = b.pix[(int(s.low)+1)*int(s.stride)+int(s.right)+1] // the last that is read
			march(&f, &s, &b.pix[0], count)
		} else {
			marchEach(&f, &s, b.pix, count)
		}
		for i, to := range of[:n] {
			*to = f.worst[i]
		}
		n = 0
	}
	var m met
	w.each(func(e *eight, all uint) {
		for left := at.meet(e, &m) & all; left != 0; left &= left - 1 {
			i := bits.TrailingZeros(left)
			f.x[n], f.y[n], f.z[n], f.w[n] = e.x[i], e.y[i], e.z[i], m.w[i]
			f.dx[n], f.dy[n], f.dz[n], f.dw[n] = e.dx[i], e.dy[i], e.dz[i], m.dw[i]
			f.near[n], f.grow[n] = e.near[i]+wider, e.far[i]-e.near[i]
			f.t[n], f.t1[n], f.each[n] = m.t0[i], m.t1[i], m.each[i]
			of[n] = &e.worst[i]
			if n++; n == gang {
				flush()
			}
		}
	})
	if n > 0 {
		flush()
	}
}

// still returns what is the same for all ways.
func (b *Body) still() still {
	s := still{
		k: float32(b.Cam.F / b.Cell), cx: float32(b.Cam.CX/b.Cell - float64(b.Rect.Min.X) - 0.5),
		cy:    float32(b.Cam.CY/b.Cell - float64(b.Rect.Min.Y) - 0.5),
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

// marchEach goes the ways of a fan one after the other, so many eights of them. What is said in the
// same words by march has the same bits: all numbers are rounded at each step.
func marchEach(f *fan, s *still, pix []cell, count int) {
	for i := range count * lanes {
		worst, t, counts := float32(-1), f.t[i], s.within != 0
		for range most {
			z := f.z[i] + float32(f.dz[i]*t)
			if !(z >= eye) {
				break
			}
			clear := s.clear(pix, f.x[i]+float32(f.dx[i]*t), f.y[i]+float32(f.dy[i]*t), z,
				f.w[i]+float32(f.dw[i]*t))
			cone := f.near[i] + float32(f.grow[i]*t)
			counts = counts || clear > 0
			if q := -clear / cone; counts && q > worst {
				worst = q
			}
			// So much farther nothing comes deeper than what is known.
			idle := clear + float32(worst*cone)
			if !(idle > 0) {
				idle = 0
			}
			idle = float32(bold * idle)
			if worst >= 1 || float32(idle*f.each[i]) >= f.t1[i]-t {
				break
			}
			step := float32(bold * abs(clear))
			if least := float32(leastCone*cone) + s.least + idle; step < least {
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

// clear returns how far a place lies outside of the body, about; below 0 inside. w is how far it
// lies from the card, in cells. Between the middles of cells all that is known of them goes evenly;
// beyond the grid it is that of its rim, farther by the way to it.
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
	h2, ball, out := mix(p.h2, q.h2, r.h2, t.h2), mix(p.ball, q.ball, r.ball, t.ball),
		mix(p.out, q.out, r.out, t.out)
	if s.upright != 0 {
		w = abs(w)
	} else if !(w > 0) {
		w = 0 // what would be below the floor is on it
	}
	w2 := float32(w * w)
	if beyond > 0 {
		if h2 > 0 {
			h2 = 0
		}
		h2 -= beyond
	}
	out += sqrt(beyond)
	d := float32(ball*ball) - h2 + w2
	if !(d > 0) {
		d = 0
	}
	d = sqrt(d) - ball
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
func (b *Body) Clear(p camera.Vec) float64 {
	if p.Z < eye {
		return math.Inf(1)
	}
	s := b.still()
	return float64(s.clear(b.pix, float32(p.X), float32(p.Y), float32(p.Z),
		float32(b.Card.Side(p)/b.unit)))
}
