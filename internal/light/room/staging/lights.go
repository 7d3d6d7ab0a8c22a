package staging

import (
	"context"
	"math"
	"slices"

	"pyrant/internal/base/camera"
	"pyrant/internal/light/room/lightmap"
	"pyrant/internal/light/room/silhouette"
	"pyrant/internal/light/spill"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/shape"
)

// aside is how far a light stays before a wall at the least.
const aside = 0.005

// panelSamples and flatSamples are about how many places a panel on a body, which lights what is
// near to it, and any other free outline are taken apart into.
const (
	panelSamples = 12
	flatSamples  = 9
)

// Light sets a light of the recipe up.
func (s *Set) Light(ctx context.Context, l *recipe.Light, covers Covers) (*lightmap.Light, error) {
	parts, l, err := s.emitters(ctx, l, covers)
	if err != nil {
		return nil, err
	}
	return s.light(ctx, l, parts)
}

// light sets a light of emitters up.
func (s *Set) light(ctx context.Context, l *recipe.Light,
	parts []emitter) (*lightmap.Light, error) {
	out := &lightmap.Light{Of: l.ID}
	kind, id := l.Stand.Of()
	var host *silhouette.Body
	var wall *camera.Plane
	switch kind {
	case recipe.OnThing:
		for i := range s.r.Room.Things {
			if s.r.Room.Things[i].ID == id {
				host = s.Bodies[i]
			}
		}
	case recipe.OnWall:
		for i := range s.r.Room.Walls {
			if s.r.Room.Walls[i].ID == id {
				wall = &s.Walls[i]
			}
		}
	}
	out.On = host
	face := s.front(l, host)
	for _, e := range parts {
		if err := s.shape(ctx, out, l, e, host, wall, face); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Among returns the scene for a light with the bodies of others in it, which shade it, and with
// what all of them stand on.
func (s *Set) Among(ctx context.Context, own *recipe.Light, others []*recipe.Light,
	covers Covers) (*lightmap.Scene, error) {
	out := *s.For(own)
	_, placed, err := s.emitters(ctx, own, covers)
	if err != nil {
		return nil, err
	}
	out.Rods = append(out.Rods, s.bases(placed)...)
	for _, l := range others {
		if kind, _ := l.Stand.Of(); kind == recipe.OnThing {
			continue // it belongs to that
		}
		parts, placed, err := s.emitters(ctx, l, covers)
		if err != nil {
			return nil, err
		}
		k, err := s.light(ctx, placed, parts)
		if err != nil {
			return nil, err
		}
		out.Rods = append(append(out.Rods, k.Rods()...), s.bases(placed)...)
	}
	return &out, nil
}

// based is how thick what a light stands on is, of its own width.
const based = 0.8

// bases returns what holds the shapes of a light over the platform that it stands on, such as a
// lamp's foot: a bar from there to where each ends below, which shades its own light as well.
func (s *Set) bases(l *recipe.Light) (out []lightmap.Rod) {
	kind, id := l.Stand.Of()
	i := slices.IndexFunc(s.r.Room.Platforms, func(p recipe.Platform) bool { return p.ID == id })
	if kind != recipe.OnPlatform || i < 0 {
		return nil
	}
	for _, sh := range l.Shapes {
		plane, ok := s.planeOf(sh, l, nil, nil)
		x0, _, x1, y1 := bounds(sh)
		r := s.Cam.Ray((x0+x1)/2, y1)
		t, hit := plane.Hit(r)
		if !ok || !hit {
			continue
		}
		low := r.Mul(t)
		gap := s.Prisms[i].Planes[0].Side(low)
		// What hangs high above is held otherwise. Round ends reach as far as the bar is thick.
		thick := math.Min(based*(x1-x0)/2*low.Z/s.Cam.F, gap/2)
		if gap > aside && gap < 6*thick {
			up := s.Cam.Up
			out = append(out, lightmap.Rod{A: low.Sub(up.Mul(gap - thick)),
				B: low.Sub(up.Mul(thick)), Radius: thick})
		}
	}
	return out
}

// shape adds an emitter to a light.
func (s *Set) shape(ctx context.Context, out *lightmap.Light, l *recipe.Light, e emitter,
	host *silhouette.Body, wall *camera.Plane, face front) error {
	sh := e.shape
	plane, ok := s.planeOf(sh, l, host, wall)
	if !ok {
		return nil
	}
	at := func(x, y float64) (camera.Vec, bool) { return s.onPlane(plane, x, y) }
	// pixel is the edge of a pixel there, seen from the camera.
	pixel := func(v camera.Vec) float64 { return v.Z / s.Cam.F }
	switch sh := sh.(type) {
	case shape.Tube:
		line, closed := shape.Centre(sh)
		line = thinned(line, closed, recipe.MaxTubeParts)
		half := sh.Width / 2
		n := len(line) - 1
		if closed {
			n = len(line)
		}
		total := 0.0
		var ends [][2]camera.Vec
		for i := range n {
			p, q := line[i], line[(i+1)%len(line)]
			a, ok1 := at(p.X, p.Y)
			b, ok2 := at(q.X, q.Y)
			if ok1 && ok2 {
				ends = append(ends, [2]camera.Vec{a, b})
				total += b.Sub(a).Len()
			}
		}
		for _, e := range ends {
			mid := e[0].Add(e[1]).Mul(0.5)
			out.Tube(e[0], e[1], half*pixel(mid), math.Max(total/5, 1e-4))
		}
		return nil
	case shape.String:
		for _, b := range sh.Bulbs() {
			if v, ok := at(b.At.X, b.At.Y); ok && !b.Gone {
				out.Bulb(v, b.Width/2*pixel(v))
			}
		}
		return nil
	}
	if x, y, r, ok := e.disc(); ok && host == nil && wall == nil {
		if v, ok := at(x, y); ok {
			out.Bulb(v, r*pixel(v))
		}
		return nil
	}
	count := flatSamples
	if host != nil {
		count = panelSamples
	}
	if e.raster {
		count = rasterSamples
	}
	samples, err := spill.Samples(ctx, e.cover, count)
	if err != nil {
		return err
	}
	if e.raster {
		for _, part := range clusters(samples, flatSamples) {
			s.flat(out, l, e, part, plane, host, wall, face)
		}
		return nil
	}
	s.flat(out, l, e, samples, plane, host, wall, face)
	return nil
}

// flat adds samples of a flat shape that lies on a plane.
func (s *Set) flat(out *lightmap.Light, l *recipe.Light, e emitter, samples []spill.Sample,
	plane camera.Plane, host *silhouette.Body, wall *camera.Plane, face front) {
	var places []lightmap.Flat
	for _, p := range samples {
		r := s.Cam.Ray(float64(p.X), float64(p.Y))
		v, ok := s.onPlane(plane, float64(p.X), float64(p.Y))
		if !ok {
			continue
		}
		// A pixel's part of a plane: its solid angle, by the square of the distance, by the cosine.
		d := math.Max(math.Abs(plane.N.Dot(r)), 0.05)
		places = append(places, lightmap.Flat{At: v,
			Area: float64(p.Area) * v.Z * v.Z / (s.Cam.F * s.Cam.F * d)})
	}
	switch {
	case host != nil:
		out.Panel(places, s.faces(e.shape, l, host, face, s.outwards(host, samples)), false)
	case wall != nil:
		out.Panel(places, plane.N, true)
	default:
		out.Round(places, s.Cam.Up)
	}
}

// onPlane returns the place of a plane, before all walls, that is seen at a place of the photo;
// false for none.
func (s *Set) onPlane(plane camera.Plane, x, y float64) (camera.Vec, bool) {
	r := s.Cam.Ray(x, y)
	t, ok := plane.Hit(r)
	if !ok || t > 1000 {
		return camera.Vec{}, false
	}
	return s.inside(r.Mul(t)), true
}

// thinned returns a line as at most so many straight parts: of a line of more, places at equal ways
// along it, the ends among them. It tells where light comes from, not what is seen.
func thinned(line []shape.Point, closed bool, most int) []shape.Point {
	all := line
	if closed && len(line) > 0 {
		all = append(slices.Clip(line), line[0])
	}
	if len(all)-1 <= most {
		return line
	}
	way := make([]float64, len(all))
	for i := 1; i < len(all); i++ {
		way[i] = way[i-1] + math.Hypot(all[i].X-all[i-1].X, all[i].Y-all[i-1].Y)
	}
	out := make([]shape.Point, 0, most+1)
	for k, i := 0, 1; k <= most; k++ {
		at := way[len(way)-1] * float64(k) / float64(most)
		for i < len(all)-1 && way[i] < at {
			i++
		}
		t := 0.0
		if d := way[i] - way[i-1]; d > 0 {
			t = (at - way[i-1]) / d
		}
		a, b := all[i-1], all[i]
		out = append(out, shape.Point{X: a.X + (b.X-a.X)*t, Y: a.Y + (b.Y-a.Y)*t})
	}
	if closed {
		out = out[:most]
	}
	return out
}

// disc returns middle and radius of an emitter that is about round: a ball, as a camera sees it.
func (e *emitter) disc() (x, y, r float64, ok bool) {
	x0, y0, x1, y1 := bounds(e.shape)
	w, h := x1-x0, y1-y0
	if math.Abs(w-h) > 0.12*math.Max(w, h) {
		return
	}
	// A circle fills its box by pi/4, a hexagon or an octagon turned anyhow by less or more.
	return (x0 + x1) / 2, (y0 + y1) / 2, (w + h) / 4, math.Abs(e.area/(w*h)-math.Pi/4) < 0.03
}

// inside returns a place not behind a wall.
func (s *Set) inside(v camera.Vec) camera.Vec {
	for _, w := range s.Walls {
		if d := w.Side(v); d < aside {
			v = v.Add(w.N.Mul(aside - d))
		}
	}
	return v
}

// footOf returns the point of the floor under a shape that lies on a body; false where it does not
// tell how that is turned, as what lies beside where what is flat and wide stands does not.
func (s *Set) footOf(sh shape.Shape, l *recipe.Light,
	host *silhouette.Body) (at camera.Vec, marked, ok bool) {
	i := slices.Index(s.Bodies, host)
	feet := shape.FeetOf(sh).All()
	if marked = len(feet) > 0; marked {
		at, ok = s.Cam.Floor(feet[0].X, feet[0].Y)
	} else {
		at, ok = s.Guess(sh, l, host, nil)
	}
	if !ok || i < 0 || host.Flat {
		return at, marked, false
	}
	d := at.Sub(s.Feet[i]).Off(s.Cam.Up)
	before := d.Dot(host.Card.N)
	return at, marked, before >= ahead && before >= 0.5*d.Len()
}

// ahead is how far before where a thing stands what lies on it must be to tell how the thing is
// turned.
const ahead = 0.02

// front is the side of a body that panels lie on.
type front struct {
	looks camera.Vec // level; 0 where nothing tells
	mid   camera.Vec // of what lies there, on the floor
	round float64    // how far before where the body stands that is
}

// front returns the side of a body that a light lies on: it looks square to the line that what is
// under its panels lies along best, if they lie far enough apart for that, or else to where they
// lie on the whole, seen from where the body stands.
func (s *Set) front(l *recipe.Light, host *silhouette.Body) (f front) {
	i := slices.Index(s.Bodies, host)
	if host == nil || i < 0 {
		return
	}
	var feet []camera.Vec
	all := true
	for _, sh := range l.Shapes {
		if at, marked, ok := s.footOf(sh, l, host); ok {
			feet = append(feet, at)
			all = all && marked
			f.looks = f.looks.Add(at.Sub(s.Feet[i]).Off(s.Cam.Up).Unit())
		}
	}
	if len(feet) == 0 {
		return
	}
	f.looks, f.mid = f.looks.Unit(), s.Feet[i]
	if n, ok := s.across(feet); ok && all && math.Abs(n.Dot(f.looks)) > alike {
		f.looks = n.Mul(math.Copysign(1, n.Dot(f.looks)))
		side, low, high := f.looks.Cross(s.Cam.Up), math.Inf(1), math.Inf(-1)
		for _, at := range feet {
			d := at.Sub(s.Feet[i]).Dot(side)
			low, high = math.Min(low, d), math.Max(high, d)
		}
		f.mid = f.mid.Add(side.Mul((low + high) / 2))
	}
	for _, at := range feet {
		f.round += at.Sub(s.Feet[i]).Dot(f.looks) / float64(len(feet))
	}
	return
}

// wide is how far apart feet must lie, from their middle, to tell how what stands over them is
// turned, and alike the cosine to where they lie seen from where the body stands.
const (
	wide  = 0.015
	alike = 0.8
)

// across returns the level direction square to the line that places of the floor lie along best;
// false for none.
func (s *Set) across(at []camera.Vec) (n camera.Vec, ok bool) {
	var mid camera.Vec
	for _, v := range at {
		mid = mid.Add(v.Mul(1 / float64(len(at))))
	}
	x := camera.Vec{X: 1}.Off(s.Cam.Up).Unit()
	z := s.Cam.Up.Cross(x)
	var xx, xz, zz float64
	for _, v := range at {
		d := v.Sub(mid)
		a, b := d.Dot(x), d.Dot(z)
		xx, xz, zz = xx+a*a, xz+a*b, zz+b*b
	}
	b, a := math.Sincos(math.Atan2(2*xz, xx-zz) / 2)
	return x.Mul(-b).Add(z.Mul(a)), len(at) > 1 && math.Sqrt((xx+zz)/float64(len(at))) > wide
}

// steep is how steeply up or down a front may rise to tell how what lies on it looks: an arm before
// it does that.
const steep = 0.6

// faces returns the normal of a panel on a body. It looks aside as a chest does where it lies,
// which is flatter before than a post: on a Lamé curve of the third degree, |x|³ + |y|³ = r³, what
// lies at x/y looks aside by the square of that. And it looks up or down as the body's front rises
// there, fitted, by half of that, and by less where that is steep.
func (s *Set) faces(sh shape.Shape, l *recipe.Light, host *silhouette.Body, f front,
	fitted camera.Vec) camera.Vec {
	at, _, ok := s.footOf(sh, l, host)
	if host.Flat || f.looks.Len() == 0 {
		return fitted
	}
	n := f.looks
	if ok {
		side := f.looks.Cross(s.Cam.Up)
		aside := math.Max(-1, math.Min(1, at.Sub(f.mid).Dot(side)/math.Max(f.round, ahead)))
		n = n.Add(side.Mul(aside * math.Abs(aside))).Unit()
	}
	rise := fitted.Dot(s.Cam.Up)
	return n.Add(s.Cam.Up.Mul(0.5 * rise * math.Max(0, 1-(rise/steep)*(rise/steep)))).Unit()
}

// outwards returns the normal of a plane fitted to the front of a body at places of the photo.
func (s *Set) outwards(b *silhouette.Body, at []spill.Sample) camera.Vec {
	var n camera.Vec
	var sx, sy, sxx, sxy, syy, sh, sxh, syh, c float64
	for _, p := range at {
		h, _, _ := b.Thickness(float64(p.X), float64(p.Y))
		if h <= 0 {
			continue
		}
		x, y := float64(p.X), float64(p.Y)
		c, sx, sy, sh = c+1, sx+x, sy+y, sh+h
		sxx, sxy, syy, sxh, syh = sxx+x*x, sxy+x*y, syy+y*y, sxh+x*h, syh+y*h
	}
	if c < 3 {
		return b.Card.N
	}
	sxx, sxy, syy, sxh, syh = sxx-sx*sx/c, sxy-sx*sy/c, syy-sy*sy/c, sxh-sx*sh/c, syh-sy*sh/c
	det := sxx*syy - sxy*sxy
	if det <= 1e-9*(sxx*syy+1) {
		return b.Card.N
	}
	dx, dy := (sxh*syy-syh*sxy)/det, (syh*sxx-sxh*sxy)/det
	n = b.Turned(dx, dy)
	return n
}

// planeOf returns the plane that a shape lies on; false where there is none.
func (s *Set) planeOf(sh shape.Shape, l *recipe.Light, host *silhouette.Body,
	wall *camera.Plane) (camera.Plane, bool) {
	feet := shape.FeetOf(sh).All()
	var at []camera.Vec
	for _, f := range feet {
		if v, ok := s.Cam.Floor(f.X, f.Y); ok {
			at = append(at, v)
		}
	}
	if len(at) == 0 {
		v, ok := s.Guess(sh, l, host, wall)
		if !ok {
			return camera.Plane{}, false
		}
		at = append(at, v)
	}
	if wall != nil {
		return camera.Plane{N: wall.N, D: math.Max(wall.N.Dot(at[0]), wall.D+aside)}, true
	}
	if len(at) > 1 {
		if p, ok := s.Cam.Upright(at[0], at[1]); ok {
			return p, true
		}
	}
	card := s.Cam.Card(at[0])
	tube, ok := sh.(shape.Tube)
	if !ok || host != nil {
		return card, true
	}
	return s.lean(tube, at[0], card), true
}

// lean returns the plane of a tube with one foot: near a wall it is parallel to that; if its lowest
// point would be below the floor, it leans.
func (s *Set) lean(t shape.Tube, foot camera.Vec, card camera.Plane) camera.Plane {
	line, _ := shape.Centre(t)
	low, top, mid := line[0], line[0], shape.Point{}
	for _, p := range line {
		if p.Y > low.Y {
			low = p
		}
		if p.Y < top.Y {
			top = p
		}
		mid.X, mid.Y = mid.X+p.X/float64(len(line)), mid.Y+p.Y/float64(len(line))
	}
	if h, ok := s.Cam.Above(foot, top.X, top.Y); ok {
		for _, w := range s.Walls {
			if d := w.Side(foot); d < 0.4*s.Cam.Height(h) {
				return camera.Plane{N: w.N, D: w.D + math.Max(d, aside)}
			}
		}
	}
	v, ok := s.Cam.Above(foot, low.X, low.Y)
	if !ok || s.Cam.Height(v) >= -0.01 {
		return card
	}
	ground, ok1 := s.Cam.Floor(low.X, low.Y)
	centre, ok2 := s.Cam.Above(foot, mid.X, mid.Y)
	if !ok1 || !ok2 {
		return card
	}
	// Through both, and level across the way from one to the other.
	d := centre.Sub(ground)
	n := d.Cross(d.Cross(s.Cam.Up)).Unit()
	if n.Len() == 0 {
		return card
	}
	p := camera.Plane{N: n, D: n.Dot(ground)}
	if p.D > 0 {
		p.N, p.D = n.Mul(-1), -p.D
	}
	return p
}

// Guess returns the point of the floor over which a shape that has no foot is taken to be.
func (s *Set) Guess(sh shape.Shape, l *recipe.Light, host *silhouette.Body,
	wall *camera.Plane) (camera.Vec, bool) {
	x, y, _ := extent(sh)
	if host != nil {
		v, _, ok := host.Surface(x, y)
		return s.Cam.Drop(v), ok
	}
	r := s.Cam.Ray(x, y)
	if wall != nil {
		t, ok := wall.Hit(r)
		if !ok {
			return camera.Vec{}, false
		}
		return s.Cam.Drop(r.Mul(t).Add(wall.N.Mul(0.02))), true
	}
	end := lowerEnd(sh)
	if kind, id := l.Stand.Of(); kind == recipe.OnPlatform {
		for i := range s.r.Room.Platforms {
			if s.r.Room.Platforms[i].ID == id {
				if t, ok := s.Prisms[i].Planes[0].Hit(s.Cam.Ray(end.X, end.Y)); ok {
					return s.Cam.Drop(s.Cam.Ray(end.X, end.Y).Mul(t)), true
				}
			}
		}
	}
	// Where its lower end is seen: on the floor it stands there, on a wall it hangs before it.
	r = s.Cam.Ray(end.X, end.Y)
	best, on := math.Inf(1), -1
	if t, ok := s.Cam.FloorPlane().Hit(r); ok {
		best, on = t, 0
	}
	for i, w := range s.Walls {
		if t, ok := w.Hit(r); ok && t < best {
			best, on = t, i+1
		}
	}
	switch {
	case on == 0:
		return r.Mul(math.Min(best, 60)), true
	case on > 0:
		return s.Cam.Drop(r.Mul(best).Add(s.Walls[on-1].N.Mul(0.1))), true
	}
	// Before the sky: as far as a street's width.
	level := s.Cam.Level(r)
	return s.Cam.Drop(level.Mul(6)), true
}

// bounds returns what a shape lies between.
func bounds(sh shape.Shape) (x0, y0, x1, y1 float64) {
	x0, y0, x1, y1 = math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for _, e := range shape.Edges(sh) {
		for _, p := range e {
			x0, y0, x1, y1 = min(x0, p.X), min(y0, p.Y), max(x1, p.X), max(y1, p.Y)
		}
	}
	return
}

// roughly returns what holds a shape's nodes with their handles and its width, or a cut-out's
// cells: all of it, and quickly.
func roughly(r *recipe.Recipe, sh shape.Shape) (x0, y0, x1, y1 float64) {
	more := 0.0
	switch s := sh.(type) {
	case shape.CutOut:
		if c := r.CutOut(s.Of); c != nil {
			return c.Bounds()
		}
		return bounds(sh)
	case shape.Outline:
	case shape.Tube:
		more = 4 * s.Width
	default:
		return bounds(sh)
	}
	x0, y0, x1, y1 = math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for _, n := range shape.Nodes(sh).All() {
		for _, h := range [3][2]float64{{}, n.In, n.Out} {
			x, y := n.X+h[0], n.Y+h[1]
			x0, y0, x1, y1 = min(x0, x), min(y0, y), max(x1, x), max(y1, y)
		}
	}
	return x0 - more, y0 - more, x1 + more, y1 + more
}

// extent returns the middle of a shape across and down, and how far down it goes.
func extent(sh shape.Shape) (x, y, low float64) {
	x0, y0, x1, y1 := bounds(sh)
	return (x0 + x1) / 2, (y0 + y1) / 2, y1
}

// lowerEnd returns the middle of the lowest part of a shape: where it meets what it stands on.
func lowerEnd(sh shape.Shape) shape.Point {
	_, y0, _, y1 := bounds(sh)
	from, to := math.Inf(1), math.Inf(-1)
	for _, e := range shape.Edges(sh) {
		for _, p := range e {
			if p.Y >= y1-(y1-y0)/50 {
				from, to = min(from, p.X), max(to, p.X)
			}
		}
	}
	return shape.Point{X: (from + to) / 2, Y: y1}
}

// Depths returns how far from the camera the points of a light are, in the room's unit: by their
// feet, or by what is seen where they end below. For those that hang before the sky it is as for
// their size, by those that are known; nil where none is.
func (s *Set) Depths(l *recipe.Light, spots []shape.Spot) []float64 {
	kind, id := l.Stand.Of()
	var wall *camera.Plane
	for i := range s.r.Room.Walls {
		if kind == recipe.OnWall && s.r.Room.Walls[i].ID == id {
			wall = &s.Walls[i]
		}
	}
	var out, unit []float64
	for _, sh := range l.Shapes {
		list := shape.Shapes{sh}.Spots()
		if len(list) == 0 {
			continue
		}
		var plane camera.Plane
		known := shape.FeetOf(sh).Len() > 0 || wall != nil || s.backed(list[0])
		if known {
			plane, known = s.planeOf(sh, l, nil, wall)
		}
		for _, q := range list {
			d := 0.0
			if known {
				r := s.Cam.Ray(q.At.X, q.At.Y)
				if t, ok := plane.Hit(r); ok && t > 0 {
					d = r.Mul(t).Len()
					unit = append(unit, d*q.Radius)
				}
			}
			out = append(out, d)
		}
	}
	if len(unit) == 0 || len(out) != len(spots) {
		return nil
	}
	slices.Sort(unit)
	for i := range out {
		if out[i] == 0 {
			out[i] = unit[len(unit)/2] / math.Max(spots[i].Radius, 0.1)
		}
	}
	return out
}

// backed tells whether the floor or a wall is seen where a point ends below.
func (s *Set) backed(q shape.Spot) bool {
	r := s.Cam.Ray(q.At.X, q.At.Y+q.Radius)
	_, ok := s.Cam.FloorPlane().Hit(r)
	for _, w := range s.Walls {
		_, hit := w.Hit(r)
		ok = ok || hit
	}
	return ok
}
