package aperture

import (
	"context"
	"math"
	"testing"
)

func pattern(t *testing.T, mask []float64) []float64 {
	t.Helper()
	p, err := Pattern(context.Background(), mask)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

const mid = Size / 2

// The pattern of a slit, of a square and of a circle is what optics says: sinc², its product with
// itself, and Airy's.
func TestAgainstAnalyticPatterns(t *testing.T) {
	const w = 25 // cells, odd, so that the middle is one
	box := func(wide, high int) []float64 {
		m := make([]float64, Size*Size)
		for y := range high {
			for x := range wide {
				m[(mid-high/2+y)*Size+mid-wide/2+x] = 1
			}
		}
		return m
	}
	// Of cells the sum is Dirichlet's kernel, which sinc is the limit of.
	sinc := func(k int, n float64) float64 {
		x := math.Pi * float64(k) / Size
		if k == 0 {
			return 1
		}
		v := math.Sin(n*x) / (n * math.Sin(x))
		return v * v
	}
	slit := pattern(t, box(w, 1))
	square := pattern(t, box(w, w))
	for k := -200; k <= 200; k += 7 {
		if got, want := slit[mid*Size+mid+k]/slit[mid*Size+mid],
			sinc(k, w); math.Abs(got-want) > 1e-9 {
			t.Errorf("slit at %d: %v, want %v", k, got, want)
		}
		for q := -200; q <= 200; q += 13 {
			if got, want := square[(mid+q)*Size+mid+k]/square[mid*Size+mid],
				sinc(k, w)*sinc(q, w); math.Abs(got-want) > 1e-9 {
				t.Errorf("square at %d, %d: %v, want %v", k, q, got, want)
			}
		}
	}
	round := Blades{Stop: 8}
	disc := pattern(t, round.Mask())
	r := round.radius()
	top := disc[mid*Size+mid]
	for k := 0; k < 60; k++ {
		x := 2 * math.Pi * r * float64(k) / Size
		want := 1.0
		if k > 0 {
			want = 2 * math.J1(x) / x
			want *= want
		}
		if got := disc[mid*Size+mid+k] / top; math.Abs(got-want) > 0.004 {
			t.Errorf("circle at %d: %.5f, Airy's pattern has %.5f", k, got, want)
		}
	}
	sum := 0.0
	for _, v := range disc {
		sum += v
	}
	if math.Abs(sum-1) > 1e-9 {
		t.Errorf("all of it is %v", sum)
	}
}

// rays counts the directions in which a star is brightest half way out.
func rays(s *Sprite) (n int) {
	const steps = 720
	var v [steps]float64
	top := 0.0
	for i := range v {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / steps)
		for d := 0.35; d < 0.6; d += 0.01 {
			v[i] += float64(s.At(d*cos, d*sin, 0)[1])
		}
		top = math.Max(top, v[i])
	}
	for i := range v {
		most := v[i] > 0.25*top
		for k := -9; k <= 9; k++ {
			if o := v[(i+k+steps)%steps]; o > v[i] || o == v[i] && k < 0 {
				most = false
			}
		}
		if most {
			n++
		}
	}
	return
}

// Even numbers of blades give as many rays, odd ones twice as many, and rounded blades fewer of
// them that are seen.
func TestBlades(t *testing.T) {
	star := func(b Blades) *Sprite {
		s, err := b.New(context.Background())
		if err != nil {
			t.Fatal(err)
		}
		return s
	}
	for blades, want := range map[int]int{5: 10, 6: 6, 7: 14, 8: 8} {
		if got := rays(star(Blades{Count: blades, Stop: 16})); got != want {
			t.Errorf("%d blades give %d rays, want %d", blades, got, want)
		}
	}
	contrast := func(s *Sprite) float64 {
		on := s.At(0.5, 0, 0.02)[1]
		least := on
		for a := 0.0; a < 0.6; a += 0.02 {
			least = min(least, s.At(0.5*math.Cos(a), 0.5*math.Sin(a), 0.02)[1])
		}
		return float64(on / least)
	}
	if a, b := contrast(star(Blades{Count: 6, Stop: 16})),
		contrast(star(Blades{Count: 6, Stop: 16, Rounded: 0.9})); a < 3*b {
		t.Errorf("straight blades have a contrast of %.1f, round ones of %.1f", a, b)
	}
	// A smaller aperture has broader rays.
	width := func(s *Sprite) float64 {
		sum, on := 0.0, float64(s.At(0.5, 0, 0.01)[1])
		for y := -0.15; y < 0.15; y += 0.002 {
			sum += float64(s.At(0.5, y, 0.01)[1]) * 0.002
		}
		return sum / on
	}
	if a, b := width(star(Blades{Count: 6, Stop: 8})),
		width(star(Blades{Count: 6, Stop: 32})); b < 1.6*a {
		t.Errorf("at f/8 rays are %.4f wide, at f/32 %.4f", a, b)
	}
}

