package render

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"math"
	"slices"
	"sync"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
)

// The tests of this file hold pixels against values that were worked out by hand,
// from the formulas of the design: what a changed number in the program would move.

// linear returns a pixel of a picture of 16 bits in linear light.
func linear(m image.Image, x, y int) [3]float64 {
	c := m.(*image.RGBA64).RGBA64At(x, y)
	return [3]float64{colour.SRGBToLinear(float64(c.R) / 65535),
		colour.SRGBToLinear(float64(c.G) / 65535), colour.SRGBToLinear(float64(c.B) / 65535)}
}

func near(tb testing.TB, what string, got, want, share float64) {
	tb.Helper()
	if math.Abs(got-want) > share*math.Abs(want) {
		tb.Errorf("%s is %.6g, want %.6g", what, got, want)
	}
}

// bare leaves of a light its core alone, without soft edge, texture or white.
func bare(r *recipe.Recipe) *recipe.Light {
	l := &r.Lights[0]
	l.Shells, l.Core, l.Spill.Strength = nil, recipe.Core{On: true}, 0
	return l
}

// The texture of a core is the photo's luminance against its mean under the shape.
func TestTextureIsAgainstTheMeanLuminance(t *testing.T) {
	p := flat(400, 300, 60)
	for y := range 300 {
		for x := 100; x < 300; x++ { // a third of the panel is brighter
			v := []uint8{120, 120, 120}
			if x >= 200 && y >= 50 && y < 150 {
				v = []uint8{200, 160, 40}
			}
			copy(p.Pix8[3*(y*400+x):], v)
		}
	}
	r := lit(t, p, panel(100, 50, 250, 150))
	l := bare(r)
	l.Gel = recipe.Gel{Saturation: 0, Lightness: 0.5}
	lin := func(v float64) float64 { return colour.SRGBToLinear(v / 255) }
	dim, bright := lin(120), 0.2126*lin(200)+0.7152*lin(160)+0.0722*lin(40)
	mean := (2*dim + bright) / 3
	for _, texture := range []float64{0, 0.4, 1} {
		l.Core.Texture = texture
		m := render(t, New(1<<24), Request{Photo: p, Recipe: r, Deep: true})
		near(t, "the dim part", linear(m, 150, 100)[1], lin(127.5)*(1+texture*(dim/mean-1)), 2e-3)
		near(t, "the bright part", linear(m, 240, 100)[0], lin(127.5)*(1+texture*(bright/mean-1)), 2e-3)
	}
	// What is four times as bright as the mean is no brighter than that, and what
	// comes near white bends.
	for i := range p.Pix8 {
		p.Pix8[i] = 60
	}
	copy(p.Pix8[3*(100*400+150):], []uint8{250, 250, 250})
	l.Core.Texture = 1
	m := render(t, New(1<<24), Request{Photo: p, Recipe: r, Deep: true})
	v := 4 * lin(127.5)
	near(t, "a spark", linear(m, 150, 100)[1], 0.8+0.2*(1-math.Exp(-5*(v-0.8))), 2e-3)
	near(t, "what lies beside it", linear(m, 120, 100)[1], lin(127.5), 0.05)
}

