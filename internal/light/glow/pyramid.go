// Package glow spreads the coverage of a light into a stack of shells.
//
// Each shell is the coverage convolved with a Gaussian whose standard
// deviation is the shell's radius. Wide Gaussians are computed on small
// pictures: the coverage is reduced to a pyramid by the kernel of Burt and
// Adelson (1983), each shell is blurred at the level where 2 to 4 pixels of
// deviation remain, and the levels are added up once on the way back to full
// size. The variance that reduction and expansion bring along is taken off the
// blur, so that the whole comes out as the Gaussian that was asked for.
//
// The sample (i, j) of level L stands at the pixel (i·2^L, j·2^L) of the
// picture, whatever part of the picture is computed: a viewport has the same
// samples as the whole.
package glow

import (
	"context"
	"image"
	"math"

	"pyrant/internal/base/raster"
)

// Source gives coverage in [0, 1] by rows. A shape.Mask is one.
type Source interface {
	// Fill writes the coverage of row y from column x0 on.
	Fill(dst []float32, x0, y int)
}

// Pyramid is a coverage at halving sizes.
type Pyramid struct {
	src    Source
	bounds image.Rectangle // of level 0
	levels []*raster.Plane // levels[0] is nil: that level is read from src
}

// minRest is the least deviation in pixels of its level that a shell is
// blurred by above level 0. Below it, the coarse grid would show.
const minRest = 2.0

// Level returns the level at which a Gaussian of deviation sigma, in pixels of
// level 0, is computed, and the deviation in pixels of that level that remains
// after the variance of reduction and expansion, (4^L-1)/3 pixels each.
func Level(sigma float64) (level int, rest float64) {
	rest = sigma
	for l := 1; l < 16; l++ {
		p := math.Pow(4, float64(l))
		v := (sigma*sigma - 2*(p-1)/3) / p
		if v < minRest*minRest {
			break
		}
		level, rest = l, math.Sqrt(v)
	}
	return
}

// Reach returns how many pixels of level 0 a Gaussian of deviation sigma spreads coverage, as it is
// computed here: four deviations, and what reduction and expansion spread it further.
func Reach(sigma float64) int {
	level, rest := Level(sigma)
	// At each level a sample stands for its neighbours up to two away, on the way up and on the way
	// down.
	return (extra(rest)+5)<<level + 2
}

// NewPyramid reduces src, which has coverage inside bounds only, to the given
// number of levels above the first. The full-size coverage is read in bands and
// not kept.
func NewPyramid(ctx context.Context, src Source, bounds image.Rectangle,
	top int) (*Pyramid, error) {
	p := &Pyramid{src: src, bounds: bounds, levels: []*raster.Plane{nil}}
	for l := 1; l <= top; l++ {
		if l > 1 {
			src, bounds = planeSource{p.levels[l-1]}, p.levels[l-1].Rect
		}
		to, err := reduce(ctx, src, bounds)
		if err != nil {
			return nil, err
		}
		p.levels = append(p.levels, to)
	}
	return p, nil
}

// planeSource gives the rows of a plane, and zeros beside it.
type planeSource struct{ *raster.Plane }

func (p planeSource) Fill(dst []float32, x0, y int) { copyInto(dst, x0, p.Row(y), p.Rect.Min.X) }

// reduce returns the samples of the next level of src, which has coverage inside bounds only.
func reduce(ctx context.Context, src Source, bounds image.Rectangle) (*raster.Plane, error) {
	to := raster.NewPlane(reducedRect(bounds))
	return to, raster.Rows(ctx, to.Rect.Min.Y, to.Rect.Max.Y, func(y0, y1 int) {
		w := to.Rect.Dx()
		x0 := 2*to.Rect.Min.X - 2
		row := make([]float32, 2*w+3)
		// halves holds source rows that were reduced along x; row y of the result needs 2y-2 to
		// 2y+2 of them.
		halves := make([][]float32, 5)
		for i := range halves {
			halves[i] = make([]float32, w)
		}
		read := func(y int) {
			h := halves[((y%5)+5)%5]
			clear(h)
			if y < bounds.Min.Y || y >= bounds.Max.Y {
				return
			}
			src.Fill(row, x0, y)
			for i := range h {
				r := row[2*i : 2*i+5 : 2*i+5]
				h[i] = (r[0] + r[4] + 4*(r[1]+r[3]) + 6*r[2]) * (1.0 / 16)
			}
		}
		for y := 2*y0 - 2; y < 2*y0+1; y++ {
			read(y)
		}
		for y := y0; y < y1; y++ {
			read(2*y + 1)
			read(2*y + 2)
			at := func(k int) []float32 { return halves[(((2*y+k)%5)+5)%5] }
			a, b, c, d, e := at(-2), at(-1), at(0), at(1), at(2)
			dst := to.Row(y)
			for i := range dst {
				dst[i] = (a[i] + e[i] + 4*(b[i]+d[i]) + 6*c[i]) * (1.0 / 16)
			}
		}
	})
}

