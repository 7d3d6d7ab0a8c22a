package recipe

import (
	"slices"

	"pyrant/internal/setting"
	"pyrant/internal/shape"
)

// Rig is a core and a stack in sizes for a photo with a long edge of rigEdge pixels,
// ready to be put on a light of a photo of any size.
type Rig struct {
	Name      string
	Core      Core
	Lift      float64
	Radii     []float64
	Strengths []float64
	Whites    []float64 // of the first shells; the rest have none
	Turns     []float64 // of hue, in degrees; left out for none
}

const rigEdge = 6000

// PanelRig is what a light of outlines starts with: eight shells, each twice as wide as
// the one before it.
var PanelRig = Rig{
	Name: "Panel", Core: Core{Whiteness: 0.3, Feather: 6, Texture: 0.1}, Lift: 0.15,
	Radii:     []float64{2.5, 5, 10, 20, 40, 80, 160, 320},
	Strengths: []float64{2.1, 1.8, 1.6, 1.4, 1.15, 0.8, 0.45, 0.18},
	Whites:    []float64{0.4, 0.3, 0.2, 0.1, 0.03},
}

// TubeRig is what a light of tubes starts with.
var TubeRig = Rig{
	Name: "Tube", Core: Core{Whiteness: 0.5, Feather: 4}, Lift: 0.3,
	Radii:     []float64{2.5, 6, 14, 34, 85, 210, 520},
	Strengths: []float64{1.8, 1.8, 1.7, 1.35, 0.8, 0.35, 0.09},
	Whites:    []float64{0.5, 0.38, 0.2, 0.06, 0.02},
}

// Put gives a light the rig's core and stack, in sizes for a photo.
func (g Rig) Put(l *Light, p Photo) {
	k := float64(p.LongEdge()) / rigEdge
	l.Core = g.Core
	l.Core.Feather = setting.Round(g.Core.Feather * k)
	l.Shells = g.Stack(p)
}

// Stack returns the rig's shells, in sizes for a photo.
func (g Rig) Stack(p Photo) []Shell {
	out := make([]Shell, len(g.Radii))
	for i := range out {
		s := setting.New[Shell](p.Frame())
		s.Radius = setting.Round(g.Radii[i] * float64(p.LongEdge()) / rigEdge)
		s.Strength, s.Lift = g.Strengths[i], g.Lift
		if i < len(g.Whites) {
			s.Tint.White = g.Whites[i]
		}
		if i < len(g.Turns) {
			s.Tint.Hue = g.Turns[i]
		}
		out[i] = s
	}
	return out
}

// StartRig returns the rig that suits what a light is made of.
func StartRig(shapes shape.Shapes) Rig {
	for _, s := range shapes {
		if !s.Taken() {
			if _, tube := s.(shape.Tube); !tube {
				return PanelRig
			}
		}
	}
	if len(shapes) > 0 {
		return TubeRig
	}
	return PanelRig
}

// Suit gives light i, if it still has the core and the stack of a new one, those that
// suit what it is made of. It writes to r.
func (r *Recipe) Suit(i int) {
	l, fresh := &r.Lights[i], DefaultLight(r.Photo)
	if l.Core == fresh.Core && slices.Equal(l.Shells, fresh.Shells) {
		StartRig(l.Shapes).Put(l, r.Photo)
	}
}
