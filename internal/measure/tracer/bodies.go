package tracer

import (
	"math"

	"pyrant/internal/base/camera"
)

// Ball is a sphere.
type Ball struct {
	C camera.Vec
	R float64
}

// Hit is that of Body.
func (b Ball) Hit(o, d camera.Vec, near, far float64) (float64, camera.Vec, bool) {
	oc := o.Sub(b.C)
	k := oc.Dot(d)
	h := k*k - oc.Dot(oc) + b.R*b.R
	if h < 0 {
		return 0, camera.Vec{}, false
	}
	h = math.Sqrt(h)
	for _, t := range [2]float64{-k - h, -k + h} {
		if t > near && t < far {
			return t, o.Add(d.Mul(t)).Sub(b.C).Mul(1 / b.R), true
		}
	}
	return 0, camera.Vec{}, false
}

// Bound is that of Body.
func (b Ball) Bound() Ball { return b }

// Area is that of Shiner.
func (b Ball) Area() float64 { return 4 * math.Pi * b.R * b.R }

// At is that of Shiner.
func (b Ball) At(u, v float64) (p, n camera.Vec) {
	z := 2*u - 1
	s, c := math.Sincos(2 * math.Pi * v)
	h := math.Sqrt(1 - z*z)
	n = camera.Vec{X: h * c, Y: h * s, Z: z}
	return b.C.Add(n.Mul(b.R)), n
}

// For is that of Facing: even over the solid angle in which the ball is seen (Shirley, Wang and
// Zimmerman 1996).
func (b Ball) For(from camera.Vec, u, v float64) (p, n camera.Vec, area float64) {
	to := b.C.Sub(from)
	q := to.Dot(to)
	if q <= b.R*b.R*(1+1e-9) {
		p, n = b.At(u, v)
		return p, n, b.Area()
	}
	w := to.Mul(1 / math.Sqrt(q))
	least := math.Sqrt(1 - b.R*b.R/q)
	c := 1 - u*(1-least)
	x, y := Basis(w)
	sin, cos := math.Sincos(2 * math.Pi * v)
	h := math.Sqrt(max(1-c*c, 0))
	d := x.Mul(h * cos).Add(y.Mul(h * sin)).Add(w.Mul(c))
	k := to.Dot(d)
	t := k - math.Sqrt(max(k*k-q+b.R*b.R, 0))
	p = from.Add(d.Mul(t))
	n = p.Sub(b.C).Unit()
	return p, n, 2 * math.Pi * (1 - least) * t * t / max(-n.Dot(d), 1e-9)
}

// Pill is all that lies within R of the way from A to B. It shines from its side, not from its
// round ends.
type Pill struct {
	A, B camera.Vec
	R    float64
}

// Hit is that of Body.
func (b Pill) Hit(o, d camera.Vec, near, far float64) (float64, camera.Vec, bool) {
	l := b.B.Sub(b.A)
	length := l.Len()
	axis := l.Mul(1 / length)
	oa := o.Sub(b.A)
	// The endless cylinder first: what is square to the axis.
	dp, op := d.Off(axis), oa.Off(axis)
	a, k, c := dp.Dot(dp), dp.Dot(op), op.Dot(op)-b.R*b.R
	best, normal, ok := far, camera.Vec{}, false
	if h := k*k - a*c; h < 0 {
		return 0, camera.Vec{}, false
	} else if a > 1e-14 {
		h = math.Sqrt(h)
		for _, t := range [2]float64{(-k - h) / a, (-k + h) / a} {
			y := oa.Add(d.Mul(t)).Dot(axis)
			if t > near && t < best && y >= 0 && y <= length {
				best, normal, ok = t, op.Add(dp.Mul(t)).Mul(1/b.R), true
			}
		}
	}
	for i, end := range [2]camera.Vec{b.A, b.B} {
		oc := o.Sub(end)
		k := oc.Dot(d)
		h := k*k - oc.Dot(oc) + b.R*b.R
		if h < 0 {
			continue
		}
		h = math.Sqrt(h)
		for _, t := range [2]float64{-k - h, -k + h} {
			y := oa.Add(d.Mul(t)).Dot(axis)
			if t > near && t < best && (i == 0 && y < 0 || i == 1 && y > length) {
				best, normal, ok = t, oc.Add(d.Mul(t)).Mul(1/b.R), true
			}
		}
	}
	return best, normal, ok
}

// Bound is that of Body.
func (b Pill) Bound() Ball {
	return Ball{C: b.A.Add(b.B).Mul(0.5), R: b.R + b.B.Sub(b.A).Len()/2}
}

