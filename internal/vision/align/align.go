// Package align finds how a second photo of the same set lies to a first: by how much it is
// shifted, turned and larger.
//
// Both may be lit differently. What is compared are logarithms of brightness by their phases alone
// (Kuglin and Hines, The Phase Correlation Image Alignment Method, 1975): first the whole, of which
// the spectra tell turn and size (Reddy and Chatterji, An FFT-Based Technique for Translation,
// Rotation, and Scale-Invariant Image Registration, 1996), then blocks all over the photo, whose
// shifts a similarity is fitted to. Blocks that say something else, as where something moved or a
// lamp is lit, count little (Tukey's biweight); how many agree is how sure it is.
package align

import (
	"context"
	"math"
	"math/cmplx"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
)

// Similarity is where places of a photo lie on another: it is turned about its middle and sized,
// and its middle comes to stand beside that of the other.
type Similarity struct {
	X, Y float64 // pixels of the other, from its middle
	Turn float64 // degrees, clockwise
	Size float64 // pixels of the other for one of the photo
}

// Fitted returns how a photo lies on another of another size when both show the same.
func Fitted(w, h, ow, oh int) Similarity {
	return Similarity{Size: math.Min(float64(ow)/float64(w), float64(oh)/float64(h))}
}

// At returns where a place of a photo of a size lies on the other.
func (s Similarity) At(x, y float64, w, h, ow, oh int) (float64, float64) {
	m := s.matrix(float64(w), float64(h), float64(ow), float64(oh))
	return m.at(x, y)
}

// matrix is x' = A·x - B·y + C, y' = B·x + A·y + D.
type matrix struct{ a, b, c, d float64 }

func (m matrix) at(x, y float64) (float64, float64) {
	return m.a*x - m.b*y + m.c, m.b*x + m.a*y + m.d
}

func (s Similarity) matrix(w, h, ow, oh float64) matrix {
	sin, cos := math.Sincos(s.Turn * math.Pi / 180)
	m := matrix{a: s.Size * cos, b: s.Size * sin}
	x, y := m.at(w/2, h/2)
	m.c, m.d = ow/2+s.X-x, oh/2+s.Y-y
	return m
}

func (m matrix) similarity(w, h, ow, oh float64) Similarity {
	x, y := m.at(w/2, h/2)
	return Similarity{X: x - ow/2, Y: y - oh/2, Turn: math.Atan2(m.b, m.a) * 180 / math.Pi,
		Size: math.Hypot(m.a, m.b)}
}

// ByPairs returns the similarity by which two places of a photo come to lie on two of another; ok
// is false where two are the same.
func ByPairs(from, to [2][2]float64, w, h, ow, oh int) (s Similarity, ok bool) {
	p := complex(from[1][0]-from[0][0], from[1][1]-from[0][1])
	q := complex(to[1][0]-to[0][0], to[1][1]-to[0][1])
	if cmplx.Abs(p) < 1 || cmplx.Abs(q) < 1 {
		return s, false
	}
	k := q / p
	m := matrix{a: real(k), b: imag(k)}
	x, y := m.at(from[0][0], from[0][1])
	m.c, m.d = to[0][0]-x, to[0][1]-y
	return m.similarity(float64(w), float64(h), float64(ow), float64(oh)), true
}

// Sure is how sure an alignment has to be, not to be said to be weak.
const Sure = 0.4

// Find returns how a photo lies on another, and how sure that is: the share of the places with
// something to compare that agree. What is looked for is a set that stands still: turned by at most
// 20 degrees, and from 0.7 to 1.4 times as large.
func Find(ctx context.Context, p, o *photo.Photo) (s Similarity, sure float64, err error) {
	w, h, ow, oh := float64(p.Width), float64(p.Height), float64(o.Width), float64(o.Height)
	a, err := newSheet(ctx, p, wholeEdge)
	if err != nil {
		return s, 0, err
	}
	b, err := newSheet(ctx, o, wholeEdge)
	if err != nil {
		return s, 0, err
	}
	m := whole(a, b, w, h, ow, oh)
	// Ever finer; each round looks at what is left over by the one before.
	for _, edge := range []int{600, 1500, 1500} {
		if a, err = newSheet(ctx, p, edge); err != nil {
			return s, 0, err
		}
		if b, err = newSheet(ctx, o, edge); err != nil {
			return s, 0, err
		}
		if m, sure, err = refined(ctx, a, b, m); err != nil {
			return s, 0, err
		}
	}
	return m.similarity(w, h, ow, oh), sure, nil
}

