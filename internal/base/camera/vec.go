// Package camera is the geometry of what a photo shows: a camera, a floor, upright walls and level
// platforms.
//
// The camera is found from the four corners of a rectangle on the floor, whose sides vanish in two
// points of the horizon, or from the horizon alone. It stands one unit over the floor; all lengths
// are in that unit. A place on the floor is where the ray of a pixel meets it, and what stands
// there is taken to be on its card: the upright plane through its foot that faces the camera.
package camera

import "math"

// Vec is a place or a direction: X to the right, Y down, Z ahead, as the camera sees it. The unit
// is the height of the camera over the floor.
type Vec struct{ X, Y, Z float64 }

// Add returns v + w.
func (v Vec) Add(w Vec) Vec { return Vec{v.X + w.X, v.Y + w.Y, v.Z + w.Z} }

// Sub returns v - w.
func (v Vec) Sub(w Vec) Vec { return Vec{v.X - w.X, v.Y - w.Y, v.Z - w.Z} }

// Mul returns v times k.
func (v Vec) Mul(k float64) Vec { return Vec{v.X * k, v.Y * k, v.Z * k} }

// Dot returns the scalar product.
func (v Vec) Dot(w Vec) float64 { return v.X*w.X + v.Y*w.Y + v.Z*w.Z }

// Cross returns the vector product.
func (v Vec) Cross(w Vec) Vec {
	return Vec{v.Y*w.Z - v.Z*w.Y, v.Z*w.X - v.X*w.Z, v.X*w.Y - v.Y*w.X}
}

// Len returns the length.
func (v Vec) Len() float64 { return math.Sqrt(v.Dot(v)) }

// Unit returns v at length 1; of nothing, nothing.
func (v Vec) Unit() Vec {
	if l := v.Len(); l > 0 {
		return v.Mul(1 / l)
	}
	return v
}

// Off returns what of v is square to the unit vector n.
func (v Vec) Off(n Vec) Vec { return v.Sub(n.Mul(v.Dot(n))) }
