package recipe

import (
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// Rig is a core and a stack in sizes for a photo with a long edge of rigEdge pixels,
// ready to be put on a light of a photo of any size.
type Rig struct {
	ID, Name  string
	About     string // what it suits, in a few words
	Core      Core
	Lift      float64
	Radii     []float64
	Strengths []float64
	Whites    []float64 // of the first shells; the rest have none
	Turns     []float64 // of hue, in degrees; left out for none
}

const rigEdge = 6000

// Rigs lists the ready-made rigs in the order in which they are offered.
var Rigs = []Rig{
	{
		ID: "panel", Name: "Panel", About: "costume panels, letters, flat shapes",
		Core: ExposedCore(3.6, 0.25, 2, 0.3, 0.65), Lift: 0.15,
		Radii:     []float64{2.5, 5, 10, 20, 40, 80, 160, 320},
		Strengths: []float64{2.62, 2.25, 2, 1.75, 1.15, 0.8, 0.45, 0.18},
		Whites:    []float64{0.26, 0.19, 0.13, 0.06, 0.02},
	},
	{
		ID: "tube", Name: "Tube", About: "rods and neon, brightest along the middle",
		Core: ExposedCore(3.2, 0.2, 2, 0.1, 0.6), Lift: 0.3,
		Radii:     []float64{2.5, 6, 14, 34, 85, 210, 520},
		Strengths: []float64{2.25, 2.25, 2.12, 1.35, 0.8, 0.35, 0.09},
		Whites:    []float64{0.32, 0.24, 0.13, 0.03, 0.02},
	},
	{
		ID: "lamp", Name: "Lamp", About: "soft, warm lamps and lanterns",
		Core: ExposedCore(3.4, 0.25, 6, 0.3, 0.65), Lift: 0.15,
		Radii:     []float64{4, 10, 24, 60, 150, 375, 900},
		Strengths: []float64{2, 1.88, 1.4, 1.15, 0.7, 0.32, 0.1},
		Whites:    []float64{0.26, 0.19, 0.11, 0.03},
		Turns:     []float64{4, 2, 0, 0, -3, -6, -8},
	},
	{
		ID: "bulb", Name: "Bulb", About: "small round lights and strings of them",
		Core: ExposedCore(3.2, 0.2, 2, 0.15, 0.6), Lift: 0.12,
		Radii:     []float64{2.5, 6, 15, 38, 95, 240, 600},
		Strengths: []float64{2.25, 2.25, 2.12, 1.3, 0.8, 0.35, 0.12},
		Whites:    []float64{0.32, 0.24, 0.13, 0.03, 0.02},
		Turns:     []float64{3, 2, 0, 0, -3, -5, -6},
	},
	{
		ID: "bolt", Name: "Bolt", About: "thin white streaks",
		Core: ExposedCore(3.2, 1, 1.5, 0, 0.4), Lift: 0.45,
		Radii:     []float64{1.5, 4, 10, 26, 70, 190, 520},
		Strengths: []float64{2.5, 2.25, 1.88, 1.2, 0.8, 0.4, 0.16},
		Whites:    []float64{1, 0.8, 0.45, 0.18, 0.05},
	},
	{
		ID: "figure", Name: "Translucent", About: "glowing wings and veils",
		Core: Core{Look: Exposed, Brightness: -0.4, Whiteness: 0.3, Feather: 6, Texture: 0.5,
			Openness: 0.05, Translucency: 0.5, Seed: 1, BloomRadius: 8}, Lift: 0.2,
		Radii:     []float64{4, 12, 36, 110, 330},
		Strengths: []float64{0.75, 0.88, 0.7, 0.5, 0.22},
		Whites:    []float64{0.24, 0.16, 0.06},
	},
	{
		ID: "cast", Name: "Wide cast", About: "one or two lights with a wide glow",
		Core: ExposedCore(3.4, 0.25, 3, 0.2, 0.65), Lift: 0.2,
		Radii:     []float64{3, 10, 40, 160, 500, 1500},
		Strengths: []float64{2.25, 2, 0.9, 0.5, 0.3, 0.2},
		Whites:    []float64{0.26, 0.16, 0.03},
	},
	{
		// Radii and strengths after the glare of the eye by Spencer et al. 1995, 50 degrees across:
		// f = 0.384·f0 + 0.478·f1 + 0.138·f2 as a sum of Gaussians, the first of which is capped.
		ID: "lens", Name: "Lens glare", About: "glare of a lens, from a published model",
		Core: ExposedCore(3.4, 0.25, 2, 0.2, 0.65), Lift: 0,
		Radii:     []float64{1.55, 4.2, 10.8, 27.5, 71.6, 190, 514, 1538},
		Strengths: []float64{4, 2.4, 1.71, 0.99, 0.59, 0.41, 0.33, 0.4},
		Whites:    []float64{0.26, 0.22, 0.14, 0.06, 0.03},
	},
}

// ExposedCore returns a core by exposure.
func ExposedCore(stops, white, feather, texture, rounding float64) Core {
	return Core{Look: Exposed, Brightness: stops, Rounding: rounding, Whiteness: white,
		Feather: feather, Texture: texture, Openness: 0.05, Seed: 1, BloomRadius: 8}
}

// RigOf returns the ready-made rig of an id, nil for none.
func RigOf(id string) *Rig {
	for i := range Rigs {
		if Rigs[i].ID == id {
			return &Rigs[i]
		}
	}
	return nil
}

// Put gives a light the rig's core and stack, in sizes for a photo.
func (g *Rig) Put(l *Light, p Photo) {
	k := float64(p.LongEdge()) / rigEdge
	on := l.Core.On
	l.Core = g.Core
	l.Core.On = on
	l.Core.Feather, l.Core.BloomRadius = setting.Round(g.Core.Feather*k),
		setting.Round(g.Core.BloomRadius*k)
	l.Shells = g.Stack(p)
}

// Stack returns the rig's shells, in sizes for a photo.
func (g *Rig) Stack(p Photo) []Shell {
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

// StartRig returns the rig that suits the first of what a light is made of, on a photo.
func StartRig(shapes shape.Shapes, p Photo) *Rig {
	id := "panel"
	for _, s := range shapes {
		if s.Taken() {
			continue
		}
		switch s := s.(type) {
		case shape.Tube:
			id = "tube"
		case shape.String:
			id = "bulb"
		case shape.Ellipse:
			// A bulb is small; what is larger is the glass of a lamp.
			if id = "lamp"; max(s.Width, s.Height) < float64(p.LongEdge())/30 {
				id = "bulb"
			}
		case shape.CutOut:
			id = "figure"
		}
		break
	}
	return RigOf(id)
}
