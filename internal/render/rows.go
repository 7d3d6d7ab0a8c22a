package render

import (
	"context"
	"fmt"
	"image"
	"sync"
	"time"

	"pyrant/internal/colour"
	"pyrant/internal/glow"
	"pyrant/internal/raster"
)

// ready is a plan with all that one part of the picture needs.
type ready struct {
	*plan
	base   *raster.RGB // the scaled photo; nil where rows come from the photo
	dark   *raster.RGB // the same after dusk
	cores  []*glow.Sum // by light; nil where it has none here
	layers []readyLayer
	spills []*glow.Sum // by spillPlan
}

type readyLayer struct {
	add    *glow.Sum
	blends []*glow.Sum
	rect   image.Rectangle // of the blends
}

// strip computes one part of the picture into out.
func (p *plan) strip(ctx context.Context, part image.Rectangle, out image.Image) error {
	r := &ready{plan: p}
	if !p.same {
		var err error
		r.base, err = Get(ctx, p.e.Cache, fmt.Sprintf("photo %s %g %v", p.q.PhotoKey, p.scale, part), func(ctx context.Context) (*raster.RGB, error) {
			defer p.stats.add("photo", time.Now())
			return p.shrunken(ctx, part)
		})
		if err != nil {
			return err
		}
		if p.dusk != nil {
			r.dark, err = Get(ctx, p.e.Cache, fmt.Sprintf("dusk %s %g %v %v", p.q.PhotoKey, p.scale, part, *p.dusk), func(ctx context.Context) (*raster.RGB, error) {
				defer p.stats.add("dusk", time.Now())
				out := raster.NewRGB(part)
				return out, raster.Rows(ctx, part.Min.Y, part.Max.Y, func(y0, y1 int) {
					for y := y0; y < y1; y++ {
						p.dusk.row(out.Row(y), r.base.Row(y))
					}
				})
			})
			if err != nil {
				return err
			}
		}
	}
	if err := r.collect(ctx, part); err != nil {
		return err
	}
	defer p.stats.add("rows", time.Now())
	pool := sync.Pool{New: func() any { return newScratch(part.Dx()) }}
	err := raster.Rows(ctx, part.Min.Y, part.Max.Y, func(y0, y1 int) {
		s := pool.Get().(*scratch)
		defer pool.Put(s)
		for y := y0; y < y1; y++ {
			r.row(s, part.Min.X, part.Max.X, y, out)
		}
	})
	return err
}

// shrunken returns a part of the photo at the plan's scale: every pixel the
// average of the area that it covers, in linear light.
func (p *plan) shrunken(ctx context.Context, part image.Rectangle) (*raster.RGB, error) {
	ph := p.q.Photo
	step := 1 / p.scale
	out := raster.NewRGB(part)
	ax, _, _ := raster.BoxSpan(part.Min.X, ph.Width, step)
	_, bx, _ := raster.BoxSpan(part.Max.X-1, ph.Width, step)
	x0, x1 := int(ax), min(int(bx)+1, ph.Width)
	err := raster.Rows(ctx, part.Min.Y, part.Max.Y, func(y0, y1 int) {
		src := make([]float32, 3*(x1-x0))
		sum := make([]float32, 3*(x1-x0))
		for y := y0; y < y1; y++ {
			if ctx.Err() != nil {
				return
			}
			// Down first, then along: the sums of whole rows are cheap.
			a, b, scale := raster.BoxSpan(y, ph.Height, step)
			clear(sum)
			for j := int(a); j < ph.Height && float64(j) < b; j++ {
				cover := min(b, float64(j+1)) - max(a, float64(j))
				if cover <= 1e-9 {
					continue
				}
				ph.Linear(src, x0, j, x1-x0)
				w := float32(cover * scale)
				for i, v := range src {
					sum[i] += v * w
				}
			}
			raster.BoxRow(out.Row(y), sum, 3, part.Min.X, x0, ph.Width, step, 1)
		}
	})
	return out, err
}

