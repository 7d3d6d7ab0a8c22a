// Package caliper measures what lies along a line on a photo: how wide a tube is whose centre
// line was traced, and how large a ball is that was clicked on.
package caliper

import (
	"math"

	"pyrant/internal/base/photo"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
)

// Measured is a tube as its edges on the photo propose it.
type Measured struct {
	Nodes []shape.Node // the centre line, moved to the middle between the edges
	Width float64      // in pixels of the photo
	Flat  bool         // it ends straight across, and is not round there
	Sure  float64      // how clear the edges are, 0 to 1; from Certain on they are to be trusted
}

// Certain is how clear edges are that are those of a tube.
const Certain = 0.1

// minProminence is how far the edges of a tube stand out from what lies beside the line: edges
// there, by the mean of all. Of 642 straight lines drawn by chance over six photos 71 had a pair
// of edges from Certain on; 7 of these also stood out so far. Traces of the quay's rod and of the
// arch on the dunes that are up to 4 px off have 2.0 to 4.4.
const minProminence = 1.8

// Widest is how wide a tube is looked for on a photo, in pixels.
func Widest(p *photo.Photo) float64 { return float64(max(p.Width, p.Height)) / 20 }

// span is where both edges of a piece of a tube lie, across its centre line.
type span struct {
	left, right, sure float64
	told              [2]float64 // how far the tint tells the left and the right edge, 0 to 1
}

func (s span) width() float64  { return s.right - s.left }
func (s span) middle() float64 { return (s.left + s.right) / 2 }

// Tube measures a tube along a centre line of at least two nodes, no wider than most pixels.
//
// Along each side of the line profiles across are laid over each other: an edge of the tube
// stays in its place from profile to profile, what is behind it changes. Of all pairs of
// places left and right of the line the one is taken whose edges are strongest, that lies most
// evenly to both sides, and between which the colour changes least.
func Tube(e *edge.Eye, nodes []shape.Node, closed bool, most float64) Measured {
	n := len(nodes)
	sides := n - 1
	if closed {
		sides = n
	}
	m := Measured{Nodes: append([]shape.Node(nil), nodes...)}
	if sides < 1 {
		return m
	}
	lines := make([][]shape.Point, sides)
	whole := newProfile(most)
	each := make([]*profile, sides)
	for i := range sides {
		b := nodes[(i+1)%n]
		lines[i] = shape.Flatten(shape.PathOf(nodes[i], b), false)
		each[i] = newProfile(most)
		each[i].add(e, lines[i])
		whole.merge(each[i])
	}
	all := whole.best(most, nil)
	if all.sure == 0 || whole.prominence(all) < minProminence {
		return m
	}
	m.Width, m.Sure = all.width(), all.sure
	spans := make([]span, sides)
	var sum, weight float64
	for i := range spans {
		spans[i] = each[i].best(most, &all)
		if spans[i].sure < all.sure/3 || spans[i].sure == 0 {
			spans[i] = all // it is hidden there, or lost before what is behind it
			continue
		}
		spans[i] = spans[i].refined(e, lines[i])
		// Where the tint tells both edges the width is better known than elsewhere.
		w := spans[i].sure * length(lines[i]) * (0.02 + math.Pow(min(spans[i].told[0],
			spans[i].told[1]), 2))
		sum += spans[i].width() * w
		weight += w
	}
	if weight > 0 {
		m.Width = sum / weight
	}
	middles := make([][2]shape.Point, sides)
	for i := range sides {
		middles[i] = middle(e, nodes[i], nodes[(i+1)%n], lines[i], spans[i], most)
	}
	m.settle(closed, middles)
	if !closed {
		m.Flat = !goesOn(e, m.Width, lines[0][0], lines[0][min(1, len(lines[0])-1)]) &&
			!goesOn(e, m.Width, lines[sides-1][len(lines[sides-1])-1],
				lines[sides-1][max(len(lines[sides-1])-2, 0)])
	}
	return m
}

