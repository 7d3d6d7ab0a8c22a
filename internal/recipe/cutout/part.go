package cutout

import (
	"encoding/binary"
	"fmt"
	"image"
	"math"

	"pyrant/internal/base/coverage"
)

// Part is the coverage of a cut-out on its photo.
type Part struct {
	mask *Mask
	key  string
	left float64 // of the mask's corner, in pixels of the photo
	top  float64
	cell float64
	what What
}

// What says which value of a cut-out's cells is taken.
type What int

// The values: how much of a pixel is covered; how much of its light is the thing's own, by
// luminance and for red, green and blue. What is made brighter or darker by a share of light has no
// rim of what was behind it.
const (
	Alpha What = iota
	Share
	Red
	Green
	Blue
)

var _ coverage.Coverage = Part{}

// Key names what a cut-out covers by all that it depends on.
func (c *CutOut) Key() string {
	return fmt.Sprintf("cut %s %g %g %g", c.Raster.Tiles.Key(), c.Raster.Left+c.X, c.Raster.Top+c.Y, c.Raster.Cell)
}

// On returns a value of a cut-out whose raster has been read to m.
func (c *CutOut) On(m *Mask, what What) Part {
	return Part{m, fmt.Sprintf("%s %d", c.Key(), what), c.Raster.Left + c.X, c.Raster.Top + c.Y,
		c.Raster.Cell, what}
}

// Bounds returns the part of the photo, in its pixels, that the cut-out's cells lie in.
func (c *CutOut) Bounds() (x0, y0, x1, y1 float64) {
	x0, y0 = c.Raster.Left+c.X, c.Raster.Top+c.Y
	return x0, y0, x0 + float64(c.Raster.Width)*c.Raster.Cell,
		y0 + float64(c.Raster.Height)*c.Raster.Cell
}

// Key names the coverage.
func (p Part) Key() string { return p.key }

// Area returns the area in square pixels of the photo.
func (p Part) Area() float64 {
	a, _ := p.mask.measure()
	return a * p.cell * p.cell
}

// Line returns the length of its edge.
func (p Part) Line() float64 {
	_, l := p.mask.measure()
	return l * p.cell
}

// Width returns twice the area by the length of the edge.
func (p Part) Width() float64 {
	if l := p.Line(); l > 0 {
		return 2 * p.Area() / l
	}
	return 0
}

// At returns the coverage at a scale.
func (p Part) At(scale float64) coverage.Mask {
	m := p.scaled(scale)
	k := p.cell * scale // pixels of the picture for each cell
	b := p.mask.Bounds()
	at := func(v, from float64) float64 { return v*k + from*scale }
	if b.Empty() {
		return m
	}
	const more = 1 // what is read between cells
	m.bounds = image.Rect(int(math.Floor(at(float64(b.Min.X)-more, p.left))),
		int(math.Floor(at(float64(b.Min.Y)-more, p.top))),
		int(math.Ceil(at(float64(b.Max.X)+more, p.left))),
		int(math.Ceil(at(float64(b.Max.Y)+more, p.top))))
	return m
}

// scaled returns the part at a scale, without the bounds that Bounds tells.
func (p Part) scaled(scale float64) *scaled {
	k := p.cell * scale
	return &scaled{mask: p.mask, what: p.what, k: 1 / k, x0: p.left * scale, y0: p.top * scale,
		span: math.Max(1/k, 1)}
}

// scaled is a mask at one scale: each pixel is the mean of the cells that it covers, or, where
// these are larger, of those that a cell in its middle would cover.
type scaled struct {
	mask   *Mask
	what   What
	k      float64 // cells for each pixel
	x0, y0 float64 // of the mask's corner, in pixels
	span   float64 // over how many cells a pixel is taken
	bounds image.Rectangle
}

func (s *scaled) Bounds() image.Rectangle { return s.bounds }
func (s *scaled) Drop(int)                {}

// its cells are counted where they are kept
func (s *scaled) Bytes() int64 { return 128 }

func (s *scaled) Fill(dst []float32, x0, y int) {
	clear(dst)
	if y < s.bounds.Min.Y || y >= s.bounds.Max.Y {
		return
	}
	v := (float64(y) + 0.5 - s.y0) * s.k
	v0, v1 := v-s.span/2, v+s.span/2
	last := min(x0+len(dst), s.bounds.Max.X)
	for x := max(x0, s.bounds.Min.X); x < last; {
		u := (float64(x) + 0.5 - s.x0) * s.k
		u0, u1 := u-s.span/2, u+s.span/2
		cells, t := s.cells(u0, v0, u1, v1)
		if t != nil && t.pix != nil && s.what == Alpha && cells.Dy() <= most {
			x = s.within(dst[x-x0:last-x0], x, t, cells, v0, v1)
			continue
		}
		end := x + 1
		if t != nil && t.pix == nil {
			// All pixels whose cells lie in the same tile, but the last, at once.
			right := float64(min((cells.Min.X/Tile+1)*Tile, s.mask.W))
			end = min(max(int((right-s.span/2)/s.k+s.x0-0.5), end), last)
		}
		for value := s.over(cells, t, u0, v0, u1, v1); x < end; x++ {
			dst[x-x0] = value
		}
	}
}

