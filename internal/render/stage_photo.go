package render

import (
	"context"
	"image"
	"slices"

	"pyrant/internal/base/raster"
)

// photoStage begins the picture: it reads the photo, at the picture's scale.
type photoStage struct{}

func (*photoStage) prepare(context.Context, *plan) (bool, error) { return true, nil }

func (*photoStage) collect(ctx context.Context, p *plan, part image.Rectangle) (rower, error) {
	base, err := p.base(ctx, part)
	return photoRows{p, base, !p.darkens()}, err
}

// darkens reports whether a later stage makes the whole picture of the photo anew.
func (p *plan) darkens() bool {
	return slices.ContainsFunc(p.stages, func(s stage) bool {
		_, is := s.(*duskStage)
		return is
	})
}

type photoRows struct {
	*plan
	base  *raster.RGB
	shows bool // the photo is what later stages add to
}

func (r photoRows) row(s *scratch, x0, x1, y int) {
	if r.base != nil {
		s.plain = r.base.Row(y)
	} else {
		s.plain = s.photo
		r.q.Photo.Linear(s.plain, x0, y, x1-x0)
	}
	s.waits, s.all = false, false
	if r.layer.black {
		clear(s.pix)
		s.touchAll()
		return
	}
	if r.shows {
		copy(s.pix, s.plain)
	}
	clear(s.hit)
}
