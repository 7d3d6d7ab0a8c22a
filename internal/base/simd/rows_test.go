package simd

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

// A row has the bits of its samples, however many are done at a time.
func TestRowsOfSamples(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for n := range 40 {
		a, b, c := make([]float32, n+2), make([]float32, n), make([]float32, 3*n+1)
		for _, s := range [][]float32{a, b, c} {
			for i := range s {
				s[i] = r.Float32()
			}
		}
		w := [3]float32{r.Float32(), 9 * r.Float32(), 30 * r.Float32()}
		capped := slices.Clone(a)
		Cap(capped[:n], 0.5)
		for i, v := range a {
			if want := min(v, 0.5); i < n && capped[i] != want || i >= n && capped[i] != v {
				t.Fatalf("%d of %d: %v is capped at %v", i, n, v, capped[i])
			}
		}
		sum, product, coloured := slices.Clone(a), slices.Clone(a), slices.Clone(c)
		Add(sum, b)
		Mul(product, b)
		AddColour(coloured, b, w)
		each, spread := slices.Clone(c), make([]float32, 3*n)
		for i := range spread {
			spread[i] = b[i/3]
		}
		AddColours(each, spread, w)
		if !slices.Equal(each, coloured) {
			t.Fatalf("%d: of colours that are grey another sum than of values", n)
		}
		if n > 0 {
			spread[1], each[1] = spread[1]/2, c[1]
			AddColours(each[:3], spread[:3], w)
			if want := c[1] + whole(spread[1]*w[1]); each[1] != want {
				t.Fatalf("%d: a channel of its own is %v, want %v", n, each[1], want)
			}
		}
		for i := range n {
			if sum[i] != a[i]+b[i] || product[i] != a[i]*b[i] {
				t.Fatalf("%d of %d: sum %v, product %v of %v and %v", i, n, sum[i], product[i], a[i], b[i])
			}
			for k := range 3 {
				if want := c[3*i+k] + float32(math.RoundToEven(float64(min(b[i]*w[k],
					8))*(1<<20))/(1<<20)); coloured[3*i+k] != want {
					t.Fatalf("%d of %d: channel %d is %v, want %v", i, n, k, coloured[3*i+k], want)
				}
			}
		}
		if sum[n] != a[n] || sum[n+1] != a[n+1] || product[n] != a[n] || coloured[3*n] != c[3*n] {
			t.Fatalf("%d: what lies beyond is changed", n)
		}
	}
}
