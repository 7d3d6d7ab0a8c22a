package area

import (
	"math"

	"pyrant/internal/recipe/setting"
)

// Stray is how far in pixels of the photo a simplified stroke may lie from what was
// painted.
const Stray = 0.25

// pressurePixels is how many pixels of straying a full change of pressure counts as.
const pressurePixels = 25

// Simplified returns the points of a stroke without those that lie closer than Stray to
// the line between others, in place and in pressure (Ramer 1972, Douglas and Peucker
// 1973).
func Simplified(points setting.List[Dab]) setting.List[Dab] {
	p := points.All()
	if len(p) < 3 {
		return points
	}
	keep := make([]bool, len(p))
	keep[0], keep[len(p)-1] = true, true
	type span struct{ a, b int }
	for todo := []span{{0, len(p) - 1}}; len(todo) > 0; {
		s := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		far, at := Stray, -1
		for i := s.a + 1; i < s.b; i++ {
			if d := stray(p[i], p[s.a], p[s.b]); d > far {
				far, at = d, i
			}
		}
		if at >= 0 {
			keep[at] = true
			todo = append(todo, span{s.a, at}, span{at, s.b})
		}
	}
	out := make([]Dab, 0, len(p))
	for i, k := range keep {
		if k {
			out = append(out, p[i])
		}
	}
	if len(out) == len(p) {
		return points
	}
	return setting.ListOf(out...)
}

// stray is the distance of p from the piece between a and b.
func stray(p, a, b Dab) float64 {
	d := [3]float64{b.X - a.X, b.Y - a.Y, (b.P - a.P) * pressurePixels}
	v := [3]float64{p.X - a.X, p.Y - a.Y, (p.P - a.P) * pressurePixels}
	t := 0.0
	if l := d[0]*d[0] + d[1]*d[1] + d[2]*d[2]; l > 0 {
		t = math.Min(math.Max((v[0]*d[0]+v[1]*d[1]+v[2]*d[2])/l, 0), 1)
	}
	return math.Sqrt(math.Pow(v[0]-t*d[0], 2) + math.Pow(v[1]-t*d[1], 2) + math.Pow(v[2]-t*d[2], 2))
}
