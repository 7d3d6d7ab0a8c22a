package area

import (
	"context"
	"image"

	"pyrant/internal/base/coverage"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// Shape covers a traced shape, of the kinds that lights use.
type Shape struct {
	Shape shape.Shape `json:"shape" label:"Shape" title:"*"`
}

func (s Shape) prepare(ctx context.Context, w World, feather float64,
	r image.Rectangle) (Rows, error) {
	key := setting.Key(s)
	m, err := w.Mask(ctx, key, func() coverage.Mask { return shape.Shapes{s.Shape}.At(w.Scale()) })
	if err != nil || feather <= 0 {
		return m, err
	}
	return w.Soften(ctx, key, m, feather, r)
}
