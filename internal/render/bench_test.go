package render

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/jpeg"
	"math"
	"sync"
	"testing"
	"time"

	"pyrant/demo"
	"pyrant/internal/base/codec"
	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/crop"
	"pyrant/internal/recipe/shape"
)

// The benchmarks of this file are the rows of the speed table: each reports
// how many times its yardstick the work takes, both timed by turns in the same
// run, as absolute times say little about another machine.

// against times work and its yardstick by turns and reports their ratio.
func against(b *testing.B, unit string, work, yardstick func()) {
	b.Helper()
	yardstick()
	var w, y time.Duration
	for b.Loop() {
		t0 := time.Now()
		work()
		t1 := time.Now()
		yardstick()
		w += t1.Sub(t0)
		y += time.Since(t1)
	}
	b.ReportMetric(float64(w)/float64(y), unit)
	b.ReportMetric(float64(w.Microseconds())/1000/float64(b.N), "ms/work")
}

// demoPhoto is decoded once; nobody changes it.
var demoPhoto = sync.OnceValues(func() (*photo.Photo, error) {
	return codec.Open(context.Background(), demo.Photo)
})

// demoShot returns the demo photo and its lit recipe.
func demoShot(tb testing.TB) (*photo.Photo, *recipe.Recipe) {
	tb.Helper()
	p, err := demoPhoto()
	if err != nil {
		tb.Fatal(err)
	}
	r, err := edit.Decode(demo.Recipe)
	if err != nil {
		tb.Fatal(err)
	}
	return p, r
}

// reduced returns the demo shot with each edge divided by k, lights and all.
func reduced(tb testing.TB, k int) (*photo.Photo, *recipe.Recipe) {
	tb.Helper()
	large, r := demoShot(tb)
	p := &photo.Photo{Width: large.Width / k, Height: large.Height / k, Profile: colour.SRGB}
	p.Pix8 = make([]uint8, 3*p.Width*p.Height)
	for i := range p.Pix8 {
		x, y, sum := i/3%p.Width, i/3/p.Width, 0
		for j := range k * k {
			sum += int(large.Pix8[3*((k*y+j/k)*large.Width+k*x+j%k)+i%3])
		}
		p.Pix8[i] = uint8(sum / (k * k))
	}
	r = r.Scale(1 / float64(k))
	if err := r.Validate(); err != nil {
		tb.Fatal(err)
	}
	return p, r
}

// enlarged returns the demo shot k times as large on each edge, lights and all.
func enlarged(tb testing.TB, k int) (*photo.Photo, *recipe.Recipe) {
	tb.Helper()
	small, r := demoShot(tb)
	p := &photo.Photo{Width: small.Width * k, Height: small.Height * k, Profile: colour.SRGB}
	p.Pix8 = make([]uint8, 3*p.Width*p.Height)
	for y := range p.Height {
		for x := range p.Width {
			i := 3 * (y/k*small.Width + x/k)
			copy(p.Pix8[3*(y*p.Width+x):], small.Pix8[i:i+3])
		}
	}
	r = r.Scale(float64(k))
	if err := r.Validate(); err != nil {
		tb.Fatal(err)
	}
	return p, r
}

// render renders q or stops the test.
func render(tb testing.TB, e *Engine, q Request) image.Image {
	tb.Helper()
	if q.PhotoKey == "" {
		q.PhotoKey = "photo"
	}
	img, err := e.Render(context.Background(), q)
	if err != nil {
		tb.Fatal(err)
	}
	return img
}

func encode(tb testing.TB, img image.Image, quality int) {
	var b bytes.Buffer
	if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: quality}); err != nil {
		tb.Fatal(err)
	}
}

// previewEdge is the long edge of the frame that the speed table speaks of:
// 940 x 627 pixels.
const previewEdge = 940

// six makes sure that the demo has what the table speaks of: six lights of eight shells
// over a photo at dusk. What passes, areas and the room cost has rows of its own.
func six(tb testing.TB, r *recipe.Recipe) {
	r.Dusk, r.Finish, r.Areas = recipe.New(r.Photo.Width, r.Photo.Height).Dusk, recipe.Finish{}, nil
	r.Dusk.Daylight = -2.3
	r.Room.On = false
	if len(r.Lights) != 6 {
		tb.Fatalf("the demo has %d lights; the table speaks of six", len(r.Lights))
	}
	for i := range r.Lights {
		if n := len(r.Lights[i].Shells); n != 8 {
			r.Lights[i].Shells = recipe.RigOf("panel").Stack(r.Photo)
		}
	}
}

// benchPreview times a frame of the preview after change, with everything
// before it in the cache.
func benchPreview(b *testing.B, change func(r *recipe.Recipe, n int)) {
	p, base := demoShot(b)
	six(b, base)
	benchFrames(b, p, base, change)
}

