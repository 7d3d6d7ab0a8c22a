package render

import (
	"math"
	"slices"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/edit"
	"pyrant/internal/light/glow"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/shape"
)

// exposedCore leaves of a light its core alone, by exposure, of a gel that is half in linear light.
func exposedCore(r *recipe.Recipe) *recipe.Light {
	l := bare(r)
	l.Core = recipe.Core{On: true, Look: recipe.Exposed, Brightness: 1, Seed: 1}
	l.Gel = recipe.Gel{Saturation: 0, Lightness: colour.LinearToSRGB(0.5)}
	return l
}

// A core by exposure shows 1 - exp(-E·t·f·x).
func TestExposedCore(t *testing.T) {
	p := flat(400, 300, 90)
	r := lit(t, p, panel(100, 50, 300, 250))
	l := exposedCore(r)
	e := New(1 << 26)
	at := func(x, y int) float64 {
		t.Helper()
		return linear(render(t, e, Request{Photo: p, Recipe: r, Deep: true}), x, y)[1]
	}
	want := func(emission float64) float64 { return 1 - math.Exp(-emission) }
	near(t, "the middle", at(200, 150), want(2*0.5), 2e-3)
	near(t, "near the edge, not rounded", at(103, 150), want(2*0.5), 2e-3)
	l.Intensity = -2
	near(t, "two stops less", at(200, 150), want(0.5*0.5), 2e-3)
	l.Core.Brightness, l.Intensity = -1, 0
	near(t, "two stops less of the core", at(200, 150), want(0.5*0.5), 2e-3)
	l.Core.Brightness, l.Core.Whiteness = 1, 0.5
	near(t, "half white", at(200, 150), want(2*0.75), 2e-3)
	l.Core.Whiteness = 0

	// The depth: a square's mean width is half of its side, so that the blur has a deviation of 40.
	deep := func(x, y float64) float64 {
		// at a distance outside of the edge
		across := func(d float64) float64 { return glow.Profile(40, 200, d) }
		b := across(-x) * across(-y) / (across(-100) * across(-100))
		k := min(max(2*b-1, 0), 1)
		return k * k * (3 - 2*k)
	}
	for _, rounding := range []float64{0.7, 1, -0.6} {
		l.Core.Rounding = rounding
		for _, x := range []int{110, 130, 150, 200} {
			k := deep(float64(x)+0.5-100, 100.5)
			left := 1 - rounding*(1-k)
			if rounding < 0 {
				left = 1 + rounding*k
			}
			near(t, "rounded", at(x, 150), want(2*0.5*left), 6e-3)
		}
	}
	l.Core.Rounding = 0

	// The object shows through, and light joins it.
	back := colour.SRGBToLinear(90.0 / 255)
	l.Core.Translucency = 0.5
	base := back / 2
	near(t, "see-through", at(200, 150), 1-(1-base)*math.Exp(-2*0.5/(1-base)), 2e-3)
	l.Core.Translucency, l.Level = 0, 0.5
	base = back * 0.25
	near(t, "a fader of a half", at(200, 150), 1-(1-base)*math.Exp(-0.5/(1-base)), 2e-3)
}

// The texture is a factor of the light, not of what the picture shows of it.
func TestTextureOfExposedCores(t *testing.T) {
	p := flat(400, 300, 60)
	for y := range 300 {
		for x := 200; x < 400; x++ {
			copy(p.Pix8[3*(y*400+x):], []uint8{120, 120, 120})
		}
	}
	r := lit(t, p, panel(100, 50, 300, 250))
	l := exposedCore(r)
	l.Core.Texture = 0.4
	dim, bright := colour.SRGBToLinear(60.0/255), colour.SRGBToLinear(120.0/255)
	mean := (dim + bright) / 2
	m := render(t, New(1<<26), Request{Photo: p, Recipe: r, Deep: true})
	near(t, "the dim half", linear(m, 150, 150)[1], 1-math.Exp(-2*0.5*(1+0.4*(dim/mean-1))), 3e-3)
	near(t, "the bright half", linear(m, 250, 150)[1], 1-math.Exp(-2*0.5*(1+0.4*(bright/mean-1))), 3e-3)
}

// As much of the glow joins the core as it is open to.
func TestOpennessOfExposedCores(t *testing.T) {
	p := flat(400, 300, 0)
	r := lit(t, p, panel(50, 50, 350, 250))
	l := exposedCore(r)
	l.Core.Brightness = -1
	l.Shells = []recipe.Shell{{Radius: 2, Strength: 0.8, Join: recipe.Add}}
	e := New(1 << 26)
	for _, open := range []float64{0, 0.05, 0.5, 1} {
		l.Core.Openness = open
		c, s := 1-math.Exp(-0.25), 0.8*0.5*open
		m := render(t, e, Request{Photo: p, Recipe: r, Deep: true})
		near(t, "the core", linear(m, 200, 150)[1], 1-(1-c)*math.Exp(-s/(1-c)), 3e-3)
	}
}

