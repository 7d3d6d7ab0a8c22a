package camera

import "math"

// Plane is all P with P·N = D. N is a unit vector that points to where the camera is.
type Plane struct {
	N Vec
	D float64
}

// Hit returns how many times r goes to the plane; false where r does not meet it.
func (p Plane) Hit(r Vec) (float64, bool) {
	d := p.N.Dot(r)
	if math.Abs(d) < 1e-9*r.Len() {
		return 0, false
	}
	t := p.D / d
	return t, t > 0
}

// Side returns how far a place lies before the plane, below 0 behind.
func (p Plane) Side(v Vec) float64 { return p.N.Dot(v) - p.D }

// planeThrough returns the plane through a place, turned to the camera.
func planeThrough(at, n Vec) Plane {
	n = n.Unit()
	p := Plane{n, n.Dot(at)}
	if p.D > 0 { // the camera, at 0, lies behind it
		p.N, p.D = n.Mul(-1), -p.D
	}
	return p
}

// FloorPlane returns the floor.
func (c *Camera) FloorPlane() Plane { return Plane{c.Up, -1} }

// Ceiling returns the ceiling so high over the floor, in heights of the camera; false where that is
// not well above the camera.
func (c *Camera) Ceiling(high float64) (Plane, bool) {
	return Plane{c.Up.Mul(-1), 1 - high}, high >= 1.05
}

// Card returns the upright plane through a place that faces the camera: what stands there is seen
// as if it were on it.
func (c *Camera) Card(foot Vec) Plane { return planeThrough(foot, c.Level(foot)) }

// Upright returns the upright plane through two places; false where they lie one above the other,
// or in line with the camera.
func (c *Camera) Upright(a, b Vec) (Plane, bool) {
	n := c.Up.Cross(b.Sub(a))
	if n.Len() < 1e-6 {
		return Plane{}, false
	}
	p := planeThrough(a, n)
	return p, p.D < -1e-3*(1+a.Len())
}

// Above returns the place over a foot that is seen at a point of the photo, or nearest to it: where
// the ray meets the card of the foot.
func (c *Camera) Above(foot Vec, x, y float64) (Vec, bool) {
	r := c.Ray(x, y)
	t, ok := c.Card(foot).Hit(r)
	return r.Mul(t), ok
}

// Height returns how far a place lies over the floor.
func (c *Camera) Height(v Vec) float64 { return v.Dot(c.Up) + 1 }

// Drop returns the place of the floor under v.
func (c *Camera) Drop(v Vec) Vec { return v.Sub(c.Up.Mul(c.Height(v))) }

// Prism is a convex solid over a level polygon: a platform.
type Prism struct {
	Top    []Vec   // corners of its top, in order
	Planes []Plane // N outwards; a place is inside where all sides are below 0
	Faces  [][]Vec // corners of the top and of each side, as the planes have them
	Mid    Vec     // of a ball that holds it
	Round  float64 // its radius
}

// NewPrism returns the solid below a level convex polygon, so high. Planes and faces have the same
// order: the top, the sides, the bottom, which has no face.
func NewPrism(up Vec, top []Vec, high float64) *Prism {
	var mid Vec
	for _, p := range top {
		mid = mid.Add(p.Mul(1 / float64(len(top))))
	}
	s := &Prism{Top: top, Planes: []Plane{{up, up.Dot(mid)}}, Faces: [][]Vec{top}}
	for i, a := range top {
		b := top[(i+1)%len(top)]
		n := up.Cross(b.Sub(a)).Unit()
		if n.Dot(mid.Sub(a)) > 0 {
			n = n.Mul(-1)
		}
		down := up.Mul(-high)
		s.Planes = append(s.Planes, Plane{n, n.Dot(a)})
		s.Faces = append(s.Faces, []Vec{a, b, b.Add(down), a.Add(down)})
	}
	s.Planes = append(s.Planes, Plane{up.Mul(-1), -up.Dot(mid) + high})
	s.Mid = mid.Sub(up.Mul(high / 2))
	for _, f := range s.Faces {
		for _, v := range f {
			s.Round = math.Max(s.Round, v.Sub(s.Mid).Len())
		}
	}
	return s
}

// most is how many planes a prism has at the most: eight sides, top and bottom.
const most = 10

// Holds tells whether a place lies in the prism or over or under it.
func (s *Prism) Holds(v Vec) bool {
	for _, p := range s.Planes[1 : len(s.Planes)-1] {
		if p.Side(v) > 0 {
			return false
		}
	}
	return true
}

// Deep returns how deep within the prism the way from a over d comes, and where, as a share of the
// way; below 0 by how far it passes beside. Of the planes' distances the least counts, which is a
// concave function along the way: a plane by which it rises and one by which it falls bound it from
// above, until they meet on it. What passes farther away than margin is only said to: by how much
// is not worked out.
func (s *Prism) Deep(a, d Vec, margin float64) (deep, at float64) {
	// Inside distance of plane i at t: k_i + t·m_i.
	var k, m [most]float64
	n := len(s.Planes)
	up, down := 0, 0 // the planes that count at the beginning and at the end
	for i := range s.Planes {
		p := &s.Planes[i]
		k[i], m[i] = p.D-p.N.Dot(a), -p.N.Dot(d)
		if k[i] < -margin && k[i]+m[i] < -margin {
			return -2 * margin, 0
		}
		if k[i] < k[up] {
			up = i
		}
		if k[i]+m[i] < k[down]+m[down] {
			down = i
		}
	}
	if m[up] <= 0 {
		return k[up], 0
	}
	if m[down] >= 0 {
		return k[down] + m[down], 1
	}
	for range 2 * most {
		at = (k[down] - k[up]) / (m[up] - m[down])
		if deep = k[up] + at*m[up]; deep < -margin {
			return -2 * margin, 0
		}
		least, v := -1, deep-1e-12
		for i := range n {
			if w := k[i] + at*m[i]; w < v {
				v, least = w, i
			}
		}
		if least < 0 {
			break
		}
		if m[least] > 0 {
			up = least
		} else {
			down = least
		}
	}
	return s.edged(&k, &m), at
}

// opposite is the cosine between the normals of two planes from which on they have no edge in
// common.
const opposite = -0.99

// edged returns how deep a way is in the prism by how far it passes from where it sees the prism
// end: from the edge of a plane that it comes in by and one that it goes out by, of all the
// nearest. It lies inside k + t·m of each plane. By how far it comes from all planes at once, what
// is thin would hide less than what is thick.
func (s *Prism) edged(k, m *[most]float64) float64 {
	deep := math.Inf(1)
	for i := range s.Planes {
		if m[i] <= 0 {
			continue
		}
		in := &s.Planes[i].N
		for j := range s.Planes {
			if m[j] > 0 {
				continue
			}
			c := in.Dot(s.Planes[j].N)
			if c > opposite {
				deep = math.Min(deep,
					(k[j]*m[i]-k[i]*m[j])/math.Sqrt(m[i]*m[i]+m[j]*m[j]-2*m[i]*m[j]*c))
			}
		}
	}
	return deep
}
