package staging

import (
	"image"
	"math"
	"testing"

	"pyrant/internal/base/camera"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/shape"
)

// among returns a room with things of some cut-outs.
func among(t *testing.T, seen cuts, things ...recipe.Thing) *Set {
	t.Helper()
	r := shot(t)
	r.Lights = nil
	for id := range seen {
		r.CutOuts = append(r.CutOuts, cutout.CutOut{ID: string(id), Name: string(id)})
	}
	for i := range things {
		things[i].Edge, things[i].Broad = 1, 1
	}
	r.Room.Things = things
	s, err := New(t.Context(), r, seen)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// shows returns the surface that fills a pixel, nil where several share it.
func (s *Set) shows(x, y int) *Surface {
	w := s.Compose(1).NewWeights(1)
	s.Compose(1).Row(w, x, y, 1)
	for i, any := range w.Any {
		if any && w.Of[i][0] > 0.99 {
			return &s.Surfaces[i]
		}
	}
	return nil
}

// A rope that is wound round a bollard and hangs down before it is lit as the bollard's front
// there, and the bollard is one body behind it; where the rope goes on over the floor it lies
// there.
func TestClimbs(t *testing.T) {
	bollard, rope := recipe.Thing{ID: "b", Of: "bollard", Foot: camera.Point{X: 300, Y: 330},
		Lies: recipe.Stands}, recipe.Thing{ID: "r", Of: "rope", Foot: camera.Point{X: 250, Y: 362},
		Lies: recipe.LiesFlat}
	s := among(t, cuts{
		"bollard": {box(260, 230, 340, 270), box(260, 290, 290, 338), box(300, 290, 340, 338)},
		"rope":    {box(255, 270, 345, 290), box(290, 290, 300, 360), box(200, 358, 300, 366)},
	}, bollard, rope)
	whole := among(t, cuts{"bollard": {box(260, 230, 340, 338)}}, bollard)
	mask := s.Compose(1).Mask("r", image.Rect(0, 0, 600, 400))
	row := make([]float32, 600)
	for _, tt := range []struct {
		name   string
		x, y   int
		climbs bool
	}{
		{"round it", 300, 280, true}, {"beside it", 257, 280, true}, {"before its foot", 295, 310, true}, {"before its front", 295, 333, true},
		{"before it on the floor", 295, 356, false}, {"on the floor", 230, 362, false},
	} {
		f := s.shows(tt.x, tt.y)
		if f == nil || f.ID != "r" || (f.Sheet.Body == s.Bodies[0]) != tt.climbs ||
			(f.Sheet.Body == s.Bodies[1]) == tt.climbs {
			t.Fatalf("%s it is not lit as it lies there: %+v", tt.name, f)
		}
		if mask.Fill(row, 0, tt.y); row[tt.x] < 0.99 {
			t.Errorf("%s it is no part of the rope", tt.name)
		}
	}
	if f := s.shows(270, 310); f == nil || f.ID != "b" {
		t.Errorf("beside the rope there is %+v, not the bollard", f)
	}
	for _, at := range [][2]float64{{300, 280}, {295, 310}, {280, 310}} {
		got, dx, _ := s.Bodies[0].Thickness(at[0], at[1])
		want, wx, _ := whole.Bodies[0].Thickness(at[0], at[1])
		if math.Abs(got-want) > 0.1*want || math.Abs(dx-wx) > 0.1 {
			t.Errorf("at %v the bollard is %.1f thick with a slope of %.2f, without the rope %.1f and %.2f", at, got, dx, want, wx)
		}
	}
	// What hangs there shades with the bollard, and not with what lies.
	if b := s.Bodies[1]; b.Within(295/s.unit, 310/s.unit) != 0 || b.Within(230/s.unit,
		362/s.unit) != 1 {
		t.Error("what lies goes on up the bollard")
	}
}

// What is seen between two legs lies behind them.
func TestBehindLegs(t *testing.T) {
	legs := shape.Shapes{box(270, 160, 330, 220), box(270, 160, 285, 330), box(315, 160, 330, 330)}
	s := among(t, cuts{"figure": legs, "rope": {box(200, 300, 270, 306), box(285, 300, 315, 306),
		box(330, 300, 400, 306)}},
		recipe.Thing{ID: "f", Of: "figure", Foot: camera.Point{X: 300, Y: 330}, Lies: recipe.Stands},
		recipe.Thing{ID: "r", Of: "rope", Foot: camera.Point{X: 250, Y: 303}, Lies: recipe.LiesFlat})
	if f := s.shows(300, 303); f == nil || f.Sheet.Body != s.Bodies[1] {
		t.Errorf("between the legs there is %+v, not the rope on the floor", f)
	}
	if s.Bodies[0].Within(300/s.unit, 303/s.unit) != 0 {
		t.Error("the figure goes on between its legs")
	}
}

// A figure goes on behind a crate, down to where it stands, and behind a post before it; not behind
// what stands farther away.
func TestGoesOn(t *testing.T) {
	for _, tt := range []struct {
		name string
		foot float64 // of the figure
		post float64 // foot of the post
		x, y float64
		is   float32
	}{
		{"behind the crate", 305, 240, 137, 295, 1},
		{"below its foot", 305, 240, 137, 308, 0},
		{"before the crate", 370, 240, 137, 300, 0},
		{"behind the post", 305, 370, 137, 220, 1},
		{"before the post", 305, 240, 137, 220, 0},
	} {
		s := among(t, cuts{"figure": {box(122, 170, 134, 271), box(140, 170, 152, 271)},
			"post": {box(134, 150, 140, 271)}},
			recipe.Thing{ID: "f", Of: "figure", Foot: camera.Point{X: 137, Y: tt.foot},
				Lies: recipe.Stands},
			recipe.Thing{ID: "p", Of: "post", Foot: camera.Point{X: 137, Y: tt.post},
				Lies: recipe.Stands})
		x := tt.x
		if tt.y > 271 {
			x = 128 // behind the crate, below a leg
		}
		if got := s.Bodies[0].Within(x/s.unit, tt.y/s.unit); got != tt.is {
			t.Errorf("%s: at %v, %v the figure is there by %v, want %v", tt.name, x, tt.y, got, tt.is)
		}
	}
	// A light that crosses it may shine from within, as in a lantern: nothing of the thing is
	// there.
	r := shot(t)
	r.CutOuts = []cutout.CutOut{{ID: "figure", Name: "Figure", Raster: cutout.Raster{Left: 400,
		Top: 160, Width: 40, Height: 170, Cell: 1}}}
	r.Room.Things = []recipe.Thing{{ID: "f", Of: "figure", Foot: camera.Point{X: 420, Y: 330},
		Edge: 1, Broad: 1, Lies: recipe.Stands}}
	r.Lights = r.Lights[2:]
	r.Lights[0].Shapes = shape.Shapes{shape.Tube{Nodes: shape.PathOf(shape.Node{X: 360, Y: 240},
		shape.Node{X: 480, Y: 260}), Width: 6}}
	r.Room.Walls, r.Room.Platforms = nil, nil
	cut := shape.Shapes{shape.Outline{Nodes: shape.PathOf(shape.Node{X: 400, Y: 160},
		shape.Node{X: 440, Y: 160}, shape.Node{X: 440, Y: 250}, shape.Node{X: 400, Y: 243})},
		shape.Outline{Nodes: shape.PathOf(shape.Node{X: 400, Y: 250}, shape.Node{X: 440, Y: 257},
			shape.Node{X: 440, Y: 330}, shape.Node{X: 400, Y: 330})}}
	s, err := New(t.Context(), r, cuts{"figure": cut})
	if err != nil {
		t.Fatal(err)
	}
	if s.Bodies[0].Within(420/s.unit, 250/s.unit) != 0 || s.Bodies[0].Within(420/s.unit,
		220/s.unit) != 1 {
		t.Error("a light that crosses the figure is shut in by it")
	}
}

// Where two things meet, nothing of the wall shows between them.
func TestSideBySide(t *testing.T) {
	for _, edge := range []float64{300, 300.3, 300.5} {
		s := among(t, cuts{"one": {box(200, 180, edge, 330)}, "other": {box(edge, 180, 400, 320)}},
			recipe.Thing{ID: "a", Of: "one", Foot: camera.Point{X: 250, Y: 330}, Lies: recipe.Stands},
			recipe.Thing{ID: "b", Of: "other", Foot: camera.Point{X: 350, Y: 320}, Lies: recipe.Stands})
		w := s.Compose(1).NewWeights(4)
		s.Compose(1).Row(w, 298, 200, 4)
		for k := range 4 {
			var things, rest float32
			for i, any := range w.Any {
				if any && s.Surfaces[i].Kind == Thing {
					things += w.Of[i][k]
				} else if any {
					rest += w.Of[i][k]
				}
			}
			if math.Abs(float64(things-1)) > 1e-3 || rest > 1e-3 {
				t.Errorf("an edge at %v: pixel %d has %.3f of the things and %.3f of what is behind", edge, 298+k, things, rest)
			}
		}
	}
}
