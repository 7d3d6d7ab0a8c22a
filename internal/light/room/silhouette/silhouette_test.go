package silhouette

import (
	"image"
	"math"
	"math/rand/v2"
	"testing"

	"pyrant/internal/base/camera"
)

// cells are those of a grid of w by h where is tells so.
func cells(w, h int, is func(x, y float64) bool) []bool {
	out := make([]bool, w*h)
	for i := range out {
		out[i] = is(float64(i%w)+0.5, float64(i/w)+0.5)
	}
	return out
}

// A disc becomes a ball, a bar a round one, and both together have the depth of each.
func TestThickness(t *testing.T) {
	disc := func(x, y float64) bool { return math.Hypot(x-40, y-40) < 20 }
	bar := func(x, y float64) bool { return math.Abs(y-40) < 6 && x > 40 && x < 110 }
	s := New(cells(120, 80, func(x, y float64) bool { return disc(x, y) || bar(x, y) }), nil,
		image.Rect(0, 0, 120, 80), 1)
	for _, tt := range []struct{ x, y, want float64 }{
		{40, 40, 20}, {40, 28, 16}, {28, 40, 16}, {90, 40, 6}, {90, 43, math.Sqrt(27)}, {5, 5, 0},
		{90, 60, 0},
	} {
		if h, _, _ := s.Thickness(tt.x, tt.y); math.Abs(h-tt.want) > 1.2 {
			t.Errorf("at %v, %v it is %.2f thick, want %.2f", tt.x, tt.y, h, tt.want)
		}
	}
	if _, dx, dy := s.Thickness(28, 40); dx < 0.5 || math.Abs(dy) > 0.1 {
		t.Errorf("left of the ball's middle it rises by %.2f, %.2f", dx, dy)
	}
	if math.Abs(s.Tall-20) > 1.2 {
		t.Errorf("its largest thickness is %.2f", s.Tall)
	}
}

// The picture's edge is no outline, and neither is what crosses a thing; but there the thing is
// not.
func TestNoOutline(t *testing.T) {
	half := New(cells(60, 60, func(x, _ float64) bool { return x < 30 }), nil, image.Rect(0, 0, 60,
		60), 1)
	if h, _, _ := half.Thickness(10, 30); math.Abs(h-30) > 3 {
		t.Errorf("cut off by the picture's edge, it is %.1f thick; of what is seen of it, 30 are", h)
	}
	disc := cells(80, 80, func(x, y float64) bool { return math.Hypot(x-40, y-40) < 20 })
	strip := cells(80, 80, func(x, _ float64) bool { return math.Abs(x-40) < 3 })
	crossed := New(disc, strip, image.Rect(0, 0, 80, 80), 1)
	whole := New(disc, nil, image.Rect(0, 0, 80, 80), 1)
	for _, x := range []float64{30, 40, 50} {
		a, _, _ := crossed.Thickness(x, 40)
		b, _, _ := whole.Thickness(x, 40)
		if math.Abs(a-b) > 0.5 {
			t.Errorf("at %v it is %.1f thick where something crosses it, else %.1f", x, a, b)
		}
	}
	cam := camera.Level(80, 80, 20, 0, 80)
	card := camera.Plane{N: camera.Vec{Z: -1}, D: -5}
	at := camera.Vec{Z: 5}
	if c := Stand(crossed, &cam, card, 5).Clear(at); c <= 0 {
		t.Errorf("where something crosses it the thing still is, by %.3f", -c)
	}
	if c := Stand(whole, &cam, card, 5).Clear(at); c > -1 {
		t.Errorf("in the middle of the whole it is clear by %.3f", c)
	}
}

func worst(b *Body, x, d camera.Vec, near, far, begin, end float64) float64 {
	var w Ways
	w.Add(x, d, near, far, end)
	b.Worst(&w, Way{Skip: begin * d.Len()})
	return w.Worst(0)
}

