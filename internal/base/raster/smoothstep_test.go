package raster

import (
	"math"
	"testing"
)

func TestSmoothstep(t *testing.T) {
	for _, c := range [][2]float64{
		{-3, 0}, {0, 0}, {0.25, 0.15625}, {0.5, 0.5}, {0.75, 0.84375}, {1, 1}, {7, 1},
	} {
		if got := Smoothstep(c[0]); got != c[1] {
			t.Errorf("at %v it is %v, not %v", c[0], got, c[1])
		}
		if got := Smoothstep(float32(c[0])); math.Abs(float64(got)-c[1]) > 1e-7 {
			t.Errorf("in float32 at %v it is %v, not %v", c[0], got, c[1])
		}
	}
}
