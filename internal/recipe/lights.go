package recipe

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"pyrant/internal/base/fault"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// Orbs are lights without a traced thing: soft discs about one place.
const (
	Orb  = "orb"  // discs from wide and deep to small and nearly white
	Veil = "veil" // a very wide soft lift of what is round a place

	Burst = "burst" // one great uneven star, as of a low sun
)

// AddOrb returns the recipe with an orb, a veil or a burst of a radius about a place of the photo,
// in pixels, and its index. It may lie beyond the frame, in part or all of it.
func (r *Recipe) AddOrb(kind string, x, y, radius float64) (*Recipe, int, error) {
	if kind != Orb && kind != Veil && kind != Burst {
		return nil, 0, fault.New(fault.Invalid, "There is no %q; there are orbs, veils and bursts.", kind)
	}
	next, i, err := r.AddLight()
	if err != nil {
		return nil, 0, err
	}
	l := &next.Lights[i]
	l.Keep = 0 // nothing in the photo emits here
	disc := func(d float64) {
		l.Shapes = shape.Shapes{shape.Ellipse{X: x, Y: y, Width: d,
			Height: d}}
	}
	shell := func(share, strength, white, turn float64, join Join) {
		s := setting.New[Shell](r.Photo.Frame())
		s.Radius, s.Strength, s.Lift, s.Tint, s.Join = setting.Round(min(share*radius, MaxRadius)),
			strength, 1, Tint{white, turn}, join
		l.Shells = append(l.Shells, s)
	}
	l.Shells = nil
	if kind == Veil {
		next.name(i, "Veil")
		disc(setting.Round(radius / 2))
		l.Core.On, l.Spill.On = false, false
		shell(0.3, 0.1, 0.1, 0, Add)
		shell(0.6, 0.12, 0, 0, Add)
		return next, i, next.Validate()
	}
	if kind == Burst {
		next.name(i, "Burst")
		l.Gel = Gel{Hue: 40, Saturation: 1, Lightness: 0.68}
		disc(setting.Round(radius * 0.09))
		l.Core = exposed(2.5, 0.5, setting.Round(radius*0.02), 0, 0.3)
		l.Core.On, l.Spill.On = true, false
		shell(0.06, 0.8, 0.6, 0, Add)
		shell(0.16, 0.35, 0.25, 0, Add)
		shell(0.4, 0.12, 0, -4, Add)
		k := &l.Rays
		k.On, k.Strength, k.Count, k.Colour = true, 0.5, 46, OfGel
		k.Length, k.Thick, k.Taper = setting.Round(radius), setting.Round(radius/60), 0.9
		k.Lengths, k.Angles, k.Halo, k.Veil = 0.8, 0.9, 0, 0.1
		return next, i, next.Validate()
	}
	next.name(i, "Orb")
	disc(setting.Round(radius * 0.22))
	feather := setting.Round(radius * 0.06)
	l.Core = exposed(1.6, 0.9, feather, 0, 0.3)
	l.Core.On, l.Core.BloomRadius = true, feather
	l.Spill.Strength, l.Spill.Reach = 0.5, min(setting.Round(4*radius), setting.Of[Spill]("reach").Max.A)
	l.Spill.Height = max(setting.Round(l.Spill.Reach/8), setting.Of[Spill]("height").Min.A)
	for _, s := range [][4]float64{{0.05, 0.9, 0.7, 6}, {0.1, 0.7, 0.45, 4}, {0.18, 0.5, 0.2, 2},
		{0.3, 0.3, 0.05, 0}, {0.48, 0.15, 0, -3}, {0.75, 0.06, 0, -6}} {
		shell(s[0], s[1], s[2], s[3], Add)
	}
	return next, i, next.Validate()
}

// AddPoints returns the recipe with a light of points that were found in the photo, and its index.
// Those that are lit keep how they look and get rays in their own colours; dead ones are lit as
// bulbs.
func (r *Recipe) AddPoints(spots []shape.Spot, dead bool) (*Recipe, int, error) {
	most := setting.Of[Light]("shapes").Count[1]
	switch {
	case len(spots) == 0:
		return nil, 0, fault.New(fault.Invalid, "No point is chosen. Lower the threshold, or click on one.")
	case len(spots) > most:
		return nil, 0, fault.New(fault.NoRoom, "%d points are chosen; a light holds %d. Raise the threshold, or drop some.", len(spots), most)
	}
	next, i, err := r.AddLight()
	if err != nil {
		return nil, 0, err
	}
	l := &next.Lights[i]
	RigOf("bulb").Put(l, r.Photo)
	next.name(i, "Points")
	l.Gel = Gel{Hue: 38, Saturation: 1, Lightness: 0.6} // as most lamps have it
	if dead {
		next.name(i, "Bulbs")
	} else {
		l.Core.On, l.Glow, l.Spill.On = false, false, false
	}
	largest := 0.0
	l.Shapes = nil
	for _, s := range spots {
		l.Shapes = append(l.Shapes, s.Disc())
		largest = max(largest, s.Radius)
	}
	l.Rays.On = true
	l.Rays.Length = max(l.Rays.Length, setting.Round(5*largest))
	l.Rays.Thick = max(l.Rays.Thick, setting.Round(largest/8))
	return next, i, next.Validate()
}

