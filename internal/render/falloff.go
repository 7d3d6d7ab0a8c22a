package render

import (
	"context"
	"math"
	"slices"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/glow"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/shape"
)

// Falloff returns the colours of a light's glow, over black, at distances in pixels of the photo
// outside the edge of its shapes: the mean of what the picture shows at places that lie so far from
// it all round. Of a light that has no lines, such as a cut-out, or is not traced yet, it is what a
// long straight stretch of its mean width shows. All shells count as added. With brief few of the
// places are looked at, which is soon done and a few parts in a hundred off.
func (e *Engine) Falloff(ctx context.Context, r *recipe.Recipe, light int, distances []float64,
	brief bool) ([]colour.RGB, error) {
	// What is drawn out, trimmed or switched off is no edge of the light's own.
	bare := *r.Shining(light)
	bare.Streak, bare.Trim = recipe.Streak{}, recipe.Trim{}
	l := &bare
	ll, err := newLight(ctx, e.Cache, r, l, 1)
	if err != nil {
		return nil, err
	}
	weights := make([]colour.RGB, len(l.Shells))
	for i := range l.Shells {
		k, err := ll.weight(ctx, e.Cache, &l.Shells[i], l.Gain()*r.Glow.Level)
		if err != nil {
			return nil, err
		}
		weights[i] = l.Shells[i].Tint.Colour(l.Gel).Scale(float32(k))
	}
	places := roundPlaces{graph.Intern(e.Cache, l.Shapes.Key(), l.Shapes), r.Photo}
	round, err := graph.Get(ctx, e.Cache, places)
	if err != nil {
		return nil, err
	}
	if len(round.steps) == 0 {
		return straight(r, ll, weights, distances), ctx.Err()
	}
	every := 1
	if brief {
		every = briefly
	}
	var lists []strand
	for i := range l.Shells {
		s, err := strandOf{ll.cover, places, l.Shells[i].Radius, every}.get(ctx, e.Cache)
		if err != nil {
			return nil, err
		}
		lists = append(lists, s)
	}
	means := make([]colour.RGB, len(round.steps))
	for j, st := range round.steps {
		count := (len(st.at) + every - 1) / every
		for n := range count {
			var c colour.RGB
			for i, w := range weights {
				v := lists[i][j][n]
				c.R, c.G, c.B = c.R+w.R*v, c.G+w.G*v, c.B+w.B*v
			}
			m := &means[j]
			m.R, m.G, m.B = m.R+colour.SoftAdd(0, c.R), m.G+colour.SoftAdd(0, c.G),
				m.B+colour.SoftAdd(0, c.B)
		}
		means[j] = means[j].Scale(1 / float32(count))
	}
	out := make([]colour.RGB, len(distances))
	for i, d := range distances {
		out[i] = round.between(means, d)
	}
	return out, ctx.Err()
}

// straight is the falloff beside a band.
func straight(r *recipe.Recipe, ll *litLight, weights []colour.RGB,
	distances []float64) []colour.RGB {
	width := ll.cover.Value().Width()
	if width == 0 {
		width = float64(r.Photo.LongEdge()) / 30 // nothing traced yet: a panel of some width
	}
	out := make([]colour.RGB, len(distances))
	for j, d := range distances {
		var c colour.RGB
		for i, w := range weights {
			v := float32(glow.Profile(ll.l.Shells[i].Radius, width, d))
			c.R, c.G, c.B = c.R+w.R*v, c.G+w.G*v, c.B+w.B*v
		}
		out[j] = colour.RGB{R: colour.SoftAdd(0, c.R), G: colour.SoftAdd(0, c.G),
			B: colour.SoftAdd(0, c.B)}
	}
	return out
}

// Distances round a light: the smallest, how many there are to an octave, and how many places each
// has at most.
const (
	nearest   = 0.5
	perOctave = 8
	perStep   = 160
	briefly   = 5 // of so many places one, while a value is in the hand
)

// round is places round the edge of a light: of each distance those that no other part of it is
// nearer to.
type round struct{ steps []roundStep }

type roundStep struct {
	far float64 // from the edge, in pixels of the photo
	at  []shape.Point
}

