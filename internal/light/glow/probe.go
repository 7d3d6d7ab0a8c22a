package glow

import (
	"context"
	"math"

	"pyrant/internal/base/coverage"
	"pyrant/internal/base/raster"
)

// probeArea is how many pixels a light's bounds may have where it is probed; a larger one is probed
// on a smaller picture.
const probeArea = 6_000_000

// Probe tells a light's blurred coverage at single places, without making all of a shell. It may be
// used by several goroutines.
type Probe struct {
	scale float64
	base  *raster.Plane // level 0
	pyr   *Pyramid
}

// NewProbe makes a coverage ready for radii of up to widest pixels of the photo.
func NewProbe(ctx context.Context, c coverage.Coverage, widest float64) (*Probe, error) {
	p := &Probe{scale: 1}
	m := c.At(p.scale)
	for m.Bounds().Dx()*m.Bounds().Dy() > probeArea {
		p.scale /= 2
		m = c.At(p.scale)
	}
	p.base = raster.NewPlane(m.Bounds())
	if err := raster.Rows(ctx, p.base.Rect.Min.Y, p.base.Rect.Max.Y, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			m.Fill(p.base.Row(y), p.base.Rect.Min.X, y)
		}
	}); err != nil {
		return nil, err
	}
	top, _ := Level(widest * p.scale)
	var err error
	p.pyr, err = NewPyramid(ctx, m, m.Bounds(), top)
	return p, err
}

// Bytes returns the memory that the probe takes.
func (p *Probe) Bytes() int64 { return p.base.Bytes() + p.pyr.Bytes() }

// At returns the coverage convolved with a Gaussian of deviation sigma at (x, y), all in pixels of
// the photo; the middle of its first pixel is (0.5, 0.5).
func (p *Probe) At(x, y, sigma float64) float64 {
	sigma = max(sigma*p.scale, 0.3)
	level, rest := 0, sigma
	for l := 1; l <= p.pyr.Top(); l++ {
		q := math.Pow(4, float64(l))
		v := (sigma*sigma - (q-1)/3) / q // less what reduction brought along
		if v < minRest*minRest {
			break
		}
		level, rest = l, math.Sqrt(v)
	}
	plane := p.base
	if level > 0 {
		plane = p.pyr.levels[level]
	}
	k := math.Pow(2, -float64(level))
	u, v := (x*p.scale-0.5)*k, (y*p.scale-0.5)*k
	if level > 0 || rest > 2 {
		return at(plane, u, v, rest)
	}
	// Of few pixels the samples are too coarse for places between them: there lies what is between
	// the pixels that the shell has.
	i, j := math.Floor(u), math.Floor(v)
	s, t := u-i, v-j
	a := at(plane, i, j, rest)*(1-s) + at(plane, i+1, j, rest)*s
	b := at(plane, i, j+1, rest)*(1-s) + at(plane, i+1, j+1, rest)*s
	return a*(1-t) + b*t
}

// at returns the samples of a plane weighed by a Gaussian round a place.
func at(plane *raster.Plane, u, v, rest float64) float64 {
	const reach = 4 // deviations, as shells have
	weights := func(at float64) (first int, w []float64) {
		first = int(math.Ceil(at - reach*rest))
		last := int(math.Floor(at + reach*rest))
		sum := 0.0
		for i := first; i <= last; i++ {
			d := (float64(i) - at) / rest
			w = append(w, math.Exp(-d*d/2))
			sum += w[len(w)-1]
		}
		for i := range w {
			w[i] /= sum
		}
		return first, w
	}
	x0, across := weights(u)
	y0, down := weights(v)
	r := plane.Rect
	from, to := max(x0, r.Min.X), min(x0+len(across), r.Max.X)
	sum := 0.0
	for j, wy := range down {
		if y0+j < r.Min.Y || y0+j >= r.Max.Y || from >= to {
			continue
		}
		row, line := plane.Row(y0 + j)[from-r.Min.X:to-r.Min.X], 0.0
		for i, c := range row {
			line += across[from-x0+i] * float64(c)
		}
		sum += wy * line
	}
	return sum
}
