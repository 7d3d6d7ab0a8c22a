package lightmap

import (
	"math/rand/v2"
	"slices"
	"testing"
)

// Eight pixels at a time have the same bits as one after the other, and nothing beside them is
// touched.
func TestRowsSameBits(t *testing.T) {
	if !wide {
		t.Skip("this machine goes one pixel at a time")
	}
	defer func() { wide = true }()
	rng := rand.New(rand.NewPCG(3, 4))
	row := func(n int, most float32) []float32 {
		out := make([]float32, n)
		for i := range out {
			out[i] = (2*rng.Float32() - 1) * most
		}
		return out
	}
	both := func(name string, n int, f func(dst []float32)) {
		t.Helper()
		before := row(n, 1)
		a, b := slices.Clone(before), slices.Clone(before)
		wide = true
		f(a)
		wide = false
		f(b)
		wide = true
		if !slices.Equal(a, b) {
			t.Fatalf("%s: %v at once, %v one by one", name, a, b)
		}
	}
	for n := 1; n < 40; n++ {
		g := &Grid{Tile: 7, C: 1 + n%Mixed, tiles: make([]tile, 12)}
		g.Tiles.Min.X, g.Tiles.Max.X, g.Tiles.Max.Y = -1, 5, 2
		for i := range g.tiles {
			if i == 3 {
				continue // nothing is there
			}
			c := 1 << (i % 4)
			g.tiles[i] = tile{n: c, val: row((c+1)*(c+1)*g.C, 2)}
		}
		x0, step, y := rng.IntN(30)-10, 0.2+rng.Float64(), rng.Float64()*14
		both("read", n*g.C+3, func(dst []float32) { g.Read(dst, x0, step, y, n) })

		v, normals := row(4*n, 1), row(3*n, 1)
		for i := range n {
			switch v[3*n+i] = 2 * rng.Float32(); rng.IntN(8) {
			case 0:
				v[3*n+i] = -v[3*n+i]
			case 1:
				v[i], v[n+i], v[2*n+i] = 0, 0, 0
			case 2:
				v[i], v[n+i], v[2*n+i], v[3*n+i] = 0, 0, 0, 0
			}
		}
		both("on", n, func(dst []float32) { OnRow(dst, v, normals) })
		around, mixed := append(slices.Clone(v), v...), row(Mixed*n, 1)
		both("on around", n, func(dst []float32) { OnAround(dst, around, normals, make([]float32, n)) })
		both("on colours", 3*n, func(dst []float32) { OnColours(dst, mixed, normals) })
		w, e, b := row(n, 1), row(n, 1), row(3*n, 1)
		both("divide", n, func(dst []float32) { Divide(dst, w, e, 0.1) })
		both("add", 3*n, func(dst []float32) { Add(dst, w, e, b, 0.7) })
	}
}
