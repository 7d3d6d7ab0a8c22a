package recipe

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pyrant/internal/base/fault"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// simplify leaves out of strokes that were not in old what needs no point of its own.
func (r *Recipe) simplify(old *Recipe) {
	known := map[string]bool{}
	old.strokes(func(s *area.Stroke) { known[s.Points.Key()] = true })
	fresh := false
	r.strokes(func(s *area.Stroke) {
		fresh = fresh || s.Points.Len() > 2 &&
			!known[s.Points.Key()]
	})
	if !fresh {
		return
	}
	// What the recipe shares with the old one is not written to.
	r.Areas = setting.Clone(r.Areas)
	r.strokes(func(s *area.Stroke) {
		if !known[s.Points.Key()] {
			s.Points = area.Simplified(s.Points)
		}
	})
}

func (r *Recipe) strokes(visit func(s *area.Stroke)) {
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
		return fault.New(fault.TooLarge, "With this the pixels of the shot's cut-outs would have %.1f MB; there is room for %d MB. Remove a cut-out that is not needed, then try again.", float64(n)/(1<<20), room>>20)
	}
	r.strokes(func(s *area.Stroke) { points += s.Points.Len() })
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
		return fault.New(fault.TooLarge, "With this the shot would have %d points in its strokes and shapes, a recipe of %.1f MB; there is room for %d MB. Remove strokes or shapes that are not needed, then try again.", points, float64(n)/(1<<20), MaxChange>>20)
	}
	return nil
}