// A ball hides what a ball hides: ways at known distances from its middle.
func TestWorst(t *testing.T) {
	cam := camera.Level(200, 200, 60, 0, 200)
	shape := New(cells(200, 200, func(x, y float64) bool { return math.Hypot(x-100, y-100) < 30 }),
		nil, image.Rect(0, 0, 200, 200), 1)
	b := Stand(shape, &cam, camera.Plane{N: camera.Vec{Z: -1}, D: -4}, 4) // radius 30·4/200 = 0.6
	const cone = 0.2
	for _, tt := range []struct {
		name string
		a, b camera.Vec
		gap  float64 // from the middle
	}{
		{"across", camera.Vec{X: -3, Z: 4}, camera.Vec{X: 3, Z: 4}, 0},
		{"along the view", camera.Vec{X: 0.1, Z: 1}, camera.Vec{X: 0.1, Z: 8}, 0.1},
		{"grazing before it", camera.Vec{X: -3, Z: 3.4}, camera.Vec{X: 3, Z: 3.4}, 0.6},
		{"well behind", camera.Vec{X: -3, Z: 5}, camera.Vec{X: 3, Z: 5}, 1},
		{"ends before it", camera.Vec{X: -3, Z: 4}, camera.Vec{X: -1, Z: 4}, 1},
	} {
		want := math.Max(math.Min((0.6-tt.gap)/cone, 1), -1)
		if got := worst(b, tt.a, tt.b.Sub(tt.a), cone, cone, 0, 1); math.Abs(got-want) > 0.35 {
			t.Errorf("%s: %.2f, want %.2f", tt.name, got, want)
		}
	}
	for _, part := range [][2]float64{{0, 0.3}, {0.7, 1}, {0.6, 0.4}} {
		if got := worst(b, camera.Vec{X: -3, Z: 4}, camera.Vec{X: 6}, cone, cone, part[0],
			part[1]); got != -1 {
			t.Errorf("of what lies beyond %v of the way %.2f counts", part, got)
		}
	}
}

// A way that begins within a body is hidden by it at once, or counts from where it leaves it: then
// only what it meets again hides it.
func TestOutside(t *testing.T) {
	cam := camera.Level(200, 200, 60, 0, 200)
	two := func(x, y float64) bool {
		return math.Abs(y-100) < 15 && (math.Abs(x-60) < 15 || math.Abs(x-140) < 15)
	}
	b := Stand(New(cells(200, 200, two), nil, image.Rect(0, 0, 200, 200), 1), &cam,
		camera.Plane{N: camera.Vec{Z: -1}, D: -4}, 4)
	within := camera.Vec{X: -0.8, Z: 4}
	for _, tt := range []struct {
		name    string
		d       camera.Vec
		outside bool
		hidden  bool
	}{
		{"out of it and away", camera.Vec{Y: -2}, false, true},
		{"out of it and away, from outside", camera.Vec{Y: -2}, true, false},
		{"through the other, from outside", camera.Vec{X: 3}, true, true},
		{"never out of it, from outside", camera.Vec{X: 0.1}, true, false},
	} {
		var w Ways
		w.Add(within, tt.d, 0.02, 0.02, 1)
		if b.Worst(&w, Way{Outside: tt.outside}); w.Worst(0) > 0 != tt.hidden {
			t.Errorf("%s: %v", tt.name, w.Worst(0))
		}
	}
}

// What Worst finds in long steps is what many small ones find; what it says is beside is.
func TestWorstAgainstSmallSteps(t *testing.T) {
	cam := camera.Level(200, 200, 60, 0, 200)
	figure := func(x, y float64) bool {
		return math.Hypot(x-100, y-60) < 14 || math.Abs(x-100) < 20 && y > 70 && y < 150 ||
			math.Abs(y-90) < 6 && x > 60 && x < 150
	}
	b := Stand(New(cells(120, 140, func(x, y float64) bool { return figure(x+40, y+30) }), nil,
		image.Rect(40, 30, 160, 170), 1), &cam, camera.Plane{N: camera.Vec{Z: -1}, D: -4}, 4)
	rng := rand.New(rand.NewPCG(5, 6))
	touched, off := 0, 0
	const ways = 400
	for range ways {
		x := camera.Vec{X: rng.Float64()*4 - 2, Y: rng.Float64()*4 - 2, Z: 2 + rng.Float64()*4}
		y := camera.Vec{X: rng.Float64()*4 - 2, Y: rng.Float64()*4 - 2, Z: 2 + rng.Float64()*4}
		d := y.Sub(x)
		near, far := 0.02+rng.Float64()*0.1, 0.02+rng.Float64()*0.1
		want := -1.0
		for i := range 4000 {
			s := (float64(i) + 0.5) / 4000
			want = math.Max(want, -b.Clear(x.Add(d.Mul(s)))/(near+(far-near)*s))
		}
		want = math.Min(want, 1)
		got := worst(b, x, d, near, far, 0, 1)
		if want > -1 {
			touched++
		}
		if math.Abs(got-want) > 0.3 {
			off++
		}
	}
	if touched < ways/8 || off > ways/50 {
		t.Errorf("of %d ways %d touch it, and %d are told otherwise than by small steps", ways, touched, off)
	}
	if b.Mid.Sub(camera.Vec{X: 0.1, Y: 0, Z: 4}).Len() > 0.6 ||
		b.Clear(b.Mid.Add(camera.Vec{X: b.Round})) < 0 {
		t.Errorf("the ball round it lies at %v and has a radius of %v", b.Mid, b.Round)
	}
}

