package silhouette

import (
	"image"
	"math"
	"math/rand/v2"
	"testing"

	"pyrant/internal/base/camera"
)

// Sixteen ways at a time past a figure, from places about it, of a photo of so many cells.
func benchWorst(b *testing.B, w, h int) {
	cam := camera.Level(float64(w), float64(h), float64(h)*0.3, 0, float64(w))
	s := float64(h) / 200
	figure := func(x, y float64) bool {
		x, y = (x-float64(w)/2)/s+100, y/s
		return math.Hypot(x-100, y-60) < 14 || math.Abs(x-100) < 20 && y > 70 && y < 150 ||
			math.Abs(y-90) < 6 && x > 60 && x < 150
	}
	body := Stand(New(cells(w, h, figure), nil, image.Rect(0, 0, w, h), 1), &cam,
		camera.Plane{N: camera.Vec{Z: -1}, D: -4}, 4)
	rng := rand.New(rand.NewPCG(1, 2))
	const places = 512
	from := make([]camera.Vec, places)
	ways := make([]Ways, places)
	for i := range from {
		from[i] = camera.Vec{X: rng.Float64()*4 - 2, Y: 0.8, Z: 2.5 + rng.Float64()*3}
		to := camera.Vec{X: rng.Float64()*4 - 2, Y: -0.5, Z: 3 + rng.Float64()*2}
		for range 16 {
			d := to.Add(camera.Vec{X: rng.Float64() * 0.2, Y: rng.Float64() * 0.2}).Sub(from[i])
			ways[i].Add(from[i], d, 0.01, 0.05, 1)
		}
	}
	for n := 0; b.Loop(); n++ {
		body.Worst(&ways[n%places], Way{})
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/16, "ns/way")
}

func BenchmarkWorst(b *testing.B)      { benchWorst(b, 750, 500) }
func BenchmarkWorstSmall(b *testing.B) { benchWorst(b, 150, 100) }
