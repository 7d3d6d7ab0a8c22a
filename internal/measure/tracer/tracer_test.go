package tracer

import (
	"math"
	"math/rand/v2"
	"testing"

	"pyrant/internal/base/camera"
)

func near(t *testing.T, what string, got, want, most float64) {
	t.Helper()
	if !(math.Abs(got-want) <= most*math.Abs(want)) {
		t.Errorf("%s: %g, want %g within %g", what, got, want, most)
	}
}

var down = camera.Vec{Y: 1} // as a camera sees it: Y goes down

func floor() Sheet {
	return Sheet{P: camera.Vec{X: -50, Y: 1, Z: -50}, U: camera.Vec{X: 100}, V: camera.Vec{Z: 100}}
}

// mean is the mean of many samples of what comes from a direction.
func mean(s *Source, d camera.Vec, bounces, n int, r *rand.Rand) float64 {
	sum := 0.0
	for range n {
		sum += s.Radiance(camera.Vec{}, d, bounces, r)
	}
	return sum / float64(n)
}

// Under a sky that is the same everywhere a matt plane is as bright as the sky times its albedo,
// and two planes that see each other and the sky are brighter for that: a corner of two endless
// planes sees half of the sky.
func TestSky(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	s := &Scene{Parts: []Part{{Body: floor(), Albedo: func(camera.Vec) float64 { return 0.6 }}},
		Sky: func(d camera.Vec) float64 {
			if d.Y < 0 {
				return 1
			}
			return 0
		}}
	s.Ready()
	near(t, "an open floor", mean(s.Source("", 0, 0, r), down, 3, 100, r), 0.6, 1e-9)
	if v := mean(s.Source("", 0, 0, r), down.Mul(-1), 3, 10, r); v != 1 {
		t.Errorf("the sky itself is %g", v)
	}
	// A wall of height a at a distance b takes from the floor's sky what is seen of it: (1 -
	// b/sqrt(a²+b²))/2.
	s.Parts = append(s.Parts, Part{Body: Sheet{P: camera.Vec{X: -50, Y: 1, Z: 0.75},
		U: camera.Vec{X: 100}, V: camera.Vec{Y: -1}},
		Albedo: func(camera.Vec) float64 { return 0 }})
	s.Ready()
	near(t, "before a black wall", mean(s.Source("", 0, 0, r), down, 3, 40000, r), 0.6*(1-(1-0.75/1.25)/2), 0.01)
}

// The sun gives its irradiance by the cosine, and nothing where something stands before it.
func TestSun(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	s := &Scene{Parts: []Part{{Body: floor()}}, Sun: camera.Vec{X: 0.6, Y: -0.8}, Glare: math.Pi}
	s.Ready()
	near(t, "in the sun", mean(s.Source("", 0, 0, r), down, 0, 10, r), 0.5*0.8, 1e-9)
	s.Parts = append(s.Parts, Part{Body: Ball{C: camera.Vec{X: 3, Y: -3}, R: 0.2}})
	s.Ready()
	if v := mean(s.Source("", 0, 0, r), down, 0, 10, r); v != 0 {
		t.Errorf("in the shade of a ball: %g", v)
	}
}

