package region

import (
	"context"
	"image"
	"image/color"
	"image/jpeg"
	"io"
	"os"
	"testing"
	"time"

	"pyrant/internal/cling"
	"pyrant/internal/codec"
	"pyrant/internal/edge"
	"pyrant/internal/photo"
	"pyrant/internal/shape"
)

// quay24 is the demo photo at twice its size, 24 megapixels, and a preview frame of it.
func quay24(b *testing.B) (*Ground, *image.RGBA) {
	b.Helper()
	data, err := os.ReadFile("../../demo/tidewatch-quay.jpg")
	if err != nil {
		b.Fatal(err)
	}
	p, err := codec.Open(context.Background(), data)
	if err != nil {
		b.Fatal(err)
	}
	big := &photo.Photo{Width: 2 * p.Width, Height: 2 * p.Height, Pix8: make([]uint8, 4*len(p.Pix8)), Profile: p.Profile}
	for y := range big.Height {
		for x := range big.Width {
			copy(big.Pix8[3*(y*big.Width+x):][:3], p.Pix8[3*(y/2*p.Width+x/2):])
		}
	}
	frame := image.NewRGBA(image.Rect(0, 0, 940, 627))
	for y := range 627 {
		for x := range 940 {
			i := 3 * (y*p.Height/627*p.Width + x*p.Width/940)
			frame.SetRGBA(x, y, color.RGBA{p.Pix8[i], p.Pix8[i+1], p.Pix8[i+2], 255})
		}
	}
	g, err := NewGround(context.Background(), big, nil)
	if err != nil {
		b.Fatal(err)
	}
	return g, frame
}

// against reports the time of work as a multiple of encoding a preview frame as JPEG, timed by
// turns.
func against(b *testing.B, frame *image.RGBA, work func(i int)) {
	var own, yard time.Duration
	i := 0
	for b.Loop() {
		t := time.Now()
		work(i)
		own += time.Since(t)
		t = time.Now()
		jpeg.Encode(io.Discard, frame, &jpeg.Options{Quality: 85})
		yard += time.Since(t)
		i++
	}
	b.ReportMetric(float64(own.Milliseconds())/float64(i), "ms/work")
	b.ReportMetric(own.Seconds()/yard.Seconds(), "x-jpeg")
}

// BenchmarkHover24MP is what is shown while the pointer moves over panes, balls, the rod, wall
// and floor by turns.
func BenchmarkHover24MP(b *testing.B) {
	g, frame := quay24(b)
	places := [][2]float64{{1254, 620}, {675, 278}, {300, 240}, {1344, 724}, {1500, 640}, {1900, 1700}, {1232, 280}, {440, 940}}
	against(b, frame, func(i int) {
		p := places[i%len(places)]
		g.Find(context.Background(), Pick{X: 2 * p[0], Y: 2 * p[1], Quick: true})
	})
}

// BenchmarkClick24MP is what a click takes: found closely and made an outline.
func BenchmarkClick24MP(b *testing.B) {
	g, frame := quay24(b)
	places := [][2]float64{{1254, 620}, {675, 278}, {1344, 724}, {1232, 280}}
	against(b, frame, func(i int) {
		p := places[i%len(places)]
		if f, err := g.Find(context.Background(), Pick{X: 2 * p[0], Y: 2 * p[1]}); err == nil {
			f.Outline(edge.NewEye(g.Photo))
		}
	})
}

// BenchmarkCling24MP is the first move after a pin, an eighth of the photo away, from which all
// ways have still to be found: later moves find most of them known.
func BenchmarkCling24MP(b *testing.B) {
	g, frame := quay24(b)
	pins := []shape.Point{{X: 1160, Y: 2300}, {X: 2360, Y: 4 * 200}, {X: 4700, Y: 800}, {X: 2200, Y: 3000}}
	against(b, frame, func(i int) {
		p := pins[i%len(pins)]
		if _, err := cling.New(g.Fine, p).To(context.Background(), shape.Point{X: p.X + 530, Y: p.Y + 530}); err != nil {
			b.Fatal(err)
		}
	})
}
