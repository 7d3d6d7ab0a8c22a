package staging

import (
	"context"
	"image"
	"math"
	"sync"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/coverage"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/room/lightmap"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/shape"
)

// Composer tells, at one scale, which surface is seen at each pixel.
type Composer struct {
	set   *Set
	scale float64
	masks []coverage.Mask // by surface; nil for what is seen everywhere
	flats []inverse       // of floor and walls: how near they are
}

// inverse is 1/Z of a plane along the rays of the photo: linear across and down.
type inverse struct{ x, y, c float64 }

func (s *Set) inverse(p camera.Plane) inverse {
	f := s.Cam.F
	// Along the ray r the plane lies at t = D / N·r, and r has Z = 1.
	return inverse{p.N.X / f / p.D, p.N.Y / f / p.D,
		(p.N.Z - (p.N.X*s.Cam.CX+p.N.Y*s.Cam.CY)/f) / p.D}
}

func (v inverse) at(x, y float64) float64 { return v.x*x + v.y*y + v.c }

// Compose prepares the surfaces at a scale.
func (s *Set) Compose(scale float64) *Composer {
	c := &Composer{set: s, scale: scale, masks: make([]coverage.Mask, len(s.Surfaces))}
	for i := range s.Surfaces {
		f := &s.Surfaces[i]
		switch f.Kind {
		case Floor, Wall, Ceiling:
			c.flats = append(c.flats, s.inverse(f.Sheet.Plane))
			if f.cover != nil {
				c.masks[i] = f.cover.At(scale)
			}
		case Platform:
			if f.cover == nil {
				c.masks[i] = s.faceMask(i, scale)
				break
			}
			fallthrough
		case Thing:
			if c.masks[i] = f.cover.At(scale); f.inside {
				c.masks[i] = middle{c.masks[i]}
			}
		}
	}
	return c
}

// layer is one surface of a layout.
type layer struct {
	kind        Kind
	id          string
	plane       camera.Plane
	face        []shape.Node
	cover, seen string // keys of coverages
	shape       uint64
	flat, solid bool // solid: with a card in its middle
}

// layout is all that Compose, and the fronts of things, depend on.
type layout struct {
	photo  recipe.Photo
	cam    camera.Camera
	layers []layer
}

func (s *Set) layout() layout {
	out := layout{s.Photo, s.Cam, make([]layer, len(s.Surfaces))}
	for i := range s.Surfaces {
		f := &s.Surfaces[i]
		l := layer{kind: f.Kind, id: f.ID, solid: f.inside}
		if f.cover != nil {
			l.cover = f.cover.Key()
		}
		if f.seen != nil {
			l.seen = f.seen.Key()
		}
		switch {
		case f.Kind == Platform:
			l.face = f.face.Nodes.All()
		case f.Kind != Thing:
			l.plane = f.Sheet.Plane
		}
		if b := f.Sheet.Body; b != nil {
			l.shape, l.flat = b.Shape.ID, b.Flat
		}
		out.layers[i] = l
	}
	return out
}

// Weights is how much of each pixel of a row each surface fills.
type Weights struct {
	Of  [][]float32 // by surface; of those that fill nothing only what Any says
	Any []bool
	// by surface that fills any: it fills nothing before From, and nothing from To on
	From, To []int
	one      []float32
	// rest is what of each pixel is not covered yet, between what covers any.
	rest []float32
}

// NewWeights returns memory for rows of n pixels.
func (c *Composer) NewWeights(n int) *Weights {
	k := len(c.masks)
	w := &Weights{Of: make([][]float32, k), Any: make([]bool, k), From: make([]int, k),
		To: make([]int, k), one: make([]float32, n), rest: make([]float32, n)}
	for i := range w.Of {
		w.Of[i] = make([]float32, n)
	}
	return w
}