// A stop more doubles all light of a light: core, shells and spill.
func TestIntensityDrivesAllLight(t *testing.T) {
	p := flat(400, 300, 128)
	r := lit(t, p, panel(150, 100, 250, 200))
	l := exposedCore(r)
	l.Shells = []recipe.Shell{{Radius: 10, Strength: 0.05, Join: recipe.Add}}
	l.Spill.Strength, l.Spill.Reach = 0.1, 400
	e := New(1 << 26)
	// Little light joins by exp: its amount is -log(1 - v) over black.
	light := func(layer Layer, x, y int) float64 {
		t.Helper()
		return -math.Log1p(-linear(render(t, e, Request{Photo: p, Recipe: r, Deep: true,
			Layer: layer}), x, y)[1])
	}
	shell, spill := light(Glow, 265, 150), light(Spill, 300, 150)
	if shell < 1e-3 || spill < 1e-3 {
		t.Fatalf("there is no light to measure: %g, %g", shell, spill)
	}
	l.Intensity = 1.5
	k := math.Exp2(1.5)
	near(t, "the shell", light(Glow, 265, 150), k*shell, 5e-3)
	near(t, "the spill", light(Spill, 300, 150), k*spill, 1.5e-2)
	chart, err := e.Falloff(t.Context(), r, 0, []float64{15}, false)
	if err != nil {
		t.Fatal(err)
	}
	l.Intensity = 0
	before, err := e.Falloff(t.Context(), r, 0, []float64{15}, false)
	if err != nil {
		t.Fatal(err)
	}
	near(t, "the chart", -math.Log1p(-float64(chart[0].G)), -k*math.Log1p(-float64(before[0].G)), 1e-3)
}

// Uneven cores differ from place to place by no more than they are told, by their seed, and alike
// at every scale.
func TestUnevenCores(t *testing.T) {
	p := flat(800, 200, 0)
	r := lit(t, p, panel(40, 80, 760, 120))
	l := exposedCore(r)
	l.Core.Brightness = -1
	l.Core.Uneven = 2
	e := New(1 << 26)
	stops := func(edge int) (out []float64) {
		m := render(t, e, Request{Photo: p, Recipe: r, Deep: true, LongEdge: edge})
		k := 800 / m.Bounds().Dx()
		for x := 60 / k; x < 740/k; x += 8 / k {
			var v float64
			for i := range 4 / k { // as large a place at each scale
				for j := range 4 / k {
					v += linear(m, x+i, 96/k+j)[1]
				}
			}
			v /= float64(16 / k / k)
			out = append(out, math.Log2(-math.Log1p(-v)/0.25))
		}
		return
	}
	one := stops(800)
	lo, hi, step := 0.0, 0.0, 0.0
	for i, v := range one {
		lo, hi = min(lo, v), max(hi, v)
		if i > 0 {
			step = max(step, math.Abs(v-one[i-1]))
		}
	}
	if lo < -1.02 || hi > 1.02 || hi-lo < 0.7 || step > 0.6 {
		t.Errorf("from %.2f to %.2f stops, in steps of up to %.2f", lo, hi, step)
	}
	for i, v := range stops(400) {
		if math.Abs(v-one[i]) > 0.06 {
			t.Errorf("place %d is %.3f stops at half the size, %.3f before", i, v, one[i])
		}
	}
	l.Core.Seed = 2
	same := 0
	for i, v := range stops(800) {
		if math.Abs(v-one[i]) < 0.02 {
			same++
		}
	}
	if same > len(one)/3 {
		t.Errorf("with another seed %d of %d places are as they were", same, len(one))
	}
}

// The chart is the mean of the picture at places so far from the edge, corners and what is taken
// away included.
func TestFalloffGoesRoundCorners(t *testing.T) {
	p := flat(500, 400, 0)
	r := lit(t, p, append(panel(200, 150, 260, 250), panel(240, 100, 320, 300)...))
	away := r.Lights[0].Shapes[1].(shape.Outline)
	away.Away = true // what is left is 40 pixels wide and 100 high
	r.Lights[0].Shapes[1] = away
	r.Lights[0].Core.Feather = 0
	e := New(1 << 26)
	// Where rows of pixels lie, so that there are as many along sides as round corners.
	distances := []float64{2.5, 5.5, 10.5, 20.5, 40.5}
	curve, err := e.Falloff(t.Context(), r, 0, distances, false)
	if err != nil {
		t.Fatal(err)
	}
	m := render(t, e, Request{Photo: p, Recipe: r, Deep: true, Layer: Glow})
	for i, d := range distances {
		sum, n := 0.0, 0
		for y := range 400 {
			for x := range 500 {
				u, v := float64(x)+0.5, float64(y)+0.5
				far := math.Hypot(max(200-u, 0, u-240), max(150-v, 0, v-250))
				if far > 0 && math.Abs(far-d) < 0.5 {
					sum += linear(m, x, y)[1]
					n++
				}
			}
		}
		near(t, "the chart", float64(curve[i].G), sum/float64(n), 0.02)
	}
}

