package lightmap

import (
	"cmp"
	"context"
	"math"
	"slices"

	"pyrant/internal/base/raster"
	"pyrant/internal/light/room/silhouette"
)

// Patch is a part of a surface that sends back what it receives.
type Patch struct {
	Place  Place
	Area   float64
	Albedo [3]float64
}

// Bounce is how surfaces light each other once: for each receiver what each patch gives it. It does
// not depend on any light.
type Bounce struct {
	Patches   []Patch
	by        []*blocker
	receivers []*receivers
}

// receivers is places of a sheet in a square grid.
type receivers struct {
	grid    *Grid
	sheet   *Sheet
	places  []Place
	index   []int32 // of the grid's corners; -1 for none
	weights []float32
}

// Bytes returns the memory that is held.
func (b *Bounce) Bytes() (n int64) {
	n = int64(len(b.Patches)) * 150
	for _, r := range b.receivers {
		n += int64(len(r.weights))*4 + int64(len(r.places))*60 + int64(len(r.index))*4
	}
	return
}

// gap is how far receivers stay before the planes that their sheet ends at.
const gap = 0.12

// weak is what a patch gives at most that is left out.
const weak = 1e-5

// NewBounce works out what patches give to the sheets, at places edge pixels apart.
func NewBounce(ctx context.Context, sc *Scene, patches []Patch, sheets []*Sheet,
	edge float64) (*Bounce, error) {
	b := &Bounce{Patches: patches, by: sc.wholes(nil)}
	b.receivers = make([]*receivers, len(sheets))
	errs := make([]error, len(sheets))
	err := raster.Each(ctx, len(sheets), func(i int) {
		r := receive(sheets[i], edge)
		r.weights = make([]float32, len(r.places)*len(patches)*sheets[i].channels())
		by := sc.wholes(sheets[i].Body)
		errs[i] = raster.Each(ctx, len(r.places), func(k int) { r.weigh(k, patches, by) })
		b.receivers[i] = r
	})
	return b, cmp.Or(append(errs, err)...)
}

// receive returns the receivers of a sheet.
func receive(s *Sheet, edge float64) *receivers {
	r := &receivers{grid: newGrid(s, edge), sheet: s}
	g := r.grid
	w, h := g.Tiles.Dx(), g.Tiles.Dy()
	r.index = make([]int32, (w+1)*(h+1))
	for i := range r.index {
		r.index[i] = -1
	}
	for j := range h + 1 {
		for i := range w + 1 {
			x, y := float64(g.Tiles.Min.X+i)*edge, float64(g.Tiles.Min.Y+j)*edge
			if s.Seen != nil && !s.Seen(x-edge, y-edge, x+edge, y+edge) {
				continue
			}
			if pl, ok := s.Place(x, y); ok {
				r.index[j*(w+1)+i] = int32(len(r.places))
				r.places = append(r.places, pl)
			}
		}
	}
	return r
}

func (r *receivers) weigh(k int, patches []Patch, by []*blocker) {
	pl := r.places[k]
	c := r.sheet.channels()
	x := pl.At.Add(pl.N.Mul(lift))
	// Closer to another surface than its patches are large, they would not tell what it gives.
	for _, b := range r.sheet.Before {
		if d := b.Side(x); d < gap {
			x = x.Add(b.N.Mul(gap - d))
		}
	}
	q := queries.Get().(*query)
	defer q.free()
	q.reset()
	q.seen = slices.Grow(q.seen[:0], len(patches))[:len(patches)]
	all := r.weights[k*len(patches)*c : (k+1)*len(patches)*c]
	for i := range patches {
		p := &patches[i]
		d := p.Place.At.Sub(x)
		d2 := d.Dot(d)
		to := d.Mul(1 / math.Sqrt(d2+1e-12))
		g := p.Area * -p.Place.N.Dot(to) / (math.Pi*d2 + p.Area)
		if c == 1 {
			g *= pl.N.Dot(to)
		}
		if g < weak || c == 1 && pl.N.Dot(to) <= 0 || p.Place.N.Dot(to) >= 0 {
			continue
		}
		q.seen[i] = 1
		q.way(i, x, d.Add(p.Place.N.Mul(lift)), lift, math.Sqrt(p.Area)/2, 1)
		if at := all[i*c:]; c == 4 {
			at[0], at[1], at[2], at[3] = float32(g*to.X), float32(g*to.Y), float32(g*to.Z),
				float32(g)
		} else {
			at[0] = float32(g)
		}
	}
	for n := range by {
		q.hide(by[n], 0, false)
	}
	for _, i := range q.of {
		for j := range c {
			all[int(i)*c+j] *= float32(q.seen[i])
		}
	}
}