// A core at a fader of 40 % hides 1 - 0.6² of what is behind it.
func TestFaderLetsTheObjectThrough(t *testing.T) {
	p := flat(300, 200, 90)
	r := lit(t, p, panel(50, 50, 250, 150))
	l := bare(r)
	l.Level = 0.4
	l.Gel = recipe.Gel{Hue: 0, Saturation: 1, Lightness: 0.5} // display 1, 0, 0
	back := colour.SRGBToLinear(90.0 / 255)
	e := New(1 << 24)
	m := render(t, e, Request{Photo: p, Recipe: r, Deep: true})
	hides := 1 - 0.6*0.6
	white := 0.8 + 0.2*(1-math.Exp(-1))
	near(t, "red", linear(m, 150, 100)[0], back+(white-back)*hides, 2e-3)
	near(t, "green", linear(m, 150, 100)[1], back*(1-hides), 2e-3)
	l.Core.Whiteness = 0.5
	m = render(t, e, Request{Photo: p, Recipe: r, Deep: true})
	near(t, "green with white", linear(m, 150, 100)[1], back+(0.5-back)*hides, 2e-3)
	m = render(t, e, Request{Photo: p, Recipe: r, Deep: true, Layer: Glow})
	near(t, "green over black", linear(m, 150, 100)[1], 0.5*hides, 2e-3)
	r.Glow.Level, l.Level = 0.5, 0.8 // the same level
	m = render(t, e, Request{Photo: p, Recipe: r, Deep: true, Layer: Glow})
	near(t, "green under a master", linear(m, 150, 100)[1], 0.5*hides, 2e-3)
}

// Where two cores overlap, they mix by their coverage.
func TestOverlappingCoresMix(t *testing.T) {
	p := flat(300, 200, 0)
	r := lit(t, p, panel(50, 50, 200, 150))
	l := bare(r)
	l.Gel = recipe.Gel{Saturation: 0, Lightness: 0.2}
	var err error
	if r, err = edit.DuplicateLight(r, 0); err != nil {
		t.Fatal(err)
	}
	r.Lights[1].Shapes = panel(100, 50, 250, 150)
	r.Lights[1].Gel.Lightness = 0.6
	m := render(t, New(1<<24), Request{Photo: p, Recipe: r, Deep: true})
	a, b := colour.SRGBToLinear(0.2), colour.SRGBToLinear(0.6)
	near(t, "the first alone", linear(m, 70, 100)[0], a, 2e-3)
	near(t, "the second alone", linear(m, 230, 100)[0], b, 2e-3)
	near(t, "both", linear(m, 150, 100)[0], (a+b)/2, 2e-3)
}

// Columns that several cores cover are gone over once: light would join to them twice.
func TestSpansAreJoined(t *testing.T) {
	v := func(ends ...int) (out []coreSpan) {
		for i := 0; i < len(ends); i += 2 {
			out = append(out, coreSpan{ends[i], ends[i+1], varies})
		}
		return
	}
	for _, tt := range []struct{ from, want []coreSpan }{
		{nil, nil},
		{v(3, 5), v(3, 5)},
		{v(7, 9, 1, 4), v(1, 4, 7, 9)},
		{v(1, 4, 3, 9, 20, 22), v(1, 9, 20, 22)},
		{v(1, 10, 3, 5), v(1, 10)},
		{v(1, 4, 4, 6), v(1, 6)},
		{v(1, 4, 5, 6), v(1, 4, 5, 6)},
		// which get different light
		{[]coreSpan{{4, 6, 0.5}, {1, 4, 0}}, []coreSpan{{1, 4, 0}, {4, 6, 0.5}}},
	} {
		if got := joined(slices.Clone(tt.from)); !slices.Equal(got, tt.want) {
			t.Errorf("%v become %v, want %v", tt.from, got, tt.want)
		}
	}
}

// Cores that are open in different parts get the light of each, side by side and where they cross.
func TestCoresOpenInParts(t *testing.T) {
	c := newCores(10)
	cover := func(n int) []float32 { return slices.Repeat([]float32{1}, n) }
	core := func(from, n int) keptCore {
		return keptCore{rows: [][]coreRun{{{from, cover(n), make([]float32, 3*n)}}}}
	}
	list := []keptCore{core(0, 3), core(3, 2), core(6, 3), core(7, 3)}
	r := coreRows{open: []float32{0, 0.25, 0.5, 1}}
	for i := range list {
		r.cores = append(r.cores, &list[i])
	}
	s := &scratch{core: c}
	r.row(s, 0, 10, 0)
	s.core.expose(slices.Repeat([]float32{1}, 30))
	joins := func(x float64) float64 { return 1 - math.Exp(-x) }
	for x, open := range []float64{0, 0, 0, 0.25, 0.25, -1, 0.5, 0.75, 0.75, 1} {
		if open >= 0 {
			near(t, fmt.Sprint("column ", x), float64(s.core.pix[3*x]), joins(open), 1e-5)
		}
	}
}

