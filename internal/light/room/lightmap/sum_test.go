package lightmap

import (
	"image"
	"math"
	"math/rand/v2"
	"testing"
)

// A sum of grids is read as what each of them is added up: of tiles with more or fewer cells, of
// one number and of three, and with nothing in some.
func TestSum(t *testing.T) {
	if Sum(nil, image.Rect(0, 0, 9, 9)) != nil {
		t.Error("of no grids there is a sum")
	}
	rng := rand.New(rand.NewPCG(5, 6))
	made := func(c int) *Grid {
		g := &Grid{Tile: 7, C: c, Tiles: image.Rect(-1, 0, 5, 3), tiles: make([]tile, 18)}
		for i := range g.tiles {
			n := []int{0, 1, 2, 4, 8}[rng.IntN(5)]
			g.tiles[i] = tile{n: n, val: make([]float32, (n+1)*(n+1)*c)}
			for k := range g.tiles[i].val {
				g.tiles[i].val[k] = rng.Float32()
			}
		}
		return g
	}
	list := []Share{{made(1), [3]float32{1, 0.5, 0}}, {made(3), [3]float32{0.25, 1, 2}},
		{made(1), [3]float32{0, 0, 1}}}
	sum := Sum(list, image.Rect(-20, 0, 40, 13))
	const n = 60
	got, one := make([]float32, 3*n), make([]float32, 3*n)
	for y := 0.3; y < 14; y += 0.9 {
		sum.Read(got, -15, 0.7, y, n)
		for i := range n {
			for c := range 3 {
				want := 0.0
				for _, s := range list {
					s.Grid.Read(one, -15, 0.7, y, n)
					want += float64(s.Of[c]) * float64(one[min(c, s.Grid.C-1)*n+i])
				}
				if math.Abs(float64(got[c*n+i])-want) > 2e-6 {
					t.Fatalf("at %d, %.1f channel %d is %v, want %v", i, y, c, got[c*n+i], want)
				}
			}
		}
	}
	// Tiles that no pixel of the part lies on are left out.
	if sum.Read(got, 0, 0.7, 18, n); got[5] != 0 {
		t.Errorf("beyond the part there is %v", got[5])
	}
}
