package render

import (
	"context"
	"fmt"
	"image"
	"math"
	"strings"
	"time"

	"pyrant/internal/cache"
	"pyrant/internal/coverage"
	"pyrant/internal/cutout"
	"pyrant/internal/glow"
	"pyrant/internal/irradiance"
	"pyrant/internal/raster"
	"pyrant/internal/recipe"
	"pyrant/internal/staging"
)

// roomPower is how much brighter than white what a light covers is taken to be, at a strength of 1,
// for the light that it gives to a room.
const roomPower = 100

// inRoom is the room of a plan.
type inRoom struct {
	*staging.Set
	key      string // of the room
	daylight *staging.Daylight
	bounce   *irradiance.Bounce
	composer *staging.Composer
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

// roomKey names the room of a recipe, and the photo whose daylight is looked at.
func (p *plan) roomKey() string { return p.q.PhotoKey + " " + staging.Key(p.q.Recipe) }

// kept wraps a value that takes memory for the cache.
type kept[T any] struct {
	v T
	n int64
}

func (k *kept[T]) Bytes() int64 { return k.n }

// openRoom sets the recipe's room up; nil where it has none.
func (p *plan) openRoom(ctx context.Context) (*inRoom, error) {
	r := p.q.Recipe
	if !r.Room.On {
		return nil, nil
	}
	if p.room != nil {
		return p.room, nil
	}
	start := time.Now()
	key := p.roomKey()
	set, err := cache.Get(ctx, p.cache, "set "+key, func(ctx context.Context) (*kept[*staging.Set], error) {
		s, err := staging.New(ctx, r, covers{p})
		return &kept[*staging.Set]{s, 8 << 20}, err
	})
	if err != nil {
		return nil, err
	}
	m := &inRoom{Set: set.v, key: key, composer: set.v.Compose(p.scale)}
	p.stats.add("room", start)
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
		if m.daylight, err = cache.Get(ctx, p.cache, "daylight "+key, func(ctx context.Context) (*staging.Daylight, error) {
			defer p.stats.add("daylight", time.Now())
			pic, err := small(ctx)
			if err != nil {
				return nil, err
			}
			return m.Set.Daylight(ctx, pic)
		}); err != nil {
			return nil, err
		}
	}
	if r.Room.Bounce > 0 {
		if m.bounce, err = cache.Get(ctx, p.cache, "bounce "+key, func(ctx context.Context) (*irradiance.Bounce, error) {
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
	p.room = m
	return m, nil
}

// shining returns what a light gives to the surfaces of the room.
func (p *plan) shineIn(ctx context.Context, m *inRoom, ll *litLight) (*irradiance.Field, error) {
	return cache.Get(ctx, p.cache, "field "+m.fieldKey(p, ll.l), func(ctx context.Context) (*irradiance.Field, error) {
		defer p.stats.add("spill", time.Now())
		l, err := m.Light(ctx, ll.l)
		if err != nil {
			return nil, err
		}
		scene, err := m.Among(ctx, p.bodies(ll.l))
		if err != nil {
			return nil, err
		}
		return scene.Of(ctx, l, m.Sheets(), m.Detail(), p.q.Recipe.Room.Shadows, m.bounce)
	})
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
func (m *inRoom) fieldKey(p *plan, l *recipe.Light) string {
	var b strings.Builder
	b.WriteString(m.key + " " + lightStandKey(l) + " among")
	for _, o := range p.bodies(l) {
		b.WriteString(" " + lightStandKey(o))
	}
	return b.String()
}

func lightStandKey(l *recipe.Light) string {
	var feet string
	for _, s := range l.Shapes {
		feet += staging.FeetKey(s)
	}
	return l.Shapes.Key() + " " + string(l.Stand) + feet
}

// colours is three planes of one rectangle.
type colours [3]*raster.Plane

func (c colours) Bytes() (n int64) {
	for i, p := range c {
		if i == 0 || p != c[0] {
			n += int64(len(p.Pix)) * 4
		}
	}
	return
}

// fallen returns what of a light comes back from each pixel of a part of the picture, by its colour in
// the photo.
func (p *plan) fallen(ctx context.Context, m *inRoom, ll *litLight, part image.Rectangle) (colours, error) {
	r := p.frame
	if r.Dx()*r.Dy() > wholeLimit {
		r = part
	}
	return forPart(ctx, p, r != p.frame, fmt.Sprintf("fallen %s %g %v", m.fieldKey(p, ll.l), p.scale, r), func(ctx context.Context) (colours, error) {
		f, err := p.shineIn(ctx, m, ll)
		if err != nil {
			return colours{}, err
		}
		defer p.stats.add("fall", time.Now())
		out := colours{raster.NewPlane(r), nil, nil}
		if f.Bounce == nil {
			out[1], out[2] = out[0], out[0]
		} else {
			out[1], out[2] = raster.NewPlane(r), raster.NewPlane(r)
		}
		err = raster.Rows(ctx, r.Min.Y, r.Max.Y, func(y0, y1 int) {
			rows := m.newRows(r.Dx())
			for y := y0; y < y1 && ctx.Err() == nil; y++ {
				rows.fill(p, f, out, r.Min.X, y)
			}
		})
		return out, err
	})
}

// fallRows makes rows of what falls on the surfaces.
type fallRows struct {
	*inRoom
	weights       *staging.Weights
	direct, sky   []float32
	bounce        []float32
	bounceOn, day float64
}

func (m *inRoom) newRows(n int) *fallRows {
	return &fallRows{inRoom: m, weights: m.composer.NewWeights(n), direct: make([]float32, 4*n), sky: make([]float32, 4*n), bounce: make([]float32, 12*n)}
}

// darkest is how dark daylight is taken to make a place at the most, of open ground: more than that is
// not divided out, as noise would be all that is left.
const darkest = 0.06

func (r *fallRows) fill(p *plan, f *irradiance.Field, out colours, x0, y int) {
	n := out[0].Rect.Dx()
	r.composer.Row(r.weights, x0, y, n)
	step := 1 / p.scale
	px, py := (float64(x0)+0.5)*step, (float64(y)+0.5)*step
	amount := float32(p.q.Recipe.Room.Bounce)
	day := p.q.Recipe.Room.Daylight
	to := [3][]float32{out[0].Row(y), out[1].Row(y), out[2].Row(y)}
	for i, any := range r.weights.Any {
		if !any {
			continue
		}
		w := r.weights.Of[i][:n]
		sheet := r.Surfaces[i].Sheet
		g := f.Direct[i]
		g.Read(r.direct, px, py, step, n)
		if r.daylight != nil {
			r.daylight.Field.Direct[i].Read(r.sky, px, py, step, n)
		}
		if f.Bounce != nil {
			f.Bounce[i].Read(r.bounce, px, py, step, n)
		}
		for k, v := range w {
			if v == 0 {
				continue
			}
			var e, d float32
			var c [3]float32
			if sheet.Body == nil {
				e, d = r.direct[k], r.sky[k]
				if f.Bounce != nil {
					c = [3]float32(r.bounce[3*k:])
				}
			} else {
				_, normal, _ := sheet.Body.Surface(px+float64(k)*step, py)
				on := func(b []float32) float32 { return float32(irradiance.BeamOf(b).On(normal)) }
				e, d = on(r.direct[4*k:]), on(r.sky[4*k:])
				if f.Bounce != nil {
					c = [3]float32{on(r.bounce[12*k:]), on(r.bounce[12*k+4:]), on(r.bounce[12*k+8:])}
				}
			}
			if r.daylight != nil {
				d = max(d, darkest)
				if day < 1 {
					d = float32(math.Pow(float64(d), day))
				}
				v /= d
			}
			to[0][k] += v * (e + amount*c[0])
			if f.Bounce != nil {
				to[1][k] += v * (e + amount*c[1])
				to[2][k] += v * (e + amount*c[2])
			}
		}
	}
}

// inRoomTerms returns what falls on the room of one light as terms to be added up, weighted.
func (p *plan) inRoomTerms(ctx context.Context, m *inRoom, ll *litLight, part image.Rectangle, weight ...float32) ([]glow.Term, error) {
	c, err := p.fallen(ctx, m, ll, part)
	if err != nil {
		return nil, err
	}
	if c[1] == c[0] {
		return []glow.Term{{Field: c[0], Weight: weight}}, nil
	}
	luma := [3]float32{0.2126, 0.7152, 0.0722}
	var out []glow.Term
	for i := range c {
		w := make([]float32, len(weight))
		if len(weight) == 1 {
			w[0] = weight[0] * luma[i]
		} else {
			w[i] = weight[i]
		}
		out = append(out, glow.Term{Field: c[i], Weight: w})
	}
	return out, nil
}
