package staging

import (
	"context"
	"image"
	"math"
	"strings"
	"testing"

	"pyrant/internal/coverage"
	"pyrant/internal/cutout"
	"pyrant/internal/recipe"
	"pyrant/internal/room"
	"pyrant/internal/setting"
	"pyrant/internal/shape"
	"pyrant/internal/solid"
)

// shapes gives what shapes cover, and no cut-outs.
type shapes struct{}

func (shapes) CutOut(context.Context, cutout.Ref) (coverage.Coverage, error) { return nil, nil }
func (shapes) Light(_ context.Context, l *recipe.Light) (coverage.Coverage, error) {
	return l.Shapes, nil
}
func (shapes) Shape(ctx context.Context, _ string, build func(context.Context) (*solid.Shape, error)) (*solid.Shape, error) {
	return build(ctx)
}

// shot is a room of a floor, a wall and a crate, with a lamp on the crate and a sign on the wall, without feet.
func shot(t *testing.T) *recipe.Recipe {
	t.Helper()
	r := recipe.New(600, 400)
	r.Room.On, r.Room.Horizon = true, 150
	r.Room.Walls = []recipe.Wall{{ID: "w", Name: "Wall", From: room.Point{X: 100, Y: 230}, To: room.Point{X: 500, Y: 230}}}
	r.Room.Platforms = []recipe.Platform{{ID: "p", Name: "Crate", Foot: room.Point{X: 100, Y: 350},
		Top: setting.ListOf(room.Point{X: 100, Y: 290}, room.Point{X: 180, Y: 290}, room.Point{X: 186, Y: 270}, room.Point{X: 116, Y: 270})}}
	light := func(id string, s shape.Shape, on recipe.Stand) {
		l := recipe.DefaultLight(r.Photo)
		l.ID, l.Name, l.Stand, l.Shapes = id, id, on, shape.Shapes{s}
		r.Lights = append(r.Lights, l)
	}
	light("lamp", shape.Ellipse{X: 145, Y: 260, Width: 20, Height: 40}, recipe.StandOn(recipe.OnPlatform, "p"))
	light("sign", shape.Ellipse{X: 300, Y: 120, Width: 60, Height: 30}, recipe.StandOn(recipe.OnWall, "w"))
	light("post", shape.Ellipse{X: 400, Y: 300, Width: 20, Height: 60}, "")
	if err := r.Validate(); err != nil {
		t.Fatal(err)
	}
	return r
}

// Without a foot a light stands where it is seen to: on its platform, before its wall, on the floor under it.
func TestGuess(t *testing.T) {
	r := shot(t)
	s, err := New(t.Context(), r, shapes{})
	if err != nil {
		t.Fatal(err)
	}
	foot := func(i int, wall *room.Plane) room.Vec {
		v, ok := s.Guess(r.Lights[i].Shapes[0], &r.Lights[i], nil, wall)
		if !ok || math.Abs(s.Cam.Height(v)) > 1e-9 {
			t.Fatalf("%s stands at %v, %v", r.Lights[i].Name, v, ok)
		}
		return v
	}
	lamp := foot(0, nil)
	if s.Prisms[0].Planes[2].Side(lamp) > 0 || s.Prisms[0].Planes[1].Side(lamp) > 0 || lamp.Sub(s.Cam.Drop(s.Prisms[0].Mid)).Len() > 0.4 {
		t.Errorf("the lamp stands at %v, the crate in %v", lamp, s.Prisms[0].Mid)
	}
	if d := s.Walls[0].Side(foot(1, &s.Walls[0])); d < 0 || d > 0.05 {
		t.Errorf("the sign hangs %v before the wall", d)
	}
	want, _ := s.Cam.Floor(400, 330)
	if v := foot(2, nil); v.Sub(want).Len() > 1e-6 {
		t.Errorf("the post stands at %v, not where its lower end is seen, %v", v, want)
	}
}

