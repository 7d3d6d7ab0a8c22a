package render

import (
	"context"
	"fmt"
	"image"
	"sync"
	"time"

	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/glow"
	"pyrant/internal/light/room/lightmap"
)

// fallenLight is what of a light comes back from each pixel, but for its colour in the photo: one
// value where nothing bounces, or one for each channel.
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

// few is how many of what follows from a room are held, as it stood last: for undo, and to compare.
// Of what falls on whole frames, which is large, only enough for one undo is.
const (
	few   = 3
	fewer = 2
)

// fallenKey names what of a light comes back from each pixel of a part of the picture: from all of
// a small picture's.
func (p *plan) fallenKey(f *lightField, part image.Rectangle) (r image.Rectangle, key string) {
	if r = p.frame; p.large() {
		r = part
	}
	return r, fmt.Sprintf("fallen %s %s %g %g %v", f.key, p.groundKey(), p.q.Recipe.Room.Bounce, p.scale, r)
}

// fallen returns what of a light comes back from each pixel of a part of the picture, by its colour
// in the photo; of those that show what is round alone, if that is all that is wanted.
func (p *plan) fallen(ctx context.Context, m *inRoom, f *lightField, part image.Rectangle,
	round bool) (fallenLight, error) {
	r, key := p.fallenKey(f, part)
	if round {
		key = "round " + key
	}
	if r == p.frame {
		p.cache.Keep(graph.Text(fmt.Sprintf("fallen %s %g", f.of, p.scale)), graph.Text(key), fewer)
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
					p.fall(g, f.Field, out.plain.Row(y), y, s, round)
				} else {
					p.fall(g, f.Field, out.colours.Row(y), y, s, round)
				}
			}
		})
		return out, err
	})
}

// moved tells whether a light falls on a frame otherwise than on the last one, as while things
// move: that is not worth a picture of its own until it is asked for once more.
func (p *plan) moved(f *lightField, key string) (bool, error) {
	if _, ready := graph.Peek[fallenLight](p.cache, graph.Text(key)); ready {
		return false, nil
	}
	name := fmt.Sprintf("latest fallen %s %g", f.of, p.scale)
	last, ok := graph.Peek[latest](p.cache, graph.Text(name))
	return ok && string(last) != key, graph.Put(p.cache, graph.Text(name), latest(key))
}

// falling is memory for what falls on a row, with none for nothing, and fallings what is done with
// of it.
type falling struct{ direct, on, bounce, colours, row, none []float32 }

var fallings = sync.Pool{New: func() any { return new(falling) }}

// newFalling returns memory for a row of n pixels.
func newFalling(n int) *falling {
	s := fallings.Get().(*falling)
	if len(s.on) < n {
		*s = falling{make([]float32, 4*n), make([]float32, n), make([]float32, lightmap.Mixed*n),
			make([]float32, 3*max(n, 2*together)), make([]float32, 3*n), make([]float32, together)}
	}
	return s
}

// fall adds what falls on row y of the ground, or on what of it is round, to out: one value a pixel
// where nothing bounces, else three.
func (p *plan) fall(g *ground, f *lightmap.Field, out []float32, y int, s *falling, round bool) {
	ch := len(out) / g.rect.Dx()
	for i := range g.rows[y-g.rect.Min.Y] {
		k := &g.rows[y-g.rect.Min.Y][i]
		if round && k.normal == nil {
			continue
		}
		p.fallOn(k, 0, len(k.weight), f, out[ch*(k.x-g.rect.Min.X):], y, s)
	}
}

// fallOn adds what falls on the pixels from a to b of a stretch, on all of them where it is round,
// to out.
func (p *plan) fallOn(k *stretch, a, b int, f *lightmap.Field, out []float32, y int, s *falling) {
	step := 1 / p.scale
	py := (float64(y) + 0.5) * step
	n := b - a
	direct, bounce := s.direct, s.bounce
	f.Direct[k.surface].Read(direct, k.x+a, step, py, n)
	if k.normal != nil {
		lightmap.OnRow(s.on[:n], direct, k.normal)
		direct = s.on
	}
	if f.Bounce == nil {
		for i, w := range k.weight[a:b] {
			out[i] += w * direct[i]
		}
		return
	}
	f.Bounce[k.surface].Read(bounce, k.x+a, step, py, n)
	if k.normal != nil {
		lightmap.OnColours(s.colours, bounce, k.normal)
		bounce = s.colours
	}
	lightmap.Add(out[:3*n], k.weight[a:b], direct, bounce, float32(p.q.Recipe.Room.Bounce))
}

// inRoomTerms returns what falls on the room of one light as terms to be added up, weighted. once
// tells that each row is wanted once: of a frame on which light falls otherwise than on the last,
// it is made when it is, and nothing of it is kept.
func (p *plan) inRoomTerms(ctx context.Context, m *inRoom, f *lightField, part image.Rectangle,
	once bool, weight ...float32) (_ []glow.Term, err error) {
	if once = once && f.Bounce != nil; once {
		_, key := p.fallenKey(f, part)
		if once, err = p.moved(f, key); err != nil {
			return nil, err
		}
	}
	if once {
		p.stats.add("fall", time.Now()) // whose time is that of the rows
		g, err := p.lie(ctx, m, part)
		if err != nil {
			return nil, err
		}
		rows := func(dst []float32, x0, y int) {
			s := newFalling(part.Dx())
			defer fallings.Put(s)
			row := s.row[:3*part.Dx()]
			clear(row)
			p.fall(g, f.Field, row, y, s, false)
			raster.AddColours(dst, row[3*(x0-part.Min.X):][:len(dst)], [3]float32(weight))
		}
		return []glow.Term{{Rows: rows, Rect: part}}, nil
	}
	c, err := p.fallen(ctx, m, f, part, false)
	return []glow.Term{{Field: c.plain, Colours: c.colours, Weight: weight}}, err
}
