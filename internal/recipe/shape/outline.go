package shape

import "pyrant/internal/recipe/setting"

// Outline is the area inside a closed curve.
type Outline struct {
	ID    string `json:"id,omitzero" row:"own" key:"-" count:"0..64" doc:"unique in its list, never shown"`
	Away  bool   `json:"away,omitzero" label:"Subtract" row:"own" doc:"subtracted from the light's other shapes"`
	Nodes Path   `json:"nodes" label:"Nodes" count:"0..5000" each:"point" doc:"at least 3; the last connects to the first"`
	Feet  Feet   `json:"feet,omitzero" label:"Feet" row:"own" count:"0..2" each:"foot" doc:"where it stands in the room: empty for automatic, one, or one for each end"`
}

// Check refuses an outline of fewer than three nodes.
func (o Outline) Check(setting.Frame) (field, msg string) {
	return "nodes", few(o.Nodes.Len(), 3, "outline")
}

// Taken tells whether the outline is taken away.
func (o Outline) Taken() bool { return o.Away }

// Length returns the perimeter.
func (o Outline) Length() float64 { return length(flatten(o.Nodes, true, 1), true) }

// Edge returns the perimeter.
func (o Outline) Edge() float64 { return o.Length() }

// Shifted returns the outline moved.
func (o Outline) Shifted(dx, dy float64) any {
	o.Nodes = shifted(o.Nodes, dx, dy)
	o.Feet = stepped(o.Feet, dx)
	return o
}

func (o Outline) polygons(scale float64) [][]Point {
	c := flatten(o.Nodes, true, scale)
	if len(c) < 3 {
		return nil
	}
	return [][]Point{orient(c, true)}
}

func (o Outline) path() Path { return o.Nodes }
