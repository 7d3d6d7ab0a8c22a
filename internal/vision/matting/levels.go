package matting

import (
	"context"
	"math"
	"slices"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/raster"
)

// Solution is the coverage of an object at each pixel of a picture, and the linear colours of
// object and background there, three values a pixel.
type Solution struct {
	W, H           int
	Alpha          []float32
	Object, Behind []float32
	varies         [2]float32 // spread of the brightness of object and background, see varied
}

// noise is the standard deviation assumed for a pixel of a photo, by its brightness in linear
// light: about one step of 8 bits.
func noise(luma float32) float32 {
	return 0.0015 + 0.012*float32(math.Sqrt(float64(max(luma, 0))))
}

// smallest is the long edge of the coarsest level, at most.
const smallest = 320

// Levels solves for the coverage of a picture from coarse to fine: at each level the colours of
// object and background found at the coarser one say what coverage explains a pixel's own colour,
// and the matting Laplacian how coverage goes on from pixel to pixel.
func Levels(ctx context.Context, p Picture, known []uint8) (*Solution, error) {
	type level struct {
		Picture
		known []uint8
	}
	all := []level{{p, known}}
	for max(all[0].W, all[0].H) > smallest {
		q, k := halved(all[0].Picture, all[0].known)
		all = append([]level{{q, k}}, all...)
	}
	s, err := begin(ctx, all[0].Picture, all[0].known, p, known)
	if err != nil {
		return nil, err
	}
	for n, l := range all {
		if n > 0 {
			s = s.scaled(l.W, l.H, 0, 0, 2)
		}
		s.varies = [2]float32{varied(l.Picture, l.known, Thing), varied(l.Picture, l.known, Behind)}
		for range rounds {
			if err := s.improve(ctx, l.Picture, l.known, solving, sweeps); err != nil {
				return nil, err
			}
		}
	}
	return s, nil
}

// halved returns a picture and what is known of it at half the size. A pixel is certain where all
// that it is made of are, and alike.
func halved(p Picture, known []uint8) (Picture, []uint8) {
	q := Picture{W: (p.W + 1) / 2, H: (p.H + 1) / 2}
	q.Pix = make([]float32, 3*q.W*q.H)
	k := make([]uint8, q.W*q.H)
	for y := range q.H {
		for x := range q.W {
			i := y*q.W + x
			k[i] = known[2*y*p.W+2*x]
			n := float32(0)
			for v := 2 * y; v < min(2*y+2, p.H); v++ {
				for u := 2 * x; u < min(2*x+2, p.W); u++ {
					j := v*p.W + u
					if known[j] != k[i] {
						k[i] = Unknown
					}
					for c := range 3 {
						q.Pix[3*i+c] += p.Pix[3*j+c]
					}
					n++
				}
			}
			for c := range 3 {
				q.Pix[3*i+c] /= n
			}
		}
	}
	return q, k
}

// scaled returns the part of a solution with the corner at (x, y) on a grid of w by h pixels, step
// of which make one of its own, between its pixels linearly.
func (s *Solution) scaled(w, h int, x0, y0, step float32) *Solution {
	out := &Solution{W: w, H: h, Alpha: make([]float32, w*h), Object: make([]float32, 3*w*h),
		Behind: make([]float32, 3*w*h), varies: s.varies}
	for y := range h {
		v := min(max((y0+float32(y)+0.5)/step-0.5, 0), float32(s.H-1))
		v0 := min(int(v), max(s.H-2, 0))
		dv := v - float32(v0)
		v1 := min(v0+1, s.H-1)
		for x := range w {
			u := min(max((x0+float32(x)+0.5)/step-0.5, 0), float32(s.W-1))
			u0 := min(int(u), max(s.W-2, 0))
			du := u - float32(u0)
			u1 := min(u0+1, s.W-1)
			a, b, c, d := v0*s.W+u0, v0*s.W+u1, v1*s.W+u0, v1*s.W+u1
			mix := func(p []float32, n, k int) float32 {
				return (1-dv)*((1-du)*p[n*a+k]+du*p[n*b+k]) + dv*((1-du)*p[n*c+k]+du*p[n*d+k])
			}
			i := y*w + x
			out.Alpha[i] = mix(s.Alpha, 1, 0)
			for k := range 3 {
				out.Object[3*i+k] = mix(s.Object, 3, k)
				out.Behind[3*i+k] = mix(s.Behind, 3, k)
			}
		}
	}
	return out
}

