package render

import (
	"context"
	"image"
	"math"
	"slices"
	"sync"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/base/simd"
	"pyrant/internal/light/glow"
	"pyrant/internal/recipe"
)

// coreStage makes the lit shapes themselves, as a layer that over lays over the
// picture when light has been joined to both.
type coreStage struct {
	*scene
	through bool // the photo shows through where a fader lets it
	list    []core
}

// core is the shape of one light, ready to be coloured.
type core struct {
	coreLook
	light *litLight
	term  term
	// coverage blurred by part of the shapes' width, against its peak; where mask is nil all is
	// alike
	depth term
	trim  veilInput
}

// coreLook is how a core looks, but for its shape.
type coreLook struct {
	emission float32 // of the middle, over what is white; 0 for a core of one colour
	rounding float32
	uneven   float32 // in stops
	patches  patches
	hides    float32    // how much of the photo it hides
	keeps    float32    // what bloom leaves where it is
	colour   colour.RGB // linear
	texture  float32
	open     float32 // how much of the light that joins reaches it
	meanLuma float32 // of the photo under the light's shapes
}

// coreKey names all that a core depends on but the photo, the scale and the part.
type coreKey struct {
	coreLook
	mask  maskRef
	sigma float64
	depth piece
	trim  veilInput
}

func (st *coreStage) prepare(ctx context.Context) (bool, error) {
	if !st.recipe.Glow.On {
		return false, nil
	}
	var err error
	st.list, err = each(ctx, st.lights, st.readyCore)
	return len(st.list) > 0, err
}

// readyCore makes a light's core ready, nil where it has none.
func (st *coreStage) readyCore(ctx context.Context, ll *litLight) (*core, error) {
	k := ll.l.Core
	if ll.l.Level*st.recipe.Glow.Level <= 0 || !k.On {
		return nil, nil
	}
	c, err := coreOf(ctx, st.scene, ll)
	if err != nil {
		return nil, err
	}
	seen, err := ll.seen(ctx, st.scene)
	if err != nil {
		return nil, err
	}
	c.term = term{seen, k.Feather * st.picture.Scale, []float32{1}}
	if k.Look == recipe.Exposed {
		width, err := ll.width(ctx, st.graph)
		if err != nil {
			return nil, err
		}
		c.uneven, c.patches = float32(k.Uneven), newPatches(k.Seed, width*st.picture.Scale)
		if c.rounding != 0 {
			if err := st.depth(ctx, c); err != nil {
				return nil, err
			}
		}
	}
	if c.texture > 0 {
		if c.meanLuma, err = st.meanLuma(ctx, ll); err != nil {
			return nil, err
		}
	}
	return c, nil
}

// coreOf returns a light's core with what its settings alone tell.
func coreOf(ctx context.Context, sc *scene, ll *litLight) (*core, error) {
	k, level := ll.l.Core, ll.l.Level*sc.recipe.Glow.Level
	// The core hides the object behind it; a fader below 1 lets it through.
	look := coreLook{hides: 1, texture: float32(k.Texture), open: float32(math.Pow(1-k.Texture, 5)),
		keeps: float32(1 - k.Bloom)}
	c := &core{coreLook: look, light: ll}
	var err error
	if c.trim, err = sc.trimmed(ctx, ll.l.Trim); err != nil {
		return nil, err
	}
	if level < 1 {
		c.hides = float32(1 - (1-level)*(1-level))
	}
	c.hides *= float32(1 - k.Translucency)
	c.colour = ll.l.Gel.Colour().Mix(colour.RGB{R: 1, G: 1, B: 1}, float32(k.Whiteness))
	if k.Look == recipe.Exposed {
		c.emission = float32(math.Exp2(k.Brightness) * ll.l.Gain() * sc.recipe.Glow.Level)
		c.open, c.rounding = float32(k.Openness), float32(k.Rounding)
	}
	return c, nil
}

// depthBlur is the deviation, by the mean width of the shapes, of the blur that gives the depth
// within a core.
const depthBlur = 0.4

// depth gives a core its shapes' coverage blurred by 0.4 of their mean width, as far as nothing is
// before them.
func (st *coreStage) depth(ctx context.Context, c *core) error {
	width, err := c.light.width(ctx, st.graph)
	if err != nil {
		return err
	}
	mask, err := c.light.drawnMask(ctx, &st.canvas)
	if err != nil {
		return err
	}
	sigma := depthBlur * width
	peak, err := c.light.peak(ctx, st.graph, sigma)
	c.depth = term{mask, sigma * st.picture.Scale, []float32{float32(1 / max(peak, 1e-6))}}
	return err
}

