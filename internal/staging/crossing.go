package staging

import (
	"context"
	"encoding/binary"
	"fmt"
	"hash/fnv"
	"image"
	"math"

	"pyrant/internal/coverage"
	"pyrant/internal/recipe"
	"pyrant/internal/room"
	"pyrant/internal/solid"
)

// A thing that crosses another is no outline of that: a bollard is one body on both sides of the rope before it. And what lies is
// seen before what stands nearer than the floor there only where it climbs it, as a rope that is wound round the bollard: there it
// is a part of that, and lit as its front.

// stood is a thing of the recipe, with what tells where it stands.
type stood struct {
	*recipe.Thing
	foot  room.Vec
	on    int               // the platform that it stands on; below 0 for the floor
	whole coverage.Coverage // what is seen of it; nil for nothing
	cover coverage.Coverage // the same, less what of it climbs others
	bears []climber         // what climbs it
	under []*solid.Shape    // where others cross it that do not
	shape *solid.Shape
	lies  bool
}

// climber is what of a thing climbs another.
type climber struct {
	id string
	within
}

// card returns the plane that a thing stands or lies on.
func (s *Set) card(t *stood) room.Plane {
	switch {
	case !t.lies:
		return s.Cam.Card(t.foot)
	case t.on >= 0:
		return s.Prisms[t.on].Planes[0]
	}
	return s.Cam.FloorPlane()
}

// cross finds out where things cross those that stand behind them, and what of those that lie climbs them, which is taken off the
// ones and given to the others.
func (s *Set) cross(ctx context.Context, list []stood, covers Covers, frame image.Rectangle) error {
	changed := make([]bool, len(list))
	for i := range list {
		a := &list[i]
		if a.whole == nil {
			continue
		}
		for k := range list {
			b := &list[k]
			if k == i || b.whole == nil || b.lies || !a.lies && a.foot.Z >= b.foot.Z {
				continue
			}
			over, err := s.crossing(ctx, a.whole, b.whole, covers, frame)
			if err != nil {
				return err
			}
			if over.Empty() {
				continue
			}
			b.under, changed[k] = append(b.under, over), true
			if !a.lies {
				continue
			}
			if err := s.form(ctx, b, covers, frame); err != nil { // for how thick it is where it is crossed
				return err
			}
			before, climbs, err := s.climbs(ctx, a, b, over, covers)
			if err != nil {
				return err
			}
			if !climbs.Empty() {
				b.under[len(b.under)-1] = before
				b.bears = append(b.bears, climber{a.ID, within{a.whole, climbs, s.unit, true}})
				a.cover = within{a.cover, climbs, s.unit, false}
				changed[i] = true
			}
		}
	}
	for i, is := range changed {
		if is {
			if err := s.form(ctx, &list[i], covers, frame); err != nil {
				return err
			}
		}
	}
	return nil
}

// What is at a cell of two things.
const (
	neither = iota
	one
	other
)

// soft is how far beyond where a thing covers cells by half it may still cover some.
const soft = 2

// crossed is where a thing crosses another, on a grid of w·h cells.
type crossed struct {
	w, h int
	is   []uint8
	over []bool
}