// ScatterBulbs returns the recipe with bulbs laid about in what the shapes of light i cover, in the
// place of these.
func (r *Recipe) ScatterBulbs(i int, k shape.Scatter) (*Recipe, error) {
	if err := setting.Validate(k, r.Photo.Frame()); err != nil {
		return nil, err
	}
	in := slices.DeleteFunc(slices.Clone(r.Lights[i].Shapes), shape.IsCutOut)
	bulbs, full := k.Bulbs(in)
	switch {
	case len(bulbs) == 0:
		return nil, fault.New(fault.Invalid, "The light has no outline that bulbs could be scattered in. Trace one round where they are to hang.")
	case !full:
		return nil, fault.New(fault.NoRoom, "More than %d bulbs would go in. Set them farther apart.", shape.MostScattered)
	}
	c := r.Clone()
	l := &c.Lights[i]
	l.Shapes = nil
	for _, b := range bulbs {
		l.Shapes = append(l.Shapes, b)
	}
	return c, c.Validate()
}

// Palette is gels that points are dealt.
type Palette struct {
	ID, Name string
	Gels     []Gel
}

// Palettes are those that are offered.
var Palettes = []Palette{
	{"fair", "Fair", []Gel{{2, 1, 0.55}, {40, 1, 0.55}, {140, 0.8, 0.45}, {215, 0.95, 0.58}}},
	{"lanterns", "Lanterns", []Gel{{18, 1, 0.55}, {32, 1, 0.58}, {46, 1, 0.64}}},
	{"seaglass", "Sea glass", []Gel{{158, 0.6, 0.55}, {178, 0.7, 0.5}, {200, 0.75, 0.6}, {60, 0.5, 0.75}}},
	{"dusk", "Dusk", []Gel{{336, 0.85, 0.62}, {280, 0.7, 0.62}, {28, 1, 0.6}}},
}

// Deal returns the recipe with the points of light i dealt out by a seed to as many lights as a
// palette has gels, in a group. All of them are as the light is but for their gel; what of it is no
// point stays with the first.
func (r *Recipe) Deal(i int, palette string, seed int) (*Recipe, error) {
	at := slices.IndexFunc(Palettes, func(p Palette) bool { return p.ID == palette })
	if at < 0 {
		return nil, fault.New(fault.Invalid, "There is no palette %q.", palette)
	}
	gels := Palettes[at].Gels
	spots := r.Lights[i].Shapes.Spots()
	if len(spots) < len(gels) {
		return nil, fault.New(fault.Invalid, "%d points are too few for %d gels. Choose a light with more, or give it a gel.", len(spots), len(gels))
	}
	return r.part(i, gels, dealt(rand.New(rand.NewPCG(uint64(seed), 0x6465616c)), len(spots),
		len(gels)))
}

// Variation is how unlike each other a light's points become.
type Variation struct {
	Kinds int     `json:"kinds" label:"Kinds" range:"2..24" slider:"2..12" default:"5" doc:"into how many lights the points go"`
	Hue   float64 `json:"hue" label:"Hues vary" unit:"°" range:"0..180" default:"25" step:"1" doc:"how far the hues of their gels may be turned"`
	Light float64 `json:"light" label:"Some darker" unit:"%" range:"0..1" default:"0.4" step:"0.01" doc:"by how much"`
	Seed  int     `json:"seed" label:"Seed" range:"0..9999" default:"1"`
}

