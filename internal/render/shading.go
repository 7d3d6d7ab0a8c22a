package render

import (
	"context"
	"image"
	"sync"

	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/base/simd"
	"pyrant/internal/light/glow"
	"pyrant/internal/light/room/lightmap"
)

// shadedLight is what of a light comes back from each pixel, but for its colour in the photo: one
// value where nothing bounces, or one for each channel.
type shadedLight struct {
	plain   *raster.Plane
	colours *raster.RGB
}

func (f shadedLight) Bytes() int64 {
	if f.colours != nil {
		return f.colours.Bytes()
	}
	return int64(len(f.plain.Pix)) * 4
}

// isLarge reports whether a picture is too large for what falls on it to be computed for all of it
// at once.
func isLarge(p picture) bool { return p.Frame.Dx()*p.Frame.Dy() > glow.WholeLimit }

// roomShading is what of a light comes back from each pixel of a part of a picture, but for its
// colour in the photo: from all of a small picture's.
type roomShading struct {
	light    roomLight
	surfaces gbuffer // of the part
	bounce   float64 // how much of the light that bounces
	onBodies bool    // of the pixels that show objects alone
}

// shading returns the key of what of a light comes back from a part of the picture, and maybe more.
func (m *room) shading(l roomLight, part image.Rectangle) roomShading {
	if !isLarge(m.canvas.picture) {
		part = m.canvas.picture.Frame
	}
	return roomShading{l, m.gbuffer(part), m.recipe.Bounce, false}
}

// shadingVersions names the shadings of a light at a scale; see graph.Versioned.
type shadingVersions struct {
	roomLightKind
	scale float64
}

func (k roomShading) versions() shadingVersions {
	return shadingVersions{k.light.kind(), k.surfaces.picture.Scale}
}

func (k roomShading) Group() (any, int) {
	if k.Passes() {
		return nil, 0
	}
	return k.versions(), maxFrameVersions
}

func (k roomShading) Passes() bool { return k.surfaces.Passes() }

func (k roomShading) Build(ctx context.Context, g *graph.Graph) (shadedLight, error) {
	field, err := graph.Get(ctx, g, k.light)
	if err != nil {
		return shadedLight{}, err
	}
	on, err := graph.Get(ctx, g, k.surfaces)
	if err != nil {
		return shadedLight{}, err
	}
	var out shadedLight
	if field.Bounce == nil {
		out.plain = raster.NewPlane(on.rect)
	} else {
		out.colours = raster.NewRGB(on.rect)
	}
	s := shader{field, 1 / k.surfaces.picture.Scale, k.bounce}
	return out, raster.Rows(ctx, on.rect.Min.Y, on.rect.Max.Y, func(y0, y1 int) {
		m := newRowScratch(on.rect.Dx())
		defer rowScratches.Put(m)
		for y := y0; y < y1 && ctx.Err() == nil; y++ {
			if field.Bounce == nil {
				s.row(on, out.plain.Row(y), y, m, k.onBodies)
			} else {
				s.row(on, out.colours.Row(y), y, m, k.onBodies)
			}
		}
	})
}

// shadingHistory remembers the last shading of a light in a view.
type shadingHistory struct {
	mu   sync.Mutex
	last roomShading
}

// Bytes returns about the memory that is held.
func (h *shadingHistory) Bytes() int64 { return 1 << 10 }

// isMoving reports whether a light falls on a frame otherwise than on the last one, as while things
// move: that is not worth a picture of its own until it is asked for once more.
func (m *room) isMoving(k roomShading) bool {
	if graph.Has(m.canvas.graph, k) {
		return false
	}
	h := graph.History(m.canvas.graph, k.versions(),
		func() *shadingHistory { return new(shadingHistory) })
	h.mu.Lock()
	defer h.mu.Unlock()
	last := h.last
	h.last = k
	return last != roomShading{} && last != k
}

// rowScratch is memory for shading one row, and rowScratches a pool of it. none is for no light.
type rowScratch struct{ direct, on, bounce, colours, row, none []float32 }

var rowScratches = sync.Pool{New: func() any { return new(rowScratch) }}

// newRowScratch returns memory for a row of n pixels.
func newRowScratch(n int) *rowScratch {
	s := rowScratches.Get().(*rowScratch)
	if len(s.on) < n {
		*s = rowScratch{make([]float32, 4*n), make([]float32, n), make([]float32, lightmap.Mixed*n),
			make([]float32, 3*max(n, 2*together)), make([]float32, 3*n), make([]float32, together)}
	}
	return s
}

// shader shades the pixels of a picture by what one light gives to a room.
type shader struct {
	*lightmap.Field
	step   float64 // pixels of the photo for each of the picture
	bounce float64 // how much of the light that bounces
}

// row adds what falls on row y, or on what of it is an object, to out: one value a pixel where
// nothing bounces, else three.
func (f *shader) row(on *surfaces, out []float32, y int, m *rowScratch, onBodies bool) {
	ch := len(out) / on.rect.Dx()
	for i := range on.rows[y-on.rect.Min.Y] {
		k := &on.rows[y-on.rect.Min.Y][i]
		if onBodies && k.normal == nil {
			continue
		}
		f.shade(k, 0, len(k.weight), out[ch*(k.x-on.rect.Min.X):], y, m)
	}
}

// shade adds what falls on the pixels from a to b of a stretch, on all of them where it is an
// object, to out.
func (f *shader) shade(k *stretch, a, b int, out []float32, y int, m *rowScratch) {
	py := (float64(y) + 0.5) * f.step
	n := b - a
	direct, bounce := m.direct, m.bounce
	f.Direct[k.surface].Read(direct, k.x+a, f.step, py, n)
	if k.normal != nil {
		lightmap.OnRow(m.on[:n], direct, k.normal)
		direct = m.on
	}
	if f.Bounce == nil {
		for i, w := range k.weight[a:b] {
			out[i] += w * direct[i]
		}
		return
	}
	f.Bounce[k.surface].Read(bounce, k.x+a, f.step, py, n)
	if k.normal != nil {
		lightmap.OnColours(m.colours, bounce, k.normal)
		bounce = m.colours
	}
	lightmap.Add(out[:3*n], k.weight[a:b], direct, bounce, float32(f.bounce))
}

// terms returns what falls on the room of one light as terms to be added up, weighted. once
// says that each row is wanted once: while things move, a row is made when it is asked for, and
// nothing of it is kept.
func (m *room) terms(ctx context.Context, sp *roomSpill, part image.Rectangle, once bool,
	weight ...float32) ([]glow.Term, error) {
	k := m.shading(sp.light, part)
	if once && sp.field.Bounce != nil && m.isMoving(k) {
		on, err := graph.Get(ctx, m.canvas.graph, m.gbuffer(part))
		if err != nil {
			return nil, err
		}
		s := shader{sp.field, 1 / m.canvas.picture.Scale, k.bounce}
		rows := func(dst []float32, x0, y int) {
			m := newRowScratch(part.Dx())
			defer rowScratches.Put(m)
			row := m.row[:3*part.Dx()]
			clear(row)
			s.row(on, row, y, m, false)
			simd.AddColours(dst, row[3*(x0-part.Min.X):][:len(dst)], [3]float32(weight))
		}
		return []glow.Term{{Rows: rows, Rect: part}}, nil
	}
	c, err := graph.Get(ctx, m.canvas.graph, k)
	return []glow.Term{{Field: c.plain, Colours: c.colours, Weight: weight}}, err
}
