package render

import (
	"cmp"
	"context"
	"fmt"
	"image"
	"math"
	"slices"
	"time"

	"pyrant/internal/cache"
	"pyrant/internal/colour"
	"pyrant/internal/glow"
	"pyrant/internal/recipe"
)

// coreStage makes the lit shapes themselves, as a layer that over lays over the
// picture when light has been joined to both.
type coreStage struct{ list []core }

// core is the shape of one light, ready to be coloured.
type core struct {
	light    *litLight
	term     term
	depth    term    // coverage blurred by part of the shapes' width, against its peak; where light is nil all is alike
	emission float32 // of the middle, over what is white; 0 for a core of one colour
	rounding float32
	uneven   float32 // in stops
	patches  patches
	hides    float32    // how much of the photo it hides
	colour   colour.RGB // linear
	texture  float32
	open     float32 // how much of the light that joins reaches it
	meanLuma float32 // of the photo under the light's shapes
}

func (st *coreStage) prepare(ctx context.Context, p *plan) (bool, error) {
	master := p.q.Recipe.Glow
	if !master.On {
		return false, nil
	}
	for _, ll := range p.lights {
		level := ll.l.Level * master.Level
		if level <= 0 {
			continue
		}
		k := ll.l.Core
		// The core hides the object behind it; a fader below 1 lets it through.
		c := core{light: ll, hides: 1, texture: float32(k.Texture), open: float32(math.Pow(1-k.Texture, 5))}
		if level < 1 {
			c.hides = float32(1 - (1-level)*(1-level))
		}
		c.hides *= float32(1 - k.Translucency)
		c.colour = ll.l.Gel.Colour().Mix(colour.RGB{R: 1, G: 1, B: 1}, float32(k.Whiteness))
		seen, err := p.seen(ctx, ll)
		if err != nil {
			return false, err
		}
		if c.term, err = p.term(ctx, seen, k.Feather*p.scale, 1); err != nil {
			return false, err
		}
		if k.Look == recipe.Exposed {
			c.emission = float32(math.Exp2(k.Brightness) * ll.l.Gain() * master.Level)
			c.open, c.rounding = float32(k.Openness), float32(k.Rounding)
			c.uneven, c.patches = float32(k.Uneven), newPatches(k.Seed, ll.cover.Width()*p.scale)
			if c.rounding != 0 {
				if err := p.depth(ctx, &c); err != nil {
					return false, err
				}
			}
		}
		if c.texture > 0 {
			if c.meanLuma, err = p.meanLuma(ctx, ll); err != nil {
				return false, err
			}
		}
		st.list = append(st.list, c)
	}
	return len(st.list) > 0, nil
}

// depth gives a core its shapes' coverage blurred by 0.4 of their mean width, as far as nothing is
// before them.
func (p *plan) depth(ctx context.Context, c *core) error {
	sigma := 0.4 * c.light.cover.Width()
	peak, err := p.peak(ctx, c.light, sigma)
	if err == nil {
		c.depth, err = p.term(ctx, c.light, sigma*p.scale, float32(1/max(peak, 1e-6)))
	}
	return err
}

