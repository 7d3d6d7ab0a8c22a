package render

import (
	"context"
	"math"
	"testing"

	"pyrant/internal/recipe"
	"pyrant/internal/recipe/pass"
)

// What is read off a shot has known values on a photo of two greys and clipped ends.
func TestTones(t *testing.T) {
	p := flat(400, 200, 64)
	for y := range 200 {
		for x := range 400 {
			i := 3 * (y*400 + x)
			switch {
			case x >= 300 && y < 20: // a twentieth of the half
				p.Pix8[i], p.Pix8[i+1], p.Pix8[i+2] = 255, 90, 90
			case x >= 300 && y >= 180:
				p.Pix8[i], p.Pix8[i+1], p.Pix8[i+2] = 0, 0, 0
			case x >= 200:
				p.Pix8[i], p.Pix8[i+1], p.Pix8[i+2] = 192, 192, 192
			}
		}
	}
	r := recipe.New(400, 200)
	e := New(1 << 24)
	q := Request{Photo: p, PhotoKey: "p", Recipe: r}
	got, err := e.Tones(context.Background(), q)
	if err != nil {
		t.Fatal(err)
	}
	h := got.Plain
	near(t, "the darker grey", h.Luma[32], 0.5, 1e-9)
	near(t, "the lighter grey", h.Luma[96], 0.45, 1e-9)
	near(t, "the lighter grey in blue", h.RGB[2][96], 0.45, 1e-9)
	near(t, "clipped black", h.Black, 0.025, 1e-9)
	near(t, "clipped white", h.White, 0.025, 1e-9)
	near(t, "of it green", h.Whites[1], 0, 0)
	sum := 0.0
	for _, v := range h.Luma {
		sum += v
	}
	near(t, "all of it", sum, 1, 1e-9)
	if got.Light != -1 || got.Lit.Luma != h.Luma {
		t.Errorf("an untouched photo has a light: %d", got.Light)
	}
	// A light without glow and spill stands above its surroundings by what its core is.
	r = lit(t, p, panel(40, 40, 120, 160))
	r.Lights[0].Gel = recipe.Gel{Lightness: 1}
	r.Lights[0].Core = recipe.Core{On: true, Whiteness: 1}
	r.Lights[0].Shells, r.Spill.On = nil, false
	r.Dusk.Daylight = -2
	q.Recipe = r
	if got, err = e.Tones(context.Background(), q); err != nil {
		t.Fatal(err)
	}
	m := linear(render(t, e, Request{Photo: p, PhotoKey: "p", Recipe: r, Deep: true}), 80, 100)[1]
	dark := linear(render(t, e, Request{Photo: p, PhotoKey: "p", Recipe: r, Deep: true}), 20, 100)[1]
	if got.Light != 0 || math.Abs(got.Stops-math.Log2(m/dark)) > 0.15 {
		t.Errorf("light %d stands %.2f stops above its surroundings, want %.2f", got.Light, got.Stops, math.Log2(m/dark))
	}
	// Under a group's fader it is the same light.
	faded := r.Clone()
	faded.Groups = append(faded.Groups, recipe.Group{ID: "g", Name: "Group", On: true, Level: 0.8})
	faded.Lights[0].Group = "g"
	q.Recipe = faded
	if got, err = e.Tones(context.Background(), q); err != nil || got.Light != 0 {
		t.Errorf("under a group's fader the brightest light is %d, %v", got.Light, err)
	}
	q.Recipe = r
	// What comes to a pass is what those before it made.
	r.Dusk.Passes = []pass.Pass{levels(-1), levels(-3)}
	for n, stops := range []float64{2, 3, 6} {
		b, err := e.Before(context.Background(), q, "dusk", n)
		if err != nil {
			t.Fatal(err)
		}
		want := int(128 * displayOf(0.0513*math.Exp2(-stops)))
		if b.Luma[want] < 0.3 && b.Luma[max(want-1, 0)] < 0.3 && b.Luma[want+1] < 0.3 {
			t.Errorf("before pass %d the grey is not at bin %d", n, want)
		}
	}
}

func displayOf(v float64) float64 {
	if v <= 0.0031308 {
		return 12.92 * v
	}
	return 1.055*math.Pow(v, 1/2.4) - 0.055
}