// meanLuma returns the mean luminance of the photo under the light's shapes, which
// its texture is relative to. It is taken at one small scale for every render
// of the shot.
func (st *coreStage) meanLuma(ctx context.Context, ll *litLight) (float32, error) {
	v, err := graph.Get(ctx, st.graph, meanLuma{st.picture.Photo, ll.cover})
	return max(float32(v), 0.01), err
}

func (st *coreStage) collect(ctx context.Context, part image.Rectangle) (rower, error) {
	r := coreRows{open: make([]float32, len(st.list))}
	for i := range st.list {
		r.open[i] = st.list[i].open
	}
	var err error
	r.cores, r.still, err = st.ready(ctx, part)
	return r, err
}

// coreRow is one core over a part of the picture.
type coreRow interface {
	// row returns the runs of pixels of row y that the core reaches, at least those in the columns
	// x0 to x1. They may lie in the scratch.
	row(s *scratch, x0, x1, y int) []coreRun
}

// coreHistory remembers the cores of one view that look as in the frame before.
type coreHistory struct {
	mu   sync.Mutex
	last map[coreKey]*keptCore // of the last frame; nil for one that was made row by row
	// those of the last frame that were kept, once a frame before had the same ones
	still *stillCores
	of    []placed // what the last frame's were
}

// coreView is what a coreHistory is of.
type coreView struct {
	picture picture
	part    image.Rectangle
	through bool
}

// placed is a core and its place among all.
type placed struct {
	at  int
	key coreKey
}

func (l *coreHistory) Bytes() (n int64) {
	if !l.mu.TryLock() {
		return 0
	}
	defer l.mu.Unlock()
	for _, c := range l.last {
		n += 400
		if c != nil {
			n += c.size
		}
	}
	if l.still != nil {
		n += l.still.size
	}
	return
}

// ready returns the cores over a part, and those that do not move side by side. Those that the
// frame before had as well are kept.
func (st *coreStage) ready(ctx context.Context, part image.Rectangle) (out []coreRow,
	still *stillCores, err error) {
	var l *coreHistory
	if !st.graph.IsChild() {
		l = graph.History(st.graph, coreView{st.picture, part, st.through},
			func() *coreHistory { return new(coreHistory) })
		if l.mu.TryLock() {
			defer l.mu.Unlock()
		} else {
			l = nil // another frame of this view is at work
		}
	}
	out = make([]coreRow, len(st.list))
	now := map[coreKey]*keptCore{}
	var of []placed
	for i := range st.list {
		k, key := &st.list[i], coreKey{}
		if l != nil {
			key = k.key()
			kept, seen := l.last[key]
			if seen && kept == nil {
				if kept, err = k.keep(ctx, &st.canvas, part, st.through); err != nil {
					return nil, nil, err
				}
			}
			if now[key] = kept; kept != nil {
				out[i] = kept
				of = append(of, placed{i, key})
				continue
			}
		}
		if out[i], err = k.made(ctx, &st.canvas, part, st.through); err != nil {
			return nil, nil, err
		}
	}
	if l == nil {
		return out, nil, nil
	}
	l.last = now
	if !slices.Equal(l.of, of) {
		l.of, l.still = of, nil
	} else if l.still == nil && len(of) > 1 {
		if l.still, err = st.beside(ctx, out, part); err != nil {
			return nil, nil, err
		}
	}
	return out, l.still, nil
}

func (k *core) key() coreKey {
	out := coreKey{coreLook: k.coreLook, mask: k.term.mask, sigma: k.term.sigma, trim: k.trim}
	if k.depth.mask != nil {
		out.depth = piece{k.depth.mask, k.depth.sigma, [3]float32{k.depth.weight[0]}}
	}
	return out
}

// madeCore is a core of which rows are made as they come.
type madeCore struct {
	*core
	sum     *glow.Sum     // its coverage
	deep    *glow.Sum     // how deep within it a place lies, nil where that does not matter
	trim    *raster.Plane // how much of it is left at each place, nil for all
	through bool          // the photo shows through where a fader lets it
}