// sheet is a photo's logarithms of brightness, smaller.
type sheet struct {
	*raster.Plane
	step float64 // pixels of the photo for one of its
}

func newSheet(ctx context.Context, p *photo.Photo, edge int) (sheet, error) {
	step := max(1, (max(p.Width, p.Height)+edge/2)/edge)
	m, err := p.Reduced(ctx, step, colour.Luma)
	for i, v := range m.Pix {
		m.Pix[i] = float32(math.Log2(float64(v) + 0.03))
	}
	return sheet{m, float64(step)}, err
}

// at returns the value at a place of the photo, between its pixels; ok is false beyond them.
func (s sheet) at(x, y float64) (float64, bool) {
	x, y = x/s.step-0.5, y/s.step-0.5
	i, j := int(math.Floor(x)), int(math.Floor(y))
	w, h := s.Rect.Dx(), s.Rect.Dy()
	if i < 0 || j < 0 || i+1 >= w || j+1 >= h {
		return 0, false
	}
	u, v := x-float64(i), y-float64(j)
	k := s.Pix[j*w+i:]
	return (float64(k[0])*(1-u)+float64(k[1])*u)*(1-v) + (float64(k[w])*(1-u)+float64(k[w+1])*u)*v,
		true
}

// Of the whole: the edge of the square that it is looked at on, and of the photo on it.
const (
	wholeEdge = 440
	wholeSize = 512
)

// whole returns about how a photo lies on another.
func whole(a, b sheet, w, h, ow, oh float64) matrix {
	fit := Fitted(int(w), int(h), int(ow), int(oh))
	// Both on squares of one scale, by the first's pixels.
	scale := math.Max(w, h) / wholeEdge
	square := func(s sheet, m matrix) []complex128 {
		out := make([]complex128, wholeSize*wholeSize)
		for y := range wholeSize {
			for x := range wholeSize {
				px, py := (float64(x)-wholeSize/2+0.5)*scale+w/2,
					(float64(y)-wholeSize/2+0.5)*scale+h/2
				// Its rim is faded by how near a place is to it, on the photo itself.
				u, v := m.at(px, py)
				if k, ok := s.at(u, v); ok {
					fade := hann(u/(s.step*float64(s.Rect.Dx()))) *
						hann(v/(s.step*float64(s.Rect.Dy())))
					out[y*wholeSize+x] = complex(k*fade, fade)
				}
			}
		}
		return centred(out)
	}
	one := matrix{a: 1}
	start := fit.matrix(w, h, ow, oh)
	fa, fb := fft2(square(a, one), wholeSize, false), fft2(square(b, start), wholeSize, false)
	best, most := start, -1.0
	for _, c := range append(turns(fa, fb), [2]float64{0, 1}) {
		// The other turned back by what its spectrum tells, and then shifted.
		k := Similarity{Turn: c[0], Size: fit.Size * c[1]}
		m := k.matrix(w, h, ow, oh)
		dx, dy, peak := shift(fa, fft2(square(b, m), wholeSize, false), wholeSize)
		if peak > most {
			u, v := m.a*dx*scale-m.b*dy*scale, m.b*dx*scale+m.a*dy*scale
			m.c, m.d = m.c+u, m.d+v
			best, most = m, peak
		}
	}
	return best
}

// turns returns by how much one square may be turned against another and how much larger it may be,
// by the size of their spectra.
func turns(a, b []complex128) (out [][2]float64) {
	const n, inner, outer = 512, 10.0, 230.0
	polar := func(f []complex128) []complex128 {
		p := make([]complex128, n*n)
		strong := make([]float64, len(f))
		for i, v := range f {
			strong[i] = math.Log1p(cmplx.Abs(v))
		}
		for j := range n { // the angle, half a turn
			sin, cos := math.Sincos(math.Pi * float64(j) / n)
			for i := range n {
				r := inner * math.Pow(outer/inner, float64(i)/n)
				x, y := r*cos, r*sin
				at := func(x, y int) float64 {
					return strong[((y+wholeSize)%wholeSize)*wholeSize+(x+wholeSize)%wholeSize]
				}
				u, v := int(math.Floor(x)), int(math.Floor(y))
				s, t := x-float64(u), y-float64(v)
				k := (at(u, v)*(1-s)+at(u+1, v)*s)*(1-t) + (at(u, v+1)*(1-s)+at(u+1, v+1)*s)*t
				fade := hann(float64(i) / n)
				p[j*n+i] = complex(k*fade, fade)
			}
		}
		return fft2(centred(p), n, false)
	}
	c := correlation(polar(a), polar(b), n)
	per := math.Log(outer/inner) / n
	for range 3 {
		best, bi, bj := -1.0, 0, 0
		for dj := -n / 9; dj <= n/9; dj++ { // 20 degrees
			for di := -int(math.Log(1.4) / per); di <= int(math.Log(1.4)/per); di++ {
				if v := c[((dj+n)%n)*n+(di+n)%n]; v > best {
					best, bi, bj = v, di, dj
				}
			}
		}
		di, dj := peakAt(c, n, bi, bj)
		// Turned on the other by dj steps; of one that is larger the spectrum is smaller.
		out = append(out, [2]float64{dj * 180 / n, math.Exp(-di * per)})
		for j := bj - 6; j <= bj+6; j++ {
			for i := bi - 6; i <= bi+6; i++ {
				c[((j+n)%n)*n+(i+n)%n] = -1
			}
		}
	}
	return out
}

