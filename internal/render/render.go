// Package render turns a photo and a recipe into a picture.
//
// There is one path to the picture: previews, exports and the command line all
// call Engine.Render or Export, which compute any part of the picture at any
// scale. The picture comes about in stages, whose order is fixed by how light
// works, not by the user; stages.go lists them, and each has a file of its own.
//
// What is costly and does not depend on the whole recipe (masks, pyramids,
// blurred shells, irradiance, the scaled photo) is kept in a cache by the key
// of what it depends on, so that a fader or a gel blurs nothing anew. What is
// left is one way over the rows of the picture.
package render

import (
	"context"
	"image"
	"sync"
	"sync/atomic"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe"
)

// Engine renders, with a cache that all who use it share. It may be used by
// several goroutines.
type Engine struct {
	Cache *graph.Graph
	// Pictures returns the pictures that recipes name beside their photos, by the SHA-256 of their
	// bytes. Where it is nil, or returns nil, they are left out.
	Pictures func(ctx context.Context, sum string) (*photo.Photo, error)
}

// New returns an engine whose cache holds about so many bytes.
func New(cacheBytes int64) *Engine { return &Engine{Cache: graph.New(cacheBytes)} }

// Request says what to render.
type Request struct {
	Photo    *photo.Photo
	PhotoKey string // names the photo's bytes, such as their SHA-256
	Recipe   *recipe.Recipe

	// LongEdge is the long edge in pixels of the whole picture, which sets the
	// scale; 0 is the photo's own.
	LongEdge int
	// View is the part to render, in pixels of the picture of that scale; the
	// empty rectangle is all of it.
	View image.Rectangle
	// Uncropped asks for all of the photo, turned and cut as it is and not as the recipe's crop has
	// it.
	Uncropped bool
	// Layer chooses what of the picture to render; "" is all of it.
	Layer Layer
	// Deep asks for samples of 16 bits.
	Deep bool
	// Profile is what the result is encoded for; nil is the photo's own.
	Profile *colour.Profile
	// Rough, if set, lets the light of a room be worked out less finely where it is not ready, and
	// a small picture be exposed once for each pixel, for a frame while something moves, and is
	// told whether it was.
	Rough *atomic.Bool
	// pictures is the engine's.
	pictures func(ctx context.Context, sum string) (*photo.Photo, error)
}

// Size returns the size of the whole picture with the given long edge (0 for the photo's own) and
// its scale in pixels for each pixel of the photo.
func Size(width, height, longEdge int) (w, h int, scale float64) {
	return photo.Size(width, height, longEdge)
}

// Render computes the asked part and returns it as an *image.RGBA or, where
// Deep is set, an *image.RGBA64, with the origin at the view's corner. It stops
// within some milliseconds when ctx is done and returns its error then; a view
// that cannot be is a *fault.Error.
func (e *Engine) Render(ctx context.Context, q Request) (img image.Image, err error) {
	defer fault.Catch(&err)
	q.pictures = e.Pictures
	return q.frame(ctx, func(q Request) (image.Image, error) {
		if q.isSupersampled() {
			return supersample(ctx, e.Cache, q)
		}
		p, err := newPlan(ctx, e.Cache, &q)
		if err != nil {
			return nil, err
		}
		to := newEncoder(p, q.Deep)
		return to.out, p.strip(ctx, p.view, to)
	})
}

// stripRows is how many rows an export computes at a time. It bounds memory and
// sets how fine its progress is.
const stripRows = 256

// exportBytes is how much of what its strips share an export keeps.
const exportBytes = 512 << 20

// Export renders like Render, but in strips, so that only a part of the float
// working values is in memory at any time; progress is called with the share
// that is done, from 0 to 1. It leaves nothing in the engine's cache.
func (e *Engine) Export(ctx context.Context, q Request,
	progress func(float64)) (img image.Image, err error) {
	defer fault.Catch(&err)
	q.pictures = e.Pictures
	return q.frame(ctx, func(q Request) (image.Image, error) { return e.strips(ctx, q, progress) })
}

// strips renders a part of the photo in strips.
func (e *Engine) strips(ctx context.Context, q Request,
	progress func(float64)) (image.Image, error) {
	if q.isSupersampled() {
		img, err := supersample(ctx, e.Cache.Child(exportBytes), q)
		if err == nil && progress != nil {
			progress(1)
		}
		return img, err
	}
	g := e.Cache.Child(exportBytes)
	p, err := newPlan(ctx, g, &q)
	if err != nil {
		return nil, err
	}
	to := newEncoder(p, q.Deep)
	for y := p.view.Min.Y; y < p.view.Max.Y; y += stripRows {
		r := p.view
		r.Min.Y, r.Max.Y = y, min(y+stripRows, p.view.Max.Y)
		if err := p.strip(ctx, r, to); err != nil {
			return nil, err
		}
		g.Sweep()
		g.Each(func(v graph.Sized) {
			if m, ok := v.(interface{ Drop(int) }); ok {
				m.Drop(y) // an export does not come back up
			}
		})
		if progress != nil {
			progress(float64(r.Max.Y-p.view.Min.Y) / float64(p.view.Dy()))
		}
	}
	return to.out, nil
}

func newImage(deep bool, r image.Rectangle) image.Image {
	if deep {
		return image.NewRGBA64(r)
	}
	return image.NewRGBA(r)
}

// collect asks the stages for what the rows of one part need.
func (p *plan) collect(ctx context.Context, part image.Rectangle) (rows []rower, err error) {
	for _, s := range p.stages {
		r, err := s.collect(ctx, part)
		if err != nil {
			return nil, err
		}
		if r != nil {
			rows = append(rows, r)
		}
	}
	return rows, nil
}

// sink takes finished rows: the pixels from x0 to x1 of row y. It is used by several goroutines.
type sink interface {
	put(s *scratch, x0, x1, y int)
}

// strip computes one part of the picture, row by row.
func (p *plan) strip(ctx context.Context, part image.Rectangle, to sink) error {
	rows, err := p.collect(ctx, part)
	if err != nil {
		return err
	}
	defer func() {
		for _, r := range rows {
			if r, ok := r.(interface{ done() }); ok {
				r.done()
			}
		}
	}()
	pool := sync.Pool{New: func() any { return newScratch(part.Dx()) }}
	return raster.Rows(ctx, part.Min.Y, part.Max.Y, func(y0, y1 int) {
		s := pool.Get().(*scratch)
		defer pool.Put(s)
		// A row of many blended shells takes tens of milliseconds: who gives up does not wait for a
		// band of them.
		for y := y0; y < y1 && ctx.Err() == nil; y++ {
			for _, r := range rows {
				r.row(s, part.Min.X, part.Max.X, y)
			}
			to.put(s, part.Min.X, part.Max.X, y)
		}
	})
}
