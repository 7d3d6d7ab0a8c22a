package recipe

import (
	"fmt"
	"slices"
	"strings"

	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/shape"
)

// Blocker is something that stands before a light: the light's core does not show there, and its
// glow only as far as that says.
//
// With B for what the area covers, feathered, the core is multiplied by 1 − B. The glow is
// multiplied by 1 − shells·max(0, 2·(G_wrap ∗ B) − 1), where G is a Gaussian: at an edge none of it
// is lost, and in the depth of the wrap two thirds; without a wrap it is multiplied by 1 −
// shells·B.
type Blocker struct {
	ID      string   `json:"id,omitzero" row:"own" key:"-" count:"0..64" doc:"unique in its list, never shown"`
	On      bool     `json:"on" label:"On" default:"true" row:"own"`
	Area    area.Ref `json:"area" label:"Blocked by" row:"own" doc:"id of an area; cut-out:ID for a cut-out, behind:ID for its background, light:ID for another light's shapes"`
	Shells  float64  `json:"shells" label:"Hides glow" unit:"%" range:"0..1" default:"1" step:"0.01" doc:"how much of the glow it hides; the core is always hidden"`
	Wrap    float64  `json:"wrap" label:"Wrap" unit:"px" range:"0..L/5" slider:"0..L/50" default:"L/500" step:"0.1" doc:"how far light creeps round its edge"`
	Feather float64  `json:"feather" label:"Feather" unit:"px" range:"0..L/20" slider:"0..L/100" default:"0" step:"0.1" doc:"softness of its edge"`
}

// CutOut returns the cut-out of an id, nil for none.
func (r *Recipe) CutOut(id cutout.Ref) *cutout.CutOut {
	for i := range r.CutOuts {
		if r.CutOuts[i].ID == string(id) {
			return &r.CutOuts[i]
		}
	}
	return nil
}

// With returns the recipe with some lights of another and some of its cut-outs, those that the
// lights are made of among them; of all of them only where they are and what they cover.
func (r Recipe) With(from *Recipe, lights []*Light, cutOuts ...cutout.Ref) *Recipe {
	r.Lights, r.CutOuts = nil, nil
	for _, l := range lights {
		r.Lights = append(r.Lights, Light{ID: l.ID, Shapes: l.Shapes, Stand: l.Stand})
		for _, s := range l.Shapes {
			if c, ok := s.(shape.CutOut); ok {
				cutOuts = append(cutOuts, c.Of)
			}
		}
	}
	for i := range from.CutOuts {
		c := &from.CutOuts[i]
		if slices.Contains(cutOuts, cutout.Ref(c.ID)) {
			r.CutOuts = append(r.CutOuts, cutout.CutOut{ID: c.ID, X: c.X, Y: c.Y, Raster: c.Raster})
		}
	}
	return &r
}

// CutOutKey names what a cut-out covers, or all of them where id is empty.
func (r *Recipe) CutOutKey(id cutout.Ref) string {
	var b strings.Builder
	for i := range r.CutOuts {
		if c := &r.CutOuts[i]; id == "" || c.ID == string(id) {
			b.WriteString(c.Key() + " ")
		}
	}
	return b.String()
}

// ShapesKey names what shapes cover, with the pixels of the cut-outs among them.
func (r *Recipe) ShapesKey(shapes shape.Shapes) string {
	key := shapes.Key()
	for _, s := range shapes {
		if c, ok := s.(shape.CutOut); ok {
			key += " " + r.CutOutKey(c.Of)
		}
	}
	return key
}

// standing returns the area that a reference to no area of the list stands for, nil where what it
// names is not there.
func (r *Recipe) standing(id area.Ref) *area.Area {
	kind, of := id.Of()
	a := area.Area{ID: string(id), Parts: []area.Part{{On: true, Does: area.Add, Amount: 1}}}
	switch kind {
	case area.OfLight:
		l := r.LightOf(area.LightRef(of))
		if l == nil {
			return nil
		}
		a.Name, a.Parts[0].Of = l.Name, area.Light{Light: area.LightRef(of), What: area.Covers}
	default:
		a.Name = "all cut-outs"
		if of != "" {
			c := r.CutOut(cutout.Ref(of))
			if c == nil {
				return nil
			}
			a.Name = c.Name
		}
		a.Parts[0].Of = area.CutOut{Of: cutout.Ref(of)}
		if kind == area.OfBehind {
			a.Name, a.Parts[0].Inverted = "behind "+a.Name, true
		}
	}
	return &a
}

// CutOutUsers lists what uses a cut-out, by name, quoted.
func (r *Recipe) CutOutUsers(id cutout.Ref) (out []string) {
	for i := range r.Lights {
		l := &r.Lights[i]
		if slices.ContainsFunc(l.Shapes,
			func(s shape.Shape) bool { c, ok := s.(shape.CutOut); return ok && c.Of == id }) {
			out = append(out, "the light “"+l.Name+"”")
		}
	}
	for i := range r.Areas {
		if slices.ContainsFunc(r.Areas[i].Parts,
			func(p area.Part) bool { c, ok := p.Of.(area.CutOut); return ok && c.Of == id }) {
			out = append(out, "the area “"+r.Areas[i].Name+"”")
		}
	}
	for _, w := range r.Room.Walls {
		if id != "" && w.Seen == id {
			out = append(out, "the wall “"+w.Name+"”")
		}
	}
	for _, p := range r.Room.Platforms {
		if id != "" && p.Seen == id {
			out = append(out, "the platform “"+p.Name+"”")
		}
	}
	if slices.ContainsFunc(r.Room.Things, func(t Thing) bool { return t.Of == id }) {
		out = append(out, "the room")
	}
	for _, kind := range []string{area.OfCutOut, area.OfBehind} {
		out = append(out, r.Users(area.RefTo(kind, string(id)))...)
	}
	return out
}

