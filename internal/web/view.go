package web

import (
	"encoding/json"
	"fmt"
	"html/template"
	"math"
	"strconv"
	"strings"
	"time"

	"pyrant/internal/colour"
	"pyrant/internal/recipe"
	"pyrant/internal/shape"
	"pyrant/internal/store"
)

// step is one stop of the rail.
type step struct {
	ID, Name string
	Filled   bool // the shot has something there
	Open     bool
}

// field is a slider with a typed value beside it, bound to one number of the
// recipe.
type field struct {
	Label   string
	Path    string  // JSON pointer in the recipe
	Value   float64 // as in the recipe
	Min     float64
	Max     float64 // of the slider; typed values may go up to Most
	Most    float64
	Default float64
	Mul     float64 // shown = value × Mul
	Unit    string
	Digits  int    // after the point
	Log     bool   // the slider is logarithmic
	Track   string // a class for the slider's track
}

// ID is fit for an element.
func (f field) ID() string {
	return "f" + strings.Map(func(r rune) rune {
		if r == '/' {
			return '-'
		}
		return r
	}, f.Path)
}

// Shown is the value in the unit that the user reads.
func (f field) Shown() string { return strconv.FormatFloat(f.Value*f.Mul, 'f', f.Digits, 64) }

// Pos is the slider's place, 0 to 1000.
func (f field) Pos() int {
	t := (f.Value - f.Min) / (f.Max - f.Min)
	if f.Log {
		t = math.Log(math.Max(f.Value, f.Min)/f.Min) / math.Log(f.Max/f.Min)
	}
	return int(math.Round(1000 * math.Min(math.Max(t, 0), 1)))
}

func percent(label, path string, v, max, most, def float64) field {
	return field{Label: label, Path: path, Value: v, Max: max, Most: most, Default: def, Mul: 100, Unit: "%"}
}

// page is what the templates of a shot see.
type page struct {
	CSRF        string
	Shot        *store.Shot
	R           *recipe.Recipe
	Step        string
	Light       int // index of the chosen light, -1 for none
	Undo, Redo  string
	Saved       time.Time
	Notes       []string
	ProfileName string
	Deep        bool
	OutOfBand   bool // the answer also brings the parts round the bench
}

// L is the chosen light.
func (p *page) L() *recipe.Light {
	if p.Light < 0 || p.Light >= len(p.R.Lights) {
		return nil
	}
	return &p.R.Lights[p.Light]
}

// steps lists the rail.
func (p *page) Steps() []step {
	traced, glows, spills := false, false, false
	for i := range p.R.Lights {
		l := &p.R.Lights[i]
		traced = traced || len(l.Shapes) > 0
		glows = glows || len(l.Shapes) > 0 && len(l.Shells) > 0
		spills = spills || len(l.Shapes) > 0 && l.Spill.Strength > 0
	}
	d := p.R.Dusk
	list := []step{
		{"photo", "Photo", true, false},
		{"dusk", "Dusk", d.On && (d.Daylight != 0 || d.Warmth != 0 || d.Saturation != 1), false},
		{"trace", "Trace", traced, false},
		{"glow", "Glow", glows, false},
		{"spill", "Spill", spills, false},
		{"export", "Export", false, false},
	}
	for i := range list {
		list[i].Open = list[i].ID == p.Step
	}
	return list
}

func (p *page) at(rest string) string { return fmt.Sprintf("/lights/%d/%s", p.Light, rest) }

// daylight is the exposure of dusk, to so many digits: a fader is coarser than a
// slider.
func (p *page) daylight(digits int) field {
	return field{Label: "Daylight", Path: "/dusk/daylight", Value: p.R.Dusk.Daylight, Min: -8, Max: 2, Most: 2, Mul: 1, Unit: "stops", Digits: digits}
}

// DuskFields are the sliders of the Dusk step.
func (p *page) DuskFields() []field {
	d := p.R.Dusk
	return []field{
		p.daylight(2),
		{Label: "Warmth", Path: "/dusk/warmth", Value: d.Warmth, Min: -1, Max: 1, Most: 1, Mul: 100},
		percent("Saturation", "/dusk/saturation", d.Saturation, 2, 2, 1),
	}
}

// GelFields are the sliders of the gel.
func (p *page) GelFields() []field {
	g := p.L().Gel
	return []field{
		{Label: "Hue", Path: p.at("gel/hue"), Value: g.Hue, Max: 360, Most: 360, Default: 172, Mul: 1, Unit: "°", Track: "hues"},
		percent("Saturation", p.at("gel/saturation"), g.Saturation, 1, 1, 0.85),
		percent("Lightness", p.at("gel/lightness"), g.Lightness, 1, 1, 0.5),
	}
}

// CoreFields are the sliders of the core.
func (p *page) CoreFields() []field {
	c, def := p.L().Core, recipe.DefaultLight(p.R.Photo.LongEdge()).Core
	return []field{
		percent("Whiteness", p.at("core/whiteness"), c.Whiteness, 1, 1, def.Whiteness),
		{Label: "Edge feather", Path: p.at("core/feather"), Value: c.Feather, Max: 40, Most: 500, Default: def.Feather, Mul: 1, Unit: "px", Digits: 1},
		percent("Keep texture", p.at("core/texture"), c.Texture, 1, 1, def.Texture),
	}
}

// TintFields are the sliders of shell j's tint and lift.
func (p *page) ShellFields(j int) []field {
	s, at := p.L().Shells[j], fmt.Sprintf("shells/%d/", j)
	return []field{
		percent("Whiter", p.at(at+"tint/white"), s.Tint.White, 1, 1, 0),
		{Label: "Turn hue", Path: p.at(at + "tint/hue"), Value: s.Tint.Hue, Min: -180, Max: 180, Most: 180, Mul: 1, Unit: "°"},
		percent("Lift", p.at(at+"lift"), s.Lift, 1, 1, 0.6),
	}
}

