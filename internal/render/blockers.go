package render

import (
	"context"
	"fmt"
	"image"
	"math"
	"slices"
	"strings"
	"time"

	"pyrant/internal/base/coverage"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
)

// What stands before a light hides its core, and by amount its glow; see recipe.Blocker for the
// formula. What is hidden still gives its light to the room: spill knows nothing of blockers.

// blockArea returns what a blocker covers as an area of one part, with an edge of a deviation in
// pixels of the photo.
func blockArea(r *recipe.Recipe, b *recipe.Blocker, deviation float64) *area.Area {
	part := area.Part{On: true, Does: area.Add, Amount: 1, Of: area.Other{Area: b.Area}}
	if kind, _ := b.Area.Of(); kind != "" {
		part = r.Area(b.Area).Parts[0]
	}
	part.Feather = deviation
	return &area.Area{ID: string(b.Area), Parts: []area.Part{part}}
}

// hides returns what stands before a light with an edge as each blocker tells, and a key of all
// that it depends on.
func (p *plan) hides(l *recipe.Light) (list []*area.Area, key string) {
	var s strings.Builder
	for i := range l.Blockers {
		if b := &l.Blockers[i]; b.On {
			a := blockArea(p.q.Recipe, b, b.Feather)
			list = append(list, a)
			s.WriteString(a.Key(world{plan: p, solid: true}) + " ")
		}
	}
	return list, s.String()
}

// seen returns the light less what stands before it: what of it meets the eye. Without blockers
// that is the light itself.
func (p *plan) seen(ctx context.Context, ll *litLight) (*litLight, error) {
	if ll.front != nil {
		return ll.front, nil
	}
	out, err := p.drawnOut(ctx, ll)
	if err != nil {
		return nil, err
	}
	front, err := p.less(ctx, out)
	if err == nil {
		ll.front = front
	}
	return front, err
}

// keeps returns what dusk is kept off for a light: of what of it is seen, its share of the light.
func (p *plan) keeps(ctx context.Context, ll *litLight) (*litLight, error) {
	if ll.keeps != nil {
		return ll.keeps, nil
	}
	whole := ll
	if _, ok := ll.cover.(*made); ok {
		cover, err := coverOf(ctx, p.cache, p.q.Recipe, ll.l.Shapes, true)
		if err != nil {
			return nil, err
		}
		whole = &litLight{l: ll.l, cover: cover, key: cover.Key()}
		if whole.mask, err = p.mask(ctx, whole); err != nil {
			return nil, err
		}
	}
	out, err := p.less(ctx, whole)
	if err == nil {
		ll.keeps = out
	}
	return out, err
}

// mask returns the mask of a light at the plan's scale.
func (p *plan) mask(ctx context.Context, ll *litLight) (coverage.Mask, error) {
	return graph.Own(ctx, p.cache, lightMask{ll.input(p.cache), p.scale})
}

func (p *plan) less(ctx context.Context, ll *litLight) (*litLight, error) {
	list, key := p.hides(ll.l)
	if len(list) == 0 {
		return ll, nil
	}
	out := &litLight{l: ll.l, cover: ll.cover, key: ll.key + " less " + key}
	out.front = out
	var err error
	out.mask, err = graph.Fetch(ctx, p.cache, graph.Text(fmt.Sprintf("mask %s %g", out.key, p.scale)),
		func(ctx context.Context) (coverage.Mask, error) {
			defer p.stats.add("blockers", time.Now())
			return p.lessMask(ctx, ll.mask, list)
		})
	return out, err
}

// codeMask is a mask worked out in full, in 16 bits: a long streak would show the steps of 8.
type codeMask struct {
	rect image.Rectangle
	pix  []uint16
}

func (m *codeMask) Bounds() image.Rectangle { return m.rect }
func (m *codeMask) Drop(int)                {}
func (m *codeMask) Bytes() int64            { return 2 * int64(len(m.pix)) }

func (m *codeMask) Fill(dst []float32, x0, y int) {
	clear(dst)
	if y < m.rect.Min.Y || y >= m.rect.Max.Y {
		return
	}
	for x := max(x0, m.rect.Min.X); x < min(x0+len(dst), m.rect.Max.X); x++ {
		dst[x-x0] = float32(m.pix[(y-m.rect.Min.Y)*m.rect.Dx()+x-m.rect.Min.X]) / 65535
	}
}

