// Package staging sets the room of a recipe up as geometry: its surfaces, what stands in it and its
// lights, for package lightmap to compute what falls where.
package staging

import (
	"context"
	"image"
	"math"
	"slices"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/coverage"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/room/lightmap"
	"pyrant/internal/light/room/silhouette"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/shape"
)

// Kind says what a surface is of.
type Kind int

// The kinds of surface.
const (
	Floor Kind = iota
	Wall
	Platform
	Thing
	Ceiling
)

// Surface is one surface of the room as the photo shows it.
type Surface struct {
	Kind  Kind
	ID    string // of the wall, platform or thing
	Sheet *lightmap.Sheet
	face  shape.Outline // of a platform: where it is seen
	// of a platform's face: what is seen of the platform, of which what lies beside its faces is of
	// the nearest; nil where nothing tells
	seen   coverage.Coverage
	cover  coverage.Coverage // of a thing, and of a wall that is seen in an area
	inside bool              // of a card in a platform's middle: the platform is solid
	depth  float64           // of a thing and of a platform, to its middle
}

// Set is a room that is set up.
type Set struct {
	*recipe.Space
	Photo    recipe.Photo
	Scene    *lightmap.Scene
	Surfaces []Surface
	Bodies   []*silhouette.Body // of things, in the recipe's order; nil for one that covers nothing
	// Layout is the first set with the same layout: it serves for all that the layout tells, which
	// is what Compose and the fronts of things depend on. It does not tell where things stand, but
	// which is before which.
	Layout *graph.Input[*Set]
	unit   float64 // a 750th of the long edge, in pixels of the photo
	r      *recipe.Recipe
}

// Bytes returns about the memory that the set takes.
func (s *Set) Bytes() int64 { return 8 << 20 }

// unitsAcross is into how many units the long edge is divided: sizes of grids are given in those.
const unitsAcross = 750

// Covers gives what of the photo something covers, and the graph in which shapes are kept.
type Covers interface {
	CutOut(ctx context.Context, id cutout.Ref) (coverage.Coverage, error)
	Light(ctx context.Context, l *recipe.Light) (coverage.Coverage, error)
	Graph() *graph.Graph
}

// Geometry returns all of a recipe that New reads, and nothing else: the room and its cut-outs, and
// the lights that cross an object or lie on one, which leave their mark on its outline. How light
// falls and what things are called is not in it, nor where lights have their feet: these move no
// outline. space is the same without the lights.
func Geometry(r *recipe.Recipe) (whole, space *recipe.Recipe) {
	bare := recipe.Recipe{Photo: r.Photo, Room: r.Room}
	m := &bare.Room
	m.On, m.Shadows, m.Bounce, m.Sheen, m.Rough, m.Daylight = true, 0, 0, 0, 0, 0
	m.Walls, m.Platforms = slices.Clone(m.Walls), slices.Clone(m.Platforms)
	var refs []cutout.Ref
	for i := range m.Walls {
		m.Walls[i].Name, m.Walls[i].Gloss = "", 0
		refs = append(refs, m.Walls[i].Seen)
	}
	for i := range m.Platforms {
		m.Platforms[i].Name = ""
		refs = append(refs, m.Platforms[i].Seen)
	}
	m.Things = slices.Clone(m.Things)
	for i := range m.Things {
		m.Things[i].Edge, m.Things[i].Broad, m.Things[i].Relief = 0, 0, 0
		refs = append(refs, m.Things[i].Of)
	}
	var lights []*recipe.Light
	for i := range r.Lights {
		l := &r.Lights[i]
		if kind, _ := l.Stand.Of(); kind == recipe.OnThing || crosses(r, l, m.Things...) {
			lights = append(lights, l)
		}
	}
	whole, space = bare.With(r, lights, refs...), bare.With(r, nil, refs...)
	for i := range whole.Lights {
		shapes := slices.Clone(whole.Lights[i].Shapes)
		for j, s := range shapes {
			shapes[j] = shape.Standing(s, shape.Feet{})
		}
		whole.Lights[i].Shapes = shapes
	}
	return whole, space
}

// crosses tells whether a light's shapes may cover a part of one of some things.
func crosses(r *recipe.Recipe, l *recipe.Light, things ...recipe.Thing) bool {
	for _, sh := range l.Shapes {
		x0, y0, x1, y1 := roughly(r, sh)
		for _, t := range things {
			c := r.CutOut(t.Of)
			if c == nil {
				continue
			}
			left, up, right, low := c.Bounds()
			more := (margin + 2) * float64(r.Photo.LongEdge()) / unitsAcross
			if x1 >= left-more && x0 <= right+more && y1 >= up-more && y0 <= low+more {
				return true
			}
		}
	}
	return false
}

