package edit

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"pyrant/internal/base/fault"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
)

// Every start makes passes and areas like all others: valid, undoable by their titles,
// encoded and read again.
func TestStarts(t *testing.T) {
	for _, base := range []*recipe.Recipe{
		sample(t), recipe.New(900, 600), recipe.New(1, 1), recipe.New(2, 3),
		recipe.New(60000, 40000)} {
		for _, s := range Starts {
			r, first, open, err := Begin(base, s.ID)
			if err != nil {
				t.Fatalf("%s: %v", s.ID, err)
			}
			list := *r.Passes(s.Step)
			n := len(*base.Passes(s.Step))
			if len(list) <= n || list[n].ID != first {
				t.Errorf("%s adds no pass", s.ID)
			}
			if open != "" && r.Area(open) == nil {
				t.Errorf("%s opens an area that is not there", s.ID)
			}
			back, err := Decode(r.Encode())
			if err != nil || setting.Key(*back) != setting.Key(*r) {
				t.Errorf("%s does not come back: %v", s.ID, err)
			}
			// Twice is twice, in areas of its own.
			again, _, _, err := Begin(r, s.ID)
			if err != nil || len(*again.Passes(s.Step)) != 2*len(list)-n {
				t.Errorf("%s twice: %v", s.ID, err)
			}
			if n := len(again.Areas); n != 2*(len(r.Areas)-len(base.Areas))+len(base.Areas) {
				t.Errorf("%s twice has %d areas", s.ID, n)
			}
		}
	}
	if _, _, _, err := Begin(recipe.New(9, 9), "sunrise"); err == nil {
		t.Error("a start that is none is not refused")
	}
	r, _, _, err := Begin(sample(t), "gel-ramp")
	if err != nil {
		t.Fatal(err)
	}
	if f := r.Finish.Passes[0].Does.(pass.Ramp); string(f.Follow) != r.Lights[Brightest(r)].ID {
		t.Errorf("the ramp follows %q", f.Follow)
	}
}

// What refers to something goes with it, or keeps it.
func TestRemovingWhatIsReferredTo(t *testing.T) {
	r, _, _, err := Begin(sample(t), "vignette")
	if err != nil {
		t.Fatal(err)
	}
	if r, _, _, err = Begin(r, "gel-ramp"); err != nil {
		t.Fatal(err)
	}
	i := Brightest(r)
	id, gel := r.Lights[i].ID, r.Lights[i].Gel
	r.Areas[0].Parts = append(r.Areas[0].Parts, area.Part{On: true, Does: area.Away, Amount: 1,
		Of: area.Light{Light: area.LightRef(id), What: area.Glow}})
	if err := r.Validate(); err != nil {
		t.Fatal(err)
	}
	before := r.Finish.Passes[1].Does.(pass.Ramp)
	n := RemoveLight(r, i)
	if err := n.Validate(); err != nil {
		t.Errorf("without the light: %v", err)
	}
	if parts := n.Areas[0].Parts; len(parts) != 2 {
		t.Errorf("of the area %d parts are left", len(parts))
	}
	after := n.Finish.Passes[1].Does.(pass.Ramp)
	was, is := before.Middle.Colour(&pass.Gel{Hue: gel.Hue, Saturation: gel.Saturation}),
		after.Middle.Colour(nil)
	if after.Follow != "" || math.Abs(float64(was.R-is.R))+math.Abs(float64(was.B-is.B)) > 1e-5 {
		t.Errorf("the ramp had %v, without its light %v", was, is)
	}
	if len(r.Areas[0].Parts) != 3 || r.Finish.Passes[1].Does != before {
		t.Error("the recipe itself has changed")
	}
	a := area.Ref(r.Areas[0].ID)
	if _, err := RemoveArea(r, a); err == nil || !strings.Contains(err.Error(), "“Vignette”") {
		t.Errorf("an area in use is removed: %v", err)
	}
	r.Finish.Passes[0].Area = ""
	if n, err := RemoveArea(r, a); err != nil || len(n.Areas) != 0 {
		t.Errorf("an area that nothing uses: %v", err)
	}
	for path, say := range map[string]string{
		"/finish/passes/0/area": "The area of the pass “Vignette” is not in this shot", "/finish/passes/1/does/follow": "The light of the ramp “Three colours” is not",
		"/areas/0/parts/2/of/light": "uses a light that is not in this shot", "/dusk/back/area": "restored daylight is not in this shot",
	} {
		if _, err := Apply(r, Set(path, "gone")); err == nil ||
			!strings.Contains(err.Error(), say) {
			t.Errorf("%s: %v", path, err)
		}
	}
	circle, _, err := AddArea(r, "Other", area.Part{On: true, Does: area.Add, Amount: 1,
		Of: area.Other{Area: a}})
	if err != nil {
		t.Fatal(err)
	}
	other := circle.Areas[1].ID
	_, err = Apply(
		circle,
		[]setting.Op{
			{
				Op:    "add",
				Path:  "/areas/0/parts/-",
				Value: json.RawMessage(`{"of":{"kind":"area","area":"` + other + `"}}`),
			},
		},
	)
	if err == nil || !strings.Contains(err.Error(), "“Other”") ||
		!strings.Contains(err.Error(), "contain each other") {
		t.Errorf("a circle: %v", err)
	}
}

