package rays

import (
	"context"
	"image"
	"math"
	"slices"
	"testing"

	"pyrant/internal/base/raster"
	"pyrant/internal/recipe"
)

// An odd number of blades gives twice as many rays, and a lens draws them all by itself.
func TestOf(t *testing.T) {
	for by, want := range map[recipe.RaysBy]int{recipe.ByRays: 7, recipe.ByBlades: 14,
		recipe.ByLens: 0} {
		if s := Of(recipe.Rays{Made: by, Count: 7, Halo: 0.5}); s.Count != want || s.Halo != 0.5 {
			t.Errorf("seven, made by %s, are %d rays with a halo of %v", by, s.Count, s.Halo)
		}
	}
}

func draw(t *testing.T, s *Star, scale float64, points ...Point) *raster.RGB {
	t.Helper()
	m, err := s.Draw(context.Background(), points, scale, image.Rect(0, 0, int(400*scale),
		int(400*scale)))
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func sum(m *raster.RGB, c int) (v float64) {
	for i := c; i < len(m.Pix); i += 3 {
		v += float64(m.Pix[i])
	}
	return
}

func middle(size float64) Point {
	return Point{X: 200, Y: 200, Size: size, Colour: [3]float32{1, 1, 1}}
}

// peaks returns the angles in degrees, clockwise from the right, at which it is brightest round the
// middle at a distance.
func peaks(m *raster.RGB, dist float64) (out []float64) {
	const n = 1440
	var v [n]float64
	for i := range v {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / n)
		x, y := 200+dist*cos-0.5, 200+dist*sin-0.5
		a, b := int(math.Floor(x)), int(math.Floor(y))
		fx, fy := x-float64(a), y-float64(b)
		at := func(x, y int) float64 { return float64(m.Row(y)[3*x+1]) }
		v[i] = (at(a, b)*(1-fx)+at(a+1, b)*fx)*(1-fy) + (at(a, b+1)*(1-fx)+at(a+1, b+1)*fx)*fy
	}
	top := slices.Max(v[:])
	for i := range v {
		most := v[i] > 0.3*top
		for k := -40; k <= 40; k++ {
			if o := v[(i+k+n)%n]; o > v[i] || o == v[i] && k < 0 {
				most = false
			}
		}
		if most {
			out = append(out, 360*float64(i)/n)
		}
	}
	return
}

// There are as many rays as asked for, turned as asked for, at even angles; an odd number of blades
// gives twice as many.
func TestAngles(t *testing.T) {
	for _, tt := range []struct {
		count int
		turn  float64
	}{{1, 30}, {4, 0}, {6, 12}, {8, 77}, {14, 5}} {
		s := &Star{Count: tt.count, Length: 150, Thick: 6, Taper: 0.5, Turn: tt.turn}
		got := peaks(draw(t, s, 1, middle(1)), 60)
		if len(got) != tt.count {
			t.Errorf("%d rays asked for, %d are there: %v", tt.count, len(got), got)
			continue
		}
		for _, a := range got {
			if off := math.Remainder(a-tt.turn, 360/float64(tt.count)); math.Abs(off) > 0.6 {
				t.Errorf("%d rays turned by %v: one lies at %v", tt.count, tt.turn, a)
			}
		}
	}
	for n, want := range map[int]int{5: 10, 6: 6, 7: 14, 8: 8} {
		if got := Blades(n); got != want {
			t.Errorf("%d blades give %d rays, want %d", n, got, want)
		}
	}
}

// A ray gives the light of its formula, is as long as asked for, and does so at every scale, also
// where it is much thinner than a pixel.
func TestEnergyAndLength(t *testing.T) {
	for _, thick := range []float64{0.3, 2, 9} {
		for _, taper := range []float64{0, 0.8} {
			for _, scale := range []float64{1, 0.5, 0.23} {
				s := &Star{Count: 1, Length: 140, Thick: thick, Taper: taper, Turn: 27}
				m := draw(t, s, scale, middle(1))
				want := math.Sqrt(2*math.Pi) * thick / 2 * 140 * (1.0/3 - taper/12) * scale * scale
				// What of it goes backwards or is cut off is little.
				if got := sum(m, 1); math.Abs(got/want-1) > 0.04 {
					t.Errorf("thick %v, taper %v, scale %v: %.3f of light, want %.3f", thick, taper, scale, got, want)
				}
				sin, cos := math.Sincos(27 * math.Pi / 180)
				far := 0.0
				for y := range m.Rect.Dy() {
					for x := range m.Rect.Dx() {
						if m.Row(y)[3*x+1] > 0 {
							far = math.Max(far,
								((float64(x)+0.5)/scale-200)*cos+((float64(y)+0.5)/scale-200)*sin)
						}
					}
				}
				if far > 140 || far < 140-2/scale {
					t.Errorf("thick %v, scale %v: the ray ends at %.1f", thick, scale, far)
				}
			}
		}
	}
}

