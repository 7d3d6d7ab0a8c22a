package colour

import "math"

// Blend returns the blend function B(cb, cs) of a W3C blend mode by its name, over display
// values in [0, 1] (Compositing and Blending Level 1, section 10); a name that is none is
// taken for normal.
func Blend(mode string) func(cb, cs float32) float32 {
	screen := func(cb, cs float32) float32 { return cb + cs - cb*cs }
	hard := func(cb, cs float32) float32 {
		if cs <= 0.5 {
			return cb * 2 * cs
		}
		return screen(cb, 2*cs-1)
	}
	switch mode {
	case "screen":
		return screen
	case "multiply":
		return func(cb, cs float32) float32 { return cb * cs }
	case "lighten":
		return func(cb, cs float32) float32 { return max(cb, cs) }
	case "hard-light":
		return hard
	case "overlay":
		return func(cb, cs float32) float32 { return hard(cs, cb) }
	case "color-dodge":
		return func(cb, cs float32) float32 {
			switch {
			case cb == 0:
				return 0
			case cs >= 1:
				return 1
			}
			return min(1, cb/(1-cs))
		}
	case "soft-light":
		return func(cb, cs float32) float32 {
			if cs <= 0.5 {
				return cb - (1-2*cs)*cb*(1-cb)
			}
			d := float32(math.Sqrt(float64(cb)))
			if cb <= 0.25 {
				d = ((16*cb-12)*cb + 4) * cb
			}
			return cb + (2*cs-1)*(d-cb)
		}
	}
	return func(_, cs float32) float32 { return cs } // normal
}
