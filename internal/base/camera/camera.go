package camera

import "math"

// Point is a place on the photo.
type Point struct {
	X float64 `json:"x" label:"X" unit:"px" range:"-W..2W"`
	Y float64 `json:"y" label:"Y" unit:"px" range:"-H..2H"`
}

// Camera is a pinhole camera with square pixels, whose axis meets the photo in its middle. The
// floor lies one unit below it: the places P with P·Up = -1.
type Camera struct {
	CX, CY float64 // the middle, in pixels of the photo
	F      float64 // focal length in pixels
	Up     Vec     // unit vector
}

// Usual is the field of view across the photo that is taken where nothing tells of another, in
// degrees, and UsualSpread how far the logarithm of a focal length strays from it.
const (
	Usual       = 53
	UsualSpread = 0.2
)

// FocalOf returns the focal length in pixels of a field of view in degrees across a width.
func FocalOf(view, width float64) float64 { return width / 2 / math.Tan(view*math.Pi/360) }

// ViewOf returns the field of view in degrees of a focal length.
func ViewOf(focal, width float64) float64 { return math.Atan(width/2/focal) * 360 / math.Pi }

// line is a line of the photo, or a point, in homogeneous numbers.
type line = Vec

func through(a, b [2]float64) line { return Vec{a[0], a[1], 1}.Cross(Vec{b[0], b[1], 1}) }

// vanishing returns the two points, relative to the middle, where opposite sides of a quadrangle
// meet; one whose Z is 0 lies at infinity.
func vanishing(c *[4][2]float64) (a, b Vec) {
	a = through(c[0], c[1]).Cross(through(c[3], c[2]))
	b = through(c[1], c[2]).Cross(through(c[0], c[3]))
	return a, b
}

// square returns the square of the focal length at which the sides of the rectangle are at right
// angles; false where the photo does not tell.
func square(c *[4][2]float64) (f2 float64, ok bool) {
	a, b := vanishing(c)
	w := a.Z * b.Z
	f2 = -(a.X*b.X + a.Y*b.Y)
	if math.Abs(w) < 1e-12*(math.Abs(f2)+1) {
		return 0, false
	}
	f2 /= w
	return f2, f2 > 1e-3 && !math.IsInf(f2, 0)
}

// Crossing returns which corner keeps four points from going round once, without a fold: -1 for
// none.
func Crossing(c [4]Point) int {
	var turn [4]float64
	left := 0
	for i := range c {
		a, b, d := c[(i+3)%4], c[i], c[(i+1)%4]
		turn[i] = (b.X-a.X)*(d.Y-b.Y) - (b.Y-a.Y)*(d.X-b.X)
		if turn[i] > 0 {
			left++
		}
	}
	for i, t := range turn {
		// The one that turns the other way than most; of two and two, as where sides cross, the
		// first.
		if t == 0 || left > 0 && left < 4 && (t > 0) == (left <= 2) {
			return i
		}
	}
	return -1
}

// Fit says how a camera was found.
type Fit struct {
	Focal float64 // what the corners alone imply, in pixels; 0 where they do not tell
	// by how much its logarithm is off where each corner is off by a thousandth of the width
	Spread float64
}

// Calibrate finds the camera of a photo of w by h pixels from the four corners of a rectangle on
// the floor, in order (after Criminisi, Reid and Zisserman 2000). The focal length is the mean, by
// how sure they are, of what the corners imply and of prior, whose logarithm is off by spread. With
// corners that do not tell prior is taken. It returns false where the corners make no rectangle
// that could lie on a floor; see Crossing.
func Calibrate(corners [4]Point, w, h, prior, spread float64) (Camera, Fit, bool) {
	cam := Camera{CX: w / 2, CY: h / 2, F: prior}
	// About the middle and by the width, so that no number is large.
	var c [4][2]float64
	for i, p := range corners {
		c[i] = [2]float64{(p.X - cam.CX) / w, (p.Y - cam.CY) / w}
	}
	var fit Fit
	if f2, ok := square(&c); ok {
		log := math.Log(f2) / 2
		const step = 1.0 / 1000
		for i := range c {
			for k := range 2 {
				d := c
				d[i][k] += step
				if g2, ok := square(&d); ok {
					fit.Spread += (math.Log(g2)/2 - log) * (math.Log(g2)/2 - log)
				} else {
					fit.Spread = math.Inf(1)
				}
			}
		}
		fit.Spread = math.Sqrt(fit.Spread)
		fit.Focal = math.Exp(log) * w
		if !math.IsInf(fit.Spread, 0) {
			a, b := 1/math.Max(fit.Spread*fit.Spread, 1e-9), 1/(spread*spread)
			cam.F = w * math.Exp((a*log+b*math.Log(prior/w))/(a+b))
		}
	} else {
		fit.Spread = math.Inf(1)
	}
	f := cam.F / w
	a, b := vanishing(&c)
	up := Vec{a.X, a.Y, a.Z * f}.Unit().Cross(Vec{b.X, b.Y, b.Z * f}.Unit())
	if up.Len() < 1e-6 {
		return cam, fit, false
	}
	up = up.Unit()
	if up.Y > 0 {
		up = up.Mul(-1)
	}
	cam.Up = up
	return cam, fit, up.Y < -1e-3
}