// A point of half the size has rays of half the length and width.
func TestSize(t *testing.T) {
	s := &Star{Count: 5, Length: 100, Thick: 8, Taper: 0.5, Halo: 0.4, HaloSize: 0.2, Veil: 0.2}
	if a, b := sum(draw(t, s, 1, middle(1)), 1), sum(draw(t, s, 1, middle(0.5)),
		1); math.Abs(b/a-0.25) > 0.02 {
		t.Errorf("half the size gives %.3f of the light", b/a)
	}
}

// Veil and halo give the light of their formulas, to all sides alike.
func TestVeilAndHalo(t *testing.T) {
	s := &Star{Length: 120, Thick: 3, Veil: 0.5}
	m := draw(t, s, 1, middle(1))
	// 2π ∫ r(1-r/l)³ = 2π l²/20
	if got, want := sum(m, 1), 0.5*2*math.Pi*120*120/20; math.Abs(got/want-1) > 0.01 {
		t.Errorf("the veil gives %.1f, want %.1f", got, want)
	}
	if a, b := m.Row(200)[3*260+1], m.Row(260)[3*200+1]; math.Abs(float64(a-b)) > 1e-5 || a == 0 {
		t.Errorf("to the right it is %v, downwards %v", a, b)
	}
	s = &Star{Length: 120, Thick: 3, Halo: 0.5, HaloSize: 0.15}
	if got, want := sum(draw(t, s, 1, middle(1)), 1),
		0.5*2*math.Pi*18*18; math.Abs(got/want-1) > 0.01 {
		t.Errorf("the halo gives %.1f, want %.1f", got, want)
	}
}

// Squeezed, all of it is as much less high as asked for, across its slant.
func TestSqueeze(t *testing.T) {
	s := &Star{Count: 4, Length: 100, Squeeze: 0.6, Slant: 30, Turn: 30, Thick: 3, Veil: 0.3}
	for i, r := range s.Rays() {
		want := 1.0
		if i%2 == 1 {
			want = 0.4
		}
		if math.Abs(r.Length-want) > 1e-9 {
			t.Errorf("ray %d is %.3f long, want %.1f", i, r.Length, want)
		}
	}
	round := Star{Length: 100, Veil: 0.3}
	flat := Star{Length: 100, Veil: 0.3, Squeeze: 0.6, Slant: 30}
	if a, b := sum(draw(t, &round, 1, middle(1)), 1), sum(draw(t, &flat, 1, middle(1)),
		1); math.Abs(b/a-0.4) > 0.01 {
		t.Errorf("squeezed to 0.4 the veil gives %.3f of its light", b/a)
	}
}

// Irregular rays are shorter, and off, by as much as allowed, otherwise for another seed, and one
// of both settings does not change the other.
func TestIrregular(t *testing.T) {
	s := Star{Count: 40, Length: 100, Lengths: 0.6, Angles: 0.8, Seed: 3}
	step := 2 * math.Pi / 40
	var short, off float64
	for i, r := range s.Rays() {
		if r.Length > 1 || r.Length < 0.4 {
			t.Errorf("ray %d is %v long", i, r.Length)
		}
		d := math.Abs(r.Angle - float64(i)*step)
		if d > 0.4*step+1e-9 {
			t.Errorf("ray %d stands off by %v of the way to the next", i, d/step)
		}
		short, off = math.Max(short, 1-r.Length), math.Max(off, d/step)
	}
	if short < 0.45 || off < 0.3 {
		t.Errorf("they are shorter by %.2f and off by %.2f at the most", short, off)
	}
	even := s
	even.Lengths = 0
	for i, r := range even.Rays() {
		if r.Length != 1 || r.Angle != s.Rays()[i].Angle {
			t.Errorf("ray %d of even length: %v, before %v", i, r, s.Rays()[i])
		}
	}
	other := s
	other.Seed = 4
	if slices.Equal(other.Rays(), s.Rays()) || !slices.Equal(s.Rays(), s.Rays()) {
		t.Error("seeds do not tell rays apart")
	}
}

