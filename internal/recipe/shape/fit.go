package shape

import (
	"math"
	"slices"
	"sort"
)

// Fit returns a path of few nodes whose curves stray at most tolerance from a line of
// points (Schneider 1990): cubic Béziers fitted by least squares, split where they stray
// too far, straight sides where a chord does, and corners where the line turns at once. What
// is within a few tolerances of a corner is taken for rounded by whoever drew the line: the
// corner is put where the sides to both of it meet.
func Fit(line []Point, closed bool, tolerance float64) Path {
	var p []Point
	for _, q := range line {
		if len(p) == 0 || q.dist(p[len(p)-1]) > 1e-6 {
			p = append(p, q)
		}
	}
	if closed && len(p) > 2 && p[0].dist(p[len(p)-1]) <= 1e-6 {
		p = p[:len(p)-1]
	}
	if len(p) < 3 {
		nodes := make([]Node, len(p))
		for i, q := range p {
			nodes[i] = Node{X: q.X, Y: q.Y}
		}
		return PathOf(nodes...)
	}
	sharp := sharpAt(p, closed, reachOf*tolerance)
	if closed {
		if len(sharp) > 0 { // begin at a corner
			by := sharp[0].at
			p = append(slices.Clone(p[by:]), p[:by]...)
			for i := range sharp {
				sharp[i].at -= by
			}
		}
		p = append(p, p[0])
	}
	f := fitter{p: p, tolerance: tolerance}
	cuts := []corner{{0, p[0]}}
	if closed && len(sharp) > 0 {
		cuts, sharp = sharp[:1], sharp[1:]
	}
	cuts = append(slices.Clone(cuts), sharp...)
	end := corner{len(p) - 1, p[len(p)-1]}
	if closed {
		end.p = cuts[0].p
	}
	cuts = append(cuts, end)
	smooth := closed && len(cuts) == 2 && cuts[0].p == p[0]
	f.nodes = []Node{{X: cuts[0].p.X, Y: cuts[0].p.Y}}
	for i := 1; i < len(cuts); i++ {
		f.side(cuts[i-1], cuts[i], smooth)
	}
	if n := len(f.nodes); closed && n > 2 {
		f.nodes[0].In = f.nodes[n-1].In
		f.nodes = f.nodes[:n-1]
		// An outline has at least three nodes, however few curves would do.
		for i := 0; len(f.nodes) < 3; i += 2 {
			f.nodes = Halve(f.nodes, i)
		}
	}
	return PathOf(f.nodes...)
}

// side adds the curves from one corner to the next; smooth is one that goes all round.
func (f *fitter) side(from, to corner, smooth bool) {
	// The corners replace what is rounded near them.
	trim := reachOf * f.tolerance / 3
	p := []Point{from.p}
	for _, q := range f.p[from.at+1 : to.at] {
		if q.dist(from.p) > trim && q.dist(to.p) > trim || smooth {
			p = append(p, q)
		}
	}
	p = append(p, to.p)
	if straight(p, f.tolerance) {
		f.nodes = append(f.nodes, Node{X: to.p.X, Y: to.p.Y})
		return
	}
	g := fitter{p: p, tolerance: f.tolerance, nodes: f.nodes}
	n := len(p) - 1
	ta, tb := g.tangent(0, n, 1), g.tangent(n, 0, -1)
	if smooth { // one curve all round: both ends have one tangent
		t := unit(ta.sub(tb))
		ta, tb = t, t.mul(-1)
	}
	g.fit(0, n, ta, tb)
	f.nodes = g.nodes
}

// straight tells whether a line strays no further than tolerance from its chord.
func straight(p []Point, tolerance float64) bool {
	a, d := p[0], p[len(p)-1].sub(p[0])
	l := math.Hypot(d.X, d.Y)
	if l < 1e-9 {
		return len(p) == 2
	}
	for _, q := range p {
		v := q.sub(a)
		if math.Abs(v.X*d.Y-v.Y*d.X)/l > tolerance {
			return false
		}
	}
	return true
}

