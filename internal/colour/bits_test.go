package colour

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
	x := numbers(r, 4003, 17)
	ExpNegRow(x)
	sameBits(t, "ExpNegRow", x, "1976f4335240")
	p, light := numbers(r, 4003, 1.1), numbers(r, 4003, 3)
	SoftAddRow(p, light)
	sameBits(t, "SoftAddRow", p, "2c796179c118")
	codes := make([]uint8, 4*1003)
	encodeRow(codes, numbers(r, 3*1003, 1.05), 12345, 2654435769)
	v := make([]float32, len(codes))
	for i, c := range codes {
		v[i] = float32(c)
	}
	sameBits(t, "encodeRow", v, "a7651c1fb622")
}
