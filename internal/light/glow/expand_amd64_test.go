package glow

import (
	"image"
	"math/rand/v2"
	"slices"
	"testing"
)

// Eight samples at a time make the rows that four at a time make, and no sample beyond them.
func TestEightAtATime(t *testing.T) {
	if !eight {
		t.Skip("this machine takes four")
	}
	defer func() { eight = true }()
	for w := 1; w <= 24; w++ {
		g := newGrid(image.Rect(3, 2, 3+w, 7), 3)
		r := rand.New(rand.NewPCG(1, uint64(w)))
		for i := range g.pix {
			g.pix[i] = r.Float32()
		}
		for x0 := 2; x0 < 10; x0++ {
			for n := 1; n < 50; n++ {
				var rows [2][]float32
				for i, on := range []bool{true, false} {
					eight = on
					for y := 3; y < 14; y++ {
						row := make([]float32, 3*n+6)
						g.expandRow(row[:3*n:3*n], x0, y, nil)
						rows[i] = append(rows[i], row...)
					}
				}
				if !slices.Equal(rows[0], rows[1]) {
					t.Fatalf("%d samples wide, from %d, %d pixels: rows differ", w, x0, n)
				}
			}
		}
	}
}
