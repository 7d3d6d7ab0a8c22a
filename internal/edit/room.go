package edit

import (
	"fmt"
	"math"
	"slices"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/fault"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
)

// unused returns a name with the lowest number that is not among names.
func unused(name string, names []string) string {
	out := name
	for n := 2; slices.Contains(names, out); n++ {
		out = fmt.Sprintf("%s %d", name, n)
	}
	return out
}

// AddWall returns the recipe with a wall that meets the floor along a line. In a shot without a
// room that line makes the room: the horizon is taken to be where it is in most photos, above the
// line.
func AddWall(r *recipe.Recipe, from, to camera.Point) (*recipe.Recipe, error) {
	c := r.Clone()
	m := &c.Room
	if most := setting.Of[recipe.Room]("walls").Count[1]; len(m.Walls) >= most {
		return nil, fault.New(
			fault.NoRoom,
			"A room holds at most %d walls. Delete one that is not needed.",
			most,
		)
	}
	if !m.On {
		m.On = true
		if m.Corners.Len() == 0 && len(m.Walls) == 0 {
			h := float64(r.Photo.Height)
			m.Horizon = setting.Round(math.Min(0.4*h, math.Min(from.Y, to.Y)-0.1*h))
		}
	}
	var names []string
	for _, w := range m.Walls {
		names = append(names, w.Name)
	}
	id, name := setting.NewID("w"), unused("Wall", names)
	m.Walls = append(m.Walls, recipe.Wall{ID: id, Name: name, From: from, To: to})
	return c, c.Validate()
}

// SetHorizon returns the recipe with a floor that ends at a line across the photo: the horizon, or
// higher where the ground rises. Corners tell of the floor no more.
func SetHorizon(r *recipe.Recipe, a, b camera.Point) (*recipe.Recipe, error) {
	if a.X > b.X {
		a, b = b, a
	}
	dx, dy := b.X-a.X, b.Y-a.Y
	if dx < math.Abs(dy) {
		return nil, fault.New(
			fault.Invalid,
			"The line is upright. Drag along the horizon, from left to right.",
		)
	}
	c := r.Clone()
	m := &c.Room
	m.On, m.Corners = true, recipe.Points{}
	m.Horizon = math.Round(10*(a.Y+(float64(r.Photo.Width)/2-a.X)*dy/dx)) / 10
	m.Roll = math.Round(10*math.Atan2(dy, dx)*180/math.Pi) / 10
	return c, c.Validate()
}

// SetFloor returns the recipe with a floor by the corners of a rectangle on it.
func SetFloor(r *recipe.Recipe, corners []camera.Point) (*recipe.Recipe, error) {
	c := r.Clone()
	c.Room.On, c.Room.Corners = true, setting.ListOf(corners...)
	return c, c.Validate()
}

// SetCamera returns the recipe with a floor that is seen by a camera: a square of it, whose sides
// go by degrees to the right of straight ahead, and the field of view.
func SetCamera(r *recipe.Recipe, cam *camera.Camera, heading float64) (*recipe.Recipe, error) {
	w, h := float64(r.Photo.Width), float64(r.Photo.Height)
	corners, ok := cam.Square(heading, w, h)
	if !ok {
		return nil, fault.New(
			fault.Invalid,
			"The photo shows too little floor below the horizon. Drag a wall line or the horizon instead.",
		)
	}
	for i, p := range corners {
		corners[i] = camera.Point{X: math.Round(10*p.X) / 10, Y: math.Round(10*p.Y) / 10}
	}
	c, err := SetFloor(r, corners[:])
	if err != nil {
		return nil, err
	}
	c.Room.View = math.Round(10*camera.ViewOf(cam.F, w)) / 10
	return c, c.Validate()
}

// SetCeiling returns the recipe with a ceiling that meets a wall along a line.
func SetCeiling(r *recipe.Recipe, a, b camera.Point) (*recipe.Recipe, error) {
	s, err := r.Space()
	if err != nil {
		return nil, err
	}
	if !r.Room.On || len(s.Walls) == 0 {
		return nil, fault.New(
			fault.Invalid,
			"A ceiling needs a wall. Draw a wall line on the floor first.",
		)
	}
	high := 0.0
	for _, p := range [2]camera.Point{a, b} {
		ray := s.Cam.Ray(p.X, p.Y)
		near := math.Inf(1)
		for _, w := range s.Walls {
			if t, ok := w.Hit(ray); ok {
				near = math.Min(near, t)
			}
		}
		if h := s.Cam.Height(ray.Mul(near)); !(h > 1.05 && h < setting.Of[recipe.Room]("ceiling").Max.A) {
			return nil, fault.New(
				fault.Invalid,
				"Here the ceiling would lie below the camera. Draw its line above the horizon, where it meets a wall.",
			)
		} else {
			high += h / 2
		}
	}
	c := r.Clone()
	c.Room.Ceiling = math.Round(100*high) / 100
	return c, c.Validate()
}

// AddPlatform returns the recipe with a platform of four corners, over a foot under the first.
func AddPlatform(r *recipe.Recipe, top []camera.Point, foot camera.Point) (*recipe.Recipe, error) {
	c := r.Clone()
	m := &c.Room
	if most := setting.Of[recipe.Room]("platforms").Count[1]; len(m.Platforms) >= most {
		return nil, fault.New(
			fault.NoRoom,
			"A room holds at most %d platforms. Delete one that is not needed.",
			most,
		)
	}
	var names []string
	for _, p := range m.Platforms {
		names = append(names, p.Name)
	}
	id, name := setting.NewID("p"), unused("Platform", names)
	m.On = true
	m.Platforms = append(
		m.Platforms,
		recipe.Platform{ID: id, Name: name, Top: setting.ListOf(top...),
			Foot: foot},
	)
	return c, c.Validate()
}

