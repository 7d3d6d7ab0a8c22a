package render

import (
	"cmp"
	"context"
	"fmt"
	"image"
	"math"
	"slices"
	"sync"
	"time"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/room/lightmap"
	"pyrant/internal/light/room/relief"
	"pyrant/internal/light/room/silhouette"
	"pyrant/internal/light/room/staging"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
)

// ground is which surfaces the pixels of a part of the picture show, ready for any light.
type ground struct {
	rect image.Rectangle
	rows [][]stretch // by row
}

// stretch is pixels of a row that show one surface.
type stretch struct {
	surface int
	x       int
	weight  []float32 // how much of the pixel it fills, by the daylight that it had
	normal  []float32 // of what is round: three numbers, each of them a row
}

// Bytes returns the memory that is held.
func (g *ground) Bytes() (n int64) {
	for _, r := range g.rows {
		for i := range r {
			n += 80 + 4*int64(len(r[i].weight)+len(r[i].normal))
		}
	}
	return
}

// darkest is how dark daylight is taken to make a place at the most, of open ground: more than that
// is not divided out, as noise would be all that is left.
const darkest = 0.06

// lie finds the surfaces of a part of the picture.
func (p *plan) lie(ctx context.Context, m *inRoom, r image.Rectangle) (g *ground, err error) {
	// All lights of a strip lie on the same.
	if m.last != nil && m.last.rect == r {
		return m.last, nil
	}
	defer func() {
		if err == nil {
			m.last = g
		}
	}()
	key := fmt.Sprintf("%sground %s %s %g %v", m.rough, m.key, p.groundKey(), p.scale, r)
	if r == p.frame {
		p.cache.Keep(graph.Text(fmt.Sprintf("ground %s %g", p.q.PhotoKey, p.scale)), graph.Text(key), few)
	}
	return forPart(ctx, p, r != p.frame, key, func(ctx context.Context) (*ground, error) {
		defer p.stats.add("ground", time.Now())
		v, err := p.show(ctx, m, r)
		if err != nil {
			return nil, err
		}
		g := &ground{r, make([][]stretch, r.Dy())}
		step, n := 1/p.scale, r.Dx()
		amount := p.q.Recipe.Room.Daylight
		pool := sync.Pool{New: func() any { return newLying(n) }}
		err = raster.Rows(ctx, r.Min.Y, r.Max.Y, func(y0, y1 int) {
			s := pool.Get().(*lying)
			defer pool.Put(s)
			sky, bounced, on, returned, some, least := s.sky, s.bounced, s.on, s.returned, s.some,
				s.least
			for y := y0; y < y1 && ctx.Err() == nil; y++ {
				py := (float64(y) + 0.5) * step
				row := v.rows[y-r.Min.Y]
				g.rows[y-r.Min.Y] = make([]stretch, len(row))
				for i := range row {
					b := &row[i]
					count := len(b.weight)
					k := stretch{surface: b.surface, x: b.x, weight: b.weight}
					if r == p.frame {
						k.weight = slices.Clone(b.weight) // the other is kept
					}
					body := m.Surfaces[k.surface].Sheet.Body
					if body != nil {
						k.normal = make([]float32, 3*count)
						body.Facing(k.normal, b.lean, (float64(k.x)+0.5)*step, py, step)
					}
					if t := p.thing(m, k.surface); t != nil && (t.Edge != 1 || t.Broad != 1) {
						for q := range k.weight {
							way := m.Cam.Ray((float64(k.x+q)+0.5)*step, py).Unit()
							n := k.normal[q:]
							facing := way.X*float64(n[0]) + way.Y*float64(n[count]) +
								way.Z*float64(n[2*count])
							k.weight[q] *= float32(t.Share(facing))
						}
					}
					// What of daylight comes to a ceiling is only what comes back, from what the
					// photo may not show.
					if m.daylight != nil && m.Surfaces[k.surface].Kind != staging.Ceiling {
						m.daylight.Field.Direct[k.surface].Read(sky, k.x, step, py, count)
						if m.bounce != nil {
							m.bounce.Daylight[k.surface].Read(bounced, k.x, step, py, count)
						}
						day, back := sky[:count], bounced[:count]
						if body != nil {
							day = on[:count]
							lightmap.OnRow(day, sky, k.normal)
							if m.bounce != nil {
								back = returned[:count]
								lightmap.OnAround(back, bounced, k.normal, some)
							}
						}
						if body != nil || m.shows == nil || !m.shows.Row(least, k.surface, k.x,
							step, py, count) {
							clear(least[:count])
						}
						if m.bounce != nil {
							raster.Add(day, back)
						}
						if amount < 1 {
							for q, d := range day {
								day[q] = float32(math.Pow(float64(max(d, darkest, least[q])),
									amount))
							}
							clear(least[:count])
						}
						lightmap.Divide(k.weight, day, least, darkest)
					}
					g.rows[y-r.Min.Y][i] = k
				}
			}
		})
		return g, err
	})
}

// lying is memory for daylight along a row of the ground.
type lying struct{ sky, bounced, on, returned, some, least []float32 }

