package render

import (
	"context"
	"image"
	"image/color"

	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
)

// maxSupersampled is up to which long edge a picture is worked out at twice the size.
//
// A pixel of a small picture shows places of much different light, and is exposed once where an
// export exposes each of its pixels: at edges that makes it brighter or darker than the export is
// where it is shown as small. So small pictures are exposed in four parts for each pixel, which
// costs as much as a picture of usual size.
const maxSupersampled = 850

// isSupersampled reports whether the picture is worked out at twice the size. Drafts are not.
func (q *Request) isSupersampled() bool {
	long := max(q.Photo.Width, q.Photo.Height)
	if q.LongEdge <= 0 || q.LongEdge > maxSupersampled || 2*q.LongEdge > long || q.Layer != Whole {
		return false
	}
	if q.Rough != nil {
		q.Rough.Store(true)
		return false
	}
	return true
}

// parts is the picture in parts of its pixels: linear, before it is encoded.
type parts struct {
	*raster.RGB
	hit []bool // which an effect changed
}

// ColorModel and At are those of an image.Image, which a scratch has.
func (parts) ColorModel() color.Model { return color.RGBA64Model }

// At is that of an image.Image.
func (parts) At(int, int) color.Color { return color.RGBA64{} }

// Bounds is that of an image.Image.
func (p parts) Bounds() image.Rectangle { return p.Rect }

// put takes a finished row, as light as can be shown.
func (p parts) put(s *scratch, x0, x1, y int) {
	row := p.Row(y)[3*(x0-p.Rect.Min.X):]
	for i, v := range s.pix[:3*(x1-x0)] {
		row[i] = min(max(v, 0), 1)
	}
	hit := p.hit[(y-p.Rect.Min.Y)*p.Rect.Dx()+x0-p.Rect.Min.X:]
	for i := range x1 - x0 {
		hit[i] = s.all || s.hit[i]
	}
}

// supersample renders a small picture from parts of its pixels.
func supersample(ctx context.Context, c *graph.Graph, q Request) (image.Image, error) {
	own, err := newPlanUpTo(ctx, c, &Request{Photo: q.Photo, Recipe: q.Recipe, LongEdge: q.LongEdge,
		View: q.View, Layer: Plain, Profile: q.Profile}, "")
	if err != nil {
		return nil, err
	}
	view := own.view
	q.LongEdge *= 2
	q.View = image.Rectangle{view.Min.Mul(2), view.Max.Mul(2)}
	p, err := newPlan(ctx, c, &q)
	if err != nil {
		return nil, err
	}
	all := parts{raster.NewRGB(p.view), make([]bool, p.view.Dx()*p.view.Dy())}
	if err := p.strip(ctx, p.view, all); err != nil {
		return nil, err
	}
	out := newImage(q.Deep, view)
	rows := outputRows{own, false}
	return out, raster.Rows(ctx, view.Min.Y, view.Max.Y, func(y0, y1 int) {
		s := newScratch(view.Dx(), out)
		for y := y0; y < y1; y++ {
			clear(s.pix)
			clear(s.hit)
			for x := range view.Dx() {
				n := float32(0)
				to := s.pix[3*x : 3*x+3]
				for j := range 4 {
					// At the last row and column there may be one part less.
					u, v := 2*(view.Min.X+x)+j%2-p.view.Min.X, 2*y+j/2-p.view.Min.Y
					if u >= p.view.Dx() || v >= p.view.Dy() {
						continue
					}
					n++
					for c, v := range all.Row(v + p.view.Min.Y)[3*u : 3*u+3] {
						to[c] += v
					}
					s.hit[x] = s.hit[x] || all.hit[v*p.view.Dx()+u]
				}
				for c := range to {
					to[c] /= max(n, 1)
				}
			}
			rows.row(s, view.Min.X, view.Max.X, y)
		}
	})
}
