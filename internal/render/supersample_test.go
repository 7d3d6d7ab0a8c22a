package render

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"math"
	"testing"

	"pyrant/internal/edit"
	"pyrant/internal/light/streak"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// added returns the light that a place of a picture over black has, before it is joined.
func added(m image.Image, x, y int) float64 { return -math.Log1p(-linear(m, x, y)[1]) }

// A streak is the integral of the light along its direction, in core and shells, in linear light.
func TestStreakAgainstDirectIntegration(t *testing.T) {
	p := flat(400, 300, 0)
	r := lit(t, p, panel(100, 180, 130, 200))
	l := bare(r)
	l.Core = recipe.Core{On: true, Look: recipe.Even, Whiteness: 1}
	l.Streak = recipe.Streak{Length: 140, Angle: 25, Sides: recipe.OneSide, Taper: 0.6}
	k := streak.Streak{Length: 140, Angle: 25, Taper: 0.6}
	ux, uy := k.Vector()
	direct := func(x, y float64) (sum float64) {
		const n = 4000
		for i := range n {
			at := 140 * (float64(i) + 0.5) / n
			if qx, qy := x-at*ux, y-at*uy; qx >= 100 && qx < 130 && qy >= 180 && qy < 200 {
				sum += k.Kernel(at) * 140 / n
			}
		}
		return
	}
	q := Request{Photo: p, Recipe: r, Deep: true, Layer: Glow}
	e := New(1 << 27)
	m := render(t, e, q)
	// Places along its middle, and one beside it.
	places := [][2]int{{128, 182}, {140, 176}, {160, 167}, {190, 153}, {220, 139}, {235, 132}}
	base := linear(m, 160, 167)[1] / direct(160.5, 167.5)
	total, peak := 0.0, 0.0
	for y := range 300 {
		for x := range 400 {
			v := linear(m, x, y)[1] / base
			total, peak = total+v, max(peak, v)
		}
	}
	for _, at := range places {
		want := direct(float64(at[0])+0.5, float64(at[1])+0.5)
		if got := linear(m, at[0], at[1])[1] / base; math.Abs(got-want) > 0.01*peak {
			t.Errorf("core at %v: %.4f, direct integration %.4f", at, got, want)
		}
	}
	if linear(m, 92, 195)[1] > 1e-4 || linear(m, 280, 110)[1] > 1e-4 {
		t.Error("it goes to the other side, or beyond its end")
	}
	near(t, "all of its light", total, 30*20, 0.01)
	// It is as bright as the light itself where it is brightest: white.
	l.Streak.Length = 0
	near(t, "its brightest place", peak*base, linear(render(t, e, q), 115, 190)[1], 0.02)

	// A shell of it: the same energy, and the Gaussian of the streak.
	l.Streak.Length, l.Core.On = 140, false
	l.Shells = []recipe.Shell{{Radius: 8, Strength: 0.05, Join: recipe.Add,
		Tint: recipe.Tint{White: 1}}}
	m = render(t, e, q)
	for _, at := range places[1:5] {
		want, n := 0.0, 0.0
		for dy := -24; dy <= 24; dy += 2 {
			for dx := -24; dx <= 24; dx += 2 {
				w := math.Exp(-float64(dx*dx+dy*dy) / 128)
				want, n = want+w*direct(float64(at[0]+dx)+0.5, float64(at[1]+dy)+0.5), n+w
			}
		}
		if got := added(m, at[0], at[1]) / 0.05 * peak; math.Abs(got-want/n) > 0.02*peak {
			t.Errorf("shell at %v: %.4f, direct integration %.4f", at, got, want/n)
		}
	}
	l.Streak.Sides = recipe.BothSides
	if m = render(t, e, q); added(m, 85, 203) < 0.3*added(m, 145, 174) {
		t.Error("to both sides it does not go to the left")
	}
}

