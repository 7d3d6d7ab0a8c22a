package render

import (
	"context"
	"image"
	"math"
	"slices"
	"sync"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/base/simd"
	"pyrant/internal/light/room/lightmap"
	"pyrant/internal/light/room/relief"
	"pyrant/internal/light/room/silhouette"
	"pyrant/internal/light/room/staging"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/cutout"
)

// gbuffer is which surfaces the pixels of a part of a picture show, ready for any light.
type gbuffer struct {
	room     roomKey
	daylight float64 // how far it is taken out
	fronts   *graph.Input[[]front]
	picture  picture
	part     image.Rectangle
}

// front is how an object shows light, in the recipe's order.
type front struct {
	id                  string
	of                  cutout.Ref
	edge, broad, relief float64 // see recipe.Thing
}

// gbuffer returns the key of the surfaces that a part of the picture shows.
func (m *room) gbuffer(part image.Rectangle) gbuffer {
	var list []front
	for i := range m.recipe.Things {
		t := &m.recipe.Things[i]
		list = append(list, front{t.ID, t.Of, t.Edge, t.Broad, t.Relief})
	}
	return gbuffer{m.roomKey, m.recipe.Daylight, graph.Of(m.canvas.graph, list), m.canvas.picture,
		part}
}

// frameVersions names the values of one kind that a frame of a scale has; see graph.Versioned.
type frameVersions struct {
	versions
	scale float64
}

func (k gbuffer) Group() (any, int) {
	if k.part != k.picture.Frame {
		return nil, 0
	}
	return frameVersions{versions{"gbuffer", k.picture.Photo}, k.picture.Scale}, maxRoomVersions
}

func (k gbuffer) Passes() bool { return k.part != k.picture.Frame }

