package irradiance

import (
	"context"
	"image"
	"math"

	"pyrant/internal/raster"
	"pyrant/internal/room"
	"pyrant/internal/solid"
)

// Sheet is a surface as the photo shows it: what lies on each of its pixels.
type Sheet struct {
	Rect  image.Rectangle // pixels of the photo
	Body  *solid.Body     // that it is the front of; nil for what is flat
	Plane room.Plane      // of what is flat
	Cam   *room.Camera
	// Seen tells whether any of the pixels from (x0, y0) to (x1, y1) shows the surface; nil for all.
	Seen func(x0, y0, x1, y1 float64) bool
}

// farthest is how far away what is flat is taken to go on, in heights of the camera.
const farthest = 400

// Place returns what lies on a pixel; false for nothing.
func (s *Sheet) Place(x, y float64) (Place, bool) {
	if s.Body != nil {
		at, n, ok := s.Body.Surface(x, y)
		return Place{at, n, s.Body}, ok
	}
	r := s.Cam.Ray(x, y)
	t, ok := s.Plane.Hit(r)
	if !ok || t > farthest {
		return Place{}, false
	}
	return Place{At: r.Mul(t), N: s.Plane.N}, true
}

// channels returns how many numbers a place of the sheet has: irradiance where it is flat, else a Beam.
func (s *Sheet) channels() int {
	if s.Body != nil {
		return 4
	}
	return 1
}

// Grid is values over a sheet, in square tiles each as fine as it has to be.
type Grid struct {
	Tile  float64         // edge in pixels of the photo
	Tiles image.Rectangle // which there are
	C     int             // numbers at each place
	tiles []tile
}

// tile is n·n cells with a value at each corner, row by row; n is 0 where nothing is.
type tile struct {
	n   int
	val []float32
}

// Bytes returns the memory that the grid takes.
func (g *Grid) Bytes() int64 {
	n := int64(len(g.tiles)) * 32
	for i := range g.tiles {
		n += int64(len(g.tiles[i].val)) * 4
	}
	return n
}

// Cells counts the values that were worked out.
func (g *Grid) Cells() (n int) {
	for i := range g.tiles {
		n += len(g.tiles[i].val) / g.C
	}
	return
}

// newGrid returns a grid over a sheet without values.
func newGrid(s *Sheet, edge float64) *Grid {
	g := &Grid{Tile: edge, C: s.channels()}
	f := func(v int) int { return int(math.Floor(float64(v) / edge)) }
	c := func(v int) int { return int(math.Ceil(float64(v) / edge)) }
	g.Tiles = image.Rect(f(s.Rect.Min.X), f(s.Rect.Min.Y), c(s.Rect.Max.X), c(s.Rect.Max.Y))
	g.tiles = make([]tile, g.Tiles.Dx()*g.Tiles.Dy())
	return g
}

// value is what is worked out at a place.
type value [4]float32

// size is how large a value is, for what is worth refining.
func (v value) size(c int) float64 {
	if c == 1 {
		return math.Abs(float64(v[0]))
	}
	return float64(v[3])
}

// off returns how much two values differ.
func (v value) off(w value, c int) (d float64) {
	for k := range c {
		d = math.Max(d, math.Abs(float64(v[k]-w[k])))
	}
	return d
}

func mean(v ...value) (m value) {
	for _, w := range v {
		for k := range m {
			m[k] += w[k] / float32(len(v))
		}
	}
	return m
}

// How fine a grid becomes: where a value differs from the mean of its neighbours by more than smooth,
// of the largest of them, and where a shadow's edge is still coarser than edge after that.
const (
	smooth = 0.02
	edge   = 0.2
)

// detail bounds how fine the tiles of a grid become.
type detail struct {
	most int     // cells to a tile's edge at the most
	dark float64 // values below it are not worth refining
}