// Row writes what is seen of each surface from pixel x0 on in row y.
func (c *Composer) Row(w *Weights, x0, y, n int) {
	v := (float64(y) + 0.5) / c.scale
	px := 1 / c.scale
	flats := len(c.flats)
	clear(w.Any)
	const sky = 1.0 / 400
	// Between two planes the nearer is seen; over a pixel's width at their edge, both.
	var row [16]float64
	var slope [16][16]float64
	for i, a := range c.flats {
		for j, b := range c.flats {
			slope[i][j] = px * math.Hypot(a.x-b.x, a.y-b.y)
		}
		slope[i][i] = px * math.Hypot(a.x, a.y)
	}
	for i := range flats {
		clear(w.Of[i][:n])
	}
	fills := func(i, from, to int) {
		if !w.Any[i] {
			w.Any[i], w.From[i] = true, from
		}
		w.To[i] = to
	}
	// parts writes what a pixel shows, and returns the plane that fills it wholly, with how many
	// pixels that one is ahead of all others; -1 where several share it.
	parts := func(k int) (whole int, ahead float64) {
		u := (float64(x0+k) + 0.5) / c.scale
		near, best := math.Inf(-1), -1
		for i := range c.flats {
			if c.masks[i] != nil {
				row[i] = math.Inf(-1)
				continue
			}
			row[i] = c.flats[i].at(u, v)
			if row[i] > near {
				near, best = row[i], i
			}
		}
		if best < 0 || near < -slope[best][best] {
			return -1, 0
		}
		ahead = (near - sky) / math.Max(slope[best][best], 1e-12)
		for j := range flats {
			if j != best && !math.IsInf(row[j], -1) {
				ahead = math.Min(ahead, (near-row[j])/math.Max(slope[best][j], 1e-12))
			}
		}
		if ahead > 1 {
			w.Of[best][k] = 1
			return best, ahead
		}
		sum := 0.0
		for i := range flats {
			if math.IsInf(row[i], -1) {
				continue
			}
			part := math.Min(1, 0.5+(row[i]-sky)/math.Max(slope[i][i], 1e-12))
			for j := range flats {
				if j != i && !math.IsInf(row[j], -1) {
					part = math.Min(part, 0.5+(row[i]-row[j])/math.Max(slope[i][j], 1e-12))
				}
			}
			if part > 0 {
				w.Of[i][k] = float32(part)
				fills(i, k, k+1)
				sum += part
			}
		}
		if sum > 1 {
			for i := range flats {
				w.Of[i][k] /= float32(sum)
			}
		}
		return -1, 0
	}
	for k := 0; k < n; {
		// As many pixels on as a plane is ahead, nothing else comes before it.
		whole, ahead := parts(k)
		from := k
		k++
		if whole >= 0 {
			to := w.Of[whole]
			for more := min(int(ahead)-1, n-k); more > 0; more-- {
				to[k] = 1
				k++
			}
			fills(whole, from, k)
		}
	}
	// Things lie over all, and walls that are seen in an area over what is seen by itself, the
	// nearest first. What lies beside each other at an edge shares the pixel, and nothing shows
	// between.
	lo, hi := n, 0 // where anything lies over it
	rest := w.rest[:n]
	for i := len(c.masks) - 1; i >= 0; i-- {
		if c.masks[i] == nil {
			continue
		}
		b := c.masks[i].Bounds()
		if y < b.Min.Y || y >= b.Max.Y || x0 >= b.Max.X || x0+n <= b.Min.X {
			continue
		}
		// Beyond its bounds it covers nothing.
		from, to := max(b.Min.X-x0, 0), min(b.Max.X-x0, n)
		one := w.one[from:to]
		c.masks[i].Fill(one, x0+from, y)
		if hi <= lo {
			lo, hi = from, from
		}
		for ; lo > from; lo-- {
			rest[lo-1] = 1
		}
		for ; hi < to; hi++ {
			rest[hi] = 1
		}
		any := false
		left := rest[from:to]
		for k, a := range one {
			if a > 0 {
				a = min(a, left[k])
				left[k] -= a
				any = any || a > 0
				one[k] = a
			}
		}
		if !any {
			continue
		}
		clear(w.Of[i][:n])
		copy(w.Of[i][from:to], one)
		fills(i, from, to)
	}
	for j := range flats {
		if c.masks[j] == nil && w.Any[j] && lo < hi {
			to := w.Of[j][lo:hi]
			for k, r := range rest[lo:hi] {
				to[k] *= r
			}
		}
	}
}

