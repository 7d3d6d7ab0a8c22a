package segment

import (
	"context"
	"image"
	"testing"

	"pyrant/internal/measure/testphoto"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
)

// figure is the quay's figure at 24 megapixels, with the strokes of a user.
func figure() *cutout.CutOut {
	c := setting.New[cutout.CutOut](setting.Frame{W: 6000, H: 4000})
	add := func(says cutout.Says, xy ...float64) {
		var pts []cutout.Point
		for i := 0; i < len(xy); i += 2 {
			pts = append(pts, cutout.Point{X: 4 * xy[i], Y: 4 * xy[i+1]})
		}
		c.Strokes = append(c.Strokes, cutout.Stroke{Says: says, Diameter: 50,
			Points: setting.ListOf(pts...)})
	}
	add(cutout.In, 620, 190, 625, 330, 600, 470, 585, 720)
	add(cutout.In, 655, 480, 660, 720)
	add(cutout.Out, 500, 120, 760, 120, 800, 780, 450, 800, 470, 300, 500, 120)
	return &c
}

// quay24 is the demo photo at 24 megapixels, made ready, and a preview frame of it.
func quay24(b *testing.B) (*Ground, *image.RGBA) {
	b.Helper()
	p, frame := testphoto.Large(b, "../../../demo/tidewatch-quay.jpg")
	g, err := NewGround(context.Background(), p)
	if err != nil {
		b.Fatal(err)
	}
	return g, frame
}

// BenchmarkScribble24MP is what a stroke takes until its cut-out shows.
func BenchmarkScribble24MP(b *testing.B) {
	g, frame := quay24(b)
	c := figure()
	testphoto.Against(b, frame, func(int) {
		if _, err := g.Update(context.Background(), nil, c); err != nil {
			b.Fatal(err)
		}
	})
}

// BenchmarkRefine24MP is what it takes until its soft edge is found on the photo's own pixels.
func BenchmarkRefine24MP(b *testing.B) { benchmarkMake(b, figure()) }

func benchmarkMake(b *testing.B, c *cutout.CutOut) {
	g, frame := quay24(b)
	testphoto.Against(b, frame, func(int) {
		if _, err := g.Make(context.Background(), c, false); err != nil {
			b.Fatal(err)
		}
	})
}

// BenchmarkMend24MP is what a stroke of the brush that mends takes.
func BenchmarkMend24MP(b *testing.B) {
	g, frame := quay24(b)
	before, err := figure(), error(nil)
	if before.Raster, err = g.Make(context.Background(), before, false); err != nil {
		b.Fatal(err)
	}
	after := *before
	var pts []cutout.Point
	for i := range 100 {
		pts = append(pts, cutout.Point{X: 2500 + 3*float64(i), Y: 2000})
	}
	after.Mends = []cutout.Mend{{To: 1, Diameter: 60, Softness: 0.4,
		Points: setting.ListOf(pts...)}}
	testphoto.Against(b, frame, func(int) {
		if _, err := g.Update(context.Background(), before, &after); err != nil {
			b.Fatal(err)
		}
	})
}

// BenchmarkFineEdges24MP is the same with a fine-edge brush over a fifth of the photo.
func BenchmarkFineEdges24MP(b *testing.B) {
	c := figure()
	brush := cutout.Stroke{Says: cutout.Soft, Diameter: 1400,
		Points: setting.ListOf(cutout.Point{X: 2500, Y: 1000}, cutout.Point{X: 2500, Y: 3300})}
	c.Strokes = append([]cutout.Stroke{brush}, c.Strokes...)
	benchmarkMake(b, c)
}