// reducedRect returns the samples of the next level that read any sample of r.
func reducedRect(r image.Rectangle) image.Rectangle {
	if r.Empty() {
		return image.Rectangle{}
	}
	return image.Rect((r.Min.X-1)>>1, (r.Min.Y-1)>>1, ((r.Max.X+1)>>1)+1, ((r.Max.Y+1)>>1)+1)
}

func (p *Pyramid) rect(level int) image.Rectangle {
	if level == 0 {
		return p.bounds
	}
	return p.levels[level].Rect
}

// Bytes returns the memory that the levels take.
func (p *Pyramid) Bytes() (n int64) {
	for _, l := range p.levels[1:] {
		n += l.Bytes()
	}
	return
}

// Top returns the highest level that was made.
func (p *Pyramid) Top() int { return len(p.levels) - 1 }

// kernel returns the right half of a Gaussian sampled at whole pixels out to
// four deviations, middle first, with the sum of the whole equal to 1.
//
// Samples of a Gaussian narrower than a pixel have less than its variance, and
// a small preview would come out crisper than its export: there a wider one is
// sampled, so that the samples' variance is the one asked for.
func kernel(sigma float64) []float32 {
	if sigma <= 0 {
		return []float32{1}
	}
	width := sigma
	if sigma < 1 {
		lo, hi := sigma, 1.1
		for range 40 {
			width = (lo + hi) / 2
			if _, v := sampled(width); v < sigma*sigma {
				lo = width
			} else {
				hi = width
			}
		}
	}
	k, _ := sampled(width)
	out := make([]float32, len(k))
	for i := range k {
		out[i] = float32(k[i])
	}
	return out
}

// sampled returns the right half of a Gaussian at whole pixels, with the sum of
// the whole equal to 1, and the variance of the whole.
func sampled(width float64) (k []float64, variance float64) {
	k = make([]float64, int(math.Ceil(4*width))+1)
	sum := 0.0
	for i := range k {
		k[i] = math.Exp(-float64(i*i) / (2 * width * width))
		sum += k[i]
		if i > 0 {
			sum += k[i]
		}
	}
	for i := range k {
		k[i] /= sum
		variance += 2 * k[i] * float64(i*i)
	}
	return k, variance
}

// extra is how many samples beyond its own a blur reaches.
func extra(sigma float64) int { return len(kernel(sigma)) - 1 }

// Extent returns the samples of a level that a blur by sigma, in pixels of
// that level, reaches.
func (p *Pyramid) Extent(level int, sigma float64) image.Rectangle {
	return reached(p.rect(level), sigma)
}

// reached returns the samples that a blur reaches of what has coverage in r.
func reached(r image.Rectangle, sigma float64) image.Rectangle {
	if r.Empty() {
		return r
	}
	return r.Inset(-extra(sigma))
}

// Blur returns the coverage at a level convolved with a Gaussian of deviation
// sigma in pixels of that level, over the part of clip that it reaches.
func (p *Pyramid) Blur(ctx context.Context, level int, sigma float64,
	clip image.Rectangle) (*raster.Plane, error) {
	src := p.src
	if level > 0 {
		src = planeSource{p.levels[level]}
	}
	return blur(ctx, src, p.rect(level), sigma, clip)
}

