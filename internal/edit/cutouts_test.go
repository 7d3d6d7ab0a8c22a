package edit

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/fault"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// cut returns a recipe of two lights with one cut-out, c1, of which all cells are covered.
func cut(t *testing.T) *recipe.Recipe {
	t.Helper()
	r := recipe.New(900, 600)
	for n := range 2 {
		var err error
		if r, _, err = AddLight(r); err != nil {
			t.Fatal(err)
		}
		r.Lights[n].ID = fmt.Sprint("l", n+1)
	}
	r, i, err := AddCutOut(r, "Kite")
	if err != nil {
		t.Fatal(err)
	}
	r.CutOuts[i].ID = "c1"
	m := cutout.NewMask(100, 80)
	for n := range 4 {
		m.Fill(n%2, n/2)
	}
	tiles, err := m.Pack()
	if err != nil {
		t.Fatal(err)
	}
	r.CutOuts[i].Raster = cutout.Raster{Left: 200, Top: 100, Cell: 1, Width: 100, Height: 80,
		Tiles: tiles}
	r.CutOuts[i].Strokes = []cutout.Stroke{{Says: cutout.In, Diameter: 8,
		Points: setting.ListOf(cutout.Point{X: 220, Y: 120}, cutout.Point{X: 260, Y: 150})}}
	return r
}

func TestCutOutsComeBackAsTheyWere(t *testing.T) {
	r := cut(t)
	r.Lights[0].Shapes = shape.Shapes{shape.CutOut{Of: "c1"}}
	r.Lights[0].Blockers = []recipe.Blocker{
		{On: true, Area: area.RefTo(area.OfLight, r.Lights[1].ID),
			Shells: 0.5, Wrap: 3},
	}
	if err := r.Validate(); err != nil {
		t.Fatal(err)
	}
	back, err := Decode(r.Encode())
	if err != nil || setting.Key(*back) != setting.Key(*r) ||
		back.CutOuts[0].Raster.Tiles.Key() != r.CutOuts[0].Raster.Tiles.Key() {
		t.Errorf("encoded and read again: %v", err)
	}
	twice := r.Scale(2)
	if c := twice.CutOuts[0]; c.Raster.Left != 400 || c.Raster.Cell != 2 || c.Raster.Width != 100 ||
		c.Strokes[0].Points.At(1).X != 520 || twice.Lights[0].Blockers[0].Wrap != 6 {
		t.Errorf("twice as large: %+v", c.Raster)
	}
	if _, i, err := AddCutOut(r, "Kite"); err != nil || i != 1 {
		t.Errorf("a second one: %v", err)
	}
}

// What uses a cut-out is named before it can be removed.
func TestUsedCutOutsAreNotRemoved(t *testing.T) {
	for what, use := range map[string]struct {
		do   func(r *recipe.Recipe)
		says string
	}{
		"a light": {func(r *recipe.Recipe) {
			r.Lights[1].Shapes = shape.Shapes{shape.CutOut{Of: "c1"}}
		}, "the light “Light 2”"},
		"an area":        {func(r *recipe.Recipe) { addPart(t, r, area.CutOut{Of: "c1"}) }, "the area “A”"},
		"an area's area": {func(r *recipe.Recipe) { addPart(t, r, area.Other{Area: "cut-out:c1"}) }, "the area “A”"},
		"a blocker": {func(r *recipe.Recipe) {
			r.Lights[0].Blockers = []recipe.Blocker{{Area: "cut-out:c1"}}
		}, "a blocker of the light “Light 1”"},
		"a blocker behind":   {func(r *recipe.Recipe) { r.Lights[0].Blockers = []recipe.Blocker{{Area: "behind:c1"}} }, "a blocker of the light “Light 1”"},
		"a pass":             {func(r *recipe.Recipe) { addPass(r, "behind:c1") }, "the pass “Levels”"},
		"restored daylight":  {func(r *recipe.Recipe) { r.Dusk.Back.Area = "cut-out:c1" }, "restored daylight"},
		"an area and a pass": {func(r *recipe.Recipe) { addPart(t, r, area.CutOut{Of: "c1"}); addPass(r, "cut-out:c1") }, " and the pass"},
	} {
		r := cut(t)
		use.do(r)
		if err := r.Validate(); err != nil {
			t.Fatalf("%s: %v", what, err)
		}
		if _, err := RemoveCutOut(r, "c1"); !fault.Is(err, fault.Invalid) ||
			!strings.Contains(err.Error(), use.says) || !strings.Contains(err.Error(), "“Kite”") {
			t.Errorf("%s: %v", what, err)
		}
		// Taken away all the same, what uses it is refused in words.
		r.CutOuts = nil
		if err := r.Validate(); err == nil || !strings.Contains(err.Error(), "not in this shot") {
			t.Errorf("%s of none: %v", what, err)
		}
	}
	next, err := RemoveCutOut(cut(t), "c1")
	if err != nil || len(next.CutOuts) != 0 {
		t.Errorf("one that nothing uses: %v", err)
	}
	// Of all cut-outs there may be none.
	r := cut(t)
	addPart(t, r, area.CutOut{})
	addPass(r, "behind:")
	if r.CutOuts = nil; r.Validate() != nil {
		t.Errorf("all of none: %v", r.Validate())
	}
}

