package areas

import (
	"context"
	"fmt"
	"image"
	"math"
	"sync"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/coverage"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/guided"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// resolve returns what a part of a recipe covers.
func resolve(ctx context.Context, g *graph.Graph, s area.Source, in Picture,
	from Scene) (SourceInput, error) {
	mask := func(bounded bool, m MaskRef) (SourceInput, error) {
		return Of(g, Masks{Of: []MaskRef{m}, Frame: in.Frame, Bounded: bounded}), nil
	}
	switch s := s.(type) {
	case area.Shape:
		cover := coverage.Coverage(shape.Shapes{s.Shape})
		return mask(false, graph.To(g, Mask{graph.Intern(g, cover.Key(), cover), in.Scale}))
	case area.Line:
		return mask(true, graph.To(g, lineMask{s, in.Scale, in.Frame}))
	case area.Ring:
		return mask(true, graph.To(g, ringMask{s, in.Scale, in.Frame}))
	case area.Strokes:
		of := graph.Intern(g, setting.Key(s), s)
		return mask(false, graph.To(g, strokesMask{of, in.Scale}))
	case area.ToneWindow:
		return Of(g, tones{s, in}), nil
	case area.Hue:
		return Of(g, hues{s, in}), nil
	case area.Light:
		return from.Light(ctx, s)
	case area.CutOut:
		return from.CutOut(ctx, s.Of)
	case area.Surface:
		return from.Surface(ctx, s.Of)
	case area.Other:
		a, err := Resolve(ctx, g, from.Area(s.Area), in, from)
		return Of(g, other{a}), err
	}
	panic(fmt.Sprintf("areas: a source %T", s))
}

// MaskRef names a mask.
type MaskRef = *graph.Ref[coverage.Mask]

// Mask is the node of the mask of a coverage at a scale. Its tiles are rasterised when they are
// asked for, and an export drops them; see graph.Own.
type Mask struct {
	Cover *graph.Input[coverage.Coverage]
	Scale float64
}

// Build returns the mask.
func (k Mask) Build(context.Context, *graph.Graph) (coverage.Mask, error) {
	return k.Cover.Value().At(k.Scale), nil
}

// Masks covers what any of some masks covers, each of them softened. If they are bounded, they end
// at the frame because the picture does: what they cover goes on beyond it.
type Masks struct {
	Of      []MaskRef
	Frame   image.Rectangle // of the picture
	Bounded bool
}

// Rows returns the coverage of the masks.
func (s Masks) Rows(ctx context.Context, g *graph.Graph, feather float64,
	r image.Rectangle) (Rows, error) {
	var all Any
	for _, of := range s.Of {
		rows, err := s.soft(ctx, g, of, feather, r)
		if err != nil {
			return nil, err
		}
		all = append(all, rows)
	}
	if len(all) == 1 {
		return all[0], nil
	}
	return all, nil
}

func (s Masks) soft(ctx context.Context, g *graph.Graph, of MaskRef, feather float64,
	r image.Rectangle) (Rows, error) {
	if feather > 0 {
		rows, err := Soften(ctx, g, of, feather, s.Frame, r)
		if err != nil || !s.Bounded {
			return rows, err
		}
		return unbounded(rows, s.Frame, feather, r), nil
	}
	m, err := of.Own(ctx, g)
	if err != nil {
		return nil, err
	}
	if p, ok := m.(interface {
		Prepare(context.Context, image.Rectangle) error
	}); ok {
		err = p.Prepare(ctx, r)
	}
	return m, err
}

// Any is covered where any of its parts is.
type Any []Rows

// Fill is that of Rows.
func (a Any) Fill(dst []float32, x0, y int) {
	clear(dst)
	one := make([]float32, len(dst))
	for _, r := range a {
		r.Fill(one, x0, y)
		coverage.Add(dst, one)
	}
}

// lineMask is a gradient along a line.
type lineMask struct {
	line  area.Line
	scale float64
	frame image.Rectangle
}

func (k lineMask) Build(context.Context, *graph.Graph) (coverage.Mask, error) {
	return rule{k.frame, k.line.Fill(k.scale)}, nil
}

// ringMask is a gradient between two ellipses.
type ringMask struct {
	ring  area.Ring
	scale float64
	frame image.Rectangle
}

func (k ringMask) Build(context.Context, *graph.Graph) (coverage.Mask, error) {
	return rule{k.frame, k.ring.Fill(k.scale)}, nil
}

// strokesMask is what was painted. The stroke in the hand changes with every move; the mask of
// those before it does not, and is painted over if it is there. That changes no pixel; an export,
// which has none, paints all strokes into one mask.
type strokesMask struct {
	strokes *graph.Input[area.Strokes]
	scale   float64
}

func (k strokesMask) Build(ctx context.Context, g *graph.Graph) (coverage.Mask, error) {
	list := k.strokes.Value().Strokes
	before := area.Strokes{Strokes: list[:max(len(list)-1, 0)]}
	key := strokesMask{graph.Intern(g, setting.Key(before), before), k.scale}
	if len(before.Strokes) == 0 || !graph.Has(g, key) {
		return area.Brush(list, k.scale), nil
	}
	under, err := graph.Own(ctx, g, key)
	if err != nil {
		return nil, err
	}
	return area.BrushOver(under, list, k.scale), nil
}

// tones covers a window of brightness.
type tones struct {
	window  area.ToneWindow
	picture Picture
}

func (s tones) Rows(ctx context.Context, g *graph.Graph, feather float64,
	r image.Rectangle) (Rows, error) {
	return s.picture.byColour(ctx, g, graph.To(g, tonesMask(s)), feather, r,
		perPixel(s.window.Fill()))
}

// tonesMask is the mask of tones.
type tonesMask tones

func (k tonesMask) Build(context.Context, *graph.Graph) (coverage.Mask, error) {
	return k.picture.mask(perPixel(k.window.Fill())), nil
}

// hues covers a band of hues.
type hues struct {
	band    area.Hue
	picture Picture
}

func (s hues) Rows(ctx context.Context, g *graph.Graph, feather float64,
	r image.Rectangle) (Rows, error) {
	fill, err := hueFill(ctx, g, s)
	if err != nil {
		return nil, err
	}
	return s.picture.byColour(ctx, g, graph.To(g, huesMask(s)), feather, r, fill)
}

// huesMask is the mask of hues.
type huesMask hues

func (k huesMask) Build(ctx context.Context, g *graph.Graph) (coverage.Mask, error) {
	fill, err := hueFill(ctx, g, hues(k))
	if err != nil {
		return nil, err
	}
	return k.picture.mask(fill), nil
}

// hueGrid is the long edge of the picture in which a smoothed band is worked out.
const hueGrid = 1024

// hueEdge is the variance of display brightness from which on an edge is kept.
const hueEdge = 4e-4

// hueFilter is the guided filter that smooths a band of hues. In a photo colour is coarser than
// brightness, and noisier: the guide is the brightness.
type hueFilter struct {
	band  area.Hue
	photo photo.Input
}

func (k hueFilter) Build(ctx context.Context, g *graph.Graph) (*guided.Filter, error) {
	ph := k.photo.Value()
	long := max(ph.Width, ph.Height)
	pic, err := graph.Get(ctx, g, photo.Whole{Photo: k.photo, Edge: min(hueGrid, long)})
	if err != nil {
		return nil, err
	}
	in, guide := raster.NewPlane(pic.Rect), raster.NewPlane(pic.Rect)
	if err := raster.Rows(ctx, 0, pic.Rect.Dy(), func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			row, a, b := pic.Row(y), in.Row(y), guide.Row(y)
			for i := range a {
				p := row[3*i : 3*i+3 : 3*i+3]
				a[i] = k.band.Of(p[0], p[1], p[2])
				b[i] = colour.Display.At(colour.Luma(p[0], p[1], p[2]))
			}
		}
	}); err != nil {
		return nil, err
	}
	_, _, scale := photo.Size(ph.Width, ph.Height, min(hueGrid, long))
	return guided.New(ctx, in, guide, max(int(k.band.Smooth*scale+0.5), 1), hueEdge)
}