// An orb half outside of the frame shows what a larger frame shows there.
func TestOrbBeyondTheFrame(t *testing.T) {
	small, big := flat(400, 300, 90), flat(800, 700, 90)
	for _, kind := range []string{edit.Orb, edit.Veil} {
		a, _, err := edit.AddOrb(recipe.New(400, 300), kind, 12, 40, 170)
		if err != nil {
			t.Fatal(err)
		}
		for off, most := range map[image.Point]float64{{128, 192}: 6e-5, {101, 83}: 4e-3} {
			b, _, err := edit.AddOrb(
				recipe.New(800, 700),
				kind,
				12+float64(off.X),
				40+float64(off.Y),
				170,
			)
			if err != nil {
				t.Fatal(err)
			}
			// Both in the sizes of the smaller photo.
			b.Lights[0].Core, b.Lights[0].Shells, b.Lights[0].Spill = a.Lights[0].Core,
				a.Lights[0].Shells, a.Lights[0].Spill
			m, n := render(t, New(1<<27), Request{Photo: small, Recipe: a, Deep: true}),
				render(t, New(1<<27), Request{Photo: big, Recipe: b, Deep: true})
			worst := 0.0
			for y := 0; y < 300; y += 3 {
				for x := 0; x < 400; x += 3 {
					worst = max(worst, math.Abs(linear(m, x, y)[1]-linear(n, x+off.X, y+off.Y)[1]))
				}
			}
			if worst > most {
				t.Errorf("%s, moved by %v: off by %.6f", kind, off, worst)
			}
		}
		m := render(t, New(1<<27), Request{Photo: small, Recipe: a, Deep: true})
		grey := linear(render(t, New(1<<27), Request{Photo: small, Recipe: a, Deep: true,
			Layer: Plain}), 399, 299)[1]
		if in, out := linear(m, 12, 40)[1], linear(m, 399, 299)[1]; in < 1.2*grey ||
			out > 1.1*grey || in <= out {
			t.Errorf(
				"%s: %.4f in its middle, %.4f far away, where the photo has %.4f",
				kind,
				in,
				out,
				grey,
			)
		}
	}
}

// What a trim covers is multiplied by what is left.
func TestTrimMultiplies(t *testing.T) {
	p := flat(400, 300, 0)
	r := lit(t, p, panel(150, 100, 200, 150))
	stroke := setting.New[area.Stroke](r.Photo.Frame())
	stroke.Diameter, stroke.Softness, stroke.Flow = 40, 0.6, 0.9
	stroke.Points = setting.ListOf(area.Dab{X: 160, Y: 60, P: 1}, area.Dab{X: 260, Y: 180, P: 1})
	r, id, err := edit.AddArea(r, "Trim", part(area.Strokes{Strokes: []area.Stroke{stroke}}))
	if err != nil {
		t.Fatal(err)
	}
	e := New(1 << 27)
	l := &r.Lights[0]
	l.Spill.On = false
	l.Core = recipe.Core{On: true, Look: recipe.Even, Whiteness: 1, Feather: 2}
	l.Shells = []recipe.Shell{{Radius: 6, Strength: 0.4, Join: recipe.Add,
		Tint: recipe.Tint{White: 1}}, {Radius: 25, Strength: 0.5, Join: recipe.Add,
		Tint: recipe.Tint{White: 1}}}
	cover, err := e.AreaMask(t.Context(), Request{Photo: p, PhotoKey: "photo", Recipe: r}, id, true)
	if err != nil {
		t.Fatal(err)
	}
	q := Request{Photo: p, Recipe: r, Deep: true, Layer: Glow}
	light := func(read func(image.Image, int, int) float64) (out []float64) {
		m := render(t, e, q)
		for y := 20; y < 280; y += 4 {
			for x := 60; x < 340; x += 4 {
				out = append(out, read(m, x, y))
			}
		}
		return
	}
	check := func(what string, got, whole []float64, amount float64) {
		t.Helper()
		i, touched := 0, 0
		for y := 20; y < 280; y += 4 {
			for x := 60; x < 340; x += 4 {
				a := float64(cover.At(x, y))
				if want := whole[i] * (1 - amount*a); math.Abs(got[i]-want) > 0.002*want+2e-5 {
					t.Fatalf(
						"%s at %d, %d, covered by %.3f: %.5f, want %.5f",
						what,
						x,
						y,
						a,
						got[i],
						want,
					)
				}
				if a > 0.1 && whole[i] > 0.01 {
					touched++
				}
				i++
			}
		}
		if touched < 30 {
			t.Fatalf("%s: the stroke meets the light at %d places only", what, touched)
		}
	}
	value := func(m image.Image, x, y int) float64 { return linear(m, x, y)[1] }
	l.Core.On = false
	whole := light(added)
	l.Trim = recipe.Trim{Area: id, Amount: 0.8}
	check("the glow", light(added), whole, 0.8)
	l.Trim.Area = ""
	second := l.Shells[1]
	l.Shells = l.Shells[:1]
	first := light(added)
	l.Shells = append(l.Shells[:1:1], second)
	l.Shells[1].Trim = recipe.Trim{Area: id, Amount: 1}
	got := light(added)
	for i := range got {
		got[i] -= first[i]
		whole[i] -= first[i]
	}
	check("one shell", got, whole, 1)
	l.Shells, l.Core.On = nil, true
	whole = light(value)
	l.Trim = recipe.Trim{Area: id, Amount: 0.6}
	check("the core", light(value), whole, 0.6)
}

