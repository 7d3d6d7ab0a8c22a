// Package raster holds the plain data structures that the light engine works
// on: rectangles of float32 samples, and the loops that walk them on all
// cores.
//
// As in the standard library's image package, a rectangle says where in a
// larger picture the samples lie, so that a part of a picture can be computed
// and put into the whole without a translation in between.
package raster

import (
	"cmp"
	"context"
	"image"
	"math"
	"runtime"
	"sync"
	"sync/atomic"

	"pyrant/internal/base/fault"
)

// Plane is a rectangle of single float32 samples, row by row.
// The sample at (x, y) is Pix[(y-Rect.Min.Y)*Rect.Dx()+(x-Rect.Min.X)].
type Plane struct {
	Rect image.Rectangle
	Pix  []float32
}

// NewPlane returns a plane of zeros over r.
func NewPlane(r image.Rectangle) *Plane {
	r = r.Canon()
	return &Plane{Rect: r, Pix: make([]float32, r.Dx()*r.Dy())}
}

// Row returns the samples of row y, the first of them at Rect.Min.X.
func (p *Plane) Row(y int) []float32 {
	w := p.Rect.Dx()
	i := (y - p.Rect.Min.Y) * w
	return p.Pix[i : i+w : i+w]
}

// At returns the sample at (x, y), and 0 outside the rectangle.
func (p *Plane) At(x, y int) float32 {
	if !(image.Pt(x, y).In(p.Rect)) {
		return 0
	}
	return p.Row(y)[x-p.Rect.Min.X]
}

// Max returns the largest sample, and 0 for an empty plane.
func (p *Plane) Max() float32 {
	var m float32
	for _, v := range p.Pix {
		if v > m {
			m = v
		}
	}
	return m
}

// Bytes returns the memory that the samples take.
func (p *Plane) Bytes() int64 { return int64(len(p.Pix)) * 4 }

// RGB is a rectangle of linear-light colours, three float32 samples a pixel,
// row by row.
type RGB struct {
	Rect image.Rectangle
	Pix  []float32
}

// NewRGB returns a black picture over r.
func NewRGB(r image.Rectangle) *RGB {
	r = r.Canon()
	return &RGB{Rect: r, Pix: make([]float32, 3*r.Dx()*r.Dy())}
}

// Row returns the samples of row y, three for each pixel, the first of them
// those of the pixel at Rect.Min.X.
func (p *RGB) Row(y int) []float32 {
	w := 3 * p.Rect.Dx()
	i := (y - p.Rect.Min.Y) * w
	return p.Pix[i : i+w : i+w]
}

// Bytes returns the memory that the samples take.
func (p *RGB) Bytes() int64 { return int64(len(p.Pix)) * 4 }

// bandRows is how many rows one unit of parallel work holds. It is fixed, not
// derived from the number of cores; the work of a row never depends on its
// band, so the result is the same for any number of cores in any case.
const bandRows = 16

// Rows calls work for bands of rows that together cover [y0, y1) once, on all
// cores, and returns when all are done. It stops early and returns ctx's error
// when ctx is done; bands that were not started are then left out. A panic of
// work ends all of it and is returned as a *fault.Panic.
func Rows(ctx context.Context, y0, y1 int, work func(y0, y1 int)) error {
	return bands(ctx, y0, y1, bandRows, work)
}

// bands does what Rows does, with bands of size rows.
func bands(ctx context.Context, y0, y1, size int, work func(y0, y1 int)) error {
	n := (y1 - y0 + size - 1) / size
	if n <= 0 {
		return ctx.Err()
	}
	procs := min(runtime.GOMAXPROCS(0), n)
	var next atomic.Int64
	var broken atomic.Pointer[error]
	run := func() {
		var err error
		defer func() {
			if err != nil {
				broken.CompareAndSwap(nil, &err)
			}
		}()
		defer fault.Catch(&err)
		for ctx.Err() == nil && broken.Load() == nil {
			i := int(next.Add(1)) - 1
			if i >= n {
				return
			}
			a := y0 + i*size
			work(a, min(a+size, y1))
		}
	}
	var wg sync.WaitGroup
	for range procs - 1 {
		wg.Go(run)
	}
	run()
	wg.Wait()
	if err := broken.Load(); err != nil {
		return *err
	}
	return ctx.Err()
}

