package staging

import (
	"fmt"
	"math"

	"pyrant/internal/base/camera"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/shape"
)

// Sketch is a room as lines over the photo, in its pixels, with the points that it is taken hold of
// by.
type Sketch struct {
	View    float64 `json:"view"`    // field of view across the photo, in degrees
	Horizon Line    `json:"horizon"` // from edge to edge
	Grid    []Line  `json:"grid"`    // squares of the floor
	Lines   []Line  `json:"lines"`   // of walls and platforms
	Feet    []Foot  `json:"feet"`
	Points  []Held  `json:"points"`
}

// Line is a line between two places: x and y of each.
type Line [4]float64

// Foot is where something stands: the point on the floor, what of it is over that, and its name.
type Foot struct {
	At    [2]float64 `json:"at"`
	Top   [2]float64 `json:"top"`
	Light int        `json:"light"` // its index, -1 for a thing
	Name  string     `json:"name"`
}

// Held is a point that can be dragged. Path is where it stands in the recipe; one of a guess stands
// nowhere yet, and Path is that of the list that it begins.
type Held struct {
	Path  string     `json:"path"`
	Field string     `json:"field"` // as faults name it
	At    [2]float64 `json:"at"`
	Of    string     `json:"of"` // floor, wall, platform, thing or foot
	Name  string     `json:"name"`
	Guess bool       `json:"guess,omitempty"`
	Light int        `json:"light"`
}

// NewSketch draws the room of a recipe; the feet of the light of an index can be dragged.
func NewSketch(r *recipe.Recipe, light int) (*Sketch, error) {
	sp, err := r.Space()
	if err != nil {
		return nil, err
	}
	s := &Set{Space: sp, Photo: r.Photo, r: r}
	w := float64(r.Photo.Width)
	k := &Sketch{View: camera.ViewOf(sp.Cam.F, w), Horizon: Line{0, sp.Cam.Horizon(0), w,
		sp.Cam.Horizon(w)}, Grid: []Line{}, Lines: []Line{}, Feet: []Foot{}, Points: []Held{}}
	s.grid(k)
	hold := func(of, name, path string, p camera.Point) {
		k.Points = append(k.Points, Held{Path: "/room/" + path, Field: field("room/" + path),
			At: [2]float64{p.X, p.Y}, Of: of, Name: name, Light: -1})
	}
	for i, p := range r.Room.Corners.All() {
		hold("floor", fmt.Sprintf("Corner %d of the floor", i+1), fmt.Sprintf("corners/%d", i), p)
	}
	for i, l := range r.Room.Walls {
		k.Lines = append(k.Lines, Line{l.From.X, l.From.Y, l.To.X, l.To.Y})
		if sp.Ceiling != nil { // over it, where wall and ceiling meet
			a, _ := sp.Cam.Floor(l.From.X, l.From.Y)
			b, _ := sp.Cam.Floor(l.To.X, l.To.Y)
			up := sp.Cam.Up.Mul(r.Room.Ceiling)
			k.line(&sp.Cam, a.Add(up), b.Add(up))
		}
		hold("wall", l.Name, fmt.Sprintf("walls/%d/from", i), l.From)
		hold("wall", l.Name, fmt.Sprintf("walls/%d/to", i), l.To)
	}
	for i, p := range r.Room.Platforms {
		for _, f := range sp.Prisms[i].Faces {
			for n, v := range f {
				k.line(&sp.Cam, v, f[(n+1)%len(f)])
			}
		}
		for n, c := range p.Top.All() {
			hold("platform", fmt.Sprintf("Corner %d of %s", n+1, p.Name), fmt.Sprintf("platforms/%d/top/%d", i, n), c)
		}
		hold("platform", "Foot of "+p.Name, fmt.Sprintf("platforms/%d/foot", i), p.Foot)
	}
	for i, t := range r.Room.Things {
		name := r.NameOf(t.Of)
		hold("thing", "Foot of "+name, fmt.Sprintf("things/%d/foot", i), t.Foot)
		// A short line says that something stands there; the photo shows how high it is.
		k.Feet = append(k.Feet, Foot{[2]float64{t.Foot.X, t.Foot.Y}, [2]float64{t.Foot.X,
			t.Foot.Y - 0.04*float64(r.Photo.Height)}, -1, name})
	}
	for i := range r.Lights {
		l := &r.Lights[i]
		for j, sh := range l.Shapes {
			if !sh.Taken() {
				s.feet(k, i, j, l, sh, i == light)
			}
		}
	}
	return k, nil
}

// field returns a path as faults name it.
func field(path string) string {
	out := ""
	for i := 0; i < len(path); i++ {
		if path[i] != '/' {
			out += string(path[i])
			continue
		}
		n := i + 1
		for n < len(path) && path[n] >= '0' && path[n] <= '9' {
			n++
		}
		if n > i+1 && (n == len(path) || path[n] == '/') {
			out += "[" + path[i+1:n] + "]"
			i = n - 1
		} else {
			out += "."
		}
	}
	return out
}

