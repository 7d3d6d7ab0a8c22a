package area

import (
	"context"
	"image"

	"pyrant/internal/recipe/cutout"
)

// CutOut covers what a cut-out does.
type CutOut struct {
	Of cutout.Ref `json:"of" label:"Cut-out" default:"" doc:"id of the cut-out; left empty, all of them"`
}

func (c CutOut) prepare(ctx context.Context, w World, feather float64,
	r image.Rectangle) (Rows, error) {
	return w.CutOut(ctx, c.Of, feather, r)
}
