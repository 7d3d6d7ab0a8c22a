package render

import (
	"context"
	"fmt"
	"image"
	"math"
	"time"

	"pyrant/internal/colour"
	"pyrant/internal/raster"
	"pyrant/internal/recipe"
)

// duskStage takes the daylight out of the photo.
type duskStage struct{ dusk *dusk }

func (d *duskStage) prepare(_ context.Context, p *plan) (bool, error) {
	d.dusk = newDusk(p.q.Recipe.Dusk)
	p.remade = d.dusk != nil
	return d.dusk != nil, nil
}

func (d *duskStage) collect(ctx context.Context, p *plan, part image.Rectangle) (rower, error) {
	base, err := p.base(ctx, part)
	if base == nil {
		return duskRows{d.dusk, nil}, err
	}
	dark, err := forPart(ctx, p, true, fmt.Sprintf("dusk %s %g %v %v", p.q.PhotoKey, p.scale, part, *d.dusk), func(ctx context.Context) (*raster.RGB, error) {
		defer p.stats.add("dusk", time.Now())
		out := raster.NewRGB(part)
		return out, raster.Rows(ctx, part.Min.Y, part.Max.Y, func(y0, y1 int) {
			for y := y0; y < y1; y++ {
				d.dusk.row(out.Row(y), base.Row(y))
			}
		})
	})
	return duskRows{d.dusk, dark}, err
}

type duskRows struct {
	dusk *dusk
	dark *raster.RGB // the darkened photo; nil where rows are darkened as they come
}

func (r duskRows) row(s *scratch, _, _, y int) {
	if r.dark != nil {
		copy(s.pix, r.dark.Row(y))
	} else {
		r.dusk.row(s.pix, s.plain)
	}
	s.touchAll()
}

// dusk is the taking out of daylight, ready for pixels: a matrix over linear
// light for exposure, warmth and saturation, and a shoulder where exposure is
// raised.
type dusk struct {
	m    [9]float32
	knee float32 // 0 for none
}

// newDusk returns nil where the settings leave the photo as it is.
func newDusk(d recipe.Dusk) *dusk {
	if !d.On || d.Daylight == 0 && d.Warmth == 0 && d.Saturation == 1 {
		return nil
	}
	gain := math.Exp2(d.Daylight)
	// Warmth moves red and blue against each other by up to half a stop and
	// keeps the luminance of white.
	r, g, b := math.Exp2(0.5*d.Warmth), 1.0, math.Exp2(-0.5*d.Warmth)
	n := 0.2126*r + 0.7152*g + 0.0722*b
	w := [3]float64{gain * r / n, gain * g / n, gain * b / n}
	luma := [3]float64{0.2126, 0.7152, 0.0722}
	out := &dusk{}
	for i := range 3 {
		for j := range 3 {
			v := (1 - d.Saturation) * luma[j]
			if i == j {
				v += d.Saturation
			}
			out.m[3*i+j] = float32(v * w[i])
		}
	}
	// The largest value that white can come to.
	if peak := math.Max(w[0], w[2]); peak > 1 {
		out.knee = float32(1 / peak)
	}
	return out
}

// row writes to dst the pixels of src, three samples each, with the daylight
// taken out.
func (d *dusk) row(dst, src []float32) {
	m := d.m // a copy: dst could otherwise be part of it for all the compiler knows
	for i := 0; i+2 < len(src); i += 3 {
		v, o := src[i:i+3:i+3], dst[i:i+3:i+3]
		r, g, b := v[0], v[1], v[2]
		o[0] = m[0]*r + m[1]*g + m[2]*b
		o[1] = m[3]*r + m[4]*g + m[5]*b
		o[2] = m[6]*r + m[7]*g + m[8]*b
	}
	if d.knee > 0 {
		for i, v := range dst[:len(src)] {
			dst[i] = d.shoulder(v)
		}
	}
}

// shoulder leaves values below the knee alone and bends what is above so that
// it nears 1 without reaching it; both pieces meet with slope 1.
func (d *dusk) shoulder(v float32) float32 {
	if v <= d.knee {
		return v
	}
	t := 1 - d.knee
	if t < 1e-4 {
		return min(v, 1)
	}
	return d.knee + t*(1-colour.ExpNeg((v-d.knee)/t))
}