// SpillFields are the sliders of the chosen light's spill.
func (p *page) SpillFields() []field {
	s, def := p.L().Spill, recipe.DefaultLight(p.R.Photo.LongEdge()).Spill
	return []field{
		percent("Strength", p.at("spill/strength"), s.Strength, 4, 4, def.Strength),
		{Label: "Reach", Path: p.at("spill/reach"), Value: s.Reach, Min: float64(p.R.Photo.LongEdge()) / 50, Max: 2 * float64(p.R.Photo.LongEdge()),
			Most: recipe.MaxReach, Default: def.Reach, Mul: 1, Unit: "px", Log: true},
	}
}

// ToneFields are the numbers beside the tone window.
func (p *page) ToneFields() []field {
	t := p.L().Spill.Tone
	return []field{
		percent("From", p.at("spill/tone/low"), t.Low, 1, 1, 0),
		percent("To", p.at("spill/tone/high"), t.High, 1, 1, 1),
		percent("Soft", p.at("spill/tone/soft"), t.Soft, 1, 1, 0.1),
	}
}

// WidthField is the slider of a tube's width.
func (p *page) WidthField(j int) field {
	long := float64(p.R.Photo.LongEdge())
	return field{Label: "Width", Path: p.at(fmt.Sprintf("shapes/%d/width", j)), Value: p.L().Shapes[j].Width,
		Min: 1, Max: long / 10, Most: long, Default: long / 150, Mul: 1, Unit: "px", Digits: 1, Log: true}
}

// Fader is one channel of the board.
type fader struct {
	Label  string
	Path   string
	On     bool
	Switch string // path of the switch
	Field  field
	Gel    string // of a light, as #rrggbb
	Index  int
	Chosen bool
	Alone  bool
	Dark   bool // something else is alone
}

// Faders are the channels of the lights.
func (p *page) Faders() []fader {
	lit := p.R.Lit()
	var out []fader
	for i := range p.R.Lights {
		l := &p.R.Lights[i]
		at := fmt.Sprintf("/lights/%d/", i)
		out = append(out, fader{Label: l.Name, Path: at, On: l.On, Switch: at + "on", Field: percent(l.Name, at+"level", l.Level, 2, 2, 1),
			Gel: l.Gel.Colour().Hex(), Index: i, Chosen: i == p.Light, Alone: l.Alone, Dark: !lit[i] && l.On && len(l.Shapes) > 0})
	}
	return out
}

// Masters are the faders over everything.
func (p *page) Masters() []fader {
	return []fader{
		{Label: "Daylight", On: p.R.Dusk.On, Switch: "/dusk/on", Field: p.daylight(1)},
		{Label: "All glow", On: p.R.Glow.On, Switch: "/glow/on", Field: percent("All glow", "/glow/level", p.R.Glow.Level, 2, 2, 1)},
		{Label: "All spill", On: p.R.Spill.On, Switch: "/spill/on", Field: percent("All spill", "/spill/level", p.R.Spill.Level, 2, 2, 1)},
	}
}

// Joins are offered for each shell.
func (p *page) Joins() []recipe.Join { return recipe.Joins }

// State is what the page's scripts read, as JSON.
func (p *page) State() (string, error) {
	b, err := json.Marshal(map[string]any{
		"id": p.Shot.ID, "version": p.Shot.Version, "step": p.Step, "light": p.Light,
		"width": p.Shot.Photo.Width, "height": p.Shot.Photo.Height, "lights": p.R.Lights, "name": p.Shot.Name,
	})
	return string(b), err
}

// joinNames are the words for ways of joining.
var joinNames = map[recipe.Join]string{
	recipe.Add: "Add", recipe.Screen: "Screen", recipe.Lighten: "Lighten", recipe.Overlay: "Overlay", recipe.SoftLight: "Soft light",
	recipe.HardLight: "Hard light", recipe.ColorDodge: "Color dodge", recipe.Multiply: "Multiply", recipe.Normal: "Normal",
}

var templateFuncs = template.FuncMap{
	"inc":        func(i int) int { return i + 1 },
	"hex":        func(c colour.RGB) string { return c.Hex() },
	"joinName":   func(j recipe.Join) string { return joinNames[j] },
	"megapixels": megapixels,
	"clock":      func(t time.Time) string { return t.Local().Format("15:04") },
	"day":        func(t time.Time) string { return t.Local().Format("2 Jan 2006, 15:04") },
	"isTube":     func(s shape.Shape) bool { return s.Kind == shape.Tube },
	"percent":    func(v float64) string { return strconv.Itoa(int(math.Round(v * 100))) },
	"trim":       func(v float64) string { return strconv.FormatFloat(math.Round(v*100)/100, 'f', -1, 64) },
	"plural": func(n int, one, many string) string {
		if n == 1 {
			return "1 " + one
		}
		return strconv.Itoa(n) + " " + many
	},
}

// describe says what a light is made of.
func (p *page) Describe(l *recipe.Light) string {
	outlines, tubes := 0, 0
	for _, s := range l.Shapes {
		if s.Kind == shape.Tube {
			tubes++
		} else {
			outlines++
		}
	}
	f := templateFuncs["plural"].(func(int, string, string) string)
	switch {
	case outlines+tubes == 0:
		return "nothing traced yet"
	case tubes == 0:
		return f(outlines, "outline", "outlines")
	case outlines == 0:
		return f(tubes, "tube", "tubes")
	}
	return f(outlines, "outline", "outlines") + ", " + f(tubes, "tube", "tubes")
}
