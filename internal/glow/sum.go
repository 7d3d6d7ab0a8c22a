package glow

import (
	"context"
	"image"

	"pyrant/internal/raster"
)

// Term is one blurred coverage at its level and the light it gives at coverage
// 1: three samples for a colour, or one for a plain weight.
type Term struct {
	Level  int
	Field  *raster.Plane
	Weight []float32
}

// Sum is light added up over a part of the picture: everything of level 1 and
// above merged into one picture of half size, and the terms of level 0, which
// are joined row by row.
type Sum struct {
	Rect  image.Rectangle // pixels that any term reaches
	ch    int
	half  *grid
	terms []Term // of level 0
}

// grid is a rectangle of interleaved samples at some level.
type grid struct {
	rect image.Rectangle
	ch   int
	pix  []float32
}

func newGrid(r image.Rectangle, ch int) *grid {
	return &grid{r, ch, make([]float32, ch*r.Dx()*r.Dy())}
}

func (l *grid) row(y int) []float32 {
	w := l.ch * l.rect.Dx()
	i := (y - l.rect.Min.Y) * w
	return l.pix[i : i+w : i+w]
}

// coarse returns the samples of the next level that the expansion of r reads.
func coarse(r image.Rectangle) image.Rectangle {
	if r.Empty() {
		return image.Rectangle{}
	}
	return image.Rect((r.Min.X>>1)-1, (r.Min.Y>>1)-1, (r.Max.X>>1)+2, (r.Max.Y>>1)+2)
}

// fine returns the samples of the level below that the expansion of r reaches.
func fine(r image.Rectangle) image.Rectangle {
	if r.Empty() {
		return image.Rectangle{}
	}
	return image.Rect(2*r.Min.X-2, 2*r.Min.Y-2, 2*r.Max.X+1, 2*r.Max.Y+1)
}

// Collapse adds up terms with weights of ch samples over the part of the
// picture in clip. All levels above the first are merged from the top down, so
// that many shells cost little more than one.
func Collapse(ctx context.Context, terms []Term, ch int, clip image.Rectangle) (*Sum, error) {
	top := 0
	for _, t := range terms {
		top = max(top, t.Level)
	}
	// need[l] is what of level l the result can read; reach what its terms fill.
	need := make([]image.Rectangle, top+1)
	need[0] = clip
	for l := 1; l <= top; l++ {
		need[l] = coarse(need[l-1])
	}
	s := &Sum{ch: ch}
	var upper *grid
	for l := top; l >= 1; l-- {
		var reach image.Rectangle
		if upper != nil {
			reach = fine(upper.rect)
		}
		for _, t := range terms {
			if t.Level == l {
				reach = reach.Union(t.Field.Rect)
			}
		}
		reach = reach.Intersect(need[l])
		if reach.Empty() {
			upper = nil
			continue
		}
		cur := newGrid(reach, ch)
		err := raster.Rows(ctx, reach.Min.Y, reach.Max.Y, func(y0, y1 int) {
			var tmp []float32
			for y := y0; y < y1; y++ {
				row := cur.row(y)
				if upper != nil {
					tmp = upper.expandRow(row, reach.Min.X, y, tmp)
				}
				for _, t := range terms {
					if t.Level == l {
						addTerm(row, reach.Min.X, y, &t, ch)
					}
				}
			}
		})
		if err != nil {
			return nil, err
		}
		upper = cur
	}
	s.half = upper
	if upper != nil {
		s.Rect = fine(upper.rect)
	}
	for _, t := range terms {
		if t.Level == 0 && !t.Field.Rect.Empty() {
			s.terms = append(s.terms, t)
			s.Rect = s.Rect.Union(t.Field.Rect)
		}
	}
	s.Rect = s.Rect.Intersect(clip)
	return s, ctx.Err()
}

// Row writes to dst the light in row y from column x0 on. tmp is scratch memory
// that is returned for the next call.
func (s *Sum) Row(dst []float32, x0, y int, tmp []float32) []float32 {
	if s.half != nil {
		tmp = s.half.expandRow(dst, x0, y, tmp)
	} else {
		clear(dst)
	}
	for i := range s.terms {
		addTerm(dst, x0, y, &s.terms[i], s.ch)
	}
	return tmp
}

// addTerm adds row y of t to dst, which starts at column x0.
func addTerm(dst []float32, x0, y int, t *Term, ch int) {
	r := t.Field.Rect
	a, b := max(x0, r.Min.X), min(x0+len(dst)/ch, r.Max.X)
	if y < r.Min.Y || y >= r.Max.Y || a >= b {
		return
	}
	src := t.Field.Row(y)[a-r.Min.X : b-r.Min.X]
	d := dst[(a-x0)*ch : (b-x0)*ch]
	if ch == 1 {
		w := t.Weight[0]
		for i, v := range src {
			d[i] += v * w
		}
		return
	}
	raster.AddColour(d, src, [3]float32(t.Weight))
}

