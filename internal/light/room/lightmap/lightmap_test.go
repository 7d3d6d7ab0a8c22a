package lightmap

import (
	"context"
	"fmt"
	"image"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"pyrant/internal/base/camera"
	"pyrant/internal/light/room/silhouette"
)

var ctx = context.Background()

// level is a camera that looks ahead over a floor one unit below it; Y is down.
func level() *camera.Camera {
	c := camera.Level(600, 400, 150, 0, 600)
	return &c
}

// floorAt is a place of the floor that lies so far to the right and ahead.
func floorAt(c *camera.Camera, right, ahead float64) Place {
	fore := c.Level(camera.Vec{Z: 1})
	return Place{At: camera.Vec{X: right}.Add(fore.Mul(ahead)).Sub(c.Up), N: c.Up}
}

// over is a place over the floor.
func over(c *camera.Camera, right, ahead, high float64) camera.Vec {
	return floorAt(c, right, ahead).At.Add(c.Up.Mul(high))
}

func near(t *testing.T, what string, got, want, tol float64) {
	t.Helper()
	if math.Abs(got-want) > tol*math.Max(math.Abs(want), 1e-12) {
		t.Errorf("%s: %.6g, want %.6g", what, got, want)
	}
}

// A ball lights the floor by the inverse square of the distance to its middle and the angle, also
// close to it.
func TestBulb(t *testing.T) {
	c := level()
	l := &Light{}
	l.Bulb(over(c, 0, 4, 1), 0.05)
	s := &Scene{}
	for _, x := range []float64{0, 0.5, 2} {
		d2 := 1 + x*x
		e, bare := s.At(l, floorAt(c, x, 4))
		near(t, "under and beside a ball", e, 0.05*0.05/math.Sqrt(d2)/d2, 5e-3)
		near(t, "with nothing in the way", bare, e, 1e-12)
	}
	large := &Light{}
	large.Bulb(over(c, 0, 4, 1), 0.4)
	for _, h := range []float64{0, 0.3, 0.5} {
		d := 1 - h
		e, _ := s.At(large, Place{At: over(c, 0, 4, h), N: c.Up})
		near(t, "close to a ball", e, 0.4*0.4/(d*d), 6e-3)
	}
	if e, _ := s.At(l, Place{At: over(c, 0, 4, 3), N: c.Up}); e != 0 {
		t.Errorf("what faces away gets %v", e)
	}
}

// The closed form of a tube is the integral over it, also with ends below the horizon.
func TestTube(t *testing.T) {
	c := level()
	for _, ends := range [][2]camera.Vec{
		{over(c, -1, 4, 1), over(c, 1, 4, 1)},
		{over(c, 0.3, 4, 0.1), over(c, 0.5, 4.4, 1.8)},
		{over(c, -2, 3, 0.4), over(c, 0, 5, 2)},
	} {
		l := &Light{}
		const r = 0.01
		l.Tube(ends[0], ends[1], r, 0.3)
		axis := ends[1].Sub(ends[0])
		dir := axis.Unit()
		for _, pl := range []Place{floorAt(c, 0, 3), floorAt(c, 1.2, 4.3), {At: over(c, 0, 6, 0.8),
			N: c.Level(camera.Vec{Z: -1})}} {
			want := 0.0
			const n = 20000
			x := pl.At.Add(pl.N.Mul(lift))
			for i := range n {
				d := ends[0].Add(axis.Mul((float64(i) + 0.5) / n)).Sub(x)
				d2 := d.Dot(d)
				to := d.Unit()
				sin := math.Sqrt(math.Max(1-math.Pow(dir.Dot(to), 2), 0))
				want += math.Max(pl.N.Dot(to), 0) * sin * 2 * r * axis.Len() / n / (math.Pi * d2)
			}
			e, _ := (&Scene{}).At(l, pl)
			near(t, "a tube", e, want, 2e-3)
		}
	}
}

// A panel lights by both angles and its back not at all; an upright round body all round.
func TestPanel(t *testing.T) {
	c := level()
	at := over(c, 0, 4, 1)
	toward := c.Level(camera.Vec{Z: -1})
	l := &Light{}
	l.Panel([]Flat{{at, 0.02}}, toward, false)
	both := &Light{}
	both.Panel([]Flat{{at, 0.02}}, toward, true)
	s := &Scene{}
	before, behind := floorAt(c, 0, 2.5), floorAt(c, 0, 5.5)
	e, _ := s.At(l, before)
	d2 := 1 + 1.5*1.5
	near(t, "before a panel", e, 0.02*(1.5/math.Sqrt(d2))*(1/math.Sqrt(d2))/(math.Pi*d2), 5e-3)
	if e, _ := s.At(l, behind); e != 0 {
		t.Errorf("behind a panel %v", e)
	}
	f, _ := s.At(both, behind)
	near(t, "behind one that shines to both sides", f, e, 5e-3)
	lamp := &Light{}
	lamp.Round([]Flat{{at, 0.02}}, c.Up)
	a, _ := s.At(lamp, before)
	b, _ := s.At(lamp, behind)
	near(t, "a lamp to both sides", a, b, 1e-9)
}

