package main

import (
	"container/heap"
	"math"
	"slices"
	"sort"
	"time"

	"pyrant/internal/base/photo"
	"pyrant/internal/measure/scene"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/segment"
)

// mostStrokes is how many strokes are made, at most: of these so many round a thing, and so many
// with a brush as wide as fits.
const (
	mostStrokes = 8
	mostRings   = 2
	mostWide    = 3
)

// When a user draws: where so many pixels are wrong that it is seen; what was worse after two
// strokes, as IoU, to be seen to be so is taken back; and after so many looks it has to do.
const (
	seen    = 12
	noticed = 0.002
	looks   = 16
)

// stroke is a stroke in the making: by pixels of the frame's mask, what it says, its width, and how
// much it speaks for.
type stroke struct {
	line  []int
	says  cutout.Says
	width float64
	worth float64
}

// user scribbles in and round a thing whose mask is known: along its middle and that of what
// surrounds it, to and fro into what sticks out, and with a wide brush where there is much room;
// none nearer to the edge than 2 % of the long edge, or half the width where it is narrower. The
// first two strokes are those that speak for most. Each other comes after a look at what was cut
// out by those before: of all that could be drawn, the one where most is wrong. Places are in
// pixels of the frame.
type user struct {
	mask  *scene.Field
	least float64
	could []stroke // be drawn yet
	drawn []stroke
}

func newUser(mask *scene.Field) *user {
	u := &user{mask: mask, least: 0.02 * float64(max(mask.W, mask.H))}
	in := func(i int) bool { return mask.Pix[i] > 0.5 }
	away := distance(mask, func(i int) bool { return !in(i) })
	deep := distance(mask, in)
	rings := ring(mask, away, 1.1*u.least)
	outer := append(rings, skeleton(mask, away, u.least, rings,
		func(i int) bool { return !in(i) && away[i] < 1.2*u.least })...)
	for _, l := range walks(mask, outer) {
		u.could = append(u.could, stroke{l, cutout.Out, 1, worth(l, away, u.least)})
	}
	for _, l := range walks(mask, skeleton(mask, deep, u.least, nil, in)) {
		u.could = append(u.could, stroke{l, cutout.In, 1, worth(l, deep, u.least)})
	}
	u.could = append(u.could, wide(mask, deep, u.least)...)
	for _, says := range [...]cutout.Says{cutout.In, cutout.Out} {
		most := -1
		for i, s := range u.could {
			if s.says == says && s.width == 1 && (most < 0 || s.worth > u.could[most].worth) {
				most = i
			}
		}
		if most >= 0 {
			u.draw(most)
		}
	}
	return u
}

func (u *user) draw(i int) {
	u.drawn = append(u.drawn, u.could[i])
	u.could = slices.Delete(u.could, i, i+1)
}

// scribble draws until nothing is wrong that a stroke could mend. It calls cut for what is cut out
// by what is drawn, and better with how near that is and how long it took whenever it is what is
// kept.
func (u *user) scribble(cut func() (*scene.Field, error), better func(r scene.Result, band,
	ms float64)) error {
	var last *scene.Field // what was cut out by the strokes that are kept
	kept, worse, best := 0, 0, 0.0
	for look := 1; ; look++ {
		t := time.Now()
		got, err := cut()
		if err != nil {
			return err
		}
		ms := float64(time.Since(t).Microseconds()) / 1000
		r, band := scene.CompareFields(u.mask, got)
		if worse++; last == nil || r.IoU > best-noticed {
			kept, last, worse, best = len(u.drawn), got, 0, max(best, r.IoU)
			better(r, band, ms)
		}
		// What a stroke made worse another may mend; if that does not, both are taken back for
		// good.
		more := worse < 2 && look < looks && u.look(got)
		if !more && worse > 0 {
			u.drawn = u.drawn[:kept]
			worse, more = 0, look < looks && u.look(last)
		}
		if !more {
			return nil
		}
	}
}

