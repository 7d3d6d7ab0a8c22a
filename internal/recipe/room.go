package recipe

import (
	"fmt"
	"math"
	"slices"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/fault"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
)

// Points is a list of places on the photo.
type Points = setting.List[camera.Point]

// Room is what the photo shows, as far as light needs to know: a floor, walls, what stands on the
// floor. Without one, spill goes by the distance in the picture.
type Room struct {
	On        bool       `json:"on" label:"On" default:"false" row:"own"`
	Corners   Points     `json:"corners,omitzero" label:"Corners" row:"own" count:"0..4" each:"corner" doc:"of a rectangle on the floor, in order; empty where the horizon gives the floor"`
	Horizon   float64    `json:"horizon" label:"Horizon" unit:"px" range:"-2H..2H" slider:"-H/2..H" default:"H/3" step:"0.1" doc:"distance from the top edge, in the middle of the photo; unused with corners"`
	Roll      float64    `json:"roll" label:"Roll" unit:"°" range:"-30..30" slider:"-10..10" default:"0" step:"0.1" doc:"of the horizon, clockwise; unused with corners"`
	View      float64    `json:"view" label:"Field of view" unit:"°" range:"0..140" slider:"0..100" default:"0" step:"0.5" doc:"across the photo; 0 for automatic"`
	Walls     []Wall     `json:"walls,omitzero" label:"Walls" count:"0..12" each:"wall" title:"*" doc:"referred to by id"`
	Platforms []Platform `json:"platforms,omitzero" label:"Platforms" count:"0..30" each:"platform" title:"*" doc:"tables, steps, crates; referred to by id"`
	Things    []Thing    `json:"things,omitzero" label:"Objects" count:"0..60" each:"object" title:"*" doc:"cut-outs in the room; referred to by id"`
	Ceiling   float64    `json:"ceiling" label:"Ceiling height" unit:"×" range:"0..60" slider:"0..8" default:"0" step:"0.01" doc:"in heights of the camera above the floor; 0 for no ceiling"`
	Shadows   float64    `json:"shadows" label:"Shadows" unit:"%" range:"0..1" default:"1" step:"0.01" doc:"how dark the shadows of objects are"`
	Bounce    float64    `json:"bounce" label:"Bounce" unit:"%" range:"0..2" default:"1" step:"0.01" doc:"light reflected once from surface to surface"`
	Sheen     float64    `json:"sheen" label:"Wet floor" unit:"%" range:"0..2" slider:"0..1" default:"0" step:"0.01" doc:"how much the floor mirrors lights"`
	Rough     float64    `json:"rough" label:"Roughness" unit:"%" range:"0.02..1" slider:"0.02..0.6" default:"0.2" step:"0.01" doc:"of wet floor and glossy walls; longer reflections"`
	Gain      float64    `json:"gain" label:"Spill in the room" unit:"×" range:"0.001..1000" slider:"0.05..20 log" default:"1" step:"0.01" doc:"factor on all spill; a new room is set so that the mean of spill stays"`
	Daylight  float64    `json:"daylight" label:"Neutralise daylight" unit:"%" range:"0..1" default:"1" step:"0.01" doc:"how far the photo's own shading is removed from surface colours"`
}

// MinRoomGain and MaxRoomGain are the range of a room's gain.
const (
	MinRoomGain = 0.001
	MaxRoomGain = 1000
)

// SetUp reports whether the room was ever given a floor: by a horizon, walls or corners.
func (r Room) SetUp() bool { return r.On || len(r.Walls) > 0 || r.Corners.Len() > 0 }

// Idle names what does nothing as the room is.
func (r Room) Idle() []string {
	var idle []string
	if r.Corners.Len() > 0 {
		idle = []string{"horizon", "roll"}
	}
	if r.Sheen == 0 && !slices.ContainsFunc(r.Walls, func(w Wall) bool { return w.Gloss > 0 }) {
		idle = append(idle, "rough")
	}
	return idle
}

