package relief

import (
	"context"
	"errors"
	"math"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/measure/testphoto"
)

const side = 240

// shaded is a photo k times as large as the test's, whose pixels are as told of places of that, in
// linear light.
func shaded(k int, tell func(x, y float64) [3]float64) *photo.Photo {
	n := k * side
	p := &photo.Photo{Width: n, Height: n, Pix16: make([]uint16, 0, 3*n*n), Profile: colour.SRGB}
	for y := range n {
		for x := range n {
			for _, v := range tell((float64(x)+0.5)/float64(k), (float64(y)+0.5)/float64(k)) {
				p.Pix16 = append(p.Pix16, uint16(math.Round(65535*colour.LinearToSRGB(v))))
			}
		}
	}
	return p
}

func grey(v float64) [3]float64 { return [3]float64{v, v, v} }

// find reads the relief of the middle of a photo.
func find(t *testing.T, p *photo.Photo) *Map {
	t.Helper()
	k := float64(p.Width) / side
	m, err := Find(t.Context(), p, testphoto.Poly(20*k, 20*k, 220*k, 20*k, 220*k, 220*k, 20*k,
		220*k))
	if err != nil {
		t.Fatal(err)
	}
	return m
}

// agree returns the correlation of slopes with those that they ought to be, over the middle of the
// map.
func agree(m *Map, tell func(x, y float64) (dx, dy float64)) (ofX, ofY float64) {
	var sum [2][3]float64
	for y := 50.5; y < 190; y++ {
		for x := 50.5; x < 190; x++ {
			a, b := m.At(x, y, 1)
			u, v := tell(x, y)
			for i, q := range [2][2]float64{{a, u}, {b, v}} {
				sum[i][0] += q[0] * q[1]
				sum[i][1] += q[0] * q[0]
				sum[i][2] += q[1] * q[1]
			}
		}
	}
	c := func(s [3]float64) float64 { return s[0] / math.Sqrt(max(s[1]*s[2], 1e-30)) }
	return c(sum[0]), c(sum[1])
}

// Folds of cloth that run upright are dark in their depth under an open sky; their slopes are to
// the sides.
func TestUprightFolds(t *testing.T) {
	for _, wave := range []float64{20, 40} {
		k := 2 * math.Pi / wave
		m := find(t, shaded(1,
			func(x, _ float64) [3]float64 { return grey(0.2 * math.Exp(0.3*math.Sin(k*x))) }))
		across, _ := agree(m, func(x, _ float64) (float64, float64) { return math.Cos(k * x), 0 })
		if across < 0.98 {
			t.Errorf("folds %v wide: slopes across agree to %.2f", wave, across)
		}
	}
}

// Folds that run level are bright where they look up: there what is below comes nearer.
func TestLevelFolds(t *testing.T) {
	k := 2 * math.Pi / 40
	// Of a height cos(ky), that grows downwards where -sin(ky) > 0.
	m := find(t, shaded(1,
		func(_, y float64) [3]float64 { return grey(0.2 * math.Exp(-0.3*math.Sin(k*y))) }))
	across, down := agree(m, func(_, y float64) (float64, float64) { return 1, -math.Sin(k * y) })
	if down < 0.6 || math.Abs(across) > 0.05 {
		t.Errorf("slopes down agree to %.2f, across to %.2f", down, across)
	}
}

// A print in another colour is no depth, the same print in grey is.
func TestPrintsAreFlat(t *testing.T) {
	k := 2 * math.Pi / 30
	slope := func(tell func(x, y float64) [3]float64) (most float64) {
		m := find(t, shaded(1, tell))
		for x := 50.5; x < 190; x++ {
			dx, _ := m.At(x, 120, 1)
			most = max(most, math.Abs(dx))
		}
		return
	}
	stripe := func(x float64) float64 { return 0.5 + 0.5*math.Tanh(8*math.Sin(k*x)) }
	coloured := slope(func(x, _ float64) [3]float64 {
		s := stripe(x)
		return [3]float64{0.2 + 0.3*s, 0.2, 0.2 - 0.15*s}
	})
	plain := slope(func(x, _ float64) [3]float64 { return grey(0.2 + 0.3*stripe(x)) })
	if plain < 0.1 || coloured > 0.25*plain {
		t.Errorf("a print in colours is %.3f steep, one in grey %.3f", coloured, plain)
	}
}