// Core, glow and spill go out one by one; all of them, and the photo is untouched.
func TestPartsOfALight(t *testing.T) {
	p := noise(120, 90, false)
	r := lit(t, p, panel(40, 30, 70, 60))
	l := &r.Lights[0]
	l.Keep = 0
	e := New(1 << 26)
	pix := func() []byte { return rgba(t, e, Request{Photo: p, Recipe: r}).Pix }
	untouched := rgba(t, e, Request{Photo: p, Recipe: r, Layer: Plain}).Pix
	whole := pix()
	shells, spill := l.Shells, l.Spill.Strength
	l.Glow = false
	without := pix()
	l.Glow, l.Shells = true, nil
	if !bytes.Equal(pix(), without) || bytes.Equal(without, whole) {
		t.Error("glow that is off is not as no shells")
	}
	l.Shells, l.Spill.On = shells, false
	without = pix()
	l.Spill.On, l.Spill.Strength = true, 0
	if !bytes.Equal(pix(), without) || bytes.Equal(without, whole) {
		t.Error("spill that is off is not as none")
	}
	l.Spill.Strength, l.Core.On = spill, false
	if c := pix(); bytes.Equal(c, whole) {
		t.Error("a core that is off changes nothing")
	}
	l.Glow, l.Spill.On = false, false
	if !bytes.Equal(pix(), untouched) {
		t.Error("with all parts off the photo is changed")
	}
}

// The fader of a group is one on each of its lights, its switch one of all.
func TestGroupsFade(t *testing.T) {
	p := flat(160, 120, 60)
	r := lit(t, p, panel(20, 20, 50, 50))
	for _, x := range []float64{70, 120} {
		next, i, err := edit.AddLight(r)
		if err != nil {
			t.Fatal(err)
		}
		next.Lights[i].Shapes = panel(x, 60, x+20, 80)
		r = next
	}
	e := New(1 << 26)
	pix := func(r *recipe.Recipe) []byte { return rgba(t, e, Request{Photo: p, Recipe: r}).Pix }
	g, err := edit.GroupLights(r, []string{r.Lights[0].ID, r.Lights[2].ID})
	if err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(pix(g), pix(r)) {
		t.Error("a new group changes the picture")
	}
	g.Groups[0].Level = 0.5
	single := r.Clone()
	single.Lights[0].Level, single.Lights[2].Level = 0.5, 0.5
	if !bytes.Equal(pix(g), pix(single)) {
		t.Error("the fader of a group is not one on each light")
	}
	g.Groups[0].On = false
	single.Lights[0].On, single.Lights[2].On = false, false
	if !bytes.Equal(pix(g), pix(single)) {
		t.Error("the switch of a group is not one of each light")
	}
}

