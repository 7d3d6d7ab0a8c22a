package simd

import (
	"math/rand/v2"
	"slices"
	"testing"
)

// Eight elements at a time make what four at a time make, and no element beyond them.
func TestEightAtATime(t *testing.T) {
	if !eight {
		t.Skip("this machine takes four")
	}
	defer func() { eight = true }()
	r := rand.New(rand.NewPCG(1, 2))
	for n := 4; n <= 80; n += 4 {
		a, b := make([]float32, n+8), make([]float32, n+8)
		for i := range a {
			a[i], b[i] = r.Float32(), r.Float32()
		}
		for name, f := range map[string]func(dst, src *float32, n int){"add": add4, "mul": mul4} {
			var out [2][]float32
			for i, on := range []bool{true, false} {
				eight = on
				out[i] = slices.Clone(a)
				f(&out[i][0], &b[0], n)
			}
			if !slices.Equal(out[0], out[1]) || !slices.Equal(out[0][n:], a[n:]) {
				t.Errorf("%s of %d elements: %v and %v", name, n, out[0], out[1])
			}
		}
	}
}
