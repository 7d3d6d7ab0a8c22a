package area

import (
	"context"
	"image"

	"pyrant/internal/base/raster"
)

// Other covers what another area covers.
type Other struct {
	Area Ref `json:"area" label:"Area" doc:"id of the area"`
}

func (o Other) prepare(ctx context.Context, w World, feather float64,
	r image.Rectangle) (Rows, error) {
	a := w.Area(o.Area)
	if feather <= 0 {
		p, err := a.Plane(ctx, w, r)
		return plane{p}, err
	}
	// What is blurred reads beyond r, so all of the area is needed.
	p, err := w.Whole(ctx, "area "+a.Key(w),
		func(ctx context.Context, part image.Rectangle) (*raster.Plane, error) {
			return a.Plane(ctx, w, part)
		})
	if err != nil {
		return nil, err
	}
	return soften(ctx, w, a.Key(w), rule{w.Frame(), p.Fill}, feather, r)
}