// What carries a light takes as much of its spill as it is told, soft where its edge is; other
// lights fall on it as ever.
func TestSpillStaysOffWhatCarriesTheLight(t *testing.T) {
	p := flat(400, 300, 128)
	r := lit(t, p, panel(150, 100, 200, 150))
	l := &r.Lights[0]
	l.Shells = nil
	l.Spill.Strength, l.Spill.Reach = 1, 500
	r.CutOuts = []cutout.CutOut{cutOutOf(t, "c1", 400, 300,
		func(x, _ float64) float64 { return min(max((260-x)/20, 0), 1) }, nil)}
	e := New(1 << 26)
	spill := func(x int) float64 {
		t.Helper()
		return -math.Log1p(-linear(render(t, e, Request{Photo: p, Recipe: r, Deep: true,
			Layer: Spill}), x, 200)[1])
	}
	inArea := func(x int) float64 {
		t.Helper()
		next, id, err := edit.AddArea(r, "A", part(area.Light{What: area.Spill,
			Light: area.LightRef(r.Lights[0].ID)}))
		if err != nil {
			t.Fatal(err)
		}
		m, err := e.AreaMask(t.Context(), Request{Photo: p, PhotoKey: "p", Recipe: next}, id, false)
		if err != nil {
			t.Fatal(err)
		}
		return -math.Log1p(-float64(m.At(x, 200)))
	}
	all, area0 := map[int]float64{}, map[int]float64{}
	for _, x := range []int{120, 250, 300} {
		all[x], area0[x] = spill(x), inArea(x)
	}
	l.Spill.Carrier = area.RefTo(area.OfCutOut, "c1")
	if err := r.Validate(); err != nil {
		t.Fatal(err)
	}
	for _, onto := range []float64{0, 0.25, 1} {
		l.Spill.Onto = onto
		for x, covered := range map[int]float64{120: 1, 250: 0.475, 300: 0} {
			want := all[x] * (1 - (1-onto)*covered)
			if got := spill(x); math.Abs(got-want) > 0.012*all[x] {
				t.Errorf("%.0f %% of the spill at %d, covered by %.2f: %.4f, want %.4f", 100*onto, x, covered, got, want)
			}
			want = area0[x] * (1 - (1-onto)*covered)
			if got := inArea(x); area0[x] < 0.01 || math.Abs(got-want) > 0.012*area0[x] {
				t.Errorf("an area where it falls has %.4f at %d, want %.4f", got, x, want)
			}
		}
	}
	next, _, err := edit.AddLight(r)
	if err != nil {
		t.Fatal(err)
	}
	r, l = next, &next.Lights[0]
	l.Spill.Onto = 0
	r.Lights[1].Shapes, r.Lights[1].Shells, r.Lights[1].Spill = panel(300, 20, 350, 60), nil,
		recipe.Spill{On: true, Strength: 1, Reach: 500, Tone: l.Spill.Tone}
	r.Lights[1].Gel = l.Gel
	both := spill(120)
	l.On = false
	if alone := spill(120); alone < 0.001 || math.Abs(both-alone) > 0.01*alone {
		t.Errorf("another light gives %.4f there, %.4f beside the one that is carried", alone, both)
	}
}

// Once the chart has shown a light's whole falloff, what it shows while a value is in the hand is
// read from that: nothing is blurred anew, and it is what a new engine makes of as few places.
func TestBriefFalloffIsReadFromTheWhole(t *testing.T) {
	p := flat(500, 400, 0)
	r := lit(t, p, panel(200, 150, 260, 250))
	e, distances := New(1<<30), []float64{1, 5, 20, 80, 300}
	if _, err := e.Falloff(t.Context(), r, 0, distances, false); err != nil {
		t.Fatal(err)
	}
	_, before := e.Cache.Counts()
	r.Lights[0].Shells[0].Strength *= 1.3
	got, err := e.Falloff(t.Context(), r, 0, distances, true)
	if err != nil {
		t.Fatal(err)
	}
	if _, after := e.Cache.Counts(); after != before {
		t.Errorf("%d things were worked out anew", after-before)
	}
	want, err := New(1<<30).Falloff(t.Context(), r, 0, distances, true)
	if err != nil || !slices.Equal(got, want) {
		t.Errorf("%v, %v, of a new engine %v", err, got, want)
	}
}
