package spill_test

import (
	"context"
	"fmt"

	"pyrant/internal/light/spill"
	"pyrant/internal/recipe/shape"
)

// A lamp lights what is near it, by the inverse square of the distance, up to its
// reach.
func Example() {
	lamp := shape.Shapes{shape.Tube{Width: 20, Nodes: shape.PathOf(shape.Node{X: 500, Y: 500},
		shape.Node{X: 500, Y: 501})}}
	s, err := spill.NewSource(context.Background(), lamp, 400, 50)
	if err != nil {
		fmt.Println(err)
		return
	}
	near := s.At(600, 500)
	for _, x := range []float64{600, 700, 800, 900} {
		fmt.Printf("%.3f ", s.At(x, 500)/near)
	}
	fmt.Println()
	// Output: 1.000 0.188 0.029 0.000
}