// collect computes or finds all blurred coverages that reach part, and merges
// them.
func (r *ready) collect(ctx context.Context, part image.Rectangle) error {
	p := r.plan
	for _, ll := range p.lights {
		var sum *glow.Sum
		if ll.coreOn {
			t, err := p.field(ctx, &ll.core, part)
			if err != nil {
				return err
			}
			if sum, err = glow.Collapse(ctx, []glow.Term{t}, 1, part); err != nil {
				return err
			}
		}
		r.cores = append(r.cores, sum)
	}
	for i := range p.layers {
		var l readyLayer
		if add := p.layers[i].add; add != nil {
			terms := make([]glow.Term, len(add))
			for j := range add {
				t, err := p.field(ctx, &add[j], part)
				if err != nil {
					return err
				}
				terms[j] = t
			}
			start := time.Now()
			var err error
			if l.add, err = glow.Collapse(ctx, terms, 3, part); err != nil {
				return err
			}
			p.stats.add("merge", start)
		}
		for j := range p.layers[i].blends {
			t, err := p.field(ctx, &p.layers[i].blends[j].term, part)
			if err != nil {
				return err
			}
			s, err := glow.Collapse(ctx, []glow.Term{t}, 1, part)
			if err != nil {
				return err
			}
			l.blends = append(l.blends, s)
			l.rect = l.rect.Union(s.Rect)
		}
		r.layers = append(r.layers, l)
	}
	for i := range p.spills {
		var terms []glow.Term
		for j, ll := range p.spills[i].lights {
			level := ll.source.Level(p.scale)
			f, err := Get(ctx, p.e.Cache, fmt.Sprintf("spill %s %g %g %d %v", ll.key, ll.source.Reach, p.scale, level, p.frame), func(ctx context.Context) (*raster.Plane, error) {
				defer p.stats.add("spill", time.Now())
				return ll.source.Field(ctx, p.scale, level, shrink(p.frame, level))
			})
			if err != nil {
				return err
			}
			c := p.spills[i].colour[j]
			terms = append(terms, glow.Term{Level: level, Field: f, Weight: c[:]})
		}
		s, err := glow.Collapse(ctx, terms, 3, part)
		if err != nil {
			return err
		}
		r.spills = append(r.spills, s)
	}
	return nil
}

// scratch is the memory that the computation of a row uses.
type scratch struct {
	photo []float32 // a row of the photo, where it is not scaled
	plain []float32 // the photo, linear; may be part of a cached picture
	pix   []float32 // the picture as it comes about
	light []float32 // light to be added to pix
	fall  []float32 // light that comes back from surfaces
	cover []float32 // coverage of a core or of a blended shell
	alpha [][]float32
	core  cores
	hit   []bool // which pixels an effect changed
	tmp   []float32
	codes []uint16 // of 16 bits, where they are asked for
}

func newScratch(w int) *scratch {
	return &scratch{
		photo: make([]float32, 3*w), pix: make([]float32, 3*w), light: make([]float32, 3*w),
		fall: make([]float32, 3*w), cover: make([]float32, w), hit: make([]bool, w),
		core: newCores(w),
	}
}

// span returns the columns of row y, counted from x0, that rect reaches.
func span(rect image.Rectangle, x0, x1, y int) (int, int) {
	if y < rect.Min.Y || y >= rect.Max.Y {
		return 0, 0
	}
	a, b := max(x0, rect.Min.X)-x0, min(x1, rect.Max.X)-x0
	if a >= b {
		return 0, 0
	}
	return a, b
}

// row computes the pixels from x0 to x1 of row y.
func (r *ready) row(s *scratch, x0, x1, y int, out image.Image) {
	p := r.plan
	w := x1 - x0
	if r.base != nil {
		s.plain = r.base.Row(y)
	} else {
		s.plain = s.photo
		p.q.Photo.Linear(s.plain, x0, y, w)
	}
	pix, plain, hit := s.pix, s.plain, s.hit
	clear(hit)
	switch {
	case p.q.Plain:
		copy(pix, plain)
		r.write(s, x0, y, w, out)
		return
	case p.q.Pass != Whole:
		clear(pix)
		for i := range hit {
			hit[i] = true
		}
	case p.dusk != nil:
		if r.dark != nil {
			copy(pix, r.dark.Row(y))
		} else {
			p.dusk.row(pix, plain)
		}
		for i := range hit {
			hit[i] = true
		}
	default:
		copy(pix, plain)
	}
	r.spillRow(s, x0, y)
	r.fillCores(s, x0, x1, y)
	waits := len(r.spills) > 0 // spill that has not been joined yet
	for i := range r.layers {
		if add := r.layers[i].add; add != nil {
			s.tmp = add.Row(s.light, x0, y, s.tmp)
			s.expose(waits)
		} else {
			if waits {
				clear(s.light)
				s.expose(true)
			}
			r.blendRow(s, &r.layers[i], p.layers[i].blends, x0, x1, y)
		}
		waits = false
	}
	if waits {
		clear(s.light)
		s.expose(true)
	}
	s.core.over(pix, hit)
	r.write(s, x0, y, w, out)
}

// expose joins the light in s.light, and with it what falls on surfaces, by one
// soft add: what comes to one place meets the film once, whatever lights and
// shells it comes from. Surfaces that a core hides send nothing.
func (s *scratch) expose(fall bool) {
	light := s.light
	s.core.expose(light)
	if fall {
		for i, v := range s.fall {
			light[i] += v
		}
	}
	for i, hit := range s.hit {
		if hit {
			continue
		}
		// Below a hundredth of an 8-bit step at black, light is none: what it
		// would change cannot leave a pixel untouched otherwise.
		e := light[3*i : 3*i+3 : 3*i+3]
		if e[0] < 3e-6 && e[1] < 3e-6 && e[2] < 3e-6 {
			e[0], e[1], e[2] = 0, 0, 0
		} else {
			s.hit[i] = true
		}
	}
	colour.SoftAddRow(s.pix, light)
}