// AddArea returns the recipe with one more area of the given parts, and its id.
func (r *Recipe) AddArea(name string, parts ...area.Part) (*Recipe, area.Ref, error) {
	if most := setting.Of[Recipe]("areas").Count[1]; len(r.Areas) >= most {
		return nil, "", fault.New(fault.NoRoom, "A shot holds at most %d areas. Remove one that is not needed.", most)
	}
	c := r.Clone()
	a := area.Area{Name: name, Parts: parts}
	if parts == nil {
		a.Parts = []area.Part{}
	}
	a.ID = free("a", len(c.Areas), func(id string) bool { return c.Area(area.Ref(id)) != nil })
	for n := 2; slices.ContainsFunc(c.Areas,
		func(o area.Area) bool { return o.Name == a.Name }); n++ {
		a.Name = fmt.Sprintf("%s %d", name, n)
	}
	c.Areas = append(c.Areas, a)
	return c, area.Ref(a.ID), nil
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
		out = append(out, "light given back")
	}
	for i := range r.Lights {
		if slices.ContainsFunc(r.Lights[i].Blockers, func(b Blocker) bool { return b.Area == id }) {
			out = append(out, "what stands before the light “"+r.Lights[i].Name+"”")
		}
		if r.Lights[i].Spill.Carrier == id && id != "" {
			out = append(out, "what carries the light “"+r.Lights[i].Name+"”")
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

// RemoveArea returns the recipe without an area that nothing uses.
func (r *Recipe) RemoveArea(id area.Ref) (*Recipe, error) {
	if used := r.Users(id); len(used) > 0 {
		return nil, fault.New(fault.Invalid, "The area “%s” is used by %s. Give that another area first.", r.Area(id).Name, strings.Join(used, " and "))
	}
	c := r.Clone()
	c.Areas = slices.DeleteFunc(c.Areas, func(a area.Area) bool { return a.ID == string(id) })
	return c, nil
}

// RemoveLight returns the recipe without light i. Parts of areas that are made of it go
// with it; ramps that follow its gel keep the colours that they have.
func (r *Recipe) RemoveLight(i int) *Recipe {
	c := r.Clone()
	l := c.Lights[i]
	c.Lights = slices.Delete(c.Lights, i, i+1)
	own := area.RefTo(area.OfLight, l.ID)
	for k := range c.Lights {
		c.Lights[k].Blockers = slices.DeleteFunc(c.Lights[k].Blockers,
			func(b Blocker) bool { return b.Area == own })
		if c.Lights[k].Spill.Carrier == own {
			c.Lights[k].Spill.Carrier = ""
		}
		c.Lights[k].Spill.Touches = slices.DeleteFunc(c.Lights[k].Spill.Touches,
			func(t Touch) bool { return t.Area == own })
		for _, a := range c.Lights[k].limits() {
			if *a == own {
				*a = ""
			}
		}
	}
	for k := range c.Areas {
		c.Areas[k].Parts = slices.DeleteFunc(c.Areas[k].Parts, func(p area.Part) bool {
			o, ok := p.Of.(area.Light)
			a, other := p.Of.(area.Other)
			return ok && string(o.Light) == l.ID || other && a.Area == own
		})
	}
	for _, list := range [][]pass.Pass{c.Dusk.Passes, c.Finish.Passes} {
		for k := range list {
			if list[k].Area == own {
				list[k].Area, list[k].On = "", false // it must not work everywhere now
			}
		}
	}
	if c.Dusk.Back.Area == own {
		c.Dusk.Back.Area = ""
	}
	for _, list := range [][]pass.Pass{c.Dusk.Passes, c.Finish.Passes} {
		for k := range list {
			if f, ok := list[k].Does.(pass.Ramp); ok && string(f.Follow) == l.ID {
				f.Follow = ""
				for _, s := range []*pass.Swatch{&f.Shadows, &f.Middle, &f.Highlights} {
					s.Hue = math.Mod(s.Hue+l.Gel.Hue, 360)
					s.Saturation *= l.Gel.Saturation
				}
				list[k].Does = f
			}
		}
	}
	return c
}

// Brightest returns the index of the light that gives most, -1 where there is none: by
// its fader, its stack, its gel and what it covers.
func (r *Recipe) Brightest() int {
	best, most := -1, -1.0
	for i := range r.Lights {
		l := &r.Lights[i]
		sum := 0.0
		for _, s := range l.Shells {
			sum += s.Strength
		}
		if v := l.Gain() * (1 +
			sum) * math.Sqrt(r.covers(l)) * float64(l.Gel.Colour().Luma()+0.2); l.On && v > most {
			best, most = i, v
		}
	}
	return best
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

func (r *Recipe) addPasses(step string, p ...pass.Pass) (*Recipe, int, error) {
	if most := setting.Of[Finish]("passes").Count[1]; len(*r.Passes(step))+len(p) > most {
		return nil, 0, fault.New(fault.NoRoom, "A step holds at most %d passes. Remove one that is not needed.", most)
	}
	c := r.Clone()
	list := c.Passes(step)
	*list = append(*list, p...)
	return c, len(*list) - 1, c.Validate()
}

// DuplicatePass returns the recipe with a copy of a pass behind it. The copy works in
// the same area.
func (r *Recipe) DuplicatePass(step string, i int) (*Recipe, error) {
	if most := setting.Of[Finish]("passes").Count[1]; len(*r.Passes(step)) >= most {
		return nil, fault.New(fault.NoRoom, "A step holds at most %d passes. Remove one that is not needed.", most)
	}
	c := r.Clone()
	list := c.Passes(step)
	p := setting.Clone((*list)[i])
	if name := p.Name + " copy"; len([]rune(name)) <= setting.Of[pass.Pass]("name").Count[1] {
		p.Name = name
	}
	*list = slices.Insert(*list, i+1, p)
	return c, nil
}

// limits returns the areas that core, glow and rays of a light are limited by, to be changed.
func (l *Light) limits() []*area.Ref {
	out := []*area.Ref{&l.Trim.Area, &l.Rays.Trim.Area, &l.Rays.Near}
	for i := range l.Shells {
		out = append(out, &l.Shells[i].Trim.Area)
	}
	return out
}

// covers returns about how many square pixels a light covers; of cut-outs half of what holds them.
func (r *Recipe) covers(l *Light) float64 {
	a := l.Shapes.Area()
	for _, s := range l.Shapes {
		if k, ok := s.(shape.CutOut); ok {
			if c := r.CutOut(k.Of); c != nil {
				a += float64(c.Raster.Width) * float64(c.Raster.Height) * c.Raster.Cell *
					c.Raster.Cell / 2
			}
		}
	}
	return a
}