// fill works the grid out: at gives the value of a place, calm tells whether all of a tile is lit alike,
// so that nothing but distance changes within it.
func (g *Grid) fill(ctx context.Context, s *Sheet, d detail, at func(Place) value, calm func(mid Place, radius float64) bool) error {
	w, h := g.Tiles.Dx(), g.Tiles.Dy()
	if w <= 0 || h <= 0 {
		return ctx.Err()
	}
	need := make([]bool, w*h)
	for i := range need {
		x, y := float64(g.Tiles.Min.X+i%w)*g.Tile, float64(g.Tiles.Min.Y+i/w)*g.Tile
		need[i] = s.Seen == nil || s.Seen(x, y, x+g.Tile, y+g.Tile)
	}
	eval := func(x, y float64) (value, bool) {
		pl, ok := s.Place(x, y)
		if !ok {
			return value{}, false
		}
		return at(pl), true
	}
	// The corners of all tiles, once.
	corner := make([]value, (w+1)*(h+1))
	there := make([]bool, len(corner))
	if err := raster.Each(ctx, h+1, func(j int) {
		for i := range w + 1 {
			touches := false
			for _, k := range [4][2]int{{i - 1, j - 1}, {i, j - 1}, {i - 1, j}, {i, j}} {
				touches = touches || k[0] >= 0 && k[1] >= 0 && k[0] < w && k[1] < h && need[k[1]*w+k[0]]
			}
			if touches && ctx.Err() == nil {
				n := j*(w+1) + i
				corner[n], there[n] = eval(float64(g.Tiles.Min.X+i)*g.Tile, float64(g.Tiles.Min.Y+j)*g.Tile)
			}
		}
	}); err != nil {
		return err
	}
	top := 0.0
	for i := range corner {
		top = math.Max(top, corner[i].size(g.C))
	}
	dark := math.Max(d.dark, 0.002*top)
	return raster.Each(ctx, h, func(j int) {
		for i := range w {
			if !need[j*w+i] || ctx.Err() != nil {
				continue
			}
			c := [4]int{j*(w+1) + i, j*(w+1) + i + 1, (j+1)*(w+1) + i, (j+1)*(w+1) + i + 1}
			g.tiles[j*w+i] = g.tile(s, d, dark, float64(g.Tiles.Min.X+i)*g.Tile, float64(g.Tiles.Min.Y+j)*g.Tile,
				[4]value{corner[c[0]], corner[c[1]], corner[c[2]], corner[c[3]]}, there[c[0]] && there[c[1]] && there[c[2]] && there[c[3]], eval, calm)
		}
	})
}

// tile works one tile out.
func (g *Grid) tile(s *Sheet, d detail, dark, x, y float64, c [4]value, whole bool, eval func(x, y float64) (value, bool), calm func(Place, float64) bool) tile {
	n := 1
	vals := []value{c[0], c[1], c[2], c[3]}
	// finer doubles the cells, keeping what is known.
	finer := func() {
		m := 2 * n
		next := make([]value, (m+1)*(m+1))
		for j := range m + 1 {
			for i := range m + 1 {
				if i%2 == 0 && j%2 == 0 {
					next[j*(m+1)+i] = vals[j/2*(n+1)+i/2]
				} else {
					next[j*(m+1)+i], _ = eval(x+g.Tile*float64(i)/float64(m), y+g.Tile*float64(j)/float64(m))
				}
			}
		}
		n, vals = m, next
	}
	// rough tells whether the last doubling told of anything new.
	rough := func(tol float64) bool {
		at := func(i, j int) value { return vals[j*(n+1)+i] }
		for j := 0; j < n; j += 2 {
			for i := 0; i < n; i += 2 {
				a, b, c, e := at(i, j), at(i+2, j), at(i, j+2), at(i+2, j+2)
				big := math.Max(math.Max(a.size(g.C), b.size(g.C)), math.Max(c.size(g.C), e.size(g.C)))
				mid := at(i+1, j+1)
				big = math.Max(big, mid.size(g.C))
				if big < dark {
					continue
				}
				if mid.off(mean(a, b, c, e), g.C) > tol*big || at(i+1, j).off(mean(a, b), g.C) > tol*big || at(i, j+1).off(mean(a, c), g.C) > tol*big {
					return true
				}
			}
		}
		return false
	}
	quiet := whole
	if whole {
		mid, ok := s.Place(x+g.Tile/2, y+g.Tile/2)
		corner, ok2 := s.Place(x, y)
		other, ok3 := s.Place(x+g.Tile, y)
		quiet = ok && ok2 && ok3
		if quiet {
			r := math.Max(corner.At.Sub(mid.At).Len(), other.At.Sub(mid.At).Len())
			quiet = calm(mid, 1.1*r)
		}
	}
	if n < d.most {
		finer()
		if !quiet && n < d.most {
			finer()
		}
		tol := smooth
		for n < d.most && rough(tol) {
			finer()
			if n >= 4 && !quiet {
				tol = edge
			}
		}
	}
	out := tile{n: n, val: make([]float32, len(vals)*g.C)}
	for i, v := range vals {
		copy(out.val[i*g.C:], v[:g.C])
	}
	return out
}

