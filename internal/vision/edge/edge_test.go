package edge

import (
	"context"
	"image"
	"math"
	"math/rand/v2"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/recipe/shape"
)

// drawn makes a photo of w by h of what of each pixel a function says, from 0 to 1, sampled
// 8 by 8 times.
func drawn(w, h int, at func(x, y float64) float64) *photo.Photo {
	return coloured(w, h, func(x, y float64) [3]float64 {
		v := at(x, y)
		return [3]float64{v, v, v}
	})
}

// coloured is drawn in linear red, green and blue.
func coloured(w, h int, at func(x, y float64) [3]float64) *photo.Photo {
	p := &photo.Photo{Width: w, Height: h, Pix8: make([]uint8, 3*w*h), Profile: colour.SRGB}
	for i := range w * h {
		var sum [3]float64
		for k := range 64 {
			c := at(float64(i%w)+(float64(k%8)+0.5)/8, float64(i/w)+(float64(k/8)+0.5)/8)
			for q := range c {
				sum[q] += c[q] / 64
			}
		}
		for q, v := range sum {
			p.Pix8[3*i+q] = uint8(math.Round(255 * colour.LinearToSRGB(v)))
		}
	}
	return p
}

func sheet(t *testing.T, p *photo.Photo, step int) *Sheet {
	t.Helper()
	s, err := New(context.Background(), p, step, image.Rect(0, 0, p.Width, p.Height), nil)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

func circle(x, y, r float64, n int) []shape.Point {
	out := make([]shape.Point, n)
	for i := range out {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / float64(n))
		out[i] = shape.Point{X: x + r*cos, Y: y + r*sin}
	}
	return out
}

// A line that lies near the edge of a disc is laid on it, to a tenth of a pixel.
func TestPlaceFindsTheEdgeBetweenPixels(t *testing.T) {
	const x, y, r = 60.3, 58.8, 30.4
	for _, c := range []struct {
		name         string
		in, out, off float64
	}{{"a pale disc", 0.6, 0.1, 2}, {"a dark disc", 0.08, 0.4, -2.5}, {"a faint one", 0.3, 0.22, 1.5}} {
		p := drawn(120, 120, func(u, v float64) float64 {
			if math.Hypot(u-x, v-y) < r {
				return c.in
			}
			return c.out
		})
		line := NewEye(p).Place(circle(x, y, r+c.off, 90), Along{Closed: true, Reach: 4, Gap: 1,
			Blur: 1})
		worst, mean := 0.0, 0.0
		for _, q := range line {
			d := math.Hypot(q.X-x, q.Y-y) - r
			worst, mean = max(worst, math.Abs(d)), mean+d/float64(len(line))
		}
		if worst > 0.45 || math.Abs(mean) > 0.12 {
			t.Errorf("%s: off by %.2f in the mean and %.2f at most", c.name, mean, worst)
		}
	}
}

// An edge has a slope and a crest on it, an even shading has none.
func TestSlopeLeavesShadingOut(t *testing.T) {
	step := sheet(t, drawn(40, 20, func(x, _ float64) float64 {
		if x < 20 {
			return 0.1
		}
		return 0.7
	}), 1)
	ramp := sheet(t, drawn(40, 20, func(x, _ float64) float64 {
		return math.Pow(0.3+0.4*x/40, 3)
	}), 1)
	row := func(s *Sheet, x int) int { return 10*s.Rect.Dx() + x }
	if v := step.Slope[row(step, 19)]; v < 0.06 {
		t.Errorf("an edge has the slope %v", v)
	}
	if n := step.Across[row(step, 19)]; math.Abs(float64(n[0])) < 0.99 {
		t.Errorf("across an upright edge lies %v", n)
	}
	if step.Crest[row(step, 19)] == 0 && step.Crest[row(step, 20)] == 0 ||
		step.Crest[row(step, 10)] > 0.01 {
		t.Error("the crest does not lie on the edge")
	}
	for x := 8; x < 32; x++ {
		if v := ramp.Slope[row(ramp, x)]; v > 0.004 {
			t.Fatalf("shading has the slope %v at %d", v, x)
		}
	}
}

