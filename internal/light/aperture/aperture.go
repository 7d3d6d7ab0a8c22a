// Package aperture computes the star that the aperture of a lens makes of a point of light: its
// far-field diffraction pattern (after Goodman, Introduction to Fourier Optics, 4.3). That is the
// square of the Fourier transform of the aperture, as wide as the wavelength is long, so that each
// of its fringes is a small rainbow.
package aperture

import (
	"context"
	"image"
	"math"
	"math/rand/v2"

	"gonum.org/v1/gonum/dsp/fourier"

	"pyrant/internal/base/raster"
)

// Blades is an aperture of straight or rounded blades.
type Blades struct {
	// below 3 it is a circle; the first blade lies across what points to the right, and so its ray
	// does
	Count   int
	Rounded float64 // from straight blades at 0 to a circle at 1
	Worn    float64 // how uneven their edges are, and how dusty the glass, from 0 to 1
	Seed    int     // of that
	Stop    float64 // the f-number: the larger, the smaller the aperture and the broader its rays
}

// Size is how many cells the grid of a pattern has along an edge.
const Size = 512

// narrowest and widest are the f-numbers that the grid can hold: of a wider aperture the pattern
// would fold over, of a narrower one too few cells would be left.
const (
	narrowest = 64.0
	widest    = 4.0
)

// radius returns the aperture's in cells, to the tips of its blades.
func (b *Blades) radius() float64 {
	return Size / 2 * widest / 2 / math.Min(math.Max(b.Stop, widest), narrowest)
}

// Mask returns what the aperture lets through of each cell, from 0 to 1.
func (b *Blades) Mask() []float64 {
	out := make([]float64, Size*Size)
	r := rand.New(rand.NewPCG(uint64(b.Seed), 0x617065))
	var waves [12][2]float64 // of the edge's wear
	for i := range waves {
		waves[i] = [2]float64{r.NormFloat64() / math.Sqrt(float64(i+2)), 2 * math.Pi * r.Float64()}
	}
	full := b.radius()
	edge := func(a float64) float64 {
		e := full
		if b.Count >= 3 {
			half := math.Pi / float64(b.Count)
			straight := full * math.Cos(half) / math.Cos(math.Mod(a+4*math.Pi+half, 2*half)-half)
			e = straight + (full-straight)*b.Rounded
		}
		if b.Worn > 0 {
			for i, w := range waves {
				e += full * 0.02 * b.Worn * w[0] * math.Cos(float64(3*i+5)*a+w[1])
			}
		}
		return e
	}
	const mid = Size / 2
	reach := int(1.3*full) + 2
	for y := mid - reach; y <= mid+reach; y++ {
		for x := mid - reach; x <= mid+reach; x++ {
			dx, dy := float64(x-mid), float64(y-mid)
			d := math.Hypot(dx, dy)
			out[y*Size+x] = math.Min(math.Max(edge(math.Atan2(dy, dx))-d+0.5, 0), 1)
		}
	}
	for range int(40 * b.Worn) {
		a, d, size := 2*math.Pi*r.Float64(), full*math.Sqrt(r.Float64()),
			full*(0.01+0.03*r.Float64())
		cx, cy := mid+d*math.Cos(a), mid+d*math.Sin(a)
		for y := int(cy - size - 1); y <= int(cy+size+1); y++ {
			for x := int(cx - size - 1); x <= int(cx+size+1); x++ {
				out[y*Size+x] *= 1 - 0.7*math.Min(math.Max(size-math.Hypot(float64(x)-cx,
					float64(y)-cy)+0.5, 0), 1)
			}
		}
	}
	return out
}