// checkCutOuts refuses cut-outs that share an id, and what refers to one that is not there.
func (r *Recipe) checkCutOuts() (field, msg string) {
	for i := range r.CutOuts {
		if id := r.CutOuts[i].ID; slices.ContainsFunc(r.CutOuts[:i],
			func(o cutout.CutOut) bool { return o.ID == id }) {
			return fmt.Sprintf("cutouts[%d].id", i), fmt.Sprintf("Two cut-outs have the id %q.", id)
		}
	}
	for i := range r.Lights {
		l := &r.Lights[i]
		for j, s := range l.Shapes {
			if c, ok := s.(shape.CutOut); ok && r.CutOut(c.Of) == nil {
				return fmt.Sprintf(
						"lights[%d].shapes[%d].of",
						i,
						j,
					), fmt.Sprintf(
						"The cut-out of the light “%s” is not in this shot. Choose another.",
						l.Name,
					)
			}
		}
		for j := range l.Blockers {
			if msg := r.blocks(l, l.Blockers[j].Area); msg != "" {
				return fmt.Sprintf("lights[%d].blockers[%d].area", i, j), msg
			}
		}
		for j := range l.Spill.Touches {
			if msg := r.touches(l, l.Spill.Touches[j].Area); msg != "" {
				return fmt.Sprintf("lights[%d].spill.touches[%d].area", i, j), msg
			}
		}
		if id := l.Spill.Carrier; id != "" {
			a := r.Area(id)
			if a == nil {
				return fmt.Sprintf(
						"lights[%d].spill.carrier",
						i,
					), fmt.Sprintf(
						"What the light “%s” is attached to is not in this shot. Choose another.",
						l.Name,
					)
			}
			if r.glows(a, 0) {
				return fmt.Sprintf(
						"lights[%d].spill.carrier",
						i,
					), fmt.Sprintf(
						"“%s” depends on a light's glow or spill and cannot carry the light “%s”. Use a cut-out or a drawn area.",
						a.Name,
						l.Name,
					)
			}
		}
	}
	for i := range r.Areas {
		for j, p := range r.Areas[i].Parts {
			switch s := p.Of.(type) {
			case area.CutOut:
				if s.Of != "" && r.CutOut(s.Of) == nil {
					return fmt.Sprintf("areas[%d].parts[%d].of.of", i, j), fmt.Sprintf("The area “%s” uses a cut-out that is not in this shot. Choose another.", r.Areas[i].Name)
				}
			case area.Surface:
				if !r.HasSurface(s.Of) {
					return fmt.Sprintf("areas[%d].parts[%d].of.of", i, j), fmt.Sprintf("The area “%s” uses a surface that is not in the room. Choose another.", r.Areas[i].Name)
				}
			case area.Other:
				if kind, _ := s.Area.Of(); kind != "" && r.Area(s.Area) == nil {
					return fmt.Sprintf("areas[%d].parts[%d].of.area", i, j), fmt.Sprintf("The area “%s” uses something that is not in this shot. Choose another.", r.Areas[i].Name)
				}
			}
		}
	}
	return "", ""
}

// blocks says why an area cannot stand before a light, or nothing.
func (r *Recipe) blocks(l *Light, id area.Ref) string {
	a := r.Area(id)
	if a == nil {
		return fmt.Sprintf(
			"A blocker of the light “%s” is not in this shot. Choose another.",
			l.Name,
		)
	}
	if id == area.RefTo(area.OfLight, l.ID) {
		return fmt.Sprintf("The light “%s” cannot block itself.", l.Name)
	}
	if r.glows(a, 0) {
		return fmt.Sprintf(
			"“%s” depends on a light's glow or spill and cannot block the light “%s”. Use the light's shapes.",
			a.Name,
			l.Name,
		)
	}
	return ""
}

// touches says why spill cannot be touched up in an area, or nothing.
func (r *Recipe) touches(l *Light, id area.Ref) string {
	switch a := r.Area(id); {
	case a == nil:
		return fmt.Sprintf(
			"The area of a touch-up of “%s” is not in this shot. Choose another.",
			l.Name,
		)
	case r.glows(a, 0):
		return fmt.Sprintf(
			"“%s” depends on a light's glow or spill and cannot touch up the spill of “%s”. Use a painted area or a cut-out.",
			a.Name,
			l.Name,
		)
	}
	return ""
}

// HasSurface tells whether the room has a surface.
func (r *Recipe) HasSurface(id area.SurfaceRef) bool {
	m := &r.Room
	return id == area.TheFloor || id == area.TheCeiling && m.Ceiling > 0 ||
		slices.ContainsFunc(m.Walls, func(w Wall) bool { return w.ID == string(id) }) ||
		slices.ContainsFunc(m.Platforms, func(p Platform) bool { return p.ID == string(id) }) ||
		slices.ContainsFunc(m.Things, func(t Thing) bool { return t.ID == string(id) })
}

// glows tells whether an area is made of what lights give.
func (r *Recipe) glows(a *area.Area, depth int) bool {
	return a != nil && depth <= area.MaxDepth && slices.ContainsFunc(a.Parts,
		func(p area.Part) bool {
			switch s := p.Of.(type) {
			case area.Light:
				return s.What != area.Covers
			case area.Other:
				return r.glows(r.Area(s.Area), depth+1)
			}
			return false
		})
}
