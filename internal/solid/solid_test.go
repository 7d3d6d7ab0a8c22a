package solid

import (
	"image"
	"math"
	"testing"

	"pyrant/internal/room"
)

// cells are those of a grid of w by h where is tells so.
func cells(w, h int, is func(x, y float64) bool) []bool {
	out := make([]bool, w*h)
	for i := range out {
		out[i] = is(float64(i%w)+0.5, float64(i/w)+0.5)
	}
	return out
}

// A disc becomes a ball, a bar a round one, and both together have the depth of each.
func TestThickness(t *testing.T) {
	disc := func(x, y float64) bool { return math.Hypot(x-40, y-40) < 20 }
	bar := func(x, y float64) bool { return math.Abs(y-40) < 6 && x > 40 && x < 110 }
	s := New(cells(120, 80, func(x, y float64) bool { return disc(x, y) || bar(x, y) }), nil, image.Rect(0, 0, 120, 80), 1)
	for _, tt := range []struct{ x, y, want float64 }{
		{40, 40, 20}, {40, 28, 16}, {28, 40, 16}, {90, 40, 6}, {90, 43, math.Sqrt(27)}, {5, 5, 0}, {90, 60, 0},
	} {
		if h, _, _ := s.Thickness(tt.x, tt.y); math.Abs(h-tt.want) > 1.2 {
			t.Errorf("at %v, %v it is %.2f thick, want %.2f", tt.x, tt.y, h, tt.want)
		}
	}
	if _, dx, dy := s.Thickness(28, 40); dx < 0.5 || math.Abs(dy) > 0.1 {
		t.Errorf("left of the ball's middle it rises by %.2f, %.2f", dx, dy)
	}
	if math.Abs(s.Tall-20) > 1.2 {
		t.Errorf("its largest thickness is %.2f", s.Tall)
	}
}

// The picture's edge is no outline, and neither is what crosses a thing; but there the thing is not.
func TestNoOutline(t *testing.T) {
	half := New(cells(60, 60, func(x, _ float64) bool { return x < 30 }), nil, image.Rect(0, 0, 60, 60), 1)
	if h, _, _ := half.Thickness(10, 30); math.Abs(h-30) > 3 {
		t.Errorf("cut off by the picture's edge, it is %.1f thick; of what is seen of it, 30 are", h)
	}
	disc := cells(80, 80, func(x, y float64) bool { return math.Hypot(x-40, y-40) < 20 })
	strip := cells(80, 80, func(x, _ float64) bool { return math.Abs(x-40) < 3 })
	crossed := New(disc, strip, image.Rect(0, 0, 80, 80), 1)
	whole := New(disc, nil, image.Rect(0, 0, 80, 80), 1)
	for _, x := range []float64{30, 40, 50} {
		a, _, _ := crossed.Thickness(x, 40)
		b, _, _ := whole.Thickness(x, 40)
		if math.Abs(a-b) > 0.5 {
			t.Errorf("at %v it is %.1f thick where something crosses it, else %.1f", x, a, b)
		}
	}
	cam := room.Level(80, 80, 20, 0, 80)
	card := room.Plane{N: room.Vec{Z: -1}, D: -5}
	at := room.Vec{Z: 5}
	if c := Stand(crossed, &cam, card, 5).Clear(at); c <= 0 {
		t.Errorf("where something crosses it the thing still is, by %.3f", -c)
	}
	if c := Stand(whole, &cam, card, 5).Clear(at); c > -1 {
		t.Errorf("in the middle of the whole it is clear by %.3f", c)
	}
}

// A ball hides what a ball hides: ways at known distances from its middle.
func TestWorst(t *testing.T) {
	cam := room.Level(200, 200, 60, 0, 200)
	shape := New(cells(200, 200, func(x, y float64) bool { return math.Hypot(x-100, y-100) < 30 }), nil, image.Rect(0, 0, 200, 200), 1)
	b := Stand(shape, &cam, room.Plane{N: room.Vec{Z: -1}, D: -4}, 4) // radius 30·4/200 = 0.6
	const cone = 0.2
	for _, tt := range []struct {
		name string
		a, b room.Vec
		gap  float64 // from the middle
	}{
		{"across", room.Vec{X: -3, Z: 4}, room.Vec{X: 3, Z: 4}, 0},
		{"along the view", room.Vec{X: 0.1, Z: 1}, room.Vec{X: 0.1, Z: 8}, 0.1},
		{"grazing before it", room.Vec{X: -3, Z: 3.4}, room.Vec{X: 3, Z: 3.4}, 0.6},
		{"well behind", room.Vec{X: -3, Z: 5}, room.Vec{X: 3, Z: 5}, 1},
		{"ends before it", room.Vec{X: -3, Z: 4}, room.Vec{X: -1, Z: 4}, 1},
	} {
		want := math.Max(math.Min((0.6-tt.gap)/cone, 1), -1)
		if got := b.Worst(tt.a, tt.b.Sub(tt.a), cone, cone, 1); math.Abs(got-want) > 0.35 {
			t.Errorf("%s: %.2f, want %.2f", tt.name, got, want)
		}
	}
	if got := b.Worst(room.Vec{X: -3, Z: 4}, room.Vec{X: 6}, cone, cone, 0.3); got != -1 {
		t.Errorf("of what lies beyond the end of the way %.2f counts", got)
	}
}
