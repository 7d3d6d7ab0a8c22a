package render

import (
	"context"
	"image"

	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/render/areas"
)

// finishStage grades the lit picture.
type finishStage struct {
	prog  *pass.Program
	areas []areas.Input // by step of the program
}

func (st *finishStage) prepare(ctx context.Context, p *plan) (bool, error) {
	f := &p.q.Recipe.Finish
	if !f.On || len(f.Passes) == 0 {
		return false, nil
	}
	list, err := p.passList(ctx, f.Passes)
	if err != nil {
		return false, err
	}
	if st.prog, err = list.compile(ctx, p.graph, p.finishGuide(ctx, &list)); err != nil {
		return false, err
	}
	st.areas = list.areas(st.prog)
	return !st.prog.Empty(), nil
}

func (st *finishStage) collect(ctx context.Context, p *plan, part image.Rectangle) (rower, error) {
	planes, err := planesOf(ctx, p.graph, st.areas, part)
	return finishRows{st.prog, planes}, err
}

type finishRows struct {
	prog  *pass.Program
	areas []*raster.Plane
}

func (r finishRows) row(s *scratch, x0, _, y int) {
	if !s.all {
		s.old = append(s.old[:0], s.pix...)
	}
	r.prog.Row(&s.pass, s.pix, x0, y, r.areas)
	if !s.all {
		s.compare(s.pix, s.old)
	}
}