// Bloom takes of a core what it gives to what is round it: no light is lost, the middle stays and
// the edge is soft, at every look.
func TestBloom(t *testing.T) {
	p := flat(300, 300, 0)
	for _, look := range []recipe.Look{recipe.Even, recipe.Exposed} {
		t.Run(fmt.Sprint(look), func(t *testing.T) {
			r := lit(t, p, panel(100, 100, 200, 200))
			l := bare(r)
			l.Core = recipe.Core{On: true, Look: look, Whiteness: 0.5, Brightness: 1, Feather: 1,
				BloomRadius: 8}
			e := New(1 << 26)
			measure := func() (sum, middle, in, out float64) {
				m := render(t, e, Request{Photo: p, Recipe: r, Deep: true, Layer: Glow})
				for y := 40; y < 260; y++ {
					for x := 40; x < 260; x++ {
						sum += linear(m, x, y)[1]
					}
				}
				return sum, linear(m, 150, 150)[1], linear(m, 104, 150)[1], linear(m, 94, 150)[1]
			}
			sum, middle, in, out := measure()
			l.Core.Bloom = 0.4
			sum2, middle2, in2, out2 := measure()
			near(t, "all light", sum2, sum, 0.005)
			near(t, "the middle", middle2, middle, 0.005)
			// 4.5 px inside the edge and 5.5 px outside, by a bloom of 8.06.
			g := func(d float64) float64 { return 0.5 * (1 + math.Erf(d/8.062/math.Sqrt2)) }
			near(t, "inside the edge", in2, in*(0.6+0.4*g(4.5)), 0.01)
			near(t, "outside", out2, middle*0.4*g(-5.5), 0.02)
			if out > 1e-4 {
				t.Errorf("without bloom there is %.5f outside", out)
			}
		})
	}
}

