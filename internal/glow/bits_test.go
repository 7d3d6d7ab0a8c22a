package glow

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"image"
	"math"
	"math/rand/v2"
	"testing"
)

// sameBits holds numbers against the hash of those that every processor makes of the same input: with assembly or without
// it, and where products and sums can be fused.
func sameBits(t *testing.T, of string, v []float32, want string) {
	t.Helper()
	var b []byte
	for _, x := range v {
		b = binary.LittleEndian.AppendUint32(b, math.Float32bits(x))
	}
	sum := sha256.Sum256(b)
	if got := hex.EncodeToString(sum[:6]); got != want {
		t.Errorf("%s: the bits are %s, want %s", of, got, want)
	}
}

// numbers are n numbers from 0 to most, each a whole share of 2^24.
func numbers(r *rand.Rand, n int, most float32) []float32 {
	out := make([]float32, n)
	for i := range out {
		out[i] = float32(r.Float32() * most)
	}
	return out
}

func TestSameBits(t *testing.T) {
	for ch, want := range map[int]string{1: "de7c75a17d40", 3: "41887239a362"} {
		r := rand.New(rand.NewPCG(1, 2))
		g := newGrid(image.Rect(3, 2, 40, 9), ch)
		copy(g.pix, numbers(r, len(g.pix), 2))
		var all []float32
		for y := 1; y < 20; y++ {
			for x0 := 2; x0 < 9; x0++ {
				row := make([]float32, ch*61)
				g.expandRow(row, x0, y, nil)
				all = append(all, row...)
			}
		}
		sameBits(t, fmt.Sprint("expandRow ", ch), all, want)
	}
}
