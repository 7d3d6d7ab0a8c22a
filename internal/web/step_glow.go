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
	Share                  int    // of the strongest in the stack, or of 1 where none is stronger, in per cent
	Hex                    string // of its tint
	More                   []row
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
		s := shellLine{Index: j, Path: at, Radius: p.Row(at + "/radius"), Strength: p.Row(at + "/strength"), Join: p.Row(at + "/join"),
			Hex: l.Shells[j].Tint.Colour(l.Gel).Hex(), More: append(p.Rows(at+"/tint"), p.Rows(at)...)}
		s.Share = int(100*l.Shells[j].Strength/strongest + 0.5)
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