// The front of a ball lies on it, and faces away from its middle.
func TestSurface(t *testing.T) {
	cam := camera.Level(200, 200, 60, 0, 200)
	b := Stand(New(cells(200, 200, func(x, y float64) bool {
		return math.Hypot(x-100, y-100) < 40
	}), nil, image.Rect(0, 0, 200, 200), 1), &cam, camera.Plane{N: camera.Vec{Z: -1}, D: -5}, 5)
	mid := camera.Vec{Z: 5}
	for _, p := range [][2]float64{{100, 100}, {120, 100}, {100, 76}, {84, 112}, {128, 124}} {
		at, n, ok := b.Surface(p[0], p[1])
		out := camera.Vec{X: (p[0] - 100) / 200 * 5, Y: (p[1] - 100) / 200 * 5}
		out.Z = -math.Sqrt(math.Max(1-out.Dot(out), 0))
		if !ok || math.Abs(at.Sub(mid).Len()-1) > 0.06 || n.Dot(out) < 0.99 ||
			math.Abs(n.Len()-1) > 1e-9 {
			t.Errorf("at %v the front lies at %v and faces %v, a ball there %v", p, at, n, out)
		}
	}
	// Beyond the grid it is told nearer than it is, never farther.
	if math.Abs(b.Clear(mid.Add(camera.Vec{Y: 2}))-1) > 0.08 ||
		b.Clear(mid.Add(camera.Vec{X: 3})) < 1.5 || b.Clear(mid.Add(camera.Vec{X: 3})) > 2 ||
		math.Abs(b.Clear(mid)+1) > 0.08 {
		t.Errorf("2 and 3 from its middle it is clear by %.2f and %.2f, in it by %.2f",
			b.Clear(mid.Add(camera.Vec{Y: 2})), b.Clear(mid.Add(camera.Vec{X: 3})), b.Clear(mid))
	}
}

// A bar that leans a little, whose outline goes on in steps, is as round all along: no lines run
// across it. And where it is as wide as a few cells it is no flatter than a thick one.
func TestSteps(t *testing.T) {
	for _, half := range []float64{4, 12, 25} {
		for _, lean := range []float64{0, 0.03, 0.1} {
			s := New(cells(120, 300,
				func(x, y float64) bool {
					return math.Abs(x-60-lean*(y-150)) < half && y > 20 && y < 280
				}), nil, image.Rect(0, 0, 120, 300), 1)
			low, high := math.Inf(1), math.Inf(-1)
			for y := 120.0; y < 180; y += 0.5 {
				h, dx, dy := s.Thickness(60+lean*(y-150)+0.5*half, y)
				low, high = math.Min(low, dy), math.Max(high, dy)
				// Of a round bar the slope is how far aside, of the nearer of its two middle cells,
				// by how thick it is there.
				if want := -(0.5*half - 0.5) / h; math.Abs(dx-want) > 0.15 {
					t.Fatalf("half %v, lean %v: at %v it falls by %.3f to the side, want %.3f", half, lean, y, dx, want)
				}
			}
			if high-low > 0.13 {
				t.Errorf("half %v, lean %v: along it, it rises by %.3f to %.3f", half, lean, low, high)
			}
		}
	}
}

// facing returns what Facing writes for the second of two points in a row.
func facing(b *Body, l Lean, x, y float64) camera.Vec {
	row := make([]float32, 6)
	b.Facing(row, []Lean{{Ahead: 1}, l}, x-0.5, y, 0.5)
	return camera.Vec{X: float64(row[1]), Y: float64(row[3]), Z: float64(row[5])}
}

// What lies is seen from above and a little from its side: its rim faces outwards, and folds on it
// count in full.
func TestLying(t *testing.T) {
	cam := camera.Level(200, 200, 20, 0, 200)
	foot, _ := cam.Floor(100, 120)
	b := Stand(New(cells(200, 200, func(x, y float64) bool {
		return math.Hypot((x-100)/40, (y-120)/20) < 1
	}), nil, image.Rect(0, 0, 200, 200), 1), &cam, cam.FloorPlane(), foot.Z)
	b.Flat = true
	side := cam.Level(camera.Vec{Z: 1})
	at := func(x, y float64) (right, ahead, up float64) {
		_, n, ok := b.Surface(x, y)
		if f := facing(b, b.Lean(x, y, 1e-3, 1, nil), x, y); !ok || math.Abs(n.Len()-1) > 1e-9 ||
			f.Dot(n) < 0.9999 {
			t.Fatalf("at %v, %v it faces %v, a pixel %v", x, y, n, f)
		}
		return n.X, n.Dot(side), n.Dot(cam.Up)
	}
	x, z, up := at(100, 120)
	if math.Abs(x) > 0.02 || z > -0.4 || z < -0.7 || up < 0.7 {
		t.Errorf("its middle faces %.2f to the right, %.2f ahead and %.2f up", x, z, up)
	}
	if l, _, _ := at(68, 120); l > -0.15 {
		t.Errorf("its left side faces %.2f to the right", l)
	}
	if r, _, _ := at(132, 120); r < 0.15 {
		t.Errorf("its right side faces %.2f to the right", r)
	}
	_, far, _ := at(100, 106)
	_, near, _ := at(100, 134)
	if far < z+0.03 || near > z-0.03 {
		t.Errorf("its far side faces %.2f ahead, its middle %.2f, its near side %.2f", far, z, near)
	}
	n := facing(b, b.Lean(100, 120, 1e-3, 1, func(_, _ float64) (float64, float64) {
		return 0.5, 0
	}), 100, 120)
	if got := -n.X / n.Dot(cam.Up); math.Abs(got-0.5) > 0.02 {
		t.Errorf("a fold that rises by 0.5 leans by %.2f", got)
	}
}

