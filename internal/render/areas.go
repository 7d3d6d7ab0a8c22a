package render

import (
	"context"
	"fmt"
	"image"
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/coverage"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/guided"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/glow"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
)

// world is a plan as areas see it. Where what they cover is to be solid, as for what stands before
// a light, a cut-out's soft edge is how much of a pixel it covers; else it is its share of the
// pixel's light, so that what is darkened beside it keeps no rim of what was behind.
type world struct {
	*plan
	solid bool
}

var _ area.World = world{}

// area returns the coverage of an area over a part of the picture.
func (p *plan) area(ctx context.Context, id area.Ref, part image.Rectangle) (*raster.Plane, error) {
	// Several passes may work in one area: within a part it is worked out once.
	if p.drawnFor != part {
		p.drawnFor, p.drawn = part, map[area.Ref]*raster.Plane{}
	}
	if m := p.drawn[id]; m != nil {
		return m, nil
	}
	a := p.q.Recipe.Area(id)
	m, err := forPart(ctx, p, true, fmt.Sprintf("area %s %g %v", a.Key(world{plan: p}), p.scale,
		part), func(ctx context.Context) (*raster.Plane, error) {
		defer p.stats.add("area", time.Now())
		return a.Plane(ctx, world{plan: p}, part)
	})
	if err == nil {
		p.drawn[id] = m
	}
	return m, err
}