// sample is a certain pixel, by its place on the coarsest level.
type sample struct {
	x, y   float32
	colour [3]float32
}

// samples returns at most so many pixels of which something is known, evenly out of all: of the
// coarsest level, or of the picture itself where there are too few.
func samples(small Picture, smallKnown []uint8, p Picture, known []uint8, what uint8,
	most int) (out []sample) {
	of := func(p Picture, known []uint8) []sample {
		var at []int
		for i, k := range known {
			if k == what {
				at = append(at, i)
			}
		}
		k := float32(small.W) / float32(p.W)
		var list []sample
		for n := range min(most, len(at)) {
			i := at[n*len(at)/min(most, len(at))]
			list = append(list, sample{(float32(i%p.W) + 0.5) * k, (float32(i/p.W) + 0.5) * k,
				[3]float32(p.Pix[3*i : 3*i+3])})
		}
		return list
	}
	if out = of(small, smallKnown); len(out) < most/8 {
		out = append(out, of(p, known)...)
	}
	return out
}

// Counts of samples of object and background: all of them, and for each pixel the nearest and some
// spread over the rest.
const (
	objectSamples, behindSamples = 256, 768
	nearObject, nearBehind       = 8, 12
	farObject, farBehind         = 12, 24
)

// Part returns the part of a solution that lies over a picture of w by h pixels, step of which make
// one of its own, with the corner at (x, y) of them, refined by that picture where coverage is
// mixed or changes.
func (s *Solution) Part(ctx context.Context, p Picture, known []uint8, x, y, step int) (*Solution,
	error) {
	out := s.scaled(p.W, p.H, float32(x), float32(y), float32(step))
	if step == 1 {
		return out, nil
	}
	known = slices.Clone(known)
	for i, k := range known {
		if k == Unknown {
			known[i] = s.even((x+i%p.W)/step, (y+i/p.W)/step)
		}
	}
	return out, out.improve(ctx, p, known, refining, refiningSweeps)
}

// even returns Thing or Behind if coverage is 1 or 0, within a step of 8 bits, at all pixels near
// one, else Unknown.
func (s *Solution) even(x, y int) uint8 {
	const reach, step = 2, 1. / 255
	least, most := float32(1), float32(0)
	for v := max(y-reach, 0); v <= min(y+reach, s.H-1); v++ {
		for _, a := range s.Alpha[v*s.W+max(x-reach, 0) : v*s.W+min(x+reach+1, s.W)] {
			least, most = min(least, a), max(most, a)
		}
	}
	switch {
	case most < step:
		return Behind
	case least > 1-step:
		return Thing
	}
	return Unknown
}

// begin returns a first solution of a small picture: for each unknown pixel, of certain pixels near
// and far, the pair of object and background that explains its colour best from nearest.
func begin(ctx context.Context, small Picture, smallKnown []uint8, p Picture,
	known []uint8) (*Solution, error) {
	object := samples(small, smallKnown, p, known, Thing, objectSamples)
	behind := samples(small, smallKnown, p, known, Behind, behindSamples)
	w, h := small.W, small.H
	s := &Solution{W: w, H: h, Alpha: make([]float32, w*h),
		Object: append([]float32(nil), small.Pix...), Behind: append([]float32(nil), small.Pix...)}
	weight := make([]float32, w*h)
	if len(object) == 0 || len(behind) == 0 {
		return s, nil
	}
	if err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
		var f, b []sample
		for i := y0 * w; i < y1*w; i++ {
			switch smallKnown[i] {
			case Thing:
				s.Alpha[i] = 1
			case Behind:
			default:
				x, y := float32(i%w)+0.5, float32(i/w)+0.5
				f = candidates(f[:0], object, x, y, nearObject, farObject, i)
				b = candidates(b[:0], behind, x, y, nearBehind, farBehind, i)
				s.Alpha[i], weight[i] = s.best(small, i, f, b)
			}
		}
	}); err != nil {
		return nil, err
	}
	want := append([]float32(nil), s.Alpha...)
	if err := s.cover(ctx, small, smallKnown, want, weight, firstSolving); err != nil {
		return nil, err
	}
	return s, s.colours(ctx, small, smallKnown, firstSweeps)
}

