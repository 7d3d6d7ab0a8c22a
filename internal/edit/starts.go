package edit

import (
	"pyrant/internal/base/fault"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
)

// Start is a ready-made beginning of Dusk or Finish: passes, and areas for them, that
// are like all others once they are there.
type Start struct {
	ID, Name string
	Step     string // dusk or finish
	About    string // what it does, in half a sentence
	make     func(m *maker)
}

// Starts lists the ready-made starts in the order in which they are offered.
var Starts = []Start{
	{
		"blue-hour",
		"Overcast to blue hour",
		"dusk",
		"darker and colder; the sky keeps some blue",
		func(m *maker) {
			m.levels("Darken", func(l *pass.Levels) { l.Exposure, l.Contrast = -2.9, 0.08 })
			m.colour("Cold sky", func(c *pass.Colour) { c.Temperature, c.Saturation = -75, 0.85 })
			m.curves("Blue in the shadows", pass.Curves{Blue: []pass.Knot{{X: 0, Y: 0},
				{X: 0.2, Y: 0.225}, {X: 1, Y: 0.97}}})
		},
	},
	{"lamp-room", "Lamp-lit room", "dusk", "darker and warmer; windows dimmed most", func(m *maker) {
		m.shade("Dim windows", func(s *pass.Shade) { s.Highlights = -0.6 })
		m.levels("Darken room", func(l *pass.Levels) { l.Exposure, l.Contrast = -2.9, 0.12 })
		m.colour("Warm", func(c *pass.Colour) { c.Temperature, c.Saturation = 45, 0.9 })
	}},
	{"moonless", "Moonless", "dusk", "nearly black, little colour", func(m *maker) {
		m.levels(
			"Night",
			func(l *pass.Levels) { l.Exposure, l.Contrast, l.Black = -3.6, 0.1, 0.004 },
		)
		m.colour("Desaturate", func(c *pass.Colour) { c.Saturation, c.Temperature = 0.45, -40 })
	}},
	{
		"but-colour",
		"Darken all but one hue",
		"dusk",
		"keeps one range of hues and darkens the rest",
		func(m *maker) {
			keep := setting.New[area.Hue](m.r.Photo.Frame())
			at := m.area("All but one hue", part(area.Add, keep, func(p *area.Part) {
				p.Inverted, p.Feather = true, setting.Round(float64(m.r.Photo.LongEdge())/1500)
			}))
			m.levels("Dark", func(l *pass.Levels) { l.Exposure = -2.8 })
			m.in(at)
			m.colour("Desaturate", func(c *pass.Colour) { c.Saturation, c.Temperature = 0.7, -30 })
			m.in(at)
			m.open = at // which colour is for the user to say
		},
	},
	{
		"deep-contrast",
		"Deep contrast",
		"finish",
		"deepens shadows, keeps highlights",
		func(m *maker) {
			m.curves("Deep contrast", pass.Curves{All: []pass.Knot{{X: 0, Y: 0}, {X: 0.22, Y: 0.17},
				{X: 0.55, Y: 0.56}, {X: 0.8, Y: 0.84}, {X: 1, Y: 1}}})
		},
	},
	{
		"gel-ramp",
		"Colour ramp from gels",
		"finish",
		"shadows, midtones and highlights follow the brightest light",
		func(m *maker) {
			r := setting.New[pass.Ramp](m.r.Photo.Frame())
			if i := Brightest(m.r); i >= 0 {
				r.Follow = pass.Follow(m.r.Lights[i].ID)
				// Shadows against the gel, the middle beside it, highlights of it.
				r.Shadows = pass.Swatch{Hue: 160, Saturation: 0.6, Amount: 0.22}
				r.Middle = pass.Swatch{Hue: 330, Saturation: 0.8, Amount: 0.2}
				r.Highlights = pass.Swatch{Hue: 0, Saturation: 0.9, Amount: 0.3}
			} else {
				r.Shadows = pass.Swatch{Hue: 222, Saturation: 0.6, Amount: 0.22}
				r.Middle = pass.Swatch{Hue: 200, Saturation: 0.5, Amount: 0.2}
				r.Highlights = pass.Swatch{Hue: 42, Saturation: 0.8, Amount: 0.3}
			}
			m.add("Three colours", r)
		},
	},
	{
		"vignette",
		"Vignette, lights protected",
		"finish",
		"darkens the corners, not the lights",
		func(m *maker) {
			p := m.r.Photo
			ring := setting.New[area.Ring](p.Frame())
			ring.X, ring.Y = float64(p.Width)/2, float64(p.Height)/2
			ring.Width, ring.Height, ring.Inner = 1.3*float64(p.Width), 1.3*float64(p.Height), 0.35
			at := m.area("Corners, lights protected",
				part(area.Add, ring, func(q *area.Part) { q.Inverted = true }),
				part(area.Away, area.Light{What: area.Covers},
					func(q *area.Part) { q.Feather = setting.Round(float64(p.LongEdge()) / 150) }))
			m.levels("Vignette", func(l *pass.Levels) { l.Exposure = -1.4 })
			m.in(at)
		},
	},
	{
		"calm",
		"Calm an area",
		"finish",
		"one area darker and less colourful; drag it into place",
		func(m *maker) {
			p := m.r.Photo
			ring := setting.New[area.Ring](p.Frame())
			ring.X, ring.Y = float64(p.Width)/2, float64(p.Height)/2
			ring.Width, ring.Height, ring.Inner = float64(
				p.LongEdge(),
			)/5, float64(
				p.LongEdge(),
			)/5, 0.3
			at := m.area("Calm area", part(area.Add, ring, nil))
			m.levels("Calm", func(l *pass.Levels) { l.Exposure = -0.9 })
			m.in(at)
			m.colour("Soften colours", func(c *pass.Colour) { c.Saturation = 0.65 })
			m.in(at)
			m.open = at
		},
	},
	{
		"unlit",
		"Balance the unlit side",
		"finish",
		"a painted area takes the colour of the scene, less where spill falls",
		func(m *maker) {
			at := m.area("Unlit side",
				part(area.Add, area.Strokes{Strokes: []area.Stroke{}}, nil),
				part(area.Away, area.Light{What: area.Spill, Gain: 2}, nil))
			b := setting.New[pass.Balance](m.r.Photo.Frame())
			hue := 222.0
			if i := Brightest(m.r); i >= 0 {
				hue = m.r.Lights[i].Gel.Hue
			}
			b.Shadows = pass.Shift{Hue: hue, Amount: 0.35, Light: -0.04}
			b.Middle = pass.Shift{Hue: hue, Amount: 0.25}
			b.Highlights = pass.Shift{Hue: hue, Amount: 0.1}
			m.add("Balance the unlit side", b)
			m.in(at)
			m.open = at
		},
	},
}

