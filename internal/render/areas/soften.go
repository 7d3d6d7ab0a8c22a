package areas

import (
	"context"
	"image"
	"sync"

	"pyrant/internal/base/graph"
	"pyrant/internal/light/glow"
)

// Soften returns a mask blurred by a deviation in pixels of the picture, for the rows of r.
func Soften(ctx context.Context, g *graph.Graph, of MaskRef, sigma float64,
	frame, r image.Rectangle) (Rows, error) {
	t, err := glow.Blurred(ctx, g, of, sigma, frame, r, 1)
	if err != nil {
		return nil, err
	}
	sum, err := glow.Collapse(ctx, []glow.Term{t}, 1, r)
	return sumRows{sum}, err
}

var rowPool = sync.Pool{New: func() any { return new([]float32) }}

// sumRows is a sum as coverage.
type sumRows struct{ sum *glow.Sum }

func (s sumRows) Fill(dst []float32, x0, y int) {
	tmp := rowPool.Get().(*[]float32)
	*tmp = s.sum.Row(dst, x0, y, *tmp)
	rowPool.Put(tmp)
}