// expandRow writes to dst, which starts at column x0 of the level below, that
// level's row y expanded from l: samples between are averages of two, samples
// on the grid keep six eighths and take one from either side.
func (l *grid) expandRow(dst []float32, x0, y int, tmp []float32) []float32 {
	ch := l.ch
	count := len(dst) / ch
	// The coarse columns that this row reads, c0 to c1; zero where l has none.
	c0, c1 := (x0>>1)-1, ((x0+count)>>1)+2
	a, b := max(c0, l.rect.Min.X), min(c1, l.rect.Max.X)
	// The pixels that a coarse column of l reaches.
	from, to := max(x0, 2*a-2), min(x0+count, 2*b+1)
	if y < 2*l.rect.Min.Y-2 || y >= 2*l.rect.Max.Y+1 || a >= b || from >= to {
		clear(dst)
		return tmp
	}
	if n := (c1 - c0) * ch; cap(tmp) < n {
		tmp = make([]float32, n)
	}
	tmp = tmp[:(c1-c0)*ch]
	clear(tmp[:(a-c0)*ch])
	clear(tmp[(b-c0)*ch:])
	l.between(tmp[(a-c0)*ch:(b-c0)*ch], a, y)

	clear(dst[:(from-x0)*ch])
	clear(dst[(to-x0)*ch:])
	if ch == 1 {
		for x := from; x < to; x++ {
			i := (x >> 1) - c0
			if x&1 == 0 {
				dst[x-x0] = (tmp[i-1]+tmp[i+1])*0.125 + tmp[i]*0.75
			} else {
				dst[x-x0] = (tmp[i] + tmp[i+1]) * 0.5
			}
		}
		return tmp
	}
	x := from
	if x&1 != 0 {
		i := 3 * ((x >> 1) - c0)
		t, d := tmp[i:i+6:i+6], dst[3*(x-x0):3*(x-x0)+3]
		for c := range 3 {
			d[c] = (t[c] + t[c+3]) * 0.5
		}
		x++
	}
	// Of the last column the wide way would read and write a sample beyond.
	if n := (to-x)/2 - 1; wide && n > 0 {
		i := 3 * ((x >> 1) - c0)
		_, _ = tmp[i+3*n+3], dst[3*(x-x0)+6*n]
		expand3(&dst[3*(x-x0)], &tmp[i], n)
		x += 2 * n
	}
	// Two pixels for each coarse column; the columns move through l, m, r.
	if x+1 < to {
		i := 3 * ((x >> 1) - c0)
		l0, l1, l2, m0, m1, m2 := tmp[i-3], tmp[i-2], tmp[i-1], tmp[i], tmp[i+1], tmp[i+2]
		for ; x+1 < to; x += 2 {
			i += 3
			t, d := tmp[i:i+3:i+3], dst[3*(x-x0):3*(x-x0)+6:3*(x-x0)+6]
			r0, r1, r2 := t[0], t[1], t[2]
			d[0] = (l0+r0)*0.125 + m0*0.75
			d[1] = (l1+r1)*0.125 + m1*0.75
			d[2] = (l2+r2)*0.125 + m2*0.75
			d[3] = (m0 + r0) * 0.5
			d[4] = (m1 + r1) * 0.5
			d[5] = (m2 + r2) * 0.5
			l0, l1, l2, m0, m1, m2 = m0, m1, m2, r0, r1, r2
		}
	}
	if x < to {
		i := 3 * ((x >> 1) - c0)
		t, d := tmp[i-3:i+6:i+6], dst[3*(x-x0):3*(x-x0)+3]
		for c := range 3 {
			d[c] = (t[c]+t[c+6])*0.125 + t[c+3]*0.75
		}
	}
	return tmp
}

// between writes to mid the samples of l from column a on, expanded along y to
// row y of the level below.
func (l *grid) between(mid []float32, a, y int) {
	src := func(yy int) []float32 {
		if yy < l.rect.Min.Y || yy >= l.rect.Max.Y {
			return nil
		}
		at := (a - l.rect.Min.X) * l.ch
		return l.row(yy)[at : at+len(mid)]
	}
	j := y >> 1
	p, q, r := src(j-1), src(j), src(j+1)
	switch {
	case y&1 != 0 && q != nil && r != nil:
		n := 0
		if wide && len(mid) >= 4 {
			n = len(mid) &^ 3
			mean4(&mid[0], &q[0], &r[0], n)
		}
		for i := n; i < len(mid); i++ {
			mid[i] = (q[i] + r[i]) * 0.5
		}
	case y&1 == 0 && p != nil && q != nil && r != nil:
		n := 0
		if wide && len(mid) >= 4 {
			n = len(mid) &^ 3
			mostly4(&mid[0], &p[0], &q[0], &r[0], n)
		}
		for i := n; i < len(mid); i++ {
			mid[i] = (p[i]+r[i])*0.125 + q[i]*0.75
		}
	default: // at the upper and lower end
		clear(mid)
		add := func(row []float32, w float32) {
			for i, v := range row {
				mid[i] += v * w
			}
		}
		if y&1 != 0 {
			add(q, 0.5)
			add(r, 0.5)
			return
		}
		add(p, 0.125)
		add(r, 0.125)
		add(q, 0.75)
	}
}
