package render

import (
	"context"
	"image"
	"math"

	"pyrant/internal/base/colour"
	"pyrant/internal/recipe"
)

const (
	gainEdge  = 320  // long edge of the pictures that a room's gain is measured on
	gainError = 0.01 // how far the means may differ
	gainSteps = 6    // at most: the mean grows with the gain, more slowly where it saturates
)

// RoomGain returns the gain for the room of q's recipe that gives all spill the same mean over the
// photo as another recipe, rounded to three digits. A room that is set up then changes where spill
// falls and not its total. The gain is 1 where one of the two recipes has no spill.
//
// The mean is that of linear light in the picture, as film saturates. LongEdge, View and Layer of q
// are not used.
func (e *Engine) RoomGain(ctx context.Context, q Request, before *recipe.Recipe) (float64, error) {
	want, err := e.meanSpill(ctx, q, before)
	if err != nil || want <= 0 {
		return 1, err
	}
	r := *q.Recipe
	gain := 1.0
	for range gainSteps {
		r.Room.Gain = gain
		has, err := e.meanSpill(ctx, q, &r)
		if err != nil || has <= 0 {
			return 1, err
		}
		gain *= want / has
		if math.Abs(want/has-1) < gainError {
			break
		}
	}
	to := math.Pow(10, 2-math.Floor(math.Log10(gain)))
	return min(max(math.Round(gain*to)/to, recipe.MinRoomGain), recipe.MaxRoomGain), nil
}

// meanSpill returns the mean of the spill layer over the photo, in linear light.
func (e *Engine) meanSpill(ctx context.Context, q Request, r *recipe.Recipe) (float64, error) {
	q.Recipe, q.Layer, q.Uncropped, q.Rough = r, Spill, true, nil
	q.Deep, q.Profile = true, colour.SRGB
	q.LongEdge, q.View = min(gainEdge, max(q.Photo.Width, q.Photo.Height)), image.Rectangle{}
	m, err := e.Render(ctx, q)
	if err != nil {
		return 0, err
	}
	pix, sum := m.(*image.RGBA64).Pix, 0.0
	for at := 0; at < len(pix); at += 8 {
		c := func(i int) float32 {
			return float32(colour.SRGBToLinear(
				float64(uint16(pix[at+2*i])<<8|uint16(pix[at+2*i+1])) / 65535))
		}
		sum += float64(colour.Luma(c(0), c(1), c(2)))
	}
	return sum / float64(len(pix)/8), nil
}