// FootOf guesses where a cut-out stands: below its middle, where what it covers ends.
func FootOf(r *recipe.Recipe, o *cutout.CutOut) (camera.Point, error) {
	m, err := o.Raster.Mask()
	if err != nil {
		return camera.Point{}, err
	}
	scale := min(1, 400/float64(r.Photo.LongEdge()))
	part := o.On(m, cutout.Alpha).At(scale)
	b := part.Bounds()
	row := make([]float32, b.Dx())
	var low float64
	var sum, n float64
	for y := b.Max.Y - 1; y >= b.Min.Y; y-- {
		part.Fill(row, b.Min.X, y)
		for x, v := range row {
			if v > 0.5 {
				if low == 0 {
					low = float64(y + 1)
				}
				sum, n = sum+float64(b.Min.X+x)+0.5, n+1
			}
		}
		// The lowest tenth tells where it stands.
		if low > 0 && low-float64(y) > 0.1*float64(b.Dy()) {
			break
		}
	}
	if n == 0 {
		return camera.Point{}, fault.New(
			fault.Invalid,
			"“%s” is empty. Paint strokes in it first.",
			o.Name,
		)
	}
	// Its sole lies a little above its lowest edge, which is that of its nearest part.
	return camera.Point{X: sum / n / scale, Y: (low - 0.02*float64(b.Dy())) / scale}, nil
}

// AddThing returns the recipe with a cut-out standing in the room, at the foot of what it covers:
// on the floor, or on a platform whose top is seen there.
func AddThing(r *recipe.Recipe, of cutout.Ref, foot camera.Point) (*recipe.Recipe, error) {
	c := r.Clone()
	m := &c.Room
	if most := setting.Of[recipe.Room]("things").Count[1]; len(m.Things) >= most {
		return nil, fault.New(
			fault.NoRoom,
			"A room holds at most %d objects. Delete one that is not needed.",
			most,
		)
	}
	if slices.ContainsFunc(m.Things, func(t recipe.Thing) bool { return t.Of == of }) {
		return nil, fault.New(fault.Invalid, "“%s” stands in the room already.", r.NameOf(of))
	}
	id := setting.NewID("t")
	t := setting.New[recipe.Thing](r.Photo.Frame())
	t.ID, t.Of, t.Foot, t.Relief = id, of, foot, recipe.UsualRelief
	if sp, err := r.Space(); err == nil {
		if i := sp.Under(foot); i >= 0 {
			t.On = recipe.PlatformRef(m.Platforms[i].ID)
		}
	}
	m.Things = append(m.Things, t)
	return c, c.Validate()
}

// TouchUp returns the recipe with one more touch of a light's spill, in an area of its own that is
// yet to be painted, and that area.
func TouchUp(r *recipe.Recipe, light int, does recipe.Touching) (*recipe.Recipe, area.Ref, error) {
	if most := setting.Of[recipe.Spill]("touches").Count[1]; len(
		r.Lights[light].Spill.Touches,
	) >= most {
		return nil, "", fault.New(
			fault.NoRoom,
			"The spill of a light is touched up %d times at most. Delete one that is not needed.",
			most,
		)
	}
	name := map[recipe.Touching]string{recipe.LessSpill: "Less spill of ",
		recipe.MoreSpill: "More spill of ", recipe.NewSpill: "Painted light of "}[does]
	if name == "" {
		return nil, "", fault.New(
			fault.Invalid,
			"A touch-up reduces spill, increases it, or adds light.",
		)
	}
	l := []rune(name + r.Lights[light].Name)
	c, id, err := AddArea(r, string(l[:min(len(l), 74)]))
	if err != nil {
		return nil, "", err
	}
	t := setting.New[recipe.Touch](r.Photo.Frame())
	t.Area, t.Does = id, does
	if does != recipe.LessSpill {
		t.Amount = 0.5
	}
	c.Lights[light].Spill.Touches = append(c.Lights[light].Spill.Touches, t)
	return c, id, c.Validate()
}

// Pool returns the recipe with light of a light's gel on the ground below it, by hand: a touch of
// new light in a ring that lies flat, as a pool does in perspective, and that ring's area. Nothing
// has to be painted; it is moved, sized and turned like any ring.
func Pool(r *recipe.Recipe, light int) (*recipe.Recipe, area.Ref, error) {
	c, id, err := TouchUp(r, light, recipe.NewSpill)
	if err != nil {
		return nil, "", err
	}
	touches := c.Lights[light].Spill.Touches
	touches[len(touches)-1].Amount = 1
	const step = 1.0 / 16
	long := float64(r.Photo.LongEdge())
	x, y, wide := float64(r.Photo.Width)/2, float64(r.Photo.Height)*0.8, long/3
	if b := r.Lights[light].Shapes.At(step).Bounds(); !b.Empty() {
		wide = max(wide, 1.5*float64(b.Dx())/step)
		x, y = float64(b.Min.X+b.Max.X)/2/step, min(float64(b.Max.Y)/step+wide/8,
			float64(r.Photo.Height)*0.97)
	}
	a := c.Area(id)
	name := []rune("Pool of " + r.Lights[light].Name)
	a.Name = string(name[:min(len(name), 74)])
	part := setting.New[area.Part](r.Photo.Frame())
	part.ID, part.Does = setting.NewID("i"), area.Add
	part.Of = area.Ring{X: setting.Round(x), Y: setting.Round(y), Width: setting.Round(wide),
		Height: setting.Round(wide / 4), Inner: 0.2}
	a.Parts = []area.Part{part}
	return c, id, c.Validate()
}
