package staging

import (
	"context"
	"image"
	"math"
	"slices"
	"strings"
	"testing"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/coverage"
	"pyrant/internal/base/graph"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// shapes gives what shapes cover, and no cut-outs.
type shapes struct{}

func (shapes) CutOut(context.Context, cutout.Ref) (coverage.Coverage, error) { return nil, nil }
func (shapes) Light(_ context.Context, l *recipe.Light) (coverage.Coverage, error) {
	return l.Shapes, nil
}
func (shapes) Graph() *graph.Graph { return shapesKept }

// shot is a room of a floor, a wall and a crate, with a lamp on the crate and a sign on the wall,
// without feet.
func shot(t *testing.T) *recipe.Recipe {
	t.Helper()
	r := recipe.New(600, 400)
	r.Room.On, r.Room.Horizon = true, 150
	r.Room.Walls = []recipe.Wall{{ID: "w", Name: "Wall", From: camera.Point{X: 100, Y: 230},
		To: camera.Point{X: 500, Y: 230}}}
	r.Room.Platforms = []recipe.Platform{
		{ID: "p", Name: "Crate", Foot: camera.Point{X: 100, Y: 350},
			Top: setting.ListOf(camera.Point{X: 100, Y: 290}, camera.Point{X: 180, Y: 290},
				camera.Point{X: 186, Y: 270}, camera.Point{X: 116, Y: 270})},
	}
	light := func(id string, s shape.Shape, on recipe.Stand) {
		l := recipe.DefaultLight(r.Photo)
		l.ID, l.Name, l.Stand, l.Shapes = id, id, on, shape.Shapes{s}
		r.Lights = append(r.Lights, l)
	}
	light("lamp", shape.Ellipse{X: 145, Y: 260, Width: 20, Height: 40},
		recipe.StandOn(recipe.OnPlatform, "p"))
	light("sign", shape.Ellipse{X: 300, Y: 120, Width: 60, Height: 30},
		recipe.StandOn(recipe.OnWall, "w"))
	light("post", shape.Ellipse{X: 400, Y: 300, Width: 20, Height: 60}, "")
	if err := r.Validate(); err != nil {
		t.Fatal(err)
	}
	return r
}

// Without a foot a light stands where it is seen to: on its platform, before its wall, on the floor
// under it.
func TestGuess(t *testing.T) {
	r := shot(t)
	s, err := New(t.Context(), r, shapes{})
	if err != nil {
		t.Fatal(err)
	}
	foot := func(i int, wall *camera.Plane) camera.Vec {
		v, ok := s.Guess(r.Lights[i].Shapes[0], &r.Lights[i], nil, wall)
		if !ok || math.Abs(s.Cam.Height(v)) > 1e-9 {
			t.Fatalf("%s stands at %v, %v", r.Lights[i].Name, v, ok)
		}
		return v
	}
	lamp := foot(0, nil)
	if s.Prisms[0].Planes[2].Side(lamp) > 0 || s.Prisms[0].Planes[1].Side(lamp) > 0 ||
		lamp.Sub(s.Cam.Drop(s.Prisms[0].Mid)).Len() > 0.4 {
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

// A leaning rod stands where its lower end meets the floor, also where the wall's line runs below
// the middle of it.
func TestLeaningRodStandsAtItsLowerEnd(t *testing.T) {
	r := shot(t)
	r.Room.Walls[0].From, r.Room.Walls[0].To = camera.Point{
		X: 100,
		Y: 330,
	}, camera.Point{
		X: 500,
		Y: 210,
	}
	low := shape.Point{X: 420, Y: 252}
	r.Lights[2].Shapes = shape.Shapes{shape.Tube{Width: 4, Flat: true, Nodes: shape.PathOf(
		shape.Node{X: 300, Y: 120}, shape.Node{X: low.X, Y: low.Y})}}
	s, err := New(t.Context(), r, shapes{})
	if err != nil {
		t.Fatal(err)
	}
	v, ok := s.Guess(r.Lights[2].Shapes[0], &r.Lights[2], nil, nil)
	want, _ := s.Cam.Floor(low.X, low.Y)
	if !ok || v.Sub(want).Len() > 0.02*want.Len() {
		t.Errorf("it stands at %v, its lower end at %v", v, want)
	}
	if d := s.Walls[0].Side(v); d < 0.2 {
		t.Errorf("it stands %v before the wall", d)
	}
}

// Each pixel shows one surface, or two at their edge: the wall above its line, the floor below, the
// crate before both.
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
	}{{300, 380, Floor}, {300, 240, Floor}, {300, 220, Wall}, {20, 60, Wall}, {140, 282, Platform},
		{140, 320, Platform}} {
		if got := of(tt.x, tt.y, 1); math.Abs(float64(got[tt.kind]-1)) > 1e-5 {
			t.Errorf("at %d, %d there is %v, not all of %v", tt.x, tt.y, got, tt.kind)
		}
	}
	// In a picture of a tenth, the pixel of the wall's line shows both.
	if got := of(30, 23, 0.1); got[Floor] < 0.2 ||
		math.Abs(float64(got[Floor]+got[Wall]-1)) > 1e-5 && got[Wall] != 0 {
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
			for k, v := range a.Of[i] {
				if in := k >= a.From[i] && k < a.To[i]; a.Any[i] && v != 0 && !in {
					t.Fatalf(
						"row %d, pixel %d: %v of surface %d, which is to lie from %d to %d",
						y,
						k,
						v,
						i,
						a.From[i],
						a.To[i],
					)
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
	body, near, far := image.Rect(40, 40, 60, 110), image.Rect(62, 60, 90, 90),
		image.Rect(20, 25, 26, 30)
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
	}{{image.Rect(0, 0, 30, 100), 98, false}, {image.Rect(0, 0, 100, 40), 30, true},
		{image.Rect(0, 0, 30, 100), 60, true}} {
		if flat(tt.used, tt.foot) != tt.want {
			t.Errorf("%v with its foot at %v: lying is not %v", tt.used, tt.foot, tt.want)
		}
	}
}

// The sketch names each point as the recipe has it, draws what is before the camera, and says what
// is a guess.
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
		if next, err := edit.Apply(r, edit.Set(p.Path, to)); err != nil ||
			setting.Key(*next) == setting.Key(*r) {
			t.Errorf("%s cannot be moved: %v", p.Path, err)
		}
	}
	for path, field := range map[string]string{
		"/room/walls/0/from": "room.walls[0].from", "/room/platforms/0/top/3": "room.platforms[0].top[3]",
		"/room/platforms/0/foot": "room.platforms[0].foot", "/lights/0/shapes/0/feet": "lights[0].shapes[0].feet",
	} {
		if p, ok := paths[path]; !ok || p.Field != field ||
			p.Guess != strings.HasSuffix(path, "feet") {
			t.Errorf("%s: %+v", path, p)
		}
	}
	if math.Abs(k.Horizon[1]-150) > 1e-6 || math.Abs(k.View-camera.Usual) > 1e-6 ||
		len(k.Grid) < 8 || len(k.Lines) < 10 || len(k.Feet) != 3 {
		t.Errorf(
			"horizon %v, view %v, %d lines of the grid, %d others, %d feet",
			k.Horizon,
			k.View,
			len(k.Grid),
			len(k.Lines),
			len(k.Feet),
		)
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

// Points are as far away as their feet are, or as what is seen where they end below; before the sky
// as their size says.
func TestDepths(t *testing.T) {
	r := shot(t)
	r.Room.Walls = nil
	bulb := func(x, y, d float64, feet ...shape.Foot) shape.Shape {
		return shape.Ellipse{X: x, Y: y, Width: d, Height: d, Feet: setting.ListOf(feet...)}
	}
	r.Lights = r.Lights[:1]
	l := &r.Lights[0]
	// Two lamps on posts, one hanging before the sky as large as the second, one lying on the
	// floor.
	l.Stand = ""
	l.Shapes = shape.Shapes{bulb(200, 60, 20, shape.Foot{X: 200, Y: 350}),
		bulb(300, 120, 10, shape.Foot{X: 300, Y: 250}), bulb(400, 100, 10), bulb(500, 300, 8)}
	s, err := New(t.Context(), r, shapes{})
	if err != nil {
		t.Fatal(err)
	}
	d := s.Depths(l, l.Shapes.Spots())
	if len(d) != 4 {
		t.Fatalf("depths %v", d)
	}
	// On an upright plane over its foot a lamp is as deep as that: twice as far for half as far
	// below the horizon.
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

// cuts gives what cut-outs cover by their names.
type cuts map[cutout.Ref]shape.Shapes

func (c cuts) CutOut(_ context.Context, id cutout.Ref) (coverage.Coverage, error) {
	return &pointed{c[id]}, nil
}
func (cuts) Light(_ context.Context, l *recipe.Light) (coverage.Coverage, error) {
	return l.Shapes, nil
}

var shapesKept = graph.New(1 << 26)

func (cuts) Graph() *graph.Graph { return shapesKept }

// pointed is a coverage that can be compared, as those of cut-outs are.
type pointed struct{ coverage.Coverage }

func box(x0, y0, x1, y1 float64) shape.Shape {
	return shape.Outline{Nodes: shape.PathOf(shape.Node{X: x0, Y: y0}, shape.Node{X: x1, Y: y0},
		shape.Node{X: x1, Y: y1}, shape.Node{X: x0, Y: y1})}
}

// Panels on a body look square to the line that their feet lie along, or to where they lie of where
// the body stands, and aside as a chest does; what lies beside a foot, as on a wide board, does not
// tell.
func TestFaces(t *testing.T) {
	r := shot(t)
	r.CutOuts = append(r.CutOuts, cutout.CutOut{ID: "c", Name: "Figure"})
	l := recipe.DefaultLight(r.Photo)
	l.ID, l.Name, l.Stand = "panels", "Panels", recipe.StandOn(recipe.OnThing, "t")
	r.Lights = append(r.Lights, l)
	r.Room.Things = []recipe.Thing{{ID: "t", Of: "c", Foot: camera.Point{X: 300, Y: 330}, Edge: 1,
		Broad: 1}}
	s, err := New(t.Context(), r, cuts{"c": {box(270, 180, 330, 335)}})
	if err != nil {
		t.Fatal(err)
	}
	host := s.Bodies[0]
	k := &r.Lights[len(r.Lights)-1]
	up, card := s.Cam.Up, host.Card.N
	side := card.Cross(up)
	// Panels with feet so far to the side and ahead of where the body stands, in its own width
	// there.
	put := func(at ...[2]float64) {
		k.Shapes = nil
		for i, p := range at {
			x, y, ok := s.Cam.Project(s.Feet[0].Add(side.Mul(p[0])).Add(card.Mul(p[1])))
			if !ok {
				t.Fatal("the camera does not see a foot")
			}
			x0 := 275 + 15*float64(i)
			k.Shapes = append(k.Shapes, shape.Standing(box(x0, 220, x0+10, 240),
				shape.FeetAt(shape.Foot{X: x, Y: y})))
		}
	}
	aside := func(n camera.Vec) float64 { return math.Atan2(n.Dot(side), n.Dot(card)) }
	turned := func() (out []float64) {
		f := s.front(k, host)
		for _, sh := range k.Shapes {
			n := s.faces(sh, k, host, f, card)
			if math.Abs(n.Len()-1) > 1e-9 || math.Abs(n.Dot(up)) > 0.02 {
				t.Errorf("a panel on a front that rises straight looks towards %v", n)
			}
			out = append(out, aside(n))
		}
		return out
	}
	near := func(what string, got []float64, within float64, want ...float64) {
		t.Helper()
		for i := range want {
			if math.Abs(got[i]-want[i]) > within {
				t.Errorf("%s: %.3f, want %.3f", what, got, want)
				return
			}
		}
	}
	// On a line that is turned by 0.3, with two panels on one side: all that lies near its middle
	// looks square to it.
	turn := func(a, x, z float64) [2]float64 {
		return [2]float64{x*math.Cos(a) + z*math.Sin(a), z*math.Cos(a) - x*math.Sin(a)}
	}
	put(turn(0.3, -0.04, 0.2), turn(0.3, -0.04, 0.2), turn(0.3, 0.04, 0.2))
	near("on a line", turned(), 0.01, 0.3-0.04, 0.3-0.04, 0.3+0.04)
	// All on one side of where the body stands, they are turned about the middle of them.
	put([2]float64{0.05, 0.2}, [2]float64{0.13, 0.2})
	near("on one side", turned(), 0.01, -0.04, 0.04)
	// Farther out it turns aside as fast as the square of that: on |x|³ + |z|³ = r³.
	put([2]float64{-0.15, 0.2}, [2]float64{0, 0.2}, [2]float64{0.15, 0.2})
	near("on a wide chest", turned(), 0.01, -math.Atan(0.75*0.75), 0, math.Atan(0.75*0.75))
	// One panel alone looks to where it lies.
	put([2]float64{0.1, 0.2})
	near("one panel", turned(), 0.01, math.Atan(0.5))
	// And feet that lie along the way to them do not tell how it is turned.
	put([2]float64{0.02, 0.1}, [2]float64{0.04, 0.2})
	near("one behind the other", turned(), 0.01, math.Atan(0.2), math.Atan(0.2))

	put([2]float64{-0.03, 0.2}, [2]float64{0.03, 0.2})
	f := s.front(k, host)
	rises := func(by float64) float64 {
		return s.faces(k.Shapes[0], k, host, f,
			card.Mul(math.Sqrt(1-by*by)).Add(up.Mul(by))).Dot(up)
	}
	if a, b, c := rises(0.2), rises(-0.2), rises(0.7); math.Abs(a-0.09) > 0.01 ||
		math.Abs(a+b) > 1e-6 || c != 0 {
		t.Errorf(
			"where the front rises by 0.2, falls by that, and rises as an arm does, a panel looks up by %.3f, %.3f and %.3f",
			a,
			b,
			c,
		)
	}
	put([2]float64{-0.2, 0.01}, [2]float64{0.2, 0.01})
	tilted := card.Add(up.Mul(2)).Unit()
	if f := s.front(k, host); f.looks.Len() != 0 || s.faces(k.Shapes[0], k, host, f,
		tilted) != tilted {
		t.Errorf("what lies right beside the foot turns the panels towards %v", f.looks)
	}
	put([2]float64{0.003, 0.01})
	if f := s.front(k, host); f.looks.Len() != 0 {
		t.Errorf("what lies all but over the foot turns the panel towards %v", f.looks)
	}
	s.Bodies = append(s.Bodies, nil) // of a cut-out that nothing is seen of
	if f := s.front(k, nil); f.looks.Len() != 0 {
		t.Errorf("on nothing panels look towards %v", f.looks)
	}
}

// What of a platform's cut-out rises above its top stands on it and shades; what is seen of the
// platform alone, or a little more by marks that are not exact, does not.
func TestUpon(t *testing.T) {
	r := shot(t)
	r.CutOuts = append(r.CutOuts, cutout.CutOut{ID: "c", Name: "Crate"})
	r.Room.Platforms[0].Seen = "c"
	crate := box(98, 268, 186, 352)
	for _, tt := range []struct {
		name   string
		seen   shape.Shapes
		bodies int
	}{
		{"the crate alone", shape.Shapes{crate}, 0},
		{"a rim", shape.Shapes{crate, box(116, 263, 186, 270)}, 0},
		{"a smaller crate on it", shape.Shapes{crate, box(135, 210, 165, 275)}, 1},
		{"a smaller crate on a lid that stands out", shape.Shapes{crate, box(116, 264, 186, 270), box(135, 210, 165, 275)}, 1},
	} {
		s, err := New(t.Context(), r, cuts{"c": tt.seen})
		if err != nil {
			t.Fatal(err)
		}
		if len(s.Scene.Bodies) != tt.bodies {
			t.Fatalf("%s: %d bodies", tt.name, len(s.Scene.Bodies))
		}
		// Which surface a pixel shows: its plane.
		c := s.Compose(1)
		w := c.NewWeights(600)
		at := func(x, y int) *Surface {
			c.Row(w, 0, y, 600)
			for i, any := range w.Any {
				if any && w.Of[i][x] > 0.9 {
					return &s.Surfaces[i]
				}
			}
			return nil
		}
		if f := at(110, 288); f == nil || f.Sheet.Plane != s.Prisms[0].Planes[0] {
			t.Errorf("%s: the top's near corner shows %+v", tt.name, f)
		}
		if f := at(140, 330); f == nil || f.Kind != Platform || f.cover != nil {
			t.Errorf("%s: the front shows %+v", tt.name, f)
		}
		if f := at(175, 274); f == nil || f.Sheet.Plane != s.Prisms[0].Planes[0] {
			t.Errorf("%s: the top's far part, beside what stands there, shows %+v", tt.name, f)
		}
		if f := at(175, 267); len(tt.seen) == 3 &&
			(f == nil || f.Sheet.Plane != s.Prisms[0].Planes[0]) {
			t.Errorf("%s: the lid shows %+v", tt.name, f)
		}
		if tt.bodies == 0 {
			continue
		}
		b, top := s.Scene.Bodies[0], s.Cam.Height(s.Prisms[0].Top[0])
		if h := s.Cam.Height(b.Mid); h < top || s.Prisms[0].Planes[1].Side(b.Mid) > 0 ||
			s.Prisms[0].Planes[3].Side(b.Mid) > 0 {
			t.Errorf("%s: it stands at %v, %.2f high, on a top of %.2f", tt.name, b.Mid, h, top)
		}
		f := at(150, 230)
		if f == nil || f.Kind != Platform || f.ID != "p" || f.Sheet.Body != nil {
			t.Fatalf("%s: it shows %+v", tt.name, f)
		}
		// It is lit before its own body.
		if pl, ok := f.Sheet.Place(150, 230); !ok || b.Clear(pl.At) < 0 {
			t.Errorf("%s: its front is %v inside of its own body", tt.name, b.Clear(pl.At))
		}
		again, err := New(t.Context(), r, cuts{"c": tt.seen})
		if err != nil || again.Layout != s.Layout {
			t.Errorf("%s: a room is not laid out as itself: %v", tt.name, err)
		}
	}
}

// Boots that are seen below the foot of a figure stand out before it and shade, but not the figure
// itself; a barrel is as round there as a little above, and has no toes.
func TestToes(t *testing.T) {
	r := shot(t)
	r.CutOuts = append(r.CutOuts, cutout.CutOut{ID: "c", Name: "Figure"})
	r.Room.Things = []recipe.Thing{{ID: "t", Of: "c", Foot: camera.Point{X: 300, Y: 330}, Edge: 1,
		Broad: 1}}
	for _, tt := range []struct {
		name string
		seen shape.Shapes
		toes bool
	}{
		{"boots", shape.Shapes{box(280, 160, 294, 348), box(306, 160, 320, 348),
			box(276, 334, 298, 350), box(302, 334, 324, 350)}, true},
		{"legs", shape.Shapes{box(280, 160, 294, 331), box(306, 160, 320, 331)}, false},
		{"a barrel", shape.Shapes{box(260, 230, 340, 330), shape.Ellipse{X: 300, Y: 330, Width: 80,
			Height: 20}}, false},
	} {
		s, err := New(t.Context(), r, cuts{"c": tt.seen})
		if err != nil {
			t.Fatal(err)
		}
		if got := len(s.Scene.Bodies) == 2; got != tt.toes {
			t.Fatalf("%s: %d bodies", tt.name, len(s.Scene.Bodies))
		}
		if !tt.toes {
			continue
		}
		figure, toes := s.Scene.Bodies[0], s.Scene.Bodies[1]
		before, _ := s.Cam.Floor(287, 346)
		if toes.Of != figure || !toes.Flat || toes.Clear(before) > 0 || figure.Clear(before) < 0 {
			t.Errorf(
				"%s: at %v, below a boot's toe, the figure is %v and its toes %v away",
				tt.name,
				before,
				figure.Clear(before),
				toes.Clear(before),
			)
		}
		if len(s.Bodies) != 1 || s.Bodies[0] != figure {
			t.Errorf("%s: toes count as a thing", tt.name)
		}
	}
}

// What of a platform is seen beside its faces is of the nearest of them, and no further than a rim;
// of the faces themselves nothing changes.
func TestRim(t *testing.T) {
	r := shot(t)
	bare, err := New(t.Context(), r, cuts{})
	if err != nil {
		t.Fatal(err)
	}
	r.CutOuts = append(r.CutOuts, cutout.CutOut{ID: "c", Name: "Crate"})
	r.Room.Platforms[0].Seen = "c"
	s, err := New(t.Context(), r, cuts{"c": {box(95, 262, 200, 352)}})
	if err != nil {
		t.Fatal(err)
	}
	row := func(s *Set, y int) (plane []camera.Plane) {
		c := s.Compose(1)
		w := c.NewWeights(600)
		c.Row(w, 0, y, 600)
		plane = make([]camera.Plane, 600)
		for i, any := range w.Any {
			for x := range 600 {
				if any && w.Of[i][x] > 0.99 {
					plane[x] = s.Surfaces[i].Sheet.Plane
				}
			}
		}
		return
	}
	for _, y := range []int{280, 320} {
		with, without := row(s, y), row(bare, y)
		sides := 0
		for x := 110; x < 170; x++ {
			if without[x] == (camera.Plane{}) {
				continue // at an edge
			}
			if sides++; with[x] != without[x] {
				t.Fatalf(
					"at %d, %d it shows %v, without what is seen %v",
					x,
					y,
					with[x],
					without[x],
				)
			}
		}
		if sides < 40 {
			t.Fatalf("%d pixels of row %d show one surface", sides, y)
		}
	}
	with, without := row(s, 320), row(bare, 320)
	if front := with[140]; with[98] != front || without[98] == front {
		t.Errorf(
			"beside the front there is %v, in the front %v, without what is seen %v",
			with[98],
			front,
			without[98],
		)
	}
	for _, x := range []int{130, 170, 181} { // near the right face as well, but nearer to the top
		if over := row(s, 266); over[x] != s.Prisms[0].Planes[0] {
			t.Errorf("over the top's far edge, at %d, there is %v, not the top", x, over[x])
		}
	}
	if with[90] != without[90] {
		t.Errorf("beside what is seen there is %v, it was %v", with[90], without[90])
	}
	if faces := s.Prisms[0].Planes; slices.Contains(faces[:5], with[197]) {
		t.Errorf("far beside the crate's faces there is still one of them")
	}
}

// At a soft edge of a solid crate what lies behind shows by as much as the crate leaves free, and
// no light of the crate is lost to its inside, where none falls; farther beside its faces than
// their rim the inside is what is left to be seen.
func TestMiddle(t *testing.T) {
	r := shot(t)
	r.CutOuts = append(r.CutOuts, cutout.CutOut{ID: "c", Name: "Crate"})
	r.Room.Platforms[0].Seen = "c"
	s, err := New(t.Context(), r, cuts{"c": {box(97.4, 268, 186, 352), box(180, 300, 230, 320)}})
	if err != nil {
		t.Fatal(err)
	}
	c := s.Compose(1)
	w := c.NewWeights(600)
	c.Row(w, 0, 310, 600)
	// of returns what a pixel shows of floor, faces and the inside.
	of := func(x int) (floor, faces, inside float32) {
		for i, any := range w.Any {
			switch f := &s.Surfaces[i]; {
			case !any:
			case f.Kind == Floor:
				floor += w.Of[i][x]
			case f.inside:
				inside += w.Of[i][x]
			case f.Kind == Platform:
				faces += w.Of[i][x]
			}
		}
		return
	}
	near := func(a, b float32) bool { return math.Abs(float64(a-b)) < 0.01 }
	if floor, faces, inside := of(97); !near(floor, 0.4) || !near(faces, 0.6) || !near(inside, 0) {
		t.Errorf("at its edge: floor %.3f, faces %.3f, inside %.3f", floor, faces, inside)
	}
	if floor, faces, inside := of(140); floor != 0 || !near(faces, 1) || inside != 0 {
		t.Errorf("on its front: floor %.3f, faces %.3f, inside %.3f", floor, faces, inside)
	}
	if floor, faces, inside := of(220); !near(inside, 1) {
		t.Errorf("far beside it: floor %.3f, faces %.3f, inside %.3f", floor, faces, inside)
	}
	for i := range s.Surfaces {
		if f := &s.Surfaces[i]; f.inside && (f.Sheet.Seen(90, 290, 110, 350) ||
			!f.Sheet.Seen(210, 305, 225, 315)) {
			t.Error("light is to be worked out along the edge, or not where the inside is seen")
		}
	}
}

// A lamp that is marked above the platform that it stands on has a foot between them, one that
// stands on it has none, nor has one that hangs high over it or stands elsewhere.
func TestBases(t *testing.T) {
	r := shot(t)
	s, err := New(t.Context(), r, shapes{})
	if err != nil {
		t.Fatal(err)
	}
	lamp := &r.Lights[0]
	for _, tt := range []struct {
		name  string
		y     float64 // of its middle
		stand recipe.Stand
		bases int
	}{
		{"on the top", 260, lamp.Stand, 0},
		{"above it", 250, lamp.Stand, 1},
		{"high above", 150, lamp.Stand, 0},
		{"on the floor", 250, "", 0},
	} {
		l := *lamp
		l.Stand = tt.stand
		foot, ok := s.Guess(lamp.Shapes[0], lamp, nil, nil) // under where the lamp on the top ends
		x, y, _ := s.Cam.Project(foot)
		l.Shapes = shape.Shapes{shape.Standing(shape.Ellipse{X: 145, Y: tt.y, Width: 20,
			Height: 40}, shape.FeetAt(shape.Foot{X: x, Y: y}))}
		bases := s.bases(&l)
		if !ok || len(bases) != tt.bases {
			t.Fatalf("%s: %d bases", tt.name, len(bases))
		}
		if tt.bases == 0 {
			continue
		}
		b, top := bases[0], s.Prisms[0].Planes[0]
		if low := math.Min(top.Side(b.A), top.Side(b.B)) - b.Radius; math.Abs(low) > 1e-6 ||
			b.Radius <= 0 || b.Of != nil {
			t.Errorf("%s: its foot %+v begins %g over the top", tt.name, b, low)
		}
		sc, err := s.Among(t.Context(), &l, nil, shapes{})
		if err != nil || len(sc.Rods) != 1 || len(s.Scene.Rods) != 0 {
			t.Errorf(
				"%s: %d bars shade it, %d are in the room, %v",
				tt.name,
				len(sc.Rods),
				len(s.Scene.Rods),
				err,
			)
		}
	}
}

// What stands on a platform stands out of its top, is seen before all of it, and has no toes; what
// lies there lies on the top.
func TestThingOnAPlatform(t *testing.T) {
	r := shot(t)
	r.CutOuts = append(r.CutOuts, cutout.CutOut{ID: "c", Name: "Bottle"})
	seen := cuts{"c": {box(120, 240, 128, 284)}}
	r.Room.Things = []recipe.Thing{{ID: "t", Of: "c", Foot: camera.Point{X: 124, Y: 282}, On: "p",
		Edge: 1, Broad: 1, Lies: recipe.Stands}}
	s, err := New(t.Context(), r, seen)
	if err != nil {
		t.Fatal(err)
	}
	if len(s.Scene.Bodies) != 1 {
		t.Fatalf("%d bodies", len(s.Scene.Bodies))
	}
	b, top := s.Bodies[0], s.Prisms[0].Planes[0]
	foot, ok := top.Hit(s.Cam.Ray(124, 282))
	if at := s.Cam.Ray(124, 282).Mul(foot); !ok || math.Abs(b.Card.Side(at)) > 1e-9 ||
		b.Clear(at.Add(s.Cam.Up.Mul(0.05))) > 0 {
		t.Errorf(
			"its card lies %v from its foot, and it %v from a place over that",
			b.Card.Side(at),
			b.Clear(at.Add(s.Cam.Up.Mul(0.05))),
		)
	}
	c := s.Compose(1)
	w := c.NewWeights(600)
	for _, y := range []int{245, 275} { // before the wall, and before the top
		c.Row(w, 0, y, 600)
		for i, any := range w.Any {
			if is := s.Surfaces[i].Kind == Thing; any && (w.Of[i][124] > 0.99) != is {
				t.Errorf(
					"at 124, %d surface %d of kind %d fills %.2f",
					y,
					i,
					s.Surfaces[i].Kind,
					w.Of[i][124],
				)
			}
		}
	}
	r.Room.Things[0].Lies = recipe.LiesFlat
	if s, err = New(t.Context(), r, seen); err != nil || s.Bodies[0].Card != top {
		t.Errorf("what lies there lies on %v, the top is %v; %v", s.Bodies[0].Card, top, err)
	}
}

// A room in which something moved is seen where it was, unless that changes what is before what:
// told by the room before or not, its surfaces are seen at the same places.
func TestSeenAgain(t *testing.T) {
	r := shot(t)
	r.CutOuts = append(r.CutOuts, cutout.CutOut{ID: "c", Name: "Bottle"})
	c, _ := cuts{"c": {box(140, 240, 150, 284)}}.CutOut(t.Context(), "c")
	covers := kept{c, graph.New(1 << 26)}
	r.Room.Things = []recipe.Thing{{ID: "t", Of: "c", Foot: camera.Point{X: 145, Y: 330}, Edge: 1,
		Broad: 1, Lies: recipe.Stands}}
	before, err := New(t.Context(), r, covers)
	if err != nil {
		t.Fatal(err)
	}
	for _, tt := range []struct {
		name string
		move func(r *recipe.Recipe)
		same bool
	}{
		{"a foot beside", func(r *recipe.Recipe) { r.Room.Things[0].Foot.X++ }, true},
		{"a foot behind the crate", func(r *recipe.Recipe) { r.Room.Things[0].Foot.Y = 240 }, false},
		{"a wall", func(r *recipe.Recipe) {
			r.Room.Walls[0].From.Y, r.Room.Walls[0].To.Y = 260,
				260
		}, false},
	} {
		q := r.Clone()
		tt.move(q)
		s, err := New(t.Context(), q, covers)
		if err != nil {
			t.Fatal(err)
		}
		fresh, err := New(t.Context(), q, kept{c, graph.New(1 << 26)})
		if err != nil {
			t.Fatal(err)
		}
		if same := s.Layout == before.Layout; same != tt.same {
			t.Errorf("%s: as before %v", tt.name, same)
		}
		for i := range s.Surfaces {
			for y := 0.0; y < 400; y += 20 {
				for x := 0.0; x < 600; x += 20 {
					if a, b := s.Surfaces[i].Sheet.Seen(x, y, x+20, y+20),
						fresh.Surfaces[i].Sheet.Seen(x, y, x+20, y+20); a != b {
						t.Fatalf(
							"%s: at %v, %v surface %d is seen %v, worked out anew %v",
							tt.name,
							x,
							y,
							i,
							a,
							b,
						)
					}
				}
			}
		}
	}
}

// kept gives one cut-out, and keeps shapes as a cache does.
type kept struct {
	coverage.Coverage
	g *graph.Graph
}

func (k kept) CutOut(_ context.Context, id cutout.Ref) (coverage.Coverage, error) {
	if id == "" {
		return nil, nil
	}
	return k.Coverage, nil
}
func (kept) Light(_ context.Context, l *recipe.Light) (coverage.Coverage, error) {
	return l.Shapes, nil
}
func (k kept) Graph() *graph.Graph { return k.g }
