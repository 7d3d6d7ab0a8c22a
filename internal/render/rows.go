package render

import (
	"context"
	"fmt"
	"image"
	"time"

	"pyrant/internal/colour"
	"pyrant/internal/glow"
	"pyrant/internal/raster"
)

// ready is a plan with all that one part of the picture needs.
type ready struct {
	*plan
	base   *raster.RGB // the scaled photo; nil where rows come from the photo
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
	}
	if err := r.collect(ctx, part); err != nil {
		return err
	}
	defer p.stats.add("rows", time.Now())
	err := raster.Rows(ctx, part.Min.Y, part.Max.Y, func(y0, y1 int) {
		s := newScratch(part.Dx())
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
	plain []float32 // the photo, linear
	pix   []float32 // the picture as it comes about
	light []float32 // light to be added
	cover []float32 // coverage of a core or of a blended shell
	alpha [][]float32
	hit   []bool // which pixels an effect changed
	tmp   []float32
}

func newScratch(w int) *scratch {
	return &scratch{
		plain: make([]float32, 3*w), pix: make([]float32, 3*w), light: make([]float32, 3*w),
		cover: make([]float32, w), hit: make([]bool, w),
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
		copy(s.plain, r.base.Row(y))
	} else {
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
		for i := range hit {
			hit[i] = true
			v := plain[3*i : 3*i+3 : 3*i+3]
			d := pix[3*i : 3*i+3 : 3*i+3]
			d[0], d[1], d[2] = p.dusk.at(v[0], v[1], v[2])
		}
	default:
		copy(pix, plain)
	}
	for i, sum := range r.spills {
		r.spillRow(s, sum, &p.spills[i], x0, x1, y)
	}
	for i, sum := range r.cores {
		if sum != nil {
			r.coreRow(s, sum, p.lights[i], x0, x1, y)
		}
	}
	for i := range r.layers {
		if r.layers[i].add != nil {
			r.addRow(s, r.layers[i].add, x0, x1, y)
		} else {
			r.blendRow(s, &r.layers[i], p.layers[i].blends, x0, x1, y)
		}
	}
	r.write(s, x0, y, w, out)
}

// spillRow adds light that comes back from the photo's own colours.
func (r *ready) spillRow(s *scratch, sum *glow.Sum, sp *spillPlan, x0, x1, y int) {
	a, b := span(sum.Rect, x0, x1, y)
	if a >= b {
		return
	}
	light := s.light[3*a : 3*b]
	clear(light)
	s.tmp = sum.Row(light, x0+a, y, s.tmp)
	pix, plain, hit := s.pix[3*a:3*b], s.plain[3*a:3*b], s.hit[a:b]
	for i := range hit {
		e := light[3*i : 3*i+3 : 3*i+3]
		if e[0] == 0 && e[1] == 0 && e[2] == 0 {
			continue
		}
		c, d := plain[3*i:3*i+3:3*i+3], pix[3*i:3*i+3:3*i+3]
		k := float32(1)
		if sp.window != nil {
			k = sp.window[int(colour.Display.At(colour.Luma(c[0], c[1], c[2]))*255+0.5)]
			if k == 0 {
				continue
			}
		}
		d[0] = colour.SoftAdd(d[0], e[0]*c[0]*k)
		d[1] = colour.SoftAdd(d[1], e[1]*c[1]*k)
		d[2] = colour.SoftAdd(d[2], e[2]*c[2]*k)
		hit[i] = true
	}
}

// coreRow lays the lit shape itself over the picture. What it lets through, of
// the object is kept out of dusk.
func (r *ready) coreRow(s *scratch, sum *glow.Sum, ll *litLight, x0, x1, y int) {
	a, b := span(sum.Rect, x0, x1, y)
	if a >= b {
		return
	}
	cover := s.cover[a:b]
	clear(cover)
	s.tmp = sum.Row(cover, x0+a, y, s.tmp)
	pix, plain, hit := s.pix[3*a:3*b], s.plain[3*a:3*b], s.hit[a:b]
	keep := r.dusk != nil
	for i, m := range cover {
		if m < 1e-5 {
			continue
		}
		m = min(m, 1)
		d, c := pix[3*i:3*i+3:3*i+3], plain[3*i:3*i+3:3*i+3]
		if keep && ll.cover < 1 {
			for k := range 3 {
				d[k] += (c[k] - d[k]) * m
			}
		}
		t := float32(1)
		if ll.texture > 0 {
			rel := min(max(colour.Luma(c[0], c[1], c[2])/ll.meanLuma, 0), 4)
			t += ll.texture * (rel - 1)
		}
		al := m * ll.cover
		d[0] += (bound(ll.coreCol.R*t) - d[0]) * al
		d[1] += (bound(ll.coreCol.G*t) - d[1]) * al
		d[2] += (bound(ll.coreCol.B*t) - d[2]) * al
		hit[i] = true
	}
}

// bound keeps a core below display white, bending from 0.8 up, so that its
// texture does not end in a flat patch.
func bound(v float32) float32 {
	if v <= 0.8 {
		return v
	}
	return 0.8 + 0.2*(1-colour.ExpNeg((v-0.8)*5))
}

// addRow joins the light of added shells.
func (r *ready) addRow(s *scratch, sum *glow.Sum, x0, x1, y int) {
	a, b := span(sum.Rect, x0, x1, y)
	if a >= b {
		return
	}
	light := s.light[3*a : 3*b]
	clear(light)
	s.tmp = sum.Row(light, x0+a, y, s.tmp)
	pix, hit := s.pix[3*a:3*b], s.hit[a:b]
	for i := range hit {
		e, d := light[3*i:3*i+3:3*i+3], pix[3*i:3*i+3:3*i+3]
		// Below a hundredth of an 8-bit step at black, light is none: what it
		// would change cannot leave a pixel untouched otherwise.
		if e[0] < 3e-6 && e[1] < 3e-6 && e[2] < 3e-6 {
			continue
		}
		d[0] = colour.SoftAdd(d[0], e[0])
		d[1] = colour.SoftAdd(d[1], e[1])
		d[2] = colour.SoftAdd(d[2], e[2])
		hit[i] = true
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
		clear(al)
		s.tmp = sum.Row(al, x0+a, y, s.tmp)
	}
	for i := a; i < b; i++ {
		any := false
		for j := range plans {
			any = any || s.alpha[j][i]*plans[j].term.weight[0] >= 1e-4
		}
		if !any {
			continue
		}
		d := s.pix[3*i : 3*i+3 : 3*i+3]
		for c := range 3 {
			v := colour.Display.At(d[c])
			for j := range plans {
				k := min(s.alpha[j][i]*plans[j].term.weight[0], 1)
				v = (1-k)*v + k*plans[j].mode(v, plans[j].tint[c])
			}
			d[c] = colour.Undisplay(v)
		}
		s.hit[i] = true
	}
}

// The dither is a two-dimensional additive recurrence with the ratios of the
// plastic number (Roberts 2018): it fills the steps evenly, is the same for a
// pixel in every viewport, and needs no table.
const (
	ditherX = 3242174889 // 2^32 / 1.32471795724…
	ditherY = 2447445414 // 2^32 / 1.32471795724…²
	ditherC = 1431655765 // a third of a turn between the channels
)

// write encodes a finished row. Pixels that an effect changed are dithered by
// one step of 8 bits; others leave in the codes that they came in, where the
// result is for the photo's own profile and size.
func (r *ready) write(s *scratch, x0, y, w int, out image.Image) {
	p := r.plan
	ph := p.q.Photo
	pix := s.pix
	prof := p.profile
	seed := uint32(x0)*ditherX + uint32(y)*ditherY
	switch m := out.(type) {
	case *image.RGBA:
		o := m.Pix[m.PixOffset(x0, y):]
		o = o[: 4*w : 4*w]
		copies := p.copies && !ph.Deep()
		for i, hit := range s.hit[:w] {
			d := o[4*i : 4*i+4 : 4*i+4]
			d[3] = 255
			if !hit && copies {
				copy(d[:3], ph.Pix8[3*(y*ph.Width+x0+i):])
				continue
			}
			v := pix[3*i : 3*i+3 : 3*i+3]
			er, eg, eb := prof.Encode(v[0], v[1], v[2])
			if !hit {
				d[0], d[1], d[2] = uint8(er*255+0.5), uint8(eg*255+0.5), uint8(eb*255+0.5)
				continue
			}
			n := seed + uint32(i)*ditherX
			d[0] = step8(er, n)
			d[1] = step8(eg, n+ditherC)
			d[2] = step8(eb, n+2*ditherC)
		}
	case *image.RGBA64:
		o := m.Pix[m.PixOffset(x0, y):]
		copies := p.copies
		for i, hit := range s.hit[:w] {
			d := o[8*i : 8*i+8 : 8*i+8]
			d[6], d[7] = 255, 255
			var c [3]uint16
			at := 3 * (y*ph.Width + x0 + i)
			switch {
			case !hit && copies && ph.Deep():
				copy(c[:], ph.Pix16[at:at+3])
			case !hit && copies:
				for k := range 3 {
					c[k] = uint16(ph.Pix8[at+k]) * 257
				}
			default:
				v := pix[3*i : 3*i+3 : 3*i+3]
				er, eg, eb := prof.Encode(v[0], v[1], v[2])
				c = [3]uint16{uint16(er*65535 + 0.5), uint16(eg*65535 + 0.5), uint16(eb*65535 + 0.5)}
			}
			for k, v := range c {
				d[2*k], d[2*k+1] = uint8(v>>8), uint8(v)
			}
		}
	}
}

// step8 returns the 8-bit code of a value in [0, 1], rounded up or down by the
// upper bits of n so that the mean over many pixels is the value.
func step8(v float32, n uint32) uint8 {
	t := v*255 + float32(n>>8)*(1.0/(1<<24))
	if t >= 255 {
		return 255
	}
	return uint8(t)
}
