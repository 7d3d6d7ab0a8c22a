package shape

import (
	"math"
	"testing"
)

// A freehand line comes back as few nodes that stay within the tolerance of it.
func TestFit(t *testing.T) {
	ring := func(n int, shake float64) []Point {
		out := make([]Point, n)
		for i := range out {
			sin, cos := math.Sincos(2 * math.Pi * float64(i) / float64(n))
			r := 100 + shake*math.Sin(37*float64(i))
			out[i] = Point{300 + r*cos, 200 + r*sin}
		}
		return out
	}
	square := []Point{}
	for _, c := range [][2]Point{{{0, 0}, {80, 0}}, {{80, 0}, {80, 80}}, {{80, 80}, {0, 80}}, {{0, 80}, {0, 0}}} {
		for k := range 40 {
			square = append(square, c[0].mix(c[1], float64(k)/40))
		}
	}
	for _, c := range []struct {
		name   string
		line   []Point
		closed bool
		by     float64
		most   int
	}{
		{"a circle", ring(300, 0), true, 0.5, 8}, {"a shaky circle", ring(300, 0.8), true, 2, 10}, {"a square", square, true, 1, 8},
		{"a loose circle", ring(40, 0), true, 6, 4},
		{"a straight line", []Point{{0, 0}, {10, 5}, {20, 10}, {90, 45}}, false, 0.5, 2}, {"two points", []Point{{0, 0}, {10, 5}}, false, 1, 2},
		{"a wave", func() (l []Point) {
			for i := range 400 {
				l = append(l, Point{float64(i), 40 * math.Sin(float64(i)/40)})
			}
			return
		}(), false, 0.5, 16},
	} {
		p := Fit(c.line, c.closed, c.by)
		if n := p.Len(); n > c.most || n < 2 || c.closed && n < 3 {
			t.Errorf("%s: %d nodes, at most %d were expected", c.name, n, c.most)
		}
		flat := flatten(p, c.closed, 1)
		if c.closed {
			flat = append(flat, flat[0])
		}
		for i, q := range c.line {
			best := math.Inf(1)
			for k := 1; k < len(flat); k++ {
				a, b := flat[k-1], flat[k]
				d := b.sub(a)
				u := 0.0
				if l := d.X*d.X + d.Y*d.Y; l > 0 {
					u = math.Min(math.Max(((q.X-a.X)*d.X+(q.Y-a.Y)*d.Y)/l, 0), 1)
				}
				best = math.Min(best, a.mix(b, u).dist(q))
			}
			if best > c.by*1.05 {
				t.Errorf("%s: point %d lies %.2f from the path, allowed are %.2f", c.name, i, best, c.by)
				break
			}
		}
	}
	if Fit(nil, true, 1).Len() != 0 {
		t.Error("nothing has nodes")
	}
}

func TestEllipse(t *testing.T) {
	e := Ellipse{X: 100, Y: 80, Width: 120, Height: 50, Turn: 30}
	if a, want := Area(e), math.Pi*60*25; math.Abs(a-want) > 0.002*want {
		t.Errorf("the area is %v, want %v", a, want)
	}
	sin, cos := math.Sincos(math.Pi / 6)
	for _, p := range flatten(e.path(), true, 1) {
		u, v := (p.X-100)*cos+(p.Y-80)*sin, (p.Y-80)*cos-(p.X-100)*sin
		if r := math.Hypot(u/60, v/25); math.Abs(r-1) > 1e-3 {
			t.Fatalf("%v lies at %v radii", p, r)
		}
	}
	if m := e.Shifted(5, -3).(Ellipse); m.X != 105 || m.Y != 77 || m.Width != 120 {
		t.Errorf("moved: %+v", m)
	}
}

func TestEllipseThrough(t *testing.T) {
	for _, e := range []Ellipse{{X: 100, Y: 80, Width: 120, Height: 50, Turn: 30}, {X: -10, Y: 5, Width: 8, Height: 7.9, Turn: -75}, {X: 3000, Y: 2000, Width: 40, Height: 40}} {
		var p [5]Point
		for i := range p {
			a := []float64{0.1, 1.3, 2.2, 3.9, 5}[i]
			sin, cos := math.Sincos(e.Turn * math.Pi / 180)
			u, v := e.Width/2*math.Cos(a), e.Height/2*math.Sin(a)
			p[i] = Point{e.X + u*cos - v*sin, e.Y + u*sin + v*cos}
		}
		g, ok := EllipseThrough(p[:]...)
		if !ok || math.Hypot(g.X-e.X, g.Y-e.Y) > 1e-4 || math.Abs(g.Width-e.Width) > 1e-3 || math.Abs(g.Height-e.Height) > 1e-3 ||
			e.Width != e.Height && math.Abs(math.Remainder(g.Turn-e.Turn, 180)) > 0.01 {
			t.Errorf("%+v came back as %+v, %v", e, g, ok)
		}
	}
	for _, p := range [][5]Point{{{0, 0}, {1, 1}, {2, 2}, {3, 3}, {4, 4}}, {}, {{-2, 4}, {-1, 0.5}, {1, 0.5}, {2, 4}, {0, -5}}} {
		if e, ok := EllipseThrough(p[:]...); ok && !(e.Width > 0) {
			t.Errorf("%v gave %+v", p, e)
		}
	}
	if _, ok := EllipseThrough([]Point{{1, 1}, {2, 0.5}, {0.5, 2}, {-1, -1}, {-2, -0.5}}...); ok {
		t.Error("a hyperbola came back as an ellipse")
	}
}
