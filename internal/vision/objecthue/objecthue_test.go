package objecthue

import (
	"fmt"
	"image"
	"math"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/coverage"
	"pyrant/internal/base/photo"
	"pyrant/internal/recipe/shape"
)

// painted makes a photo of 100 by 100 pixels.
func painted(at func(x, y int) colour.RGB) *photo.Photo {
	p := &photo.Photo{Width: 100, Height: 100, Pix8: make([]uint8, 3*100*100), Profile: colour.SRGB}
	for y := range 100 {
		for x := range 100 {
			c := at(x, y)
			for k, v := range [3]float32{c.R, c.G, c.B} {
				p.Pix8[3*(y*100+x)+k] = uint8(math.Round(255 * colour.LinearToSRGB(float64(v))))
			}
		}
	}
	return p
}

func disc() coverage.Mask {
	return shape.Shapes{shape.Ellipse{X: 50, Y: 50, Width: 40, Height: 40}}.At(1)
}

func TestOf(t *testing.T) {
	red, orange, wall := colour.HSL(
		4,
		0.8,
		0.4,
	), colour.HSL(
		28,
		0.9,
		0.5,
	), colour.HSL(
		220,
		0.5,
		0.4,
	)
	white := colour.RGB{R: 1, G: 1, B: 1}
	near := func(x, y int, r float64) bool { return math.Hypot(float64(x-50), float64(y-50)) < r }
	within := func(of colour.RGB) func(x, y int) colour.RGB {
		return func(x, y int) colour.RGB {
			if near(x, y, 21) {
				return of
			}
			return wall
		}
	}
	for name, c := range map[string]struct {
		at   func(x, y int) colour.RGB
		want float64 // -1 for none
	}{
		"the glass of a tail lamp":  {within(red), 4},
		"an orange indicator":       {within(orange), 28},
		"with a clipped highlight":  {highlight(within(red), near, white), 4},
		"a pale panel with a tinge": {within(colour.HSL(170, 0.06, 0.8)), -1},
		"a grey panel":              {within(colour.RGB{R: 0.3, G: 0.3, B: 0.3}), -1},
		"clipped all over":          {within(white), -1},
		"nearly black":              {within(red.Scale(0.002)), -1},
		"half red and half green": {func(x, y int) colour.RGB {
			if x < 50 {
				return red
			}
			return colour.HSL(130, 0.8, 0.4)
		}, -1},
	} {
		hue, ok := Of(painted(c.at), disc())
		if ok != (c.want >= 0) || ok && math.Abs(hue-c.want) > 1.5 {
			t.Errorf("%s has the hue %.1f, %v; want %v", name, hue, ok, c.want)
		}
	}
}

func highlight(at func(x, y int) colour.RGB, near func(x, y int, r float64) bool,
	white colour.RGB) func(x, y int) colour.RGB {
	return func(x, y int) colour.RGB {
		if near(x, y, 8) {
			return white
		}
		return at(x, y)
	}
}

// A shape outside the photo has no hue.
func TestBesideThePhoto(t *testing.T) {
	m := shape.Shapes{shape.Ellipse{X: -90, Y: 50, Width: 40, Height: 40}}.At(1)
	if _, ok := Of(painted(func(int, int) colour.RGB { return colour.HSL(4, 0.8, 0.4) }), m); ok {
		t.Error("it has a hue")
	}
	if m.Bounds().Overlaps(image.Rect(0, 0, 100, 100)) {
		t.Error("the shape lies on the photo")
	}
}

func ExampleOf() {
	p := painted(func(int, int) colour.RGB { return colour.HSL(210, 0.8, 0.4) })
	hue, ok := Of(p, disc())
	fmt.Printf("%.0f° %v\n", hue, ok)
	// Output: 210° true
}
