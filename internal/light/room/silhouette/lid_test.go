package silhouette

import (
	"image"
	"math"
	"slices"
	"testing"

	"pyrant/internal/base/camera"
)

// hull tells whether a place lies within the smallest convex outline of some.
func hull(at [][2]float64) func(x, y float64) bool {
	at = slices.Clone(at)
	slices.SortFunc(at, func(a, b [2]float64) int {
		if a[0] < b[0] || a[0] == b[0] && a[1] < b[1] {
			return -1
		}
		return 1
	})
	cross := func(a, b,
		c [2]float64) float64 {
		return (b[0]-a[0])*(c[1]-a[1]) - (b[1]-a[1])*(c[0]-a[0])
	}
	var line [][2]float64
	for range 2 {
		first := len(line)
		for _, p := range at {
			for len(line) > first+1 && cross(line[len(line)-2], line[len(line)-1], p) <= 0 {
				line = line[:len(line)-1]
			}
			line = append(line, p)
		}
		line = line[:len(line)-1]
		slices.Reverse(at)
	}
	return func(x, y float64) bool {
		for i, a := range line {
			if cross(a, line[(i+1)%len(line)], [2]float64{x, y}) < 0 {
				return false
			}
		}
		return true
	}
}

// turned returns the body of what is turned on an upright axis over a pixel of the floor: of so
// many rings, each with its radius and how high it lies.
func turned(t *testing.T, cam *camera.Camera, x, y float64, corners int,
	rings ...[2]float64) *Body {
	t.Helper()
	foot, ok := cam.Floor(x, y)
	if !ok {
		t.Fatal("it stands nowhere")
	}
	side := cam.Up.Cross(cam.Level(foot)).Unit()
	ahead := side.Cross(cam.Up)
	in := []func(x, y float64) bool{}
	var last [][2]float64
	for _, r := range rings {
		var ring [][2]float64
		for i := range corners {
			b, a := math.Sincos(2*math.Pi*float64(i)/float64(corners) + 0.7)
			px, py, ok := cam.Project(foot.Add(side.Mul(r[0] * a)).Add(ahead.Mul(r[0] * b)).
				Add(cam.Up.Mul(r[1])))
			if !ok {
				t.Fatal("it is not seen")
			}
			ring = append(ring, [2]float64{px, py})
		}
		if last != nil {
			in = append(in, hull(append(slices.Clone(last), ring...)))
		}
		last = ring
	}
	covered := cells(600, 400, func(x, y float64) bool {
		return slices.ContainsFunc(in, func(f func(x, y float64) bool) bool { return f(x, y) })
	})
	b := Stand(New(covered, nil, image.Rect(0, 0, 600, 400), 1), cam, cam.Card(foot), foot.Z)
	b.FindLid()
	return b
}

// The flat top of a barrel that is seen from above faces up, from edge to edge, and lies as high as
// it is; so does that of one whose edge is rounded off.
func TestLid(t *testing.T) {
	cam := camera.Level(600, 400, 60, 0, 600)
	for name, rings := range map[string][][2]float64{
		"a barrel":  {{0.12, 0}, {0.14, 0.2}, {0.12, 0.4}},
		"a bollard": {{0.14, 0}, {0.08, 0.15}, {0.12, 0.38}, {0.135, 0.4}, {0.13, 0.415}},
	} {
		b := turned(t, &cam, 320, 340, 60, rings...)
		top := rings[len(rings)-1]
		if b.lid == nil {
			t.Errorf("%s has no lid", name)
			continue
		}
		foot, _ := cam.Floor(320, 340)
		at := func(side, ahead float64) (x, y float64) {
			s := cam.Up.Cross(cam.Level(foot)).Unit()
			x, y, _ = cam.Project(foot.Add(s.Mul(side * top[0])).
				Add(s.Cross(cam.Up).Mul(ahead * top[0])).Add(cam.Up.Mul(top[1])))
			return x, y
		}
		for _, p := range [][2]float64{{0, 0}, {0.85, 0}, {-0.85, 0}, {0, 0.6}, {0, -0.6}} {
			x, y := at(p[0], p[1])
			v, n, ok := b.Surface(x, y)
			if f := facing(b, b.Lean(x-0.5, y-0.5, 1, 1, nil), x, y); !ok || n.Dot(cam.Up) < 0.8 ||
				f.Dot(cam.Up) < 0.8 {
				t.Errorf("%s, at %v of its top: faces up by %.2f, its pixel by %.2f", name, p, n.Dot(cam.Up), f.Dot(cam.Up))
			}
			if h := cam.Height(v); math.Abs(h-top[1]) > 0.02 {
				t.Errorf("%s, at %v of its top: %.3f high, want %.3f", name, p, h, top[1])
			}
		}
		// Below its near edge it is as round as ever.
		x, y := at(0, -1.1)
		if _, n, _ := b.Surface(x, y+6); math.Abs(n.Dot(cam.Up)) > 0.3 {
			t.Errorf("%s faces up by %.2f below its edge", name, n.Dot(cam.Up))
		}
	}
}

// What is round at its upper end has no lid, nor a board, what is thin, what goes on beyond the
// photo's edge, and what is seen from below; and what lies has none.
func TestNoLid(t *testing.T) {
	cam := camera.Level(600, 400, 60, 0, 600)
	ball := [][2]float64{{0.3, 0}, {0.3, 0.2}}
	for i := range 24 {
		b, a := math.Sincos(math.Pi / 2 * float64(i+1) / 24)
		ball = append(ball, [2]float64{0.3 * a, 0.2 + 0.3*b})
	}
	barrel := [][2]float64{{0.12, 0}, {0.12, 0.4}}
	board := Stand(New(cells(600, 400, func(x, y float64) bool {
		return x > 280 && x < 360 && y > 220 && y < 340
	}), nil, image.Rect(0, 0, 600, 400), 1), &cam, cam.Card(camera.Vec{Y: 1, Z: 2}), 2)
	board.FindLid()
	above := camera.Level(600, 400, -150, 0, 600)
	for name, b := range map[string]*Body{
		"a round post": turned(t, &cam, 320, 340, 60, ball...),
		"a cone":       turned(t, &cam, 320, 340, 60, [2]float64{0.2, 0}, [2]float64{0, 0.5}),
		"a pole":       turned(t, &cam, 320, 340, 60, [2]float64{0.01, 0}, [2]float64{0.01, 0.4}),
		"a high post":  turned(t, &cam, 320, 340, 60, [2]float64{0.12, 0}, [2]float64{0.12, 1.05}),
		"a tower":      turned(t, &cam, 320, 340, 60, [2]float64{0.12, 0}, [2]float64{0.12, 2}),
		"a far stone":  turned(t, &cam, 320, 75, 60, [2]float64{0.5, 0}, [2]float64{0.5, 0.5}),
		"what goes on": turned(t, &above, 320, 200, 60, [2]float64{0.12, 0}, [2]float64{0.12, 0.8}),
		"a board":      board,
	} {
		if b.lid != nil {
			t.Errorf("%s has a lid: %+v", name, *b.lid)
		}
	}
	b := turned(t, &cam, 320, 340, 60, barrel...)
	if b.lid == nil {
		t.Fatal("a barrel has no lid")
	}
	b.Flat = true
	if b.FindLid(); b.lid != nil {
		t.Error("what lies has a lid")
	}
}
