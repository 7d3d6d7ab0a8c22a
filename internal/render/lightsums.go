package render

import (
	"context"
	"image"
	"math"
	"time"

	"pyrant/internal/base/raster"
	"pyrant/internal/light/glow"
	"pyrant/internal/light/room/lightmap"
)

// joint is what lights give to a room that is added up before it is read: on what is flat light
// adds up place by place, and a place serves many pixels of a large picture.
type joint struct {
	room    *inRoom
	fields  []*lightField
	colours [][3]float32 // by field
}

// together is for how many pixels of a row what falls is added up at a time, so that memory next to
// the processor holds it.
const together = 256

// brightest is the most of one light's that adds up to other, as raster.AddColours has it.
const brightest = 8

// joins tells whether what a light gives is added up with that of others: in pictures that are not
// kept whole.
func (p *plan) joins(sp *lightSpill) bool {
	return sp.room != nil && sp.field.Bounce != nil && p.large()
}

// term returns what falls on a part of the picture.
func (j *joint) term(ctx context.Context, p *plan, part image.Rectangle) ([]glow.Term, error) {
	g, err := p.lie(ctx, j.room, part)
	if err != nil {
		return nil, err
	}
	defer p.stats.add("fall", time.Now())
	// A view that is looked at has what falls on what is round ready for another colour.
	kept := make([]*raster.RGB, len(j.fields))
	for n, f := range j.fields {
		if !p.passing {
			c, err := p.fallen(ctx, j.room, f, part, true)
			if err != nil {
				return nil, err
			}
			kept[n] = c.colours
		}
	}
	step := 1 / p.scale
	seen := image.Rect(int(float64(part.Min.X)*step), int(float64(part.Min.Y)*step),
		int(float64(part.Max.X)*step)+1, int(float64(part.Max.Y)*step)+1)
	direct, bounce := make([]*lightmap.Grid, len(j.room.Surfaces)), make([]*lightmap.Grid,
		len(j.room.Surfaces))
	if err := raster.Each(ctx, len(direct), func(i int) {
		if j.room.Surfaces[i].Sheet.Body != nil {
			return
		}
		var ds, bs []lightmap.Share
		for n, f := range j.fields {
			c := j.colours[n]
			ds = append(ds, lightmap.Share{Grid: f.Direct[i], Of: c})
			for q := range c {
				c[q] *= float32(p.q.Recipe.Room.Bounce)
			}
			bs = append(bs, lightmap.Share{Grid: f.Bounce[i], Of: c})
		}
		direct[i], bounce[i] = lightmap.Sum(ds, seen), lightmap.Sum(bs, seen)
	}); err != nil {
		return nil, err
	}
	rows := func(dst []float32, x0, y int) {
		s := newFalling(part.Dx())
		defer fallings.Put(s)
		for i := range g.rows[y-part.Min.Y] {
			k := &g.rows[y-part.Min.Y][i]
			a, b := max(k.x, x0)-k.x, min(k.x+len(k.weight), x0+len(dst)/3)-k.x
			if a >= b {
				continue
			}
			to := dst[3*(k.x+a-x0) : 3*(k.x+b-x0)]
			if k.normal != nil {
				row := s.row[:3*len(k.weight)]
				for n, f := range j.fields {
					if kept[n] != nil {
						raster.AddColours(to, kept[n].Row(y)[3*(k.x+a-part.Min.X):][:len(to)],
							j.colours[n])
						continue
					}
					clear(row)
					p.fallOn(k, 0, len(k.weight), f.Field, row, y, s)
					raster.AddColours(to, row[3*a:3*b], j.colours[n])
				}
				continue
			}
			for ; a < b; a += together {
				n := min(together, b-a)
				j.fall(p, k, a, a+n, direct[k.surface], bounce[k.surface], to[:3*n], y, s)
				to = to[3*n:]
			}
		}
	}
	return []glow.Term{{Rows: rows, Rect: part}}, nil
}

// over returns the pixels of three samples, none below 0, from the first to the last that has one
// above top; the same twice for none.
func over(row []float32, top float32) (from, to int) {
	const one = 24
	limit := int32(math.Float32bits(top))
	for at := 0; at < len(row); at += one {
		part := row[at:min(at+one, len(row))]
		var any int32
		for _, v := range part {
			// bits of what is not below 0 are in its order
			any |= limit - int32(math.Float32bits(v))
		}
		if any >= 0 {
			continue
		}
		for i, v := range part {
			if v > top {
				if to == 0 {
					from = (at + i) / 3
				}
				to = (at+i)/3 + 1
			}
		}
	}
	return from, to
}

// fall adds what falls on the pixels from a to b of a stretch that is flat to dst.
func (j *joint) fall(p *plan, k *stretch, a, b int, direct, bounce *lightmap.Grid, dst []float32,
	y int, s *falling) {
	step := 1 / p.scale
	py := (float64(y) + 0.5) * step
	n := b - a
	d, e, row := s.direct[:3*n], s.bounce[:3*n], s.row[:3*n]
	direct.Read(d, k.x+a, step, py, n)
	bounce.Read(e, k.x+a, step, py, n)
	clear(row)
	raster.Add(d, e)
	lightmap.Add(row, k.weight[a:b], s.none, d, 1)
	// Where one light may be too bright to add up to others, each counts by itself.
	if from, to := over(row, brightest); from < to {
		sum, one := s.colours[:3*(to-from)], s.colours[3*together:][:3*(to-from)]
		clear(sum)
		for i, f := range j.fields {
			clear(one)
			p.fallOn(k, a+from, a+to, f.Field, one, y, s)
			raster.AddColours(sum, one, j.colours[i])
		}
		for i, at := 0, row[3*from:]; i < len(sum); i += 3 {
			if max(at[i], at[i+1], at[i+2]) > brightest {
				copy(at[i:i+3], sum[i:i+3])
			}
		}
	}
	raster.Add(dst, row)
}
