package lightmap

import (
	"cmp"
	"context"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/raster"
)

// Field is the light that one light, or the sky, gives to each sheet of a room.
type Field struct {
	Direct []*Grid // by sheet: as Sheet's numbers are
	Bounce []*Grid // by sheet, three colours, of what is round as a Mixed; nil without

	of   *Bounce // that Bounce came by
	name uint64  // of the light and how strong its shadows are, which Bounce depends on as well
}

// Bytes returns the memory that the field takes.
func (f *Field) Bytes() (n int64) {
	for _, g := range f.Direct {
		n += g.Bytes()
	}
	for _, g := range f.Bounce {
		n += g.Bytes()
	}
	return
}

// Detail says how fine a field is worked out.
type Detail struct {
	Tile float64 // edge of the coarsest squares, in pixels of the photo
	Most int     // into how many each is divided at the most, along an edge; a power of 2
}

// Of returns what a light gives to sheets, with shadows of a strength from 0 to 1, and what comes
// back of it from other surfaces if there is a bounce. before is what the light gave to the room at
// another time, or nil: what falls where nothing that hides it came or went, from a light that
// stands where it stood, is not worked out again.
func (s *Scene) Of(ctx context.Context, l *Light, sheets []*Sheet, d Detail, shadows float64,
	b *Bounce, before *Field) (*Field, error) {
	n := newNamer()
	n.id(l.name())
	n.num(shadows)
	f := &Field{of: b, name: n.Sum64()}
	if err := f.fill(ctx, sheets, d.Tile, func(sh *Sheet, g *Grid) error {
		if l.On != nil && sh.Body == l.On {
			return nil
		}
		by := s.blockers(sh.Body)
		if shadows <= 0 {
			by = nil
		}
		return g.fill(ctx, sh, detail{most: d.Most}, &beams{s, l, l.all(by), shadows}, before)
	}); err != nil {
		return nil, err
	}
	if b == nil {
		return f, ctx.Err()
	}
	if before != nil && before.of == b && before.name == f.name {
		f.Bounce = before.Bounce // no light's body is in the way of that
		return f, ctx.Err()
	}
	sent, all := make([][3]float32, len(b.Patches)), l.all(b.by)
	if err := together(ctx, b.Patches, func(from int, pls []Place) {
		s.at(l, pls, all, func(n int, to lit) {
			v := to.bare + (to.e-to.bare)*shadows
			for c, a := range b.Patches[from+n].Albedo {
				sent[from+n][c] = float32(v * a)
			}
		})
	}); err != nil {
		return nil, err
	}
	var err error
	f.Bounce, err = b.of(ctx, sent)
	return f, err
}

// made returns what the grid of a name was made of, nil for none.
func (f *Field) made(of uint64) *made {
	if f == nil {
		return nil
	}
	for _, g := range f.Direct {
		if g.made != nil && g.made.of == of {
			return g.made
		}
	}
	return nil
}

// Daylight returns what a sky gives to sheets.
func (s *Scene) Daylight(ctx context.Context, sky *Sky, sheets []*Sheet, d Detail) (*Field, error) {
	f := &Field{}
	err := f.fill(ctx, sheets, d.Tile, func(sh *Sheet, g *Grid) error {
		to := detail{most: d.Most}
		if b := sh.Body; b != nil && !b.Flat &&
			float64(max(sh.Rect.Dx(), sh.Rect.Dy())) > large*d.Tile {
			to.most = max(d.Most/2, 1)
		}
		return g.fill(ctx, sh, to, &fromSky{sky, s.wholes(sh.Body)}, nil)
	})
	return f, err
}

// large is how many tiles across upright bodies are on which daylight is worked out half as fine:
// what a small one shades of itself would be lost.
const large = 8

// fill makes a grid for each of the sheets, side by side: many are small.
func (f *Field) fill(ctx context.Context, sheets []*Sheet, tile float64,
	fill func(*Sheet, *Grid) error) error {
	f.Direct = make([]*Grid, len(sheets))
	errs := make([]error, len(sheets))
	err := raster.Each(ctx, len(sheets), func(i int) {
		g := newGrid(sheets[i], tile)
		if errs[i] = fill(sheets[i], g); errs[i] == nil {
			g.finish()
		}
		f.Direct[i] = g
	})
	return cmp.Or(append(errs, err)...)
}

// DaylightAt writes what a sky gives to flat patches to light.
func (s *Scene) DaylightAt(ctx context.Context, sky *Sky, patches []Patch, light []float64) error {
	by := s.wholes(nil)
	return together(ctx, patches, func(from int, pls []Place) {
		sky.at(pls, by,
			light[from:from+len(pls)])
	})
}

// Return returns what of daylight comes back from other surfaces, by what of it comes to each
// patch, in luminance, as Field.Direct has it.
func (b *Bounce) Return(ctx context.Context, light []float64) ([]*Grid, error) {
	sent := make([]float32, len(b.Patches))
	for i := range sent {
		a := b.Patches[i].Albedo
		sent[i] = float32(light[i]) * colour.Luma(float32(a[0]), float32(a[1]), float32(a[2]))
	}
	return b.grey(ctx, sent)
}