// Of blocks: their edge on a sheet, how far apart they are at least, and how far off a block may be
// that agrees, in pixels of the sheet.
const (
	blockEdge = 64
	blockGap  = 40
	blockNear = 1.0
)

// refined returns a better similarity by the shifts of blocks, and how sure it is.
func refined(ctx context.Context, a, b sheet, m matrix) (matrix, float64, error) {
	w, h := a.Rect.Dx(), a.Rect.Dy()
	type block struct {
		x, y, u, v float64 // its middle on the photo, and where that lies on the other
		weight     float64
	}
	nx, ny := max((w-blockEdge)/blockGap, 1), max((h-blockEdge)/blockGap, 1)
	nx, ny = min(nx, 20), min(ny, 20)
	all := make([]block, nx*ny)
	err := raster.Each(ctx, nx*ny, func(n int) {
		i, j := n%nx, n/nx
		x0, y0 := i*(w-blockEdge)/max(nx-1, 1), j*(h-blockEdge)/max(ny-1, 1)
		pa, pb := make([]complex128, blockEdge*blockEdge), make([]complex128, blockEdge*blockEdge)
		for y := range blockEdge {
			for x := range blockEdge {
				px, py := (float64(x0+x)+0.5)*a.step, (float64(y0+y)+0.5)*a.step
				u, v := m.at(px, py)
				k, ok := b.at(u, v)
				if x0+x >= w || y0+y >= h || !ok {
					return // it is not all on both
				}
				fade := hann((float64(x)+0.5)/blockEdge) * hann((float64(y)+0.5)/blockEdge)
				pa[y*blockEdge+x] = complex(float64(a.Row(y0 + y)[x0+x])*fade, fade)
				pb[y*blockEdge+x] = complex(k*fade, fade)
			}
		}
		ca, cb := centred(pa), centred(pb)
		if energy(ca) < 0.02 || energy(cb) < 0.02 {
			return // nothing to compare
		}
		dx, dy, peak := shift(fft2(ca, blockEdge, false), fft2(cb, blockEdge, false), blockEdge)
		if math.Hypot(dx, dy) > blockEdge/3 {
			return
		}
		x, y := (float64(x0)+blockEdge/2)*a.step, (float64(y0)+blockEdge/2)*a.step
		u, v := m.at(x+dx*a.step, y+dy*a.step)
		all[n] = block{x, y, u, v, peak}
	})
	if err != nil {
		return m, 0, err
	}
	all = slices.DeleteFunc(all, func(k block) bool { return k.weight == 0 })
	if len(all) < 4 {
		return m, 0, nil
	}
	// A similarity by least squares, ever less of what does not agree.
	tolerance := math.Hypot(m.a, m.b) * a.step
	reach := 12 * tolerance
	for range 14 {
		var sw, sx, sy, su, sv float64
		weight := make([]float64, len(all))
		for i, k := range all {
			u, v := m.at(k.x, k.y)
			if t := math.Hypot(u-k.u, v-k.v) / reach; t < 1 {
				weight[i] = k.weight * (1 - t*t) * (1 - t*t)
			}
			sw += weight[i]
			sx, sy, su, sv = sx+weight[i]*k.x, sy+weight[i]*k.y, su+weight[i]*k.u, sv+weight[i]*k.v
		}
		if sw <= 0 {
			return m, 0, nil
		}
		sx, sy, su, sv = sx/sw, sy/sw, su/sw, sv/sw
		var re, im, n float64
		for i, k := range all {
			x, y, u, v := k.x-sx, k.y-sy, k.u-su, k.v-sv
			re += weight[i] * (x*u + y*v)
			im += weight[i] * (x*v - y*u)
			n += weight[i] * (x*x + y*y)
		}
		if n <= 0 {
			return m, 0, nil
		}
		m.a, m.b = re/n, im/n
		m.c, m.d = 0, 0
		u, v := m.at(sx, sy)
		m.c, m.d = su-u, sv-v
		reach = math.Max(reach*0.7, 2*blockNear*tolerance)
	}
	agree := 0
	for _, k := range all {
		if u, v := m.at(k.x, k.y); math.Hypot(u-k.u, v-k.v) <= blockNear*tolerance {
			agree++
		}
	}
	return m, float64(agree) / float64(len(all)), nil
}

