package web

import (
	"fmt"
	"math"
	"reflect"
	"slices"
	"strings"

	"pyrant/internal/base/colour"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
)

// passLine is a pass as its list shows it.
type passLine struct {
	Index int
	Path  string // of the pass in the recipe
	*pass.Pass
	Kind     string // as the user reads it
	Brief    string // what it holds, in a few words
	Open     bool
	Channels []row // of levels: red, green, blue
	Curves   bool
	Knots    int // how many points a curve can have
	Levels   bool
	Rows     []row
	Groups   []group
	Join     row
	Power    row
	InArea   areaLine
	Swatch   []string // of a ramp, as #rrggbb
	// IsPicture tells whether it lays a picture, and PictureName which, empty for none yet.
	IsPicture   bool
	PictureName string
}

// group is the rows of a struct in a struct.
type group struct {
	Title string
	Rows  []row
}

// Passes lists the passes of the open step.
func (p *page) Passes() []passLine {
	list := p.R.Passes(p.Step)
	if list == nil {
		return nil
	}
	var out []passLine
	for i := range *list {
		k := &(*list)[i]
		l := passLine{Index: i, Path: p.Path(fmt.Sprintf("/%s/passes/%d", p.Step, i)), Pass: k,
			Open: k.ID == p.Pass && k.ID != ""}
		word := setting.Word(k.Does)
		for _, kind := range pass.Kinds {
			if kind.Word == word {
				l.Kind = kind.Label
			}
		}
		l.Brief = p.brief(k, l.Kind)
		if l.Open {
			_, l.Curves = k.Does.(pass.Curves)
			l.Knots = setting.Of[pass.Curves]("all").Count[1]
			_, l.Levels = k.Does.(pass.Levels)
			l.Rows, l.Groups = p.Rows(l.Path+"/does"), p.Groups(l.Path+"/does")
			if l.Levels {
				first := slices.IndexFunc(l.Rows, func(r row) bool { return r.Name == "red" })
				l.Rows, l.Channels = l.Rows[:first], l.Rows[first:]
			}
			l.Join, l.Power = p.Row(l.Path+"/joining"), p.Row(l.Path+"/strength")
			l.InArea = p.AreaLine(l.Path+"/area", "Everywhere", k.Name)
			if r, ok := k.Does.(pass.Picture); ok {
				l.IsPicture, l.PictureName = true, r.Of
				if r.Sum != "" && r.Of == "" {
					l.PictureName = "Picture"
				}
			}
			if r, ok := k.Does.(pass.Ramp); ok {
				l.Swatch = p.swatches(r)
			}
		}
		out = append(out, l)
	}
	return out
}

// brief says what a pass holds: "Curve: all, blue · in Sky".
func (p *page) brief(k *pass.Pass, kind string) string {
	parts := []string{}
	if !strings.EqualFold(kind, k.Name) {
		parts = append(parts, kind)
	}
	if c, ok := k.Does.(pass.Curves); ok {
		var names []string
		for _, x := range []struct {
			name string
			k    []pass.Knot
		}{{"all", c.All}, {"red", c.Red}, {"green", c.Green}, {"blue", c.Blue}} {
			if len(x.k) > 0 {
				names = append(names, x.name)
			}
		}
		if len(names) > 0 {
			parts = append(parts, strings.Join(names, ", "))
		}
	}
	if k.Strength != 1 {
		parts = append(parts, fmt.Sprintf("%.0f %%", 100*k.Strength))
	}
	if a := p.R.Area(k.Area); a != nil {
		where := "in "
		switch kind, _ := k.Area.Of(); {
		case k.Outside:
			where = "outside "
		case kind == area.OfBehind:
			where = "" // "behind Kite" says where
		}
		parts = append(parts, where+a.Name)
	}
	return strings.Join(parts, " · ")
}

func (p *page) swatches(r pass.Ramp) (out []string) {
	var gel *pass.Gel
	if l := p.R.LightOf(area.LightRef(r.Follow)); l != nil && r.Follow != "" {
		gel = &pass.Gel{Hue: l.Gel.Hue, Saturation: l.Gel.Saturation}
	}
	for _, s := range []pass.Swatch{r.Shadows, r.Middle, r.Highlights} {
		out = append(out, s.Colour(gel).Hex())
	}
	return out
}

// Groups are the settings of the structs in the struct at a path of the recipe.
func (p *page) Groups(path string) (out []group) {
	_, at, ok := setting.At(*p.R, path)
	if !ok {
		return nil
	}
	for _, s := range setting.Fields(reflect.TypeOf(at)) {
		if s.Own || s.Title == "" {
			continue
		}
		if r := p.Rows(path + "/" + s.Name); len(r) > 0 {
			out = append(out, group{s.Title, r})
		}
	}
	return out
}

// PassKinds lists what a new pass can change.
func (p *page) PassKinds() []setting.Kind { return pass.Kinds }

