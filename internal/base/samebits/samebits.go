// Package samebits helps tests to hold a computation to the same bits on every processor: with
// assembly or without it, and where products and sums can be fused.
package samebits

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"math"
	"math/rand/v2"
	"testing"
)

// Check compares the hash of numbers with the hash that every processor gives: the first 6 bytes of
// SHA-256 over their bits, least byte first, in hex.
func Check(t *testing.T, of string, v []float32, want string) {
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

// Numbers returns n random numbers from 0 to most.
func Numbers(r *rand.Rand, n int, most float32) []float32 {
	out := make([]float32, n)
	for i := range out {
		out[i] = float32(r.Float32() * most)
	}
	return out
}
