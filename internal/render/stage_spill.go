package render

import (
	"context"
	"fmt"
	"image"
	"time"

	"pyrant/internal/cache"
	"pyrant/internal/colour"
	"pyrant/internal/glow"
	"pyrant/internal/raster"
	"pyrant/internal/recipe"
	"pyrant/internal/spill"
)

// spillStage finds the light that surfaces send back in the colours of the photo
// before dusk. It waits for the shells, to join with them.
type spillStage struct{ groups []spillGroup }

// spillGroup is the spill of all lights that share a tone window.
type spillGroup struct {
	tone    recipe.ToneWindow
	window  *[257]float32 // by display brightness; nil where all is let through
	lights  []*litLight
	sources []*spill.Source
	colour  [][3]float32
}

func (st *spillStage) prepare(ctx context.Context, p *plan) (bool, error) {
	master := p.q.Recipe.Spill
	if !master.On {
		return false, nil
	}
	for _, ll := range p.lights {
		sp := ll.l.Spill
		k := float32(ll.l.Level * master.Level * sp.Strength)
		if k <= 0 {
			continue
		}
		source, err := cache.Get(ctx, p.cache, fmt.Sprintf("source %s %g", ll.key, sp.Reach), func(ctx context.Context) (*spill.Source, error) {
			defer p.stats.add("spill", time.Now())
			return spill.NewSource(ctx, ll.cover, sp.Reach)
		})
		if err != nil {
			return false, err
		}
		c := ll.l.Gel.Colour().Scale(k)
		g := st.group(sp.Tone)
		g.lights = append(g.lights, ll)
		g.sources = append(g.sources, source)
		g.colour = append(g.colour, [3]float32{c.R, c.G, c.B})
	}
	return len(st.groups) > 0, nil
}

// group returns the group of a tone window.
func (st *spillStage) group(tone recipe.ToneWindow) *spillGroup {
	if tone.Whole() {
		tone = recipe.ToneWindow{High: 1}
	}
	for i := range st.groups {
		if st.groups[i].tone == tone {
			return &st.groups[i]
		}
	}
	g := spillGroup{tone: tone}
	if !tone.Whole() {
		g.window = new([257]float32)
		for i := range g.window {
			g.window[i] = float32(tone.At(float64(i) / 255))
		}
	}
	st.groups = append(st.groups, g)
	return &st.groups[len(st.groups)-1]
}

func (st *spillStage) collect(ctx context.Context, p *plan, part image.Rectangle) (rower, error) {
	r := spillRows{groups: st.groups}
	for _, g := range st.groups {
		var terms []glow.Term
		for j, source := range g.sources {
			level := source.Level(p.scale)
			f, err := cache.Get(ctx, p.cache, fmt.Sprintf("spill %s %g %g %d %v", g.lights[j].key, source.Reach, p.scale, level, p.frame), func(ctx context.Context) (*raster.Plane, error) {
				defer p.stats.add("spill", time.Now())
				return source.Field(ctx, p.scale, level, shrink(p.frame, level))
			})
			if err != nil {
				return nil, err
			}
			terms = append(terms, glow.Term{Level: level, Field: f, Weight: g.colour[j][:]})
		}
		s, err := glow.Collapse(ctx, terms, 3, part)
		if err != nil {
			return nil, err
		}
		r.sums = append(r.sums, s)
	}
	return r, nil
}

type spillRows struct {
	groups []spillGroup
	sums   []*glow.Sum // by group
}

// row writes to s.fall the light that comes back from the photo's own colours.
func (r spillRows) row(s *scratch, x0, _, y int) {
	plain := s.plain
	s.waits = true
	for n, sum := range r.sums {
		to := s.fall
		if n > 0 {
			if s.part == nil {
				s.part = make([]float32, len(s.fall))
			}
			to = s.part
		}
		s.tmp = sum.Row(to, x0, y, s.tmp)
		if window := r.groups[n].window; window != nil {
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