// Pattern returns the far-field pattern of an aperture in one colour, of Size² cells with its
// middle in cell Size/2, and a sum of 1.
func Pattern(ctx context.Context, mask []float64) ([]float64, error) {
	grid := make([]complex128, Size*Size)
	// With signs in turn the middle of the pattern comes to lie in the middle.
	for i, v := range mask {
		if (i/Size+i%Size)%2 == 1 {
			v = -v
		}
		grid[i] = complex(v, 0)
	}
	lines := func(at func(i, k int) int) error {
		return raster.Rows(ctx, 0, Size, func(a, b int) {
			fft := fourier.NewCmplxFFT(Size)
			in, out := make([]complex128, Size), make([]complex128, Size)
			for i := a; i < b && ctx.Err() == nil; i++ {
				for k := range in {
					in[k] = grid[at(i, k)]
				}
				for k, v := range fft.Coefficients(out, in) {
					grid[at(i, k)] = v
				}
			}
		})
	}
	if err := lines(func(i, k int) int { return i*Size + k }); err != nil {
		return nil, err
	}
	if err := lines(func(i, k int) int { return k*Size + i }); err != nil {
		return nil, err
	}
	out := make([]float64, Size*Size)
	sum := 0.0
	for i, v := range grid {
		out[i] = real(v)*real(v) + imag(v)*imag(v)
		sum += out[i]
	}
	if sum > 0 {
		for i := range out {
			out[i] /= sum
		}
	}
	return out, nil
}

// The wavelengths that white light is taken apart into, in nanometres, and that by which a pattern
// is as large as it is computed.
const (
	shortest  = 400.0
	longest   = 700.0
	colours   = 20
	reference = 550.0
)

// matching returns the CIE 1931 colour matching functions of a wavelength, by the fits of Wyman,
// Sloan and Shirley (2013).
func matching(nm float64) (x, y, z float64) {
	g := func(mid, below, above float64) float64 {
		s := above
		if nm < mid {
			s = below
		}
		t := (nm - mid) / s
		return math.Exp(-t * t / 2)
	}
	x = 1.056*g(599.8, 37.9, 31.0) + 0.362*g(442.0, 16.0, 26.7) - 0.065*g(501.1, 20.4, 26.2)
	y = 0.821*g(568.8, 46.9, 40.5) + 0.286*g(530.9, 16.3, 31.1)
	z = 1.217*g(437.0, 11.8, 36.0) + 0.681*g(459.0, 26.0, 13.8)
	return
}

// spectrum returns wavelengths with the linear sRGB that each adds to white; all of them are 1, 1,
// 1.
func spectrum() (out [colours]struct {
	nm  float64
	rgb [3]float64
}) {
	var sum [3]float64
	for i := range out {
		nm := shortest + (longest-shortest)*(float64(i)+0.5)/colours
		x, y, z := matching(nm)
		out[i].nm = nm
		out[i].rgb = [3]float64{3.2406*x - 1.5372*y - 0.4986*z, -0.9689*x + 1.8758*y + 0.0415*z,
			0.0557*x - 0.2040*y + 1.0570*z}
		for c, v := range out[i].rgb {
			sum[c] += v
		}
	}
	for i := range out {
		for c := range sum {
			out[i].rgb[c] /= sum[c]
		}
	}
	return
}

// Sprite is a star in colours, in ever smaller pictures, each half of the one before.
type Sprite struct{ levels []*raster.RGB }

// Bytes returns the memory that it takes.
func (s *Sprite) Bytes() (n int64) {
	for _, l := range s.levels {
		n += l.Bytes()
	}
	return
}

// seen is how bright a star is, at a strength of 1, where its rays have come half their way.
const seen = 0.05

