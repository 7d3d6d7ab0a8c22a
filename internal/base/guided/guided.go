// Package guided holds the guided filter (He, Sun and Tang 2013): it smooths one plane
// while it keeps the edges of another, the guide.
//
// What the filter makes of a place is A·I + B, with I the guide there. A and B are smooth,
// so that a coarse grid of them serves a picture at every scale (the fast guided filter of
// He and Sun 2015).
package guided

import (
	"context"
	"image"
	"math"

	"pyrant/internal/base/raster"
)

// Filter is the coefficients of a filter over a picture.
type Filter struct{ A, B *raster.Plane }

// Bytes returns the memory that the filter takes.
func (f *Filter) Bytes() int64 { return f.A.Bytes() + f.B.Bytes() }

// New filters the plane in by the edges of guide, a plane over the same rectangle, with
// windows of radius pixels to each side. Edges of the guide are kept from a variance of
// edge on. It stops and returns ctx's error when ctx is done.
func New(ctx context.Context, in, guide *raster.Plane, radius int, edge float32) (*Filter, error) {
	w := in.Rect.Dx()
	each := func(work func(from, to int)) error {
		return raster.Rows(ctx, 0, in.Rect.Dy(), func(y0, y1 int) { work(y0*w, y1*w) })
	}
	var err error
	mean := func(p *raster.Plane) *raster.Plane {
		if err == nil {
			p, err = raster.Means(ctx, p, radius)
		}
		return p
	}
	sq, mixed := raster.NewPlane(in.Rect), raster.NewPlane(in.Rect)
	err = each(func(from, to int) {
		p := in.Pix[from:to]
		for i, v := range guide.Pix[from:to] {
			sq.Pix[from+i], mixed.Pix[from+i] = v*v, v*p[i]
		}
	})
	meanI, meanP, meanSq, meanMixed := mean(guide), mean(in), mean(sq), mean(mixed)
	if err != nil {
		return nil, err
	}
	a, b := raster.NewPlane(in.Rect), raster.NewPlane(in.Rect)
	err = each(func(from, to int) {
		for i := from; i < to; i++ {
			m := meanI.Pix[i]
			k := (meanMixed.Pix[i] - m*meanP.Pix[i]) / (max(meanSq.Pix[i]-m*m, 0) + edge)
			a.Pix[i], b.Pix[i] = k, meanP.Pix[i]-k*m
		}
	})
	return &Filter{mean(a), mean(b)}, err
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
	a0, a1, b0, b1 := f.A.Pix[y0*w:(y0+1)*w], f.A.Pix[y1*w:(y1+1)*w], f.B.Pix[y0*w:(y0+1)*w],
		f.B.Pix[y1*w:(y1+1)*w]
	for i := range a {
		l, r, fx := place((float64(x0+i)+0.5)*kx-0.5, w)
		al, ar := a0[l]+(a1[l]-a0[l])*fy, a0[r]+(a1[r]-a0[r])*fy
		bl, br := b0[l]+(b1[l]-b0[l])*fy, b0[r]+(b1[r]-b0[r])*fy
		a[i], b[i] = al+(ar-al)*fx, bl+(br-bl)*fx
	}
}