// lambert returns what a flat polygon that shines evenly gives to a place with the normal n before
// it, of all of what lies before that (Lambert 1760).
func lambert(x, n camera.Vec, poly []camera.Vec) (e float64) {
	for i, a := range poly {
		a, b := a.Sub(x).Unit(), poly[(i+1)%len(poly)].Sub(x).Unit()
		e += math.Acos(a.Dot(b)) * a.Cross(b).Unit().Dot(n) / (2 * math.Pi)
	}
	return math.Abs(e)
}

// A panel in nine parts gives to a wall before it what the whole of it does, from nearer than it is
// wide on.
func TestNearPanel(t *testing.T) {
	c := level()
	at := func(x, h float64) camera.Vec { return over(c, x, 4, h) }
	n := c.Level(camera.Vec{Z: -1})
	var parts []Flat
	for i := range 9 {
		parts = append(parts, Flat{at((float64(i%3)-1)/3, 1+(float64(i/3)-1)/3), 1.0 / 9})
	}
	l := &Light{}
	l.Panel(parts, n, false)
	poly := []camera.Vec{at(-0.5, 0.5), at(0.5, 0.5), at(0.5, 1.5), at(-0.5, 1.5)}
	for _, tt := range []struct{ away, off float64 }{{0.4, 0.15}, {0.7, 0.06}, {1, 0.025},
		{2, 0.01}} {
		for _, x := range []float64{0, 0.3, 0.6, 1} {
			pl := Place{At: at(x, 1.1).Add(n.Mul(tt.away)), N: n.Mul(-1)}
			e, _ := (&Scene{}).At(l, pl)
			near(t, fmt.Sprintf("%v away, %v aside", tt.away, x), e,
				lambert(pl.At.Add(pl.N.Mul(lift)), pl.N, poly), tt.off)
		}
	}
}

// ball is a body of a disc in the photo, so far ahead; it gives its middle and radius.
func ball(c *camera.Camera, depth float64) (*silhouette.Body, camera.Vec, float64) {
	covered := make([]bool, 600*400)
	for i := range covered {
		covered[i] = math.Hypot(float64(i%600)+0.5-300, float64(i/600)+0.5-200) < 40
	}
	shape := silhouette.New(covered, nil, image.Rect(0, 0, 600, 400), 1)
	mid := c.Ray(300, 200).Mul(depth)
	return silhouette.Stand(shape, c, c.Card(mid), depth), mid, 40 * depth / c.F
}

// A ball before a light keeps it off behind, half of it at the edge, and nothing beside; the shadow
// of a larger light is softer.
func TestShadow(t *testing.T) {
	c := level()
	b, mid, r := ball(c, 4)
	s := &Scene{Bodies: []*silhouette.Body{b}}
	n := c.Level(camera.Vec{Z: -1})
	seen := func(radius, off float64) float64 {
		l := &Light{}
		l.Bulb(mid.Add(n.Mul(2)), radius) // between the camera and the ball
		pl := Place{At: mid.Sub(n.Mul(2)).Add(camera.Vec{X: off}), N: n}
		e, bare := s.At(l, pl)
		return e / bare
	}
	edge := 2 * r // on the plane twice as far from the light
	if v := seen(0.02, 0); v > 0.02 {
		t.Errorf("behind the ball %.3f of the light is left", v)
	}
	if v := seen(0.02, 3*edge); v < 0.99 {
		t.Errorf("well beside its shadow %.3f of the light is left", v)
	}
	if v := seen(0.02, edge); v < 0.2 || v > 0.8 {
		t.Errorf("at the edge of the shadow %.3f of the light is left", v)
	}
	width := func(radius float64) float64 {
		from, to := 0.0, 0.0
		for x := 0.0; x < 4*edge; x += edge / 200 {
			v := seen(radius, x)
			if v < 0.1 {
				from = x
			}
			if v < 0.9 {
				to = x
			}
		}
		return to - from
	}
	small, large := width(0.02), width(0.12)
	// A disc of radius ρ as far before the edge as the plane is behind it: the edge is 2ρ wide,
	// less its ends.
	if large < 2*small || math.Abs(large-0.12*2*0.65) > 0.12 {
		t.Errorf("the shadow's edge is %.3f wide of a small light and %.3f of a large one", small, large)
	}
	// A light's own body does not shade it.
	own := &Light{Of: "rod"}
	own.Tube(over(c, -1, 4, 1), over(c, 1, 4, 1), 0.05, 1)
	lit := &Scene{Rods: own.Rods()}
	if e, bare := lit.At(own, floorAt(c, 0, 4)); e != bare {
		t.Errorf("a rod shades itself: %v of %v", e, bare)
	}
	other := &Light{Of: "lamp"}
	other.Bulb(over(c, 0, 4, 2), 0.01)
	if e, bare := lit.At(other, floorAt(c, 0, 4)); e > 0.05*bare {
		t.Errorf("a rod under a lamp lets %.3f of it through", e/bare)
	}
}

