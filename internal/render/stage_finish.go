package render

import (
	"context"
	"fmt"
	"image"
	"slices"
	"sync/atomic"
	"time"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/guided"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
)

// finishStage grades the lit picture.
type finishStage struct{ prog *pass.Program }

func (st *finishStage) prepare(ctx context.Context, p *plan) (bool, error) {
	f := &p.q.Recipe.Finish
	if !f.On || len(f.Passes) == 0 {
		return false, nil
	}
	var err error
	st.prog, err = pass.Compile(f.Passes, p.site(ctx, "finish"))
	return err == nil && !st.prog.Empty(), err
}

func (st *finishStage) collect(ctx context.Context, p *plan, part image.Rectangle) (rower, error) {
	planes, err := p.areas(ctx, st.prog.Areas(), part)
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

// shadeEdge is the variance of display values from which on an edge is kept.
const shadeEdge = 0.01

// guideEdge is the long edge of the picture that guided filters are worked out on: what
// they leave is smooth, and the same for every scale and part of the picture.
const guideEdge = 512

// guide returns the guided filter of the picture as it comes to a pass of a stage.
func (p *plan) guide(ctx context.Context, stage string, n int,
	radius float64) (*guided.Filter, error) {
	r := *p.q.Recipe
	if stage == "dusk" {
		// Daylight is the first of the passes that are counted. What is kept out of dusk
		// and given back comes after all of them.
		r.Dusk.Passes = r.Dusk.Passes[:max(n-1, 0)]
		r.Dusk.Back.Area, r.Dusk.Back.Spill = "", 0
		r.Lights = slices.Clone(r.Lights)
		for i := range r.Lights {
			r.Lights[i].Keep = 0
		}
	} else {
		r.Finish.Passes = r.Finish.Passes[:n]
	}
	key := fmt.Sprintf("guide %s %s %s %g", p.q.PhotoKey, stage, setting.Key(r), radius)
	if stage == "dusk" {
		key = fmt.Sprintf("guide %s %s %s %g", p.q.PhotoKey, setting.Key(r.Dusk), p.passesKey(r.Dusk.Passes), radius)
	}
	// While spill is a draft, so is what is worked out on it.
	var rough *atomic.Bool
	if stage == "finish" && r.Room.On {
		if word := p.roughly(p.lights); word != "" {
			key, rough = word+key, p.q.Rough
		}
	}
	return graph.Fetch(ctx, p.cache, graph.Text(key),
		func(ctx context.Context) (*guided.Filter, error) {
			defer p.stats.add("guide", time.Now())
			q := &Request{Photo: p.q.Photo, PhotoKey: p.q.PhotoKey, Recipe: &r,
				pictures: p.q.pictures,
				LongEdge: min(guideEdge, r.Photo.LongEdge()), Rough: rough, Stats: p.stats}
			small, err := newPlanUpTo(ctx, p.cache, q, stage)
			if err != nil {
				return nil, err
			}
			rows, err := small.collect(ctx, small.frame)
			if err != nil {
				return nil, err
			}
			out := raster.NewPlane(small.frame)
			if err := raster.Rows(ctx, 0, small.frame.Max.Y, func(y0, y1 int) {
				s := newScratch(small.frame.Dx(), nil)
				for y := y0; y < y1; y++ {
					for _, r := range rows {
						r.row(s, 0, small.frame.Max.X, y)
					}
					for i, row := 0, out.Row(y); i < len(row); i++ {
						row[i] = colour.Display.At(colour.Luma(s.pix[3*i], s.pix[3*i+1],
							s.pix[3*i+2]))
					}
				}
			}); err != nil {
				return nil, err
			}
			return guided.New(ctx, out, out, max(int(radius*small.scale+0.5), 1), shadeEdge)
		})
}
