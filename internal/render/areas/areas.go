// Package areas computes areas: how much of each place of a picture an effect may touch, from 0 to
// 1.
//
// An area of a recipe is an ordered list of parts. Each adds to what the parts before it left,
// subtracts from it, or keeps only what both cover; if the first part does not add, it works on the
// whole photo. With p for a part's coverage and A for what is there before it,
//
//	add       1 − (1−A)·(1−p)
//	subtract  A·(1−p)
//	keep      A·p
//
// where p is taken by the part's amount: nothing of it adds nothing, takes nothing away and keeps
// everything.
//
// Resolve replaces what an area of a recipe refers to, such as lights and other areas, by what that
// covers in a picture. What comes out depends on nothing else, so it is the key of all that follows
// from the area.
package areas

import (
	"context"
	"fmt"
	"image"

	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
)

// Picture is a photo at a scale, in pixels of the picture for each pixel of the photo.
type Picture struct {
	Photo photo.Input
	Scale float64
	Frame image.Rectangle // the whole picture
}

// Area is an area in a picture, with all that it depends on. It is plain: see graph.Of.
type Area struct {
	Picture Picture
	Parts   []Part
}

// Input is an area as an input of nodes.
type Input = *graph.Input[Area]

// Part is one step in the making of an area.
type Part struct {
	Does     area.Does
	Inverted bool
	Amount   float64
	Feather  float64 // deviation of a soft edge, in pixels of the picture
	Of       SourceInput
}

// Rows gives coverage row by row. It may be used by several goroutines.
type Rows interface {
	// Fill writes the coverage of row y from column x0 on, one value for each element of dst.
	Fill(dst []float32, x0, y int)
}

// Source is what a part covers in a picture. It is plain: see graph.Of.
type Source interface {
	// Rows makes the coverage ready for the rows of r, softened by a feather in pixels of the
	// picture.
	Rows(ctx context.Context, g *graph.Graph, feather float64, r image.Rectangle) (Rows, error)
}

// SourceInput is a source as an input of nodes.
type SourceInput = *graph.Input[Source]

// Of returns a source as an input of nodes.
func Of[S Source](g *graph.Graph, s S) SourceInput {
	return graph.Intern(g, fmt.Sprintf("%T ", s)+graph.Digest(s), Source(s))
}

// Scene gives what areas refer to.
type Scene interface {
	// Area returns an area of the recipe, nil for one that is not there.
	Area(area.Ref) *area.Area
	// Light returns what a light covers, or what it gives.
	Light(context.Context, area.Light) (SourceInput, error)
	// CutOut returns what a cut-out covers, "" for all of them.
	CutOut(context.Context, cutout.Ref) (SourceInput, error)
	// Surface returns where a surface of the room is seen.
	Surface(context.Context, area.SurfaceRef) (SourceInput, error)
}

// Resolve returns an area of a recipe in a picture.
func Resolve(ctx context.Context, g *graph.Graph, a *area.Area, in Picture,
	s Scene) (Input, error) {
	out := Area{Picture: in}
	if a == nil {
		return graph.Of(g, out), nil
	}
	for i := range a.Parts {
		p := &a.Parts[i]
		if !p.On {
			continue
		}
		of, err := resolve(ctx, g, p.Of, in, s)
		if err != nil {
			return nil, err
		}
		out.Parts = append(out.Parts,
			Part{p.Does, p.Inverted, p.Amount, p.Feather * in.Scale, of})
	}
	return graph.Of(g, out), nil
}

// Plane is the node of what an area covers of a part of its picture.
type Plane struct {
	Area Input
	Part image.Rectangle
}

// Passes reports that an export needs no part twice.
func (Plane) Passes() bool { return true }

// Build computes the coverage.
func (k Plane) Build(ctx context.Context, g *graph.Graph) (*raster.Plane, error) {
	parts := k.Area.Value().Parts
	out := raster.NewPlane(k.Part)
	rows := make([]Rows, len(parts))
	for i, p := range parts {
		var err error
		if rows[i], err = p.Of.Value().Rows(ctx, g, p.Feather, k.Part); err != nil {
			return nil, err
		}
	}
	return out, raster.Rows(ctx, k.Part.Min.Y, k.Part.Max.Y, func(y0, y1 int) {
		cover := make([]float32, k.Part.Dx())
		for y := y0; y < y1 && ctx.Err() == nil; y++ {
			dst := out.Row(y)
			for i := range parts {
				rows[i].Fill(cover, k.Part.Min.X, y)
				parts[i].combine(dst, cover, i == 0)
			}
		}
	})
}

// combine lets the part's coverage work on what is there. The first part finds nothing to add to,
// or all to subtract from.
func (p *Part) combine(dst, cover []float32, first bool) {
	amount := float32(p.Amount)
	if first && p.Does != area.Add {
		for i := range dst {
			dst[i] = 1
		}
	}
	cover = cover[:len(dst)]
	base, sign := float32(0), amount
	if p.Inverted {
		base, sign = amount, -amount
	}
	switch p.Does {
	case area.Add:
		for i, v := range cover {
			v = base + sign*min(max(v, 0), 1)
			dst[i] += v - dst[i]*v
		}
	case area.Away:
		for i, v := range cover {
			dst[i] -= dst[i] * (base + sign*min(max(v, 0), 1))
		}
	default:
		for i, v := range cover {
			dst[i] -= dst[i] * (amount - base - sign*min(max(v, 0), 1))
		}
	}
}