// A grid comes within a few per cent of what it stands for, with and without shadows, at far fewer
// places.
func TestGrid(t *testing.T) {
	c := level()
	b, mid, _ := ball(c, 4)
	n := c.Level(camera.Vec{Z: -1})
	l := &Light{}
	l.Bulb(mid.Add(n.Mul(0.4)).Add(camera.Vec{X: -1.2}), 0.08)
	sheet := &Sheet{Rect: image.Rect(0, 0, 600, 400), Plane: c.FloorPlane(), Cam: c}
	s := &Scene{Bodies: []*silhouette.Body{b}}
	f, err := s.Of(ctx, l, []*Sheet{sheet}, Detail{Tile: 13, Most: 8}, 1, nil, nil)
	if err != nil {
		t.Fatal(err)
	}
	g := f.Direct[0]
	row := make([]float32, 600)
	var off, sum, worst, top float64
	for y := 170; y < 400; y += 7 {
		g.Read(row, 0, 1, float64(y)+0.5, 600)
		for x := 0; x < 600; x += 5 {
			pl, ok := sheet.Place(float64(x)+0.5, float64(y)+0.5)
			if !ok {
				continue
			}
			e, _ := s.At(l, pl)
			d := math.Abs(e - float64(row[x]))
			off, sum, worst, top = off+d, sum+e, math.Max(worst, d), math.Max(top, e)
		}
	}
	if off > 0.015*sum || worst > 0.25*top {
		t.Errorf("the grid is off by %.4f of the light, at one place by %.3f of the most", off/sum, worst/top)
	}
	if n := f.Bytes(); n < 4*int64(g.Cells()) || n > 40*int64(g.Cells()) {
		t.Errorf("%d cells are said to take %d bytes", g.Cells(), n)
	}
	if n := g.Cells(); n > 600*400/8 {
		t.Errorf("%d places were worked out", n)
	}
	// A pixel is the same whichever is the first of a row.
	one := make([]float32, 1)
	g.Read(row, 0, 1, 300.5, 600)
	for _, x := range []int{3, 77, 299, 512} {
		if g.Read(one, x, 1, 300.5, 1); one[0] != row[x] {
			t.Errorf("at %d it is %v in a row and %v by itself", x, row[x], one[0])
		}
	}
	// Without shadows nothing is in the way.
	f, err = s.Of(ctx, l, []*Sheet{sheet}, Detail{Tile: 13, Most: 8}, 0, nil, nil)
	if err != nil {
		t.Fatal(err)
	}
	pl, _ := sheet.Place(400.5, 300.5)
	_, bare := s.At(l, pl)
	f.Direct[0].Read(one, 400, 1, 300.5, 1)
	near(t, "without shadows", float64(one[0]), bare, 0.03)
	gone, cancel := context.WithCancel(ctx)
	cancel()
	if _, err := s.Of(gone, l, []*Sheet{sheet}, Detail{Tile: 13, Most: 8}, 1, nil,
		nil); err == nil {
		t.Error("what nobody wants is worked out")
	}
}

// Of a beam from one direction the cosine counts, and from all sides alike a half.
func TestOn(t *testing.T) {
	n := []float32{0, 0, 1}
	for _, a := range []float64{0, 0.5, 1, 1.4, 2} {
		v := []float32{float32(math.Sin(a)), 0, float32(math.Cos(a)), 1}
		if got, want := On(v, n), math.Max(math.Cos(a), 0); math.Abs(float64(got)-want) > 1e-3 {
			t.Errorf("from %.1f: %v, want %.3f", a, got, want)
		}
	}
	// A sky: over the half sphere the mean of all directions is a half of them, and gives a flat
	// surface a half.
	if got := On([]float32{0, 0, 0.5, 1}, n); math.Abs(float64(got)-0.5) > 0.06 {
		t.Errorf("under a sky %v", got)
	}
	// Three colours from one direction are each On of it.
	beam, all := []float32{0.3, 0.1, 0.8, 1}, float32(1.75)
	mixed := []float32{all * beam[0], all * beam[1], all * beam[2], 1, 0.5, 0.25, 0, 0, 0, 0, 0, 0}
	c := make([]float32, 3)
	if OnColours(c, mixed, n); math.Abs(float64(c[0]-On(beam, n))) > 1e-6 ||
		math.Abs(float64(c[1]-c[0]/2)) > 1e-6 || math.Abs(float64(c[2]-c[0]/4)) > 1e-6 {
		t.Errorf("three colours: %v, the first by itself %v", c, On(beam, n))
	}
	if got := On([]float32{0, 0, 0, 0}, n); got != 0 {
		t.Errorf("of nothing %v", got)
	}
}