// goesOn tells whether a tube has what it is made of beyond its end as well, as far as a round
// end reaches; from is a point before the end.
func goesOn(e *edge.Eye, width float64, end, from shape.Point) bool {
	dx, dy := end.X-from.X, end.Y-from.Y
	l := math.Max(math.Hypot(dx, dy), 1e-9)
	dx, dy = dx/l, dy/l
	mean := func(a, b float64) (c [3]float32) {
		for i := range 5 {
			d := (a + (b-a)*float64(i)/4) * width
			for _, side := range [...]float64{-0.15, 0, 0.15} {
				v := e.At(end.X+dx*d-dy*side*width, end.Y+dy*d+dx*side*width)
				for k := range c {
					c[k] += v[k] / 15
				}
			}
		}
		return
	}
	return edge.Gap(mean(0.15, 0.4), mean(-0.8, -0.3)) < 0.5*edge.Gap(mean(0.7, 1.1),
		mean(-0.8, -0.3))
}

// middle returns two points of the middle of a tube along one side of its centre line, near the
// ends of that. What is straight is measured in halves, so that it may be turned as well; what
// is bent is moved as a whole.
func middle(e *edge.Eye, a, b shape.Node, line []shape.Point, all span,
	most float64) (out [2]shape.Point) {
	ends := [2]shape.Point{{X: a.X, Y: a.Y}, {X: b.X, Y: b.Y}}
	if a.Out != [2]float64{} || b.In != [2]float64{} {
		for k, to := range [...][2]float64{a.Out, {-b.In[0], -b.In[1]}} {
			if to == [2]float64{} {
				to = [2]float64{b.X - a.X, b.Y - a.Y}
			}
			l := math.Max(math.Hypot(to[0], to[1]), 1e-9)
			out[k] = shape.Point{X: ends[k].X + to[1]/l*all.middle(),
				Y: ends[k].Y - to[0]/l*all.middle()}
		}
		return out
	}
	dx, dy := b.X-a.X, b.Y-a.Y
	l := math.Max(math.Hypot(dx, dy), 1e-9)
	var off [2]float64 // in the middle of each half
	for k := range off {
		half := newProfile(most)
		from := float64(k) / 2
		part := []shape.Point{{X: a.X + dx*from, Y: a.Y + dy*from}, {X: a.X + dx*(from+0.5),
			Y: a.Y + dy*(from+0.5)}}
		half.add(e, part)
		got := half.best(most, &all)
		if got.sure < all.sure/2 || math.Abs(got.width()-all.width()) > 0.25*all.width() {
			got = all
		} else {
			got = got.refined(e, part)
		}
		off[k] = got.middle()
	}
	for k, d := range [2]float64{1.5*off[0] - 0.5*off[1], 1.5*off[1] - 0.5*off[0]} {
		out[k] = shape.Point{X: ends[k].X + dy/l*d, Y: ends[k].Y - dx/l*d}
	}
	return out
}

// settle puts nodes to where the middles of the sides that meet there cross.
func (m *Measured) settle(closed bool, middles [][2]shape.Point) {
	n := len(m.Nodes)
	for i := range m.Nodes {
		node := &m.Nodes[i]
		before, after := i-1, i
		if closed {
			before = (i + n - 1) % n
		}
		switch {
		case before < 0:
			node.X, node.Y = middles[after][0].X, middles[after][0].Y
		case after >= len(middles):
			node.X, node.Y = middles[before][1].X, middles[before][1].Y
		default:
			p, q := middles[before], middles[after]
			at := shape.Point{X: (p[1].X + q[0].X) / 2, Y: (p[1].Y + q[0].Y) / 2}
			if c, ok := shape.Meet(p, q); ok && math.Hypot(c.X-at.X,
				c.Y-at.Y) < 2*math.Hypot(p[1].X-q[0].X, p[1].Y-q[0].Y)+m.Width/2 {
				at = c
			}
			node.X, node.Y = at.X, at.Y
		}
	}
}

