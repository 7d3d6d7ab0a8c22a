package cutout

import (
	"bytes"
	"compress/flate"
	"image"
	"io"
	"math"
	"sync"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/recipe/setting"
)

// Tile is the edge in cells of the squares that a mask is kept in.
const Tile = 64

// planes is how many values a cell has: its coverage, and the shares of its red, green and blue
// light that are the thing's own.
const planes = 4

// Mask is a raster that can be read: 8 bits for each value of a cell. Tiles in which nothing is
// covered, or all, take no memory.
type Mask struct {
	W, H  int
	tiles []tile

	once       sync.Once // area and edge are worked out once
	area, edge float64
}

type tile struct {
	full bool
	pix  []uint8 // planes · Tile² values, plane by plane; nil where all cells are alike
}

// NewMask returns a mask of so many cells of which none is covered.
func NewMask(w, h int) *Mask {
	return &Mask{W: w, H: h, tiles: make([]tile, across(w)*across(h))}
}

func across(n int) int { return (n + Tile - 1) / Tile }

// Bytes returns the memory that the mask takes.
func (m *Mask) Bytes() int64 {
	n := int64(len(m.tiles)) * 32
	for i := range m.tiles {
		n += int64(len(m.tiles[i].pix))
	}
	return n
}

// Tiles returns how many tiles lie beside and below each other.
func (m *Mask) Tiles() (x, y int) { return across(m.W), across(m.H) }

// Set writes the cells of the tile at (tx, ty): alpha of each from 0 to 1, row by row of Tile
// cells, and three shares of light for each. What lies beyond the mask is not read.
func (m *Mask) Set(tx, ty int, alpha, share []float32) {
	t := &m.tiles[ty*across(m.W)+tx]
	w, h := min(Tile, m.W-tx*Tile), min(Tile, m.H-ty*Tile)
	none, all := true, true
	pix := make([]uint8, planes*Tile*Tile)
	for y := range h {
		for x := range w {
			i := y*Tile + x
			a := code(alpha[i])
			pix[i] = a
			none, all = none && a == 0, all && a == 255
			for c := range 3 {
				s := code(share[3*i+c])
				pix[(c+1)*Tile*Tile+i] = s
				none, all = none && s == 0, all && s == 255
			}
		}
	}
	*t = tile{pix: pix}
	if none || all && w == Tile && h == Tile {
		*t = tile{full: all && !none}
	}
}

// Get reads the cells of a tile as Set writes them.
func (m *Mask) Get(tx, ty int, alpha, share []float32) {
	t := &m.tiles[ty*across(m.W)+tx]
	for i := range alpha {
		switch {
		case t.pix != nil:
			alpha[i] = codes[t.pix[i]]
			for c := range 3 {
				share[3*i+c] = codes[t.pix[(c+1)*Tile*Tile+i]]
			}
		case t.full:
			alpha[i], share[3*i], share[3*i+1], share[3*i+2] = 1, 1, 1, 1
		default:
			alpha[i], share[3*i], share[3*i+1], share[3*i+2] = 0, 0, 0, 0
		}
	}
}

// Grown returns the mask with more tiles before and behind it, in which nothing is covered.
func (m *Mask) Grown(left, top, w, h int) *Mask {
	out := NewMask(max(left*Tile+m.W, w), max(top*Tile+m.H, h))
	nx, ny := m.Tiles()
	for y := range ny {
		copy(out.tiles[(y+top)*across(out.W)+left:], m.tiles[y*nx:(y+1)*nx])
	}
	return out
}

// Trimmed returns the mask without the tiles in which nothing is covered around it, but for one,
// and how many tiles fell away before it and above it: so that a cut-out of a mask of the whole
// photo is told to lie where it does.
func (m *Mask) Trimmed() (out *Mask, left, top int) {
	nx, ny := m.Tiles()
	r := m.Bounds()
	if r.Empty() {
		return NewMask(0, 0), 0, 0
	}
	left, top = max(r.Min.X/Tile-1, 0), max(r.Min.Y/Tile-1, 0)
	right, low := min(across(r.Max.X)+1, nx), min(across(r.Max.Y)+1, ny)
	out = NewMask(min(right*Tile, m.W)-left*Tile, min(low*Tile, m.H)-top*Tile)
	for y := range low - top {
		copy(out.tiles[y*(right-left):(y+1)*(right-left)], m.tiles[(y+top)*nx+left:])
	}
	return out, left, top
}

// Fill makes all cells of a tile covered.
func (m *Mask) Fill(tx, ty int) {
	if tx*Tile+Tile <= m.W && ty*Tile+Tile <= m.H {
		m.tiles[ty*across(m.W)+tx] = tile{full: true}
		return
	}
	alpha, share := make([]float32, Tile*Tile), make([]float32, 3*Tile*Tile)
	for i := range alpha {
		alpha[i], share[3*i], share[3*i+1], share[3*i+2] = 1, 1, 1, 1
	}
	m.Set(tx, ty, alpha, share)
}

func code(v float32) uint8 { return uint8(255*min(max(v, 0), 1) + 0.5) }

// At returns a value of a cell, from 0 to 1.
func (m *Mask) At(x, y int, what What) float32 {
	if x < 0 || y < 0 || x >= m.W || y >= m.H {
		return 0
	}
	t := &m.tiles[y/Tile*across(m.W)+x/Tile]
	if t.pix == nil {
		if t.full {
			return 1
		}
		return 0
	}
	i := y%Tile*Tile + x%Tile
	at := func(plane int) float32 { return codes[t.pix[plane*Tile*Tile+i]] }
	switch what {
	case Alpha:
		return at(0)
	case Share:
		return colour.Luma(at(1), at(2), at(3))
	}
	return at(int(what - Share))
}

