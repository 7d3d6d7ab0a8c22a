package web

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
)

var glowStep = &step{ID: "glow", Name: "Glow",
	Filled: anyLight(func(l *recipe.Light) bool { return len(l.Shells) > 0 })}

// shellLine is a shell as the table shows it.
type shellLine struct {
	Index                  int
	Path                   string
	Radius, Strength, Join row
	Trim                   areaLine
	TrimBy                 row
	// of the strongest in the stack, or of 1 where none is stronger, in per cent
	Share int
	Hex   string // of its tint
	More  []row
}

// ShellLines lists the shells of the chosen light.
func (p *page) ShellLines() []shellLine {
	l := p.L()
	var out []shellLine
	strongest := 1.0
	for j := range l.Shells {
		strongest = max(strongest, l.Shells[j].Strength)
	}
	for j := range l.Shells {
		at := p.At(fmt.Sprintf("shells/%d", j))
		s := shellLine{Index: j, Path: at, Radius: p.Row(at + "/radius"),
			Strength: p.Row(at + "/strength"), Join: p.Row(at + "/join"),
			Trim: p.AreaLine(
				at+"/trim/area",
				"Nowhere",
				fmt.Sprintf("Trim of shell %d", j+1),
			), TrimBy: p.Row(at + "/trim/amount"),
			Hex: l.Shells[j].Tint.Colour(l.Gel).
				Hex(),
			More: append(p.Rows(at+"/tint"), p.Rows(at)...)}
		s.Share = int(100*l.Shells[j].Strength/strongest + 0.5)
		out = append(out, s)
	}
	return out
}

// try is a button that shows a change while the pointer is over it, and makes it when it is
// pressed.
type try struct {
	Name, About string
	Ops         string // the change, as JSON
	Hex         string // of its gel
	Is          bool   // it would change nothing
}

func tryOf(name, about string, is bool, op setting.Op) try {
	ops, err := json.Marshal([]setting.Op{op})
	if err != nil {
		panic("web: " + err.Error())
	}
	return try{Name: name, About: about, Ops: string(ops), Is: is}
}

// Rigs lists the rigs that the chosen light can take.
func (p *page) Rigs() []try {
	var out []try
	for i := range recipe.Rigs {
		g := &recipe.Rigs[i]
		l := *p.L()
		g.Put(&l, p.R.Photo)
		is := l.Core == p.L().Core && setting.Key(l.Shells) == setting.Key(p.L().Shells)
		out = append(out, tryOf(g.Name, g.About, is, setting.Op{Op: "rig",
			Path: p.Path(fmt.Sprintf("/lights/%d", p.Light)), Value: quoted(g.ID)}))
	}
	return out
}

// Palette lists the gels of the other lights, each once.
func (p *page) Palette() []try {
	var out []try
	seen := map[recipe.Gel]bool{p.L().Gel: true}
	for i := range p.R.Lights {
		l := &p.R.Lights[i]
		if seen[l.Gel] {
			continue
		}
		seen[l.Gel] = true
		t := tryOf("Gel of "+l.Name, "", false, edit.Set(p.At("gel"), l.Gel)[0])
		t.Hex = l.Gel.Colour().Hex()
		out = append(out, t)
	}
	return out
}

// move is a slider that is in the middle again when it was let go of: it changes what is there by
// so much.
type move struct {
	Label, Op, Path, Name, Unit string
	Value                       string // of the move's other values, as JSON
	Least, Most, At             float64
	Log, Many, Stays            bool
	Digits                      int
	Times                       float64
}

// StackMoves are the moves of all shells of the chosen light.
func (p *page) StackMoves() []move {
	of := func(label, name, unit string, by, times float64, digits int) move {
		return move{Label: label, Op: "stack", Path: p.At("shells"), Name: name, Unit: unit,
			Value: "{}", Least: -by, Most: by, Digits: digits, Times: times}
	}
	return []move{
		of("All radii", "size", "stops", 3, 1, 2),
		of("Spread radii", "spread", "stops", 3, 1, 2),
		of("Tail length", "curve", "stops", 2, 1, 2),
		of("All strengths", "power", "stops", 2, 1, 2),
		of("All lifts", "lift", "%", 0.5, 100, 0),
		of("Whiten", "white", "%", 1, 100, 0),
		of("Hue spread", "apart", "°", 40, 1, 0),
	}
}

// Joinings lists the ways in which shells can join.
func (p *page) Joinings() []setting.Choice { return recipe.Joins }

