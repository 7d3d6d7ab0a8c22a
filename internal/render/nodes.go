package render

import (
	"context"
	"image"
	"math"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/coverage"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/aperture"
	"pyrant/internal/light/glow"
	"pyrant/internal/light/spill"
	"pyrant/internal/light/streak"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/render/areas"
	"pyrant/internal/vision/pointlight"
)

// The nodes of the graph whose values do not depend on the plan. Lengths and radii are in pixels of
// the photo, unless a comment says otherwise.

// Inputs of nodes. Each is named by its content: a coverage and shapes by their keys, a photo and a
// picture by the SHA-256 of their files.
type (
	coverInput  = *graph.Input[coverage.Coverage]
	shapesInput = *graph.Input[shape.Shapes]
	photoInput  = photo.Input
	bytesInput  = *graph.Input[setting.Bytes]
	maskRef     = areas.MaskRef
)

// picture is a photo at a scale.
type picture = areas.Picture

// number is a float64 that a graph can hold.
type number float64

// Bytes returns about what an entry of the graph takes.
func (number) Bytes() int64 { return 64 }

// cutOutPixels are the pixels of a cut-out: its coverage and foreground fractions.
type cutOutPixels struct {
	tiles         bytesInput
	width, height int
}

func pixelsOf(g *graph.Graph, r *cutout.Raster) cutOutPixels {
	return cutOutPixels{graph.Intern(g, r.Tiles.Key(), r.Tiles), r.Width, r.Height}
}

func (k cutOutPixels) Build(context.Context, *graph.Graph) (*cutout.Mask, error) {
	r := cutout.Raster{Width: k.width, Height: k.height, Tiles: k.tiles.Value()}
	return r.Mask()
}

// cutOutMask is the mask of a value of a cut-out's pixels at a scale.
type cutOutMask struct {
	pixels          cutOutPixels
	left, top, cell float64 // of the pixels on the photo
	what            cutout.What
	scale           float64
}

func maskOf(g *graph.Graph, c *cutout.CutOut, what cutout.What, scale float64) maskRef {
	return graph.To(g, cutOutMask{pixelsOf(g, &c.Raster), c.Raster.Left + c.X, c.Raster.Top + c.Y,
		c.Raster.Cell, what, scale})
}

func (k cutOutMask) Build(ctx context.Context, g *graph.Graph) (coverage.Mask, error) {
	m, err := graph.Get(ctx, g, k.pixels)
	if err != nil {
		return nil, err
	}
	c := cutout.CutOut{Raster: cutout.Raster{Left: k.left, Top: k.top, Cell: k.cell,
		Width: k.pixels.width, Height: k.pixels.height, Tiles: k.pixels.tiles.Value()}}
	return c.On(m, k.what).At(k.scale), nil
}

// meanWidth is the mean width of a coverage.
type meanWidth struct{ cover coverInput }

func (k meanWidth) Build(context.Context, *graph.Graph) (number, error) {
	return number(k.cover.Value().Width()), nil
}

// lumaEdge is the long edge of the picture on which the mean luminance under a light is taken: the
// same for every scale.
const lumaEdge = 1024

// meanLuma is the mean luminance of a photo under a coverage, 0.5 where it covers nothing.
type meanLuma struct {
	photo photoInput
	cover coverInput
}

func (k meanLuma) Build(ctx context.Context, _ *graph.Graph) (number, error) {
	ph := k.photo.Value()
	_, _, scale := Size(ph.Width, ph.Height, min(lumaEdge, max(ph.Width, ph.Height)))
	m := k.cover.Value().At(scale)
	b := m.Bounds()
	sum, n := 0.0, 0.0
	row, cov := make([]float32, 3), make([]float32, b.Dx())
	for y := b.Min.Y; y < b.Max.Y; y++ {
		if err := ctx.Err(); err != nil {
			return 0, err
		}
		m.Fill(cov, b.Min.X, y)
		for i, v := range cov {
			px, py := int((float64(b.Min.X+i)+0.5)/scale), int((float64(y)+0.5)/scale)
			if v > 0 && px >= 0 && py >= 0 && px < ph.Width && py < ph.Height {
				ph.Linear(row, px, py, 1)
				sum += float64(v) * float64(colour.Luma(row[0], row[1], row[2]))
				n += float64(v)
			}
		}
	}
	if n == 0 {
		return 0.5, nil
	}
	return number(sum / n), nil
}

// drawn is what a light covers, as its streak draws it out; the zero streak leaves it as it is.
type drawn struct {
	cover  coverInput
	streak streak.Streak
}

func (k drawn) coverage(ctx context.Context, g *graph.Graph) (coverage.Coverage, error) {
	if k.streak == (streak.Streak{}) {
		return k.cover.Value(), nil
	}
	return graph.Get(ctx, g, drawnStreak(k))
}

