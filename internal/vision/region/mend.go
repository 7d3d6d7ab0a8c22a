package region

import (
	"math"

	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
)

// tones is a set of colours as a few that stand for them all, each with its share.
type tones struct {
	mean  [][3]float32
	worth []float32 // what a colour of a small share is farther for
}

// tonesOf sorts colours to at most k by the nearest mean (Lloyd 1982), from means spread over
// the colours as they come.
func tonesOf(colours [][3]float32, k int) tones {
	if len(colours) == 0 {
		return tones{}
	}
	k = min(k, len(colours))
	mean := [][3]float32{colours[len(colours)/2]}
	near := make([]float32, len(colours))
	for i := range near {
		near[i] = float32(math.Inf(1))
	}
	for len(mean) < k { // the one farthest from all means so far (Gonzalez 1985)
		far := 0
		for i, c := range colours {
			near[i] = min(near[i], edge.Gap(c, mean[len(mean)-1]))
			if near[i] > near[far] {
				far = i
			}
		}
		mean = append(mean, colours[far])
	}
	var count []float32
	for range 3 {
		sum := make([][3]float32, k)
		count = make([]float32, k)
		for _, c := range colours {
			best, at := float32(math.Inf(1)), 0
			for j, m := range mean {
				if d := edge.Gap(c, m); d < best {
					best, at = d, j
				}
			}
			count[at]++
			for q := range c {
				sum[at][q] += c[q]
			}
		}
		for j := range mean {
			if count[j] > 0 {
				for q := range mean[j] {
					mean[j][q] = sum[j][q] / count[j]
				}
			}
		}
	}
	t := tones{mean: mean, worth: make([]float32, k)}
	for j := range count {
		t.worth[j] = 0.03 * float32(-math.Log(float64(max(count[j], 0.5))/float64(len(colours))))
	}
	return t
}

// gap returns how far a colour is from the nearest of the set.
func (t tones) gap(c [3]float32) float32 {
	best := float32(math.Inf(1))
	for j, m := range t.mean {
		best = min(best, edge.Gap(c, m)+t.worth[j])
	}
	return best
}

// mend moves a closed line on a sheet to where colours like those inside of it end and
// colours like those outside begin, no farther than reach, and along strong edges: a line
// that has gone over to the outer side of a frame for a while comes back.
func mend(s *edge.Sheet, line []shape.Point, reach float64) []shape.Point {
	pts := edge.Spaced(line, true, 1)
	n := len(pts)
	if n < 12 {
		return pts
	}
	w, h := s.Rect.Dx(), s.Rect.Dy()
	at := func(x, y float64) int {
		return min(max(int(math.Floor(y)), 0), h-1)*w + min(max(int(math.Floor(x)), 0), w-1)
	}
	half := int(reach)
	k := 2*half + 1
	smooth := edge.Soften(pts, 2)
	normal := make([]shape.Point, n) // outwards
	out := shape.Turn(pts) >= 0
	for i := range smooth {
		q, r := smooth[(i+1)%n], smooth[(i+n-1)%n]
		dx, dy := q.X-r.X, q.Y-r.Y
		l := math.Max(math.Hypot(dx, dy), 1e-9)
		normal[i] = shape.Point{X: dy / l, Y: -dx / l}
		if !out {
			normal[i] = shape.Point{X: -dy / l, Y: dx / l}
		}
	}
	all, tints := sidesOf(s, pts, whole), sidesOf(s, pts, tinted)
	cost := make([]float32, n*k)
	for i, p := range pts {
		row := cost[i*k : (i+1)*k]
		var sum float32
		for o := range row {
			d := float64(o - half)
			j := at(p.X+normal[i].X*d, p.Y+normal[i].Y*d)
			c := s.Colour(j)
			// What lies further in than an offset is inside if the edge is there.
			like := 0.6*all.alike(c) + 0.4*tints.alike(tinted(c))
			sum += like / 2
			row[o] = -0.5*sum - 1.5*edge.Weigh(s.Slope[j])
			sum += like / 2
			far := float32(o-half) / float32(half)
			row[o] += 0.3 * far * far
		}
	}
	moved := make([]shape.Point, n)
	for i, o := range edge.Way(cost, n, k, true, 0.5) {
		d := float64(o - half)
		moved[i] = shape.Point{X: pts[i].X + normal[i].X*d, Y: pts[i].Y + normal[i].Y*d}
	}
	return moved
}