// Area is that of Shiner.
func (b Pill) Area() float64 { return 2 * math.Pi * b.R * b.B.Sub(b.A).Len() }

// At is that of Shiner.
func (b Pill) At(u, v float64) (p, n camera.Vec) {
	x, y := Basis(b.B.Sub(b.A).Unit())
	s, c := math.Sincos(2 * math.Pi * v)
	n = x.Mul(c).Add(y.Mul(s))
	return b.A.Add(b.B.Sub(b.A).Mul(u)).Add(n.Mul(b.R)), n
}

// For is that of Facing: even by the angle at which the places of the axis are seen (Kulla and
// Fajardo 2012).
func (b Pill) For(from camera.Vec, u, v float64) (p, n camera.Vec, area float64) {
	l := b.B.Sub(b.A)
	length := l.Len()
	axis := l.Mul(1 / length)
	foot := from.Sub(b.A).Dot(axis) // of the place on the axis
	d := math.Max(from.Sub(b.A).Off(axis).Len(), b.R)
	lo, hi := math.Atan(-foot/d), math.Atan((length-foot)/d)
	t := d * math.Tan(lo+(hi-lo)*u) // from the foot on
	p, n = b.At(math.Min(math.Max((t+foot)/length, 0), 1), v)
	return p, n, 2 * math.Pi * b.R * (hi - lo) * (d*d + t*t) / d
}

// Block is a box: its middle, and the ways from there to the middles of three of its faces.
type Block struct {
	C camera.Vec
	H [3]camera.Vec
}

// Hit is that of Body.
func (b Block) Hit(o, d camera.Vec, near, far float64) (float64, camera.Vec, bool) {
	in, out := math.Inf(-1), math.Inf(1)
	var nin, nout camera.Vec
	oc := o.Sub(b.C)
	for _, h := range b.H {
		l := h.Len()
		n := h.Mul(1 / l)
		e, f := n.Dot(oc), n.Dot(d)
		if math.Abs(f) < 1e-12 {
			if math.Abs(e) > l {
				return 0, camera.Vec{}, false
			}
			continue
		}
		t0, t1 := (-l-e)/f, (l-e)/f
		if t0 > t1 {
			t0, t1 = t1, t0
		}
		if t0 > in {
			in, nin = t0, n
		}
		if t1 < out {
			out, nout = t1, n
		}
	}
	if in > out {
		return 0, camera.Vec{}, false
	}
	if in > near && in < far {
		return in, nin, true
	}
	if out > near && out < far {
		return out, nout, true
	}
	return 0, camera.Vec{}, false
}

// Bound is that of Body.
func (b Block) Bound() Ball {
	return Ball{C: b.C, R: math.Sqrt(b.H[0].Dot(b.H[0]) + b.H[1].Dot(b.H[1]) + b.H[2].Dot(b.H[2]))}
}

// Sheet is a flat parallelogram: a corner, and the ways along two of its sides. It shines to where
// U × V points.
type Sheet struct{ P, U, V camera.Vec }

// Hit is that of Body.
func (b Sheet) Hit(o, d camera.Vec, near, far float64) (float64, camera.Vec, bool) {
	n := b.U.Cross(b.V)
	q := n.Dot(n)
	f := n.Dot(d)
	if f == 0 {
		return 0, n, false
	}
	t := n.Dot(b.P.Sub(o)) / f
	if !(t > near && t < far) {
		return 0, n, false
	}
	w := o.Add(d.Mul(t)).Sub(b.P)
	u, v := w.Cross(b.V).Dot(n)/q, b.U.Cross(w).Dot(n)/q
	if u < 0 || v < 0 || u > 1 || v > 1 {
		return 0, n, false
	}
	return t, n.Mul(1 / math.Sqrt(q)), true
}

// Bound is that of Body.
func (b Sheet) Bound() Ball {
	r := max(b.U.Add(b.V).Len(), b.U.Sub(b.V).Len()) / 2
	return Ball{C: b.P.Add(b.U.Add(b.V).Mul(0.5)), R: r * 1.001}
}

// Area is that of Shiner.
func (b Sheet) Area() float64 { return b.U.Cross(b.V).Len() }

// At is that of Shiner.
func (b Sheet) At(u, v float64) (p, n camera.Vec) {
	return b.P.Add(b.U.Mul(u)).Add(b.V.Mul(v)), b.U.Cross(b.V).Unit()
}
