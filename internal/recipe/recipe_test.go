package recipe

import (
	"encoding/json"
	"errors"
	"math"
	"os"
	"reflect"
	"strings"
	"testing"

	"pyrant/internal/shape"
)

// sample returns a recipe with a panel and a rod.
func sample(t testing.TB) *Recipe {
	t.Helper()
	r := New(3000, 2000)
	panel := shape.Shape{Kind: shape.Outline, Nodes: []shape.Node{{X: 100, Y: 100, Out: [2]float64{20, -5}}, {X: 300, Y: 110}, {X: 280, Y: 400}}}
	rod := shape.Shape{Kind: shape.Tube, Width: 20, Nodes: []shape.Node{{X: 900, Y: 100}, {X: 700, Y: 1200}}}
	var err error
	if r, err = r.AddShape(0, panel); err != nil {
		t.Fatal(err)
	}
	if r, err = r.AddShape(1, rod); err != nil {
		t.Fatal(err)
	}
	r.Lights[1].Name = "Signal rod"
	return r
}

func TestRoundTrip(t *testing.T) {
	r := sample(t)
	back, err := Decode(r.Encode())
	if err != nil {
		t.Fatal(err)
	}
	if !reflect.DeepEqual(r, back) {
		t.Errorf("a recipe comes back changed:\n%+v\n%+v", r, back)
	}
	if c := r.Clone(); !reflect.DeepEqual(c, r) {
		t.Error("a clone differs")
	} else {
		c.Lights[0].Shapes[0].Nodes[0].X = 7
		if r.Lights[0].Shapes[0].Nodes[0].X == 7 {
			t.Error("a clone shares its points with the original")
		}
	}
}

func TestDecodeRefuses(t *testing.T) {
	good := string(sample(t).Encode())
	swap := func(old, new string) string {
		if !strings.Contains(good, old) {
			t.Fatalf("the sample has no %s", old)
		}
		return strings.Replace(good, old, new, 1)
	}
	tests := []struct{ name, doc, field, say string }{
		{"empty", "", "", "not valid JSON"},
		{"not an object", "[1]", "version", "must say its version"},
		{"unknown field", swap(`"whiteness"`, `"sparkle":1,"whiteness"`), "lights[0].core.sparkle", "knows no such field"},
		{"field in another case", swap(`"whiteness"`, `"Whiteness"`), "lights[0].core.whiteness", "missing"},
		{"missing field", swap(`"level":1,`, ``), "lights[0].level", "missing"},
		{"NaN", swap(`"daylight":0`, `"daylight":NaN`), "", "not valid JSON"},
		{"text for a number", swap(`"daylight":0`, `"daylight":"dark"`), "dusk.daylight", "number"},
		{"radius of -1", swap(`"radius":1.25`, `"radius":-1`), "lights[0].shells[0].radius", "from 0 to 6000"},
		{"radius of 1e9", swap(`"radius":1.25`, `"radius":1e9`), "lights[0].shells[0].radius", "1000000000 is out of range"},
		{"number too large for any field", swap(`"radius":1.25`, `"radius":1e999`), "", ""},
		{"unknown joining", swap(`"join":"add"`, `"join":"melt"`), "lights[0].shells[0].join", `"melt"`},
		{"path of one point", swap(`"nodes":[{"x":900,"y":100},{"x":700,"y":1200}]`, `"nodes":[{"x":900,"y":100}]`), "lights[1].shapes[0].nodes", "A path of 1 point is no tube"},
		{"point far outside", swap(`"x":900`, `"x":90000`), "lights[1].shapes[0].nodes[0].x", "out of range"},
		{"same id twice", swap(`"id":"l2"`, `"id":"l1"`), "lights[1].id", `the id "l1"`},
		{"newer version", swap(`"version":1`, `"version":99`), "version", "version 99"},
		{"more after the end", good + "{}", "", "not valid JSON"},
		{"window upside down", swap(`"low":0,"high":1`, `"low":0.8,"high":0.2`), "lights[0].spill.tone", "above its upper end"},
		{"no size", swap(`"width":3000`, `"width":0`), "photo.width", "from 1"},
	}
	for _, tt := range tests {
		_, err := Decode([]byte(tt.doc))
		var e *Error
		if !errors.As(err, &e) {
			t.Errorf("%s: got %v, want a recipe error", tt.name, err)
			continue
		}
		if (tt.field != "" && e.Field != tt.field) || !strings.Contains(e.Msg, tt.say) {
			t.Errorf("%s: got %q, %q; want %q with %q", tt.name, e.Field, e.Msg, tt.field, tt.say)
		}
	}
	r := sample(t)
	r.Dusk.Daylight = math.NaN()
	if r.Validate() == nil {
		t.Error("NaN in a recipe is not refused")
	}
}

