// Package spill computes the light that traced shapes throw on what is near
// them in the picture.
//
// This is the plain mode, for a photo without a room: distance is distance in the picture. A light
// is taken apart into samples; each gives light by the inverse square of the distance, held finite
// close by as if it hovered at a height h over the picture, and faded to nothing at the reach R:
//
//	E(x) = Σ A (1 - d²/R²)² / (d² + max(h², A/2)),  for d < R
//
// A is the area that a sample stands for, which is larger than a point. All that a light gives is
// the sum of what its parts give by themselves: a bar in two halves is the bar, and a shape far
// away changes nothing here; nor does the reach change what is near.
package spill

import (
	"context"
	"image"
	"math"

	"pyrant/internal/base/coverage"
	"pyrant/internal/base/raster"
)

// maxSamples is about how many samples a light is taken apart into.
const maxSamples = 160

// Sample is a point with the area that it stands for, in pixels of the photo.
type Sample struct{ X, Y, Area float32 }

// Source is a light taken apart; lengths are in pixels of the photo.
type Source struct {
	Samples []Sample
	Reach   float64 // distance at which its light ends
	Height  float64 // at which it hovers over the picture
}

// Bytes returns the memory that the samples take.
func (s *Source) Bytes() int64 { return int64(len(s.Samples)) * 12 }

// Samples takes what a coverage covers apart into about most places, each with its share of the
// area.
func Samples(ctx context.Context, c coverage.Coverage, most int) ([]Sample, error) {
	const sub = 4 // a sample is the centroid of sub×sub cells of coverage
	var out []Sample
	scale := 1.0
	m := c.At(scale)
	for m.Bounds().Dx()*m.Bounds().Dy() > 1<<18 {
		scale /= 2
		m = c.At(scale)
	}
	if m.Bounds().Empty() {
		return nil, ctx.Err()
	}
	// The cells' size follows from the shapes' area and length.
	area, line := c.Area(), c.Line()
	cell := 1.0
	for area/(cell*cell)+line/cell/2 > float64(most) {
		cell *= 1.25
	}
	scale = math.Min(sub/cell, 4)
	m = c.At(scale)
	b := m.Bounds()
	cols := b.Dx()/sub + 1
	row := make([]float32, b.Dx())
	acc := make([][3]float64, cols)
	flush := func() {
		for i, a := range acc {
			if a[2] > 0 {
				out = append(out, Sample{float32(a[0] / a[2] / scale), float32(a[1] / a[2] / scale),
					float32(a[2] / scale / scale)})
			}
			acc[i] = [3]float64{}
		}
	}
	for y := b.Min.Y; y < b.Max.Y; y++ {
		m.Fill(row, b.Min.X, y)
		for i, v := range row {
			if v > 0 {
				a := &acc[i/sub]
				a[0] += float64(v) * (float64(b.Min.X+i) + 0.5)
				a[1] += float64(v) * (float64(y) + 0.5)
				a[2] += float64(v)
			}
		}
		if (y-b.Min.Y)%sub == sub-1 {
			flush()
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
	}
	flush()
	return out, nil
}

// NewSource takes what a light covers apart.
func NewSource(ctx context.Context, c coverage.Coverage, reach, height float64) (*Source, error) {
	samples, err := Samples(ctx, c, maxSamples)
	return &Source{samples, reach, height}, err
}

// At returns the irradiance at a point of the photo.
func (s *Source) At(x, y float64) float64 {
	inv, h2 := float32(1/(s.Reach*s.Reach)), float32(s.Height*s.Height)
	u, v := float32(x), float32(y)
	var sum float32
	for i := range s.Samples {
		p := &s.Samples[i]
		dx, dy := u-p.X, v-p.Y
		d2 := dx*dx + dy*dy
		if q := d2 * inv; q < 1 {
			w := 1 - q
			sum += p.Area * w * w / (d2 + max(h2, p.Area/2))
		}
	}
	return float64(sum)
}

// Level returns the pyramid level at which the irradiance is computed for a
// picture of the given scale: six samples and more to the height are enough for what is so smooth.
func (s *Source) Level(scale float64) int {
	l := 0
	for l < 10 && math.Exp2(float64(l+1)) <= scale*math.Min(s.Height, s.Reach)/6 {
		l++
	}
	return l
}

// Field returns the irradiance at the samples of a pyramid level, for the
// picture of the given scale, over the part of clip (in samples of that level)
// that it reaches.
func (s *Source) Field(ctx context.Context, scale float64, level int,
	clip image.Rectangle) (*raster.Plane, error) {
	step := math.Exp2(float64(level)) / scale // pixels of the photo between samples
	lo := [2]float64{math.Inf(1), math.Inf(1)}
	hi := [2]float64{math.Inf(-1), math.Inf(-1)}
	for _, p := range s.Samples {
		lo[0], lo[1] = math.Min(lo[0], float64(p.X)), math.Min(lo[1], float64(p.Y))
		hi[0], hi[1] = math.Max(hi[0], float64(p.X)), math.Max(hi[1], float64(p.Y))
	}
	if len(s.Samples) == 0 {
		return raster.NewPlane(image.Rectangle{}), nil
	}
	box := image.Rect(int(math.Floor((lo[0]-s.Reach)/step)), int(math.Floor((lo[1]-s.Reach)/step)),
		int(math.Ceil((hi[0]+s.Reach)/step))+1, int(math.Ceil((hi[1]+s.Reach)/step))+1)
	out := raster.NewPlane(box.Intersect(clip))
	half := 0.5 / scale // the middle of a pixel of the picture
	err := raster.Rows(ctx, out.Rect.Min.Y, out.Rect.Max.Y, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			row := out.Row(y)
			for i := range row {
				if i&63 == 0 && ctx.Err() != nil {
					return
				}
				row[i] = float32(s.At(float64(out.Rect.Min.X+i)*step+half, float64(y)*step+half))
			}
		}
	})
	return out, err
}