// crossing returns the cells where one thing is seen between parts of another.
func (s *Set) crossing(ctx context.Context, a, b coverage.Coverage, covers Covers, frame image.Rectangle) (*solid.Shape, error) {
	scale := 1 / s.unit
	masks := [2]coverage.Mask{a.At(scale), b.At(scale)}
	all := image.Rect(0, 0, int(math.Ceil(float64(frame.Max.X)*scale)), int(math.Ceil(float64(frame.Max.Y)*scale)))
	rect := masks[1].Bounds().Inset(-margin).Intersect(all)
	if !masks[0].Bounds().Overlaps(rect) {
		return &solid.Shape{}, nil
	}
	key := fmt.Sprintf("crossing %s %s %v %g", a.Key(), b.Key(), rect, s.unit)
	return covers.Shape(ctx, key, func(ctx context.Context) (*solid.Shape, error) {
		c := &crossed{w: rect.Dx(), h: rect.Dy()}
		c.is, c.over = make([]uint8, c.w*c.h), make([]bool, c.w*c.h)
		row := make([]float32, c.w)
		for k, m := range masks {
			for y := range c.h {
				m.Fill(row, rect.Min.X, rect.Min.Y+y)
				for x, v := range row {
					if v >= 0.5 {
						c.is[y*c.w+x] = uint8(one + k)
					}
				}
			}
		}
		if !c.find(ctx) {
			return &solid.Shape{}, ctx.Err()
		}
		return solid.New(c.grown(), nil, rect, s.unit), nil
	})
}

// find finds where the one thing crosses the other; false for nowhere.
func (c *crossed) find(ctx context.Context) (any bool) {
	var found []int
	lines := func(do func(first, step, n, cross int) []int) bool {
		found = found[:0]
		for y := range c.h {
			found = append(found, do(y*c.w, 1, c.w, c.w)...)
		}
		for x := range c.w {
			found = append(found, do(x, c.w, c.h, 1)...)
		}
		for _, at := range found {
			c.is[at], c.over[at] = other, true
		}
		return len(found) > 0
	}
	for lines(c.between) && ctx.Err() == nil {
		any = true
	}
	if any {
		lines(c.beside)
	}
	return any
}

// between returns the cells on a line of n that cross the other thing, step apart: nothing else lies between that, there is as much of
// it before and behind, and what crosses is no longer than it is wide, as what is seen between two legs is.
func (c *crossed) between(first, step, n, cross int) (found []int) {
	for i := 0; i < n; {
		if c.is[first+i*step] != other {
			i++
			continue
		}
		from := i
		for i < n && c.is[first+i*step] == other {
			i++
		}
		to, gaps := i, 0 // of what lies between
		for to < n && c.is[first+to*step] != other {
			if c.is[first+to*step] == neither {
				gaps++
			}
			to++
		}
		end := to
		for end < n && c.is[first+end*step] == other {
			end++
		}
		long := to - i
		if to == n || gaps > 2*soft || gaps == long || long > (i-from)+(end-to) || !c.wide(first+(i+to)/2*step, cross, long-gaps) {
			continue
		}
		for k := i; k < to; k++ {
			if at := first + k*step; c.is[at] == one {
				found = append(found, at)
			}
		}
	}
	return found
}

// wide tells whether what of the one thing lies at a cell goes on so far, to both sides of a line together.
func (c *crossed) wide(at, cross, least int) bool {
	n := 1
	for _, step := range [2]int{-cross, cross} {
		for k := at + step; n < least && k >= 0 && k < len(c.is) && c.is[k] == one && (cross != 1 || k/c.w == at/c.w); k += step {
			n++
		}
	}
	return n >= least
}

// beside returns the cells on a line by which what is wound round something stands out to its sides: as far as a quarter of that.
func (c *crossed) beside(first, step, n, _ int) (found []int) {
	for i := 0; i < n; i++ {
		from, some := i, false
		for i < n && c.is[first+i*step] == other {
			some = some || c.over[first+i*step]
			i++
		}
		if !some {
			continue
		}
		for _, end := range [2]struct{ at, way int }{{from - 1, -1}, {i, 1}} {
			for k := end.at; k >= 0 && k < n && 4*(k-end.at)*end.way < i-from && c.is[first+k*step] == one; k += end.way {
				found = append(found, first+k*step)
			}
		}
	}
	return found
}

// grown returns the cells where the one crosses the other with what its soft edges cover, but not where the rest of it goes on.
func (c *crossed) grown() []bool {
	out := make([]bool, len(c.over))
	for i := range out {
		x, y := i%c.w, i/c.w
		out[i] = c.over[i]
		for v := max(y-soft, 0); v <= min(y+soft, c.h-1) && c.is[i] != one; v++ {
			for u := max(x-soft, 0); u <= min(x+soft, c.w-1); u++ {
				out[i] = out[i] || c.over[v*c.w+u]
			}
		}
	}
	return out
}

