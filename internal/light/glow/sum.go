package glow

import (
	"context"
	"image"
	"math/bits"
	"sync"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/raster"
	"pyrant/internal/base/simd"
)

// Term is one blurred coverage at its level and the light it gives at coverage
// 1: three samples for a colour, or one for a plain weight.
type Term struct {
	Level  int
	Field  *raster.Plane
	Weight []float32

	// Colours, at level 0, takes the place of Field, where coverage is another for each channel.
	// For a plain weight its luminance counts.
	Colours *raster.RGB

	// Rows takes the place of Colours where each row is wanted once, and is made for that: it adds
	// row y of Rect, weighted already, to the pixels of dst, which start at column x0, three
	// samples each.
	Rows func(dst []float32, x0, y int)
	Rect image.Rectangle
}

// rect returns what of its level the term reaches.
func (t *Term) rect() image.Rectangle {
	switch {
	case t.Rows != nil:
		return t.Rect
	case t.Colours != nil:
		return t.Colours.Rect
	}
	return t.Field.Rect
}

// Sum is light added up over a part of the picture: everything of level 1 and
// above merged into one picture of half size, and the terms of level 0, which
// are joined row by row.
//
// Colours are added in whole steps of 2^-20, up to 16 (where all that light meets is white), and
// so without rounding: terms may be added in any order, and some of them ahead, to the same bits.
type Sum struct {
	Rect  image.Rectangle // pixels that any term reaches
	ch    int
	half  *grid
	terms []Term // of level 0
	still *grid  // of level 0, what was added ahead; nil for nothing
}

// Ahead is terms of colours that were added ahead, level by level.
type Ahead struct{ levels []*grid } // nil where a level has none

// Bytes returns the memory that is held.
func (a *Ahead) Bytes() (n int64) {
	for _, g := range a.levels {
		if g != nil {
			n += 4 * int64(len(g.pix))
		}
	}
	return
}

// AddAhead adds up terms of colours over what of their levels the part of the picture in clip can
// read.
func AddAhead(ctx context.Context, terms []Term, clip image.Rectangle) (*Ahead, error) {
	a := &Ahead{make([]*grid, top(terms)+1)}
	for l, need := 0, clip; l < len(a.levels); l, need = l+1, coarse(need) {
		var reach image.Rectangle
		for _, t := range terms {
			if t.Level == l {
				reach = reach.Union(t.rect())
			}
		}
		if reach = reach.Intersect(need); reach.Empty() {
			continue
		}
		g := newGrid(reach, 3)
		g.runs = make([][][2]int, reach.Dy())
		if err := raster.Rows(ctx, reach.Min.Y, reach.Max.Y, func(y0, y1 int) {
			for y := y0; y < y1; y++ {
				addTerms(g.row(y), reach.Min.X, y, terms, l, 3)
				g.runs[y-reach.Min.Y] = runsOf(g.row(y))
			}
		}); err != nil {
			return nil, err
		}
		a.levels[l] = g
	}
	return a, ctx.Err()
}

// runGap is how many dark pixels part two runs.
const runGap = 16

// runsOf returns the pixels of a row of three channels that hold any light, in runs.
func runsOf(row []float32) (out [][2]int) {
	n := len(row) / 3
	for a := 0; a < n; a++ {
		if row[3*a] == 0 && row[3*a+1] == 0 && row[3*a+2] == 0 {
			continue
		}
		if k := len(out) - 1; k >= 0 && a < out[k][1]+runGap {
			out[k][1] = a + 1
		} else {
			out = append(out, [2]int{a, a + 1})
		}
	}
	return
}

// level returns what was added ahead at a level, nil for nothing.
func (a *Ahead) level(l int) *grid {
	if a == nil || l >= len(a.levels) {
		return nil
	}
	return a.levels[l]
}

func top(terms []Term) (l int) {
	for _, t := range terms {
		l = max(l, t.Level)
	}
	return
}

// grid is a rectangle of interleaved samples at some level.
type grid struct {
	rect image.Rectangle
	ch   int
	pix  []float32
	// by row, the columns from rect on that hold any light; nil where that is not known
	runs [][][2]int
}

func newGrid(r image.Rectangle, ch int) *grid {
	return &grid{rect: r, ch: ch, pix: make([]float32, ch*r.Dx()*r.Dy())}
}

// grids holds memory of grids that are done with, by the power of two that its size reaches.
var grids [64]sync.Pool

// usedGrid returns a grid of which the samples are to be written first.
func usedGrid(r image.Rectangle, ch int) *grid {
	n := ch * r.Dx() * r.Dy()
	class := bits.Len(uint(max(n-1, 0)))
	if p, _ := grids[class].Get().(*[]float32); p != nil {
		return &grid{rect: r, ch: ch, pix: (*p)[:n]}
	}
	return &grid{rect: r, ch: ch, pix: make([]float32, n, 1<<class)}
}