// Bytes returns the memory that the places take.
func (r *round) Bytes() (n int64) {
	for _, s := range r.steps {
		n += 16 * int64(len(s.at))
	}
	return n
}

// roundPlaces finds the places round shapes within a photo.
type roundPlaces struct {
	of    shapesInput
	photo recipe.Photo
}

func (k roundPlaces) Build(ctx context.Context, _ *graph.Graph) (*round, error) {
	o, ok := outlinesOf(k.of.Value())
	if !ok {
		return &round{}, nil
	}
	lines, long := boundaries(o.edges, o.inside)
	out, corners := &round{}, ends(lines)
	if long == 0 {
		return out, nil
	}
	var all []roundStep
	for far := nearest; far < 2*float64(k.photo.LongEdge()); far *= math.Exp2(1.0 / perOctave) {
		all = append(all, roundStep{far: far})
	}
	w, h := float64(k.photo.Width), float64(k.photo.Height)
	if err := raster.Each(ctx, len(all), func(n int) {
		far := all[n].far
		// Evenly along the line at this distance. Many fall away.
		gap := (long + 2*math.Pi*far*float64(len(lines))) / perStep / 2
		all[n].fill(lines, corners, gap, func(x, y float64) bool {
			return x >= 0 && y >= 0 && x < w && y < h &&
				!nearer(lines, shape.Point{X: x, Y: y}, fully*far) && !o.inside(x, y)
		})
	}); err != nil {
		return nil, err
	}
	for _, st := range all {
		if len(st.at) >= 8 { // of fewer, most lie outside of the photo
			out.steps = append(out.steps, st)
		}
	}
	return out, nil
}

// fill finds the places of a step, a gap apart: beside sides, and on arcs round corners, as far as
// they are right.
func (st *roundStep) fill(lines []boundary, corners []shape.Point, gap float64,
	right func(x, y float64) bool) {
	put := func(x, y float64) {
		if right(x, y) {
			st.at = append(st.at, shape.Point{X: x, Y: y})
		}
	}
	for _, p := range corners {
		for turn := 0.0; turn < 2*math.Pi; turn += gap / st.far {
			sin, cos := math.Sincos(turn)
			put(p.X+st.far*cos, p.Y+st.far*sin)
		}
	}
	for i := range lines {
		for _, side := range [...]float64{st.far, -st.far} {
			lines[i].beside(side, gap, put)
		}
	}
	if n := len(st.at); n > perStep { // evenly over all of them
		for i := range perStep {
			st.at[i] = st.at[i*n/perStep]
		}
		st.at = st.at[:perStep]
	}
}

// outlines is the closed lines of shapes.
type outlines struct {
	shapes shape.Shapes
	edges  [][][]shape.Point // by shape
	boxes  [][]box           // of each line
}

// outlinesOf returns the lines of shapes; ok is false if one of them has none.
func outlinesOf(shapes shape.Shapes) (o outlines, ok bool) {
	o = outlines{shapes, make([][][]shape.Point, len(shapes)), make([][]box, len(shapes))}
	for i, s := range shapes {
		if shape.IsCutOut(s) {
			return o, false
		}
		o.edges[i] = shape.Edges(s)
		for _, e := range o.edges[i] {
			o.boxes[i] = append(o.boxes[i], boxOf(e))
		}
	}
	return o, true
}

// inside reports whether a place is lit.
func (o *outlines) inside(x, y float64) bool {
	in := false
	for i, s := range o.shapes {
		odd := false
		for j, e := range o.edges[i] {
			if o.boxes[i][j].to(shape.Point{X: x, Y: y}) > 0 {
				continue
			}
			odd = odd != shape.Inside(e, x, y)
		}
		if odd {
			if s.Taken() {
				return false
			}
			in = true
		}
	}
	return in
}

// fully is how much of a distance must be left to the nearest side for a place to count as so far
// away: all, but for rounding.
const fully = 1 - 1e-9

// boundary is a closed line, of which some sides bound what shines: those are seen.
type boundary struct {
	line []shape.Point
	seen []bool // of the side that begins at each point
	box  []box  // of so many sides that follow each other
}

// box is left, top, right and bottom.
type box [4]float64

