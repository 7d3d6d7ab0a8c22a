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
		res, err := AddShapes{Light: i, Shape: encoded(t, shape.Ellipse{X: x, Y: 300, Width: 30,
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
	before := r.Encode()
	wall := Line{Points{{X: 100, Y: 600}, {X: 1400, Y: 600}}}
	for _, tt := range []struct {
		do    Action
		title string
		open  map[string]string
	}{
		{AddLight{}, "Add Light 3", map[string]string{"light": "2"}},
		{AddShapes{Light: 1, Shape: encoded(t, shape.Ellipse{X: 5, Y: 5, Width: 4, Height: 4})},
			"Trace Light 2", map[string]string{"light": "1"}},
		{AddShapes{Light: 1, Fresh: true, Shapes: []json.RawMessage{encoded(t,
			shape.Ellipse{X: 5, Y: 5, Width: 4, Height: 4})}}, "Trace Light 3",
			map[string]string{"light": "2"}},
		{DuplicateLight{OfLight{0}}, "Duplicate Light 1", map[string]string{"light": "1"}},
		{RemoveLight{OfLight{1}}, "Remove Light 2", map[string]string{"light": "0"}},
		{AddShell{OfLight{0}}, "Add a shell to Light 1", nil},
		{StartStack{OfLight{0}}, "Starting stack of Light 1", nil},
		{AddOrb{edit.Orb, 700, 200, 60}, "Add Orb", map[string]string{"light": "2"}},
		{GroupLights{r.Lights[0].ID + "," + r.Lights[1].ID}, "Group lights", nil},
		{MoveLight{1, 0}, "Order of lights", map[string]string{"light": "0"}},
		{SetHorizon{Line{Points{{X: 0, Y: 300}, {X: 1500, Y: 300}}}}, "Ground of the room", nil},
		{AddWall{wall}, "Wall of the room", nil},
		{SetFloor{Points{{X: 500, Y: 600}, {X: 900, Y: 600}, {X: 1100, Y: 900}, {X: 300, Y: 900}}},
			"Floor of the room", nil},
		{DuplicatePass{"finish", 0}, "Duplicate Levels", map[string]string{"pass": "1"}},
		{AddArea{Name: " Wall "}, "New area Wall", nil},
		{RemoveArea{area.Ref(r.Areas[0].ID)}, "Remove area Sky", nil},
		{Begin{edit.Starts[0].ID}, edit.Starts[0].Name, nil},
		{RemoveReference{}, "Remove the reference", nil},
	} {
		res, err := tt.do.Edit(r)
		if err != nil {
			t.Errorf("%T: %v", tt.do, err)
			continue
		}
		if res.Title != tt.title {
			t.Errorf("%T is called %q, want %q", tt.do, res.Title, tt.title)
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
		AddShapes{Light: 9, Shape: encoded(t, shape.Ellipse{Width: 4, Height: 4})},
		AddShapes{Light: 0}, DuplicateLight{OfLight{2}}, RemoveLight{OfLight{-1}},
		AddShell{OfLight{5}}, StartStack{OfLight{5}}, Vary{OfLight: OfLight{5}},
		Unlike{OfLight: OfLight{5}}, Scatter{OfLight: OfLight{5}}, Deal{OfLight: OfLight{5}},
		TouchUp{OfLight: OfLight{5}}, AddOrb{Kind: "none"}, AddPoints{}, Ungroup{"none"},
		PasteLights{"no lights"}, SetFloor{}, AddWall{}, AddPlatform{Points{{X: 1}}},
		AddThing{"none"}, RemoveArea{"none"}, DuplicatePass{"finish", 7}, DuplicatePass{"none", 0},
		Begin{"none"}, RemoveCutOut{OfCutOut{"none"}}, LightCutOut{OfCutOut{"none"}},
	} {
		_, err := do.Edit(r)
		if !fault.Is(err, fault.Invalid) && !fault.Is(err, fault.Gone) {
			t.Errorf("%T: %v", do, err)
		}
	}
}
