package render

import (
	"context"
	"fmt"
	"image"
	"strings"
	"time"

	"pyrant/internal/base/coverage"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/room/lightmap"
	"pyrant/internal/light/room/silhouette"
	"pyrant/internal/light/room/staging"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
)

// roomPower is how much brighter than white what a light covers is taken to be, at a strength of 1,
// for the light that it gives to a room.
const roomPower = 40

// inRoom is the room of a plan.
type inRoom struct {
	*staging.Set
	key string // of the room as it is set up, with the daylight in it
	// set where daylight or bounce are not ready: before the keys of what follows from them
	rough    string
	daylight *staging.Daylight
	bounce   *staging.Bounce
	looks    *staging.Looks
	shows    *staging.Shown
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

func (c covers) Shape(ctx context.Context, key string,
	build func(context.Context) (*silhouette.Shape, error)) (*silhouette.Shape, error) {
	return graph.Fetch(ctx, c.cache, graph.Text(key), build)
}

// latest is what something was named when it was made last, such as the lights that cross the
// things of a room.
type latest string

func (l latest) Bytes() int64 { return int64(len(l)) }

// geometryKey names the room of the recipe as geometry. While a light moves that crosses a thing,
// it is that of before.
func (p *plan) geometryKey() string {
	if p.space == "" {
		p.space, p.crossing = staging.Key(p.q.Recipe)
		if p.q.Rough != nil {
			if _, ready := graph.Peek[*staging.Set](p.cache, graph.Text(p.setKey())); !ready {
				own := p.crossing
				if l, ok := graph.Peek[latest](p.cache, graph.Text("latest "+p.roomKeyOf(p.space))); ok {
					p.crossing = string(l)
				}
				if _, ready := graph.Peek[*staging.Set](p.cache, graph.Text(p.setKey())); ready {
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

// roughly is a word for the keys of what is made of spill: it is not that of the fine one while
// some of it is not ready, and may be rough.
func (p *plan) roughly(lights []*litLight) string {
	if p.q.Rough == nil {
		return ""
	}
	room := &p.q.Recipe.Room
	_, ready := graph.Peek[*staging.Daylight](p.cache, graph.Text(p.daylightKey()))
	ready = ready || room.Daylight == 0
	if _, there := graph.Peek[*staging.Bounce](p.cache, graph.Text(p.bounceKey())); !there &&
		(room.Bounce > 0 || room.Daylight > 0) {
		ready = false
	}
	for _, ll := range lights {
		if _, there := graph.Peek[*lightField](p.cache, graph.Text(p.fieldKey(ll.l))); !there {
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

// groundKey names what pixels send back beside what falls on them: how far daylight is taken out,
// and what of the light things get at their edges and fronts, and how folded these are.
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
		// The shapes with their feet, and the pixels of cut-outs among them.
		p.stands[i] = setting.Key(l.Shapes) + " " + p.q.Recipe.ShapesKey(l.Shapes) + " " +
			string(l.Stand)
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
	return graph.Fetch(ctx, p.cache, graph.Text(p.setKey()),
		func(ctx context.Context) (*staging.Set, error) {
			defer p.stats.add("room", time.Now())
			last := "latest set " + p.q.PhotoKey
			before, _ := graph.Peek[*staging.Set](p.cache, graph.Text(last))
			set, err := staging.New(ctx, p.q.Recipe, covers{p}, before)
			if err != nil {
				return nil, err
			}
			return set, graph.Put(p.cache, graph.Text(last), set)
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
		if _, ready := graph.Peek[*staging.Daylight](p.cache,
			graph.Text(name)); p.mayBeRough(ready) {
			m.rough = "rough "
			m.daylight, err = graph.Fetch(ctx, p.cache, graph.Text(m.rough+name), find(true))
		} else {
			m.daylight, err = graph.Fetch(ctx, p.cache, graph.Text(name), find(false))
		}
		if err != nil {
			return nil, err
		}
	}
	// What comes back of daylight is to be divided out as well.
	if r.Room.Bounce > 0 || m.daylight != nil {
		name := p.bounceKey()
		if _, ready := graph.Peek[*staging.Bounce](p.cache, graph.Text(name)); p.mayBeRough(ready) {
			m.rough = "rough "
		} else if m.bounce, err = graph.Fetch(ctx, p.cache, graph.Text(name),
			func(ctx context.Context) (*staging.Bounce, error) {
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
	if m.looks, err = p.looks(ctx, set, small); err != nil {
		return nil, err
	}
	// While something moves the photo is not asked what it shows of it.
	if m.daylight != nil && m.rough == "" {
		if m.shows, err = graph.Fetch(ctx, p.cache, graph.Text("shows "+p.roomKey()),
			func(ctx context.Context) (*staging.Shown, error) {
				defer p.stats.add("shows", time.Now())
				return m.Set.Shows(ctx, m.looks, m.daylight, m.bounce)
			}); err != nil {
			return nil, err
		}
	}
	if m.rough == "" {
		p.cache.Keep(graph.Text("set "+p.q.PhotoKey), graph.Text(p.setKey()), few)
		p.cache.Keep(graph.Text("bounce "+p.q.PhotoKey), graph.Text(p.bounceKey()), few)
		p.cache.Keep(graph.Text("daylight "+p.q.PhotoKey), graph.Text(p.daylightKey()), few)
		p.cache.Keep(graph.Text("shows "+p.q.PhotoKey), graph.Text("shows "+p.roomKey()), few)
		if err := graph.Put(p.cache, graph.Text("latest "+p.roomKeyOf(p.space)),
			latest(p.crossing)); err != nil {
			return nil, err
		}
	}
	p.room = m
	return m, nil
}

// looks returns how the photo shows the room's surfaces. That is kept for as long as they are seen
// where they were.
func (p *plan) looks(ctx context.Context, set *staging.Set,
	small func(context.Context) (staging.Small, error)) (*staging.Looks, error) {
	name := "looks " + p.q.PhotoKey
	if l, ok := graph.Peek[*staging.Looks](p.cache, graph.Text(name)); ok &&
		l.Layout.Same(set.Layout()) {
		return l, nil
	}
	defer p.stats.add("looks", time.Now())
	pic, err := small(ctx)
	if err != nil {
		return nil, err
	}
	l, err := set.Looks(ctx, pic)
	if err != nil {
		return nil, err
	}
	return l, graph.Put(p.cache, graph.Text(name), l)
}

// mayBeRough tells whether something that is not ready may be worked out less finely, and says that
// it is.
func (p *plan) mayBeRough(ready bool) bool {
	if ready || p.q.Rough == nil {
		return false
	}
	p.q.Rough.Store(true)
	return true
}

// lightField is what a light gives to a room, with the name of all that it depends on.
type lightField struct {
	*lightmap.Field
	key string
	own string // of that what does not tell of the other lights
	of  string // names photo and light
}

// shineIn returns what a light gives to the surfaces of the room. While something moves, a light
// that stands as it stood keeps its field, although others may shade it otherwise now.
func (p *plan) shineIn(ctx context.Context, m *inRoom, ll *litLight) (*lightField, error) {
	own := p.lightsKey() + " " + p.standOf(ll.l)
	key := m.rough + p.fieldKey(ll.l)
	of := p.q.PhotoKey + " " + ll.l.ID
	last := "latest field " + of
	work := func(rough bool) func(context.Context) (*lightField, error) {
		return func(ctx context.Context) (*lightField, error) {
			defer p.stats.add("spill", time.Now())
			l, err := m.Light(ctx, ll.l, covers{p})
			if err != nil {
				return nil, err
			}
			scene, bounce := m.For(ll.l), (*lightmap.Bounce)(nil)
			if !rough && p.q.Recipe.Room.Bounce > 0 {
				bounce = m.bounce.Bounce
			}
			if !rough {
				if scene, err = m.Among(ctx, ll.l, p.bodies(ll.l), covers{p}); err != nil {
					return nil, err
				}
			}
			var before *lightmap.Field
			if f, ok := graph.Peek[*lightField](p.cache, graph.Text(last)); ok && !rough &&
				m.rough == "" {
				before = f.Field // something may have moved since
			}
			f, err := scene.Of(ctx, l, m.Sheets(), m.Detail(rough, m.rough != ""),
				p.q.Recipe.Room.Shadows, bounce, before)
			return &lightField{f, key, own, of}, err
		}
	}
	if _, ready := graph.Peek[*lightField](p.cache, graph.Text(key)); p.mayBeRough(ready) {
		if m.rough == "" {
			if f, ok := graph.Peek[*lightField](p.cache, graph.Text(last)); ok && f.own == own {
				return f, nil
			}
		}
		key = "rough field " + own
		return graph.Fetch(ctx, p.cache, graph.Text(key), work(true))
	}
	p.cache.Keep(graph.Text("field "+of), graph.Text(key), few)
	f, err := graph.Fetch(ctx, p.cache, graph.Text(key), work(false))
	if err != nil || m.rough != "" {
		return f, err
	}
	// For the frames of a later move: whatever it was of before, now it is of this.
	return f, graph.Put(p.cache, graph.Text(last), f)
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
