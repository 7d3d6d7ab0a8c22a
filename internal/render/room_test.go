package render

import (
	"fmt"
	"image"
	"math"
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/simd"
	"pyrant/internal/edit"
	"pyrant/internal/light/glow"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// inFlat is a flat grey photo with a floor and a back wall, and a bulb before it. Nothing but its
// spill is seen.
func inFlat(t *testing.T) (*photo.Photo, *recipe.Recipe) {
	t.Helper()
	p := flat(300, 200, 128)
	r := recipe.New(300, 200)
	r.Room.On, r.Room.Horizon = true, 60
	r.Room.Walls = []recipe.Wall{{ID: "w", Name: "Wall", From: camera.Point{X: 40, Y: 110},
		To: camera.Point{X: 260, Y: 110}}}
	r.Room.Daylight, r.Room.Bounce = 0, 0
	l := recipe.DefaultLight(r.Photo)
	l.ID, l.Name, l.Gel = "l", "Bulb", recipe.Gel{Lightness: 1}
	l.Core.On, l.Glow = false, false
	l.Spill.Strength = 0.3
	l.Shapes = shape.Shapes{shape.Ellipse{X: 150, Y: 80, Width: 12, Height: 12,
		Feet: shape.FeetAt(shape.Foot{X: 150, Y: 150})}}
	r.Lights = append(r.Lights, l)
	if err := r.Validate(); err != nil {
		t.Fatal(err)
	}
	return p, r
}

// post stands a post in the room, from one column to another.
func post(t *testing.T, r *recipe.Recipe, left, right float64) {
	t.Helper()
	covers := func(x, y float64) float64 {
		if x > left && x < right && y > 60 && y < 150 {
			return 1
		}
		return 0
	}
	id := cutout.Ref(rune('c' + len(r.CutOuts)))
	r.CutOuts = append(r.CutOuts, cutOutOf(t, string(id), r.Photo.Width, r.Photo.Height, covers,
		covers))
	next, err := edit.AddThing(r, id, camera.Point{X: (left + right) / 2, Y: 150})
	if err != nil {
		t.Fatal(err)
	}
	*r = *next
}

// spilled returns the light that comes back at a pixel.
func spilled(m image.Image, x, y int) float64 { return -math.Log1p(-linear(m, x, y)[1]) }

// In a room the floor gets light by the inverse square of the distance in space: as much as the
// geometry says.
func TestRoomLaw(t *testing.T) {
	p, r := inFlat(t)
	q := Request{Photo: p, Recipe: r, Layer: Spill, Deep: true}
	m := render(t, New(1<<27), q)
	sp, err := r.Space()
	if err != nil {
		t.Fatal(err)
	}
	foot, _ := sp.Cam.Floor(150, 150)
	at, _ := sp.Cam.Above(foot, 150, 80)
	law := func(v, n camera.Vec) float64 {
		d := at.Sub(v)
		return math.Max(d.Dot(n), 0) / math.Pow(d.Len(), 3)
	}
	base := 0.0
	for _, k := range [][2]int{{150, 170}, {60, 150}, {240, 190}, {200, 120}, {20, 180}} {
		v, _ := sp.Cam.Floor(float64(k[0])+0.5, float64(k[1])+0.5)
		got := spilled(m, k[0], k[1]) / law(v, sp.Cam.Up)
		if base == 0 {
			base = got
		}
		near(t, "the floor", got, base, 0.04)
	}
	for _, k := range [][2]int{{150, 40}, {60, 90}, {250, 20}} {
		ray := sp.Cam.Ray(float64(k[0])+0.5, float64(k[1])+0.5)
		d, _ := sp.Walls[0].Hit(ray)
		near(t, "the wall", spilled(m, k[0], k[1])/law(ray.Mul(d), sp.Walls[0].N), base, 0.04)
	}
	// Twice the strength is twice the light, and a gel colours all of it.
	r.Lights[0].Spill.Strength *= 2
	near(
		t,
		"twice the strength",
		spilled(render(t, New(1<<27), q), 60, 150),
		2*spilled(m, 60, 150),
		0.01,
	)
	r.Lights[0].Gel = recipe.Gel{Hue: 120, Saturation: 1, Lightness: 0.5}
	if c := linear(render(t, New(1<<27), q), 60, 150); c[0] > 1e-4 || c[2] > 1e-4 || c[1] < 1e-3 {
		t.Errorf("in green it is %v", c)
	}
	// Switched off, the room is the plain mode again.
	r.Room.On = false
	if a := spilled(render(t, New(1<<27), q), 150, 120); a == 0 {
		t.Error("without the room nothing is lit")
	}
}

// A ceiling gets light from below by the same law, above where it meets the wall; without one the
// wall goes on.
func TestCeiling(t *testing.T) {
	p, r := inFlat(t)
	r.Room.Ceiling = 1.6
	r.Lights[0].Spill.Strength = 1
	q := Request{Photo: p, Recipe: r, Layer: Spill, Deep: true}
	m := render(t, New(1<<27), q)
	sp, err := r.Space()
	if err != nil {
		t.Fatal(err)
	}
	foot, _ := sp.Cam.Floor(150, 150)
	at, _ := sp.Cam.Above(foot, 150, 80)
	base := 0.0
	for _, k := range [][2]int{{150, 4}, {100, 8}, {230, 12}, {20, 2}} {
		ray := sp.Cam.Ray(float64(k[0])+0.5, float64(k[1])+0.5)
		d, ok := sp.Ceiling.Hit(ray)
		v := ray.Mul(d)
		if w, _ := sp.Walls[0].Hit(ray); !ok || w < d {
			t.Fatalf("the wall is before the ceiling at %v", k)
		}
		if h := sp.Cam.Height(v); math.Abs(h-1.6) > 1e-9 {
			t.Fatalf("the ceiling is %v high at %v", h, k)
		}
		way := at.Sub(v)
		got := spilled(m, k[0], k[1]) / (way.Dot(sp.Ceiling.N) / math.Pow(way.Len(), 3))
		if base == 0 {
			base = got
		}
		near(t, "the ceiling", got, base, 0.04)
	}
	// The floor gets as much as it gets without a ceiling.
	floor := spilled(m, 150, 170)
	r.Room.Ceiling = 0
	m = render(t, New(1<<27), q)
	near(t, "the floor", spilled(m, 150, 170), floor, 1e-3)
	ray := sp.Cam.Ray(150.5, 4.5)
	d, _ := sp.Walls[0].Hit(ray)
	way := at.Sub(ray.Mul(d))
	near(
		t,
		"the wall instead",
		spilled(m, 150, 4)/(way.Dot(sp.Walls[0].N)/math.Pow(way.Len(), 3)),
		base,
		0.05,
	)
}

// A glossy wall shows a light brightest where a mirror would show it.
func TestGlossyWall(t *testing.T) {
	p, r := inFlat(t)
	r.Lights[0].Spill.Strength = 3
	q := Request{Photo: p, Recipe: r, Layer: Spill, Deep: true}
	plain := render(t, New(1<<27), q)
	r.Room.Walls[0].Gloss, r.Room.Rough = 1, 0.08
	m := render(t, New(1<<27), q)
	sp, err := r.Space()
	if err != nil {
		t.Fatal(err)
	}
	foot, _ := sp.Cam.Floor(150, 150)
	at, _ := sp.Cam.Above(foot, 150, 80)
	w := sp.Walls[0]
	x, y, _ := sp.Cam.Project(at.Sub(w.N.Mul(2 * w.Side(at))))
	best, bx, by := 0.0, 0, 0
	for j := range 100 {
		for i := range 300 {
			if v := spilled(m, i, j) - spilled(plain, i, j); v > best {
				best, bx, by = v, i, j
			}
		}
	}
	if best < 0.02 || math.Hypot(float64(bx)+0.5-x, float64(by)+0.5-y) > 4 {
		t.Errorf(
			"the image is brightest, %.3f, at %d, %d, in a mirror it is at %.1f, %.1f",
			best,
			bx,
			by,
			x,
			y,
		)
	}
	near(t, "far from it", spilled(m, 20, 20), spilled(plain, 20, 20), 0.03)
	near(t, "the floor", spilled(m, 150, 170), spilled(plain, 150, 170), 1e-3)
}

// A platform keeps light off what lies behind it, by as much as the shadows are set to.
func TestRoomShadow(t *testing.T) {
	p, r := inFlat(t)
	q := Request{Photo: p, Recipe: r, Layer: Spill, Deep: true}
	open := render(t, New(1<<27), q)
	var err error
	if r, err = edit.AddPlatform(r, []camera.Point{{X: 60, Y: 128}, {X: 95, Y: 128},
		{X: 98, Y: 122},
		{X: 66, Y: 122}}, camera.Point{X: 60, Y: 150}); err != nil {
		t.Fatal(err)
	}
	q.Recipe = r
	behind := [2]int{50, 147}
	m := render(t, New(1<<27), q)
	if v := spilled(m, behind[0], behind[1]) / spilled(open, behind[0], behind[1]); v > 0.1 {
		t.Errorf("behind the platform %.3f of the light is left", v)
	}
	near(t, "beside its shadow", spilled(m, 250, 160), spilled(open, 250, 160), 0.01)
	if top := spilled(m, 80, 124); top < spilled(open, 80, 124)*1.05 {
		t.Errorf("its top gets %.4f, the floor behind it had %.4f", top, spilled(open, 80, 124))
	}
	r.Room.Shadows = 0.5
	near(t, "half the shadow", spilled(render(t, New(1<<27), q), behind[0], behind[1]),
		0.5*spilled(open, behind[0], behind[1]), 0.08)
}

// While a foot moves a frame may be rough, and says so; at rest it is as if nothing had been rough.
func TestRough(t *testing.T) {
	p, r := inFlat(t)
	r.Room.Daylight, r.Room.Bounce = 1, 1
	e := New(1 << 27)
	q := Request{Photo: p, PhotoKey: "p", Recipe: r}
	first := rgba(t, e, q)
	var rough atomic.Bool
	q.Rough = &rough
	if again := rgba(t, e, q); rough.Load() || string(again.Pix) != string(first.Pix) {
		t.Error("what is ready is rough")
	}
	moved := r.Clone()
	moved.Lights[0].Shapes = shape.Shapes{shape.Standing(r.Lights[0].Shapes[0],
		shape.FeetAt(shape.Foot{X: 190, Y: 160}))}
	q.Recipe = moved
	coarse := rgba(t, e, q)
	if !rough.Load() {
		t.Error("a foot that moves does not make the frame rough")
	}
	q.Rough = nil
	fine := rgba(t, e, q)
	if string(fine.Pix) != string(rgba(t, New(1<<27), Request{Photo: p, PhotoKey: "p",
		Recipe: moved}).Pix) {
		t.Error("after a rough frame the picture is another")
	}
	worst := 0
	for i := range fine.Pix {
		worst = max(worst, int(math.Abs(float64(fine.Pix[i])-float64(coarse.Pix[i]))))
	}
	if worst > 40 || string(fine.Pix) == string(first.Pix) {
		t.Errorf("the rough frame is off by up to %d of 255", worst)
	}
}

// A room that cannot be is refused at the corner in question, and so is what would be lost in it.
func TestRoomFaults(t *testing.T) {
	_, r := inFlat(t)
	corners := func(p ...camera.Point) func(*recipe.Recipe) {
		return func(r *recipe.Recipe) { r.Room.Corners = setting.ListOf(p...) }
	}
	for _, tt := range []struct {
		name, field string
		change      func(*recipe.Recipe)
	}{
		{"sides that cross", "room.corners[", corners(camera.Point{X: 50, Y: 190},
			camera.Point{X: 250, Y: 190}, camera.Point{X: 120, Y: 140}, camera.Point{X: 180,
				Y: 140})},
		{"three corners", "room.corners", corners(camera.Point{X: 50, Y: 190}, camera.Point{X: 250,
			Y: 190}, camera.Point{X: 180, Y: 140})},
		{"a wall above the horizon", "room.walls[0].from", func(r *recipe.Recipe) { r.Room.Walls[0].From.Y = 40 }},
		{"a foot above the horizon", "lights[0].shapes[0].feet[0]", func(r *recipe.Recipe) {
			r.Lights[0].Shapes = shape.Shapes{shape.Standing(r.Lights[0].Shapes[0],
				shape.FeetAt(shape.Foot{X: 150, Y: 30}))}
		}},
		{"a light on what is not there", "lights[0].stand", func(r *recipe.Recipe) { r.Lights[0].Stand = "wall:none" }},
		{"a platform with its foot above it", "room.platforms[0].foot", func(r *recipe.Recipe) {
			r.Room.Platforms = []recipe.Platform{{ID: "p", Name: "P",
				Top: setting.ListOf(camera.Point{X: 60, Y: 128}, camera.Point{X: 95, Y: 128},
					camera.Point{X: 98, Y: 122}, camera.Point{X: 66, Y: 122}),
				Foot: camera.Point{X: 60, Y: 100}}}
		}},
		{"two parts of one id", "room.platforms[0].id", func(r *recipe.Recipe) {
			r.Room.Platforms = []recipe.Platform{{ID: "w", Name: "P",
				Top: setting.ListOf(camera.Point{X: 60, Y: 128}, camera.Point{X: 95, Y: 128},
					camera.Point{X: 98, Y: 122}, camera.Point{X: 66, Y: 122}),
				Foot: camera.Point{X: 60, Y: 150}}}
		}},
	} {
		c := r.Clone()
		tt.change(c)
		err := c.Validate()
		if err == nil || len(err.Error()) < len(tt.field) ||
			err.Error()[:len(tt.field)] != tt.field {
			t.Errorf("%s: %v, want a fault of %s", tt.name, err, tt.field)
		}
		// Switched off, a room that cannot be is nobody's concern; what refers to nothing still is.
		c.Room.On = false
		if err := c.Validate(); (err == nil) != (tt.field[:6] == "room.c" &&
			tt.name == "three corners" || tt.name == "sides that cross" || tt.name == "a wall above the horizon" ||
			tt.name == "a foot above the horizon" || tt.name == "a platform with its foot above it") {
			t.Errorf("%s, switched off: %v", tt.name, err)
		}
	}
}

// What lights do and what things are called works out nothing of the room anew that it does not
// change, and the picture is that of an engine that knows nothing yet.
func TestRoomKeys(t *testing.T) {
	p, r := inFlat(t)
	r.Room.Daylight, r.Room.Bounce = 1, 1
	var err error
	if r, err = edit.AddPlatform(r, []camera.Point{{X: 60, Y: 128}, {X: 95, Y: 128},
		{X: 98, Y: 122},
		{X: 66, Y: 122}}, camera.Point{X: 60, Y: 150}); err != nil {
		t.Fatal(err)
	}
	post(t, r, 145, 155) // which the light crosses
	for _, tt := range []struct {
		name   string
		change func(*recipe.Recipe)
		works  string // of the room, light and pixels; what falls is kept if nothing moves
		same   bool   // the picture stays
	}{
		{"a wall is called otherwise", func(r *recipe.Recipe) { r.Room.Walls[0].Name = "Front" }, "", true},
		{"a platform is called otherwise", func(r *recipe.Recipe) { r.Room.Platforms[0].Name = "Crate" }, "", true},
		{"fainter shadows", func(r *recipe.Recipe) { r.Room.Shadows = 0.3 }, "spill", false},
		{"less bounce", func(r *recipe.Recipe) { r.Room.Bounce = 0.3 }, "", false},
		{"no bounce", func(r *recipe.Recipe) { r.Room.Bounce = 0 }, "spill fall", false},
		{"a wet floor", func(r *recipe.Recipe) { r.Room.Sheen = 0.5 }, "room spill ground", false},
		{"a glossy wall", func(r *recipe.Recipe) { r.Room.Walls[0].Gloss = 0.5 }, "room spill ground", false},
		{"a ceiling", func(r *recipe.Recipe) { r.Room.Ceiling = 2 }, "room daylight bounce spill ground", false},
		{"less of daylight out", func(r *recipe.Recipe) { r.Room.Daylight = 0.4 }, "ground", false},
		{"no daylight out", func(r *recipe.Recipe) { r.Room.Daylight = 0 }, "bounce spill ground", false},
		{"the wall elsewhere", func(r *recipe.Recipe) { r.Room.Walls[0].From.Y = 100 }, "room daylight bounce spill ground", false},
		{"a foot elsewhere", func(r *recipe.Recipe) {
			feet := shape.FeetAt(shape.Foot{X: 170, Y: 150})
			r.Lights[0].Shapes[0] = shape.Standing(r.Lights[0].Shapes[0], feet)
		}, "spill", false},
	} {
		e := New(1 << 27)
		q := Request{Photo: p, PhotoKey: "p", Recipe: r}
		before := rgba(t, e, q)
		since := builds(e)
		q.Recipe = r.Clone()
		tt.change(q.Recipe)
		after := rgba(t, e, q)
		var works []string
		for _, w := range [][2]string{{"room", "roomSet"}, {"daylight", "roomDaylight"},
			{"bounce", "roomBounce"}, {"spill", "roomLight"}, {"ground", "gbuffer"},
			{"fall", "roomShading"}} {
			if since(w[1]) > 0 {
				works = append(works, w[0])
			}
		}
		if got := strings.Join(works, " "); got != tt.works {
			t.Errorf("%s: %q is worked out, want %q", tt.name, got, tt.works)
		}
		if string(after.Pix) != string(rgba(t, New(1<<27), q).Pix) {
			t.Errorf("%s: the picture is not that of a new engine", tt.name)
		}
		if same := string(after.Pix) == string(before.Pix); same != tt.same {
			t.Errorf("%s: the picture stays: %v", tt.name, same)
		}
	}
}

// What falls on a frame after something moved is kept from the second time on that it is asked for,
// and the picture is the same.
func TestFallenIsKept(t *testing.T) {
	p, r := inFlat(t)
	r.Room.Daylight, r.Room.Bounce = 1, 1
	e := New(1 << 27)
	for i, tt := range []struct {
		change func(*recipe.Recipe)
		falls  bool
	}{
		{func(*recipe.Recipe) {}, true},
		{func(r *recipe.Recipe) { r.Lights[0].Level = 0.7 }, false},
		{func(r *recipe.Recipe) { r.Room.Walls[0].From.Y = 100 }, false}, // row by row
		{func(r *recipe.Recipe) { r.Lights[0].Level = 0.9 }, true},
		{func(r *recipe.Recipe) { r.Lights[0].Level = 0.8 }, false},
	} {
		since := builds(e)
		tt.change(r)
		q := Request{Photo: p, PhotoKey: "p", Recipe: r.Clone()}
		got := rgba(t, e, q)
		if falls := since("roomShading") > 0; falls != tt.falls {
			t.Errorf("frame %d: what falls is kept: %v", i, falls)
		}
		if string(got.Pix) != string(rgba(t, New(1<<27), q).Pix) {
			t.Errorf("frame %d is not that of a new engine", i)
		}
	}
}

// While a light moves that crosses a thing, the thing keeps its outline, and the room is not set up
// anew until the hand rests.
func TestCrossingMoves(t *testing.T) {
	p, r := inFlat(t)
	r.Room.Daylight = 1
	post(t, r, 120, 180)
	e := New(1 << 27)
	rgba(t, e, Request{Photo: p, PhotoKey: "p", Recipe: r})
	moved := r.Clone()
	moved.Lights[0].Shapes = shape.Shapes{moved.Lights[0].Shapes[0].Shifted(6, 4).(shape.Shape)}
	var rough atomic.Bool
	since := builds(e)
	rgba(t, e, Request{Photo: p, PhotoKey: "p", Recipe: moved, Rough: &rough})
	if anew := since("roomSet") > 0; anew || !rough.Load() {
		t.Errorf("the room is set up anew: %v; rough: %v", anew, rough.Load())
	}
	fine := rgba(t, e, Request{Photo: p, PhotoKey: "p", Recipe: moved})
	if string(fine.Pix) != string(rgba(t, New(1<<27), Request{Photo: p, PhotoKey: "p",
		Recipe: moved}).Pix) {
		t.Error("at rest the picture is not that of a new engine")
	}
}

// When a light moves, those that it shades differently are worked out anew where it does, and the
// picture is that of an engine that knows nothing yet.
func TestOthersAfterAMove(t *testing.T) {
	p, r := inFlat(t)
	r.Room.Daylight, r.Room.Bounce = 1, 1
	var err error
	if r, err = edit.DuplicateLight(r, 0); err != nil {
		t.Fatal(err)
	}
	at := func(r *recipe.Recipe, x, y float64) *recipe.Recipe {
		r = r.Clone()
		r.Lights[1].Shapes = shape.Shapes{shape.Ellipse{X: x, Y: 100, Width: 20, Height: 20,
			Feet: shape.FeetAt(shape.Foot{X: x, Y: y})}}
		return r
	}
	e := New(1 << 27)
	q := Request{Photo: p, PhotoKey: "p"}
	for _, to := range [][2]float64{{180, 160}, {190, 158}, {120, 170}, {180, 160}} {
		q.Recipe = at(r, to[0], to[1])
		if string(rgba(t, e, q).Pix) != string(rgba(t, New(1<<27), q).Pix) {
			t.Errorf("moved to %v the picture is not that of a new engine", to)
		}
	}
}

// The same when a thing moves, with what bounces from the light that it keeps off.
func TestOthersAfterAThingMoved(t *testing.T) {
	p, r := inFlat(t)
	r.Room.Daylight, r.Room.Bounce = 1, 1
	post(t, r, 120, 180)
	post(t, r, 160, 220) // behind the other, but for once
	e := New(1 << 27)
	q := Request{Photo: p, PhotoKey: "p"}
	for _, to := range []camera.Point{{X: 150, Y: 150}, {X: 152, Y: 151}, {X: 152, Y: 170},
		{X: 152, Y: 138}, {X: 150, Y: 150}} {
		q.Recipe = r.Clone()
		q.Recipe.Room.Things[0].Foot = to
		if string(rgba(t, e, q).Pix) != string(rgba(t, New(1<<27), q).Pix) {
			t.Errorf("with a thing at %v the picture is not that of a new engine", to)
		}
	}
	// A light elsewhere sends another bounce back, though the room is the same.
	q.Recipe.Lights[0].Shapes = shape.Shapes{q.Recipe.Lights[0].Shapes[0].Shifted(9,
		0).(shape.Shape)}
	if string(rgba(t, e, q).Pix) != string(rgba(t, New(1<<27), q).Pix) {
		t.Error("with the light elsewhere the picture is not that of a new engine")
	}
}

// Light at the edges of a thing and on its front are weighed apart, with nothing of the room worked
// out anew.
func TestEdgeAndBroadLight(t *testing.T) {
	p, r := inFlat(t)
	post(t, r, 200, 240)
	e := New(1 << 27)
	at := func(edge, broad float64) (front, side, floor float64) {
		q := Request{Photo: p, PhotoKey: "p", Recipe: r.Clone(), Layer: Spill, Deep: true}
		since := builds(e)
		q.Recipe.Room.Things[0].Edge, q.Recipe.Room.Things[0].Broad = edge, broad
		m := render(t, e, q)
		if anew := since("roomLight") > 0; anew && (edge != 1 || broad != 1) {
			t.Error("light is worked out anew")
		}
		return spilled(m, 213, 105), spilled(m, 201, 105), spilled(m, 100, 160)
	}
	front, side, floor := at(1, 1)
	if front <= 0 || side <= 0 {
		t.Fatalf("the post gets %g and %g", front, side)
	}
	edged, _, _ := at(0, 1)
	_, dimmed, _ := at(0, 1)
	if edged < 0.75*front || dimmed > 0.6*side {
		t.Errorf(
			"without light at its edges the front has %.3f, the side %.3f of it",
			edged/front,
			dimmed/side,
		)
	}
	flat, rim, same := at(1, 0)
	if flat > 0.3*front || rim < 0.4*side || same != floor {
		t.Errorf(
			"with light at its edges alone the front has %.3f, the side %.3f; the floor %.4f of %.4f",
			flat/front,
			rim/side,
			same,
			floor,
		)
	}
	if two, _, _ := at(2, 2); math.Abs(two/front-2) > 0.02 {
		t.Errorf("twice both is %.3f", two/front)
	}
}

// Folds within a thing's outline catch the light on the sides that face it, as its shading in the
// photo tells of them, with nothing of the room worked out anew.
func TestRelief(t *testing.T) {
	p, r := inFlat(t)
	post(t, r, 180, 240)
	wave := func(x int) float64 { return 2 * math.Pi * (float64(x) + 0.5 - 180) / 12 }
	for y := range 200 {
		for x := 180; x < 240; x++ {
			for c := range 3 {
				p.Pix8[3*(300*y+x)+c] = uint8(128 + 30*math.Sin(wave(x)))
			}
		}
	}
	for _, from := range []struct{ x, flank float64 }{{120, 1}, {285, -1}} {
		e := New(1 << 27)
		spill := func(relief float64) image.Image {
			q := Request{Photo: p, PhotoKey: "p", Recipe: r.Clone(), Layer: Spill, Deep: true}
			since := builds(e)
			q.Recipe.Lights[0].Shapes = shape.Shapes{shape.Ellipse{X: from.x, Y: 100, Width: 12,
				Height: 12, Feet: shape.FeetAt(shape.Foot{X: from.x, Y: 160})}}
			q.Recipe.Room.Things[0].Relief = relief
			m := render(t, e, q)
			if anew := since("roomLight") > 0; anew && relief != 0 {
				t.Error("light is worked out anew")
			}
			return m
		}
		none, usual := spill(0), spill(recipe.UsualRelief)
		if a, b := spilled(none, 100, 180), spilled(usual, 100, 180); a != b {
			t.Errorf("the floor gets %g, without relief %g", b, a)
		}
		var toward, away, n, k float64
		for x := 195; x < 225; x++ {
			ratio := spilled(usual, x, 105) / spilled(none, x, 105)
			if c := from.flank * math.Cos(wave(x)); c > 0.6 {
				toward, n = toward+ratio, n+1
			} else if c < -0.6 {
				away, k = away+ratio, k+1
			}
		}
		if toward, away = toward/n, away/k; toward < 1.05 || away > 0.95 {
			t.Errorf(
				"lit from %v, what faces the light gets %.3f of before, what turns away %.3f",
				from.x,
				toward,
				away,
			)
		}
	}
}

// What is changed and changed back shows what a new engine does: what is kept summed is of its own
// settings.
func TestThereAndBackInARoom(t *testing.T) {
	p, r := inFlat(t)
	post(t, r, 180, 240)
	for i := range p.Pix8 {
		p.Pix8[i] += uint8(i / 9 % 40) // something that relief is read from
	}
	r.Room.Daylight, r.Room.Bounce = 1, 1
	for n := range 6 { // of so many lights sums are kept
		var err error
		if r, err = edit.DuplicateLight(r, 0); err != nil {
			t.Fatal(err)
		}
		x := float64(40 + 20*n)
		r.Lights[1].Shapes = shape.Shapes{shape.Ellipse{X: x, Y: 90, Width: 12, Height: 12,
			Feet: shape.FeetAt(shape.Foot{X: x, Y: 155})}}
	}
	for what, change := range map[string]func(*recipe.Recipe){
		"edge light":  func(r *recipe.Recipe) { r.Room.Things[0].Edge = 0.2 },
		"broad light": func(r *recipe.Recipe) { r.Room.Things[0].Broad = 0.2 },
		"relief":      func(r *recipe.Recipe) { r.Room.Things[0].Relief = 0 },
		"daylight":    func(r *recipe.Recipe) { r.Room.Daylight = 0.4 },
		"bounce":      func(r *recipe.Recipe) { r.Room.Bounce = 2 },
	} {
		other := r.Clone()
		change(other)
		e := New(1 << 27)
		shots := []*recipe.Recipe{r, other}
		want := make([]string, 2)
		for i := range shots {
			want[i] = string(rgba(t, New(1<<27), Request{Photo: p, PhotoKey: "p",
				Recipe: shots[i]}).Pix)
		}
		if want[0] == want[1] {
			t.Fatalf("%s changes nothing", what)
		}
		for n, i := range []int{0, 0, 1, 1, 0, 1, 0} {
			q := Request{Photo: p, PhotoKey: "p", Recipe: shots[i]}
			for _, rough := range []*atomic.Bool{new(atomic.Bool), nil} {
				q.Rough = rough
				if string(rgba(t, e, q).Pix) != want[i] && (rough == nil || !rough.Load()) {
					t.Errorf("%s: frame %d is not that of a new engine", what, n)
				}
			}
		}
	}
}

// An area where spill falls, made for a rough frame, is not what the fine one works in.
func TestRoughAreas(t *testing.T) {
	p, r := inFlat(t)
	r.Room.Daylight, r.Room.Bounce = 1, 1
	r, id, err := edit.AddArea(r, "Lit", area.Part{On: true, Does: area.Add, Amount: 1,
		Of: area.Light{What: area.Spill, Gain: 3}})
	if err != nil {
		t.Fatal(err)
	}
	darker := pass.Pass{On: true, Strength: 1, Joining: pass.Normal, Area: id, Name: "Darker",
		Does: pass.Levels{Exposure: -3, Middle: 1, White: 1}}
	r.Finish.On, r.Finish.Passes = true, []pass.Pass{darker}
	if err := r.Validate(); err != nil {
		t.Fatal(err)
	}
	e := New(1 << 27)
	rgba(t, e, Request{Photo: p, PhotoKey: "p", Recipe: r})
	moved := r.Clone()
	moved.Lights[0].Shapes = shape.Shapes{shape.Standing(r.Lights[0].Shapes[0],
		shape.FeetAt(shape.Foot{X: 190, Y: 160}))}
	var rough atomic.Bool
	q := Request{Photo: p, PhotoKey: "p", Recipe: moved, Rough: &rough}
	rgba(t, e, q)
	if !rough.Load() {
		t.Fatal("nothing was rough")
	}
	q.Rough = nil
	want := rgba(t, New(1<<27), q)
	if string(rgba(t, e, q).Pix) != string(want.Pix) {
		t.Error("at rest the picture is made in the rough frame's area")
	}
	rough.Store(false)
	q.Rough = &rough
	if string(rgba(t, e, q).Pix) != string(want.Pix) || rough.Load() {
		t.Error("what is ready by then is rough")
	}
}

// bulbs is a large picture of a room with two bulbs and a post between them.
func bulbs(t *testing.T) (*photo.Photo, *recipe.Recipe) {
	t.Helper()
	p := flat(1280, 850, 128)
	r := recipe.New(1280, 850)
	r.Room.On, r.Room.Horizon = true, 255
	r.Room.Walls = []recipe.Wall{{ID: "w", Name: "Wall", From: camera.Point{X: 170, Y: 470},
		To: camera.Point{X: 1110, Y: 470}}}
	for n := range 2 {
		l := recipe.DefaultLight(r.Photo)
		l.ID, l.Name, l.Gel = string(rune(0x61+n)), "Bulb", recipe.Gel{Hue: 40 + 150*float64(n),
			Saturation: 1, Lightness: 0.5}
		x := 500 + 300*float64(n)
		l.Shapes = shape.Shapes{shape.Ellipse{X: x, Y: 340, Width: 50, Height: 50,
			Feet: shape.FeetAt(shape.Foot{X: x, Y: 640})}}
		r.Lights = append(r.Lights, l)
	}
	covers := func(x, y float64) float64 {
		if x > 600 && x < 680 && y > 260 && y < 640 {
			return 1
		}
		return 0
	}
	r.CutOuts = append(r.CutOuts, cutOutOf(t, "c", 1280, 850, covers, covers))
	r, err := edit.AddThing(r, "c", camera.Point{X: 640, Y: 640})
	if err != nil {
		t.Fatal(err)
	}
	if !r.Spill.On || r.Room.Bounce == 0 || p.Width*p.Height <= glow.WholeLimit {
		t.Fatal("nothing bounces, or the picture is small")
	}
	return p, r
}

// What several lights give is added up before it is read in a picture that is not kept whole: that
// is what each of them gives in turn, on what is flat and on what is round, where one is brighter
// than light adds up as well.
func TestJoint(t *testing.T) {
	p, r := bulbs(t)
	r.Lights[0].Spill.Strength, r.Room.Bounce = 40, 0.6
	plan, err := newPlan(
		t.Context(),
		New(1<<29).Cache,
		&Request{Photo: p, PhotoKey: "p", Recipe: r},
	)
	if err != nil {
		t.Fatal(err)
	}
	spills := plan.stages[slices.IndexFunc(plan.stages,
		func(s stage) bool { _, ok := s.(*spillStage); return ok })].(*spillStage)
	g := spills.groups[0]
	part := image.Rect(100, 380, 1180, 640)
	each, all := make([]float32, 3*part.Dx()), make([]float32, 3*part.Dx())
	var j joint
	var terms []glow.Term
	for i, sp := range g.spills {
		if !plan.room.joins(sp) {
			t.Fatal("a light is not added up with others")
		}
		j.lights, j.colours = append(j.lights, sp.room), append(j.colours, g.colour[i])
		one, err := plan.room.terms(t.Context(), sp.room, part, false, g.colour[i][:]...)
		if err != nil {
			t.Fatal(err)
		}
		terms = append(terms, one...)
	}
	bright, round := 0, 0
	for _, export := range []bool{false, true} {
		if export {
			plan.graph = plan.graph.Child(1 << 28)
		}
		joined, err := j.term(t.Context(), plan.room, part)
		if err != nil {
			t.Fatal(err)
		}
		for y := part.Min.Y; y < part.Max.Y; y++ {
			clear(each)
			clear(all)
			for _, one := range terms {
				simd.AddColours(each, one.Colours.Row(y), [3]float32(one.Weight))
			}
			// In two pieces that meet on the post, as parts of a row may be asked for.
			joined[0].Rows(all[:3*540], part.Min.X, y)
			joined[0].Rows(all[3*540:], part.Min.X+540, y)
			for i, v := range each {
				if x := part.Min.X + i/3; x > 600 && x < 680 && v > 0 {
					round++
				}
				if v >= brightest {
					bright++
				}
				if math.Abs(float64(v-all[i])) > 1e-5 {
					t.Fatalf("at %d, %d it is %v, each in turn %v", part.Min.X+i/3, y, all[i], v)
				}
			}
		}
	}
	if bright < 100 || round < 100 {
		t.Errorf("%d samples are bright, and %d are on what is round", bright, round)
	}
}

// A large picture, of which an export makes each row of what falls on the room when it is wanted,
// is that of a frame of its size to the bit: of one colour, and of a ramp.
func TestRoomInStrips(t *testing.T) {
	p, r := bulbs(t)
	ramp := r.Clone()
	ramp.Lights[0].Spill.Ramp = recipe.Ramp{Dark: recipe.Tint{Hue: 30}, Middle: 0.4}
	for _, r := range []*recipe.Recipe{r, ramp} {
		if err := r.Validate(); err != nil {
			t.Fatal(err)
		}
		want := rgba(t, New(1<<29), Request{Photo: p, PhotoKey: "p", Recipe: r})
		got, err := New(1<<29).Export(t.Context(), Request{Photo: p, PhotoKey: "p", Recipe: r}, nil)
		if err != nil {
			t.Fatal(err)
		}
		if string(got.(*image.RGBA).Pix) != string(want.Pix) {
			t.Error("an export is not the frame of its size")
		}
	}
}

// Where a post is marked in a photo that shows no shadow of it, none is divided out: about its foot
// the floor is not told to be of lighter stone than anywhere else. Where the photo shows its
// shadow, it is.
func TestUnseenShadow(t *testing.T) {
	p, r := inFlat(t)
	post(t, r, 190, 206)
	spill := func(p *photo.Photo, daylight float64) image.Image {
		q := r.Clone()
		q.Room.Daylight = daylight
		return render(t, New(1<<27), Request{Photo: p, Recipe: q, Layer: Spill, Deep: true})
	}
	lighter := func(p *photo.Photo, x, y int) float64 {
		return spilled(spill(p, 1), x, y) / spilled(spill(p, 0), x, y)
	}
	open := lighter(p, 80, 190)
	for _, x := range []int{184, 187} {
		if at := lighter(p, x, 149); at > 1.1*open {
			t.Errorf(
				"at %d, beside the post, what the photo does not show is divided out: %.3f, in the open %.3f",
				x,
				at,
				open,
			)
		}
	}
	// The same with a dark place there, as its shadow would be.
	shown := flat(300, 200, 128)
	for y := 141; y < 160; y++ {
		for x := 166; x < 190; x++ {
			for c := range 3 {
				shown.Pix8[3*(300*y+x)+c] = 90
			}
		}
	}
	if at := lighter(shown, 187, 149); at < 1.2*open {
		t.Errorf(
			"a shadow that the photo shows is not divided out: %.3f, in the open %.3f",
			at,
			open,
		)
	}
}

// At a soft edge of a dark post before a bright wall most of the light is the wall's: the post's
// lit rim shows on what is its own there, and no bright line runs along the outline, in a picture
// of any size.
func TestSoftEdge(t *testing.T) {
	p, r := inFlat(t)
	soft := func(x, y float64) float64 {
		if y < 60 || y > 150 {
			return 0
		}
		return math.Min(math.Max(math.Min((x-178)/4, (242-x)/4), 0), 1)
	}
	r.CutOuts = append(r.CutOuts, cutOutOf(t, "c", 300, 200, soft, soft))
	r, err := edit.AddThing(r, "c", camera.Point{X: 210, Y: 150})
	if err != nil {
		t.Fatal(err)
	}
	for y := range 200 {
		for x := range 300 {
			a := soft(float64(x)+0.5, float64(y)+0.5)
			v := uint8(math.Round(255 * colour.LinearToSRGB(0.02*a+0.6*(1-a))))
			for c := range 3 {
				p.Pix8[3*(300*y+x)+c] = v
			}
		}
	}
	for _, edge := range []int{300, 150} {
		m := render(t, New(1<<27), Request{Photo: p, Recipe: r, Layer: Spill, Deep: true,
			LongEdge: edge})
		k := 300 / edge
		at := func(x int) float64 { return spilled(m, x/k, 105/k) }
		wall, post := at(172), at(184)
		for x := 176; x < 184; x += k {
			if v := at(x); v > 2*wall {
				t.Errorf(
					"%d px: at %d there comes back %.4f, from the wall %.4f, from the post %.4f",
					edge,
					x,
					v,
					wall,
					post,
				)
			}
		}
		if rim := at(182); rim < 1.2*post {
			t.Errorf("%d px: at its rim the post gives %.4f, farther within %.4f", edge, rim, post)
		}
	}
}

// In a view of a large picture with so much spill by hand that what stands still is added up ahead,
// light of another colour is of that: none is left of what was.
func TestJointAfterAGel(t *testing.T) {
	p, r := bulbs(t)
	for range minTerms {
		next, _, err := edit.Pool(r, 0)
		if err != nil {
			t.Fatal(err)
		}
		r = next
	}
	e := New(1 << 29)
	view := image.Rect(500, 500, 700, 640)
	frame := func(e *Engine, r *recipe.Recipe) string {
		return string(rgba(t, e, Request{Photo: p, PhotoKey: "p", Recipe: r, View: view}).Pix)
	}
	for range 4 {
		frame(e, r)
	}
	other := r.Clone()
	other.Lights[1].Gel = recipe.Gel{Hue: 10, Saturation: 1, Lightness: 0.5}
	want := frame(New(1<<29), other)
	if want == frame(New(1<<29), r) {
		t.Fatal("its colour is not seen")
	}
	for range 3 {
		if frame(e, other) != want {
			t.Fatal("a light of another colour shines as it did")
		}
	}
}

// A light made of a cut-out gives the room what a light traced round the same gives it, and what
// its coverage leaves out gives nothing: holes, soft edges, what the light subtracts.
func TestCutOutLightsTheRoom(t *testing.T) {
	p, r := inFlat(t)
	mean := func(r *recipe.Recipe) (sum float64) {
		m := render(t, New(1<<27), Request{Photo: p, Recipe: r, Layer: Spill, Deep: true})
		for y := 115; y < 200; y += 4 {
			for x := 2; x < 300; x += 4 {
				sum += spilled(m, x, y)
			}
		}
		return sum
	}
	cut := func(covers func(x, y float64) float64, more ...shape.Shape) *recipe.Recipe {
		r := r.Clone()
		r.CutOuts = append(r.CutOuts, cutOutOf(t, "c1", 300, 200, covers, nil))
		r.Lights[0].Shapes = append(shape.Shapes{shape.CutOut{Of: "c1"}}, more...)
		if err := r.Validate(); err != nil {
			t.Fatal(err)
		}
		return r
	}
	traced := func(list ...shape.Shape) *recipe.Recipe {
		r := r.Clone()
		r.Lights[0].Shapes = list
		return r
	}
	rect := func(x0, y0, x1, y1 float64) shape.Outline {
		return shape.Outline{Nodes: shape.PathOf(shape.Node{X: x0, Y: y0}, shape.Node{X: x1, Y: y0},
			shape.Node{X: x1, Y: y1}, shape.Node{X: x0, Y: y1})}
	}
	whole := mean(traced(rect(120, 30, 180, 80)))
	if whole < 1 {
		t.Fatalf("the traced light gives %g", whole)
	}
	near(t, "a cut-out", mean(cut(square(120, 30, 180, 80))), whole, 0.04)
	half := func(x, y float64) float64 { return 0.5 * square(120, 30, 180, 80)(x, y) }
	near(t, "half covered", mean(cut(half)), whole/2, 0.05)
	frame := func(x, y float64) float64 {
		return square(120, 30, 180, 80)(x, y) - square(130, 40, 170, 70)(x, y)
	}
	near(t, "with a hole", mean(cut(frame)), whole*(1-40*30/(60*50.)), 0.06)
	hole := rect(130, 40, 170, 70)
	hole.Away = true
	near(
		t,
		"with a hole subtracted",
		mean(cut(square(120, 30, 180, 80), hole)),
		mean(cut(frame)),
		0.02,
	)
	near(
		t,
		"a traced light with a hole",
		mean(traced(rect(120, 30, 180, 80), hole)),
		mean(cut(frame)),
		0.06,
	)
	// With a traced shape beside it the light is the sum, and where they overlap it is not counted
	// twice.
	aside := mean(traced(rect(200, 30, 220, 80)))
	near(
		t,
		"with a shape beside it",
		mean(cut(square(120, 30, 180, 80), rect(200, 30, 220, 80))),
		whole+aside,
		0.04,
	)
	// a little is left where both cover half a cell
	near(
		t,
		"traced and cut out",
		mean(cut(square(120, 30, 180, 80), rect(120, 30, 180, 80))),
		whole,
		0.06,
	)
	// Small and round it is a bulb.
	ball := func(x, y float64) float64 {
		if math.Hypot(x-150, y-65) < 12 {
			return 1
		}
		return 0
	}
	near(t, "a ball", mean(cut(ball)), mean(traced(shape.Ellipse{X: 150, Y: 65, Width: 24,
		Height: 24})), 0.05)
}

// An object that is a light itself, made of its own cut-out, lights the room around it.
func TestObjectThatShines(t *testing.T) {
	p, r := inFlat(t)
	post(t, r, 120, 160)
	r.Lights[0].Shapes = shape.Shapes{shape.CutOut{Of: cutout.Ref(r.CutOuts[0].ID)}}
	r.Room.Bounce = 0
	m := render(t, New(1<<27), Request{Photo: p, Recipe: r, Layer: Spill, Deep: true})
	for _, k := range [][2]int{{100, 160}, {180, 160}, {140, 170}, {200, 80}} {
		if v := spilled(m, k[0], k[1]); v < 0.002 {
			t.Errorf("at %v it gives %g", k, v)
		}
	}
}

// Whatever kind of shape a light before an object is made of: moved or reshaped, the picture is
// that of a new engine.
func TestRoomKeysOfShapes(t *testing.T) {
	p, r := inFlat(t)
	post(t, r, 130, 170)
	r.CutOuts = append(r.CutOuts, cutOutOf(t, "x", 300, 200, square(140, 90, 150, 120), nil))
	nodes := shape.PathOf(shape.Node{X: 135, Y: 90}, shape.Node{X: 150, Y: 92},
		shape.Node{X: 145, Y: 120})
	kinds := map[string]bool{}
	for _, tt := range []struct {
		name string
		s    shape.Shape
		move func(r *recipe.Recipe)
	}{
		{"outline", shape.Outline{Nodes: nodes}, nil},
		{"tube", shape.Tube{Width: 6, Nodes: nodes}, nil},
		{"ellipse", shape.Ellipse{X: 150, Y: 100, Width: 20, Height: 30}, nil},
		{"string", shape.String{Nodes: nodes, Laid: "count", Count: 4, Spacing: 12, Width: 5}, nil},
		{"cut-out moved", shape.CutOut{Of: "x"}, func(r *recipe.Recipe) { r.CutOuts[1].X = -12 }},
		{"cut-out refined", shape.CutOut{Of: "x"}, func(r *recipe.Recipe) {
			r.CutOuts[1] = cutOutOf(t, "x", 300, 200, square(128, 80, 150, 120), nil)
		}},
	} {
		kinds[fmt.Sprintf("%T", tt.s)] = true
		q := Request{Photo: p, PhotoKey: "p", Recipe: r.Clone()}
		q.Recipe.Lights[0].Shapes = shape.Shapes{tt.s}
		// A second light, whose spill is seen, that the first one's mark on the post changes.
		other := q.Recipe.Lights[0]
		other.ID, other.Shapes = "o", shape.Shapes{shape.Ellipse{X: 60, Y: 80, Width: 12,
			Height: 12, Feet: shape.FeetAt(shape.Foot{X: 60, Y: 150})}}
		q.Recipe.Lights = append(q.Recipe.Lights, other)
		if err := q.Recipe.Validate(); err != nil {
			t.Fatalf("%s: %v", tt.name, err)
		}
		e := New(1 << 27)
		before := rgba(t, e, q)
		q.Recipe = q.Recipe.Clone()
		if tt.move != nil {
			tt.move(q.Recipe)
		} else {
			q.Recipe.Lights[0].Shapes = shape.Shapes{tt.s.Shifted(-12, 0).(shape.Shape)}
		}
		after := rgba(t, e, q)
		if string(after.Pix) != string(rgba(t, New(1<<27), q).Pix) {
			t.Errorf("%s: the picture is not that of a new engine", tt.name)
		}
		if string(after.Pix) == string(before.Pix) {
			t.Errorf("%s: the picture stays", tt.name)
		}
	}
	for _, k := range shape.Kinds {
		if !kinds[fmt.Sprintf("%T", k.Zero)] {
			t.Errorf("a %s is not tried", k.Word)
		}
	}
}