// Colours spread along a ray: red goes farther than blue. Colours of points stay their own, and
// lights add up.
func TestColours(t *testing.T) {
	s := &Star{Count: 1, Length: 100, Thick: 6, Spread: 0.3}
	m := draw(t, s, 1, middle(1))
	at := func(d float64) []float32 { return m.Row(200)[3*int(200+d) : 3*int(200+d)+3] }
	if far := at(105); far[0] == 0 || far[1] != 0 || far[2] != 0 {
		t.Errorf("beyond the green end there is %v", far)
	}
	if near := at(90); near[0] <= near[1] || near[1] <= near[2] {
		t.Errorf("near the end there is %v", near)
	}
	s = &Star{Count: 4, Length: 60, Thick: 3, Veil: 0.1}
	a := Point{X: 120, Y: 200, Size: 1, Colour: [3]float32{1, 0, 0}}
	b := Point{X: 150, Y: 210, Size: 0.7, Colour: [3]float32{0, 0.5, 0}}
	both, one, two := draw(t, s, 1, a, b), draw(t, s, 1, a), draw(t, s, 1, b)
	for i := range both.Pix {
		if d := math.Abs(float64(both.Pix[i] - one.Pix[i] - two.Pix[i])); d > 1e-5 {
			t.Fatalf("sample %d of both is %v off their sum", i, d)
		}
	}
	if sum(both, 2) != 0 || sum(one, 1) != 0 {
		t.Error("a point has a colour that is not its own")
	}
}

// A part of the picture is that part of the whole, and nothing that reaches in from outside is
// lost.
func TestParts(t *testing.T) {
	s := &Star{Count: 7, Length: 150, Thick: 4, Taper: 0.6, Turn: 10, Halo: 0.3, HaloSize: 0.2,
		Veil: 0.1, Lengths: 0.4, Angles: 0.5, Spread: 0.2}
	points := []Point{middle(1), {X: -20, Y: 90, Size: 0.8, Colour: [3]float32{0.5, 0.7, 1}}}
	whole := draw(t, s, 1, points...)
	r := image.Rect(37, 81, 300, 283)
	part, err := s.Draw(context.Background(), points, 1, r)
	if err != nil {
		t.Fatal(err)
	}
	for y := r.Min.Y; y < r.Max.Y; y++ {
		if !slices.Equal(part.Row(y), whole.Row(y)[3*r.Min.X:3*r.Max.X]) {
			t.Fatalf("row %d of a part is another", y)
		}
	}
	if whole.Row(90)[1] == 0 {
		t.Error("a point beside the picture sends nothing in")
	}
}

// One ray ends where it is cut and shines as a shorter one does; the others are as they were. The
// nearest ray to a place is told with how far along that is.
func TestCuts(t *testing.T) {
	s := &Star{Count: 4, Length: 150, Thick: 4, Taper: 0.5}
	whole := draw(t, s, 1, middle(1))
	p := middle(1)
	p.Cuts = []Cut{{1, 0.4}}
	cut := draw(t, s, 1, p)
	at := func(m *raster.RGB, x, y int) float64 { return float64(m.Row(y)[3*x+1]) }
	if at(cut, 199, 200+70) != 0 || at(whole, 199, 200+70) == 0 {
		t.Errorf("beyond the cut it is %v, before it was %v", at(cut, 199, 270), at(whole, 199, 270))
	}
	if at(cut, 199, 240) == 0 {
		t.Error("nothing is left of the ray")
	}
	for _, q := range [][2]int{{300, 199}, {100, 199}, {199, 100}} {
		if a, b := at(cut, q[0], q[1]), at(whole, q[0], q[1]); a != b || a == 0 {
			t.Errorf("at %v it is %v, was %v", q, a, b)
		}
	}
	two := []Point{middle(1), {X: 320, Y: 200, Size: 0.5}}
	for _, c := range []struct {
		x, y       float64
		point, ray int
		at         float64
		ok         bool
	}{
		{200, 290, 0, 1, 0.6, true},
		{197, 140, 0, 3, 0.4, true},
		{320, 230, 1, 1, 0.4, true},
		{320, 285, 0, 0, 0, false}, // beyond its end
		{260, 260, 0, 0, 0, false}, // between two
	} {
		point, ray, at, ok := s.Nearest(two, c.x, c.y, 5)
		if ok != c.ok || ok && (point != c.point || ray != c.ray || math.Abs(at-c.at) > 0.01) {
			t.Errorf("at %v, %v: point %d ray %d at %.3f, %v", c.x, c.y, point, ray, at, ok)
		}
	}
}