func addPart(t *testing.T, r *recipe.Recipe, of area.Source) {
	t.Helper()
	next, id, err := AddArea(r, "A", area.Part{On: true, Does: area.Add, Amount: 1, Of: of})
	if err != nil {
		t.Fatal(err)
	}
	next.Area(id).ID = fmt.Sprint("a", len(next.Areas))
	*r = *next
}

func addPass(r *recipe.Recipe, in area.Ref) {
	p := setting.New[pass.Pass](r.Photo.Frame())
	p.Name, p.Area, p.Does = "Levels", in, pass.Levels{Exposure: -1, Middle: 1, White: 1}
	r.Dusk.Passes = append(r.Dusk.Passes, p)
}

func TestWhatCanStandBeforeALight(t *testing.T) {
	for what, tt := range map[string]struct {
		area area.Ref
		of   area.Source // of the area a1
		says string
	}{
		"its own shapes":         {area: "light:l1", says: "block itself"},
		"another light":          {area: "light:l2"},
		"what is not there":      {area: "light:l9", says: "not in this shot"},
		"no area":                {area: "a7", says: "not in this shot"},
		"shapes of lights":       {area: "a1", of: area.Light{What: area.Covers}},
		"glow":                   {area: "a1", of: area.Light{What: area.Glow}, says: "a light's glow or spill"},
		"spill":                  {area: "a1", of: area.Light{What: area.Spill, Light: "l2"}, says: "a light's glow or spill"},
		"all that is behind":     {area: "behind:"},
		"an area of the cut-out": {area: "a1", of: area.CutOut{Of: "c1"}},
	} {
		r := cut(t)
		if tt.of != nil {
			addPart(t, r, tt.of)
		}
		r.Lights[0].Blockers = []recipe.Blocker{{On: true, Area: tt.area, Shells: 1}}
		err := r.Validate()
		if (err != nil) != (tt.says != "") || err != nil && !strings.Contains(err.Error(),
			tt.says) {
			t.Errorf("%s: %v", what, err)
		}
	}
	// However deep a light's glow or spill is nested.
	r := cut(t)
	addPart(t, r, area.Light{What: area.Glow})
	addPart(t, r, area.Other{Area: area.Ref(r.Areas[0].ID)})
	r.Lights[0].Blockers = []recipe.Blocker{{On: true, Area: area.Ref(r.Areas[1].ID), Shells: 1}}
	if err := r.Validate(); err == nil || !strings.Contains(err.Error(), "a light's glow or spill") {
		t.Errorf("nested: %v", err)
	}
}

func TestRemovedLightsStandBeforeNothing(t *testing.T) {
	r := cut(t)
	r.Lights[0].Blockers = []recipe.Blocker{{Area: "light:l2"}, {Area: "cut-out:c1"}}
	addPart(t, r, area.Other{Area: "light:l2"})
	addPass(r, "light:l2")
	r.Dusk.Passes[0].On = true
	r.Dusk.Back.Area = "light:l2"
	next := RemoveLight(r, 1)
	if err := next.Validate(); err != nil {
		t.Fatal(err)
	}
	if b := next.Lights[0].Blockers; len(b) != 1 || b[0].Area != "cut-out:c1" ||
		len(next.Areas[0].Parts) != 0 || next.Dusk.Passes[0].Area != "" || next.Dusk.Passes[0].On ||
		next.Dusk.Back.Area != "" {
		t.Errorf("left are %v, %v", b, next.Areas[0].Parts)
	}
}

func TestStandIns(t *testing.T) {
	r := cut(t)
	for id, want := range map[area.Ref]struct {
		name string
		part area.Part
	}{
		"cut-out:c1": {"Kite", area.Part{On: true, Does: area.Add, Amount: 1, Of: area.CutOut{Of: "c1"}}},
		"behind:c1": {"behind Kite", area.Part{On: true, Does: area.Add, Amount: 1, Inverted: true,
			Of: area.CutOut{Of: "c1"}}},
		"behind:": {"behind all cut-outs", area.Part{On: true, Does: area.Add, Amount: 1,
			Inverted: true, Of: area.CutOut{}}},
		"light:l2": {"Light 2", area.Part{On: true, Does: area.Add, Amount: 1,
			Of: area.Light{Light: "l2", What: area.Covers}}},
	} {
		a := r.Area(id)
		if a == nil || a.Name != want.name || !slices.Equal(a.Parts, []area.Part{want.part}) {
			t.Errorf("%s stands for %+v", id, a)
		}
	}
	for _, id := range []area.Ref{"cut-out:c2", "light:", "light:l3", "behind:x", "colour:c1"} {
		if a := r.Area(id); a != nil {
			t.Errorf("%s stands for %+v", id, a)
		}
	}
}