// New sets the recipe's room up, of which Geometry returns what counts: nothing of it mirrors; see
// Glossy.
func New(ctx context.Context, r *recipe.Recipe, covers Covers) (*Set, error) {
	sp, err := r.Space()
	if err != nil {
		return nil, err
	}
	s := &Set{Space: sp, Photo: r.Photo, Scene: &lightmap.Scene{Prisms: sp.Prisms}, r: r,
		unit: float64(r.Photo.LongEdge()) / unitsAcross}
	frame := image.Rect(0, 0, r.Photo.Width, r.Photo.Height)
	flat := func(k Kind, id string, p camera.Plane) *Surface {
		s.Surfaces = append(s.Surfaces, Surface{Kind: k, ID: id, Sheet: &lightmap.Sheet{Rect: frame,
			Plane: p, Cam: &sp.Cam}})
		return &s.Surfaces[len(s.Surfaces)-1]
	}
	floor := flat(Floor, "", sp.Cam.FloorPlane())
	for _, p := range sp.Prisms {
		// A slab that stands clear of the floor hides none of it.
		if bottom := p.Planes[len(p.Planes)-1]; bottom.D > -floor.Sheet.Plane.D-0.02 {
			floor.Sheet.Under = append(floor.Sheet.Under, p)
		}
	}
	for i, w := range r.Room.Walls {
		f := flat(Wall, w.ID, sp.Walls[i])
		if w.Seen != "" {
			if f.cover, err = covers.CutOut(ctx, w.Seen); err != nil {
				return nil, err
			}
		}
	}
	if sp.Ceiling != nil {
		flat(Ceiling, string(area.TheCeiling), *sp.Ceiling)
	}
	for i := range s.Surfaces {
		for k := range s.Surfaces {
			if k != i {
				s.Surfaces[i].Sheet.Before = append(s.Surfaces[i].Sheet.Before,
					s.Surfaces[k].Sheet.Plane)
			}
		}
	}
	for i, p := range r.Room.Platforms {
		var seen coverage.Coverage
		if p.Seen != "" {
			if seen, err = covers.CutOut(ctx, p.Seen); err != nil {
				return nil, err
			}
		}
		if seen != nil {
			if err := s.onPlatform(ctx, i, &p, seen, covers, frame); err != nil {
				return nil, err
			}
		}
		for k, face := range sp.Prisms[i].Faces {
			if plane := sp.Prisms[i].Planes[k]; plane.D < 0 { // it faces the camera
				s.face(p.ID, plane, face, seen, frame)
			}
		}
	}
	if err := s.things(ctx, covers, frame); err != nil {
		return nil, err
	}
	// Farther things are covered by nearer ones.
	n := s.flats()
	slices.SortStableFunc(s.Surfaces[n:], func(a, b Surface) int {
		switch {
		case a.depth > b.depth:
			return -1
		case a.depth < b.depth:
			return 1
		}
		return 0
	})
	g := covers.Graph()
	s.Layout = graph.Intern(g, graph.Digest(s.layout()), s)
	seen, err := graph.Get(ctx, g, seenSums{s.Layout})
	if err != nil {
		return nil, err
	}
	s.tell(seen)
	return s, nil
}

// Gloss is how much floor and walls mirror; see recipe.Room.
type Gloss struct {
	Floor, Rough float64
	Walls        []float64
}

// GlossOf returns that of a recipe.
func GlossOf(r *recipe.Recipe) Gloss {
	g := Gloss{Floor: r.Room.Sheen, Rough: r.Room.Rough}
	for i := range r.Room.Walls {
		g.Walls = append(g.Walls, r.Room.Walls[i].Gloss)
	}
	return g
}

// Glossy returns the same room with a floor and walls that mirror.
func (s *Set) Glossy(g Gloss) *Set {
	out := *s
	out.Surfaces = slices.Clone(s.Surfaces)
	wet := func(i int, amount float64) {
		if amount <= 0 {
			return
		}
		sheet := *out.Surfaces[i].Sheet
		sheet.Wet = &lightmap.Gloss{Amount: amount, Rough: g.Rough}
		out.Surfaces[i].Sheet = &sheet
	}
	wet(0, g.Floor)
	for i, amount := range g.Walls {
		wet(1+i, amount)
	}
	return &out
}