// A star has colours: red fringes lie farther out than blue ones, in all it is white, and worn
// blades change it by their seed.
func TestColours(t *testing.T) {
	b := Blades{Count: 6, Stop: 40}
	s, err := b.New(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	first := s.levels[0]
	var far, all [3]float64
	for y := range Size {
		for x := range Size {
			d := math.Hypot(float64(x-mid), float64(y-mid))
			for c := range far {
				v := float64(first.Row(y)[3*x+c])
				all[c] += v
				far[c] += v * d
			}
		}
	}
	if r, g, b := far[0]/all[0], far[1]/all[1], far[2]/all[2]; !(r > g && g > b) {
		t.Errorf("the mean distance is %.2f of red, %.2f of green, %.2f of blue", r, g, b)
	}
	for c := range all {
		if k := all[c] / all[1]; math.Abs(k-1) > 0.15 {
			t.Errorf("channel %d has %.3f of green", c, k)
		}
	}
	b.Worn, b.Seed = 0.5, 1
	one := b.Mask()
	b.Seed = 2
	two := b.Mask()
	diff := 0.0
	for i := range one {
		diff += math.Abs(one[i] - two[i])
	}
	if diff < 5 {
		t.Errorf("another seed changes %v cells", diff)
	}
	var sum [3]float64
	for _, l := range spectrum() {
		for c := range sum {
			sum[c] += l.rgb[c]
		}
	}
	for c, v := range sum {
		if math.Abs(v-1) > 1e-9 {
			t.Errorf("channel %d of white is %v", c, v)
		}
	}
}

// Seen in pixels of any size it has the same light.
func TestScales(t *testing.T) {
	b := Blades{Count: 7, Stop: 16}
	s, err := b.New(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	sum := func(n int) (v float64) {
		px := 2 / float64(n)
		for y := range n {
			for x := range n {
				v += float64(s.At((float64(x)+0.5)*px-1, (float64(y)+0.5)*px-1, px)[1]) * px * px
			}
		}
		return
	}
	whole := sum(512)
	for _, n := range []int{256, 180, 97, 40} {
		if got := sum(n); math.Abs(got/whole-1) > 0.06 {
			t.Errorf("in %d pixels across it has %.3f of its light", n, got/whole)
		}
	}
}

// The aperture has the area of its polygon, of its circle where blades are round, and a little less
// with dust; what it lets through is a share.
func TestMask(t *testing.T) {
	area := func(b Blades) (sum float64) {
		for i, v := range b.Mask() {
			if v < 0 || v > 1 {
				t.Fatalf("cell %d lets %v through", i, v)
			}
			sum += v
		}
		return
	}
	for _, n := range []int{3, 5, 6, 9} {
		b := Blades{Count: n, Stop: 8}
		r := b.radius()
		want := float64(n) / 2 * r * r * math.Sin(2*math.Pi/float64(n))
		if got := area(b); math.Abs(got/want-1) > 0.01 {
			t.Errorf("%d blades leave %.0f cells open, a polygon has %.0f", n, got, want)
		}
		b.Rounded = 1
		if got, want := area(b), math.Pi*r*r; math.Abs(got/want-1) > 0.01 {
			t.Errorf("%d round blades leave %.0f cells open, a circle has %.0f", n, got, want)
		}
	}
	clean := Blades{Count: 6, Stop: 8}
	worn := Blades{Count: 6, Stop: 8, Worn: 1, Seed: 2}
	if k := area(worn) / area(clean); k > 0.999 || k < 0.9 {
		t.Errorf("worn and dusty it lets %.3f through", k)
	}
}

// The star's middle is its point, in pixels of any size.
func TestMiddle(t *testing.T) {
	b := Blades{Count: 6, Stop: 24}
	s, err := b.New(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	for _, n := range []int{511, 301, 129, 65, 33} {
		px := 2 / float64(n)
		var x, y, sum float64
		for j := range n {
			for i := range n {
				u, v := (float64(i)+0.5)*px-1, (float64(j)+0.5)*px-1
				k := float64(s.At(u, v, px)[1])
				x, y, sum = x+k*u, y+k*v, sum+k
			}
		}
		if math.Abs(x/sum) > 0.12*px || math.Abs(y/sum) > 0.12*px {
			t.Errorf("in %d pixels its middle is off by %.3f and %.3f of one", n, x/sum/px, y/sum/px)
		}
	}
}
