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
	for _, c := range [][2]Point{{{0, 0}, {80, 0}}, {{80, 0}, {80, 80}}, {{80, 80}, {0, 80}},
		{{0, 80}, {0, 0}}} {
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
		{"a circle", ring(300, 0), true, 0.5, 8}, {"a shaky circle", ring(300, 0.8), true, 2, 10},
		{"a square", square, true, 1, 8},
		{"a loose circle", ring(40, 0), true, 6, 4},
		{"a straight line", []Point{{0, 0}, {10, 5}, {20, 10}, {90, 45}}, false, 0.5, 2},
		{"two points", []Point{{0, 0}, {10, 5}}, false, 1, 2},
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
	for _, e := range []Ellipse{{X: 100, Y: 80, Width: 120, Height: 50, Turn: 30},
		{X: -10, Y: 5, Width: 8, Height: 7.9, Turn: -75}, {X: 3000, Y: 2000, Width: 40,
			Height: 40}} {
		var p [5]Point
		for i := range p {
			a := []float64{0.1, 1.3, 2.2, 3.9, 5}[i]
			sin, cos := math.Sincos(e.Turn * math.Pi / 180)
			u, v := e.Width/2*math.Cos(a), e.Height/2*math.Sin(a)
			p[i] = Point{e.X + u*cos - v*sin, e.Y + u*sin + v*cos}
		}
		g, ok := EllipseThrough(p[:]...)
		if !ok || math.Hypot(g.X-e.X, g.Y-e.Y) > 1e-4 || math.Abs(g.Width-e.Width) > 1e-3 ||
			math.Abs(g.Height-e.Height) > 1e-3 ||
			e.Width != e.Height && math.Abs(math.Remainder(g.Turn-e.Turn, 180)) > 0.01 {
			t.Errorf("%+v came back as %+v, %v", e, g, ok)
		}
	}
	for _, p := range [][5]Point{{{0, 0}, {1, 1}, {2, 2}, {3, 3}, {4, 4}}, {}, {{-2, 4}, {-1, 0.5},
		{1, 0.5}, {2, 4}, {0, -5}}} {
		if e, ok := EllipseThrough(p[:]...); ok && !(e.Width > 0) {
			t.Errorf("%v gave %+v", p, e)
		}
	}
	if _, ok := EllipseThrough([]Point{{1, 1}, {2, 0.5}, {0.5, 2}, {-1, -1}, {-2, -0.5}}...); ok {
		t.Error("a hyperbola came back as an ellipse")
	}
}

// Corners that were rounded by whoever drew the line come back as corners, where the sides
// meet; sides that are straight have no arms; and a bend has none of either.
func TestFitFindsCorners(t *testing.T) {
	pentagon := []Point{{100, 80}, {260, 70}, {300, 190}, {180, 260}, {90, 180}}
	var line []Point
	for i, a := range pentagon {
		b := pentagon[(i+1)%5]
		for k := range 60 {
			line = append(line, a.mix(b, float64(k)/60))
		}
	}
	// Rounded: the mean over three points.
	soft := make([]Point, len(line))
	for i := range line {
		for k := -1; k <= 1; k++ {
			soft[i] = soft[i].add(line[(i+k+len(line))%len(line)].mul(1.0 / 3))
		}
	}
	p := Fit(soft, true, 1)
	if p.Len() != 5 {
		t.Fatalf("%d points", p.Len())
	}
	for _, n := range p.All() {
		best := math.Inf(1)
		for _, q := range pentagon {
			best = min(best, Point{n.X, n.Y}.dist(q))
		}
		if best > 0.4 || n.In != [2]float64{} || n.Out != [2]float64{} {
			t.Errorf("a corner lies %.2f off: %+v", best, n)
		}
	}
	// A ball of the same size has bends all round, from whatever point it begins.
	for _, from := range []float64{0, 1, 2.5} {
		var ring []Point
		for i := range 200 {
			sin, cos := math.Sincos(from + 2*math.Pi*float64(i)/200)
			ring = append(ring, Point{100 + 20*cos, 100 + 20*sin})
		}
		for _, n := range Fit(ring, true, 0.5).All() {
			if cross := n.In[0]*n.Out[1] -
				n.In[1]*n.Out[0]; math.Abs(cross) > 0.02*math.Hypot(n.In[0],
				n.In[1])*math.Hypot(n.Out[0], n.Out[1]) || n.Out == [2]float64{} {
				t.Errorf("a corner on a ball: %+v", n)
			}
		}
	}
}

// The area of tubes that taper, whose width changes from point to point, that end straight or
// round, against what they are made of: trapezia, discs, and what two tangents leave of those.
func TestTubeOfManyWidths(t *testing.T) {
	straight := func(x ...float64) Path {
		var nodes []Node
		for _, v := range x {
			nodes = append(nodes, Node{X: v, Y: 50})
		}
		return PathOf(nodes...)
	}
	// Two circles of radii a and b, l apart, with their outer tangents.
	hull := func(a, b, l float64) float64 {
		phi := math.Asin((a - b) / l)
		return math.Sqrt(l*l-(a-b)*(a-b))*(a+b) + a*a*(math.Pi/2+phi) + b*b*(math.Pi/2-phi)
	}
	for _, c := range []struct {
		name string
		tube Tube
		want float64
	}{
		{"even, flat", Tube{Nodes: straight(100, 300), Width: 20, Flat: true}, 4000},
		{"even, round", Tube{Nodes: straight(100, 300), Width: 20}, 4000 + math.Pi*100},
		{"taper to a half, round", Tube{Nodes: straight(100, 300), Width: 20, Taper: 0.5}, hull(10, 5, 200)},
		{"taper from nothing, round", Tube{Nodes: straight(100, 300), Width: 20, Taper: -1}, hull(10, 0, 200)},
		{"wide at one end, round", Tube{Nodes: straight(100, 300), Width: 20, Widths: SharesOf(1, 3)}, hull(10, 30, 200)},
		{"widths of fewer points", Tube{Nodes: straight(100, 200, 300), Width: 20,
			Widths: SharesOf(1), Flat: true}, 4000},
	} {
		if a := Area(c.tube); math.Abs(a-c.want) > 0.002*c.want {
			t.Errorf("%s: an area of %.1f, want %.1f", c.name, a, c.want)
		}
	}
	// A ring that is wider at one place is wider there only, and still has a hole.
	ring := Tube{Width: 10, Closed: true, Widths: SharesOf(1, 1, 2, 1),
		Nodes: PathOf(Node{X: 100, Y: 100}, Node{X: 200, Y: 100}, Node{X: 200, Y: 200},
			Node{X: 100, Y: 200})}
	m := NewMask(Shapes{ring}, 1)
	at := func(x, y int) float32 {
		row := make([]float32, 1)
		m.Fill(row, x, y)
		return row[0]
	}
	if at(100, 150) != 1 || at(108, 150) != 0 || at(190, 195) != 1 || at(150, 150) != 0 ||
		at(150, 92) != 0 {
		t.Error("a ring of several widths covers the wrong pixels")
	}
}
