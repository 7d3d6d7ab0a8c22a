// Package livewire finds lines that cling to the edges of a photo between places that a user pins:
// of all ways over the pixels the one that costs least, where to go along a strong edge costs
// little (live-wire, after Mortensen and Barrett 1995).
package livewire

import (
	"context"
	"image"
	"math"

	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
)

// What a step of one pixel costs: each of these at most, and one at least. The weights are
// about those of Mortensen and Barrett.
const (
	offCrest = 40 // not on the crest of an edge
	weak     = 40 // no slope
	askew    = 16 // not along the edge
	least    = 2
)

// buckets is how many costs ahead of the way in hand there can be: more than any step costs.
const buckets = 256

// span is how far from a pin a wire goes, in pixels of the sheet.
const span = 420

// Wire is the cheapest ways from one pixel of a sheet to all others near it. They are worked
// out as far as they are asked for, and kept. A Wire may not be used by several goroutines at
// once.
type Wire struct {
	s       *edge.Sheet
	box     image.Rectangle // in pixels of the sheet's Rect
	w       int
	cost    []int32
	back    []int8 // the direction that a pixel was come to by; 8 for the first
	done    []bool
	next    []int32
	first   [buckets]int32
	at      int32 // the cost that is in hand
	waiting int
}

// steps are the eight directions, straight and diagonal by turns.
var steps = [8]image.Point{{X: 1}, {X: 1, Y: 1}, {Y: 1}, {X: -1, Y: 1}, {X: -1}, {X: -1, Y: -1},
	{Y: -1}, {X: 1, Y: -1}}

// New begins a wire at a point of the photo, which is taken into the sheet.
func New(s *edge.Sheet, from shape.Point) *Wire {
	p := pixel(s, from)
	box := image.Rect(p.X-span, p.Y-span, p.X+span+1, p.Y+span+1).Intersect(image.Rect(0, 0,
		s.Rect.Dx(), s.Rect.Dy()))
	n := box.Dx() * box.Dy()
	w := &Wire{s: s, box: box, w: box.Dx(), cost: make([]int32, n), back: make([]int8, n),
		done: make([]bool, n), next: make([]int32, n)}
	for i := range w.cost {
		w.cost[i] = math.MaxInt32
	}
	for i := range w.first {
		w.first[i] = -1
	}
	i := w.index(p)
	w.cost[i], w.back[i] = 0, 8
	w.push(int32(i), 0)
	return w
}

// Bytes returns the memory that a wire takes.
func (w *Wire) Bytes() int64 { return int64(len(w.cost)) * 10 }

// pixel returns the pixel of a sheet's Rect nearest to a point of the photo.
func pixel(s *edge.Sheet, p shape.Point) image.Point {
	k := float64(s.Step)
	x, y := int(math.Floor(p.X/k))-s.Rect.Min.X, int(math.Floor(p.Y/k))-s.Rect.Min.Y
	return image.Pt(min(max(x, 0), s.Rect.Dx()-1), min(max(y, 0), s.Rect.Dy()-1))
}

func (w *Wire) index(p image.Point) int { return (p.Y-w.box.Min.Y)*w.w + p.X - w.box.Min.X }

func (w *Wire) push(i, cost int32) {
	b := &w.first[cost%buckets]
	w.next[i], *b = *b, i
	w.waiting++
}

// toll returns what a step in a direction to pixel j of the sheet from pixel i costs.
func toll(s *edge.Sheet, i, j, dir int) int32 {
	v := float32(least)
	if s.Crest[j] == 0 {
		v += offCrest
	}
	v += weak * (1 - edge.Weigh(s.Slope[j]))
	// The way should run across the direction of change, at both ends of the step.
	d := steps[dir]
	dx, dy := float32(d.X), float32(d.Y)
	long := float32(1)
	if dir%2 == 1 {
		long = math.Sqrt2
		dx, dy = dx/long, dy/long
	}
	a, b := s.Across[i], s.Across[j]
	v += askew * (abs(a[0]*dx+a[1]*dy) + abs(b[0]*dx+b[1]*dy)) / 2
	return int32(v*long + 0.5)
}

func abs(v float32) float32 { return max(v, -v) }

