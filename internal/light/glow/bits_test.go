package glow

import (
	"fmt"
	"image"
	"math/rand/v2"
	"testing"

	"pyrant/internal/base/samebits"
)

func TestSameBits(t *testing.T) {
	for ch, want := range map[int]string{1: "de7c75a17d40", 3: "41887239a362"} {
		r := rand.New(rand.NewPCG(1, 2))
		g := newGrid(image.Rect(3, 2, 40, 9), ch)
		copy(g.pix, samebits.Numbers(r, len(g.pix), 2))
		var all []float32
		for y := 1; y < 20; y++ {
			for x0 := 2; x0 < 9; x0++ {
				row := make([]float32, ch*61)
				g.expandRow(row, x0, y, nil)
				all = append(all, row...)
			}
		}
		samebits.Check(t, fmt.Sprint("expandRow ", ch), all, want)
	}
}
