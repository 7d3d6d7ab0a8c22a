package edge

import (
	"math"

	"pyrant/internal/recipe/shape"
)

// fineColour is half the width, in pixels, of things whose colours are told finely enough: most
// photos store colours at half their size.
const fineColour = 18

// What unshaded asks of the tint to both sides of a line before it goes by it.
const (
	tinted    = 0.035 // how far it lies apart
	grain     = 0.45  // how far single places may stray, as a share of that
	agreement = 0.85  // the share of places that part the same from the same
)

// unshaded moves a closed line that lies on an edge, or near one, to where the tint changes, if
// it does so alike all round. Shade takes light from a thing and leaves its tint: a rim that
// shades what it holds makes an edge inside of the true one, and often a stronger one.
//
// Where both lie closer than colour is told in a photo whose colours were stored at half its
// size, the line stays as it is. Otherwise it is moved by at most reach, in pixels of the photo.
// It returns over what area it was.
func (e *Eye) unshaded(line []shape.Point, gap, reach float64) (out []shape.Point, by float64) {
	pts := Spaced(line, true, gap)
	n := len(pts)
	const step = 1.0
	half := int(math.Ceil(reach / step))
	const side = 4 // places beyond reach to both sides
	k := 2*half + 1
	wide := k + 2*side
	if n < 12 {
		return line, 0
	}
	tint := make([][2]float64, n*wide)
	normals := make([]shape.Point, n)
	for i, p := range pts {
		normals[i] = normalAt(pts, i, true)
		for j := range wide {
			d := float64(j-half-side) * step
			c := e.At(p.X+normals[i].X*d, p.Y+normals[i].Y*d)
			tint[i*wide+j] = [2]float64{float64(c[1]), float64(c[2])}
		}
	}
	// The usual tint of each side, and how far they lie apart.
	var from, to [2]float64
	for c := range 2 {
		var a, b []float64
		for i := range n {
			a, b = append(a, tint[i*wide][c]), append(b, tint[i*wide+wide-1][c])
		}
		from[c], to[c] = median(a), median(b)
	}
	u := [2]float64{to[0] - from[0], to[1] - from[1]}
	apart := math.Hypot(u[0], u[1])
	if apart < tinted {
		return line, 0
	}
	// share tells how far a place has gone over from one tint to the other.
	share := func(i, j int) float64 {
		t := tint[i*wide+j]
		return ((t[0]-from[0])*u[0] + (t[1]-from[1])*u[1]) / (apart * apart)
	}
	agree := 0
	for i := range n {
		var a, b float64
		for j := range side {
			a, b = a+share(i, j)/side, b+share(i, wide-1-j)/side
		}
		if math.Abs(a) < grain && math.Abs(b-1) < grain {
			agree++
		}
	}
	if float64(agree) < agreement*float64(n) {
		return line, 0
	}
	// Where what lies to one side is of its tint, and what lies to the other of the other's.
	cost := make([]float32, n*k)
	for i := range n {
		sum := 0.0
		for j := range wide {
			s := clamped(share(i, j))
			if o := j - side; o >= 0 && o < k {
				cost[i*k+o] = float32(sum + (s-0.5)/2)
			}
			sum += s - 0.5
		}
	}
	way := Way(cost, n, k, true, 0.25)
	off := make([]float64, n)
	for i, o := range way {
		off[i] = float64(o-half) * step
	}
	out = make([]shape.Point, n)
	var sharp, old, count float64
	for i, p := range pts {
		// From nothing to all of the way over a pixel or two, so that there is no step in it.
		d := off[i]
		part := min(max((math.Abs(d)-1.5)/2, 0), 1)
		by += math.Abs(d) * part * gap
		if part > 0.5 {
			there, here := half+side+int(math.Round(d/step)), half+side
			sharp += clamped(share(i, there+3)) - clamped(share(i, there-3))
			old += clamped(share(i, here+3)) - clamped(share(i, here-3))
			count++
		}
		out[i] = shape.Point{X: p.X + normals[i].X*d*part, Y: p.Y + normals[i].Y*d*part}
	}
	// Shade has no edge in tint, a thing a sharp one.
	if sharp < 0.5*count || old > 0.5*count {
		return line, 0
	}
	out = Soften(out, 1.5)
	return out, by
}

// Lit returns what draw makes of a closed line that lies on the photo's edges, or of that line
// without the shade in it, where that becomes no more intricate by it: a true edge is at least as
// simple as its shade.
func (e *Eye) Lit(line []shape.Point, gap float64,
	draw func(line []shape.Point) (p shape.Path, intricate int)) shape.Path {
	path, was := draw(line)
	area, round := math.Abs(shape.Turn(line)), 0.0
	for i, p := range line {
		q := line[(i+1)%len(line)]
		round += math.Hypot(q.X-p.X, q.Y-p.Y)
	}
	half := 2 * area / max(round, 1) // its width, or its radius
	if half < fineColour {
		return path
	}
	reach := min(0.4*half, 24)
	lit, by := e.unshaded(line, gap, reach)
	if by == 0 {
		return path
	}
	other, is := draw(e.Place(lit, Along{Closed: true, Reach: 1.5, Gap: gap, Blur: 1}))
	// Shade that takes much of a thing may be worth a point more.
	if is > was+int(by/area/0.02) {
		return path
	}
	return other
}

func clamped(v float64) float64 { return min(max(v, 0), 1) }
