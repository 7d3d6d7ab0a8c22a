package scribble

import (
	"context"
	"image"
	"math"

	"pyrant/internal/matte"
	"pyrant/internal/photo"
	"pyrant/internal/raster"
)

// Mask is a thing cut out with its soft edge: how far it covers each pixel, and its light there
// without that of what is behind it.
type Mask struct {
	Step  int             // pixels of the photo for each of the mask
	Rect  image.Rectangle // in pixels of the mask; beyond it nothing is covered
	Alpha []float32
	Light []float32 // linear, three values a pixel
}

// Band is how wide an edge is to both sides where nothing else is said, as a share of the photo's
// long edge: what lies within is a mixture of both sides on any photo.
const Band = 0.0006

// At returns the coverage at a place of the photo, bilinearly between the middles of pixels.
func (m *Mask) At(x, y float64) float64 {
	x, y = x/float64(m.Step)-0.5, y/float64(m.Step)-0.5
	u, v := math.Floor(x), math.Floor(y)
	at := func(dx, dy int) float64 {
		p := image.Pt(int(u)+dx, int(v)+dy)
		if !p.In(m.Rect) {
			return 0
		}
		return float64(m.Alpha[(p.Y-m.Rect.Min.Y)*m.Rect.Dx()+p.X-m.Rect.Min.X])
	}
	a, b := x-u, y-v
	return (1-b)*((1-a)*at(0, 0)+a*at(1, 0)) + b*((1-a)*at(0, 1)+a*at(1, 1))
}

// Soften gives a cut its soft edge, which lies within band pixels of the photo to both sides of it.
// What strokes say stays as it is.
func Soften(ctx context.Context, p *photo.Photo, c *Cut, strokes []Stroke, band float64) (*Mask, error) {
	reach := max(int(math.Ceil(band/float64(c.Step))), 1)
	full := image.Rect(0, 0, (p.Width+c.Step-1)/c.Step, (p.Height+c.Step-1)/c.Step)
	r := c.box(3*reach + 2).Intersect(full)
	m := &Mask{Step: c.Step, Rect: r}
	w, h := r.Dx(), r.Dy()
	if w <= 0 || h <= 0 {
		return m, nil
	}
	pic := matte.Picture{W: w, H: h, Pix: make([]float32, 3*w*h)}
	if err := raster.Rows(ctx, 0, h, func(y0, y1 int) { reduce(p, c.Step, r, pic.Pix, y0, y1) }); err != nil {
		return nil, err
	}
	known := make([]uint8, w*h)
	for i := range known {
		known[i] = matte.Behind
		if c.in(r.Min.X+i%w, r.Min.Y+i/w) {
			known[i] = matte.Thing
		}
	}
	hard := append([]uint8(nil), known...)
	for i := range hard {
		x, y := i%w, i/w
		if x+1 < w && hard[i] != hard[i+1] || y+1 < h && hard[i] != hard[i+w] {
			for v := max(y-reach+1, 0); v <= min(y+reach, h-1); v++ {
				for u := max(x-reach+1, 0); u <= min(x+reach, w-1); u++ {
					if (u-x)*(u-x)+(v-y)*(v-y) <= reach*reach {
						known[v*w+u] = matte.Unknown
					}
				}
			}
		}
	}
	for i, s := range seedsOn(c.Step, r, strokes) {
		switch s {
		case inside:
			known[i] = matte.Thing
		case outside:
			known[i] = matte.Behind
		}
	}
	var err error
	m.Alpha, m.Light, err = matte.Soft(ctx, pic, known, 3*reach)
	return m, err
}

// reduce writes rows of a part of a photo, reduced by step, in linear light.
func reduce(p *photo.Photo, step int, r image.Rectangle, dst []float32, y0, y1 int) {
	w := r.Dx()
	x0 := r.Min.X * step
	n := min(w*step, p.Width-x0)
	line := make([]float32, 3*n)
	for y := y0; y < y1; y++ {
		out := dst[3*w*y : 3*w*(y+1)]
		clear(out)
		rows := min(step, p.Height-(r.Min.Y+y)*step)
		for v := range rows {
			p.Linear(line, x0, (r.Min.Y+y)*step+v, n)
			for x := range w {
				k := 1 / float32(rows*min(step, n-x*step))
				for u := 3 * x * step; u < min(3*(x+1)*step, 3*n); u += 3 {
					out[3*x] += k * line[u]
					out[3*x+1] += k * line[u+1]
					out[3*x+2] += k * line[u+2]
				}
			}
		}
	}
}