// expand settles pixels in the order of their cost until one of them is.
func (w *Wire) expand(ctx context.Context, to int) error {
	sw := w.s.Rect.Dx()
	for n := 0; !w.done[to] && w.waiting > 0; {
		b := &w.first[w.at%buckets]
		if *b < 0 {
			w.at++
			continue
		}
		i := *b
		*b = w.next[i]
		w.waiting--
		w.done[i] = true
		if n++; n%4096 == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
		x, y := int(i)%w.w, int(i)/w.w
		from := (y+w.box.Min.Y)*sw + x + w.box.Min.X
		for dir, d := range steps {
			u, v := x+d.X, y+d.Y
			if u < 0 || v < 0 || u >= w.w || v >= w.box.Dy() {
				continue
			}
			j := v*w.w + u
			if w.done[j] {
				continue
			}
			c := w.at + toll(w.s, from, from+d.Y*sw+d.X, dir)
			if c >= w.cost[j] {
				continue
			}
			if w.cost[j] != math.MaxInt32 {
				w.take(int32(j), w.cost[j])
			}
			w.cost[j], w.back[j] = c, int8(dir)
			w.push(int32(j), c)
		}
	}
	return nil
}

// take takes a pixel out of the bucket in which it waits.
func (w *Wire) take(i, cost int32) {
	at := &w.first[cost%buckets]
	for *at != i {
		at = &w.next[*at]
	}
	*at = w.next[i]
	w.waiting--
}

// To returns the cheapest way to a point of the photo, in pixels of the photo, from the first
// pixel to the last; where it lies farther off than a wire goes, to the nearest that it does.
func (w *Wire) To(ctx context.Context, to shape.Point) ([]shape.Point, error) {
	p := pixel(w.s, to)
	p.X = min(max(p.X, w.box.Min.X), w.box.Max.X-1)
	p.Y = min(max(p.Y, w.box.Min.Y), w.box.Max.Y-1)
	i := w.index(p)
	if err := w.expand(ctx, i); err != nil {
		return nil, err
	}
	k := float64(w.s.Step)
	var out []shape.Point
	for {
		out = append(out, shape.Point{X: (float64(p.X+w.s.Rect.Min.X) + 0.5) * k,
			Y: (float64(p.Y+w.s.Rect.Min.Y) + 0.5) * k})
		if w.back[i] == 8 {
			break
		}
		p = p.Sub(steps[w.back[i]])
		i = w.index(p)
	}
	for a, b := 0, len(out)-1; a < b; a, b = a+1, b-1 {
		out[a], out[b] = out[b], out[a]
	}
	return out, nil
}

// Cost returns what the way to a point costs, once it has been asked for.
func (w *Wire) Cost(to shape.Point) int { return int(w.cost[w.index(pixel(w.s, to))]) }

// Near returns the place on an edge that a point of the photo is most likely meant to be on,
// no farther than reach pixels of the photo: strong edges draw from farther than weak ones.
func Near(s *edge.Sheet, p shape.Point, reach float64) shape.Point {
	c := pixel(s, p)
	r := int(math.Ceil(reach / float64(s.Step)))
	sw := s.Rect.Dx()
	best, at := float32(0.05), image.Pt(-1, -1)
	for y := max(c.Y-r, 0); y <= min(c.Y+r, s.Rect.Dy()-1); y++ {
		for x := max(c.X-r, 0); x <= min(c.X+r, sw-1); x++ {
			i := y*sw + x
			d := math.Hypot(float64(x-c.X), float64(y-c.Y)) / float64(r)
			if s.Crest[i] == 0 || d > 1 {
				continue
			}
			if v := edge.Weigh(s.Crest[i]) * float32(1-0.6*d*d); v > best {
				best, at = v, image.Pt(x, y)
			}
		}
	}
	if at.X < 0 {
		return p
	}
	k := float64(s.Step)
	return shape.Point{X: (float64(at.X+s.Rect.Min.X) + 0.5) * k,
		Y: (float64(at.Y+s.Rect.Min.Y) + 0.5) * k}
}

// Run is a piece of a traced line between two pins.
type Run struct {
	Line     []shape.Point // in pixels of the photo
	Straight bool          // drawn by hand: it stays as it is
}

