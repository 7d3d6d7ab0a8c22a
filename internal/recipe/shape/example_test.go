package shape_test

import (
	"fmt"

	"pyrant/internal/recipe/shape"
)

// What a light covers is traced in pixels of the photo and read row by row, at any
// scale.
func Example() {
	frame := shape.Outline{Nodes: shape.PathOf(shape.Node{X: 2, Y: 0}, shape.Node{X: 10, Y: 0},
		shape.Node{X: 10, Y: 8}, shape.Node{X: 2, Y: 8})}
	window := shape.Outline{Away: true, Nodes: shape.PathOf(shape.Node{X: 4, Y: 2},
		shape.Node{X: 7, Y: 2}, shape.Node{X: 7, Y: 6}, shape.Node{X: 4, Y: 6})}
	shapes := shape.Shapes{frame, window}
	row := make([]float32, 12)
	shapes.At(1).Fill(row, 0, 4)
	fmt.Println(row)
	half := shapes.At(0.5)
	half.Fill(row[:6], 0, 2)
	fmt.Printf("%.2f %v\n", row[:6], half.Bounds())
	// Output:
	// [0 0 1 1 0 0 0 1 1 1 0 0]
	// [0.00 1.00 0.00 0.50 1.00 0.00] (1,0)-(5,4)
}
