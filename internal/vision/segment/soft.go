package segment

import (
	"context"
	"image"
	"math"
	"slices"

	"pyrant/internal/base/coverage"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/matting"
)

// Make cuts out what the strokes of a cut-out say, and returns its raster: of a small picture where
// it is to be quick, else with soft edges, mended, of the photo's own pixels.
func (g *Ground) Make(ctx context.Context, c *cutout.CutOut, quick bool) (cutout.Raster, error) {
	strokes := StrokesOf(c)
	cut := &Cut{Step: 1} // what is only painted is painted over nothing
	if len(strokes) > 0 || len(c.Mends) == 0 {
		var err error
		if cut, err = g.Find(ctx, strokes, quick); err != nil {
			return cutout.Raster{}, err
		}
	}
	if quick && len(strokes) > 0 {
		return cut.rough(c.Mends)
	}
	return Soften(ctx, g.Photo, cut, strokes, c.Mends, c.Band)
}

// rough returns a cut as a raster without soft edges.
func (c *Cut) rough(mends []cutout.Mend) (cutout.Raster, error) {
	r := c.box(1).Intersect(c.Rect)
	m := cutout.NewMask(r.Dx(), r.Dy())
	b := newBlock()
	painted := paintings(mends, float64(c.Step))
	nx, ny := m.Tiles()
	for ty := range ny {
		for tx := range nx {
			at := r.Min.Add(image.Pt(tx*cutout.Tile, ty*cutout.Tile))
			b.clear()
			for i := range b.alpha {
				if c.in(at.X+i%cutout.Tile, at.Y+i/cutout.Tile) {
					b.alpha[i], b.share[3*i], b.share[3*i+1], b.share[3*i+2] = 1, 1, 1, 1
				}
			}
			b.mend(painted, at)
			m.Set(tx, ty, b.alpha, b.share)
		}
	}
	return rasterOf(m, r.Min, c.Step, true)
}

func rasterOf(m *cutout.Mask, at image.Point, step int, rough bool) (cutout.Raster, error) {
	tiles, err := m.Pack()
	k := float64(step)
	return cutout.Raster{Left: k * float64(at.X), Top: k * float64(at.Y), Cell: k, Width: m.W,
		Height: m.H, Rough: rough, Tiles: tiles}, err
}

// block is one tile in the making.
type block struct{ alpha, share []float32 }

func newBlock() *block {
	return &block{make([]float32, cutout.Tile*cutout.Tile),
		make([]float32, 3*cutout.Tile*cutout.Tile)}
}

func (b *block) clear() {
	clear(b.alpha)
	clear(b.share)
}

// painting is a mend ready to be painted, by the brush of areas.
type painting struct {
	mask coverage.Mask
	to   float32
}

func paintings(mends []cutout.Mend, cell float64) []painting {
	out := make([]painting, len(mends))
	for i, m := range mends {
		dabs := make([]area.Dab, m.Points.Len())
		for j, p := range m.Points.All() {
			dabs[j] = area.Dab{X: p.X, Y: p.Y, P: 1}
		}
		stroke := area.Stroke{Diameter: m.Diameter, Softness: m.Softness, Flow: 1,
			Pen: area.PenFlow, Points: setting.ListOf(dabs...)}
		out[i] = painting{area.Brush([]area.Stroke{stroke}, 1/cell), float32(m.To)}
	}
	return out
}

// mend paints mends over the tile whose corner lies at a cell.
func (b *block) mend(mends []painting, at image.Point) {
	const size = cutout.Tile
	var cover [size]float32
	for _, m := range mends {
		if !m.mask.Bounds().Overlaps(image.Rect(0, 0, size, size).Add(at)) {
			continue
		}
		for y := range size {
			m.mask.Fill(cover[:], at.X, at.Y+y)
			for x, k := range cover {
				if k == 0 {
					continue
				}
				i := y*size + x
				b.alpha[i] += (m.to - b.alpha[i]) * k
				for c := 3 * i; c < 3*i+3; c++ {
					// Where the thing's own share is not known it is that of its coverage.
					b.share[c] += (m.to - b.share[c]) * k
				}
			}
		}
	}
}