// benchFrames times frames of a shot after changes.
func benchFrames(b *testing.B, p *photo.Photo, base *recipe.Recipe, change func(r *recipe.Recipe,
	n int)) {
	e := New(1 << 30)
	q := Request{Photo: p, Recipe: base, LongEdge: previewEdge, Profile: colour.SRGB}
	img := render(b, e, q)
	n := 0
	against(b, "x-jpeg", func() {
		n++
		r := base.Clone()
		change(r, n)
		q.Recipe = r
		img = render(b, e, q)
	}, func() { encode(b, img, 85) })
}

// movePoint moves the first point of a light's first shape.
func movePoint(tb testing.TB, r *recipe.Recipe, light int, dx, dy float64) {
	tb.Helper()
	n := shape.Nodes(r.Lights[light].Shapes[0]).At(0)
	n.X, n.Y = n.X+dx, n.Y+dy
	next, err := edit.Apply(r, edit.Set(fmt.Sprintf("/lights/%d/shapes/0/nodes/0", light), n))
	if err != nil {
		tb.Fatal(err)
	}
	*r = *next
}

func BenchmarkPreviewFader(b *testing.B) {
	benchPreview(b, func(r *recipe.Recipe, n int) {
		r.Lights[n%6].Level = 0.5 +
			math.Mod(float64(n)*0.618, 1)
	})
}

func BenchmarkPreviewGel(b *testing.B) {
	benchPreview(b, func(r *recipe.Recipe,
		n int) {
		r.Lights[n%6].Gel.Hue = math.Mod(float64(n)*137.5, 360)
	})
}

// twelve returns the six lights twice, the second ones below the first and in other gels.
func twelve(tb testing.TB, r *recipe.Recipe) *recipe.Recipe {
	tb.Helper()
	d := r.Clone()
	for i := range r.Lights {
		var err error
		if d, err = edit.DuplicateLight(d, len(d.Lights)-1-i); err != nil {
			tb.Fatal(err)
		}
	}
	n := 0
	for i := range d.Lights {
		if i%2 == 0 {
			continue
		}
		n++
		d.Lights[i].Gel.Hue = math.Mod(d.Lights[i].Gel.Hue+float64(30*n), 360)
		for j := range d.Lights[i].Shapes {
			d.Lights[i].Shapes[j] = d.Lights[i].Shapes[j].Shifted(0, 900).(shape.Shape)
		}
	}
	if len(d.Lights) != 12 {
		tb.Fatalf("there are %d lights", len(d.Lights))
	}
	return d
}

// A fader of twelve lights against one of two, as what does not move is kept summed.
func BenchmarkPreviewTwelveLights(b *testing.B) {
	p, base := demoShot(b)
	six(b, base)
	shots := []*recipe.Recipe{twelve(b, base), base.Clone()}
	shots[1].Lights = shots[1].Lights[:2]
	n := 0
	frame := func(i int) func() {
		e := New(1 << 30)
		q := Request{Photo: p, LongEdge: previewEdge, Profile: colour.SRGB}
		return func() {
			n++
			var err error
			if q.Recipe, err = edit.Apply(shots[i], edit.Set("/lights/0/level",
				0.5+math.Mod(float64(n)*0.618, 1))); err != nil {
				b.Fatal(err)
			}
			render(b, e, q)
		}
	}
	many, few := frame(0), frame(1)
	for range 3 { // what is dragged has been dragged for a moment
		many()
		few()
	}
	against(b, "x-two", many, few)
}

func BenchmarkPreviewRadius(b *testing.B) {
	benchPreview(b, func(r *recipe.Recipe, n int) {
		r.Lights[n%6].Shells[n%8].Radius *= 0.7 + math.Mod(float64(n)*0.618, 1)
	})
}

func BenchmarkPreviewPoint(b *testing.B) {
	benchPreview(b, func(r *recipe.Recipe, n int) {
		movePoint(b, r, n%6, math.Mod(float64(n)*0.618, 10), math.Mod(float64(n)*0.414, 10))
	})
}

func export(tb testing.TB, p *photo.Photo, r *recipe.Recipe) image.Image {
	tb.Helper()
	img, err := New(1<<29).Export(context.Background(), Request{Photo: p, PhotoKey: "photo",
		Recipe: r}, nil)
	if err != nil {
		tb.Fatal(err)
	}
	return img
}

func BenchmarkExport24MP(b *testing.B) {
	p, r := enlarged(b, 2)
	six(b, r)
	var img image.Image = image.NewRGBA(image.Rect(0, 0, p.Width, p.Height))
	against(b, "x-jpeg", func() { img = export(b, p, r) }, func() { encode(b, img, 92) })
}