// chunk is how many sides have a box of their own.
const chunk = 32

// boxed gives a boundary the boxes of its sides.
func (l *boundary) boxed() {
	for i := 0; i < len(l.line); i += chunk {
		end := min(i+chunk, len(l.line))
		b, last := boxOf(l.line[i:end]), l.line[end%len(l.line)] // the end of the last side
		l.box = append(l.box, box{min(b[0], last.X), min(b[1], last.Y), max(b[2], last.X),
			max(b[3], last.Y)})
	}
}

// boxOf returns the box of points.
func boxOf(line []shape.Point) box {
	b := box{math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)}
	for _, p := range line {
		b = box{min(b[0], p.X), min(b[1], p.Y), max(b[2], p.X), max(b[3], p.Y)}
	}
	return b
}

// to returns how far a point lies from a box, squared.
func (b *box) to(q shape.Point) float64 {
	dx, dy := max(b[0]-q.X, q.X-b[2], 0), max(b[1]-q.Y, q.Y-b[3], 0)
	return dx*dx + dy*dy
}

// boundaries returns the lines of shapes, and how long what is seen of them is. Sides are made
// short, so that each can be told apart by its middle: those that bound nothing lie within another
// shape, or at no lit place.
func boundaries(edges [][][]shape.Point,
	inside func(x, y float64) bool) (out []boundary, long float64) {
	count := 0.0
	for _, lines := range edges {
		for _, e := range lines {
			for i, a := range e {
				b := e[(i+1)%len(e)]
				count += math.Hypot(b.X-a.X, b.Y-a.Y)
			}
		}
	}
	short := max(count/1000, 1)
	for _, lines := range edges {
		for _, e := range lines {
			var b boundary
			for i, p := range e {
				q := e[(i+1)%len(e)]
				l := math.Hypot(q.X-p.X, q.Y-p.Y)
				n := max(int(math.Ceil(l/short)), 1)
				for j := range n {
					t, mid := float64(j)/float64(n), (float64(j)+0.5)/float64(n)
					at := shape.Point{X: p.X + (q.X-p.X)*mid, Y: p.Y + (q.Y-p.Y)*mid}
					// What shines lies to one side of it, and not to the other.
					dx, dy := 0.0, 0.0
					if l > 0 {
						dx, dy = 0.05*(q.Y-p.Y)/l, 0.05*(p.X-q.X)/l
					}
					seen := inside(at.X+dx, at.Y+dy) != inside(at.X-dx, at.Y-dy)
					b.line = append(b.line, shape.Point{X: p.X + (q.X-p.X)*t, Y: p.Y + (q.Y-p.Y)*t})
					b.seen = append(b.seen, seen)
					if seen {
						long += l / float64(n)
					}
				}
			}
			b.boxed()
			out = append(out, b)
		}
	}
	return out, long
}

// beside puts points every gap pixels along what is seen of a line, moved to one side by a
// distance, with arcs round its corners.
func (l *boundary) beside(far, gap float64, put func(x, y float64)) {
	left := gap / 2
	n := len(l.line)
	var last float64 // direction of the normal of the side before
	for i := -1; i < n; i++ {
		a, b := l.line[(i+n)%n], l.line[(i+1)%n]
		long := math.Hypot(b.X-a.X, b.Y-a.Y)
		if long == 0 {
			continue
		}
		normal := math.Atan2(a.X-b.X, b.Y-a.Y)
		if i >= 0 {
			before := l.seen[(i+n-1)%n]
			if l.seen[i] || before {
				turn := math.Remainder(normal-last, 2*math.Pi)
				if l.seen[i] != before {
					turn = 0 // see ends
				}
				arc := math.Abs(turn * far)
				for ; left < arc; left += gap {
					sin, cos := math.Sincos(last + turn*left/arc)
					put(a.X+far*cos, a.Y+far*sin)
				}
				left -= arc
			}
			if l.seen[i] {
				sin, cos := math.Sincos(normal)
				for ; left < long; left += gap {
					put(a.X+(b.X-a.X)*left/long+far*cos, a.Y+(b.Y-a.Y)*left/long+far*sin)
				}
				left -= long
			}
		}
		last = normal
	}
}

