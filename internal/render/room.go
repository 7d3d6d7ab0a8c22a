package render

import (
	"cmp"
	"context"
	"fmt"
	"image"
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"pyrant/internal/cache"
	"pyrant/internal/colour"
	"pyrant/internal/coverage"
	"pyrant/internal/cutout"
	"pyrant/internal/glow"
	"pyrant/internal/irradiance"
	"pyrant/internal/raster"
	"pyrant/internal/recipe"
	"pyrant/internal/relief"
	"pyrant/internal/setting"
	"pyrant/internal/solid"
	"pyrant/internal/staging"
)

// roomPower is how much brighter than white what a light covers is taken to be, at a strength of 1,
// for the light that it gives to a room.
const roomPower = 40

// inRoom is the room of a plan.
type inRoom struct {
	*staging.Set
	key      string // of the room as it is set up, with the daylight in it
	rough    string // set where daylight or bounce are not ready: before the keys of what follows from them
	daylight *staging.Daylight
	bounce   *staging.Bounce
	composer *staging.Composer
	last     *ground // that was asked for last
}

// covers gives what cut-outs and lights cover.
type covers struct{ *plan }

func (c covers) CutOut(ctx context.Context, id cutout.Ref) (coverage.Coverage, error) {
	k := c.q.Recipe.CutOut(id)
	if k == nil || k.Empty() {
		return nil, nil
	}
	return cutOut(ctx, c.cache, k, cutout.Alpha)
}

func (c covers) Light(ctx context.Context, l *recipe.Light) (coverage.Coverage, error) {
	return coverOf(ctx, c.cache, c.q.Recipe, l.Shapes, false)
}

func (c covers) Shape(ctx context.Context, key string, build func(context.Context) (*solid.Shape, error)) (*solid.Shape, error) {
	return cache.Get(ctx, c.cache, key, build)
}

// latest is which lights crossed the things of a room when it was set up last.
type latest string

func (l latest) Bytes() int64 { return int64(len(l)) }

// geometryKey names the room of the recipe as geometry. While a light moves that crosses a thing, it is that of
// before.
func (p *plan) geometryKey() string {
	if p.space == "" {
		p.space, p.crossing = staging.Key(p.q.Recipe)
		if p.q.Rough != nil {
			if _, ready := cache.Peek[*staging.Set](p.cache, p.setKey()); !ready {
				own := p.crossing
				if l, ok := cache.Peek[latest](p.cache, "latest "+p.roomKeyOf(p.space)); ok {
					p.crossing = string(l)
				}
				if _, ready := cache.Peek[*staging.Set](p.cache, p.setKey()); ready {
					p.q.Rough.Store(true)
				} else {
					p.crossing = own
				}
			}
		}
	}
	return p.space + p.crossing
}

// setKey names the room as it is set up: as geometry, with what its floor and walls mirror.
func (p *plan) setKey() string {
	m := &p.q.Recipe.Room
	b := fmt.Appendf(nil, "set %s %g %g", p.geometryKey(), m.Sheen, m.Rough)
	for i := range m.Walls {
		b = fmt.Appendf(b, " %g", m.Walls[i].Gloss)
	}
	return string(b)
}

// roomKey names the room of the recipe, and the photo whose daylight is looked at.
func (p *plan) roomKey() string { return p.roomKeyOf(p.geometryKey()) }

func (p *plan) roomKeyOf(geometry string) string { return p.q.PhotoKey + " " + geometry }

func (p *plan) daylightKey() string { return "daylight " + p.roomKey() }

// bounceKey names what surfaces give to each other; their colours have daylight taken out or not.
func (p *plan) bounceKey() string {
	return fmt.Sprintf("bounce %s %t", p.roomKey(), p.q.Recipe.Room.Daylight > 0)
}

// shownKey names the room as it is set up, and whether daylight is taken out of it.
func (p *plan) shownKey() string {
	return fmt.Sprintf("%s %s %t", p.q.PhotoKey, p.setKey(), p.q.Recipe.Room.Daylight > 0)
}

// lightsKey names the same, with how shadows fall.
func (p *plan) lightsKey() string {
	m := &p.q.Recipe.Room
	return fmt.Sprintf("%s %g %t", p.shownKey(), m.Shadows, m.Bounce > 0)
}

