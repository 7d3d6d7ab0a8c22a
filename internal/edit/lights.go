package edit

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

func rename(r *recipe.Recipe, i int, name string) {
	r.Lights[i].Name = name
	for n := 2; slices.ContainsFunc(r.Lights[:i],
		func(o recipe.Light) bool { return o.Name == r.Lights[i].Name }); n++ {
		r.Lights[i].Name = fmt.Sprintf("%s %d", name, n)
	}
}

// GroupLights returns the recipe with lights in a new group.
func GroupLights(r *recipe.Recipe, ids []string) (*recipe.Recipe, error) {
	if len(r.Groups) >= setting.Of[recipe.Recipe]("groups").Count[1] {
		return nil, fault.New(
			fault.NoRoom,
			"A shot can have at most %d groups.",
			setting.Of[recipe.Recipe]("groups").Count[1],
		)
	}
	c := r.Clone()
	g := setting.New[recipe.Group](r.Photo.Frame())
	g.ID = setting.NewID("g")
	g.Name = "Group"
	for n := 2; slices.ContainsFunc(c.Groups,
		func(o recipe.Group) bool { return o.Name == g.Name }); n++ {
		g.Name = fmt.Sprintf("Group %d", n)
	}
	any := false
	for i := range c.Lights {
		if slices.Contains(ids, c.Lights[i].ID) {
			c.Lights[i].Group, any = g.ID, true
		}
	}
	if !any {
		return nil, fault.New(fault.Invalid, "Choose the lights of the group first.")
	}
	c.Groups = append(c.Groups, g)
	gather(c)
	return c, c.Validate()
}

// gather puts the lights of a group side by side, where the first of them is, and drops groups that
// hold none.
func gather(r *recipe.Recipe) {
	var out []recipe.Light
	for i := range r.Lights {
		g := r.Lights[i].Group
		if g == "" {
			out = append(out, r.Lights[i])
			continue
		}
		if slices.ContainsFunc(r.Lights[:i], func(o recipe.Light) bool { return o.Group == g }) {
			continue
		}
		for _, l := range r.Lights[i:] {
			if l.Group == g {
				out = append(out, l)
			}
		}
	}
	r.Lights = out
	r.Groups = slices.DeleteFunc(r.Groups, func(g recipe.Group) bool {
		return !slices.ContainsFunc(r.Lights, func(l recipe.Light) bool { return l.Group == g.ID })
	})
}

// Ungroup returns the recipe without a group; its lights stay, with the brightness that they had.
func Ungroup(r *recipe.Recipe, id string) (*recipe.Recipe, error) {
	g := r.GroupOf(id)
	if g == nil {
		return nil, fault.New(fault.Gone, "That group is no longer in this shot. Reload the page.")
	}
	c := r.Clone()
	most := setting.Of[recipe.Light]("level").Max.A
	for i := range c.Lights {
		if l := &c.Lights[i]; l.Group == id {
			l.Group, l.Level, l.On = "", min(l.Level*g.Level, most), l.On && g.On
		}
	}
	gather(c)
	return c, c.Validate()
}

// MoveLight returns the recipe with light i before the one that is at index to, or last. A light
// that comes between two of one group joins it, and one that leaves the others of its group is in
// none.
func MoveLight(r *recipe.Recipe, i, to int) (*recipe.Recipe, int, error) {
	if i < 0 || i >= len(r.Lights) || to < 0 || to > len(r.Lights) {
		return nil, 0, fault.New(fault.Invalid, "There is no such light in this shot.")
	}
	c := r.Clone()
	l := c.Lights[i]
	c.Lights = slices.Delete(c.Lights, i, i+1)
	if to > i {
		to--
	}
	c.Lights = slices.Insert(c.Lights, to, l)
	group := func(k int) string {
		if k < 0 || k >= len(c.Lights) {
			return ""
		}
		return c.Lights[k].Group
	}
	before, after := group(to-1), group(to+1)
	others := slices.ContainsFunc(c.Lights,
		func(o recipe.Light) bool { return o.Group == l.Group && o.ID != l.ID })
	switch {
	case before == after && before != "":
		c.Lights[to].Group = before
	case l.Group != before && l.Group != after && others:
		c.Lights[to].Group = ""
	}
	gather(c)
	return c, slices.IndexFunc(
		c.Lights,
		func(o recipe.Light) bool { return o.ID == l.ID },
	), c.Validate()
}

// Copied is lights that were copied out of a shot, to be put into another.
type Copied struct {
	Kind   string            `json:"kind"` // "lights"
	Photo  recipe.Photo      `json:"photo"`
	Lights []json.RawMessage `json:"lights"`
}

// CopyLights returns lights as JSON for PasteLights.
func CopyLights(r *recipe.Recipe, ids []string) ([]byte, error) {
	c := Copied{Kind: "lights", Photo: r.Photo}
	for i := range r.Lights {
		if slices.Contains(ids, r.Lights[i].ID) {
			c.Lights = append(c.Lights, setting.Encode(r.Lights[i]))
		}
	}
	if c.Lights == nil {
		return nil, fault.New(fault.Invalid, "There is no light to copy. Choose one first.")
	}
	return json.Marshal(c)
}