// Beside the edge of a half plane a shell is the Gaussian's integral, times its
// tint, its strength and the faders, from bright light down to what no step of 8 bits
// would show; below that it is nothing.
func TestShellBesideAnEdge(t *testing.T) {
	const sigma = 40.0
	p := flat(700, 300, 0)
	r := lit(t, p, panel(-700, -300, 200, 600))
	l := bare(r)
	l.Gel = recipe.Gel{Hue: 120, Saturation: 1, Lightness: 0.5} // display 0, 1, 0
	l.Shells = []recipe.Shell{{Radius: sigma, Strength: 0.8, Lift: 0, Join: recipe.Add,
		Tint: recipe.Tint{White: 0.25}}}
	l.Level, r.Glow.Level = 0.5, 1.5
	m := render(t, New(1<<26), Request{Photo: p, Recipe: r, Deep: true})
	eight := rgba(t, New(1<<26), Request{Photo: p, Recipe: r})
	seen := 0
	for x := 201; x < 700; x++ {
		d := float64(x) + 0.5 - 200
		light := 0.8 * 0.5 * 1.5 * math.Erfc(d/sigma/math.Sqrt2) / 2
		if light > 1e-3 {
			got := linear(m, x, 150)
			near(t, "green", got[1], float64(colour.SoftAdd(0, float32(light))), 0.01)
			near(t, "red", got[0], float64(colour.SoftAdd(0, float32(light/4))), 0.01)
		}
		// From here on down it is still light, but no longer exact.
		code := m.(*image.RGBA64).RGBA64At(x, 150).G
		if want := 12.92 * light * 65535; light < 1e-3 && light > 1e-5 {
			seen++
			if math.Abs(float64(code)-want) > 0.15*want+2 {
				t.Errorf("at %v px, where light is %.2g, the code is %d, want %.0f", d, light, code, want)
			}
		}
		if light < 1e-7 && (code != 0 || eight.RGBAAt(x, 150).G != 0) {
			t.Errorf("at %v px there is light: %d", d, code)
		}
	}
	if seen < 20 {
		t.Errorf("only %d pixels of faint light were seen", seen)
	}
}

// Lift divides by the peak of the blurred coverage to its power: at 1 the peak is
// the strength itself.
func TestLiftedShellHasItsPeak(t *testing.T) {
	p := flat(500, 400, 0)
	r := lit(t, p, panel(230, 180, 270, 220))
	l := bare(r)
	l.On = true
	l.Gel = recipe.Gel{Saturation: 0, Lightness: 1}
	peak := math.Pow(math.Erf(20/60.0/math.Sqrt2), 2)
	for _, lift := range []float64{0, 0.5, 1} {
		l.Shells = []recipe.Shell{{Radius: 60, Strength: 0.5, Lift: lift, Join: recipe.Add}}
		// Beside the core, where the coverage is known too.
		at := (math.Erf((55.5+20)/60/math.Sqrt2) - math.Erf((55.5-20)/60/math.Sqrt2)) / 2 *
			math.Erf(20/60.0/math.Sqrt2)
		want := 0.5 * at * math.Pow(peak, -lift)
		m := render(t, New(1<<24), Request{Photo: p, Recipe: r, Deep: true})
		near(t, "light beside the panel", linear(m, 305, 200)[1], float64(colour.SoftAdd(0, float32(want))), 0.02)
	}
}