// roughly is a word for the keys of what is made of spill: it is not that of the fine one while some of it is not ready, and
// may be rough.
func (p *plan) roughly(lights []*litLight) string {
	if p.q.Rough == nil {
		return ""
	}
	room := &p.q.Recipe.Room
	_, ready := cache.Peek[*staging.Daylight](p.cache, p.daylightKey())
	ready = ready || room.Daylight == 0
	if _, there := cache.Peek[*staging.Bounce](p.cache, p.bounceKey()); !there && (room.Bounce > 0 || room.Daylight > 0) {
		ready = false
	}
	for _, ll := range lights {
		if _, there := cache.Peek[*lightField](p.cache, p.fieldKey(ll.l)); !there {
			ready = false
		}
	}
	if ready {
		return ""
	}
	return "rough "
}

// fallKey names all of the room that what falls on it depends on.
func (p *plan) fallKey() string {
	m := &p.q.Recipe.Room
	return fmt.Sprintf("%s %s %g %g %s", p.q.PhotoKey, p.setKey(), m.Shadows, m.Bounce, p.groundKey())
}

// groundKey names what pixels send back beside what falls on them: how far daylight is taken out, and what of the light
// things get at their edges and fronts, and how folded these are.
func (p *plan) groundKey() string {
	b := fmt.Appendf(nil, "%g", p.q.Recipe.Room.Daylight)
	for _, t := range p.q.Recipe.Room.Things {
		b = fmt.Appendf(b, " %g %g %g", t.Edge, t.Broad, t.Relief)
	}
	return string(b)
}

// standKey names what light i covers and where it stands.
func (p *plan) standKey(i int) string {
	if p.stands == nil {
		p.stands = make([]string, len(p.q.Recipe.Lights))
	}
	if p.stands[i] == "" {
		l := &p.q.Recipe.Lights[i]
		p.stands[i] = setting.Key(l.Shapes) + " " + string(l.Stand)
	}
	return p.stands[i]
}

// standOf names what a light covers and where it stands.
func (p *plan) standOf(l *recipe.Light) string {
	for i := range p.q.Recipe.Lights {
		if p.q.Recipe.Lights[i].ID == l.ID {
			return p.standKey(i)
		}
	}
	return ""
}

// set sets the recipe's room up as geometry; nil where it has none.
func (p *plan) set(ctx context.Context) (*staging.Set, error) {
	if !p.q.Recipe.Room.On {
		return nil, nil
	}
	return cache.Get(ctx, p.cache, p.setKey(), func(ctx context.Context) (*staging.Set, error) {
		defer p.stats.add("room", time.Now())
		return staging.New(ctx, p.q.Recipe, covers{p})
	})
}

