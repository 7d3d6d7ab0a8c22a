package recipe

import (
	"slices"

	"pyrant/internal/base/fault"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// EachStroke calls visit with each stroke of the areas.
func (r *Recipe) EachStroke(visit func(s *area.Stroke)) {
	for i := range r.Areas {
		for j := range r.Areas[i].Parts {
			if s, ok := r.Areas[i].Parts[j].Of.(area.Strokes); ok {
				for k := range s.Strokes {
					visit(&s.Strokes[k])
				}
			}
		}
	}
}

// Fits refuses a recipe that would be too large to be read again.
func (r *Recipe) Fits() error {
	points, pixels := 0, 0
	for i := range r.CutOuts {
		c := &r.CutOuts[i]
		pixels += c.Raster.Tiles.Len()
		for _, s := range c.Strokes {
			points += s.Points.Len()
		}
		for _, m := range c.Mends {
			points += m.Points.Len()
		}
	}
	const room = MaxBytes - MaxChange
	if n := pixels/3*4 + 1; n > room { // as base64
		return fault.New(
			fault.TooLarge,
			"The cut-outs of the shot would take %.1f MB; the limit is %d MB. Delete a cut-out, then try again.",
			float64(n)/(1<<20),
			room>>20,
		)
	}
	r.EachStroke(func(s *area.Stroke) { points += s.Points.Len() })
	for i := range r.Lights {
		for _, s := range r.Lights[i].Shapes {
			points += shape.Nodes(s).Len()
		}
	}
	for i := range r.Areas {
		for _, p := range r.Areas[i].Parts {
			if s, ok := p.Of.(area.Shape); ok {
				points += shape.Nodes(s.Shape).Len()
			}
		}
	}
	if points < MaxChange/400 { // none takes more than 250 bytes, and little else counts
		return nil
	}
	bare := *r
	bare.CutOuts = slices.Clone(r.CutOuts)
	for i := range bare.CutOuts {
		bare.CutOuts[i].Raster.Tiles = setting.Bytes{}
	}
	if n := len(bare.Encode()); n > MaxChange {
		return fault.New(
			fault.TooLarge,
			"The shot would have %d points in strokes and shapes and a recipe of %.1f MB; the limit is %d MB. Delete some strokes or shapes, then try again.",
			points,
			float64(n)/(1<<20),
			MaxChange>>20,
		)
	}
	return nil
}

// Users lists what uses an area, by name, quoted.
func (r *Recipe) Users(id area.Ref) (out []string) {
	for _, list := range [][]pass.Pass{r.Dusk.Passes, r.Finish.Passes} {
		for i := range list {
			if list[i].Area == id {
				out = append(out, "the pass “"+list[i].Name+"”")
			}
		}
	}
	if r.Dusk.Back.Area == id {
		out = append(out, "restored daylight")
	}
	for i := range r.Lights {
		if slices.ContainsFunc(r.Lights[i].Blockers, func(b Blocker) bool { return b.Area == id }) {
			out = append(out, "a blocker of the light “"+r.Lights[i].Name+"”")
		}
		if r.Lights[i].Spill.Carrier == id && id != "" {
			out = append(out, "the support of the light “"+r.Lights[i].Name+"”")
		}
		if id != "" && slices.ContainsFunc(r.Lights[i].Spill.Touches,
			func(t Touch) bool { return t.Area == id }) {
			out = append(out, "the touched-up spill of the light “"+r.Lights[i].Name+"”")
		}
		if l := &r.Lights[i]; id != "" && (l.Trim.Area == id || slices.ContainsFunc(l.Shells,
			func(s Shell) bool { return s.Trim.Area == id })) {
			out = append(out, "the trim of the light “"+l.Name+"”")
		}
		if k := &r.Lights[i].Rays; id != "" && (k.Trim.Area == id || k.Near == id) {
			out = append(out, "the rays of the light “"+r.Lights[i].Name+"”")
		}
	}
	for i := range r.Areas {
		for _, p := range r.Areas[i].Parts {
			if o, ok := p.Of.(area.Other); ok && o.Area == id {
				out = append(out, "the area “"+r.Areas[i].Name+"”")
				break
			}
		}
	}
	return out
}

// Passes returns the list of passes of a step, "dusk" or "finish", nil for another.
func (r *Recipe) Passes(step string) *[]pass.Pass {
	switch step {
	case "dusk":
		return &r.Dusk.Passes
	case "finish":
		return &r.Finish.Passes
	}
	return nil
}
