package staging

import (
	"context"
	"fmt"
	"image"
	"math"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/coverage"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/room/silhouette"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/shape"
)

// Where something is seen before a thing, the thing has no outline, but goes on: a bollard is one
// body on both sides of the rope before it, and legs go on behind a crate. And what lies is seen
// before what stands nearer than the floor there only where it climbs it, as a rope that is wound
// round the bollard: there it is a part of that, and lit as its front.

// stood is a thing of the recipe, with what tells where it stands.
type stood struct {
	*recipe.Thing
	foot  camera.Vec
	on    int                 // the platform that it stands on; below 0 for the floor
	whole coverage.Coverage   // what is seen of it; nil for nothing
	cover coverage.Coverage   // the same, less what of it climbs others
	bears []climber           // what climbs it
	under []*silhouette.Shape // where others cross it
	past  []*silhouette.Shape // where it goes on behind others beyond what is seen
	shape *silhouette.Shape
	lies  bool
}

// climber is what of a thing climbs another.
type climber struct {
	of int // the thing's index
	id string
	within
}

// card returns the plane that a thing stands or lies on.
func (s *Set) card(t *stood) camera.Plane {
	switch {
	case !t.lies:
		return s.Cam.Card(t.foot)
	case t.on >= 0:
		return s.Prisms[t.on].Planes[0]
	}
	return s.Cam.FloorPlane()
}

// cross finds out where things are hidden by what is seen before them, and what of those that lie
// climbs them, which is taken off the ones and given to the others.
func (s *Set) cross(ctx context.Context, list []stood, covers Covers, frame image.Rectangle) error {
	changed := make([]bool, len(list))
	if err := raster.Try(ctx, len(list), func(k int) error {
		b := &list[k]
		if b.whole == nil || b.lies {
			return nil
		}
		err := s.hide(ctx, list, k, covers, frame)
		changed[k] = len(b.under) > 0
		return err
	}); err != nil {
		return err
	}
	for k := range list {
		for _, c := range list[k].bears {
			a := &list[c.of]
			a.cover, changed[c.of] = within{a.cover, c.shape, s.unit, false}, true
		}
	}
	return raster.Try(ctx, len(list), func(i int) error {
		if !changed[i] {
			return nil
		}
		return s.form(ctx, &list[i], covers, frame)
	})
}

// hide finds out where thing k is hidden by platforms and other things, and what climbs it. Lights
// are left out: one that crosses it may shine from within, as that of a lantern does.
func (s *Set) hide(ctx context.Context, list []stood, k int, covers Covers,
	frame image.Rectangle) error {
	b := &list[k]
	by := func(a coverage.Coverage) (any bool, err error) {
		over, past, err := s.crossing(ctx, a, b, covers, frame)
		if any = err == nil && !(over.Empty() && past.Empty()); any {
			b.under, b.past = append(b.under, over), append(b.past, past)
		}
		return any, err
	}
	for i := range s.r.Room.Platforms {
		if i == b.on || nearest(s.Prisms[i]) >= b.foot.Len() {
			continue
		}
		c, err := s.platform(ctx, i, covers)
		if err == nil && c != nil {
			_, err = by(c)
		}
		if err != nil {
			return err
		}
	}
	for i := range list {
		a := &list[i]
		if i == k || a.whole == nil || !a.lies && a.foot.Z >= b.foot.Z {
			continue
		}
		any, err := by(a.whole)
		if err != nil {
			return err
		}
		if !any || !a.lies {
			continue
		}
		// for how thick it is where it is crossed
		if err := s.form(ctx, b, covers, frame); err != nil {
			return err
		}
		n := len(b.under) - 1
		over, past := b.under[n], b.past[n]
		var climbs *silhouette.Shape
		if b.under[n], climbs, err = s.parted(ctx, a, b, over, covers); err != nil {
			return err
		}
		if b.past[n], _, err = s.parted(ctx, a, b, past, covers); err != nil {
			return err
		}
		if !climbs.Empty() {
			b.bears = append(b.bears, climber{i, a.ID, within{a.whole, climbs, s.unit, true}})
		}
	}
	return nil
}

