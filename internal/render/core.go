package render

import (
	"cmp"
	"slices"

	"pyrant/internal/colour"
)

// cores is the lit shapes themselves in one row, as a picture of its own that
// is laid over the rest when all light has been joined to both. Light joins by
// a curve; to mix a shape's edge with what lies behind it before the curve
// would give other edges at other scales.
type cores struct {
	pix    []float32 // linear, three samples a pixel
	alpha  []float32 // how much of the pixel cores cover
	open   []float32 // how much of the light that joins reaches the core; see fillCores
	weight []float32 // of what is summed up in pix and open until it is mixed
	spans  [][2]int  // columns where alpha may be above 0, apart and in order
}

func newCores(w int) cores {
	return cores{pix: make([]float32, 3*w), alpha: make([]float32, w), open: make([]float32, w), weight: make([]float32, w)}
}

// fillCores fills s.core for the columns x0 to x1 of row y. Where cores of
// several lights overlap they mix by their coverage, whatever their order.
//
// A full stack would drown the object's own shading in white, so the more of it
// is to be kept, the less light joins to the core: (1 - texture)⁵ of it. The power is
// high as joining is steep near white.
func (r *ready) fillCores(s *scratch, x0, x1, y int) {
	c := &s.core
	c.spans = c.spans[:0]
	for n, sum := range r.cores {
		if sum == nil {
			continue
		}
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
		ll := r.lights[n]
		for i, m := range cover {
			if m < 1e-5 {
				continue
			}
			m = min(m, 1)
			i += a
			v := ll.coreColour(s.plain[3*i:3*i+3], r.q.Pass == Whole)
			d := c.pix[3*i : 3*i+3 : 3*i+3]
			d[0] += v.R * m
			d[1] += v.G * m
			d[2] += v.B * m
			c.weight[i] += m
			c.open[i] += m * ll.open
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

// coreColour is what a light's core shows where the photo has the colour c: its
// own, shaded by the object's texture, and the object in daylight as far as the
// fader lets it through.
func (ll *litLight) coreColour(c []float32, through bool) colour.RGB {
	t := float32(1)
	if ll.texture > 0 {
		rel := min(colour.Luma(c[0], c[1], c[2])/ll.meanLuma, 4)
		t += ll.texture * (rel - 1)
	}
	v := colour.RGB{R: bound(ll.coreCol.R * t), G: bound(ll.coreCol.G * t), B: bound(ll.coreCol.B * t)}
	switch {
	case ll.cover >= 1:
		return v
	case through:
		return colour.RGB{R: c[0], G: c[1], B: c[2]}.Mix(v, ll.cover)
	}
	return v.Scale(ll.cover)
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

// over lays the cores over a row and marks what they changed.
func (c *cores) over(pix []float32, hit []bool) {
	for _, sp := range c.spans {
		for i := sp[0]; i < sp[1]; i++ {
			a := c.alpha[i]
			if a == 0 {
				continue
			}
			d, v := pix[3*i:3*i+3:3*i+3], c.pix[3*i:3*i+3:3*i+3]
			d[0] += (v[0] - d[0]) * a
			d[1] += (v[1] - d[1]) * a
			d[2] += (v[2] - d[2]) * a
			hit[i] = true
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
