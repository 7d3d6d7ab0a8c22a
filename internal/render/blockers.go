package render

import (
	"context"
	"image"
	"maps"
	"math"
	"slices"

	"pyrant/internal/base/coverage"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/render/areas"
)

// A blocker hides a light's core, and by amount its glow; see recipe.Blocker for the formula. What
// is hidden still gives its light to the room: spill knows nothing of blockers.

// blockArea returns what a blocker covers as an area of one part, with an edge of a deviation in
// pixels of the photo.
func blockArea(r *recipe.Recipe, of area.Ref, deviation float64) *area.Area {
	part := area.Part{On: true, Does: area.Add, Amount: 1, Of: area.Other{Area: of}}
	if kind, _ := of.Of(); kind != "" {
		part = r.Area(of).Parts[0]
	}
	part.Feather = deviation
	return &area.Area{ID: string(of), Parts: []area.Part{part}}
}

// unblocked returns a mask less what blocks a light, with an edge as each blocker has it.
func (sc *scene) unblocked(ctx context.Context, m maskRef, l *recipe.Light) (maskRef, error) {
	var list []areas.Input
	for i := range l.Blockers {
		if b := &l.Blockers[i]; b.On {
			a, err := sc.solidArea(ctx, blockArea(sc.recipe, b.Area, b.Feather))
			if err != nil {
				return nil, err
			}
			list = append(list, a)
		}
	}
	if len(list) == 0 {
		return m, nil
	}
	return graph.To(sc.graph, lessMask{m, graph.Of(sc.graph, list), sc.picture.Frame}), nil
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

// lessMask is a mask less areas. Areas end at the frame; beyond it nothing is hidden.
type lessMask struct {
	of    maskRef
	less  *graph.Input[[]areas.Input]
	frame image.Rectangle
}

func (k lessMask) Build(ctx context.Context, g *graph.Graph) (coverage.Mask, error) {
	m, err := k.of.Own(ctx, g)
	if err != nil {
		return nil, err
	}
	r := m.Bounds()
	out := &codeMask{rect: r, pix: make([]uint16, r.Dx()*r.Dy())}
	for y := r.Min.Y; y < r.Max.Y; y += stripRows {
		strip := image.Rect(r.Min.X, y, r.Max.X, min(y+stripRows, r.Max.Y))
		if err := k.strip(ctx, g, m, out, strip); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// strip computes some rows of the mask.
func (k lessMask) strip(ctx context.Context, g *graph.Graph, m coverage.Mask, out *codeMask,
	strip image.Rectangle) error {
	r, inside := out.rect, strip.Intersect(k.frame)
	var planes []*raster.Plane
	for _, a := range k.less.Value() {
		if inside.Empty() {
			break
		}
		p, err := areas.Plane{Area: a, Part: inside}.Build(ctx, g) // it serves nothing else
		if err != nil {
			return err
		}
		planes = append(planes, p)
	}
	return raster.Rows(ctx, strip.Min.Y, strip.Max.Y, func(y0, y1 int) {
		row := make([]float32, r.Dx())
		for y := y0; y < y1; y++ {
			m.Fill(row, r.Min.X, y)
			for _, p := range planes {
				if y < p.Rect.Min.Y || y >= p.Rect.Max.Y {
					continue
				}
				part := row[p.Rect.Min.X-r.Min.X:]
				for i, v := range p.Row(y) {
					part[i] *= 1 - v
				}
			}
			for i, v := range row {
				out.pix[(y-r.Min.Y)*r.Dx()+i] = uint16(65535*v + 0.5)
			}
		}
	})
}

// veil is how much of a light's glow or spill is left at each place.
type veil struct{ parts []veilPart }

// veilInput is a veil as an input of nodes; nil where all is left.
type veilInput = *graph.Input[veil]

// veilPart takes a share of the light away where an area is; below 0 it adds to it.
type veilPart struct {
	area  areas.Input
	share float32
	wraps bool // from the half of the area's coverage on
}

// add appends a part that takes a share away in an area.
func (v *veil) add(ctx context.Context, sc *scene, a *area.Area, share float32, wraps bool) error {
	in, err := sc.solidArea(ctx, a)
	v.parts = append(v.parts, veilPart{in, share, wraps})
	return err
}

func (v *veil) input(sc *scene) veilInput {
	if len(v.parts) == 0 {
		return nil
	}
	return graph.Of(sc.graph, *v)
}

// glowVeil returns what is left of a light's glow behind its blockers and within trims, the light's
// own among them.
func (sc *scene) glowVeil(ctx context.Context, l *recipe.Light,
	trims ...recipe.Trim) (veilInput, error) {
	var v veil
	for i := range l.Blockers {
		b := &l.Blockers[i]
		if !b.On || b.Shells <= 0 {
			continue
		}
		a := blockArea(sc.recipe, b.Area, math.Hypot(b.Feather, b.Wrap))
		if err := v.add(ctx, sc, a, float32(b.Shells), b.Wrap > 0); err != nil {
			return nil, err
		}
	}
	if err := v.trim(ctx, sc, append([]recipe.Trim{l.Trim}, trims...)...); err != nil {
		return nil, err
	}
	return v.input(sc), nil
}

// trimmed returns what is left within trims alone.
func (sc *scene) trimmed(ctx context.Context, trims ...recipe.Trim) (veilInput, error) {
	var v veil
	err := v.trim(ctx, sc, trims...)
	return v.input(sc), err
}

func (v *veil) trim(ctx context.Context, sc *scene, trims ...recipe.Trim) error {
	for _, t := range trims {
		if t.Area == "" || t.Amount <= 0 {
			continue
		}
		if err := v.add(ctx, sc, blockArea(sc.recipe, t.Area, 0), float32(t.Amount),
			false); err != nil {
			return err
		}
	}
	return nil
}

// spillVeil returns what is left of a light's spill: by what it is attached to, by what is touched
// up to less or more, and by surface.
func (sc *scene) spillVeil(ctx context.Context, sp *recipe.Spill) (veilInput, error) {
	var v veil
	r := sc.recipe
	if sp.Carrier != "" && sp.Onto < 1 {
		if err := v.add(ctx, sc, blockArea(r, sp.Carrier, 0), float32(1-sp.Onto),
			false); err != nil {
			return nil, err
		}
	}
	for i := range sp.Touches {
		t := &sp.Touches[i]
		if !t.On || t.Does == recipe.NewSpill || t.Amount <= 0 {
			continue
		}
		share := float32(min(t.Amount, 1))
		if t.Does == recipe.MoreSpill {
			share = -float32(t.Amount)
		}
		if err := v.add(ctx, sc, blockArea(r, t.Area, 0), share, false); err != nil {
			return nil, err
		}
	}
	// In the order of their names, so that the same recipe has the same veil.
	for _, id := range slices.Sorted(maps.Keys(sp.Falls)) {
		share := float32(1 - sp.Falls[id].Amount)
		if share == 0 || sc.room == nil || !r.HasSurface(area.SurfaceRef(id)) {
			continue
		}
		a := &area.Area{Parts: []area.Part{{On: true, Does: area.Add, Amount: 1,
			Of: area.Surface{Of: area.SurfaceRef(id)}}}}
		if err := v.add(ctx, sc, a, share, false); err != nil {
			return nil, err
		}
	}
	return v.input(sc), nil
}

// veilPlane is what a veil leaves over a part of the picture.
type veilPlane struct {
	veil veilInput
	part image.Rectangle
}

func (veilPlane) Passes() bool { return true }

func (k veilPlane) Build(ctx context.Context, g *graph.Graph) (*raster.Plane, error) {
	out := raster.NewPlane(k.part)
	for i := range out.Pix {
		out.Pix[i] = 1
	}
	for _, p := range k.veil.Value().parts {
		q, err := areas.Plane{Area: p.area, Part: k.part}.Build(ctx, g)
		if err != nil {
			return nil, err
		}
		for i, b := range q.Pix {
			if p.wraps {
				b = max(2*b-1, 0)
			}
			out.Pix[i] *= 1 - p.share*b
		}
	}
	return out, nil
}

// veilOver returns what a veil leaves over a part of the picture; nil where all is left.
func veilOver(ctx context.Context, g *graph.Graph, v veilInput,
	part image.Rectangle) (*raster.Plane, error) {
	if v == nil {
		return nil, nil
	}
	return graph.Get(ctx, g, veilPlane{v, part})
}
