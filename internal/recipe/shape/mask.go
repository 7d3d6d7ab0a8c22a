package shape

import (
	"image"
	"math"
	"sync"

	"golang.org/x/image/vector"

	"pyrant/internal/base/coverage"
	"pyrant/internal/base/raster"
)

// TileSize is the edge in pixels of the squares in which masks are rasterised; see coverage.Tiles.
const TileSize = 256

// Mask is the coverage of a light's shapes at one scale, in the pixel grid of
// the picture of that scale. Tiles are rasterised when they are first asked
// for and kept. A Mask may be used by several goroutines.
type Mask struct {
	bounds    image.Rectangle
	add, away []edge
	tiles     *coverage.Tiles[tile]
}

type edge struct{ a, b Point }

type tile struct {
	pix  []uint8 // nil for a tile of one value
	flat uint8
}

// NewMask prepares the shapes at a scale, in pixels of the result for each
// pixel of the photo.
func NewMask(shapes Shapes, scale float64) *Mask {
	m := new(Mask)
	m.tiles = coverage.NewTiles(TileSize, m.rasterise)
	lo := Point{math.Inf(1), math.Inf(1)}
	hi := Point{math.Inf(-1), math.Inf(-1)}
	for _, sh := range shapes {
		taken := sh.Taken()
		for _, p := range sh.polygons(scale) {
			list := &m.add
			if taken {
				list = &m.away
			}
			for j, a := range p {
				*list = append(*list, edge{a, p[(j+1)%len(p)]})
				if !taken {
					lo = Point{math.Min(lo.X, a.X), math.Min(lo.Y, a.Y)}
					hi = Point{math.Max(hi.X, a.X), math.Max(hi.Y, a.Y)}
				}
			}
		}
	}
	if len(m.add) > 0 {
		m.bounds = image.Rect(int(math.Floor(lo.X)), int(math.Floor(lo.Y)), int(math.Ceil(hi.X)),
			int(math.Ceil(hi.Y)))
	}
	return m
}

// Bounds holds all pixels with coverage above 0.
func (m *Mask) Bounds() image.Rectangle { return m.bounds }

// Bytes returns the memory held by the tiles rasterised so far.
func (m *Mask) Bytes() int64 { return m.tiles.Bytes() + int64(len(m.add)+len(m.away))*32 }

// Drop lets go of the tiles that end above row y, for work that goes down a picture in strips and
// does not come back.
func (m *Mask) Drop(y int) { m.tiles.Drop(y) }

// Fill writes coverage in [0, 1] to row y of the picture from column x0 on, one value for each
// element of dst.
func (m *Mask) Fill(dst []float32, x0, y int) {
	clear(dst)
	if y < m.bounds.Min.Y || y >= m.bounds.Max.Y {
		return
	}
	for x, x1 := max(x0, m.bounds.Min.X), min(x0+len(dst), m.bounds.Max.X); x < x1; {
		t, first, end := m.tiles.Run(x, x1, y)
		part := dst[x-x0 : end-x0]
		switch {
		case t.pix != nil:
			row := t.pix[(y-first.Y)*TileSize:]
			row = row[x-first.X : end-first.X]
			for i, v := range row {
				part[i] = codes[v]
			}
		case t.flat != 0:
			for i := range part {
				part[i] = codes[t.flat]
			}
		}
		x = end
	}
}

// Plane returns the coverage over r.
func (m *Mask) Plane(r image.Rectangle) *raster.Plane {
	p := raster.NewPlane(r)
	for y := r.Min.Y; y < r.Max.Y; y++ {
		m.Fill(p.Row(y), r.Min.X, y)
	}
	return p
}

// codes holds coverage by its code of 8 bits.
var codes = func() (t [256]float32) {
	for i := range t {
		t[i] = float32(i) / 255
	}
	return
}()

// rasterise makes one tile.
func (m *Mask) rasterise(at image.Point) (tile, int64) {
	pix, flat := rasterise(m.add, at.X, at.Y, 1)
	if len(m.away) > 0 && (pix != nil || flat != 0) {
		pix, flat = m.takeAway(pix, flat, at.X, at.Y)
	}
	return tile{pix, flat}, int64(len(pix))
}

// fine is how many times finer on each edge a tile is rasterised where both
// what is there and what is taken away have edges: two coverages of a half say
// nothing about whether it is the same half.
const fine = 4

