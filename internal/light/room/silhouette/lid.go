package silhouette

import (
	"math"

	"pyrant/internal/base/camera"
)

// lid is the flat top of a body, such as a bollard's, a barrel's or a stool's, as it is seen from
// above: an ellipse.
type lid struct {
	x, y, a, b float64      // middle and half axes, in pixels of the photo
	plane      camera.Plane // that it lies on
}

// What tells that a top is flat. Seen from a height, a level disc is as much wider than high as the
// camera looks down less than straight; from the top of an outline down, the first part for which
// that holds may be one. A ball, whose outline grows as fast at some place, goes on growing below
// that; and a board begins as wide as it is, as does what is too flat to tell.
const (
	growing = 1.25 // how much wider than the lid the body is at the most, as far again below it
	// how wide of its width it is at the most, an eighth down to its middle: an ellipse has 0.48
	beginning = 0.8
)

// FindLid looks for a flat top at the upper end of the body's outline, which the camera has to see
// from above. A body that has one faces up there.
func (b *Body) FindLid() {
	b.lid = nil
	u := b.used
	if b.Flat || u.Empty() || u.Min.Y <= b.Rect.Min.Y {
		return
	}
	covered := func(x, y int) bool { return b.Within(float64(x)+0.5, float64(y)+0.5) > 0.5 }
	// The part of the outline that its highest cells are on, row by row.
	var runs [][2]int
	mid := u.Min.X
	for mid < u.Max.X-1 && !covered(mid, u.Min.Y) {
		mid++
	}
	for y := u.Min.Y; y < u.Max.Y && covered(mid, y); y++ {
		r := [2]int{mid, mid + 1}
		for r[0] > u.Min.X && covered(r[0]-1, y) {
			r[0]--
		}
		for r[1] < u.Max.X && covered(r[1], y) {
			r[1]++
		}
		runs = append(runs, r)
		mid = (r[0] + r[1]) / 2
	}
	if len(runs) == 0 {
		return
	}
	half := func(t float64) float64 { // of the width, so far below the top
		r := runs[min(int(t), len(runs)-1)]
		return float64(r[1]-r[0]) / 2
	}
	x, y := float64(runs[0][0]+runs[0][1])/2*b.Cell, float64(u.Min.Y)*b.Cell
	steep := -b.Cam.Ray(x, y).Unit().Dot(b.Cam.Up)
	for i := range runs {
		high := float64(i) + 1 // from the top to the lower edge of the row
		wide := half(float64(i))
		if wide*steep > high {
			continue
		}
		if int(2*high) >= len(runs) || half(2*high) > growing*wide ||
			half(high/8) > beginning*wide {
			return
		}
		// An edge that is rounded off hides where it begins above.
		wide = half(2 * high)
		high = wide * steep
		l := lid{x: float64(runs[i][0]+runs[i][1]) / 2 * b.Cell, y: y + high*b.Cell,
			a: wide * b.Cell, b: high * b.Cell}
		r := b.Cam.Ray(l.x, l.y)
		t, ok := b.Card.Hit(r)
		if !ok {
			return
		}
		l.plane = camera.Plane{N: b.Cam.Up, D: b.Cam.Up.Dot(r.Mul(t))}
		b.lid = &l
		return
	}
}

// soft is how much of a lid's radius its edge takes.
const soft = 0.2

// within returns how much of a place of the photo the lid is: it ends softly.
func (l *lid) within(x, y float64) float64 {
	if l == nil {
		return 0
	}
	u, v := (x-l.x)/l.a, (y-l.y)/l.b
	// Above its middle the outline tells where it ends.
	q := u*u + v*v
	if v < 0 {
		q = u * u
	}
	return math.Min(math.Max((1-math.Sqrt(q))/soft, 0), 1)
}
