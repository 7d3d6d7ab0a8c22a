// Package caliper measures what lies along a line on a photo: how wide a tube is whose centre
// line was traced, and how large a ball is that was clicked on.
package caliper

import (
	"math"

	"pyrant/internal/edge"
	"pyrant/internal/shape"
)

// Measured is a tube as its edges on the photo propose it.
type Measured struct {
	Nodes  []shape.Node // the centre line, moved to the middle between the edges
	Width  float64      // in pixels of the photo
	Flat   bool         // it ends straight across, and is not round there
	Sure   float64      // how clear the edges are, 0 to 1
}

// span is where both edges of a piece of a tube lie, across its centre line.
type span struct{ left, right, sure float64 }

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
	if all.sure == 0 {
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
		w := spans[i].sure * length(lines[i])
		sum += spans[i].width() * w
		weight += w
	}
	if weight > 0 {
		m.Width = sum / weight
	}
	m.settle(nodes, closed, spans)
	if !closed {
		m.Flat = !goesOn(e, m.Width, lines[0][0], lines[0][min(1, len(lines[0])-1)]) &&
			!goesOn(e, m.Width, lines[sides-1][len(lines[sides-1])-1], lines[sides-1][max(len(lines[sides-1])-2, 0)])
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
	return edge.Gap(mean(0.15, 0.4), mean(-0.8, -0.3)) < 0.5*edge.Gap(mean(0.7, 1.1), mean(-0.8, -0.3))
}

// settle moves nodes to the middle between the edges of the sides that meet there.
func (m *Measured) settle(nodes []shape.Node, closed bool, spans []span) {
	n := len(nodes)
	for i := range nodes {
		before, after := i-1, i
		if closed {
			before = (i + n - 1) % n
		}
		if after >= len(spans) {
			after = -1
		}
		var moved [][3]float64 // normal, and how far along it
		for _, k := range [...]int{before, after} {
			if k < 0 {
				continue
			}
			a, b := nodes[k], nodes[(k+1)%n]
			dx, dy := b.X-a.X, b.Y-a.Y
			if k == after { // the direction at this end of the side
				if a.Out != [2]float64{} {
					dx, dy = a.Out[0], a.Out[1]
				}
			} else if b.In != [2]float64{} {
				dx, dy = -b.In[0], -b.In[1]
			}
			l := math.Max(math.Hypot(dx, dy), 1e-9)
			moved = append(moved, [3]float64{dy / l, -dx / l, spans[k].middle()})
		}
		node := &m.Nodes[i]
		switch len(moved) {
		case 1:
			node.X += moved[0][0] * moved[0][2]
			node.Y += moved[0][1] * moved[0][2]
		case 2:
			// Where both lines cross once they are moved.
			a, b := moved[0], moved[1]
			det := a[0]*b[1] - a[1]*b[0]
			if math.Abs(det) < 0.2 { // nearly one line
				node.X += (a[0]*a[2] + b[0]*b[2]) / 2
				node.Y += (a[1]*a[2] + b[1]*b[2]) / 2
				continue
			}
			node.X += (a[2]*b[1] - b[2]*a[1]) / det
			node.Y += (b[2]*a[0] - a[2]*b[0]) / det
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

// add lays profiles along a line over what is there.
func (p *profile) add(e *edge.Eye, line []shape.Point) {
	pts := edge.Spaced(line, false, math.Max(1.5, length(line)/150))
	row := make([][3]float32, len(p.edge))
	// The ends lie in corners, or under caps.
	for i := 1 + len(pts)/30; i < len(pts)-1-len(pts)/30; i++ {
		a, b := pts[max(i-2, 0)], pts[min(i+2, len(pts)-1)]
		l := math.Max(math.Hypot(b.X-a.X, b.Y-a.Y), 1e-9)
		nx, ny := (b.Y-a.Y)/l, -(b.X-a.X)/l
		for o := range row {
			d := float64(o-p.half) * step
			row[o] = e.At(pts[i].X+nx*d, pts[i].Y+ny*d)
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
	}
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
				beyond += (p.other[max(l-2-o, 0)] + p.other[min(r+2+o, len(p.other)-1)]) / p.count / 8
			}
			v *= 0.3 + math.Max(beyond-within, 0)
			if known != nil {
				v /= 1 + 4*(math.Abs(a-known.left)+math.Abs(b-known.right))/math.Max(known.width(), 2)
			}
			if v > value {
				value = v
				out = span{p.exact(l), p.exact(r), math.Min(v, 1)}
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