// lessMask returns a mask less areas. Areas end at the frame; beyond it nothing is hidden.
func (p *plan) lessMask(ctx context.Context, m coverage.Mask,
	list []*area.Area) (coverage.Mask, error) {
	r := m.Bounds()
	out := &codeMask{rect: r, pix: make([]uint16, r.Dx()*r.Dy())}
	w := world{plan: p, solid: true}
	for y := r.Min.Y; y < r.Max.Y; y += stripRows {
		strip := image.Rect(r.Min.X, y, r.Max.X, min(y+stripRows, r.Max.Y))
		inside := strip.Intersect(p.frame)
		planes := make([]*raster.Plane, 0, len(list))
		for _, a := range list {
			if inside.Empty() {
				break
			}
			q, err := a.Plane(ctx, w, inside)
			if err != nil {
				return nil, err
			}
			planes = append(planes, q)
		}
		if err := raster.Rows(ctx, strip.Min.Y, strip.Max.Y, func(y0, y1 int) {
			row := make([]float32, r.Dx())
			for y := y0; y < y1; y++ {
				m.Fill(row, r.Min.X, y)
				for _, q := range planes {
					if y < q.Rect.Min.Y || y >= q.Rect.Max.Y {
						continue
					}
					part := row[q.Rect.Min.X-r.Min.X:]
					for i, v := range q.Row(y) {
						part[i] *= 1 - v
					}
				}
				for i, v := range row {
					out.pix[(y-r.Min.Y)*r.Dx()+i] = uint16(65535*v + 0.5)
				}
			}
		}); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// veil is how much of a light's glow is seen at each place, for lights whose blockers are alike.
type veil struct {
	list []veilPart
	key  string // "" where all of it is seen
}

type veilPart struct {
	area   *area.Area
	shells float32
	wraps  bool
}

// veilOf returns the veil of a light.
func (p *plan) veilOf(l *recipe.Light) veil {
	var v veil
	var s strings.Builder
	for i := range l.Blockers {
		b := &l.Blockers[i]
		if !b.On || b.Shells <= 0 {
			continue
		}
		part := veilPart{blockArea(p.q.Recipe, b, math.Hypot(b.Feather, b.Wrap)), float32(b.Shells),
			b.Wrap > 0}
		v.list = append(v.list, part)
		fmt.Fprintf(&s, "%s %g %v ", part.area.Key(world{plan: p, solid: true}), b.Shells, part.wraps)
	}
	v.key = s.String()
	return v.trimmed(p, l.Trim)
}

// trimmed returns the veil with a trim added.
func (v veil) trimmed(p *plan, t recipe.Trim) veil {
	if t.Area == "" || t.Amount <= 0 {
		return v
	}
	part := veilPart{area: blockArea(p.q.Recipe, &recipe.Blocker{Area: t.Area}, 0),
		shells: float32(t.Amount)}
	return veil{append(slices.Clip(v.list), part), fmt.Sprintf("%strim %s %g ", v.key,
		part.area.Key(world{plan: p, solid: true}), t.Amount)}
}

// over returns what of the glow is seen over a part of the picture; nil where all of it is.
func (v *veil) over(ctx context.Context, p *plan, part image.Rectangle) (*raster.Plane, error) {
	if len(v.list) == 0 {
		return nil, nil
	}
	return forPart(ctx, p, true, fmt.Sprintf("veil %s %g %v", v.key, p.scale, part),
		func(ctx context.Context) (*raster.Plane, error) {
			defer p.stats.add("blockers", time.Now())
			out := raster.NewPlane(part)
			for i := range out.Pix {
				out.Pix[i] = 1
			}
			for _, k := range v.list {
				q, err := k.area.Plane(ctx, world{plan: p, solid: true}, part)
				if err != nil {
					return nil, err
				}
				for i, b := range q.Pix {
					if k.wraps {
						b = max(2*b-1, 0)
					}
					out.Pix[i] *= 1 - k.shells*b
				}
			}
			return out, nil
		})
}