// Each pixel shows one surface, or two at their edge: the wall above its line, the floor below, the crate before both.
func TestCompose(t *testing.T) {
	s, err := New(t.Context(), shot(t), shapes{})
	if err != nil {
		t.Fatal(err)
	}
	of := func(x, y int, scale float64) map[Kind]float32 {
		c := s.Compose(scale)
		w := c.NewWeights(1)
		c.Row(w, x, y, 1)
		out := map[Kind]float32{}
		for i, any := range w.Any {
			if any {
				out[s.Surfaces[i].Kind] += w.Of[i][0]
			}
		}
		return out
	}
	for _, tt := range []struct {
		x, y int
		kind Kind
	}{{300, 380, Floor}, {300, 240, Floor}, {300, 220, Wall}, {20, 60, Wall}, {140, 282, Platform}, {140, 320, Platform}} {
		if got := of(tt.x, tt.y, 1); math.Abs(float64(got[tt.kind]-1)) > 1e-5 {
			t.Errorf("at %d, %d there is %v, not all of %v", tt.x, tt.y, got, tt.kind)
		}
	}
	// In a picture of a tenth, the pixel of the wall's line shows both.
	if got := of(30, 23, 0.1); got[Floor] < 0.2 || math.Abs(float64(got[Floor]+got[Wall]-1)) > 1e-5 && got[Wall] != 0 {
		t.Errorf("at the wall's line there is %v", got)
	}
	// A row is the same from wherever it is begun.
	c := s.Compose(0.7)
	a, b := c.NewWeights(400), c.NewWeights(100)
	for y := range 280 {
		c.Row(a, 0, y, 400)
		c.Row(b, 137, y, 100)
		for i := range a.Of {
			for k := range 100 {
				var p, q float32
				if a.Any[i] {
					p = a.Of[i][137+k]
				}
				if b.Any[i] {
					q = b.Of[i][k]
				}
				if p != q {
					t.Fatalf("row %d, pixel %d: %v and %v of surface %d", y, 137+k, p, q, i)
				}
			}
		}
	}
	m := s.Compose(1).Mask("w", image.Rect(0, 0, 600, 400))
	row := make([]float32, 600)
	if m.Fill(row, 0, 100); row[10] != 1 || row[300] != 1 {
		t.Error("the wall's mask does not cover the wall")
	}
	if m.Fill(row, 0, 390); row[300] != 0 {
		t.Error("the wall's mask covers the floor")
	}
}

// Of a thing in pieces small ones go; it lies if it is flat beside where it stands.
func TestPieces(t *testing.T) {
	rect := image.Rect(10, 20, 110, 120)
	covered := make([]bool, 100*100)
	fill := func(r image.Rectangle) {
		for y := r.Min.Y; y < r.Max.Y; y++ {
			for x := r.Min.X; x < r.Max.X; x++ {
				covered[(y-20)*100+x-10] = true
			}
		}
	}
	body, near, far := image.Rect(40, 40, 60, 110), image.Rect(62, 60, 90, 90), image.Rect(20, 25, 26, 30)
	fill(body)
	fill(near)
	fill(far)
	keepMain(covered, rect, 50, 108)
	is := func(x, y int) bool { return covered[(y-20)*100+x-10] }
	if !is(50, 50) || !is(80, 80) || is(22, 27) {
		t.Error("of a body, a large piece beside it and a small one another is kept")
	}
	for _, tt := range []struct {
		used image.Rectangle
		foot float64
		want bool
	}{{image.Rect(0, 0, 30, 100), 98, false}, {image.Rect(0, 0, 100, 40), 30, true}, {image.Rect(0, 0, 30, 100), 60, true}} {
		if flat(tt.used, tt.foot) != tt.want {
			t.Errorf("%v with its foot at %v: lying is not %v", tt.used, tt.foot, tt.want)
		}
	}
}