// openRoom sets the recipe's room up; nil where it has none.
func (p *plan) openRoom(ctx context.Context) (*inRoom, error) {
	r := p.q.Recipe
	if !r.Room.On {
		return nil, nil
	}
	if p.room != nil {
		return p.room, nil
	}
	set, err := p.set(ctx)
	if err != nil {
		return nil, err
	}
	m := &inRoom{Set: set, key: p.shownKey(), composer: set.Compose(p.scale)}
	small := func(ctx context.Context) (staging.Small, error) {
		q := *p.q
		q.View, q.LongEdge = image.Rectangle{}, m.Small()
		sp, err := newPlanUpTo(ctx, p.cache, &q, "photo")
		if err != nil {
			return staging.Small{}, err
		}
		if sp.same {
			out := raster.NewRGB(sp.frame)
			for y := range sp.frame.Max.Y {
				q.Photo.Linear(out.Row(y), 0, y, sp.frame.Max.X)
			}
			return staging.Small{RGB: out}, nil
		}
		b, err := sp.base(ctx, sp.frame)
		return staging.Small{RGB: b}, err
	}
	if r.Room.Daylight > 0 {
		find := func(rough bool) func(context.Context) (*staging.Daylight, error) {
			return func(ctx context.Context) (*staging.Daylight, error) {
				defer p.stats.add("daylight", time.Now())
				pic, err := small(ctx)
				if err != nil {
					return nil, err
				}
				return m.Set.Daylight(ctx, pic, rough)
			}
		}
		name := p.daylightKey()
		if _, ready := cache.Peek[*staging.Daylight](p.cache, name); p.mayBeRough(ready) {
			m.rough = "rough "
			m.daylight, err = cache.Get(ctx, p.cache, m.rough+name, find(true))
		} else {
			m.daylight, err = cache.Get(ctx, p.cache, name, find(false))
		}
		if err != nil {
			return nil, err
		}
	}
	// What comes back of daylight is to be divided out as well.
	if r.Room.Bounce > 0 || m.daylight != nil {
		name := p.bounceKey()
		if _, ready := cache.Peek[*staging.Bounce](p.cache, name); p.mayBeRough(ready) {
			m.rough = "rough "
		} else if m.bounce, err = cache.Get(ctx, p.cache, name, func(ctx context.Context) (*staging.Bounce, error) {
			defer p.stats.add("bounce", time.Now())
			pic, err := small(ctx)
			if err != nil {
				return nil, err
			}
			return m.Set.Bounce(ctx, pic, m.daylight)
		}); err != nil {
			return nil, err
		}
	}
	if m.rough == "" {
		p.cache.Only("bounce "+p.q.PhotoKey, p.bounceKey(), few)
		if err := cache.Put(p.cache, "latest "+p.roomKeyOf(p.space), latest(p.crossing)); err != nil {
			return nil, err
		}
	}
	p.room = m
	return m, nil
}

// mayBeRough tells whether something that is not ready may be worked out less finely, and says that it is.
func (p *plan) mayBeRough(ready bool) bool {
	if ready || p.q.Rough == nil {
		return false
	}
	p.q.Rough.Store(true)
	return true
}

// lightField is what a light gives to a room, with the name of all that it depends on.
type lightField struct {
	*irradiance.Field
	key string
	own string // of that what does not tell of the other lights
	of  string // names photo and light
}

// shineIn returns what a light gives to the surfaces of the room. While something moves, a light that stands
// as it stood keeps its field, although others may shade it otherwise now.
func (p *plan) shineIn(ctx context.Context, m *inRoom, ll *litLight) (*lightField, error) {
	own := p.lightsKey() + " " + p.standOf(ll.l)
	key := m.rough + p.fieldKey(ll.l)
	of := p.q.PhotoKey + " " + ll.l.ID
	last := "latest field " + of
	work := func(rough bool) func(context.Context) (*lightField, error) {
		return func(ctx context.Context) (*lightField, error) {
			defer p.stats.add("spill", time.Now())
			l, err := m.Light(ctx, ll.l)
			if err != nil {
				return nil, err
			}
			scene, bounce := m.Scene, (*irradiance.Bounce)(nil)
			if !rough && p.q.Recipe.Room.Bounce > 0 {
				bounce = m.bounce.Bounce
			}
			if !rough {
				if scene, err = m.Among(ctx, p.bodies(ll.l)); err != nil {
					return nil, err
				}
			}
			var before *irradiance.Field
			if f, ok := cache.Peek[*lightField](p.cache, last); ok && !rough && m.rough == "" {
				before = f.Field // something may have moved since
			}
			f, err := scene.Of(ctx, l, m.Sheets(), m.Detail(rough, m.rough != ""), p.q.Recipe.Room.Shadows, bounce, before)
			return &lightField{f, key, own, of}, err
		}
	}
	if _, ready := cache.Peek[*lightField](p.cache, key); p.mayBeRough(ready) {
		if m.rough == "" {
			if f, ok := cache.Peek[*lightField](p.cache, last); ok && f.own == own {
				return f, nil
			}
		}
		key = "rough field " + own
		return cache.Get(ctx, p.cache, key, work(true))
	}
	f, err := cache.Get(ctx, p.cache, key, work(false))
	if err != nil || m.rough != "" {
		return f, err
	}
	// For the frames of a later move: whatever it was of before, now it is of this.
	return f, cache.Put(p.cache, last, f)
}

