package recipe_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	jsonpatch "github.com/evanphx/json-patch/v5"
	"github.com/google/jsonschema-go/jsonschema"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// Short names for tables of shells.
type (
	shell = recipe.Shell
	tint  = recipe.Tint
)

const add = recipe.Add

// sample returns a recipe with a panel and a rod.
func sample(t testing.TB) *recipe.Recipe {
	t.Helper()
	r := recipe.New(3000, 2000)
	for _, sh := range []shape.Shape{
		shape.Outline{Nodes: shape.PathOf(shape.Node{X: 100, Y: 100, Out: [2]float64{20, -5}},
			shape.Node{X: 300, Y: 110}, shape.Node{X: 280, Y: 400})},
		shape.Tube{Width: 20, Taper: 0.2, Widths: shape.SharesOf(1, 0.5),
			Nodes: shape.PathOf(shape.Node{X: 900, Y: 100}, shape.Node{X: 700, Y: 1200})},
	} {
		var i int
		var err error
		if r, i, err = edit.AddLight(r); err != nil {
			t.Fatal(err)
		}
		r.Lights[i].Shapes = shape.Shapes{sh}
		r.Lights[i].ID = fmt.Sprint("l", i+1)
	}
	r.Lights[1].Name = "Signal rod"
	r = edit.Identify(r)
	if err := r.Validate(); err != nil {
		t.Fatal(err)
	}
	return r
}