// Mended returns a raster with one more mend painted over it, on a photo of so many pixels.
func Mended(r cutout.Raster, mend cutout.Mend, w, h int) (cutout.Raster, error) {
	m, err := r.Mask()
	if err != nil {
		return r, err
	}
	pts := make([]shape.Point, mend.Points.Len())
	for i, q := range mend.Points.All() {
		pts[i] = shape.Point(q)
	}
	need := around(pts, mend.Diameter/2+2).Intersect(image.Rect(0, 0, w, h))
	if need.Empty() {
		return r, nil
	}
	tiles := func(v float64) int { return max(int(math.Ceil(v/r.Cell/cutout.Tile)), 0) }
	left, top := tiles(r.Left-float64(need.Min.X)), tiles(r.Top-float64(need.Min.Y))
	r.Left -= float64(left*cutout.Tile) * r.Cell
	r.Top -= float64(top*cutout.Tile) * r.Cell
	m = m.Grown(left, top, int(math.Ceil((float64(need.Max.X)-r.Left)/r.Cell)),
		int(math.Ceil((float64(need.Max.Y)-r.Top)/r.Cell)))
	r.Width, r.Height = m.W, m.H
	b, painted := newBlock(), paintings([]cutout.Mend{mend}, r.Cell)
	cells := func(v, from float64) int { return int(math.Floor((v - from) / r.Cell / cutout.Tile)) }
	nx, ny := m.Tiles()
	corner := image.Pt(int(math.Round(r.Left/r.Cell)), int(math.Round(r.Top/r.Cell)))
	for ty := max(cells(float64(need.Min.Y), r.Top), 0); ty <= min(cells(float64(need.Max.Y),
		r.Top), ny-1); ty++ {
		for tx := max(cells(float64(need.Min.X), r.Left), 0); tx <= min(cells(float64(need.Max.X),
			r.Left), nx-1); tx++ {
			m.Get(tx, ty, b.alpha, b.share)
			b.mend(painted, corner.Add(image.Pt(tx*cutout.Tile, ty*cutout.Tile)))
			m.Set(tx, ty, b.alpha, b.share)
		}
	}
	r.Tiles, err = m.Pack()
	return r, err
}

// Update returns the raster of a cut-out after its strokes changed, soon: what cannot be found on
// the photo's own pixels at once comes as a rough one, and is to be made anew by Make. before is
// the cut-out as it was, nil for a new one.
func (g *Ground) Update(ctx context.Context, before, c *cutout.CutOut) (cutout.Raster, error) {
	if Missing(c.Strokes) != "" && len(c.Mends) == 0 {
		return cutout.Raster{Cell: 1}, nil
	}
	if before != nil && !before.Empty() && setting.Key(before.Strokes) == setting.Key(c.Strokes) {
		n := len(before.Mends)
		if !before.Raster.Rough && before.Band == c.Band && len(c.Mends) == n+1 &&
			setting.Key(before.Mends) == setting.Key(c.Mends[:n]) {
			return Mended(before.Raster, c.Mends[n], g.Photo.Width, g.Photo.Height)
		}
		r := before.Raster
		r.Rough = true
		return r, nil
	}
	return g.Make(ctx, c, true)
}

// Changed tells whether the raster of a cut-out is to be made anew after a change.
func Changed(before, c *cutout.CutOut) bool {
	return before == nil || before.Band != c.Band ||
		setting.Key(before.Strokes) != setting.Key(c.Strokes) ||
		setting.Key(before.Mends) != setting.Key(c.Mends)
}

// sheetTiles is how many tiles along both axes are softened at once.
const sheetTiles = 4

// Soften gives a cut its soft edge on the photo's own pixels: it lies within band pixels to both
// sides of the cut's, and all over soft strokes. What other strokes say stays as it is.
func Soften(ctx context.Context, p *photo.Photo, c *Cut, strokes []Stroke, mends []cutout.Mend,
	band float64) (cutout.Raster, error) {
	reach := int(math.Ceil(max(band, 0.75*float64(c.Step))))
	frame := image.Rect(0, 0, p.Width, p.Height)
	box := c.box(1)
	r := image.Rectangle{Min: box.Min.Mul(c.Step), Max: box.Max.Mul(c.Step)}.Inset(-reach)
	look := 3 * reach // how far from a pixel that is uncertain certain ones are sought
	for _, s := range strokes {
		if s.Says == cutout.Soft {
			r = r.Union(around(s.Points, s.Width/2+2))
		}
	}
	for _, m := range mends {
		if m.To > 0 {
			pts := make([]shape.Point, m.Points.Len())
			for i, q := range m.Points.All() {
				pts[i] = shape.Point{X: q.X, Y: q.Y}
			}
			r = r.Union(around(pts, m.Diameter/2+2))
		}
	}
	r = r.Intersect(frame)
	fringe, err := fringeOf(ctx, p, c, strokes, reach)
	if err != nil {
		return cutout.Raster{}, err
	}
	m := cutout.NewMask(r.Dx(), r.Dy())
	painted := paintings(mends, 1)
	nx, ny := m.Tiles()
	for ty := 0; ty < ny; ty += sheetTiles {
		for tx := 0; tx < nx; tx += sheetTiles {
			part := image.Rect(tx, ty, min(tx+sheetTiles, nx), min(ty+sheetTiles, ny))
			err := soften(ctx, p, c, strokes, painted, m, r.Min, part, reach, look, fringe)
			if err != nil {
				return cutout.Raster{}, err
			}
		}
	}
	return rasterOf(m, r.Min, 1, false)
}

