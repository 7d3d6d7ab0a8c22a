package action

import (
	"bytes"
	"encoding/json"
	"maps"
	"testing"

	"pyrant/internal/base/fault"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// sample is a recipe with two lights, of a bulb each, a pass and an area.
func sample(t *testing.T) *recipe.Recipe {
	t.Helper()
	r := recipe.New(1500, 1000)
	for i := range 2 {
		x := 300 + 400*float64(i)
		res, err := AddShapes{Shape: encoded(t, shape.Ellipse{X: x, Y: 300, Width: 30,
			Height: 30})}.Edit(r)
		if err != nil {
			t.Fatal(err)
		}
		r = res.Recipe
	}
	p := setting.New[pass.Pass](r.Photo.Frame())
	p.Name, p.Does = "Levels", setting.New[pass.Levels](r.Photo.Frame())
	r.Finish.Passes = append(r.Finish.Passes, p)
	r, _, err := edit.AddArea(r, "Sky", area.Part{On: true, Does: area.Add, Amount: 1,
		Of: area.Line{X2: 10, Y2: 10}})
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func encoded(t *testing.T, s shape.Shape) json.RawMessage {
	t.Helper()
	type one struct {
		Shape shape.Shape `json:"shape"`
	}
	var doc struct{ Shape json.RawMessage }
	if err := json.Unmarshal(setting.Encode(one{s}), &doc); err != nil {
		t.Fatal(err)
	}
	return doc.Shape
}

// Every action makes a valid recipe with a title, opens what it made, and leaves the recipe that it
// was given as it was.
func TestActions(t *testing.T) {
	r := sample(t)
	r = edit.Identify(r)
	l1, l2 := r.Lights[0].ID, r.Lights[1].ID
	before := r.Encode()
	wall := Line{Points{{X: 100, Y: 600}, {X: 1400, Y: 600}}}
	for _, tt := range []struct {
		do    Action
		title string
		open  map[string]string
	}{
		{AddLight{}, "Add Light 3", map[string]string{"light": "new"}},
		{AddShapes{Light: l2, Shape: encoded(t, shape.Ellipse{X: 5, Y: 5, Width: 4, Height: 4})},
			"Trace Light 2", map[string]string{"light": l2}},
		{AddShapes{Light: l2, Fresh: true, Shapes: []json.RawMessage{encoded(t,
			shape.Ellipse{X: 5, Y: 5, Width: 4, Height: 4})}}, "Trace Light 3",
			map[string]string{"light": "new"}},
		{DuplicateLight{OfLight{l1}}, "Duplicate Light 1", map[string]string{"light": "new"}},
		{RemoveLight{OfLight{l2}}, "Delete Light 2", map[string]string{"light": l1}},
		{AddShell{OfLight{l1}}, "Add a shell to Light 1", nil},
		{StartStack{OfLight{l1}}, "Add default shells to Light 1", nil},
		{AddOrb{edit.Orb, 700, 200, 60}, "Add Orb", map[string]string{"light": "new"}},
		{GroupLights{r.Lights[0].ID + "," + r.Lights[1].ID}, "Group lights", nil},
		{MoveLight{OfLight{l2}, l1}, "Order of lights", map[string]string{"light": l2}},
		{SetHorizon{Line{Points{{X: 0, Y: 300}, {X: 1500, Y: 300}}}}, "Ground of the room", nil},
		{AddWall{wall}, "Wall of the room", nil},
		{SetFloor{Points{{X: 500, Y: 600}, {X: 900, Y: 600}, {X: 1100, Y: 900}, {X: 300, Y: 900}}},
			"Floor of the room", nil},
		{DuplicatePass{"finish", r.Finish.Passes[0].ID}, "Duplicate Levels", map[string]string{"pass": "new"}},
		{AddArea{Name: " Wall "}, "New area Wall", nil},
		{RemoveArea{area.Ref(r.Areas[0].ID)}, "Delete area Sky", nil},
		{Begin{edit.Starts[0].ID}, edit.Starts[0].Name, nil},
		{RemoveReference{}, "Delete the reference", nil},
	} {
		res, err := tt.do.Edit(r)
		if err != nil {
			t.Errorf("%T: %v", tt.do, err)
			continue
		}
		if res.Title != tt.title {
			t.Errorf("%T is called %q, want %q", tt.do, res.Title, tt.title)
		}
		for name, id := range tt.open {
			if id == "new" && res.Open[name] != "" &&
				!bytes.Contains(before, []byte(res.Open[name])) {
				tt.open[name] = res.Open[name]
			}
		}
		if tt.open != nil && !maps.Equal(res.Open, tt.open) {
			t.Errorf("%T opens %v, want %v", tt.do, res.Open, tt.open)
		}
		if err := res.Recipe.Validate(); err != nil {
			t.Errorf("%T: %v", tt.do, err)
		}
		switch tt.do.(type) {
		case RemoveReference, StartStack: // of a recipe that has none, and that one
		default:
			if bytes.Equal(res.Recipe.Encode(), before) {
				t.Errorf("%T changes nothing", tt.do)
			}
		}
		if !bytes.Equal(r.Encode(), before) {
			t.Fatalf("%T changed the recipe that it was given", tt.do)
		}
	}
}

// What cannot be done says why, as a fault of the request, and makes no recipe that is kept.
func TestActionsRefuse(t *testing.T) {
	r := sample(t)
	for _, do := range []Action{
		AddShapes{Light: "none", Shape: encoded(t, shape.Ellipse{Width: 4, Height: 4})},
		AddShapes{Light: r.Lights[0].ID}, DuplicateLight{OfLight{"none"}}, RemoveLight{OfLight{}},
		AddShell{OfLight{"none"}}, StartStack{OfLight{"none"}}, Vary{OfLight: OfLight{"none"}},
		Unlike{OfLight: OfLight{"none"}}, Scatter{OfLight: OfLight{"none"}}, Deal{OfLight: OfLight{"none"}},
		TouchUp{OfLight: OfLight{"none"}}, AddOrb{Kind: "none"}, AddPoints{}, Ungroup{"none"},
		PasteLights{"no lights"}, SetFloor{}, AddWall{}, AddPlatform{Points{{X: 1}}},
		AddThing{"none"}, RemoveArea{"none"}, DuplicatePass{"finish", "none"}, DuplicatePass{"none", ""},
		Begin{"none"}, RemoveCutOut{OfCutOut{"none"}}, LightCutOut{OfCutOut{"none"}},
	} {
		_, err := do.Edit(r)
		if !fault.Is(err, fault.Invalid) && !fault.Is(err, fault.Gone) {
			t.Errorf("%T: %v", do, err)
		}
	}
}