// Rays go from a light's points, weaker for smaller ones, in the colour of each as the photo shows
// it or in the gel, and are kept off where they are trimmed.
func TestRays(t *testing.T) {
	p := flat(300, 200, 60)
	paint := func(x, y, r int, c [3]uint8) {
		for j := y - r; j <= y+r; j++ {
			for i := x - r; i <= x+r; i++ {
				if (i-x)*(i-x)+(j-y)*(j-y) <= r*r {
					copy(p.Pix8[3*(j*p.Width+i):], c[:])
				}
			}
		}
	}
	paint(80, 100, 8, [3]uint8{250, 120, 30})
	paint(220, 100, 4, [3]uint8{40, 90, 250})
	r := lit(t, p, nil)
	l := bare(r)
	l.Core.On, l.Glow = false, false
	l.Shapes = shape.Shapes{shape.Ellipse{X: 80.5, Y: 100.5, Width: 16, Height: 16},
		shape.Ellipse{X: 220.5, Y: 100.5, Width: 8, Height: 8}}
	l.Rays = recipe.Rays{On: true, Strength: 1, Length: 60, Made: recipe.ByRays, Count: 4, Thick: 4,
		Taper: 0.5, Colour: recipe.OwnColours, Distance: 1, Chorus: 1, HaloSize: 0.1,
		Trim: recipe.Trim{Amount: 1}}
	shot := func() image.Image {
		return render(t, New(1<<24), Request{Photo: p, Recipe: r, Layer: Glow, Deep: true})
	}
	m := shot()
	// On the first ray to the right, by the formula and the exposure of light.
	u := 24.0
	w := 2 * (1 - 0.5*u/60)
	e := rayPower * math.Pow(1-u/60, 2) * w / math.Hypot(w, 0.4)
	near(t, "red of the first", linear(m, 104, 100)[0], 1-math.Exp(-e), 0.02)
	if a, b := linear(m, 104, 100), linear(m, 232, 100); a[0] < 2*a[2] || b[2] < 2*b[0] {
		t.Errorf("the rays of an orange point are %v, of a blue one %v", a, b)
	}
	if v := linear(m, 255, 100); v[2] != 0 {
		t.Errorf("a point of half the size shines %v beyond half the length", v)
	}
	if v := linear(m, 255-140, 100); v[0] == 0 {
		t.Error("the larger point does not shine as far")
	}
	l.Rays.Distance = 0
	if v := linear(shot(), 255, 100); v[2] == 0 {
		t.Error("with points all alike the smaller one has shorter rays")
	}
	alike := linear(shot(), 240, 100)[2]
	l.Rays.Chorus = 0
	if a, b := linear(shot(), 104, 100), linear(shot(), 240, 100); a[0] < 0.1 || b[2] != 0 {
		t.Errorf("alone, the one that leads shines %v, the other %v", a, b)
	}
	l.Rays.Lead = 2
	if a, b := linear(shot(), 104, 100), linear(shot(), 240, 100); a[0] != 0 ||
		math.Abs(b[2]-alike) > 1e-3 {
		t.Errorf(
			"with the second leading the first shines %v, the second %v, alike %v",
			a,
			b,
			alike,
		)
	}
	l.Rays.Chorus = 1
	l.Rays.Colour, l.Gel = recipe.OfGel, recipe.Gel{Hue: 120, Saturation: 1, Lightness: 0.5}
	m = shot()
	for _, x := range []int{104, 240} {
		if v := linear(m, x, 100); v[1] == 0 || v[0] > 1e-5 || v[2] > 1e-5 {
			t.Errorf("in green the ray at %d is %v", x, v)
		}
	}
	r.Areas = []area.Area{{ID: "k", Name: "Sign", Parts: []area.Part{{On: true, Does: area.Add,
		Amount: 1, Of: area.Shape{Shape: shape.Ellipse{X: 260, Y: 100, Width: 200, Height: 400}}}}}}
	l.Rays.Trim.Area = "k"
	m = shot()
	if a, b := linear(m, 104, 100), linear(m, 240, 100); a[1] == 0 || b[1] != 0 {
		t.Errorf("kept off the right half, left is %v, right %v", a, b)
	}
	// The light's own trim counts once, as it does for its shells.
	l.Rays.Trim.Area = ""
	exposed := func(v float64) float64 { return -math.Log1p(-v) } // over black
	whole := exposed(linear(shot(), 240, 100)[1])
	l.Trim = recipe.Trim{Area: "k", Amount: 0.5}
	near(t, "a ray that is trimmed by half", exposed(linear(shot(), 240, 100)[1]), whole/2,
		0.02*whole)
	l.Trim = recipe.Trim{}
	// A ray that is cut by a click ends there; that of the other point does not.
	q := Request{Photo: p, PhotoKey: "rays", Recipe: r, LongEdge: 300}
	point, ray, at, err := New(1<<24).RayAt(context.Background(), q, 0, 110.5, 101, 6)
	if err != nil || point != 0 || ray != 0 || math.Abs(at-0.5) > 0.01 {
		t.Fatalf("the ray is %d of point %d at %.3f: %v", ray, point, at, err)
	}
	l.Rays = edit.CutRay(l.Rays, point, ray, at)
	m = shot()
	if a, b := linear(m, 104, 100), linear(m, 116, 100); a[1] == 0 || b[1] != 0 {
		t.Errorf("cut at 110 it is %v before and %v beyond", a, b)
	}
	if b := linear(m, 256, 100); b[1] == 0 {
		t.Error("the ray of the other point is cut as well")
	}
	if _, _, _, err := New(1<<24).RayAt(context.Background(), q, 0, 110.5, 140, 6); err == nil {
		t.Error("there is a ray between two rays")
	}
	l.Rays.Cuts = nil
	// How near a point is may be told by how bright it is, by an area, or by the room.
	l.Rays.Distance = 1
	length := func() float64 { // of the second's ray to the right
		m := shot()
		x := 228
		for ; x < 299 && linear(m, x, 100)[1] > 0; x++ {
		}
		return float64(x) - 220.5
	}
	near(t, "by size", length(), 30, 0.06)
	l.Rays.By = recipe.ByLight
	y := func(c [3]float64) float64 {
		lin := func(v float64) float64 { return math.Pow((v/255+0.055)/1.055, 2.4) }
		return 0.2126*lin(c[0]) + 0.7152*lin(c[1]) + 0.0722*lin(c[2])
	}
	near(t, "by its light", length(), 30*math.Sqrt(y([3]float64{40, 90, 250})/y([3]float64{250, 120,
		30})), 0.12)
	l.Rays.By, l.Rays.Near = recipe.ByArea, "k"
	r.Areas[0].Parts[0].Amount = 0.75
	near(t, "by an area", length(), 45, 0.06)
	// At the rim of an area it is the same whatever the scale: what is seen is what is exported.
	r.Areas[0].Parts[0].Of = area.Shape{Shape: shape.Ellipse{X: 220.5, Y: 140.4, Width: 80,
		Height: 80}}
	var at2 [2][]float64
	for k, long := range []int{300, 70} {
		q := Request{Photo: p, PhotoKey: "rays", Recipe: r, LongEdge: long}
		sc, err := newScene(ctx, New(1<<24).Cache, &q)
		if err != nil {
			t.Fatal(err)
		}
		if at2[k], err = sc.nearness(ctx, sc.lights[0], l.Shapes.Spots()); err != nil {
			t.Fatal(err)
		}
	}
	if at2[0][1] != at2[1][1] || at2[0][1] <= 0 || at2[0][1] >= 0.75 {
		t.Errorf("at the rim of an area the second is as near as %v, smaller as %v", at2[0], at2[1])
	}
	l.Rays.By, l.Rays.Near, l.Rays.Distance = recipe.BySize, "", 0
	// As a lens makes them the first ray lies where it is turned to, and is brighter than what is
	// beside it.
	l.Rays.Made, l.Rays.Count, l.Rays.Stop, l.Rays.Turn, l.Rays.Halo = recipe.ByLens, 8, 16, 20, 0
	m = shot()
	on := func(deg float64) float64 {
		sin, cos := math.Sincos(deg * math.Pi / 180)
		return linear(m, int(80.5+30*cos), int(100.5+30*sin))[1]
	}
	for _, deg := range []float64{20, 65, 110, 200} {
		if a, b := on(deg), on(deg+22.5); a < 1.5*b || a == 0 {
			t.Errorf(
				"at %v degrees the star of eight blades is %.4f, between two rays %.4f",
				deg,
				a,
				b,
			)
		}
	}
	l.Rays.Made = recipe.ByRays
	// Frames while a fader moves are those of a new engine, and the rays are drawn once.
	e2 := New(1 << 26)
	for i := range 3 {
		r.Lights[0].Level = 0.5 + 0.1*float64(i)
		since := builds(e2)
		q := Request{Photo: p, PhotoKey: "p", Recipe: r.Clone()}
		a := rgba(t, e2, q)
		if drawn := since("raysPlane") > 0; drawn != (i == 0) {
			t.Errorf("frame %d draws the rays: %v", i, drawn)
		}
		if b := rgba(t, New(1<<26), q); string(a.Pix) != string(b.Pix) {
			t.Errorf("frame %d is not that of a new engine", i)
		}
	}
}