// A ball of radiance 1 gives pi·(R/d)²·cos to a place (Lambert), a long tube pi·R/d to what lies
// under its middle and faces it, a small sheet its area by the square of the distance.
func TestShiners(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 3))
	for _, tt := range []struct {
		name string
		body Shiner
		want float64 // irradiance by pi at (0, 1, 0)
	}{
		{"ball", Ball{C: camera.Vec{X: 3, Y: -3}, R: 0.5}, 0.25 / 25 * 0.8},
		{"tube", Pill{A: camera.Vec{X: -2000, Y: -1}, B: camera.Vec{X: 2000, Y: -1}, R: 0.1}, 0.1 / 2},
		{"sheet", Sheet{P: camera.Vec{X: -0.01, Y: -3, Z: -0.01}, V: camera.Vec{Z: -0.02},
			U: camera.Vec{X: 0.02}}, 0.0004 / 16 / math.Pi},
		{"the sheet's back", Sheet{P: camera.Vec{X: -0.01, Y: -3, Z: -0.01},
			U: camera.Vec{Z: -0.02}, V: camera.Vec{X: 0.02}}, 0},
	} {
		s := &Scene{Parts: []Part{{Body: floor(), Albedo: func(camera.Vec) float64 { return 1 }},
			{Body: tt.body, Shines: "it"}}}
		s.Ready()
		src := s.Source("it", 0, 0, r)
		near(t, tt.name, mean(src, down, 1, 10000, r), tt.want, 0.02)
		if v := mean(s.Source("another", 0, 0, r), down, 1, 10, r); v != 0 {
			t.Errorf("%s: another light gives %g", tt.name, v)
		}
	}
}

// Samples of a tube or a ball for a place near to it give what samples of all of its area give.
func TestFacing(t *testing.T) {
	if testing.Short() {
		t.Skip("nothing of it is kept between goroutines")
	}
	r := rand.New(rand.NewPCG(7, 8))
	ball := Ball{C: camera.Vec{X: 0.3, Y: 0.2}, R: 0.3}
	pill := Pill{A: camera.Vec{X: -0.4, Y: 0.3, Z: 0.1}, B: camera.Vec{X: 0.9, Y: 0.5, Z: -0.2},
		R: 0.05}
	for i, from := range []camera.Vec{{Y: 1}, {X: -0.7, Y: 0.6}, {X: 3, Y: 2}, {Y: 1},
		{X: 0.3, Y: 0.55}, {X: 2, Y: 0.3}} {
		body, name := Facing(pill), "a tube"
		if i > 2 {
			body, name = ball, "a ball"
		}
		give := func(p, n camera.Vec) float64 {
			d := p.Sub(from)
			return math.Max(-d.Y, 0) * math.Max(-n.Dot(d), 0) / (d.Dot(d) * d.Dot(d))
		}
		var all, facing float64
		const many = 400000
		for range many {
			p, n := body.At(r.Float64(), r.Float64())
			all += give(p, n) * body.Area() / many
			p, n, a := body.For(from, r.Float64(), r.Float64())
			facing += give(p, n) * a / many
		}
		near(t, name, facing, all, 0.01)
	}
}

// What bounces is the same by echoes, by rays, and by both.
func TestEchoes(t *testing.T) {
	if testing.Short() {
		t.Skip("nothing of it is kept between goroutines")
	}
	lamp := Ball{C: camera.Vec{X: 0.5, Y: 0.3, Z: 1.4}, R: 0.1}
	s := &Scene{Parts: []Part{
		{Body: floor(), Albedo: func(camera.Vec) float64 { return 0.5 }},
		{Body: Sheet{P: camera.Vec{X: -50, Y: 1, Z: 2}, U: camera.Vec{X: 100},
			V: camera.Vec{Y: -4}}, Albedo: func(camera.Vec) float64 { return 0.8 }},
		{Body: lamp, Shines: "lamp", Albedo: func(camera.Vec) float64 { return 0 }},
	}}
	s.Ready()
	to := camera.Vec{Y: 1, Z: 1.2}.Unit()
	by := func(echoes int, apart float64) float64 {
		r := rand.New(rand.NewPCG(3, 4))
		src := s.Source("lamp", echoes, apart, r)
		straight := mean(s.Source("lamp", 0, 0, r), to, 1, 40000, r)
		return mean(src, to, 1, 400000, r) - straight
	}
	rays := by(0, 1e9)
	if rays < 1e-4 {
		t.Fatalf("%g comes back from the wall", rays)
	}
	near(t, "by echoes", by(100000, 0), rays, 0.02)
	near(t, "by both", by(100000, 1), rays, 0.02)
}

