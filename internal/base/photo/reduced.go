package photo

import (
	"context"
	"image"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/raster"
)

// Reduced returns the photo reduced by a whole number along both axes as display values: of the
// mean, over step by step pixels, of what value makes of their linear red, green and blue. What is
// left over at the far ends is left out.
func (p *Photo) Reduced(ctx context.Context, step int,
	value func(r, g, b float32) float32) (*raster.Plane, error) {
	out := raster.NewPlane(image.Rect(0, 0, p.Width/step, p.Height/step))
	err := raster.Rows(ctx, 0, out.Rect.Max.Y, func(y0, y1 int) {
		row := make([]float32, 3*p.Width)
		for y := y0; y < y1 && ctx.Err() == nil; y++ {
			to := out.Row(y)
			for j := range step {
				p.Linear(row, 0, y*step+j, p.Width)
				for i := range len(to) * step {
					to[i/step] += value(row[3*i], row[3*i+1], row[3*i+2])
				}
			}
			for i, v := range to {
				to[i] = colour.Display.At(v / float32(step*step))
			}
		}
	})
	return out, err
}