// candidates appends the samples nearest to a place, and some of all others.
func candidates(out []sample, all []sample, x, y float32, near, far, turn int) []sample {
	var dist [32]float32
	for _, s := range all {
		d := (s.x-x)*(s.x-x) + (s.y-y)*(s.y-y)
		n := len(out)
		if n == near && d >= dist[n-1] {
			continue
		}
		if n < near {
			out = append(out, s)
			n++
		}
		k := n - 1
		for k > 0 && dist[k-1] > d {
			dist[k], out[k] = dist[k-1], out[k-1]
			k--
		}
		dist[k], out[k] = d, s
	}
	for n := range min(far, len(all)) {
		out = append(out, all[(n*len(all)/far+turn*7)%len(all)])
	}
	return out
}

// best sets the colours of the pair that explains a pixel best, and returns the coverage that it
// gives and how much that counts.
func (s *Solution) best(p Picture, i int, object, behind []sample) (alpha, weight float32) {
	x, y := float32(i%p.W)+0.5, float32(i/p.W)+0.5
	c := p.Pix[3*i : 3*i+3]
	v := noise((c[0] + c[1] + c[2]) / 3)
	v *= v
	long := float32(max(p.W, p.H))
	least := float32(math.Inf(1))
	far := func(s sample) float32 {
		return ((s.x-x)*(s.x-x) + (s.y-y)*(s.y-y)) / (long * long)
	}
	// The nearest samples come first.
	nearest := far(object[0]) + far(behind[0])
	for _, f := range object {
		df := far(f)
		for _, b := range behind {
			var dot, length float32
			for k := range 3 {
				d := f.colour[k] - b.colour[k]
				dot += (c[k] - b.colour[k]) * d
				length += d * d
			}
			if length < 1e-9 {
				continue
			}
			a := min(max(dot/length, 0), 1)
			var miss float32
			for k := range 3 {
				d := c[k] - a*f.colour[k] - (1-a)*b.colour[k]
				miss += d * d
			}
			cost := miss/v + nearness*(df+far(b)-nearest)
			if cost < least {
				least, alpha = cost, a
				bright := spread * (c[0] + c[1] + c[2]) / 3
				weight = length / (v + bright*bright + 0.1*length)
				copy(s.Object[3*i:3*i+3], f.colour[:])
				copy(s.Behind[3*i:3*i+3], b.colour[:])
			}
		}
	}
	return alpha, weight * float32(math.Exp(-float64(least/misfit)))
}

// Weights and counts of the search for coverage. Those without a source were chosen on scenes of
// scripts/fringes with the seeds 1 to 30; see docs/benchmarks.md.
const (
	// of explaining a pixel's colour, against the Laplacian
	colourWeight = 0.005
	// how much more often a pixel is wholly object or background than a given mixture
	pure = 20
	// steps of conjugate gradients, and sweeps over the colours, in a round; rounds at a level
	solving, sweeps, rounds = 14, 6, 2
	// the same when the photo's own pixels are refined from a coarser solution
	refining, refiningSweeps = 5, 3
	// the same in the first search
	firstSolving, firstSweeps = 80, 20
	// cost of samples farther away than the nearest by the long edge
	nearness = 1000
	// how much the light of certain pixels varies, as a share of its brightness, in the first
	// search
	spread = 0.06
	// misfit from which on a pair of the first search says little
	misfit = 50
)

// improve finds coverage anew for the colours of a solution, and then the colours for that.
func (s *Solution) improve(ctx context.Context, p Picture, known []uint8, solving,
	sweeps int) error {
	n := s.W * s.H
	want, weight := make([]float32, n), make([]float32, n)
	object, behind := s.varies[0], s.varies[1]
	if err := raster.Rows(ctx, 0, s.H, func(y0, y1 int) {
		for i := y0 * s.W; i < y1*s.W; i++ {
			switch known[i] {
			case Thing:
				s.Alpha[i] = 1
			case Behind:
				s.Alpha[i] = 0
			default:
				want[i], weight[i] = s.explained(p, i, object, behind)
			}
		}
	}); err != nil {
		return err
	}
	if err := s.cover(ctx, p, known, want, weight, solving); err != nil {
		return err
	}
	return s.colours(ctx, p, known, sweeps)
}