// free lets the memory of a grid that usedGrid returned be used for others.
func (l *grid) free() {
	grids[bits.Len(uint(max(cap(l.pix)-1, 0)))].Put(&l.pix)
}

// Done lets the memory of s be used for others. It is asked for nothing afterwards.
func (s *Sum) Done() {
	if s.half != nil {
		s.half.free()
		s.half = nil
	}
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
	return CollapseOnto(ctx, nil, terms, ch, clip)
}

// CollapseOnto is Collapse of terms and of those that were added ahead over the same part.
func CollapseOnto(ctx context.Context, ahead *Ahead, terms []Term, ch int,
	clip image.Rectangle) (*Sum, error) {
	top := top(terms)
	if ahead != nil {
		top = max(top, len(ahead.levels)-1)
	}
	// need[l] is what of level l the result can read; area what its terms fill.
	need := make([]image.Rectangle, top+1)
	need[0] = clip
	for l := 1; l <= top; l++ {
		need[l] = coarse(need[l-1])
	}
	s := &Sum{ch: ch}
	var upper *grid
	for l := top; l >= 1; l-- {
		var area image.Rectangle
		if upper != nil {
			area = fine(upper.rect)
		}
		for _, t := range terms {
			if t.Level == l {
				area = area.Union(t.rect())
			}
		}
		still := ahead.level(l)
		if still != nil {
			area = area.Union(still.rect)
		}
		area = area.Intersect(need[l])
		if area.Empty() {
			upper = nil
			continue
		}
		cur := usedGrid(area, ch)
		err := raster.Rows(ctx, area.Min.Y, area.Max.Y, func(y0, y1 int) {
			var tmp, sum []float32
			for y := y0; y < y1; y++ {
				row := cur.row(y)
				if upper == nil {
					still.fill(row, area.Min.X, y)
					addTerms(row, area.Min.X, y, terms, l, ch)
					continue
				}
				tmp = upper.expandRow(row, area.Min.X, y, tmp)
				if !reach(terms, l, area.Min.X, area.Max.X, y) {
					still.add(row, area.Min.X, y)
					continue
				}
				if sum == nil {
					sum = make([]float32, len(row))
				}
				still.fill(sum, area.Min.X, y)
				addTerms(sum, area.Min.X, y, terms, l, ch)
				simd.Add(row, sum)
			}
		})
		if err != nil {
			return nil, err
		}
		if upper != nil {
			upper.free()
		}
		upper = cur
	}
	s.half = upper
	if upper != nil {
		s.Rect = fine(upper.rect)
	}
	for _, t := range terms {
		if t.Level == 0 && !t.rect().Empty() {
			s.terms = append(s.terms, t)
			s.Rect = s.Rect.Union(t.rect())
		}
	}
	if s.still = ahead.level(0); s.still != nil {
		s.Rect = s.Rect.Union(s.still.rect)
	}
	s.Rect = s.Rect.Intersect(clip)
	return s, ctx.Err()
}

// fill writes the samples of row y from column x0 on; 0 where g, which may be nil, has none.
func (g *grid) fill(dst []float32, x0, y int) {
	if g == nil || y < g.rect.Min.Y || y >= g.rect.Max.Y {
		clear(dst)
		return
	}
	clear(dst)
	g.each(x0, x0+len(dst)/g.ch, y, func(a, b int, row []float32) { copy(dst[(a-x0)*g.ch:], row) })
}

// Row writes to dst the light in row y from column x0 on. tmp is scratch memory
// that is returned for the next call.
func (s *Sum) Row(dst []float32, x0, y int, tmp []float32) []float32 {
	if s.half == nil {
		s.still.fill(dst, x0, y)
		addTerms(dst, x0, y, s.terms, 0, s.ch)
		return tmp
	}
	if !reach(s.terms, 0, x0, x0+len(dst)/s.ch, y) {
		tmp = s.half.expandRow(dst, x0, y, tmp)
		s.still.add(dst, x0, y)
		return tmp
	}
	// The fine terms first, by themselves.
	n := len(dst)
	if cap(tmp) < 2*n+6*s.ch {
		tmp = make([]float32, 2*n+6*s.ch)
	}
	sum := tmp[cap(tmp)-n : cap(tmp)]
	s.still.fill(sum, x0, y)
	addTerms(sum, x0, y, s.terms, 0, s.ch)
	s.half.expandRow(dst, x0, y, tmp[:0:cap(tmp)-n])
	simd.Add(dst, sum)
	return tmp
}

// reach tells whether one of the terms of a level reaches the columns x0 to x1 of row y.
func reach(terms []Term, level, x0, x1, y int) bool {
	r := image.Rect(x0, y, x1, y+1)
	for i := range terms {
		if terms[i].Level == level && r.Overlaps(terms[i].rect()) {
			return true
		}
	}
	return false
}

