package render

import (
	"context"
	"image"
	"math"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/guided"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
)

func levels(exposure float64) pass.Pass {
	return pass.Pass{Name: "Levels", On: true, Strength: 1, Joining: pass.Normal,
		Does: pass.Levels{Exposure: exposure, Middle: 1, White: 1}}
}

// within limits a pass to a new area of r.
func within(t *testing.T, r *recipe.Recipe, p pass.Pass,
	parts ...area.Part) (*recipe.Recipe, pass.Pass) {
	t.Helper()
	next, id, err := edit.AddArea(r, "Area", parts...)
	if err != nil {
		t.Fatal(err)
	}
	p.Area = id
	return next, p
}

func part(of area.Source) area.Part {
	return area.Part{On: true, Does: area.Add, Amount: 1, Of: of}
}

func ring(x, y, d, inner float64) area.Ring {
	return area.Ring{X: x, Y: y, Width: d, Height: d, Inner: inner}
}

// Dusk in an area darkens there alone; what it does not reach leaves in the bytes that
// it came in, and so does what no pass of finish reaches.
func TestPassesStayInTheirArea(t *testing.T) {
	p := flat(400, 300, 0)
	for i := range p.Pix8 {
		p.Pix8[i] = uint8(60 + i*7%150)
	}
	r := recipe.New(400, 300)
	r, dark := within(t, r, levels(-2), part(ring(100, 100, 120, 0.6)))
	r.Dusk.Passes = []pass.Pass{dark}
	r, bright := within(t, r, levels(0.5),
		part(area.Strokes{Strokes: []area.Stroke{{Diameter: 60, Softness: 0.5, Flow: 1,
			Pen: area.PenFlow, Points: setting.ListOf(area.Dab{X: 300, Y: 200, P: 1},
				area.Dab{X: 340, Y: 240, P: 1})}}}))
	r.Finish.Passes = []pass.Pass{bright}
	if err := r.Validate(); err != nil {
		t.Fatal(err)
	}
	m := rgba(t, New(1<<24), Request{Photo: p, Recipe: r})
	for y := range 300 {
		for x := range 400 {
			i, o := 3*(y*400+x), m.PixOffset(x, y)
			same := m.Pix[o] == p.Pix8[i] && m.Pix[o+1] == p.Pix8[i+1] && m.Pix[o+2] == p.Pix8[i+2]
			far := math.Hypot(float64(x)-100, float64(y)-100) > 62 && (x < 265 || y < 165)
			if far && !same {
				t.Fatalf("at %d, %d, which nothing reaches, the photo has changed", x, y)
			}
		}
	}
	if got, want := linear(render(t, New(1<<24), Request{Photo: p, Recipe: r, Deep: true}), 100,
		100)[1],
		colour.SRGBToLinear(float64(p.Pix8[3*(100*400+100)+1])/255)/4; math.Abs(got-want) > 1e-3 {
		t.Errorf("in the middle of the dark area is %v, want %v", got, want)
	}
}

// What a light covers is kept out of dusk by its amount; light is given back in an area,
// and by spill in the photo's own colours.
func TestWhatEmitsAndWhatIsGivenBackStayOutOfTheDark(t *testing.T) {
	p := flat(600, 400, 150)
	grey := colour.SRGBToLinear(150.0 / 255)
	r := lit(t, p, panel(100, 100, 200, 300))
	l := &r.Lights[0]
	r.Glow.On, r.Spill.On = false, false
	r.Dusk.Daylight, r.Dusk.Edge = -3, 4
	at := func(x, y int) float64 {
		return linear(render(t, New(1<<24), Request{Photo: p, Recipe: r, Deep: true}), x, y)[1]
	}
	for _, keep := range []float64{0, 0.4, 1} {
		l.Keep = keep
		near(t, "what the light covers", at(150, 200), grey*(1-(1-keep)*7/8), 1e-3)
		near(t, "its soft edge", at(199, 200),
			grey*(1-(1-keep*0.5*(1+math.Erf(0.5/4/math.Sqrt2)))*7/8), 0.01*grey)
		near(t, "far from it", at(450, 200), grey/8, 1e-3)
	}
	next, id, err := edit.AddArea(r, "Edge of the arm", part(ring(450, 200, 100, 0.5)))
	if err != nil {
		t.Fatal(err)
	}
	r = next
	r.Dusk.Back = recipe.Back{Area: id, Amount: 0.6}
	near(t, "where light is given back", at(450, 200), grey*(1-0.4*7/8), 1e-3)
	near(t, "beside it", at(350, 350), grey/8, 1e-3)
	// By spill: with light of no gel's colour and none added, more of the photo is back
	// where more falls, and never more than the photo had.
	r.Dusk.Back = recipe.Back{}
	r.Spill.On = true
	r.Lights[0].Spill = recipe.Spill{On: true, Strength: 1, Reach: 400,
		Tone: area.ToneWindow{High: 1}}
	before, far := at(260, 200), at(590, 390)
	r.Dusk.Back.Spill = 1
	after := at(260, 200)
	if !(after > before*1.1) {
		t.Errorf("beside the light there is %v, with dusk giving way %v", before, after)
	}
	near(t, "where no spill falls", at(590, 390), far, 2e-3)
}