// around returns the pixels within a distance of points.
func around(pts []shape.Point, by float64) (r image.Rectangle) {
	for _, p := range pts {
		r = r.Union(image.Rect(int(p.X-by), int(p.Y-by), int(p.X+by)+1, int(p.Y+by)+1))
	}
	return r
}

// softening is what is known in strokes for the soft edge.
var softening = map[cutout.Says]uint8{cutout.In: inside, cutout.Out: outside, cutout.Loop: outside,
	cutout.Soft: unsure}

// soften writes the tiles of part to m, whose corner lies at a pixel.
func soften(ctx context.Context, p *photo.Photo, c *Cut, strokes []Stroke, painted []painting,
	m *cutout.Mask, at image.Point, part image.Rectangle, reach, look int, fringe *fringe) error {
	own := image.Rectangle{Min: part.Min.Mul(cutout.Tile), Max: part.Max.Mul(cutout.Tile)}.Add(at)
	frame := image.Rect(0, 0, p.Width, p.Height)
	r := own.Inset(-max(look+4, fringeMargin)).Intersect(frame)
	var near []Stroke
	soft := false
	for _, s := range strokes {
		if s.Says == cutout.Loop || around(s.Points, s.Width/2+2).Overlaps(r) {
			near = append(near, s)
			soft = soft || s.Says == cutout.Soft
		}
	}
	w := r.Dx()
	whole, same := c.even(r)
	var alpha, share []float32
	var sure []uint8
	any := false
	if !same || soft {
		sure, any = known(c, near, r, reach)
	}
	if any {
		pic := matting.Picture{W: w, H: r.Dy(), Pix: make([]float32, 3*w*r.Dy())}
		if err := raster.Rows(ctx, 0, r.Dy(), func(y0, y1 int) {
			for y := y0; y < y1; y++ {
				p.Linear(pic.Pix[3*w*y:3*w*(y+1)], r.Min.X, r.Min.Y+y, w)
			}
		}); err != nil {
			return err
		}
		var err error
		if soft && fringe != nil {
			alpha, share, err = fringe.part(ctx, pic, sure, r, look)
		} else {
			alpha, share, err = matting.Soft(ctx, pic, sure, look)
		}
		if err != nil {
			return err
		}
		for i, a := range alpha {
			for k := 3 * i; k < 3*i+3; k++ {
				// Of the pixel's light alpha·F is the thing's own.
				s := a
				if pic.Pix[k] > 1e-4 && a > 0 && a < 1 {
					s = min(max(a*share[k]/pic.Pix[k], 0), 1)
				}
				share[k] = s
			}
		}
	}
	return raster.Each(ctx, part.Dx()*part.Dy(), func(n int) {
		tx, ty := part.Min.X+n%part.Dx(), part.Min.Y+n/part.Dx()
		b := newBlock()
		for i := range b.alpha {
			q := image.Pt(at.X+tx*cutout.Tile+i%cutout.Tile, at.Y+ty*cutout.Tile+i/cutout.Tile)
			if !q.In(r) {
				continue
			}
			j := (q.Y-r.Min.Y)*w + q.X - r.Min.X
			if any {
				b.alpha[i] = alpha[j]
				copy(b.share[3*i:3*i+3], share[3*j:3*j+3])
			} else if sure != nil && sure[j] == matting.Thing || sure == nil && whole {
				b.alpha[i], b.share[3*i], b.share[3*i+1], b.share[3*i+2] = 1, 1, 1, 1
			}
		}
		b.mend(painted, at.Add(image.Pt(tx*cutout.Tile, ty*cutout.Tile)))
		m.Set(tx, ty, b.alpha, b.share)
	})
}

// fringe is what is known of the fine edges of a cut, on pixels of step of the photo, from a
// corner.
type fringe struct {
	*matting.Solution
	box  image.Rectangle
	step int
}

// part returns coverage and the object's light for the pixels of r: within the box that was solved
// for refined from that, elsewhere along plain edges as without fine ones.
func (f *fringe) part(ctx context.Context, p matting.Picture, sure []uint8, r image.Rectangle,
	look int) (alpha, light []float32, err error) {
	at := r.Min.Sub(f.box.Min)
	s, err := f.Part(ctx, p, sure, at.X, at.Y, f.step)
	if err != nil {
		return nil, nil, err
	}
	if r.In(f.box) {
		return s.Alpha, s.Object, nil
	}
	plain := slices.Clone(sure)
	within := func(i int) bool { return image.Pt(i%p.W, i/p.W).Add(r.Min).In(f.box) }
	for i, k := range sure {
		if k == matting.Unknown && within(i) {
			plain[i] = matting.Behind
			if s.Alpha[i] > 0.5 {
				plain[i] = matting.Thing
			}
		}
	}
	if alpha, light, err = matting.Soft(ctx, p, plain, look); err != nil {
		return nil, nil, err
	}
	for i := range alpha {
		if within(i) {
			alpha[i] = s.Alpha[i]
			copy(light[3*i:3*i+3], s.Object[3*i:3*i+3])
		}
	}
	return alpha, light, nil
}