// surfaces is which surfaces the pixels of a part of a picture show.
type surfaces struct {
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
func (s *surfaces) Bytes() (n int64) {
	for _, r := range s.rows {
		for i := range r {
			n += 80 + 4*int64(len(r[i].weight)+len(r[i].normal))
		}
	}
	return
}

// minDaylight is how dark daylight is taken to make a place at the most, of open ground: more than
// that is not divided out, as noise would be all that is left.
const minDaylight = 0.06

// deLight divides the daylight out of what surfaces show.
type deLight struct {
	amount float64
	day    *staging.Daylight
	bounce *staging.Bounce // nil in a draft
	shown  *staging.Shown  // nil in a draft
}

// deLight returns what divides the daylight out; nil if it stays.
func (k gbuffer) deLight(ctx context.Context, g *graph.Graph) (*deLight, error) {
	if !k.room.daylight {
		return nil, nil
	}
	room, d := k.room, &deLight{amount: k.daylight}
	var err error
	if d.day, err = graph.Get(ctx, g,
		roomDaylight{room.photo, room.geometry, room.draft.daylight}); err != nil {
		return nil, err
	}
	if !room.draft.bounce {
		if d.bounce, err = graph.Get(ctx, g, room.bounces()); err != nil {
			return nil, err
		}
	}
	if !room.isDraft() {
		d.shown, err = graph.Get(ctx, g, roomShown{room.photo, room.geometry})
	}
	return d, err
}

func (k gbuffer) Build(ctx context.Context, g *graph.Graph) (*surfaces, error) {
	set, err := graph.Get(ctx, g, k.room.set())
	if err != nil {
		return nil, err
	}
	light, err := k.deLight(ctx, g)
	if err != nil {
		return nil, err
	}
	fronts := frontsOf(set, k.fronts.Value())
	v, err := k.visible(ctx, g, set, fronts)
	if err != nil {
		return nil, err
	}
	r := k.part
	out := &surfaces{r, make([][]stretch, r.Dy())}
	step, n := 1/k.picture.Scale, r.Dx()
	pool := sync.Pool{New: func() any { return newDeLightRow(n) }}
	return out, raster.Rows(ctx, r.Min.Y, r.Max.Y, func(y0, y1 int) {
		row := pool.Get().(*deLightRow)
		defer pool.Put(row)
		for y := y0; y < y1 && ctx.Err() == nil; y++ {
			py := (float64(y) + 0.5) * step
			seen := v.rows[y-r.Min.Y]
			list := make([]stretch, len(seen))
			for i := range seen {
				b := &seen[i]
				s := stretch{surface: b.surface, x: b.x, weight: b.weight}
				if r == k.picture.Frame {
					s.weight = slices.Clone(b.weight) // the other is kept
				}
				face := &set.Surfaces[s.surface]
				if body := face.Sheet.Body; body != nil {
					s.normal = make([]float32, 3*len(b.weight))
					body.Facing(s.normal, b.lean, (float64(s.x)+0.5)*step, py, step)
				}
				if f := fronts[s.surface]; f != nil {
					f.share(set, &s, step, py)
				}
				// What of daylight comes to a ceiling is only what comes back, from what the photo
				// may not show.
				if light != nil && face.Kind != staging.Ceiling {
					light.divide(row, &s, step, py)
				}
				list[i] = s
			}
			out.rows[y-r.Min.Y] = list
		}
	})
}

// frontsOf returns by surface the front that it shows; nil for what is flat.
func frontsOf(set *staging.Set, list []front) []*front {
	out := make([]*front, len(set.Surfaces))
	for i := range out {
		if s := &set.Surfaces[i]; s.Kind == staging.Thing && s.Sheet.Body != nil {
			if at := slices.IndexFunc(list, func(f front) bool { return f.id == s.ID }); at >= 0 {
				out[i] = &list[at]
			}
		}
	}
	return out
}

// share weights the pixels of a front by how much of the light counts where it faces so.
func (f *front) share(set *staging.Set, s *stretch, step, py float64) {
	if f.edge == 1 && f.broad == 1 {
		return
	}
	t, count := recipe.Thing{Edge: f.edge, Broad: f.broad}, len(s.weight)
	for q := range s.weight {
		way := set.Cam.Ray((float64(s.x+q)+0.5)*step, py).Unit()
		n := s.normal[q:]
		facing := way.X*float64(n[0]) + way.Y*float64(n[count]) + way.Z*float64(n[2*count])
		s.weight[q] *= float32(t.Share(facing))
	}
}

// deLightRow is memory for the daylight along a row.
type deLightRow struct{ sky, bounced, on, returned, some, least []float32 }

func newDeLightRow(n int) *deLightRow {
	return &deLightRow{make([]float32, 4*n), make([]float32, lightmap.Around*n),
		make([]float32, n), make([]float32, n), make([]float32, n), make([]float32, n)}
}

// divide divides the daylight out of the weights of a stretch.
func (d *deLight) divide(m *deLightRow, s *stretch, step, py float64) {
	count := len(s.weight)
	d.day.Field.Direct[s.surface].Read(m.sky, s.x, step, py, count)
	if d.bounce != nil {
		d.bounce.Daylight[s.surface].Read(m.bounced, s.x, step, py, count)
	}
	day, back := m.sky[:count], m.bounced[:count]
	if s.normal != nil {
		day = m.on[:count]
		lightmap.OnRow(day, m.sky, s.normal)
		if d.bounce != nil {
			back = m.returned[:count]
			lightmap.OnAround(back, m.bounced, s.normal, m.some)
		}
	}
	if s.normal != nil || d.shown == nil || !d.shown.Row(m.least, s.surface, s.x, step, py, count) {
		clear(m.least[:count])
	}
	if d.bounce != nil {
		simd.Add(day, back)
	}
	if d.amount < 1 {
		for q, v := range day {
			day[q] = float32(math.Pow(float64(max(v, minDaylight, m.least[q])), d.amount))
		}
		clear(m.least[:count])
	}
	lightmap.Divide(s.weight, day, m.least, minDaylight)
}

// visibility is which surfaces the pixels of a part of a picture show: what of a G-buffer does not
// depend on where objects stand, on lights and on daylight. Of a whole frame it is kept for as long
// as things stand in the same order.
type visibility struct {
	layout  *graph.Input[*staging.Set]
	relief  *graph.Input[[]surfaceRelief] // by surface
	picture picture
	part    image.Rectangle
	draft   bool // a pixel shows one surface
}

// surfaceRelief is how much of a cut-out's relief a surface has; nil and 0 for none.
type surfaceRelief struct {
	cover  coverInput
	amount float64
}

func (k visibility) Group() (any, int) {
	return frameVersions{versions{"visibility", k.picture.Photo}, k.picture.Scale}, maxRoomVersions
}

// visible is the surfaces that a part of a picture shows.
type visible struct{ rows [][]seenRun }

// seenRun is pixels of a row that show one surface.
type seenRun struct {
	surface int
	x       int
	weight  []float32         // how much of the pixel it fills
	lean    []silhouette.Lean // of what is round
}

// Bytes returns the memory that is held.
func (v *visible) Bytes() (n int64) {
	for _, r := range v.rows {
		for i := range r {
			n += 80 + 4*int64(len(r[i].weight)) + 12*int64(len(r[i].lean))
		}
	}
	return
}

// visible returns which surfaces the part shows. A draft takes those of a frame at rest if they are
// there.
func (k gbuffer) visible(ctx context.Context, g *graph.Graph, set *staging.Set,
	fronts []*front) (*visible, error) {
	list := make([]surfaceRelief, len(fronts))
	for i, f := range fronts {
		if f == nil || f.relief == 0 {
			continue
		}
		c, err := covers{g, k.room.geometry.Value()}.CutOut(ctx, f.of)
		if err != nil {
			return nil, err
		}
		if c != nil {
			list[i] = surfaceRelief{graph.Intern(g, c.Key(), c), f.relief}
		}
	}
	key := visibility{set.Layout, graph.Of(g, list), k.picture, k.part, false}
	if k.part != k.picture.Frame {
		key.draft = k.room.isDraft()
		return key.Build(ctx, g) // it serves nothing else
	}
	key.draft = k.room.isDraft() && !graph.Has(g, key)
	return graph.Get(ctx, g, key)
}

// composer tells at a scale which surface of a layout is seen at each pixel. Its masks grow as they
// are asked; see graph.Own.
type composer struct {
	layout *graph.Input[*staging.Set]
	scale  float64
}

func (k composer) Build(context.Context, *graph.Graph) (*staging.Composer, error) {
	return k.layout.Value().Compose(k.scale), nil
}

func (k visibility) Build(ctx context.Context, g *graph.Graph) (*visible, error) {
	r, scale := k.part, k.picture.Scale
	step, n := 1/scale, r.Dx()
	main, err := graph.Own(ctx, g, composer{k.layout, scale})
	if err != nil {
		return nil, err
	}
	looks, err := graph.Get(ctx, g, roomLooks{k.picture.Photo, k.layout})
	if err != nil {
		return nil, err
	}
	mix := unmixer{photo: k.picture.Photo.Value(), set: k.layout.Value(), looks: looks}
	// A smaller picture's pixels at an edge show two surfaces.
	parts := 1
	var fine *staging.Composer
	if scale < 1 && !k.draft {
		parts = partsOf(step)
		if fine, err = graph.Own(ctx, g, composer{k.layout, float64(parts) * scale}); err != nil {
			return nil, err
		}
	}
	folds, err := k.folds(ctx, g)
	if err != nil {
		return nil, err
	}
	type memory struct {
		w    *staging.Weights
		fine *subpixels
	}
	pool := sync.Pool{New: func() any {
		return &memory{main.NewWeights(n),
			&subpixels{unmixer: mix, composer: fine, parts: parts, scale: scale}}
	}}
	out := &visible{make([][]seenRun, r.Dy())}
	return out, raster.Rows(ctx, r.Min.Y, r.Max.Y, func(y0, y1 int) {
		s := pool.Get().(*memory)
		defer pool.Put(s)
		for y := y0; y < y1 && ctx.Err() == nil; y++ {
			main.Row(s.w, r.Min.X, y, n)
			if fine != nil {
				s.fine.mixed(s.w, r.Min.X, y, n)
			} else if scale == 1 {
				mix.own(s.w, r.Min.X, y, 1)
			}
			out.rows[y-r.Min.Y] = k.spans(s.w, folds, y, parts)
		}
	})
}

// spans returns the pixels of row y that each surface fills.
func (k visibility) spans(w *staging.Weights, folds []fold, y, parts int) (out []seenRun) {
	step, x0 := 1/k.picture.Scale, k.part.Min.X
	for i, any := range w.Any {
		if !any {
			continue
		}
		body, of, end := k.layout.Value().Surfaces[i].Sheet.Body, w.Of[i], w.To[i]
		for a := w.From[i]; a < end; a++ {
			if of[a] == 0 {
				continue
			}
			b := a
			for b < end && of[b] != 0 {
				b++
			}
			s := seenRun{surface: i, x: x0 + a, weight: slices.Clone(of[a:b])}
			if body != nil {
				s.lean = make([]silhouette.Lean, b-a)
				for q := range s.lean {
					s.lean[q] = body.Lean(float64(s.x+q)*step, float64(y)*step, step, parts,
						folds[i])
				}
			}
			out = append(out, s)
			a = b
		}
	}
	return out
}

// fold returns how a front rises and falls about its smooth form.
type fold = func(x, y float64) (dx, dy float64)

// reliefMap is how folded and dented what a coverage covers is, by the photo's shading.
type reliefMap struct {
	photo photoInput
	cover coverInput
}

func (k reliefMap) Build(ctx context.Context, _ *graph.Graph) (*relief.Map, error) {
	return relief.Find(ctx, k.photo.Value(), k.cover.Value())
}

// folds returns the folds of each surface; nil for one that has none.
func (k visibility) folds(ctx context.Context, g *graph.Graph) ([]fold, error) {
	list := k.relief.Value()
	out := make([]fold, len(list))
	return out, raster.Try(ctx, len(out), func(i int) error {
		if list[i].cover == nil {
			return nil
		}
		f, err := graph.Get(ctx, g, reliefMap{k.picture.Photo, list[i].cover})
		if err == nil {
			out[i] = func(x, y float64) (dx, dy float64) { return f.At(x, y, list[i].amount) }
		}
		return err
	})
}

// partsOf returns into how many parts a pixel of step pixels of the photo is divided across and
// down, to see what of its light comes from which surface: those of the photo, if they are not too
// many.
func partsOf(step float64) int { return min(max(int(step+0.5), 1), 8) }

// unmixer finds what share of a pixel's light each of the surfaces has that share it.
type unmixer struct {
	photo *photo.Photo
	set   *staging.Set
	looks *staging.Looks
}

// subpixels finds for pixels that show several surfaces what share of their light each has: a
// bright wall beside a dark figure has more than it covers. So a smaller picture is what the whole
// one shows when it is made smaller.
type subpixels struct {
	unmixer
	composer *staging.Composer // at so many times the picture's scale
	parts    int
	scale    float64 // of the picture
	weights  *staging.Weights
	sum      [][]float32
	light    []float32
	one      [3]float32
	parted   []bool // by pixel, whether it shows several
}

func (f *subpixels) mixed(w *staging.Weights, x0, y, n int) {
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
		f.share(w, x0, a, b, y)
		a = b
	}
}

// share does so for the pixels from a to b.
func (f *subpixels) share(w *staging.Weights, x0, a, b, y int) {
	n, subs := b-a, f.parts
	scale := float64(subs) * f.scale
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
	ph := f.photo
	for j := range subs {
		f.composer.Row(f.weights, subs*(x0+a), subs*y+j, subs*n)
		f.own(f.weights, subs*(x0+a), subs*y+j, scale)
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

// own leaves each round object what is its own of the light of a row's pixels that it shares with
// others, where a picture has so many pixels for one of the photo: a dark arm before a bright wall
// has less of the light than of the pixel, and the wall the more. What an object looks like there
// is told by what is seen of it farther within. It has no more than it covers, as objects are often
// darker where they turn away.
func (m *unmixer) own(w *staging.Weights, x0, y int, scale float64) {
	var one [3]float32
	ph := m.photo
	py := min(int((float64(y)+0.5)/scale), ph.Height-1)
	for i, any := range w.Any {
		if !any || m.set.Surfaces[i].Sheet.Body == nil {
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