// step is how many pixels lie between places across a line.
const step = 0.5

// profile is what is seen across a line: at each place how strong the edge is there, and how
// far the colour is from that on the line.
type profile struct {
	edge, other []float64
	half        int
	count       float64
}

func newProfile(most float64) *profile {
	half := int(most/step) + 4
	return &profile{edge: make([]float64, 2*half+1), other: make([]float64, 2*half+1), half: half}
}

// across calls each at places along a line, as far as it is neither in a corner nor under a cap,
// with the direction to its left.
func across(line []shape.Point, each func(p, left shape.Point)) {
	pts := edge.Spaced(line, false, math.Max(1.5, length(line)/150))
	for i := 1 + len(pts)/30; i < len(pts)-1-len(pts)/30; i++ {
		a, b := pts[max(i-2, 0)], pts[min(i+2, len(pts)-1)]
		l := math.Max(math.Hypot(b.X-a.X, b.Y-a.Y), 1e-9)
		each(pts[i], shape.Point{X: (b.Y - a.Y) / l, Y: -(b.X - a.X) / l})
	}
}

// refined puts both edges to where the tint has gone over half of the way, as far as the tube and
// what is behind it differ in that. A round rod grows dark towards its edges, so that its light
// changes most inside of them; its tint does not.
func (s span) refined(e *edge.Eye, line []shape.Point) span {
	for range 2 { // the second time both sides are seen from where the edge is
		wide := s.width()
		for i, edge := range [...]*float64{&s.left, &s.right} {
			by, told := halfTinted(e, line, *edge, 1-2*float64(i), wide)
			*edge += by * told
			s.told[i] = told
		}
	}
	return s
}

// halfTinted returns how far from an edge that lies off a line, with its inside in a direction,
// the tint is half that of both sides, over all places along it, and how far that can be told.
func halfTinted(e *edge.Eye, line []shape.Point, off, in, width float64) (by, told float64) {
	const (
		reach, fine  = 5.0, 0.25 // of the profile to both sides, in pixels
		near         = 2.5       // from the edge to where all is of one side
		faint, clear = 0.015, 0.03
	)
	n := int(2*reach/fine) + 1
	mid := (n - 1) / 2
	pure := int(math.Min(near, width/4) / fine)
	tint := make([][2]float64, n)
	sum := make([]float64, n)
	mean := func(from, to int) (m [2]float64) {
		for k := from; k <= to; k++ {
			m[0] += tint[k][0] / float64(to-from+1)
			m[1] += tint[k][1] / float64(to-from+1)
		}
		return
	}
	worth, count := 0.0, 0.0
	across(line, func(p, left shape.Point) {
		for k := range tint {
			d := off + in*(reach-float64(k)*fine) // from inside to outside
			c := e.At(p.X+left.X*d, p.Y+left.Y*d)
			tint[k] = [2]float64{float64(c[1]), float64(c[2])}
		}
		a, b := mean(max(mid-2*pure, 0), mid-pure), mean(mid+pure, min(mid+2*pure, n-1))
		u := [2]float64{b[0] - a[0], b[1] - a[1]}
		apart := math.Hypot(u[0], u[1])
		count++
		if apart < 0.01 {
			return
		}
		worth += apart
		for k := range sum {
			sum[k] += ((tint[k][0]-a[0])*u[0] + (tint[k][1]-a[1])*u[1]) / apart
		}
	})
	if worth == 0 {
		return 0, 0
	}
	best := math.Inf(1)
	for k := mid - 3*pure/2; k < mid+3*pure/2; k++ {
		if u, v := sum[k]/worth-0.5, sum[k+1]/worth-0.5; u <= 0 && v > 0 {
			if at := float64(k-mid) - u/(v-u); math.Abs(at) < math.Abs(best) {
				best = at
			}
		}
	}
	if math.IsInf(best, 1) {
		return 0, 0
	}
	return -in * best * fine, math.Min(math.Max(worth/count-faint, 0)/clear, 1)
}

