package irradiance

import (
	"image"
	"math"
	"math/rand/v2"
	"testing"
)

// random returns a grid of some numbers a place, whose tiles are of all degrees of fineness, some of none.
func random(rnd *rand.Rand, numbers int) *Grid {
	g := &Grid{Tile: 16, Tiles: image.Rect(-1, 0, 5, 4), C: numbers, tiles: make([]tile, 24)}
	for i := range g.tiles {
		t := &g.tiles[i]
		if t.n = [...]int{0, 1, 2, 4, 8}[rnd.IntN(5)]; t.n > 0 {
			t.val = make([]float32, (t.n+1)*(t.n+1)*numbers)
		}
		for k := range t.val {
			t.val[k] = rnd.Float32()
		}
	}
	return g
}

// Several grids merged give at every pixel what they give one by one, each by its weight.
func TestMerge(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 4))
	for _, numbers := range [...]int{1, 3} {
		grids, weights := []*Grid{}, [][3]float32{}
		for i := range 4 {
			grids = append(grids, random(rnd, numbers))
			weights = append(weights, [3]float32{float32(i), rnd.Float32(), 2 * rnd.Float32()})
		}
		m := Merge(grids, weights)
		const n = 230
		for _, y := range [...]float64{0.1, 7, 21.5, 32, 47.3, 63.9} {
			want, one, got := make([]float64, 3*n), make([]float32, numbers*n), make([]float32, 3*n)
			for k, g := range grids {
				g.Read(one, -40, 0.5, y, n)
				for i := range want {
					want[i] += float64(weights[k][i%3] * one[i/3*numbers+i%3%numbers])
				}
			}
			m.Read(got, -40, 0.5, y, n)
			for i, v := range want {
				if math.Abs(v-float64(got[i])) > 1e-5 {
					t.Fatalf("%d numbers, y %v, sample %d: %v, one by one %v", numbers, y, i, got[i], v)
				}
			}
		}
	}
}
