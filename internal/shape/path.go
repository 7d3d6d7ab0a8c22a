// Package shape holds the traced shapes of a light as geometry: closed
// outlines of straight and bent sides, and tubes, which are centre lines with
// a width. It flattens them to polygons and rasterises those with exact-area
// antialiasing.
package shape

import "math"

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
type Node struct {
	X   float64    `json:"x"`
	Y   float64    `json:"y"`
	In  [2]float64 `json:"in,omitzero"`
	Out [2]float64 `json:"out,omitzero"`
}

// Kind says how a path's nodes make an area.
type Kind string

// The kinds of traced shape.
const (
	Outline Kind = "outline" // the area inside a closed curve
	Tube    Kind = "tube"    // all within half a width of a centre line
)

// Shape is one traced shape, in pixels of the photo.
type Shape struct {
	Kind   Kind    `json:"kind"`
	Away   bool    `json:"away,omitempty"`   // taken away from the light's other shapes
	Nodes  []Node  `json:"nodes"`            // at least 3 for an outline, 2 for a tube
	Width  float64 `json:"width,omitempty"`  // of a tube, in pixels
	Closed bool    `json:"closed,omitempty"` // a tube that ends where it began
}

// tolerance is how far, in pixels of the picture being made, a flattened curve
// may stray from the true one: well below what 8-bit coverage can show.
const tolerance = 0.01

// centre returns the flattened path of s at a scale, without repeating the
// first point of a closed one.
func (s *Shape) centre(scale float64) []Point {
	n := len(s.Nodes)
	if n == 0 {
		return nil
	}
	closed := s.Kind == Outline || s.Closed
	at := func(nd Node) Point { return Point{nd.X * scale, nd.Y * scale} }
	pts := []Point{at(s.Nodes[0])}
	for i := range n {
		if i == n-1 && !closed {
			break
		}
		a, b := s.Nodes[i], s.Nodes[(i+1)%n]
		p0, p3 := at(a), at(b)
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
			if t := float64(k) / float64(steps); k == steps {
				pts = append(pts, p3)
			} else {
				q0, q1, q2 := p0.mix(p1, t), p1.mix(p2, t), p2.mix(p3, t)
				pts = append(pts, q0.mix(q1, t).mix(q1.mix(q2, t), t))
			}
		}
	}
	out := pts[:1]
	for _, p := range pts[1:] {
		if p.dist(out[len(out)-1]) > 1e-6 {
			out = append(out, p)
		}
	}
	if closed && len(out) > 1 && out[0].dist(out[len(out)-1]) <= 1e-6 {
		out = out[:len(out)-1]
	}
	return out
}

// polygons returns the closed polygons whose non-zero winding area is the
// shape, all with the same sense of rotation, so that those of several shapes
// unite.
func (s *Shape) polygons(scale float64) [][]Point {
	c := s.centre(scale)
	if s.Kind == Outline {
		if len(c) < 3 {
			return nil
		}
		return [][]Point{orient(c, true)}
	}
	h := s.Width * scale / 2
	if len(c) == 0 || h <= 0 {
		return nil
	}
	if len(c) == 1 {
		return [][]Point{orient(arc(nil, c[0], h, 0, 2*math.Pi), true)}
	}
	if s.Closed && len(c) > 2 {
		// The side away from the middle bounds the tube, the other the hole.
		c = orient(c, true)
		outer, inner := side(c, h, true), side(c, -h, true)
		if area(inner) <= 0 { // the tube is wider than the space inside it
			return [][]Point{outer}
		}
		for i, j := 0, len(inner)-1; i < j; i, j = i+1, j-1 {
			inner[i], inner[j] = inner[j], inner[i]
		}
		return [][]Point{outer, inner}
	}
	p := side(c, h, false)
	n := len(c)
	p = capEnd(p, c[n-1], c[n-2], h)
	back := make([]Point, n)
	for i := range c {
		back[n-1-i] = c[i]
	}
	p = append(p, side(back, h, false)...)
	p = capEnd(p, c[0], c[1], h)
	return [][]Point{orient(p, true)}
}

// side returns the line at distance h to the right of c as one walks it with y
// down (to the outside of a loop that orient made positive), with round outer
// joins. A negative h gives the other side.
func side(c []Point, h float64, closed bool) []Point {
	n := len(c)
	segs := n - 1
	if closed {
		segs = n
	}
	normal := func(i int) Point {
		a, b := c[i%n], c[(i+1)%n]
		l := a.dist(b)
		return Point{(b.Y - a.Y) / l, -(b.X - a.X) / l}
	}
	var out []Point
	for i := range segs {
		if i > 0 || closed {
			join(&out, c[i], normal((i+segs-1)%segs), normal(i), h,
				math.Min(c[(i+n-1)%n].dist(c[i]), c[i].dist(c[(i+1)%n])))
		} else {
			out = append(out, c[0].add(normal(0).mul(h)))
		}
	}
	if !closed {
		out = append(out, c[n-1].add(normal(segs-1).mul(h)))
	}
	return out
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

// capEnd adds the half circle round the end of a tube; from is the point before it.
func capEnd(out []Point, end, from Point, h float64) []Point {
	d := end.sub(from)
	a := math.Atan2(-d.X, d.Y)
	return arc(out, end, h, a, a+math.Pi)
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

// Length returns the length of the shape's line in pixels of the photo: the
// perimeter of an outline, the centre line of a tube.
func (s *Shape) Length() (l float64) {
	c := s.centre(1)
	for i := 1; i < len(c); i++ {
		l += c[i].dist(c[i-1])
	}
	if len(c) > 1 && (s.Kind == Outline || s.Closed) {
		l += c[0].dist(c[len(c)-1])
	}
	return
}

// Area returns the area in square pixels of the photo that the polygons of s
// enclose; overlapping parts of one shape count twice.
func (s *Shape) Area() (a float64) {
	for _, p := range s.polygons(1) {
		a += area(p) / 2
	}
	return math.Abs(a)
}
