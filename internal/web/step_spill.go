package web

import (
	"fmt"
	"slices"

	"pyrant/internal/recipe"
)

var spillStep = &step{ID: "spill", Name: "Spill", Filled: anyLight(func(l *recipe.Light) bool { return l.Spill.Strength > 0 })}

// SpillRows are the settings of the chosen light's spill: in a room nothing ends its reach.
func (p *page) SpillRows() []row {
	out := p.Rows(p.At("spill"))
	if p.R.Room.On {
		out = slices.DeleteFunc(out, func(r row) bool { return r.Name == "reach" })
	}
	return out
}

// ToneBrief says what the tone window lets through.
func (p *page) ToneBrief() string {
	t := p.L().Spill.Tone
	if t.Whole() {
		return "all"
	}
	return fmt.Sprintf("%.0f to %.0f %%", 100*t.Low, 100*t.High)
}
