package camera

import (
	"math"
	"math/rand/v2"
	"testing"
)

// shot is a camera of a photo of 1500 by 1000 pixels, pitched down by so many degrees and rolled.
func shot(view, pitch, roll float64) Camera {
	f := FocalOf(view, 1500)
	return Level(1500, 1000, 500-f*math.Tan(pitch*math.Pi/180), roll, f)
}

// rectangle is where the corners of a rectangle on the floor are seen: its middle so far to the
// right and ahead, turned.
func rectangle(t *testing.T, c Camera, right, ahead, w, h, turn float64) (out [4]Point) {
	t.Helper()
	fore := c.Level(Vec{Z: 1})
	side := fore.Cross(c.Up)
	if side.X < 0 {
		side = side.Mul(-1)
	}
	s, co := math.Sincos(turn)
	for i, k := range [4][2]float64{{-1, -1}, {1, -1}, {1, 1}, {-1, 1}} {
		u, v := k[0]*w/2, k[1]*h/2
		p := side.Mul(right + u*co - v*s).Add(fore.Mul(ahead + u*s + v*co)).Sub(c.Up)
		x, y, ok := c.Project(p)
		if !ok {
			t.Fatal("a corner lies behind the camera")
		}
		out[i] = Point{x, y}
	}
	return out
}

// A camera is found again from the corners of a rectangle: exactly, its focal length within 2 %;
// with corners 2 px off, within 10 %.
func TestCalibrate(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for _, view := range []float64{40, 53, 65} {
		for _, turn := range []float64{0.2, 0.6} {
			c := shot(view, 9, 1.5)
			corners := rectangle(t, c, 0.2, 3.2, 1.6, 2.2, turn)
			got, fit, ok := Calibrate(corners, 1500, 1000, FocalOf(Usual, 1500), UsualSpread)
			if !ok || math.Abs(fit.Focal/c.F-1) > 1e-6 || got.Up.Sub(c.Up).Len() > 0.02 {
				t.Fatalf("view %v, turned %v: %v, %+v instead of %+v", view, turn, fit, got, c)
			}
			// The usual view draws what the corners hardly tell to itself.
			if fit.Spread < 0.05 && math.Abs(got.F/c.F-1) > 0.02 {
				t.Errorf("view %v, turned %v: focal length %.0f instead of %.0f with a spread of %.3f", view, turn, got.F, c.F, fit.Spread)
			}
			if math.Abs(got.Horizon(750)-c.Horizon(750)) > 0.5 {
				t.Errorf("horizon at %.1f instead of %.1f", got.Horizon(750), c.Horizon(750))
			}
			if view != Usual {
				continue
			}
			off := 0.0
			const trials = 300
			for range trials {
				moved := corners
				for i := range moved {
					a := rng.Float64() * 2 * math.Pi
					moved[i].X += 2 * math.Cos(a)
					moved[i].Y += 2 * math.Sin(a)
				}
				got, _, ok := Calibrate(moved, 1500, 1000, FocalOf(Usual, 1500), UsualSpread)
				if !ok {
					t.Fatalf("no camera from %v", moved)
				}
				off += math.Pow(math.Log(got.F/c.F), 2) / trials
			}
			if off = math.Sqrt(off); off > 0.08 {
				t.Errorf("with corners 2 px off the focal length is off by %.3f", off)
			}
		}
	}
	// Seen straight, the corners do not tell the focal length: the usual one is taken.
	got, fit, ok := Calibrate([4]Point{{500, 800}, {1000, 800}, {900, 600}, {600, 600}}, 1500, 1000,
		1400, UsualSpread)
	if !ok || got.F != 1400 || !math.IsInf(fit.Spread, 1) || math.Abs(got.Up.X) > 1e-9 {
		t.Errorf("seen straight: %+v, %+v", got, fit)
	}
}

func TestCrossing(t *testing.T) {
	for _, tt := range []struct {
		name string
		c    [4]Point
		bad  bool
	}{
		{"one way round", [4]Point{{0, 10}, {10, 10}, {8, 0}, {2, 0}}, false},
		{"the other way", [4]Point{{2, 0}, {8, 0}, {10, 10}, {0, 10}}, false},
		{"sides that cross", [4]Point{{0, 10}, {10, 10}, {2, 0}, {8, 0}}, true},
		{"folded in", [4]Point{{0, 10}, {10, 10}, {8, 0}, {7, 8}}, true},
		{"two in one", [4]Point{{0, 10}, {0, 10}, {8, 0}, {2, 0}}, true},
	} {
		if got := Crossing(tt.c); (got >= 0) != tt.bad {
			t.Errorf("%s: corner %d", tt.name, got)
		}
	}
	if got := Crossing([4]Point{{0, 10}, {10, 10}, {8, 0}, {7, 8}}); got != 3 {
		t.Errorf("of a quadrangle folded in at its fourth corner, corner %d is named", got)
	}
}