// platform returns where a platform is seen, nil for nowhere.
func (s *Set) platform(ctx context.Context, i int, covers Covers) (coverage.Coverage, error) {
	if seen := s.r.Room.Platforms[i].Seen; seen != "" {
		if c, err := covers.CutOut(ctx, seen); c != nil || err != nil {
			return c, err
		}
	}
	var faces shape.Shapes
	for k, f := range s.Prisms[i].Faces {
		if s.Prisms[i].Planes[k].D < 0 { // it faces the camera
			if o, ok := s.outlined(f); ok {
				faces = append(faces, o)
			}
		}
	}
	if len(faces) == 0 {
		return nil, nil
	}
	return faces, nil
}

// crossing returns the cells where something is seen between parts of a thing, and those behind
// which that goes on beyond what is seen of it.
func (s *Set) crossing(ctx context.Context, a coverage.Coverage, b *stood, covers Covers,
	frame image.Rectangle) (over, past *silhouette.Shape, err error) {
	scale := 1 / s.unit
	masks := [2]coverage.Mask{a.At(scale), b.whole.At(scale)}
	all := image.Rect(0, 0, int(math.Ceil(float64(frame.Max.X)*scale)),
		int(math.Ceil(float64(frame.Max.Y)*scale)))
	rect := masks[1].Bounds()
	if foot := s.about(b.Thing); foot.Y > rect.Max.Y { // so far it may go on
		rect.Max.Y = foot.Y
	}
	rect = rect.Inset(-margin).Intersect(all)
	if !masks[0].Bounds().Inset(-soft).Overlaps(rect) {
		return &silhouette.Shape{}, &silhouette.Shape{}, nil
	}
	g := covers.Graph()
	k := crossingShape{coverOf(g, a), coverOf(g, b.whole), rect, s.unit, false}
	if over, err = graph.Get(ctx, g, k); err == nil {
		k.past = true
		past, err = graph.Get(ctx, g, k)
	}
	return
}

// mark marks the cells of a rectangle that a mask covers by half, where nothing is marked yet.
func mark(is []uint8, rect image.Rectangle, m coverage.Mask, as uint8) {
	r := m.Bounds().Intersect(rect)
	row := make([]float32, r.Dx())
	for y := r.Min.Y; y < r.Max.Y; y++ {
		m.Fill(row, r.Min.X, y)
		to := is[(y-rect.Min.Y)*rect.Dx()+r.Min.X-rect.Min.X:]
		for x, v := range row {
			if v >= 0.5 && to[x] == neither {
				to[x] = as
			}
		}
	}
}

// cells returns a shape of some cells of a rectangle, empty for none.
func cells(covered []bool, rect image.Rectangle, size float64) *silhouette.Shape {
	var used image.Rectangle
	for i, c := range covered {
		if c {
			x, y := rect.Min.X+i%rect.Dx(), rect.Min.Y+i/rect.Dx()
			used = used.Union(image.Rect(x, y, x+1, y+1))
		}
	}
	if used.Empty() {
		return &silhouette.Shape{}
	}
	used = used.Inset(-1) // beyond which there is nothing
	own := make([]bool, used.Dx()*used.Dy())
	for i := range own {
		if p := used.Min.Add(image.Pt(i%used.Dx(), i/used.Dx())); p.In(rect) {
			p = p.Sub(rect.Min)
			own[i] = covered[p.Y*rect.Dx()+p.X]
		}
	}
	return silhouette.New(own, nil, used, size)
}

// parted parts the cells where a thing that lies is seen before one that stands into those where it
// lies before that, and those where it climbs it, as what lies there would be behind its front.
func (s *Set) parted(ctx context.Context, a, b *stood, over *silhouette.Shape,
	covers Covers) (before, climbs *silhouette.Shape, err error) {
	if over.Empty() || b.shape.Empty() {
		return over, &silhouette.Shape{}, nil
	}
	plane, card, size := s.card(a), s.card(b), b.foot.Z/s.Cam.F
	r, used := over.Rect, over.Used()
	var parts [2][]bool
	for k := range parts {
		parts[k] = make([]bool, r.Dx()*r.Dy())
	}
	for y := used.Min.Y; y < used.Max.Y; y++ {
		for x := used.Min.X; x < used.Max.X; x++ {
			px, py := (float64(x)+0.5)*s.unit, (float64(y)+0.5)*s.unit
			if over.Within(float64(x)+0.5, float64(y)+0.5) < 0.5 {
				continue
			}
			ray, k := s.Cam.Ray(px, py), 0
			h, _, _ := b.shape.Thickness(px, py)
			if t, ok := plane.Hit(ray); !ok || card.Side(ray.Mul(t)) < h*size {
				k = 1
			}
			i := (y-r.Min.Y)*r.Dx() + x - r.Min.X
			parts[k][i] = true
		}
	}
	// They are interned by their cells: what follows stays while things move that change none.
	g := covers.Graph()
	part := func(k int) (*silhouette.Shape, error) {
		return graph.Get(ctx, g, cellShape{graph.Of(g, parts[k]), r, s.unit})
	}
	if before, err = part(0); err == nil {
		climbs, err = part(1)
	}
	return
}