// Shade takes colour and lightness by one factor: what a thing is of stays what it is.
func TestShadeKeepsTheTint(t *testing.T) {
	a, b, c := lab(0.4, 0.25, 0.1)
	d, e, f := lab(0.2, 0.125, 0.05)
	if d >= a {
		t.Error("a shaded thing is not darker")
	}
	if math.Abs(float64(b-e)) > 0.2*math.Abs(float64(b)) ||
		math.Abs(float64(c-f)) > 0.2*math.Abs(float64(c)) {
		t.Errorf("its tint went from %v, %v to %v, %v", b, c, e, f)
	}
}

// A sheet of a part is that part of the sheet of all, away from where it is cut off.
func TestSheetOfAPart(t *testing.T) {
	p := drawn(90, 70, func(x, y float64) float64 { return 0.3 + 0.2*math.Sin(x/5)*math.Cos(y/4) })
	all := sheet(t, p, 3)
	if all.Full.Dx() != 30 || all.Full.Dy() != 24 {
		t.Fatalf("all of it is %v", all.Full)
	}
	part, err := New(context.Background(), p, 3, image.Rect(4, 2, 28, 24), nil)
	if err != nil {
		t.Fatal(err)
	}
	for y := 12; y < 14; y++ {
		for x := 14; x < 18; x++ {
			i, _ := all.At(float64(3*x), float64(3*y))
			j, _ := part.At(float64(3*x), float64(3*y))
			if all.Colour(i) != part.Colour(j) || all.Slope[i] != part.Slope[j] ||
				all.Ridge[i] != part.Ridge[j] {
				t.Fatalf("pixel %d, %d is another one", x, y)
			}
		}
	}
	if _, ok := part.At(0, 0); ok {
		t.Error("a place outside was found inside")
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := New(ctx, p, 1, all.Full, nil); err == nil {
		t.Error("a cancelled sheet was made")
	}
}

// The cheapest way is the one that trying all of them finds.
func TestWayIsTheCheapest(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 4))
	for range 40 {
		const n, k = 6, 4
		cost := make([]float32, n*k)
		for i := range cost {
			cost[i] = rnd.Float32()
		}
		price := func(way []int) float32 {
			sum := cost[way[0]]
			for i := 1; i < n; i++ {
				d := way[i] - way[i-1]
				if d < -2 || d > 2 {
					return float32(math.Inf(1))
				}
				sum += cost[i*k+way[i]] + 0.3*float32(d*d)/4
			}
			return sum
		}
		best := float32(math.Inf(1))
		way := make([]int, n)
		for code := range 4096 {
			for i := range way {
				way[i] = code >> (2 * i) & 3
			}
			best = min(best, price(way))
		}
		if got := price(Way(cost, n, k, false, 0.3)); math.Abs(float64(got-best)) > 1e-5 {
			t.Fatalf("the way costs %v, the cheapest %v", got, best)
		}
	}
}

func TestSpaced(t *testing.T) {
	square := []shape.Point{{X: 0, Y: 0}, {X: 10, Y: 0}, {X: 10, Y: 10}, {X: 0, Y: 10}}
	for _, c := range []struct {
		closed bool
		gap    float64
		n      int
	}{{true, 1, 40}, {true, 3, 13}, {false, 1, 31}, {false, 100, 3}} {
		got := Spaced(square, c.closed, c.gap)
		if len(got) != c.n {
			t.Errorf("%v %v: %d places, want %d", c.closed, c.gap, len(got), c.n)
		}
	}
	if got := Spaced(square, false, 0.5); got[0] != square[0] || got[len(got)-1] != square[3] {
		t.Errorf("an open line begins at %v and ends at %v", got[0], got[len(got)-1])
	}
}