// What is projected is seen again on the floor, above a foot, on a wall.
func TestPlaces(t *testing.T) {
	c := shot(60, 12, -2)
	for _, p := range []Point{{200, 900}, {1400, 700}, {750, 990}} {
		v, ok := c.Floor(p.X, p.Y)
		if !ok || math.Abs(c.Height(v)) > 1e-9 {
			t.Fatalf("the floor at %v: %v", p, v)
		}
		if x, y, _ := c.Project(v); math.Hypot(x-p.X, y-p.Y) > 1e-6 {
			t.Errorf("%v is seen at %v, %v", p, x, y)
		}
		above := v.Add(c.Up.Mul(0.7))
		x, y, _ := c.Project(above)
		if got, ok := c.Above(v, x, y); !ok || got.Sub(above).Len() > 1e-9 ||
			c.Drop(got).Sub(v).Len() > 1e-9 {
			t.Errorf("0.7 over %v: %v", v, got)
		}
	}
	if _, ok := c.Floor(750, c.Horizon(750)-1); ok {
		t.Error("there is floor above the horizon")
	}
	if _, ok := c.Floor(750, c.Horizon(750)+1); !ok {
		t.Error("there is no floor below the horizon")
	}
	a, _ := c.Floor(300, 700)
	b, _ := c.Floor(1200, 690)
	w, ok := c.Upright(a, b)
	if !ok || math.Abs(w.Side(a)) > 1e-9 || math.Abs(w.Side(b.Add(c.Up))) > 1e-9 ||
		w.Side(Vec{}) <= 0 {
		t.Errorf("wall %+v", w)
	}
	if _, ok := c.Upright(a, a); ok {
		t.Error("a wall of one point")
	}
}

// The deepest place of a way through a box is found, and how far one beside it passes.
func TestPrism(t *testing.T) {
	up := Vec{Y: -1}
	s := NewPrism(up, []Vec{{-1, 0, 4}, {1, 0, 4}, {1, 0, 6}, {-1, 0, 6}}, 1) // from Y 0 down to 1
	for _, tt := range []struct {
		name   string
		a, b   Vec
		margin float64
		want   float64
	}{
		{"through the middle", Vec{0, 0.5, 0}, Vec{0, 0.5, 10}, 1, 0.5},
		{"along the top", Vec{0, -0.2, 0}, Vec{0, -0.2, 10}, 1, -0.2},
		{"down to its floor", Vec{0, -1, 5}, Vec{0, 0.25, 5}, 1, 0.25},
		{"beside it", Vec{1.5, 0.5, 0}, Vec{1.5, 0.5, 10}, 1, -0.5},
	} {
		if got, _ := s.Deep(tt.a, tt.b.Sub(tt.a), tt.margin); math.Abs(got-tt.want) > 2e-3 {
			t.Errorf("%s: %.4f, want %.4f", tt.name, got, tt.want)
		}
	}
	if got, _ := s.Deep(Vec{3, 0.5, 0}, Vec{0, 0, 10}, 0.5); got > -0.5 {
		t.Errorf("what passes at 2 with a margin of 0.5 is said to come to %v", got)
	}
}

// How deep a way is in a prism is how far it may be moved aside, in whichever direction, until it
// misses it: of what is thin as of what is thick, and for one that passes beside, how far it has to
// be moved to meet it.
func TestPrismAcross(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	some := func(most float64) float64 { return (2*rng.Float64() - 1) * most }
	inside, beside := 0, 0
	for range 4000 {
		thick := []float64{0.03, 0.2, 1}[rng.IntN(3)]
		x, z := 0.5+rng.Float64(), 0.5+rng.Float64()
		s := NewPrism(Vec{Y: -1}, []Vec{{-x, 0, 5 - z}, {x, 0, 5 - z}, {x, 0, 5 + z},
			{-x, 0, 5 + z}}, thick)
		mid := Vec{some(1.3 * x), some(thick), 5 + some(1.3*z)}
		d := Vec{some(1), some(1), some(1)}.Unit()
		a := mid.Sub(d.Mul(20))
		meets := func(off Vec) bool {
			from, to := 0.0, 40.0
			for _, p := range s.Planes {
				k, m := p.D-p.N.Dot(a.Add(off)), -p.N.Dot(d)
				if m > 0 {
					from = math.Max(from, -k/m)
				} else {
					to = math.Min(to, -k/m)
				}
			}
			return from < to
		}
		u := d.Cross(Vec{0.3, 0.5, 0.8}).Unit()
		v := d.Cross(u)
		is := meets(Vec{})
		want := 0.4
		for i := range 180 {
			sin, cos := math.Sincos(float64(i) * math.Pi / 90)
			way := u.Mul(cos).Add(v.Mul(sin))
			low, high := 0.0, want
			if meets(way.Mul(high)) == is {
				continue
			}
			for range 20 {
				if at := (low + high) / 2; meets(way.Mul(at)) == is {
					low = at
				} else {
					high = at
				}
			}
			want = high
		}
		got, at := s.Deep(a, d.Mul(40), 1)
		if is {
			inside++
			if want < 0.4 && math.Abs(got-want) > 1e-4+0.002*want || want == 0.4 && got < 0.4 {
				t.Fatalf("thick %.2f, %.2f by %.2f, through %.2f along %.2f: %.4f deep, want %.4f", thick, x, z, mid, d, got, want)
			}
			if p := a.Add(d.Mul(40 * at)); !s.Holds(p) {
				t.Fatalf("it is to be in it at %v", p)
			}
		} else if want < 0.4 {
			beside++
			if got > 0 || got < -1.001*want || got < -0.02 && got > -0.6*want {
				t.Fatalf("thick %.2f, %.2f by %.2f, past %.2f along %.2f: %.4f deep, want %.4f", thick, x, z, mid, d, got, -want)
			}
		}
	}
	if inside < 500 || beside < 100 {
		t.Errorf("%d ways go through, %d beside", inside, beside)
	}
}