// add lays profiles along a line over what is there.
func (p *profile) add(e *edge.Eye, line []shape.Point) {
	row := make([][3]float32, len(p.edge))
	across(line, func(at, left shape.Point) {
		for o := range row {
			d := float64(o-p.half) * step
			row[o] = e.At(at.X+left.X*d, at.Y+left.Y*d)
		}
		middle := row[p.half]
		for o := range row {
			p.other[o] += math.Min(float64(edge.Gap(row[o], middle))/0.15, 1)
			if o >= 4 && o < len(row)-4 {
				slope := edge.Gap(row[o-2], row[o+2])
				p.edge[o] += float64(edge.Weigh(slope))
			}
		}
		p.count++
	})
}

// prominence returns the strength of the weaker edge of a pair over the mean of all places that are
// not near one of the two.
func (p *profile) prominence(s span) float64 {
	const near = 4
	l, r := p.half+int(math.Round(s.left/step)), p.half+int(math.Round(s.right/step))
	sum, n := 0.0, 0.0
	for o := near; o < len(p.edge)-near; o++ {
		if o < l-near || o > l+near && o < r-near || o > r+near {
			sum, n = sum+p.edge[o], n+1
		}
	}
	return min(p.edge[l], p.edge[r]) / math.Max(sum/math.Max(n, 1), 1e-9)
}

func (p *profile) merge(q *profile) {
	for o := range p.edge {
		p.edge[o] += q.edge[o]
		p.other[o] += q.other[o]
	}
	p.count += q.count
}

// best returns the pair of edges that stands out most, near to a pair that is known already if
// there is one.
func (p *profile) best(most float64, known *span) (out span) {
	if p.count == 0 {
		return
	}
	at := func(o int) float64 { return p.edge[o] / p.count }
	value := 0.0
	for l := 4; l < p.half; l++ {
		if at(l) < 0.02 || at(l) < at(l-1) || at(l) < at(l+1) {
			continue
		}
		for r := p.half + 1; r < len(p.edge)-4; r++ {
			if at(r) < 0.02 || at(r) < at(r-1) || at(r) < at(r+1) {
				continue
			}
			a, b := float64(l-p.half)*step, float64(r-p.half)*step
			if b-a > most || b-a < 1.5 {
				continue
			}
			v := math.Sqrt(at(l) * at(r))
			uneven := math.Abs(a+b) / (b - a)
			v *= 1 - 0.5*math.Min(uneven, 1)
			// Within it is of one colour, beyond it of another.
			within, beyond := 0.0, 0.0
			for o := l + 2; o <= r-2; o++ {
				within += p.other[o] / p.count / math.Max(float64(r-l-3), 1)
			}
			for o := range 4 {
				beyond += (p.other[max(l-2-o, 0)] +
					p.other[min(r+2+o, len(p.other)-1)]) / p.count / 8
			}
			v *= 0.3 + math.Max(beyond-within, 0)
			if known != nil {
				v /= 1 +
					4*(math.Abs(a-known.left)+math.Abs(b-known.right))/math.Max(known.width(), 2)
			}
			if v > value {
				value = v
				out = span{left: p.exact(l), right: p.exact(r), sure: math.Min(v, 1)}
			}
		}
	}
	return out
}

// exact returns the place of an edge between places, by a parabola.
func (p *profile) exact(o int) float64 {
	at := float64(o - p.half)
	l, m, r := p.edge[o-1], p.edge[o], p.edge[o+1]
	if d := l - 2*m + r; d < 0 {
		at += math.Min(math.Max((l-r)/(2*d), -0.5), 0.5)
	}
	return at * step
}

func length(line []shape.Point) (l float64) {
	for i := 1; i < len(line); i++ {
		l += math.Hypot(line[i].X-line[i-1].X, line[i].Y-line[i-1].Y)
	}
	return
}
