package edge

import (
	"math"
	"slices"

	"pyrant/internal/base/photo"
	"pyrant/internal/recipe/shape"
)

// median returns the median of values, whose order it changes.
func median[T float32 | float64](v []T) T {
	slices.Sort(v)
	if n := len(v); n%2 == 0 {
		return (v[n/2-1] + v[n/2]) / 2
	}
	return v[len(v)/2]
}

// Eye reads the colours of a photo between its pixels. It keeps the rows that it has read,
// as lines are placed along edges that touch few pixels many times.
type Eye struct {
	p     *photo.Photo
	tiles map[[2]int][]float32
}

// NewEye returns an eye for a photo.
func NewEye(p *photo.Photo) *Eye { return &Eye{p: p, tiles: map[[2]int][]float32{}} }

const tileEdge = 16

// pixel returns the colour of a pixel, that of the nearest one outside of the photo.
func (e *Eye) pixel(x, y int) []float32 {
	x, y = min(max(x, 0), e.p.Width-1), min(max(y, 0), e.p.Height-1)
	at := [2]int{x / tileEdge, y / tileEdge}
	t := e.tiles[at]
	if t == nil {
		t = make([]float32, 3*tileEdge*tileEdge)
		x0, y0 := at[0]*tileEdge, at[1]*tileEdge
		n := min(tileEdge, e.p.Width-x0)
		for v := range min(tileEdge, e.p.Height-y0) {
			row := t[3*v*tileEdge:]
			e.p.Linear(row[:3*n], x0, y0+v, n)
			for i := 0; i < 3*n; i += 3 {
				row[i], row[i+1], row[i+2] = lab(row[i], row[i+1], row[i+2])
			}
		}
		e.tiles[at] = t
	}
	i := 3 * ((y%tileEdge)*tileEdge + x%tileEdge)
	return t[i : i+3 : i+3]
}

// At returns the colour at a place, bilinearly between the middles of pixels.
func (e *Eye) At(x, y float64) (out [3]float32) {
	x, y = x-0.5, y-0.5
	fx, fy := math.Floor(x), math.Floor(y)
	u, v := float32(x-fx), float32(y-fy)
	i, j := int(fx), int(fy)
	a, b, c, d := e.pixel(i, j), e.pixel(i+1, j), e.pixel(i, j+1), e.pixel(i+1, j+1)
	for k := range out {
		out[k] = (1-v)*((1-u)*a[k]+u*b[k]) + v*((1-u)*c[k]+u*d[k])
	}
	return out
}

// Along says how a line is placed.
type Along struct {
	Closed bool
	Reach  float64 // how far from the line an edge is looked for, in pixels of the photo
	Gap    float64 // between places along the line, in pixels of the photo
	Blur   float64 // over how many pixels the change is taken
}

// Place returns a line laid on the edges of the photo near it: at places evenly along it,
// moved across to where the colour changes most, so that all of it bends as little as it
// may. The way through all places is found by dynamic programming (Amini, Weymouth and Jain
// 1990), and each then set between its steps by a parabola.
func (e *Eye) Place(line []shape.Point, a Along) []shape.Point {
	pts := Spaced(line, a.Closed, a.Gap)
	n := len(pts)
	if n < 3 {
		return pts
	}
	step := math.Max(a.Reach/8, 0.25)
	half := int(math.Ceil(a.Reach / step))
	k := 2*half + 1
	strength := make([]float32, n*k)
	normals := make([]shape.Point, n)
	var most float32
	for i := range pts {
		normals[i] = normalAt(pts, i, a.Closed)
		e.changes(strength[i*k:(i+1)*k], pts[i], normals[i], step, a)
		for _, v := range strength[i*k : (i+1)*k] {
			most = max(most, v)
		}
	}
	if most == 0 {
		return pts
	}
	// Each place counts by itself, so that weak edges are followed where strong ones have
	// ended, but noise in a flat place does not pull.
	cost := make([]float32, n*k)
	for i := range n {
		row := strength[i*k : (i+1)*k]
		top := slices.Max(row)
		for o, v := range row {
			far := float32(o-half) / float32(half)
			cost[i*k+o] = -v/(top+0.15*most) + 0.25*far*far
		}
	}
	way := Way(cost, n, k, a.Closed, bend)
	out := make([]shape.Point, n)
	for i, o := range way {
		at := float64(o - half)
		if o > 0 && o < k-1 {
			l, m, r := float64(strength[i*k+o-1]), float64(strength[i*k+o]),
				float64(strength[i*k+o+1])
			if d := l - 2*m + r; d < 0 {
				at += min(max((l-r)/(2*d), -0.5), 0.5)
			}
		}
		out[i] = shape.Point{X: pts[i].X + normals[i].X*at*step, Y: pts[i].Y + normals[i].Y*at*step}
	}
	return out
}

// changes writes how much the colour changes at each offset across a line.
func (e *Eye) changes(dst []float32, p, normal shape.Point, step float64, a Along) {
	half := len(dst) / 2
	b := max(int(math.Round(a.Blur/2/step)), 1)
	m := len(dst) + 2*b
	prof := make([][3]float32, m)
	side := a.Gap / 2
	for j := range prof {
		d := float64(j-half-b) * step
		x, y := p.X+normal.X*d, p.Y+normal.Y*d
		for _, s := range [...]float64{-side, 0, side} {
			c := e.At(x-normal.Y*s, y+normal.X*s)
			for q := range c {
				prof[j][q] += c[q] / 3
			}
		}
	}
	for o := range dst {
		dst[o] = Gap(prof[o], prof[o+2*b])
	}
}

