package silhouette

import (
	"image"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"pyrant/internal/base/camera"
)

// Eight ways at once, and twice as many, have the same bits as one after the other: on a card that
// stands and one that lies, across the grid, beyond it, from behind the camera and to places that
// are none.
func TestMarchSameBits(t *testing.T) {
	if !wide {
		t.Skip("this machine goes one way at a time")
	}
	cam := camera.Level(200, 200, 60, 0, 200)
	covered := cells(120, 140, func(x, y float64) bool {
		return math.Hypot(x-60, y-30) < 14 || math.Abs(x-60) < 20 && y > 40 && y < 130 || x > 112
	})
	away := cells(120, 140, func(x, _ float64) bool { return math.Abs(x-50) < 3 })
	shapes := []*Shape{
		New(covered, away, image.Rect(40, 30, 160, 170), 1),
		New(cells(1, 1, func(_, _ float64) bool { return true }), nil, image.Rect(100, 100, 101,
			101), 1),
		New(make([]bool, 120*140), nil, image.Rect(40, 30, 160, 170), 1),
	}
	rng := rand.New(rand.NewPCG(7, 8))
	v := func(most float64) float32 { return float32((2*rng.Float64() - 1) * most) }
	touched := 0
	for _, sh := range shapes {
		for n := range 2000 {
			b := Stand(sh, &cam, camera.Plane{N: camera.Vec{Z: -1}, D: -4}, 4)
			b.Flat = n%2 == 1
			s := b.still()
			if n%3 > 0 {
				s.within = math.MaxUint32
			}
			var f, g fan
			for i := range gang {
				f.x[i], f.y[i], f.z[i], f.w[i] = v(3), v(3), 3+v(4), v(100)
				f.dx[i], f.dy[i], f.dz[i], f.dw[i] = v(5), v(5), v(5), v(100)
				f.near[i], f.grow[i] = 0.1+v(0.1), v(0.05)
				f.t[i], f.t1[i], f.each[i] = 0.1+v(0.1), 0.8+v(0.2), 0.2+v(0.1)
				if n%50 == 0 {
					f.dx[i] = float32(math.NaN())
				}
			}
			g = f
			count := 1 + n%2
			march(&f, &s, &b.pix[0], count)
			marchEach(&g, &s, b.pix, count)
			if !slices.Equal(f.worst[:count*lanes], g.worst[:count*lanes]) {
				t.Fatalf("%v: %v at once, %v one by one", sh.Used(), f.worst, g.worst)
			}
			var e eight
			for i := range lanes {
				e.x[i], e.y[i], e.z[i], e.dx[i], e.dy[i], e.dz[i] = v(3), v(3), 3+v(4), v(5), v(5),
					v(5)
				e.near[i], e.far[i], e.end[i] = 0.1+v(0.1), 0.1+v(0.1), 0.5+v(0.6)
			}
			e.dz[n%lanes], e.dx[(n+1)%lanes] = 0, float32(n%3)
			at := b.bounds(0.01)
			at.skip = 0.1
			var m, o met
			if got, want := at.meet(&e, &m), at.meetEach(&e, &o); got != want || got != 0 &&
				m != o {
				t.Fatalf("%v: %b of %v can meet it, one by one %b of %v", sh.Used(), got, m, want, o)
			}
			if got, want := at.touched(&e), at.touchedEach(&e); got != want {
				t.Fatalf("%v: %b touch it, one by one %b", sh.Used(), got, want)
			}
			for _, w := range g.worst[:lanes] {
				if w > -1 && w < 1 {
					touched++
				}
			}
		}
	}
	if touched < 500 {
		t.Errorf("only %d ways touch something", touched)
	}
}
