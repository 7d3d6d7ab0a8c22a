package raster_test

import (
	"context"
	"fmt"
	"image"

	"pyrant/internal/base/raster"
)

// A part of a picture says where in the whole it lies, and is filled on all cores.
func ExampleRows() {
	p := raster.NewPlane(image.Rect(10, 20, 14, 23))
	err := raster.Rows(context.Background(), p.Rect.Min.Y, p.Rect.Max.Y, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for i := range p.Row(y) {
				p.Row(y)[i] = float32(100*y + p.Rect.Min.X + i)
			}
		}
	})
	fmt.Println(p.At(10, 20), p.At(13, 22), p.At(14, 22), err)
	// Output: 2010 2213 0 <nil>
}

// Seven samples shrunk to three: each of these is the mean of two and a third.
func ExampleBoxRow() {
	src := []float32{1, 1, 1, 4, 4, 4, 4}
	dst := make([]float32, 3)
	raster.BoxRow(dst, src, 1, 0, 0, len(src), 7.0/3, 1)
	fmt.Printf("%.2f\n", dst)
	// Output: [1.00 3.14 4.00]
}