// cover moves the coverage of unknown pixels towards what is wanted, smoothed by the Laplacian.
func (s *Solution) cover(ctx context.Context, p Picture, known []uint8, want, weight []float32,
	steps int) error {
	l, err := newLaplacian(ctx, p, known)
	if err != nil {
		return err
	}
	if err := solve(ctx, l, known, s.Alpha, want, weight, steps); err != nil {
		return err
	}
	for i := range s.Alpha {
		s.Alpha[i] = min(max(s.Alpha[i], 0), 1)
	}
	return nil
}

// varied returns how much the brightness of pixels of which something is known differs from pixel
// to pixel of a window, as a share of their brightness.
func varied(p Picture, known []uint8, what uint8) float32 {
	const r = 3
	var sum, n float64
	for y := r; y < p.H-r; y += r {
		for x := r; x < p.W-r; x += r {
			var m, q, all float64
			for v := y - r; v <= y+r; v++ {
				for u := x - r; u <= x+r; u++ {
					if j := v*p.W + u; known[j] == what {
						l := float64(p.Pix[3*j] + p.Pix[3*j+1] + p.Pix[3*j+2])
						m, q, all = m+l, q+l*l, all+1
					}
				}
			}
			if all > r*r && m > 0 {
				m, q = m/all, q/all
				sum += max(q-m*m, 0) / (m * m)
				n++
			}
		}
	}
	return float32(math.Sqrt(sum / max(n, 1)))
}

// tries is how many coverages are tried for a pixel.
const tries = 16

// explained returns the coverage that explains the colour of a pixel, and how much that counts: the
// mean over all coverages by how likely each makes the colour. The light of object and background
// vary in brightness by so much of it, beside the noise (Chuang et al. 2001).
func (s *Solution) explained(p Picture, i int, object, behind float32) (alpha, weight float32) {
	c, f, b := p.Pix[3*i:3*i+3], s.Object[3*i:3*i+3], s.Behind[3*i:3*i+3]
	sigma := noise((c[0] + c[1] + c[2]) / 3)
	v := 1 / (sigma * sigma)
	// The covariance of the residual r = c - a·f - (1-a)·b = e - a·d is that of the noise plus
	// multiples of f·fᵀ and b·bᵀ. By Woodbury's identity its inverse and determinant need only
	// scalar products.
	var ee, ed, dd, ef, df, eb, db, ff, fb, bb float32
	for q := range 3 {
		e, d := c[q]-b[q], f[q]-b[q]
		ee, ed, dd = ee+e*e, ed+e*d, dd+d*d
		ef, df, eb, db = ef+e*f[q], df+d*f[q], eb+e*b[q], db+d*b[q]
		ff, fb, bb = ff+f[q]*f[q], fb+f[q]*b[q], bb+b[q]*b[q]
	}
	var miss, det [tries + 1]float32
	least := float32(math.Inf(1))
	for n := range miss {
		a := float32(n) / tries
		k, l := v*a*a*object*object, v*(1-a)*(1-a)*behind*behind
		rr, rf, rb := ee-2*a*ed+a*a*dd, ef-a*df, eb-a*db
		det[n] = (1+k*ff)*(1+l*bb) - k*l*fb*fb
		miss[n] = max(v*(rr-(k*(1+l*bb)*rf*rf-2*k*l*fb*rf*rb+l*(1+k*ff)*rb*rb)/det[n]), 0)
		least = min(least, miss[n])
	}
	var sum, mean, sq float32
	for n := range miss {
		w := colour.ExpNeg(0.5*(miss[n]-least)) / float32(math.Sqrt(float64(det[n])))
		if n == 0 || n == tries {
			w *= pure // most pixels are wholly the one or the other
		}
		a := float32(n) / tries
		sum += w
		mean += w * a
		sq += w * a * a
	}
	mean /= sum
	return mean, colourWeight / (max(sq/sum-mean*mean, 0) + 0.002)
}