// Daylight that is raised leaves what stays below the knee exact, and bends the rest.
func TestRaisedDaylightIsBentBelowWhite(t *testing.T) {
	p := flat(3, 1, 0)
	copy(p.Pix8, []uint8{100, 120, 137, 255, 255, 255, 0, 0, 0})
	rec := recipe.New(3, 1)
	rec.Dusk.Daylight = 1
	m := render(t, New(1<<20), Request{Photo: p, Recipe: rec, Deep: true})
	for c, v := range linear(m, 0, 0) {
		near(t, "below the knee", v, 2*colour.SRGBToLinear(float64([]uint8{100, 120, 137}[c])/255), 1e-4)
	}
	near(t, "white", linear(m, 1, 0)[0], 0.5+0.5*(1-math.Exp(-3)), 1e-4)
	near(t, "black", linear(m, 2, 0)[0], 0, 1e-9)
}

// Spill is the irradiance times the photo's own colour, the gel and the faders, let
// through by the tone window.
func TestSpillHasItsStrength(t *testing.T) {
	const reach = 400.0
	p := flat(500, 300, 100)
	r := lit(t, p, panel(98, 148, 102, 152))
	l := bare(r)
	l.Gel = recipe.Gel{Hue: 240, Saturation: 1, Lightness: 0.5}
	l.Level, r.Spill.Level = 0.8, 1.5
	const height = 50.0
	l.Spill = recipe.Spill{On: true, Strength: 25, Reach: reach, Height: height,
		Tone: area.ToneWindow{High: 1}}
	k := func(d float64) float64 {
		q := d * d / reach / reach
		return (1 - q) * (1 - q) / (d*d + height*height)
	}
	grey := colour.SRGBToLinear(100.0 / 255)
	at := func(d float64) float64 { // in the middle of a pixel
		return k(math.Hypot(d+0.5, 0.5)) * 16 * 25 * 0.8 * 1.5 * grey
	}
	e := New(1 << 24)
	m := render(t, e, Request{Photo: p, Recipe: r, Deep: true})
	for _, d := range []int{20, 50, 120, 250} {
		near(t, "blue", linear(m, 100+d, 150)[2],
			float64(colour.SoftAdd(float32(grey), float32(at(float64(d))))), 0.008)
		near(t, "red", linear(m, 100+d, 150)[0], grey, 1e-3)
	}
	m = render(t, e, Request{Photo: p, Recipe: r, Deep: true, Layer: Spill})
	near(t, "the layer", linear(m, 150, 150)[2], float64(colour.SoftAdd(0, float32(at(50)))), 0.01)
	// A window whose edge lies half its softness away lets half through: the ramp is
	// smooth, and symmetric about its middle.
	l.Spill.Tone = area.ToneWindow{Low: 100.0/255 + 0.1, High: 1, Soft: 0.2}
	m = render(t, e, Request{Photo: p, Recipe: r, Deep: true, Layer: Spill})
	near(t, "half a window", linear(m, 150, 150)[2], float64(colour.SoftAdd(0, float32(at(50)/2))), 0.02)
}

// A ramp gives spill a tint of the gel where the photo is dark, another where it is bright, and the
// gel between; a ramp that is the gel all over changes no bit.
func TestSpillRamp(t *testing.T) {
	codes := [5]uint8{22, 56, 102, 178, 251}
	p := flat(250, 200, 0)
	for i := range p.Pix8 {
		p.Pix8[i] = codes[i/3%250/50]
	}
	r := lit(t, p, panel(118, 10, 132, 24))
	l := bare(r)
	l.Gel = recipe.Gel{Hue: 120, Saturation: 1, Lightness: 0.5}
	l.Spill.Strength, l.Spill.Reach, l.Spill.Height = 30, 600, 60
	q := Request{Photo: p, Recipe: r, Deep: true, Layer: Spill}
	even := render(t, New(1<<24), q).(*image.RGBA64)
	sent := func(m image.Image, col int) (c [3]float64) {
		for k, v := range linear(m, 25+50*col, 120) {
			c[k] = -math.Log1p(-v)
		}
		return
	}
	// blue, green, white
	ramp := recipe.Ramp{Dark: recipe.Tint{Hue: 120}, Bright: recipe.Tint{White: 1}, Middle: 0.4}
	l.Spill.Ramp = ramp
	m := render(t, New(1<<24), q)
	for col, code := range codes {
		share, green := ramp.At(float64(code)/255), sent(even, col)[1]
		got := sent(m, col)
		near(t, fmt.Sprint("green at ", code), got[1], green*(share[1]+share[2]), 0.01)
		near(t, fmt.Sprint("blue at ", code), got[2], green*(share[0]+share[2]), 0.01)
		near(t, fmt.Sprint("red at ", code), got[0], green*share[2], 0.01)
	}
	l.Spill.Ramp = recipe.Ramp{Middle: 0.7}
	if again := render(t, New(1<<24), q).(*image.RGBA64); string(again.Pix) != string(even.Pix) {
		t.Error("a ramp that is the gel all over changes the picture")
	}
}