// spillRow writes to s.fall the light that comes back from the photo's own
// colours.
func (r *ready) spillRow(s *scratch, x0, y int) {
	plain := s.plain
	for n, sum := range r.spills {
		to := s.fall
		if n > 0 {
			to = s.light // free until shells are joined
		}
		s.tmp = sum.Row(to, x0, y, s.tmp)
		if window := r.plan.spills[n].window; window != nil {
			for i := 0; i+2 < len(to); i += 3 {
				k := window[int(colour.Display.At(colour.Luma(plain[i], plain[i+1], plain[i+2]))*255+0.5)]
				to[i], to[i+1], to[i+2] = to[i]*plain[i]*k, to[i+1]*plain[i+1]*k, to[i+2]*plain[i+2]*k
			}
		} else {
			for i, v := range plain {
				to[i] *= v
			}
		}
		if n > 0 {
			for i, v := range to {
				s.fall[i] += v
			}
		}
	}
}

// blendRow joins shells by W3C blend modes, on display values, with the shell's
// strength as the source's alpha.
func (r *ready) blendRow(s *scratch, l *readyLayer, plans []blendPlan, x0, x1, y int) {
	a, b := span(l.rect, x0, x1, y)
	if a >= b {
		return
	}
	for len(s.alpha) < len(plans) {
		s.alpha = append(s.alpha, make([]float32, len(s.cover)))
	}
	for j, sum := range l.blends {
		al := s.alpha[j][a:b]
		s.tmp = sum.Row(al, x0+a, y, s.tmp)
	}
	blend := func(d []float32, i int) {
		for c := range 3 {
			v := colour.Display.At(d[c])
			for j := range plans {
				k := min(s.alpha[j][i], 1)
				v = (1-k)*v + k*plans[j].mode(v, plans[j].tint[c])
			}
			d[c] = colour.Undisplay(v)
		}
	}
	for i := a; i < b; i++ {
		for j := range plans {
			if s.alpha[j][i] >= 1e-4 {
				blend(s.pix[3*i:3*i+3], i)
				s.hit[i] = true
				break
			}
		}
	}
	for _, c := range s.core.spans {
		for i := max(a, c[0]); i < min(b, c[1]); i++ {
			if s.core.alpha[i] > 0 {
				blend(s.core.pix[3*i:3*i+3], i)
			}
		}
	}
}

// The dither is a two-dimensional additive recurrence with the ratios of the
// plastic number (Roberts 2018): it fills the steps evenly, is the same for a
// pixel in every viewport, and needs no table. All channels of a pixel go the
// same way, so that the noise is one of brightness and not of colour.
const (
	ditherX = 3242174889 // 2^32 / 1.32471795724…
	ditherY = 2447445414 // 2^32 / 1.32471795724…²
)

// write encodes a finished row. Pixels that an effect changed are dithered by
// one step of 8 bits; others leave in the codes that they came in, where the
// result is for the photo's own profile and size.
func (r *ready) write(s *scratch, x0, y, w int, out image.Image) {
	p := r.plan
	ph := p.q.Photo
	from := 3 * (y*ph.Width + x0) // of the photo's own codes
	switch m := out.(type) {
	case *image.RGBA:
		o := m.Pix[m.PixOffset(x0, y):]
		o = o[: 4*w : 4*w]
		p.profile.Encode8(o, s.pix, uint32(x0)*ditherX+uint32(y)*ditherY, ditherX)
		for i, hit := range s.hit[:w] {
			switch d := o[4*i : 4*i+3]; {
			case hit:
			case p.copies && !ph.Deep():
				copy(d, ph.Pix8[from+3*i:])
			default:
				p.profile.Encode8(o[4*i:4*i+4], s.pix[3*i:3*i+3], 1<<31, 0)
			}
		}
	case *image.RGBA64:
		o := m.Pix[m.PixOffset(x0, y):]
		if s.codes == nil {
			s.codes = make([]uint16, 3*w)
		}
		p.profile.Encode16(s.codes, s.pix)
		for i, hit := range s.hit[:w] {
			d := o[8*i : 8*i+8 : 8*i+8]
			d[6], d[7] = 255, 255
			for k, c := range s.codes[3*i : 3*i+3] {
				switch {
				case hit || !p.copies:
				case ph.Deep():
					c = ph.Pix16[from+3*i+k]
				default:
					c = uint16(ph.Pix8[from+3*i+k]) * 257
				}
				d[2*k], d[2*k+1] = uint8(c>>8), uint8(c)
			}
		}
	}
}