func hann(t float64) float64 {
	if t <= 0 || t >= 1 {
		return 0
	}
	return 0.5 - 0.5*math.Cos(2*math.Pi*t)
}

// centred turns values that are faded, with how much as imaginary part, into what they differ from
// their mean, faded.
func centred(p []complex128) []complex128 {
	var sum, n float64
	for _, v := range p {
		sum, n = sum+real(v), n+imag(v)
	}
	mean := sum / math.Max(n, 1e-9)
	for i, v := range p {
		p[i] = complex(real(v)-mean*imag(v), 0)
	}
	return p
}

// energy returns the deviation of values.
func energy(p []complex128) float64 {
	var sum float64
	for _, v := range p {
		sum += real(v) * real(v)
	}
	return math.Sqrt(sum / float64(len(p)))
}

// fft2 returns the transform of a square, in its place.
func fft2(p []complex128, n int, back bool) []complex128 {
	f := fourier.NewCmplxFFT(n)
	row := make([]complex128, n)
	run := func(dst, src []complex128) {
		if back {
			f.Sequence(dst, src)
		} else {
			f.Coefficients(dst, src)
		}
	}
	for y := range n {
		copy(row, p[y*n:(y+1)*n])
		run(p[y*n:(y+1)*n], row)
	}
	out := make([]complex128, n)
	for x := range n {
		for y := range n {
			row[y] = p[y*n+x]
		}
		run(out, row)
		for y := range n {
			p[y*n+x] = out[y]
		}
	}
	return p
}

// correlation returns how well two squares of which the transforms are given agree at each shift,
// by their phases.
func correlation(a, b []complex128, n int) []float64 {
	c := make([]complex128, len(a))
	for i := range a {
		// What has next to no strength has no phase that tells anything.
		k := cmplx.Conj(a[i]) * b[i]
		if l := cmplx.Abs(k); l > 1e-9 {
			// Fine detail is mostly grain.
			fx, fy := float64(min(i%n, n-i%n))/float64(n), float64(min(i/n, n-i/n))/float64(n)
			c[i] = k / complex(l, 0) * complex(math.Exp(-14*(fx*fx+fy*fy)), 0)
		}
	}
	fft2(c, n, true)
	out := make([]float64, len(c))
	for i, v := range c {
		out[i] = real(v) / float64(n*n)
	}
	return out
}

// shift returns by how much the second square is shifted against the first, to a fraction of a
// pixel, and how high the correlation is there.
func shift(a, b []complex128, n int) (dx, dy, peak float64) {
	c := correlation(a, b, n)
	best := 0
	for i, v := range c {
		if v > c[best] {
			best = i
		}
	}
	wrap := func(v int) int {
		if v >= n/2 {
			return v - n
		}
		return v
	}
	dx, dy = peakAt(c, n, wrap(best%n), wrap(best/n))
	return dx, dy, c[best]
}

// peakAt returns a maximum to a fraction, by Gaussians through it and what is beside it.
func peakAt(c []float64, n, i, j int) (x, y float64) {
	at := func(i, j int) float64 { return math.Max(c[((j+n)%n)*n+(i+n)%n], 1e-12) }
	vertex := func(a, b, c float64) float64 {
		a, b, c = math.Log(a), math.Log(b), math.Log(c)
		if d := a - 2*b + c; d < -1e-12 {
			return math.Max(math.Min((a-c)/(2*d), 0.5), -0.5)
		}
		return 0
	}
	return float64(i) + vertex(at(i-1, j), at(i, j), at(i+1, j)), float64(j) + vertex(at(i, j-1),
		at(i, j), at(i, j+1))
}