// flats returns how many surfaces come first that go on until another is nearer: floor, walls and
// ceiling.
func (s *Set) flats() int {
	n := 1 + len(s.Walls)
	if s.Ceiling != nil {
		n++
	}
	return n
}

// rim is how far beside a platform's faces what is seen of it belongs to the nearest of them, in
// units: boards, mouldings, and what marks are off by.
const rim = 8

// face adds a side of a platform.
func (s *Set) face(id string, plane camera.Plane, corners []camera.Vec, seen coverage.Coverage,
	frame image.Rectangle) {
	o, ok := s.outlined(corners)
	if !ok {
		return
	}
	depth := 0.0
	for _, v := range corners {
		depth += v.Len() / float64(len(corners))
	}
	b := o.Nodes.All()
	lo, hi := b[0], b[0]
	for _, n := range b {
		lo.X, lo.Y, hi.X, hi.Y = math.Min(lo.X, n.X), math.Min(lo.Y, n.Y), math.Max(hi.X, n.X),
			math.Max(hi.Y, n.Y)
	}
	limit := func(v float64) int { return int(math.Max(math.Min(v, 1e6), -1e6)) }
	r := image.Rect(limit(math.Floor(lo.X)), limit(math.Floor(lo.Y)), limit(math.Ceil(hi.X)),
		limit(math.Ceil(hi.Y)))
	if seen != nil {
		r = r.Inset(-int(math.Ceil(rim * s.unit)))
	}
	r = r.Intersect(frame)
	if r.Empty() {
		return
	}
	s.Surfaces = append(s.Surfaces, Surface{Kind: Platform, ID: id, face: o, seen: seen,
		depth: depth, Sheet: &lightmap.Sheet{Rect: r, Plane: plane, Cam: &s.Cam}})
}

// outlined returns where a polygon is seen; false for nowhere.
func (s *Set) outlined(corners []camera.Vec) (o shape.Outline, ok bool) {
	var nodes []shape.Node
	for _, v := range before(corners, 0.05) {
		x, y, _ := s.Cam.Project(v)
		nodes = append(nodes, shape.Node{X: x, Y: y})
	}
	return shape.Outline{Nodes: shape.PathOf(nodes...)}, len(nodes) >= 3
}

// before returns what of a polygon lies farther ahead of the camera than z.
func before(p []camera.Vec, z float64) (out []camera.Vec) {
	for i, a := range p {
		b := p[(i+1)%len(p)]
		if a.Z >= z {
			out = append(out, a)
		}
		if (a.Z >= z) != (b.Z >= z) {
			t := (z - a.Z) / (b.Z - a.Z)
			out = append(out, a.Add(b.Sub(a).Mul(t)))
		}
	}
	return out
}

// nearest returns how far away the nearest face of a platform is, in the mean of its corners.
func nearest(p *camera.Prism) float64 {
	depth := math.Inf(1)
	for _, f := range p.Faces {
		sum := 0.0
		for _, v := range f {
			sum += v.Len() / float64(len(f))
		}
		depth = math.Min(depth, sum)
	}
	return depth
}

// things adds what stands or lies in the room.
func (s *Set) things(ctx context.Context, covers Covers, frame image.Rectangle) error {
	list := make([]stood, len(s.r.Room.Things))
	if err := raster.Try(ctx, len(list), func(i int) (err error) {
		t := &list[i]
		*t = stood{Thing: &s.r.Room.Things[i], foot: s.Feet[i], on: s.On[i]}
		if t.whole, err = covers.CutOut(ctx, t.Of); err != nil || t.whole == nil {
			return err
		}
		t.cover = t.whole
		if err = s.form(ctx, t, covers, frame); err == nil {
			t.lies = t.Lies == recipe.LiesFlat || t.Lies == recipe.LiesAuto && flat(t.shape.Used(),
				t.Foot.Y/s.unit)
		}
		return err
	}); err != nil {
		return err
	}
	if err := s.cross(ctx, list, covers, frame); err != nil {
		return err
	}
	for i := range list {
		if err := s.thing(ctx, &list[i], covers, frame); err != nil {
			return err
		}
	}
	return nil
}

// coarse is how roughly, in units, it counts for the shape of a thing where that stands: so that it
// is not found anew at each move.
const coarse = 8