// Wall is an upright wall, by the line where it meets the floor. It goes on beyond the line's ends,
// up to where another surface is nearer, unless it is seen in a cut-out alone.
type Wall struct {
	ID   string       `json:"id" count:"1..64" doc:"unique in the room, never shown"`
	Name string       `json:"name" label:"Name" count:"1..80"`
	From camera.Point `json:"from" title:"Line of *"`
	To   camera.Point `json:"to" title:"Line of *"`
	Seen cutout.Ref   `json:"seen" label:"Visible area" default:"" row:"own" doc:"id of the cut-out in which it is visible; empty for automatic"`

	Gloss float64 `json:"gloss" label:"Gloss" unit:"%" range:"0..2" slider:"0..1" default:"0" step:"0.01" doc:"how much the wall mirrors lights, as glass or wet plaster does"`
}

// Platform is a level rectangle over the floor with what is below it.
type Platform struct {
	ID     string       `json:"id" count:"1..64" doc:"unique in the room, never shown"`
	Name   string       `json:"name" label:"Name" count:"1..80"`
	Top    Points       `json:"top" label:"Corners of the top" row:"own" count:"4..4" each:"corner" doc:"in order"`
	Foot   camera.Point `json:"foot" title:"Foot of *"`
	Hollow bool         `json:"hollow,omitzero" label:"Hollow" doc:"a table: a slab with nothing under it"`
	Seen   cutout.Ref   `json:"seen" label:"Visible area" default:"" row:"own" doc:"id of the cut-out in which it is visible; empty for automatic"`
}

// PlatformRef is the id of a platform of the room; where it is empty, the floor.
type PlatformRef string

// Thing is a cut-out that stands or lies in the room, on its floor or on a platform.
type Thing struct {
	ID   string       `json:"id" count:"1..64" doc:"unique in the room, never shown"`
	Of   cutout.Ref   `json:"of" label:"Cut-out" row:"own" doc:"id of the cut-out"`
	Foot camera.Point `json:"foot" title:"Foot of *"`
	On   PlatformRef  `json:"on,omitzero" label:"Stands on" default:"" row:"own" doc:"id of the platform under it; empty for the floor"`
	Lies Lies         `json:"lies" label:"Pose" default:"auto"`
	// What it gets of the light at its edges, where it turns away from the camera, and of that
	// which falls on its broad front.
	Edge  float64 `json:"edge" label:"Edge light" unit:"%" range:"0..4" slider:"0..2" default:"1" step:"0.01" doc:"light on edges that turn away from the camera"`
	Broad float64 `json:"broad" label:"Front light" unit:"%" range:"0..4" slider:"0..2" default:"1" step:"0.01" doc:"light on what faces the camera"`
	// How folded and dented its front is within its outline, by the photo's shading.
	Relief float64 `json:"relief" label:"Relief" unit:"%" range:"0..3" slider:"0..2" default:"0" step:"0.01" doc:"folds and dents, estimated from the photo's shading"`
}

// UsualRelief is the relief of what is put into a room. What stood there before things had one has
// none.
const UsualRelief = 1

// Share returns how much of the light counts on a part of the thing whose normal makes an angle
// with this cosine to the way to the camera.
func (t *Thing) Share(facing float64) float64 {
	e := 1 - math.Min(math.Abs(facing), 1)
	return t.Broad + (t.Edge-t.Broad)*e*e
}

// Lies is whether a thing stands upright or lies.
type Lies string

// How things are.
const (
	LiesAuto Lies = "auto"
	Stands   Lies = "stands"
	LiesFlat Lies = "lies"
)

// Choices returns how things are.
func (Lies) Choices() []setting.Choice {
	return []setting.Choice{{Value: string(LiesAuto), Label: "Automatic"},
		{Value: string(Stands), Label: "Standing"}, {Value: string(LiesFlat), Label: "Lying"}}
}

