package render

import (
	"context"

	"pyrant/internal/colour"
	"pyrant/internal/glow"
	"pyrant/internal/recipe"
)

// Falloff returns the colours of a light's glow, over black, at distances in
// pixels of the photo outside the edge of its shapes: what a long straight
// stretch of their mean width shows. All shells count as added.
func (e *Engine) Falloff(ctx context.Context, r *recipe.Recipe, light int, distances []float64) ([]colour.RGB, error) {
	l := &r.Lights[light]
	p := &plan{cache: e.Cache}
	ll, err := newLight(ctx, e.Cache, r, l)
	if err != nil {
		return nil, err
	}
	width := ll.cover.Width()
	if width == 0 {
		width = float64(r.Photo.LongEdge()) / 30 // nothing traced yet: a panel of some width
	}
	out := make([]colour.RGB, len(distances))
	for i := range l.Shells {
		s := &l.Shells[i]
		k, err := p.weight(ctx, ll, s, l.Gain()*r.Glow.Level)
		if err != nil {
			return nil, err
		}
		tint := s.Tint.Colour(l.Gel)
		for j, d := range distances {
			v := float32(k * glow.Profile(s.Radius, width, d))
			out[j].R += tint.R * v
			out[j].G += tint.G * v
			out[j].B += tint.B * v
		}
	}
	for i, c := range out {
		out[i] = colour.RGB{R: colour.SoftAdd(0, c.R), G: colour.SoftAdd(0, c.G), B: colour.SoftAdd(0, c.B)}
	}
	return out, ctx.Err()
}