// ends returns where what is seen of lines ends as another line goes on, each place once: round it
// all that is so far away counts.
func ends(lines []boundary) (out []shape.Point) {
	for k := range lines {
		l := &lines[k]
		for i, p := range l.line {
			if l.seen[i] == l.seen[(i+len(l.line)-1)%len(l.line)] {
				continue
			}
			if !slices.ContainsFunc(out,
				func(q shape.Point) bool { return math.Hypot(p.X-q.X, p.Y-q.Y) < 1e-6 }) {
				out = append(out, p)
			}
		}
	}
	return out
}

// nearer tells whether a point lies nearer than a distance to what is seen of lines.
func nearer(lines []boundary, q shape.Point, than float64) bool {
	than *= than
	for k := range lines {
		l := &lines[k]
		n := len(l.line)
		for i := range l.box {
			if l.box[i].to(q) >= than {
				continue
			}
			for j := i * chunk; j < min((i+1)*chunk, n); j++ {
				if l.seen[j] && toSide(q, l.line[j], l.line[(j+1)%n]) < than {
					return true
				}
			}
		}
	}
	return false
}

// toSide returns how far a point lies from a side, squared.
func toSide(q, a, b shape.Point) float64 {
	dx, dy := b.X-a.X, b.Y-a.Y
	px, py := q.X-a.X, q.Y-a.Y
	if l := dx*dx + dy*dy; l > 0 {
		t := min(max((px*dx+py*dy)/l, 0), 1)
		px, py = px-t*dx, py-t*dy
	}
	return px*px + py*py
}

// between returns a value at a distance, from those at the steps.
func (r *round) between(means []colour.RGB, far float64) colour.RGB {
	n := len(r.steps)
	if far <= r.steps[0].far {
		return means[0]
	}
	for i := 1; i < n; i++ {
		if a, b := r.steps[i-1].far, r.steps[i].far; far <= b {
			// Evenly in the logarithm of the distance and of the value: both fall off so.
			t := math.Log(far/a) / math.Log(b/a)
			part := func(u, v float32) float32 {
				if u <= 0 || v <= 0 {
					return u + (v-u)*float32(t)
				}
				return float32(math.Exp(math.Log(float64(u))*(1-t) + math.Log(float64(v))*t))
			}
			u, v := means[i-1], means[i]
			return colour.RGB{R: part(u.R, v.R), G: part(u.G, v.G), B: part(u.B, v.B)}
		}
	}
	return means[n-1]
}

// strand is blurred coverage at the places of each step.
type strand [][]float32

// Bytes returns the memory that the values take.
func (s strand) Bytes() (n int64) {
	for _, v := range s {
		n += 4 * int64(len(v))
	}
	return n
}

// strandOf is a coverage blurred by a radius at every so many of the places round shapes.
type strandOf struct {
	cover  coverInput
	places roundPlaces
	radius float64
	every  int
}

// get returns the value: most often the chart has shown all places before a value was taken in
// hand.
func (k strandOf) get(ctx context.Context, g *graph.Graph) (strand, error) {
	all := k
	if all.every = 1; k.every > 1 && graph.Has(g, all) {
		s, err := graph.Get(ctx, g, all)
		return s.thinned(k.every), err
	}
	return graph.Get(ctx, g, k)
}

func (k strandOf) Build(ctx context.Context, g *graph.Graph) (strand, error) {
	r, err := graph.Get(ctx, g, k.places)
	if err != nil {
		return nil, err
	}
	probe, err := graph.Get(ctx, g, lightProbe{k.cover, recipe.MaxRadius})
	if err != nil {
		return nil, err
	}
	out := make(strand, len(r.steps))
	return out, raster.Each(ctx, len(r.steps), func(i int) {
		at := r.steps[i].at
		for n := 0; n < len(at); n += k.every {
			out[i] = append(out[i], float32(probe.At(at[n].X, at[n].Y, k.radius)))
		}
	})
}

// thinned returns one of so many values.
func (s strand) thinned(every int) strand {
	out := make(strand, len(s))
	for i, v := range s {
		for n := 0; n < len(v); n += every {
			out[i] = append(out[i], v[n])
		}
	}
	return out
}
