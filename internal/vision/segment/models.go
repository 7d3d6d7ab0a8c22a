package segment

import (
	"context"
	"math"

	"pyrant/internal/base/colour"
)

// parts is how many Gaussians stand for the colours of one side.
const parts = 14

// sample is a colour where it was seen, in shares of the long edge.
type sample struct {
	colour [3]float32
	x, y   float32
}

// gauss is one Gaussian: its share, the mean and covariance of its colours, and where it is: the
// same grey may be glass on a breastplate and stone beside a foot.
type gauss struct {
	mean [3]float32
	// of the covariance: xx, xy, xz, yy, yz, zz; with the first, fourth and last halved
	inverse [6]float32
	x, y    float32
	spread  float32 // one by twice the variance of its place
	share   float32 // by that variance
	height  float32 // one by the root of the determinant
}

// model is the colours of one side as a mixture of Gaussians.
type model []gauss

// What noise makes of one colour, as a variance along each axis; how near places must lie to count
// as one; and what a place counts against a colour in sorting samples.
const (
	floor    = 0.0002
	nearby   = 0.05
	ofPlaces = 0.35
	far      = 0.02 // what a Gaussian counts however far it lies
)

// pair is the models of the inside and of the outside.
type pair [2]model

// compare returns how much more a colour goes with the inside than with the outside, as a
// logarithm.
func (p *pair) compare(s sample) float32 {
	return min(max(p[0].log(s)-p[1].log(s), -most), most)
}

// fit makes a model of samples, which weigh as told, by k-means from means spread over them and the
// moments of each cluster.
func fit(ctx context.Context, samples []sample, weight []float32, parts int) model {
	n := len(samples)
	if n == 0 {
		return nil
	}
	k := min(parts, n)
	type point [5]float64
	at := func(i int) point {
		s := &samples[i]
		return point{float64(s.colour[0]), float64(s.colour[1]), float64(s.colour[2]),
			ofPlaces * float64(s.x), ofPlaces * float64(s.y)}
	}
	gap := func(a, b point) (d float64) {
		for q := range a {
			d += (a[q] - b[q]) * (a[q] - b[q])
		}
		return
	}
	mean := make([]point, 0, k)
	near := make([]float64, n)
	for i := range near {
		near[i] = math.Inf(1)
	}
	next := n / 2
	// the one farthest from all means so far (Gonzalez 1985)
	for len(mean) < k && ctx.Err() == nil {
		mean = append(mean, at(next))
		next = 0
		for i := range samples {
			near[i] = min(near[i], gap(at(i), mean[len(mean)-1]))
			if near[i]*float64(weight[i]) > near[next]*float64(weight[next]) {
				next = i
			}
		}
	}
	type moments struct {
		w    float64
		sum  point
		prod [6]float64
		far  float64
	}
	var m []moments
	for range 5 {
		m = make([]moments, k)
		for i := range samples {
			if i%4096 == 0 && ctx.Err() != nil {
				return nil // whoever asked finds that it was cancelled
			}
			p := at(i)
			best, to := math.Inf(1), 0
			for j := range mean {
				if d := gap(p, mean[j]); d < best {
					best, to = d, j
				}
			}
			w := float64(weight[i])
			s := &m[to]
			s.w += w
			for q := range p {
				s.sum[q] += w * p[q]
			}
			for q, v := range [...]float64{p[0] * p[0], p[0] * p[1], p[0] * p[2], p[1] * p[1],
				p[1] * p[2], p[2] * p[2]} {
				s.prod[q] += w * v
			}
			s.far += w * (p[3]*p[3] + p[4]*p[4])
		}
		for j := range mean {
			if m[j].w > 0 {
				for q := range mean[j] {
					mean[j][q] = m[j].sum[q] / m[j].w
				}
			}
		}
	}
	total := 0.0
	for _, s := range m {
		total += s.w
	}
	var out model
	for j, s := range m {
		if s.w <= 0 {
			continue
		}
		u := mean[j]
		var c [6]float64
		for q, v := range [...]float64{u[0] * u[0], u[0] * u[1], u[0] * u[2], u[1] * u[1],
			u[1] * u[2], u[2] * u[2]} {
			c[q] = s.prod[q]/s.w - v
		}
		c[0], c[3], c[5] = c[0]+floor, c[3]+floor, c[5]+floor
		det := c[0]*(c[3]*c[5]-c[4]*c[4]) - c[1]*(c[1]*c[5]-c[4]*c[2]) + c[2]*(c[1]*c[4]-c[3]*c[2])
		if det < 1e-18 {
			continue
		}
		place := (s.far/s.w-u[3]*u[3]-u[4]*u[4])/2/(ofPlaces*ofPlaces) + nearby*nearby
		g := gauss{mean: [3]float32{float32(u[0]), float32(u[1]), float32(u[2])},
			x: float32(u[3] / ofPlaces), y: float32(u[4] / ofPlaces),
			spread: float32(1 / (2 * place)), share: float32(s.w / total / place),
			height: float32(1 / math.Sqrt(det))}
		for q, v := range [...]float64{
			(c[3]*c[5] - c[4]*c[4]) / 2, c[2]*c[4] - c[1]*c[5], c[1]*c[4] - c[2]*c[3],
			(c[0]*c[5] - c[2]*c[2]) / 2, c[1]*c[2] - c[0]*c[4], (c[0]*c[3] - c[1]*c[1]) / 2} {
			g.inverse[q] = float32(v / det)
		}
		out = append(out, g)
	}
	return out
}

// log returns the logarithm of the density of a colour at a place, up to a constant that is the
// same for all models: of the Gaussians of those that lie near. Where a side lies does not speak
// for it, only what colours it has there.
func (m model) log(s sample) float32 {
	sum, all := float32(1e-9), float32(1e-6)
	for i := range m {
		g := &m[i]
		x, y, z := s.colour[0]-g.mean[0], s.colour[1]-g.mean[1], s.colour[2]-g.mean[2]
		u, w := s.x-g.x, s.y-g.y
		v := &g.inverse
		here := g.share * (colour.ExpNeg(g.spread*(u*u+w*w)) + far)
		all += here
		if d := v[0]*x*x + v[3]*y*y + v[5]*z*z + v[1]*x*y + v[2]*x*z + v[4]*y*z; d < 40 {
			sum += here * g.height * colour.ExpNeg(max(d, 0))
		}
	}
	return float32(math.Log(float64(sum / all)))
}