// Begin returns the recipe with the passes of a start at the end of its step's list, the
// id of its first pass, and the area that it leaves to be drawn, "" for none.
func Begin(r *recipe.Recipe, id string) (next *recipe.Recipe, first string, open area.Ref,
	err error) {
	for _, s := range Starts {
		if s.ID != id {
			continue
		}
		m := &maker{r: r.Clone()}
		if s.make(m); m.err != nil {
			return nil, "", "", m.err
		}
		next, _, err := addPasses(m.r, s.Step, m.passes...)
		return next, m.passes[0].ID, m.open, err
	}
	return nil, "", "", fault.New(fault.Invalid, "There is no such preset.")
}

// maker puts a start together.
type maker struct {
	r      *recipe.Recipe
	passes []pass.Pass
	open   area.Ref
	err    error
}

func (m *maker) add(name string, k pass.Kind) {
	p := setting.New[pass.Pass](m.r.Photo.Frame())
	p.ID, p.Name, p.Does = setting.NewID("p"), name, k
	m.passes = append(m.passes, p)
}

// in limits the last pass to an area.
func (m *maker) in(at area.Ref) { m.passes[len(m.passes)-1].Area = at }

func (m *maker) area(name string, parts ...area.Part) area.Ref {
	next, id, err := AddArea(m.r, name, parts...)
	if err != nil {
		m.err = err
		return ""
	}
	m.r = next
	return id
}

func part(does area.Does, of area.Source, more func(*area.Part)) area.Part {
	p := area.Part{ID: setting.NewID("i"), On: true, Does: does, Amount: 1, Of: of}
	if more != nil {
		more(&p)
	}
	return p
}

func (m *maker) levels(name string, set func(*pass.Levels)) { make1(m, name, set) }
func (m *maker) colour(name string, set func(*pass.Colour)) { make1(m, name, set) }
func (m *maker) shade(name string, set func(*pass.Shade))   { make1(m, name, set) }
func (m *maker) curves(name string, c pass.Curves)          { m.add(name, c) }

func make1[K pass.Kind](m *maker, name string, set func(*K)) {
	k := setting.New[K](m.r.Photo.Frame())
	set(&k)
	m.add(name, k)
}