func TestRoundTrip(t *testing.T) {
	r := sample(t)
	back, err := edit.Decode(r.Encode())
	if err != nil {
		t.Fatal(err)
	}
	if string(r.Encode()) != string(back.Encode()) || setting.Key(*r) != setting.Key(*back) {
		t.Errorf("a recipe comes back changed:\n%+v\n%+v", r, back)
	}
	if c := r.Clone(); setting.Key(*c) != setting.Key(*r) {
		t.Error("a clone differs")
	} else {
		c.Lights[0].Shells[0].Radius = 7
		c.Lights[0].Shapes[0] = c.Lights[1].Shapes[0]
		if setting.Key(*back) != setting.Key(*r) {
			t.Error("a clone shares its shells or shapes with the original")
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
		{
			"unknown field",
			swap(`"whiteness"`, `"sparkle":1,"whiteness"`),
			"lights[0].core.sparkle",
			"no such field",
		},
		{
			"field in another case",
			swap(`"whiteness"`, `"Whiteness"`),
			"lights[0].core.Whiteness",
			"no such field",
		},
		{"missing name", swap(`"name":"Light 1",`, ``), "lights[0].name", "missing"},
		{
			"unknown kind of shape",
			swap(`"kind":"tube"`, `"kind":"cone"`),
			"lights[1].shapes[0].kind",
			`"cone"`,
		},
		{
			"field of another kind",
			swap(`"kind":"tube"`, `"kind":"outline"`),
			"lights[1].shapes[0].taper",
			"no such field",
		},
		{
			"points that are elsewhere",
			swap(
				`"nodes":[{"x":900,"y":100},{"x":700,"y":1200}]`,
				`"nodes":"`+strings.Repeat("0a", 32)+`"`,
			),
			"lights[1].shapes[0].nodes",
			"missing",
		},
		{
			"points of no name",
			swap(`"nodes":[{"x":900,"y":100},{"x":700,"y":1200}]`, `"nodes":"here"`),
			"lights[1].shapes[0].nodes",
			"not the name",
		},
		{"half a pixel", swap(`"width":3000`, `"width":3000.5`), "photo.width", "whole number"},
		{"NaN", swap(`"daylight":0`, `"daylight":NaN`), "", "not valid JSON"},
		{"text for a number", swap(`"daylight":0`, `"daylight":"dark"`), "dusk.daylight", "number"},
		{
			"radius of -1",
			swap(`"radius":1.25`, `"radius":-1`),
			"lights[0].shells[0].radius",
			"from 0 to 6000",
		},
		{
			"radius of 1e9",
			swap(`"radius":1.25`, `"radius":1e9`),
			"lights[0].shells[0].radius",
			"1000000000 is out of range",
		},
		{"number too large for any field", swap(`"radius":1.25`, `"radius":1e999`), "", "beyond"},
		{
			"unknown joining",
			swap(`"join":"add"`, `"join":"melt"`),
			"lights[0].shells[0].join",
			`"melt"`,
		},
		{
			"path of one point",
			swap(`"nodes":[{"x":900,"y":100},{"x":700,"y":1200}]`, `"nodes":[{"x":900,"y":100}]`),
			"lights[1].shapes[0].nodes",
			"A path of 1 point is too short",
		},
		{
			"point far outside",
			swap(`"x":900`, `"x":90000`),
			"lights[1].shapes[0].nodes[0].x",
			"out of range",
		},
		{"same id twice", swap(`"id":"l2"`, `"id":"l1"`), "lights[1].id", `the id "l1"`},
		{"newer version", swap(`"version":6`, `"version":99`), "version", "version 99"},
		{"more after the end", good + "{}", "", "not valid JSON"},
		{
			"window upside down",
			swap(`"low":0,"high":1`, `"low":0.8,"high":0.2`),
			"lights[0].spill.tone",
			"must lie below",
		},
		{"no size", swap(`"width":3000`, `"width":0`), "photo.width", "from 1"},
	}
	for _, tt := range tests {
		_, err := edit.Decode([]byte(tt.doc))
		var e *fault.Error
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
	op := func(op, path string, value string) []setting.Op {
		return []setting.Op{{Op: op, Path: path, Value: json.RawMessage(value)}}
	}
	tests := []struct {
		ops   []setting.Op
		title string
	}{
		{edit.Set("/lights/1/gel/hue", 20), "Gel of Signal rod"},
		{edit.Set("/dusk/daylight", -2), "Daylight"},
		{edit.Set("/dusk/on", false), "Dusk on"},
		{edit.Set("/glow/level", 0.5), "Fader of all glow"},
		{edit.Set("/lights/1/core/feather", 4), "Feather of Signal rod"},
		{edit.Set("/lights/1/name", "Rod"), "Name of Signal rod"},
		{edit.Set("/lights/1/shells/2/radius", 7), "Radius of shell 3 of Signal rod"},
		{edit.Set("/lights/1/shells/2/tint/white", 0.9), "Tint of shell 3 of Signal rod"},
		{
			append(
				edit.Set("/lights/1/shells/2/radius", 7),
				edit.Set("/lights/1/shells/2/strength", 1)...),
			"Shell 3 of Signal rod",
		},
		{edit.Set("/lights/1/spill/reach", 70), "Spill reach of Signal rod"},
		{edit.Set("/lights/1/spill/tone/low", 0.2), "Spill tone window of Signal rod"},
		{op("remove", "/lights/1/shells/0", ""), "Delete shell 1 of Signal rod"},
		{op("remove", "/lights/1", ""), "Delete Signal rod"},
		{edit.Set("/lights/1/shapes/0/nodes/0/x", 901), "Nodes of Signal rod"},
		{edit.Set("/lights/1/shapes/0/width", 22), "Width of Signal rod"},
		{op("shift", "/lights/1/shapes/0", "[5,-7]"), "A shape of Signal rod"},
		{
			op(
				"add",
				"/lights/1/shapes/-",
				`{"kind":"tube","width":5,"nodes":[{"x":1,"y":2},{"x":3,"y":4}]}`,
			),
			"Add a shape of Signal rod",
		},
		{op("remove", "/lights/1/shapes/0", ""), "Delete a shape of Signal rod"},
	}
	for _, tt := range tests {
		next, err := edit.Apply(r, tt.ops)
		if err != nil {
			t.Errorf("%v: %v", tt.title, err)
			continue
		}
		if string(next.Encode()) == before {
			t.Errorf("%v changes nothing", tt.title)
		}
		if err := next.Validate(); err != nil {
			t.Errorf("%v: %v", tt.title, err)
		}
		if got := edit.Title(r, tt.ops); got != tt.title {
			t.Errorf("%v is called %q", tt.title, got)
		}
	}
	for _, bad := range [][]setting.Op{
		edit.Set("/lights/9/level", 1), edit.Set("/more", 1), edit.Set("/version", 3), edit.Set("/photo/width", 10), edit.Set("/lights/0/level", 7),
		edit.Set("/lights/0/spill/tone/low", 0.2)[:0:0], edit.Set("/lights/01/level", 1), edit.Set("/lights/-/level", 1), edit.Set("/lights/0/shapes/0/nodes/0/x", 1e9),
		edit.Set("/lights/0/id", "l2"), op("melt", "/dusk/on", "true"), op("shift", "/lights/0/core", "[1,1]"), op("remove", "/lights/0/id", ""),
		append(edit.Set("/lights/0/spill/tone/high", 0.1), edit.Set("/lights/0/spill/tone/low", 0.2)...), op("replace", "/dusk/on", ""),
		op("remove", "/lights/1/shapes/0/nodes/1", ""),
	} {
		if len(bad) == 0 {
			continue
		}
		if next, err := edit.Apply(r, bad); err == nil {
			t.Errorf("%v is not refused: %s", bad, next.Encode())
		}
	}
	if string(r.Encode()) != before {
		t.Error("Apply changed the recipe it was given")
	}
}

// validThroughout tells whether a recipe stays valid after each of several operations,
// by the standard.
func validThroughout(t *testing.T, r *recipe.Recipe, ops []setting.Op) bool {
	doc := r.Encode()
	for _, op := range ops {
		one, err := json.Marshal([]setting.Op{op})
		if err != nil {
			t.Fatal(err)
		}
		patch, err := jsonpatch.DecodePatch(one)
		if err != nil {
			t.Fatal(err)
		}
		if doc, err = patch.Apply(doc); err != nil {
			return false
		}
		if _, err := edit.Decode(doc); err != nil {
			return false
		}
	}
	return true
}

// JSON Patch is a standard with an implementation of its own: what operations make of
// a recipe is what they make of its JSON.
func TestApplyAgreesWithJSONPatch(t *testing.T) {
	r := sample(t)
	rnd := rand.New(rand.NewPCG(1, 2))
	var numbers []string
	setting.Paths(*r, func(path string, s *setting.Setting, v reflect.Value) {
		if v.Kind() == reflect.Float64 {
			numbers = append(numbers, path)
		}
	})
	applied := 0
	for range 400 {
		var ops []setting.Op
		for range 1 + rnd.IntN(3) {
			switch rnd.IntN(6) {
			case 4:
				i := rnd.IntN(3)
				ops = append(ops, setting.Op{Op: "move", From: fmt.Sprintf("/lights/%d/shells/%d",
					i, rnd.IntN(9)), Path: fmt.Sprintf("/lights/%d/shells/%d", i, rnd.IntN(9))})
			case 0:
				ops = append(ops, setting.Op{Op: "remove", Path: fmt.Sprintf("/lights/%d/shells/%d",
					rnd.IntN(3), rnd.IntN(10))})
			case 1:
				ops = append(ops, setting.Op{Op: "add", Path: fmt.Sprintf("/lights/%d/shells/%d",
					rnd.IntN(3), rnd.IntN(10)),
					Value: json.RawMessage(
						`{"radius":3,"strength":0.5,"tint":{"white":0.1,"hue":5},"lift":0.2,"join":"screen"}`,
					)})
			case 2:
				ops = append(
					ops,
					setting.Op{
						Op: "replace",
						Path: fmt.Sprintf(
							"/lights/%d/shapes/0/nodes/%d",
							rnd.IntN(2),
							rnd.IntN(4),
						),
						Value: json.RawMessage(`{"x":7,"y":8}`),
					},
				)
			default:
				ops = append(
					ops,
					edit.Set(numbers[rnd.IntN(len(numbers))], float64(rnd.IntN(3)))...)
			}
		}
		next, err := edit.Apply(r, ops)
		doc, merr := json.Marshal(ops)
		patch, perr := jsonpatch.DecodePatch(doc)
		if merr != nil || perr != nil {
			t.Fatal(merr, perr)
		}
		out, perr := patch.Apply(r.Encode())
		if err != nil {
			// Refused: the standard's result cannot be had or is not valid.
			// It is looked at after each operation.
			if perr == nil && validThroughout(t, r, ops) {
				t.Errorf("%s is refused: %v", doc, err)
			}
			continue
		}
		if perr != nil {
			t.Errorf("%s is not refused, but by the standard it is: %v", doc, perr)
			continue
		}
		want, derr := edit.Decode(out)
		if derr != nil || setting.Key(*want) != setting.Key(*next) {
			t.Errorf("%s:\n%s\n%s %v", doc, next.Encode(), out, derr)
		}
		applied++
	}
	if applied < 100 {
		t.Errorf("only %d changes were applied", applied)
	}
}

func TestStacks(t *testing.T) {
	r := sample(t)
	more, err := edit.AddShell(r, 0)
	if err != nil {
		t.Fatal(err)
	}
	shells := more.Lights[0].Shells
	if len(shells) != 9 {
		t.Fatalf("%d shells after adding one to eight", len(shells))
	}
	for i := 1; i < len(shells); i++ {
		if shells[i].Radius <= shells[i-1].Radius {
			t.Errorf(
				"shell %d of radius %v does not follow one of %v",
				i+1,
				shells[i].Radius,
				shells[i-1].Radius,
			)
		}
	}
	even, err := spaceEvenly(more, 0)
	if err != nil {
		t.Fatal(err)
	}
	s := even.Lights[0].Shells
	ratio := s[1].Radius / s[0].Radius
	for i := 2; i < len(s); i++ {
		if q := s[i].Radius / s[i-1].Radius; math.Abs(q-ratio) > 0.03*ratio {
			t.Errorf(
				"radii %v and %v are in ratio %.3f, the first two in %.3f",
				s[i-1].Radius,
				s[i].Radius,
				q,
				ratio,
			)
		}
	}
	r.Lights[0].Shells = r.Lights[0].Shells[:0]
	for want := 1; want <= 3; want++ {
		if r, err = edit.AddShell(r, 0); err != nil || len(r.Lights[0].Shells) != want {
			t.Fatalf("adding to an empty stack: %v, %d shells", err, len(r.Lights[0].Shells))
		}
	}
}

// The numbers of a new light and of a new shell are known.
func TestStacksHaveTheirNumbers(t *testing.T) {
	r := recipe.New(3000, 2000)
	for i := range 3 {
		var at int
		var err error
		if r, at, err = edit.AddLight(r); err != nil || at != i {
			t.Fatal(at, err)
		}
		l := r.Lights[i]
		if want := fmt.Sprintf("Light %d", i+1); l.Name != want ||
			l.Gel.Hue != math.Mod(172+137.5*float64(i), 360) {
			t.Errorf("the new light is %q with hue %v", l.Name, l.Gel.Hue)
		}
	}
	stack := r.Lights[0].Shells
	for i, s := range stack {
		// Even doublings from 2.5 pixels in a photo of 6000.
		if want := 2.5 * math.Exp2(float64(i)) * float64(r.Photo.LongEdge()) /
			6000; len(stack) != 8 || math.Abs(s.Radius-want) > 0.005*want || s.Lift != 0.15 ||
			s.Join != recipe.Add {
			t.Errorf("shell %d of %d is %+v, want a radius of %v", i+1, len(stack), s, want)
		}
		if i > 0 && (s.Strength >= stack[i-1].Strength || s.Tint.White > stack[i-1].Tint.White) {
			t.Errorf("shell %d is stronger or whiter than the one before it", i+1)
		}
	}
	noTrim := recipe.Trim{}
	shells := func(s ...shell) *recipe.Recipe { c := r.Clone(); c.Lights[1].Shells = s; return c }
	for _, tt := range []struct {
		name      string
		from      []recipe.Shell
		at        int
		want      recipe.Shell
		otherwise int
	}{
		{"the first", nil, 0, shell{"", 10, 0.3, tint{}, 0.15, add, recipe.Trim{Amount: 1}}, 1},
		{"beyond the only one", []shell{{Radius: 8, Strength: 0.4, Lift: 0.2, Join: recipe.Screen}}, 1,
			shell{"", 16, 0.3, tint{}, 0.2, recipe.Screen, noTrim}, 2},
		{"beyond one of no radius", []shell{{Radius: 0, Strength: 0.4, Join: add}}, 1,
			shell{"", 2, 0.3, tint{}, 0, add, noTrim}, 2},
		{"beyond the widest there can be", []shell{{Radius: 6000, Strength: 0.4, Join: add}}, 1,
			shell{"", 6000, 0.3, tint{}, 0, add, noTrim}, 2},
		{"in the widest gap", []shell{{Radius: 90, Strength: 0.2, Join: recipe.Normal},
			{Radius: 4, Strength: 0.6, Tint: tint{White: 0.5}, Join: add}, {Radius: 2, Strength: 1,
				Tint: tint{White: 1}, Join: add}}, 2,
			shell{"", 19, 0.4, tint{White: 0.25}, 0, recipe.Normal, noTrim}, 4},
		{"between none and some", []shell{{Radius: 0, Strength: 0.5, Join: add},
			{Radius: 30, Strength: 0.3, Join: add}},
			1, shell{"", 3, 0.4, tint{}, 0, add, noTrim}, 3},
		{"in the widest of narrow gaps", []shell{{Radius: 10, Strength: 1, Join: add},
			{Radius: 11, Strength: 1, Join: add}, {Radius: 13, Strength: 1, Join: add}}, 2,
			shell{"", 12, 1, tint{}, 0, add, noTrim}, 4},
		{"behind those of the same radius", []shell{{Radius: 5, Strength: 0.1, Join: add},
			{Radius: 5, Strength: 0.2, Join: add}, {Radius: 5, Strength: 0.4, Join: add},
			{Radius: 20, Strength: 0.6, Join: add}},
			3, shell{"", 10, 0.5, tint{}, 0, add, noTrim}, 5},
		{"not between two that are as good as none", []shell{{Radius: 0, Strength: 1, Join: add},
			{Radius: 0.35, Strength: 1, Join: add}, {Radius: 0.42, Strength: 1, Join: add}}, 2,
			shell{"", 0.383, 1, tint{}, 0, add, noTrim}, 4},
		{"the first of gaps alike", []shell{{Radius: 1, Strength: 1, Join: add},
			{Radius: 4, Strength: 1, Join: add}, {Radius: 16, Strength: 1, Join: add}}, 1,
			shell{"", 2, 1, tint{}, 0, add, noTrim}, 4},
	} {
		got, err := edit.AddShell(shells(tt.from...), 1)
		if err != nil {
			t.Errorf("%s: %v", tt.name, err)
			continue
		}
		l := got.Lights[1].Shells
		s := l[tt.at]
		s.ID, s.Strength = "", math.Round(1e9*s.Strength)/1e9
		if len(l) != tt.otherwise || s != tt.want {
			t.Errorf("%s: %+v", tt.name, l)
		}
	}
	even, err := spaceEvenly(
		shells(
			shell{Radius: 81, Join: add},
			shell{Radius: 1, Join: add},
			shell{
				Radius: 2,
				Join:   recipe.Add,
			},
			shell{Radius: 3, Join: add},
			shell{Radius: 4, Join: add},
		),
		1,
	)
	if err != nil {
		t.Fatal(err)
	}
	for k, want := range []float64{1, 3, 9, 27, 81} {
		if got := even.Lights[1].Shells[k].Radius; got != want {
			t.Errorf("even radius %d is %v, want %v", k+1, got, want)
		}
	}
	if even, err = spaceEvenly(shells(shell{Radius: 8, Join: add}, shell{Radius: 0, Join: add},
		shell{Radius: 1, Join: add}), 1); err != nil ||
		even.Lights[1].Shells[0].Radius != 0.5 ||
		even.Lights[1].Shells[1].Radius != 2 {
		t.Errorf("even radii from none: %v, %+v", err, even.Lights[1].Shells)
	}
	if even, err = spaceEvenly(shells(shell{Join: add}, shell{Radius: 0.55, Join: add},
		shell{Join: add}), 1); err != nil ||
		even.Lights[1].Shells[2].Radius != 0.55 ||
		even.Lights[1].Shells[0].Radius != 0.5 {
		t.Errorf("even radii up to 0.55: %v, %+v", err, even.Lights[1].Shells)
	}
	if even, err = spaceEvenly(shells(shell{Join: add}, shell{Join: add},
		shell{Radius: 0.1, Join: add}), 1); err != nil ||
		even.Lights[1].Shells[2].Radius != 0.5 {
		t.Errorf("even radii of nearly none: %v, %+v", err, even.Lights[1].Shells)
	}
	two := shells(
		shell{Radius: 9, Join: add},
		shell{Radius: 1, Join: add},
	)
	if even, err = spaceEvenly(two, 1); err != nil || even.Lights[1].Shells[0].Radius != 1 ||
		even.Lights[1].Shells[1].Radius != 9 {
		t.Errorf("two radii, spaced: %v, %+v", err, even.Lights[1].Shells)
	}
	// There is room for so many and no more.
	full := shells(make([]recipe.Shell, 31)...)
	for i := range full.Lights[1].Shells {
		full.Lights[1].Shells[i] = shell{Radius: float64(i), Join: add}
	}
	if full, err = edit.AddShell(full, 1); err != nil {
		t.Error(err)
	} else if _, err = edit.AddShell(full, 1); !fault.Is(err, fault.NoRoom) {
		t.Errorf("a shell more than there is room for: %v", err)
	}
	for err = nil; err == nil && len(r.Lights) < 200; {
		var more *recipe.Recipe
		if more, _, err = edit.AddLight(r); err == nil {
			r = more
		}
	}
	if len(r.Lights) != 100 || !fault.Is(err, fault.NoRoom) {
		t.Errorf("there is room for %d lights, %v", len(r.Lights), err)
	}
	if _, err := edit.DuplicateLight(r, 3); !fault.Is(err, fault.NoRoom) {
		t.Errorf("a light twice beyond the room: %v", err)
	}
	// A copy keeps a name that is already as long as names may be.
	long := strings.Repeat("n", 76)
	one := recipe.New(30, 20)
	one.Lights = []recipe.Light{recipe.DefaultLight(one.Photo)}
	one.Lights[0].ID, one.Lights[0].Name, one.Lights[0].Alone = "a", long, true
	for want := range 2 {
		d, err := edit.DuplicateLight(one, 0)
		if name := map[int]string{0: long, 1: long[:75] + " copy"}[want]; err != nil ||
			d.Lights[1].Name != name || d.Lights[1].Alone {
			t.Errorf("a copy is %+v, %v", d.Lights[1], err)
		}
		one.Lights[0].Name = long[:75]
	}
}

func TestTintFollowsTheGel(t *testing.T) {
	g := recipe.Gel{Hue: 100, Saturation: 0.8, Lightness: 0.4}
	for _, tt := range []struct {
		tint recipe.Tint
		want colour.RGB
	}{
		{tint{}, g.Colour()}, {tint{Hue: 40}, colour.HSL(140, 0.8, 0.4)},
		{tint{White: 1}, colour.RGB{R: 1, G: 1, B: 1}},
		{tint{White: 0.5, Hue: -120}, colour.HSL(340, 0.8, 0.4).Mix(colour.RGB{R: 1, G: 1, B: 1},
			0.5)},
	} {
		got := tt.tint.Colour(g)
		for _, d := range []float32{got.R - tt.want.R, got.G - tt.want.G, got.B - tt.want.B} {
			if math.Abs(float64(d)) > 1e-6 {
				t.Errorf("%+v is %v, want %v", tt.tint, got, tt.want)
			}
		}
	}
}

func TestLargestDocument(t *testing.T) {
	good := sample(t).Encode()
	pad := func(n int) []byte {
		return append(good[:len(good):len(good)], make([]byte, n-len(good))...)
	}
	fits, over := pad(recipe.MaxBytes), pad(recipe.MaxBytes+1)
	for i := len(good); i < len(over); i++ {
		over[i] = ' '
	}
	copy(fits, over)
	if _, err := edit.Decode(fits); err != nil {
		t.Errorf("a document of 32 MB: %v", err)
	}
	if _, err := edit.Decode(over); !fault.Is(err, fault.TooLarge) || !strings.Contains(err.Error(),
		"larger than 32 MB") {
		t.Errorf("a document of more: %v", err)
	}
}

func TestVersionsThatCannotBeRead(t *testing.T) {
	good := string(sample(t).Encode())
	for _, v := range []string{"0", "-1", "1.5", "7", `"4"`, "null"} {
		_, err := edit.Decode([]byte(strings.Replace(good, `"version":6`, `"version":`+v, 1)))
		var e *fault.Error
		if !errors.As(err, &e) || e.Field != "version" {
			t.Errorf("version %s: %v", v, err)
		}
	}
}

func TestDuplicateAndLit(t *testing.T) {
	r := sample(t)
	d, err := edit.DuplicateLight(r, 0)
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

// A field that a document does not have takes its default, so that shots of before
// open when a field is added.
func TestMissingFieldsTakeTheirDefaults(t *testing.T) {
	doc := `{"version":6,"photo":{"width":3000,"height":2000},"lights":[{"id":"a","name":"Lamp","shapes":[],"shells":[{"radius":4}]}]}`
	r, err := edit.Decode([]byte(doc))
	if err != nil {
		t.Fatal(err)
	}
	l, want := r.Lights[0], recipe.DefaultLight(r.Photo)
	if l.Core != want.Core || l.Gel != want.Gel || !reflect.DeepEqual(l.Spill, want.Spill) ||
		!l.On || l.Level != 1 || !reflect.DeepEqual(r.Dusk, recipe.New(3000, 2000).Dusk) ||
		r.Glow.Level != 1 {
		t.Errorf("the defaults did not come: %+v", r)
	}
	if s := l.Shells[0]; s.Radius != 4 || s.Lift != 0.15 || s.Join != recipe.Add {
		t.Errorf("a shell of a radius alone is %+v", s)
	}
	if want.Core.Feather != 1 || want.Spill.Reach != 1000 {
		t.Errorf(
			"defaults that follow the photo's size are %v and %v",
			want.Core.Feather,
			want.Spill.Reach,
		)
	}
}

// Samples of every version are kept, and open.
func TestSamplesOfEveryVersion(t *testing.T) {
	for v := 1; v <= recipe.Version; v++ {
		names, err := filepath.Glob(fmt.Sprintf("testdata/v%d-*.json", v))
		if err != nil || len(names) == 0 {
			t.Fatalf("there is no sample of version %d: %v", v, err)
		}
		for _, name := range names {
			b, err := os.ReadFile(name)
			if err != nil {
				t.Fatal(err)
			}
			if !strings.Contains(string(b), fmt.Sprintf(`"version": %d`, v)) {
				t.Errorf("%s is of another version", name)
			}
			r, err := edit.Decode(b)
			if err != nil {
				t.Errorf("%s: %v", name, err)
			} else if r.Version != recipe.Version || len(r.Lights) != 6 {
				t.Errorf("%s: version %d with %d lights", name, r.Version, len(r.Lights))
			} else if l := r.Lights[0]; (l.Core.Look == recipe.Even) != (v < 4) || v < 4 &&
				l.Intensity != 0 {
				t.Errorf("%s: a core that looks %s, %g stops", name, l.Core.Look, l.Intensity)
			}
		}
	}
}

// Long lists of points stand beside a packed recipe and are found again.
func TestPackKeepsLongListsBeside(t *testing.T) {
	r := sample(t)
	var nodes []shape.Node
	for i := range 2000 {
		nodes = append(nodes, shape.Node{X: float64(i), Y: 100 + 10*math.Sin(float64(i)/50)})
	}
	r.Lights[0].Shapes = append(r.Lights[0].Shapes, shape.Outline{Nodes: shape.PathOf(nodes...)})
	r = edit.Identify(r)
	doc, lists := r.Pack()
	if len(lists) != 1 || len(doc) > 20_000 {
		t.Fatalf("%d lists beside a document of %d bytes", len(lists), len(doc))
	}
	load := func(sum string) ([]byte, error) {
		b, ok := lists[sum]
		if !ok {
			return nil, errors.New("no such list")
		}
		return b, nil
	}
	back, err := edit.Unpack(doc, load)
	if err != nil {
		t.Fatal(err)
	}
	if string(back.Encode()) != string(r.Encode()) {
		t.Error("unpacked it is another recipe")
	}
	// A changed point makes one other list; the rest of the recipe is shared.
	next, err := edit.Apply(back, edit.Set("/lights/0/shapes/1/nodes/7/y", 3))
	if err != nil {
		t.Fatal(err)
	}
	if _, more := next.Pack(); len(more) != 1 ||
		lists[shape.Nodes(next.Lights[0].Shapes[1]).Key()] != nil {
		t.Error("the changed list has the name of the old one")
	}
	for sum := range lists {
		lists[sum] = lists[sum][:len(lists[sum])-3]
	}
	if _, err := edit.Unpack(doc, load); err == nil {
		t.Error("a list that is cut off is not refused")
	}
	if _, err := edit.Unpack(doc, func(string) ([]byte, error) {
		return nil, errors.New("gone")
	}); err == nil {
		t.Error("a list that is missing is not refused")
	}
	bad := make([]byte, 48*4)
	for i := range bad {
		bad[i] = 0xff // numbers that are none
	}
	if _, err := edit.Unpack(doc, func(string) ([]byte, error) { return bad, nil }); err == nil {
		t.Error("points that are no numbers are not refused")
	}
}

func TestScaleMultipliesEveryLength(t *testing.T) {
	r := sample(t)
	s := r.Scale(2)
	lengths := 0
	setting.Paths(*r, func(path string, set *setting.Setting, v reflect.Value) {
		_, now, ok := setting.At(*s, path)
		if !ok {
			t.Fatalf("%s is not in the scaled recipe", path)
		}
		var was, is float64
		switch v.Kind() {
		case reflect.Float64:
			was, is = v.Float(), now.(float64)
		case reflect.Int:
			was, is = float64(v.Int()), float64(now.(int))
		default:
			return
		}
		want := was
		if set.Length {
			want, lengths = 2*was, lengths+1
		}
		if is != want {
			t.Errorf("%s of %v is %v in a photo twice as large, want %v", path, was, is, want)
		}
	})
	a, b := shape.Nodes(r.Lights[0].Shapes[0]), shape.Nodes(s.Lights[0].Shapes[0])
	for i, n := range a.All() {
		want := shape.Node{X: 2 * n.X, Y: 2 * n.Y, In: [2]float64{2 * n.In[0], 2 * n.In[1]},
			Out: [2]float64{2 * n.Out[0], 2 * n.Out[1]}}
		if b.At(i) != want {
			t.Errorf("point %d is %v, want %v", i, b.At(i), want)
		}
	}
	// photo, crop, the edge of dusk, the horizon, and of both lights feather, bloom, streak, rays
	// and how thick they are, reach, height, eight radii and one width.
	if lengths != 4+4+2*(7+8)+1 {
		t.Errorf("%d numbers are lengths", lengths)
	}
}

// The published schema is the one that the declarations make, and a validator that
// was not made here agrees with Decode on what it can say: fields, kinds, ranges.
func TestSchema(t *testing.T) {
	data, err := os.ReadFile("../../docs/recipe.schema.json")
	if err != nil {
		t.Fatal(err)
	}
	if string(data) != string(recipe.Schema()) {
		t.Fatal(
			"docs/recipe.schema.json is not what the declarations make: run go generate ./internal/recipe",
		)
	}
	var schema jsonschema.Schema
	if err := json.Unmarshal(data, &schema); err != nil {
		t.Fatal(err)
	}
	resolved, err := schema.Resolve(nil)
	if err != nil {
		t.Fatal(err)
	}
	valid := func(doc []byte) bool {
		var v any
		if err := json.Unmarshal(doc, &v); err != nil {
			t.Fatal(err)
		}
		return resolved.Validate(v) == nil
	}
	r := sample(t)
	if !valid(r.Encode()) {
		t.Error("the schema refuses a recipe that is valid")
	}
	if doc, _ := r.Pack(); !valid(doc) {
		t.Error("the schema refuses a packed recipe")
	}
	// Every number beyond each of its ends.
	n := 0
	setting.Paths(*r, func(path string, s *setting.Setting, v reflect.Value) {
		// an older one is brought up to date
		if v.Kind() != reflect.Float64 && v.Kind() != reflect.Int || path == "/version" {
			return
		}
		widest := setting.Frame{W: 60000, H: 60000}
		for _, beyond := range []float64{s.Min.In(widest) - 1, s.Max.In(widest) + 1} {
			doc := patched(t, r, path, beyond)
			if valid(doc) {
				t.Errorf("%s of %v: the schema takes it", path, beyond)
			}
			if _, err := edit.Decode(doc); err == nil {
				t.Errorf("%s of %v: the recipe takes it", path, beyond)
			}
			n++
		}
	})
	if n < 100 {
		t.Errorf("only %d ends were tried", n)
	}
	for _, bad := range []string{`"join":"melt"`, `"join":"add","glitter":1`} {
		if doc := strings.Replace(string(r.Encode()), `"join":"add"`, bad, 1); valid([]byte(doc)) {
			t.Errorf("the schema takes %s", bad)
		}
	}
}

// The table of settings in the manual is the one that the declarations make.
func TestManual(t *testing.T) {
	doc, err := os.ReadFile("../../docs/recipe.md")
	if err != nil {
		t.Fatal(err)
	}
	made, err := recipe.Manual(doc)
	if err != nil {
		t.Fatal(err)
	}
	if string(made) != string(doc) {
		t.Error(
			"docs/recipe.md is not what the declarations make: run go generate ./internal/recipe",
		)
	}
}

// patched returns the JSON of r with another number at path, valid or not.
func patched(t *testing.T, r *recipe.Recipe, path string, v float64) []byte {
	t.Helper()
	patch, err := jsonpatch.DecodePatch(
		fmt.Appendf(nil, `[{"op":"replace","path":%q,"value":%v}]`, path, v),
	)
	if err != nil {
		t.Fatal(err)
	}
	doc, err := patch.Apply(r.Encode())
	if err != nil {
		t.Fatal(err)
	}
	return doc
}

// A light without a shape does not shine, whatever else it has.
func TestLightWithoutShapesIsDark(t *testing.T) {
	r := sample(t)
	r.Lights[0].Shapes = nil
	if got := r.Lit(); !reflect.DeepEqual(got, []bool{false, true}) {
		t.Errorf("lit are %v", got)
	}
}

func FuzzDecode(f *testing.F) {
	f.Add(sample(f).Encode())
	f.Add([]byte(`{"version":1}`))
	if old, err := os.ReadFile("testdata/v1-quay.json"); err == nil {
		f.Add(old)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		r, err := edit.Decode(data)
		if err != nil {
			return
		}
		// What is accepted can be written and read again.
		if _, err := edit.Decode(r.Encode()); err != nil {
			t.Errorf("accepted once, refused again: %v", err)
		}
	})
}

// Whatever is sent as a change, what is accepted is a valid recipe, and the one that it
// was sent for stays as it was.
func FuzzApply(f *testing.F) {
	r := sample(f)
	for _, id := range []string{"blue-hour", "vignette", "gel-ramp"} {
		var err error
		if r, _, _, err = edit.Begin(r, id); err != nil {
			f.Fatal(err)
		}
	}
	before := string(r.Encode())
	for _, seed := range []string{
		`[{"op":"move","from":"/dusk/passes/2","path":"/dusk/passes/0"}]`, `[{"op":"replace","path":"/finish/passes/1/does/follow","value":""}]`,
		`[{"op":"add","path":"/dusk/passes/-","value":{"name":"X","area":"a1","does":{"kind":"curves","all":[{"x":0,"y":0},{"x":1,"y":0.5}]}}}]`,
		`[{"op":"add","path":"/areas/0/parts/-","value":{"of":{"kind":"strokes","strokes":[{"points":[{"x":1,"y":2},{"x":3,"y":4},{"x":3,"y":5,"p":0.2}]}]}}}]`,
		`[{"op":"add","path":"/areas/-","value":{"id":"a2","name":"Y","parts":[{"does":"keep","of":{"kind":"area","area":"a1"}}]}}]`, `[{"op":"shift","path":"/areas/0/parts/0/of","value":[5,-7]}]`,
		`[{"op":"replace","path":"/lights/0/gel/hue","value":20}]`, `[{"op":"remove","path":"/lights/1/shells/0"}]`,
		`[{"op":"add","path":"/lights/0/shapes/-","value":{"kind":"tube","width":5,"nodes":[{"x":1,"y":2},{"x":3,"y":4}]}}]`,
		`[{"op":"shift","path":"/lights/0/shapes/0","value":[5,-7]}]`, `[{"op":"replace","path":"","value":{}}]`,
		`[{"op":"replace","path":"/lights/0/shapes/0/nodes/1/in","value":[1,1e308]},{"op":"remove","path":"/lights/0/core/feather"}]`,
	} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		ops, err := setting.ParseOps(data)
		if err != nil {
			return
		}
		next, err := edit.Apply(r, ops)
		if string(r.Encode()) != before {
			t.Fatal("a change reached the recipe that it was sent for")
		}
		edit.Title(r, ops)
		if err != nil {
			var e *fault.Error
			if !errors.As(err, &e) {
				t.Errorf("an error that no user can read: %v", err)
			}
			return
		}
		if err := next.Validate(); err != nil {
			t.Errorf("accepted, but not valid: %v", err)
		}
		if next.Photo != r.Photo || next.Version != r.Version {
			t.Error("a change reached what is fixed")
		}
	})
}

