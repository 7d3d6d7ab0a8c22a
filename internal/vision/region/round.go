package region

import (
	"math"
	"math/rand/v2"

	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
)

// roundness tells how a closed line lies to an ellipse: the share of it that lies on it, and
// how far the rest of it lies outside and inside at most.
type roundness struct{ on, outside, inside float64 }

// rounded returns the ellipse that most of a closed line of points lies on, up to a
// tolerance; false where little of it lies on any. It is sought through five points at
// a time (Fischler and Bolles 1981), from a fixed seed. Of what may be shaded in part, what
// lies outside of the ellipse speaks against it, as its own shade lies inside.
func rounded(pts []shape.Point, tolerance float64,
	shaded bool) (best shape.Ellipse, r roundness, ok bool) {
	n := len(pts)
	if n < 20 {
		return
	}
	rnd := rand.New(rand.NewPCG(1, 2))
	size := math.Sqrt(area(pts))
	off := func(e *shape.Ellipse, each func(d float64)) {
		sin, cos := math.Sincos(e.Turn * math.Pi / 180)
		a, b := e.Width/2, e.Height/2
		for _, q := range pts {
			u, v := (q.X-e.X)*cos+(q.Y-e.Y)*sin, (q.Y-e.Y)*cos-(q.X-e.X)*sin
			each((math.Hypot(u/a, v/b) - 1) * math.Sqrt(a*b))
		}
	}
	most := n / 2
	if shaded {
		most = 2 * n / 5
	}
	on := make([]shape.Point, 0, n)
	for round := range 160 {
		on = on[:0]
		if round < 156 {
			from := rnd.IntN(n)
			for i := range 5 {
				on = append(on, pts[(from+i*n/5+rnd.IntN(n/6+1))%n])
			}
		} else if ok { // from all that lie near the best so far
			i := 0
			off(&best, func(d float64) {
				if math.Abs(d) < 1.5*tolerance {
					on = append(on, pts[i])
				}
				i++
			})
		}
		e, through := shape.EllipseThrough(on...)
		if !through || e.Width > 3*e.Height || e.Width > 4*size {
			continue
		}
		count := 0
		off(&e, func(d float64) {
			if math.Abs(d) < tolerance {
				count++
			} else if shaded && d > 0 {
				count -= 2
			}
		})
		if count > most {
			best, most, ok = e, count, true
		}
	}
	if ok {
		off(&best, func(d float64) {
			r.outside, r.inside = max(r.outside, d), max(r.inside, -d)
			if math.Abs(d) < tolerance {
				r.on += 1 / float64(n)
			}
		})
	}
	return
}

// ellipseOf returns a rough line on a sheet rounded; nil where it is not round.
func ellipseOf(line []shape.Point) []shape.Point {
	pts := edge.Spaced(line, true, 1)
	e, _, ok := rounded(pts, max(0.6, 0.012*math.Sqrt(area(pts))), false)
	if !ok {
		return nil
	}
	return shape.Flatten(shape.Nodes(e), true)
}
