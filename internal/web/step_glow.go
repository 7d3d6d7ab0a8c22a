package web

import (
	"fmt"

	"pyrant/internal/recipe"
	"pyrant/internal/setting"
)

var glowStep = &step{ID: "glow", Name: "Glow", Filled: anyLight(func(l *recipe.Light) bool { return len(l.Shells) > 0 })}

// shellLine is a shell as the table shows it.
type shellLine struct {
	Index                  int
	Path                   string
	Radius, Strength, Join row
	Share                  int    // of the strongest possible, in per cent
	Hex                    string // of its tint
	More                   []row
}

// ShellLines lists the shells of the chosen light.
func (p *page) ShellLines() []shellLine {
	l := p.L()
	var out []shellLine
	for j := range l.Shells {
		at := p.At(fmt.Sprintf("shells/%d", j))
		s := shellLine{Index: j, Path: at, Radius: p.Row(at + "/radius"), Strength: p.Row(at + "/strength"), Join: p.Row(at + "/join"),
			Hex: l.Shells[j].Tint.Colour(l.Gel).Hex(), More: append(p.Rows(at+"/tint"), p.Rows(at)...)}
		s.Share = s.Strength.Pos() / 10
		out = append(out, s)
	}
	return out
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
