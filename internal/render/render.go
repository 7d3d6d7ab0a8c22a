// Package render turns a photo and a recipe into a picture.
//
// There is one path to the picture: previews, exports and the command line all
// call Engine.Render, which computes any part of the picture at any scale. The
// order of the work is fixed by how light works, not by the user: photo, dusk,
// spill, cores, shells from the widest to the smallest, dither.
//
// What is costly and does not depend on the whole recipe (masks, pyramids,
// blurred shells, irradiance, the scaled photo) is kept in a Cache by the hash
// of what it depends on, so that a fader or a gel blurs nothing anew. What is
// left is one pass over the rows of the picture.
package render

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"image"
	"math"
	"sync"
	"time"

	"pyrant/internal/codec"
	"pyrant/internal/colour"
	"pyrant/internal/glow"
	"pyrant/internal/raster"
	"pyrant/internal/recipe"
	"pyrant/internal/shape"
	"pyrant/internal/spill"
)

// Engine renders, with a cache that all who use it share. It may be used by
// several goroutines.
type Engine struct{ Cache *Cache }

// New returns an engine whose cache holds about so many bytes.
func New(cacheBytes int64) *Engine { return &Engine{NewCache(cacheBytes)} }

// Pass names a part of the light that is rendered by itself, over black.
type Pass string

// The passes. Whole is the picture.
const (
	Whole     Pass = ""
	GlowPass  Pass = "glow"  // cores and shells
	SpillPass Pass = "spill" // what the surroundings receive
)

// Request says what to render.
type Request struct {
	Photo    *codec.Photo
	PhotoKey string // names the photo's bytes, such as their SHA-256
	Recipe   *recipe.Recipe

	// LongEdge is the long edge in pixels of the whole picture, which sets the
	// scale; 0 is the photo's own.
	LongEdge int
	// View is the part to render, in pixels of the picture of that scale; the
	// empty rectangle is all of it.
	View image.Rectangle
	// Plain leaves everything out: the photo as it is.
	Plain bool
	Pass  Pass
	// Deep asks for samples of 16 bits.
	Deep bool
	// Profile is what the result is encoded for; nil is the photo's own.
	Profile *colour.Profile
	// Stats, if set, takes the time of the nodes that had to be computed.
	Stats *Stats
}

// Stats sums up the time that nodes took, by kind.
type Stats struct {
	mu  sync.Mutex
	Sum map[string]time.Duration
}