// PasteLights returns the recipe with lights that were copied, sized as this photo is to theirs,
// and the index of the first. What they refer to stays behind, as do cut-outs that they are made
// of.
func PasteLights(r *recipe.Recipe, data []byte) (*recipe.Recipe, int, error) {
	var c Copied
	if err := json.Unmarshal(data, &c); err != nil || c.Kind != "lights" ||
		c.Photo.LongEdge() < 1 || len(c.Lights) == 0 {
		return nil, 0, fault.New(
			fault.Invalid,
			"There are no copied lights to paste. Copy a light first.",
		)
	}
	if most := setting.Of[recipe.Recipe]("lights").Count[1]; len(r.Lights)+len(c.Lights) > most {
		return nil, 0, fault.New(fault.NoRoom, "A shot can have at most %d lights.", most)
	}
	next := r.Clone()
	first := len(next.Lights)
	for _, doc := range c.Lights {
		raw, err := setting.Parse(doc, "light")
		if err != nil {
			return nil, 0, err
		}
		var l recipe.Light
		if err := setting.Decode(raw, &l, c.Photo.Frame()); err != nil {
			return nil, 0, err
		}
		l = setting.Scale(l, float64(r.Photo.LongEdge())/float64(c.Photo.LongEdge()))
		l.Group, l.Blockers, l.Alone, l.Spill.Carrier = "", nil, false, ""
		for _, a := range limits(&l) {
			*a = ""
		}
		l.Spill.Touches, l.Spill.Falls, l.Stand = nil, nil, ""
		for k := range l.Shells {
			l.Shells[k].Radius = min(l.Shells[k].Radius, recipe.MaxRadius)
		}
		l.Shapes = slices.DeleteFunc(l.Shapes,
			func(s shape.Shape) bool { _, cut := s.(shape.CutOut); return cut })
		l.ID = setting.NewID("l")
		next.Lights = append(next.Lights, l)
		rename(next, len(next.Lights)-1, l.Name)
	}
	return next, first, next.Validate()
}

// RemoveLight returns the recipe without light i. Parts of areas that are made of it go
// with it; ramps that follow its gel keep the colours that they have.
func RemoveLight(r *recipe.Recipe, i int) *recipe.Recipe {
	c := r.Clone()
	l := c.Lights[i]
	c.Lights = slices.Delete(c.Lights, i, i+1)
	own := area.RefTo(area.OfLight, l.ID)
	for k := range c.Lights {
		c.Lights[k].Blockers = slices.DeleteFunc(c.Lights[k].Blockers,
			func(b recipe.Blocker) bool { return b.Area == own })
		if c.Lights[k].Spill.Carrier == own {
			c.Lights[k].Spill.Carrier = ""
		}
		c.Lights[k].Spill.Touches = slices.DeleteFunc(c.Lights[k].Spill.Touches,
			func(t recipe.Touch) bool { return t.Area == own })
		for _, a := range limits(&c.Lights[k]) {
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
func Brightest(r *recipe.Recipe) int {
	best, most := -1, -1.0
	for i := range r.Lights {
		l := &r.Lights[i]
		sum := 0.0
		for _, s := range l.Shells {
			sum += s.Strength
		}
		if v := l.Gain() * (1 +
			sum) * math.Sqrt(covers(r, l)) * float64(l.Gel.Colour().Luma()+0.2); l.On && v > most {
			best, most = i, v
		}
	}
	return best
}

// limits returns the areas that core, glow and rays of a light are limited by, to be changed.
func limits(l *recipe.Light) []*area.Ref {
	out := []*area.Ref{&l.Trim.Area, &l.Rays.Trim.Area, &l.Rays.Near}
	for i := range l.Shells {
		out = append(out, &l.Shells[i].Trim.Area)
	}
	return out
}

// covers returns about how many square pixels a light covers; of cut-outs half of what holds them.
func covers(r *recipe.Recipe, l *recipe.Light) float64 {
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

// CutRay returns rays with one of them ending at a share of its length, at all of it for one that
// is as long as it was.
func CutRay(r recipe.Rays, point, ray int, at float64) recipe.Rays {
	r.Cuts = slices.DeleteFunc(slices.Clone(r.Cuts),
		func(c recipe.Cut) bool { return c.Point == point && c.Ray == ray })
	if at < 1 {
		r.Cuts = append(
			r.Cuts,
			recipe.Cut{Point: point, Ray: ray, At: math.Round(1000*math.Max(at, 0)) / 1000},
		)
	}
	return r
}

// Matched returns the recipe with the spill and the gels of its lights such that they add to the
// photo, for each colour, gains times what they add in white at a strength of 1. Lights that are
// off, or have no spill, stay as they are. All reaches are multiplied by reach.
func Matched(r *recipe.Recipe, gains [][3]float64, reach float64) (*recipe.Recipe, error) {
	c := r.Clone()
	lit := r.Lit()
	strength, far := setting.Of[recipe.Spill]("strength"), setting.Of[recipe.Spill]("reach")
	for i := range c.Lights {
		l := &c.Lights[i]
		if i >= len(gains) || !lit[i] || !l.Spill.On || l.Gain() <= 0 {
			continue
		}
		g := gains[i]
		most := math.Max(g[0], math.Max(g[1], g[2]))
		if most < 1e-4 {
			l.Spill.Strength = 0 // the reference has it off
			continue
		}
		// A group's fader and the master weigh it as well.
		k := r.Shining(i).Gain() * math.Max(r.Spill.Level, 1e-3)
		l.Gel = GelOf(colour.RGB{R: float32(g[0] / most), G: float32(g[1] / most),
			B: float32(g[2] / most)})
		l.Spill.Strength = setting.Round(math.Min(most/k, strength.Max.A))
		l.Spill.Reach = setting.Round(math.Min(l.Spill.Reach*reach, far.Max.A))
	}
	return c, c.Validate()
}

// Suit gives light i, if it still has the core and the stack of a new one, those that
// suit what it is made of. It writes to r.
func Suit(r *recipe.Recipe, i int) {
	l, fresh := &r.Lights[i], recipe.DefaultLight(r.Photo)
	if l.Core == fresh.Core && setting.Key(l.Shells) == setting.Key(fresh.Shells) {
		recipe.StartRig(l.Shapes, r.Photo).Put(l, r.Photo)
	}
}