// What is seen at a cell: neither, the one that is before the other, or that.
const (
	neither = iota
	one
	other
)

// soft is how far beyond where a thing covers cells by half it may still cover some.
const soft = 2

// crossed is where one thing is seen before another, on a grid of w·h cells.
type crossed struct {
	w, h int
	is   []uint8
	over []bool // what is found
}

// lines calls do for all rows and columns: n cells from a first one on, step apart, and cross from
// those of the next line.
func (c *crossed) lines(do func(first, step, n, cross int)) {
	for y := range c.h {
		do(y*c.w, 1, c.w, c.w)
	}
	for x := range c.w {
		do(x, c.w, c.h, 1)
	}
}

// across returns the cells where the one crosses the other.
func (c *crossed) across() []bool {
	found := []int{0}
	add := func(of func(first, step, n, cross int) []int) {
		found = found[:0]
		c.lines(func(first, step, n, cross int) {
			found = append(found,
				of(first, step, n, cross)...)
		})
		for _, at := range found {
			c.is[at], c.over[at] = other, true
		}
	}
	for len(found) > 0 {
		add(c.between) // what crosses what crosses is found the next time
	}
	add(c.beside)
	return c.grown()
}

// past returns the cells of the one behind which the other goes on beyond an edge of both: as far
// as it goes before that.
func (c *crossed) past() []bool {
	c.lines(func(first, step, n, _ int) {
		for i := 0; i < n; i++ {
			from := i
			for i < n && c.is[first+i*step] == other {
				i++
			}
			for _, end := range [2]struct{ at, way int }{{from - 1, -1}, {i, 1}} {
				k, left := end.at, i-from
				for gap := 0; left > 0 && gap < soft && k >= 0 && k < n &&
					c.is[first+k*step] == neither; gap++ {
					k += end.way
				}
				for ; left > 0 && k >= 0 && k < n && c.is[first+k*step] == one; left-- {
					c.over[first+k*step] = true
					k += end.way
				}
			}
		}
	})
	return c.grown()
}

// between returns the cells on a line of n that cross the other thing, step apart: nothing else
// lies between that, there is as much of it before and behind, and what crosses is no longer than
// it is wide, as what is seen between two legs is.
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
		if to == n || gaps > 2*soft || gaps == long || long > (i-from)+(end-to) ||
			!c.wide(first+(i+to)/2*step, cross, long-gaps) {
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

// wide tells whether what of the one thing lies at a cell goes on so far, to both sides of a line
// together.
func (c *crossed) wide(at, cross, least int) bool {
	n := 1
	for _, step := range [2]int{-cross, cross} {
		for k := at + step; n < least && k >= 0 && k < len(c.is) && c.is[k] == one &&
			(cross != 1 || k/c.w == at/c.w); k += step {
			n++
		}
	}
	return n >= least
}

// beside returns the cells on a line by which what is wound round something stands out to its
// sides: as far as a quarter of that.
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
			for k := end.at; k >= 0 && k < n && 4*(k-end.at)*end.way < i-from &&
				c.is[first+k*step] == one; k += end.way {
				found = append(found, first+k*step)
			}
		}
	}
	return found
}

// grown returns the cells where the one crosses the other with what its soft edges cover, but not
// where the rest of it goes on.
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

// within is what of a coverage lies in a shape, or beside it.
type within struct {
	coverage.Coverage
	shape *silhouette.Shape
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
	shape *silhouette.Shape
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
	low, high := func(v int) int { return int(math.Floor(float64(v) / m.step)) },
		func(v int) int { return int(math.Ceil(float64(v) / m.step)) }
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
