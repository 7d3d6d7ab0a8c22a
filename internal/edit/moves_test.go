package edit

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
)

func stackOf(radii ...float64) (out []recipe.Shell) {
	for _, r := range radii {
		out = append(
			out,
			recipe.Shell{Radius: r, Strength: 1, Lift: 0.2, Tint: recipe.Tint{White: 0.4},
				Join: recipe.Add},
		)
	}
	return out
}

func TestStackMoves(t *testing.T) {
	of := func(get func(recipe.Shell) float64) func([]recipe.Shell) string {
		return func(list []recipe.Shell) string {
			var out []string
			for _, s := range list {
				out = append(out, fmt.Sprintf("%.4g", get(s)))
			}
			return strings.Join(out, " ")
		}
	}
	radii, strengths := of(func(s recipe.Shell) float64 { return s.Radius }),
		of(func(s recipe.Shell) float64 { return s.Strength })
	lifts, whites, hues := of(func(s recipe.Shell) float64 { return s.Lift }),
		of(func(s recipe.Shell) float64 { return s.Tint.White }),
		of(func(s recipe.Shell) float64 { return s.Tint.Hue })
	for _, c := range []struct {
		name string
		move StackMove
		on   []recipe.Shell
		get  func([]recipe.Shell) string
		want string
	}{
		{"nothing", StackMove{}, stackOf(1, 4, 16), radii, "1 4 16"},
		{"in order", StackMove{}, stackOf(16, 1, 4), radii, "1 4 16"},
		{"evenly", StackMove{Even: true}, stackOf(1, 2, 3, 27), radii, "1 3 9 27"},
		{"wider apart", StackMove{Spread: 2}, stackOf(1, 4, 16), radii, "1 8 64"},
		{"larger", StackMove{Size: 1}, stackOf(1, 4, 16), radii, "2 8 32"},
		{"no wider than can be", StackMove{Size: 3}, stackOf(1000, 5000), radii, "6000 6000"},
		{"steep", StackMove{Curve: -1}, stackOf(1, 4, 16), strengths, "2 1 0.5"},
		{"long, by where the radii lie", StackMove{Curve: 1}, stackOf(1, 2, 16), strengths, "0.5 0.7071 2"},
		{"stronger, up to the end", StackMove{Power: 3}, stackOf(1, 2), strengths, "4 4"},
		{"lifted", StackMove{Lift: 0.3}, stackOf(1, 2), lifts, "0.5 0.5"},
		{"lifted to the end", StackMove{Lift: -0.5}, stackOf(1, 2), lifts, "0 0"},
		{"whiter inside", StackMove{White: 0.5}, stackOf(1, 4, 16), whites, "0.7 0.475 0.4"},
		{"deep", StackMove{White: -1}, stackOf(1, 4, 16), whites, "0 0 0"},
		{"deeper", StackMove{White: -0.5}, stackOf(1, 4), whites, "0.2 0.2"},
		{"tints apart", StackMove{Apart: 20}, stackOf(1, 4, 16), hues, "20 0 -20"},
		{"one shell alone", StackMove{Curve: 1, Apart: 20, Spread: 1}, stackOf(4), hues, "0"},
		{"none", StackMove{Curve: 1}, nil, radii, ""},
	} {
		before := setting.Key(c.on)
		if got := c.get(c.move.Of(c.on)); got != c.want {
			t.Errorf("%s: %s, want %s", c.name, got, c.want)
		}
		if setting.Key(c.on) != before {
			t.Errorf("%s: the stack it came from is another", c.name)
		}
	}
}

func TestMovesAreChanges(t *testing.T) {
	r := sample(t)
	apply := func(op, path, value string) *recipe.Recipe {
		t.Helper()
		next, err := Apply(r, []setting.Op{{Op: op, Path: path, Value: json.RawMessage(value)}})
		if err != nil {
			t.Fatalf("%s %s: %v", op, value, err)
		}
		if err := next.Validate(); err != nil {
			t.Fatal(err)
		}
		return next
	}
	for _, rig := range recipe.Rigs {
		next := apply("rig", "/lights/1", fmt.Sprintf("%q", rig.ID))
		want := r.Lights[1]
		rig.Put(&want, r.Photo)
		if setting.Key(next.Lights[1]) != setting.Key(want) ||
			setting.Key(next.Lights[0]) != setting.Key(r.Lights[0]) {
			t.Errorf("rig %s: %+v", rig.ID, next.Lights[1])
		}
	}
	hue := func(r *recipe.Recipe, i int) float64 { return r.Lights[i].Gel.Hue }
	next := apply("gels", "/lights", `{"turn":300}`)
	for i := range r.Lights {
		if want := math.Mod(hue(r, i)+300, 360); math.Abs(hue(next, i)-want) > 1e-6 {
			t.Errorf("hue %g of light %d turned by 300 is %g", hue(r, i), i, hue(next, i))
		}
	}
	id := r.Lights[1].ID
	next = apply(
		"gels",
		"/lights",
		fmt.Sprintf(`{"lights":[%q],"saturation":-2,"lightness":0.1}`, id),
	)
	if next.Lights[0].Gel != r.Lights[0].Gel || next.Lights[1].Gel.Saturation != 0 ||
		math.Abs(next.Lights[1].Gel.Lightness-r.Lights[1].Gel.Lightness-0.1) > 1e-6 {
		t.Errorf("one light made grey: %+v, %+v", next.Lights[0].Gel, next.Lights[1].Gel)
	}
	next = apply("gels", "/lights", `{"gel":{"hue":10,"saturation":0.5,"lightness":0.25}}`)
	for i := range next.Lights {
		if next.Lights[i].Gel != (gel(10, 0.5, 0.25)) {
			t.Errorf("brought to one gel, light %d has %+v", i, next.Lights[i].Gel)
		}
	}
	for value, want := range map[string]string{fmt.Sprintf(`{"lights":[%q],"kelvin":3000}`, id): "Gel of " + r.Lights[1].Name, `{"turn":20}`: "Gels of several lights"} {
		if got := Title(r, []setting.Op{{Op: "gels", Path: "/lights",
			Value: json.RawMessage(value)}}); got != want {
			t.Errorf("%s is called %q, not %q", value, got, want)
		}
	}
	// After another operation the move sees what that made.
	both, err := Apply(r, []setting.Op{
		{Op: "replace", Path: "/lights/0/gel/hue", Value: json.RawMessage("100")},
		{Op: "gels", Path: "/lights", Value: json.RawMessage(`{"turn":10}`)},
	})
	if err != nil || hue(both, 0) != 110 {
		t.Errorf("a hue of 100 turned by 10: %v", err)
	}
	for _, c := range []struct{ op, path, value, say string }{
		{"rig", "/lights/0", `"candle"`, "no rig"},
		{"rig", "/lights/9", `"tube"`, "was deleted"},
		{"rig", "/lights/0/shells", `"tube"`, "was deleted"},
		{"rig", "/lights/0", `7`, "is not valid"},
		{"stack", "/lights/id:x/shells", `{}`, "was deleted"},
		{"stack", "/lights/0/shells", `{"lift":"much"}`, "is not valid"},
		{"gels", "/lights", `{"lights":["none"]}`, "None of these lights"},
		{"gels", "/lights", `{"kelvin":100}`, "1000 to 20000 K"},
	} {
		if _, err := Apply(r, []setting.Op{{Op: c.op, Path: c.path,
			Value: json.RawMessage(c.value)}}); err == nil || !strings.Contains(err.Error(),
			c.say) {
			t.Errorf("%s %s %s: %v", c.op, c.path, c.value, err)
		}
	}
}