// Halve returns the nodes of a closed path with one more in the middle of the curve from
// node i on, which keeps its course.
func Halve(nodes []Node, i int) []Node {
	a, b := &nodes[i], &nodes[(i+1)%len(nodes)]
	p0, p3 := Point{a.X, a.Y}, Point{b.X, b.Y}
	p1, p2 := p0.add(Point{a.Out[0], a.Out[1]}), p3.add(Point{b.In[0], b.In[1]})
	q0, q1, q2 := p0.mix(p1, 0.5), p1.mix(p2, 0.5), p2.mix(p3, 0.5)
	r0, r1 := q0.mix(q1, 0.5), q1.mix(q2, 0.5)
	m := r0.mix(r1, 0.5)
	off := func(p, q Point) [2]float64 { d := p.sub(q); return [2]float64{d.X, d.Y} }
	a.Out, b.In = off(q0, p0), off(q2, p3)
	return slices.Insert(nodes, i+1, Node{X: m.X, Y: m.Y, In: off(r0, m), Out: off(r1, m)})
}

// reachOf is how many tolerances an arm is long by which a corner is seen.
const reachOf = 8

// corner is a place at which a line turns at once: the index of the point nearest to it, and
// where it is itself.
type corner struct {
	at int
	p  Point
}

// sharpAt finds where a line turns sharply. An arm to each side of a point gives a direction;
// along a bend of even curvature arms of twice the length turn twice as far, at a corner as
// far: what the short ones turn more than half of the long ones is what is turned at once.
func sharpAt(p []Point, closed bool, reach float64) (out []corner) {
	n := len(p)
	along := make([]float64, n+1)
	for i := range n {
		along[i+1] = along[i] + p[i].dist(p[(i+1)%n])
	}
	total := along[n]
	if !closed {
		total = along[n-1]
	}
	// at returns the point a way along the line from point i, false beyond its ends.
	at := func(i int, way float64) (Point, bool) {
		s := along[i] + way
		if closed {
			s = math.Mod(s+total, total)
		} else if s < 0 || s > total {
			return Point{}, false
		}
		k := max(sort.SearchFloat64s(along, s)-1, 0)
		l := along[k+1] - along[k]
		if l == 0 {
			return p[k%n], true
		}
		return p[k%n].mix(p[(k+1)%n], (s-along[k])/l), true
	}
	turn := func(i int, reach float64) (angle float64, left, right [2]Point, ok bool) {
		var pts [4]Point
		for k, way := range [...]float64{-reach, -reach / 3, reach / 3, reach} {
			if pts[k], ok = at(i, way); !ok {
				return
			}
		}
		a, b := pts[1].sub(pts[0]), pts[3].sub(pts[2])
		angle = math.Abs(math.Atan2(a.X*b.Y-a.Y*b.X, a.X*b.X+a.Y*b.Y))
		return angle, [2]Point(pts[:2]), [2]Point(pts[2:]), true
	}
	if closed && total < 6*reach || n < 5 {
		reach = total / 12
	}
	sharp := make([]float64, n)
	for i := range p {
		a, _, _, ok := turn(i, reach)
		if !ok || a < math.Pi/9 {
			continue
		}
		b, _, _, ok := turn(i, 2*reach)
		if at := 2*a - b; ok && at > math.Pi/7.5 || a > math.Pi/2.4 {
			sharp[i] = a
		}
	}
	for i, v := range sharp {
		if v == 0 {
			continue
		}
		if !sharpest(p, sharp, i, closed, 0.75*reach) {
			continue
		}
		c := corner{i, p[i]}
		_, left, right, _ := turn(i, reach)
		if q, ok := Meet(left, right); ok && q.dist(p[i]) < reach/2 {
			c.p = q
		}
		out = append(out, c)
	}
	return out
}

// sharpest reports whether no point of a line within an arm of point i is sharper.
func sharpest(p []Point, sharp []float64, i int, closed bool, arm float64) bool {
	n, v := len(p), sharp[i]
	for _, step := range [...]int{-1, 1} {
		for j, l := i, 0.0; ; {
			k := j + step
			if closed {
				k = (k + n) % n
			} else if k < 0 || k >= n {
				break
			}
			if l += p[j].dist(p[k]); l > arm || k == i {
				break
			}
			if sharp[k] > v || sharp[k] == v && k < i {
				return false
			}
			j = k
		}
	}
	return true
}

// Meet returns where the lines through two pairs of points cross; false where they
// are parallel.
func Meet(a, b [2]Point) (Point, bool) {
	u, v := a[1].sub(a[0]), b[1].sub(b[0])
	det := u.X*v.Y - u.Y*v.X
	if math.Abs(det) < 1e-9 {
		return Point{}, false
	}
	w := b[0].sub(a[0])
	return a[0].add(u.mul((w.X*v.Y - w.Y*v.X) / det)), true
}

func unit(p Point) Point {
	l := math.Hypot(p.X, p.Y)
	if l == 0 {
		return Point{}
	}
	return p.mul(1 / l)
}

