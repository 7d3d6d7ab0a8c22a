// Package rays draws the rays, halo and veil that a lens gives to points of light.
//
// A ray of length l goes from the middle of its point. At u along it and v across it shines
//
//	(1 - u/l)² · exp(-v²/2w²),  w = Thick/2 · (1 - Taper·u/l)
//
// so that all of it gives √(2π)·Thick/2·l·(1/3 - Taper/12). Where w is less than a pixel of the
// picture shows, the ray is as wide as that and as much fainter: it gives the same light at every
// scale. The veil is the light between the rays, Veil·(1 - d/l)³ at a distance d, and the halo is
// Halo·exp(-d²/2h²) with h a share of the length.
package rays

import (
	"context"
	"image"
	"math"
	"math/rand/v2"

	"pyrant/internal/base/raster"
)

// Star is the form of rays. Lengths are in pixels of the photo.
type Star struct {
	Count         int
	Length, Thick float64
	Taper         float64 // from 0 to 1
	Turn          float64 // degrees, clockwise, of the first ray from pointing to the right
	Halo          float64 // in its middle, of what a ray is at its beginning
	HaloSize      float64 // deviation, of the length
	Veil          float64
	Lengths       float64 // how much shorter rays may be, from 0 to 1
	Angles        float64 // how far they may stand off, of half the way to the next, from 0 to 1
	Seed          int     // of both
	Spread        float64 // how much longer red rays are than blue ones, of the length
	Squeeze       float64 // how much less high than wide all of it is, from 0 to 1
	Slant         float64 // degrees, clockwise, of its wide side from level
}

// Point is a point of light: where it is, how long its rays are against the star's, and what it
// gives of each colour.
type Point struct {
	X, Y   float64
	Size   float64
	Colour [3]float32
	Cuts   []Cut
}

// Cut is a ray that ends at a share of its length.
type Cut struct {
	Ray int
	At  float64
}

// Ray is one ray of a star: its direction in radians, clockwise from pointing to the right, and its
// length against the star's.
type Ray struct{ Angle, Length float64 }

// Blades returns how many rays an aperture of so many straight blades gives: each edge gives two,
// and those of opposite edges fall together.
func Blades(n int) int {
	if n%2 == 1 {
		return 2 * n
	}
	return n
}

// Rays returns the rays of the star.
func (s *Star) Rays() []Ray {
	out := make([]Ray, s.Count)
	r := rand.New(rand.NewPCG(uint64(s.Seed), 0x7261797))
	for i := range out {
		// Drawn in any case, so that one setting does not change what another makes of the seed.
		short, off := r.Float64(), 2*r.Float64()-1
		step := 2 * math.Pi / float64(s.Count)
		a := s.Turn*math.Pi/180 + step*(float64(i)+0.5*s.Angles*off)
		out[i] = Ray{a, 1 - s.Lengths*short}
		if s.Squeeze != 0 {
			x, y := s.squeezed(math.Cos(a), math.Sin(a), 1-s.Squeeze)
			out[i] = Ray{math.Atan2(y, x), out[i].Length * math.Hypot(x, y)}
		}
	}
	return out
}

// squeezed returns a vector with what of it is across the wide side times k.
func (s *Star) squeezed(x, y, k float64) (u, v float64) {
	if s.Squeeze == 0 {
		return x, y
	}
	sin, cos := math.Sincos(s.Slant * math.Pi / 180)
	a, b := x*cos+y*sin, (y*cos-x*sin)*k
	return a*cos - b*sin, a*sin + b*cos
}

// Nearest returns the ray that passes nearest to a place, of all points, and at which share of its
// whole length that is; ok is false where none passes within a distance.
func (s *Star) Nearest(points []Point, x, y, within float64) (point, ray int, at float64, ok bool) {
	list := s.Rays()
	for i := range points {
		p := &points[i]
		for k, r := range list {
			long := s.Length * p.Size * r.Length
			sin, cos := math.Sincos(r.Angle)
			u, v := (x-p.X)*cos+(y-p.Y)*sin, math.Abs((y-p.Y)*cos-(x-p.X)*sin)
			if long <= 0 || u <= 0 || u > long+within {
				continue
			}
			if d := math.Hypot(v, math.Max(u-long, 0)); d <= within {
				point, ray, at, ok, within = i, k, math.Min(u/long, 1), true, d
			}
		}
	}
	return
}