// colourFill writes what the colours of a row of the photo are covered by, from column x0 of row y
// on.
type colourFill = func(dst, photo []float32, x0, y int)

// perPixel returns the fill of a function of one colour.
func perPixel(at func(r, g, b float32) float32) colourFill {
	return func(dst, photo []float32, _, _ int) {
		for i := range dst {
			dst[i] = at(photo[3*i], photo[3*i+1], photo[3*i+2])
		}
	}
}

func hueFill(ctx context.Context, g *graph.Graph, s hues) (colourFill, error) {
	if s.band.Smooth <= 0 {
		return perPixel(s.band.Of), nil
	}
	f, err := graph.Get(ctx, g, hueFilter{s.band, s.picture.Photo})
	if err != nil {
		return nil, err
	}
	pool := sync.Pool{New: func() any { return new([]float32) }}
	return func(dst, p []float32, x0, y int) {
		buf := pool.Get().(*[]float32)
		defer pool.Put(buf)
		n := len(dst)
		if cap(*buf) < 2*n {
			*buf = make([]float32, 2*n)
		}
		a, b := (*buf)[:n], (*buf)[n:2*n]
		f.Row(a, b, s.picture.Frame, x0, y)
		for i := range dst {
			dst[i] = min(max(a[i]*colour.Display.At(colour.Luma(p[3*i], p[3*i+1], p[3*i+2]))+b[i],
				0), 1)
		}
	}, nil
}

