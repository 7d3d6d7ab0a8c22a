package main

import (
	"container/heap"
	"math"
	"slices"
	"sort"

	"pyrant/internal/cutout"
	"pyrant/internal/photo"
	"pyrant/internal/scene"
	"pyrant/internal/scribble"
	"pyrant/internal/setting"
	"pyrant/internal/shape"
)

// mostStrokes is how many strokes are made, at most: of these so many round a thing, and so many
// with a brush as wide as fits.
const (
	mostStrokes = 8
	mostRings   = 2
	mostWide    = 3
)

// stroke is a stroke in the making: by pixels of the frame's mask, what it says, its width, and how
// much it speaks for.
type stroke struct {
	line  []int
	says  cutout.Says
	width float64
	worth float64
}

// strokes makes the strokes of a user who scribbles along the middle of a thing and of what
// surrounds it, to and fro into what sticks out, and with a wide brush where there is much room:
// none nearer to the edge than 2 % of the long edge, or half the width where it is narrower. Of all
// those the ones that speak for most are taken. Places are in pixels of the frame.
func strokes(mask *scene.Field) []scribble.Stroke {
	least := 0.02 * float64(max(mask.W, mask.H))
	in := func(i int) bool { return mask.Pix[i] > 0.5 }
	away := distance(mask, func(i int) bool { return !in(i) })
	deep := distance(mask, in)
	rings := ring(mask, away, 1.1*least)
	outer := append(rings, skeleton(mask, away, least, rings, func(i int) bool { return !in(i) && away[i] < 1.2*least })...)
	inner := skeleton(mask, deep, least, nil, in)
	made := wide(mask, deep, least)
	for _, l := range walks(mask, outer) {
		made = append(made, stroke{l, cutout.Out, 1, worth(l, away, least)})
	}
	for _, l := range walks(mask, inner) {
		made = append(made, stroke{l, cutout.In, 1, worth(l, deep, least)})
	}
	sort.SliceStable(made, func(i, j int) bool { return made[i].worth > made[j].worth })
	var out []scribble.Stroke
	for _, m := range made[:min(len(made), mostStrokes)] {
		s := scribble.Stroke{Says: m.says, Width: m.width / mask.K}
		for _, i := range m.line {
			s.Points = append(s.Points, shape.Point{X: (float64(i%mask.W) + 0.5) / mask.K, Y: (float64(i/mask.W) + 0.5) / mask.K})
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

// wide returns strokes along the middle of a thing with a brush as wide as fits: each where, and as wide, as
// it paints most that was not painted before. What they paint counts half, as thin ones tell of
// what is near the edge.
func wide(f *scene.Field, deep []float64, least float64) (out []stroke) {
	painted := make([]bool, len(deep))
	for range mostWide {
		var best stroke
		var under []int
		for _, k := range [...]float64{0.5, 1, 1.5, 2, 3, 4, 5, 6} {
			width := k * least
			room := 1.05*least + width/2
			lines := skeleton(f, deep, room, nil, func(i int) bool { return deep[i] >= room && !painted[i] })
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
				// None reaches the picture's edge: that is an edge of the thing as well.
				if j := i + v*f.W + u; float64(u*u+v*v) <= width*width/4 && !painted[j] && !seen[j] {
					seen[j] = true
					out = append(out, j)
				}
			}
		}
	}
	return out
}

// walks joins lines of which each ends at one before it, or at none, to walks to and fro through all that
// hang together.
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
func scaledStrokes(list []scribble.Stroke, k float64) []scribble.Stroke {
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
						if j := from + v*f.W + u; x+u >= 0 && x+u < f.W && y+v >= 0 && y+v < f.H && left[j] && u*u+v*v < near {
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
const mostLines = 40

// skeleton returns lines along the middle of a region: the first from end to end, unless there are
// some already, each other from what sticks out most to those before.
func skeleton(f *scene.Field, deep []float64, least float64, given [][]int, is func(i int) bool) (lines [][]int) {
	allowed := func(i int) bool {
		if !is(i) || deep[i] < 1.5 {
			return false
		}
		if deep[i] >= least {
			return true
		}
		// Half of the width here, if nothing beside it is deeper.
		x, y := i%f.W, i/f.W
		for v := -1; v <= 1; v++ {
			for u := -1; u <= 1; u++ {
				if x+u >= 0 && y+v >= 0 && x+u < f.W && y+v < f.H && deep[i+v*f.W+u] > deep[i]+0.71 {
					return false
				}
			}
		}
		return true
	}
	var starts []int
	for _, l := range given {
		starts = append(starts, l...)
	}
	for len(lines) < mostLines {
		if len(starts) == 0 {
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
			_, far := spread(f, starts, is, func(i int) float64 { return 1 })
			for i := range deep {
				if allowed(i) && !math.IsInf(far[i], 1) && value(far[i], deep[i]) > value(far[starts[0]], deep[starts[0]]) {
					starts[0] = i
				}
			}
		}
		// By how far one goes, and along the middle.
		back, far := spread(f, starts, is, func(i int) float64 { return 1 })
		end := -1
		for i := range deep {
			if allowed(i) && far[i] > 1.5*deep[i]+min(least, 2*deep[i]) && (end < 0 || value(far[i], deep[i]) > value(far[end], deep[end])) {
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
		back, _ = spread(f, starts, is, func(i int) float64 { return 1 + 400/(1+deep[i]*deep[i]) })
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

// spread returns of each pixel of a region the one that the cheapest way from the starts comes
// from, and what that costs (Dijkstra).
func spread(f *scene.Field, starts []int, is func(i int) bool, cost func(i int) float64) (back []int, far []float64) {
	back, far = make([]int, len(f.Pix)), make([]float64, len(f.Pix))
	for i := range far {
		far[i] = math.Inf(1)
	}
	var q queue
	for _, s := range starts {
		back[s], far[s] = s, 0
		q = append(q, item{s, 0})
	}
	heap.Init(&q)
	for q.Len() > 0 {
		v := heap.Pop(&q).(item)
		if v.cost > far[v.at] {
			continue
		}
		x, y := v.at%f.W, v.at/f.W
		for dy := -1; dy <= 1; dy++ {
			for dx := -1; dx <= 1; dx++ {
				if x+dx < 0 || y+dy < 0 || x+dx >= f.W || y+dy >= f.H {
					continue
				}
				j := v.at + dy*f.W + dx
				if !is(j) {
					continue
				}
				if c := v.cost + cost(j)*math.Hypot(float64(dx), float64(dy)); c < far[j] {
					far[j], back[j] = c, v.at
					heap.Push(&q, item{j, c})
				}
			}
		}
	}
	return
}

// cutOutOf returns a cut-out of a photo that strokes are to make, as the page would send it.
func cutOutOf(list []scribble.Stroke, p *photo.Photo) *cutout.CutOut {
	c := setting.New[cutout.CutOut](setting.Frame{W: float64(p.Width), H: float64(p.Height)})
	for _, s := range list {
		pts := make([]cutout.Point, len(s.Points))
		for i, q := range s.Points {
			pts[i] = cutout.Point(q)
		}
		c.Strokes = append(c.Strokes, cutout.Stroke{Says: s.Says, Diameter: s.Width, Points: setting.ListOf(pts...)})
	}
	return &c
}