// join makes the edges of fine tiles go with those of coarser ones beside them, so that no step shows.
func (g *Grid) join() {
	w, h := g.Tiles.Dx(), g.Tiles.Dy()
	side := func(t *tile, horizontal bool, last int, k int) []float32 {
		i := last*(t.n+1) + k
		if !horizontal {
			i = k*(t.n+1) + last
		}
		return t.val[i*g.C : (i+1)*g.C]
	}
	match := func(a, b *tile, horizontal bool) { // b is below or to the right of a
		if a.n == 0 || b.n == 0 || a.n == b.n {
			return
		}
		fine, coarse, fl, cl := a, b, a.n, 0
		if a.n < b.n {
			fine, coarse, fl, cl = b, a, 0, a.n
		}
		k := fine.n / coarse.n
		for i := range fine.n + 1 {
			p, q := side(coarse, horizontal, cl, i/k), side(coarse, horizontal, cl, min(i/k+1, coarse.n))
			f := float32(i%k) / float32(k)
			to := side(fine, horizontal, fl, i)
			for c := range to {
				to[c] = p[c] + (q[c]-p[c])*f
			}
		}
	}
	for j := range h {
		for i := range w {
			t := &g.tiles[j*w+i]
			if i+1 < w {
				match(t, &g.tiles[j*w+i+1], false)
			}
			if j+1 < h {
				match(t, &g.tiles[(j+1)*w+i], true)
			}
		}
	}
}

// Read writes the values of n places to dst, g.C numbers each: those at (x + i·step, y). Beyond the grid
// and where nothing was worked out it leaves 0.
func (g *Grid) Read(dst []float32, x, y, step float64, n int) {
	clear(dst[:n*g.C])
	w := g.Tiles.Dx()
	ty := y/g.Tile - float64(g.Tiles.Min.Y)
	j := int(math.Floor(ty))
	if j < 0 || j >= g.Tiles.Dy() {
		return
	}
	ty -= float64(j)
	row := g.tiles[j*w : (j+1)*w]
	k := step / g.Tile
	tx := x/g.Tile - float64(g.Tiles.Min.X)
	for i := 0; i < n; {
		at := tx + k*float64(i)
		ti := int(math.Floor(at))
		// All places of one tile at a time.
		next := n
		if k > 0 {
			if ti < 0 {
				next = i + int(math.Ceil(-at/k))
			} else {
				next = i + max(int(math.Ceil((float64(ti+1)-at)/k)), 1)
			}
			next = min(next, n)
		}
		if next <= i {
			next = i + 1
		}
		if ti >= w {
			return
		}
		if ti >= 0 && row[ti].n > 0 {
			g.run(&row[ti], dst[i*g.C:next*g.C], at-float64(ti), ty, k)
		}
		i = next
	}
}

// run reads places of one tile.
func (g *Grid) run(t *tile, dst []float32, x, y, k float64) {
	v := y * float64(t.n)
	j := min(int(v), t.n-1)
	fy := float32(v - float64(j))
	top := t.val[j*(t.n+1)*g.C:]
	low := t.val[(j+1)*(t.n+1)*g.C:]
	u := float32(x * float64(t.n))
	du := float32(k * float64(t.n))
	c := g.C
	for i := 0; i < len(dst); i += c {
		n := min(int(u), t.n-1)
		fx := u - float32(n)
		for q := range c {
			a, b := top[n*c+q], low[n*c+q]
			a += (top[(n+1)*c+q] - a) * fx
			b += (low[(n+1)*c+q] - b) * fx
			dst[i+q] = a + (b-a)*fy
		}
		u += du
	}
}
