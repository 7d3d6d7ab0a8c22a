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
	if err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range w {
				if !l.near[y*w+x] {
					continue
				}
				var p float32
				var cross [3]float32
				for v := max(y-1, 0); v <= min(y+1, h-1); v++ {
					for u := max(x-1, 0); u <= min(x+1, w-1); u++ {
						j := v*w + u
						s := src[j]
						p += s
						cross[0] += s * l.pix[3*j]
						cross[1] += s * l.pix[3*j+1]
						cross[2] += s * l.pix[3*j+2]
					}
				}
				i := y*w + x
				k := 1 / l.count[i]
				p *= k
				m := l.mean[3*i : 3*i+3]
				r := cross[0]*k - p*m[0]
				g := cross[1]*k - p*m[1]
				b := cross[2]*k - p*m[2]
				q := &l.inverse[i]
				a := [3]float32{q[0]*r + q[1]*g + q[2]*b, q[1]*r + q[3]*g + q[4]*b,
					q[2]*r + q[4]*g + q[5]*b}
				work[i] = [4]float32{a[0], a[1], a[2], p - a[0]*m[0] - a[1]*m[1] - a[2]*m[2]}
			}
		}
	}); err != nil {
		return err
	}
	return raster.Rows(ctx, 0, h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range w {
				if l.known[y*w+x] != Unknown {
					continue
				}
				var sum [4]float32
				for v := max(y-1, 0); v <= min(y+1, h-1); v++ {
					for u := max(x-1, 0); u <= min(x+1, w-1); u++ {
						q := &work[v*w+u]
						sum[0] += q[0]
						sum[1] += q[1]
						sum[2] += q[2]
						sum[3] += q[3]
					}
				}
				i := y*w + x
				dst[i] = l.count[i]*src[i] - sum[0]*l.pix[3*i] - sum[1]*l.pix[3*i+1] -
					sum[2]*l.pix[3*i+2] - sum[3]
			}
		}
	})
}