func TestApply(t *testing.T) {
	r := sample(t)
	before := string(r.Encode())
	tests := []struct{ patch, title string }{
		{string(Set("/lights/1/gel/hue", 20)), "Gel of Signal rod"},
		{string(Set("/dusk/daylight", -2)), "Daylight"},
		{string(Set("/dusk/on", false)), "Switch of dusk"},
		{string(Set("/glow/level", 0.5)), "Level of all glow"},
		{string(Set("/lights/1/shells/2/radius", 7)), "Radius of shell 3 of Signal rod"},
		{string(Set("/lights/1/spill/reach", 70)), "Spill reach of Signal rod"},
		{string(Set("/lights/1/spill/tone/low", 0.2)), "Tone window of Signal rod"},
		{`[{"op":"remove","path":"/lights/1/shells/0"}]`, "Remove shell 1 of Signal rod"},
		{`[{"op":"remove","path":"/lights/1"}]`, "Remove Signal rod"},
		{string(Set("/lights/1/shapes/0/nodes/0/x", 901)), "Points of Signal rod"},
	}
	for _, tt := range tests {
		next, err := r.Apply([]byte(tt.patch))
		if err != nil {
			t.Errorf("%s: %v", tt.patch, err)
			continue
		}
		if string(next.Encode()) == before {
			t.Errorf("%s changes nothing", tt.patch)
		}
		if got := r.Title([]byte(tt.patch)); got != tt.title {
			t.Errorf("%s is called %q, want %q", tt.patch, got, tt.title)
		}
	}
	for _, bad := range []string{"", "{}", "[]x", `[{"op":"replace","path":"/lights/9/level","value":1}]`, `[{"op":"add","path":"/more","value":1}]`, string(Set("/version", 2))} {
		if _, err := r.Apply([]byte(bad)); err == nil {
			t.Errorf("patch %q is not refused", bad)
		}
	}
	if string(r.Encode()) != before {
		t.Error("Apply changed the recipe it was given")
	}
}

func TestStacks(t *testing.T) {
	r := sample(t)
	more, err := r.AddShell(0)
	if err != nil {
		t.Fatal(err)
	}
	shells := more.Lights[0].Shells
	if len(shells) != 9 {
		t.Fatalf("%d shells after adding one to eight", len(shells))
	}
	for i := 1; i < len(shells); i++ {
		if shells[i].Radius <= shells[i-1].Radius {
			t.Errorf("shell %d of radius %v does not follow one of %v", i+1, shells[i].Radius, shells[i-1].Radius)
		}
	}
	even, err := more.SpaceEvenly(0)
	if err != nil {
		t.Fatal(err)
	}
	s := even.Lights[0].Shells
	ratio := s[1].Radius / s[0].Radius
	for i := 2; i < len(s); i++ {
		if q := s[i].Radius / s[i-1].Radius; math.Abs(q-ratio) > 0.03*ratio {
			t.Errorf("radii %v and %v are in ratio %.3f, the first two in %.3f", s[i-1].Radius, s[i].Radius, q, ratio)
		}
	}
	r.Lights[0].Shells = r.Lights[0].Shells[:0]
	for want := 1; want <= 3; want++ {
		if r, err = r.AddShell(0); err != nil || len(r.Lights[0].Shells) != want {
			t.Fatalf("adding to an empty stack: %v, %d shells", err, len(r.Lights[0].Shells))
		}
	}
}

