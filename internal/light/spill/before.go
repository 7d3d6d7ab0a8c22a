package spill

import (
	"context"
	"math"

	"pyrant/internal/base/coverage"
)

// Of recipes before version 5 a light's spill was divided by its peak to a power, and hovered at an
// eighth of its reach:
//
//	E(x) = (Σ A k(d) / TR²) · (peak of that)^-0.6,  k(d) = (1 - d²/R²)² / (1 + 64 d²/R²)
//
// with T the integral of k over the plane for R = 1.
const (
	liftBefore = 0.6
	overReach  = 8
)

// totalBefore is T.
var totalBefore = math.Pi / 64 / 64 / 64 * (65*65*math.Log(65) - 2*65*64 + (65*65-1)/2.0)

// SinceBefore returns the height at which a light of before version 5 hovers, and what its strength
// is to be multiplied by, so that it gives the light that it gave.
func SinceBefore(ctx context.Context, c coverage.Coverage,
	reach float64) (height, times float64, err error) {
	height = reach / overReach
	s, err := NewSource(ctx, c, reach, height)
	if err != nil || len(s.Samples) == 0 {
		return height, 1, err
	}
	peak := 0.0
	for _, p := range s.Samples {
		peak = math.Max(peak, s.At(float64(p.X), float64(p.Y)))
	}
	// What that is by the law of before, whose denominator is that of today by h².
	was := height * height / (totalBefore * reach * reach)
	return height, math.Pow(peak*was, -liftBefore) * was, ctx.Err()
}