// Starts lists the ready-made starts of the open step.
func (p *page) Starts() (out []edit.Start) {
	for _, s := range edit.Starts {
		if s.Step == p.Step {
			out = append(out, s)
		}
	}
	return out
}

// areaLine says which area something works in, and lets another be chosen.
type areaLine struct {
	Path    string // of the reference in the recipe
	None    string // what no area means
	For     string // a name for a new area
	ID      area.Ref
	Name    string
	Own     bool // it can be opened
	Areas   []setting.Choice
	Outside row
}

// AreaLine is the line for a reference to an area at a path.
func (p *page) AreaLine(path, none, name string) areaLine {
	_, v, _ := setting.At(*p.R, path)
	l := areaLine{Path: p.Path(path), None: none, For: name}
	for i := range p.R.Areas {
		l.Areas = append(l.Areas, setting.Choice{Value: p.R.Areas[i].ID, Label: p.R.Areas[i].Name})
	}
	l.Areas = append(l.Areas, standing(p.R)...)
	l.ID, _ = v.(area.Ref)
	kind, _ := l.ID.Of()
	l.Own = kind == ""
	if a := p.R.Area(l.ID); a != nil {
		l.Name = a.Name
	}
	l.Outside = p.Row(strings.TrimSuffix(path, "area") + "outside")
	return l
}

// used is an area with what uses it.
type used struct {
	area.Area
	Index int
	By    string
	Parts string
}

// Areas lists the areas of the shot.
func (p *page) Areas() (out []used) {
	for i, a := range p.R.Areas {
		by := "unused"
		if n := len(p.R.Users(area.Ref(a.ID))); n > 0 {
			by = plural(n, "use", "uses")
		}
		out = append(out, used{a, i, by, plural(len(a.Parts), "part", "parts")})
	}
	return out
}

// partLine is a part of the open area.
type partLine struct {
	Index   int
	ID      string
	Path    string
	On      bool
	Kind    string // word
	Name    string
	Open    bool
	Does    row
	Invert  row
	Rows    []row
	Tone    bool
	Hue     bool
	Strokes []strokeLine
}

// strokeLine is a stroke of the open part.
type strokeLine struct {
	Index int
	ID    string
	Path  string
	Name  string
	Open  bool
	Rows  []row
}

// editing is an area that is open on the bench.
type editing struct {
	*area.Area
	Index int
	Path  string
	Back  string // where one goes back to
	Parts []partLine
}

// Editing returns the area that is open on the bench, nil where none is.
func (p *page) Editing() *editing {
	i := slices.IndexFunc(p.R.Areas, func(a area.Area) bool { return a.ID == string(p.Area) })
	if p.Area == "" || i < 0 || p.R.Passes(p.Step) == nil && p.Step != traceStep.ID &&
		p.Step != spillStep.ID && p.Step != glowStep.ID {
		return nil
	}
	a := &p.R.Areas[i]
	e := &editing{Area: a, Index: i, Path: p.Path(fmt.Sprintf("/areas/%d", i)),
		Back: stepOf(p.Step).Name}
	for j := range a.Parts {
		q := &a.Parts[j]
		l := partLine{
			Index: j,
			ID:    q.ID,
			Path:  p.Path(fmt.Sprintf("%s/parts/%d", e.Path, j)),
			On:    q.On,
			Kind:  setting.Word(q.Of),
			Open:  q.ID == p.Part && q.ID != "",
		}
		l.Name = p.partName(q)
		l.Does, l.Invert = p.Row(l.Path+"/does"), p.Row(l.Path+"/inverted")
		if l.Open {
			at := l.Path + "/of"
			soft := true
			switch s := q.Of.(type) {
			case area.Shape:
				l.Rows = p.Rows(at + "/shape")
			case area.Strokes:
				l.Strokes = p.strokeLines(at, s)
			case area.Light:
				l.Rows = p.Rows(at)
				if s.What == area.Covers {
					l.Rows = slices.DeleteFunc(l.Rows, func(r row) bool { return r.Name == "gain" })
				} else {
					soft = false
				}
			default:
				l.Rows = p.Rows(at)
				_, l.Tone = s.(area.ToneWindow)
				_, l.Hue = s.(area.Hue)
			}
			l.Rows = append(l.Rows, p.Row(l.Path+"/amount"))
			if soft {
				l.Rows = append(l.Rows, p.Row(l.Path+"/feather"))
			}
		}
		e.Parts = append(e.Parts, l)
	}
	return e
}

func (p *page) partName(q *area.Part) string {
	name := ""
	for _, k := range area.Kinds {
		if k.Word == setting.Word(q.Of) {
			name = k.Label
		}
	}
	switch s := q.Of.(type) {
	case area.Shape:
		name = kindLabel(setting.Word(s.Shape))
	case area.Strokes:
		name = plural(len(s.Strokes), "stroke", "strokes")
	case area.Light:
		name = "All lights"
		if l := p.R.LightOf(s.Light); l != nil && s.Light != "" {
			name = l.Name
		}
		for _, c := range s.What.Choices() {
			if c.Value == string(s.What) {
				name += ": " + strings.ToLower(c.Label)
			}
		}
	case area.Other:
		if a := p.R.Area(s.Area); a != nil {
			name = "Area " + a.Name
		}
	case area.CutOut:
		name = "All cut-outs"
		if c := p.R.CutOut(s.Of); c != nil {
			name = "Cut-out " + c.Name
		}
	case area.ToneWindow:
		name = fmt.Sprintf("Tone %.0f to %.0f %%", 100*s.Low, 100*s.High)
	case area.Hue:
		name = fmt.Sprintf("Hue %.0f° ± %.0f°", s.Hue, s.Width/2)
	}
	return name
}