// corner returns the c numbers of a corner of the grid, of those of all places. Where there is no
// place, it is as at those beside it, so that what is seen does not fall off to nothing there.
func (r *receivers) corner(k int, vals []float32, c int) []float32 {
	if n := int(r.index[k]); n >= 0 {
		return vals[n*c : (n+1)*c]
	}
	mean, count := make([]float32, c), float32(0)
	w, h := r.grid.Tiles.Dx()+1, r.grid.Tiles.Dy()+1
	for y := max(k/w-1, 0); y <= min(k/w+1, h-1); y++ {
		for x := max(k%w-1, 0); x <= min(k%w+1, w-1); x++ {
			if n := int(r.index[y*w+x]); n >= 0 {
				count++
				for q, v := range vals[n*c : (n+1)*c] {
					mean[q] += v
				}
			}
		}
	}
	for q := range mean {
		mean[q] /= max(count, 1)
	}
	return mean
}

// behind tells whether what comes by the first three of some numbers comes from behind a body's
// card.
func behind(b *silhouette.Body, v []float32) bool {
	n := b.Card.N
	return v[0]*float32(n.X)+v[1]*float32(n.Y)+v[2]*float32(n.Z) < 0
}

// of returns what patches that send out a colour each give to each of the sheets, as grids: of
// three colours for what is flat, else of the numbers of a Mixed.
func (b *Bounce) of(ctx context.Context, sent [][3]float32) ([]*Grid, error) {
	return b.each(ctx, 3, Mixed, func(body *silhouette.Body, w, to []float32) {
		if body == nil {
			for i, s := range sent {
				if v := w[i]; v != 0 {
					to[0] += v * s[0]
					to[1] += v * s[1]
					to[2] += v * s[2]
				}
			}
			return
		}
		for i, s := range sent {
			v := w[4*i : 4*i+4 : 4*i+4]
			if v[3] == 0 {
				continue
			}
			to := to
			if behind(body, v) {
				to = to[Mixed/2:]
			}
			all := s[0] + s[1] + s[2]
			to[0] += v[0] * all
			to[1] += v[1] * all
			to[2] += v[2] * all
			to[3] += v[3] * s[0]
			to[4] += v[3] * s[1]
			to[5] += v[3] * s[2]
		}
	})
}

// grey is of without colours: grids of one number for what is flat, else of an Around.
func (b *Bounce) grey(ctx context.Context, sent []float32) ([]*Grid, error) {
	return b.each(ctx, 1, Around, func(body *silhouette.Body, w, to []float32) {
		if body == nil {
			for i, s := range sent {
				to[0] += w[i] * s
			}
			return
		}
		for i, s := range sent {
			v, half := w[4*i:4*i+4], to
			if behind(body, v) {
				half = to[Around/2:]
			}
			for q, k := range v {
				half[q] += k * s
			}
		}
	})
}

// each makes grids of so many numbers at a place of what is flat, and of what is round: sum adds up
// what all patches give to one, by what each gives it.
func (b *Bounce) each(ctx context.Context, flat, round int, sum func(body *silhouette.Body, weights,
	to []float32)) ([]*Grid, error) {
	out := make([]*Grid, len(b.receivers))
	errs := make([]error, len(out))
	err := raster.Each(ctx, len(out), func(n int) {
		r := b.receivers[n]
		body, c := r.sheet.Body != nil, flat
		if body {
			c = round
		}
		each := len(b.Patches) * r.sheet.channels()
		vals := make([]float32, len(r.places)*c)
		errs[n] = raster.Each(ctx, len(r.places), func(k int) {
			sum(r.sheet.Body, r.weights[k*each:(k+1)*each], vals[k*c:(k+1)*c])
		})
		out[n] = r.filled(vals, c)
	})
	return out, cmp.Or(append(errs, err)...)
}

// filled returns a grid of the c numbers of each place.
func (r *receivers) filled(vals []float32, c int) *Grid {
	g := &Grid{Tile: r.grid.Tile, Tiles: r.grid.Tiles, C: c, tiles: make([]tile, len(r.grid.tiles))}
	w := g.Tiles.Dx()
	for i := range g.tiles {
		j := i/w*(w+1) + i%w
		t := tile{n: 1, val: make([]float32, 4*g.C)}
		any := false
		for q, k := range [4]int{j, j + 1, j + w + 1, j + w + 2} {
			any = any || r.index[k] >= 0
			copy(t.val[q*g.C:(q+1)*g.C], r.corner(k, vals, g.C))
		}
		if any {
			g.tiles[i] = t
		}
	}
	g.finish()
	return g
}