// A bright wall behind a body and a dim floor before it are told apart: a front that sees the floor
// alone gets what that gives, in its colour, and a side what both do.
func TestAround(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 5))
	beams, mixed := make([]float32, Around), make([]float32, Mixed)
	type ray struct {
		d camera.Vec
		g float64
	}
	var rays []ray
	const many = 20000
	for i := range many {
		d, strong, half := camera.Vec{Z: 1}, 10.0, 0.6 // from behind, red
		if i%2 == 0 {
			d, strong, half = camera.Vec{Y: 0.8, Z: -0.6}, 1, 0.5 // from below and before, blue
		}
		d = d.Add(camera.Vec{X: rng.NormFloat64(), Y: rng.NormFloat64(),
			Z: rng.NormFloat64()}.Unit().Mul(half * math.Cbrt(rng.Float64()))).Unit()
		g := strong / many
		rays = append(rays, ray{d, g})
		at, to := beams, mixed
		if d.Z > 0 {
			at, to = at[4:], to[6:]
		}
		for q, v := range [4]float64{d.X, d.Y, d.Z, 1} {
			at[q] += float32(g * v)
			if q < 3 {
				to[q] += float32(g * v)
			}
		}
		if i%2 == 0 {
			to[5] += float32(g)
		} else {
			to[3] += float32(g)
		}
	}
	one := make([]float32, 4)
	for q := range one {
		one[q] = beams[q] + beams[4+q]
	}
	for _, tt := range []struct {
		n   camera.Vec
		off float64
	}{{camera.Vec{Z: -1}, 0.1}, {camera.Vec{Y: 0.6, Z: -0.8}, 0.1}, {camera.Vec{X: 1}, 0.3},
		{camera.Vec{X: 0.6, Z: 0.8}, 0.1}} {
		want, blue := 0.0, 0.0
		for i, r := range rays {
			e := r.g * math.Max(r.d.Dot(tt.n), 0)
			if want += e; i%2 == 0 {
				blue += e
			}
		}
		n := []float32{float32(tt.n.X), float32(tt.n.Y), float32(tt.n.Z)}
		got, c := make([]float32, 1), make([]float32, 3)
		OnAround(got, beams, n, make([]float32, 1))
		OnColours(c, mixed, n)
		near(t, fmt.Sprint("towards ", tt.n), float64(got[0]), want, tt.off)
		near(t, fmt.Sprint("all colours towards ", tt.n), float64(c[0]+c[1]+c[2]), want, tt.off)
		if math.Abs(float64(c[2])-blue) > 0.3*tt.off*want+0.1*blue {
			t.Errorf("towards %v: %v, of it blue %.4f", tt.n, c, blue)
		}
	}
	if n := []float32{0, 0, -1}; On(one, n) > 0.5*On(beams, n) {
		t.Error("one cone tells the two apart")
	}
}

// daylight returns what a sky gives to a flat place.
func daylight(s *Scene, sky *Sky, pl Place) float64 {
	light := make([]float64, 1)
	if err := s.DaylightAt(ctx, sky, []Patch{{Place: pl}}, light); err != nil {
		panic(err)
	}
	return light[0]
}

// Open ground gets 1, also with a brighter part; beside a wall less, and a wall itself about half.
func TestSky(t *testing.T) {
	c := level()
	wall, _ := c.Upright(floorAt(c, -3, 6).At, floorAt(c, 3, 6).At)
	open := NewSky(c, nil, nil, false)
	s := &Scene{}
	near(t, "open ground", daylight(s, open, floorAt(c, 0, 4)), 1, 0.01)
	open.Toward(Lobe{Elevation: 40, Azimuth: 200, Share: 0.6})
	near(t, "open ground under a veiled sun", daylight(s, open, floorAt(c, 0, 4)), 1, 0.01)
	closed := NewSky(c, []camera.Plane{wall}, []float64{2}, false)
	far, by := daylight(s, closed, floorAt(c, 0, 2)), daylight(s, closed, floorAt(c, 0, 5.9))
	if !(by < 0.8 && far > by+0.15 && far < 1) {
		t.Errorf("before a wall %.3f, at its foot %.3f", far, by)
	}
	if w := daylight(s, closed, Place{At: over(c, 0, 6, 1).Add(wall.N.Mul(1e-3)),
		N: wall.N}); w < 0.3 || w > 0.8 {
		t.Errorf("the wall gets %.3f", w)
	}
	b, mid, r := ball(c, 4)
	s.Bodies = []*silhouette.Body{b}
	if under := daylight(s, open, Place{At: mid.Sub(c.Up.Mul(1.5 * r)), N: c.Up}); under > 0.7 {
		t.Errorf("under a ball %.3f", under)
	}
}

// Under what lies on the floor, which nobody sees, daylight is taken to be as beside it: between
// the places of a grid no dark rim comes out from below it, that would make the floor bright once
// daylight is divided out.
func TestDaylightUnderWhatLies(t *testing.T) {
	c := level()
	covered := make([]bool, 600*400)
	for i := range covered {
		covered[i] = math.Hypot(float64(i%600)-300, 3*(float64(i/600)-300)) < 60
	}
	floor := c.FloorPlane()
	at, _ := floor.Hit(c.Ray(300, 300))
	mat := silhouette.Stand(silhouette.New(covered, nil, image.Rect(0, 0, 600, 400), 1), c,
		floor, at)
	mat.Flat = true
	sheet := &Sheet{Rect: image.Rect(0, 0, 600, 400), Plane: floor, Cam: c}
	f, err := (&Scene{Bodies: []*silhouette.Body{mat}}).Daylight(t.Context(),
		NewSky(c, nil, nil, false), []*Sheet{sheet}, Detail{Tile: 32, Most: 4})
	if err != nil {
		t.Fatal(err)
	}
	row := make([]float32, 600)
	f.Direct[0].Read(row, 0, 1, 300.5, 600)
	if low := slices.Min(row[200:400]); low < 0.35 {
		t.Errorf("daylight falls to %.2f of that on open ground", low)
	}
	if beside := row[236]; beside > 0.95 || row[100] < 0.97 {
		t.Errorf("close to it there is %.2f of the daylight, far off %.2f", beside, row[100])
	}
}

