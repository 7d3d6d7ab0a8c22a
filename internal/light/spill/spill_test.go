package spill

import (
	"context"
	"image"
	"math"
	"testing"

	"pyrant/internal/recipe/shape"
)

var ctx = context.Background()

func box(x0, y0, x1, y1 float64) shape.Shapes {
	return shape.Shapes{shape.Outline{Nodes: shape.PathOf(shape.Node{X: x0, Y: y0},
		shape.Node{X: x1, Y: y0}, shape.Node{X: x1, Y: y1}, shape.Node{X: x0, Y: y1})}}
}

func source(t testing.TB, shapes shape.Shapes, reach float64) *Source {
	t.Helper()
	return hovering(t, shapes, reach, reach/8)
}

func hovering(t testing.TB, shapes shape.Shapes, reach, height float64) *Source {
	t.Helper()
	s, err := NewSource(ctx, shapes, reach, height)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

func TestSamplesHoldTheArea(t *testing.T) {
	for _, tt := range []struct {
		name   string
		shapes shape.Shapes
		area   float64
	}{
		{"panel", box(100, 100, 500, 350), 400 * 250},
		{"long rod", shape.Shapes{shape.Tube{Width: 14,
			Nodes: shape.PathOf(shape.Node{X: 100, Y: 100}, shape.Node{X: 5000, Y: 3000})}},
			14*math.Hypot(4900, 2900) + math.Pi*49},
		{"dot", box(10, 10, 11, 11), 1},
	} {
		s := source(t, tt.shapes, 1000)
		sum := 0.0
		for _, p := range s.Samples {
			sum += float64(p.Area)
		}
		if math.Abs(sum-tt.area) > 0.01*tt.area {
			t.Errorf("%s: the samples' areas sum to %.1f, want %.1f", tt.name, sum, tt.area)
		}
		if n := len(s.Samples); n == 0 || n > 3*maxSamples {
			t.Errorf("%s: %d samples", tt.name, n)
		}
	}
}

// The samples' centre is the shape's, and each lies in it.
func TestSamplesLieWhereTheShapeIs(t *testing.T) {
	s := source(t, box(100, 200, 340, 260), 1000)
	var x, y, area float64
	for _, p := range s.Samples {
		x, y, area = x+float64(p.X*p.Area), y+float64(p.Y*p.Area), area+float64(p.Area)
		if p.X < 100 || p.X > 340 || p.Y < 200 || p.Y > 260 {
			t.Errorf("a sample lies at %v, %v", p.X, p.Y)
		}
	}
	if math.Abs(x/area-220) > 0.02 || math.Abs(y/area-230) > 0.02 {
		t.Errorf("the samples' centre is %v, %v; want 220, 230", x/area, y/area)
	}
	if n := len(s.Samples); n < maxSamples/3 || n > 2*maxSamples {
		t.Errorf("a panel is taken apart into %d samples", n)
	}
	// A shape of a whole photo is read at a smaller scale, and comes out the same.
	large := source(t, box(0, 0, 6000, 4000), 1000)
	x, area = 0, 0
	for _, p := range large.Samples {
		x, area = x+float64(p.X*p.Area), area+float64(p.Area)
	}
	if math.Abs(x/area-3000) > 2 || math.Abs(area-24e6) > 24e4 {
		t.Errorf("of a whole photo the centre is %v, the area %v", x/area, area)
	}
	if none := source(t, nil, 100); len(none.Samples) != 0 || none.At(5, 5) != 0 {
		t.Error("nothing gives light")
	}
}

// A small light gives by the law of the package's comment, with nothing to normalise it.
func TestLaw(t *testing.T) {
	const reach, height = 800.0, 60.0
	s := hovering(t, box(999, 999, 1001, 1001), reach, height)
	for _, d := range []float64{0, 30, 100, 300, 700} {
		q := d * d / reach / reach
		want := 4 * (1 - q) * (1 - q) / (d*d + height*height)
		if got := s.At(1000+d, 1000); math.Abs(got-want) > 0.005*want {
			t.Errorf("at %v px there is %.6g, want %.6g", d, got, want)
		}
	}
}

// A light gives what its parts give: a bar in two halves, along or across, is the bar; and a shape
// far away changes nothing here.
func TestPartsAddUp(t *testing.T) {
	whole := source(t, box(200, 300, 600, 340), 900)
	for name, halves := range map[string][2]*Source{
		"across": {source(t, box(200, 300, 400, 340), 900), source(t, box(400, 300, 600, 340), 900)},
		"along":  {source(t, box(200, 300, 600, 320), 900), source(t, box(200, 320, 600, 340), 900)},
	} {
		for _, p := range []shape.Point{{X: 400, Y: 320}, {X: 600, Y: 345}, {X: 400, Y: 500},
			{X: 900, Y: 700}} {
			got, want := halves[0].At(p.X, p.Y)+halves[1].At(p.X, p.Y), whole.At(p.X, p.Y)
			if math.Abs(got-want) > 0.01*want {
				t.Errorf("%s, at %v: the halves give %.5f, the whole %.5f", name, p, got, want)
			}
		}
	}
	near, both := box(200, 300, 260, 340), append(box(200, 300, 260, 340), box(3000, 2000, 3400,
		2500)...)
	a, b := source(t, near, 900).At(300, 360), source(t, both, 900).At(300, 360)
	if math.Abs(a-b) > 0.02*a {
		t.Errorf("beside a shape there is %.5f, with another far away %.5f", a, b)
	}
}

// The reach changes what is far, not what is near.
func TestReachLeavesWhatIsNear(t *testing.T) {
	short, long := hovering(t, box(200, 300, 260, 340), 600, 80),
		hovering(t, box(200, 300, 260, 340), 2400, 80)
	if a, b := short.At(260, 340), long.At(260, 340); math.Abs(a-b) > 0.03*a {
		t.Errorf("beside the light there is %.5f with a short reach, %.5f with a long one", a, b)
	}
	if a, b := short.At(700, 320), long.At(700, 320); a > b/3 {
		t.Errorf("far away there is %.5f with a short reach, %.5f with a long one", a, b)
	}
}

// A light of before gives what it gave: its irradiance divided by its peak to the power of 0.6, by
// the law of then.
func TestSinceBefore(t *testing.T) {
	const reach = 800.0
	for name, c := range map[string]shape.Shapes{
		"dot":   box(999, 999, 1001, 1001),
		"panel": box(900, 950, 1150, 1080),
		"rod": {shape.Tube{Width: 14, Nodes: shape.PathOf(shape.Node{X: 800, Y: 900},
			shape.Node{X: 1500, Y: 1200})}},
	} {
		height, times, err := SinceBefore(ctx, c, reach)
		if err != nil || height != 100 {
			t.Fatal(height, err)
		}
		s := hovering(t, c, reach, height)
		// The integral of the law of then over the plane, for a reach of 1, by Simpson's rule.
		law := func(q float64) float64 { return (1 - q) * (1 - q) / (1 + 64*q) }
		total := 0.0
		const n = 2000
		for i := range n {
			r := func(k float64) float64 {
				d := (float64(i) +
					k) / n
				return 2 * math.Pi * d * law(d*d)
			}
			total += (r(0) + 4*r(0.5) + r(1)) / 6 / n
		}
		then := func(x, y float64) (e float64) {
			for _, p := range s.Samples {
				if q := (math.Pow(x-float64(p.X), 2) + math.Pow(y-float64(p.Y),
					2)) / reach / reach; q < 1 {
					e += float64(p.Area) * law(q) / (total * reach * reach)
				}
			}
			return e
		}
		peak := 0.0
		for _, p := range s.Samples {
			peak = math.Max(peak, then(float64(p.X), float64(p.Y)))
		}
		for _, p := range []shape.Point{{X: 1000, Y: 1000}, {X: 1200, Y: 1000}, {X: 700, Y: 800}} {
			got, want := times*s.At(p.X, p.Y), then(p.X, p.Y)*math.Pow(peak, -0.6)
			if math.Abs(got-want) > 1e-3*want {
				t.Errorf("%s, at %v: %.5f, it was %.5f", name, p, got, want)
			}
		}
	}
	if _, times, err := SinceBefore(ctx, shape.Shapes(nil), reach); times != 1 || err != nil {
		t.Errorf("of nothing the strength is multiplied by %v, %v", times, err)
	}
}

// A field holds all that the light reaches, and no more than is asked for.
func TestFieldHoldsTheReach(t *testing.T) {
	s := source(t, box(900, 700, 1100, 1000), 900)
	for _, scale := range []float64{1, 0.2} {
		l := s.Level(scale)
		step := math.Exp2(float64(l)) / scale
		f, err := s.Field(ctx, scale, l, image.Rect(-10000, -10000, 10000, 10000))
		if err != nil {
			t.Fatal(err)
		}
		box := [4]float64{float64(f.Rect.Min.X) * step, float64(f.Rect.Min.Y) * step,
			float64(f.Rect.Max.X-1) * step, float64(f.Rect.Max.Y-1) * step}
		for i, want := range [4]float64{0, -200, 2000, 1900} {
			if math.Abs(box[i]-want) > 30+step {
				t.Errorf("scale %v: side %d of the field lies at %v, the light ends at %v", scale, i, box[i], want)
			}
		}
		for x := f.Rect.Min.X; x < f.Rect.Max.X; x++ {
			if f.At(x, f.Rect.Min.Y) > 1e-3 || f.At(x, f.Rect.Max.Y-1) > 1e-3 {
				t.Fatalf("scale %v: the field is cut off above or below at %d", scale, x)
			}
		}
		clip := image.Rect(f.Rect.Min.X+3, f.Rect.Min.Y+4, f.Rect.Min.X+9, f.Rect.Min.Y+8)
		if part, err := s.Field(ctx, scale, l, clip); err != nil || part.Rect != clip ||
			part.At(clip.Min.X+2, clip.Min.Y+2) != f.At(clip.Min.X+2, clip.Min.Y+2) {
			t.Errorf("scale %v: a part of the field is %v, %v", scale, part.Rect, err)
		}
	}
	// Also where it lies further down than across.
	low, err := source(t, box(100, 2000, 150, 2100), 300).Field(ctx, 1, 2,
		image.Rect(-10000, -10000, 10000, 10000))
	if err != nil || low.Rect.Min.X > -48 || low.Rect.Min.X < -58 || low.Rect.Max.X < 110 ||
		low.Rect.Max.X > 120 || low.Rect.Min.Y > 426 || low.Rect.Min.Y < 418 ||
		low.Rect.Max.Y < 598 || low.Rect.Max.Y > 606 {
		t.Errorf("the field of a panel far down lies at %v, %v", low.Rect, err)
	}
	// Six samples to the height and more, and no finer than pixels.
	for scale, want := range map[float64]int{1: 4, 0.5: 3, 0.01: 0, 100: 10} {
		if got := s.Level(scale); got != want {
			t.Errorf("at scale %v the field has level %d, want %d", scale, got, want)
		}
	}
}

// Two points at distances a and b from a small light must be lit as the
// formula in the package comment says, and nothing beyond the reach.
func TestFalloff(t *testing.T) {
	const reach = 800.0
	s := source(t, box(998, 998, 1002, 1002), reach)
	k := func(d float64) float64 {
		q := d * d / reach / reach
		return (1 - q) * (1 - q) / (1 + 64*q)
	}
	near := s.At(1000+50, 1000)
	for _, d := range []float64{100, 200, 400, 700} {
		if got, want := s.At(1000, 1000+d)/near, k(d)/k(50); math.Abs(got-want) > 0.01*want {
			t.Errorf("at %v px: %.5f of the light at 50 px, want %.5f", d, got, want)
		}
	}
	if v := s.At(1000+reach+3, 1000); v != 0 {
		t.Errorf("beyond the reach there is %v", v)
	}
}

// A finer division of the shape must not change the light: compare with a sum
// over every pixel.
func TestPanelAgainstEveryPixel(t *testing.T) {
	s := source(t, box(200, 200, 320, 420), 600)
	fine := &Source{Reach: 600, Height: 75}
	for y := 200; y < 420; y += 2 {
		for x := 200; x < 320; x += 2 {
			fine.Samples = append(fine.Samples, Sample{float32(x) + 1, float32(y) + 1, 4})
		}
	}
	for _, p := range []shape.Point{{X: 260, Y: 300}, {X: 330, Y: 300}, {X: 400, Y: 500},
		{X: 100, Y: 100}, {X: 700, Y: 320}} {
		got, want := s.At(p.X, p.Y), fine.At(p.X, p.Y)
		if math.Abs(got-want) > 0.01*want+1e-5 {
			t.Errorf("at %v: %.5f, every pixel gives %.5f", p, got, want)
		}
	}
}

func TestFieldIsAtInEveryScale(t *testing.T) {
	s := source(t, box(900, 700, 1100, 1000), 900)
	for _, scale := range []float64{1, 0.31, 0.1} {
		l := s.Level(scale)
		step := math.Exp2(float64(l)) / scale
		f, err := s.Field(ctx, scale, l, image.Rect(-10000, -10000, 10000, 10000))
		if err != nil {
			t.Fatal(err)
		}
		if step > 900/8/6 && l > 0 {
			t.Errorf("scale %v: samples stand %.0f px apart", scale, step)
		}
		mid := image.Pt(int(1300/step), int(900/step))
		got, want := float64(f.At(mid.X, mid.Y)), s.At(float64(mid.X)*step+0.5/scale,
			float64(mid.Y)*step+0.5/scale)
		if math.Abs(got-want) > 1e-6 || want == 0 {
			t.Errorf("scale %v: field %.5f, want %.5f", scale, got, want)
		}
		if f.At(f.Rect.Min.X, f.Rect.Min.Y) != 0 {
			t.Errorf("scale %v: the field is cut off before the reach", scale)
		}
	}
}

func TestLargerShapeGivesMore(t *testing.T) {
	small, large := source(t, box(480, 480, 520, 520), 700), source(t, box(400, 400, 600, 600), 700)
	if a, b := small.At(800, 500), large.At(800, 500); a >= b || a <= 0 {
		t.Errorf("a small panel gives %.4f, a large one %.4f", a, b)
	}
}
