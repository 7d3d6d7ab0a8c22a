package staging

import (
	"context"
	"math"
	"slices"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/room/lightmap"
	"pyrant/internal/recipe/shape"
)

// Small is a small picture of the photo in linear light, of the size that Set.Small says, on which
// what stands in it is looked at.
type Small struct{ *raster.RGB }

// Small returns the long edge of the small picture that is looked at.
func (s *Set) Small() int { return min(unitsAcross/2, s.Photo.LongEdge()) }

// colour returns the colour of a place of the photo; beyond the photo, of its edge.
func (p Small) colour(x, y, scale float64) [3]float32 {
	i := min(max(int(x*scale), p.Rect.Min.X), p.Rect.Max.X-1)
	j := min(max(int(y*scale), p.Rect.Min.Y), p.Rect.Max.Y-1)
	row := p.Row(j)[3*(i-p.Rect.Min.X):]
	return [3]float32{row[0], row[1], row[2]}
}

func brightness(c [3]float32) float64 { return float64(colour.Luma(c[0], c[1], c[2])) }

// Daylight is what the photo's daylight does in the room.
type Daylight struct {
	Sky   *lightmap.Sky
	Field *lightmap.Field
}

// Bytes returns the memory that is held.
func (d *Daylight) Bytes() int64 { return d.Field.Bytes() + 1<<14 }

// higher is by how much walls are taken to be higher than they are seen.
const higher = 1.25

// Daylight finds the daylight by which the photo was taken.
func (s *Set) Daylight(ctx context.Context, small Small, rough bool) (*Daylight, error) {
	scale := float64(small.Rect.Dx()) / float64(s.Photo.Width)
	c := s.Compose(scale)
	w, h := small.Rect.Dx(), small.Rect.Dy()
	flats := 1 + len(s.Walls)
	heights := make([]float64, len(s.Walls))
	var places []lightmap.Lit
	weights := c.NewWeights(w)
	step := max(w/36, 1)
	for y := step / 2; y < h; y += step {
		c.Row(weights, 0, y, w)
		for x := step / 2; x < w; x += step {
			for i := range flats {
				if !weights.Any[i] || weights.Of[i][x] < 0.99 {
					continue
				}
				px, py := (float64(x)+0.5)/scale, (float64(y)+0.5)/scale
				pl, ok := s.Surfaces[i].Sheet.Place(px, py)
				if !ok || pl.At.Len() > 40 {
					continue
				}
				if i > 0 {
					heights[i-1] = math.Max(heights[i-1], s.Cam.Height(pl.At))
				}
				if rough {
					continue
				}
				places = append(places, lightmap.Lit{Place: pl,
					Light: brightness(small.colour(px, py, scale)), Surface: i})
			}
		}
	}
	for i := range heights {
		heights[i] *= higher
	}
	d := &Daylight{Sky: lightmap.NewSky(&s.Cam, s.Walls, heights, rough)}
	if _, err := d.Sky.Find(ctx, s.Scene, places); err != nil {
		return nil, err
	}
	var err error
	to := lightmap.Detail{Tile: 32 * s.unit, Most: 4}
	if rough {
		to = lightmap.Detail{Tile: 64 * s.unit, Most: 1}
	}
	d.Field, err = s.Scene.Daylight(ctx, d.Sky, s.Sheets(), to)
	return d, err
}

// traced is the closed lines of a shape, and what they lie between.
type traced struct {
	x0, y0, x1, y1 float64
	lines          [][]shape.Point
}

func trace(sh shape.Shape) (t traced) {
	t.lines = shape.Edges(sh)
	t.x0, t.y0, t.x1, t.y1 = bounds(sh)
	return
}

// covers tells whether the shape covers a place of the photo.
func (t *traced) covers(x, y float64) bool {
	if x < t.x0 || y < t.y0 || x >= t.x1 || y >= t.y1 {
		return false
	}
	for _, l := range t.lines {
		if shape.Inside(l, x, y) {
			return true
		}
	}
	return false
}

// patchEdge is the edge of patches and bounceTo the way between receivers, in units.
const (
	patchEdge = 40
	bounceTo  = 40
)