// The brighter part of a sky is found again from what it did to a photo of an even floor and wall.
func TestFindSky(t *testing.T) {
	c := level()
	wall, _ := c.Upright(floorAt(c, -3, 6).At, floorAt(c, 3, 6).At)
	b, _, _ := ball(c, 4)
	s := &Scene{Bodies: []*silhouette.Body{b}}
	was := Lobe{Elevation: 35, Azimuth: 240, Share: 0.6}
	truth := NewSky(c, []camera.Plane{wall}, []float64{2}, false)
	truth.Toward(was)
	var places []Lit
	for x := -2.5; x <= 2.5; x += 0.25 {
		for z := 2.5; z < 6; z += 0.25 {
			pl := floorAt(c, x, z)
			places = append(places, Lit{pl, 0.4 * daylight(s, truth, pl), 0})
			w := Place{At: over(c, x, 6, z/3).Add(wall.N.Mul(1e-3)), N: wall.N}
			places = append(places, Lit{w, 0.3 * daylight(s, truth, w), 1})
		}
	}
	sky := NewSky(c, []camera.Plane{wall}, []float64{2}, false)
	// Its height is hard to tell, as floor and wall may be of two colours.
	if got, err := sky.Find(ctx, s, places); err != nil || got.Azimuth != was.Azimuth ||
		got.Share != was.Share || math.Abs(got.Elevation-was.Elevation) > 15 {
		t.Errorf("found %+v, was %+v", got, was)
	}
}

// A surface sends back what it got, by its colour, and no more than it got; what stands between
// keeps it off.
func TestBounce(t *testing.T) {
	c := level()
	wall, _ := c.Upright(floorAt(c, -3, 6).At, floorAt(c, 3, 6).At)
	floor := &Sheet{Rect: image.Rect(0, 0, 600, 400), Plane: c.FloorPlane(), Cam: c,
		Before: []camera.Plane{wall}}
	back := &Sheet{Rect: image.Rect(0, 0, 600, 400), Plane: wall, Cam: c}
	var patches []Patch
	const side = 0.25
	for x := -6.0; x < 6; x += side {
		for y := side / 2; y < 6; y += side {
			patches = append(patches, Patch{Place{At: over(c, x, 6, y), N: wall.N}, side * side,
				[3]float64{0.8, 0.4, 0}})
		}
	}
	s := &Scene{}
	b, err := NewBounce(ctx, s, patches, []*Sheet{floor, back}, 40)
	if err != nil {
		t.Fatal(err)
	}
	l := &Light{}
	l.Bulb(over(c, 0, 5, 1), 0.1)
	f, err := s.Of(ctx, l, []*Sheet{floor, back}, Detail{Tile: 20, Most: 4}, 1, b, nil)
	if err != nil {
		t.Fatal(err)
	}
	v := make([]float32, 3)
	f.Bounce[0].Read(v, 300, 1, 260, 1) // of the floor before the wall
	if v[0] <= 0 || v[2] != 0 || math.Abs(float64(v[1]/v[0])-0.5) > 1e-3 {
		t.Errorf("a yellow wall gives the floor %v", v)
	}
	pl, _ := floor.Place(300, 260)
	direct, _ := s.At(l, pl)
	if float64(v[0]) > 0.5*direct {
		t.Errorf("the wall gives the floor %v, the light itself %v", v[0], direct)
	}
	// A wall that shines all over at 1 gives a place at its foot about a half.
	sent := make([][3]float32, len(patches))
	for i := range sent {
		sent[i] = [3]float32{1, 1, 1}
	}
	g, err := b.of(ctx, sent)
	if err != nil {
		t.Fatal(err)
	}
	pl = floorAt(c, 0, 5.4)
	x, y, _ := c.Project(pl.At)
	g[0].Read(v, int(x), 1, y, 1)
	near(t, "at the foot of a wall that shines", float64(v[0]), 0.45, 0.15)
	g[1].Read(v, 300, 1, 60, 1)
	if v[0] != 0 {
		t.Errorf("a wall lights itself by %v", v[0])
	}
}

// Nothing becomes NaN, whatever lies on what.
func TestDegenerate(t *testing.T) {
	c := level()
	b, mid, _ := ball(c, 4)
	s := &Scene{Bodies: []*silhouette.Body{b}, Prisms: []*camera.Prism{camera.NewPrism(c.Up,
		[]camera.Vec{mid, mid, mid, mid}, 0.1)}}
	l := &Light{}
	l.Bulb(mid, 0.1)
	l.Bulb(camera.Vec{}, 0)
	l.Tube(mid, mid, 0.1, 1)
	l.Tube(mid, mid.Add(c.Up.Mul(1e-6)), 0.1, 1)
	l.Panel([]Flat{{mid, 0}}, camera.Vec{}, true)
	for _, pl := range []Place{{At: mid, N: c.Up}, {At: mid, N: c.Up, Body: b},
		{At: camera.Vec{}, N: c.Up}, floorAt(c, 0, 1e6)} {
		e, bare := s.At(l, pl)
		var bm Beam
		s.beam(l, []Place{pl}, l.all(s.blockers(pl.Body)), func(_ int, e, _ Beam) { bm = e })
		for _, v := range []float64{e, bare, bm.S, bm.V.X} {
			if math.IsNaN(v) || math.IsInf(v, 0) {
				t.Errorf("at %+v: %v, %v, %+v", pl.At, e, bare, bm)
			}
		}
	}
}

