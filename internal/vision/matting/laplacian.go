package matting

import (
	"context"

	"pyrant/internal/base/raster"
)

// laplacian is the matting Laplacian of a picture (Levin, Lischinski and Weiss 2008): it is small
// for coverage that is, in every window of 3 by 3 pixels, a linear function of the colour. It is
// never written out; apply multiplies by it with sums over windows (He, Sun and Tang 2010).
type laplacian struct {
	w, h    int
	pix     []float32    // three values a pixel
	mean    []float32    // of each window, by its middle
	inverse [][6]float32 // of each window's covariance of colours: xx, xy, xz, yy, yz, zz
	count   []float32    // pixels of each window
	known   []uint8      // only windows that hold an unknown pixel count
	near    []bool       // those windows
}

const windowRadius = 1

// newLaplacian returns the Laplacian of a picture, for the pixels that are unknown. Colours that
// differ by less than the noise of a photo count as the same.
func newLaplacian(ctx context.Context, p Picture, known []uint8) (*laplacian, error) {
	l := &laplacian{w: p.W, h: p.H, pix: p.Pix, mean: make([]float32, 3*p.W*p.H),
		inverse: make([][6]float32, p.W*p.H), count: make([]float32, p.W*p.H),
		known: known, near: make([]bool, p.W*p.H)}
	err := raster.Rows(ctx, 0, p.H, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range p.W {
				i := y*p.W + x
				for v := max(y-1, 0); v <= min(y+1, p.H-1) && !l.near[i]; v++ {
					for u := max(x-1, 0); u <= min(x+1, p.W-1); u++ {
						l.near[i] = l.near[i] || known[v*p.W+u] == Unknown
					}
				}
				if l.near[i] {
					l.window(x, y)
				}
			}
		}
	})
	return l, err
}

// window computes what is kept of the window round a pixel.
func (l *laplacian) window(x, y int) {
	var n float64
	var sum [3]float64
	var sq [6]float64
	for v := max(y-windowRadius, 0); v <= min(y+windowRadius, l.h-1); v++ {
		for u := max(x-windowRadius, 0); u <= min(x+windowRadius, l.w-1); u++ {
			j := 3 * (v*l.w + u)
			r, g, b := float64(l.pix[j]), float64(l.pix[j+1]), float64(l.pix[j+2])
			n++
			sum[0], sum[1], sum[2] = sum[0]+r, sum[1]+g, sum[2]+b
			sq[0], sq[1], sq[2] = sq[0]+r*r, sq[1]+r*g, sq[2]+r*b
			sq[3], sq[4], sq[5] = sq[3]+g*g, sq[4]+g*b, sq[5]+b*b
		}
	}
	i := y*l.w + x
	m := [3]float64{sum[0] / n, sum[1] / n, sum[2] / n}
	l.count[i] = float32(n)
	for c := range m {
		l.mean[3*i+c] = float32(m[c])
	}
	s := float64(noise(float32(m[0]+m[1]+m[2]) / 3))
	e := s * s
	a := sq[0]/n - m[0]*m[0] + e
	b := sq[1]/n - m[0]*m[1]
	c := sq[2]/n - m[0]*m[2]
	d := sq[3]/n - m[1]*m[1] + e
	f := sq[4]/n - m[1]*m[2]
	g := sq[5]/n - m[2]*m[2] + e
	k := 1 / (a*(d*g-f*f) - b*(b*g-c*f) + c*(b*f-c*d))
	l.inverse[i] = [6]float32{float32(k * (d*g - f*f)), float32(k * (c*f - b*g)),
		float32(k * (b*f - c*d)), float32(k * (a*g - c*c)), float32(k * (b*c - a*f)),
		float32(k * (a*d - b*b))}
}

// apply sets dst to the Laplacian times src, at the pixels that are unknown. work has room for four
// values a pixel.
func (l *laplacian) apply(ctx context.Context, dst, src []float32, work [][4]float32) error {
	w, h := l.w, l.h
	// For each window the linear function of colour that fits src best: slopes and offset.
	if err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
		// src, and its product with each channel
		sums := newWindowSums(w, h, y0, func(y int, row [][4]float32) {
			pix := l.pix[3*y*w : 3*(y+1)*w]
			for x, s := range src[y*w : (y+1)*w] {
				row[x] = [4]float32{s, s * pix[3*x], s * pix[3*x+1], s * pix[3*x+2]}
			}
		})
		for y := y0; y < y1; y++ {
			sums.next()
			for x, near := range l.near[y*w : (y+1)*w] {
				if !near {
					continue
				}
				i := y*w + x
				s := sums.at(x)
				k := 1 / l.count[i]
				p := s[0] * k
				m := l.mean[3*i : 3*i+3 : 3*i+3]
				r, g, b := s[1]*k-p*m[0], s[2]*k-p*m[1], s[3]*k-p*m[2]
				q := &l.inverse[i]
				a0 := q[0]*r + q[1]*g + q[2]*b
				a1 := q[1]*r + q[3]*g + q[4]*b
				a2 := q[2]*r + q[4]*g + q[5]*b
				work[i] = [4]float32{a0, a1, a2, p - a0*m[0] - a1*m[1] - a2*m[2]}
			}
		}
	}); err != nil {
		return err
	}
	return raster.Rows(ctx, 0, h, func(y0, y1 int) {
		sums := newWindowSums(w, h, y0,
			func(y int, row [][4]float32) { copy(row, work[y*w:(y+1)*w]) })
		for y := y0; y < y1; y++ {
			sums.next()
			for x, k := range l.known[y*w : (y+1)*w] {
				if k != Unknown {
					continue
				}
				i := y*w + x
				s := sums.at(x)
				pix := l.pix[3*i : 3*i+3 : 3*i+3]
				dst[i] = l.count[i]*src[i] - s[0]*pix[0] - s[1]*pix[1] - s[2]*pix[2] - s[3]
			}
		}
	})
}

// windowSums are sums of four values over windows of 3 by 3 pixels, row by row.
type windowSums struct {
	y, h    int // the row that comes next
	fill    func(y int, row [][4]float32)
	rows    [3][][4]float32
	columns [][4]float32 // sums over three rows, with a pixel of 0 at both ends
}

// newWindowSums returns the sums from a row on, of values that fill writes for a row.
func newWindowSums(w, h, y int, fill func(y int, row [][4]float32)) *windowSums {
	s := &windowSums{y: y, h: h, fill: fill, columns: make([][4]float32, w+2)}
	for i := range s.rows {
		s.rows[i] = make([][4]float32, w)
	}
	for v := max(y-1, 0); v <= y; v++ {
		fill(v, s.rows[v%3])
	}
	return s
}

// next goes on to the next row.
func (s *windowSums) next() {
	last := s.rows[(s.y+1)%3]
	if s.y+1 < s.h {
		s.fill(s.y+1, last)
	} else {
		clear(last)
	}
	a, b, c := s.rows[0], s.rows[1], s.rows[2]
	for x := range a {
		for k := range 4 {
			s.columns[x+1][k] = a[x][k] + b[x][k] + c[x][k]
		}
	}
	s.y++
}

// at returns the sums over the window round a pixel of the row.
func (s *windowSums) at(x int) (out [4]float32) {
	c := s.columns[x : x+3 : x+3]
	for k := range out {
		out[k] = c[0][k] + c[1][k] + c[2][k]
	}
	return out
}