// New returns the star of an aperture in white light.
func (b *Blades) New(ctx context.Context) (*Sprite, error) {
	p, err := Pattern(ctx, b.Mask())
	if err != nil {
		return nil, err
	}
	light := spectrum()
	first := raster.NewRGB(image.Rect(0, 0, Size, Size))
	const mid = Size / 2
	if err := raster.Rows(ctx, 0, Size, func(y0, y1 int) {
		for y := y0; y < y1 && ctx.Err() == nil; y++ {
			row := first.Row(y)
			for x := range Size {
				dx, dy := float64(x-mid), float64(y-mid)
				d := math.Hypot(dx, dy) / mid
				if d >= 1 {
					continue
				}
				var c [3]float64
				for i := range light {
					k := reference / light[i].nm
					v := between(p, mid+dx*k, mid+dy*k) * k * k
					for q := range c {
						c[q] += v * light[i].rgb[q]
					}
				}
				// It ends before the grid does.
				fade := raster.Smoothstep((1 - d) / 0.35)
				for q := range c {
					row[3*x+q] = float32(math.Max(c[q], 0) * fade)
				}
			}
		}
	}); err != nil {
		return nil, err
	}
	// As bright as is seen half way along the brightest ray, in the mean of a few cells.
	most := 0.0
	for i := range 720 {
		sin, cos := math.Sincos(math.Pi * float64(i) / 360)
		v := 0.0
		for d := 0.4; d < 0.6; d += 0.01 {
			v += float64(first.Row(int(mid + d*mid*sin))[3*int(mid+d*mid*cos)+1])
		}
		most = math.Max(most, v/20)
	}
	if most > 0 {
		k := float32(seen / most)
		for i := range first.Pix {
			first.Pix[i] *= k
		}
	}
	s := &Sprite{levels: []*raster.RGB{first}}
	for last := first; last.Rect.Dx() > 4; last = s.levels[len(s.levels)-1] {
		n := last.Rect.Dx() / 2
		m := raster.NewRGB(image.Rect(0, 0, n, n))
		for y := range n {
			a, b, to := last.Row(2*y), last.Row(2*y+1), m.Row(y)
			for x := range n {
				for q := range 3 {
					to[3*x+q] = (a[6*x+q] + a[6*x+3+q] + b[6*x+q] + b[6*x+3+q]) / 4
				}
			}
		}
		s.levels = append(s.levels, m)
	}
	return s, ctx.Err()
}

// between returns a value of a grid between the middles of cells; 0 beyond it.
func between(p []float64, x, y float64) float64 {
	i, j := int(math.Floor(x)), int(math.Floor(y))
	if i < 0 || j < 0 || i >= Size-1 || j >= Size-1 {
		return 0
	}
	fx, fy := x-float64(i), y-float64(j)
	k := j*Size + i
	a := p[k] + (p[k+1]-p[k])*fx
	b := p[k+Size] + (p[k+Size+1]-p[k+Size])*fx
	return a + (b-a)*fy
}

// At returns the star's light at a place from its middle, in units of the length of its rays, for
// pixels of that many units: smaller pixels show finer fringes.
func (s *Sprite) At(x, y, pixel float64) (c [3]float32) {
	if far := 6 * pixel; x*x+y*y > far*far {
		return s.at(x, y, pixel)
	}
	// Four parts of the pixel: the middle of a star is much smaller than that may be.
	k := pixel / 4
	for _, o := range [4][2]float64{{-k, -k}, {k, -k}, {-k, k}, {k, k}} {
		v := s.at(x+o[0], y+o[1], pixel/2)
		c[0], c[1], c[2] = c[0]+v[0]/4, c[1]+v[1]/4, c[2]+v[2]/4
	}
	return c
}

func (s *Sprite) at(x, y, pixel float64) (c [3]float32) {
	// A level's cells are as large as the pixel, or a little smaller.
	l, cell := 0, 2.0/Size
	for l < len(s.levels)-1 && 2*cell <= 1.1*pixel {
		l, cell = l+1, 2*cell
	}
	m := s.levels[l]
	n := m.Rect.Dx()
	// The first level's middle lies on a cell's middle, at half a cell from that of the grid.
	u, v := (x+1.0/Size)/cell+float64(n)/2-0.5, (y+1.0/Size)/cell+float64(n)/2-0.5
	i, j := int(math.Floor(u)), int(math.Floor(v))
	if i < 0 || j < 0 || i >= n-1 || j >= n-1 {
		return
	}
	fx, fy := float32(u-float64(i)), float32(v-float64(j))
	a, b := m.Row(j)[3*i:3*i+6], m.Row(j + 1)[3*i:3*i+6]
	for q := range c {
		p, r := a[q]+(a[3+q]-a[q])*fx, b[q]+(b[3+q]-b[q])*fx
		c[q] = p + (r-p)*fy
	}
	return
}
