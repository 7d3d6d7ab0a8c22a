package render

import (
	"context"
	"image"
	"slices"
	"sync"

	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/glow"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/render/areas"
)

// duskStage takes the daylight out of the photo, but for what emits and where light is given back.
type duskStage struct {
	*scene
	of   *graph.Input[dusk]
	prog *pass.Program
}

// dusk is all that the darkened photo depends on. It is plain: see graph.Of.
type dusk struct {
	passes passList
	guides passList // the same in the picture that guides are worked out on; empty for none
	kept   []keptLight
	back   areas.Input // where dusk is taken off; nil for nowhere
	take   float32     // and how far
}

// keptLight is a light whose shapes dusk leaves alone.
type keptLight struct {
	mask   maskRef
	sigma  float64 // of a soft edge, in pixels of the picture
	amount float32
}

func (st *duskStage) prepare(ctx context.Context) (bool, error) {
	r := &st.recipe.Dusk
	if !r.On {
		return false, nil
	}
	list := duskPasses(r)
	var d dusk
	var err error
	if d.passes, err = st.passList(ctx, list); err != nil {
		return false, err
	}
	if usesGuide(list) {
		if d.guides, err = st.guidePasses(ctx, list); err != nil {
			return false, err
		}
	}
	if st.prog, err = d.compile(ctx, st.graph); err != nil || st.prog.Empty() {
		return false, err
	}
	if d.kept, err = each(ctx, st.lights, st.keptOf); err != nil {
		return false, err
	}
	if r.Back.Area != "" && r.Back.Amount > 0 {
		if d.back, err = st.area(ctx, r.Back.Area); err != nil {
			return false, err
		}
		d.take = float32(r.Back.Amount)
	}
	st.of = graph.Of(st.graph, d)
	return true, nil
}

// guidePasses returns passes in the picture that guides are worked out on.
func (sc *scene) guidePasses(ctx context.Context, list []pass.Pass) (passList, error) {
	small, err := sc.at(ctx, guideEdge)
	if err != nil {
		return passList{}, err
	}
	return small.passList(ctx, list)
}

func (d *dusk) compile(ctx context.Context, g *graph.Graph) (*pass.Program, error) {
	return d.passes.compile(ctx, g, d.guides.duskGuide(ctx, g))
}

// keptOf returns what dusk leaves alone of a light, nil for nothing.
func (sc *scene) keptOf(ctx context.Context, ll *litLight) (*keptLight, error) {
	if ll.l.Keep <= 0 || ll.l.Level <= 0 {
		return nil, nil
	}
	m, err := ll.keeps(ctx, sc)
	if err != nil {
		return nil, err
	}
	edge := sc.recipe.Dusk.Edge * sc.picture.Scale
	if ll.isCutOut() {
		edge = 0 // a cut-out has an edge of its own, and what lies beside it stays dark
	}
	return &keptLight{m, edge, float32(ll.l.Keep)}, nil
}

// duskHistory remembers which darkened photos of a view were asked for last: what is asked for
// once, as while a curve is dragged, is not worth a picture of its own; what is asked for again is
// kept.
type duskHistory struct {
	mu    sync.Mutex
	asked []*graph.Input[dusk] // the newest last
}

// duskView is what a duskHistory is of.
type duskView struct {
	picture picture
	part    image.Rectangle
}

// maxAsked is how many versions a duskHistory remembers: some to compare.
const maxAsked = 8

// Bytes returns about the memory that is held.
func (h *duskHistory) Bytes() int64 { return 1 << 10 }

// again reports whether a darkened photo is asked for again.
func (h *duskHistory) again(of *graph.Input[dusk]) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	i := slices.Index(h.asked, of)
	if i >= 0 {
		h.asked = slices.Delete(h.asked, i, i+1)
	} else if len(h.asked) == maxAsked {
		h.asked = slices.Delete(h.asked, 0, 1)
	}
	h.asked = append(h.asked, of)
	return i >= 0
}

func (st *duskStage) collect(ctx context.Context, part image.Rectangle) (rower, error) {
	k := darkPhoto{st.picture, st.of, part}
	again := false
	if !st.isWhole() && !st.graph.IsChild() {
		again = graph.History(st.graph, duskView{st.picture, part},
			func() *duskHistory { return new(duskHistory) }).again(st.of)
	}
	if !again {
		return k.rows(ctx, st.graph, st.prog)
	}
	dark, err := graph.Get(ctx, st.graph, k)
	return duskRows{dark: dark}, err
}

// darkPhoto is a part of the darkened photo.
type darkPhoto struct {
	picture picture
	of      *graph.Input[dusk]
	part    image.Rectangle
}