// Outline makes a closed outline of few points of runs that follow on one another and end
// where they began, with those that cling laid on the photo's edges to a fraction of a pixel.
func Outline(e *edge.Eye, step float64, runs []Run) shape.Path {
	along := edge.Along{Reach: 2 * step, Gap: step, Blur: step}
	free := true
	for _, r := range runs {
		free = free && !r.Straight
	}
	fit := func(line []shape.Point) (shape.Path, int) {
		p := shape.Fit(line, true, math.Max(0.8, 0.4*step))
		return p, p.Len()
	}
	var line []shape.Point
	if free {
		for _, r := range runs {
			line = joined(line, r.Line)
		}
		line = looped(line)
		along.Closed = true
		for range 2 {
			line = e.Place(edge.Soften(edge.Spaced(line, true, step), 1.2), along)
		}
		return e.Lit(line, step, fit)
	}
	for _, r := range runs {
		piece := r.Line
		if !r.Straight && len(piece) > 4 {
			piece = e.Place(piece, along)
		} else if len(piece) > 1 {
			piece = edge.Spaced(piece, false, step)
		}
		line = append(line, piece...)
	}
	path, _ := fit(line)
	return path
}

// Pin is a place that a user pinned; Straight tells of the line from it to the next.
type Pin struct {
	At       shape.Point // in pixels of the photo
	Straight bool
}

// Trace returns the closed outline through pins: along the strongest edges between them, or
// straight. Where all of it clings the pins settle within reach of where they were set.
func Trace(ctx context.Context, s *edge.Sheet, e *edge.Eye, pins []Pin,
	reach float64) (shape.Path, error) {
	at := make([]shape.Point, len(pins))
	free := true
	for i, p := range pins {
		at[i] = p.At
		free = free && !p.Straight
	}
	if free {
		var err error
		if at, err = Settle(ctx, s, at, reach); err != nil {
			return shape.Path{}, err
		}
	}
	runs := make([]Run, len(pins))
	for i, p := range pins {
		to := at[(i+1)%len(at)]
		if p.Straight {
			runs[i] = Run{Line: []shape.Point{at[i], to}, Straight: true}
			continue
		}
		line, err := New(s, at[i]).To(ctx, to)
		if err != nil {
			return shape.Path{}, err
		}
		runs[i] = Run{Line: line}
	}
	return Outline(e, float64(s.Step), runs), nil
}

// joined appends a run to a line, without what it goes back of it: a pin that was set beside
// the edge is reached from it and left to it by the same way.
func joined(line, run []shape.Point) []shape.Point {
	k := 0
	for k < len(run) && k < len(line) && near(line[len(line)-1-k], run[k]) {
		k++
	}
	if k > 0 {
		line = line[:len(line)-k+1]
		run = run[k:]
	}
	return append(line, run...)
}

// looped takes off the ends of a closed line what they go to and fro.
func looped(line []shape.Point) []shape.Point {
	k := 0
	for 2*k < len(line)-6 && near(line[k], line[len(line)-1-k]) {
		k++
	}
	return line[max(k-1, 0) : len(line)-k]
}

func near(a, b shape.Point) bool { return math.Hypot(a.X-b.X, a.Y-b.Y) < 0.5 }

// Settle moves pins round a closed line to where, near the places that were clicked, the
// cheapest line passes that goes from the pin before to the pin after: one pin that was set on
// the wrong of two edges is put right by its neighbours. It goes round twice.
func Settle(ctx context.Context, s *edge.Sheet, clicks []shape.Point,
	reach float64) ([]shape.Point, error) {
	n := len(clicks)
	pins := make([]shape.Point, n)
	for i, p := range clicks {
		pins[i] = Near(s, p, reach)
	}
	if n < 3 {
		return pins, nil
	}
	for range 2 {
		for i := range n {
			before, after := New(s, pins[(i+n-1)%n]), New(s, pins[(i+1)%n])
			c := pixel(s, clicks[i])
			r := int(math.Ceil(reach / float64(s.Step)))
			best := int32(math.MaxInt32)
			k := float64(s.Step)
			for y := c.Y - r; y <= c.Y+r; y++ {
				for x := c.X - r; x <= c.X+r; x++ {
					p := image.Pt(x, y)
					off := (x-c.X)*(x-c.X) + (y-c.Y)*(y-c.Y)
					if off > r*r || !p.In(before.box) || !p.In(after.box) {
						continue
					}
					a, b := before.index(p), after.index(p)
					if err := before.expand(ctx, a); err != nil {
						return nil, err
					}
					if err := after.expand(ctx, b); err != nil {
						return nil, err
					}
					if v := before.cost[a] + after.cost[b] + int32(astray*off/(r*r)); v < best {
						best = v
						pins[i] = shape.Point{X: (float64(x+s.Rect.Min.X) + 0.5) * k,
							Y: (float64(y+s.Rect.Min.Y) + 0.5) * k}
					}
				}
			}
		}
	}
	return pins, nil
}

// astray is what a pin costs that ends up as far from where it was clicked as it may.
const astray = 250
