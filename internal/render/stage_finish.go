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
	*scene
	prog  *pass.Program
	areas []areas.Input // by step of the program
}

func (st *finishStage) prepare(ctx context.Context) (bool, error) {
	f := &st.recipe.Finish
	if !f.On || len(f.Passes) == 0 {
		return false, nil
	}
	list, err := st.passList(ctx, f.Passes)
	if err != nil {
		return false, err
	}
	if st.prog, err = list.compile(ctx, st.graph, st.finishGuide(ctx, &list)); err != nil {
		return false, err
	}
	st.areas = list.areas(st.prog)
	return !st.prog.Empty(), nil
}

func (st *finishStage) collect(ctx context.Context, part image.Rectangle) (rower, error) {
	planes, err := planesOf(ctx, st.graph, st.areas, part)
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