// BoxRow adds to dst, for each output sample, the average of the source
// interval that it covers, times weight. src and dst hold n interleaved
// channels; output sample i covers the source from (x0+i)*step to
// (x0+i+1)*step, where the source starts at srcX and the picture that it is a
// part of ends at srcEnd. An interval that runs over the end is averaged over
// the part that there is.
//
// It is the exact area average in one direction (a box filter), which loses no
// light and so keeps a shrunken preview as bright as the whole.
func BoxRow(dst, src []float32, n, x0, srcX, srcEnd int, step float64, weight float32) {
	for i := 0; i < len(dst)/n; i++ {
		a, b, scale := BoxSpan(x0+i, srcEnd, step)
		d := dst[i*n : (i+1)*n : (i+1)*n]
		for j := int(a); j < srcEnd && float64(j) < b; j++ {
			cover := min(b, float64(j+1)) - max(a, float64(j))
			if cover <= 1e-9 {
				continue
			}
			w := float32(cover*scale) * weight
			s := src[(j-srcX)*n:]
			if n == 3 { // written out: every pixel of a smaller picture goes through here
				_ = s[2]
				d[0] += float32(s[0] * w)
				d[1] += float32(s[1] * w)
				d[2] += float32(s[2] * w)
				continue
			}
			for c := range d {
				d[c] += float32(s[c] * w)
			}
		}
	}
}

// BoxSpan returns the interval of the source that output sample i covers and
// one over its length.
func BoxSpan(i, srcEnd int, step float64) (a, b, scale float64) {
	a = min(float64(i)*step, float64(srcEnd)-1e-6)
	b = min(float64(i+1)*step, float64(srcEnd))
	return a, b, 1 / (b - a)
}

// Each calls work for the numbers below n, each by itself, spread over the cores as Rows
// does with bands of rows.
func Each(ctx context.Context, n int, work func(i int)) error {
	return bands(ctx, 0, n, 1, func(i, _ int) { work(i) })
}

// Try is Each for work that may fail: it returns the error of the first number that has one.
func Try(ctx context.Context, n int, work func(i int) error) error {
	errs := make([]error, n)
	err := Each(ctx, n, func(i int) { errs[i] = work(i) })
	return cmp.Or(append(errs, err)...)
}

// FloorDiv returns a divided by b > 0, rounded down: the number of the tile of size b that
// holds a.
func FloorDiv(a, b int) int {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

// Between writes the colour at a place between samples, by the four round it; at the rim by those
// that are there. It returns false, and writes nothing, for a place a pixel or more beyond them.
// Sample (x, y) lies at the place x, y.
func (p *RGB) Between(dst []float32, x, y float64) bool {
	i, j := int(math.Floor(x)), int(math.Floor(y))
	r := p.Rect
	if i < r.Min.X-1 || j < r.Min.Y-1 || i >= r.Max.X || j >= r.Max.Y {
		return false
	}
	u, v := float32(x-float64(i)), float32(y-float64(j))
	a, b := p.Row(max(j, r.Min.Y)), p.Row(min(j+1, r.Max.Y-1))
	k, l := 3*(max(i, r.Min.X)-r.Min.X), 3*(min(i+1, r.Max.X-1)-r.Min.X)
	dst = dst[:3:3]
	for c := range dst {
		dst[c] = (a[k+c]*(1-u)+a[l+c]*u)*(1-v) + (b[k+c]*(1-u)+b[l+c]*u)*v
	}
	return true
}
