package edge_test

import (
	"fmt"

	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
)

func ExampleSpaced() {
	line := []shape.Point{{X: 0, Y: 0}, {X: 3, Y: 4}}
	for _, p := range edge.Spaced(line, false, 2.5) {
		fmt.Printf("%.1f,%.1f ", p.X, p.Y)
	}
	// Output: 0.0,0.0 1.5,2.0 3.0,4.0
}