// bodies returns the lights that may shade a light's spill: all others, lit or not.
func (p *plan) bodies(but *recipe.Light) (out []*recipe.Light) {
	for i := range p.q.Recipe.Lights {
		if l := &p.q.Recipe.Lights[i]; l.ID != but.ID && len(l.Shapes) > 0 {
			out = append(out, l)
		}
	}
	return
}

// fieldKey names what a light gives to a room.
func (p *plan) fieldKey(l *recipe.Light) string {
	var b strings.Builder
	b.WriteString("field " + p.lightsKey() + " " + p.standOf(l) + " among")
	for _, o := range p.bodies(l) {
		b.WriteString(" " + p.standOf(o))
	}
	return b.String()
}

// fallenLight is what of a light comes back from each pixel, but for its colour in the photo: one value where
// nothing bounces, or one for each channel.
type fallenLight struct {
	plain   *raster.Plane
	colours *raster.RGB
}

func (f fallenLight) Bytes() int64 {
	if f.colours != nil {
		return f.colours.Bytes()
	}
	return int64(len(f.plain.Pix)) * 4
}

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

// darkest is how dark daylight is taken to make a place at the most, of open ground: more than that is
// not divided out, as noise would be all that is left.
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
		p.cache.Only(fmt.Sprintf("ground %s %g", p.q.PhotoKey, p.scale), key, few)
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
		err = raster.Rows(ctx, r.Min.Y, r.Max.Y, func(y0, y1 int) {
			sky, bounced := make([]float32, 4*n), make([]float32, 4*n)
			on, returned := make([]float32, n), make([]float32, n)
			for y := y0; y < y1 && ctx.Err() == nil; y++ {
				py := (float64(y) + 0.5) * step
				row := v.rows[y-r.Min.Y]
				g.rows[y-r.Min.Y] = make([]stretch, len(row))
				for i := range row {
					b := &row[i]
					count := len(b.weight)
					k := stretch{surface: b.surface, x: b.x, weight: slices.Clone(b.weight)}
					body := m.Surfaces[k.surface].Sheet.Body
					if body != nil {
						k.normal = make([]float32, 3*count)
						for q, l := range b.lean {
							v := body.Facing(l, (float64(k.x+q)+0.5)*step, py)
							k.normal[q], k.normal[count+q], k.normal[2*count+q] = float32(v.X), float32(v.Y), float32(v.Z)
						}
					}
					if t := p.thing(m, k.surface); t != nil && (t.Edge != 1 || t.Broad != 1) {
						for q := range k.weight {
							way := m.Cam.Ray((float64(k.x+q)+0.5)*step, py).Unit()
							n := k.normal[q:]
							facing := way.X*float64(n[0]) + way.Y*float64(n[count]) + way.Z*float64(n[2*count])
							k.weight[q] *= float32(t.Share(facing))
						}
					}
					// What of daylight comes to a ceiling is only what comes back, from what the photo may not show.
					if m.daylight != nil && m.Surfaces[k.surface].Kind != staging.Ceiling {
						m.daylight.Field.Direct[k.surface].Read(sky, k.x, step, py, count)
						if m.bounce != nil {
							m.bounce.Daylight[k.surface].Read(bounced, k.x, step, py, count)
						}
						day, back := sky[:count], bounced[:count]
						if body != nil {
							day = on[:count]
							irradiance.OnRow(day, sky, k.normal)
							if m.bounce != nil {
								back = returned[:count]
								irradiance.OnRow(back, bounced, k.normal)
							}
						}
						for q := range k.weight {
							d := day[q]
							if m.bounce != nil {
								d += back[q]
							}
							d = max(d, darkest)
							if amount < 1 {
								d = float32(math.Pow(float64(d), amount))
							}
							k.weight[q] /= d
						}
					}
					g.rows[y-r.Min.Y][i] = k
				}
			}
		})
		return g, err
	})
}

// shown is which surfaces the pixels of a part of the picture show: what of the ground does not depend on where things
// stand, on lights and on daylight.
type shown struct {
	layout staging.Layout
	relief []float64 // by surface, how much of it there is
	rows   [][]visible
}