// Gels by temperature are those of a black body: from red over warm white to blue.
func TestGelsByTemperature(t *testing.T) {
	of := func(k float64) recipe.Gel { return GelMove{Kelvin: k}.Of(recipe.Gel{}) }
	candle, bulb, sky := of(1900), of(2856), of(12000)
	if candle.Hue < 20 || candle.Hue > 36 || bulb.Hue < 26 || bulb.Hue > 36 ||
		bulb.Lightness <= candle.Lightness || sky.Hue < 210 || sky.Hue > 230 {
		t.Errorf("1900, 2856 and 12 000 K are %+v, %+v, %+v", candle, bulb, sky)
	}
	if day := of(6500); day.Lightness < 0.97 {
		t.Errorf("6500 K is %+v", day)
	}
	for _, hue := range []float64{0, 47, 120, 201, 333} {
		g := GelOf(colour.HSL(hue, 0.7, 0.4))
		if math.Abs(g.Hue-hue) > 0.2 || math.Abs(g.Saturation-0.7) > 0.005 ||
			math.Abs(g.Lightness-0.4) > 0.003 {
			t.Errorf("hue %g comes back as %+v", hue, g)
		}
	}
}

// A number of the crop changes what follows from it; what cannot be is refused and leaves the
// recipe as it was.
func TestCropMoves(t *testing.T) {
	r := recipe.New(3000, 2000)
	apply := func(ops string) (*recipe.Recipe, error) {
		list, err := setting.ParseOps([]byte(ops))
		if err != nil {
			t.Fatal(err)
		}
		return Apply(r, list)
	}
	next, err := apply(`[{"op":"replace","path":"/crop/angle","value":3}]`)
	if err != nil {
		t.Fatal(err)
	}
	if w, h := next.Size(); next.Crop.Angle != 3 || w >= 3000 || w < 2700 ||
		math.Abs(float64(w)/float64(h)-1.5) > 0.01 {
		t.Errorf("straightened: %+v", next.Crop)
	}
	if next, err = apply(`[{"op":"crop","path":"/crop","value":{"ratio":1}},{"op":"crop","path":"/crop","value":{"turn":1}}]`); err != nil {
		t.Fatal(err)
	}
	if w, h := next.Size(); w != h || next.Crop.Turns != 1 {
		t.Errorf("square and turned: %+v", next.Crop)
	}
	for _, bad := range []string{`{"op":"replace","path":"/crop/width","value":5}`, `{"op":"replace","path":"/crop/angle","value":50}`, `{"op":"replace","path":"/crop/height","value":"x"}`,
		`{"op":"crop","path":"/crop","value":{"ratio":900}}`, `{"op":"replace","path":"/crop","value":{"x":10,"y":10,"width":500,"height":500}}`} {
		if got, err := apply("[" + bad + "]"); err == nil {
			t.Errorf("%s makes %+v", bad, got.Crop)
		}
	}
	if !r.Crop.Idle() {
		t.Errorf("what was refused left %+v", r.Crop)
	}
	for ops, want := range map[string]string{`[{"op":"crop","path":"/crop","value":{"angle":2}}]`: "Straighten", `[{"op":"crop","path":"/crop","value":{"turn":1}}]`: "Rotate 90°", `[{"op":"crop","path":"/crop","value":{"ratio":1}}]`: "Crop",
		`[{"op":"replace","path":"/crop","value":{}}]`: "Crop", `[{"op":"replace","path":"/crop/angle","value":2}]`: "Straighten"} {
		list, _ := setting.ParseOps([]byte(ops))
		if got := Title(r, list); got != want {
			t.Errorf("%s is called %q", ops, got)
		}
	}
}