func newLying(n int) *lying {
	return &lying{make([]float32, 4*n), make([]float32, lightmap.Around*n), make([]float32, n),
		make([]float32, n), make([]float32, n), make([]float32, n)}
}

// shown is which surfaces the pixels of a part of the picture show: what of the ground does not
// depend on where things stand, on lights and on daylight.
type shown struct {
	layout staging.Layout
	relief []float64 // by surface, how much of it there is
	rows   [][]visible
}

// visible is pixels of a row that show one surface.
type visible struct {
	surface int
	x       int
	weight  []float32         // how much of the pixel it fills
	lean    []silhouette.Lean // of what is round
}

// Bytes returns the memory that is held.
func (v *shown) Bytes() (n int64) {
	for _, r := range v.rows {
		for i := range r {
			n += 80 + 4*int64(len(r[i].weight)) + 12*int64(len(r[i].lean))
		}
	}
	return
}

// show finds which surfaces a part of the picture shows. Of the whole of it that is kept for as
// long as things stand in the same order.
func (p *plan) show(ctx context.Context, m *inRoom, r image.Rectangle) (*shown, error) {
	step, n := 1/p.scale, r.Dx()
	parts := partsOf(step)
	v := &shown{layout: m.Layout(), relief: make([]float64, len(m.Surfaces)),
		rows: make([][]visible, r.Dy())}
	for i := range v.relief {
		if t := p.thing(m, i); t != nil {
			v.relief[i] = t.Relief
		}
	}
	name := func(fine bool) string { return fmt.Sprintf("shown %s %g %v %t", p.q.PhotoKey, p.scale, r, fine) }
	if r == p.frame {
		if old, ok := graph.Peek[*shown](p.cache, graph.Text(name(true))); ok &&
			old.layout.Same(v.layout) &&
			slices.Equal(old.relief, v.relief) {
			return old, nil
		}
	}
	// A smaller picture's pixels at an edge show two surfaces.
	var sub *staging.Composer
	if p.scale < 1 && m.rough == "" {
		sub = m.Compose(float64(parts) * p.scale)
	} else {
		parts = 1
	}
	folds, err := p.folds(ctx, m)
	if err != nil {
		return nil, err
	}
	type memory struct {
		w    *staging.Weights
		fine *sharer
	}
	pool := sync.Pool{New: func() any {
		return &memory{m.composer.NewWeights(n), &sharer{room: m, composer: sub, parts: parts}}
	}}
	if err := raster.Rows(ctx, r.Min.Y, r.Max.Y, func(y0, y1 int) {
		s := pool.Get().(*memory)
		defer pool.Put(s)
		w, fine := s.w, s.fine
		for y := y0; y < y1 && ctx.Err() == nil; y++ {
			m.composer.Row(w, r.Min.X, y, n)
			if sub != nil {
				fine.mixed(p, w, r.Min.X, y, n)
			} else if p.scale == 1 {
				p.own(m, w, r.Min.X, y, 1)
			}
			for i, any := range w.Any {
				if !any {
					continue
				}
				body, of, end := m.Surfaces[i].Sheet.Body, w.Of[i], w.To[i]
				for a := w.From[i]; a < end; a++ {
					if of[a] == 0 {
						continue
					}
					b := a
					for b < end && of[b] != 0 {
						b++
					}
					k := visible{surface: i, x: r.Min.X + a, weight: slices.Clone(of[a:b])}
					if body != nil {
						k.lean = make([]silhouette.Lean, b-a)
						for q := range k.lean {
							k.lean[q] = body.Lean(float64(k.x+q)*step, float64(y)*step, step, parts,
								folds[i])
						}
					}
					v.rows[y-r.Min.Y] = append(v.rows[y-r.Min.Y], k)
					a = b
				}
			}
		}
	}); err != nil {
		return nil, err
	}
	if r == p.frame {
		err = graph.Put(p.cache, graph.Text(name(m.rough == "")), v)
	}
	return v, err
}

// folds returns of each surface how its front rises and falls about its smooth form, nil where it
// does not.
func (p *plan) folds(ctx context.Context, m *inRoom) ([]func(x,
	y float64) (dx, dy float64), error) {
	out := make([]func(x, y float64) (dx, dy float64), len(m.Surfaces))
	errs := make([]error, len(m.Surfaces))
	err := raster.Each(ctx, len(out), func(i int) {
		t := p.thing(m, i)
		if t == nil || t.Relief == 0 {
			return
		}
		f, err := graph.Fetch(ctx, p.cache, graph.Text(fmt.Sprintf("relief %s %s", p.q.PhotoKey,
			setting.Key(p.q.Recipe.CutOut(t.Of)))), func(ctx context.Context) (*relief.Map, error) {
			cover, err := covers{p}.CutOut(ctx, t.Of)
			if err != nil || cover == nil {
				return &relief.Map{Step: 1}, err
			}
			return relief.Find(ctx, p.q.Photo, cover)
		})
		if errs[i] = err; err == nil {
			amount := t.Relief
			out[i] = func(x, y float64) (dx, dy float64) { return f.At(x, y, amount) }
		}
	})
	return out, cmp.Or(append(errs, err)...)
}

