// Package pass holds the steps of Dusk and Finish: what one changes, in which area, how
// strongly, and how it joins what was there.
//
// A list of passes is compiled to a Program, which works on rows of linear light.
// Passes that are matrices over linear light, or tables over display values, are fused
// with those before them where no area stands between. A pass at its defaults is left
// out, so that it leaves every pixel as it is, bit for bit.
package pass

import (
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/setting"
)

// Pass is one step of Dusk or Finish.
type Pass struct {
	ID       string   `json:"id,omitzero" row:"own" key:"-" count:"0..64" doc:"unique in its list, never shown"`
	Name     string   `json:"name" label:"Name" count:"1..80"`
	On       bool     `json:"on" label:"On" default:"true" row:"own"`
	Strength float64  `json:"strength" label:"Amount" unit:"%" range:"0..1" default:"1" step:"0.01" row:"own" doc:"how far the pass is applied"`
	Joining  Joining  `json:"joining" label:"Blend mode" default:"normal" row:"own"`
	Area     area.Ref `json:"area" label:"Area" default:"" row:"own" doc:"id of the area; empty for everywhere"`
	Outside  bool     `json:"outside,omitzero" label:"Outside" row:"own" doc:"works outside the area"`
	Does     Kind     `json:"does" label:"Effect" title:"*"`
}

// Joining is how a pass joins the picture before it: in linear light where it is
// normal, else by a blend mode of W3C Compositing and Blending on display values.
type Joining string

// The ways of joining.
const (
	Normal    Joining = "normal"
	Multiply  Joining = "multiply"
	Screen    Joining = "screen"
	Overlay   Joining = "overlay"
	SoftLight Joining = "soft-light"
)

// Choices returns the ways of joining.
func (Joining) Choices() []setting.Choice {
	return []setting.Choice{{Value: string(Normal), Label: "Normal"}, {Value: string(Multiply),
		Label: "Multiply"}, {Value: string(Screen), Label: "Screen"},
		{Value: string(Overlay), Label: "Overlay"}, {Value: string(SoftLight), Label: "Soft light"}}
}

// Kind is what a pass changes.
type Kind interface {
	// ops returns the operations of the pass in their order, none at its defaults.
	ops(c *compiler) ([]op, error)
}

// Kinds lists the kinds of pass.
var Kinds = setting.Register[Kind](
	setting.Kind{Word: "levels", Label: "Levels", Zero: Levels{}},
	setting.Kind{Word: "shade", Label: "Shadows and highlights", Zero: Shade{}},
	setting.Kind{Word: "colour", Label: "Colour", Zero: Colour{}},
	setting.Kind{Word: "curves", Label: "Curves", Zero: Curves{}},
	setting.Kind{Word: "ramp", Label: "Colour ramp", Zero: Ramp{}},
	setting.Kind{Word: "balance", Label: "Balance", Zero: Balance{}},
	setting.Kind{Word: "picture", Label: "Picture", Zero: Picture{}},
)

// New returns a pass of a kind at its defaults, named after it; false where there is no
// such kind.
func New(word string, f setting.Frame) (Pass, bool) {
	p := setting.New[Pass](f)
	for _, k := range Kinds {
		if k.Word == word {
			p.Name, p.Does = k.Label, setting.NewOf(k.Zero, f).(Kind)
			return p, true
		}
	}
	return p, false
}