// pixel is the deviation of what a pixel shows of something thin.
const pixel = 0.4

// reach is how many deviations of a ray are drawn to each side.
const reach = 3.5

// channels is by how much of Spread each colour is longer.
var channels = [3]float64{0.5, 0, -0.5}

// Bounds returns how far a point's light goes at most, in pixels of the photo.
func (s *Star) Bounds(p *Point) float64 {
	l := s.Length * p.Size * (1 + math.Max(s.Spread, 0)/2)
	return math.Max(l+reach*s.Thick*p.Size, 4*s.HaloSize*s.Length*p.Size)
}

// Draw adds up the light of points over a part of the picture at a scale.
func (s *Star) Draw(ctx context.Context, points []Point, scale float64,
	part image.Rectangle) (*raster.RGB, error) {
	out := raster.NewRGB(part)
	rays := s.Rays()
	err := raster.Rows(ctx, part.Min.Y, part.Max.Y, func(y0, y1 int) {
		band := image.Rect(part.Min.X, y0, part.Max.X, y1)
		d := drawer{star: s, out: out, band: band, scale: scale}
		for i := range points {
			if ctx.Err() != nil {
				return
			}
			p := &points[i]
			b := s.Bounds(p)*scale + 2
			if (p.Y+0.5)*scale+b < float64(y0) || p.Y*scale-b > float64(y1) ||
				(p.X+0.5)*scale+b < float64(part.Min.X) || p.X*scale-b > float64(part.Max.X) {
				continue
			}
			d.round(p)
			for k, r := range rays {
				for _, c := range p.Cuts {
					if c.Ray == k {
						r.Length *= c.At
					}
				}
				d.ray(p, r)
			}
		}
	})
	return out, err
}

// drawer draws into some rows.
type drawer struct {
	star  *Star
	out   *raster.RGB
	band  image.Rectangle
	scale float64
}

// ray draws one ray of a point.
func (d *drawer) ray(p *Point, r Ray) {
	s := d.star
	x, y := p.X*d.scale, p.Y*d.scale
	var long [3]float64
	most := 0.0
	for c, k := range channels {
		long[c] = s.Length * p.Size * r.Length * (1 + k*s.Spread) * d.scale
		most = math.Max(most, long[c])
	}
	half := s.Thick / 2 * p.Size * d.scale
	if most <= 0 || half <= 0 {
		return
	}
	sin, cos := math.Sincos(r.Angle)
	wide := reach*math.Hypot(half, pixel) + 1
	x1, y1 := x+cos*most, y+sin*most
	box := image.Rect(int(math.Floor(math.Min(x, x1)-wide)), int(math.Floor(math.Min(y, y1)-wide)),
		int(math.Ceil(math.Max(x, x1)+wide)),
		int(math.Ceil(math.Max(y, y1)+wide))).Intersect(d.band)
	for j := box.Min.Y; j < box.Max.Y; j++ {
		// The columns of this row that the strip covers: |v| <= wide.
		a, b := float64(box.Min.X), float64(box.Max.X)
		dy := float64(j) + 0.5 - y
		if math.Abs(sin) > 1e-9 {
			// v = dy·cos - dx·sin
			u0, u1 := x+(dy*cos-wide)/sin, x+(dy*cos+wide)/sin
			a, b = math.Max(a, math.Min(u0, u1)), math.Min(b, math.Max(u0, u1))
		} else if math.Abs(dy) > wide {
			continue
		}
		row := d.out.Row(j)
		for i := int(math.Floor(a)); i < int(math.Ceil(b)); i++ {
			if i < box.Min.X || i >= box.Max.X {
				continue
			}
			dx := float64(i) + 0.5 - x
			u, v := dx*cos+dy*sin, dy*cos-dx*sin
			if u <= -0.5 || u >= most {
				continue
			}
			// At its root a ray is covered by a part of the pixel.
			root := math.Min(u+0.5, 1)
			u = math.Max(u, 0)
			q := row[3*(i-d.out.Rect.Min.X):][:3]
			for c := range q {
				t := u / long[c]
				if t >= 1 {
					continue
				}
				w := half * (1 - s.Taper*t)
				blur := w*w + pixel*pixel
				q[c] += p.Colour[c] *
					float32(root*(1-t)*(1-t)*w/math.Sqrt(blur)*math.Exp(-v*v/(2*blur)))
			}
		}
	}
}

