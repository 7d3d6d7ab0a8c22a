// Package relief reads from the shading of a photo how the front of a thing is folded and dented,
// which its outline does not tell.
//
// Two things are read from it. Light of the day comes from above: what is brighter than what is
// about it looks up (Pentland 1990, who takes shading as linear in the slope towards the light).
// And under an open sky a place looks the darker, the deeper it lies (Langer and Zucker 1994): so
// fine lightness is height as well, each size of detail with heights in proportion (Glencross,
// Ward, Melendez, Jay, Liu and Hubbold 2008), of which slopes are had from those of the lightness.
// What changes the lightness together with the hue is the thing's colour, and no depth (Funt, Drew
// and Brockington 1992).
package relief

import (
	"context"
	"image"
	"math"

	"pyrant/internal/base/coverage"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
)

// Map is how a front rises and falls about its smooth form: by how much for each pixel to the right
// and down, on cells of the photo.
type Map struct {
	Step int             // pixels of the photo to a cell
	Rect image.Rectangle // of the cells, in steps
	X, Y []float32
}

// Bytes returns the memory that a map takes.
func (m *Map) Bytes() int64 { return 4 * int64(len(m.X)+len(m.Y)) }

const (
	longest  = 1500  // cells to the long edge of a photo: finer ones show grain
	finest   = 1.5   // the smallest details, in cells
	sizes    = 4     // of details, each twice the one before
	deep     = 0.6   // height of a detail to its size, for a change of its light by a factor of e
	up       = 0.6   // slope of what is brighter by a factor of e than what is about it
	about    = 24    // how far that reaches, in cells
	same     = 0.035 // by how much shares of red and green may differ where the hue stays
	darkest  = 0.004 // light that is lost in the photo's noise
	steepest = 1.2   // slopes go no farther
)

// Find reads the relief of what something covers of a photo.
func Find(ctx context.Context, p *photo.Photo, of coverage.Coverage) (*Map, error) {
	step := max((max(p.Width, p.Height)+longest-1)/longest, 1)
	cover := of.At(1 / float64(step))
	r := cover.Bounds().Intersect(image.Rect(0, 0, p.Width/step, p.Height/step))
	m := &Map{Step: step, Rect: r}
	w, h := r.Dx(), r.Dy()
	if r.Empty() {
		return m, nil
	}
	cells := make([]cell, w*h)
	if err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
		line, covered := make([]float32, 3*w*step), make([]float32, w)
		for y := y0; y < y1; y++ {
			sum := make([]float32, 3*w)
			for v := range step {
				p.Linear(line, r.Min.X*step, (r.Min.Y+y)*step+v, w*step)
				for x := range w {
					red, green, blue := sum[3*x], sum[3*x+1], sum[3*x+2]
					for c := line[3*step*x : 3*step*(x+1)]; len(c) > 0; c = c[3:] {
						red, green, blue = red+c[0], green+c[1], blue+c[2]
					}
					sum[3*x], sum[3*x+1], sum[3*x+2] = red, green, blue
				}
			}
			cover.Fill(covered, r.Min.X, r.Min.Y+y)
			for x := range w {
				k := 1 / float32(step*step)
				red, green, blue := max(sum[3*x]*k, 0), max(sum[3*x+1]*k, 0), max(sum[3*x+2]*k, 0)
				all := red + green + blue + darkest
				c := &cells[y*w+x]
				c.light = float32(math.Log(float64(all)))
				c.red, c.green = red/all, green/all
				c.on = covered[x] >= 0.5
			}
		}
	}); err != nil {
		return nil, err
	}
	brighter, err := standOut(ctx, cells, w, h)
	if err != nil {
		return nil, err
	}
	if m.X, err = slopes(ctx, cells, w, h, 1, 0); err != nil {
		return nil, err
	}
	if m.Y, err = slopes(ctx, cells, w, h, 0, 1); err != nil {
		return nil, err
	}
	for i := range cells {
		if cells[i].on {
			m.Y[i] += up * brighter[i]
		} else {
			m.X[i], m.Y[i] = 0, 0
		}
	}
	return m, nil
}