// Stand names what a light stands on, hangs on or lies on in the room: the floor where it is empty.
type Stand string

// What a Stand can name by what comes before its colon, the id of a wall, a platform or a thing
// after it.
const (
	OnWall     = "wall"
	OnPlatform = "platform"
	OnThing    = "thing"
)

// StandOn returns the name of something of the room.
func StandOn(kind, id string) Stand { return Stand(kind + ":" + id) }

// Of returns what a Stand names.
func (s Stand) Of() (kind, id string) {
	k, id, _ := area.Split(string(s))
	return k, id
}

// Space is a room as geometry; its lists are in the order of the recipe's.
type Space struct {
	Cam    camera.Camera
	Fit    camera.Fit
	Walls  []camera.Plane
	Prisms []*camera.Prism
	Feet   []camera.Vec // of things
	On     []int        // by thing: the platform that it stands on, -1 for the floor

	Ceiling *camera.Plane // nil for none
}

// Space returns the recipe's room as geometry. An error is a *fault.Error that names the field at
// fault.
func (r *Recipe) Space() (*Space, error) {
	w, h := float64(r.Photo.Width), float64(r.Photo.Height)
	m := &r.Room
	view, spread := m.View, 0.02
	if view <= 0 {
		view, spread = camera.Usual, camera.UsualSpread
	}
	s := &Space{}
	focal := camera.FocalOf(view, w)
	if n := m.Corners.Len(); n > 0 {
		if n != 4 {
			return nil, fault.In(
				"room.corners",
				"The floor has %d corners; a rectangle needs four.",
				n,
			)
		}
		c := [4]camera.Point(m.Corners.All())
		if i := camera.Crossing(c); i >= 0 {
			return nil, fault.In(
				fmt.Sprintf("room.corners[%d]", i),
				"With this corner the sides of the floor cross. Drag it back.",
			)
		}
		var ok bool
		if s.Cam, s.Fit, ok = camera.Calibrate(c, w, h, focal, spread); !ok {
			return nil, fault.In(
				"room.corners",
				"These corners give no floor. Click the corners of something that lies level.",
			)
		}
		for i, p := range c {
			if _, ok := s.Cam.Floor(p.X, p.Y); !ok {
				return nil, fault.In(
					fmt.Sprintf("room.corners[%d]", i),
					"These corners put the horizon through the floor. Drag this corner down, or the far sides closer together.",
				)
			}
		}
	} else {
		s.Cam = camera.Level(w, h, m.Horizon, m.Roll, focal)
	}
	for i := range m.Walls {
		l := &m.Walls[i]
		a, ok1 := s.Cam.Floor(l.From.X, l.From.Y)
		b, ok2 := s.Cam.Floor(l.To.X, l.To.Y)
		if !ok1 || !ok2 {
			end := "from"
			if ok1 {
				end = "to"
			}
			return nil, fault.In(
				fmt.Sprintf("room.walls[%d].%s", i, end),
				"The line of the wall “%s” lies above the horizon, where there is no floor. Drag it down to the floor.",
				l.Name,
			)
		}
		p, ok := s.Cam.Upright(a, b)
		if !ok {
			return nil, fault.In(
				fmt.Sprintf("room.walls[%d]", i),
				"The camera would see the wall “%s” edge-on. Make its line longer, or drag an end to the side.",
				l.Name,
			)
		}
		s.Walls = append(s.Walls, p)
	}
	if m.Ceiling > 0 {
		p, ok := s.Cam.Ceiling(m.Ceiling)
		if !ok {
			return nil, fault.In(
				"room.ceiling",
				"A ceiling lies above the camera. Set its height above 1.05, or to 0 for no ceiling.",
			)
		}
		s.Ceiling = &p
	}
	for i := range m.Platforms {
		p := &m.Platforms[i]
		prism, field, msg := s.platform(p)
		if msg != "" {
			return nil, fault.In(fmt.Sprintf("room.platforms[%d]%s", i, field), "%s", msg)
		}
		s.Prisms = append(s.Prisms, prism)
	}
	for i := range m.Things {
		t := &m.Things[i]
		on := slices.IndexFunc(m.Platforms, func(p Platform) bool { return p.ID == string(t.On) })
		f, ok := s.Foot(t.Foot, on)
		if !ok && on < 0 {
			return nil, fault.In(
				fmt.Sprintf("room.things[%d].foot", i),
				"This foot lies above the horizon, where there is no floor. Drag it down to where “%s” stands.",
				r.NameOf(t.Of),
			)
		}
		if !ok {
			return nil, fault.In(
				fmt.Sprintf("room.things[%d].foot", i),
				"Nothing can stand on “%s” here. Drag the foot down to where “%s” stands on it.",
				m.Platforms[on].Name,
				r.NameOf(t.Of),
			)
		}
		s.Feet, s.On = append(s.Feet, f), append(s.On, on)
	}
	return s, nil
}