// Kelvin is the slider that sets the chosen light's gel by a temperature.
func (p *page) Kelvin() move {
	return move{Label: "Temperature", Op: "gels", Path: "/lights", Name: "kelvin", Unit: "K",
		Least: 1000, Most: 12000, At: 2700, Log: true, Stays: true,
		Times: 1, Digits: -1, Value: `{"lights":[` + string(quoted(p.L().ID)) + `]}`}
}

// GelMoves are the moves of the gels of many lights.
func (p *page) GelMoves() []move {
	of := func(label, name, unit string, by, times float64) move {
		return move{Label: label, Op: "gels", Path: "/lights", Name: name, Unit: unit, Value: "{}",
			Least: -by, Most: by, Times: times, Many: true}
	}
	return []move{
		of("Shift hues", "turn", "°", 180, 1),
		of("Saturation", "saturation", "%", 1, 100),
		of("Lightness", "lightness", "%", 0.5, 100),
	}
}

// One is the change that brings the gels of many lights to that of the chosen one.
func (p *page) One() string {
	b, err := json.Marshal(map[string]any{"gel": p.L().Gel})
	if err != nil {
		panic("web: " + err.Error())
	}
	return string(b)
}

func quoted(s string) json.RawMessage {
	b, err := json.Marshal(s)
	if err != nil {
		panic("web: " + err.Error())
	}
	return b
}

// Chart is what the falloff chart knows of the shells that it draws.
func (p *page) Chart() (c struct{ Radius, Strength row }) {
	v := struct {
		S recipe.Shell `json:"s"`
	}{setting.New[recipe.Shell](p.frame())}
	c.Radius, _ = rowAt(v, "/s/radius", p.frame())
	c.Strength, _ = rowAt(v, "/s/strength", p.frame())
	return c
}

// ShellsBrief counts the shells and gives their smallest and largest radius.
func (p *page) ShellsBrief() string {
	shells := p.L().Shells
	if len(shells) == 0 {
		return "none"
	}
	lo, hi := shells[0].Radius, shells[0].Radius
	for _, s := range shells {
		lo, hi = min(lo, s.Radius), max(hi, s.Radius)
	}
	return fmt.Sprintf("%d, %.3g to %.3g px", len(shells), lo, hi)
}

// CoreBrief gives the look of the core.
func (p *page) CoreBrief() string {
	c := p.L().Core
	if !c.On {
		return "off"
	}
	if c.Look == recipe.Exposed {
		return fmt.Sprintf("%+.1f stops", c.Brightness)
	}
	return fmt.Sprintf("%.0f %% white", 100*c.Whiteness)
}

// rayGroup is a folded section with some settings of rays.
type rayGroup struct {
	Key, Title, Brief string
	Rows              []row
}

// mainRays are the settings of rays that most shots need; rayGroups has the others.
var (
	mainRays  = []string{"strength", "length", "count", "colour"}
	rayGroups = []struct {
		key, title, brief string
		names             []string
	}{
		{"star", "Star", "shape, thickness, rotation", []string{"made", "stop", "rounded", "worn",
			"thick", "taper", "turn", "squeeze", "slant", "spread"}},
		{"halo", "Halo", "light round the star", []string{"halo", "haloSize", "veil"}},
		{"vary", "Variation", "lengths and angles", []string{"lengths", "angles", "seed"}},
		{"distance", "Distance", "far stars smaller", []string{"distance", "by", "lead", "chorus"}},
	}
)

// raysNamed returns the rows of the rays' settings with these names, in this order, without those
// that do nothing.
func (p *page) raysNamed(names []string) (out []row) {
	all := p.Rows(p.At("rays"))
	for _, n := range names {
		for _, r := range all {
			if r.Name == n {
				out = append(out, r)
			}
		}
	}
	return out
}

// MainRays are the settings of rays that are always shown.
func (p *page) MainRays() []row { return p.raysNamed(mainRays) }

// RayGroups are the folded sections with the other settings of rays.
func (p *page) RayGroups() (out []rayGroup) {
	for _, g := range rayGroups {
		out = append(out, rayGroup{g.key, g.title, g.brief, p.raysNamed(g.names)})
	}
	return out
}

// RayLimitsBrief says which rays are shortened or excluded.
func (p *page) RayLimitsBrief() string {
	r := &p.L().Rays
	var parts []string
	if n := len(r.Cuts); n > 0 {
		parts = append(parts, strconv.Itoa(n)+" shortened")
	}
	if a := p.R.Area(r.Trim.Area); a != nil {
		parts = append(parts, "not in "+a.Name)
	}
	if len(parts) == 0 {
		return "none"
	}
	return strings.Join(parts, ", ")
}
