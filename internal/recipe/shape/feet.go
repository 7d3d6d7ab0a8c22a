package shape

import "pyrant/internal/recipe/setting"

// Foot is the point on the floor under a shape, or under an end of it, as the photo shows it.
type Foot struct {
	X float64 `json:"x" label:"X" unit:"px" range:"-W..2W"`
	Y float64 `json:"y" label:"Y" unit:"px" range:"-H..2H"`
}

// Feet is where a shape stands: nowhere in particular, at one point of the floor, or with one end
// over each of two.
type Feet = setting.List[Foot]

// FeetAt returns feet.
func FeetAt(feet ...Foot) Feet { return setting.ListOf(feet...) }

// FeetOf returns the feet of a shape.
func FeetOf(s Shape) Feet {
	switch s := s.(type) {
	case Outline:
		return s.Feet
	case Tube:
		return s.Feet
	case Ellipse:
		return s.Feet
	case String:
		return s.Feet
	}
	return Feet{}
}

// Standing returns a shape with other feet; one of a cut-out stands where that does.
func Standing(s Shape, f Feet) Shape {
	switch s := s.(type) {
	case Outline:
		s.Feet = f
		return s
	case Tube:
		s.Feet = f
		return s
	case Ellipse:
		s.Feet = f
		return s
	case String:
		s.Feet = f
		return s
	}
	return s
}

// stepped returns feet beside which a shape was moved: a foot goes along to the side. What is moved
// up or down hangs higher or lower.
func stepped(f Feet, dx float64) Feet {
	if f.Len() == 0 {
		return f
	}
	out := make([]Foot, f.Len())
	for i, p := range f.All() {
		out[i] = Foot{p.X + dx, p.Y}
	}
	return FeetAt(out...)
}
