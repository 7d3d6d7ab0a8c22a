package cutout

import (
	"cmp"
	"math"
	"slices"

	"pyrant/internal/base/coverage"
)

// Lines returns the closed lines along which half of a pixel is covered, in pixels of the photo,
// the longest first: by marching squares (Lorensen and Cline 1987, in the plane) over coverage
// reduced so that a sample stands for step pixels. Holes have lines of their own. Lines of less
// than four samples are left out.
func Lines(c coverage.Coverage, step float64) [][]Point {
	m := c.At(1 / step)
	b := m.Bounds().Inset(-2) // so that lines close where the frame cuts a thing off
	w, h := b.Dx(), b.Dy()
	v := make([]float32, w*h)
	for y := 1; y < h-1; y++ {
		m.Fill(v[y*w+1:(y+1)*w-1], b.Min.X+1, b.Min.Y+y)
	}
	next := squares(v, w, h)
	at := func(side int) Point {
		i := side / 2
		x, y := float64(b.Min.X+i%w)+0.5, float64(b.Min.Y+i/w)+0.5
		j := i + 1
		if side%2 == 1 {
			j = i + w
		}
		t := float64((0.5 - v[i]) / (v[j] - v[i]))
		if side%2 == 1 {
			y += t
		} else {
			x += t
		}
		return Point{x * step, y * step}
	}
	var out [][]Point
	for y := range h {
		for x := range w {
			for k := range 2 {
				from := 2*(y*w+x) + k
				var line []Point
				for s, ok := from, true; ok; {
					var to int
					if to, ok = next[s]; ok {
						line = append(line, at(s))
						delete(next, s)
						s = to
					}
				}
				if len(line) >= 4 {
					out = append(out, line)
				}
			}
		}
	}
	slices.SortStableFunc(out, func(a, b []Point) int { return cmp.Compare(length(b), length(a)) })
	return out
}

// squares finds how lines go through w·h samples. A line enters a square of four samples over one
// of its sides and leaves it over another: next gives for each side on which one begins that on
// which it ends. Sides are numbered by the sample that they start from, those across first.
func squares(v []float32, w, h int) (next map[int]int) {
	next = map[int]int{}
	in := func(i int) bool { return v[i] > 0.5 }
	for y := range h - 1 {
		for x := range w - 1 {
			i := y*w + x
			corner := [4]int{i, i + 1, i + w + 1, i + w}
			side := [4]int{2 * i, 2*(i+1) + 1, 2 * (i + w), 2*i + 1}
			var enters, leaves []int
			for k := range corner {
				switch a, b := in(corner[k]), in(corner[(k+1)%4]); {
				case a && !b:
					leaves = append(leaves, k)
				case !a && b:
					enters = append(enters, k)
				}
			}
			// Of two lines through a square each takes the side behind its own, going round, or
			// where the middle is covered the one before.
			middle := v[corner[0]]+v[corner[1]]+v[corner[2]]+v[corner[3]] > 2
			for _, e := range enters {
				to := leaves[0]
				if len(leaves) == 2 {
					behind, before := (e+1)%4, (e+3)%4
					to = behind
					if middle {
						to = before
					}
				}
				next[side[e]] = side[to]
			}
		}
	}
	return next
}

// length returns the length of a closed line.
func length(l []Point) (v float64) {
	for i, p := range l {
		q := l[(i+1)%len(l)]
		v += math.Hypot(p.X-q.X, p.Y-q.Y)
	}
	return
}
