package region

import (
	"context"
	"image"
	"testing"

	"pyrant/internal/measure/testphoto"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
	"pyrant/internal/vision/livewire"
)

// quay24 is the demo photo at twice its size, 24 megapixels, made ready, and a preview frame of it.
func quay24(b *testing.B) (*Ground, *image.RGBA) {
	b.Helper()
	big, frame := testphoto.Large(b, "../../../demo/tidewatch-quay.jpg")
	g, err := NewGround(context.Background(), big, nil)
	if err != nil {
		b.Fatal(err)
	}
	return g, frame
}

// BenchmarkHover24MP is what is shown while the pointer moves over panes, balls, the rod, wall
// and floor by turns.
func BenchmarkHover24MP(b *testing.B) {
	g, frame := quay24(b)
	places := [][2]float64{{1254, 620}, {675, 278}, {300, 240}, {1344, 724}, {1500, 640},
		{1900, 1700}, {1232, 280}, {440, 940}}
	testphoto.Against(b, frame, func(i int) {
		p := places[i%len(places)]
		g.Find(context.Background(), Pick{X: 2 * p[0], Y: 2 * p[1], Quick: true})
	})
}

// BenchmarkClick24MP is what a click takes: found closely and made an outline.
func BenchmarkClick24MP(b *testing.B) {
	g, frame := quay24(b)
	places := [][2]float64{{1254, 620}, {675, 278}, {1344, 724}, {1232, 280}}
	testphoto.Against(b, frame, func(i int) {
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
	pins := []shape.Point{{X: 1160, Y: 2300}, {X: 2360, Y: 4 * 200}, {X: 4700, Y: 800},
		{X: 2200, Y: 3000}}
	testphoto.Against(b, frame, func(i int) {
		p := pins[i%len(pins)]
		if _, err := livewire.New(g.Fine, p).To(context.Background(), shape.Point{X: p.X + 530,
			Y: p.Y + 530}); err != nil {
			b.Fatal(err)
		}
	})
}
