package render

import (
	"context"
	"image"
	"math"
	"slices"

	"pyrant/internal/base/colour"
)

// bloomStage spreads a share of what cores show over them and what is beside them, as the scatter
// of a lens does: the core has shown so much less (see core.over), and as much comes back here,
// softly. It is added in linear light and ends at white, so that the middle of a broad core stays
// as it is.
type bloomStage struct {
	*scene
	groups []veiled
}

func (st *bloomStage) prepare(ctx context.Context) (bool, error) {
	master := st.recipe.Glow
	if !master.On {
		return false, nil
	}
	for _, ll := range st.lights {
		k := ll.l.Core
		if level := ll.l.Level * master.Level; !k.On || k.Bloom <= 0 || level <= 0 {
			continue
		}
		c, err := coreOf(ctx, st.scene, ll)
		if err != nil {
			return false, err
		}
		c.keeps = 1
		shown := c.shown(1, 1, colour.RGB{})
		w := float32(k.Bloom) * (1 - (1-c.hides)*(1-c.hides))
		seen, err := ll.seen(ctx, st.scene)
		if err != nil {
			return false, err
		}
		t := term{seen, math.Hypot(k.Feather, k.BloomRadius) * st.picture.Scale,
			[]float32{w * shown.R, w * shown.G, w * shown.B}}
		i := slices.IndexFunc(st.groups, func(g veiled) bool { return g.veil == c.trim })
		if i < 0 {
			i = len(st.groups)
			st.groups = append(st.groups, veiled{veil: c.trim})
		}
		st.groups[i].all = append(st.groups[i].all, st.addend(&t))
	}
	return len(st.groups) > 0, nil
}

func (st *bloomStage) collect(ctx context.Context, part image.Rectangle) (rower, error) {
	var r bloomRows
	for i := range st.groups {
		g := &st.groups[i]
		view := sumView{picture: st.picture, part: part, stage: "bloom", veil: g.veil}
		sum, err := st.sum(ctx, view, g.all)
		if err != nil {
			return nil, err
		}
		over, err := veilOver(ctx, st.graph, g.veil, part)
		if err != nil {
			return nil, err
		}
		r = append(r, readySum{sum, over})
	}
	return r, nil
}

type bloomRows []readySum

func (r bloomRows) done() {
	for _, s := range r {
		s.Done()
	}
}

func (r bloomRows) row(s *scratch, x0, x1, y int) {
	for n := range r {
		a, b := span(r[n].Rect, x0, x1, y)
		if a >= b {
			continue
		}
		light := s.light[3*a : 3*b]
		s.tmp = r[n].row(light, 3, x0+a, y, s.tmp)
		for i := range light {
			if v := light[i]; v >= none {
				p := &s.pix[3*a+i]
				*p = max(*p, min(*p+v, 1))
				s.hit[a+i/3] = true
			}
		}
	}
}
