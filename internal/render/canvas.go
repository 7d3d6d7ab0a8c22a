package render

import (
	"context"
	"image"

	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/glow"
)

// canvas is the picture that is computed, and the graph that computes it.
type canvas struct {
	graph   *graph.Graph
	picture picture
}

// isWhole reports whether the picture has the size of the photo: rows come straight from that.
func (cv *canvas) isWhole() bool { return cv.picture.Scale == 1 }

// base returns a part of the photo at the picture's scale; nil where rows come from the photo
// itself.
func (cv *canvas) base(ctx context.Context, part image.Rectangle) (*raster.RGB, error) {
	return baseOf(ctx, cv.graph, cv.picture, part)
}

// baseOf returns a part of a photo at the scale of a picture; nil at 1.
func baseOf(ctx context.Context, g *graph.Graph, in picture,
	part image.Rectangle) (*raster.RGB, error) {
	if in.Scale == 1 {
		return nil, nil
	}
	return graph.Get(ctx, g, photo.Scaled{Photo: in.Photo, Scale: in.Scale, Part: part})
}

// term is a blurred mask, weighted.
type term struct {
	mask   maskRef
	sigma  float64 // deviation in pixels of the picture
	weight []float32
}

// field returns the blurred mask over a part of the picture.
func (cv *canvas) field(ctx context.Context, t *term, part image.Rectangle) (glow.Term, error) {
	return glow.Blurred(ctx, cv.graph, t.mask, t.sigma, cv.picture.Frame, part, t.weight...)
}

// sumOf returns one blurred mask over a part of the picture.
func (cv *canvas) sumOf(ctx context.Context, t *term, part image.Rectangle) (*glow.Sum, error) {
	f, err := cv.field(ctx, t, part)
	if err != nil {
		return nil, err
	}
	return glow.Collapse(ctx, []glow.Term{f}, 1, part)
}