// Vary returns the recipe with the points of light i dealt out to several lights, in a group, whose
// gels and levels are the light's with a difference by a seed: evenly spread over what may be, so
// that all of it is used.
func (r *Recipe) Vary(i int, v Variation) (*Recipe, error) {
	if err := setting.Validate(v, r.Photo.Frame()); err != nil {
		return nil, err
	}
	spots := r.Lights[i].Shapes.Spots()
	if len(spots) < v.Kinds {
		return nil, fault.New(fault.Invalid, "%d points are too few for %d kinds. Choose fewer.", len(spots), v.Kinds)
	}
	random := rand.New(rand.NewPCG(uint64(v.Seed), 0x76617279))
	gels := make([]Gel, v.Kinds)
	levels := random.Perm(v.Kinds)
	for k, at := range random.Perm(v.Kinds) {
		gels[k] = r.Lights[i].Gel
		t := 2*float64(at)/float64(v.Kinds-1) - 1
		gels[k].Hue = math.Round(10*math.Mod(gels[k].Hue+v.Hue*t+360, 360)) / 10
	}
	next, err := r.part(i, gels, dealt(random, len(spots), v.Kinds))
	if err != nil {
		return nil, err
	}
	for k, at := range levels {
		l := &next.Lights[i+k]
		l.Level = setting.Round(l.Level * (1 - v.Light*float64(at)/float64(v.Kinds-1)))
	}
	return next, next.Validate()
}

// Unlike returns the recipe with one more light like light i, for a second string on the same tree,
// say: by a seed its bulbs are others, of another size and gel, and its rays differ in turn, count,
// length and form.
func (r *Recipe) Unlike(i, seed int) (*Recipe, error) {
	if len(r.Lights[i].Shapes.Spots()) == 0 {
		return nil, fault.New(fault.Invalid, "The light has no points. Lay a string of bulbs, or scatter some.")
	}
	next, err := r.DuplicateLight(i)
	if err != nil {
		return nil, err
	}
	random := rand.New(rand.NewPCG(uint64(seed), 0x756e6c69))
	// Clearly smaller or larger, never the same.
	size := 0.6 + 0.2*random.Float64()
	if random.IntN(2) == 1 {
		size = 1.25 + 0.4*random.Float64()
	}
	l := &next.Lights[i+1]
	next.name(i+1, r.Lights[i].Name)
	least := setting.Of[shape.Ellipse]("width").Min.A
	l.Shapes = slices.Clone(l.Shapes)
	between := apart(l.Shapes.Spots())
	for k, s := range l.Shapes {
		switch s := s.(type) {
		case shape.String:
			s.Width = max(setting.Round(s.Width*size), 0.1)
			s.Seed = (s.Seed + 1 + random.IntN(9998)) % 10000
			s.Scatter = max(s.Scatter, 0.5)
			s.Own = nil // those are the first string's
			if s.Laid == shape.BySpacing {
				s.Spacing = setting.Round(s.Spacing * size)
			} else if s.Count > 2 {
				s.Count = min(max(int(math.Round(float64(s.Count)/size)), 2), 500)
			}
			l.Shapes[k] = s
		case shape.Ellipse:
			s.Width, s.Height = max(setting.Round(s.Width*size), least),
				max(setting.Round(s.Height*size), least)
			a := 2 * math.Pi * random.Float64()
			s.X, s.Y = setting.Round(s.X+0.4*between*math.Cos(a)),
				setting.Round(s.Y+0.4*between*math.Sin(a))
			l.Shapes[k] = s
		}
	}
	l.Gel.Hue = math.Round(math.Mod(l.Gel.Hue+60+240*random.Float64(), 360))
	k := &l.Rays
	k.Cuts, k.Seed = nil, (k.Seed+1+random.IntN(9998))%10000
	k.Turn = math.Round(math.Mod(k.Turn+15+60*random.Float64(), 360))
	k.Length = setting.Round(k.Length * (0.65 + 0.7*random.Float64()))
	counts := slices.DeleteFunc([]int{4, 5, 6, 7, 8, 9, 10},
		func(n int) bool { return n == k.Count })
	k.Count = counts[random.IntN(len(counts))]
	return next, next.Validate()
}

// apart returns the median of how far points are from their nearest neighbours.
func apart(spots []shape.Spot) float64 {
	if len(spots) < 2 {
		return 0
	}
	near := make([]float64, len(spots))
	for i, a := range spots {
		near[i] = math.Inf(1)
		for j, b := range spots {
			if i != j {
				near[i] = math.Min(near[i], math.Hypot(a.At.X-b.At.X, a.At.Y-b.At.Y))
			}
		}
	}
	slices.Sort(near)
	return near[len(near)/2]
}

// dealt returns for each of n which of kinds it goes to: each as often, in an order by chance.
func dealt(random *rand.Rand, n, kinds int) []int {
	to := make([]int, n)
	var order []int
	for k := range to {
		if len(order) == 0 {
			order = random.Perm(kinds)
		}
		to[k], order = order[0], order[1:]
	}
	return to
}