// add adds the samples of row y from column x0 on; g may be nil.
func (g *grid) add(dst []float32, x0, y int) {
	if g == nil || y < g.rect.Min.Y || y >= g.rect.Max.Y {
		return
	}
	g.each(x0, x0+len(dst)/g.ch, y, func(a, b int, row []float32) {
		simd.Add(dst[(a-x0)*g.ch:],
			row)
	})
}

// each calls do for the samples of row y that hold any light, in runs of the columns a to b.
func (g *grid) each(x0, x1, y int, do func(a, b int, row []float32)) {
	row, from := g.row(y), g.rect.Min.X
	run := func(a, b int) {
		if a, b = max(a, x0), min(b, x1); a < b {
			do(a, b, row[(a-from)*g.ch:(b-from)*g.ch])
		}
	}
	if g.runs == nil {
		run(from, g.rect.Max.X)
		return
	}
	for _, r := range g.runs[y-g.rect.Min.Y] {
		run(from+r[0], from+r[1])
	}
}

// most is the most light that is told from more of it.
const most = 16

// addTerms adds row y of the terms of a level to dst, which starts at column x0. Of colours the sum
// ends at most.
func addTerms(dst []float32, x0, y int, terms []Term, level, ch int) {
	a, b := x0+len(dst)/ch, x0 // columns that they reach
	for i := range terms {
		t := &terms[i]
		if r := t.rect(); t.Level == level && y >= r.Min.Y && y < r.Max.Y {
			addTerm(dst, x0, y, t, ch)
			a, b = min(a, r.Min.X), max(b, r.Max.X)
		}
	}
	if a, b = max(a, x0), min(b, x0+len(dst)/ch); ch == 3 && a < b {
		simd.Cap(dst[3*(a-x0):3*(b-x0)], most)
	}
}

// addTerm adds row y of t to dst, which starts at column x0.
func addTerm(dst []float32, x0, y int, t *Term, ch int) {
	r := t.rect()
	a, b := max(x0, r.Min.X), min(x0+len(dst)/ch, r.Max.X)
	if y < r.Min.Y || y >= r.Max.Y || a >= b {
		return
	}
	d := dst[(a-x0)*ch : (b-x0)*ch]
	switch {
	case t.Rows != nil:
		if ch == 3 {
			t.Rows(d, a, y)
			return
		}
		row := make([]float32, 3*(b-a))
		t.Rows(row, a, y)
		for i := range d {
			d[i] += colour.Luma(row[3*i], row[3*i+1], row[3*i+2])
		}
		return
	case t.Colours != nil:
		t.addColours(d, t.Colours.Row(y)[3*(a-r.Min.X):3*(b-r.Min.X)], ch)
		return
	}
	src := t.Field.Row(y)[a-r.Min.X : b-r.Min.X]
	if ch == 1 {
		w := t.Weight[0]
		for i, v := range src {
			d[i] += float32(v * w)
		}
		return
	}
	simd.AddColour(d, src, [3]float32(t.Weight))
}

// addColours adds samples of three channels, weighted, to ch channels.
func (t *Term) addColours(dst, src []float32, ch int) {
	if ch == 3 {
		simd.AddColours(dst, src, [3]float32(t.Weight))
		return
	}
	for i := range dst {
		dst[i] += float32(t.Weight[0] * colour.Luma(src[3*i], src[3*i+1], src[3*i+2]))
	}
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
				dst[x-x0] = float32((tmp[i-1]+tmp[i+1])*0.125) + float32(tmp[i]*0.75)
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
	if x < to {
		x += 2 * simd.Expand(dst[3*(x-x0):], tmp, 3*((x>>1)-c0), (to-x)/2)
	}
	// Two pixels for each coarse column; the columns move through l, m, r.
	if x+1 < to {
		i := 3 * ((x >> 1) - c0)
		l0, l1, l2, m0, m1, m2 := tmp[i-3], tmp[i-2], tmp[i-1], tmp[i], tmp[i+1], tmp[i+2]
		for ; x+1 < to; x += 2 {
			i += 3
			t, d := tmp[i:i+3:i+3], dst[3*(x-x0):3*(x-x0)+6:3*(x-x0)+6]
			r0, r1, r2 := t[0], t[1], t[2]
			d[0] = float32((l0+r0)*0.125) + float32(m0*0.75)
			d[1] = float32((l1+r1)*0.125) + float32(m1*0.75)
			d[2] = float32((l2+r2)*0.125) + float32(m2*0.75)
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
			d[c] = float32((t[c]+t[c+6])*0.125) + float32(t[c+3]*0.75)
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
		simd.Mean(mid, q, r)
	case y&1 == 0 && p != nil && q != nil && r != nil:
		simd.Mostly(mid, p, q, r)
	default: // at the upper and lower end
		clear(mid)
		add := func(row []float32, w float32) {
			for i, v := range row {
				mid[i] += float32(v * w)
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