// A light of a cut-out counts by what it covers.
func TestTheBrightestMayBeACutOut(t *testing.T) {
	r := cut(t)
	r.Lights[0].Shapes = shape.Shapes{shape.Ellipse{X: 50, Y: 50, Width: 20, Height: 20}}
	r.Lights[1].Shapes = shape.Shapes{shape.CutOut{Of: "c1"}}
	r.Lights[1].Gel = r.Lights[0].Gel
	if i := Brightest(r); i != 1 {
		t.Errorf("a bulb of 20 px outshines a cut-out of 100 by 80: %d", i)
	}
}

// What carries a light is there, is no light's own light, and is not removed without being named.
func TestCarriers(t *testing.T) {
	r := sample(t)
	next, id, err := AddArea(r, "Breastplate")
	if err != nil {
		t.Fatal(err)
	}
	if next, err = Apply(next, Set("/lights/0/spill/carrier", id)); err != nil {
		t.Fatal(err)
	}
	if _, err := RemoveArea(next, id); err == nil || !strings.Contains(err.Error(),
		"the support of the light “"+r.Lights[0].Name+"”") {
		t.Errorf("an area that carries a light is removed: %v", err)
	}
	if _, err := Apply(next, Set("/lights/0/spill/carrier", "nothing")); err == nil ||
		!strings.Contains(err.Error(), "is attached to is not in this shot") {
		t.Errorf("carried by nothing that is there: %v", err)
	}
	glowing := next.Clone()
	glowing.Areas[0].Parts = []area.Part{{On: true, Does: area.Add, Amount: 1,
		Of: area.Light{What: area.Glow}}}
	if err := glowing.Validate(); err == nil ||
		!strings.Contains(err.Error(), "cannot carry the light") {
		t.Errorf("carried by a glow: %v", err)
	}
	// A light that carries another and goes leaves it uncarried.
	if next, err = Apply(r, Set("/lights/0/spill/carrier", area.RefTo(area.OfLight, r.Lights[1].ID))); err != nil {
		t.Fatal(err)
	}
	if gone := RemoveLight(next, 1); gone.Lights[0].Spill.Carrier != "" || gone.Validate() != nil {
		t.Errorf("the carrier is gone, and the light carried by %q", gone.Lights[0].Spill.Carrier)
	}
}

// What is put into a room stands on the platform whose top shows at its foot, else on the floor. It
// cannot stand where a platform's top is not seen, and its platform is not taken away from under
// it.
func TestThingsOnPlatforms(t *testing.T) {
	r := cut(t)
	r.Room.On, r.Room.Horizon = true, 200
	var err error
	if r, err = AddPlatform(r, []camera.Point{{X: 300, Y: 420}, {X: 480, Y: 420}, {X: 460, Y: 370},
		{X: 320, Y: 370}}, camera.Point{X: 300, Y: 520}); err != nil {
		t.Fatal(err)
	}
	for _, tt := range []struct {
		foot camera.Point
		on   recipe.PlatformRef
	}{{camera.Point{X: 390, Y: 400}, recipe.PlatformRef(r.Room.Platforms[0].ID)},
		{camera.Point{X: 390, Y: 500}, ""}, {camera.Point{X: 700, Y: 400}, ""}} {
		next, err := AddThing(r, "c1", tt.foot)
		if err != nil {
			t.Fatal(err)
		}
		k := next.Room.Things[0]
		sp, err := next.Space()
		if err != nil || k.On != tt.on {
			t.Fatalf("at %v it stands on %q, not %q; %v", tt.foot, k.On, tt.on, err)
		}
		high, top := sp.Cam.Height(sp.Feet[0]), sp.Cam.Height(sp.Prisms[0].Top[0])
		if tt.on == "" {
			top = 0
		}
		if math.Abs(high-top) > 1e-9 {
			t.Errorf("at %v it stands %.3f high, not %.3f", tt.foot, high, top)
		}
		if x, y, _ := sp.Cam.Project(sp.Feet[0]); math.Hypot(x-tt.foot.X, y-tt.foot.Y) > 1e-6 {
			t.Errorf("its foot is seen at %.2f, %.2f, not %v", x, y, tt.foot)
		}
	}
	next, err := AddThing(r, "c1", camera.Point{X: 390, Y: 400})
	if err != nil {
		t.Fatal(err)
	}
	next.Room.Things[0].Foot.Y = 190
	if f, ok := next.Validate().(*fault.Error); !ok || f.Field != "room.things[0].foot" ||
		!strings.Contains(f.Msg, "Nothing can stand on") {
		t.Errorf("a foot over the horizon: %v", next.Validate())
	}
	next.Room.Things[0].Foot.Y = 400
	next.Room.Platforms = nil
	if f, ok := next.Validate().(*fault.Error); !ok || f.Field != "room.things[0].on" ||
		!strings.Contains(f.Msg, "is not in the room") {
		t.Errorf("without its platform: %v", next.Validate())
	}
}
