package bulb

import (
	"context"
	"fmt"
	"image"
	"math"
	"testing"

	"pyrant/internal/base/photo"
	"pyrant/internal/measure/testphoto"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
)

func sheet(p *photo.Photo) *edge.Sheet {
	s, err := edge.New(context.Background(), p, 1, image.Rect(0, 0, p.Width, p.Height), nil)
	if err != nil {
		panic(err)
	}
	return s
}

func path(xy ...float64) shape.Path {
	var out []shape.Node
	for i := 0; i < len(xy); i += 2 {
		out = append(out, shape.Node{X: xy[i], Y: xy[i+1]})
	}
	return shape.PathOf(out...)
}

// lantern is a string with bulbs that grow along it, before stripes, a bar that hides half of
// one, and a plate that hides one.
func lanterns() (*photo.Photo, shape.String) {
	s := shape.String{Nodes: path(60, 80, 840, 120), Sag: 0.12, Count: 12, Width: 20}
	for i, h := range s.Bulbs() {
		s.Own = append(s.Own, shape.Bulb{Place: h.Place, X: h.At.X, Y: h.At.Y,
			Size: 0.8 + 0.05*float64(i)})
	}
	stripes := shape.Shapes{}
	for x := 20.0; x < 900; x += 70 {
		stripes = append(stripes, shape.Tube{Nodes: path(x, 0, x+40, 400), Width: 12})
	}
	at := s.Bulbs()
	bar := shape.Shapes{shape.Tube{Nodes: path(at[4].At.X+12, 0, at[4].At.X+12, 400), Width: 20}}
	plate := shape.Shapes{shape.Tube{Nodes: path(at[8].At.X-30, at[8].At.Y, at[8].At.X+30,
		at[8].At.Y), Width: 50}}
	return testphoto.Photo(900, 400, 0.12, []float64{0.2, 0.5, 0.03, 0.08}, stripes,
		shape.Shapes{s}, bar, plate), s
}

func TestFind(t *testing.T) {
	p, s := lanterns()
	truth := s.Bulbs()
	for name, cord := range map[string]shape.Path{
		"along the bulbs":         s.Cord(),
		"roughly along the bulbs": path(60, 82, 260, 160, 460, 190, 640, 170, 840, 118),
		"along a cord above them": shape.String{Nodes: path(60, 50, 840, 90), Sag: 0.12}.Cord(),
	} {
		found, err := Find(context.Background(), p, sheet(p), shape.Flatten(cord, false), false, 40)
		if err != nil {
			t.Fatal(err)
		}
		seen := map[int]bool{}
		for _, r := range found {
			best, off := 0, math.Inf(1)
			for i, h := range truth {
				if d := math.Hypot(h.At.X-r.At.X, h.At.Y-r.At.Y); d < off {
					best, off = i, d
				}
			}
			limit := 0.5
			if best == 4 {
				limit = 3 // half of it is hidden
			}
			if off > limit || math.Abs(r.Radius-truth[best].Width/2) > limit {
				t.Errorf("%s: at %.1f, %.1f of radius %.1f, %.2f from bulb %d, which has %.1f", name, r.At.X, r.At.Y, r.Radius, off, best, truth[best].Width/2)
			}
			seen[best] = true
		}
		for i := range truth {
			if i != 4 && i != 8 && !seen[i] {
				t.Errorf("%s: bulb %d was not found", name, i)
			}
		}
		if seen[8] {
			t.Errorf("%s: the hidden bulb was found", name)
		}
	}
}

func TestNothingRound(t *testing.T) {
	var stripes shape.Shapes
	for x := 20.0; x < 600; x += 55 {
		stripes = append(stripes, shape.Tube{Nodes: path(x, 0, x+60, 300), Width: 14})
	}
	p := testphoto.Photo(600, 300, 0.1, []float64{0.4}, stripes)
	for _, cord := range []shape.Path{path(20, 150, 580, 160), path(-900, 10, -300, 20)} {
		found, err := Find(context.Background(), p, sheet(p), shape.Flatten(cord, false), false, 40)
		if len(found) > 0 || err != nil {
			t.Errorf("along stripes: %v, %v", found, err)
		}
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := Find(ctx, p, sheet(p), shape.Flatten(path(20, 150, 580, 160), false), false,
		40); err == nil {
		t.Error("cancelled, it went on")
	}
}

func TestHang(t *testing.T) {
	s := shape.String{Nodes: path(0, 0, 1000, 0), Width: 7, Count: 3,
		Own: []shape.Bulb{{Place: 0.1, X: 100, Y: 5, Size: 1}, {Place: 0.9, X: 1, Y: 1, Size: 1,
			Found: true}}}
	found := []Round{
		{At: shape.Point{X: 101, Y: 6}, Radius: 10, Along: 101}, // the one that was set by hand
		{At: shape.Point{X: 480, Y: 20}, Radius: 10, Along: 480},
		{At: shape.Point{X: 520, Y: 20}, Radius: 12, Along: 520},
	}
	all := Hang(s, found, true)
	if all.Count != 3 || all.Width != 20 || len(all.Own) != 3 || all.Own[0] != s.Own[0] {
		t.Errorf("as many as there are: %+v", all)
	}
	if b := all.Own[2]; b.X != 520 || b.Y != 20 || b.Size != 1.2 || b.Place != 0.52 || !b.Found {
		t.Errorf("the last: %+v", b)
	}
	// Of two that lie as near the first is taken; the end has none within half a gap.
	some := Hang(s, found, false)
	if some.Count != 3 || len(some.Own) != 2 || some.Own[1].Place != 0.55 ||
		math.Abs(some.Own[1].X-520) > 0 {
		t.Errorf("three bulbs: %+v", some.Own)
	}
	if none := Hang(s, nil, true); none.Count != 3 || none.Width != 7 || len(none.Own) != 1 {
		t.Errorf("of nothing: %+v", none)
	}
}

func ExampleFind() {
	p, s := lanterns()
	found, _ := Find(context.Background(), p, sheet(p), shape.Flatten(s.Cord(), false), false, 40)
	s.Own = nil
	s = Hang(s, found, true)
	fmt.Printf("%d bulbs, the first %.0f pixels wide, the last %.0f", s.Count, s.Bulbs()[0].Width, s.Bulbs()[s.Count-1].Width)
	// Output: 11 bulbs, the first 16 pixels wide, the last 27
}
