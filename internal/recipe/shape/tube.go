package shape

import (
	"math"
	"slices"

	"pyrant/internal/recipe/setting"
)

// Tube is all that lies within half a width of a centre line. The width may be another at
// each point, and taper from end to end.
type Tube struct {
	ID     string  `json:"id,omitzero" row:"own" key:"-" count:"0..64" doc:"unique in its list, never shown"`
	Away   bool    `json:"away,omitzero" label:"Subtract" row:"own" doc:"subtracted from the light's other shapes"`
	Nodes  Path    `json:"nodes" label:"Nodes" count:"0..5000" each:"point" doc:"of the centre line, at least 2"`
	Width  float64 `json:"width" label:"Width" unit:"px" range:"0.1..L" slider:"1..L/10 log" default:"L/150" step:"0.1"`
	Widths Shares  `json:"widths,omitzero" label:"Widths" count:"0..5000" each:"width" doc:"at each node, relative to the width; 1 where missing"`
	Taper  float64 `json:"taper,omitzero" label:"Taper" unit:"%" range:"-1..1" step:"0.01" doc:"how much narrower the end is than the beginning; negative is wider"`
	Flat   bool    `json:"flat,omitzero" label:"Flat ends" doc:"ends straight at its last nodes, not round"`
	Closed bool    `json:"closed,omitzero" label:"Closed" row:"own" doc:"the line ends where it begins"`
	Feet   Feet    `json:"feet,omitzero" label:"Feet" row:"own" count:"0..2" each:"foot" doc:"where it stands in the room: empty for automatic, one, or one for each end"`
}

// Share is the width of a tube at a point.
type Share struct {
	K float64 `json:"k" label:"Width here" unit:"%" range:"0..20" default:"1" step:"0.01" doc:"relative to the tube's width"`
}

// Shares is the widths of a tube at its points.
type Shares = setting.List[Share]

// SharesOf returns a list of widths.
func SharesOf(k ...float64) Shares {
	out := make([]Share, len(k))
	for i, v := range k {
		out[i].K = v
	}
	return setting.ListOf(out...)
}

// halves returns half the width at points of the flattened centre line, which lie at given
// places of the path.
func (t Tube) halves(c []Point, at []float64, scale float64) []float64 {
	out := make([]float64, len(c))
	share := func(i int) float64 {
		if t.Closed {
			i %= max(t.Nodes.Len(), 1)
		}
		if i < t.Widths.Len() {
			return t.Widths.At(i).K
		}
		return 1
	}
	total := length(c, false)
	along := 0.0
	for i := range c {
		h := t.Width * scale / 2
		if t.Widths.Len() > 0 {
			k := int(at[i])
			f := at[i] - float64(k)
			h *= share(k)*(1-f) + share(k+1)*f
		}
		if t.Taper != 0 && !t.Closed && total > 0 {
			if i > 0 {
				along += c[i].dist(c[i-1]) / total
			}
			if t.Taper > 0 {
				h *= 1 - t.Taper*along
			} else {
				h *= 1 + t.Taper*(1-along)
			}
		}
		out[i] = h
	}
	return out
}

// Idle names the settings that do nothing for a tube without ends.
func (t Tube) Idle() []string {
	if t.Closed {
		return []string{"taper", "flat"}
	}
	return nil
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
	t.Feet = stepped(t.Feet, dx)
	return t
}

func (t Tube) polygons(scale float64) [][]Point {
	c, at := flattenAt(t.Nodes, t.Closed, scale)
	if len(c) == 0 || t.Width <= 0 {
		return nil
	}
	h := t.halves(c, at, scale)
	if len(c) == 1 {
		return [][]Point{orient(arc(nil, c[0], h[0], 0, 2*math.Pi), true)}
	}
	if t.Closed && len(c) > 2 {
		// The side away from the middle bounds the tube, the other the hole.
		if area(c) <= 0 {
			c = orient(c, true)
			slices.Reverse(h)
		}
		outer, inner := side(c, h, true, true), side(c, h, false, true)
		if area(inner) <= 0 { // the tube is wider than the space inside it
			return [][]Point{outer}
		}
		slices.Reverse(inner)
		return [][]Point{outer, inner}
	}
	p := side(c, h, true, false)
	n := len(c)
	if !t.Flat {
		p = capEnd(p, c[n-1], c[n-2], h[n-1], h[n-2])
	}
	back, hBack := slices.Clone(c), slices.Clone(h)
	slices.Reverse(back)
	slices.Reverse(hBack)
	p = append(p, side(back, hBack, true, false)...)
	if !t.Flat {
		p = capEnd(p, c[0], c[1], h[0], h[1])
	}
	return [][]Point{orient(p, true)}
}

func (t Tube) path() Path { return t.Nodes }

// Centre returns the centre line of a tube in pixels of the photo, and whether it ends where it
// began.
func Centre(t Tube) (line []Point, closed bool) { return flatten(t.Nodes, t.Closed, 1), t.Closed }
