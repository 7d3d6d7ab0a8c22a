package edit

import (
	"context"
	"fmt"
	"reflect"
	"regexp"
	"strings"
	"testing"

	"pyrant/internal/light/spill"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

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
		if r, i, err = AddLight(r); err != nil {
			t.Fatal(err)
		}
		r.Lights[i].Shapes = shape.Shapes{sh}
		r.Lights[i].ID = fmt.Sprint("l", i+1)
	}
	r.Lights[1].Name = "Signal rod"
	r = Identify(r)
	if err := r.Validate(); err != nil {
		t.Fatal(err)
	}
	return r
}

// Documents of the first version open, also where they say more than they need to.
func TestUpgrade(t *testing.T) {
	want := sample(t)
	old := strings.Replace(string(want.Encode()), `"version":6`, `"version":1`, 1)
	old = strings.Replace(
		old,
		`{"kind":"outline",`,
		`{"kind":"outline","width":0,"closed":false,`,
		1,
	)
	r, err := Decode([]byte(old))
	if err != nil {
		t.Fatal(err)
	}
	for i := range want.Lights {
		want.Lights[i].Keep = 0 // there was no such thing
	}
	if err := upgradeSpill(want); err != nil {
		t.Fatal(err)
	}
	if string(r.Encode()) != string(want.Encode()) {
		t.Errorf("upgraded:\n%s", r.Encode())
	}
}

// Spill of before version 5 takes the law of today with the height that it had; in a room its law
// was another.
func TestUpgradeOfSpill(t *testing.T) {
	for _, room := range []bool{false, true} {
		r := sample(t)
		r.Lights[0].Spill.Reach, r.Lights[0].Spill.Strength = 800, 2
		r.Room.On = room
		old := strings.Replace(string(r.Encode()), `"version":6`, `"version":4`, 1)
		old = regexp.MustCompile(`"height":125,?`).ReplaceAllString(old, "")
		got, err := Decode([]byte(old))
		if err != nil {
			t.Fatal(err)
		}
		height, times, err := spill.SinceBefore(context.Background(), r.Lights[0].Shapes, 800)
		if err != nil {
			t.Fatal(err)
		}
		want := r.Lights[0].Spill
		want.Height, want.Strength = height, setting.Round(2*times)
		if room {
			want = r.Lights[0].Spill
		}
		if l := got.Lights[0].Spill; !reflect.DeepEqual(l, want) {
			t.Errorf("room %v: spill is %+v, want %+v", room, l, want)
		}
	}
}