// An area of a light follows it: its shapes, where its glow is and where its spill falls.
func TestAreasOfLights(t *testing.T) {
	p := flat(600, 400, 120)
	r := lit(t, p, panel(100, 100, 200, 300))
	r, err := edit.DuplicateLight(r, 0)
	if err != nil {
		t.Fatal(err)
	}
	r.Lights[1].Shapes = panel(400, 100, 500, 300)
	e := New(1 << 24)
	cover := func(l area.Light, x, y int) float64 {
		next, id, err := edit.AddArea(r, "A", part(l))
		if err != nil {
			t.Fatal(err)
		}
		m, err := e.AreaMask(context.Background(), Request{Photo: p, PhotoKey: "p", Recipe: next},
			id, false)
		if err != nil {
			t.Fatal(err)
		}
		return float64(m.At(x, y))
	}
	first := area.LightRef(r.Lights[0].ID)
	for _, c := range []struct {
		l    area.Light
		x    int
		want float64
	}{{area.Light{What: area.Covers}, 150, 1}, {area.Light{What: area.Covers}, 450, 1},
		{area.Light{What: area.Covers, Light: first}, 450, 0},
		{area.Light{What: area.Covers, Light: first}, 150, 1}, {area.Light{What: area.Covers}, 300,
			0}} {
		near(t, "a shape", cover(c.l, c.x, 200), c.want, 1e-6)
	}
	for _, what := range []area.What{area.Glow, area.Spill} {
		in, out := cover(area.Light{What: what, Light: first}, 215, 200),
			cover(area.Light{What: what, Light: first}, 300, 200)
		more := cover(area.Light{What: what, Light: first, Gain: 1}, 215, 200)
		if !(in > out && out > 0 && in < 1) {
			t.Errorf("%s covers %v near the light and %v further on", what, in, out)
		}
		near(t, "a stop more", more, 1-(1-in)*(1-in), 1e-3)
		r.Lights[0].Level = 0.5
		near(t, "half the light", cover(area.Light{What: what, Light: first}, 215, 200), 1-math.Sqrt(1-in), 1e-3)
		r.Lights[0].On = false
		near(t, "a light that is off", cover(area.Light{What: what, Light: first}, 215, 200), 0, 0)
		near(t, "its shape all the same", cover(area.Light{What: area.Covers, Light: first}, 150, 200), 1, 0)
		r.Lights[0].On, r.Lights[0].Level = true, 1
	}
}

// All that passes and areas can do at once: the picture is the same in one piece and in
// strips, and nearly so at another size.
func TestPassesAreAlikeInStripsAndAtEveryScale(t *testing.T) {
	p, r := demoShot(t)
	var err error
	for _, id := range []string{"blue-hour", "vignette", "gel-ramp", "calm", "deep-contrast"} {
		if r, _, _, err = edit.Begin(r, id); err != nil {
			t.Fatal(err)
		}
	}
	shade := setting.New[pass.Shade](r.Photo.Frame())
	shade.Shadows, shade.Highlights = 0.5, -0.5
	for _, step := range []string{"dusk", "finish"} {
		list := r.Passes(step)
		*list = append(*list, pass.Pass{Name: "Shade", On: true, Strength: 0.7,
			Joining: pass.Normal, Does: shade})
	}
	hue := part(setting.New[area.Hue](r.Photo.Frame()))
	hue.Feather = 12
	r, sat := within(t, r, pass.Pass{Name: "Green", On: true, Strength: 1, Joining: pass.SoftLight,
		Does: pass.Colour{Saturation: 0.4}}, hue)
	r.Dusk.Passes = append(r.Dusk.Passes, sat)
	if err := r.Validate(); err != nil {
		t.Fatal(err)
	}
	e := New(1 << 28)
	q := Request{Photo: p, PhotoKey: "p", Recipe: r, LongEdge: 1100, Profile: colour.SRGB}
	whole := render(t, e, q).(*image.RGBA)
	strips, err := e.Export(context.Background(), q, nil)
	if err != nil {
		t.Fatal(err)
	}
	part := q
	part.View = image.Rect(331, 207, 803, 500)
	view := render(t, New(1<<28), part).(*image.RGBA)
	for y := 0; y < whole.Rect.Max.Y; y++ {
		for x := 0; x < whole.Rect.Max.X; x++ {
			if a, b := whole.RGBAAt(x, y), strips.(*image.RGBA).RGBAAt(x, y); a != b {
				t.Fatalf("at %d, %d the frame has %v, the export %v", x, y, a, b)
			}
			if at := image.Pt(x, y); at.In(view.Rect) && view.RGBAAt(x, y) != whole.RGBAAt(x, y) {
				t.Fatalf("at %v a part has %v, the whole %v", at, view.RGBAAt(x, y), whole.RGBAAt(x, y))
			}
		}
	}
	q.LongEdge, q.Deep = 2200, true
	large := render(t, e, q).(*image.RGBA64)
	q.LongEdge = 1100
	small := render(t, e, q).(*image.RGBA64)
	mean, n, worst := 0.0, 0, 0.0
	for y := 0; y < small.Rect.Max.Y; y += 3 {
		for x := 0; x < small.Rect.Max.X; x += 3 {
			var sum [3]float64
			for _, d := range []image.Point{{0, 0}, {1, 0}, {0, 1}, {1, 1}} {
				if 2*x+d.X < large.Rect.Max.X && 2*y+d.Y < large.Rect.Max.Y {
					for c, v := range linear(large, 2*x+d.X, 2*y+d.Y) {
						sum[c] += v / 4
					}
				}
			}
			a := colour.RGB{R: float32(sum[0]), G: float32(sum[1]), B: float32(sum[2])}
			s := linear(small, x, y)
			b := colour.RGB{R: float32(s[0]), G: float32(s[1]), B: float32(s[2])}
			l1, a1, b1 := a.Lab()
			l2, a2, b2 := b.Lab()
			d := colour.DeltaE2000(l1, a1, b1, l2, a2, b2)
			mean += d
			n++
			worst = math.Max(worst, d)
		}
	}
	if mean /= float64(n); mean > 0.5 {
		t.Errorf("a picture of half the size differs by %.2f on average", mean)
	}
	t.Logf("half the size: mean %.3f, worst %.2f", mean, worst)
}

