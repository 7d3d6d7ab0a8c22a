package lightmap

import (
	"context"
	"image"
	"math"
	"slices"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/room/silhouette"
)

// Sheet is a surface as the photo shows it: what lies on each of its pixels.
type Sheet struct {
	Rect  image.Rectangle  // pixels of the photo
	Body  *silhouette.Body // that it is the front of; nil for what is flat
	Plane camera.Plane     // of what is flat
	Cam   *camera.Camera
	Wet   *Gloss // how it mirrors, if it does
	// Before are planes that it ends at. What would lie behind one, where the photo shows that
	// already, is taken at its foot, so that values between do not fall off there.
	Before []camera.Plane
	// Under are prisms that stand on it. What lies under one is taken before the nearest of its
	// sides that the photo shows, for the same reason.
	Under []*camera.Prism
	// Seen tells whether any of the pixels from (x0, y0) to (x1, y1) shows the surface; nil for
	// all.
	Seen func(x0, y0, x1, y1 float64) bool
}

// farthest is how far away what is flat is taken to go on, in heights of the camera.
const farthest = 400

// Place returns what lies on a pixel; false for nothing.
func (s *Sheet) Place(x, y float64) (Place, bool) {
	if s.Body != nil {
		at, n, ok := s.Body.Surface(x, y)
		return Place{At: at, N: n, Body: s.Body}, ok
	}
	r := s.Cam.Ray(x, y)
	t, ok := s.Plane.Hit(r)
	if !ok || t > farthest {
		return Place{}, false
	}
	at := r.Mul(t)
	for _, p := range s.Before {
		if d := p.Side(at); d < aside {
			at = at.Add(p.N.Mul(aside - d))
		}
	}
	for _, p := range s.Under {
		at = outOf(p, at)
	}
	return Place{At: at, N: s.Plane.N, Wet: s.Wet}, true
}

// outOf returns a place, or if that lies under a prism the nearest before a side of it that faces
// the camera.
func outOf(p *camera.Prism, at camera.Vec) camera.Vec {
	best, near := -1, math.Inf(-1)
	for i := 1; i < len(p.Planes)-1; i++ {
		d := p.Planes[i].Side(at)
		if d >= aside {
			return at
		}
		if p.Planes[i].D < 0 && d > near {
			best, near = i, d
		}
	}
	if best < 0 {
		return at
	}
	return at.Add(p.Planes[best].N.Mul(aside - near))
}

// aside is how far places stay before the planes that a sheet ends at.
const aside = 2e-3

// channels returns how many numbers a place of the sheet has: irradiance where it is flat, else a
// Beam.
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
	made  *made // of what it was filled by; nil where that serves no more
	bytes int64 // what all of it takes, once it is finished
}

// made is what a grid was made of, before its tiles went over into each other: of a light that
// stands where it stood that holds wherever nothing that hides it came or went.
type made struct {
	of     uint64 // names the sheet, the light and how finely
	corner []value
	// by tile: names what may hide something from it; 0 where the tile is not needed
	hiding []uint64
	top    float64
	tiles  []tile
}

// tile is n·n cells with a value at each corner, row by row; n is 0 where nothing is.
type tile struct {
	n   int
	val []float32
}

// Bytes returns the memory that the grid takes.
func (g *Grid) Bytes() int64 { return g.bytes }

