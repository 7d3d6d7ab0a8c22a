package render

import (
	"context"
	"fmt"
	"image"
	"math"
	"slices"
	"sync"
	"time"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/coverage"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/glow"
	"pyrant/internal/light/streak"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
)

// plan is a request made ready for rows at one scale.
type plan struct {
	cache    *graph.Graph
	q        *Request
	layer    layer
	stages   []stage
	scale    float64
	frame    image.Rectangle // the whole picture
	view     image.Rectangle
	same     bool // scale 1: rows come straight from the photo
	remade   bool // a later stage makes the picture of the photo anew, all of it
	passing  bool // what is computed for a strip is not asked for again
	profile  *colour.Profile
	lastBase *raster.RGB // what base returned last
	lights   []*litLight
	masks    masks                      // of areas, to be let go of by an export
	drawn    map[area.Ref]*raster.Plane // areas over the part drawnFor
	drawnFor image.Rectangle
	room     *inRoom // set up when first asked for; nil without a room
	// key of the room as geometry, once it was asked for, but for the lights that cross its things
	space    string
	crossing string   // and of those
	stands   []string // keys of the lights and where they stand
	stats    *Stats
}

// masks are of what is made side by side.
type masks struct {
	mu   sync.Mutex
	list []coverage.Mask
}

func (m *masks) add(k coverage.Mask) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.list = append(m.list, k)
}

// litLight is a light that shines, with what its parts share.
type litLight struct {
	l     *recipe.Light
	cover coverage.Coverage
	key   string     // of cover
	in    coverInput // cover as an input of nodes; nil until it is asked for
	mask  coverage.Mask
	pyr   *glow.Pyramid
	peaks *glow.Peaks // of cover; nil until one is asked for

	drawn *litLight // see plan.drawnOut
	front *litLight // see plan.seen
	keeps *litLight // see plan.keeps
}

func newPlan(ctx context.Context, c *graph.Graph, q *Request) (*plan, error) {
	return newPlanUpTo(ctx, c, q, "")
}

// newPlanUpTo makes a plan of which the named stage is the last; "" is all of them.
func newPlanUpTo(ctx context.Context, c *graph.Graph, q *Request, last string) (*plan, error) {
	l, ok := layers[q.Layer]
	if !ok {
		return nil, fault.In("layer", "There is no layer %q; there are %q.", q.Layer, Layers())
	}
	w, h, scale := Size(q.Photo.Width, q.Photo.Height, q.LongEdge)
	if scale > 1 {
		return nil, tooLarge(max(q.Photo.Width, q.Photo.Height))
	}
	p := &plan{cache: c, q: q, layer: l, scale: scale, frame: image.Rect(0, 0, w, h),
		profile: q.Profile, stats: q.Stats}
	p.view = p.frame
	if !q.View.Empty() {
		p.view = q.View.Intersect(p.frame)
	}
	if p.view.Empty() {
		return nil, outside(w, h)
	}
	if p.profile == nil {
		p.profile = q.Photo.Profile
	}
	p.same = w == q.Photo.Width && h == q.Photo.Height
	if q.Layer != Plain {
		if err := p.lightUp(ctx); err != nil {
			return nil, err
		}
	}
	for _, s := range stages {
		if l.stages != nil && !slices.Contains(l.stages, s.name) {
			continue
		}
		st := s.make()
		does, err := st.prepare(ctx, p)
		if err != nil {
			return nil, err
		}
		if does {
			p.stages = append(p.stages, st)
		}
		if s.name == last {
			break
		}
	}
	return p, ctx.Err()
}

func tooLarge(long int) error {
	return fault.In("long", "A picture is not made larger than its photo, whose long edge has %d pixels.", long)
}

func outside(w, h int) error {
	return fault.In("view", "The part that was asked for lies outside of the picture, which has %d × %d pixels.", w, h)
}

// lightUp makes the lights that shine ready.
func (p *plan) lightUp(ctx context.Context) error {
	lit := p.q.Recipe.Lit()
	lights := make([]*litLight, len(lit))
	errs := make([]error, len(lit))
	if err := raster.Each(ctx, len(lit), func(i int) {
		if !lit[i] {
			return
		}
		ll, err := newLight(ctx, p.cache, p.q.Recipe, p.q.Recipe.Shining(i))
		if err == nil {
			ll.mask, err = p.mask(ctx, ll)
		}
		lights[i], errs[i] = ll, err
	}); err != nil {
		return err
	}
	for i, ll := range lights {
		if errs[i] != nil {
			return errs[i]
		}
		if ll != nil {
			p.lights = append(p.lights, ll)
		}
	}
	return nil
}

// each makes something of each light, side by side, and returns what there is of it in their order.
func each[T any](ctx context.Context, p *plan, of func(context.Context,
	*litLight) (*T, error)) (out []T, err error) {
	list := make([]*T, len(p.lights))
	if err := raster.Try(ctx, len(list), func(i int) (err error) {
		list[i], err = of(ctx, p.lights[i])
		return err
	}); err != nil {
		return nil, err
	}
	for _, v := range list {
		if v != nil {
			out = append(out, *v)
		}
	}
	return out, nil
}

// newLight returns a light with what its shapes cover.
func newLight(ctx context.Context, c *graph.Graph, r *recipe.Recipe,
	l *recipe.Light) (*litLight, error) {
	cover, err := coverOf(ctx, c, r, l.Shapes, false)
	if err != nil {
		return nil, err
	}
	ll := &litLight{l: l, cover: cover, key: cover.Key()}
	ll.in = ll.input(c)
	return ll, nil
}

