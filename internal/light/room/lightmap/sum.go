package lightmap

import "image"

// Share is a grid of one number or of three colours, and how much of it counts in each colour.
type Share struct {
	Grid *Grid
	Of   [3]float32
}

// Sum returns what grids of one flat sheet that have tiles of one size are in all, as three
// colours, on the pixels of the photo in r at least; nil for no grids. What many lights give to a
// surface is read at once by that.
func Sum(of []Share, r image.Rectangle) *Grid {
	if len(of) == 0 {
		return nil
	}
	from := of[0].Grid
	g := &Grid{Tile: from.Tile, Tiles: from.Tiles, C: 3, tiles: make([]tile, len(from.tiles))}
	w := g.Tiles.Dx()
	for n := range g.tiles {
		x, y := float64(g.Tiles.Min.X+n%w)*g.Tile, float64(g.Tiles.Min.Y+n/w)*g.Tile
		if x >= float64(r.Max.X) || y >= float64(r.Max.Y) || x+g.Tile <= float64(r.Min.X) ||
			y+g.Tile <= float64(r.Min.Y) {
			continue
		}
		t := &g.tiles[n]
		for _, s := range of {
			t.n = max(t.n, s.Grid.tiles[n].n)
		}
		if t.n == 0 {
			continue
		}
		t.val = make([]float32, 3*(t.n+1)*(t.n+1))
		for _, s := range of {
			t.add(&s.Grid.tiles[n], s.Grid.C, s.Of)
		}
	}
	return g
}

// add adds a tile of c numbers with as many cells along an edge or fewer, each of which is some of
// t's: between corners both are even, so that nothing is lost.
func (t *tile) add(s *tile, c int, of [3]float32) {
	if s.n == 0 {
		return
	}
	k := t.n / s.n
	part := 1 / float32(k)
	for j, to := 0, t.val; j <= t.n; j++ {
		v := min(j/k, s.n-1)
		fy := float32(j-v*k) * part
		for i := 0; i <= t.n; i++ {
			u := min(i/k, s.n-1)
			fx := float32(i-u*k) * part
			at := (v*(s.n+1) + u) * c
			low := at + (s.n+1)*c
			for q := range 3 {
				o := min(q, c-1)
				a := s.val[at+o] + float32((s.val[at+c+o]-s.val[at+o])*fx)
				b := s.val[low+o] + float32((s.val[low+c+o]-s.val[low+o])*fx)
				to[q] += float32(of[q] * (a + float32((b-a)*fy)))
			}
			to = to[3:]
		}
	}
}