// look draws one stroke more where what was cut out is wrong, and reports whether there was any
// need.
func (u *user) look(got *scene.Field) bool {
	if len(u.drawn) >= mostStrokes {
		return false
	}
	w, n := u.mask.W, len(u.mask.Pix)
	worth := make([]int, len(u.could))
	for _, says := range [...]cutout.Says{cutout.In, cutout.Out} {
		is := func(i int) bool { return (u.mask.Pix[i] > 0.5) == (says == cutout.In) }
		wrong := func(i int) bool {
			return is(i) && math.Abs(float64(got.Pix[i]-u.mask.Pix[i])) > 0.5
		}
		// Which line what is wrong lies nearest to, along ways on its own side.
		const none, drawn = -2, -1
		whose, queue := make([]int, n), []int{}
		for i := range whose {
			whose[i] = none
		}
		start := func(s stroke, as int) {
			if s.says != says || s.width > 1 {
				return
			}
			for _, i := range s.line {
				if whose[i] == none {
					whose[i] = as
					queue = append(queue, i)
				}
			}
		}
		for _, s := range u.drawn {
			start(s, drawn)
		}
		for k, s := range u.could {
			start(s, k)
		}
		for len(queue) > 0 {
			i := queue[0]
			queue = queue[1:]
			if k := whose[i]; k >= 0 && wrong(i) {
				worth[k]++
			}
			for _, j := range [...]int{i - w, i - 1, i + 1, i + w} {
				if j >= 0 && j < n && (j/w == i/w || j%w == i%w) && whose[j] == none && is(j) {
					whose[j] = whose[i]
					queue = append(queue, j)
				}
			}
		}
		for k, s := range u.could {
			if s.says == says && s.width > 1 {
				for _, i := range fresh(u.mask, s.line, s.width, make([]bool, n)) {
					if wrong(i) {
						worth[k]++
					}
				}
			}
		}
	}
	best := -1
	for k, v := range worth {
		if v >= seen && (best < 0 || v > worth[best]) {
			best = k
		}
	}
	if best < 0 {
		return false
	}
	u.draw(best)
	return true
}

// strokes returns what is drawn, as strokes on the photo.
func (u *user) strokes() (out []segment.Stroke) {
	for _, m := range u.drawn {
		s := segment.Stroke{Says: m.says, Width: m.width / u.mask.K}
		for _, i := range m.line {
			s.Points = append(s.Points, shape.Point{X: (float64(i%u.mask.W) + 0.5) / u.mask.K,
				Y: (float64(i/u.mask.W) + 0.5) / u.mask.K})
		}
		out = append(out, s)
	}
	return out
}

// worth tells how much a thin stroke speaks for: what lies beside it up to the edge.
func worth(line []int, deep []float64, least float64) (v float64) {
	seen := map[int]bool{}
	for _, i := range line {
		if !seen[i] {
			seen[i] = true
			v += 2 * min(deep[i], least)
		}
	}
	return v
}

// wide returns strokes along the middle of a thing with a brush as wide as fits: each where, and as
// wide, as it paints most that was not painted before. What they paint counts half, as thin ones
// tell of what is near the edge.
func wide(f *scene.Field, deep []float64, least float64) (out []stroke) {
	painted := make([]bool, len(deep))
	for range mostWide {
		var best stroke
		var under []int
		for _, k := range [...]float64{0.5, 1, 1.5, 2, 3, 4, 5, 6} {
			width := k * least
			room := 1.05*least + width/2
			lines := skeleton(f, deep, room, nil,
				func(i int) bool { return deep[i] >= room && !painted[i] })
			if len(lines) == 0 {
				continue
			}
			if n := fresh(f, lines[0], width, painted); float64(len(n))/2 > best.worth {
				best, under = stroke{lines[0], cutout.In, width, float64(len(n)) / 2}, n
			}
		}
		if best.line == nil {
			break
		}
		out = append(out, best)
		for _, i := range under {
			painted[i] = true
		}
	}
	return out
}

// fresh returns the pixels under a brush along a line that were not painted before.
func fresh(f *scene.Field, line []int, width float64, painted []bool) (out []int) {
	seen := map[int]bool{}
	r := int(width / 2)
	for _, i := range line {
		for v := -r; v <= r; v++ {
			for u := -r; u <= r; u++ {
				// An object that the frame cuts off goes on beyond it; the brush paints within the
				// picture.
				if x, y := i%f.W+u, i/f.W+v; x < 0 || y < 0 || x >= f.W || y >= f.H {
					continue
				}
				if j := i + v*f.W + u; float64(u*u+v*v) <= width*width/4 && !painted[j] &&
					!seen[j] {
					seen[j] = true
					out = append(out, j)
				}
			}
		}
	}
	return out
}

// walks joins lines of which each ends at one before it, or at none, to walks to and fro through
// all that hang together.
func walks(f *scene.Field, lines [][]int) (out [][]int) {
	type branch struct{ line, at int }
	branches := make([][]branch, len(lines))
	var roots []int
	for n, l := range lines {
		end := l[len(l)-1]
		parent, at, near := -1, 0, 9.0
		for m := range n {
			for i, j := range lines[m] {
				if d := math.Hypot(float64(j%f.W-end%f.W), float64(j/f.W-end/f.W)); d < near {
					parent, at, near = m, i, d
				}
			}
		}
		if parent < 0 {
			roots = append(roots, n)
		} else {
			branches[parent] = append(branches[parent], branch{n, at})
		}
	}
	var along func(n int) []int
	along = func(n int) (w []int) {
		for i := len(lines[n]) - 1; i >= 0; i-- {
			w = append(w, lines[n][i])
			for _, b := range branches[n] {
				if b.at == i {
					there := along(b.line)
					back := slices.Clone(there)
					slices.Reverse(back)
					w = append(append(w, there...), back...)
				}
			}
		}
		return w
	}
	for _, n := range roots {
		out = append(out, along(n))
	}
	return out
}

