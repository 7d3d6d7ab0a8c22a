package scribble

import (
	"context"
	"image"

	"pyrant/internal/edge"
	"pyrant/internal/raster"
)

// What models of a neighbourhood are made of: squares of so many pixels, with what lies within so many
// more round them, of at most so many samples a side.
const (
	square    = 48
	beside    = 48
	heard     = 1200
	fewest    = 30
	unsettled = 0.4 // what a sample counts whose side is not certain
)

// local returns for the unknown pixels of a sheet how much more their colours are like those of the
// inside than of the outside in their neighbourhood, as a logarithm: what is alike far away says
// little at an edge. Where one side is not there those of all of the photo say it.
func (c *Cut) local(ctx context.Context, s *edge.Sheet, seed []uint8, models pair) ([]float32, error) {
	w, h := s.Rect.Dx(), s.Rect.Dy()
	out := make([]float32, w*h)
	nx, ny := (w+square-1)/square, (h+square-1)/square
	err := raster.Each(ctx, nx*ny, func(n int) {
		own := image.Rect(0, 0, square, square).Add(image.Pt(n%nx*square, n/nx*square)).Intersect(image.Rect(0, 0, w, h))
		any := false
		for y := own.Min.Y; y < own.Max.Y && !any; y++ {
			for x := own.Min.X; x < own.Max.X; x++ {
				any = any || seed[y*w+x] == unknown
			}
		}
		if !any {
			return
		}
		r := own.Inset(-beside).Intersect(image.Rect(0, 0, w, h))
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
		near := models
		if min(count[0], count[1]) >= fewest {
			var samples [2][]sample
			var weight [2][]float32
			var seen [2]int
			for y := r.Min.Y; y < r.Max.Y; y++ {
				for x := r.Min.X; x < r.Max.X; x++ {
					i := y*w + x
					k := side(i)
					seen[k]++
					if seen[k]*heard/count[k] == (seen[k]-1)*heard/count[k] && count[k] > heard {
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
			for k := range near {
				near[k] = fit(samples[k], weight[k], 6)
			}
		}
		for y := own.Min.Y; y < own.Max.Y; y++ {
			for x := own.Min.X; x < own.Max.X; x++ {
				if i := y*w + x; seed[i] == unknown {
					out[i] = near.compare(sampleOf(s, i))
				}
			}
		}
	})
	return out, err
}