func spaceEvenly(r *recipe.Recipe, i int) (*recipe.Recipe, error) {
	return edit.Apply(
		r,
		[]setting.Op{
			{
				Op:    "stack",
				Path:  fmt.Sprintf("/lights/%d/shells", i),
				Value: []byte(`{"even":true}`),
			},
		},
	)
}

// A ceiling is as high as where its line meets the wall, and is refused where it cannot be.
func TestSetCeiling(t *testing.T) {
	r := recipe.New(600, 400)
	if _, err := edit.SetCeiling(r, camera.Point{X: 100, Y: 20}, camera.Point{X: 500,
		Y: 20}); err == nil {
		t.Error("there is a ceiling without a wall")
	}
	r, err := edit.AddWall(r, camera.Point{X: 100, Y: 250}, camera.Point{X: 500, Y: 250})
	if err != nil {
		t.Fatal(err)
	}
	next, err := edit.SetCeiling(r, camera.Point{X: 100, Y: 20}, camera.Point{X: 500, Y: 20})
	if err != nil {
		t.Fatal(err)
	}
	sp, err := next.Space()
	if err != nil {
		t.Fatal(err)
	}
	// Where wall and ceiling meet, both are seen as far away.
	ray := sp.Cam.Ray(300, 20)
	wall, _ := sp.Walls[0].Hit(ray)
	if roof, ok := sp.Ceiling.Hit(ray); !ok || math.Abs(roof-wall) > 0.02*wall {
		t.Errorf("along the line the ceiling is %v away, the wall %v", roof, wall)
	}
	if _, err := edit.SetCeiling(r, camera.Point{X: 100, Y: 240}, camera.Point{X: 500,
		Y: 240}); err == nil {
		t.Error("a ceiling below the camera is taken")
	}
	if _, err := edit.Apply(next, edit.Set("/room/ceiling", 0.9)); err == nil {
		t.Error("a height below the camera is taken")
	}
	if _, err := edit.Apply(next, edit.Set("/room/ceiling", 0)); err != nil {
		t.Errorf("without a ceiling: %v", err)
	}
}