// A wet floor mirrors a lamp where the angles are equal, the more the flatter it is seen, and
// softer where it is rougher.
func TestGloss(t *testing.T) {
	c := level()
	s := &Scene{}
	l := &Light{}
	l.Bulb(over(c, 0, 6, 1.5), 0.05)
	wet := func(ahead, amount, rough float64) float64 {
		pl := floorAt(c, 0, ahead)
		dry, _ := s.At(l, pl)
		pl.Wet = &Gloss{amount, rough}
		e, _ := s.At(l, pl)
		return e - dry
	}
	peak := func(rough float64) (at, most, wide float64) {
		for z := 1.0; z < 6; z += 0.01 {
			if v := wet(z, 1, rough); v > most {
				at, most = z, v
			}
		}
		for z := 1.0; z < 6; z += 0.01 {
			if wet(z, 1, rough) > most/2 {
				wide += 0.01
			}
		}
		return
	}
	// The camera is 1 high, the lamp 1.5: the mirror image lies at 1/(1 + 1.5) of the way.
	at, sharp, narrow := peak(0.05)
	if math.Abs(at-6/2.5) > 0.15 {
		t.Errorf("the lamp is mirrored at %.2f ahead, by the angles at %.2f", at, 6/2.5)
	}
	if _, soft, wide := peak(0.3); soft > 0.5*sharp || wide < 1.5*narrow {
		t.Errorf("rough, it is %.4f bright and %.2f wide; smooth, %.4f and %.2f", soft, wide, sharp, narrow)
	}
	near(t, "half of it", wet(at, 0.5, 0.05), 0.5*wet(at, 1, 0.05), 1e-9)
	// A lamp farther away is seen at a flatter angle: less of its light is left, but more of that
	// is mirrored.
	far := &Light{}
	far.Bulb(over(c, 0, 30, 1.5), 0.05*5)
	pl := floorAt(c, 0, 12)
	dry, _ := s.At(far, pl)
	pl.Wet = &Gloss{1, 0.05}
	both, _ := s.At(far, pl)
	if both-dry < 2*sharp {
		t.Errorf("as large in the picture but flatter, the far lamp is mirrored as %.4f, the near one as %.4f", both-dry, sharp)
	}
}

// Tiles of one cell are bent: between them the slope does not jump as it does between straight
// lines, their corners stay, and beside a finer tile nothing tears.
func TestBend(t *testing.T) {
	law := func(x, y float64) float64 { return 1 / (1 + ((x-31)*(x-31)+(y-20)*(y-20))/400) }
	g := &Grid{Tile: 10, Tiles: image.Rect(0, 0, 8, 5), C: 1, tiles: make([]tile, 40)}
	lay := func(n, i, j int) tile {
		t := tile{n: n}
		for v := range n + 1 {
			for u := range n + 1 {
				t.val = append(t.val, float32(law(10*(float64(i)+float64(u)/float64(n)),
					10*(float64(j)+float64(v)/float64(n)))))
			}
		}
		return t
	}
	for k := range g.tiles {
		g.tiles[k] = lay(1, k%8, k/8)
	}
	g.tiles[2*8+6] = lay(8, 6, 2)
	read := func(g *Grid, y float64) []float32 {
		row := make([]float32, 800)
		g.Read(row, 0, 0.1, y, 800)
		return row
	}
	measure := func(g *Grid) (off, jump float64) {
		for y := 11.0; y < 19; y++ {
			row := read(g, y)
			for i := 10; i < 400; i++ { // away from the finer tile
				x := (float64(i) + 0.5) / 10
				off = math.Max(off, math.Abs(float64(row[i])-law(x, y)))
				jump = math.Max(jump, math.Abs(float64(row[i+1]+row[i-1]-2*row[i])))
			}
		}
		return
	}
	off, jump := measure(g)
	bent := &Grid{Tile: g.Tile, Tiles: g.Tiles, C: 1, tiles: slices.Clone(g.tiles)}
	for i := range bent.tiles {
		bent.tiles[i].val = slices.Clone(bent.tiles[i].val)
	}
	bent.finish()
	if o, j := measure(bent); o > off/3 || j > jump/2 {
		t.Errorf("bent, the grid is off by %.4f instead of %.4f and its slope jumps by %.5f instead of %.5f", o, off, j, jump)
	}
	for x := 1; x < 8; x++ {
		row := read(bent, 20-1e-6)
		if v := law(float64(10*x), 20); math.Abs(float64(row[100*x-1]+row[100*x])/2-v) > 2e-3 &&
			x != 6 && x != 7 {
			t.Errorf("the corner at %d is %.4f, was %.4f", 10*x, row[100*x], v)
		}
	}
	for y := 0.5; y < 50; y += 0.7 {
		row := read(bent, y)
		for i := 1; i < 800; i++ {
			if d := math.Abs(float64(row[i] - row[i-1])); d > 0.006 {
				t.Fatalf("a step of %.4f at %.1f, %.1f", d, float64(i)/10, y)
			}
		}
	}
}

