package shape

import "pyrant/internal/recipe/cutout"

// CutOut is what a cut-out of the shot covers, with its soft edge. It has no line of its own: what
// it covers is known where the cut-outs are (see package render).
type CutOut struct {
	ID   string     `json:"id,omitzero" row:"own" key:"-" count:"0..64" doc:"unique in its list, never shown"`
	Of   cutout.Ref `json:"of" label:"Cut-out" row:"own" doc:"id of the cut-out"`
	Away bool       `json:"away,omitzero" label:"Subtract" row:"own" doc:"subtracted from the light's other shapes"`
}

// Taken tells whether the cut-out is taken away.
func (c CutOut) Taken() bool { return c.Away }

// Length returns 0.
func (c CutOut) Length() float64 { return 0 }

// Edge returns 0.
func (c CutOut) Edge() float64 { return 0 }

// Shifted returns the shape as it is: it moves with its cut-out.
func (c CutOut) Shifted(_, _ float64) any { return c }

func (c CutOut) path() Path { return Path{} }

func (c CutOut) polygons(float64) [][]Point { return nil }

// IsCutOut tells whether a shape is what a cut-out covers.
func IsCutOut(s Shape) bool { _, is := s.(CutOut); return is }

// Subtracted returns a shape as one that is subtracted from the others, or as one that is added.
func Subtracted(s Shape, yes bool) Shape {
	switch s := s.(type) {
	case Outline:
		s.Away = yes
		return s
	case Tube:
		s.Away = yes
		return s
	case Ellipse:
		s.Away = yes
		return s
	case String:
		s.Away = yes
		return s
	case CutOut:
		s.Away = yes
		return s
	}
	return s
}