// Foot returns the place where something stands whose foot is seen at a point of the photo: on the
// top of a platform, or of that taken farther, or below 0 on the floor. It is false where neither
// is seen.
func (s *Space) Foot(at camera.Point, platform int) (camera.Vec, bool) {
	if platform < 0 {
		return s.Cam.Floor(at.X, at.Y)
	}
	r := s.Cam.Ray(at.X, at.Y)
	t, ok := s.Prisms[platform].Planes[0].Hit(r)
	if !ok || t*r.Len() > 100 {
		return camera.Vec{}, false
	}
	return r.Mul(t), true
}

// Under returns on which platform something is seen to stand whose foot is at a point of the photo,
// the nearest of those whose top shows there; -1 for none.
func (s *Space) Under(at camera.Point) int {
	best, near := -1, math.Inf(1)
	for i, p := range s.Prisms {
		if v, ok := s.Foot(at, i); ok && v.Len() < near && p.Holds(v) {
			best, near = i, v.Len()
		}
	}
	return best
}

// slab is how thick the top of a hollow platform is, as a share of its diagonal.
const slab = 0.04

func (s *Space) platform(p *Platform) (prism *camera.Prism, field, msg string) {
	c := [4]camera.Point(p.Top.All())
	if i := camera.Crossing(c); i >= 0 {
		return nil, fmt.Sprintf(
				".top[%d]",
				i,
			), fmt.Sprintf(
				"With this corner the sides of the top of “%s” cross. Drag it back.",
				p.Name,
			)
	}
	foot, ok := s.Cam.Floor(p.Foot.X, p.Foot.Y)
	if !ok {
		return nil, ".foot", fmt.Sprintf(
			"The foot of “%s” lies above the horizon, where there is no floor. Drag it down.",
			p.Name,
		)
	}
	first, ok := s.Cam.Above(foot, c[0].X, c[0].Y)
	high := s.Cam.Height(first)
	if !ok || high < 1e-3 {
		return nil, ".foot", fmt.Sprintf(
			"The foot of “%s” lies above its first corner. Drag it down to the floor.",
			p.Name,
		)
	}
	top := camera.Plane{N: s.Cam.Up, D: high - 1}
	var at []camera.Vec
	for i, k := range c {
		r := s.Cam.Ray(k.X, k.Y)
		t, ok := top.Hit(r)
		if !ok || t*r.Len() > 100 {
			return nil, fmt.Sprintf(
					".top[%d]",
					i,
				), fmt.Sprintf(
					"Here the top of “%s” would reach the horizon. Drag the corner down.",
					p.Name,
				)
		}
		at = append(at, r.Mul(t))
	}
	thick := high
	if p.Hollow {
		thick = math.Min(high, slab*at[2].Sub(at[0]).Len())
	}
	return camera.NewPrism(s.Cam.Up, at, thick), "", ""
}

// NameOf returns the name of a cut-out, for a sentence.
func (r *Recipe) NameOf(id cutout.Ref) string {
	if c := r.CutOut(id); c != nil {
		return c.Name
	}
	return "the object"
}

