package render

import (
	"context"
	"image"

	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
)

// photoStage begins the picture: it reads the photo, at the picture's scale.
type photoStage struct{}

func (*photoStage) prepare(context.Context, *plan) (bool, error) { return true, nil }

func (*photoStage) collect(ctx context.Context, p *plan, part image.Rectangle) (rower, error) {
	base, err := p.base(ctx, part)
	return photoRows{p, base}, err
}

// base returns a part of the photo at the plan's scale; nil where rows come from the
// photo itself.
func (p *plan) base(ctx context.Context, part image.Rectangle) (*raster.RGB, error) {
	if p.same {
		return nil, nil
	}
	if p.lastBase != nil && p.lastBase.Rect == part {
		return p.lastBase, nil
	}
	key := reducedPart{p.photo(), p.scale, part}
	var b *raster.RGB
	var err error
	if p.passing {
		b, err = key.Build(ctx, p.cache) // of one strip of an export: nobody asks for it again
	} else {
		b, err = get(ctx, p, "photo", key)
	}
	p.lastBase = b
	return b, err
}

type photoRows struct {
	*plan
	base *raster.RGB
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
	if !r.remade {
		copy(s.pix, s.plain)
	}
	clear(s.hit)
}

// shrinker makes rows of a smaller picture; it holds the memory for that.
type shrinker struct{ src, sum []float32 }

// row writes row y of the picture from column x0 on, with step pixels of the photo for
// each of its own.
func (s *shrinker) row(dst []float32, ph *photo.Photo, step float64, x0, y int) {
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