func (k *core) made(ctx context.Context, cv *canvas, part image.Rectangle,
	through bool) (*madeCore, error) {
	m := &madeCore{core: k, through: through}
	var err error
	if m.sum, err = cv.sumOf(ctx, &k.term, part); err == nil && k.depth.mask != nil {
		m.deep, err = cv.sumOf(ctx, &k.depth, part)
	}
	if err == nil {
		m.trim, err = veilOver(ctx, cv.graph, k.trim, part)
	}
	return m, err
}

func (m *madeCore) row(s *scratch, x0, x1, y int) []coreRun {
	a, b := span(m.sum.Rect, x0, x1, y)
	if a >= b {
		return nil
	}
	r := &s.core.run[0]
	*r = coreRun{x0 + a, s.cover[a:b], s.core.one[3*a : 3*b]}
	m.fill(s, r.cover, r.pix, x0, a, y)
	return s.core.run[:]
}

// fill writes the pixels from column x0+a on.
func (m *madeCore) fill(s *scratch, cover, pix []float32, x0, a, y int) {
	s.tmp = m.sum.Row(cover, x0+a, y, s.tmp)
	if m.trim != nil {
		simd.Mul(cover, m.trim.Row(y)[x0+a-m.trim.Rect.Min.X:][:len(cover)])
	}
	deep := s.deep[:len(cover)]
	if m.deep != nil {
		s.tmp = m.deep.Row(deep, x0+a, y, s.tmp)
	}
	for i, v := range cover {
		if v < 1e-5 {
			cover[i] = 0
			continue
		}
		cover[i] = min(v, 1)
		e := m.emission
		if e > 0 {
			if m.deep != nil {
				e *= m.left(deep[i])
			}
			if m.uneven > 0 {
				e *= float32(math.Exp2(float64(m.uneven * m.patches.at(x0+a+i, y))))
			}
		}
		c := m.over(s.plain[3*(a+i):3*(a+i)+3], e, m.through)
		pix[3*i], pix[3*i+1], pix[3*i+2] = c.R, c.G, c.B
	}
}

// keptCore is a core of which all rows are made.
type keptCore struct {
	top  int // first row
	rows [][]coreRun
	size int64
}

// coreRun is pixels of a row side by side, the first and the last of which a core covers.
type coreRun struct {
	from       int // column
	cover, pix []float32
}

func (k *keptCore) Bytes() int64 { return k.size }

func (k *keptCore) row(_ *scratch, _, _, y int) []coreRun {
	if y < k.top || y >= k.top+len(k.rows) {
		return nil
	}
	return k.rows[y-k.top]
}

// coreGap is how many pixels without a core part two runs.
const coreGap = 8

// runs returns the runs of pixels that are covered, of which the first is at column from.
func runs(cover, pix []float32, from int) (out []coreRun) {
	n := 0
	for a := 0; a < len(cover); a++ {
		if cover[a] == 0 {
			continue
		}
		b := a + 1 // behind the last that is covered
		for i := b; i < len(cover) && i < b+coreGap; i++ {
			if cover[i] != 0 {
				b = i + 1
			}
		}
		out = append(out, coreRun{from + a, cover[a:b], pix[3*a : 3*b]})
		n += b - a
		a = b
	}
	// Those of a row lie side by side, as they are read.
	all := make([]float32, 0, 4*n)
	copied := func(v []float32) []float32 {
		at := len(all)
		all = append(all, v...)
		return all[at:len(all):len(all)]
	}
	for i := range out {
		out[i].cover, out[i].pix = copied(out[i].cover), copied(out[i].pix)
	}
	return
}

// keep makes all rows of a core over a part of the photo.
func (k *core) keep(ctx context.Context, cv *canvas, part image.Rectangle,
	through bool) (*keptCore, error) {
	base, err := cv.base(ctx, part)
	if err != nil {
		return nil, err
	}
	m, err := k.made(ctx, cv, part, through)
	if err != nil {
		return nil, err
	}
	r := m.sum.Rect.Intersect(part)
	out := &keptCore{top: r.Min.Y, rows: make([][]coreRun, r.Dy())}
	pool := sync.Pool{New: func() any { return newScratch(part.Dx()) }}
	err = raster.Rows(ctx, r.Min.Y, r.Max.Y, func(y0, y1 int) {
		s := pool.Get().(*scratch)
		defer pool.Put(s)
		cover, pix := make([]float32, r.Dx()), make([]float32, 3*r.Dx())
		for y := y0; y < y1; y++ {
			if base != nil {
				s.plain = base.Row(y)
			} else {
				s.plain = s.photo
				cv.picture.Photo.Value().Linear(s.plain, part.Min.X, y, part.Dx())
			}
			m.fill(s, cover, pix, part.Min.X, r.Min.X-part.Min.X, y)
			out.rows[y-out.top] = runs(cover, pix, r.Min.X)
		}
	})
	for _, row := range out.rows {
		out.size += 24
		for _, r := range row {
			out.size += int64(56 + 16*len(r.cover))
		}
	}
	return out, err
}