// The floor is lit up to the foot of what stands on it: what lies below that, which no pixel shows,
// does not come in between the places of the grid.
func TestFootOfAPrism(t *testing.T) {
	c := level()
	at := func(x, y float64) camera.Vec {
		v, ok := c.Floor(x, y)
		if !ok {
			t.Fatalf("%g, %g is no floor", x, y)
		}
		return v
	}
	var top []camera.Vec
	for _, q := range [4][2]float64{{220, 330}, {380, 318}, {360, 290}, {230, 292}} {
		top = append(top, at(q[0], q[1]).Add(c.Up.Mul(0.3)))
	}
	prism := camera.NewPrism(c.Up, top, 0.3)
	l := &Light{}
	l.Bulb(at(250, 380).Add(c.Up.Mul(0.8)), 0.05)
	sheet := &Sheet{Rect: image.Rect(0, 0, 600, 400), Plane: c.FloorPlane(), Cam: c,
		Under: []*camera.Prism{prism}}
	s := &Scene{Prisms: []*camera.Prism{prism}}
	f, err := s.Of(ctx, l, []*Sheet{sheet}, Detail{Tile: 13, Most: 8}, 1, nil, nil)
	if err != nil {
		t.Fatal(err)
	}
	// Two pixels before the face that the camera sees, from which the light comes as well.
	row := make([]float32, 600)
	for x := 225; x < 375; x++ {
		y := 330 - 12*float64(x-220)/160 + 2
		f.Direct[0].Read(row, 0, 1, y, 600)
		e, _ := s.At(l, Place{At: at(float64(x)+0.5, y), N: c.Up})
		if e == 0 {
			t.Fatalf("no light at %d", x)
		}
		if v := float64(row[x]) / e; v < 0.97 || v > 1.03 {
			t.Errorf("at %d, %.1f the grid has %.3f of the light", x, y, v)
		}
	}
}

