package region

import (
	"context"
	"math"

	"pyrant/internal/base/fault"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
)

// Alike finds every region that is of the tone or colour of the one under a point: all letters
// of a sign. within tells how much of a pixel of g.Fine counts, by its index; nil for all of
// the photo.
//
// Of the colours at both sides of the edge of the region under the point, a pixel is taken for
// those that it is nearer to. What is connected and no smaller than a twenty-fifth of that region
// is one as well.
func (g *Ground) Alike(ctx context.Context, p Pick, within func(i int) bool) ([]*Found, error) {
	first, err := g.Find(ctx, p)
	if err != nil {
		return nil, err
	}
	s := g.Fine
	w, h := s.Rect.Dx(), s.Rect.Dy()
	k := float64(s.Step)
	line := make([]shape.Point, len(first.Rough))
	for i, q := range first.Rough {
		line[i] = shape.Point{X: q.X / k, Y: q.Y / k}
	}
	pts := edge.Spaced(line, true, 1)
	all, tints := sidesOf(s, pts, whole), sidesOf(s, pts, tinted)
	bias := 0.15 + float32(p.Widen)*0.3 // of a sign some letters lie in the shade
	in := make([]bool, w*h)
	for i := range in {
		if within != nil && !within(i) {
			continue
		}
		c := s.Colour(i)
		in[i] = 0.8*all.alike(c)+0.2*tints.alike(tinted(c))+bias > 0
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	whole := &grid{w: w, h: h, in: in}
	number, sizes := whole.parts(true)
	least := max(12, int(area(line)/25))
	members := make([][]int32, len(sizes))
	for i, n := range number {
		if n != 0 && sizes[n] >= least {
			members[n] = append(members[n], int32(i))
		}
	}
	var out []*Found
	for _, pixels := range members {
		if len(pixels) == 0 {
			continue
		}
		if len(out) == mostAlike {
			return nil, fault.New(fault.Invalid, "More than %d regions match. Choose a smaller search area, or drag to the left.", mostAlike)
		}
		part := gridOf(pixels, w)
		deep := part.depth()
		keep := 0
		for i, d := range deep {
			if d > deep[keep] {
				keep = i
			}
		}
		line := part.edge(keep, deep, 1)
		if line == nil || area(line) < float64(least)/2 {
			continue
		}
		line = s.Snap(line, 1.5)
		out = append(out, g.found(onPhoto(s, line), judge(s, line, edgeOf(s, line)), s))
		if err := ctx.Err(); err != nil {
			return nil, err
		}
	}
	if len(out) == 0 {
		return nil, none
	}
	return out, nil
}

// mostAlike is how many regions are taken at once, at most.
const mostAlike = 400

// Holes returns the edges of what lies inside of a region and is of the colours outside of it:
// the counters of letters, the openings of a lattice.
func (g *Ground) Holes(f *Found) []*Found {
	s := g.Fine
	if f.sheet != nil {
		s = f.sheet
	}
	k := float64(s.Step)
	w, h := s.Rect.Dx(), s.Rect.Dy()
	line := make([]shape.Point, len(f.Rough))
	x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for i, q := range f.Rough {
		p := shape.Point{X: q.X/k - float64(s.Rect.Min.X), Y: q.Y/k - float64(s.Rect.Min.Y)}
		line[i] = p
		x0, y0, x1, y1 = min(x0, p.X), min(y0, p.Y), max(x1, p.X), max(y1, p.Y)
	}
	pts := edge.Spaced(line, true, 1)
	all := sidesOf(s, pts, whole)
	m := shape.NewMask(shape.Shapes{outlineOf(line)}, 1)
	a, b := max(int(x0), 0), max(int(y0), 0)
	part := &grid{x0: a - 2, y0: b - 2, w: min(int(x1), w-1) - a + 5, h: min(int(y1), h-1) - b + 5}
	if part.w < 6 || part.h < 6 {
		return nil
	}
	part.in = make([]bool, part.w*part.h)
	deep := &grid{w: part.w, h: part.h, in: make([]bool, part.w*part.h)}
	row := make([]float32, part.w)
	for y := range part.h {
		m.Fill(row, part.x0, part.y0+y)
		for x, v := range row {
			deep.in[y*part.w+x] = v > 0.5
		}
	}
	depth := deep.depth()
	for y := range part.h {
		for x := range part.w {
			i := y*part.w + x
			u, v := x+part.x0, y+part.y0
			if depth[i] <= 3*2 || u < 0 || v < 0 || u >= w || v >= h {
				continue
			}
			part.in[i] = all.alike(s.Colour(v*w+u)) < 0
		}
	}
	number, sizes := part.parts(true)
	least := max(12, int(area(line)*0.02))
	var out []*Found
	for n := 1; n < len(sizes); n++ {
		if sizes[n] < least {
			continue
		}
		own := &grid{x0: part.x0, y0: part.y0, w: part.w, h: part.h, in: make([]bool, len(part.in))}
		keep := -1
		for i, v := range number {
			if int(v) == n {
				own.in[i] = true
				if keep < 0 {
					keep = i
				}
			}
		}
		if hole := own.edge(keep, own.depth(), 1); hole != nil {
			hole = s.Snap(hole, 2)
			// A hole has an edge all round, a reflection fades.
			if edgeOf(s, hole) > 0.25 {
				out = append(out, &Found{Rough: onPhoto(s, hole), step: k, sheet: s})
			}
		}
	}
	return out
}

func outlineOf(line []shape.Point) shape.Outline {
	nodes := make([]shape.Node, len(line))
	for i, p := range line {
		nodes[i] = shape.Node{X: p.X, Y: p.Y}
	}
	return shape.Outline{Nodes: shape.PathOf(nodes...)}
}