func (p *page) strokeLines(at string, s area.Strokes) (out []strokeLine) {
	for i, k := range s.Strokes {
		l := strokeLine{Index: i, ID: k.ID, Path: p.Path(fmt.Sprintf("%s/strokes/%d", at, i)),
			Open: k.ID == p.Stroke && k.ID != ""}
		l.Name = fmt.Sprintf("Stroke %d", i+1)
		if k.Erase {
			l.Name += ", erases"
		}
		l.Name += fmt.Sprintf(", %.0f px", k.Diameter)
		if l.Open {
			l.Rows = p.Rows(l.Path)
		}
		out = append(out, l)
	}
	return out
}

// Brush is the rows of the brush: those of a stroke that is not painted yet, which the
// page keeps by itself.
func (p *page) Brush() []row { return localRows(p, setting.New[area.Stroke](p.frame()), "", "erase") }

// Kept lists how far each light is kept out of dusk, by name.
func (p *page) Kept() (out []row) {
	for i := range p.R.Lights {
		r := p.Row(fmt.Sprintf("/lights/%d/keep", i))
		s := *r.Setting
		s.Label = p.R.Lights[i].Name
		r.Setting = &s
		out = append(out, r)
	}
	return out
}

// hueArc is one piece of the wheel of hues.
type hueArc struct{ D, Hex string }

// Wheel is the ring of hues of OKLCh, as SVG.
func (p *page) Wheel() (out []hueArc) {
	const n = 60
	for i := range n {
		c := colour.OKLCh(0.7, 0.13, float64(i)*360/n)
		out = append(out, hueArc{arcPath(50, 50, 38, 48, float64(i)*360/n-3.4,
			float64(i)*360/n+3.4), c.Hex()})
	}
	return out
}

// arcPath is a piece of a ring between two angles in degrees, which go clockwise from the
// right.
func arcPath(x, y, inner, outer, from, to float64) string {
	at := func(r, deg float64) string {
		sin, cos := math.Sincos(deg * math.Pi / 180)
		return fmt.Sprintf("%.2f %.2f", x+r*cos, y+r*sin)
	}
	return fmt.Sprintf("M%s A%g %g 0 0 1 %s L%s A%g %g 0 0 0 %sZ", at(outer, from), outer, outer,
		at(outer, to), at(inner, to), inner, inner, at(inner, from))
}

// ref offers what a reference to a light or an area can name.
func ref(r *recipe.Recipe, v any) ([]setting.Choice, bool) {
	var out []setting.Choice
	switch v.(type) {
	case area.LightRef, pass.Follow:
		out = append(out, setting.Choice{Value: "", Label: "All lights"})
		if _, ok := v.(pass.Follow); ok {
			out[0].Label = "Own colours"
		}
		for i := range r.Lights {
			out = append(out, setting.Choice{Value: r.Lights[i].ID, Label: r.Lights[i].Name})
		}
	case area.Ref:
		for i := range r.Areas {
			out = append(out, setting.Choice{Value: r.Areas[i].ID, Label: r.Areas[i].Name})
		}
		out = append(out, standing(r)...)
	case cutout.Ref:
		out = append(out, setting.Choice{Value: "", Label: "All cut-outs"})
		for i := range r.CutOuts {
			out = append(out, setting.Choice{Value: r.CutOuts[i].ID, Label: r.CutOuts[i].Name})
		}
	case area.SurfaceRef:
		out = surfaces(r)
	case recipe.PlatformRef:
		out = append(out, setting.Choice{Value: "", Label: "Floor"})
		for _, k := range r.Room.Platforms {
			out = append(out, setting.Choice{Value: k.ID, Label: k.Name})
		}
	case recipe.Stand:
		out = append(out, setting.Choice{Value: "", Label: "Floor"})
		add := func(kind, id, name string) {
			out = append(out, setting.Choice{Value: string(recipe.StandOn(kind, id)), Label: name})
		}
		for _, w := range r.Room.Walls {
			add(recipe.OnWall, w.ID, w.Name)
		}
		for _, p := range r.Room.Platforms {
			add(recipe.OnPlatform, p.ID, p.Name)
		}
		for _, t := range r.Room.Things {
			if c := r.CutOut(t.Of); c != nil {
				add(recipe.OnThing, t.ID, "Front of "+c.Name)
			}
		}
	default:
		return nil, false
	}
	return out, true
}
