package livewire

import (
	"context"
	"fmt"
	"image"
	"math"
	"math/rand/v2"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
)

func sheet(t testing.TB, w, h int, at func(x, y int) uint8) (*photo.Photo, *edge.Sheet) {
	t.Helper()
	p := &photo.Photo{Width: w, Height: h, Pix8: make([]uint8, 3*w*h), Profile: colour.SRGB}
	for i := range w * h {
		v := at(i%w, i/w)
		p.Pix8[3*i], p.Pix8[3*i+1], p.Pix8[3*i+2] = v, v, v
	}
	s, err := edge.New(context.Background(), p, 1, image.Rect(0, 0, w, h), nil)
	if err != nil {
		t.Fatal(err)
	}
	return p, s
}

// On small sheets of noise a wire costs to every pixel what relaxing all steps until nothing
// changes any more finds (Bellman and Ford).
func TestWireIsTheCheapestWay(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 9))
	const w, h = 13, 11
	for range 5 {
		_, s := sheet(t, w, h, func(int, int) uint8 { return uint8(rnd.IntN(256)) })
		from := image.Pt(rnd.IntN(w), rnd.IntN(h))
		best := make([]int32, w*h)
		for i := range best {
			best[i] = math.MaxInt32
		}
		best[from.Y*w+from.X] = 0
		for changed := true; changed; {
			changed = false
			for i, c := range best {
				if c == math.MaxInt32 {
					continue
				}
				for dir, d := range steps {
					x, y := i%w+d.X, i/w+d.Y
					if x < 0 || y < 0 || x >= w || y >= h {
						continue
					}
					if v := c + toll(s, i, y*w+x, dir); v < best[y*w+x] {
						best[y*w+x], changed = v, true
					}
				}
			}
		}
		wire := New(s, shape.Point{X: float64(from.X), Y: float64(from.Y)})
		// In whatever order they are asked for.
		for _, i := range rnd.Perm(w * h) {
			to := shape.Point{X: float64(i%w) + 0.5, Y: float64(i/w) + 0.5}
			line, err := wire.To(context.Background(), to)
			if err != nil {
				t.Fatal(err)
			}
			if got := wire.Cost(to); got != int(best[i]) {
				t.Fatalf("to %v the wire costs %d, the cheapest way %d", to, got, best[i])
			}
			sum := int32(0)
			for k := 1; k < len(line); k++ {
				a, b := line[k-1], line[k]
				dx, dy := int(b.X-a.X), int(b.Y-a.Y)
				for dir, d := range steps {
					if d.X == dx && d.Y == dy {
						sum += toll(s, int(a.Y)*w+int(a.X), int(b.Y)*w+int(b.X), dir)
					}
				}
			}
			if sum != best[i] || line[len(line)-1] != to {
				t.Fatalf("the way to %v adds up to %d instead of %d, and ends at %v", to, sum, best[i], line[len(line)-1])
			}
		}
	}
}

// disc is a pale disc in a grey frame, with a stronger edge farther out.
func disc(x, y int) uint8 {
	switch r := math.Hypot(float64(x)-99.5, float64(y)-99.5); {
	case r < 50:
		return 200
	case r < 62:
		return 90
	}
	return 20
}

// Pins that were set carelessly round a disc, some nearer to the wrong edge, give the disc.
func TestPinsSettle(t *testing.T) {
	p, s := sheet(t, 200, 200, disc)
	var clicks []shape.Point
	for i, off := range []float64{2, -3, 8, 1, -2, 3} {
		sin, cos := math.Sincos(float64(i))
		clicks = append(clicks, shape.Point{X: 99.5 + (50+off)*cos, Y: 99.5 + (50+off)*sin})
	}
	if d := math.Hypot(Near(s, clicks[2], 9).X-99.5, Near(s, clicks[2], 9).Y-99.5); d < 55 {
		t.Fatalf("the third pin alone is set on the edge at %v: it shows nothing", d)
	}
	var pins []Pin
	for _, c := range clicks {
		pins = append(pins, Pin{At: c})
	}
	path, err := Trace(context.Background(), s, edge.NewEye(p), pins, 10)
	if err != nil {
		t.Fatal(err)
	}
	if a, want := shape.Area(shape.Outline{Nodes: path}),
		math.Pi*50*50; math.Abs(a-want) > 0.02*want {
		t.Errorf("the outline has an area of %.0f, the disc %.0f", a, want)
	}
	if path.Len() > 16 {
		t.Errorf("it has %d points", path.Len())
	}
}

// What is drawn straight stays straight.
func TestStraightRunsStay(t *testing.T) {
	p, sh := sheet(t, 200, 200, disc)
	c := []shape.Point{{X: 30, Y: 30}, {X: 170, Y: 40}, {X: 100, Y: 170}}
	var pins []Pin
	for _, at := range c {
		pins = append(pins, Pin{At: at, Straight: true})
	}
	path, err := Trace(context.Background(), sh, edge.NewEye(p), pins, 10)
	if err != nil {
		t.Fatal(err)
	}
	if path.Len() != 3 {
		t.Fatalf("%d points", path.Len())
	}
	for _, n := range path.All() {
		best := math.Inf(1)
		for _, q := range c {
			best = min(best, math.Hypot(n.X-q.X, n.Y-q.Y))
		}
		if best > 0.5 || n.In != [2]float64{} || n.Out != [2]float64{} {
			t.Errorf("a corner lies at %+v", n)
		}
	}
}

func TestWireStops(t *testing.T) {
	_, s := sheet(t, 200, 200, disc)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := New(s, shape.Point{X: 5, Y: 5}).To(ctx, shape.Point{X: 190, Y: 190}); err == nil {
		t.Error("a cancelled wire went on")
	}
	// A pointer outside of the photo is taken to its edge.
	line, err := New(s, shape.Point{X: 5, Y: 5}).To(context.Background(),
		shape.Point{X: -50, Y: 900})
	if err != nil || line[len(line)-1] != (shape.Point{X: 0.5, Y: 199.5}) {
		t.Errorf("it ends at %v, %v", line[len(line)-1], err)
	}
}

func ExampleWire() {
	// An upright edge at 20: the way follows it.
	p := &photo.Photo{Width: 40, Height: 40, Pix8: make([]uint8, 3*40*40), Profile: colour.SRGB}
	for i := range p.Pix8 {
		if i/3%40 >= 20 {
			p.Pix8[i] = 200
		}
	}
	s, _ := edge.New(context.Background(), p, 1, image.Rect(0, 0, 40, 40), nil)
	line, _ := New(s, shape.Point{X: 20, Y: 4}).To(context.Background(), shape.Point{X: 20, Y: 30})
	fmt.Println(len(line) < 32, line[13].X > 19 && line[13].X < 21)
	// Output: true true
}
