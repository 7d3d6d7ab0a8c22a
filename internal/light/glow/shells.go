package glow

import (
	"context"
	"math"
	"sync"

	"pyrant/internal/base/coverage"
)

// peakArea is how many pixels a light's bounds may have where the peaks of its
// shells are found. It bounds the work after a traced point moved; the scale
// follows from the shapes alone, so that every preview and export finds the
// same peaks.
const peakArea = 400_000

// Peaks finds the largest value that a light's coverage keeps under a blur: near
// 1 for a shape much broader than the radius, small for a thin tube. It may be
// used by several goroutines.
type Peaks struct {
	pyr   *Pyramid
	scale float64
	mu    sync.Mutex
	known map[float64]float64 // by radius
}

// NewPeaks makes a coverage ready for radii of up to widest pixels of the photo.
func NewPeaks(ctx context.Context, c coverage.Coverage, widest float64) (*Peaks, error) {
	scale := 1.0
	m := c.At(scale)
	for m.Bounds().Dx()*m.Bounds().Dy() > peakArea {
		scale /= 2
		m = c.At(scale)
	}
	top, _ := Level(widest * scale)
	p, err := NewPyramid(ctx, m, m.Bounds(), top)
	return &Peaks{pyr: p, scale: scale, known: map[float64]float64{}}, err
}

// Bytes returns the memory that the pyramid takes.
func (p *Peaks) Bytes() int64 {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.pyr.Bytes() + 40*int64(len(p.known))
}

// At returns the largest value of the coverage convolved with a Gaussian of
// deviation r, in pixels of the photo.
func (p *Peaks) At(ctx context.Context, r float64) (float64, error) {
	p.mu.Lock()
	v, ok := p.known[r]
	p.mu.Unlock()
	if ok {
		return v, nil
	}
	v, err := p.at(ctx, r)
	if err == nil {
		p.mu.Lock()
		p.known[r] = v
		p.mu.Unlock()
	}
	return v, err
}

func (p *Peaks) at(ctx context.Context, r float64) (float64, error) {
	// One level finer than the shell itself needs, so that a peak between the
	// samples is not missed by more than a per cent. The samples are read where
	// they are: only the variance of reduction is taken off.
	l, _ := Level(r * p.scale)
	l = min(max(l-1, 0), p.pyr.Top())
	q := math.Pow(4, float64(l))
	rest := math.Sqrt((r*r*p.scale*p.scale - (q-1)/3) / q)
	// The peak lies between the shapes, within their bounds.
	f, err := p.pyr.Blur(ctx, l, rest, p.pyr.rect(l))
	if err != nil {
		return 0, err
	}
	return float64(f.Max()), nil
}

// Norm returns the factor N = peak^(-lift) that a shell's light is multiplied
// by: lift 0 keeps the energy of the blurred coverage, lift 1 gives every
// shell the same peak.
func Norm(peak, lift float64) float64 {
	if peak < 1e-6 {
		peak = 1e-6
	}
	return math.Pow(peak, -lift)
}

// Profile returns the value of a Gaussian-blurred band of the given width at
// distance d outside its edge, all in pixels: what a long tube or a broad panel
// of that width shows. It is the difference of two error functions.
func Profile(sigma, width, d float64) float64 {
	if sigma <= 0 {
		if d <= 0 {
			return 1
		}
		return 0
	}
	k := 1 / (sigma * math.Sqrt2)
	return 0.5 * (math.Erf((d+width)*k) - math.Erf(d*k))
}

// LogSpace returns n distances from lo to hi in even ratios.
func LogSpace(lo, hi float64, n int) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = lo * math.Pow(hi/lo, float64(i)/float64(n-1))
	}
	return out
}