// Rays meet bodies on their surfaces, from outside and from inside, and only between near and far;
// places of a body lie on it, and within its bound.
func TestBodies(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	vec := func() camera.Vec {
		return camera.Vec{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()}
	}
	ball := Ball{C: camera.Vec{X: 0.2}, R: 0.7}
	pill := Pill{A: camera.Vec{X: -0.5, Y: 0.3}, B: camera.Vec{X: 0.4, Z: 0.6}, R: 0.3}
	block := Block{C: camera.Vec{Y: 0.1}, H: [3]camera.Vec{{X: 0.6, Y: 0.3}, {X: -0.2, Y: 0.4},
		{Z: 0.5}}}
	sheet := Sheet{P: camera.Vec{X: -0.5, Y: -0.5}, U: camera.Vec{X: 1, Z: 0.3},
		V: camera.Vec{Y: 1.2}}
	for _, tt := range []struct {
		name string
		body Body
		off  func(p camera.Vec) float64 // how far from the surface
	}{
		{"ball", ball, func(p camera.Vec) float64 { return p.Sub(ball.C).Len() - ball.R }},
		{"pill", pill, func(p camera.Vec) float64 {
			l := pill.B.Sub(pill.A)
			k := min(max(p.Sub(pill.A).Dot(l)/l.Dot(l), 0), 1)
			return p.Sub(pill.A.Add(l.Mul(k))).Len() - pill.R
		}},
		{"block", block, func(p camera.Vec) float64 {
			d := math.Inf(-1)
			for _, h := range block.H {
				d = max(d, math.Abs(p.Sub(block.C).Dot(h.Unit()))-h.Len())
			}
			return d
		}},
		{"sheet", sheet,
			func(p camera.Vec) float64 {
				return p.Sub(sheet.P).Dot(sheet.U.Cross(sheet.V).
					Unit())
			}},
	} {
		met, missed := 0, 0
		b := tt.body.Bound()
		for range 20000 {
			o, d := vec(), vec().Unit()
			at, n, ok := tt.body.Hit(o, d, 0.01, 3)
			if !ok {
				missed++
				// No place of the way lies inside of what it goes past.
				for i := range 20 {
					if p := o.Add(d.Mul(0.02 + float64(i)*0.14)); tt.name != "sheet" &&
						tt.off(p) < 0 && tt.off(o.Add(d.Mul(3))) > 0 {
						t.Fatalf("%s: a ray from %v along %v is let through", tt.name, o, d)
					}
				}
				continue
			}
			met++
			p := o.Add(d.Mul(at))
			if at <= 0.01 || at >= 3 || math.Abs(tt.off(p)) > 1e-9 || math.Abs(n.Len()-1) > 1e-9 {
				t.Fatalf("%s: met at %g, %g off its surface, normal of %g", tt.name, at, tt.off(p), n.Len())
			}
			if p.Sub(b.C).Len() > b.R+1e-9 {
				t.Fatalf("%s: %v lies outside of its bound", tt.name, p)
			}
			if e := 1e-5; math.Abs(math.Abs(tt.off(p.Add(n.Mul(e))))-e) > 1e-8 {
				t.Fatalf("%s: %v is not square to the surface", tt.name, n)
			}
		}
		if met < 500 || missed < 500 {
			t.Errorf("%s: %d met, %d missed", tt.name, met, missed)
		}
		if s, ok := tt.body.(Shiner); ok {
			for range 1000 {
				p, n := s.At(r.Float64(), r.Float64())
				if math.Abs(tt.off(p)) > 1e-9 || math.Abs(n.Len()-1) > 1e-9 {
					t.Fatalf("%s: the place %v is not on it", tt.name, p)
				}
			}
		}
	}
	near(t, "area of the ball", ball.Area(), 4*math.Pi*0.49, 1e-12)
	near(t, "area of the sheet", sheet.Area(), 1.2*math.Hypot(1, 0.3), 1e-12)
}