// MostSingle is how many points become lights by themselves at the most.
const MostSingle = 40

// Single returns the recipe with each point of light i as a light by itself, in a group, with a gel
// of its own.
func (r *Recipe) Single(i int, gels []Gel) (*Recipe, error) {
	switch n := len(r.Lights[i].Shapes.Spots()); {
	case n < 2:
		return nil, fault.New(fault.Invalid, "The light has no points to be taken apart.")
	case n > MostSingle:
		return nil, fault.New(fault.NoRoom, "The light has %d points; at most %d become lights by themselves. Drop some, or deal them gels.", n, MostSingle)
	case n != len(gels):
		return nil, fault.New(fault.Invalid, "There are %d gels for %d points.", len(gels), n)
	}
	to := make([]int, len(gels))
	for k := range to {
		to[k] = k
	}
	return r.part(i, gels, to)
}

// part parts the points of light i: each goes to one of as many lights as there are gels.
func (r *Recipe) part(i int, gels []Gel, to []int) (*Recipe, error) {
	if most := setting.Of[Recipe]("lights").Count[1]; len(r.Lights)+len(gels)-1 > most {
		return nil, fault.New(fault.NoRoom, "A shot holds at most %d lights.", most)
	}
	spots := r.Lights[i].Shapes.Spots()
	c := r.Clone()
	name := c.Lights[i].Name
	rest := slices.DeleteFunc(slices.Clone(c.Lights[i].Shapes),
		func(s shape.Shape) bool { return len(shape.Shapes{s}.Spots()) > 0 })
	var ids []string
	for k := range gels {
		if k > 0 {
			l := setting.Clone(c.Lights[i])
			l.ID, l.Alone = free("l", len(c.Lights),
				func(id string) bool { return c.LightOf(area.LightRef(id)) != nil }), false
			c.Lights = slices.Insert(c.Lights, i+k, l)
		}
		l := &c.Lights[i+k]
		l.Gel, l.Rays.Colour, l.Shapes, l.Name = gels[k], OfGel, nil, ""
		ids = append(ids, l.ID)
	}
	c.Lights[i].Shapes = rest
	for k, s := range spots {
		l := &c.Lights[i+to[k]]
		l.Shapes = append(l.Shapes, s.Disc())
	}
	for k := range gels {
		c.name(i+k, name)
	}
	next, err := c.GroupLights(ids)
	if err == nil && !slices.ContainsFunc(next.Groups,
		func(g Group) bool { return g.Name == name }) {
		next.GroupOf(next.LightOf(area.LightRef(ids[0])).Group).Name = name
	}
	return next, err
}

// name gives light i a name that no other has.
func (r *Recipe) name(i int, name string) {
	r.Lights[i].Name = name
	for n := 2; slices.ContainsFunc(r.Lights[:i],
		func(o Light) bool { return o.Name == r.Lights[i].Name }); n++ {
		r.Lights[i].Name = fmt.Sprintf("%s %d", name, n)
	}
}

// GroupLights returns the recipe with lights in a new group.
func (r *Recipe) GroupLights(ids []string) (*Recipe, error) {
	if len(r.Groups) >= setting.Of[Recipe]("groups").Count[1] {
		return nil, fault.New(fault.NoRoom, "A shot holds at most %d groups.", setting.Of[Recipe]("groups").Count[1])
	}
	c := r.Clone()
	g := setting.New[Group](r.Photo.Frame())
	g.ID = free("g", len(c.Groups), func(id string) bool { return c.GroupOf(id) != nil })
	g.Name = "Group"
	for n := 2; slices.ContainsFunc(c.Groups, func(o Group) bool { return o.Name == g.Name }); n++ {
		g.Name = fmt.Sprintf("Group %d", n)
	}
	any := false
	for i := range c.Lights {
		if slices.Contains(ids, c.Lights[i].ID) {
			c.Lights[i].Group, any = g.ID, true
		}
	}
	if !any {
		return nil, fault.New(fault.Invalid, "Choose the lights that the group is to hold first.")
	}
	c.Groups = append(c.Groups, g)
	c.gather()
	return c, c.Validate()
}