// climbs parts the cells where a thing that lies crosses one that stands into those where it is before that, and those where it
// climbs it, as what lies there would be behind its front.
func (s *Set) climbs(ctx context.Context, a, b *stood, over *solid.Shape, covers Covers) (before, climbs *solid.Shape, err error) {
	plane, card, size := s.card(a), s.card(b), b.foot.Z/s.Cam.F
	r := over.Rect
	var parts [2][]bool
	for k := range parts {
		parts[k] = make([]bool, r.Dx()*r.Dy())
	}
	for y := over.Used().Min.Y; y < over.Used().Max.Y; y++ {
		for x := over.Used().Min.X; x < over.Used().Max.X; x++ {
			if over.Within(float64(x)+0.5, float64(y)+0.5) < 0.5 {
				continue
			}
			ray := s.Cam.Ray((float64(x)+0.5)*s.unit, (float64(y)+0.5)*s.unit)
			k := 0
			h, _, _ := b.shape.Thickness((float64(x)+0.5)*s.unit, (float64(y)+0.5)*s.unit)
			if t, ok := plane.Hit(ray); !ok || card.Side(ray.Mul(t)) < h*size {
				k = 1
			}
			parts[k][(y-r.Min.Y)*r.Dx()+x-r.Min.X] = true
		}
	}
	// By what they are, so that they are the same while things move that they stay the same for.
	var out [2]*solid.Shape
	for k, cells := range parts {
		sum := fnv.New128a()
		any := false
		for i, c := range cells {
			if c {
				sum.Write(binary.LittleEndian.AppendUint32(nil, uint32(i)))
				any = true
			}
		}
		out[k] = &solid.Shape{}
		if any {
			if out[k], err = covers.Shape(ctx, fmt.Sprintf("cells %v %g %x", r, s.unit, sum.Sum(nil)), func(context.Context) (*solid.Shape, error) {
				return solid.New(cells, nil, r, s.unit), nil
			}); err != nil {
				return nil, nil, err
			}
		}
	}
	return out[0], out[1], nil
}

// within is what of a coverage lies in a shape, or beside it.
type within struct {
	coverage.Coverage
	shape *solid.Shape
	unit  float64
	in    bool
}

// Key is that of Coverage.
func (c within) Key() string {
	return fmt.Sprintf("within %d %t %s", c.shape.ID, c.in, c.Coverage.Key())
}

// At is that of Coverage.
func (c within) At(scale float64) coverage.Mask {
	return withinMask{c.Coverage.At(scale), c.shape, 1 / (scale * c.unit), c.in}
}

type withinMask struct {
	coverage.Mask
	shape *solid.Shape
	step  float64 // cells for each pixel
	in    bool
}

// Bounds is that of Mask.
func (m withinMask) Bounds() image.Rectangle {
	b := m.Mask.Bounds()
	if !m.in {
		return b
	}
	u := m.shape.Used().Inset(-1)
	low, high := func(v int) int { return int(math.Floor(float64(v) / m.step)) }, func(v int) int { return int(math.Ceil(float64(v) / m.step)) }
	return b.Intersect(image.Rect(low(u.Min.X), low(u.Min.Y), high(u.Max.X), high(u.Max.Y)))
}

// Fill is that of Mask.
func (m withinMask) Fill(dst []float32, x0, y int) {
	m.Mask.Fill(dst, x0, y)
	v := (float64(y) + 0.5) * m.step
	for i, c := range dst {
		if c == 0 {
			continue
		}
		in := m.shape.Within((float64(x0+i)+0.5)*m.step, v)
		if !m.in {
			in = 1 - in
		}
		dst[i] = c * in
	}
}
