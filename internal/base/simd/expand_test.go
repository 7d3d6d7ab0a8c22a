package simd

import (
	"math/rand/v2"
	"testing"

	"pyrant/internal/base/samebits"
)

// Columns that are expanded several at a time are, to the bit, what Mostly and Mean make of them,
// and nothing beyond them is written.
func TestExpand(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for n := 1; n < 40; n++ {
		src := samebits.Numbers(r, 3*(n+4), 2)
		dst := make([]float32, 6*n+9)
		for i := range dst {
			dst[i] = -7
		}
		const i = 3
		done := Expand(dst, src, i, n)
		if done >= n || done > 0 && !wide {
			t.Fatalf("of %d columns %d are done", n, done)
		}
		var on, after [3]float32
		for k := range done {
			at := src[i+3*k:]
			Mostly(on[:], src[i+3*k-3:], at, at[3:])
			Mean(after[:], at, at[3:])
			if [3]float32(dst[6*k:]) != on || [3]float32(dst[6*k+3:]) != after {
				t.Fatalf("column %d of %d: %v, want %v, %v", k, n, dst[6*k:6*k+6], on, after)
			}
		}
		for k := 6*done + 1; k < len(dst); k++ { // a sample beyond may be written
			if dst[k] != -7 {
				t.Fatalf("sample %d of %d columns is written", k, n)
			}
		}
	}
}

func TestMeanAndMostly(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for n := range 40 {
		p, q, k := samebits.Numbers(r, n, 2), samebits.Numbers(r, n, 2), samebits.Numbers(r, n, 2)
		mean, mostly := make([]float32, n), make([]float32, n)
		Mean(mean, q, k)
		Mostly(mostly, p, q, k)
		for i := range n {
			if mean[i] != (q[i]+k[i])*0.5 ||
				mostly[i] != float32((p[i]+k[i])*0.125)+float32(q[i]*0.75) {
				t.Fatalf("sample %d of %d: %v and %v", i, n, mean[i], mostly[i])
			}
		}
	}
}
