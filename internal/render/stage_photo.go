package render

import (
	"context"
	"image"

	"pyrant/internal/base/raster"
)

// photoStage begins the picture: it reads the photo, at the picture's scale.
type photoStage struct {
	*canvas
	black    bool  // over black, not over the photo
	darkened *bool // a later stage makes the whole picture of the photo anew
}

func (*photoStage) prepare(context.Context) (bool, error) { return true, nil }

func (st *photoStage) collect(ctx context.Context, part image.Rectangle) (rower, error) {
	base, err := st.base(ctx, part)
	return photoRows{st, base}, err
}

type photoRows struct {
	*photoStage
	part *raster.RGB // nil where rows come from the photo itself
}

func (r photoRows) row(s *scratch, x0, x1, y int) {
	if r.part != nil {
		s.plain = r.part.Row(y)
	} else {
		s.plain = s.photo
		r.picture.Photo.Value().Linear(s.plain, x0, y, x1-x0)
	}
	s.waits, s.all = false, false
	if r.black {
		clear(s.pix)
		s.touchAll()
		return
	}
	if !*r.darkened {
		copy(s.pix, s.plain)
	}
	clear(s.hit)
}