// scaledStrokes returns strokes on a picture k times as large.
func scaledStrokes(list []segment.Stroke, k float64) []segment.Stroke {
	for i := range list {
		s := &list[i]
		s.Width *= k
		for j := range s.Points {
			s.Points[j].X *= k
			s.Points[j].Y *= k
		}
	}
	return list
}

// ring returns lines round a region at a distance from it: the longest of them.
func ring(f *scene.Field, away []float64, at float64) (lines [][]int) {
	left := map[int]bool{}
	for i, d := range away {
		if d >= at && d < at+1.5 {
			left[i] = true
		}
	}
	for i := range away { // in order, so that it is the same every time
		if !left[i] {
			continue
		}
		line := []int{i}
		delete(left, i)
		for _, forward := range [...]bool{true, false} {
			for {
				from := line[len(line)-1]
				if !forward {
					from = line[0]
				}
				best, near := -1, 16
				x, y := from%f.W, from/f.W
				for v := -3; v <= 3; v++ {
					for u := -3; u <= 3; u++ {
						if j := from + v*f.W + u; x+u >= 0 && x+u < f.W && y+v >= 0 && y+v < f.H &&
							left[j] && u*u+v*v < near {
							best, near = j, u*u+v*v
						}
					}
				}
				if best < 0 {
					break
				}
				for v := -1; v <= 1; v++ { // what lies beside the line is of it
					for u := -1; u <= 1; u++ {
						delete(left, from+v*f.W+u)
					}
				}
				delete(left, best)
				if forward {
					line = append(line, best)
				} else {
					line = append([]int{best}, line...)
				}
			}
		}
		lines = append(lines, line)
	}
	sort.SliceStable(lines, func(i, j int) bool { return len(lines[i]) > len(lines[j]) })
	lines = lines[:min(len(lines), mostRings)]
	if len(lines) > 1 && float64(len(lines[1])) < 3*at {
		lines = lines[:1]
	}
	for i, l := range lines {
		if a, b := l[0], l[len(l)-1]; math.Hypot(float64(a%f.W-b%f.W), float64(a/f.W-b/f.W)) < 8 {
			lines[i] = append(l, a) // closed
		}
	}
	return lines
}

// distance returns how far each pixel for which is holds lies from the others, and from the
// picture's edge not at all.
func distance(f *scene.Field, is func(i int) bool) []float64 {
	d := make([]float64, len(f.Pix))
	for i := range d {
		if is(i) {
			d[i] = 1e6
		}
	}
	step := func(i, x, y, u, v int) {
		if x+u < 0 || y+v < 0 || x+u >= f.W || y+v >= f.H {
			return
		}
		d[i] = min(d[i], d[i+v*f.W+u]+math.Hypot(float64(u), float64(v)))
	}
	for y := range f.H {
		for x := range f.W {
			for _, o := range [...][2]int{{-1, 0}, {-1, -1}, {0, -1}, {1, -1}} {
				step(y*f.W+x, x, y, o[0], o[1])
			}
		}
	}
	for y := f.H - 1; y >= 0; y-- {
		for x := f.W - 1; x >= 0; x-- {
			for _, o := range [...][2]int{{1, 0}, {1, 1}, {0, 1}, {-1, 1}} {
				step(y*f.W+x, x, y, o[0], o[1])
			}
		}
	}
	return d
}

// mostLines is how many lines the middle of a region has, at most.
const mostLines = 400