type coreRows struct {
	cores []coreRow
	open  []float32 // of each
	// those of cores that are kept, laid beside each other; nil where that was not done
	still *stillCores
}

// stillCores is kept cores laid beside each other in rows, as coreRows.each leaves them.
type stillCores struct {
	top  int
	rows []cores
	size int64
}

// beside lays those of the cores that are kept beside each other.
func (st *coreStage) beside(ctx context.Context, list []coreRow,
	part image.Rectangle) (*stillCores, error) {
	var r coreRows
	for i, k := range list {
		if k, ok := k.(*keptCore); ok {
			r.cores, r.open = append(r.cores, k), append(r.open, st.list[i].open)
		}
	}
	out := &stillCores{top: part.Min.Y, rows: make([]cores, part.Dy())}
	err := raster.Rows(ctx, part.Min.Y, part.Max.Y, func(y0, y1 int) {
		s := &scratch{core: newCores(part.Dx())}
		for y := y0; y < y1; y++ {
			s.core.clear()
			r.each(s, r.cores, part.Min.X, part.Max.X, y)
			out.rows[y-out.top] = s.core.packed()
		}
	})
	for i := range out.rows {
		k := &out.rows[i]
		out.size += int64(200 + 4*(len(k.pix)+len(k.alpha)+len(k.open)+len(k.weight)) +
			len(k.mixed) + 16*len(k.spans))
	}
	return out, err
}

// packed returns a copy of what the spans hold, end to end.
func (c *cores) packed() (out cores) {
	for _, sp := range c.spans {
		out.pix = append(out.pix, c.pix[3*sp.from:3*sp.to]...)
		out.alpha = append(out.alpha, c.alpha[sp.from:sp.to]...)
		out.weight = append(out.weight, c.weight[sp.from:sp.to]...)
		if sp.open == varies {
			out.open = append(out.open, c.open[sp.from:sp.to]...)
			out.mixed = append(out.mixed, c.mixed[sp.from:sp.to]...)
		}
	}
	out.spans = slices.Clone(c.spans)
	return out
}

// unpack lays down what packed returned.
func (c *cores) unpack(from *cores) {
	n, v := 0, 0
	for _, sp := range from.spans {
		w := sp.to - sp.from
		copy(c.pix[3*sp.from:], from.pix[3*n:3*(n+w)])
		copy(c.alpha[sp.from:], from.alpha[n:n+w])
		copy(c.weight[sp.from:], from.weight[n:n+w])
		if n += w; sp.open == varies {
			copy(c.open[sp.from:], from.open[v:v+w])
			copy(c.mixed[sp.from:], from.mixed[v:v+w])
			v += w
		}
	}
	c.spans = append(c.spans, from.spans...)
}

// cores is the lit shapes themselves in one row, as a picture of its own that
// is laid over the rest when all light has been joined to both. Light joins by
// a curve; to mix a shape's edge with what lies behind it before the curve
// would give other edges at other scales.
type cores struct {
	pix   []float32 // linear, three samples a pixel
	one   []float32 // those of one of the cores
	light []float32 // that reaches them
	alpha []float32 // how much of the pixel cores cover
	// how much of the light that joins reaches the core, where it varies; see coreRows.row
	open   []float32
	weight []float32  // of what pix and open hold
	mixed  []bool     // where there are several cores
	spans  []coreSpan // columns where alpha may be above 0, apart and in order
	run    [1]coreRun
}

// coreSpan is columns that cores cover, and how much of the light that joins reaches all of them;
// varies where that is told by cores.open.
type coreSpan struct {
	from, to int
	open     float32
}

const varies = -1

func newCores(w int) cores {
	return cores{pix: make([]float32, 3*w), one: make([]float32, 3*w), light: make([]float32, 3*w),
		alpha: make([]float32, w), open: make([]float32, w), weight: make([]float32, w),
		mixed: make([]bool, w)}
}