// Where another light's body comes or goes, and only there, a field is worked out anew: it is the
// same to the bit as one that knows of none before.
func TestFieldAfterARodMoved(t *testing.T) {
	c := level()
	b, mid, _ := ball(c, 4)
	n := c.Level(camera.Vec{Z: -1})
	l := &Light{Of: "own"}
	l.Bulb(mid.Add(n.Mul(0.4)).Add(camera.Vec{X: -1.2}), 0.08)
	sheets := []*Sheet{{Rect: image.Rect(0, 0, 600, 400), Plane: c.FloorPlane(), Cam: c},
		{Rect: image.Rect(0, 0, 600, 400), Body: b, Cam: c}}
	with := func(right, ahead float64) *Scene {
		at := over(c, right, ahead, 0.5)
		return &Scene{Bodies: []*silhouette.Body{b}, Rods: []Rod{{A: at, B: at.Sub(c.Up.Mul(0.5)),
			Radius: 0.04, Of: "other"}, {A: mid, B: mid, Radius: 2, Of: "own"}}}
	}
	d := Detail{Tile: 13, Most: 8}
	of := func(s *Scene, before *Field) *Field {
		f, err := s.Of(ctx, l, sheets, d, 1, nil, before)
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	first := of(with(-0.6, 4.5), nil)
	for _, to := range [][2]float64{{-0.6, 4.5}, {-0.5, 4.4}, {1.5, 6}} {
		got, want := of(with(to[0], to[1]), first), of(with(to[0], to[1]), nil)
		kept, all := 0, 0
		for k := range sheets {
			for i := range want.Direct[k].tiles {
				if !slices.Equal(got.Direct[k].tiles[i].val, want.Direct[k].tiles[i].val) {
					t.Fatalf("to %v: tile %d of sheet %d is another", to, i, k)
				}
				if v := got.Direct[k].made.tiles[i].val; len(v) > 0 {
					all++
					if w := first.Direct[k].made.tiles[i].val; len(w) > 0 && &v[0] == &w[0] {
						kept++
					}
				}
			}
		}
		if kept < all*2/3 || kept == all != (to == [2]float64{-0.6, 4.5}) {
			t.Errorf("to %v: %d of %d tiles are kept", to, kept, all)
		}
	}
}

// The same where a body moves, of which the sheet is another then, and where the light does, of
// which nothing holds.
func TestFieldAfterABodyMoved(t *testing.T) {
	c := level()
	still, mid, _ := ball(c, 4)
	side := c.Level(camera.Vec{X: 1})
	lightAt := func(right float64) *Light {
		l := &Light{Of: "own"}
		l.Bulb(mid.Add(side.Mul(right)), 0.08)
		return l
	}
	d := Detail{Tile: 13, Most: 8}
	frame := image.Rect(0, 0, 600, 400)
	of := func(l *Light, depth float64, before *Field) *Field {
		moved := silhouette.Stand(still.Shape, c, c.Card(c.Ray(300, 200).Mul(depth)), depth)
		s := &Scene{Bodies: []*silhouette.Body{still, moved}}
		// The one that moves comes before the other or after it, as sheets are sorted by depth.
		sheets := []*Sheet{{Rect: frame, Plane: c.FloorPlane(), Cam: c}, {Rect: frame, Body: still,
			Cam: c}, {Rect: frame, Body: moved, Cam: c}}
		if depth > 4 {
			sheets[1], sheets[2] = sheets[2], sheets[1]
		}
		f, err := s.Of(context.Background(), l, sheets, d, 1, nil, before)
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	first := of(lightAt(-1.2), 3, nil)
	for _, tt := range []struct {
		depth, light float64
		keeps        bool
	}{{3.1, -1.2, true}, {5, -1.2, true}, {3, -1.1, false}} {
		got, want := of(lightAt(tt.light), tt.depth, first), of(lightAt(tt.light), tt.depth, nil)
		kept, all := 0, 0
		for k := range want.Direct {
			for i := range want.Direct[k].tiles {
				if !slices.Equal(got.Direct[k].tiles[i].val, want.Direct[k].tiles[i].val) {
					t.Fatalf("%+v: tile %d of sheet %d is another", tt, i, k)
				}
				if v := got.Direct[k].made.tiles[i].val; len(v) > 0 {
					all++
					for _, g := range first.Direct {
						if i < len(g.made.tiles) && len(g.made.tiles[i].val) > 0 &&
							&v[0] == &g.made.tiles[i].val[0] {
							kept++
						}
					}
				}
			}
		}
		if tt.keeps && (kept < all/4 || kept == all) || !tt.keeps && kept > 0 {
			t.Errorf("%+v: %d of %d tiles are kept", tt, kept, all)
		}
	}
}

// A part of a body that lies before it hides things from others, and not from the body itself.
func TestPartOfBody(t *testing.T) {
	c := level()
	shape := silhouette.New(slices.Repeat([]bool{true}, 100), nil, image.Rect(10, 20, 20, 30), 1)
	whole := silhouette.Stand(shape, c, c.Card(camera.Vec{Y: 1, Z: 4}), 4)
	part := silhouette.Stand(shape, c, c.FloorPlane(), 4)
	part.Flat, part.Of = true, whole
	sc := &Scene{Bodies: []*silhouette.Body{whole, part}}
	if by := sc.blockers(nil); len(by) != 2 {
		t.Errorf("%d bodies hide things from the floor", len(by))
	}
	if by := sc.blockers(whole); len(by) != 1 || by[0].body != whole || !by[0].self {
		t.Errorf("%d bodies hide things from the whole one", len(by))
	}
}

// A bright wall behind a figure does not make its front dark or bright: that gets what the floor
// before it gives, and what looks aside gets some of the wall.
func TestBounceOnBody(t *testing.T) {
	c := level()
	card := c.Card(camera.Vec{Y: 1, Z: 4})
	shape := silhouette.New(slices.Repeat([]bool{true}, 40*60), nil, image.Rect(380, 270, 420,
		330), 1)
	sheet := &Sheet{Rect: image.Rect(380, 270, 420, 330), Body: silhouette.Stand(shape, c, card, 4),
		Cam: c}
	wall := Patch{Place: Place{At: camera.Vec{Z: 5.5}, N: camera.Vec{Z: -1}}, Area: 0.5,
		Albedo: [3]float64{1, 1, 1}}
	floor := Patch{Place: Place{At: camera.Vec{Y: 1, Z: 3}, N: c.Up}, Area: 0.2,
		Albedo: [3]float64{1, 1, 1}}
	b, err := NewBounce(ctx, &Scene{}, []Patch{wall, floor}, []*Sheet{sheet}, 10)
	if err != nil {
		t.Fatal(err)
	}
	on := func(n camera.Vec, sent ...[3]float32) float64 {
		g, err := b.of(ctx, sent)
		if err != nil {
			t.Fatal(err)
		}
		v, e := make([]float32, Mixed), make([]float32, 3)
		g[0].Read(v, 400, 1, 300.5, 1)
		OnColours(e, v, []float32{float32(n.X), float32(n.Y), float32(n.Z)})
		grey, err := b.grey(ctx, []float32{sent[0][1], sent[1][1]})
		if err != nil {
			t.Fatal(err)
		}
		around, all := make([]float32, Around), make([]float32, 1)
		grey[0].Read(around, 400, 1, 300.5, 1)
		OnAround(all, around, []float32{float32(n.X), float32(n.Y), float32(n.Z)},
			make([]float32, 1))
		near(t, "without colours", float64(all[0]), float64(e[1]), 1e-3)
		return float64(e[1])
	}
	dark, dim, bright := [3]float32{}, [3]float32{1, 1, 1}, [3]float32{30, 30, 30}
	front := camera.Vec{Z: -1}
	alone := on(front, dark, dim)
	if alone < 1e-3 {
		t.Fatalf("the floor gives %g to the front", alone)
	}
	near(t, "the front before a bright wall", on(front, bright, dim), alone, 0.02)
	aside := camera.Vec{X: -0.98, Z: -0.2}
	if both, wall := on(aside, bright, dim), on(aside, bright, dark); both < wall || wall < alone {
		t.Errorf("what looks aside gets %g of both, %g of the wall", both, wall)
	}
}
