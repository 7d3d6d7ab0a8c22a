package shape

import (
	"math"

	"pyrant/internal/recipe/setting"
)

// Spot is a round thing of which the middle counts as a point of light.
type Spot struct {
	At     Point
	Radius float64
}

// Spots returns the points of light among shapes: ellipses, and the bulbs of strings. What is taken
// away is none.
func (s Shapes) Spots() (out []Spot) {
	for _, sh := range s {
		if sh.Taken() {
			continue
		}
		switch v := sh.(type) {
		case Ellipse:
			out = append(out, Spot{Point{v.X, v.Y}, (v.Width + v.Height) / 4})
		case String:
			for _, b := range v.Bulbs() {
				if !b.Gone {
					out = append(out, Spot{b.At, b.Width / 2})
				}
			}
		}
	}
	return out
}

// Disc returns the spot as an ellipse, to a tenth of a pixel.
func (s Spot) Disc() Ellipse {
	tenth := func(v float64) float64 { return math.Round(10*v) / 10 }
	d := max(tenth(2*s.Radius), setting.Of[Ellipse]("width").Min.A)
	return Ellipse{X: tenth(s.At.X), Y: tenth(s.At.Y), Width: d, Height: d}
}
