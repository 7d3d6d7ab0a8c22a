package render

import (
	"testing"

	"pyrant/internal/light/glow"
)

// BenchmarkFalloffFresh is the chart of a light that was just traced, for each light of the demo
// shot.
func BenchmarkFalloffFresh(b *testing.B) {
	_, r := demoShot(b)
	for i := range r.Lights {
		b.Run(r.Lights[i].Name, func(b *testing.B) {
			for b.Loop() {
				if _, err := New(1<<30).Falloff(b.Context(), r, i, glow.LogSpace(0.5, 500, 72),
					false); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

// BenchmarkFalloffRadius is the chart while a radius is dragged.
func BenchmarkFalloffRadius(b *testing.B) {
	_, r := demoShot(b)
	e := New(1 << 30)
	for n := 0; b.Loop(); n++ {
		r.Lights[0].Shells[4].Radius = 20 + 0.01*float64(n)
		if _, err := e.Falloff(b.Context(), r, 0, glow.LogSpace(0.5, 500, 72), true); err != nil {
			b.Fatal(err)
		}
	}
}
