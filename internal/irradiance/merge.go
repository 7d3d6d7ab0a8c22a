package irradiance

// Merge returns what several grids of one flat sheet give together in three colours, each with a weight for
// each of them: grids of one number a place, or of three. Each tile of it is as fine as the finest of those that it
// is made of, so that it gives everywhere what they do.
func Merge(grids []*Grid, weights [][3]float32) *Grid {
	out := &Grid{Tile: grids[0].Tile, Tiles: grids[0].Tiles, C: 3, tiles: make([]tile, len(grids[0].tiles))}
	for i := range out.tiles {
		to := &out.tiles[i]
		for _, g := range grids {
			to.n = max(to.n, g.tiles[i].n)
		}
		if to.n == 0 {
			continue
		}
		to.val = make([]float32, 3*(to.n+1)*(to.n+1))
		for k, g := range grids {
			to.add(&g.tiles[i], g.C, weights[k])
		}
	}
	return out
}

// add adds values of a tile that is as fine or coarser, of so many numbers a place, to a tile of three.
func (t *tile) add(from *tile, numbers int, weight [3]float32) {
	if from.n == 0 {
		return
	}
	k := t.n / from.n // both are powers of 2
	for y := range t.n + 1 {
		j := min(y/k, from.n-1)
		fy := float32(y-j*k) / float32(k)
		for x := range t.n + 1 {
			i := min(x/k, from.n-1)
			fx := float32(x-i*k) / float32(k)
			at := (j*(from.n+1) + i) * numbers
			low := at + (from.n+1)*numbers
			to := t.val[3*(y*(t.n+1)+x):]
			for c := range 3 {
				q := c % numbers
				a := from.val[at+q] + (from.val[at+numbers+q]-from.val[at+q])*fx
				b := from.val[low+q] + (from.val[low+numbers+q]-from.val[low+q])*fx
				to[c] += weight[c] * (a + (b-a)*fy)
			}
		}
	}
}