// Bounce prepares what surfaces give to each other.
func (s *Set) Bounce(ctx context.Context, small Small, day *Daylight) (*Bounce, error) {
	scale := float64(small.Rect.Dx()) / float64(s.Photo.Width)
	edge := patchEdge * s.unit
	w, h := float64(s.Photo.Width), float64(s.Photo.Height)
	var patches []lightmap.Patch
	var colours [][3]float32 // in the photo
	var under []bool         // a ceiling, which no daylight comes to straight
	var flats []inverse
	for i := range s.flats() {
		flats = append(flats, s.inverse(s.Surfaces[i].Sheet.Plane))
	}
	faces := make([]traced, len(s.Surfaces))
	for i := range s.Surfaces {
		if f := &s.Surfaces[i]; f.Kind == Platform && f.cover == nil {
			faces[i] = trace(f.face)
		}
	}
	add := func(x, y, edge float64) {
		best, near := -1, 1.0/60
		for i, f := range flats {
			if v := f.at(x, y); v > near {
				best, near = i, v
			}
		}
		sheet := (*lightmap.Sheet)(nil)
		if best >= 0 {
			sheet = s.Surfaces[best].Sheet
		}
		for i := range s.Surfaces {
			if faces[i].covers(x, y) {
				sheet = s.Surfaces[i].Sheet
			}
		}
		if sheet == nil {
			return
		}
		pl, ok := sheet.Place(x, y)
		if !ok {
			return
		}
		pl.Wet = nil // what it mirrors goes one way, and not to all of the room
		r := s.Cam.Ray(x, y)
		d := math.Max(math.Abs(pl.N.Dot(r)), 0.02)
		patches = append(patches, lightmap.Patch{Place: pl,
			Area: edge * edge * pl.At.Z * pl.At.Z / (s.Cam.F * s.Cam.F * d)})
		colours = append(colours, small.colour(x, y, scale))
		under = append(under, s.Ceiling != nil && sheet.Plane == *s.Ceiling)
	}
	// Beside the photo, where all is guessed, patches are twice as large.
	for y := -h/2 + edge; y < 1.5*h+edge; y += 2 * edge {
		for x := -w/2 + edge; x < 1.5*w+edge; x += 2 * edge {
			if x <= -edge || y <= -edge || x >= w+edge || y >= h+edge {
				add(x, y, 2*edge)
				continue
			}
			for i := range 4 {
				add(x+(float64(i&1)-0.5)*edge, y+(float64(i>>1)-0.5)*edge, edge)
			}
		}
	}
	light := make([]float64, len(patches))
	lumas := make([]float64, len(patches))
	if day != nil {
		if err := s.Scene.DaylightAt(ctx, day.Sky, patches, light); err != nil {
			return nil, err
		}
	}
	for i, c := range colours {
		l := 1.0
		if day != nil && !under[i] {
			l = math.Max(light[i], 0.05)
		}
		for k := range c {
			patches[i].Albedo[k] = float64(c[k]) / l
		}
		lumas[i] = brightness(c) / l
	}
	if len(lumas) > 0 {
		slices.Sort(lumas)
		k := 0.35 / math.Max(lumas[len(lumas)/2], 1e-3)
		for i := range patches {
			for c := range patches[i].Albedo {
				patches[i].Albedo[c] = math.Min(patches[i].Albedo[c]*k, 0.9)
			}
		}
	}
	b, err := lightmap.NewBounce(ctx, s.Scene, patches, s.Sheets(), bounceTo*s.unit)
	if err != nil {
		return nil, err
	}
	out := &Bounce{Bounce: b, Set: s}
	if day != nil {
		out.Daylight, err = b.Return(ctx, light)
	}
	return out, err
}

// Bounce is what surfaces give to each other, with what of the daylight comes back from them; nil
// without daylight.
type Bounce struct {
	*lightmap.Bounce
	Set      *Set // whose bodies it knows
	Daylight []*lightmap.Grid
}

// Bytes returns the memory that is held.
func (b *Bounce) Bytes() (n int64) {
	n = b.Bounce.Bytes()
	for _, g := range b.Daylight {
		n += g.Bytes()
	}
	return
}