// most is how many cells below each other within looks at.
const most = 4

// within writes the pixels from x on whose cells lie in one tile, as over has them one by one, and
// returns the next. The rows of cells are those of the first, which lie from v0 to v1.
func (s *scaled) within(dst []float32, x int, t *tile, cells image.Rectangle, v0, v1 float64) int {
	var rows [most][]uint8
	var high [most]float64
	n := cells.Dy()
	for j := range n {
		y := cells.Min.Y + j
		rows[j] = t.pix[y%Tile*Tile : (y%Tile+1)*Tile]
		high[j] = min(v1, float64(y+1)) - max(v0, float64(y))
	}
	left := cells.Min.X / Tile * Tile
	right := min(left+Tile, s.mask.W)
	for i := 0; i < len(dst); i++ {
		u := (float64(x+i) + 0.5 - s.x0) * s.k
		u0, u1 := u-s.span/2, u+s.span/2
		a, b := int(math.Floor(u0+near)), int(math.Ceil(u1-near))
		if b > right || a < left {
			return x + max(i, 1)
		}
		if value, ok := even(rows[:n], a-left); ok && b <= a+evenly {
			// All pixels whose cells are among these, but the last, at once.
			dst[i] = value
			for end := min(int((float64(a+evenly)-s.span/2)/s.k+s.x0-0.5)-x,
				len(dst)); i+1 < end; i++ {
				dst[i+1] = value
			}
			continue
		}
		var sum float64
		for j, row := range rows[:n] {
			h := high[j]
			for c := a; c < b; c++ {
				w := min(u1, float64(c+1)) - max(u0, float64(c))
				sum += w * h * float64(codes[row[c-left]])
			}
		}
		dst[i] = float32(sum / (s.span * s.span))
	}
	return x + len(dst)
}

// evenly is how many cells of a row are looked at at once.
const evenly = 8

// even tells whether so many cells from one on are all covered, or none of them, in all rows.
func even(rows [][]uint8, at int) (value float32, ok bool) {
	if at+evenly > len(rows[0]) {
		return 0, false
	}
	v := binary.LittleEndian.Uint64(rows[0][at:])
	if v != 0 && v != math.MaxUint64 {
		return 0, false
	}
	for _, row := range rows[1:] {
		if binary.LittleEndian.Uint64(row[at:]) != v {
			return 0, false
		}
	}
	return codes[v&0xff], true
}

// near is by how much a place between cells may be off that is meant to lie between them.
const near = 1e-6

// mean returns the mean over a rectangle of cells.
func (s *scaled) mean(u0, v0, u1, v1 float64) float32 {
	cells, t := s.cells(u0, v0, u1, v1)
	return s.over(cells, t, u0, v0, u1, v1)
}

// cells returns which cells a rectangle touches, and the tile that holds all of them; nil for none.
func (s *scaled) cells(u0, v0, u1, v1 float64) (r image.Rectangle, t *tile) {
	m := s.mask
	r.Min.X, r.Min.Y = int(math.Floor(u0+near)), int(math.Floor(v0+near))
	r.Max.X, r.Max.Y = int(math.Ceil(u1-near)), int(math.Ceil(v1-near))
	if r.Min.X >= 0 && r.Min.Y >= 0 && r.Max.X <= m.W && r.Max.Y <= m.H &&
		r.Min.X/Tile == (r.Max.X-1)/Tile && r.Min.Y/Tile == (r.Max.Y-1)/Tile {
		t = &m.tiles[r.Min.Y/Tile*across(m.W)+r.Min.X/Tile]
	}
	return r, t
}

// over returns the mean over a rectangle of the cells that it touches.
func (s *scaled) over(cells image.Rectangle, t *tile, u0, v0, u1, v1 float64) float32 {
	if t != nil && t.pix == nil {
		if t.full {
			return 1
		}
		return 0
	}
	m := s.mask
	var sum float64
	for y := cells.Min.Y; y < cells.Max.Y; y++ {
		h := min(v1, float64(y+1)) - max(v0, float64(y))
		for x := cells.Min.X; x < cells.Max.X; x++ {
			w := min(u1, float64(x+1)) - max(u0, float64(x))
			if t != nil && s.what == Alpha {
				sum += w * h * float64(codes[t.pix[y%Tile*Tile+x%Tile]])
				continue
			}
			// A thing that the frame cuts off goes on beyond it.
			sum += w * h * float64(m.At(min(max(x, 0), m.W-1), min(max(y, 0), m.H-1), s.what))
		}
	}
	return float32(sum / (s.span * s.span))
}

// Covered returns the coverage at a place of the photo, between the middles of cells linearly.
func (p Part) Covered(x, y float64) float64 {
	s := p.scaled(1)
	u, v := (x-s.x0)*s.k, (y-s.y0)*s.k
	if u < -1 || v < -1 || u > float64(p.mask.W)+1 || v > float64(p.mask.H)+1 {
		return 0
	}
	return float64(s.mean(u-s.span/2, v-s.span/2, u+s.span/2, v+s.span/2))
}
