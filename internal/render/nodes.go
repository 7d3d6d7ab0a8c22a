package render

import (
	"context"
	"image"
	"math"
	"time"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/coverage"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/aperture"
	"pyrant/internal/light/glow"
	"pyrant/internal/light/spill"
	"pyrant/internal/light/streak"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/pointlight"
)

// The nodes of the graph whose values do not depend on the plan. Lengths and radii are in pixels of
// the photo, unless a comment says otherwise.

// Inputs of nodes. Each is named by its content: a coverage and shapes by their keys, a photo and a
// picture by the SHA-256 of their files.
type (
	coverInput  = *graph.Input[coverage.Coverage]
	shapesInput = *graph.Input[shape.Shapes]
	photoInput  = *graph.Input[*photo.Photo]
	bytesInput  = *graph.Input[setting.Bytes]
)

// input returns what a light covers as an input of nodes.
func (ll *litLight) input(g *graph.Graph) coverInput {
	if ll.in != nil {
		return ll.in
	}
	return graph.Intern(g, ll.cover.Key(), ll.cover)
}

// photo returns the plan's photo as an input of nodes.
func (p *plan) photo() photoInput { return graph.Intern(p.cache, p.q.PhotoKey, p.q.Photo) }

// shapes returns the shapes of a light as an input of nodes.
func (p *plan) shapes(l *recipe.Light) shapesInput {
	return graph.Intern(p.cache, l.Shapes.Key(), l.Shapes)
}

// get returns the value of a node; what that takes counts as a kind of work.
func get[K graph.Node[V], V graph.Sized](
	ctx context.Context, p *plan, kind string, key K,
) (V, error) {
	defer p.stats.add(kind, time.Now())
	return graph.Get(ctx, p.cache, key)
}

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

// meanWidth is the mean width of a coverage.
type meanWidth struct{ cover coverInput }

func (k meanWidth) Build(context.Context, *graph.Graph) (graph.Number, error) {
	return graph.Number(k.cover.Value().Width()), nil
}

// lumaEdge is the long edge of the picture on which the mean luminance under a light is taken: the
// same for every scale.
const lumaEdge = 1024

// meanLuma is the mean luminance of a photo under a coverage, 0.5 where it covers nothing.
type meanLuma struct {
	photo photoInput
	cover coverInput
}

func (k meanLuma) Build(ctx context.Context, _ *graph.Graph) (graph.Number, error) {
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
			x, y := int((float64(b.Min.X+i)+0.5)/scale), int((float64(y)+0.5)/scale)
			if v > 0 && x >= 0 && y >= 0 && x < ph.Width && y < ph.Height {
				ph.Linear(row, x, y, 1)
				sum += float64(v) * float64(colour.Luma(row[0], row[1], row[2]))
				n += float64(v)
			}
		}
	}
	if n == 0 {
		return 0.5, nil
	}
	return graph.Number(sum / n), nil
}

// lightPeaks gives the largest values of a coverage blurred by radii up to a largest.
type lightPeaks struct {
	cover   coverInput
	largest float64
}

func (k lightPeaks) Build(ctx context.Context, _ *graph.Graph) (*glow.Peaks, error) {
	return glow.NewPeaks(ctx, k.cover.Value(), k.largest)
}

// lightProbe gives a coverage blurred by radii up to a largest at single places.
type lightProbe struct {
	cover   coverInput
	largest float64
}

func (k lightProbe) Build(ctx context.Context, _ *graph.Graph) (*glow.Probe, error) {
	return glow.NewProbe(ctx, k.cover.Value(), k.largest)
}

// drawnStreak is a coverage drawn out to a streak.
type drawnStreak struct {
	cover  coverInput
	streak streak.Streak
}

func (k drawnStreak) Build(ctx context.Context, _ *graph.Graph) (*streak.Coverage, error) {
	return streak.New(ctx, k.cover.Value(), k.streak)
}

// lightMask is the mask of a coverage at a scale. Its tiles are rasterised when they are asked for,
// and an export drops them; see graph.Own.
type lightMask struct {
	cover coverInput
	scale float64
}

func (k lightMask) Build(context.Context, *graph.Graph) (coverage.Mask, error) {
	return k.cover.Value().At(k.scale), nil
}

// streakMask is the mask of a streak within a part of the picture, in pixels of the picture.
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
	return c.Within(k.scale, k.part), nil
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

// reducedPart is a part of a photo at a scale, in pixels of that: every pixel the average of the
// area that it covers, in linear light.
type reducedPart struct {
	photo photoInput
	scale float64
	part  image.Rectangle
}

func (k reducedPart) Build(ctx context.Context, _ *graph.Graph) (*raster.RGB, error) {
	out := raster.NewRGB(k.part)
	return out, raster.Rows(ctx, k.part.Min.Y, k.part.Max.Y, func(y0, y1 int) {
		var s shrinker
		for y := y0; y < y1 && ctx.Err() == nil; y++ {
			s.row(out.Row(y), k.photo.Value(), 1/k.scale, k.part.Min.X, y)
		}
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
		var s shrinker
		for y := y0; y < y1 && ctx.Err() == nil; y++ {
			s.row(out.Row(y), o, step, 0, y)
		}
	}); err != nil {
		return nil, err
	}
	return softened(ctx, out, k.blur)
}
