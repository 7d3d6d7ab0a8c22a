package staging

import (
	"context"
	"fmt"
	"image"
	"math"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/coverage"
	"pyrant/internal/base/graph"
	"pyrant/internal/light/room/lightmap"
	"pyrant/internal/light/room/silhouette"
	"pyrant/internal/recipe"
)

// onPlatform adds what of a platform is seen beside its sides: as a card in its middle. What of
// that rises above its top is taken to stand there, and shades as any other body does; it is lit as
// a card before that, since what stands on crates is flat more often than round.
func (s *Set) onPlatform(ctx context.Context, i int, p *recipe.Platform, c coverage.Coverage,
	covers Covers, frame image.Rectangle) error {
	prism := s.Prisms[i]
	var mid camera.Vec
	for _, v := range prism.Top {
		mid = mid.Add(v.Mul(0.25))
	}
	card := s.Cam.Card(mid)
	s.Surfaces = append(s.Surfaces, Surface{Kind: Platform, ID: p.ID, cover: c, inside: !p.Hollow,
		depth: mid.Len() + prism.Top[2].Sub(prism.Top[0]).Len(), Sheet: &lightmap.Sheet{Rect: frame,
			Plane: card, Cam: &s.Cam}})
	g := covers.Graph()
	u := part{Coverage: c, unit: s.unit}
	var err error
	if u.shape, err = graph.Get(ctx, g, uponShape{coverOf(g, c), graph.Of(g, *prism), s.Cam, mid,
		frame.Max, s.unit}); err != nil || u.shape.Empty() {
		return err
	}
	b := silhouette.Stand(u.shape, &s.Cam, card, mid.Z)
	s.Scene.Bodies = append(s.Scene.Bodies, b)
	card.D += 1.05 * b.Tall()
	s.Surfaces = append(s.Surfaces, Surface{Kind: Platform, ID: p.ID, cover: u,
		depth: 0.999 * nearest(prism), Sheet: &lightmap.Sheet{Rect: frame, Plane: card,
			Cam: &s.Cam}})
	return nil
}

// part is what of a cut-out stands on a platform.
type part struct {
	coverage.Coverage
	shape *silhouette.Shape
	unit  float64
}

// Key is that of Coverage.
func (u part) Key() string { return fmt.Sprintf("upon %d %s", u.shape.ID, u.Coverage.Key()) }

// At is that of Coverage.
func (u part) At(scale float64) coverage.Mask {
	return partMask{u.Coverage.At(scale), u.shape, 1 / (scale * u.unit)}
}

type partMask struct {
	coverage.Mask
	shape *silhouette.Shape
	step  float64 // cells for each pixel
}

// Fill is that of Mask. To its sides and above, the shape ends where the cut-out does, which alone
// tells there; only where it meets the platform it is cut off, softly.
func (m partMask) Fill(dst []float32, x0, y int) {
	m.Mask.Fill(dst, x0, y)
	const beside = 1.5 // cells
	v := (float64(y) + 0.5) * m.step
	for i, c := range dst {
		if c > 0 {
			u := (float64(x0+i) + 0.5) * m.step
			dst[i] *= max(m.shape.Within(u, v), m.shape.Within(u-beside, v),
				m.shape.Within(u+beside, v), m.shape.Within(u, v+beside))
		}
	}
}

// least is how much of what is seen of a platform has to lie above it, of the rest, for something
// to stand there: marks are not exact.
const least = 0.125

// upon returns the shape of what stands on a platform, of what is seen of the two: all that lies
// beside the platform's faces and above its top, and below that what of its top lies behind the
// middle. It is empty where that is little.
func upon(p *camera.Prism, c coverage.Coverage, cam *camera.Camera, mid camera.Vec,
	size image.Point, unit float64) *silhouette.Shape {
	scale := 1 / unit
	m := c.At(scale)
	all := image.Rect(0, 0, int(math.Ceil(float64(size.X)*scale)),
		int(math.Ceil(float64(size.Y)*scale)))
	rect := m.Bounds().Inset(-margin).Intersect(all)
	if m.Bounds().Empty() || rect.Empty() {
		return &silhouette.Shape{}
	}
	const slack = 2 // cells
	top, card, high := p.Planes[0], cam.Card(mid), cam.Height(mid)
	beside := slack * unit * mid.Z / cam.F
	covered := make([]bool, rect.Dx()*rect.Dy())
	column := make([]int, rect.Dx()) // how much rises above the top
	row := make([]float32, rect.Dx())
	each := func(do func(x, y int, r camera.Vec)) {
		for y := rect.Min.Y; y < rect.Max.Y; y++ {
			m.Fill(row, rect.Min.X, y)
			for x, v := range row {
				if v >= 0.5 {
					do(x, y-rect.Min.Y, cam.Ray((float64(rect.Min.X+x)+0.5)*unit,
						(float64(y)+0.5)*unit))
				}
			}
		}
	}
	each(func(x, y int, r camera.Vec) {
		t, ok := card.Hit(r)
		if deep, _ := p.Deep(camera.Vec{}, r.Mul(2*mid.Z), 1); ok && deep < -beside &&
			cam.Height(r.Mul(t)) > high {
			covered[y*rect.Dx()+x] = true
			column[x]++
		}
	})
	above, rest := 0.0, 0.0
	each(func(x, y int, r camera.Vec) {
		is := &covered[y*rect.Dx()+x]
		if column[x] < rim {
			*is = false // a board that stands out
		}
		if *is {
			above++
			return
		}
		rest++
		t, ok := top.Hit(r)
		*is = ok && column[x] >= rim && r.Mul(t).Len() > mid.Len()
	})
	if above < least*rest {
		return &silhouette.Shape{}
	}
	return silhouette.New(covered, nil, rect, unit)
}
