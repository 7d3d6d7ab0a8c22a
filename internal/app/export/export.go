// Package export makes the file of a picture: it renders a shot at the asked size
// and encodes it with the photo's colour profile and EXIF. The application and the
// command line call it with the same settings.
package export

import (
	"context"
	"io"

	"pyrant/internal/base/codec"
	"pyrant/internal/base/photo"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/render"
)

// Format is a file format and its depth.
type Format string

// The formats.
const (
	JPEG   Format = "jpeg"
	PNG    Format = "png"
	PNG16  Format = "png16"
	TIFF   Format = "tiff"
	TIFF16 Format = "tiff16"
)

// Formats lists the formats in the order in which they are offered.
var Formats = []setting.Choice{
	{Value: string(JPEG), Label: "JPEG"}, {Value: string(PNG), Label: "PNG"}, {Value: string(PNG16),
		Label: "PNG, 16 bit"},
	{Value: string(TIFF), Label: "TIFF"}, {Value: string(TIFF16), Label: "TIFF, 16 bit"},
}

// Choices returns the formats.
func (Format) Choices() []setting.Choice { return Formats }

// Deep tells whether samples have 16 bits.
func (f Format) Deep() bool { return f == PNG16 || f == TIFF16 }

// Codec returns the format's name without its depth: jpeg, png or tiff.
func (f Format) Codec() string {
	switch f {
	case PNG16:
		return "png"
	case TIFF16:
		return "tiff"
	}
	return string(f)
}

// Ending returns the ending of a file of the format.
func (f Format) Ending() string {
	return map[string]string{"jpeg": ".jpg", "png": ".png", "tiff": ".tif"}[f.Codec()]
}

// Size says whether a picture keeps the photo's size.
type Size string

// The sizes.
const (
	Full Size = "full"
	Edge Size = "edge" // with a long edge of its own
)

// Choices returns the sizes.
func (Size) Choices() []setting.Choice {
	return []setting.Choice{{Value: string(Full), Label: "Full size"}, {Value: string(Edge), Label: "Long edge"}}
}

// Settings say how a picture is written.
type Settings struct {
	Format  Format `json:"format" label:"Format" default:"jpeg"`
	Quality int    `json:"quality" label:"JPEG quality" unit:"of 100" range:"1..100" default:"92" step:"1" doc:"higher keeps more detail and makes a larger file"`
	Size    Size   `json:"size" label:"Size" default:"full"`
	Long    int    `json:"long" label:"Long edge" unit:"px" range:"16..60000" default:"2048" step:"1" doc:"of the exported picture; never larger than the crop"`
}

// LongEdge returns the long edge of a picture that has a size at the scale of its photo; 0 is that.
func (s Settings) LongEdge(width, height int) int {
	if s.Size == Full {
		return 0
	}
	return min(s.Long, max(width, height))
}

// Job is what to export.
type Job struct {
	Photo    *photo.Photo
	PhotoKey string
	Recipe   *recipe.Recipe
	Layer    render.Layer
	Settings Settings
}

// Write renders j and writes its file to w. Progress is called with the share of
// the rendering that is done, and with 1 when writing begins. Notes are sentences
// on what the format could not hold. Write lets go of j's photo and recipe when they
// are rendered, as the encoder needs room of its own.
func Write(ctx context.Context, e *render.Engine, j *Job, w io.Writer,
	progress func(float64)) (notes []string, err error) {
	s := j.Settings
	img, err := e.Export(ctx, render.Request{
		Photo: j.Photo, PhotoKey: j.PhotoKey, Recipe: j.Recipe, Layer: j.Layer,
		LongEdge: s.LongEdge(j.Recipe.Size()), Deep: s.Format.Deep(),
	}, progress)
	if err != nil {
		return nil, err
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	o := codec.Options{Format: s.Format.Codec(), Quality: s.Quality, ICC: j.Photo.ICC,
		EXIF: j.Photo.EXIF}
	j.Photo, j.Recipe = nil, nil
	return o.Lost(), codec.Write(stopWriter{ctx, w}, img, o)
}

// stopWriter fails when its context is done, so that an encoder stops soon.
type stopWriter struct {
	ctx context.Context
	w   io.Writer
}

func (s stopWriter) Write(p []byte) (int, error) {
	if err := s.ctx.Err(); err != nil {
		return 0, err
	}
	return s.w.Write(p)
}