// Level returns the camera of a photo of w by h pixels that sees the horizon at the height y in its
// middle, turned by roll degrees clockwise, with a focal length of f.
func Level(w, h, y, roll, f float64) Camera {
	cam := Camera{CX: w / 2, CY: h / 2, F: f}
	s, c := math.Sincos(roll * math.Pi / 180)
	// The horizon is the line of all directions r with r·Up = 0: through (0, y) and along (c, s).
	cam.Up = Vec{0, y - cam.CY, f}.Cross(Vec{c, s, 0}).Unit()
	if cam.Up.Y > 0 {
		cam.Up = cam.Up.Mul(-1)
	}
	return cam
}

// Ray returns the direction in which a place of the photo is seen, with Z = 1.
func (c *Camera) Ray(x, y float64) Vec { return Vec{(x - c.CX) / c.F, (y - c.CY) / c.F, 1} }

// Project returns where a place is seen on the photo; false for one beside or behind the camera.
func (c *Camera) Project(p Vec) (x, y float64, ok bool) {
	if p.Z < 1e-6 {
		return 0, 0, false
	}
	return c.CX + c.F*p.X/p.Z, c.CY + c.F*p.Y/p.Z, true
}

// Floor returns the place of the floor that is seen at a point of the photo; false at and above the
// horizon.
func (c *Camera) Floor(x, y float64) (Vec, bool) {
	r := c.Ray(x, y)
	d := -r.Dot(c.Up)
	if d < 1e-4*r.Len() {
		return Vec{}, false
	}
	return r.Mul(1 / d), true
}

// Horizon returns the height at which the horizon is seen in a column of the photo.
func (c *Camera) Horizon(x float64) float64 {
	if c.Up.Y == 0 {
		return math.Inf(-1)
	}
	return c.CY - (c.Up.Z*c.F+c.Up.X*(x-c.CX))/c.Up.Y
}

// Level returns what of a direction is level, at length 1.
func (c *Camera) Level(v Vec) Vec { return v.Off(c.Up).Unit() }

// Square returns the corners of a square on the floor in the lower part of a photo of w by h
// pixels, as large as it is well seen, with sides that go by degrees to the right of straight
// ahead; false where no floor is seen.
func (c *Camera) Square(heading, w, h float64) (corners [4]Point, ok bool) {
	top, low := c.Horizon(w/2), 0.95*h
	if top > 0.8*h || math.IsInf(top, 0) {
		return corners, false
	}
	mid, ok := c.Floor(w/2, low-0.4*(low-math.Max(top, 0)))
	if !ok {
		return corners, false
	}
	ahead := c.Level(Vec{Z: 1})
	right := ahead.Cross(c.Up)
	if right.X < 0 {
		right = right.Mul(-1)
	}
	s, k := math.Sincos(heading * math.Pi / 180)
	a, b := ahead.Mul(k).Add(right.Mul(s)), right.Mul(k).Sub(ahead.Mul(s))
	for half := mid.Len(); half > 0.02*mid.Len(); half *= 0.95 {
		seen := true
		for i, q := range [4][2]float64{{-1, -1}, {1, -1}, {1, 1}, {-1, 1}} {
			x, y, before := c.Project(mid.Add(a.Mul(q[1] * half)).Add(b.Mul(q[0] * half)))
			seen = seen && before && x > 0.02*w && x < 0.98*w && y < low
			corners[i] = Point{x, y}
		}
		if seen {
			return corners, true
		}
	}
	return corners, false
}