// bend is what a step across from one place to the next costs.
const bend = 0.35

// Way finds the way through n rows of k costs that costs least, with steps of at most two
// from row to row, of which each costs bend times the square of half its width. A closed way
// is gone round twice, and the middle of it taken.
func Way(cost []float32, n, k int, closed bool, bend float32) []int {
	rows := n
	if closed {
		rows = 2 * n
	}
	// Two rows of sums, with room at both ends that nothing comes from.
	never := float32(math.Inf(1))
	last, next := make([]float32, k+4), make([]float32, k+4)
	for _, o := range [...]int{0, 1, k + 2, k + 3} {
		last[o], next[o] = never, never
	}
	from := make([]int8, rows*k)
	copy(last[2:], cost[:k])
	near := bend / 4
	for i := 1; i < rows; i++ {
		row, by := cost[(i%n)*k:][:k], from[i*k:][:k]
		for o, c := range row {
			w := last[o : o+5 : o+5]
			best, d := w[0]+bend, int8(-2)
			if v := w[1] + near; v < best {
				best, d = v, -1
			}
			if v := w[2]; v < best {
				best, d = v, 0
			}
			if v := w[3] + near; v < best {
				best, d = v, 1
			}
			if v := w[4] + bend; v < best {
				best, d = v, 2
			}
			next[o+2], by[o] = best+c, d
		}
		last, next = next, last
	}
	last = last[2 : k+2]
	o := 0
	for j, v := range last {
		if v < last[o] {
			o = j
		}
	}
	all := make([]int, rows)
	for i := rows - 1; i >= 0; i-- {
		all[i] = o
		o += int(from[i*k+o])
	}
	if !closed {
		return all
	}
	way := make([]int, n)
	for i := n / 2; i < n/2+n; i++ {
		way[i%n] = all[i]
	}
	return way
}

func normalAt(p []shape.Point, i int, closed bool) shape.Point {
	n := len(p)
	a, b := i-1, i+1
	if closed {
		a, b = (a+n)%n, b%n
	} else {
		a, b = max(a, 0), min(b, n-1)
	}
	dx, dy := p[b].X-p[a].X, p[b].Y-p[a].Y
	l := math.Max(math.Hypot(dx, dy), 1e-9)
	return shape.Point{X: dy / l, Y: -dx / l}
}

// Spaced returns places along a line that lie about gap apart.
func Spaced(line []shape.Point, closed bool, gap float64) []shape.Point {
	if len(line) < 2 {
		return line
	}
	if closed {
		line = append(slices.Clip(line), line[0])
	}
	total := 0.0
	for i := 1; i < len(line); i++ {
		total += math.Hypot(line[i].X-line[i-1].X, line[i].Y-line[i-1].Y)
	}
	n := max(int(math.Round(total/gap)), 2)
	out := make([]shape.Point, 0, n+1)
	d := total / float64(n)
	left := 0.0 // to the next place
	for i := 1; i < len(line); i++ {
		a, b := line[i-1], line[i]
		l := math.Hypot(b.X-a.X, b.Y-a.Y)
		at := left
		for at < l {
			t := at / l
			out = append(out, shape.Point{X: a.X + (b.X-a.X)*t, Y: a.Y + (b.Y-a.Y)*t})
			at += d
		}
		left = at - l
	}
	if closed {
		if len(out) > n {
			out = out[:n]
		}
	} else {
		out = append(out[:min(len(out), n)], line[len(line)-1])
	}
	return out
}

// Soften evens out a closed line of evenly spaced points with the weights of a Gaussian whose
// deviation is given in points.
func Soften(p []shape.Point, deviation float64) []shape.Point {
	n := len(p)
	half := int(math.Ceil(2.5 * deviation))
	if n < 2*half {
		return p
	}
	k := make([]float64, 2*half+1)
	sum := 0.0
	for i := range k {
		d := float64(i-half) / deviation
		k[i] = math.Exp(-d * d / 2)
		sum += k[i]
	}
	out := make([]shape.Point, n)
	for i := range p {
		for j, v := range k {
			q := p[(i+j-half+n)%n]
			out[i].X += q.X * v / sum
			out[i].Y += q.Y * v / sum
		}
	}
	return out
}

// Snap lays a closed line on the edges of a sheet, in pixels of its Rect, as Place does on
// those of the photo.
func (s *Sheet) Snap(line []shape.Point, reach float64) []shape.Point {
	pts := Spaced(line, true, 1)
	n := len(pts)
	if n < 6 {
		return pts
	}
	const step = 0.5
	half := int(reach / step)
	k := 2*half + 1
	w, h := s.Rect.Dx(), s.Rect.Dy()
	cost := make([]float32, n*k)
	for i, p := range pts {
		nm := normalAt(pts, i, true)
		row := cost[i*k : (i+1)*k]
		var top float32 = 0.01
		for o := range row {
			d := float64(o-half) * step
			x := min(max(int(math.Floor(p.X+nm.X*d)), 0), w-1)
			y := min(max(int(math.Floor(p.Y+nm.Y*d)), 0), h-1)
			row[o] = s.Slope[y*w+x]
			top = max(top, row[o])
		}
		for o, v := range row {
			far := float32(o-half) / float32(half)
			row[o] = -v/top + 0.15*far*far
		}
	}
	out := make([]shape.Point, n)
	for i, o := range Way(cost, n, k, true, bend) {
		nm := normalAt(pts, i, true)
		d := float64(o-half) * step
		out[i] = shape.Point{X: pts[i].X + nm.X*d, Y: pts[i].Y + nm.Y*d}
	}
	return out
}
