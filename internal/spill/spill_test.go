package spill

import (
	"context"
	"image"
	"math"
	"testing"

	"pyrant/internal/shape"
)

var ctx = context.Background()

func box(x0, y0, x1, y1 float64) shape.Shapes {
	return shape.Shapes{shape.Outline{Nodes: shape.PathOf(shape.Node{X: x0, Y: y0}, shape.Node{X: x1, Y: y0}, shape.Node{X: x1, Y: y1}, shape.Node{X: x0, Y: y1})}}
}

func source(t testing.TB, shapes shape.Shapes, reach float64) *Source {
	t.Helper()
	s, err := NewSource(ctx, shapes, reach)
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
		{"long rod", shape.Shapes{shape.Tube{Width: 14, Nodes: shape.PathOf(shape.Node{X: 100, Y: 100}, shape.Node{X: 5000, Y: 3000})}}, 14*math.Hypot(4900, 2900) + math.Pi*49},
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

// The light is divided by its peak to the power of the lift.
func TestNormalised(t *testing.T) {
	const reach = 800.0
	// The integral of the law over the plane, for a reach of 1.
	whole := math.Pi / 64 / 64 / 64 * (65*65*math.Log(65) - 2*65*64 + (65*65-1)/2.0)
	if math.Abs(total-whole) > 1e-6*whole {
		t.Errorf("the law's integral is %v, want %v", total, whole)
	}
	s := source(t, box(999, 999, 1001, 1001), reach)
	raw := 4 / (whole * reach * reach) // at the light itself
	for _, d := range []float64{30, 100, 300} {
		q := d * d / reach / reach
		want := math.Pow(raw, 1-0.6) * (1 - q) * (1 - q) / (1 + 64*q)
		if got := s.At(1000+d, 1000); math.Abs(got-want) > 0.005*want {
			t.Errorf("at %v px there is %.6f, want %.6f", d, got, want)
		}
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
		box := [4]float64{float64(f.Rect.Min.X) * step, float64(f.Rect.Min.Y) * step, float64(f.Rect.Max.X-1) * step, float64(f.Rect.Max.Y-1) * step}
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
		if part, err := s.Field(ctx, scale, l, clip); err != nil || part.Rect != clip || part.At(clip.Min.X+2, clip.Min.Y+2) != f.At(clip.Min.X+2, clip.Min.Y+2) {
			t.Errorf("scale %v: a part of the field is %v, %v", scale, part.Rect, err)
		}
	}
	// Also where it lies further down than across.
	low, err := source(t, box(100, 2000, 150, 2100), 300).Field(ctx, 1, 2, image.Rect(-10000, -10000, 10000, 10000))
	if err != nil || low.Rect.Min.X > -48 || low.Rect.Min.X < -58 || low.Rect.Max.X < 110 || low.Rect.Max.X > 120 || low.Rect.Min.Y > 426 || low.Rect.Min.Y < 418 || low.Rect.Max.Y < 598 || low.Rect.Max.Y > 606 {
		t.Errorf("the field of a panel far down lies at %v, %v", low.Rect, err)
	}
	// Sixteen samples to the reach, and no finer than pixels.
	for scale, want := range map[float64]int{1: 5, 0.5: 4, 0.01: 0, 100: 10} {
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
	fine := &Source{Reach: 600, norm: s.norm}
	for y := 200; y < 420; y += 2 {
		for x := 200; x < 320; x += 2 {
			fine.Samples = append(fine.Samples, Sample{float32(x) + 1, float32(y) + 1, 4})
		}
	}
	for _, p := range []shape.Point{{X: 260, Y: 300}, {X: 330, Y: 300}, {X: 400, Y: 500}, {X: 100, Y: 100}, {X: 700, Y: 320}} {
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
		if step > 900/16 {
			t.Errorf("scale %v: samples stand %.0f px apart", scale, step)
		}
		mid := image.Pt(int(1300/step), int(900/step))
		got, want := float64(f.At(mid.X, mid.Y)), s.At(float64(mid.X)*step+0.5/scale, float64(mid.Y)*step+0.5/scale)
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