// slopes returns how fast the height grows along an axis, whose steps are dx and dy, by the
// lightness of details.
func slopes(ctx context.Context, cells []cell, w, h, dx, dy int) ([]float32, error) {
	change := make([]float32, w*h)
	next := dy*w + dx
	for y := dy; y < h-dy; y++ {
		for x := dx; x < w-dx; x++ {
			i := y*w + x
			change[i] = across(&cells[i-next], &cells[i], &cells[i+next])
		}
	}
	out := make([]float32, w*h)
	fine, err := blurred(ctx, change, w, h, finest)
	for k := 0; k < sizes && err == nil; k++ {
		size := finest * math.Exp2(float64(k))
		var wide []float32
		// from a blur of the size to one of twice that
		if wide, err = blurred(ctx, fine, w, h, math.Sqrt(3)*size); err == nil {
			for i := range out {
				out[i] += float32(deep*size) * (fine[i] - wide[i])
			}
			fine = wide
		}
	}
	return out, err
}

// standOut returns by how much each part of a thing is brighter than what of it is about.
func standOut(ctx context.Context, cells []cell, w, h int) ([]float32, error) {
	light, on := make([]float32, w*h), make([]float32, w*h)
	for i, c := range cells {
		if c.on {
			light[i], on[i] = c.light, 1
		}
	}
	out := make([]float32, w*h)
	for _, part := range [...]struct {
		size float64
		sign float32
	}{{finest, 1}, {about, -1}} {
		l, err := blurred(ctx, light, w, h, part.size)
		if err != nil {
			return nil, err
		}
		k, err := blurred(ctx, on, w, h, part.size)
		if err != nil {
			return nil, err
		}
		for i := range out {
			out[i] += part.sign * l[i] / max(k[i], 0.01)
		}
	}
	return out, nil
}

// cell is what is seen of a part of a thing.
type cell struct {
	light      float32 // as a logarithm
	red, green float32 // shares of it
	on         bool    // it is of the thing
}

// across returns how much the light changes from cell to cell, as far as all are of one thing and
// hue.
func across(a, b, c *cell) float32 {
	if !a.on || !b.on || !c.on {
		return 0
	}
	u, v := (c.red-a.red)/same, (c.green-a.green)/same
	return (c.light - a.light) / 2 * float32(math.Exp(-float64(u*u+v*v)))
}

// blurred returns a picture blurred by three boxes, whose variance is that of a Gaussian of a size
// (Wells 1986).
func blurred(ctx context.Context, of []float32, w, h int, sigma float64) ([]float32, error) {
	reach := int(math.Round((math.Sqrt(4*sigma*sigma+1) - 1) / 2))
	p, err := raster.Boxes(ctx, &raster.Plane{Rect: image.Rect(0, 0, w, h), Pix: of}, reach, 3)
	if err != nil {
		return nil, err
	}
	return p.Pix, nil
}

// At returns the slopes at a place of the photo, in its pixels, to the right and down, by an
// amount: none is steeper than the steepest.
func (m *Map) At(x, y, amount float64) (dx, dy float64) {
	k := 1 / float64(m.Step)
	u, v := x*k-0.5-float64(m.Rect.Min.X), y*k-0.5-float64(m.Rect.Min.Y)
	i, j := int(math.Floor(u)), int(math.Floor(v))
	w, h := m.Rect.Dx(), m.Rect.Dy()
	if i < 0 || j < 0 || i+1 >= w || j+1 >= h {
		return 0, 0
	}
	s, t := float32(u-float64(i)), float32(v-float64(j))
	n := j*w + i
	a, b := m.X[n:n+2:n+2], m.X[n+w:n+w+2:n+w+2]
	dx = amount * float64((a[0]*(1-s)+a[1]*s)*(1-t)+(b[0]*(1-s)+b[1]*s)*t)
	a, b = m.Y[n:n+2:n+2], m.Y[n+w:n+w+2:n+w+2]
	dy = amount * float64((a[0]*(1-s)+a[1]*s)*(1-t)+(b[0]*(1-s)+b[1]*s)*t)
	f := 1 / math.Sqrt(1+(dx*dx+dy*dy)/(steepest*steepest))
	return dx * f, dy * f
}