// A field of view and a focal length are two ways to say the same: 90° is half the width.
func TestView(t *testing.T) {
	for _, tt := range []struct{ view, focal float64 }{{90, 750}, {60, 750 * math.Sqrt(3)},
		{120, 750 / math.Sqrt(3)}} {
		if got := FocalOf(tt.view, 1500); math.Abs(got-tt.focal) > 1e-9 {
			t.Errorf("%v° are a focal length of %v, want %v", tt.view, got, tt.focal)
		}
		if got := ViewOf(tt.focal, 1500); math.Abs(got-tt.view) > 1e-9 {
			t.Errorf("a focal length of %v is %v°, want %v", tt.focal, got, tt.view)
		}
	}
}

// A rolled horizon goes through its middle, and rises by the tangent of its angle.
func TestRoll(t *testing.T) {
	c := Level(1500, 1000, 320, 4, 1400)
	for _, x := range []float64{0, 750, 1500} {
		if got, want := c.Horizon(x),
			320+(x-750)*math.Tan(4*math.Pi/180); math.Abs(got-want) > 1e-6 {
			t.Errorf("in column %v the horizon is at %v, want %v", x, got, want)
		}
	}
	if c.Up.Y >= 0 || math.Abs(c.Up.Len()-1) > 1e-12 {
		t.Errorf("up is %v", c.Up)
	}
	// The steadied focal length lies between what the corners say and the usual one, by how sure
	// both are.
	corners := rectangle(t, shot(40, 9, 0), 0.2, 3.2, 1.6, 2.2, 0.6)
	prior := FocalOf(Usual, 1500)
	got, fit, _ := Calibrate(corners, 1500, 1000, prior, UsualSpread)
	a, b := 1/(fit.Spread*fit.Spread), 1/(UsualSpread*UsualSpread)
	if want := math.Exp((a*math.Log(fit.Focal) + b*math.Log(prior)) / (a +
		b)); math.Abs(got.F/want-1) > 1e-9 || fit.Spread < 0.01 {
		t.Errorf("of %v by the corners, sure to %v, and %v as usual comes %v", fit.Focal, fit.Spread, prior, got.F)
	}
}

// A square of the floor before a camera is a square, lies within the photo and tells of the same
// camera; without a floor in sight there is none.
func TestSquare(t *testing.T) {
	const w, h = 1500.0, 1000.0
	for _, heading := range []float64{-40, -3, 0, 25} {
		cam := Level(w, h, 300, 1.5, 1400)
		c, ok := cam.Square(heading, w, h)
		if !ok {
			t.Errorf("no square heads %v degrees", heading)
			continue
		}
		var at [4]Vec
		for i, p := range c {
			if p.X < 0 || p.X > w || p.Y < 300 || p.Y > h {
				t.Errorf("heading %v: corner %v lies outside", heading, p)
			}
			at[i], _ = cam.Floor(p.X, p.Y)
		}
		a, b := at[1].Sub(at[0]), at[3].Sub(at[0])
		if math.Abs(a.Len()-b.Len()) > 1e-6 || math.Abs(a.Dot(b)) > 1e-6 {
			t.Errorf("heading %v: sides of %v and %v, %v to each other", heading, a.Len(), b.Len(), a.Dot(b))
		}
		got, _, ok := Calibrate(c, w, h, 1400, 0.02)
		if !ok || math.Abs(got.F-1400) > 1 || math.Abs(got.Horizon(0)-cam.Horizon(0)) > 1 {
			t.Errorf("heading %v: its corners tell of %v, %v", heading, got, ok)
		}
	}
	up := Level(w, h, 900, 0, 1400)
	if got, ok := up.Square(0, w, h); ok {
		t.Errorf("a camera that looks up sees the square %v", got)
	}
}
