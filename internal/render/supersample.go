package render

import (
	"context"
	"image"

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

// linearSink keeps finished rows as linear light.
type linearSink struct {
	*raster.RGB
	hit []bool // which an effect changed
}

// put takes a finished row, as light as can be shown.
func (l linearSink) put(s *scratch, x0, x1, y int) {
	row := l.Row(y)[3*(x0-l.Rect.Min.X):]
	for i, v := range s.pix[:3*(x1-x0)] {
		row[i] = min(max(v, 0), 1)
	}
	hit := l.hit[(y-l.Rect.Min.Y)*l.Rect.Dx()+x0-l.Rect.Min.X:]
	for i := range x1 - x0 {
		hit[i] = s.all || s.hit[i]
	}
}

// half writes row y of the picture of half the size to a scratch, from column x0 on.
func (l linearSink) half(s *scratch, x0, y int) {
	clear(s.pix)
	clear(s.hit)
	for x := range s.hit {
		n := float32(0)
		to := s.pix[3*x : 3*x+3]
		for j := range 4 {
			// At the last row and column there may be one part less.
			u, v := 2*(x0+x)+j%2-l.Rect.Min.X, 2*y+j/2-l.Rect.Min.Y
			if u >= l.Rect.Dx() || v >= l.Rect.Dy() {
				continue
			}
			n++
			for c, v := range l.Row(v + l.Rect.Min.Y)[3*u : 3*u+3] {
				to[c] += v
			}
			s.hit[x] = s.hit[x] || l.hit[v*l.Rect.Dx()+u]
		}
		for c := range to {
			to[c] /= max(n, 1)
		}
	}
}

// supersample renders a small picture from one of twice the size.
func supersample(ctx context.Context, g *graph.Graph, q Request) (image.Image, error) {
	own, err := newPlan(ctx, g, &Request{Photo: q.Photo, PhotoKey: q.PhotoKey, Recipe: q.Recipe,
		LongEdge: q.LongEdge, View: q.View, Layer: Plain, Profile: q.Profile})
	if err != nil {
		return nil, err
	}
	view := own.view
	q.LongEdge *= 2
	q.View = image.Rectangle{Min: view.Min.Mul(2), Max: view.Max.Mul(2)}
	p, err := newPlan(ctx, g, &q)
	if err != nil {
		return nil, err
	}
	large := linearSink{raster.NewRGB(p.view), make([]bool, p.view.Dx()*p.view.Dy())}
	if err := p.strip(ctx, p.view, large); err != nil {
		return nil, err
	}
	to := newEncoder(own, q.Deep)
	return to.out, raster.Rows(ctx, view.Min.Y, view.Max.Y, func(y0, y1 int) {
		s := newScratch(view.Dx())
		for y := y0; y < y1; y++ {
			large.half(s, view.Min.X, y)
			to.put(s, view.Min.X, view.Max.X, y)
		}
	})
}