func TestPassesAreDuplicatedAndOrdered(t *testing.T) {
	r, _, _, err := Begin(recipe.New(900, 600), "blue-hour")
	if err != nil {
		t.Fatal(err)
	}
	names := func(r *recipe.Recipe) (out []string) {
		for _, p := range r.Dusk.Passes {
			out = append(out, p.Name)
		}
		return
	}
	d, err := DuplicatePass(r, "dusk", 0)
	if err != nil ||
		!slices.Equal(
			names(d),
			[]string{"Darken", "Darken copy", "Cold sky", "Blue in the shadows"},
		) {
		t.Errorf("duplicated: %v, %v", names(d), err)
	}
	op := []setting.Op{{Op: "move", From: "/dusk/passes/2", Path: "/dusk/passes/0"}}
	m, err := Apply(r, op)
	if err != nil ||
		!slices.Equal(names(m), []string{"Blue in the shadows", "Darken", "Cold sky"}) ||
		Title(r, op) != "Move Blue in the shadows" {
		t.Errorf("moved: %v, %v, %q", names(m), err, Title(r, op))
	}
	for len(r.Dusk.Passes) < 32 {
		if r, err = DuplicatePass(r, "dusk", 0); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := DuplicatePass(r, "dusk", 0); !fault.Is(err, fault.NoRoom) {
		t.Errorf("one too many: %v", err)
	}
	if _, _, _, err := Begin(r, "moonless"); !fault.Is(err, fault.NoRoom) {
		t.Errorf("a start where there is no room: %v", err)
	}
}

// A stroke is simplified when it comes, once; strokes that are there stay as they are. A
// recipe that would be too large is said to be.
func TestStrokesAreSimplifiedAndBounded(t *testing.T) {
	r, id, err := AddArea(
		recipe.New(3000, 2000),
		"Sky",
		area.Part{On: true, Does: area.Add, Amount: 1,
			Of: area.Strokes{Strokes: []area.Stroke{}}},
	)
	if err != nil || r.Area(id) == nil {
		t.Fatal(id, err)
	}
	stroke := func(n int, rough float64) string {
		var b strings.Builder
		b.WriteString(`{"points":[`)
		for i := range n {
			if i > 0 {
				b.WriteByte(',')
			}
			u := float64(i) / float64(n)
			fmt.Fprintf(
				&b,
				`{"x":%.2f,"y":%.2f}`,
				100+2800*u,
				1000+400*math.Sin(6*u)+rough*float64(i%2),
			)
		}
		return b.String() + "]}"
	}
	add := func(r *recipe.Recipe, s string) *recipe.Recipe {
		t.Helper()
		n, err := Apply(
			r,
			[]setting.Op{
				{Op: "add", Path: "/areas/0/parts/0/of/strokes/-", Value: json.RawMessage(s)},
			},
		)
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	points := func(r *recipe.Recipe, i int) setting.List[area.Dab] {
		return r.Areas[0].Parts[0].Of.(area.Strokes).Strokes[i].Points
	}
	r = add(r, stroke(20000, 0))
	first := points(r, 0)
	if n := first.Len(); n > 200 || n < 10 {
		t.Errorf("of 20000 points %d are left", n)
	}
	r = add(r, stroke(500, 0))
	if points(r, 0).Key() != first.Key() {
		t.Error("a stroke that was there has changed")
	}
	if s := r.Areas[0].Parts[0].Of.(area.Strokes).Strokes[0]; s.Diameter != 150 || s.Flow != 1 ||
		s.Softness != 0.6 || first.At(0).P != 1 {
		t.Errorf("a stroke of points alone is %+v", s)
	}
	if err := r.Fits(); err != nil {
		t.Error(err)
	}
	if testing.Short() {
		return // what comes is large
	}
	for range 15 {
		r = add(r, stroke(19000, 3))
	}
	if err := r.Fits(); !fault.Is(err, fault.TooLarge) ||
		!strings.Contains(err.Error(), "the limit is 8 MB") {
		t.Errorf("%d bytes fit: %v", len(r.Encode()), err)
	}
	if _, err := Apply(r, []setting.Op{{Op: "add", Path: "/areas/0/parts/0/of/strokes/-",
		Value: json.RawMessage(stroke(30001, 3))}}); err == nil {
		t.Error("a stroke of 30001 points is not refused")
	}
}

// Warmth and saturation of a shot of before are passes that do the same to every colour.
func TestUpgradeOfDusk(t *testing.T) {
	doc := `{"version":2,"photo":{"width":30,"height":20},"lights":[{"id":"a","name":"Lamp","shapes":[],"shells":[{"radius":4}]}],"dusk":{"on":true,"daylight":-1.5,"warmth":-0.6,"saturation":0.7}}`
	r, err := Decode([]byte(doc))
	if err != nil {
		t.Fatal(err)
	}
	if len(r.Dusk.Passes) != 2 || r.Dusk.Daylight != -1.5 || r.Lights[0].Keep != 0 {
		t.Fatalf("%+v", r.Dusk)
	}
	if c := r.Lights[0]; c.Core.Whiteness != 0.82 || c.Core.Texture != 0.35 ||
		c.Spill.Strength != 2 || c.Shells[0].Lift != 0.6 {
		t.Errorf("what was missing has the defaults of now: %+v, %+v", c.Core, c.Spill)
	}
	prog, err := pass.Compile(r.Dusk.Passes, pass.Site{})
	if err != nil {
		t.Fatal(err)
	}
	in := []float32{0.6, 0.3, 0.1}
	got := slices.Clone(in)
	prog.Row(new(pass.Scratch), got, 0, 0, make([]*raster.Plane, 2))
	y := 0.2126*0.6 + 0.7152*0.3 + 0.0722*0.1
	rr, b := math.Exp2(-0.3), math.Exp2(0.3)
	n := 0.2126*rr + 0.7152 + 0.0722*b
	for i, k := range []float64{rr / n, 1 / n, b / n} {
		if want := k * (0.7*float64(in[i]) + 0.3*y); math.Abs(float64(got[i])-want) > 1e-6 {
			t.Errorf("channel %d is %v, was %v", i, got[i], want)
		}
	}
}
