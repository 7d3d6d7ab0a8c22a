package render

import (
	"context"
	"image"
	"math"

	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/base/simd"
	"pyrant/internal/light/glow"
	"pyrant/internal/light/room/lightmap"
)

// joint is what lights give to a room that is added up before it is read: on what is flat light
// adds up place by place, and a place serves many pixels of a large picture.
type joint struct {
	lights  []*roomSpill
	colours [][3]float32 // by light
}

// together is for how many pixels of a row what falls is added up at a time, so that memory next to
// the processor holds it.
const together = 256

// brightest is the most of one light's that adds up to other, as raster.AddColours has it.
const brightest = 8

// joins reports whether what a light gives is added up with that of others: in pictures that are
// not kept whole.
func (m *room) joins(sp *lightSpill) bool {
	return sp.room != nil && sp.room.field.Bounce != nil && isLarge(m.canvas.picture)
}

// jointPart names what one light adds to a joint.
type jointPart struct {
	shading roomShading
	colour  [3]float32
}

// key names the joint in a part of the picture.
func (j *joint) key(m *room, part image.Rectangle) *graph.Input[[]jointPart] {
	var list []jointPart
	for i, l := range j.lights {
		list = append(list, jointPart{m.shading(l.light, part), j.colours[i]})
	}
	return graph.Of(m.canvas.graph, list)
}

// term returns what falls on a part of the picture.
func (j *joint) term(ctx context.Context, m *room, part image.Rectangle) ([]glow.Term, error) {
	on, err := graph.Get(ctx, m.canvas.graph, m.gbuffer(part))
	if err != nil {
		return nil, err
	}
	amount := m.recipe.Bounce
	var shaders []shader
	kept := make([]*raster.RGB, len(j.lights))
	for n, l := range j.lights {
		shaders = append(shaders, shader{l.field, 1 / m.canvas.picture.Scale, amount})
		// A view that is looked at has what falls on objects ready for another colour.
		if !m.canvas.graph.IsChild() {
			k := m.shading(l.light, part)
			k.onBodies = true
			c, err := graph.Get(ctx, m.canvas.graph, k)
			if err != nil {
				return nil, err
			}
			kept[n] = c.colours
		}
	}
	direct, bounce, err := j.sums(ctx, m, part)
	if err != nil {
		return nil, err
	}
	rows := func(dst []float32, x0, y int) {
		s := newRowScratch(part.Dx())
		defer rowScratches.Put(s)
		for i := range on.rows[y-part.Min.Y] {
			k := &on.rows[y-part.Min.Y][i]
			a, b := max(k.x, x0)-k.x, min(k.x+len(k.weight), x0+len(dst)/3)-k.x
			if a >= b {
				continue
			}
			to := dst[3*(k.x+a-x0) : 3*(k.x+b-x0)]
			if k.normal != nil {
				row := s.row[:3*len(k.weight)]
				for n := range shaders {
					if kept[n] != nil {
						simd.AddColours(to, kept[n].Row(y)[3*(k.x+a-part.Min.X):][:len(to)],
							j.colours[n])
						continue
					}
					clear(row)
					shaders[n].shade(k, 0, len(k.weight), row, y, s)
					simd.AddColours(to, row[3*a:3*b], j.colours[n])
				}
				continue
			}
			for ; a < b; a += together {
				n := min(together, b-a)
				j.add(shaders, k, a, a+n, direct[k.surface], bounce[k.surface], to[:3*n], y, s)
				to = to[3*n:]
			}
		}
	}
	return []glow.Term{{Rows: rows, Rect: part}}, nil
}

// sums adds up, for each flat surface, what all lights give to a part of the picture.
func (j *joint) sums(ctx context.Context, m *room,
	part image.Rectangle) (direct, bounce []*lightmap.Grid, err error) {
	set, err := graph.Get(ctx, m.canvas.graph, m.set())
	if err != nil {
		return nil, nil, err
	}
	step := 1 / m.canvas.picture.Scale
	seen := image.Rect(int(float64(part.Min.X)*step), int(float64(part.Min.Y)*step),
		int(float64(part.Max.X)*step)+1, int(float64(part.Max.Y)*step)+1)
	n := len(set.Surfaces)
	direct, bounce = make([]*lightmap.Grid, n), make([]*lightmap.Grid, n)
	return direct, bounce, raster.Each(ctx, n, func(i int) {
		if set.Surfaces[i].Sheet.Body != nil {
			return
		}
		var ds, bs []lightmap.Share
		for n, l := range j.lights {
			c := j.colours[n]
			ds = append(ds, lightmap.Share{Grid: l.field.Direct[i], Of: c})
			for q := range c {
				c[q] *= float32(m.recipe.Bounce)
			}
			bs = append(bs, lightmap.Share{Grid: l.field.Bounce[i], Of: c})
		}
		direct[i], bounce[i] = lightmap.Sum(ds, seen), lightmap.Sum(bs, seen)
	})
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

// add adds what falls on the pixels from a to b of a stretch that is flat to dst.
func (j *joint) add(shaders []shader, k *stretch, a, b int, direct, bounce *lightmap.Grid,
	dst []float32, y int, s *rowScratch) {
	step := shaders[0].step
	py := (float64(y) + 0.5) * step
	n := b - a
	d, e, row := s.direct[:3*n], s.bounce[:3*n], s.row[:3*n]
	direct.Read(d, k.x+a, step, py, n)
	bounce.Read(e, k.x+a, step, py, n)
	clear(row)
	simd.Add(d, e)
	lightmap.Add(row, k.weight[a:b], s.none, d, 1)
	// Where one light may be too bright to add up to others, each counts by itself.
	if from, to := over(row, brightest); from < to {
		sum, one := s.colours[:3*(to-from)], s.colours[3*together:][:3*(to-from)]
		clear(sum)
		for i := range shaders {
			clear(one)
			shaders[i].shade(k, a+from, a+to, one, y, s)
			simd.AddColours(sum, one, j.colours[i])
		}
		for i, at := 0, row[3*from:]; i < len(sum); i += 3 {
			if max(at[i], at[i+1], at[i+2]) > brightest {
				copy(at[i:i+3], sum[i:i+3])
			}
		}
	}
	simd.Add(dst, row)
}
