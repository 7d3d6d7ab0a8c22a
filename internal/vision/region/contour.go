package region

import (
	"math"

	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
)

// grid is a set of pixels in a box, with a row and a column of none all round.
type grid struct {
	x0, y0, w, h int // of the box in the sheet, with its margin
	in           []bool
}

// gridOf returns the pixels with the given indices in a sheet of width w.
func gridOf(pixels []int32, w int) *grid {
	g := &grid{x0: math.MaxInt, y0: math.MaxInt}
	x1, y1 := 0, 0
	for _, i := range pixels {
		x, y := int(i)%w, int(i)/w
		g.x0, g.y0, x1, y1 = min(g.x0, x), min(g.y0, y), max(x1, x), max(y1, y)
	}
	g.x0, g.y0 = g.x0-2, g.y0-2
	g.w, g.h = x1-g.x0+3, y1-g.y0+3
	g.in = make([]bool, g.w*g.h)
	for _, i := range pixels {
		g.in[(int(i)/w-g.y0)*g.w+int(i)%w-g.x0] = true
	}
	return g
}

// parts numbers the connected pixels that are as given, in four directions, from 1 on; sizes
// tells how many each has.
func (g *grid) parts(in bool) (number []int32, sizes []int) {
	number = make([]int32, len(g.in))
	sizes = []int{0}
	var stack []int
	for from := range g.in {
		if g.in[from] != in || number[from] != 0 {
			continue
		}
		id := int32(len(sizes))
		sizes = append(sizes, 0)
		stack = append(stack[:0], from)
		number[from] = id
		for len(stack) > 0 {
			i := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			sizes[id]++
			for _, d := range [...]int{-1, 1, -g.w, g.w} {
				j := i + d
				if j < 0 || j >= len(g.in) || d == -1 && i%g.w == 0 || d == 1 && j%g.w == 0 {
					continue
				}
				if g.in[j] == in && number[j] == 0 {
					number[j] = id
					stack = append(stack, j)
				}
			}
		}
	}
	return number, sizes
}

// edge returns the edge of the part round pixel keep, filled, without what hangs on it by a
// neck narrower than 2·r: leaks of a flood through a gap in an edge. nil where nothing is
// left. deep is what depth returns.
func (g *grid) edge(keep int, deep []int32, r float64) []shape.Point {
	core := &grid{w: g.w, h: g.h, in: make([]bool, len(g.in))}
	for i, d := range deep {
		core.in[i] = float64(d) > 3*r
	}
	number, sizes := core.parts(true)
	if len(sizes) < 2 {
		if r > 1 {
			return nil
		}
		core.in = g.in
		number, _ = core.parts(true)
	}
	part := number[keep]
	if part == 0 { // the point itself lies near an edge: what is nearest to it
		part = near(number, g.w, keep, int(r)+3)
	}
	if part == 0 {
		return nil
	}
	// Grown back by as much, and a little more for corners, within what there was.
	far := make([]int32, len(g.in))
	for i := range far {
		far[i] = math.MaxInt32 / 2
		if number[i] == part {
			far[i] = 0
		}
	}
	chamfer(far, g.w, g.h)
	own := make([]bool, len(g.in))
	for i := range own {
		own[i] = g.in[i] && float64(far[i]) <= 3*(r+2)
	}
	body := &grid{x0: g.x0, y0: g.y0, w: g.w, h: g.h, in: own}
	outside, _ := body.parts(false)
	filled := func(i int) bool { return own[i] || outside[i] != 1 }
	first := 0
	for !filled(first) {
		first++
	}
	return body.outline(first, filled)
}

// near returns the number that is not 0 nearest to pixel i within a reach, 0 for none.
func near(number []int32, w, i, reach int) (part int32) {
	best := math.MaxInt
	for v := -reach; v <= reach; v++ {
		for u := -reach; u <= reach; u++ {
			x, y := i%w+u, i/w+v
			if x < 0 || y < 0 || x >= w || y*w+x >= len(number) {
				continue
			}
			if n := number[y*w+x]; n != 0 && u*u+v*v < best {
				part, best = n, u*u+v*v
			}
		}
	}
	return part
}

// depth returns how far each pixel lies inside, in thirds of a pixel.
func (g *grid) depth() []int32 {
	d := make([]int32, len(g.in))
	for i, v := range g.in {
		if v {
			d[i] = math.MaxInt32 / 2
		}
	}
	chamfer(d, g.w, g.h)
	return d
}

// chamfer turns distances that are known at some pixels into distances everywhere, in thirds
// of a pixel (Borgefors 1986, weights 3 and 4).
func chamfer(d []int32, w, h int) {
	for y := range h {
		for x := range w {
			i := y*w + x
			v := d[i]
			if x > 0 {
				v = min(v, d[i-1]+3)
			}
			if y > 0 {
				v = min(v, d[i-w]+3)
				if x > 0 {
					v = min(v, d[i-w-1]+4)
				}
				if x+1 < w {
					v = min(v, d[i-w+1]+4)
				}
			}
			d[i] = v
		}
	}
	for y := h - 1; y >= 0; y-- {
		for x := w - 1; x >= 0; x-- {
			i := y*w + x
			v := d[i]
			if x+1 < w {
				v = min(v, d[i+1]+3)
			}
			if y+1 < h {
				v = min(v, d[i+w]+3)
				if x > 0 {
					v = min(v, d[i+w-1]+4)
				}
				if x+1 < w {
					v = min(v, d[i+w+1]+4)
				}
			}
			d[i] = v
		}
	}
}

// outline returns the edge of the part that pixel from is the topmost and of those the
// leftmost pixel of, walked along the sides of pixels, in pixels of the sheet.
func (g *grid) outline(from int, in func(i int) bool) []shape.Point {
	// Walk with the part to the right, beginning along the upper side.
	x, y := from%g.w, from/g.w
	dx, dy := 1, 0
	sx, sy := x, y
	at := func(px, py int) bool {
		return px >= 0 && py >= 0 && px < g.w && py < g.h && in(py*g.w+px)
	}
	var out []shape.Point
	for range 8 * len(g.in) {
		out = append(out, shape.Point{X: float64(g.x0 + x), Y: float64(g.y0 + y)})
		x, y = x+dx, y+dy
		if x == sx && y == sy {
			break
		}
		// The pixels ahead, to the left and to the right of the way.
		var lx, ly, rx, ry int
		switch {
		case dx == 1:
			lx, ly, rx, ry = x, y-1, x, y
		case dx == -1:
			lx, ly, rx, ry = x-1, y, x-1, y-1
		case dy == 1:
			lx, ly, rx, ry = x, y, x-1, y
		default:
			lx, ly, rx, ry = x-1, y-1, x, y-1
		}
		switch {
		case !at(rx, ry): // the part ends: turn right
			dx, dy = -dy, dx
		case at(lx, ly): // it goes on to the left as well
			dx, dy = dy, -dx
		}
	}
	// The middles of the sides stand for them: half as jagged.
	mid := make([]shape.Point, len(out))
	for i, p := range out {
		q := out[(i+1)%len(out)]
		mid[i] = shape.Point{X: (p.X + q.X) / 2, Y: (p.Y + q.Y) / 2}
	}
	return edge.Soften(mid, 1.5)
}