// thing returns the thing that a surface is the front of, nil for one that is flat.
func (p *plan) thing(m *inRoom, surface int) *recipe.Thing {
	if s := &m.Surfaces[surface]; s.Kind == staging.Thing && s.Sheet.Body != nil {
		for i := range p.q.Recipe.Room.Things {
			if t := &p.q.Recipe.Room.Things[i]; t.ID == s.ID {
				return t
			}
		}
	}
	return nil
}

// partsOf returns into how many parts a pixel of step pixels of the photo is divided across and
// down, to see what of its light comes from which surface: those of the photo, if they are not too
// many.
func partsOf(step float64) int { return min(max(int(step+0.5), 1), 8) }

// sharer finds for pixels that show several surfaces what share of their light each has: a bright
// wall beside a dark figure has more than it covers. So a smaller picture is what the whole one
// shows when it is made smaller.
type sharer struct {
	room     *inRoom
	composer *staging.Composer // at so many times the picture's scale
	parts    int
	weights  *staging.Weights
	sum      [][]float32
	light    []float32
	one      [3]float32
	parted   []bool // by pixel, whether it shows several
}

func (f *sharer) mixed(p *plan, w *staging.Weights, x0, y, n int) {
	if len(f.parted) < n {
		f.parted = make([]bool, n)
	}
	parted := f.parted[:n]
	clear(parted)
	for i, any := range w.Any {
		for k := w.From[i]; any && k < w.To[i]; k++ {
			if v := w.Of[i][k]; v > 1e-3 && v < 1-1e-3 {
				parted[k] = true
			}
		}
	}
	for a := 0; a < n; a++ {
		if !parted[a] {
			continue
		}
		b := a + 1
		for b < n && parted[b] {
			b++
		}
		f.share(p, w, x0, a, b, y)
		a = b
	}
}

// share does so for the pixels from a to b.
func (f *sharer) share(p *plan, w *staging.Weights, x0, a, b, y int) {
	n, subs := b-a, f.parts
	scale := float64(subs) * p.scale
	if f.weights == nil || len(f.light) < n {
		f.weights, f.light = f.composer.NewWeights(subs*n), make([]float32, n)
		f.sum = make([][]float32, len(w.Of))
		for i := range f.sum {
			f.sum[i] = make([]float32, n)
		}
	}
	clear(f.light)
	for i := range f.sum {
		clear(f.sum[i])
	}
	ph := p.q.Photo
	for j := range subs {
		f.composer.Row(f.weights, subs*(x0+a), subs*y+j, subs*n)
		p.own(f.room, f.weights, subs*(x0+a), subs*y+j, scale)
		py := min(int((float64(subs*y+j)+0.5)/scale), ph.Height-1)
		for u := range subs * n {
			px := min(int((float64(subs*(x0+a)+u)+0.5)/scale), ph.Width-1)
			ph.Linear(f.one[:], px, py, 1)
			l := colour.Luma(f.one[0], f.one[1], f.one[2]) + 1e-4
			f.light[u/subs] += l
			for i, any := range f.weights.Any {
				if any {
					f.sum[i][u/subs] += l * f.weights.Of[i][u]
				}
			}
		}
	}
	for i := range f.sum {
		if !w.Any[i] {
			continue
		}
		for k := range n {
			w.Of[i][a+k] = f.sum[i][k] / f.light[k]
		}
	}
}

// own leaves each round thing what is its own of the light of a row's pixels that it shares with
// others, where a picture has so many pixels for one of the photo: a dark arm before a bright wall
// has less of the light than of the pixel, and the wall the more. What a thing looks like there is
// told by what is seen of it farther within. It has no more than it covers, as things are often
// darker where they turn away.
func (p *plan) own(m *inRoom, w *staging.Weights, x0, y int, scale float64) {
	var one [3]float32
	ph := p.q.Photo
	py := min(int((float64(y)+0.5)/scale), ph.Height-1)
	for i, any := range w.Any {
		if !any || m.Surfaces[i].Sheet.Body == nil {
			continue
		}
		for k, v := range w.Of[i][:w.To[i]] {
			if k < w.From[i] || v <= 0 || v >= 1 {
				continue
			}
			px := min(int((float64(x0+k)+0.5)/scale), ph.Width-1)
			inside := m.looks.Bright(i, float64(px)+0.5, float64(py)+0.5)
			if inside == 0 {
				continue
			}
			ph.Linear(one[:], px, py, 1)
			here := colour.Luma(one[0], one[1], one[2]) + 1e-4
			own := v * inside / here
			// What lies behind is not brighter than white.
			if own = max(own, 1-(1-v)/here); own >= v {
				continue
			}
			rest := (1 - own) / (1 - v)
			for j, any := range w.Any {
				if any && j != i {
					w.Of[j][k] *= rest
				}
			}
			w.Of[i][k] = own
		}
	}
}
