package web

import (
	"fmt"
	"slices"

	"pyrant/internal/recipe"
)

var spillStep = &step{ID: "spill", Name: "Spill",
	Filled: anyLight(func(l *recipe.Light) bool { return l.Spill.Strength > 0 })}

// SpillRows are the settings of the chosen light's spill: in a room neither reach nor height do
// anything.
func (p *page) SpillRows() []row {
	out := p.Rows(p.At("spill"))
	if p.R.Room.On {
		out = slices.DeleteFunc(
			out,
			func(r row) bool { return r.Name == "reach" || r.Name == "height" },
		)
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

// DaylightRows are red and blue of the daylight that spill takes out of the photo's colours.
func (p *page) DaylightRows() []row {
	return []row{p.Row("/spill/red"), p.Row("/spill/blue")}
}

// DaylightBrief says what they are.
func (p *page) DaylightBrief() string {
	s := p.R.Spill
	if s.Red == 0 && s.Blue == 0 {
		return "neutral"
	}
	return fmt.Sprintf("red %+.2f, blue %+.2f stops", s.Red, s.Blue)
}

// RampRows are the tints of the ramp's ends.
func (p *page) RampRows() []group {
	return []group{
		{"In shadows", p.Rows(p.At("spill/ramp/dark"))},
		{"In highlights", p.Rows(p.At("spill/ramp/bright"))},
	}
}

// RampBrief says where spill has another colour than the gel.
func (p *page) RampBrief() string {
	r := p.L().Spill.Ramp
	dark, bright := r.Dark != recipe.Tint{}, r.Bright != recipe.Tint{}
	switch {
	case dark && bright:
		return "shadows, highlights"
	case dark:
		return "shadows"
	case bright:
		return "highlights"
	}
	return "gel only"
}