// meanLuma returns the mean luminance of the photo under the light's shapes, which
// its texture is relative to. It is taken at one small scale for every render
// of the shot.
func (p *plan) meanLuma(ctx context.Context, ll *litLight) (float32, error) {
	v, err := cache.Get(ctx, p.cache, fmt.Sprintf("luma %s %s", p.q.PhotoKey, ll.key), func(ctx context.Context) (cache.Number, error) {
		defer p.stats.add("texture", time.Now())
		ph := p.q.Photo
		_, _, scale := Size(ph.Width, ph.Height, min(1024, max(ph.Width, ph.Height)))
		m := ll.cover.At(scale)
		b := m.Bounds()
		sum, n := 0.0, 0.0
		row, cov := make([]float32, 3), make([]float32, b.Dx())
		for y := b.Min.Y; y < b.Max.Y; y++ {
			if err := ctx.Err(); err != nil {
				return 0, err
			}
			m.Fill(cov, b.Min.X, y)
			for i, v := range cov {
				x, y := int((float64(b.Min.X+i)+0.5)/scale), int((float64(y)+0.5)/scale)
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
		return cache.Number(sum / n), nil
	})
	return max(float32(v), 0.01), err
}

func (st *coreStage) collect(ctx context.Context, p *plan, part image.Rectangle) (rower, error) {
	r := coreRows{cores: st.list, through: !p.layer.black}
	for i := range st.list {
		t, err := p.field(ctx, &st.list[i].term, part)
		if err != nil {
			return nil, err
		}
		sum, err := glow.Collapse(ctx, []glow.Term{t}, 1, part)
		if err != nil {
			return nil, err
		}
		r.sums = append(r.sums, sum)
		var depth *glow.Sum
		if st.list[i].depth.light != nil {
			if t, err = p.field(ctx, &st.list[i].depth, part); err != nil {
				return nil, err
			}
			if depth, err = glow.Collapse(ctx, []glow.Term{t}, 1, part); err != nil {
				return nil, err
			}
		}
		r.depths = append(r.depths, depth)
	}
	return r, nil
}

type coreRows struct {
	cores   []core
	sums    []*glow.Sum // their coverage
	depths  []*glow.Sum // how deep within them a place lies, nil where that does not matter
	through bool        // the photo shows through where a fader lets it
}

// cores is the lit shapes themselves in one row, as a picture of its own that
// is laid over the rest when all light has been joined to both. Light joins by
// a curve; to mix a shape's edge with what lies behind it before the curve
// would give other edges at other scales.
type cores struct {
	pix    []float32 // linear, three samples a pixel
	alpha  []float32 // how much of the pixel cores cover
	open   []float32 // how much of the light that joins reaches the core; see coreRows.row
	weight []float32 // of what is summed up in pix and open until it is mixed
	spans  [][2]int  // columns where alpha may be above 0, apart and in order
}

func newCores(w int) cores {
	return cores{pix: make([]float32, 3*w), alpha: make([]float32, w), open: make([]float32, w), weight: make([]float32, w)}
}

// row fills s.core for the columns x0 to x1 of row y. Where cores of
// several lights overlap they mix by their coverage, whatever their order.
//
// A full stack would drown the object's own shading in white, so the more of it
// is to be kept, the less light joins to the core: (1 - texture)⁵ of it. The power is
// high as joining is steep near white.
func (r coreRows) row(s *scratch, x0, x1, y int) {
	c := &s.core
	c.spans = c.spans[:0]
	for n, sum := range r.sums {
		a, b := span(sum.Rect, x0, x1, y)
		if a >= b {
			continue
		}
		if len(c.spans) == 0 {
			clear(c.pix)
			clear(c.alpha)
			clear(c.open)
			clear(c.weight)
		}
		c.spans = append(c.spans, [2]int{a, b})
		cover := s.cover[a:b]
		s.tmp = sum.Row(cover, x0+a, y, s.tmp)
		k := &r.cores[n]
		deep := s.deep[a:b]
		if r.depths[n] != nil {
			s.tmp = r.depths[n].Row(deep, x0+a, y, s.tmp)
		}
		for i, m := range cover {
			if m < 1e-5 {
				continue
			}
			m = min(m, 1)
			i += a
			e := k.emission
			if e > 0 {
				if r.depths[n] != nil {
					e *= k.left(deep[i-a])
				}
				if k.uneven > 0 {
					e *= float32(math.Exp2(float64(k.uneven * k.patches.at(x0+i, y))))
				}
			}
			v := k.over(s.plain[3*i:3*i+3], e, r.through)
			d := c.pix[3*i : 3*i+3 : 3*i+3]
			d[0] += v.R * m
			d[1] += v.G * m
			d[2] += v.B * m
			c.weight[i] += m
			c.open[i] += m * k.open
			c.alpha[i] += m - c.alpha[i]*m
		}
	}
	c.spans = joined(c.spans)
	for _, sp := range c.spans {
		for i := sp[0]; i < sp[1]; i++ {
			if w := c.weight[i]; w > 0 {
				k := 1 / w
				d := c.pix[3*i : 3*i+3 : 3*i+3]
				d[0], d[1], d[2] = d[0]*k, d[1]*k, d[2]*k
				c.open[i] *= k
			}
		}
	}
}

// left is what rounding leaves of the emission where the coverage blurred has a value against its peak.
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
		e := emits * max(t, 0)
		return colour.RGB{R: colour.SoftAdd(b.R, e*k.colour.R), G: colour.SoftAdd(b.G, e*k.colour.G), B: colour.SoftAdd(b.B, e*k.colour.B)}
	}
	v := colour.RGB{R: bound(k.colour.R * t), G: bound(k.colour.G * t), B: bound(k.colour.B * t)}
	switch {
	case k.hides >= 1:
		return v
	case through:
		return colour.RGB{R: c[0], G: c[1], B: c[2]}.Mix(v, k.hides)
	}
	return v.Scale(k.hides)
}

// bound keeps a core below display white, bending from 0.8 up, so that its
// texture does not end in a flat patch.
func bound(v float32) float32 {
	if v <= 0.8 {
		return v
	}
	return 0.8 + 0.2*(1-colour.ExpNeg((v-0.8)*5))
}

// expose joins light to the cores.
func (c *cores) expose(light []float32) {
	for _, sp := range c.spans {
		for i := sp[0]; i < sp[1]; i++ {
			if c.alpha[i] == 0 {
				continue
			}
			for k := 3 * i; k < 3*i+3; k++ {
				c.pix[k] = colour.SoftAdd(c.pix[k], light[k]*c.open[i])
			}
		}
	}
}

// joined returns spans in order, with those that touch made one.
func joined(spans [][2]int) [][2]int {
	slices.SortFunc(spans, func(a, b [2]int) int { return cmp.Compare(a[0], b[0]) })
	out := spans[:0]
	for _, s := range spans {
		if n := len(out); n > 0 && s[0] <= out[n-1][1] {
			out[n-1][1] = max(out[n-1][1], s[1])
		} else {
			out = append(out, s)
		}
	}
	return out
}