func (k darkPhoto) Build(ctx context.Context, g *graph.Graph) (*darkened, error) {
	d := k.of.Value()
	prog, err := d.compile(ctx, g)
	if err != nil {
		return nil, err
	}
	r, err := k.rows(ctx, g, prog)
	if err != nil {
		return nil, err
	}
	base, err := baseOf(ctx, g, k.picture, k.part)
	if err != nil {
		return nil, err
	}
	part := k.part
	out := &darkened{raster.NewRGB(part), make([]bool, part.Dy())}
	pool := sync.Pool{New: func() any { return newScratch(part.Dx()) }}
	return out, raster.Rows(ctx, part.Min.Y, part.Max.Y, func(y0, y1 int) {
		s := pool.Get().(*scratch)
		defer pool.Put(s)
		for y := y0; y < y1; y++ {
			r.darken(s, out.Row(y), base.Row(y), part.Min.X, y)
			clear(s.hit)
			s.compare(out.Row(y), base.Row(y))
			out.all[y-part.Min.Y] = s.all
		}
	})
}

// rows makes ready what darkens the rows of the part.
func (k darkPhoto) rows(ctx context.Context, g *graph.Graph, prog *pass.Program) (*duskRows,
	error) {
	d := k.of.Value()
	r := &duskRows{dusk: &d, prog: prog}
	var err error
	if r.areas, err = planesOf(ctx, g, d.passes.areas(prog), k.part); err != nil {
		return nil, err
	}
	give, err := planesOf(ctx, g, []areas.Input{d.back}, k.part)
	if err != nil {
		return nil, err
	}
	r.give = give[0]
	for _, kept := range d.kept {
		t, err := glow.Blurred(ctx, g, kept.mask, kept.sigma, k.picture.Frame, k.part, 1)
		if err != nil {
			return nil, err
		}
		sum, err := glow.Collapse(ctx, []glow.Term{t}, 1, k.part)
		if err != nil {
			return nil, err
		}
		r.kept = append(r.kept, sum)
	}
	return r, nil
}

// darkened is a part of the darkened photo, with the rows in which no pixel is as it was.
type darkened struct {
	*raster.RGB
	all []bool
}

func (d *darkened) Bytes() int64 { return d.RGB.Bytes() + int64(len(d.all)) }

type duskRows struct {
	*dusk
	prog  *pass.Program
	dark  *darkened // the darkened photo; nil where rows are darkened as they come
	areas []*raster.Plane
	give  *raster.Plane
	kept  []*glow.Sum
}

func (r duskRows) row(s *scratch, x0, _, y int) {
	if r.dark != nil {
		copy(s.pix, r.dark.Row(y))
		if r.dark.all[y-r.dark.Rect.Min.Y] {
			s.touchAll()
			return
		}
	} else {
		r.darken(s, s.pix, s.plain, x0, y)
	}
	s.compare(s.pix, s.plain)
}

// compare marks the pixels of the row that are not as in old.
func (s *scratch) compare(pix, old []float32) {
	all := true
	for i, hit := range s.hit {
		if hit {
			continue
		}
		p, q := pix[3*i:3*i+3:3*i+3], old[3*i:3*i+3:3*i+3]
		hit = p[0] != q[0] || p[1] != q[1] || p[2] != q[2]
		s.hit[i] = hit
		all = all && hit
	}
	s.all = all
}

// darken writes to dst the row y of the photo, src, with the daylight taken out.
func (r *duskRows) darken(s *scratch, dst, src []float32, x0, y int) {
	r.prog.Into(&s.pass, dst, src, x0, y, r.areas)
	if r.give == nil && len(r.kept) == 0 {
		return
	}
	n := len(src) / 3
	if s.back == nil {
		s.back = make([]float32, n)
	}
	k := s.back[:n]
	clear(k)
	if r.give != nil {
		for i, v := range r.give.Row(y)[x0-r.give.Rect.Min.X:][:n] {
			k[i] = v * r.take
		}
	}
	for j, sum := range r.kept {
		a, b := span(sum.Rect, x0, x0+n, y)
		if a >= b {
			continue
		}
		cover := s.cover[a:b]
		s.tmp = sum.Row(cover, x0+a, y, s.tmp)
		for i, v := range cover {
			v = min(v, 1) * r.dusk.kept[j].amount
			k[a+i] += v - k[a+i]*v
		}
	}
	for i, v := range k {
		if v <= 0 {
			continue
		}
		d, o := dst[3*i:3*i+3:3*i+3], src[3*i:3*i+3:3*i+3]
		if v >= 1 {
			d[0], d[1], d[2] = o[0], o[1], o[2]
			continue
		}
		d[0] += (o[0] - d[0]) * v
		d[1] += (o[1] - d[1]) * v
		d[2] += (o[2] - d[2]) * v
	}
}