// The tint of the daylight is taken out of what spill sends back, at the same luminance of white.
func TestSpillInDaylight(t *testing.T) {
	p := flat(300, 200, 0)
	// Grey, in the light of an evening: red by a stop above green, blue by a stop below.
	for i := range p.Pix8 {
		p.Pix8[i] = uint8(255*colour.LinearToSRGB(0.1*[3]float64{2, 1, 0.5}[i%3]) + 0.5)
	}
	r := lit(t, p, panel(98, 98, 102, 102))
	l := bare(r)
	l.Gel = recipe.Gel{Lightness: 1}
	l.Spill.Strength, l.Spill.Reach, l.Spill.Height = 20, 200, 30
	sent := func() [3]float64 {
		m := render(t, New(1<<24), Request{Photo: p, Recipe: r, Deep: true, Layer: Spill})
		var out [3]float64
		for c, v := range linear(m, 130, 100) {
			out[c] = -math.Log1p(-v)
		}
		return out
	}
	tinted := sent()
	near(t, "red by green, as the photo", tinted[0]/tinted[1], 2, 0.03)
	r.Spill.Red, r.Spill.Blue = 1, -1
	white := sent()
	near(t, "red by green", white[0]/white[1], 1, 0.03)
	near(t, "blue by green", white[2]/white[1], 1, 0.03)
	// What is white in that light gets as much as before.
	near(t, "luminance", 0.2126*white[0]/2+0.7152*white[1]+0.0722*white[2]/0.5,
		0.2126*tinted[0]/2+0.7152*tinted[1]+0.0722*tinted[2]/0.5, 0.03)
}

// A small light is as bright in a small picture as in the whole one: its middle is met by the grid
// that spill is worked out on.
func TestSpillOfASmallLightInASmallPicture(t *testing.T) {
	p := flat(1200, 800, 128)
	r := lit(t, p, panel(596, 396, 604, 404))
	l := bare(r)
	l.Spill.Strength, l.Spill.Reach, l.Spill.Height = 20, 400, 50
	whole := render(t, New(1<<25), Request{Photo: p, Recipe: r, Deep: true, Layer: Spill})
	for _, long := range []int{400, 240} {
		small := render(t, New(1<<25), Request{Photo: p, Recipe: r, Deep: true, Layer: Spill,
			LongEdge: long})
		k := 1200 / long
		for _, at := range [][2]int{{600, 400}, {620, 400}, {600, 450}, {700, 400}} {
			// The mean over the pixel.
			sum := 0.0
			for y := range k {
				for x := range k {
					sum += spilled(whole, at[0]/k*k+x, at[1]/k*k+y) / float64(k*k)
				}
			}
			near(t, fmt.Sprint(long, at), spilled(small, at[0]/k, at[1]/k), sum, 0.02)
		}
	}
}