// row fills s.core for the columns x0 to x1 of row y. Where cores of
// several lights overlap they mix by their coverage, whatever their order.
//
// A full stack would drown the object's own shading in white, so the more of it
// is to be kept, the less light joins to the core: (1 - texture)⁵ of it. The power is
// high as joining is steep near white.
func (r coreRows) row(s *scratch, x0, x1, y int) {
	c := &s.core
	c.clear()
	if r.still == nil {
		r.each(s, r.cores, x0, x1, y)
		c.settle()
		return
	}
	c.unpack(&r.still.rows[y-r.still.top])
	for n, k := range r.cores {
		if _, ok := k.(*keptCore); ok {
			continue
		}
		// Two that overlap mix to the same bits in either order, three do not.
		for _, run := range k.row(s, x0, x1, y) {
			if c.crowded(run, x0, x1) {
				c.clear()
				r.each(s, r.cores, x0, x1, y)
				c.settle()
				return
			}
			c.lay(run, r.open[n], x0, x1)
		}
	}
	c.settle()
}

// each lays the cores beside each other.
func (r coreRows) each(s *scratch, list []coreRow, x0, x1, y int) {
	for n, k := range list {
		for _, run := range k.row(s, x0, x1, y) {
			s.core.lay(run, r.open[n], x0, x1)
		}
	}
}

// clear takes out what the last row left.
func (c *cores) clear() {
	for _, sp := range c.spans {
		clear(c.alpha[sp.from:sp.to])
		clear(c.weight[sp.from:sp.to])
		clear(c.mixed[sp.from:sp.to])
	}
	c.spans = c.spans[:0]
}

// lay lays a run of one core beside those that are there.
func (c *cores) lay(run coreRun, open float32, x0, x1 int) {
	from := max(run.from, x0)
	a, b := from-x0, min(run.from+len(run.cover), x1)-x0
	if a >= b {
		return
	}
	cover, pix := run.cover[from-run.from:][:b-a], run.pix[3*(from-run.from):][:3*(b-a)]
	if !c.meets(a, b) {
		copy(c.pix[3*a:], pix)
		copy(c.weight[a:], cover)
		copy(c.alpha[a:], cover)
		c.spans = append(c.spans, coreSpan{a, b, open})
		return
	}
	for i := range c.spans {
		if sp := &c.spans[i]; a < sp.to && sp.from < b {
			sp.spread(c.open)
		}
	}
	c.join(a, cover, pix, open)
	c.spans = joined(append(c.spans, coreSpan{a, b, varies}))
}

// crowded tells whether a run covers a pixel that two cores and more cover.
func (c *cores) crowded(run coreRun, x0, x1 int) bool {
	from := max(run.from, x0)
	to := min(run.from+len(run.cover), x1)
	for _, sp := range c.spans {
		if sp.open != varies {
			continue
		}
		for x := max(from, sp.from+x0); x < min(to, sp.to+x0); x++ {
			if c.mixed[x-x0] && run.cover[x-run.from] > 0 {
				return true
			}
		}
	}
	return false
}

// settle makes sums of overlapping cores their means.
func (c *cores) settle() {
	for _, sp := range c.spans {
		if sp.open != varies {
			continue
		}
		for i := sp.from; i < sp.to; i++ {
			if c.mixed[i] {
				k := 1 / c.weight[i]
				d := c.pix[3*i : 3*i+3 : 3*i+3]
				d[0], d[1], d[2] = d[0]*k, d[1]*k, d[2]*k
				c.open[i] *= k
			}
		}
	}
}

// meets tells whether a core reaches the columns a to b.
func (c *cores) meets(a, b int) bool {
	for _, s := range c.spans {
		if a < s.to && s.from < b {
			return true
		}
	}
	return false
}

// join adds a run of one core to those that are there.
func (c *cores) join(a int, cover, pix []float32, open float32) {
	for i, m := range cover {
		if m == 0 {
			continue
		}
		v := pix[3*i : 3*i+3 : 3*i+3]
		i += a
		d := c.pix[3*i : 3*i+3 : 3*i+3]
		w := c.weight[i]
		if w == 0 {
			d[0], d[1], d[2] = v[0], v[1], v[2]
			c.weight[i], c.open[i], c.alpha[i] = m, open, m
			continue
		}
		if !c.mixed[i] {
			d[0], d[1], d[2] = d[0]*w, d[1]*w, d[2]*w
			c.open[i] *= w
			c.mixed[i] = true
		}
		d[0] += v[0] * m
		d[1] += v[1] * m
		d[2] += v[2] * m
		c.weight[i] += m
		c.open[i] += m * open
		c.alpha[i] = (c.alpha[i] + m) - c.alpha[i]*m // the same whichever was first
	}
}

