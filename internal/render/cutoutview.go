package render

import (
	"context"
	"image"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/coverage"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/cutout"
)

// Ground is what a cut-out is looked at on.
type Ground string

// The grounds. On Edge the edge shows in false colours by coverage: what is all inside or all
// outside stays as it is, in grey.
const (
	OnBlack Ground = "black"
	OnWhite Ground = "white"
	OnDark  Ground = "dark" // what is behind it, four stops darker
	OnEdge  Ground = "edge"
)

// dimmed is by how much OnDark darkens.
const dimmed = 1.0 / 16

// Apart returns a cut-out of the plain photo by itself, in the part of the picture that q asks for:
// its own light, without that of what is behind it, over a ground.
func (e *Engine) Apart(ctx context.Context, q Request, id cutout.Ref,
	ground Ground) (out *image.RGBA, err error) {
	defer fault.Catch(&err)
	m, err := q.frame(ctx, func(q Request) (image.Image, error) {
		return e.apart(ctx, q, id, ground)
	})
	if err != nil {
		return nil, err
	}
	return m.(*image.RGBA), nil
}

func (e *Engine) apart(ctx context.Context, q Request, id cutout.Ref,
	ground Ground) (image.Image, error) {
	p, err := newPlanUpTo(ctx, e.Cache, &q, "photo")
	if err != nil {
		return nil, err
	}
	c := q.Recipe.CutOut(id)
	var masks [4]coverage.Mask // coverage, red, green, blue
	for i, what := range [...]cutout.What{cutout.Alpha, cutout.Red, cutout.Green, cutout.Blue} {
		part, err := cutOut(ctx, e.Cache, c, what)
		if err != nil {
			return nil, err
		}
		masks[i] = part.At(p.picture.Scale)
	}
	base, err := p.base(ctx, p.view)
	if err != nil {
		return nil, err
	}
	out := image.NewRGBA(p.view)
	return out, raster.Rows(ctx, p.view.Min.Y, p.view.Max.Y, func(y0, y1 int) {
		n := p.view.Dx()
		row := make([]float32, 3*n)
		var cover [4][]float32
		for i := range cover {
			cover[i] = make([]float32, n)
		}
		for y := y0; y < y1; y++ {
			if base != nil {
				copy(row, base.Row(y))
			} else {
				q.Photo.Linear(row, p.view.Min.X, y, n)
			}
			for i := range cover {
				masks[i].Fill(cover[i], p.view.Min.X, y)
			}
			for x := range n {
				a := cover[0][x]
				v := row[3*x : 3*x+3 : 3*x+3]
				own := [3]float32{v[0] * cover[1][x], v[1] * cover[2][x], v[2] * cover[3][x]}
				switch ground {
				case OnBlack:
					copy(v, own[:])
				case OnWhite:
					for k := range v {
						v[k] = own[k] + 1 - a
					}
				case OnDark:
					for k := range v {
						v[k] = own[k] + dimmed*(v[k]-own[k])
					}
				default:
					falseColour(v, a)
				}
				d := out.Pix[4*((y-p.view.Min.Y)*n+x):]
				for k := range v {
					d[k] = uint8(255*colour.Display.At(min(max(v[k], 0), 1)) + 0.5)
				}
				d[3] = 255
			}
		}
	})
}

// falseColour replaces the colour of a pixel by one that tells its coverage.
func falseColour(v []float32, a float32) {
	grey := 0.4 * colour.Luma(v[0], v[1], v[2])
	switch {
	case a < 1.0/255:
		v[0], v[1], v[2] = 0.35*grey, 0.35*grey, 0.35*grey
	case a > 254.0/255:
		v[0], v[1], v[2] = grey+0.03, grey+0.03, grey+0.03
	default:
		// From blue through red to yellow, ever brighter: order shows without a key.
		c := colour.OKLCh(0.45+0.45*float64(a), 0.17, 265+205*float64(a))
		v[0], v[1], v[2] = max(c.R, 0), max(c.G, 0), max(c.B, 0)
	}
}