func TestDuplicateAndLit(t *testing.T) {
	r := sample(t)
	d, err := r.DuplicateLight(0)
	if err != nil || len(d.Lights) != 3 || d.Lights[1].Name != "Light 1 copy" {
		t.Fatalf("duplicate: %v, %+v", err, d)
	}
	if err := d.Validate(); err != nil {
		t.Error(err)
	}
	d.Lights[2].Alone = true
	if got := d.Lit(); !reflect.DeepEqual(got, []bool{false, false, true}) {
		t.Errorf("with the third alone, lit are %v", got)
	}
	d.Lights[2].On = false
	if got := d.Lit(); !reflect.DeepEqual(got, []bool{false, false, false}) {
		t.Errorf("with the one that is alone off, lit are %v", got)
	}
}

func TestToneWindow(t *testing.T) {
	w := ToneWindow{0.2, 0.7, 0.1}
	for _, c := range []struct{ v, want float64 }{{0.05, 0}, {0.1, 0}, {0.15, 0.5}, {0.2, 1}, {0.5, 1}, {0.7, 1}, {0.75, 0.5}, {0.81, 0}} {
		if got := w.At(c.v); math.Abs(got-c.want) > 1e-9 {
			t.Errorf("the window lets %.3f of brightness %v through, want %v", got, c.v, c.want)
		}
	}
	if !(ToneWindow{0, 1, 0.1}).Whole() || w.Whole() {
		t.Error("Whole is wrong")
	}
}

// The published schema must have the fields of the code, no more and no less.
func TestSchemaHasTheFields(t *testing.T) {
	data, err := os.ReadFile("../../docs/recipe.schema.json")
	if err != nil {
		t.Fatal(err)
	}
	type node struct {
		Ref                  string           `json:"$ref"`
		Properties           map[string]*node `json:"properties"`
		Required             []string         `json:"required"`
		AdditionalProperties *bool            `json:"additionalProperties"`
		Items                *node            `json:"items"`
		Defs                 map[string]*node `json:"$defs"`
		Enum                 []string         `json:"enum"`
	}
	var root node
	if err := json.Unmarshal(data, &root); err != nil {
		t.Fatal(err)
	}
	var walk func(n *node, ty reflect.Type, path string)
	walk = func(n *node, ty reflect.Type, path string) {
		if n == nil {
			t.Errorf("%s is not in the schema", path)
			return
		}
		if n.Ref != "" {
			n = root.Defs[strings.TrimPrefix(n.Ref, "#/$defs/")]
		}
		switch ty.Kind() {
		case reflect.Struct:
			if n.AdditionalProperties == nil || *n.AdditionalProperties {
				t.Errorf("%s allows other fields", path)
			}
			if len(n.Properties) != ty.NumField() {
				t.Errorf("%s has %d fields in the schema and %d in the code", path, len(n.Properties), ty.NumField())
			}
			for i := range ty.NumField() {
				name, opts, _ := strings.Cut(ty.Field(i).Tag.Get("json"), ",")
				walk(n.Properties[name], ty.Field(i).Type, path+"."+name)
				if required := strings.Contains(" "+strings.Join(n.Required, " ")+" ", " "+name+" "); required != (opts == "") {
					t.Errorf("%s.%s: required is %v in the schema", path, name, required)
				}
			}
		case reflect.Slice:
			walk(n.Items, ty.Elem(), path+"[]")
		case reflect.String:
			if ty == reflect.TypeFor[Join]() && len(n.Enum) != len(Joins) {
				t.Errorf("%s: %d joinings in the schema, %d in the code", path, len(n.Enum), len(Joins))
			}
		}
	}
	walk(&root, reflect.TypeFor[Recipe](), "recipe")
}

func FuzzDecode(f *testing.F) {
	f.Add(sample(f).Encode())
	f.Add([]byte(`{"version":1}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		r, err := Decode(data)
		if err != nil {
			return
		}
		// What is accepted can be written and read again.
		if _, err := Decode(r.Encode()); err != nil {
			t.Errorf("accepted once, refused again: %v", err)
		}
	})
}