// drawnStreak is a coverage drawn out to a streak.
type drawnStreak drawn

func (k drawnStreak) Build(ctx context.Context, _ *graph.Graph) (*streak.Coverage, error) {
	return streak.New(ctx, k.cover.Value(), k.streak)
}

// lightPeaks gives the largest values of a coverage blurred by radii up to a largest.
type lightPeaks struct {
	of      drawn
	largest float64
}

func (k lightPeaks) Build(ctx context.Context, g *graph.Graph) (*glow.Peaks, error) {
	c, err := k.of.coverage(ctx, g)
	if err != nil {
		return nil, err
	}
	return glow.NewPeaks(ctx, c, k.largest)
}

// lightProbe gives a coverage blurred by radii up to a largest at single places.
type lightProbe struct {
	cover   coverInput
	largest float64
}

func (k lightProbe) Build(ctx context.Context, _ *graph.Graph) (*glow.Probe, error) {
	return glow.NewProbe(ctx, k.cover.Value(), k.largest)
}

// streakMask is the mask of a streak within a part of the picture, in pixels of the picture; the
// empty part is all of the streak.
type streakMask struct {
	streak drawnStreak
	scale  float64
	part   image.Rectangle
}

func (k streakMask) Build(ctx context.Context, g *graph.Graph) (coverage.Mask, error) {
	c, err := graph.Get(ctx, g, k.streak)
	if err != nil {
		return nil, err
	}
	m := c.At(k.scale)
	if !k.part.Empty() {
		m = c.Within(k.scale, k.part)
	}
	return m, streak.Ready(ctx, m)
}

// spillSource is a coverage as what gives spill without a room.
type spillSource struct {
	cover         coverInput
	reach, height float64
}

func (k spillSource) Build(ctx context.Context, _ *graph.Graph) (*spill.Source, error) {
	return spill.NewSource(ctx, k.cover.Value(), k.reach, k.height)
}

// spillField is the irradiance of a source on a part of the picture, reduced to a level of its
// pyramid and in pixels of that.
type spillField struct {
	source spillSource
	scale  float64
	level  int
	part   image.Rectangle
}

func (k spillField) Build(ctx context.Context, g *graph.Graph) (*raster.Plane, error) {
	s, err := graph.Get(ctx, g, k.source)
	if err != nil {
		return nil, err
	}
	return s.Field(ctx, k.scale, k.level, k.part)
}

// diffraction is the star that an aperture makes of a point.
type diffraction struct{ blades aperture.Blades }

func (k diffraction) Build(ctx context.Context, _ *graph.Graph) (*aperture.Sprite, error) {
	return k.blades.New(ctx)
}

// pointColours are the colours that a photo shows of the points of shapes.
type pointColours struct {
	photo  photoInput
	shapes shapesInput
}

func (k pointColours) Build(ctx context.Context, _ *graph.Graph) (spotColours, error) {
	spots := k.shapes.Value().Spots()
	out := make(spotColours, len(spots))
	return out, raster.Each(ctx, len(spots), func(i int) {
		s := &spots[i]
		out[i] = pointlight.Colour(k.photo.Value(), s.At.X, s.At.Y, s.Radius)
	})
}

// pointBrightness is how bright a photo shows the points of shapes, times their radius.
type pointBrightness struct {
	photo  photoInput
	shapes shapesInput
}

func (k pointBrightness) Build(ctx context.Context, _ *graph.Graph) (spotLight, error) {
	spots := k.shapes.Value().Spots()
	out := make(spotLight, len(spots))
	return out, raster.Each(ctx, len(spots), func(i int) {
		s := &spots[i]
		bright := pointlight.Brightness(k.photo.Value(), s.At.X, s.At.Y, s.Radius)
		out[i] = s.Radius * math.Sqrt(bright)
	})
}

// reducedPicture is a picture at a smaller size, blurred by a deviation in pixels of that.
type reducedPicture struct {
	picture       photoInput
	width, height int
	blur          float64
}

func (k reducedPicture) Build(ctx context.Context, _ *graph.Graph) (*raster.RGB, error) {
	o := k.picture.Value()
	out := raster.NewRGB(image.Rect(0, 0, k.width, k.height))
	step := float64(o.Width) / float64(k.width)
	if err := raster.Rows(ctx, 0, k.height, func(y0, y1 int) {
		var s photo.Shrinker
		for y := y0; y < y1 && ctx.Err() == nil; y++ {
			s.Row(out.Row(y), o, step, 0, y)
		}
	}); err != nil {
		return nil, err
	}
	return softened(ctx, out, k.blur)
}
