package areas

import (
	"context"
	"image"
	"testing"

	"pyrant/internal/base/raster"
)

// However large a coverage is, few bands of it are held.
func TestBands(t *testing.T) {
	b := &bands{frame: image.Rect(0, 0, 8, 64*bandRows), make: planeOfRows}
	if err := b.ready(context.Background()); err != nil {
		t.Fatal(err)
	}
	row := make([]float32, 4)
	for _, y := range []int{5, 4000, 63, 64, 2048, 4095, 5} {
		if b.Fill(row, 3, y); row[0] != float32(y) || row[3] != float32(y) {
			t.Errorf("row %d is %v", y, row)
		}
	}
	for y := 0; y < b.frame.Max.Y; y += bandRows {
		b.Fill(row, 0, y)
	}
	if len(b.held) != maxBands {
		t.Errorf("%d bands are held", len(b.held))
	}
}

func planeOfRows(_ context.Context, r image.Rectangle) (*raster.Plane, error) {
	out := raster.NewPlane(r)
	for y := r.Min.Y; y < r.Max.Y; y++ {
		for i := range out.Row(y) {
			out.Row(y)[i] = float32(y)
		}
	}
	return out, nil
}
