package segment

import (
	"context"
	"math"

	"pyrant/internal/base/raster"
	"pyrant/internal/vision/edge"
	"pyrant/internal/vision/maxflow"
)

// onward is where the four neighbours lie that a pixel has links to; it has others from the four
// opposite ones. By maxflow.Step.
var onward = [4][2]int{maxflow.Right: {1, 0}, maxflow.DownRight: {1, 1}, maxflow.Down: {0, 1},
	maxflow.DownLeft: {-1, 1}}

// gapsOf returns how far the colour of each pixel of a sheet lies from those of its neighbours
// onward, four of a pixel, 0 where there is no neighbour.
func gapsOf(ctx context.Context, s *edge.Sheet) ([]float32, error) {
	w, h := s.Rect.Dx(), s.Rect.Dy()
	out := make([]float32, 4*w*h)
	return out, raster.Rows(ctx, 0, h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range w {
				for d, to := range onward {
					if u, v := x+to[0], y+to[1]; u >= 0 && u < w && v < h {
						out[4*(y*w+x)+d] = edge.Gap(s.Colour(y*w+x), s.Colour(v*w+u))
					}
				}
			}
		}
	})
}

// linksOf returns the gaps of a sheet, and what it costs to cut between each of its pixels and the
// neighbours onward, four of a pixel: the less, the farther their colours lie apart, for the
// contrast that the sheet has.
func linksOf(ctx context.Context, s *edge.Sheet) (gaps []float32, links []int32, err error) {
	if gaps, err = gapsOf(ctx, s); err != nil {
		return nil, nil, err
	}
	w := s.Rect.Dx()
	sum := 0.0
	for i := 0; i < len(gaps); i += 4 {
		sum += float64(gaps[i]) * float64(gaps[i])
	}
	whole := 3 * sum / float64(max(len(gaps)/4-len(gaps)/4/w, 1))
	links = make([]int32, len(gaps))
	return gaps, links, raster.Rows(ctx, 0, len(gaps)/4/w, func(y0, y1 int) {
		for i := 4 * y0 * w; i < 4*y1*w; i++ {
			gap := float64(gaps[i])
			k := always + (ofEdge-always)*math.Exp(-gap*gap/whole)
			if i%2 == 1 { // aslant
				k /= math.Sqrt2
			}
			links[i] = int32(k * resolution / 4)
		}
	})
}
