package edge

import (
	"math"
	"testing"

	"pyrant/internal/recipe/shape"
)

// A pane of grey glass in a rim of brass that shades a part of it ends at the rim, where its tint
// does, though its light ends before; so does one whose traced line went over to the outer edge
// of the rim. In a rim of grey nothing tells shade from rim.
func TestLitGoesOnToTheRim(t *testing.T) {
	const x, y, r = 90.0, 90.0, 55.0
	scene := func(rim [3]float64) *Eye {
		return NewEye(coloured(180, 180, func(u, v float64) [3]float64 {
			d := math.Hypot(u-x, v-y)
			if d > r {
				if d > r+9 {
					return [3]float64{rim[0] * 1.3, rim[1] * 1.3, rim[2] * 1.3}
				}
				return rim
			}
			light := 0.5
			// From the upper left the rim shades it, the deeper the nearer.
			if toward := -(u - x + v - y) / max(d, 1); toward > 0.4 {
				light *= 1 - 0.93*min((toward-0.4)*3, 1)*max(1-(r-d)/12, 0)
			}
			return [3]float64{light, light, light}
		}))
	}
	at := func(off func(cos, sin float64) float64) []shape.Point {
		out := make([]shape.Point, 240)
		for i := range out {
			sin, cos := math.Sincos(2 * math.Pi * float64(i) / 240)
			k := r + off(cos, sin)
			out[i] = shape.Point{X: x + k*cos, Y: y + k*sin}
		}
		return out
	}
	shaded := at(func(cos, sin float64) float64 { return -8 * min(max(-(cos+sin)-0.4, 0)*2, 1) })
	over := at(func(cos, sin float64) float64 { return 9 * min(max(cos+sin-0.6, 0)*3, 1) })
	draw := func(line []shape.Point) (shape.Path, int) {
		p := shape.Fit(line, true, 1)
		return p, p.Len()
	}
	area := func(p shape.Path) float64 {
		return math.Abs(shape.Turn(shape.Flatten(p, true))) / (math.Pi * r * r)
	}
	brass, grey := scene([3]float64{0.3, 0.22, 0.1}), scene([3]float64{0.22, 0.22, 0.22})
	for name, line := range map[string][]shape.Point{"shaded": shaded, "over the rim": over} {
		before, _ := draw(line)
		if a := area(before); math.Abs(a-1) < 0.03 {
			t.Fatalf("%s: the line covers %.3f from the first", name, a)
		}
		if a := area(brass.Lit(line, 1, draw)); math.Abs(a-1) > 0.012 {
			t.Errorf("%s: in brass it covers %.3f of the pane", name, a)
		}
		if a := area(grey.Lit(line, 1, draw)); a != area(before) {
			t.Errorf("%s: in grey it went from %.3f to %.3f", name, area(before), a)
		}
	}
}
