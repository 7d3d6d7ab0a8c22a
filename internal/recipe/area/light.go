package area

import (
	"pyrant/internal/recipe/setting"
)

// Light covers where a light is, or where what it gives arrives.
type Light struct {
	Light LightRef `json:"light" label:"Light" default:"" doc:"id of the light; empty for all"`
	What  What     `json:"what" label:"Part" default:"covers"`
	Gain  float64  `json:"gain" label:"Gain" unit:"stops" range:"-8..8" slider:"-4..4" default:"0" step:"0.1" doc:"how soon glow or spill counts as full coverage"`
}

// What is which part of a light an area takes.
type What string

// The parts of a light.
const (
	Covers What = "covers"
	Glow   What = "glow"
	Spill  What = "spill"
)

// Choices returns the parts of a light.
func (What) Choices() []setting.Choice {
	return []setting.Choice{{Value: string(Covers), Label: "Shapes"}, {Value: string(Glow),
		Label: "Glow"}, {Value: string(Spill), Label: "Spill"}}
}