// left is what rounding leaves of the emission where the coverage blurred has a value against its
// peak.
func (k *core) left(blurred float32) float32 {
	t := min(max(2*blurred-1, 0), 1)
	t *= t * (3 - 2*t)
	if k.rounding < 0 {
		return 1 + k.rounding*t
	}
	return 1 - k.rounding*(1-t)
}

// over is what the core shows where the photo has the colour c: its own, shaded by
// the object's texture, and the object in daylight as far as the fader lets it
// through. emits is its emission there.
func (k *core) over(c []float32, emits float32, through bool) colour.RGB {
	t := float32(1)
	if k.texture > 0 {
		rel := min(colour.Luma(c[0], c[1], c[2])/k.meanLuma, 4)
		t += k.texture * (rel - 1)
	}
	if k.emission > 0 {
		// Light of its own joins what shows through.
		var b colour.RGB
		if through && k.hides < 1 {
			b = colour.RGB{R: c[0], G: c[1], B: c[2]}.Scale(1 - k.hides)
		}
		return k.shown(emits/k.emission*max(t, 0), t, b)
	}
	v := k.shown(1, t, colour.RGB{})
	switch {
	case k.hides >= 1:
		return v
	case through:
		return colour.RGB{R: c[0], G: c[1], B: c[2]}.Mix(v, k.hides)
	}
	return v.Scale(k.hides)
}

// shown is what the core shows by itself, on what shows through: at a part of its emission where it
// is by exposure, else at t of its colour; less what bloom spreads.
func (k *core) shown(part, t float32, b colour.RGB) colour.RGB {
	if k.emission > 0 {
		e := part * k.emission
		v := colour.RGB{R: colour.SoftAdd(b.R, e*k.colour.R), G: colour.SoftAdd(b.G, e*k.colour.G),
			B: colour.SoftAdd(b.B, e*k.colour.B)}
		if k.keeps < 1 {
			v = colour.RGB{R: b.R + (v.R-b.R)*k.keeps, G: b.G + (v.G-b.G)*k.keeps,
				B: b.B + (v.B-b.B)*k.keeps}
		}
		return v
	}
	return colour.RGB{R: bound(k.colour.R * t), G: bound(k.colour.G * t),
		B: bound(k.colour.B * t)}.Scale(k.keeps)
}

// bound keeps a core below display white, bending from 0.8 up, so that its
// texture does not end in a flat patch.
func bound(v float32) float32 {
	if v <= 0.8 {
		return v
	}
	return 0.8 + 0.2*(1-colour.ExpNeg((v-0.8)*5))
}

// spread tells of each column what the span told of all.
func (s *coreSpan) spread(open []float32) {
	if s.open == varies {
		return
	}
	for i := s.from; i < s.to; i++ {
		open[i] = s.open
	}
	s.open = varies
}

// expose joins light to the cores.
func (c *cores) expose(light []float32) {
	for _, sp := range c.spans {
		if sp.open == 0 {
			continue // they show nothing but their own
		}
		a, b := 3*sp.from, 3*sp.to
		some := c.light[a:b]
		if sp.open == varies {
			copy(some, light[a:b])
			for i, k := range c.open[sp.from:sp.to] {
				e := some[3*i : 3*i+3 : 3*i+3]
				e[0], e[1], e[2] = e[0]*k, e[1]*k, e[2]*k
			}
		} else {
			for i, v := range light[a:b] {
				some[i] = v * sp.open
			}
		}
		colour.SoftAddRow(c.pix[a:b], some)
	}
}

// joined returns spans in order, with those that touch made one.
func joined(spans []coreSpan) []coreSpan {
	for i := 1; i < len(spans); i++ { // a few, nearly in order
		s, k := spans[i], i
		for ; k > 0 && spans[k-1].from > s.from; k-- {
			spans[k] = spans[k-1]
		}
		spans[k] = s
	}
	out := spans[:0]
	for _, s := range spans {
		// Those that meet vary all.
		if n := len(out); n > 0 && s.from <= out[n-1].to && s.open == out[n-1].open {
			out[n-1].to = max(out[n-1].to, s.to)
		} else {
			out = append(out, s)
		}
	}
	return out
}