// Fine edges are first solved on a picture of at most fringePixels, of the box round all fine-edge
// strokes and of context round it, of its long edge.
const (
	fringePixels = 1_500_000
	surround     = 0.08
	fringeMargin = 16 // of a tile that is refined, in pixels
)

// fringeOf solves for the fine edges of a cut; it returns nil where no stroke paints any.
func fringeOf(ctx context.Context, p *photo.Photo, c *Cut, strokes []Stroke,
	reach int) (*fringe, error) {
	var r image.Rectangle
	for _, s := range strokes {
		if s.Says == cutout.Soft {
			r = r.Union(around(s.Points, s.Width/2+2))
		}
	}
	if r.Empty() {
		return nil, nil
	}
	r = r.Inset(-int(surround*float64(max(r.Dx(), r.Dy()))) - 8).
		Intersect(image.Rect(0, 0, p.Width, p.Height))
	step := 1
	for (r.Dx()/step)*(r.Dy()/step) > fringePixels {
		step++
	}
	w, h := (r.Dx()+step-1)/step, (r.Dy()+step-1)/step
	sure, any := known(c, strokes, r, reach)
	if !any {
		return nil, nil
	}
	pic, small := matting.Picture{W: w, H: h, Pix: make([]float32, 3*w*h)}, make([]uint8, w*h)
	err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
		row := make([]float32, 3*r.Dx())
		for y := y0; y < y1; y++ {
			count := make([]float32, w)
			for v := y * step; v < min((y+1)*step, r.Dy()); v++ {
				p.Linear(row, r.Min.X, r.Min.Y+v, r.Dx())
				for u := range r.Dx() {
					i, k := y*w+u/step, sure[v*r.Dx()+u]
					if count[u/step] == 0 {
						small[i] = k
					} else if small[i] != k {
						small[i] = matting.Unknown
					}
					count[u/step]++
					for q := range 3 {
						pic.Pix[3*i+q] += row[3*u+q]
					}
				}
			}
			for x, n := range count {
				for q := range 3 {
					pic.Pix[3*(y*w+x)+q] /= n
				}
			}
		}
	})
	if err != nil {
		return nil, err
	}
	s, err := matting.Levels(ctx, pic, small)
	return &fringe{s, r, step}, err
}

// even tells whether all of a part of the photo is inside, or none of it, and which.
func (c *Cut) even(r image.Rectangle) (inside, same bool) {
	x0, y0, x1, y1 := r.Min.X/c.Step, r.Min.Y/c.Step, (r.Max.X-1)/c.Step, (r.Max.Y-1)/c.Step
	inside = c.in(x0, y0)
	for y := y0; y <= y1; y++ {
		for x := x0; x <= x1; x++ {
			if c.in(x, y) != inside {
				return inside, false
			}
		}
	}
	return inside, true
}

// known tells of the pixels of r whether they are of the thing, behind it, or unknown, and whether
// any of them is unknown.
func known(c *Cut, strokes []Stroke, r image.Rectangle, reach int) (out []uint8, any bool) {
	w, h := r.Dx(), r.Dy()
	out = make([]uint8, w*h)
	in := make([]bool, w*h)
	for y := range h {
		for x := range w {
			i := y*w + x
			in[i] = c.in((r.Min.X+x)/c.Step, (r.Min.Y+y)/c.Step)
			out[i] = matting.Behind
			if in[i] {
				out[i] = matting.Thing
			}
		}
	}
	for y := range h {
		for x := range w {
			i := y*w + x
			if !(x+1 < w && in[i] != in[i+1] || y+1 < h && in[i] != in[i+w]) {
				continue
			}
			for v := max(y-reach+1, 0); v <= min(y+reach, h-1); v++ {
				for u := max(x-reach+1, 0); u <= min(x+reach, w-1); u++ {
					if (u-x)*(u-x)+(v-y)*(v-y) <= reach*reach {
						out[v*w+u] = matting.Unknown
					}
				}
			}
		}
	}
	for i, s := range seedsOn(1, r, strokes, softening) {
		switch s {
		case inside:
			out[i] = matting.Thing
		case outside:
			out[i] = matting.Behind
		case unsure:
			out[i] = matting.Unknown
		}
		any = any || out[i] == matting.Unknown
	}
	return out, any
}
