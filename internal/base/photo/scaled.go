package photo

import (
	"context"
	"image"

	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
)

// Input is a photo as an input of nodes, named by its file's SHA-256.
type Input = *graph.Input[*Photo]

// Size returns the size of the whole picture with the given long edge (0 for the photo's own) and
// its scale in pixels for each pixel of the photo.
func Size(width, height, longEdge int) (w, h int, scale float64) {
	long := max(width, height)
	if longEdge <= 0 || longEdge == long {
		return width, height, 1
	}
	// In whole numbers, halves up: a page that works out the size must get the same.
	round := func(v int) int { return max(1, (2*v*longEdge+long)/(2*long)) }
	return round(width), round(height), float64(longEdge) / float64(long)
}

// Scaled is the node of a part of a photo at a scale below 1, in pixels of that: every pixel the
// average of the area that it covers, in linear light.
type Scaled struct {
	Photo Input
	Scale float64
	Part  image.Rectangle
}

// Passes reports that an export needs no part twice.
func (Scaled) Passes() bool { return true }

// Build computes the part.
func (k Scaled) Build(ctx context.Context, _ *graph.Graph) (*raster.RGB, error) {
	out := raster.NewRGB(k.Part)
	return out, raster.Rows(ctx, k.Part.Min.Y, k.Part.Max.Y, func(y0, y1 int) {
		var s Shrinker
		for y := y0; y < y1 && ctx.Err() == nil; y++ {
			s.Row(out.Row(y), k.Photo.Value(), 1/k.Scale, k.Part.Min.X, y)
		}
	})
}

// Whole is the node of all of a photo in linear light, with a long edge up to its own.
type Whole struct {
	Photo Input
	Edge  int
}

// Build computes the picture.
func (k Whole) Build(ctx context.Context, g *graph.Graph) (*raster.RGB, error) {
	p := k.Photo.Value()
	w, h, scale := Size(p.Width, p.Height, k.Edge)
	frame := image.Rect(0, 0, w, h)
	if scale != 1 {
		return Scaled{k.Photo, scale, frame}.Build(ctx, g)
	}
	out := raster.NewRGB(frame)
	return out, raster.Rows(ctx, 0, h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			p.Linear(out.Row(y), 0, y, w)
		}
	})
}

// Shrinker makes rows of a smaller picture of a photo; it holds the memory for that.
type Shrinker struct{ src, sum []float32 }

// Row writes row y of the picture from column x0 on, with step pixels of the photo for each of its
// own.
func (s *Shrinker) Row(dst []float32, ph *Photo, step float64, x0, y int) {
	ax, _, _ := raster.BoxSpan(x0, ph.Width, step)
	_, bx, _ := raster.BoxSpan(x0+len(dst)/3-1, ph.Width, step)
	a0, a1 := int(ax), min(int(bx)+1, ph.Width)
	if n := 3 * (a1 - a0); len(s.src) != n {
		s.src, s.sum = make([]float32, n), make([]float32, n)
	}
	// Down first, then along: the sums of whole rows are cheap.
	a, b, scale := raster.BoxSpan(y, ph.Height, step)
	clear(s.sum)
	for j := int(a); j < ph.Height && float64(j) < b; j++ {
		cover := min(b, float64(j+1)) - max(a, float64(j))
		if cover <= 1e-9 {
			continue
		}
		ph.Linear(s.src, a0, j, a1-a0)
		w := float32(cover * scale)
		for i, v := range s.src {
			s.sum[i] += v * w
		}
	}
	clear(dst)
	raster.BoxRow(dst, s.sum, 3, x0, a0, ph.Width, step, 1)
}
