package matting

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"
)

// strands draws white hairs with exact coverage before a background that changes slowly, with the
// noise of a photo, and what three strokes say: a hub inside, a rim outside, all else is unknown.
func strands(w, h int) (p Picture, coverage []float32, known []uint8) {
	rnd := rand.New(rand.NewPCG(1, 2))
	p = Picture{W: w, H: h, Pix: make([]float32, 3*w*h)}
	coverage, known = make([]float32, w*h), make([]uint8, w*h)
	cx, cy := float64(w)/2, float64(h)/2
	for n := range 40 {
		sin, cos := math.Sincos(2 * math.Pi * float64(n) / 40)
		for i := range coverage {
			x, y := float64(i%w)+0.5-cx, float64(i/w)+0.5-cy
			along, off := x*cos+y*sin, math.Abs(y*cos-x*sin)
			if along > 0 && along < 0.4*float64(w) {
				coverage[i] = max(coverage[i], float32(min(max(1.3-off, 0), 1)))
			}
		}
	}
	for i := range coverage {
		x, y := float64(i%w)-cx, float64(i/w)-cy
		switch r := math.Hypot(x, y); {
		case r < 8:
			coverage[i], known[i] = 1, Thing
		case r > 0.45*float64(w):
			known[i] = Behind
		}
		behind := [3]float32{
			0.05 + 0.2*float32(i%w)/float32(w),
			0.1,
			0.2 - 0.15*float32(i/w)/float32(h),
		}
		for c := range 3 {
			v := coverage[i]*0.8 + (1-coverage[i])*behind[c]
			p.Pix[3*i+c] = max(v+0.003*float32(rnd.NormFloat64()), 0)
		}
	}
	return p, coverage, known
}

func meanError(got, want []float32, known []uint8) float64 {
	sum, n := 0.0, 0.0
	for i, k := range known {
		if k == Unknown {
			sum += math.Abs(float64(got[i] - want[i]))
			n++
		}
	}
	return sum / n
}

func TestLevels(t *testing.T) {
	p, coverage, known := strands(400, 400)
	s, err := Levels(context.Background(), p, known)
	if err != nil {
		t.Fatal(err)
	}
	if e := meanError(s.Alpha, coverage, known); e > 0.03 {
		t.Errorf("the mean error of coverage is %.3f", e)
	}
	var light, n float64
	for i, k := range known {
		if k != Unknown && s.Alpha[i] != coverage[i] {
			t.Fatalf("pixel %d is certain and became %v", i, s.Alpha[i])
		}
		if k == Unknown && coverage[i] > 0.3 {
			light += math.Abs(float64(s.Object[3*i] - 0.8))
			n++
		}
	}
	if light/n > 0.08 {
		t.Errorf("the light of the hairs is off by %.3f of 0.8", light/n)
	}
	// A part that is refined from half the size is much like that of the whole.
	small, smallKnown := halved(p, known)
	half, err := Levels(context.Background(), small, smallKnown)
	if err != nil {
		t.Fatal(err)
	}
	const x0, y0, w, h = 100, 60, 160, 200
	q := Picture{W: w, H: h}
	var there []uint8
	var want []float32
	for y := range h {
		i := (y0+y)*p.W + x0
		q.Pix = append(q.Pix, p.Pix[3*i:3*(i+w)]...)
		there = append(there, known[i:i+w]...)
		want = append(want, coverage[i:i+w]...)
	}
	part, err := half.Part(context.Background(), q, there, x0, y0, 2)
	if err != nil {
		t.Fatal(err)
	}
	rough := half.scaled(w, h, x0, y0, 2)
	e, before := meanError(part.Alpha, want, there), meanError(rough.Alpha, want, there)
	if e > 0.04 || e > 0.7*before {
		t.Errorf("refined, the mean error is %.3f, before it was %.3f", e, before)
	}
}

func TestLevelsStops(t *testing.T) {
	p, _, known := strands(200, 200)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := Levels(ctx, p, known); err != context.Canceled {
		t.Errorf("stopped, it returns %v", err)
	}
}

// What is certain on one side alone gives no error: there is nothing to tell apart.
func TestLevelsOneSide(t *testing.T) {
	p, _, known := strands(100, 100)
	for i, k := range known {
		if k == Thing {
			known[i] = Unknown
		}
	}
	s, err := Levels(context.Background(), p, known)
	if err != nil {
		t.Fatal(err)
	}
	for i, a := range s.Alpha {
		if !(a >= 0 && a <= 1) {
			t.Fatalf("pixel %d is covered by %v", i, a)
		}
	}
}

func TestLaplacian(t *testing.T) {
	ctx := context.Background()
	const w, h = 20, 15
	rnd := rand.New(rand.NewPCG(3, 4))
	random := func() []float32 {
		v := make([]float32, w*h)
		for i := range v {
			v[i] = rnd.Float32()
		}
		return v
	}
	p := Picture{W: w, H: h, Pix: append(append(random(), random()...), random()...)}
	l, err := newLaplacian(ctx, p, make([]uint8, w*h))
	if err != nil {
		t.Fatal(err)
	}
	work := make([][4]float32, w*h)
	times := func(v []float32) []float32 {
		out := make([]float32, w*h)
		if err := l.apply(ctx, out, v, work); err != nil {
			t.Fatal(err)
		}
		return out
	}
	dot := func(a, b []float32) (d float64) {
		for i := range a {
			d += float64(a[i]) * float64(b[i])
		}
		return d
	}
	a, b := random(), random()
	if x, y := dot(a, times(b)), dot(b, times(a)); math.Abs(x-y) > 1e-4*math.Abs(x) {
		t.Errorf("it is not symmetric: %v, %v", x, y)
	}
	if e := dot(a, times(a)); e <= 0 {
		t.Errorf("the energy of noise is %v", e)
	}
	even, linear := make([]float32, w*h), make([]float32, w*h)
	for i := range even {
		even[i] = 1
		linear[i] = 0.5*p.Pix[3*i] - 0.2*p.Pix[3*i+1] + 0.3
	}
	if e := dot(even, times(even)); math.Abs(e) > 1e-3 {
		t.Errorf("the energy of even coverage is %v", e)
	}
	if e, of := dot(linear, times(linear)), dot(a, times(a)); e > 0.01*of {
		t.Errorf("the energy of coverage that is linear in colour is %v, that of noise %v", e, of)
	}
}
