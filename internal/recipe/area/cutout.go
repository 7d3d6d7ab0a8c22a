package area

import (
	"pyrant/internal/recipe/cutout"
)

// CutOut covers what a cut-out does.
type CutOut struct {
	Of cutout.Ref `json:"of" label:"Cut-out" default:"" doc:"id of the cut-out; empty for all"`
}