// areas returns the coverage of each of several areas, nil for "".
func (p *plan) areas(ctx context.Context, ids []area.Ref,
	part image.Rectangle) ([]*raster.Plane, error) {
	out := make([]*raster.Plane, len(ids))
	for i, id := range ids {
		if id == "" {
			continue
		}
		var err error
		if out[i], err = p.area(ctx, id, part); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (w world) Scale() float64                   { return w.scale }
func (w world) Frame() image.Rectangle           { return w.frame }
func (w world) PhotoKey() string                 { return w.q.PhotoKey }
func (w world) Area(id area.Ref) *area.Area      { return w.q.Recipe.Area(id) }
func (w world) LightKey(l area.Light) (k string) { return lightKey(w.plan, l) }
func (w world) CutOutKey(id cutout.Ref) string   { return cutOutKey(w.q.Recipe, id, !w.solid) }

// Photo gives rows of the photo at the plan's scale. What a part of the picture has
// been shrunken to is not used: masks are made for more than that part.
func (w world) Photo() func(dst []float32, x0, y int) {
	if w.same {
		return func(dst []float32, x0, y int) { w.q.Photo.Linear(dst, x0, y, len(dst)/3) }
	}
	pool := sync.Pool{New: func() any { return new(shrinker) }}
	last := w.lastBase
	return func(dst []float32, x0, y int) {
		if r := image.Rect(x0, y, x0+len(dst)/3, y+1); last != nil && r.In(last.Rect) {
			copy(dst, last.Row(y)[3*(x0-last.Rect.Min.X):])
			return
		}
		s := pool.Get().(*shrinker)
		defer pool.Put(s)
		s.row(dst, w.q.Photo, 1/w.scale, x0, y)
	}
}

func (w world) Mask(ctx context.Context, key string,
	make func() coverage.Mask) (coverage.Mask, error) {
	m, err := graph.FetchOwn(ctx, w.cache, graph.Text(fmt.Sprintf("part %s %g", key, w.scale)),
		func(context.Context) (coverage.Mask, error) { return make(), nil })
	if err == nil {
		w.masks.add(m)
	}
	return m, err
}

func (w world) Whole(ctx context.Context, key string, make func(context.Context,
	image.Rectangle) (*raster.Plane, error)) (area.Rows, error) {
	if w.passing {
		b := &bands{frame: w.frame, make: make}
		return b, b.ready(ctx)
	}
	p, err := graph.Fetch(ctx, w.cache, graph.Text(fmt.Sprintf("%s %g", key, w.scale)),
		func(ctx context.Context) (*raster.Plane, error) { return make(ctx, w.frame) })
	return planeRows{p}, err
}

type planeRows struct{ *raster.Plane }

func (p planeRows) Fill(dst []float32, x0, y int) { copy(dst, p.Row(y)[x0-p.Rect.Min.X:]) }

// bands is a coverage over the whole frame of an export, made in bands when they are asked for, of
// which the last few are held: at 100 megapixels the whole takes 400 MB.
type bands struct {
	frame image.Rectangle
	make  func(context.Context, image.Rectangle) (*raster.Plane, error)
	mu    sync.Mutex
	held  []*band // the newest last
}

type band struct {
	n    int
	once sync.Once
	*raster.Plane
}

// bandRows is how many rows a band has, and maxBands how many bands are held: several for each
// goroutine that reads.
const (
	bandRows = 64
	maxBands = 16
)

// ready makes the first band, so that what cannot be made at all is an error.
func (b *bands) ready(ctx context.Context) error {
	p, err := b.make(ctx, b.rect(0))
	if err == nil {
		k := &band{Plane: p}
		k.once.Do(func() {})
		b.held = append(b.held, k)
	}
	return err
}

func (b *bands) rect(n int) image.Rectangle {
	return image.Rect(b.frame.Min.X, b.frame.Min.Y+n*bandRows, b.frame.Max.X,
		b.frame.Min.Y+(n+1)*bandRows).Intersect(b.frame)
}

func (b *bands) Fill(dst []float32, x0, y int) {
	n := (y - b.frame.Min.Y) / bandRows
	b.mu.Lock()
	i := slices.IndexFunc(b.held, func(k *band) bool { return k.n == n })
	k := &band{n: n}
	if i >= 0 {
		k = b.held[i]
		b.held = slices.Delete(b.held, i, i+1)
	} else if len(b.held) >= maxBands {
		b.held = slices.Delete(b.held, 0, 1)
	}
	b.held = append(b.held, k)
	b.mu.Unlock()
	k.once.Do(func() {
		// What reads it may be kept for the next strips: it is not given up with one of them.
		p, err := b.make(context.Background(), b.rect(n))
		if err != nil {
			panic(err) // the first band was made of the same
		}
		k.Plane = p
	})
	copy(dst, k.Row(y)[x0-b.frame.Min.X:])
}

func (w world) Filter(ctx context.Context, key string, edge int, make func(context.Context,
	area.World) (*guided.Filter, error)) (*guided.Filter, error) {
	return graph.Fetch(ctx, w.cache, graph.Text(fmt.Sprintf("filter %s %d", key, edge)),
		func(ctx context.Context) (*guided.Filter, error) {
			defer w.stats.add("area", time.Now())
			q := *w.q
			q.View, q.LongEdge = image.Rectangle{}, min(edge, q.Recipe.Photo.LongEdge())
			small, err := newPlanUpTo(ctx, w.cache, &q, "photo")
			if err != nil {
				return nil, err
			}
			if _, err := small.base(ctx, small.frame); err != nil {
				return nil, err
			}
			return make(ctx, world{plan: small})
		})
}

func (w world) Soften(ctx context.Context, key string, m coverage.Mask, sigma float64,
	r image.Rectangle) (area.Rows, error) {
	return w.soften(ctx, &litLight{key: "part " + key, mask: m}, sigma, r)
}

func (p *plan) soften(ctx context.Context, ll *litLight, sigma float64,
	r image.Rectangle) (area.Rows, error) {
	t, err := p.term(ctx, ll, sigma, 1)
	if err != nil {
		return nil, err
	}
	f, err := p.field(ctx, &t, r)
	if err != nil {
		return nil, err
	}
	sum, err := glow.Collapse(ctx, []glow.Term{f}, 1, r)
	return sumRows{sum}, err
}

// sumRows is a sum as coverage.
type sumRows struct{ sum *glow.Sum }

var rowPool = sync.Pool{New: func() any { return new([]float32) }}

func (s sumRows) Fill(dst []float32, x0, y int) {
	tmp := rowPool.Get().(*[]float32)
	*tmp = s.sum.Row(dst, x0, y, *tmp)
	rowPool.Put(tmp)
}

// lightRows is light as coverage: 1 − e^(−light·gain) is covered.
type lightRows struct {
	sums []readySum
	gain float32
}

func (l lightRows) Fill(dst []float32, x0, y int) {
	clear(dst)
	tmp, one := rowPool.Get().(*[]float32), make([]float32, len(dst))
	for i := range l.sums {
		*tmp = l.sums[i].row(one, 1, x0, y, *tmp)
		raster.Add(dst, one)
	}
	rowPool.Put(tmp)
	for i, v := range dst {
		dst[i] = 1 - colour.ExpNeg(v*l.gain)
	}
}

// veiledTerms is light that is hidden alike.
type veiledTerms struct {
	veil  veil
	terms []glow.Term
}

// under adds a term to those that are hidden as v hides.
func under(list []veiledTerms, v veil, t glow.Term) []veiledTerms {
	for i := range list {
		if list[i].veil.key == v.key {
			list[i].terms = append(list[i].terms, t)
			return list
		}
	}
	return append(list, veiledTerms{v, []glow.Term{t}})
}

// anyOf is covered where any of its parts is.
type anyOf []area.Rows

func (a anyOf) Fill(dst []float32, x0, y int) {
	clear(dst)
	one := make([]float32, len(dst))
	for _, r := range a {
		r.Fill(one, x0, y)
		for i, v := range one {
			dst[i] += v - dst[i]*v
		}
	}
}

// shining returns the lights that a reference means, of those that shine.
func (p *plan) shining(id area.LightRef) (out []*litLight) {
	for _, ll := range p.lights {
		if id == "" || ll.l.ID == string(id) {
			out = append(out, ll)
		}
	}
	return out
}

func lightKey(p *plan, l area.Light) string {
	var b strings.Builder
	switch l.What {
	case area.Covers:
		for i := range p.q.Recipe.Lights {
			if k := &p.q.Recipe.Lights[i]; l.Light == "" || k.ID == string(l.Light) {
				b.WriteString(coverKey(p.q.Recipe, k.Shapes, false) + " ")
			}
		}
	case area.Glow:
		for _, ll := range p.shining(l.Light) {
			_, hides := p.hides(ll.l)
			fmt.Fprintf(&b, "%s %v %v %s %s %v %g %s ", ll.key, ll.l.Glow, ll.l.Streak, hides,
				p.veilOf(ll.l).key, p.q.Recipe.Glow, ll.l.Gain(), setting.Key(ll.l.Shells))
			for i := range ll.l.Shells {
				b.WriteString(veil{}.trimmed(p, ll.l.Shells[i].Trim).key)
			}
		}
	default:
		if p.q.Recipe.Room.On {
			b.WriteString(p.roughly(p.shining(l.Light)) + p.fallKey())
			for i := range p.q.Recipe.Lights {
				b.WriteString(p.standKey(i))
			}
		}
		for _, ll := range p.shining(l.Light) {
			sp := &ll.l.Spill

			fmt.Fprintf(&b, "%s %v %s %v %g %g ", plainKey(ll), sp.On, p.touched(sp).key,
				p.q.Recipe.Spill, ll.l.Gain(), sp.Strength)
		}
	}
	return b.String()
}

// Light covers the shapes of lights whether they shine or not; glow and spill only where
// there are any.
func (w world) Light(ctx context.Context, l area.Light, feather float64,
	r image.Rectangle) (area.Rows, error) {
	gain := float32(math.Exp2(l.Gain))
	var list []veiledTerms
	switch l.What {
	case area.Covers:
		var all anyOf
		for i := range w.q.Recipe.Lights {
			k := &w.q.Recipe.Lights[i]
			if l.Light != "" && k.ID != string(l.Light) || len(k.Shapes) == 0 {
				continue
			}
			ll, err := newLight(ctx, w.cache, w.q.Recipe, k)
			if err != nil {
				return nil, err
			}
			soft, err := w.edged(ctx, ll, "light "+ll.key, feather, r)
			if err != nil {
				return nil, err
			}
			all = append(all, soft)
		}
		return all, nil
	case area.Glow:
		if !w.q.Recipe.Glow.On {
			return anyOf{}, nil
		}
		for _, ll := range w.shining(l.Light) {
			for i := range ll.l.Shells {
				if !ll.l.Glow {
					break
				}
				s := &ll.l.Shells[i]
				k, err := w.weight(ctx, ll, s, ll.l.Gain()*w.q.Recipe.Glow.Level)
				if err != nil {
					return nil, err
				}
				if k <= 0 {
					continue
				}
				seen, err := w.seen(ctx, ll)
				if err != nil {
					return nil, err
				}
				t, err := w.term(ctx, seen, s.Radius*w.scale, float32(k))
				if err != nil {
					return nil, err
				}
				f, err := w.field(ctx, &t, r)
				if err != nil {
					return nil, err
				}
				list = under(list, w.veilOf(ll.l).trimmed(w.plan, s.Trim), f)
			}
		}
	default:
		if !w.q.Recipe.Spill.On {
			return anyOf{}, nil
		}
		for _, ll := range w.shining(l.Light) {
			sp, err := w.spillOf(ctx, ll)
			if err != nil {
				return nil, err
			}
			if sp == nil {
				continue
			}
			terms, err := w.irradiance(ctx, ll, sp, r, false, sp.power)
			if err != nil {
				return nil, err
			}
			for _, t := range terms {
				list = under(list, sp.veil, t)
			}
		}
	}
	out := lightRows{gain: gain}
	for _, g := range list {
		sum, err := glow.Collapse(ctx, g.terms, 1, r)
		if err != nil {
			return nil, err
		}
		v, err := g.veil.over(ctx, w.plan, r)
		if err != nil {
			return nil, err
		}
		out.sums = append(out.sums, readySum{sum, v})
	}
	return out, nil
}

// AreaMask returns the coverage of an area in the picture that q asks for, for looking
// at it; solid as what stands before a light.
func (e *Engine) AreaMask(ctx context.Context, q Request, id area.Ref,
	solid bool) (*raster.Plane, error) {
	return q.mask(ctx, func(q Request) (*raster.Plane, error) {
		return e.areaMask(ctx, q, id, solid)
	})
}

// mask returns the coverage that is asked for, taken out of what draw makes of the photo.
func (q *Request) mask(ctx context.Context,
	draw func(q Request) (*raster.Plane, error)) (*raster.Plane, error) {
	return drawn(q, draw, func(f *framing,
		m *raster.Plane) (*raster.Plane, error) {
		return f.plane(ctx, m)
	})
}

func (e *Engine) areaMask(ctx context.Context, q Request, id area.Ref,
	solid bool) (*raster.Plane, error) {
	p, err := newPlanUpTo(ctx, e.Cache, &q, "photo")
	if err != nil {
		return nil, err
	}
	if _, err := p.base(ctx, p.view); err != nil {
		return nil, err
	}
	if solid {
		return q.Recipe.Area(id).Plane(ctx, world{plan: p, solid: true}, p.view)
	}
	return p.area(ctx, id, p.view)
}

// gels returns how passes find the gels of a recipe's lights.
func gels(r *recipe.Recipe) func(area.LightRef) *pass.Gel {
	return func(id area.LightRef) *pass.Gel {
		if l := r.LightOf(id); l != nil {
			return &pass.Gel{Hue: l.Gel.Hue, Saturation: l.Gel.Saturation}
		}
		return nil
	}
}

// LightMask returns the coverage of a light's shapes in the picture that q asks for, as sharp as
// they were traced.
func (e *Engine) LightMask(ctx context.Context, q Request, light int) (*raster.Plane, error) {
	return q.mask(ctx, func(q Request) (*raster.Plane, error) { return e.lightMask(ctx, q, light) })
}

func (e *Engine) lightMask(ctx context.Context, q Request, light int) (*raster.Plane, error) {
	_, _, scale := Size(q.Photo.Width, q.Photo.Height, q.LongEdge)
	ll, err := newLight(ctx, e.Cache, q.Recipe, &q.Recipe.Lights[light])
	if err != nil {
		return nil, err
	}
	m, out := ll.cover.At(scale), raster.NewPlane(q.View)
	for y := q.View.Min.Y; y < q.View.Max.Y; y++ {
		m.Fill(out.Row(y), q.View.Min.X, y)
	}
	return out, nil
}

func (w world) SurfaceKey(id area.SurfaceRef) string {
	if !w.q.Recipe.Room.On {
		return "no room"
	}
	return w.geometryKey() + " " + string(id)
}

// Surface returns what is seen of a surface of the room.
func (w world) Surface(ctx context.Context, id area.SurfaceRef, feather float64,
	r image.Rectangle) (area.Rows, error) {
	set, err := w.set(ctx)
	if err != nil || set == nil {
		return anyOf{}, err
	}
	key := "surface " + w.SurfaceKey(id)
	m, err := w.Mask(ctx, key, func() coverage.Mask {
		return set.Compose(w.scale).Mask(string(id), w.frame)
	})
	if err != nil || feather <= 0 {
		return m, err
	}
	return w.soften(ctx, &litLight{key: key, mask: m}, feather, r)
}

// edged returns what a light covers, softened by a feather.
func (w world) edged(ctx context.Context, ll *litLight, key string, feather float64,
	r image.Rectangle) (area.Rows, error) {
	var err error
	if ll.mask, err = w.Mask(ctx, key,
		func() coverage.Mask { return ll.cover.At(w.scale) }); err != nil || feather <= 0 {
		return ll.mask, err
	}
	return w.soften(ctx, ll, feather, r)
}

// CutOut returns the coverage of one or all cut-outs, softened by a feather.
func (w world) CutOut(ctx context.Context, id cutout.Ref, feather float64,
	r image.Rectangle) (area.Rows, error) {
	var all anyOf
	for i := range w.q.Recipe.CutOuts {
		c := &w.q.Recipe.CutOuts[i]
		if id != "" && c.ID != string(id) || c.Empty() {
			continue
		}
		what := cutout.Share
		if w.solid {
			what = cutout.Alpha
		}
		part, err := cutOut(ctx, w.cache, c, what)
		if err != nil {
			return nil, err
		}
		soft, err := w.edged(ctx, &litLight{cover: part, key: part.Key()}, part.Key(), feather, r)
		if err != nil {
			return nil, err
		}
		all = append(all, soft)
	}
	return all, nil
}
