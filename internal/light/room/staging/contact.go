package staging

import (
	"context"
	"image"
	"math"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/graph"
	"pyrant/internal/light/room/silhouette"
)

// fewest is how many cells toes have at the least, and beyond how far they stand out from the card
// at the least, of how thick the body is a little above them.
const (
	fewest = 24
	beyond = 1.5
)

// toes adds what of a body is seen below the floor of its card, and so stands out from that towards
// the camera, such as the toes of boots: as a body of its own, which lies on the floor.
func (s *Set) toes(ctx context.Context, b *silhouette.Body, foot camera.Vec, covers Covers) error {
	shp, err := graph.Get(ctx, covers.Graph(),
		toeShape{shapeOf(covers.Graph(), b.Shape), s.Cam, b.Card, foot, s.unit})
	if err != nil || shp.Empty() {
		return err
	}
	t := silhouette.Stand(shp, &s.Cam, s.Cam.FloorPlane(), foot.Z)
	t.Flat, t.Of = true, b
	s.Scene.Bodies = append(s.Scene.Bodies, t)
	return nil
}

// outside returns the shape of a body's toes on a grid of cells of unit pixels, empty where it has
// none.
func outside(b *silhouette.Body, foot camera.Vec, unit float64) *silhouette.Shape {
	used := b.Used()
	size := foot.Z / b.Cam.F // of a pixel
	below := func(x, y int) bool {
		r := b.Cam.Ray((float64(x)+0.5)*unit, (float64(y)+0.5)*unit)
		t, ok := b.Card.Hit(r)
		return ok && b.Cam.Height(r.Mul(t)) < -unit*size
	}
	line := used.Max.Y // where the card meets the floor
	for line > used.Min.Y && (below(used.Min.X, line-1) || below(used.Max.X-1, line-1)) {
		line--
	}
	if line == used.Max.Y {
		return &silhouette.Shape{}
	}
	// What is round down to the floor has what is seen there in its body already, which is as thick
	// a little above. As much above the line tells how thick the toes are there.
	strip := used.Max.Y - line
	thick := make([]float64, used.Dx())
	for x := range thick {
		for y := max(line-strip, used.Min.Y); y < line; y++ {
			h, _, _ := b.Thickness((float64(used.Min.X+x)+0.5)*unit, (float64(y)+0.5)*unit)
			thick[x] = math.Max(thick[x], h*size)
		}
	}
	rect := image.Rect(used.Min.X, max(line-2*strip, used.Min.Y), used.Max.X,
		used.Max.Y).Inset(-margin)
	covered, away := make([]bool, rect.Dx()*rect.Dy()), make([]bool, rect.Dx()*rect.Dy())
	n := 0
	for y := max(rect.Min.Y, used.Min.Y); y < used.Max.Y; y++ {
		for x := used.Min.X; x < used.Max.X; x++ {
			if b.Shape.Within(float64(x)+0.5, float64(y)+0.5) < 0.5 {
				continue
			}
			i := (y-rect.Min.Y)*rect.Dx() + x - rect.Min.X
			v, ok := b.Cam.Floor((float64(x)+0.5)*unit, (float64(y)+0.5)*unit)
			if ok && y >= line && below(x, y) && b.Card.Side(v) > beyond*thick[x-used.Min.X] {
				covered[i] = true
				n++
			} else {
				away[i] = true
			}
		}
	}
	if n < fewest {
		return &silhouette.Shape{}
	}
	return silhouette.New(covered, away, rect, unit)
}