// Relief turns a front aside, by the mean of what it is over a square.
func TestFacingWithRelief(t *testing.T) {
	disc := cells(80, 80, func(x, y float64) bool { return math.Hypot(x-40, y-40) < 20 })
	cam := camera.Level(80, 80, 20, 0, 80)
	b := Stand(New(disc, nil, image.Rect(0, 0, 80, 80), 1), &cam, camera.Plane{N: camera.Vec{Z: -1},
		D: -5}, 5)
	tilt := func(relief func(x, y float64) (dx, dy float64), parts int) (right, down float64) {
		n := facing(b, b.Lean(39, 39, 2, parts, relief), 40, 40)
		return n.X / -n.Z, n.Y / -n.Z
	}
	if x, y := tilt(nil, 4); math.Hypot(x, y) > 0.1 {
		t.Fatalf("the middle of a ball faces %.3f, %.3f", x, y)
	}
	for _, parts := range []int{1, 4} {
		// What grows thicker to the right faces left.
		if x, y := tilt(func(_, _ float64) (float64, float64) { return 0.5, -0.2 },
			parts); math.Abs(x+0.5) > 0.1 || math.Abs(y-0.2) > 0.1 {
			t.Errorf("in %d parts a slope of 0.5, -0.2 turns it to %.3f, %.3f", parts, x, y)
		}
	}
	folds := func(x, _ float64) (float64, float64) {
		return math.Copysign(0.8, math.Sin(2*math.Pi*x)), 0
	}
	if x, y := tilt(folds, 4); math.Hypot(x, y) > 0.1 {
		t.Errorf("folds finer than the square turn it to %.3f, %.3f", x, y)
	}
}

// How far a place is clear of a body is about how far it is from the nearest of all balls that fit
// into its outline, before and behind its card as well. (Which ball counts is that of the place on
// the card, not always the nearest.)
func TestClear(t *testing.T) {
	const w, h = 120, 80
	covered := cells(w, h, func(x, y float64) bool {
		return math.Hypot(x-40, y-40) < 20 || math.Abs(y-40) < 5 && x > 40 && x < 100
	})
	type ball struct{ x, y, r float64 }
	var balls []ball
	for i, c := range covered {
		if !c {
			continue
		}
		r := math.Inf(1)
		for j, d := range covered {
			if !d {
				r = math.Min(r, math.Hypot(float64(i%w-j%w), float64(i/w-j/w))-0.5)
			}
		}
		balls = append(balls, ball{float64(i%w) + 0.5, float64(i/w) + 0.5, r})
	}
	cam := camera.Level(w, h, 30, 0, 400)
	// a cell is 1
	b := Stand(New(covered, nil, image.Rect(0, 0, w, h), 1), &cam,
		camera.Plane{N: camera.Vec{Z: -1}, D: -400}, 400)
	rng := rand.New(rand.NewPCG(11, 12))
	sum := 0.0
	const places = 3000
	for range places {
		x, y, z := rng.Float64()*w, rng.Float64()*h, rng.Float64()*16-8
		// Along the ray of the camera a place before the card lies beside that of its pixel; asked
		// for is the pixel's.
		p := camera.Vec{X: x - cam.CX, Y: y - cam.CY, Z: 400}.Mul((400 + z) / 400)
		want := math.Inf(1)
		for _, c := range balls {
			want = math.Min(want, math.Sqrt((x-c.x)*(x-c.x)+(y-c.y)*(y-c.y)+z*z)-c.r)
		}
		if want < -3 {
			continue
		}
		sum += math.Abs(b.Clear(p) - want)
	}
	if sum/places > 0.3 {
		t.Errorf("it is told wrongly by %.2f cells", sum/places)
	}
}
