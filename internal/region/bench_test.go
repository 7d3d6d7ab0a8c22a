package region

import (
	"context"
	"image"
	"image/jpeg"
	"io"
	"os"
	"testing"

	"pyrant/internal/codec"
)

// BenchmarkFind is what a hover over the demo costs: over a pane, a ball, and the wall.
func BenchmarkFind(b *testing.B) {
	data, err := os.ReadFile("../../demo/tidewatch-quay.jpg")
	if err != nil {
		b.Fatal(err)
	}
	p, err := codec.Open(context.Background(), data)
	if err != nil {
		b.Fatal(err)
	}
	g, err := NewGround(context.Background(), p, nil)
	if err != nil {
		b.Fatal(err)
	}
	for _, c := range []struct {
		name string
		x, y float64
	}{{"pane", 1254, 620}, {"ball", 675, 278}, {"wall", 300, 240}} {
		for _, quick := range []bool{true, false} {
			name := c.name
			if quick {
				name += "/hover"
			}
			b.Run(name, func(b *testing.B) {
				for b.Loop() {
					g.Find(context.Background(), Pick{X: c.x, Y: c.y, Quick: quick})
				}
			})
		}
	}
	b.Run("jpeg", func(b *testing.B) {
		m := image.NewRGBA(image.Rect(0, 0, 940, 627))
		row := make([]uint8, 3)
		for y := range 627 {
			for x := range 940 {
				i := 3 * ((y*3)*p.Width + x*3)
				row = p.Pix8[i : i+3]
				copy(m.Pix[m.PixOffset(x, y):], []uint8{row[0], row[1], row[2], 255})
			}
		}
		for b.Loop() {
			jpeg.Encode(io.Discard, m, &jpeg.Options{Quality: 85})
		}
	})
}