// Lights with different tone windows sum up as those with the same one do.
func TestTwoToneWindowsSumUp(t *testing.T) {
	p := noise(300, 200, false)
	for i := range p.Pix8 {
		p.Pix8[i] = 90 + p.Pix8[i]/4
	}
	r := lit(t, p, panel(60, 60, 90, 90))
	bare(r)
	r.Lights[0].Spill.Strength = 1
	var err error
	for range 2 {
		if r, err = edit.DuplicateLight(r, 0); err != nil {
			t.Fatal(err)
		}
	}
	r.Lights[1].Shapes, r.Lights[1].Gel.Hue = panel(200, 40, 230, 90), 20
	r.Lights[2].Shapes, r.Lights[2].Gel.Hue = panel(120, 150, 170, 180), 260
	same := render(t, New(1<<24), Request{Photo: p, Recipe: r, Deep: true}).(*image.RGBA64)
	// Windows that let all of this photo through, each of another kind.
	r.Lights[1].Spill.Tone = area.ToneWindow{Low: 0.1, High: 1}
	r.Lights[2].Spill.Tone = area.ToneWindow{Low: 0, High: 0.95}
	apart := render(t, New(1<<24), Request{Photo: p, Recipe: r, Deep: true}).(*image.RGBA64)
	for i := 0; i < len(same.Pix); i += 2 {
		a, b := int(same.Pix[i])<<8|int(same.Pix[i+1]), int(apart.Pix[i])<<8|int(apart.Pix[i+1])
		if a-b > 4 || b-a > 4 {
			t.Fatalf("sample %d is %d with one window and %d with three", i/2, a, b)
		}
	}
}

// The curve that is served for a light is the sum of its shells beside a long panel,
// known in closed form.
func TestFalloffHasItsValues(t *testing.T) {
	p := flat(2000, 1500, 0)
	r := lit(t, p, panel(500, -1500, 600, 3000))
	l := &r.Lights[0]
	l.Level, r.Glow.Level = 0.8, 0.5
	l.Gel = recipe.Gel{Hue: 0, Saturation: 1, Lightness: 0.5}
	l.Shells = []recipe.Shell{{Radius: 10, Strength: 0.6, Join: recipe.Add},
		{Radius: 60, Strength: 0.3, Join: recipe.Screen, Tint: recipe.Tint{White: 0.5}}}
	distances := []float64{1, 5, 15, 40, 120}
	curve, err := New(1<<24).Falloff(ctx, r, 0, distances, false)
	if err != nil {
		t.Fatal(err)
	}
	for i, d := range distances {
		band := func(s float64) float64 {
			return (math.Erfc(d/s/math.Sqrt2) - math.Erfc((d+100)/s/math.Sqrt2)) / 2
		}
		a, b := 0.4*0.6*band(10), 0.4*0.3*band(60)
		near(t, "red", float64(curve[i].R), float64(colour.SoftAdd(0, float32(a+b))), 0.01)
		near(t, "green", float64(curve[i].G), float64(colour.SoftAdd(0, float32(b/2))), 0.01)
	}
	// With nothing traced yet it is a panel a thirtieth of the photo wide.
	l.Shapes = nil
	if curve, err = New(1<<24).Falloff(ctx, r, 0, []float64{5}, false); err != nil {
		t.Fatal(err)
	}
	want := 0.5 * 0.4 * 0.3 * (math.Erfc(5.0/60/math.Sqrt2) -
		math.Erfc((5+2000/30.0)/60/math.Sqrt2)) / 2
	near(t, "green beside a panel of some width", float64(curve[0].G), float64(colour.SoftAdd(0, float32(want))), 0.01)
}

// What is given to the photo's own profile and was not touched keeps its code in 16
// bits too; what is for another is converted.
func TestCodesThatAreKept(t *testing.T) {
	p := noise(64, 32, false)
	m := render(t, New(1<<20), Request{Photo: p, Recipe: recipe.New(64, 32),
		Deep: true}).(*image.RGBA64)
	for i, v := range p.Pix8 {
		at := 8*(i/3) + 2*(i%3)
		if got := int(m.Pix[at])<<8 | int(m.Pix[at+1]); got != 257*int(v) {
			t.Fatalf("sample %d: code %d of 8 bits became %d of 16", i, v, got)
		}
		if m.Pix[8*(i/3)+6] != 255 || m.Pix[8*(i/3)+7] != 255 {
			t.Fatalf("pixel %d is not opaque", i/3)
		}
	}
}