// A fader or a gel computes no area and no darkened photo anew; a curve of dusk only the
// latter.
func TestPassesComputeOnlyWhatChanged(t *testing.T) {
	p, r := demoShot(t)
	r.Finish.Passes = nil
	var err error
	if r, _, _, err = edit.Begin(r, "but-colour"); err != nil {
		t.Fatal(err)
	}
	if r, _, _, err = edit.Begin(r, "calm"); err != nil {
		t.Fatal(err)
	}
	e := New(1 << 28)
	q := Request{Photo: p, PhotoKey: "p", Recipe: r, LongEdge: 500, Profile: colour.SRGB}
	render(t, e, q)
	render(t, e, q) // what is asked for once is not kept as a whole
	for _, c := range []struct {
		name   string
		change func(r *recipe.Recipe)
		most   int64
	}{
		{"a fader", func(r *recipe.Recipe) { r.Lights[0].Level = 0.3 }, 0},
		{"a gel", func(r *recipe.Recipe) { r.Lights[0].Gel.Hue = 300 }, 0},
		{"a pass of finish", func(r *recipe.Recipe) { r.Finish.Passes[0].Strength = 0.5 }, 0},
		{"a pass of dusk", func(r *recipe.Recipe) { r.Dusk.Passes[0].Strength = 0.5 }, 1},
		{"an area of finish", func(r *recipe.Recipe) { r.Areas[len(r.Areas)-1].Parts[0].Amount = 0.5 }, 1},
	} {
		n := setting.Clone(*r)
		c.change(&n)
		q.Recipe = &n
		_, before := e.Cache.Counts()
		render(t, e, q)
		if _, after := e.Cache.Counts(); after-before > c.most {
			t.Errorf("%s computes %d nodes, at most %d were expected", c.name, after-before, c.most)
		}
	}
}

var _ graph.Sized = (*guided.Filter)(nil)

// A ramp of dusk that follows a light has its gel: another gel makes another picture, that of a new
// engine, and the one that was there before makes the one that was.
func TestRampFollowsAGel(t *testing.T) {
	p := flat(300, 200, 120)
	r := lit(t, p, panel(40, 40, 80, 80))
	ramp := setting.New[pass.Ramp](r.Photo.Frame())
	ramp.Middle.Amount = 0.5
	ramp.Follow = pass.Follow(r.Lights[0].ID)
	tint := levels(0)
	tint.Does = ramp
	r.Dusk.On, r.Dusk.Passes = true, []pass.Pass{tint}
	r.Lights[0].On = false
	e := New(1 << 26)
	at := func(hue float64) string {
		k := r.Clone()
		k.Lights[0].Gel.Hue, k.Lights[0].Gel.Saturation = hue, 1
		q := Request{Photo: p, PhotoKey: "p", Recipe: k}
		got := string(rgba(t, e, q).Pix)
		if got != string(rgba(t, New(1<<26), q).Pix) {
			t.Errorf("with a gel of %v the picture is not that of a new engine", hue)
		}
		return got
	}
	red := at(20)
	if at(200) == red {
		t.Error("another gel makes the same picture")
	}
	if at(20) != red {
		t.Error("the gel of before makes another picture")
	}
}