// form finds the shape of a thing. Which piece of a cut-out it is, and how far down it goes,
// depends on where it stands.
func (s *Set) form(ctx context.Context, t *stood, covers Covers,
	frame image.Rectangle) (err error) {
	g := covers.Graph()
	o := objectOutline{own: []coverInput{coverOf(g, t.cover)}, at: s.about(t.Thing),
		size: s.cellsOf(frame), unit: s.unit}
	for _, c := range t.bears {
		o.own = append(o.own, coverOf(g, c))
	}
	for _, u := range t.under {
		o.under = append(o.under, shapeOf(g, u))
	}
	for _, u := range t.past {
		o.past = append(o.past, shapeOf(g, u))
	}
	var others []coverage.Coverage
	for i := range s.r.Lights {
		l := &s.r.Lights[i]
		if len(l.Shapes) == 0 {
			continue
		}
		c, err := covers.Light(ctx, l)
		if err != nil {
			return err
		}
		if belongs(l, t.Thing) {
			o.own = append(o.own, coverOf(g, c))
		} else {
			others = append(others, c)
		}
	}
	_, rect := o.masks()
	for _, c := range others {
		if c.At(1 / s.unit).Bounds().Overlaps(rect) {
			o.others = append(o.others, coverOf(g, c))
		}
	}
	t.shape, err = graph.Get(ctx, g, outlineShape{graph.Of(g, o)})
	return err
}

// cellsOf returns how many cells a photo has across and down.
func (s *Set) cellsOf(frame image.Rectangle) image.Point {
	scale := 1 / s.unit
	return image.Pt(int(math.Ceil(float64(frame.Max.X)*scale)),
		int(math.Ceil(float64(frame.Max.Y)*scale)))
}

// about returns the cell that a thing stands on, roughly.
func (s *Set) about(t *recipe.Thing) image.Point {
	near := func(v float64) int { return int(coarse * math.Floor(v/s.unit/coarse)) }
	return image.Pt(near(t.Foot.X), near(t.Foot.Y))
}

// thing adds a thing that stands or lies in the room, and what climbs it.
func (s *Set) thing(ctx context.Context, t *stood, covers Covers, frame image.Rectangle) error {
	s.Bodies = append(s.Bodies, nil)
	if t.cover == nil || t.shape.Empty() {
		return nil
	}
	card, depth := s.card(t), t.foot.Len()
	if t.on >= 0 {
		// it is seen before all of the platform
		depth = math.Min(depth, 0.998*nearest(s.Prisms[t.on]))
	}
	b := silhouette.Stand(t.shape, &s.Cam, card, t.foot.Z)
	b.Flat = t.lies
	b.FindLid()
	s.Bodies[len(s.Bodies)-1] = b
	s.Scene.Bodies = append(s.Scene.Bodies, b)
	if !t.lies && t.on < 0 {
		if err := s.toes(ctx, b, t.foot, covers); err != nil {
			return err
		}
	}
	px := func(v int) float64 { return float64(v) * s.unit }
	r := t.shape.Rect
	r = image.Rect(int(px(r.Min.X)), int(px(r.Min.Y)), int(math.Ceil(px(r.Max.X))),
		int(math.Ceil(px(r.Max.Y)))).Intersect(frame)
	s.Surfaces = append(s.Surfaces, Surface{Kind: Thing, ID: t.ID, cover: t.cover, depth: depth,
		Sheet: &lightmap.Sheet{Rect: r, Body: b, Cam: &s.Cam}})
	for _, c := range t.bears {
		s.Surfaces = append(s.Surfaces, Surface{Kind: Thing, ID: c.id, cover: c.within,
			depth: depth * 0.9999, Sheet: &lightmap.Sheet{Rect: r, Body: b, Cam: &s.Cam}})
	}
	return nil
}

// margin is how far beyond what a thing covers its outline is looked at, in units.
const margin = 12

// belongs tells whether a light is a part of a thing: it lies on it, or is the thing itself, made
// of its cut-out.
func belongs(l *recipe.Light, t *recipe.Thing) bool {
	return l.Stand == recipe.StandOn(recipe.OnThing, t.ID) || madeOf(l, t.Of)
}

// madeOf tells whether a cut-out is among the shapes of a light.
func madeOf(l *recipe.Light, id cutout.Ref) bool {
	return slices.ContainsFunc(l.Shapes, func(s shape.Shape) bool {
		c, is := s.(shape.CutOut)
		return is && c.Of == id && !c.Away
	})
}

// masks returns what belongs to the object, and the cells that are looked at.
func (o *objectOutline) masks() (own []coverage.Mask, rect image.Rectangle) {
	scale := 1 / o.unit
	var bounds image.Rectangle
	for _, c := range o.own {
		m := c.Value().At(scale)
		own, bounds = append(own, m), bounds.Union(m.Bounds())
	}
	for _, u := range o.past {
		bounds = bounds.Union(u.Value().Used())
	}
	if bounds.Empty() {
		return own, image.Rectangle{}
	}
	return own, bounds.Inset(-margin).Intersect(image.Rectangle{Max: o.size})
}

