package region

import (
	"context"
	"fmt"
	"math"
	"testing"

	"pyrant/internal/base/photo"
	"pyrant/internal/measure/testphoto"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
)

func ground(t *testing.T, p *photo.Photo) *Ground {
	t.Helper()
	g, err := NewGround(context.Background(), p, nil)
	if err != nil {
		t.Fatal(err)
	}
	return g
}

// iou tells how far two shapes agree.
func iou(w, h int, a, b shape.Shapes) float64 {
	m, n := shape.NewMask(a, 1), shape.NewMask(b, 1)
	u, v := make([]float32, w), make([]float32, w)
	var both, either float64
	for y := range h {
		m.Fill(u, 0, y)
		n.Fill(v, 0, y)
		for x := range u {
			both += float64(min(u[x], v[x]))
			either += float64(max(u[x], v[x]))
		}
	}
	return both / either
}

// One click outlines a pane, a bent panel and a lens, with corners where they have some, and
// few points.
func TestFindOutlines(t *testing.T) {
	bent := shape.Shapes{shape.Outline{Nodes: shape.PathOf(
		shape.Node{X: 200, Y: 60}, shape.Node{X: 330, Y: 90, Out: [2]float64{40, 40}},
		shape.Node{X: 330, Y: 230, In: [2]float64{40, -50}}, shape.Node{X: 210, Y: 210})}}
	for _, c := range []struct {
		name  string
		s     shape.Shapes
		x, y  float64
		least int
		most  int
	}{
		{"a pane", testphoto.Poly(100, 80, 260, 70, 300, 190, 180, 260, 90, 180), 190, 160, 5, 5},
		{"a bent panel", bent, 270, 150, 4, 6},
		{"a lens", shape.Shapes{shape.Ellipse{X: 210, Y: 160, Width: 120, Height: 90, Turn: 20}},
			205, 165, 3, 6},
		{"a small ball", shape.Shapes{shape.Ellipse{X: 100, Y: 90, Width: 16, Height: 16}}, 101, 89, 3, 6},
		{"a large sheet", testphoto.Poly(20, 20, 380, 30, 370, 280, 30, 270), 200, 100, 4, 5},
	} {
		g := ground(t, testphoto.Photo(400, 300, 0.12, []float64{0.5}, c.s))
		f, err := g.Find(context.Background(), Pick{X: c.x, Y: c.y})
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		path := f.Outline(edge.NewEye(g.Photo))
		if v := iou(400, 300, c.s, shape.Shapes{shape.Outline{Nodes: path}}); v < 0.97 {
			t.Errorf("%s: IoU %.3f", c.name, v)
		}
		if n := path.Len(); n < c.least || n > c.most {
			t.Errorf("%s: %d points, %d to %d were expected", c.name, n, c.least, c.most)
		}
		if want := shape.Area(c.s[0]) / 400 / 300; math.Abs(f.Share-want) > 0.1*want+0.001 {
			t.Errorf("%s: a share of %.4f, it is %.4f", c.name, f.Share, want)
		}
		quick, err := g.Find(context.Background(), Pick{X: c.x, Y: c.y, Quick: true})
		if err != nil {
			t.Errorf("%s, while the pointer moves: %v", c.name, err)
		} else if v := iou(400, 300, c.s,
			shape.Shapes{shape.Outline{Nodes: quick.Guess()}}); v < 0.8 {
			t.Errorf("%s, while the pointer moves: IoU %.3f", c.name, v)
		}
	}
}

// Widening takes in what is less alike, narrowing less; both in order.
func TestWidenGoesOn(t *testing.T) {
	in := testphoto.Poly(150, 100, 250, 100, 250, 200, 150, 200)
	out := testphoto.Poly(80, 50, 320, 50, 320, 250, 80, 250)
	g := ground(t, testphoto.Photo(400, 300, 0.02, []float64{0.35, 0.5}, out, in))
	last := 0.0
	for _, widen := range []float64{-1, 0.5, 2, 4} {
		f, err := g.Find(context.Background(), Pick{X: 200, Y: 150, Widen: widen})
		if err != nil {
			t.Fatalf("%v: %v", widen, err)
		}
		if f.Share < 0.98*last {
			t.Errorf("%v takes %.4f of the photo, after %.4f", widen, f.Share, last)
		}
		last = f.Share
	}
	if last < 0.35 {
		t.Errorf("the widest takes only %.3f of the photo", last)
	}
}

