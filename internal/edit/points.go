package edit

import (
	"math"
	"math/rand/v2"
	"slices"

	"pyrant/internal/base/fault"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// AddPoints returns the recipe with a light of points that were found in the photo, and its index.
// Those that are lit keep how they look and get rays in their own colours; dead ones are lit as
// bulbs.
func AddPoints(r *recipe.Recipe, spots []shape.Spot, dead bool) (*recipe.Recipe, int, error) {
	most := setting.Of[recipe.Light]("shapes").Count[1]
	switch {
	case len(spots) == 0:
		return nil, 0, fault.New(
			fault.Invalid,
			"No point light is chosen. Lower the confidence, or click on one.",
		)
	case len(spots) > most:
		return nil, 0, fault.New(
			fault.NoRoom,
			"%d point lights are chosen; a light can have %d. Raise the confidence, or exclude some.",
			len(spots),
			most,
		)
	}
	next, i, err := AddLight(r)
	if err != nil {
		return nil, 0, err
	}
	l := &next.Lights[i]
	recipe.RigOf("bulb").Put(l, r.Photo)
	rename(next, i, "Points")
	l.Gel = recipe.Gel{Hue: 38, Saturation: 1, Lightness: 0.6} // as most lamps have it
	if dead {
		rename(next, i, "Bulbs")
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
func ScatterBulbs(r *recipe.Recipe, i int, k shape.Scatter) (*recipe.Recipe, error) {
	if err := setting.Validate(k, r.Photo.Frame()); err != nil {
		return nil, err
	}
	in := slices.DeleteFunc(slices.Clone(r.Lights[i].Shapes), shape.IsCutOut)
	bulbs, full := k.Bulbs(in)
	switch {
	case len(bulbs) == 0:
		return nil, fault.New(
			fault.Invalid,
			"The light has no outline to fill with bulbs. Trace one first.",
		)
	case !full:
		return nil, fault.New(
			fault.NoRoom,
			"More than %d bulbs would fit. Raise the minimum distance.",
			shape.MostScattered,
		)
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
	Gels     []recipe.Gel
}

// Palettes are those that are offered.
var Palettes = []Palette{
	{
		"fair",
		"Fair",
		[]recipe.Gel{gel(2, 1, 0.55), gel(40, 1, 0.55), gel(140, 0.8, 0.45), gel(215, 0.95, 0.58)},
	},
	{"lanterns", "Lanterns", []recipe.Gel{gel(18, 1, 0.55), gel(32, 1, 0.58), gel(46, 1, 0.64)}},
	{
		"seaglass",
		"Sea glass",
		[]recipe.Gel{
			gel(158, 0.6, 0.55),
			gel(178, 0.7, 0.5),
			gel(200, 0.75, 0.6),
			gel(60, 0.5, 0.75),
		},
	},
	{"dusk", "Dusk", []recipe.Gel{gel(336, 0.85, 0.62), gel(280, 0.7, 0.62), gel(28, 1, 0.6)}},
}

// Deal returns the recipe with the points of light i dealt out by a seed to as many lights as a
// palette has gels, in a group. All of them are as the light is but for their gel; what of it is no
// point stays with the first.
func Deal(r *recipe.Recipe, i int, palette string, seed int) (*recipe.Recipe, error) {
	at := slices.IndexFunc(Palettes, func(p Palette) bool { return p.ID == palette })
	if at < 0 {
		return nil, fault.New(fault.Invalid, "There is no palette %q.", palette)
	}
	gels := Palettes[at].Gels
	spots := r.Lights[i].Shapes.Spots()
	if len(spots) < len(gels) {
		return nil, fault.New(
			fault.Invalid,
			"%d bulbs are too few for %d gels. Choose a light with more bulbs.",
			len(spots),
			len(gels),
		)
	}
	return distribute(r, i, gels, dealt(rand.New(rand.NewPCG(uint64(seed), 0x6465616c)), len(spots),
		len(gels)))
}

// Variation is how unlike each other a light's points become.
type Variation struct {
	Kinds int     `json:"kinds" label:"Number of lights" range:"2..24" slider:"2..12" default:"5" doc:"how many lights the bulbs are split into"`
	Hue   float64 `json:"hue" label:"Hue variation" unit:"°" range:"0..180" default:"25" step:"1" doc:"how far the hues may differ from the gel"`
	Light float64 `json:"light" label:"Brightness variation" unit:"%" range:"0..1" default:"0.4" step:"0.01" doc:"how much darker some lights may be"`
	Seed  int     `json:"seed" label:"Seed" range:"0..9999" default:"1" doc:"another number gives another distribution"`
}

// Vary returns the recipe with the points of light i dealt out to several lights, in a group, whose
// gels and levels are the light's with a difference by a seed: evenly spread over what may be, so
// that all of it is used.
func Vary(r *recipe.Recipe, i int, v Variation) (*recipe.Recipe, error) {
	if err := setting.Validate(v, r.Photo.Frame()); err != nil {
		return nil, err
	}
	spots := r.Lights[i].Shapes.Spots()
	if len(spots) < v.Kinds {
		return nil, fault.New(
			fault.Invalid,
			"%d bulbs are too few for %d lights. Choose fewer lights.",
			len(spots),
			v.Kinds,
		)
	}
	random := rand.New(rand.NewPCG(uint64(v.Seed), 0x76617279))
	gels := make([]recipe.Gel, v.Kinds)
	levels := random.Perm(v.Kinds)
	for k, at := range random.Perm(v.Kinds) {
		gels[k] = r.Lights[i].Gel
		t := 2*float64(at)/float64(v.Kinds-1) - 1
		gels[k].Hue = math.Round(10*math.Mod(gels[k].Hue+v.Hue*t+360, 360)) / 10
	}
	next, err := distribute(r, i, gels, dealt(random, len(spots), v.Kinds))
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
func Unlike(r *recipe.Recipe, i, seed int) (*recipe.Recipe, error) {
	if len(r.Lights[i].Shapes.Spots()) == 0 {
		return nil, fault.New(
			fault.Invalid,
			"The light has no bulbs. Draw a string of bulbs, or scatter some.",
		)
	}
	next, err := DuplicateLight(r, i)
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
	rename(next, i+1, r.Lights[i].Name)
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
func Single(r *recipe.Recipe, i int, gels []recipe.Gel) (*recipe.Recipe, error) {
	switch n := len(r.Lights[i].Shapes.Spots()); {
	case n < 2:
		return nil, fault.New(fault.Invalid, "The light has no bulbs to split.")
	case n > MostSingle:
		return nil, fault.New(
			fault.NoRoom,
			"The light has %d bulbs; at most %d can be split. Delete some, or distribute gels.",
			n,
			MostSingle,
		)
	case n != len(gels):
		return nil, fault.New(fault.Invalid, "There are %d gels for %d bulbs.", len(gels), n)
	}
	to := make([]int, len(gels))
	for k := range to {
		to[k] = k
	}
	return distribute(r, i, gels, to)
}

// distribute splits the points of light i: each goes to one of as many lights as there are gels.
// name gives light i a name that no other has.
func distribute(r *recipe.Recipe, i int, gels []recipe.Gel, to []int) (*recipe.Recipe, error) {
	if most := setting.Of[recipe.Recipe]("lights").Count[1]; len(r.Lights)+len(gels)-1 > most {
		return nil, fault.New(fault.NoRoom, "A shot can have at most %d lights.", most)
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
			l.ID, l.Alone = setting.NewID("l"), false
			c.Lights = slices.Insert(c.Lights, i+k, l)
		}
		l := &c.Lights[i+k]
		l.Gel, l.Rays.Colour, l.Shapes, l.Name = gels[k], recipe.OfGel, nil, ""
		ids = append(ids, l.ID)
	}
	c.Lights[i].Shapes = rest
	for k, s := range spots {
		l := &c.Lights[i+to[k]]
		l.Shapes = append(l.Shapes, s.Disc())
	}
	for k := range gels {
		rename(c, i+k, name)
	}
	next, err := GroupLights(c, ids)
	if err == nil && !slices.ContainsFunc(next.Groups,
		func(g recipe.Group) bool { return g.Name == name }) {
		next.GroupOf(next.LightOf(area.LightRef(ids[0])).Group).Name = name
	}
	return next, err
}

// gel returns a gel by its hue in degrees, its saturation and its lightness.
func gel(hue, saturation, lightness float64) recipe.Gel {
	return recipe.Gel{Hue: hue, Saturation: saturation, Lightness: lightness}
}
