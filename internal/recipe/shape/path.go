// Package shape holds the traced shapes of a light as geometry: closed
// outlines of straight and bent sides, and tubes, which are centre lines with
// a width. It flattens them to polygons and rasterises those with exact-area
// antialiasing.
//
// Each kind of shape is a type of its own file, listed in Kinds.
package shape

import (
	"encoding/binary"
	"math"

	"pyrant/internal/recipe/setting"
)

// Point is a position in pixels of the photo, or after scaling in pixels of a
// scaled picture; (0, 0) is the upper left corner of the upper left pixel.
type Point struct{ X, Y float64 }

func (p Point) add(q Point) Point            { return Point{p.X + q.X, p.Y + q.Y} }
func (p Point) sub(q Point) Point            { return Point{p.X - q.X, p.Y - q.Y} }
func (p Point) mul(k float64) Point          { return Point{p.X * k, p.Y * k} }
func (p Point) mix(q Point, t float64) Point { return p.add(q.sub(p).mul(t)) }
func (p Point) dist(q Point) float64         { return math.Hypot(p.X-q.X, p.Y-q.Y) }

// Node is a point of a path with the offsets of its two handles; a corner has
// zero offsets. Between two nodes runs the cubic Bézier curve over a, a+a.Out,
// b+b.In, b, which is a straight line when both offsets are zero.
//
// Shapes may lie outside of the frame and shine into it, but not so far that their
// light could not be told from none.
type Node struct {
	X   float64    `json:"x" label:"X" unit:"px" range:"-W..2W" doc:"from the left edge"`
	Y   float64    `json:"y" label:"Y" unit:"px" range:"-H..2H" doc:"from the top edge"`
	In  [2]float64 `json:"in,omitzero" label:"Handle before" unit:"px" range:"-W-H..W+H" doc:"offset of the handle towards the previous node; left out for a corner"`
	Out [2]float64 `json:"out,omitzero" label:"Handle after" unit:"px" range:"-W-H..W+H" doc:"offset of the handle towards the next node"`
}

// AppendBinary writes the node as a list does: its numbers in their order.
func (n Node) AppendBinary(b []byte) ([]byte, error) {
	for _, v := range [...]float64{n.X, n.Y, n.In[0], n.In[1], n.Out[0], n.Out[1]} {
		b = binary.LittleEndian.AppendUint64(b, math.Float64bits(v))
	}
	return b, nil
}

// Path is the nodes of a shape.
type Path = setting.List[Node]

// PathOf returns a path through nodes, which must not be changed any more.
func PathOf(nodes ...Node) Path { return setting.ListOf(nodes...) }

// shifted returns a path moved by (dx, dy) pixels of the photo.
func shifted(p Path, dx, dy float64) Path {
	nodes := append([]Node(nil), p.All()...)
	for i := range nodes {
		nodes[i].X += dx
		nodes[i].Y += dy
	}
	return PathOf(nodes...)
}

// tolerance is how far, in pixels of the picture being made, a flattened curve
// may stray from the true one: well below what 8-bit coverage can show.
const tolerance = 0.01

// flatten returns a path as a line of short pieces at a scale, without repeating
// the first point of a closed one.
func flatten(path Path, closed bool, scale float64) []Point {
	c, _ := flattenAt(path, closed, scale)
	return c
}

// flattenAt returns with each point of the line where it lies on the path: the index of the
// node before it, and how far it is on the way to the next.
func flattenAt(path Path, closed bool, scale float64) (out []Point, at []float64) {
	nodes := path.All()
	n := len(nodes)
	if n == 0 {
		return nil, nil
	}
	place := func(nd Node) Point { return Point{nd.X * scale, nd.Y * scale} }
	pts, ts := []Point{place(nodes[0])}, []float64{0}
	for i := range n {
		if i == n-1 && !closed {
			break
		}
		a, b := nodes[i], nodes[(i+1)%n]
		p0, p3 := place(a), place(b)
		p1 := p0.add(Point{a.Out[0], a.Out[1]}.mul(scale))
		p2 := p3.add(Point{b.In[0], b.In[1]}.mul(scale))
		// The number of steps that bounds the flattening error of a cubic by
		// its second differences (Wang 1984).
		d := math.Max(math.Hypot(p0.X-2*p1.X+p2.X, p0.Y-2*p1.Y+p2.Y),
			math.Hypot(p1.X-2*p2.X+p3.X, p1.Y-2*p2.Y+p3.Y))
		steps := 1
		if a.Out != [2]float64{} || b.In != [2]float64{} {
			steps = min(max(int(math.Ceil(math.Sqrt(0.75*d/tolerance))), 1), 400)
		}
		for k := 1; k <= steps; k++ {
			ts = append(ts, float64(i)+float64(k)/float64(steps))
			if t := float64(k) / float64(steps); k == steps {
				pts = append(pts, p3)
			} else {
				q0, q1, q2 := p0.mix(p1, t), p1.mix(p2, t), p2.mix(p3, t)
				pts = append(pts, q0.mix(q1, t).mix(q1.mix(q2, t), t))
			}
		}
	}
	out, at = pts[:1], ts[:1]
	for i, p := range pts[1:] {
		if p.dist(out[len(out)-1]) > 1e-6 {
			out, at = append(out, p), append(at, ts[i+1])
		}
	}
	if closed && len(out) > 1 && out[0].dist(out[len(out)-1]) <= 1e-6 {
		out, at = out[:len(out)-1], at[:len(at)-1]
	}
	return out, at
}