// round draws what of a point is the same to all sides.
func (d *drawer) round(p *Point) {
	s := d.star
	if s.Veil <= 0 && (s.Halo <= 0 || s.HaloSize <= 0) {
		return
	}
	x, y := p.X*d.scale, p.Y*d.scale
	l := s.Length * p.Size * d.scale
	h2 := math.Pow(s.HaloSize*l, 2) + pixel*pixel
	halo := s.Halo * (h2 - pixel*pixel) / h2 // of less than a pixel as much fainter
	b := math.Max(l*(1+math.Max(s.Spread, 0)/2), 4*math.Sqrt(h2))
	if s.Veil <= 0 {
		b = 4 * math.Sqrt(h2)
	}
	box := image.Rect(int(math.Floor(x-b)), int(math.Floor(y-b)), int(math.Ceil(x+b)),
		int(math.Ceil(y+b))).Intersect(d.band)
	if box.Empty() {
		return
	}
	// By the distance, from the middle to b.
	var shine [steps + 2][3]float32
	for k := range shine {
		dist := b * float64(k) / steps
		v := 0.0
		if halo > 0 && dist*dist < 16*h2 {
			v = halo * math.Exp(-dist*dist/(2*h2))
		}
		for c := range shine[k] {
			w := v
			if t := 1 - dist/(l*(1+channels[c]*s.Spread)); s.Veil > 0 && t > 0 {
				w += s.Veil * t * t * t
			}
			shine[k][c] = p.Colour[c] * float32(w)
		}
	}
	per := steps / b
	for j := box.Min.Y; j < box.Max.Y; j++ {
		row := d.out.Row(j)
		dy := float64(j) + 0.5 - y
		for i := box.Min.X; i < box.Max.X; i++ {
			dx, ey := s.squeezed(float64(i)+0.5-x, dy, 1/math.Max(1-s.Squeeze, 0.02))
			d2 := dx*dx + ey*ey
			if d2 >= b*b {
				continue
			}
			at := math.Sqrt(d2) * per
			k := int(at)
			f := float32(at - float64(k))
			u, v, q := &shine[k], &shine[k+1], row[3*(i-d.out.Rect.Min.X):][:3]
			q[0] += u[0] + (v[0]-u[0])*f
			q[1] += u[1] + (v[1]-u[1])*f
			q[2] += u[2] + (v[2]-u[2])*f
		}
	}
}

// steps is into how many steps the way from a point to the end of its halo and veil is divided.
const steps = 160

// Lay adds a picture of a star round each point to out, which is a part of the picture at a scale:
// at gives its light at a place from its middle, in units of the star's length and turned as it is,
// for pixels of that size.
func (s *Star) Lay(ctx context.Context, out *raster.RGB, points []Point, scale float64,
	at func(x, y, pixel float64) [3]float32) error {
	sin, cos := math.Sincos(-s.Turn * math.Pi / 180)
	return raster.Rows(ctx, out.Rect.Min.Y, out.Rect.Max.Y, func(y0, y1 int) {
		band := image.Rect(out.Rect.Min.X, y0, out.Rect.Max.X, y1)
		for i := range points {
			p := &points[i]
			x, y, l := p.X*scale, p.Y*scale, s.Length*p.Size*scale
			if l <= 0 {
				continue
			}
			box := image.Rect(int(math.Floor(x-l)), int(math.Floor(y-l)), int(math.Ceil(x+l)),
				int(math.Ceil(y+l))).Intersect(band)
			for j := box.Min.Y; j < box.Max.Y && ctx.Err() == nil; j++ {
				row := out.Row(j)
				for k := box.Min.X; k < box.Max.X; k++ {
					dx, dy := s.squeezed(float64(k)+0.5-x, float64(j)+0.5-y, 1/math.Max(1-s.Squeeze,
						0.02))
					u, v := dx*cos-dy*sin, dx*sin+dy*cos
					if u*u+v*v >= l*l {
						continue
					}
					c := at(u/l, v/l, 1/l)
					q := row[3*(k-out.Rect.Min.X):][:3]
					q[0] += p.Colour[0] * c[0]
					q[1] += p.Colour[1] * c[1]
					q[2] += p.Colour[2] * c[2]
				}
			}
		}
	})
}