// gather puts the lights of a group side by side, where the first of them is, and drops groups that
// hold none.
func (r *Recipe) gather() {
	var out []Light
	for i := range r.Lights {
		g := r.Lights[i].Group
		if g == "" {
			out = append(out, r.Lights[i])
			continue
		}
		if slices.ContainsFunc(r.Lights[:i], func(o Light) bool { return o.Group == g }) {
			continue
		}
		for _, l := range r.Lights[i:] {
			if l.Group == g {
				out = append(out, l)
			}
		}
	}
	r.Lights = out
	r.Groups = slices.DeleteFunc(r.Groups, func(g Group) bool {
		return !slices.ContainsFunc(r.Lights, func(l Light) bool { return l.Group == g.ID })
	})
}

// Ungroup returns the recipe without a group; its lights stay, with the brightness that they had.
func (r *Recipe) Ungroup(id string) (*Recipe, error) {
	g := r.GroupOf(id)
	if g == nil {
		return nil, fault.New(fault.Gone, "That group is no longer in this shot. Reload the page.")
	}
	c := r.Clone()
	most := setting.Of[Light]("level").Max.A
	for i := range c.Lights {
		if l := &c.Lights[i]; l.Group == id {
			l.Group, l.Level, l.On = "", min(l.Level*g.Level, most), l.On && g.On
		}
	}
	c.gather()
	return c, c.Validate()
}

// MoveLight returns the recipe with light i before the one that is at index to, or last. A light
// that comes between two of one group joins it, and one that leaves the others of its group is in
// none.
func (r *Recipe) MoveLight(i, to int) (*Recipe, int, error) {
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
		func(o Light) bool { return o.Group == l.Group && o.ID != l.ID })
	switch {
	case before == after && before != "":
		c.Lights[to].Group = before
	case l.Group != before && l.Group != after && others:
		c.Lights[to].Group = ""
	}
	c.gather()
	return c, slices.IndexFunc(c.Lights, func(o Light) bool { return o.ID == l.ID }), c.Validate()
}

// Copied is lights that were copied out of a shot, to be put into another.
type Copied struct {
	Kind   string            `json:"kind"` // "lights"
	Photo  Photo             `json:"photo"`
	Lights []json.RawMessage `json:"lights"`
}

// CopyLights returns lights as JSON for PasteLights.
func (r *Recipe) CopyLights(ids []string) ([]byte, error) {
	c := Copied{Kind: "lights", Photo: r.Photo}
	for i := range r.Lights {
		if slices.Contains(ids, r.Lights[i].ID) {
			c.Lights = append(c.Lights, setting.Encode(r.Lights[i]))
		}
	}
	if c.Lights == nil {
		return nil, fault.New(fault.Invalid, "There is no light to copy; choose one first.")
	}
	return json.Marshal(c)
}

// PasteLights returns the recipe with lights that were copied, sized as this photo is to theirs,
// and the index of the first. What they refer to stays behind, as do cut-outs that they are made
// of.
func (r *Recipe) PasteLights(data []byte) (*Recipe, int, error) {
	var c Copied
	if err := json.Unmarshal(data, &c); err != nil || c.Kind != "lights" ||
		c.Photo.LongEdge() < 1 || len(c.Lights) == 0 {
		return nil, 0, fault.New(fault.Invalid, "There are no copied lights to paste. Copy a light first.")
	}
	if most := setting.Of[Recipe]("lights").Count[1]; len(r.Lights)+len(c.Lights) > most {
		return nil, 0, fault.New(fault.NoRoom, "A shot holds at most %d lights.", most)
	}
	next := r.Clone()
	first := len(next.Lights)
	for _, doc := range c.Lights {
		raw, err := setting.Parse(doc, "light")
		if err != nil {
			return nil, 0, err
		}
		var l Light
		if err := setting.Decode(raw, &l, c.Photo.Frame()); err != nil {
			return nil, 0, err
		}
		l = setting.Scale(l, float64(r.Photo.LongEdge())/float64(c.Photo.LongEdge()))
		l.Group, l.Blockers, l.Alone, l.Spill.Carrier = "", nil, false, ""
		for _, a := range l.limits() {
			*a = ""
		}
		l.Spill.Touches, l.Spill.Falls, l.Stand = nil, nil, ""
		for k := range l.Shells {
			l.Shells[k].Radius = min(l.Shells[k].Radius, MaxRadius)
		}
		l.Shapes = slices.DeleteFunc(l.Shapes,
			func(s shape.Shape) bool { _, cut := s.(shape.CutOut); return cut })
		l.ID = free("l", len(next.Lights),
			func(id string) bool { return next.LightOf(area.LightRef(id)) != nil })
		next.Lights = append(next.Lights, l)
		next.name(len(next.Lights)-1, l.Name)
	}
	return next, first, next.Validate()
}