// side returns the line at distances h from the points of c, to the right of it as one
// walks it with y down (to the outside of a loop that orient made positive) or to the left,
// with round outer joins. Where the distance changes, the line touches the circles of both
// ends.
func side(c []Point, h []float64, right, closed bool) []Point {
	n := len(c)
	segs := n - 1
	if closed {
		segs = n
	}
	turn := 1.0
	if !right {
		turn = -1
	}
	normal := func(i int) Point {
		a, b := c[i%n], c[(i+1)%n]
		l := a.dist(b)
		sin, cos := tilt(h[i%n], h[(i+1)%n], l)
		d := Point{(b.X - a.X) / l, (b.Y - a.Y) / l}
		return Point{d.Y*cos + turn*d.X*sin, -d.X*cos + turn*d.Y*sin}
	}
	var out []Point
	for i := range segs {
		if i > 0 || closed {
			join(&out, c[i], normal((i+segs-1)%segs), normal(i), turn*h[i],
				math.Min(c[(i+n-1)%n].dist(c[i]), c[i].dist(c[(i+1)%n])))
		} else {
			out = append(out, c[0].add(normal(0).mul(turn*h[0])))
		}
	}
	if !closed {
		out = append(out, c[n-1].add(normal(segs-1).mul(turn*h[n-1])))
	}
	return out
}

// tilt returns sine and cosine of the angle by which the line that touches two circles, l
// apart, is turned from the line through their middles.
func tilt(from, to, l float64) (sin, cos float64) {
	sin = math.Max(math.Min((from-to)/l, 0.98), -0.98)
	return sin, math.Sqrt(1 - sin*sin)
}

// join adds the offset points of the corner at p between segments with normals
// n0 and n1; room is the length of the shorter segment.
func join(out *[]Point, p, n0, n1 Point, h, room float64) {
	cross := n0.X*n1.Y - n0.Y*n1.X
	dot := n0.X*n1.X + n0.Y*n1.Y
	if cross*h >= 0 && dot < 0.9999 { // the outer side of the bend: an arc
		a0 := math.Atan2(n0.Y*h, n0.X*h)
		da := math.Atan2(cross, dot)
		*out = arc(*out, p, math.Abs(h), a0, a0+da)
		return
	}
	m := n0.add(n1)
	k := h / (1 + dot)
	if dot > -0.9 && math.Abs(k)*math.Hypot(m.X, m.Y) < room {
		*out = append(*out, p.add(m.mul(k))) // where the two offset lines meet
		return
	}
	// The offset lines do not meet within the segments: go through the corner
	// itself; the loops this leaves lie inside the tube.
	*out = append(*out, p.add(n0.mul(h)), p, p.add(n1.mul(h)))
}

// capEnd adds the round end of a tube of half width h; from is the point before it, and
// before the half width there.
func capEnd(out []Point, end, from Point, h, before float64) []Point {
	d := end.sub(from)
	a := math.Atan2(-d.X, d.Y)
	sin, _ := tilt(before, h, end.dist(from))
	by := math.Asin(sin)
	return arc(out, end, h, a+by, a+math.Pi-by)
}

func arc(out []Point, c Point, r, a0, a1 float64) []Point {
	step := 2 * math.Acos(math.Max(1-tolerance/math.Max(r, tolerance), -1))
	n := min(max(int(math.Ceil(math.Abs(a1-a0)/math.Max(step, 1e-3))), 2), 512)
	for i := range n + 1 {
		a := a0 + (a1-a0)*float64(i)/float64(n)
		out = append(out, Point{c.X + r*math.Cos(a), c.Y + r*math.Sin(a)})
	}
	return out
}

// area returns twice the signed area of a polygon.
func area(p []Point) (a float64) {
	for i, q := range p {
		r := p[(i+1)%len(p)]
		a += q.X*r.Y - r.X*q.Y
	}
	return
}

// orient returns p walked so that its signed area is positive, or negative.
func orient(p []Point, positive bool) []Point {
	if (area(p) > 0) == positive {
		return p
	}
	q := make([]Point, len(p))
	for i := range p {
		q[len(p)-1-i] = p[i]
	}
	return q
}

// length returns the length of a flattened line.
func length(c []Point, closed bool) (l float64) {
	for i := 1; i < len(c); i++ {
		l += c[i].dist(c[i-1])
	}
	if len(c) > 1 && closed {
		l += c[0].dist(c[len(c)-1])
	}
	return
}

// Flatten returns a path as a line of short pieces in pixels of the photo.
func Flatten(p Path, closed bool) []Point { return flatten(p, closed, 1) }