type fitter struct {
	p         []Point
	tolerance float64
	nodes     []Node
}

// tangent returns the direction of the line at i on its way to j.
func (f *fitter) tangent(i, j, step int) Point {
	for k, l := i+step, 0.0; k != j; k += step {
		if l += f.p[k].dist(f.p[k-step]); l >= 2*f.tolerance {
			return unit(f.p[k].sub(f.p[i]))
		}
	}
	return unit(f.p[j].sub(f.p[i]))
}

// fit adds the curves for the points from a to b, which begin and end along ta and tb.
func (f *fitter) fit(a, b int, ta, tb Point) {
	p := f.p[a : b+1]
	if len(p) == 2 {
		d := p[0].dist(p[1]) / 3
		f.add(p[1], ta.mul(d), tb.mul(d))
		return
	}
	u := make([]float64, len(p))
	for i := 1; i < len(p); i++ {
		u[i] = u[i-1] + p[i].dist(p[i-1])
	}
	for i := range u {
		u[i] /= u[len(u)-1]
	}
	split := 0
	for range 5 {
		c := bezier(p, u, ta, tb)
		worst := 0.0
		for i, q := range p {
			if d := c.at(u[i]).dist(q); d >= worst {
				worst, split = d, i
			}
		}
		if worst <= f.tolerance {
			f.add(p[len(p)-1], c[1].sub(c[0]), c[2].sub(c[3]))
			return
		}
		if worst > 16*f.tolerance {
			break
		}
		for i, q := range p {
			u[i] = c.nearer(q, u[i])
		}
	}
	split = min(max(split, 1), len(p)-2)
	t := unit(p[split-1].sub(p[split+1]))
	f.fit(a, a+split, ta, t)
	f.fit(a+split, b, t.mul(-1), tb)
}

func (f *fitter) add(to, out, in Point) {
	f.nodes[len(f.nodes)-1].Out = [2]float64{out.X, out.Y}
	f.nodes = append(f.nodes, Node{X: to.X, Y: to.Y, In: [2]float64{in.X, in.Y}})
}

type cubic [4]Point

func (c cubic) at(t float64) Point {
	s := 1 - t
	return c[0].mul(s * s * s).add(c[1].mul(3 * s * s * t)).add(c[2].mul(3 * s * t * t)).
		add(c[3].mul(t * t * t))
}

// nearer returns a parameter nearer to q by one step of Newton's.
func (c cubic) nearer(q Point, t float64) float64 {
	s := 1 - t
	d1 := c[1].sub(c[0]).mul(3 * s * s).add(c[2].sub(c[1]).mul(6 * s * t)).
		add(c[3].sub(c[2]).mul(3 * t * t))
	d2 := c[2].sub(c[1].mul(2)).add(c[0]).mul(6 * s).add(c[3].sub(c[2].mul(2)).add(c[1]).mul(6 * t))
	e := c.at(t).sub(q)
	num := e.X*d1.X + e.Y*d1.Y
	den := d1.X*d1.X + d1.Y*d1.Y + e.X*d2.X + e.Y*d2.Y
	if math.Abs(den) < 1e-12 {
		return t
	}
	return math.Min(math.Max(t-num/den, 0), 1)
}

// bezier fits the lengths of the two arms by least squares.
func bezier(p []Point, u []float64, ta, tb Point) cubic {
	a, b := p[0], p[len(p)-1]
	var c00, c01, c11, x0, x1 float64
	for i, q := range p {
		t, s := u[i], 1-u[i]
		b1, b2 := 3*s*s*t, 3*s*t*t
		v0, v1 := ta.mul(b1), tb.mul(b2)
		c00 += v0.X*v0.X + v0.Y*v0.Y
		c01 += v0.X*v1.X + v0.Y*v1.Y
		c11 += v1.X*v1.X + v1.Y*v1.Y
		e := q.sub(a.mul(s*s*s + b1)).sub(b.mul(t*t*t + b2))
		x0 += v0.X*e.X + v0.Y*e.Y
		x1 += v1.X*e.X + v1.Y*e.Y
	}
	l := a.dist(b)
	det := c00*c11 - c01*c01
	la, lb := l/3, l/3
	if math.Abs(det) > 1e-12 {
		la, lb = (x0*c11-x1*c01)/det, (c00*x1-c01*x0)/det
	}
	if least := 1e-6 * l; la < least || lb < least {
		la, lb = l/3, l/3 // Wu and Barsky's way out
	}
	return cubic{a, a.add(ta.mul(la)), b.add(tb.mul(lb)), b}
}
