package photo_test

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
)

// taken makes a photo of patches of all colours, or of those that a function gives, in a light.
func taken(red, blue float64, of func(*rand.Rand) [3]float64) *photo.Photo {
	p := &photo.Photo{Width: 480, Height: 320, Profile: colour.SRGB, Pix8: make([]uint8, 3*480*320)}
	rnd := rand.New(rand.NewPCG(1, 2))
	light := [3]float64{math.Exp2(red), 1, math.Exp2(blue)}
	for y := 0; y < p.Height; y += 8 {
		for x := 0; x < p.Width; x += 8 {
			c := of(rnd)
			for v := y; v < y+8; v++ {
				for u := x; u < x+8; u++ {
					for k := range c {
						shown := colour.LinearToSRGB(math.Min(c[k]*light[k], 1))
						p.Pix8[3*(v*p.Width+u)+k] = uint8(255*shown + 0.5)
					}
				}
			}
		}
	}
	return p
}

func TestDaylight(t *testing.T) {
	grey := func(r *rand.Rand) [3]float64 {
		v := 0.05 + 0.35*r.Float64()
		return [3]float64{v, v, v}
	}
	many := func(r *rand.Rand) [3]float64 {
		return [3]float64{0.02 + 0.35*r.Float64(), 0.02 + 0.35*r.Float64(), 0.02 + 0.35*r.Float64()}
	}
	// A lamp in the picture that is clipped tells nothing of the daylight.
	lamp := func(r *rand.Rand) [3]float64 {
		if r.IntN(20) == 0 {
			return [3]float64{4, 0.9, 0.2}
		}
		return grey(r)
	}
	for _, tt := range []struct {
		name      string
		of        func(*rand.Rand) [3]float64
		red, blue float64
		off       float64
	}{
		{"grey", grey, 0, 0, 0.02}, {"grey in the evening", grey, 0.7, -0.9, 0.03}, {"colours in the evening", many, 0.7, -0.9, 0.12},
		{"colours in the shade", many, -0.4, 0.6, 0.12}, {"beside a lamp", lamp, -0.4, 0.5, 0.03},
	} {
		red, blue, ok, err := taken(tt.red, tt.blue, tt.of).Daylight(context.Background())
		if err != nil || !ok || math.Abs(red-tt.red) > tt.off || math.Abs(blue-tt.blue) > tt.off {
			t.Errorf("%s: red %.3f, blue %.3f, want %.3f, %.3f; %v %v", tt.name, red, blue, tt.red, tt.blue, ok, err)
		}
	}
	black := func(*rand.Rand) [3]float64 { return [3]float64{} }
	if _, _, ok, err := taken(0, 0, black).Daylight(context.Background()); ok || err != nil {
		t.Error("black tells of its light")
	}
	gone, cancel := context.WithCancel(context.Background())
	cancel()
	if _, _, _, err := taken(0, 0, grey).Daylight(gone); err == nil {
		t.Error("what nobody wants is worked out")
	}
}