// How bright the photo is and how many pixels it has does not matter.
func TestExposureAndSize(t *testing.T) {
	of := func(gain float64) func(x, y float64) [3]float64 {
		return func(x, y float64) [3]float64 {
			return grey(gain * math.Exp(0.4*math.Sin(x/7)+0.3*math.Sin(y/9)))
		}
	}
	p := shaded(1, of(0.1))
	a, b := find(t, p), find(t, shaded(1, of(0.2)))
	for x := 40.5; x < 200; x += 3 {
		ux, uy := a.At(x, 123, 1)
		vx, vy := b.At(x, 123, 1)
		if math.Hypot(ux-vx, uy-vy) > 0.03 {
			t.Fatalf("at %v twice the light makes %.3f, %.3f of %.3f, %.3f", x, vx, vy, ux, uy)
		}
	}
	if testing.Short() {
		return // large ones take seconds
	}
	fine := func(x,
		y float64) [3]float64 {
		return grey(0.1 * math.Exp(0.4*math.Sin(1.5*x)+0.3*math.Sin(y)))
	}
	c, d := find(t, shaded(6, fine)), find(t, shaded(12, fine))
	if c.Step != 1 || d.Step != 2 {
		t.Fatalf("cells of %d and %d pixels", c.Step, d.Step)
	}
	steep := 0.0
	for x := 40.5; x < 200; x++ {
		ux, uy := c.At(6*x, 6*123, 1)
		vx, vy := d.At(12*x, 12*123, 1)
		if steep = max(steep, math.Hypot(ux, uy)); math.Hypot(ux-vx, uy-vy) > 0.02 {
			t.Fatalf("at %v a photo twice as large has %.3f, %.3f, the other %.3f, %.3f", x, vx, vy, ux, uy)
		}
	}
	if steep < 0.1 {
		t.Errorf("slopes of %.3f at most say nothing", steep)
	}
}

// Nothing is read where the thing is not, nor where the amount is 0; and no slope is steeper than
// the steepest.
func TestBounds(t *testing.T) {
	noise := uint32(1)
	m := find(t, shaded(1, func(_, _ float64) [3]float64 {
		noise = noise*1664525 + 1013904223
		return grey(float64(noise>>8) / (1 << 24))
	}))
	for _, p := range [][2]float64{{5, 5}, {-50, 100}, {239.9, 239.9}, {1e6, 0}, {10, 120}} {
		if dx, dy := m.At(p[0], p[1], 1); dx != 0 || dy != 0 {
			t.Errorf("at %v, beyond the thing: %v, %v", p, dx, dy)
		}
	}
	for x := 30.5; x < 210; x++ {
		if dx, dy := m.At(x, x, 3); math.Hypot(dx, dy) > steepest {
			t.Errorf("at %v slopes of %v, %v", x, dx, dy)
		}
		if dx, dy := m.At(x, x, 0); dx != 0 || dy != 0 {
			t.Errorf("without any relief slopes of %v, %v", dx, dy)
		}
	}
	even := find(t, shaded(1, func(_, _ float64) [3]float64 { return grey(0.3) }))
	if dx, dy := even.At(120, 120, 1); math.Hypot(dx, dy) > 1e-3 {
		t.Errorf("an even front has slopes %v, %v", dx, dy)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := Find(ctx, shaded(1, func(_, _ float64) [3]float64 { return grey(0.3) }),
		testphoto.Poly(20, 20, 220, 20, 220, 220)); !errors.Is(err, context.Canceled) {
		t.Errorf("cancelled: %v", err)
	}
	if empty, err := Find(t.Context(), shaded(1,
		func(_, _ float64) [3]float64 { return grey(0.3) }), testphoto.Poly(900, 900, 950, 900, 950,
		950)); err != nil || !empty.Rect.Empty() {
		t.Errorf("beyond the photo: %v, %v", empty.Rect, err)
	}
}

func BenchmarkFind(b *testing.B) {
	p := shaded(6, func(x, y float64) [3]float64 {
		return grey(0.3 + 0.2*math.Sin(x/7)*math.Sin(y/9))
	})
	of := testphoto.Poly(100, 100, 1400, 100, 1400, 1400, 100, 1400)
	for b.Loop() {
		if _, err := Find(b.Context(), p, of); err != nil {
			b.Fatal(err)
		}
	}
}