// At half the size and untouched, each pixel is the mean of four, in linear light, with
// the photo's own profile or another.
func TestPlainAtHalfTheSizeIsTheMean(t *testing.T) {
	p := noise(60, 40, false)
	for _, layer := range []Layer{Plain, Whole} {
		m := rgba(t, New(1<<20), Request{Photo: p, Recipe: recipe.New(60, 40), LongEdge: 30,
			Layer: layer})
		d := render(t, New(1<<20), Request{Photo: p, Recipe: recipe.New(60, 40), LongEdge: 30,
			Layer: layer, Deep: true})
		for y := range 20 {
			for x := range 30 {
				for c := range 3 {
					mean := 0.0
					for _, at := range [][2]int{{0, 0}, {1, 0}, {0, 1}, {1, 1}} {
						code := p.Pix8[3*((2*y+at[1])*60+2*x+at[0])+c]
						mean += colour.SRGBToLinear(float64(code)/255) / 4
					}
					if got := float64(m.Pix[m.PixOffset(x,
						y)+c]); math.Abs(got-255*colour.LinearToSRGB(mean)) > 0.51 {
						t.Fatalf("layer %q, pixel %d, %d: %v, want %.2f", layer, x, y, got, 255*colour.LinearToSRGB(mean))
					}
					if got := linear(d, x, y)[c]; math.Abs(got-mean) > 1e-4 {
						t.Fatalf("layer %q, pixel %d, %d of 16 bits: %v, want %v", layer, x, y, got, mean)
					}
				}
			}
		}
	}
}

// A mistake in one piece of work ends that work with an error, in whatever goroutine
// it happens, and the engine goes on.
func TestPanicEndsOnlyItsRender(t *testing.T) {
	e := New(1 << 24)
	broken := &photo.Photo{Width: 300, Height: 200, Pix8: make([]uint8, 99), Profile: colour.SRGB}
	r := recipe.New(300, 200)
	r.Dusk.Daylight = -1
	for _, long := range []int{0, 150} {
		q := Request{Photo: broken, PhotoKey: "broken", Recipe: r, LongEdge: long}
		var p *fault.Panic
		if _, err := e.Render(ctx, q); !errors.As(err, &p) || len(p.Stack) == 0 {
			t.Errorf("a render of a photo without pixels ends with %v", err)
		}
		if _, err := e.Export(ctx, q, nil); !errors.As(err, &p) {
			t.Errorf("an export of a photo without pixels ends with %v", err)
		}
	}
	good, rec := demoShot(t)
	render(t, e, Request{Photo: good, Recipe: rec, LongEdge: 200})
}

// What an export computes is of no use to the previews, and must not push out what is.
func TestExportLeavesTheCacheAlone(t *testing.T) {
	p, r := demoShot(t)
	e := New(1 << 28)
	q := Request{Photo: p, PhotoKey: "photo", Recipe: r, LongEdge: 500}
	render(t, e, q)
	render(t, e, q) // what is asked for once is not kept as a whole
	held := e.Cache.Held()
	for _, long := range []int{0, 1200, 500} {
		q := q
		q.LongEdge = long
		if _, err := e.Export(ctx, q, nil); err != nil {
			t.Fatal(err)
		}
		// At the preview's own size an export reads the masks that are there.
		if now := e.Cache.Held(); long != 500 && now != held {
			t.Errorf("the cache went from %d to %d bytes by an export of %d", held, now, long)
		}
	}
	if n := misses(t, e, q); n != 0 {
		t.Errorf("after exports the preview computes %d nodes anew", n)
	}
}