func TestNothingStandsOut(t *testing.T) {
	g := ground(t, testphoto.Photo(300, 200, 0.3, nil))
	for _, p := range []Pick{{X: 150, Y: 100}, {X: 3, Y: 3}, {X: -5, Y: 20}, {X: 20, Y: 900},
		{X: 150, Y: 100, Quick: true}} {
		if f, err := g.Find(context.Background(), p); err == nil && f.Share < 0.9 {
			t.Errorf("%+v found %.4f of an even photo", p, f.Share)
		}
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := g.Find(ctx, Pick{X: 150, Y: 100}); err == nil {
		t.Error("a cancelled search went on")
	}
}

// All letters of a sign in one go, with their counters; what lies outside of the area does
// not count.
func TestAlike(t *testing.T) {
	bar := func(x, y, w, h float64) shape.Shapes {
		return testphoto.Poly(x, y, x+w, y, x+w, y+h, x, y+h)
	}
	var signs shape.Shapes
	signs = append(signs, bar(40, 60, 14, 60)...) // I
	signs = append(signs, bar(70, 60, 14, 60)...) // L
	signs = append(signs, bar(70, 106, 40, 14)...)
	signs = append(signs, bar(130, 60, 50, 60)...) // O
	signs = append(signs, shape.Outline{Away: true, Nodes: bar(145, 75, 20,
		30)[0].(shape.Outline).Nodes})
	signs = append(signs, bar(40, 200, 14, 60)...) // on another sign
	g := ground(t, testphoto.Photo(300, 300, 0.03, []float64{0.4}, signs))
	above := func(i int) bool { return i/g.Fine.Rect.Dx()*g.Fine.Step < 160 }
	all, err := g.Alike(context.Background(), Pick{X: 47, Y: 90}, above)
	if err != nil || len(all) != 3 {
		t.Fatalf("%d regions, %v", len(all), err)
	}
	holes := 0
	for _, f := range all {
		holes += len(g.Holes(f))
	}
	if holes != 1 {
		t.Errorf("%d holes, one letter has one", holes)
	}
	if all, err = g.Alike(context.Background(), Pick{X: 47, Y: 90}, nil); err != nil ||
		len(all) != 4 {
		t.Errorf("%d regions in all of it, %v", len(all), err)
	}
}

func TestBall(t *testing.T) {
	g := ground(t, testphoto.Photo(300, 300, 0.05, []float64{0.4, 0.4},
		shape.Shapes{shape.Ellipse{X: 120, Y: 140, Width: 40, Height: 40}}, testphoto.Poly(220, 100,
			290, 100, 290, 110, 220, 110)))
	e, err := g.Ball(context.Background(), 125, 138)
	if err != nil || math.Hypot(e.X-120, e.Y-140) > 0.5 || math.Abs(e.Width-40) > 0.8 ||
		math.Abs(e.Height-40) > 0.8 {
		t.Errorf("%+v, %v", e, err)
	}
	if e, err := g.Ball(context.Background(), 250, 105); err == nil {
		t.Errorf("a bar was taken for %+v", e)
	}
}

func ExampleGround_Find() {
	p := testphoto.Photo(400, 300, 0.12, []float64{0.5}, testphoto.Poly(100, 80, 260, 70, 300, 190,
		180, 260, 90, 180))
	g, _ := NewGround(context.Background(), p, nil)
	f, _ := g.Find(context.Background(), Pick{X: 190, Y: 160})
	fmt.Println(f.Outline(edge.NewEye(p)).Len(), "points")
	// Output: 5 points
}
