package region

import (
	"math"

	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
)

const (
	spokes = 96 // directions
	// distances in each, every one the same factor farther than the one before
	rings             = 112
	nearest, farthest = 2.0, 240.0
)

// rays returns closed lines round a pixel along the strongest edges that face it, the best of
// each of some ranges of size. Directions and the logarithms of distances make a strip, in
// which a line round the pixel is a way from end to end (after Daugman 1993, who sought
// circles so); what bends little in it keeps its form at every size.
func rays(s *edge.Sheet, from int) (out [][]shape.Point) {
	w, h := s.Rect.Dx(), s.Rect.Dy()
	cx, cy := float64(from%w)+0.5, float64(from/w)+0.5
	grow := math.Pow(farthest/nearest, 1.0/(rings-1))
	var radius [rings]float64
	radius[0] = nearest
	for k := 1; k < rings; k++ {
		radius[k] = radius[k-1] * grow
	}
	strip := make([]float32, spokes*rings)
	for a := range spokes {
		sin, cos := math.Sincos(2 * math.Pi * float64(a) / spokes)
		for k, r := range radius {
			x, y := int(math.Floor(cx+r*cos)), int(math.Floor(cy+r*sin))
			if x < 0 || y < 0 || x >= w || y >= h {
				continue
			}
			i := y*w + x
			n := s.Across[i]
			facing := math.Abs(float64(n[0])*cos + float64(n[1])*sin)
			strip[a*rings+k] = -edge.Weigh(s.Ridge[i]) * float32(0.2+0.8*facing)
		}
	}
	for lo := 0; lo+rings/4 <= rings; lo += rings / 8 {
		k := rings / 4
		cost := make([]float32, spokes*k)
		for a := range spokes {
			copy(cost[a*k:(a+1)*k], strip[a*rings+lo:])
		}
		way := edge.Way(cost, spokes, k, true, 0.15)
		line := make([]shape.Point, spokes)
		for a, o := range way {
			sin, cos := math.Sincos(2 * math.Pi * float64(a) / spokes)
			line[a] = shape.Point{X: cx + radius[lo+o]*cos, Y: cy + radius[lo+o]*sin}
		}
		out = append(out, line)
	}
	return out
}
