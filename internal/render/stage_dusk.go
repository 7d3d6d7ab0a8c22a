package render

import (
	"context"
	"fmt"
	"image"
	"strings"
	"sync"
	"time"

	"pyrant/internal/base/graph"
	"pyrant/internal/base/guided"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/glow"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
)

// duskStage takes the daylight out of the photo, but for what emits and where light is
// given back.
type duskStage struct {
	prog *pass.Program
	kept []keptLight
	back area.Ref
	take float32 // how far dusk is taken off in that area
	key  string  // of all that the darkened photo depends on, but the part and the scale
}

// keptLight is a light whose shapes dusk leaves alone.
type keptLight struct {
	light  *litLight
	term   term
	amount float32
}

// duskPasses returns the passes of dusk with daylight, which comes before them.
func duskPasses(d *recipe.Dusk) []pass.Pass {
	day := pass.Pass{On: true, Strength: 1, Joining: pass.Normal,
		Does: pass.Levels{Exposure: d.Daylight, Middle: 1, White: 1}}
	return append([]pass.Pass{day}, d.Passes...)
}

func (st *duskStage) prepare(ctx context.Context, p *plan) (bool, error) {
	d := &p.q.Recipe.Dusk
	if !d.On {
		return false, nil
	}
	list := duskPasses(d)
	var err error
	if st.prog, err = pass.Compile(list, p.site(ctx, "dusk")); err != nil || st.prog.Empty() {
		return false, err
	}
	var key strings.Builder
	fmt.Fprintf(&key, "%s %s %s", p.q.PhotoKey, setting.Key(*d), p.passesKey(list))
	if st.kept, err = each(ctx, p, p.keptOf); err != nil {
		return false, err
	}
	for _, k := range st.kept {
		fmt.Fprintf(&key, " %s %g", k.term.light.key, k.light.l.Keep)
	}
	if d.Back.Area != "" && d.Back.Amount > 0 {
		st.back, st.take = d.Back.Area, float32(d.Back.Amount)
		key.WriteString(" " + p.q.Recipe.Area(st.back).Key(world{plan: p}))
	}
	st.key = key.String()
	p.remade = true
	return true, nil
}

// keptOf returns what dusk leaves alone of a light, nil for nothing.
func (p *plan) keptOf(ctx context.Context, ll *litLight) (*keptLight, error) {
	if ll.l.Keep <= 0 || ll.l.Level <= 0 {
		return nil, nil
	}
	k, err := p.keeps(ctx, ll)
	if err != nil {
		return nil, err
	}
	edge := p.q.Recipe.Dusk.Edge * p.scale
	if _, ok := k.cover.(*made); ok {
		edge = 0 // a cut-out has an edge of its own, and what lies beside it stays dark
	}
	t, err := p.term(ctx, k, edge, 1)
	return &keptLight{ll, t, float32(ll.l.Keep)}, err
}

// site tells passes of a stage about the plan's picture.
func (p *plan) site(ctx context.Context, stage string) pass.Site {
	return pass.Site{Frame: p.frame, Gel: gels(p.q.Recipe),
		Guide: func(n int, radius float64) (*guided.Filter, error) {
			return p.guide(ctx, stage, n, radius)
		}, Picture: func(k pass.Picture) (pass.PictureRows, error) { return p.picture(ctx, k) }}
}

// passesKey names what passes depend on beside themselves: areas and gels.
func (p *plan) passesKey(list []pass.Pass) string {
	var b strings.Builder
	for i := range list {
		if !list[i].On {
			continue
		}
		if a := list[i].Area; a != "" {
			b.WriteString(p.q.Recipe.Area(a).Key(world{plan: p}) + " ")
		}
		if r, ok := list[i].Does.(pass.Ramp); ok && r.Follow != "" {
			if g := gels(p.q.Recipe)(area.LightRef(r.Follow)); g != nil {
				fmt.Fprintf(&b, "%v ", *g)
			}
		}
	}
	return b.String()
}

func (st *duskStage) collect(ctx context.Context, p *plan, part image.Rectangle) (rower, error) {
	base, err := p.base(ctx, part)
	if err != nil {
		return nil, err
	}
	key := fmt.Sprintf("dusk %s %g %v", st.key, p.scale, part)
	once := base == nil || p.passing
	if !once {
		// What is asked for once, as while a curve is dragged, is not worth a picture of its
		// own; what is asked for again is kept.
		if _, err := graph.Fetch(ctx, p.cache, graph.Text("asked for "+key),
			func(context.Context) (graph.Number, error) {
				once = true
				return 0, nil
			}); err != nil {
			return nil, err
		}
	}
	if once {
		return st.rows(ctx, p, part)
	}
	dark, err := graph.Fetch(ctx, p.cache, graph.Text(key),
		func(ctx context.Context) (*darkened, error) {
			r, err := st.rows(ctx, p, part)
			if err != nil {
				return nil, err
			}
			defer p.stats.add("dusk", time.Now())
			out := &darkened{raster.NewRGB(part), make([]bool, part.Dy())}
			pool := sync.Pool{New: func() any { return newScratch(part.Dx(), nil) }}
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
		})
	return duskRows{dark: dark}, err
}

// rows makes ready what darkens the rows of a part.
func (st *duskStage) rows(ctx context.Context, p *plan, part image.Rectangle) (*duskRows, error) {
	r := &duskRows{duskStage: st}
	var err error
	if r.areas, err = p.areas(ctx, st.prog.Areas(), part); err != nil {
		return nil, err
	}
	if st.back != "" {
		if r.give, err = p.area(ctx, st.back, part); err != nil {
			return nil, err
		}
	}
	for i := range st.kept {
		t, err := p.field(ctx, &st.kept[i].term, part)
		if err != nil {
			return nil, err
		}
		sum, err := glow.Collapse(ctx, []glow.Term{t}, 1, part)
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
	*duskStage
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
			v = min(v, 1) * r.duskStage.kept[j].amount
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