// weigh returns that of all that it has.
func (g *Grid) weigh() int64 {
	n := int64(len(g.tiles)) * 32
	for i := range g.tiles {
		n += int64(len(g.tiles[i].val)) * 4
	}
	if g.made != nil {
		n += int64(len(g.made.corner))*16 + int64(len(g.made.hiding))*8
		for i := range g.made.tiles {
			n += int64(len(g.made.tiles[i].val))*4 + 40
		}
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

// How fine a grid becomes: by how much of the largest of its neighbours a value may differ from
// their mean, for squares of a tile's size, of half of that and of less.
const (
	smooth = 0.02
	fine   = 0.04
	edge   = 0.12
)

// detail bounds how fine the tiles of a grid become.
type detail struct {
	most int     // cells to a tile's edge at the most
	dark float64 // values below it are not worth refining
}

// giver gives values at places.
type giver interface {
	// near returns for each of some places of one surface what may hide any of the light from those
	// of it within a radius.
	near(mids []Place, radius []float64) []hidden
	// values writes what it gives to places of one surface to out.
	values(pls []Place, h hidden, out []value)
}

// most is how many places ask at once at the most.
const most = 64

// fill works the grid out, unless it is that of the same sheet and light at another time wherever
// nothing that hides it came or went; nil for none.
func (g *Grid) fill(ctx context.Context, s *Sheet, d detail, from giver, at *Field) error {
	w, h := g.Tiles.Dx(), g.Tiles.Dy()
	if w <= 0 || h <= 0 {
		return ctx.Err()
	}
	f := &filling{
		g: g, s: s, from: from, w: w, h: h,
		need: make([]bool, w*h), by: make([]hidden, w*h), same: make([]bool, (w+1)*(h+1)),
		now: &made{corner: make([]value, (w+1)*(h+1)), hiding: make([]uint64, w*h)},
	}
	if f.light, _ = from.(*beams); f.light != nil {
		n := newNamer()
		n.id(s.name())
		n.id(f.light.l.name())
		n.num(f.light.shadows, g.Tile, float64(d.most), d.dark)
		f.now.of = n.Sum64()
		f.before = at.made(f.now.of)
	}
	if err := raster.Each(ctx, h, func(j int) { f.hide(ctx, j) }); err != nil {
		return err
	}
	if err := raster.Each(ctx, h+1, func(j int) { f.corners(ctx, j) }); err != nil {
		return err
	}
	top := 0.0
	for i := range f.now.corner {
		top = math.Max(top, f.now.corner[i].size(g.C))
	}
	f.now.top = top
	d.dark = math.Max(d.dark, 0.002*top)
	// What was worked out along the sides of a tile serves the next. Every other row goes first, so
	// that no two that are worked on meet.
	lines := make([]line, h+1)
	for i := range lines {
		lines[i] = make(line, w*d.most+1)
	}
	err := raster.Each(ctx, (h+1)/2, func(k int) { f.row(ctx, 2*k, d, lines) })
	if err == nil {
		err = raster.Each(ctx, h/2, func(k int) { f.row(ctx, 2*k+1, d, lines) })
	}
	if f.light != nil {
		f.now.tiles = slices.Clone(g.tiles)
		g.made = f.now
	}
	return err
}

// filling is a grid that is being worked out.
type filling struct {
	g           *Grid
	s           *Sheet
	from        giver
	light       *beams // that is from; nil for a sky
	w, h        int
	need        []bool   // by tile
	by          []hidden // by tile
	same        []bool   // by corner, that it is as before
	now, before *made
}

// hide finds out what may hide something from the tiles of row j that are needed.
func (f *filling) hide(ctx context.Context, j int) {
	g, s := f.g, f.s
	var mids []Place
	var radius []float64
	var of []int
	for i := range f.w {
		n := j*f.w + i
		x, y := float64(g.Tiles.Min.X+i)*g.Tile, float64(g.Tiles.Min.Y+j)*g.Tile
		if f.need[n] = ctx.Err() == nil && (s.Seen == nil || s.Seen(x, y, x+g.Tile,
			y+g.Tile)); !f.need[n] {
			continue
		}
		mid, ok := s.Place(x+g.Tile/2, y+g.Tile/2)
		r := 0.0
		for k := range 4 {
			c, there := s.Place(x+g.Tile*float64(k&1), y+g.Tile*float64(k>>1))
			ok = ok && there
			r = math.Max(r, c.At.Sub(mid.At).Len())
		}
		if ok {
			mids, radius, of = append(mids, mid), append(radius, 1.05*r), append(of, n)
		} else if f.light != nil {
			f.by[n] = f.light.all
		}
	}
	if len(mids) > 0 {
		for k, h := range f.from.near(mids, radius) {
			f.by[of[k]] = h
		}
	}
	for n := j * f.w; f.light != nil && n < (j+1)*f.w; n++ {
		if f.need[n] {
			f.now.hiding[n] = f.by[n].name(f.light.l)
		}
	}
}

// corners works out row j of the corners of all tiles. Those from which the same may be hidden ask
// together.
func (f *filling) corners(ctx context.Context, j int) {
	g := f.g
	var ask []int
	var places []Place
	var of int // a tile of them
	var vals []value
	work := func() {
		if len(ask) == 0 {
			return
		}
		vals = slices.Grow(vals[:0], len(ask))[:len(ask)]
		f.from.values(places, f.by[of], vals)
		for k, n := range ask {
			f.now.corner[n] = vals[k]
			f.same[n] = f.before != nil && vals[k] == f.before.corner[n]
		}
		ask, places = ask[:0], places[:0]
	}
	defer work()
	for i := range f.w + 1 {
		for _, k := range [4][2]int{{i - 1, j - 1}, {i, j - 1}, {i - 1, j}, {i, j}} {
			if k[0] < 0 || k[1] < 0 || k[0] >= f.w || k[1] >= f.h || !f.need[k[1]*f.w+k[0]] ||
				ctx.Err() != nil {
				continue
			}
			n, t := j*(f.w+1)+i, k[1]*f.w+k[0]
			if f.same[n] = f.before != nil && f.before.hiding[t] == f.now.hiding[t]; f.same[n] {
				f.now.corner[n] = f.before.corner[n]
			} else if pl, ok := f.s.Place(float64(g.Tiles.Min.X+i)*g.Tile,
				float64(g.Tiles.Min.Y+j)*g.Tile); ok {
				if len(ask) > 0 && (f.now.hiding[t] != f.now.hiding[of] || len(ask) == most) {
					work()
				}
				of = t
				ask, places = append(ask, n), append(places, pl)
			}
			break
		}
	}
}

// row works out row j of the tiles; lines are the rows of places above and below each.
func (f *filling) row(ctx context.Context, j int, d detail, lines []line) {
	g, before := f.g, f.before
	m := newMaker(g.C, d.most, d.dark)
	m.above, m.below = lines[j], lines[j+1]
	part := g.Tile / float64(d.most)
	for i := range f.w {
		t := j*f.w + i
		if !f.need[t] || ctx.Err() != nil {
			m.beside = m.beside[:0]
			continue
		}
		a := j*(f.w+1) + i
		b := a + f.w + 1
		if before != nil && before.top == f.now.top && before.hiding[t] == f.now.hiding[t] &&
			f.same[a] && f.same[a+1] && f.same[b] && f.same[b+1] {
			g.tiles[t] = before.tiles[t]
			m.beside = m.beside[:0]
			continue
		}
		hid, c := f.by[t], f.now.corner
		x, y := float64(g.Tiles.Min.X+i)*g.Tile, float64(g.Tiles.Min.Y+j)*g.Tile
		g.tiles[t] = m.tile(i, [4]value{c[a], c[a+1], c[b], c[b+1]}, hid.none(),
			func(u, v int) (Place, bool) {
				return f.s.Place(x+part*float64(u), y+part*float64(v))
			}, func(pls []Place, out []value) { f.from.values(pls, hid, out) })
	}
}

// point is a value that may be known.
type point struct {
	value
	known bool
}

// line is the places along a side of a row of tiles.
type line []point

// maker makes the tiles of a row, from the left to the right.
type maker struct {
	c, n         int     // numbers at each place, and cells to a tile's edge at the most
	dark         float64 // values below it are not worth refining
	above, below line    // what is known along the row
	beside       line    // and along the left of the next tile; empty for nothing
	at           []point // of the tile

	level, next, flat []square
	wanted            []int // of at, what is to be worked out
	places            []Place
	values            []value
}

// square is a part of a tile.
type square struct{ i, j, size int }

func newMaker(c, most int, dark float64) *maker {
	return &maker{c: c, n: most, dark: dark, at: make([]point, (most+1)*(most+1))}
}

// want asks for the value at a corner of the cells, if it is not known.
func (m *maker) want(i, j int) {
	if k := j*(m.n+1) + i; !m.at[k].known {
		m.at[k].known = true
		m.wanted = append(m.wanted, k)
	}
}

// work works out what is wanted, all at once.
func (m *maker) work(place func(i, j int) (Place, bool), eval func([]Place, []value)) {
	m.places = m.places[:0]
	n := 0
	for _, k := range m.wanted {
		if pl, ok := place(k%(m.n+1), k/(m.n+1)); ok {
			m.places = append(m.places, pl)
			m.wanted[n] = k
			n++
		}
	}
	if n > 0 {
		m.values = slices.Grow(m.values[:0], n)[:n]
		eval(m.places, m.values)
		for i, k := range m.wanted[:n] {
			m.at[k].value = m.values[i]
		}
	}
	m.wanted = m.wanted[:0]
}

// tile works tile i of the row out, of which the values at the corners are known: it is divided
// into four as long as the middle and the sides differ from what lies between the corners. What is
// hidden from a part of the tile could slip through there, so that a tile which is not quiet is
// divided once at any rate.
func (m *maker) tile(column int, corner [4]value, quiet bool, place func(i, j int) (Place, bool),
	eval func([]Place, []value)) tile {
	n := m.n
	if n == 1 {
		m.at = append(m.at[:0], point{value: corner[0]}, point{value: corner[1]},
			point{value: corner[2]}, point{value: corner[3]})
		return m.store(1)
	}
	w := n + 1
	clear(m.at)
	copy(m.at, m.above[column*n:(column+1)*n+1])
	copy(m.at[n*w:], m.below[column*n:(column+1)*n+1])
	for k, p := range m.beside {
		m.at[k*w] = p
	}
	for k, at := range [4]int{0, n, n * w, n*w + n} {
		m.at[at] = point{corner[k], true}
	}
	m.flat = m.flat[:0]
	finest := n
	// All squares of one size at once.
	for m.level = append(m.level[:0], square{size: n}); len(m.level) > 0; m.level, m.next = m.next,
		m.level {
		for _, s := range m.level {
			i, j, size, h := s.i, s.j, s.size, s.size/2
			m.want(i, j)
			m.want(i+size, j)
			m.want(i, j+size)
			m.want(i+size, j+size)
			if size == 1 {
				continue
			}
			m.want(i+h, j+h)
			if !quiet {
				m.want(i+h, j)
				m.want(i, j+h)
				m.want(i+size, j+h)
				m.want(i+h, j+size)
			}
		}
		m.work(place, eval)
		m.next = m.next[:0]
		for _, s := range m.level {
			switch h := s.size / 2; {
			case s.size == 1:
				finest = 1
			case m.rough(s, quiet):
				m.next = append(m.next, square{s.i, s.j, h}, square{s.i + h, s.j, h},
					square{s.i, s.j + h, h}, square{s.i + h, s.j + h, h})
			default:
				m.flat = append(m.flat, s)
				finest = min(finest, s.size)
			}
		}
	}
	copy(m.above[column*n:], m.at[:w])
	copy(m.below[column*n:], m.at[n*w:])
	m.beside = m.beside[:0]
	for k := range w {
		m.beside = append(m.beside, m.at[k*w+n])
	}
	// What lies within a square that was not divided is taken from its corners; where squares of
	// two sizes meet, the sides of the larger count.
	slices.SortFunc(m.flat, func(a, b square) int { return a.size - b.size })
	for _, q := range m.flat {
		a, b, c, e := m.at[q.j*w+q.i], m.at[q.j*w+q.i+q.size], m.at[(q.j+q.size)*w+q.i],
			m.at[(q.j+q.size)*w+q.i+q.size]
		for v := 0; v <= q.size; v += finest {
			for u := 0; u <= q.size; u += finest {
				fx, fy := float32(u)/float32(q.size), float32(v)/float32(q.size)
				to := &m.at[(q.j+v)*w+q.i+u]
				for k := range m.c {
					p, r := a.value[k]+(b.value[k]-a.value[k])*fx,
						c.value[k]+(e.value[k]-c.value[k])*fx
					to.value[k] = p + (r-p)*fy
				}
			}
		}
	}
	return m.store(finest)
}

// rough tells whether a square has to be divided.
func (m *maker) rough(s square, quiet bool) bool {
	i, j, size, h := s.i, s.j, s.size, s.size/2
	at := func(i, j int) value { return m.at[j*(m.n+1)+i].value }
	a, b, c, e, mid := at(i, j), at(i+size, j), at(i, j+size), at(i+size, j+size), at(i+h, j+h)
	big := max(a.size(m.c), b.size(m.c), c.size(m.c), e.size(m.c), mid.size(m.c))
	if !quiet && size == m.n && big > 0 {
		return true
	}
	if big <= m.dark {
		return false
	}
	tol := smooth * big
	switch {
	case size <= m.n/4:
		tol = edge * big
	case size <= m.n/2:
		tol = fine * big
	}
	off := func(v value, between ...value) bool { return v.off(mean(between...), m.c) > tol }
	return off(mid, a, b, c, e) || !quiet && (off(at(i+h, j), a, b) || off(at(i, j+h), a, c) ||
		off(at(i+size, j+h), b, e) || off(at(i+h, j+size), c, e))
}

// store keeps every so many-th of the values of the tile.
func (m *maker) store(every int) tile {
	out := tile{n: m.n / every}
	out.val = make([]float32, 0, (out.n+1)*(out.n+1)*m.c)
	for j := 0; j <= m.n; j += every {
		for i := 0; i <= m.n; i += every {
			out.val = append(out.val, m.at[j*(m.n+1)+i].value[:m.c]...)
		}
	}
	return out
}

// finish makes the tiles go over into each other.
func (g *Grid) finish() {
	if g.C == 1 || g.C == 3 { // of what is flat; what is round turns within a tile
		g.bend()
	}
	g.join()
	g.bytes = g.weigh() // a cache asks at each frame
}

// bent is into how many cells along an edge a tile is divided that lies among smooth ones.
const bent = 4

// bend gives tiles of one cell, among others of one cell, values between their corners that lie on
// cubics (Catmull and Rom 1974): between straight lines one sees the edges of the tiles, although
// no step is there.
func (g *Grid) bend() {
	w, h := g.Tiles.Dx(), g.Tiles.Dy()
	corner := make([][]float32, (w+1)*(h+1))
	for i := range g.tiles {
		t := &g.tiles[i]
		if t.n == 0 {
			continue
		}
		k := i/w*(w+1) + i%w
		for q, at := range [4]int{0, t.n, t.n * (t.n + 1), t.n*(t.n+1) + t.n} {
			corner[[4]int{k, k + 1, k + w + 1, k + w + 2}[q]] = t.val[at*g.C : (at+1)*g.C]
		}
	}
	smooth := func(i, j int) bool {
		for y := max(j-1, 0); y <= min(j+1, h-1); y++ {
			for x := max(i-1, 0); x <= min(i+1, w-1); x++ {
				if g.tiles[y*w+x].n > 1 {
					return false
				}
			}
		}
		return g.tiles[j*w+i].n == 1
	}
	out := make([]tile, len(g.tiles))
	copy(out, g.tiles)
	for n := range out {
		if i, j := n%w, n/w; smooth(i, j) {
			out[n] = g.cubic(corner, i, j)
		}
	}
	g.tiles = out
}

// cubic returns tile i, j between the corners of the grid.
func (g *Grid) cubic(corner [][]float32, i, j int) tile {
	w, h := g.Tiles.Dx(), g.Tiles.Dy()
	t := tile{n: bent, val: make([]float32, (bent+1)*(bent+1)*g.C)}
	at := func(x, y int) []float32 {
		if x < 0 || y < 0 || x > w || y > h {
			return nil
		}
		return corner[y*(w+1)+x]
	}
	// Where there is none it goes on straight.
	four := func(a, b, c, d []float32, q int) (v [4]float32) {
		v[1], v[2] = b[q], c[q]
		v[0], v[3] = 2*v[1]-v[2], 2*v[2]-v[1]
		if a != nil {
			v[0] = a[q]
		}
		if d != nil {
			v[3] = d[q]
		}
		return v
	}
	for q := range g.C {
		var rows [4][bent + 1]float32
		var there [4]bool
		for y := range rows {
			a, b, c, d := at(i-1, j+y-1), at(i, j+y-1), at(i+1, j+y-1), at(i+2, j+y-1)
			if there[y] = b != nil && c != nil; there[y] {
				v := four(a, b, c, d, q)
				for x := range rows[y] {
					rows[y][x] = between(v, float32(x)/bent)
				}
			}
		}
		for x := range bent + 1 {
			v := [4]float32{rows[0][x], rows[1][x], rows[2][x], rows[3][x]}
			if !there[0] {
				v[0] = 2*v[1] - v[2]
			}
			if !there[3] {
				v[3] = 2*v[2] - v[1]
			}
			for y := range bent + 1 {
				t.val[(y*(bent+1)+x)*g.C+q] = between(v, float32(y)/bent)
			}
		}
	}
	return t
}

// between returns the value from the second to the third of four on a cubic through all of them,
// never beyond 0 where both lie on one side of it.
func between(v [4]float32, t float32) float32 {
	a, b, c, d := v[0], v[1], v[2], v[3]
	y := b + t/2*(c-a+t*(2*a-5*b+4*c-d+t*(3*(b-c)+d-a)))
	if b >= 0 && c >= 0 {
		return max(y, 0)
	}
	return y
}

// join makes the edges of fine tiles go with those of coarser ones beside them, so that no step
// shows. What the grid was made of stays as it is.
func (g *Grid) join() {
	w, h := g.Tiles.Dx(), g.Tiles.Dy()
	own := make([]bool, len(g.tiles))
	side := func(t *tile, horizontal bool, last int, k int) []float32 {
		i := last*(t.n+1) + k
		if !horizontal {
			i = k*(t.n+1) + last
		}
		return t.val[i*g.C : (i+1)*g.C]
	}
	match := func(i, j int, horizontal bool) { // j is below or to the right of i
		a, b := &g.tiles[i], &g.tiles[j]
		if a.n == 0 || b.n == 0 || a.n == b.n {
			return
		}
		n, fine, coarse, fl, cl := i, a, b, a.n, 0
		if a.n < b.n {
			n, fine, coarse, fl, cl = j, b, a, 0, a.n
		}
		if !own[n] {
			fine.val, own[n] = slices.Clone(fine.val), true
		}
		k := fine.n / coarse.n
		for i := range fine.n + 1 {
			p, q := side(coarse, horizontal, cl, i/k), side(coarse, horizontal, cl,
				min(i/k+1, coarse.n))
			f := float32(i%k) / float32(k)
			to := side(fine, horizontal, fl, i)
			for c := range to {
				to[c] = p[c] + (q[c]-p[c])*f
			}
		}
	}
	for j := range h {
		for i := range w {
			t := j*w + i
			if i+1 < w {
				match(t, t+1, false)
			}
			if j+1 < h {
				match(t, t+w, true)
			}
		}
	}
}

// Read writes the values of n pixels in a row to dst, each of the g.C numbers as a row of n: of a
// picture of which step pixels of the photo make one, those from column x0 on, at y of the photo. A
// pixel has the same value whichever is the first. Beyond the grid and where nothing was worked out
// it leaves 0.
func (g *Grid) Read(dst []float32, x0 int, step, y float64, n int) {
	none := func(a, b int) {
		for c := range g.C {
			clear(dst[c*n+a : c*n+b])
		}
	}
	w := g.Tiles.Dx()
	ty := y/g.Tile - float64(g.Tiles.Min.Y)
	j := int(math.Floor(ty))
	if j < 0 || j >= g.Tiles.Dy() {
		none(0, n)
		return
	}
	ty -= float64(j)
	row := g.tiles[j*w : (j+1)*w]
	k := step / g.Tile
	left := float64(g.Tiles.Min.X)
	at := func(i int) float64 { return (float64(x0+i)+0.5)*k - left }
	var list [Mixed]along
	for i := 0; i < n; {
		ti := int(math.Floor(at(i)))
		if ti >= w {
			none(i, n)
			return
		}
		// All pixels of one tile at a time.
		next := i + 1
		if k > 0 {
			next = max(next, min(n, int((float64(ti+1)+left)/k-0.5)-x0-1))
			for next < n && int(math.Floor(at(next))) == ti {
				next++
			}
		}
		if ti >= 0 && row[ti].n > 0 {
			t := &row[ti]
			t.across(&list, ty, g.C)
			s := scan{float64(x0+i) + 0.5, k, left + float64(ti), float64(t.n), int32(t.n - 1)}
			if wide {
				_ = dst[(g.C-1)*n+next-1]
				read8(&dst[i], next-i, g.C, n, &s, &list[0])
			} else {
				for c := range g.C {
					readEach(dst[c*n+i:c*n+next], &s, &list[c])
				}
			}
		} else {
			none(i, next)
		}
		i = next
	}
}

// across tells how the numbers of a tile go along a row, at a share of its height.
func (t *tile) across(list *[Mixed]along, y float64, c int) {
	v := y * float64(t.n)
	j := min(int(v), t.n-1)
	fy := float32(v - float64(j))
	top := t.val[j*(t.n+1)*c : (j+1)*(t.n+1)*c]
	low := t.val[(j+1)*(t.n+1)*c:][:len(top)]
	for q := range c {
		a := &list[q]
		last := top[q] + float32((low[q]-top[q])*fy)
		for i, at := 0, q+c; i < t.n; i, at = i+1, at+c {
			v := top[at] + float32((low[at]-top[at])*fy)
			a.from[i], a.more[i] = last, v-last
			last = v
		}
	}
}