// skeleton returns lines along the middle of a region: the first from end to end, unless there are
// some already, each other from what sticks out most to those before.
func skeleton(f *scene.Field, deep []float64, least float64, given [][]int,
	is func(i int) bool) (lines [][]int) {
	allowed := func(i int) bool {
		if !is(i) {
			return false
		}
		if deep[i] >= least {
			return true
		}
		// Half of the width here, if nothing beside it is deeper.
		x, y := i%f.W, i/f.W
		for v := -1; v <= 1; v++ {
			for u := -1; u <= 1; u++ {
				if x+u >= 0 && y+v >= 0 && x+u < f.W && y+v < f.H &&
					deep[i+v*f.W+u] > deep[i]+0.71 {
					return false
				}
			}
		}
		return true
	}
	straight := newWays(f, is, func(i int) float64 { return 1 })
	middle := newWays(f, is, func(i int) float64 { return 1 + 400/(1+deep[i]*deep[i]) })
	var starts []int
	for _, l := range given {
		starts = append(starts, l...)
	}
	for len(lines) < mostLines {
		if len(starts) == 0 && len(lines) == 0 {
			best := -1
			for i := range deep {
				if allowed(i) && (best < 0 || deep[i] > deep[best]) {
					best = i
				}
			}
			if best < 0 {
				return lines
			}
			// The first stroke goes all the way from end to end.
			starts = []int{best}
			from := newWays(f, is, func(i int) float64 { return 1 })
			from.start(starts)
			far := from.far
			for i := range deep {
				if allowed(i) && !math.IsInf(far[i], 1) &&
					value(far[i], deep[i]) > value(far[starts[0]], deep[starts[0]]) {
					starts[0] = i
				}
			}
		}
		// By how far one goes, and along the middle.
		straight.start(starts)
		middle.start(starts)
		starts = starts[:0]
		far, back := straight.far, middle.back
		end := -1
		for i := range deep {
			if allowed(i) && far[i] > deep[i]+min(least, deep[i]) &&
				(end < 0 || value(far[i], deep[i]) > value(far[end], deep[end])) {
				end = i
			}
		}
		if end < 0 {
			break
		}
		if math.IsInf(far[end], 1) { // a part of its own
			starts = append(starts, end)
			lines = append(lines, []int{end})
			continue
		}
		var line []int
		for i := end; ; i = back[i] {
			if allowed(i) {
				line = append(line, i)
			} else if len(line) > 0 && deep[i] < 0.9*min(least, deep[line[len(line)-1]]) {
				// A stroke is lifted where it would come too near to the edge.
				break
			}
			if back[i] == i {
				break
			}
		}
		lines = append(lines, line)
		starts = append(starts, line...)
	}
	return lines
}

// value tells how much a stroke to a place is worth: the more, the farther it is from those before
// and the wider the region there.
func value(far, deep float64) float64 {
	if math.IsInf(far, 1) { // of a part of its own
		far = 4 * deep
	}
	return far * math.Sqrt(deep)
}

type item struct {
	at   int
	cost float64
}
type queue []item

func (q queue) Len() int           { return len(q) }
func (q queue) Less(i, j int) bool { return q[i].cost < q[j].cost }
func (q queue) Swap(i, j int)      { q[i], q[j] = q[j], q[i] }
func (q *queue) Push(v any)        { *q = append(*q, v.(item)) }
func (q *queue) Pop() any          { v := (*q)[len(*q)-1]; *q = (*q)[:len(*q)-1]; return v }

// ways tells of each pixel of a region where the cheapest way to it from the starts comes from, and
// what that costs (Dijkstra).
type ways struct {
	f    *scene.Field
	is   func(i int) bool
	cost func(i int) float64
	back []int
	far  []float64
}

func newWays(f *scene.Field, is func(i int) bool, cost func(i int) float64) *ways {
	w := &ways{f, is, cost, make([]int, len(f.Pix)), make([]float64, len(f.Pix))}
	for i := range w.far {
		w.far[i] = math.Inf(1)
	}
	return w
}

// start adds starts to those before.
func (w *ways) start(at []int) {
	f := w.f
	var q queue
	for _, s := range at {
		w.back[s], w.far[s] = s, 0
		q = append(q, item{s, 0})
	}
	heap.Init(&q)
	for q.Len() > 0 {
		v := heap.Pop(&q).(item)
		if v.cost > w.far[v.at] {
			continue
		}
		x, y := v.at%f.W, v.at/f.W
		for dy := -1; dy <= 1; dy++ {
			for dx := -1; dx <= 1; dx++ {
				if x+dx < 0 || y+dy < 0 || x+dx >= f.W || y+dy >= f.H {
					continue
				}
				j := v.at + dy*f.W + dx
				if !w.is(j) {
					continue
				}
				if c := v.cost + w.cost(j)*math.Hypot(float64(dx), float64(dy)); c < w.far[j] {
					w.far[j], w.back[j] = c, v.at
					heap.Push(&q, item{j, c})
				}
			}
		}
	}
}

// cutOutOf returns a cut-out of a photo that strokes are to make, as the page would send it.
func cutOutOf(list []segment.Stroke, p *photo.Photo) *cutout.CutOut {
	c := setting.New[cutout.CutOut](setting.Frame{W: float64(p.Width), H: float64(p.Height)})
	for _, s := range list {
		pts := make([]cutout.Point, len(s.Points))
		for i, q := range s.Points {
			pts[i] = cutout.Point(q)
		}
		c.Strokes = append(c.Strokes, cutout.Stroke{Says: s.Says, Diameter: s.Width,
			Points: setting.ListOf(pts...)})
	}
	return &c
}