// Previews beside an export, all over one cache, are right to the byte; the export lets
// go of masks that they read. Run it under the race detector.
func TestExportBesidePreviews(t *testing.T) {
	p := noise(700, 1100, false)
	r := lit(t, p, panel(100, 50, 600, 1050))
	r.Lights[0].Shells = r.Lights[0].Shells[:3]
	r.Lights[0].Spill.Reach = 200
	whole := rgba(t, New(1<<28), Request{Photo: p, Recipe: r})
	e := New(1 << 28)
	var work sync.WaitGroup
	for range 2 {
		work.Go(func() {
			img, err := e.Export(ctx, Request{Photo: p, PhotoKey: "photo", Recipe: r}, nil)
			if err != nil || !bytes.Equal(img.(*image.RGBA).Pix, whole.Pix) {
				t.Errorf("the export is another beside previews, %v", err)
			}
		})
		work.Go(func() {
			for y := 0; y < 1000; y += 90 {
				view := image.Rect(50, y, 650, y+100)
				img, err := e.Render(ctx, Request{Photo: p, PhotoKey: "photo", Recipe: r, View: view})
				if err != nil {
					t.Error(err)
					return
				}
				m, want := img.(*image.RGBA), whole.SubImage(view).(*image.RGBA)
				for y := view.Min.Y; y < view.Max.Y; y++ {
					if !bytes.Equal(m.Pix[m.PixOffset(view.Min.X, y):][:4*view.Dx()],
						want.Pix[want.PixOffset(view.Min.X, y):][:4*view.Dx()]) {
						t.Errorf("row %d is another beside an export", y)
						return
					}
				}
			}
		})
	}
	work.Wait()
}

// An export says how far it is, in growing steps up to the whole.
func TestExportSaysHowFarItIs(t *testing.T) {
	p, r := demoShot(t)
	var steps []float64
	if _, err := New(1<<28).Export(ctx, Request{Photo: p, PhotoKey: "photo", Recipe: r,
		View: image.Rect(100, 200, 700, 1000)},
		func(v float64) { steps = append(steps, v) }); err != nil {
		t.Fatal(err)
	}
	want := []float64{256.0 / 800, 512.0 / 800, 768.0 / 800, 1}
	if !slices.Equal(steps, want) {
		t.Errorf("an export of 800 rows is %v far, want %v", steps, want)
	}
}

func TestLayersAreRefusedByName(t *testing.T) {
	p := flat(20, 20, 0)
	if _, err := New(1).Render(ctx, Request{Photo: p, Recipe: recipe.New(20, 20),
		Layer: "fog"}); !fault.Is(err, fault.Invalid) {
		t.Errorf("a layer that is none: %v", err)
	}
	if got := Layers(); !slices.Equal(got, []string{"glow", "plain", "spill"}) {
		t.Errorf("the layers are %v", got)
	}
}

// builds returns how many values of each type of node an engine has built since.
func builds(e *Engine) func(kind string) int64 {
	count := func() map[string]int64 {
		out := map[string]int64{}
		for _, s := range e.Cache.Stats() {
			out[s.Type] = s.Built
		}
		return out
	}
	before := count()
	return func(kind string) int64 { return count()[kind] - before[kind] }
}

// Two cut-outs whose pixels are the same bytes, but of another width, are not mixed up.
func TestPixelsOfAnotherWidth(t *testing.T) {
	g := New(1 << 20).Cache
	m := cutout.NewMask(64, 32)
	tiles, err := m.Pack()
	if err != nil {
		t.Fatal(err)
	}
	for _, size := range [][2]int{{64, 32}, {32, 64}} {
		r := cutout.Raster{Width: size[0], Height: size[1], Cell: 1, Tiles: tiles}
		got, err := graph.Get(t.Context(), g, pixelsOf(g, &r))
		if err != nil {
			t.Fatal(err)
		}
		if w, h := got.W, got.H; w != size[0] || h != size[1] {
			t.Errorf("asked for %v, got %d by %d", size, w, h)
		}
	}
}
