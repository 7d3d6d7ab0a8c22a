package vanishing

import (
	"context"
	"image"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"pyrant/demo"
	"pyrant/internal/base/camera"
	"pyrant/internal/base/codec"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
)

// Two straight edges and a curve: the edges are found where they are, and the curve is no line.
func TestLines(t *testing.T) {
	p := raster.NewPlane(image.Rect(0, 0, 200, 160))
	for y := range 160 {
		for x := range 200 {
			fx, fy := float64(x)+0.5, float64(y)+0.5
			v := 0.2
			// Right of a line that leans, down to y = 80; and a disc below.
			if fy < 80 {
				v += 0.6 * math.Min(math.Max(fx-(60+fy/4)+0.5, 0), 1)
			} else if d := math.Hypot(fx-100, fy-125); d < 30 {
				v += 0.4 * math.Min(30-d, 1)
			}
			p.Pix[y*200+x] = float32(v)
		}
	}
	lines := Lines(p, 25)
	found := 0
	for _, l := range lines {
		if math.Abs(l.Y0-80) < 2 && math.Abs(l.Y1-80) < 2 {
			continue // where the upper part ends
		}
		if math.Abs(l.X0-(60+l.Y0/4)) > 0.7 || math.Abs(l.X1-(60+l.Y1/4)) > 0.7 || l.Len() < 70 {
			t.Errorf("%v, %.0f long, is no edge of the picture", l, l.Len())
			continue
		}
		found++
	}
	if found != 1 {
		t.Errorf("the leaning edge was found %d times among %v", found, lines)
	}
	if l := Lines(raster.NewPlane(image.Rect(0, 0, 2, 2)), 1); l != nil {
		t.Errorf("four pixels hold the lines %v", l)
	}
}

// drawn returns lines of a made scene seen by a camera: upright ones, and level ones in two
// headings at right angles, each end off by up to so many pixels, among others that go anywhere.
func drawn(r *rand.Rand, cam *camera.Camera, heading, off float64, astray int) (out []Line) {
	ahead := cam.Level(camera.Vec{Z: 1})
	right := ahead.Cross(cam.Up)
	if right.X < 0 {
		right = right.Mul(-1)
	}
	s, c := math.Sincos(heading * math.Pi / 180)
	dirs := []camera.Vec{cam.Up, ahead.Mul(c).Add(right.Mul(s)), right.Mul(c).Sub(ahead.Mul(s))}
	for len(out) < 90 {
		at := ahead.Mul(2 +
			8*r.Float64()).Add(right.Mul(6*r.Float64() - 3)).Add(cam.Up.Mul(3*r.Float64() - 1))
		end := at.Add(dirs[len(out)%3].Mul(0.3 + r.Float64()))
		x0, y0, ok := cam.Project(at)
		x1, y1, also := cam.Project(end)
		if !ok || !also || math.Hypot(x1-x0, y1-y0) < 25 {
			continue
		}
		e := func() float64 { return off * (2*r.Float64() - 1) }
		out = append(out, Line{x0 + e(), y0 + e(), x1 + e(), y1 + e()})
	}
	for range astray {
		x, y, a, n := 1000*r.Float64(), 667*r.Float64(), math.Pi*r.Float64(), 25+60*r.Float64()
		out = append(out, Line{x, y, x + n*math.Cos(a), y + n*math.Sin(a)})
	}
	return
}

// The camera of made scenes is found, also where a third of the lines go astray.
func TestFind(t *testing.T) {
	const w, h = 1000.0, 667.0
	r := rand.New(rand.NewPCG(5, 6))
	for i := range 12 {
		view, tilt, roll, heading := 40+30*r.Float64(), 24*r.Float64()-6, 6*r.Float64()-3,
			80*r.Float64()-40
		cam := tilted(w, h, camera.FocalOf(view, w), tilt, roll)
		v, ok, err := Find(context.Background(), drawn(r, &cam, heading, 0.4, 45), w, h, 0)
		if err != nil || !ok {
			t.Errorf("scene %d: found %v, %v", i, ok, err)
			continue
		}
		if d := math.Abs(v.Cam.Horizon(w/2) - cam.Horizon(w/2)); d > 0.015*w {
			t.Errorf("scene %d: the horizon is %.1f px off", i, d)
		}
		if d := math.Acos(min(v.Cam.Up.Dot(cam.Up), 1)) * 180 / math.Pi; d > 1.5 {
			t.Errorf("scene %d: upright is %.2f° off", i, d)
		}
		if got := camera.ViewOf(v.Cam.F, w); math.Abs(got-view) > 7 {
			t.Errorf("scene %d: sees %.1f° across instead of %.1f", i, got, view)
		}
		if d := math.Abs(math.Remainder(v.Heading-heading, 90)); d > 2 {
			t.Errorf("scene %d: lines head %.1f° aside of %.1f", i, d, heading)
		}
	}
}

// Lines that go anywhere, and few, tell nothing.
func TestNothingToFind(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	cam := tilted(1000, 667, 1000, 8, 0)
	if v, ok, _ := Find(context.Background(), drawn(r, &cam, 10, 0, 0)[:few-1], 1000, 667, 0); ok {
		t.Errorf("%d lines tell of %v", few-1, v)
	}
	for i := range 5 {
		if v, ok, _ := Find(context.Background(), drawn(r, &cam, 10, 0, 300)[90:], 1000, 667,
			0); ok {
			t.Errorf("%d: lines at random tell of a camera, sure %.3f", i, v.Sure)
		}
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, _, err := Of(ctx, &photo.Photo{Width: 40, Height: 30, Pix8: make([]uint8, 40*30*3)},
		0); err == nil {
		t.Error("a search that was given up ends well")
	}
}

// On the demo's photos the horizon, the field of view and the heading are those that they were made
// with; hills without anything built tell nothing.
func TestDemoPhotos(t *testing.T) {
	if testing.Short() {
		t.Skip("whole photos")
	}
	for _, tt := range []struct {
		name                   string
		horizon, view, heading float64 // of the width, degrees
		ok                     bool
	}{
		{"Tidewatch quay", 300.25 / 1500, 54.4, -3.2, true},
		{"Tidewatch harbour", 1130.85 / 3000, 55, -3, true},
		{"Tidewatch dunes", 0, 0, 0, false},
	} {
		i := slices.IndexFunc(demo.Shots, func(s demo.Shot) bool { return s.Name == tt.name })
		p, err := codec.Open(context.Background(), demo.Shots[i].Photo)
		if err != nil {
			t.Fatal(err)
		}
		v, ok, err := Of(context.Background(), p, 0)
		if err != nil || ok != tt.ok {
			t.Errorf("%s: %v, %v, sure %.3f", tt.name, ok, err, v.Sure)
		}
		if !tt.ok {
			continue
		}
		w := float64(p.Width)
		if d := v.Cam.Horizon(w/2)/w - tt.horizon; math.Abs(d) > 0.012 {
			t.Errorf("%s: the horizon is %.4f of the width off", tt.name, d)
		}
		if got := camera.ViewOf(v.Cam.F, w); math.Abs(got-tt.view) > 4 {
			t.Errorf("%s: sees %.1f° across, made with %.1f", tt.name, got, tt.view)
		}
		if d := math.Remainder(v.Heading-tt.heading, 90); math.Abs(d) > 4 {
			t.Errorf("%s: lines head %.1f°, made with %.1f", tt.name, v.Heading, tt.heading)
		}
	}
}
