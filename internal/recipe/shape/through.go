package shape

import "math"

// EllipseThrough returns the ellipse through five points, or the one nearest to more of them
// by least squares of the conic's equation; false where there is none: fewer points, points on
// a line, or such as lie on a hyperbola.
func EllipseThrough(p ...Point) (Ellipse, bool) {
	if len(p) < 5 {
		return Ellipse{}, false
	}
	// Moved and scaled to the unit square, so that the powers below are of one size.
	var mx, my, size float64
	for _, q := range p {
		mx, my = mx+q.X/float64(len(p)), my+q.Y/float64(len(p))
	}
	for _, q := range p {
		size = math.Max(size, q.dist(Point{mx, my}))
	}
	if size == 0 {
		return Ellipse{}, false
	}
	// a·x² + b·xy + c·y² + d·x + e·y = 1
	var m [5][6]float64
	for i, q := range p {
		x, y := (q.X-mx)/size, (q.Y-my)/size
		row := [6]float64{x * x, x * y, y * y, x, y, 1}
		if len(p) == 5 {
			m[i] = row
			continue
		}
		for r := range 5 { // the normal equations
			for c := range 6 {
				m[r][c] += row[r] * row[c]
			}
		}
	}
	for i := range 5 {
		pivot := i
		for j := i + 1; j < 5; j++ {
			if math.Abs(m[j][i]) > math.Abs(m[pivot][i]) {
				pivot = j
			}
		}
		m[i], m[pivot] = m[pivot], m[i]
		if math.Abs(m[i][i]) < 1e-9 {
			return Ellipse{}, false
		}
		for j := range 5 {
			if j == i {
				continue
			}
			k := m[j][i] / m[i][i]
			for c := i; c < 6; c++ {
				m[j][c] -= k * m[i][c]
			}
		}
	}
	var v [5]float64
	for i := range v {
		v[i] = m[i][5] / m[i][i]
	}
	a, b, c, d, e := v[0], v[1], v[2], v[3], v[4]
	disc := 4*a*c - b*b
	if disc <= 1e-9 {
		return Ellipse{}, false
	}
	x, y := (b*e-2*c*d)/disc, (b*d-2*a*e)/disc
	// About its middle: a·u² + b·uv + c·v² = k.
	k := 1 + (a*x*x + b*x*y + c*y*y)
	mean, half := (a+c)/2, math.Hypot((a-c)/2, b/2)
	small, large := k/(mean+half), k/(mean-half)
	if !(small > 0 && large > 0) {
		return Ellipse{}, false
	}
	// The long axis is that of the smaller eigenvalue.
	turn := math.Atan2(-b, c-a) / 2
	return Ellipse{X: mx + x*size, Y: my + y*size, Width: 2 * size * math.Sqrt(large),
		Height: 2 * size * math.Sqrt(small),
		Turn:   turn * 180 / math.Pi}, true
}
