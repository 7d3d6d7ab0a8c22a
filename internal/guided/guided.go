// Package guided holds the guided filter (He, Sun and Tang 2013): it smooths one plane
// while it keeps the edges of another, the guide.
//
// What the filter makes of a place is A·I + B, with I the guide there. A and B are smooth,
// so that a coarse grid of them serves a picture at every scale (the fast guided filter of
// He and Sun 2015).
package guided

import (
	"image"
	"math"

	"pyrant/internal/raster"
)

// Filter is the coefficients of a filter over a picture.
type Filter struct{ A, B *raster.Plane }

// Bytes returns the memory that the filter takes.
func (f *Filter) Bytes() int64 { return f.A.Bytes() + f.B.Bytes() }

// New filters the plane in by the edges of guide, a plane over the same rectangle, with
// windows of radius pixels to each side. Edges of the guide are kept from a variance of
// edge on.
func New(in, guide *raster.Plane, radius int, edge float32) *Filter {
	n := len(in.Pix)
	sq, mixed := raster.NewPlane(in.Rect), raster.NewPlane(in.Rect)
	for i, v := range guide.Pix {
		sq.Pix[i], mixed.Pix[i] = v*v, v*in.Pix[i]
	}
	meanI, meanP, meanSq, meanMixed := box(guide, radius), box(in, radius), box(sq, radius), box(mixed, radius)
	a, b := raster.NewPlane(in.Rect), raster.NewPlane(in.Rect)
	for i := range n {
		m := meanI.Pix[i]
		a.Pix[i] = (meanMixed.Pix[i] - m*meanP.Pix[i]) / (max(meanSq.Pix[i]-m*m, 0) + edge)
		b.Pix[i] = meanP.Pix[i] - a.Pix[i]*m
	}
	return &Filter{box(a, radius), box(b, radius)}
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

// Row writes the coefficients for row y, from column x0 on, of a picture over frame.
func (f *Filter) Row(a, b []float32, frame image.Rectangle, x0, y int) {
	w, h := f.A.Rect.Dx(), f.A.Rect.Dy()
	kx, ky := float64(w)/float64(frame.Dx()), float64(h)/float64(frame.Dy())
	place := func(v float64, n int) (int, int, float32) {
		v = math.Min(math.Max(v, 0), float64(n-1))
		i := int(v)
		return i, min(i+1, n-1), float32(v - float64(i))
	}
	y0, y1, fy := place((float64(y)+0.5)*ky-0.5, h)
	a0, a1, b0, b1 := f.A.Pix[y0*w:(y0+1)*w], f.A.Pix[y1*w:(y1+1)*w], f.B.Pix[y0*w:(y0+1)*w], f.B.Pix[y1*w:(y1+1)*w]
	for i := range a {
		l, r, fx := place((float64(x0+i)+0.5)*kx-0.5, w)
		al, ar := a0[l]+(a1[l]-a0[l])*fy, a0[r]+(a1[r]-a0[r])*fy
		bl, br := b0[l]+(b1[l]-b0[l])*fy, b0[r]+(b1[r]-b0[r])*fy
		a[i], b[i] = al+(ar-al)*fx, bl+(br-bl)*fx
	}
}
