package shape

import "math"

// Ellipse is the area inside an ellipse.
type Ellipse struct {
	ID     string  `json:"id,omitzero" row:"own" key:"-" count:"0..64" doc:"unique in its list, never shown"`
	Away   bool    `json:"away,omitzero" label:"Subtract" row:"own" doc:"subtracted from the light's other shapes"`
	X      float64 `json:"x" label:"X" row:"own" unit:"px" range:"-W..2W" doc:"of the centre"`
	Y      float64 `json:"y" label:"Y" row:"own" unit:"px" range:"-H..2H" doc:"of the centre"`
	Width  float64 `json:"width" label:"Width" unit:"px" range:"0.1..2L" slider:"1..L log" default:"L/10" step:"0.1" doc:"along its first axis"`
	Height float64 `json:"height" label:"Height" unit:"px" range:"0.1..2L" slider:"1..L log" default:"L/10" step:"0.1" doc:"along its second axis"`
	Turn   float64 `json:"turn,omitzero" label:"Rotation" unit:"°" range:"-180..180" step:"0.1" doc:"clockwise"`
	Feet   Feet    `json:"feet,omitzero" label:"Feet" row:"own" count:"0..2" each:"foot" doc:"where it stands in the room: empty for automatic, one, or one for each end"`
}

// Taken tells whether the ellipse is taken away.
func (e Ellipse) Taken() bool { return e.Away }

// Length returns the perimeter.
func (e Ellipse) Length() float64 { return length(flatten(e.path(), true, 1), true) }

// Edge returns the perimeter.
func (e Ellipse) Edge() float64 { return e.Length() }

// Shifted returns the ellipse moved.
func (e Ellipse) Shifted(dx, dy float64) any {
	e.X, e.Y = e.X+dx, e.Y+dy
	e.Feet = stepped(e.Feet, dx)
	return e
}

// path returns the ellipse as four curves, which stray from it by at most 0.03 % of
// its radius (Goldapp 1991).
func (e Ellipse) path() Path {
	const k = 0.5519150244935106
	sin, cos := math.Sincos(e.Turn * math.Pi / 180)
	a, b := e.Width/2, e.Height/2
	node := func(u, v, du, dv float64) Node {
		out := [2]float64{cos*a*du*k - sin*b*dv*k, sin*a*du*k + cos*b*dv*k}
		return Node{X: e.X + cos*a*u - sin*b*v, Y: e.Y + sin*a*u + cos*b*v, In: [2]float64{-out[0],
			-out[1]}, Out: out}
	}
	return PathOf(node(1, 0, 0, 1), node(0, 1, -1, 0), node(-1, 0, 0, -1), node(0, -1, 1, 0))
}

func (e Ellipse) polygons(scale float64) [][]Point {
	return [][]Point{orient(flatten(e.path(), true, scale), true)}
}
