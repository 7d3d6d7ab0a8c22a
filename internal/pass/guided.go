package pass

import (
	"math"

	"pyrant/internal/raster"
)

// Guide holds the coefficients of a guided filter (He, Sun and Tang 2013) of a picture
// by itself: what the filter leaves of a brightness I is A·I + B. They are smooth, so
// that a coarse grid of them serves the picture at every scale, as in the fast guided
// filter (He and Sun 2015).
type Guide struct{ A, B *raster.Plane }

// Bytes returns the memory that the guide takes.
func (g *Guide) Bytes() int64 { return g.A.Bytes() + g.B.Bytes() }

// guideEdge is the contrast of display values from which on an edge is kept, squared.
const guideEdge = 0.01

// NewGuide filters a plane of display brightness with windows of radius pixels to each
// side.
func NewGuide(p *raster.Plane, radius int) *Guide {
	mean := box(p, radius)
	sq := raster.NewPlane(p.Rect)
	for i, v := range p.Pix {
		sq.Pix[i] = v * v
	}
	sq = box(sq, radius)
	a, b := raster.NewPlane(p.Rect), raster.NewPlane(p.Rect)
	for i, m := range mean.Pix {
		v := max(sq.Pix[i]-m*m, 0)
		k := v / (v + guideEdge)
		a.Pix[i], b.Pix[i] = k, m*(1-k)
	}
	return &Guide{box(a, radius), box(b, radius)}
}

// box returns the means over windows of radius pixels to each side, as far as they lie
// in the plane.
func box(p *raster.Plane, radius int) *raster.Plane {
	w, h := p.Rect.Dx(), p.Rect.Dy()
	mid, out := raster.NewPlane(p.Rect), raster.NewPlane(p.Rect)
	pass := func(dst, src []float32, n, step int) {
		sum, count := 0.0, 0
		for i := 0; i < min(radius, n); i++ {
			sum += float64(src[i*step])
			count++
		}
		for i := range n {
			if j := i + radius; j < n {
				sum += float64(src[j*step])
				count++
			}
			if j := i - radius - 1; j >= 0 {
				sum -= float64(src[j*step])
				count--
			}
			dst[i*step] = float32(sum / float64(count))
		}
	}
	for y := range h {
		pass(mid.Pix[y*w:], p.Pix[y*w:], w, 1)
	}
	for x := range w {
		pass(out.Pix[x:], mid.Pix[x:], h, w)
	}
	return out
}

// row writes the coefficients for a row of a picture.
func (g *Guide) row(a, b []float32, at *rowSite) {
	w, h := g.A.Rect.Dx(), g.A.Rect.Dy()
	kx, ky := float64(w)/float64(at.frame.Dx()), float64(h)/float64(at.frame.Dy())
	place := func(v float64, n int) (int, int, float32) {
		v = math.Min(math.Max(v, 0), float64(n-1))
		i := int(v)
		return i, min(i+1, n-1), float32(v - float64(i))
	}
	y0, y1, fy := place((float64(at.y)+0.5)*ky-0.5, h)
	a0, a1, b0, b1 := g.A.Pix[y0*w:(y0+1)*w], g.A.Pix[y1*w:(y1+1)*w], g.B.Pix[y0*w:(y0+1)*w], g.B.Pix[y1*w:(y1+1)*w]
	for i := range a {
		l, r, f := place((float64(at.x0+i)+0.5)*kx-0.5, w)
		al, ar := a0[l]+(a1[l]-a0[l])*fy, a0[r]+(a1[r]-a0[r])*fy
		bl, br := b0[l]+(b1[l]-b0[l])*fy, b0[r]+(b1[r]-b0[r])*fy
		a[i], b[i] = al+(ar-al)*f, bl+(br-bl)*f
	}
}