// Twice the lights: twelve against six, which are the six a little aside.
func BenchmarkExportTwiceLights(b *testing.B) {
	p, r := demoShot(b)
	six(b, r)
	double := r.Clone()
	for i := range r.Lights {
		var err error
		if double, err = edit.DuplicateLight(double, len(double.Lights)-1-i); err != nil {
			b.Fatal(err)
		}
	}
	for i := range double.Lights {
		for j := range double.Lights[i].Shapes {
			double.Lights[i].Shapes[j] = double.Lights[i].Shapes[j].Shifted(float64(i),
				0).(shape.Shape)
		}
	}
	against(b, "x-six", func() { export(b, p, double) }, func() { export(b, p, r) })
}

// Twice the pixels: 4243 x 2828 against 3000 x 2000 of the same picture.
func BenchmarkExportTwicePixels(b *testing.B) {
	p, r := enlarged(b, 2)
	six(b, r)
	at := func(long int) func() {
		return func() {
			_, err := New(1<<29).Export(context.Background(), Request{Photo: p, PhotoKey: "photo",
				Recipe: r, LongEdge: long}, nil)
			if err != nil {
				b.Fatal(err)
			}
		}
	}
	against(b, "x-half", at(4243), at(3000))
}

// How long a render goes on after it was cancelled, at moments spread over an
// export of 24 megapixels with nothing in the cache.
func BenchmarkCancel24MP(b *testing.B) {
	p, r := enlarged(b, 2)
	var worst time.Duration
	n := 0
	for b.Loop() {
		n++
		c, cancel := context.WithCancel(context.Background())
		ended := make(chan time.Time)
		go func() {
			if _, err := New(1<<29).Export(c, Request{Photo: p, PhotoKey: "photo", Recipe: r},
				nil); err == nil {
				b.Error("the export was done before it was cancelled")
			}
			ended <- time.Now()
		}()
		time.Sleep(time.Duration(20+(n*137)%1200) * time.Millisecond)
		at := time.Now()
		cancel()
		worst = max(worst, (<-ended).Sub(at))
	}
	b.ReportMetric(float64(worst.Microseconds())/1000, "ms-worst")
}

// benchRays times frames of the demo at 24 megapixels with 300 points with rays.
func benchRays(b *testing.B, change func(l *recipe.Light, n int)) {
	p, base := enlarged(b, 2)
	var spots []shape.Spot
	for i := range 300 {
		spots = append(spots, shape.Spot{At: shape.Point{X: float64(200 + i%25*224),
			Y: float64(160 + i/25*310)}, Radius: 8 + float64(i%7)*4})
	}
	r, at, err := edit.AddPoints(base, spots, false)
	if err != nil {
		b.Fatal(err)
	}
	r.Room.On = false
	e := New(1 << 30)
	q := Request{Photo: p, Recipe: r, LongEdge: previewEdge, Profile: colour.SRGB}
	frame := render(b, e, q).(*image.RGBA)
	n := 0
	against(b, "x-jpeg", func() {
		n++
		q.Recipe = r.Clone()
		change(&q.Recipe.Lights[at], n)
		render(b, e, q)
	}, func() { encode(b, frame, 85) })
}

// After a fader the rays of 300 points are as they were; after their length they are drawn anew.
func BenchmarkRaysFader(b *testing.B) {
	benchRays(b, func(l *recipe.Light, n int) { l.Level = 0.5 + math.Mod(float64(n)*0.618, 1) })
}

func BenchmarkRaysLength(b *testing.B) {
	benchRays(b, func(l *recipe.Light, n int) {
		l.Rays.Length = 180 + math.Mod(float64(n)*22,
			120)
	})
}

// The same as a lens makes them.
func BenchmarkRaysLens(b *testing.B) {
	benchRays(b, func(l *recipe.Light, n int) {
		l.Rays.Made, l.Rays.Length = recipe.ByLens, 180+math.Mod(float64(n)*22, 120)
	})
}

// A fader of the demo while its picture is straightened, and cropped without an angle.
func BenchmarkStraightenedFader(b *testing.B) { benchCropped(b, 2.5) }

func BenchmarkCroppedFader(b *testing.B) { benchCropped(b, 0) }

func benchCropped(b *testing.B, angle float64) {
	p, r := demoShot(b)
	r.Crop = crop.Crop{X: 1500, Y: 1000, Width: 2400, Height: 1600, Angle: angle}
	e := New(1 << 30)
	q := Request{Photo: p, Recipe: r, LongEdge: previewEdge, Profile: colour.SRGB}
	frame := render(b, e, q).(*image.RGBA)
	n := 0
	against(b, "x-jpeg", func() {
		n++
		q.Recipe = r.Clone()
		q.Recipe.Lights[0].Level = 0.5 + math.Mod(float64(n)*0.618, 1)
		render(b, e, q)
	}, func() { encode(b, frame, 85) })
}
