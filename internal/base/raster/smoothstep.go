package raster

// Smoothstep rises from 0 at 0 to 1 at 1, level at both ends and beyond: 3t² − 2t³.
func Smoothstep[T float32 | float64](t T) T {
	t = min(max(t, 0), 1)
	return t * t * (3 - 2*t)
}