// small returns the scale and the size of the picture that look looks at.
func (s *Set) small() (scale float64, w, h int) {
	const step = 2 // units
	scale = 1 / (step * s.unit)
	return scale, int(math.Ceil(float64(s.Photo.Width) * scale)),
		int(math.Ceil(float64(s.Photo.Height) * scale))
}

// look finds out where each surface is seen, which depends on nothing but the layout.
func (s *Set) look(ctx context.Context) (sums, error) {
	scale, w, h := s.small()
	c := s.Compose(scale)
	out := make(sums, len(s.Surfaces))
	for i := range out {
		out[i] = make([]int32, (w+1)*(h+1))
	}
	if err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
		weights := c.NewWeights(w)
		for y := y0; y < y1; y++ {
			c.Row(weights, 0, y, w)
			for i := range out {
				if !weights.Any[i] {
					continue
				}
				to := out[i][(y+1)*(w+1):]
				for x, v := range weights.Of[i][:w] {
					if v > 0.004 {
						to[x+1] = 1
					}
				}
			}
		}
	}); err != nil {
		return nil, err
	}
	for i := range out {
		v := out[i]
		for y := 1; y <= h; y++ {
			var run int32
			for x := 1; x <= w; x++ {
				run += v[y*(w+1)+x]
				v[y*(w+1)+x] = v[(y-1)*(w+1)+x] + run
			}
		}
	}
	return out, nil
}

// tell tells the sheets where they are seen, so that light is worked out nowhere else.
func (s *Set) tell(seen sums) {
	scale, w, h := s.small()
	for i, v := range seen {
		s.Surfaces[i].Sheet.Seen = func(x0, y0, x1, y1 float64) bool {
			a, b := max(int(x0*scale)-1, 0), max(int(y0*scale)-1, 0)
			c, d := min(int(x1*scale)+2, w), min(int(y1*scale)+2, h)
			if a >= c || b >= d {
				return false
			}
			return v[d*(w+1)+c]-v[b*(w+1)+c]-v[d*(w+1)+a]+v[b*(w+1)+a] > 0
		}
	}
}

// Sheets returns the sheets of all surfaces.
func (s *Set) Sheets() (out []*lightmap.Sheet) {
	for i := range s.Surfaces {
		out = append(out, s.Surfaces[i].Sheet)
	}
	return
}

// Mask returns the coverage of the surfaces of one part of the room: of the floor, or of what has
// an id.
func (c *Composer) Mask(id string, frame image.Rectangle) coverage.Mask {
	m := &surfaceMask{c: c, frame: frame, is: make([]bool, len(c.set.Surfaces))}
	for i := range c.set.Surfaces {
		f := &c.set.Surfaces[i]
		m.is[i] = f.ID == id && f.Kind != Floor || id == "floor" && f.Kind == Floor
	}
	m.pool.New = func() any { return c.NewWeights(frame.Dx()) }
	return m
}

// surfaceMask is some surfaces as a mask.
type surfaceMask struct {
	c     *Composer
	frame image.Rectangle
	is    []bool
	pool  sync.Pool
}

func (m *surfaceMask) Bounds() image.Rectangle { return m.frame }
func (m *surfaceMask) Drop(int)                {}
func (m *surfaceMask) Bytes() int64            { return 256 }

func (m *surfaceMask) Fill(dst []float32, x0, y int) {
	clear(dst)
	a, b := max(x0, m.frame.Min.X), min(x0+len(dst), m.frame.Max.X)
	if y < m.frame.Min.Y || y >= m.frame.Max.Y || a >= b {
		return
	}
	w := m.pool.Get().(*Weights)
	defer m.pool.Put(w)
	m.c.Row(w, a, y, b-a)
	for i, is := range m.is {
		if !is || !w.Any[i] {
			continue
		}
		to := dst[a-x0 : b-x0]
		for k, v := range w.Of[i][:b-a] {
			to[k] = min(to[k]+v, 1)
		}
	}
}

// Bytes returns the memory that the masks of the surfaces hold.
func (c *Composer) Bytes() (n int64) {
	for _, m := range c.masks {
		if m != nil {
			n += m.Bytes()
		}
	}
	return n
}

// Drop lets go of memory for what lies above row y; see coverage.Mask.
func (c *Composer) Drop(y int) {
	for _, m := range c.masks {
		if m != nil {
			m.Drop(y)
		}
	}
}