// The sketch names each point as the recipe has it, draws what is before the camera, and says what is a guess.
func TestSketch(t *testing.T) {
	r := shot(t)
	k, err := NewSketch(r, 0)
	if err != nil {
		t.Fatal(err)
	}
	paths := map[string]Held{}
	for _, p := range k.Points {
		paths[p.Path] = p
		// Moved a little, it is another recipe.
		to := any(map[string]float64{"x": p.At[0] + 0.5, "y": p.At[1] + 0.5})
		if p.Guess {
			to = []any{to}
		}
		if next, err := r.Apply(recipe.Set(p.Path, to)); err != nil || setting.Key(*next) == setting.Key(*r) {
			t.Errorf("%s cannot be moved: %v", p.Path, err)
		}
	}
	for path, field := range map[string]string{
		"/room/walls/0/from": "room.walls[0].from", "/room/platforms/0/top/3": "room.platforms[0].top[3]",
		"/room/platforms/0/foot": "room.platforms[0].foot", "/lights/0/shapes/0/feet": "lights[0].shapes[0].feet",
	} {
		if p, ok := paths[path]; !ok || p.Field != field || p.Guess != strings.HasSuffix(path, "feet") {
			t.Errorf("%s: %+v", path, p)
		}
	}
	if math.Abs(k.Horizon[1]-150) > 1e-6 || math.Abs(k.View-room.Usual) > 1e-6 || len(k.Grid) < 8 || len(k.Lines) < 10 || len(k.Feet) != 3 {
		t.Errorf("horizon %v, view %v, %d lines of the grid, %d others, %d feet", k.Horizon, k.View, len(k.Grid), len(k.Lines), len(k.Feet))
	}
	for _, l := range append(k.Grid, k.Lines...) {
		for _, v := range l {
			if math.IsNaN(v) || math.IsInf(v, 0) {
				t.Fatalf("a line of the sketch is %v", l)
			}
		}
	}
	r.Room.Walls[0].From.Y = 10
	if _, err := NewSketch(r, 0); err == nil {
		t.Error("a room that cannot be is drawn")
	}
}

// Points are as far away as their feet are, or as what is seen where they end below; before the sky as their size says.
func TestDepths(t *testing.T) {
	r := shot(t)
	r.Room.Walls = nil
	bulb := func(x, y, d float64, feet ...shape.Foot) shape.Shape {
		return shape.Ellipse{X: x, Y: y, Width: d, Height: d, Feet: setting.ListOf(feet...)}
	}
	r.Lights = r.Lights[:1]
	l := &r.Lights[0]
	// Two lamps on posts, one hanging before the sky as large as the second, one lying on the floor.
	l.Stand = ""
	l.Shapes = shape.Shapes{bulb(200, 60, 20, shape.Foot{X: 200, Y: 350}), bulb(300, 120, 10, shape.Foot{X: 300, Y: 250}), bulb(400, 100, 10), bulb(500, 300, 8)}
	s, err := New(t.Context(), r, shapes{})
	if err != nil {
		t.Fatal(err)
	}
	d := s.Depths(l, l.Shapes.Spots())
	if len(d) != 4 {
		t.Fatalf("depths %v", d)
	}
	// On an upright plane over its foot a lamp is as deep as that: twice as far for half as far below the horizon.
	deep := func(i int) float64 {
		q := l.Shapes.Spots()[i].At
		k := s.Cam.Ray(q.X, q.Y)
		return d[i] * k.Z / k.Len()
	}
	if v := deep(1) / deep(0); math.Abs(v-2) > 0.1 {
		t.Errorf("the second lamp is %.3f times as deep as the first, not 2", v)
	}
	if v := d[2] / d[1]; v < 0.5 || v > 1.5 {
		t.Errorf("one as large before the sky is %.3f times as far", v)
	}
	want, _ := s.Cam.Floor(500, 304)
	if math.Abs(d[3]/want.Len()-1) > 0.02 {
		t.Errorf("one on the floor is %.3f away, its place there %.3f", d[3], want.Len())
	}
	l.Shapes = l.Shapes[2:3]
	if d := s.Depths(l, l.Shapes.Spots()); d != nil {
		t.Errorf("one before the sky alone is %v away", d)
	}
}