// checkRoom refuses a room that cannot be, and what refers to something that it has not.
func (r *Recipe) checkRoom() (field, msg string) {
	m := &r.Room
	ids := map[string]bool{}
	id := func(field, id string) (string, string) {
		if ids[id] {
			return field, fmt.Sprintf("Two parts of the room have the id %q.", id)
		}
		ids[id] = true
		return "", ""
	}
	for i := range m.Walls {
		if f, msg := id(fmt.Sprintf("room.walls[%d].id", i), m.Walls[i].ID); msg != "" {
			return f, msg
		}
		if msg := r.seenIn(m.Walls[i].Seen, m.Walls[i].Name); msg != "" {
			return fmt.Sprintf("room.walls[%d].seen", i), msg
		}
	}
	for i := range m.Platforms {
		if f, msg := id(fmt.Sprintf("room.platforms[%d].id", i), m.Platforms[i].ID); msg != "" {
			return f, msg
		}
		if msg := r.seenIn(m.Platforms[i].Seen, m.Platforms[i].Name); msg != "" {
			return fmt.Sprintf("room.platforms[%d].seen", i), msg
		}
	}
	for i := range m.Things {
		if f, msg := id(fmt.Sprintf("room.things[%d].id", i), m.Things[i].ID); msg != "" {
			return f, msg
		}
		if r.CutOut(m.Things[i].Of) == nil {
			return fmt.Sprintf(
				"room.things[%d].of",
				i,
			), "The cut-out of an object is not in this shot. Choose another."
		}
		if on := string(m.Things[i].On); on != "" && !slices.ContainsFunc(m.Platforms,
			func(p Platform) bool { return p.ID == on }) {
			return fmt.Sprintf(
					"room.things[%d].on",
					i,
				), fmt.Sprintf(
					"The platform under “%s” is not in the room. Choose another, or the floor.",
					r.NameOf(m.Things[i].Of),
				)
		}
	}
	for i := range r.Lights {
		if r.standsOn(r.Lights[i].Stand) {
			continue
		}
		return fmt.Sprintf(
				"lights[%d].stand",
				i,
			), fmt.Sprintf(
				"What the light “%s” stands on is not in the room. Choose another.",
				r.Lights[i].Name,
			)
	}
	if !m.On {
		return "", ""
	}
	s, err := r.Space()
	if err != nil {
		if f, ok := err.(*fault.Error); ok {
			return f.Field, f.Msg
		}
		return "room", err.Error()
	}
	for i := range r.Lights {
		for j, sh := range r.Lights[i].Shapes {
			if k := s.Lost(sh); k >= 0 {
				return fmt.Sprintf(
						"lights[%d].shapes[%d].feet[%d]",
						i,
						j,
						k,
					), fmt.Sprintf(
						"This foot of the light “%s” lies above the horizon, where there is no floor. Drag it down.",
						r.Lights[i].Name,
					)
			}
		}
	}
	return "", ""
}

// seenIn says why something of the room cannot be seen in a cut-out, or nothing.
func (r *Recipe) seenIn(id cutout.Ref, name string) string {
	if id == "" || r.CutOut(id) != nil {
		return ""
	}
	return fmt.Sprintf("The visible area of “%s” is not in this shot. Choose another.", name)
}

// standsOn tells whether the room has what a light stands on.
func (r *Recipe) standsOn(s Stand) bool {
	kind, id := s.Of()
	switch kind {
	case "":
		return s == ""
	case OnWall:
		return slices.ContainsFunc(r.Room.Walls, func(w Wall) bool { return w.ID == id })
	case OnPlatform:
		return slices.ContainsFunc(r.Room.Platforms, func(p Platform) bool { return p.ID == id })
	case OnThing:
		return slices.ContainsFunc(r.Room.Things, func(t Thing) bool { return t.ID == id })
	}
	return false
}