// drawnOut returns the light as its streak draws it out, which core and glow are made of. Without a
// streak that is the light itself.
func (p *plan) drawnOut(ctx context.Context, ll *litLight) (*litLight, error) {
	s := ll.l.Streak
	if s.Length <= 0 {
		return ll, nil
	}
	if ll.drawn != nil {
		return ll.drawn, nil
	}
	k := streak.Streak{Length: s.Length, Angle: s.Angle, Both: s.Sides == recipe.BothSides,
		Taper: s.Taper}
	key := drawnStreak{ll.input(p.cache), k}
	cover, err := get(ctx, p, "streak", key)
	if err != nil {
		return nil, err
	}
	out := &litLight{l: ll.l, cover: cover, key: cover.Key()}
	out.drawn = out
	// Of a streak that goes far beyond the frame only that is drawn which can be seen there.
	width, err := p.width(ctx, ll)
	if err != nil {
		return nil, err
	}
	if part := p.near(ll.l, depthBlur*width); !cover.Reach(p.scale).In(part) {
		out.key += fmt.Sprintf(" in %v", part)
		out.mask, err = graph.Own(ctx, p.cache, streakMask{key, p.scale, part})
	} else {
		out.mask, err = p.mask(ctx, out)
	}
	if err != nil {
		return nil, err
	}
	start := time.Now()
	if err := streak.Ready(ctx, out.mask); err != nil {
		return nil, err
	}
	p.stats.add("streak", start)
	ll.drawn = out
	return out, nil
}

// near returns the pixels, in the frame and beside it, where a light's coverage can change the
// picture. It extends the frame by the reach of the light's widest shell, of its bloom, and of the
// blur that rounds its core. It grows in steps, so that dragging a radius seldom changes it.
func (p *plan) near(l *recipe.Light, depth float64) image.Rectangle {
	widest := math.Max(math.Hypot(l.Core.Feather, l.Core.BloomRadius), depth)
	for i := range l.Shells {
		widest = math.Max(widest, l.Shells[i].Radius)
	}
	far := float64(glow.Reach(widest * p.scale))
	step := float64(max(p.frame.Dx(), p.frame.Dy())) / 8
	return p.frame.Inset(-int(math.Ceil(math.Ceil(far/step) * step)))
}

// term is a blurred coverage still to be computed for a strip.
type term struct {
	light  *litLight
	sigma  float64 // deviation in pixels of the picture
	level  int
	rest   float64
	weight []float32
}

func (p *plan) term(ctx context.Context, ll *litLight, sigma float64,
	weight ...float32) (term, error) {
	t := term{light: ll, sigma: sigma, weight: weight}
	t.level, t.rest = glow.Level(sigma)
	return t, p.pyramid(ctx, ll, t.level)
}

// pyramid gives the light's mask reduced to all levels that its shells can ask
// for, whatever radius they are dragged to.
func (p *plan) pyramid(ctx context.Context, ll *litLight, top int) error {
	if ll.pyr != nil && ll.pyr.Top() >= top {
		return nil
	}
	top = max(top, 6)
	pyr, err := graph.Fetch(ctx, p.cache, graph.Text(fmt.Sprintf("pyramid %s %g %d", ll.key, p.scale, top)),
		func(ctx context.Context) (*glow.Pyramid, error) {
			defer p.stats.add("mask", time.Now())
			return glow.NewPyramid(ctx, ll.mask, ll.mask.Bounds(), top)
		})
	ll.pyr = pyr
	return err
}

// shrink returns the samples of a level that cover a part of the picture, with
// what the expansion back reads.
func shrink(r image.Rectangle, level int) image.Rectangle {
	for range level {
		r = image.Rect((r.Min.X>>1)-1, (r.Min.Y>>1)-1, (r.Max.X>>1)+2, (r.Max.Y>>1)+2)
	}
	return r
}

// wholeLimit is how many samples a field may have to be computed for the whole
// frame at once, so that panning finds it ready. Larger ones follow the view.
const wholeLimit = 1 << 20

// large tells whether the picture is too large for that.
func (p *plan) large() bool { return p.frame.Dx()*p.frame.Dy() > wholeLimit }

// field returns the blurred coverage of t for a part of the picture.
func (p *plan) field(ctx context.Context, t *term, part image.Rectangle) (glow.Term, error) {
	clip := shrink(p.frame, t.level)
	ext := t.light.pyr.Extent(t.level, t.rest).Intersect(clip)
	need := shrink(part, t.level).Intersect(ext)
	if need.Empty() {
		return glow.Term{Level: t.level, Field: raster.NewPlane(image.Rectangle{}),
			Weight: t.weight}, nil
	}
	region := ext
	if ext.Dx()*ext.Dy() > wholeLimit || t.level == 0 && ext.Dx()*ext.Dy() > 4*need.Dx()*need.Dy() {
		region = need
	}
	f, err := forPart(ctx, p, region == need && region != ext, fmt.Sprintf("shell %s %g %g %v",
		t.light.key, p.scale, t.sigma, region), func(ctx context.Context) (*raster.Plane, error) {
		defer p.stats.add("shell", time.Now())
		return t.light.pyr.Blur(ctx, t.level, t.rest, region)
	})
	return glow.Term{Level: t.level, Field: f, Weight: t.weight}, err
}

// forPart is graph.Fetch, but for what serves one strip of an export alone, which is
// not kept.
func forPart[T graph.Sized](ctx context.Context, p *plan, alone bool, key string,
	build func(context.Context) (T, error)) (T, error) {
	if alone && p.passing {
		return build(ctx)
	}
	return graph.Fetch(ctx, p.cache, graph.Text(key), build)
}