// solve minimises the Laplacian's energy plus the weighted squared distances to what is wanted,
// over the pixels that are unknown, from alpha on, by conjugate gradients (Hestenes and Stiefel
// 1952).
func solve(ctx context.Context, l *laplacian, known []uint8, alpha, want, weight []float32,
	steps int) error {
	n := len(alpha)
	work := make([][4]float32, n)
	res, dir, prod := make([]float32, n), make([]float32, n), make([]float32, n)
	if err := l.apply(ctx, prod, alpha, work); err != nil {
		return err
	}
	// sum calls each for every unknown pixel, and adds up the results in a fixed order.
	rows := make([]float64, l.h)
	sum := func(each func(i int) float32) (float64, error) {
		err := raster.Rows(ctx, 0, l.h, func(y0, y1 int) {
			for y := y0; y < y1; y++ {
				var s float64
				for i := y * l.w; i < (y+1)*l.w; i++ {
					if known[i] == Unknown {
						s += float64(each(i))
					}
				}
				rows[y] = s
			}
		})
		var all float64
		for _, s := range rows {
			all += s
		}
		return all, err
	}
	rz, err := sum(func(i int) float32 {
		res[i] = weight[i]*(want[i]-alpha[i]) - prod[i]
		dir[i] = res[i] / (l.count[i] + weight[i])
		return res[i] * dir[i]
	})
	for range steps {
		if err != nil || rz < 1e-9 {
			return err
		}
		if err = l.apply(ctx, prod, dir, work); err != nil {
			return err
		}
		var dp, next float64
		if dp, err = sum(func(i int) float32 {
			prod[i] += weight[i] * dir[i]
			return dir[i] * prod[i]
		}); err != nil || dp <= 0 {
			return err
		}
		k := float32(rz / dp)
		if next, err = sum(func(i int) float32 {
			alpha[i] += k * dir[i]
			res[i] -= k * prod[i]
			return res[i] * res[i] / (l.count[i] + weight[i])
		}); err != nil {
			return err
		}
		b := float32(next / rz)
		rz = next
		_, err = sum(func(i int) float32 {
			dir[i] = res[i]/(l.count[i]+weight[i]) + b*dir[i]
			return 0
		})
	}
	return err
}

// colours finds the light of object and background for a given coverage: light that explains the
// picture and is smooth, the more so where coverage changes (Germer et al. 2020).
func (s *Solution) colours(ctx context.Context, p Picture, known []uint8, sweeps int) error {
	const always, byCoverage = 0.1, 1.0
	w, h := s.W, s.H
	for i, k := range known {
		switch k {
		case Thing:
			copy(s.Object[3*i:3*i+3], p.Pix[3*i:3*i+3])
		case Behind:
			copy(s.Behind[3*i:3*i+3], p.Pix[3*i:3*i+3])
		}
	}
	object, behind := append([]float32(nil), s.Object...), append([]float32(nil), s.Behind...)
	for range sweeps {
		if err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
			for y := y0; y < y1; y++ {
				for x := range w {
					i := y*w + x
					if known[i] != Unknown {
						continue
					}
					a := s.Alpha[i]
					var all float32
					var f, b [3]float32
					for k, j := range [...]int{i - w, i + w, i - 1, i + 1} {
						if k == 0 && y == 0 || k == 1 && y == h-1 || k == 2 && x == 0 ||
							k == 3 && x == w-1 {
							continue
						}
						g := always + byCoverage*abs(a-s.Alpha[j])
						all += g
						for c := range 3 {
							f[c] += g * s.Object[3*j+c]
							b[c] += g * s.Behind[3*j+c]
						}
					}
					m00, m01, m11 := a*a+all, a*(1-a), (1-a)*(1-a)+all
					k := 1 / (m00*m11 - m01*m01)
					for c := range 3 {
						v := p.Pix[3*i+c]
						r0, r1 := a*v+f[c], (1-a)*v+b[c]
						object[3*i+c] = max(k*(m11*r0-m01*r1), 0)
						behind[3*i+c] = max(k*(m00*r1-m01*r0), 0)
					}
				}
			}
		}); err != nil {
			return err
		}
		s.Object, object = object, s.Object
		s.Behind, behind = behind, s.Behind
	}
	return nil
}

func abs(v float32) float32 { return max(v, -v) }
