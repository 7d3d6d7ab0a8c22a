package web

import (
	"reflect"
	"slices"
	"testing"

	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
)

// Each setting of rays that is a row stands in one place of the panel: at the top or in one
// section.
func TestEachSettingOfRaysHasAPlace(t *testing.T) {
	var placed []string
	placed = append(placed, mainRays...)
	for _, g := range rayGroups {
		placed = append(placed, g.names...)
	}
	for _, s := range setting.Fields(reflect.TypeFor[recipe.Rays]()) {
		n := 0
		for _, name := range placed {
			if name == s.Name {
				n++
			}
		}
		row := !s.Own && s.Label != ""
		if row && n != 1 || !row && n != 0 {
			t.Errorf("%s (%s) stands in %d places", s.Label, s.Name, n)
		}
	}
	for _, name := range placed {
		if setting.Field(reflect.TypeFor[recipe.Rays](), name) == nil {
			t.Errorf("rays have no %s", name)
		}
	}
	if slices.Contains(mainRays, "seed") || len(mainRays) > 5 {
		t.Errorf("what most shots need is %v", mainRays)
	}
}

// A tooltip says what a setting does and its range, in the unit that is shown.
func TestHints(t *testing.T) {
	r := recipe.New(3000, 2000)
	l := recipe.DefaultLight(r.Photo)
	l.ID = "l"
	r.Lights = append(r.Lights, l)
	for path, want := range map[string]string{
		"/lights/0/gel/hue":       "0 to 360 °",
		"/lights/0/core/texture":  "How much of the object's own shading stays visible. 0 to 100 %",
		"/room/ceiling":           "In heights of the camera above the floor; 0 for no ceiling. 0 to 60 ×",
		"/lights/0/shells/0/lift": "0 keeps the shell's energy, 100 % keeps its peak. 0 to 100 %",
	} {
		row, ok := rowAt(*r, path, r.Photo.Frame())
		if !ok || row.Hint() != want {
			t.Errorf("%s: %q, want %q", path, row.Hint(), want)
		}
	}
}
