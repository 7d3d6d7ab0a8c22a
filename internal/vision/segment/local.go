package segment

import (
	"context"
	"image"

	"pyrant/internal/base/raster"
	"pyrant/internal/vision/edge"
)

// What models of a neighbourhood are made of: squares of so many pixels, with what lies within so
// many more round them, of at most so many samples a side.
const (
	square    = 48
	beside    = 48
	heard     = 1200
	fewest    = 30
	unsettled = 0.4 // what a sample counts whose side is not certain
)

// local returns for the unknown pixels of a sheet how much more their colours are like those of the
// inside than of the outside in their neighbourhood, as a logarithm: what is alike far away says
// little at an edge. Between the middles of squares what these say goes over from one to the other.
// Where one side is not there those of all of the photo say it.
func (c *Cut) local(ctx context.Context, s *edge.Sheet, seed []uint8,
	models pair) ([]float32, error) {
	w, h := s.Rect.Dx(), s.Rect.Dy()
	all := image.Rect(0, 0, w, h)
	nx, ny := (w+square-1)/square, (h+square-1)/square
	squares := make([]pair, nx*ny)
	if err := raster.Each(ctx, nx*ny, func(n int) {
		own := image.Rect(0, 0, square, square).Add(image.Pt(n%nx*square, n/nx*square))
		// The last of a row speaks for what lies beyond its middle as well.
		reach := own.Inset(-(square + 1) / 2).Intersect(all)
		for y := reach.Min.Y; y < reach.Max.Y; y++ {
			for x := reach.Min.X; x < reach.Max.X; x++ {
				if seed[y*w+x] == unknown {
					squares[n] = c.near(ctx, s, seed, models, own.Inset(-beside).Intersect(all))
					return
				}
			}
		}
	}); err != nil {
		return nil, err
	}
	out := make([]float32, w*h)
	return out, raster.Rows(ctx, 0, h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			a, b, v := between(y, ny)
			for x := range w {
				i := y*w + x
				if seed[i] != unknown {
					continue
				}
				p, q, u := between(x, nx)
				at := sampleOf(s, i)
				for _, k := range [...]struct {
					n      int
					weight float32
				}{{a*nx + p, (1 - v) * (1 - u)}, {a*nx + q, (1 - v) * u}, {b*nx + p, v * (1 - u)},
					{b*nx + q, v * u}} {
					if k.weight > 0 {
						out[i] += k.weight * squares[k.n].compare(at)
					}
				}
			}
		}
	})
}

// between returns the two of n squares between whose middles a pixel lies, and how far from the
// first.
func between(x, n int) (a, b int, t float32) {
	at := (float32(x)+0.5)/square - 0.5
	a = int(at)
	if at < 0 {
		return 0, 0, 0
	}
	if a >= n-1 {
		return n - 1, n - 1, 0
	}
	return a, a + 1, at - float32(a)
}

// near returns the models of both sides within a part of a sheet.
func (c *Cut) near(ctx context.Context, s *edge.Sheet, seed []uint8, models pair,
	r image.Rectangle) pair {
	w := s.Rect.Dx()
	var count [2]int
	side := func(i int) int {
		if c.In[i] {
			return 0
		}
		return 1
	}
	for y := r.Min.Y; y < r.Max.Y; y++ {
		for x := r.Min.X; x < r.Max.X; x++ {
			count[side(y*w+x)]++
		}
	}
	if min(count[0], count[1]) < fewest {
		return models
	}
	var samples [2][]sample
	var weight [2][]float32
	var seen [2]int
	for y := r.Min.Y; y < r.Max.Y; y++ {
		for x := r.Min.X; x < r.Max.X; x++ {
			i := y*w + x
			k := side(i)
			// Evenly spread over all of them.
			seen[k]++
			if count[k] > heard && seen[k]*heard/count[k] == (seen[k]-1)*heard/count[k] {
				continue
			}
			v := float32(1)
			if seed[i] == unknown {
				v = unsettled
			}
			samples[k] = append(samples[k], sampleOf(s, i))
			weight[k] = append(weight[k], v)
		}
	}
	return pair{fit(ctx, samples[0], weight[0], parts/2), fit(ctx, samples[1], weight[1], parts/2)}
}