// blur returns the coverage of src, which has some inside bounds only, convolved with a Gaussian,
// over the part of clip that it reaches.
func blur(ctx context.Context, src Source, bounds image.Rectangle, sigma float64,
	clip image.Rectangle) (*raster.Plane, error) {
	out := raster.NewPlane(reached(bounds, sigma).Intersect(clip))
	if out.Rect.Empty() {
		return out, ctx.Err()
	}
	k := kernel(sigma)
	n := len(k) - 1
	// Along x first, for all rows that the second pass reads.
	mid := raster.NewPlane(image.Rect(out.Rect.Min.X, max(out.Rect.Min.Y-n, bounds.Min.Y),
		out.Rect.Max.X, min(out.Rect.Max.Y+n, bounds.Max.Y)))
	w := out.Rect.Dx()
	err := raster.Rows(ctx, mid.Rect.Min.Y, mid.Rect.Max.Y, func(y0, y1 int) {
		x0 := out.Rect.Min.X - n
		row := make([]float32, w+2*n)
		for y := y0; y < y1; y++ {
			src.Fill(row, x0, y)
			if n == 0 {
				copy(mid.Row(y), row)
				continue
			}
			convolve(mid.Row(y), row, k)
		}
	})
	if err != nil {
		return nil, err
	}
	err = raster.Rows(ctx, out.Rect.Min.Y, out.Rect.Max.Y, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			dst := out.Row(y)
			has := func(y int) bool { return y >= mid.Rect.Min.Y && y < mid.Rect.Max.Y }
			if has(y) {
				for i, v := range mid.Row(y) {
					dst[i] = v * k[0]
				}
			}
			for j := 1; j <= n; j++ {
				a, b := y-j, y+j
				switch kj := k[j]; {
				case has(a) && has(b):
					ra, rb := mid.Row(a), mid.Row(b)
					for i := range dst {
						dst[i] += (ra[i] + rb[i]) * kj
					}
				case has(a):
					for i, v := range mid.Row(a) {
						dst[i] += v * kj
					}
				case has(b):
					for i, v := range mid.Row(b) {
						dst[i] += v * kj
					}
				}
			}
		}
	})
	if err != nil {
		return nil, err
	}
	return out, nil
}

// copyInto lays src, which starts at column sx, into dst, which starts at
// column dx, and clears the rest of dst.
func copyInto(dst []float32, dx int, src []float32, sx int) {
	clear(dst)
	if sx < dx {
		if dx-sx >= len(src) {
			return
		}
		src, sx = src[dx-sx:], dx
	}
	if sx-dx < len(dst) {
		copy(dst[sx-dx:], src)
	}
}

// convolve writes to dst the symmetric convolution of src, which is longer by
// the kernel's radius at both ends. Rows of zeros are passed over quickly, and
// four results are made together to read each sample of src less often.
func convolve(dst, src, k []float32) {
	n := len(k) - 1
	lo, hi := 0, len(src)
	for lo < hi && src[lo] == 0 {
		lo++
	}
	for hi > lo && src[hi-1] == 0 {
		hi--
	}
	clear(dst)
	i, end := max(lo-2*n, 0), min(hi, len(dst))
	for ; i+4 <= end; i += 4 {
		c := src[i+n : i+n+4 : i+n+4]
		k0 := k[0]
		s0, s1, s2, s3 := c[0]*k0, c[1]*k0, c[2]*k0, c[3]*k0
		for j := 1; j <= n; j++ {
			kj := k[j]
			a := src[i+n-j : i+n-j+4 : i+n-j+4]
			b := src[i+n+j : i+n+j+4 : i+n+j+4]
			s0 += (a[0] + b[0]) * kj
			s1 += (a[1] + b[1]) * kj
			s2 += (a[2] + b[2]) * kj
			s3 += (a[3] + b[3]) * kj
		}
		d := dst[i : i+4 : i+4]
		d[0], d[1], d[2], d[3] = s0, s1, s2, s3
	}
	for ; i < end; i++ {
		s := src[i+n] * k[0]
		for j := 1; j <= n; j++ {
			s += (src[i+n-j] + src[i+n+j]) * k[j]
		}
		dst[i] = s
	}
}
