// Package matting finds how far each pixel near the edge of a thing belongs to it, and what colour
// the thing has there without that of what is behind it.
//
// A pixel's light is a mixture, alpha·F + (1 - alpha)·B, of that of the thing and of that behind
// it. Both are sought among the pixels that are certain, in some directions from the pixel; of all
// pairs the one is taken that explains its light best from near by, and the answers of neighbours
// of like colour are put together, by how well each is known (after Gastal and Oliveira 2010).
//
// Soft does so along an edge that is a few pixels wide. Levels solves wide parts, such as hair and
// cloth, on a pyramid: coverage by the matting Laplacian (Levin, Lischinski and Weiss 2008) and by
// what explains a pixel's colour, and both colours by smoothness (Germer et al. 2020).
package matting

import (
	"context"
	"math"

	"pyrant/internal/base/raster"
)

// Picture is a picture in linear light, three values a pixel.
type Picture struct {
	W, H int
	Pix  []float32
}

// What of a picture is known.
const (
	Unknown uint8 = iota
	Thing         // the pixel is all of the thing
	Behind        // the pixel is all of what is behind it
)

// directions is how many ways from a pixel are looked along.
const directions = 12

// Soft returns the coverage of each pixel, and the light of the thing at those that are unknown, as
// three values a pixel: elsewhere it is the picture's own. reach is how far the certain pixels are
// sought, in pixels.
func Soft(ctx context.Context, p Picture, known []uint8,
	reach int) (alpha, colours []float32, err error) {
	w, h := p.W, p.H
	alpha, colours = make([]float32, w*h), append([]float32(nil), p.Pix...)
	sure := make([]float32, w*h)
	raw, light := make([]float32, w*h), make([]float32, 3*w*h)
	if err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
		for i := y0 * w; i < y1*w; i++ {
			switch known[i] {
			case Thing:
				raw[i], sure[i] = 1, 1
			case Behind:
				sure[i] = 1
			default:
				raw[i], sure[i] = p.explain(i, known, reach, light[3*i:3*i+3])
			}
			if known[i] != Unknown {
				copy(light[3*i:3*i+3], p.Pix[3*i:3*i+3])
			}
		}
	}); err != nil {
		return nil, nil, err
	}
	// The answers of neighbours.
	const near = 3
	err = raster.Rows(ctx, 0, h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range w {
				i := y*w + x
				if known[i] != Unknown {
					alpha[i] = raw[i]
					continue
				}
				var sum, all, bright float32
				var c [3]float32
				for v := max(y-near, 0); v <= min(y+near, h-1); v++ {
					for u := max(x-near, 0); u <= min(x+near, w-1); u++ {
						j := v*w + u
						d := gap(p.Pix[3*i:], p.Pix[3*j:])
						k := sure[j] * float32(math.Exp(float64(-d/0.0008))) /
							float32(1+(u-x)*(u-x)+(v-y)*(v-y))
						sum += k * raw[j]
						all += k
						// Where there is little of the thing little is known of its colour.
						for q := range c {
							c[q] += k * (raw[j] + 0.02) * light[3*j+q]
						}
						bright += k * (raw[j] + 0.02)
					}
				}
				alpha[i] = raw[i]
				if all > 1e-6 {
					alpha[i] = sum / all
				}
				for q := range c {
					if bright > 1e-6 {
						colours[3*i+q] = c[q] / bright
					} else {
						colours[3*i+q] = light[3*i+q]
					}
				}
			}
		}
	})
	return alpha, colours, err
}

// gap returns how far two colours lie apart, squared, as the eye sees dark ones: by square roots.
func gap(a, b []float32) (d float32) {
	for q := range 3 {
		v := float32(math.Sqrt(float64(max(a[q], 0))) - math.Sqrt(float64(max(b[q], 0))))
		d += v * v
	}
	return
}

// explain returns the coverage that explains a pixel's light best, how sure that is, and the light
// of the thing there.
func (p Picture) explain(i int, known []uint8, reach int, light []float32) (alpha, sure float32) {
	type found struct {
		at  int
		far float32
	}
	var thing, behind []found
	x, y := i%p.W, i/p.W
	turn := float64((x*7+y*3)%4) / 4 // neighbours look along other ways
	for d := range directions {
		sin, cos := math.Sincos(2 * math.Pi * (float64(d) + turn) / directions)
		var seen [3]bool
		for r := 1; r <= reach && !(seen[Thing] && seen[Behind]); r++ {
			u, v := x+int(math.Round(cos*float64(r))), y+int(math.Round(sin*float64(r)))
			if u < 0 || v < 0 || u >= p.W || v >= p.H {
				break
			}
			j := v*p.W + u
			if k := known[j]; k != Unknown && !seen[k] {
				seen[k] = true
				if k == Thing {
					thing = append(thing, found{j, float32(r)})
				} else {
					behind = append(behind, found{j, float32(r)})
				}
			}
		}
	}
	if len(thing) == 0 || len(behind) == 0 {
		copy(light, p.Pix[3*i:3*i+3])
		if len(thing) > 0 {
			return 1, 0.01
		}
		return 0, 0.01
	}
	c := p.Pix[3*i : 3*i+3]
	best := float32(math.Inf(1))
	var apart, rest float32
	for _, f := range thing {
		for _, b := range behind {
			var dot, length float32
			for q := range 3 {
				d := p.Pix[3*f.at+q] - p.Pix[3*b.at+q]
				dot += (c[q] - p.Pix[3*b.at+q]) * d
				length += d * d
			}
			if length < 1e-9 {
				continue
			}
			a := min(max(dot/length, 0), 1)
			var left [3]float32
			for q := range left {
				left[q] = max(a*p.Pix[3*f.at+q]+(1-a)*p.Pix[3*b.at+q], 0)
			}
			miss := gap(c, left[:])
			// Of those that explain it as well the nearer ones.
			if v := miss + 2e-5*(f.far+b.far)*(f.far+b.far)/4; v < best {
				best, alpha, rest = v, a, miss
				apart = gap(p.Pix[3*f.at:], p.Pix[3*b.at:])
				copy(light, p.Pix[3*f.at:3*f.at+3])
			}
		}
	}
	sure = float32(math.Exp(float64(-rest/0.002))) * (0.02 + min(apart/0.05, 1))
	return alpha, sure
}