// feet draws the feet of a shape.
func (s *Set) feet(k *Sketch, i, j int, l *recipe.Light, sh shape.Shape, own bool) {
	x, y, _ := extent(sh)
	if math.IsInf(x, 0) || math.IsNaN(x) {
		return
	}
	add := func(n int, at camera.Vec, px [2]float64, top [2]float64, guess bool) {
		k.Feet = append(k.Feet, Foot{px, top, i, l.Name})
		if !own {
			return
		}
		path := fmt.Sprintf("/lights/%d/shapes/%d/feet", i, j)
		if !guess {
			path += fmt.Sprintf("/%d", n)
		}
		k.Points = append(k.Points, Held{Path: path, Field: field(path[1:]), At: px, Of: "foot",
			Name: "Foot of " + l.Name, Guess: guess, Light: i})
	}
	feet := shape.FeetOf(sh).All()
	for n, f := range feet {
		v, ok := s.Cam.Floor(f.X, f.Y)
		if !ok {
			continue
		}
		top := [2]float64{x, y}
		if t, is := sh.(shape.Tube); is && len(feet) == 2 {
			if line, _ := shape.Centre(t); len(line) > 0 {
				p := line[n*(len(line)-1)]
				top = [2]float64{p.X, p.Y}
			}
		}
		add(n, v, [2]float64{f.X, f.Y}, top, false)
	}
	if len(feet) > 0 {
		return
	}
	if _, is := sh.(shape.CutOut); is {
		return
	}
	v, ok := s.standing(sh, l)
	if !ok {
		return
	}
	if px, py, ok := s.Cam.Project(v); ok {
		add(0, v, [2]float64{math.Round(px*100) / 100, math.Round(py*100) / 100}, [2]float64{x, y},
			true)
	}
}

// standing is Guess without the bodies of things: what lies on a thing stands where that does.
func (s *Set) standing(sh shape.Shape, l *recipe.Light) (camera.Vec, bool) {
	kind, id := l.Stand.Of()
	var wall *camera.Plane
	switch kind {
	case recipe.OnThing:
		for i := range s.r.Room.Things {
			if s.r.Room.Things[i].ID == id {
				return s.Feet[i], true
			}
		}
	case recipe.OnWall:
		for i := range s.r.Room.Walls {
			if s.r.Room.Walls[i].ID == id {
				wall = &s.Walls[i]
			}
		}
	}
	return s.Guess(sh, l, nil, wall)
}

// line adds a line between two places, as far as it lies before the camera.
func (k *Sketch) line(cam *camera.Camera, a, b camera.Vec) {
	const near = 0.1
	if a.Z < near && b.Z < near {
		return
	}
	if a.Z < near {
		a, b = b, a
	}
	if b.Z < near {
		b = a.Add(b.Sub(a).Mul((a.Z - near) / (a.Z - b.Z)))
	}
	x0, y0, _ := cam.Project(a)
	x1, y1, _ := cam.Project(b)
	k.Lines = append(k.Lines, Line{x0, y0, x1, y1})
}

// grid draws squares on the floor: within its rectangle, or else before the first wall, or the
// camera.
func (s *Set) grid(k *Sketch) {
	var at, u, v camera.Vec // corner, and the two sides
	cam := &s.Cam
	if c := s.r.Room.Corners.All(); len(c) == 4 {
		var p [4]camera.Vec
		for i, q := range c {
			p[i], _ = cam.Floor(q.X, q.Y)
		}
		at, u, v = p[0], p[1].Sub(p[0]), p[3].Sub(p[0])
	} else {
		ahead := cam.Level(camera.Vec{Z: 1})
		mid := cam.Drop(ahead.Mul(2.5))
		if len(s.Walls) > 0 {
			l := s.r.Room.Walls[0]
			a, _ := cam.Floor(l.From.X, l.From.Y)
			b, _ := cam.Floor(l.To.X, l.To.Y)
			at, u = a, b.Sub(a)
			v = s.Walls[0].N.Mul(math.Min(u.Len()*0.6, 3))
		} else {
			right := ahead.Cross(cam.Up)
			if right.X < 0 {
				right = right.Mul(-1)
			}
			at, u, v = mid.Sub(right.Mul(1.5)), right.Mul(3), ahead.Mul(3)
		}
	}
	// Squares: as many as make four of the shorter side.
	cell := math.Min(u.Len(), v.Len()) / 4
	if cell < 1e-6 {
		return
	}
	nu, nv := int(math.Round(u.Len()/cell)), int(math.Round(v.Len()/cell))
	nu, nv = min(max(nu, 1), 24), min(max(nv, 1), 24)
	old := k.Lines
	k.Lines = nil
	for i := range nu + 1 {
		p := at.Add(u.Mul(float64(i) / float64(nu)))
		k.line(cam, p, p.Add(v))
	}
	for i := range nv + 1 {
		p := at.Add(v.Mul(float64(i) / float64(nv)))
		k.line(cam, p, p.Add(u))
	}
	k.Grid, k.Lines = append(k.Grid, k.Lines...), old
}