// shape returns the shape that the outline makes.
func (o objectOutline) shape() *silhouette.Shape {
	own, rect := o.masks()
	if rect.Empty() {
		return &silhouette.Shape{}
	}
	var others []coverage.Mask
	for _, c := range o.others {
		others = append(others, c.Value().At(1/o.unit))
	}
	covered, away := make([]bool, rect.Dx()*rect.Dy()), make([]bool, rect.Dx()*rect.Dy())
	draw := func(to []bool, masks []coverage.Mask, least float32) {
		row := make([]float32, rect.Dx())
		for _, m := range masks {
			if !m.Bounds().Overlaps(rect) {
				continue
			}
			for y := rect.Min.Y; y < rect.Max.Y; y++ {
				m.Fill(row, rect.Min.X, y)
				for x, v := range row {
					if v >= least {
						to[(y-rect.Min.Y)*rect.Dx()+x] = true
					}
				}
			}
		}
	}
	draw(covered, own, 0.5)
	draw(away, others, 0.25)
	fill := func(shp *silhouette.Shape, low int) {
		u := shp.Used().Intersect(rect)
		for y := u.Min.Y; y < min(u.Max.Y, low); y++ {
			for x := u.Min.X; x < u.Max.X; x++ {
				if i := (y-rect.Min.Y)*rect.Dx() + x - rect.Min.X; shp.Within(float64(x)+0.5,
					float64(y)+0.5) >= 0.5 {
					covered[i], away[i] = true, false
				}
			}
		}
	}
	for _, u := range o.under {
		fill(u.Value(), rect.Max.Y)
	}
	for _, u := range o.past {
		fill(u.Value(), o.at.Y+coarse/2) // nothing of it is below where it stands
	}
	keepMain(covered, rect, float64(o.at.X), float64(o.at.Y))
	if !slices.Contains(covered, true) {
		return &silhouette.Shape{}
	}
	return silhouette.New(covered, away, rect, o.unit)
}

// keepMain drops pieces of less than a quarter of the piece that lies nearest to the foot.
func keepMain(covered []bool, rect image.Rectangle, fx, fy float64) {
	w, h := rect.Dx(), rect.Dy()
	label := make([]int32, w*h)
	var sizes []int
	var near []float64
	var stack []int
	for i, c := range covered {
		if !c || label[i] != 0 {
			continue
		}
		id := int32(len(sizes) + 1)
		n, d := 0, math.Inf(1)
		stack = append(stack[:0], i)
		label[i] = id
		for len(stack) > 0 {
			k := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			n++
			x, y := k%w, k/w
			d = math.Min(d, math.Hypot(float64(rect.Min.X+x)+0.5-fx, float64(rect.Min.Y+y)+0.5-fy))
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					if x+dx < 0 || y+dy < 0 || x+dx >= w || y+dy >= h {
						continue
					}
					if q := k + dy*w + dx; covered[q] && label[q] == 0 {
						label[q] = id
						stack = append(stack, q)
					}
				}
			}
		}
		sizes, near = append(sizes, n), append(near, d)
	}
	if len(sizes) < 2 {
		return
	}
	// Of pieces about as near as the nearest, the largest is the thing.
	least := slices.Min(near)
	main := -1
	for i := range sizes {
		if near[i] <= least+6 && (main < 0 || sizes[i] > sizes[main]) {
			main = i
		}
	}
	for i, l := range label {
		if l != 0 && sizes[l-1]*4 < sizes[main] {
			covered[i] = false
		}
	}
}

// flat tells whether a thing lies on the floor, by the cells that it covers and where its foot is:
// it goes below its foot by three tenths of its height, or above it by less than half its width.
func flat(used image.Rectangle, fy float64) bool {
	top, bottom := float64(used.Min.Y), float64(used.Max.Y)
	return bottom-fy > 0.3*(bottom-top) || fy-top < 0.5*float64(used.Dx())
}

// Detail returns how fine light is worked out: the same for a picture of any size, so that an
// export shows what was seen; rough is for while a light moves, and with all for while the room
// itself does.
func (s *Set) Detail(rough, all bool) lightmap.Detail {
	switch {
	case rough && all:
		return lightmap.Detail{Tile: 48 * s.unit, Most: 1}
	case rough:
		return lightmap.Detail{Tile: 24 * s.unit, Most: 1}
	}
	return lightmap.Detail{Tile: 16 * s.unit, Most: 8}
}