func (s *Stats) add(kind string, since time.Time) {
	if s == nil {
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.Sum == nil {
		s.Sum = map[string]time.Duration{}
	}
	s.Sum[kind] += time.Since(since)
}

// Size returns the size of the whole picture with the given long edge (0 for
// the photo's own) and its scale in pixels for each pixel of the photo.
func Size(width, height, longEdge int) (w, h int, scale float64) {
	long := max(width, height)
	if longEdge <= 0 || longEdge == long {
		return width, height, 1
	}
	// In whole numbers, halves up: a page that works out the size must get the same.
	round := func(v int) int { return max(1, (2*v*longEdge+long)/(2*long)) }
	return round(width), round(height), float64(longEdge) / float64(long)
}

// Render computes the asked part and returns it as an *image.RGBA or, where
// Deep is set, an *image.RGBA64, with the origin at the view's corner. It stops
// within some milliseconds when ctx is done and returns its error then.
func (e *Engine) Render(ctx context.Context, q Request) (image.Image, error) {
	p, err := e.plan(ctx, &q)
	if err != nil {
		return nil, err
	}
	out := newImage(q.Deep, p.view)
	if err := p.strip(ctx, p.view, out); err != nil {
		return nil, err
	}
	return out, nil
}

// stripRows is how many rows an export computes at a time. It bounds memory and
// sets how fine its progress is.
const stripRows = 256

// Export renders like Render, but in strips, so that only a part of the float
// working values is in memory at any time; progress is called with the share
// that is done, from 0 to 1.
func (e *Engine) Export(ctx context.Context, q Request, progress func(float64)) (image.Image, error) {
	p, err := e.plan(ctx, &q)
	if err != nil {
		return nil, err
	}
	out := newImage(q.Deep, p.view)
	for y := p.view.Min.Y; y < p.view.Max.Y; y += stripRows {
		r := p.view
		r.Min.Y, r.Max.Y = y, min(y+stripRows, p.view.Max.Y)
		if err := p.strip(ctx, r, out); err != nil {
			return nil, err
		}
		for _, ll := range p.lights {
			ll.mask.Drop(y) // an export does not come back up
		}
		if progress != nil {
			progress(float64(r.Max.Y-p.view.Min.Y) / float64(p.view.Dy()))
		}
	}
	return out, nil
}

func newImage(deep bool, r image.Rectangle) image.Image {
	if deep {
		return image.NewRGBA64(r)
	}
	return image.NewRGBA(r)
}

// plan is a recipe made ready for rows at one scale.
type plan struct {
	e       *Engine
	q       *Request
	scale   float64
	frame   image.Rectangle // the whole picture
	view    image.Rectangle
	same    bool // scale 1: rows come straight from the photo
	copies  bool // untouched pixels may leave in the photo's own codes
	profile *colour.Profile

	dusk   *dusk
	lights []*litLight
	layers []layerPlan
	spills []spillPlan
	stats  *Stats
}

// litLight is a light that shines, with what its parts share.
type litLight struct {
	l      *recipe.Light
	level  float64
	key    string // of its shapes
	mask   *shape.Mask
	source *spill.Source
	pyr    *glow.Pyramid

	core     termPlan
	coreOn   bool
	cover    float32    // how much of the photo the core hides
	coreCol  colour.RGB // as displayed, linear
	texture  float32
	open     float32 // how much of the light that joins reaches the core
	meanLuma float32
}

// termPlan is a blurred coverage still to be computed for a strip.
type termPlan struct {
	light  *litLight
	sigma  float64 // deviation in pixels of the picture
	level  int
	rest   float64
	weight []float32
}

// layerPlan is either a run of added shells, merged into one, or a run of
// shells that join by blend modes.
type layerPlan struct {
	add    []termPlan
	blends []blendPlan
}

type blendPlan struct {
	term termPlan
	tint [3]float32 // display values
	mode func(cb, cs float32) float32
}

// spillPlan is the spill of all lights that share a tone window.
type spillPlan struct {
	tone   recipe.ToneWindow
	window *[257]float32 // by display brightness; nil where all is let through
	lights []*litLight
	colour [][3]float32
}

// hashOf returns a key for what a mask depends on.
func hashOf(shapes []shape.Shape) string {
	var b []byte
	num := func(v float64) { b = binary.LittleEndian.AppendUint64(b, math.Float64bits(v)) }
	flag := func(v bool) {
		if v {
			b = append(b, 1)
		} else {
			b = append(b, 0)
		}
	}
	for i := range shapes {
		s := &shapes[i]
		b = append(b, s.Kind...)
		flag(s.Away)
		flag(s.Closed)
		num(s.Width)
		num(float64(len(s.Nodes)))
		for _, n := range s.Nodes {
			for _, v := range [...]float64{n.X, n.Y, n.In[0], n.In[1], n.Out[0], n.Out[1]} {
				num(v)
			}
		}
	}
	h := sha256.Sum256(b)
	return hex.EncodeToString(h[:12])
}

func (e *Engine) plan(ctx context.Context, q *Request) (*plan, error) {
	w, h, scale := Size(q.Photo.Width, q.Photo.Height, q.LongEdge)
	if scale > 1 {
		return nil, fmt.Errorf("render: a picture is not made larger than its photo")
	}
	p := &plan{e: e, q: q, scale: scale, frame: image.Rect(0, 0, w, h), profile: q.Profile, stats: q.Stats}
	p.view = p.frame
	if !q.View.Empty() {
		p.view = q.View.Intersect(p.frame)
	}
	if p.view.Empty() {
		return nil, fmt.Errorf("render: the view lies outside of the picture")
	}
	if p.profile == nil {
		p.profile = q.Photo.Profile
	}
	p.same = w == q.Photo.Width && h == q.Photo.Height
	p.copies = p.same && p.profile == q.Photo.Profile && q.Pass == Whole
	if q.Plain {
		return p, ctx.Err()
	}
	r := q.Recipe
	if q.Pass == Whole {
		p.dusk = newDusk(r.Dusk)
	}
	lit := r.Lit()
	for i := range r.Lights {
		if !lit[i] {
			continue
		}
		l := &r.Lights[i]
		ll := &litLight{l: l, level: l.Level, key: hashOf(l.Shapes)}
		if err := p.prepare(ctx, ll); err != nil {
			return nil, err
		}
		p.lights = append(p.lights, ll)
	}
	if r.Glow.On && q.Pass != SpillPass {
		if err := p.planGlow(ctx, r.Glow.Level); err != nil {
			return nil, err
		}
	}
	if r.Spill.On && q.Pass != GlowPass {
		if err := p.planSpill(ctx, r.Spill.Level); err != nil {
			return nil, err
		}
	}
	return p, ctx.Err()
}

// prepare finds the light's mask.
func (p *plan) prepare(ctx context.Context, ll *litLight) (err error) {
	ll.mask, err = Get(ctx, p.e.Cache, fmt.Sprintf("mask %s %g", ll.key, p.scale), func(context.Context) (*shape.Mask, error) {
		return shape.NewMask(ll.l.Shapes, p.scale), nil
	})
	return
}

// pyramid gives the light's mask reduced to all levels that its shells can ask
// for, whatever radius they are dragged to.
func (p *plan) pyramid(ctx context.Context, ll *litLight, top int) error {
	if ll.pyr != nil && ll.pyr.Top() >= top {
		return nil
	}
	top = max(top, 6)
	pyr, err := Get(ctx, p.e.Cache, fmt.Sprintf("pyramid %s %g %d", ll.key, p.scale, top), func(ctx context.Context) (*glow.Pyramid, error) {
		defer p.stats.add("mask", time.Now())
		return glow.NewPyramid(ctx, ll.mask, ll.mask.Bounds, top)
	})
	ll.pyr = pyr
	return err
}

func (p *plan) term(ctx context.Context, ll *litLight, sigma float64, weight ...float32) (termPlan, error) {
	t := termPlan{light: ll, sigma: sigma, weight: weight}
	t.level, t.rest = glow.Level(sigma)
	return t, p.pyramid(ctx, ll, t.level)
}

func (p *plan) planGlow(ctx context.Context, master float64) error {
	type item struct {
		light *litLight
		shell *recipe.Shell
		norm  float64
	}
	var items []item
	for _, ll := range p.lights {
		level := ll.level * master
		if level <= 0 {
			continue
		}
		// The core hides the object behind it; a fader below 1 lets it through.
		if ll.cover = 1; level < 1 {
			ll.cover = float32(1 - (1-level)*(1-level))
		}
		ll.coreOn = true
		ll.coreCol = ll.l.Gel.Colour().Mix(colour.RGB{R: 1, G: 1, B: 1}, float32(ll.l.Core.Whiteness))
		ll.texture = float32(ll.l.Core.Texture)
		ll.open = float32(math.Pow(1-ll.l.Core.Texture, 5))
		var err error
		if ll.core, err = p.term(ctx, ll, ll.l.Core.Feather*p.scale, 1); err != nil {
			return err
		}
		if ll.texture > 0 {
			if err := p.measure(ctx, ll); err != nil {
				return err
			}
		}
		for i := range ll.l.Shells {
			s := &ll.l.Shells[i]
			if s.Strength <= 0 {
				continue
			}
			k, err := p.weight(ctx, ll, s, level)
			if err != nil {
				return err
			}
			items = append(items, item{ll, s, k})
		}
	}
	// Widest first over all lights; equal ones by their order in the recipe.
	sortStable(items, func(a, b item) bool { return a.shell.Radius > b.shell.Radius })
	for _, it := range items {
		tint := it.shell.Tint.Colour(it.light.l.Gel)
		var last *layerPlan
		if n := len(p.layers); n > 0 {
			last = &p.layers[n-1]
		}
		if it.shell.Join == recipe.Add {
			k := float32(it.norm)
			t, err := p.term(ctx, it.light, it.shell.Radius*p.scale, tint.R*k, tint.G*k, tint.B*k)
			if err != nil {
				return err
			}
			if last == nil || last.blends != nil {
				p.layers = append(p.layers, layerPlan{})
				last = &p.layers[len(p.layers)-1]
			}
			last.add = append(last.add, t)
			continue
		}
		t, err := p.term(ctx, it.light, it.shell.Radius*p.scale, float32(it.norm))
		if err != nil {
			return err
		}
		if last == nil || last.add != nil {
			p.layers = append(p.layers, layerPlan{})
			last = &p.layers[len(p.layers)-1]
		}
		last.blends = append(last.blends, blendPlan{t,
			[3]float32{colour.Display.At(tint.R), colour.Display.At(tint.G), colour.Display.At(tint.B)}, blend(it.shell.Join)})
	}
	return nil
}

// weight returns what a shell's blurred coverage is multiplied by, under a fader's
// level.
func (p *plan) weight(ctx context.Context, ll *litLight, s *recipe.Shell, level float64) (float64, error) {
	peak := 1.0 // of a light with nothing traced yet
	if len(ll.l.Shapes) > 0 {
		var err error
		if peak, err = p.peak(ctx, ll, s.Radius); err != nil {
			return 0, err
		}
	}
	return glow.Norm(peak, s.Lift) * s.Strength * level, nil
}

// peak returns the largest value of the light's coverage blurred by a radius in
// pixels of the photo.
func (p *plan) peak(ctx context.Context, ll *litLight, radius float64) (float64, error) {
	v, err := Get(ctx, p.e.Cache, fmt.Sprintf("peak %s %g", ll.key, radius), func(ctx context.Context) (number, error) {
		f, err := Get(ctx, p.e.Cache, "peaks "+ll.key, func(ctx context.Context) (*glow.Peaks, error) {
			defer p.stats.add("peak", time.Now())
			return glow.NewPeaks(ctx, ll.l.Shapes)
		})
		if err != nil {
			return 0, err
		}
		defer p.stats.add("peak", time.Now())
		v, err := f.At(ctx, radius)
		return number(v), err
	})
	return float64(v), err
}

// number is a float64 that a cache can hold.
type number float64

func (number) Bytes() int64 { return 64 }

func sortStable[T any](s []T, less func(a, b T) bool) {
	for i := 1; i < len(s); i++ {
		for j := i; j > 0 && less(s[j], s[j-1]); j-- {
			s[j], s[j-1] = s[j-1], s[j]
		}
	}
}

// measure finds the mean luminance of the photo under the light's shapes, which
// its texture is relative to. It is taken at one small scale for every render
// of the shot.
func (p *plan) measure(ctx context.Context, ll *litLight) error {
	v, err := Get(ctx, p.e.Cache, fmt.Sprintf("luma %s %s", p.q.PhotoKey, ll.key), func(ctx context.Context) (number, error) {
		defer p.stats.add("texture", time.Now())
		ph := p.q.Photo
		_, _, scale := Size(ph.Width, ph.Height, min(1024, max(ph.Width, ph.Height)))
		m := shape.NewMask(ll.l.Shapes, scale)
		sum, n := 0.0, 0.0
		row := make([]float32, 3)
		for y := m.Bounds.Min.Y; y < m.Bounds.Max.Y; y++ {
			if err := ctx.Err(); err != nil {
				return 0, err
			}
			cov := make([]float32, m.Bounds.Dx())
			m.Fill(cov, m.Bounds.Min.X, y)
			for i, v := range cov {
				x, y := int((float64(m.Bounds.Min.X+i)+0.5)/scale), int((float64(y)+0.5)/scale)
				if v > 0 && x >= 0 && y >= 0 && x < ph.Width && y < ph.Height {
					ph.Linear(row, x, y, 1)
					sum += float64(v) * float64(colour.Luma(row[0], row[1], row[2]))
					n += float64(v)
				}
			}
		}
		if n == 0 {
			return 0.5, nil
		}
		return number(sum / n), nil
	})
	ll.meanLuma = max(float32(v), 0.01)
	return err
}

func (p *plan) planSpill(ctx context.Context, master float64) error {
	for _, ll := range p.lights {
		k := float32(ll.level * master * ll.l.Spill.Strength)
		if k <= 0 {
			continue
		}
		var err error
		ll.source, err = Get(ctx, p.e.Cache, fmt.Sprintf("source %s %g", ll.key, ll.l.Spill.Reach), func(ctx context.Context) (*spill.Source, error) {
			defer p.stats.add("spill", time.Now())
			return spill.NewSource(ctx, ll.l.Shapes, ll.l.Spill.Reach)
		})
		if err != nil {
			return err
		}
		c := ll.l.Gel.Colour().Scale(k)
		tone := ll.l.Spill.Tone
		if tone.Whole() {
			tone = recipe.ToneWindow{High: 1}
		}
		at := -1
		for i := range p.spills {
			if p.spills[i].tone == tone {
				at = i
			}
		}
		if at < 0 {
			s := spillPlan{tone: tone}
			if !tone.Whole() {
				s.window = new([257]float32)
				for i := range s.window {
					s.window[i] = float32(tone.At(float64(i) / 255))
				}
			}
			p.spills = append(p.spills, s)
			at = len(p.spills) - 1
		}
		s := &p.spills[at]
		s.lights = append(s.lights, ll)
		s.colour = append(s.colour, [3]float32{c.R, c.G, c.B})
	}
	return nil
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

// field returns the blurred coverage of t for a part of the picture.
func (p *plan) field(ctx context.Context, t *termPlan, part image.Rectangle) (glow.Term, error) {
	clip := shrink(p.frame, t.level)
	ext := t.light.pyr.Extent(t.level, t.rest).Intersect(clip)
	need := shrink(part, t.level).Intersect(ext)
	if need.Empty() {
		return glow.Term{Level: t.level, Field: raster.NewPlane(image.Rectangle{}), Weight: t.weight}, nil
	}
	region := ext
	if ext.Dx()*ext.Dy() > wholeLimit || t.level == 0 && ext.Dx()*ext.Dy() > 4*need.Dx()*need.Dy() {
		region = need
	}
	build := func(ctx context.Context) (*raster.Plane, error) {
		defer p.stats.add("shell", time.Now())
		return t.light.pyr.Blur(ctx, t.level, t.rest, region)
	}
	f, err := Get(ctx, p.e.Cache, fmt.Sprintf("shell %s %g %g %v", t.light.key, p.scale, t.sigma, region), build)
	return glow.Term{Level: t.level, Field: f, Weight: t.weight}, err
}