// takeAway returns coverage less what the shapes taken away leave of it.
func (m *Mask) takeAway(pix []uint8, flat uint8, tx, ty int) ([]uint8, uint8) {
	cut, cutFlat := rasterise(m.away, tx, ty, 1)
	switch {
	case cut == nil && cutFlat == 0:
		return pix, flat
	case cut == nil:
		return nil, 0
	case pix == nil: // all of the tile is covered
		for i, v := range cut {
			cut[i] = flat - v
		}
		return cut, 0
	}
	add, _ := rasterise(m.add, tx, ty, fine)
	away, _ := rasterise(m.away, tx, ty, fine)
	for y := range TileSize {
		for x := range TileSize {
			sum := 0
			for j := range fine {
				i := (y*fine+j)*TileSize*fine + x*fine
				for k := i; k < i+fine; k++ {
					sum += int(add[k]) * (255 - int(away[k]))
				}
			}
			pix[y*TileSize+x] = uint8((sum + 255*fine*fine/2) / (255 * fine * fine))
		}
	}
	return pix, 0
}

// rasterizers holds those that are done with, for their memory.
var rasterizers = sync.Pool{New: func() any { return new(vector.Rasterizer) }}

// rasterise returns the coverage of the tile at (tx, ty), with times samples to
// each pixel along both axes, or nil and the one value that all of it has.
func rasterise(edges []edge, tx, ty, times int) ([]uint8, uint8) {
	ox, oy := float64(tx*TileSize), float64(ty*TileSize)
	const size = float64(TileSize)
	crossed := false
	winding := 0
	for _, e := range edges {
		if math.Max(e.a.Y, e.b.Y) > oy && math.Min(e.a.Y, e.b.Y) < oy+size &&
			math.Max(e.a.X, e.b.X) > ox && math.Min(e.a.X, e.b.X) < ox+size {
			crossed = true
			break
		}
		// The ray from the tile's middle to the left.
		if y := oy + size/2; (e.a.Y <= y) != (e.b.Y <= y) {
			if x := e.a.X + (y-e.a.Y)/(e.b.Y-e.a.Y)*(e.b.X-e.a.X); x < ox+size/2 {
				if e.b.Y > e.a.Y {
					winding++
				} else {
					winding--
				}
			}
		}
	}
	if !crossed {
		if winding != 0 {
			return nil, 255
		}
		return nil, 0
	}
	z := rasterizers.Get().(*vector.Rasterizer)
	defer rasterizers.Put(z)
	z.Reset(TileSize*times, TileSize*times)
	k := float64(times)
	for _, e := range edges {
		// Each edge is clipped in float64 to a band round the tile: far-away
		// ends would cost the rasteriser its fixed-point precision. Edges to
		// the right stay, as it sums along rows and must come back to zero.
		for _, c := range clip(e, ox, oy) {
			z.MoveTo(float32((c.a.X-ox)*k), float32((c.a.Y-oy)*k))
			z.LineTo(float32((c.b.X-ox)*k), float32((c.b.Y-oy)*k))
		}
	}
	dst := image.NewAlpha(image.Rect(0, 0, TileSize*times, TileSize*times))
	z.Draw(dst, dst.Rect, image.Opaque, image.Point{})
	return dst.Pix, 0
}

// clip cuts e to the rows of the tile at (ox, oy), and what lies beside the
// tile's columns it lays on lines just outside of them: the winding that an
// edge gives to the pixels on its right depends on its rows alone.
func clip(e edge, ox, oy float64) []edge {
	const margin = 2
	x0, x1 := ox-margin, ox+TileSize+margin
	y0, y1 := oy, oy+TileSize
	cut := func(p, q Point, t float64) Point { return p.mix(q, t) }
	// Rows.
	ts := []float64{0, 1}
	d := e.b.Y - e.a.Y
	if d == 0 {
		return nil
	}
	ta, tb := (y0-e.a.Y)/d, (y1-e.a.Y)/d
	if ta > tb {
		ta, tb = tb, ta
	}
	ts[0], ts[1] = math.Max(0, ta), math.Min(1, tb)
	if ts[0] >= ts[1] {
		return nil
	}
	// Columns.
	if dx := e.b.X - e.a.X; dx != 0 {
		u, v := (x0-e.a.X)/dx, (x1-e.a.X)/dx
		if u > v {
			u, v = v, u
		}
		if v > ts[0] && v < ts[1] {
			ts = []float64{ts[0], v, ts[1]}
		}
		if u > ts[0] && u < ts[1] {
			ts = append([]float64{ts[0], u}, ts[1:]...)
		}
	}
	var out []edge
	for i := 1; i < len(ts); i++ {
		p, q := cut(e.a, e.b, ts[i-1]), cut(e.a, e.b, ts[i])
		p.X, q.X = math.Min(math.Max(p.X, x0), x1), math.Min(math.Max(q.X, x0), x1)
		p.Y, q.Y = math.Min(math.Max(p.Y, y0), y1), math.Min(math.Max(q.Y, y0), y1)
		out = append(out, edge{p, q})
	}
	return out
}