var codes = func() (t [256]float32) {
	for i := range t {
		t[i] = float32(i) / 255
	}
	return
}()

// The first byte of Tiles says in which form they are.
const form = 1

// Kinds of a tile.
const (
	nothing = iota
	all
	mixed
)

// Pack returns the mask's cells as a raster has them: the form, then deflated (RFC 1951) the kind
// of each tile, row by row, followed for one of mixed cells by its values, each as its difference
// from the one before it.
func (m *Mask) Pack() (setting.Bytes, error) {
	var b bytes.Buffer
	b.WriteByte(form)
	z, err := flate.NewWriter(&b, flate.DefaultCompression)
	if err != nil {
		return setting.Bytes{}, err
	}
	line := make([]byte, planes*Tile*Tile)
	for i := range m.tiles {
		t := &m.tiles[i]
		switch {
		case t.pix != nil:
			before := uint8(0)
			for k, v := range t.pix {
				line[k], before = v-before, v
			}
			_, err = z.Write(append([]byte{mixed}, line...))
		case t.full:
			_, err = z.Write([]byte{all})
		default:
			_, err = z.Write([]byte{nothing})
		}
		if err != nil {
			return setting.Bytes{}, err
		}
	}
	if err := z.Close(); err != nil {
		return setting.Bytes{}, err
	}
	return setting.BytesOf(b.Bytes()), nil
}

// Mask reads the raster's cells. A damaged one is a *fault.Error.
func (r *Raster) Mask() (*Mask, error) {
	m := NewMask(r.Width, r.Height)
	data := r.Tiles.Bytes()
	if len(data) == 0 {
		return m, nil
	}
	damaged := fault.New(fault.Invalid, "The pixels of a cut-out are damaged. Cut it out again, or open a shot file of this shot.")
	if data[0] != form {
		return nil, damaged
	}
	z := flate.NewReader(bytes.NewReader(data[1:]))
	kind := make([]byte, 1)
	for i := range m.tiles {
		if _, err := io.ReadFull(z, kind); err != nil {
			return nil, damaged
		}
		switch kind[0] {
		case nothing:
		case all:
			m.tiles[i].full = true
		case mixed:
			pix := make([]uint8, planes*Tile*Tile)
			if _, err := io.ReadFull(z, pix); err != nil {
				return nil, damaged
			}
			before := uint8(0)
			for k := range pix {
				before += pix[k]
				pix[k] = before
			}
			m.tiles[i].pix = pix
		default:
			return nil, damaged
		}
	}
	return m, nil
}

// Bounds returns the cells that may be covered.
func (m *Mask) Bounds() image.Rectangle {
	var r image.Rectangle
	w := across(m.W)
	for i := range m.tiles {
		if m.tiles[i].full || m.tiles[i].pix != nil {
			r = r.Union(image.Rect(0, 0, Tile, Tile).Add(image.Pt(i%w*Tile, i/w*Tile)))
		}
	}
	return r.Intersect(image.Rect(0, 0, m.W, m.H))
}

// measure returns the area and the length of the edge in cells.
func (m *Mask) measure() (area, edge float64) {
	m.once.Do(func() { m.area, m.edge = m.measured() })
	return m.area, m.edge
}

// measured goes through all cells of tiles that are not alike all over, and meets what lies beside
// them in other tiles as well. The length of the edge is that of Cauchy and Crofton: by how often
// lines of four directions cross it, here by how much cells beside each other differ.
func (m *Mask) measured() (area, edge float64) {
	nx, ny := m.Tiles()
	beside, aslant := 0, 0 // neighbours along an axis, and along a diagonal, apart by codes
	for ty := range ny {
		for tx := range nx {
			t := &m.tiles[ty*nx+tx]
			if t.pix == nil && t.full {
				area += Tile * Tile
			}
			for y := -1; y < Tile; y++ {
				for x := -1; x < Tile; x++ {
					if x >= 0 && y >= 0 && t.pix != nil {
						area += float64(codes[t.pix[y*Tile+x]])
					}
					if t.pix == nil && x >= 0 && y >= 0 && x < Tile-1 && y < Tile-1 {
						continue // alike all over
					}
					// The pairs of a block of two by two cells, whose first is this one: each pair
					// along an axis is in two blocks.
					u, v := tx*Tile+x, ty*Tile+y
					if x < 0 && tx > 0 || y < 0 && ty > 0 {
						continue // a block of the tile before
					}
					p, q, r, s := m.code(u, v), m.code(u+1, v), m.code(u, v+1), m.code(u+1, v+1)
					beside += differ(p, q) + differ(r, s) + differ(p, r) + differ(q, s)
					aslant += differ(p, s) + differ(q, r)
				}
			}
		}
	}
	return area, math.Pi / 8 * (float64(beside)/2 + float64(aslant)/math.Sqrt2) / 255
}

// code returns the code of a cell's coverage, 0 beside the mask.
func (m *Mask) code(x, y int) int {
	if x < 0 || y < 0 || x >= m.W || y >= m.H {
		return 0
	}
	t := &m.tiles[y/Tile*across(m.W)+x/Tile]
	switch {
	case t.pix != nil:
		return int(t.pix[y%Tile*Tile+x%Tile])
	case t.full:
		return 255
	}
	return 0
}

func differ(a, b int) int {
	if a > b {
		return a - b
	}
	return b - a
}
