package render

import (
	"bytes"
	"context"
	"image"
	"math"
	"reflect"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// cutOutOf returns a cut-out of what a function covers, with the shares of light that a second one
// gives; nil for those of its coverage.
func cutOutOf(t *testing.T, id string, w, h int, alpha,
	share func(x, y float64) float64) cutout.CutOut {
	t.Helper()
	m := cutout.NewMask(w, h)
	nx, ny := m.Tiles()
	const size = cutout.Tile
	a, s := make([]float32, size*size), make([]float32, 3*size*size)
	for ty := range ny {
		for tx := range nx {
			for i := range a {
				x, y := float64(tx*size+i%size)+0.5, float64(ty*size+i/size)+0.5
				a[i] = float32(alpha(x, y))
				v := a[i]
				if share != nil {
					v = float32(share(x, y))
				}
				s[3*i], s[3*i+1], s[3*i+2] = v, v, v
			}
			m.Set(tx, ty, a, s)
		}
	}
	tiles, err := m.Pack()
	if err != nil {
		t.Fatal(err)
	}
	c := setting.New[cutout.CutOut](setting.Frame{W: float64(w), H: float64(h)})
	c.ID, c.Name = id, "Cut-out "+id
	c.Raster = cutout.Raster{Cell: 1, Width: w, Height: h, Tiles: tiles}
	return c
}

// square covers a rectangle, with edges between pixels.
func square(x0, y0, x1, y1 float64) func(x, y float64) float64 {
	return func(x, y float64) float64 {
		if x > x0 && x < x1 && y > y0 && y < y1 {
			return 1
		}
		return 0
	}
}

func pixel(m *image.RGBA, x, y int) [3]float64 {
	p := m.Pix[m.PixOffset(x, y):]
	var out [3]float64
	for i := range out {
		out[i] = float64(colour.SRGBToLinear(float64(p[i]) / 255))
	}
	return out
}

// A light made of a cut-out is the light of its outline, but for the soft edge; and moves with it.
func TestACutOutShinesAsItsOutlineDoes(t *testing.T) {
	p := flat(300, 200, 60)
	traced := lit(t, p, panel(100, 60, 180, 140))
	cut := traced.Clone()
	cut.CutOuts = []cutout.CutOut{cutOutOf(t, "c1", 300, 200, square(100, 60, 180, 140), nil)}
	cut.Lights[0].Shapes = shape.Shapes{shape.CutOut{Of: "c1"}}
	e := New(1 << 26)
	compare := func(what string, a, b *recipe.Recipe, long, most int) {
		t.Helper()
		x, y := rgba(t, e, Request{Photo: p, Recipe: a, LongEdge: long}),
			rgba(t, e, Request{Photo: p, Recipe: b, LongEdge: long})
		for i := range x.Pix {
			if d := int(x.Pix[i]) - int(y.Pix[i]); d > most || d < -most {
				t.Fatalf(
					"%s at %d: sample %d is %d, of the other %d",
					what,
					long,
					i,
					x.Pix[i],
					y.Pix[i],
				)
			}
		}
	}
	// The length of a raster’s edge, and so the mean width that rounding goes by, is known to 5 %
	// alone.
	compare("a square", traced, cut, 0, 2)
	compare("a square", traced, cut, 150, 2)
	moved, by := traced.Clone(), cut.Clone()
	moved.Lights[0].Shapes = panel(117, 51, 197, 131)
	by.CutOuts[0].X, by.CutOuts[0].Y = 17, -9
	compare("moved", moved, by, 0, 3)
	// With traced shapes beside it, and one taken away.
	both, parts := traced.Clone(), cut.Clone()
	both.Lights[0].Shapes = append(panel(100, 60, 180, 140), panel(20, 20, 60, 60)...)
	parts.Lights[0].Shapes = append(shape.Shapes{shape.CutOut{Of: "c1"}}, panel(20, 20, 60, 60)...)
	compare("with another", both, parts, 0, 3)
	hole := panel(120, 80, 160, 120)[0].(shape.Outline)
	hole.Away = true
	both.Lights[0].Shapes = append(both.Lights[0].Shapes, hole)
	parts.Lights[0].Shapes = append(parts.Lights[0].Shapes, hole)
	compare("with a hole", both, parts, 0, 3)
	parts.CutOuts = append(
		parts.CutOuts,
		cutOutOf(t, "c2", 300, 200, square(120, 80, 160, 120), nil),
	)
	parts.Lights[0].Shapes[2] = shape.CutOut{Of: "c2", Away: true}
	compare("with a cut-out taken away", both, parts, 0, 3)
	// Of nothing cut out yet there is nothing.
	none := cut.Clone()
	none.CutOuts[0].Raster = cutout.Raster{}
	empty := recipe.New(300, 200)
	compare("of nothing", empty, none, 0, 0)
}

// The core does not show where something stands before it, the glow by the formula of
// recipe.Blocker.
func TestBlockersAgainstTheirFormula(t *testing.T) {
	const edge = 150.0
	p := flat(300, 200, 0)
	r := lit(t, p, panel(60, 80, 240, 120))
	r.Spill.On = false
	l := &r.Lights[0]
	// it is rounded as a whole, hidden or not
	l.Core.Feather, l.Core.Texture, l.Core.Rounding = 0, 0, 0
	l.Shells = []recipe.Shell{{Radius: 25, Strength: 0.4, Join: recipe.Add}}
	r.CutOuts = []cutout.CutOut{cutOutOf(t, "c1", 300, 200, square(edge, -1, 301, 201), nil)}
	e := New(1 << 26)
	hidden := func(b recipe.Blocker) *image.RGBA {
		t.Helper()
		next := r.Clone()
		b.On, b.Area = true, area.RefTo(area.OfCutOut, "c1")
		next.Lights[0].Blockers = []recipe.Blocker{b}
		if err := next.Validate(); err != nil {
			t.Fatal(err)
		}
		return rgba(t, e, Request{Photo: p, Recipe: next})
	}
	// What is seen of the light shines alone: as one of which nothing is hidden but the core.
	half := hidden(recipe.Blocker{Shells: 0})
	open := r.Clone()
	open.Lights[0].Shapes = panel(60, 80, edge, 120)
	open.Lights[0].Shells[0].Lift = 0
	want := rgba(t, e, Request{Photo: p, Recipe: open})
	for i := range half.Pix {
		if d := int(half.Pix[i]) - int(want.Pix[i]); d > 1 || d < -1 {
			t.Fatalf(
				"with all of the glow seen: sample %d is %d, of the part that is seen %d",
				i,
				half.Pix[i],
				want.Pix[i],
			)
		}
	}
	for _, b := range []recipe.Blocker{{Shells: 1}, {Shells: 0.6}, {Shells: 1, Wrap: 8},
		{Shells: 0.5, Wrap: 20}, {Shells: 1, Wrap: 6, Feather: 4}} {
		got := hidden(b)
		for _, y := range []int{60, 140} { // beside the light, where there is glow alone
			for x := 100; x < 230; x++ {
				before := float64(pixel(half, x, y)[1])
				d := float64(x) + 0.5 - edge
				cover := 0.0
				if d > 0 {
					cover = 1
				}
				deviation := math.Hypot(b.Wrap, b.Feather)
				if deviation > 0 {
					cover = 0.5 + 0.5*math.Erf(d/deviation/math.Sqrt2)
				}
				if b.Wrap > 0 {
					cover = max(2*cover-1, 0)
				}
				// Light is summed before the soft add, which is undone for black.
				light := -math.Log(1 - before)
				if b.Feather > 0 && math.Abs(d) < 40 {
					continue // the core that gives the glow is feathered as well
				}
				want := 1 - math.Exp(-light*(1-b.Shells*cover))
				if v := pixel(got, x, y)[1]; math.Abs(v-want) > 0.006+0.03*want {
					t.Fatalf("%+v at %d, %d: %.4f, by the formula %.4f", b, x, y, v, want)
				}
			}
		}
		if v := pixel(got, 200, 100)[1]; b.Shells == 1 && b.Wrap < 10 && v > 0.002 {
			t.Errorf("%+v: the core shows through by %.3f", b, v)
		}
	}
	// Switched off it hides nothing.
	next := r.Clone()
	next.Lights[0].Blockers = []recipe.Blocker{{Area: area.RefTo(area.OfCutOut, "c1"), Shells: 1}}
	if !bytes.Equal(rgba(t, e, Request{Photo: p, Recipe: next}).Pix,
		rgba(t, e, Request{Photo: p, Recipe: r}).Pix) {
		t.Error("a blocker that is off hides something")
	}
}

// Of lights that cross, the one that stands before the other hides it, by its shapes.
func TestLightsThatCross(t *testing.T) {
	p := flat(200, 200, 0)
	r := lit(t, p, panel(20, 90, 180, 110))
	r, _, err := edit.AddLight(r)
	if err != nil {
		t.Fatal(err)
	}
	r.Lights[1].Shapes = panel(90, 20, 110, 180)
	r.Spill.On = false
	for i := range r.Lights {
		r.Lights[i].Shells = nil
		r.Lights[i].Core = recipe.Core{On: true}
		r.Lights[i].Gel.Saturation = 1
	}
	r.Lights[0].Gel.Hue, r.Lights[1].Gel.Hue = 0, 120 // red lies, green stands
	e := New(1 << 24)
	at := func(r *recipe.Recipe) [3]float64 {
		return pixel(rgba(t, e, Request{Photo: p, Recipe: r}), 100, 100)
	}
	mixed := at(r)
	front := func(of, before int) [3]float64 {
		next := r.Clone()
		next.Lights[of].Blockers = []recipe.Blocker{{On: true, Area: area.RefTo(area.OfLight,
			r.Lights[before].ID), Shells: 1}}
		return at(next)
	}
	red, green := front(1, 0), front(0, 1)
	if !(red[0] > 0.9 && red[1] < 0.01) || !(green[1] > 0.9 && green[0] < 0.01) || mixed[0] < 0.2 ||
		mixed[1] < 0.2 {
		t.Errorf(
			"where they cross: %v with red before green, %v with green before red, %v without",
			red,
			green,
			mixed,
		)
	}
}

// A blocker of another area, of one that depends on the photo too, hides as one of a cut-out does,
// at every viewport and in an export.
func TestBlockersInPartsAndExports(t *testing.T) {
	p := noise(260, 190, false)
	r := lit(t, p, panel(40, 40, 200, 150))
	r.CutOuts = []cutout.CutOut{cutOutOf(t, "c1", 260, 190,
		func(x, y float64) float64 { return min(max((x-y)/40, 0), 1) }, nil)}
	next, id, err := edit.AddArea(
		r,
		"Mixed",
		area.Part{On: true, Does: area.Add, Amount: 0.8, Feather: 5,
			Of: area.CutOut{Of: "c1"}},
		area.Part{On: true, Does: area.Keep, Amount: 1, Of: area.ToneWindow{Low: 0.2, High: 0.9,
			Soft: 0.1}},
	)
	if err != nil {
		t.Fatal(err)
	}
	next.Lights[0].Blockers = []recipe.Blocker{{On: true, Area: id, Shells: 0.7, Wrap: 6,
		Feather: 2}, {On: true, Area: "behind:c1", Shells: 0.2}}
	next.Lights[0].Shells = append(next.Lights[0].Shells, recipe.Shell{Radius: 7, Strength: 0.5,
		Join: recipe.Screen})
	if err := next.Validate(); err != nil {
		t.Fatal(err)
	}
	e := New(1 << 26)
	whole := rgba(t, e, Request{Photo: p, Recipe: next})
	out, err := New(1<<26).Export(context.Background(), Request{Photo: p, Recipe: next}, nil)
	if err != nil || !bytes.Equal(out.(*image.RGBA).Pix, whole.Pix) {
		t.Errorf("the export is another picture: %v", err)
	}
	for _, view := range []image.Rectangle{image.Rect(30, 50, 111, 97), image.Rect(190, 0, 260,
		190)} {
		part := rgba(t, New(1<<26), Request{Photo: p, Recipe: next, View: view})
		for y := view.Min.Y; y < view.Max.Y; y++ {
			if !bytes.Equal(part.Pix[part.PixOffset(view.Min.X, y):][:4*view.Dx()],
				whole.Pix[whole.PixOffset(view.Min.X, y):][:4*view.Dx()]) {
				t.Fatalf("row %d of %v is another than in the whole", y, view)
			}
		}
	}
}

// mixture is a photo of a thing with a soft edge before a background, and its cut-out.
func mixture(t *testing.T, thing, behind float64) (*photo.Photo, cutout.CutOut) {
	alpha := func(x, _ float64) float64 { return min(max((60-x)/12, 0), 1) }
	p := flat(120, 40, 0)
	for y := range 40 {
		for x := range 120 {
			a := alpha(float64(x)+0.5, 0)
			v := uint8(255*colour.LinearToSRGB(thing*a+behind*(1-a)) + 0.5)
			copy(p.Pix8[3*(y*120+x):], []uint8{v, v, v})
		}
	}
	return p, cutOutOf(t, "c1", 120, 40, alpha, func(x, y float64) float64 {
		a := alpha(x, y)
		return thing * a / (thing*a + behind*(1-a))
	})
}

// What is darkened behind a cut-out keeps no rim of the light that was there, be it brighter or
// darker than the thing; nor does a thing that shines, where dusk is kept off it.
func TestNoHaloOfWhatWasBehind(t *testing.T) {
	const stops = -4.0
	k := math.Exp2(stops)
	for _, c := range [][2]float64{{0.1, 0.8}, {0.7, 0.05}} {
		thing, behind := c[0], c[1]
		p, cut := mixture(t, thing, behind)
		r := recipe.New(120, 40)
		r.CutOuts = []cutout.CutOut{cut}
		dark := setting.New[pass.Pass](r.Photo.Frame())
		dark.Name, dark.Area, dark.Does = "Night", "behind:c1", pass.Levels{
			Exposure: stops,
			Middle:   1,
			White:    1,
		}
		r.Dusk.Passes = []pass.Pass{dark}
		kept := recipe.New(120, 40)
		kept.CutOuts = r.CutOuts
		kept.Dusk.Daylight = stops
		kept, _, err := edit.AddLight(kept)
		if err != nil {
			t.Fatal(err)
		}
		kept.Lights[0].Shapes = shape.Shapes{shape.CutOut{Of: "c1"}}
		kept.Glow.On, kept.Spill.On = false, false
		for what, r := range map[string]*recipe.Recipe{"a pass behind it": r, "kept out of dusk": kept} {
			if err := r.Validate(); err != nil {
				t.Fatal(err)
			}
			m := rgba(t, New(1<<22), Request{Photo: p, Recipe: r})
			for x := 40; x < 75; x++ {
				a := min(max((60-float64(x)-0.5)/12, 0), 1)
				want := thing*a + k*behind*(1-a)
				if v := pixel(m, x, 20)[1]; math.Abs(v-want) > 0.004+0.03*want {
					t.Errorf(
						"%s, %g before %g: at %d it is %.4f, with %.2f of the thing over the dark %.4f",
						what,
						thing,
						behind,
						x,
						v,
						a,
						want,
					)
				}
			}
		}
	}
}

// Looked at by itself a cut-out shows its own light over the ground.
func TestApart(t *testing.T) {
	p, cut := mixture(t, 0.6, 0.2)
	r := recipe.New(120, 40)
	r.CutOuts = []cutout.CutOut{cut}
	e := New(1 << 22)
	for ground, want := range map[Ground]func(a float64) float64{
		OnBlack: func(a float64) float64 { return 0.6 * a },
		OnWhite: func(a float64) float64 { return 0.6*a + 1 - a },
		OnDark:  func(a float64) float64 { return 0.6*a + 0.2*(1-a)/16 },
	} {
		m, err := e.Apart(context.Background(), Request{Photo: p, Recipe: r}, "c1", ground)
		if err != nil {
			t.Fatal(err)
		}
		for x := range 120 {
			a := min(max((60-float64(x)-0.5)/12, 0), 1)
			if v := pixel(m, x, 20)[0]; math.Abs(v-want(a)) > 0.012 {
				t.Errorf("on %s at %d: %.3f, not %.3f", ground, x, v, want(a))
			}
		}
	}
	m, err := e.Apart(context.Background(), Request{Photo: p, Recipe: r, View: image.Rect(30, 10,
		90, 20)}, "c1", OnEdge)
	if err != nil || m.Rect != image.Rect(30, 10, 90, 20) {
		t.Fatalf("the edge: %v, %v", err, m.Rect)
	}
	coloured := func(x int) float64 {
		v := pixel(m, x, 15)
		return max(v[0], v[1], v[2]) - min(v[0], v[1], v[2])
	}
	for x := 30; x < 90; x++ {
		if is := x >= 48 && x < 60; is != (coloured(x) > 0.1) {
			t.Errorf("the false colour at %d: %v", x, pixel(m, x, 15))
		}
	}
	if a, b := pixel(m, 50, 15), pixel(m, 57, 15); !(a[1] > b[1]) {
		t.Errorf("nearly all is darker than little: %v, %v", a, b)
	}
}

// What is taken away from cut-outs is what its shape covers, of every kind.
func TestEveryKindCanBeTakenFromACutOut(t *testing.T) {
	for _, k := range shape.Kinds {
		v := reflect.New(reflect.TypeOf(k.Zero)).Elem()
		if f := v.FieldByName("Away"); !f.IsValid() {
			continue
		} else if k.Word != "cut-out" {
			f.SetBool(true)
			if shape.Subtracted(v.Interface().(shape.Shape), false).Taken() {
				t.Errorf("a %s stays taken away", k.Word)
			}
		}
	}
}
