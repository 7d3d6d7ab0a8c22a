package bulb

import (
	"math"
	"slices"

	"pyrant/internal/recipe/shape"
)

// Reach returns how far from a cord its bulbs are looked for where nothing else is known, in
// pixels of a photo of a long edge.
func Reach(longEdge float64) float64 { return longEdge / 40 }

// Hang sets the bulbs of a string on the round things along it, and makes them as large as
// these. What was done by hand stays. With count the string gets as many bulbs as there are;
// otherwise each of those it has takes the nearest, if that lies closer than half the way to
// the next.
func Hang(s shape.String, found []Round, count bool) shape.String {
	s.Own = slices.DeleteFunc(slices.Clone(s.Own), func(b shape.Bulb) bool { return b.Found })
	total := s.Length()
	if len(found) == 0 || total == 0 {
		return s
	}
	sizes := make([]float64, len(found))
	for i, r := range found {
		sizes[i] = 2 * r.Radius
	}
	slices.Sort(sizes)
	s.Width = tenth(sizes[len(sizes)/2])
	own := func(r Round, place float64) shape.Bulb {
		return shape.Bulb{Place: math.Round(1e5*place) / 1e5, X: tenth(r.At.X), Y: tenth(r.At.Y),
			Size: math.Round(1e3*2*r.Radius/s.Width) / 1e3, Found: true}
	}
	byHand := len(s.Own)
	if count {
		s.Laid = shape.ByCount
		for _, r := range found {
			if !slices.ContainsFunc(s.Own[:byHand],
				func(b shape.Bulb) bool {
					return math.Hypot(b.X-r.At.X, b.Y-r.At.Y) < r.Radius+s.Width/2
				}) {
				s.Own = append(s.Own, own(r, min(r.Along/total, 1)))
			}
		}
		s.Count = len(s.Own)
		return s
	}
	laid := s.Bulbs()
	half := 0.5
	if len(laid) > 1 {
		half = (laid[1].Place - laid[0].Place) / 2
	}
	// The nearest pairs first.
	type pair struct {
		laid, found int
		gap         float64
	}
	var pairs []pair
	for i, h := range laid {
		for j, r := range found {
			if gap := math.Abs(r.Along/total - h.Place); h.Own < 0 && gap < half {
				pairs = append(pairs, pair{i, j, gap})
			}
		}
	}
	slices.SortStableFunc(pairs, func(a, b pair) int {
		if a.gap < b.gap {
			return -1
		}
		return 1
	})
	taken, given := make([]bool, len(laid)), make([]bool, len(found))
	for _, p := range pairs {
		if !taken[p.laid] && !given[p.found] {
			taken[p.laid], given[p.found] = true, true
			s.Own = append(s.Own, own(found[p.found], laid[p.laid].Place))
		}
	}
	return s
}

func tenth(v float64) float64 { return math.Round(10*v) / 10 }
