package raster

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
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
	r := rand.New(rand.NewPCG(1, 2))
	a := numbers(r, 1003, 2)
	Add(a, numbers(r, 1003, 2))
	Mul(a, numbers(r, 1003, 2))
	Cap(a, 3)
	sameBits(t, "Add, Mul, Cap", a, "4a61cb2a403c")
	c := numbers(r, 3*1003, 2)
	AddColour(c, numbers(r, 1003, 3), [3]float32{0.3, 1.7, 4.1})
	sameBits(t, "AddColour", c, "f3f3c2b08703")
	AddColours(c, numbers(r, 3*1003, 3), [3]float32{0.3, 1.7, 4.1})
	sameBits(t, "AddColours", c, "0c3710b1e8ec")
}