// byColour returns the coverage that the photo's colours give, of which m is the mask.
func (p Picture) byColour(ctx context.Context, g *graph.Graph, m MaskRef, feather float64,
	r image.Rectangle, fill colourFill) (Rows, error) {
	if feather > 0 {
		return Masks{Of: []MaskRef{m}, Bounded: true, Frame: p.Frame}.Rows(ctx, g, feather, r)
	}
	if p.Scale == 1 {
		return p.mask(fill), nil
	}
	// The rows are those that the picture is made of.
	pic, err := graph.Get(ctx, g, photo.Scaled{Photo: p.Photo, Scale: p.Scale, Part: r})
	if err != nil {
		return nil, err
	}
	return rule{p.Frame, func(dst []float32, x0, y int) {
		fill(dst, pic.Row(y)[3*(x0-pic.Rect.Min.X):], x0, y)
	}}, nil
}

// mask returns the coverage that the photo's colours give as a mask.
func (p Picture) mask(fill colourFill) coverage.Mask {
	ph := p.Photo.Value()
	type memory struct {
		row []float32
		photo.Shrinker
	}
	pool := sync.Pool{New: func() any { return new(memory) }}
	return rule{p.Frame, func(dst []float32, x0, y int) {
		m := pool.Get().(*memory)
		defer pool.Put(m)
		if cap(m.row) < 3*len(dst) {
			m.row = make([]float32, 3*len(dst))
		}
		row := m.row[:3*len(dst)]
		if p.Scale == 1 {
			ph.Linear(row, x0, y, len(dst))
		} else {
			m.Row(row, ph, 1/p.Scale, x0, y)
		}
		fill(dst, row, x0, y)
	}}
}

// other covers what another area covers.
type other struct{ area Input }

func (s other) Rows(ctx context.Context, g *graph.Graph, feather float64,
	r image.Rectangle) (Rows, error) {
	if feather <= 0 {
		p, err := graph.Get(ctx, g, Plane{s.area, r})
		return planeRows{p}, err
	}
	// What is blurred reads beyond r, so all of the area is needed.
	return Masks{Of: []MaskRef{graph.To(g, areaMask(s))}, Bounded: true,
		Frame: s.area.Value().Picture.Frame}.Rows(ctx, g, feather, r)
}

// areaMask is the mask of all of an area.
type areaMask struct{ area Input }

func (k areaMask) Build(ctx context.Context, g *graph.Graph) (coverage.Mask, error) {
	frame := k.area.Value().Picture.Frame
	make := func(ctx context.Context, part image.Rectangle) (*raster.Plane, error) {
		return Plane{k.area, part}.Build(ctx, g)
	}
	if g.IsChild() {
		b := &bands{frame: frame, make: make}
		return bandMask{rule{frame, b.Fill}, b}, b.ready(ctx)
	}
	p, err := make(ctx, frame)
	return planeMask{rule{frame, planeRows{p}.Fill}, p}, err
}

// planeMask is a mask of a computed coverage.
type planeMask struct {
	rule
	plane *raster.Plane
}

func (m planeMask) Bytes() int64 { return m.plane.Bytes() }

// planeRows is a computed coverage as rows.
type planeRows struct{ *raster.Plane }

func (p planeRows) Fill(dst []float32, x0, y int) { copy(dst, p.Row(y)[x0-p.Rect.Min.X:]) }

// rule is a coverage that a function gives for every place of the frame: a mask that holds nothing.
type rule struct {
	frame image.Rectangle
	fill  func(dst []float32, x0, y int)
}

func (m rule) Bounds() image.Rectangle { return m.frame }
func (m rule) Drop(int)                {}
func (m rule) Bytes() int64            { return 64 }

// Fill is asked for places inside the frame and, by what blurs, outside of it.
func (m rule) Fill(dst []float32, x0, y int) {
	a, b := max(x0, m.frame.Min.X), min(x0+len(dst), m.frame.Max.X)
	if y < m.frame.Min.Y || y >= m.frame.Max.Y || a >= b {
		clear(dst)
		return
	}
	clear(dst[:a-x0])
	clear(dst[b-x0:])
	m.fill(dst[a-x0:b-x0], a, y)
}

// unbounded divides blurred rows by how much of the blur lies inside the frame, which is the
// frame's own blurred coverage.
func unbounded(rows Rows, frame image.Rectangle, sigma float64, r image.Rectangle) Rows {
	inside := func(from, to, at int) float32 {
		u := func(edge int) float64 {
			return math.Erf((float64(edge) - float64(at) - 0.5) / sigma / math.Sqrt2)
		}
		return float32(2 / (u(to) - u(from)))
	}
	across := make([]float32, r.Dx())
	for i := range across {
		across[i] = inside(frame.Min.X, frame.Max.X, r.Min.X+i)
	}
	return scaledRows{rows, across, r.Min.X, func(y int) float32 {
		return inside(frame.Min.Y, frame.Max.Y, y)
	}}
}

// scaledRows are rows times a factor for each column and one for each row.
type scaledRows struct {
	Rows
	across []float32
	x0     int
	down   func(y int) float32
}

func (m scaledRows) Fill(dst []float32, x0, y int) {
	m.Rows.Fill(dst, x0, y)
	k := m.down(y)
	for i := range dst {
		dst[i] *= k * m.across[x0-m.x0+i]
	}
}