// visible is pixels of a row that show one surface.
type visible struct {
	surface int
	x       int
	weight  []float32    // how much of the pixel it fills
	lean    []solid.Lean // of what is round
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

// show finds which surfaces a part of the picture shows. Of the whole of it that is kept for as long as things stand in
// the same order.
func (p *plan) show(ctx context.Context, m *inRoom, r image.Rectangle) (*shown, error) {
	step, n := 1/p.scale, r.Dx()
	parts := partsOf(step)
	v := &shown{layout: m.Layout(), relief: make([]float64, len(m.Surfaces)), rows: make([][]visible, r.Dy())}
	for i := range v.relief {
		if t := p.thing(m, i); t != nil {
			v.relief[i] = t.Relief
		}
	}
	name := func(fine bool) string { return fmt.Sprintf("shown %s %g %v %t", p.q.PhotoKey, p.scale, r, fine) }
	if r == p.frame {
		if old, ok := cache.Peek[*shown](p.cache, name(true)); ok && old.layout.Same(v.layout) && slices.Equal(old.relief, v.relief) {
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
	if err := raster.Rows(ctx, r.Min.Y, r.Max.Y, func(y0, y1 int) {
		w := m.composer.NewWeights(n)
		fine := &sharer{composer: sub, parts: parts}
		for y := y0; y < y1 && ctx.Err() == nil; y++ {
			m.composer.Row(w, r.Min.X, y, n)
			if sub != nil {
				fine.mixed(p, w, r.Min.X, y, n)
			}
			for i, any := range w.Any {
				if !any {
					continue
				}
				body, of := m.Surfaces[i].Sheet.Body, w.Of[i][:n]
				for a := 0; a < n; a++ {
					if of[a] == 0 {
						continue
					}
					b := a
					for b < n && of[b] != 0 {
						b++
					}
					k := visible{surface: i, x: r.Min.X + a, weight: slices.Clone(of[a:b])}
					if body != nil {
						k.lean = make([]solid.Lean, b-a)
						for q := range k.lean {
							k.lean[q] = body.Lean(float64(k.x+q)*step, float64(y)*step, step, parts, folds[i])
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
		err = cache.Put(p.cache, name(m.rough == ""), v)
	}
	return v, err
}

// folds returns of each surface how its front rises and falls about its smooth form, nil where it does not.
func (p *plan) folds(ctx context.Context, m *inRoom) ([]func(x, y float64) (dx, dy float64), error) {
	out := make([]func(x, y float64) (dx, dy float64), len(m.Surfaces))
	errs := make([]error, len(m.Surfaces))
	err := raster.Each(ctx, len(out), func(i int) {
		t := p.thing(m, i)
		if t == nil || t.Relief == 0 || m.Surfaces[i].Sheet.Body.Flat {
			return // what lies is seen from one side alone
		}
		f, err := cache.Get(ctx, p.cache, fmt.Sprintf("relief %s %s", p.q.PhotoKey, setting.Key(p.q.Recipe.CutOut(t.Of))), func(ctx context.Context) (*relief.Map, error) {
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

// partsOf returns into how many parts a pixel of step pixels of the photo is divided across and down, to see what of
// its light comes from which surface: those of the photo, if they are not too many.
func partsOf(step float64) int { return min(max(int(step+0.5), 1), 8) }

// sharer finds for pixels that show several surfaces what share of their light each has: a bright wall beside a dark
// figure has more than it covers. So a smaller picture is what the whole one shows when it is made smaller.
type sharer struct {
	composer *staging.Composer // at so many times the picture's scale
	parts    int
	weights  *staging.Weights
	sum      [][]float32
	light    []float32
	one      [3]float32
}

func (f *sharer) mixed(p *plan, w *staging.Weights, x0, y, n int) {
	parted := func(k int) bool {
		for i, any := range w.Any {
			if v := w.Of[i][k]; any && v > 1e-3 && v < 1-1e-3 {
				return true
			}
		}
		return false
	}
	for a := 0; a < n; a++ {
		if !parted(a) {
			continue
		}
		b := a + 1
		for b < n && parted(b) {
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

// few is how many of what follows from a room are held, as it stood last: for undo, and to compare.
const few = 3

// fallen returns what of a light comes back from each pixel of a part of the picture, by its colour in
// the photo.
func (p *plan) fallen(ctx context.Context, m *inRoom, f *lightField, part image.Rectangle) (fallenLight, error) {
	r := p.frame
	if r.Dx()*r.Dy() > wholeLimit {
		r = part
	}
	key := fmt.Sprintf("fallen %s %s %g %g %v", f.key, p.groundKey(), p.q.Recipe.Room.Bounce, p.scale, r)
	if r == p.frame {
		p.cache.Only(fmt.Sprintf("fallen %s %g", f.of, p.scale), key, few)
	}
	return forPart(ctx, p, r != p.frame, key, func(ctx context.Context) (fallenLight, error) {
		g, err := p.lie(ctx, m, r)
		if err != nil {
			return fallenLight{}, err
		}
		defer p.stats.add("fall", time.Now())
		var out fallenLight
		if f.Bounce == nil {
			out.plain = raster.NewPlane(r)
		} else {
			out.colours = raster.NewRGB(r)
		}
		err = raster.Rows(ctx, r.Min.Y, r.Max.Y, func(y0, y1 int) {
			s := newFalling(r.Dx())
			defer fallings.Put(s)
			for y := y0; y < y1 && ctx.Err() == nil; y++ {
				if f.Bounce == nil {
					p.fall(g, f.Field, out.plain.Row(y), y, s)
				} else {
					p.fall(g, f.Field, out.colours.Row(y), y, s)
				}
			}
		})
		return out, err
	})
}

// falling is memory for what falls on a row, and fallings what is done with of it.
type falling struct{ direct, on, bounce, colours, row []float32 }

var fallings = sync.Pool{New: func() any { return new(falling) }}

// newFalling returns memory for a row of n pixels.
func newFalling(n int) *falling {
	s := fallings.Get().(*falling)
	if len(s.on) < n {
		*s = falling{make([]float32, 4*n), make([]float32, n), make([]float32, irradiance.Mixed*n), make([]float32, 3*n), make([]float32, 3*n)}
	}
	return s
}

// fall adds what falls on row y of the ground to out: one value a pixel where nothing bounces, else three.
func (p *plan) fall(g *ground, f *irradiance.Field, out []float32, y int, s *falling) {
	step := 1 / p.scale
	py := (float64(y) + 0.5) * step
	for i := range g.rows[y-g.rect.Min.Y] {
		k := &g.rows[y-g.rect.Min.Y][i]
		at, n := k.x-g.rect.Min.X, len(k.weight)
		direct, bounce := s.direct, s.bounce
		f.Direct[k.surface].Read(direct, k.x, step, py, n)
		if k.normal != nil {
			irradiance.OnRow(s.on[:n], direct, k.normal)
			direct = s.on
		}
		if f.Bounce == nil {
			to := out[at : at+n]
			for i, w := range k.weight {
				to[i] += w * direct[i]
			}
			continue
		}
		f.Bounce[k.surface].Read(bounce, k.x, step, py, n)
		if k.normal != nil {
			irradiance.OnColours(s.colours, bounce, k.normal, s.direct[:n])
			bounce = s.colours
		}
		irradiance.Add(out[3*at:3*(at+n)], k.weight, direct, bounce, float32(p.q.Recipe.Room.Bounce))
	}
}

// inRoomTerms returns what falls on the room of one light as terms to be added up, weighted. once tells that each row is
// wanted once: of a strip of an export that is made when it is, and nothing of it is kept.
func (p *plan) inRoomTerms(ctx context.Context, m *inRoom, f *lightField, part image.Rectangle, once bool, weight ...float32) ([]glow.Term, error) {
	if once && p.passing && p.frame.Dx()*p.frame.Dy() > wholeLimit && f.Bounce != nil {
		g, err := p.lie(ctx, m, part)
		if err != nil {
			return nil, err
		}
		rows := func(y int, do func(row []float32)) {
			s := newFalling(part.Dx())
			defer fallings.Put(s)
			row := s.row[:3*part.Dx()]
			clear(row)
			p.fall(g, f.Field, row, y, s)
			do(row)
		}
		return []glow.Term{{Rows: rows, Rect: part, Weight: weight}}, nil
	}
	c, err := p.fallen(ctx, m, f, part)
	return []glow.Term{{Field: c.plain, Colours: c.colours, Weight: weight}}, err
}
