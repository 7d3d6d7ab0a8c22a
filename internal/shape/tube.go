package shape

import (
	"math"
	"slices"

	"pyrant/internal/setting"
)

// Tube is all that lies within half a width of a centre line.
type Tube struct {
	Away   bool    `json:"away,omitzero" label:"Taking away" row:"own" doc:"taken away from the light's other shapes"`
	Nodes  Path    `json:"nodes" label:"Points" count:"0..5000" each:"point" doc:"of the centre line, at least 2"`
	Width  float64 `json:"width" label:"Width" unit:"px" range:"0.1..L" slider:"1..L/10 log" default:"L/150" step:"0.1"`
	Closed bool    `json:"closed,omitzero" label:"Closing" row:"own" doc:"the line ends where it began"`
}

// Check refuses a tube of fewer than two nodes.
func (t Tube) Check(setting.Frame) (field, msg string) {
	return "nodes", few(t.Nodes.Len(), 2, "tube")
}

// Taken tells whether the tube is taken away.
func (t Tube) Taken() bool { return t.Away }

// Length returns the length of the centre line.
func (t Tube) Length() float64 { return length(flatten(t.Nodes, t.Closed, 1), t.Closed) }

// Edge returns the length of both sides.
func (t Tube) Edge() float64 { return 2 * t.Length() }

// Shifted returns the tube moved.
func (t Tube) Shifted(dx, dy float64) any {
	t.Nodes = shifted(t.Nodes, dx, dy)
	return t
}

func (t Tube) polygons(scale float64) [][]Point {
	c := flatten(t.Nodes, t.Closed, scale)
	h := t.Width * scale / 2
	if len(c) == 0 || h <= 0 {
		return nil
	}
	if len(c) == 1 {
		return [][]Point{orient(arc(nil, c[0], h, 0, 2*math.Pi), true)}
	}
	if t.Closed && len(c) > 2 {
		// The side away from the middle bounds the tube, the other the hole.
		c = orient(c, true)
		outer, inner := side(c, h, true), side(c, -h, true)
		if area(inner) <= 0 { // the tube is wider than the space inside it
			return [][]Point{outer}
		}
		slices.Reverse(inner)
		return [][]Point{outer, inner}
	}
	p := side(c, h, false)
	n := len(c)
	p = capEnd(p, c[n-1], c[n-2], h)
	back := slices.Clone(c)
	slices.Reverse(back)
	p = append(p, side(back, h, false)...)
	p = capEnd(p, c[0], c[1], h)
	return [][]Point{orient(p, true)}
}

func (t Tube) path() Path { return t.Nodes }
