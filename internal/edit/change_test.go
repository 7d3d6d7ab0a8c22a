package edit

import (
	"errors"
	"testing"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/fault"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/cutout"
)

// A change that does not fit is told with the field as a page calls it, one by one.
func TestWords(t *testing.T) {
	r := recipe.New(300, 200)
	r, _, err := AddLight(r)
	if err != nil {
		t.Fatal(err)
	}
	r.Lights[0].Name = "Signal rod"
	r.CutOuts = append(r.CutOuts, cutout.CutOut{ID: "c", Name: "Figure"})
	r.Room.On = true
	r.Room.Things = []recipe.Thing{{ID: "t", Of: "c", Foot: camera.Point{X: 150, Y: 180}, Edge: 1,
		Broad: 1, Lies: recipe.LiesAuto}}
	for _, tt := range []struct {
		path  string
		value any
		words string
	}{
		{"/lights/0/shells/0/radius", -5, "Radius of shell 1 of Signal rod"},
		{"/dusk/daylight", 99, "Daylight"},
		{"/room/things/0/foot/y", -100, "Room: foot of object 1"},
		{"/dusk/glitter", 1, ""},
	} {
		_, err := Apply(r, Set(tt.path, tt.value))
		if f := (*fault.Error)(nil); !errors.As(err, &f) || f.Words != tt.words {
			t.Errorf("%s: %v is said of %+v, want %q", tt.path, err, f, tt.words)
		}
	}
}
