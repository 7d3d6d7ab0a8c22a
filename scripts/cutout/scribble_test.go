package main

import (
	"errors"
	"math"
	"testing"

	"pyrant/internal/measure/scene"
	"pyrant/internal/recipe/cutout"
)

// Automatic strokes are at most eight, inside of a thing or outside of it as they say, in all of
// its arms and round all of it, and keep to the middle: none nearer to the edge than 2 % of the
// long edge, or half of the width.
func TestStrokes(t *testing.T) {
	f := &scene.Field{W: 500, H: 300, K: 0.5, Pix: make([]float32, 500*300)}
	in := func(x, y int) bool {
		return x >= 100 && x < 400 && y >= 60 && y < 110 || // a bar, with two legs of two widths
			x >= 120 && x < 170 && y >= 100 && y < 250 || x >= 330 && x < 342 && y >= 100 && y < 250
	}
	for i := range f.Pix {
		if in(i%500, i/500) {
			f.Pix[i] = 1
		}
	}
	u := newUser(f)
	if len(u.drawn) != 2 || u.drawn[0].says == u.drawn[1].says {
		t.Fatalf("%d strokes before a look", len(u.drawn))
	}
	u.drawn = append(u.drawn, u.could...) // all that could be
	all := u.strokes()
	edge := func(x, y float64, mine bool) float64 { // how far the other side is
		best := math.Inf(1)
		for i := range f.Pix {
			if in(i%500, i/500) != mine {
				best = min(best, math.Hypot(float64(i%500)+0.5-x, float64(i/500)+0.5-y))
			}
		}
		return best
	}
	thin, wide, round := false, false, [4]bool{}
	for _, s := range all {
		for i, p := range s.Points {
			x, y := p.X*f.K, p.Y*f.K // places are in pixels of the frame
			out := s.Says == cutout.Out
			if in(int(x), int(y)) == out {
				t.Fatalf("a stroke that says out: %v lies at %.0f, %.0f", out, x, y)
			}
			wide = wide || !out && s.Width*f.K >= 5
			if !out && y > 200 && x > 325 {
				thin = true
			}
			if out {
				round = [4]bool{round[0] || x < 100, round[1] || x > 400, round[2] || y < 60,
					round[3] || y > 250}
			}
			if i%9 != 0 { // to look at all would take long
				continue
			}
			if d := edge(x, y, !out) - (s.Width*f.K-1)/2; d < 4 || d < 9 && !(x > 322 && x < 350) {
				t.Errorf("a point at %.0f, %.0f lies %.1f from the edge", x, y, d)
			}
		}
	}
	if !thin || !wide || round != [4]bool{true, true, true, true} {
		t.Errorf("in the thin leg: %v, with a wide brush: %v, at all sides: %v", thin, wide, round)
	}
}

// mended returns what a made engine cuts out of a mask of a bar and a rod beside it, each of which
// is found where a stroke lies in it, and the middle of the bar where one covers it; but nothing is
// where a stroke says so that spoils says.
func mended(u *user, spoils func(s stroke) bool) *scene.Field {
	got := &scene.Field{W: u.mask.W, H: u.mask.H, K: u.mask.K, Pix: make([]float32,
		len(u.mask.Pix))}
	var bar, rod, middle, spoilt bool
	for _, s := range u.drawn {
		spoilt = spoilt || spoils(s)
		for _, i := range s.line {
			if x := i % u.mask.W; s.says == cutout.In {
				bar, rod, middle = bar || x < 300, rod || x >= 300, middle || x < 300 && s.width > 5
			}
		}
	}
	for i, v := range u.mask.Pix {
		x, y := i%u.mask.W, i/u.mask.W
		in := x >= 300 && rod || x < 300 && bar &&
			(middle || math.Hypot(float64(x-160), float64(y-150)) > 12)
		if in && !(spoilt && x < 300 && y < 200) {
			got.Pix[i] = v
		}
	}
	return got
}

// A user looks where it is wrong: what was not told of is told, what a stroke made worse is taken
// back, and where all is right no more strokes are drawn.
func TestLooks(t *testing.T) {
	f := &scene.Field{W: 500, H: 300, K: 0.5, Pix: make([]float32, 500*300)}
	for i := range f.Pix {
		if x, y := i%500, i/500; y >= 50 && y < 250 && (x >= 100 && x < 220 || x >= 380 &&
			x < 388) {
			f.Pix[i] = 1
		}
	}
	none := func(stroke) bool { return false }
	u := newUser(f)
	var ious []float64
	if err := u.scribble(func() (*scene.Field, error) { return mended(u, none), nil },
		func(r scene.Result, _, _ float64) {
			ious = append(ious, r.IoU)
		}); err != nil {
		t.Fatal(err)
	}
	if len(u.drawn) != 4 || len(ious) != 3 || ious[2] < 0.999 {
		t.Errorf("%d strokes, IoU %v", len(u.drawn), ious)
	}
	u = newUser(f)
	best := 0.0
	if err := u.scribble(func() (*scene.Field, error) {
		return mended(u, func(s stroke) bool { return s.width > 5 }), nil
	}, func(r scene.Result, _, _ float64) { best = r.IoU }); err != nil {
		t.Fatal(err)
	}
	for _, s := range u.drawn {
		if s.width > 5 {
			t.Errorf("a stroke that made it worse was kept")
		}
	}
	if best < 0.95 || len(u.drawn) != 3 {
		t.Errorf("IoU %.3f by %d strokes", best, len(u.drawn))
	}
	broken := errors.New("broken")
	if err := u.scribble(func() (*scene.Field, error) { return nil, broken }, nil); err != broken {
		t.Errorf("%v", err)
	}
}

// An object that the frame cuts off gets strokes as well, all of them within the picture.
func TestStrokesOfWhatTheFrameCutsOff(t *testing.T) {
	f := &scene.Field{W: 300, H: 200, K: 1, Pix: make([]float32, 300*200)}
	for i := range f.Pix {
		if x, y := i%300, i/300; x > 60 && x < 240 && y > 40 {
			f.Pix[i] = 1
		}
	}
	u := newUser(f)
	u.drawn = append(u.drawn, u.could...)
	in := 0
	for _, s := range u.strokes() {
		for _, p := range s.Points {
			if p.X < 0 || p.Y < 0 || p.X > 300 || p.Y > 200 {
				t.Fatalf("a point lies at %v, %v", p.X, p.Y)
			}
		}
		if s.Says == cutout.In {
			in++
		}
	}
	if in == 0 {
		t.Error("nothing says what is inside")
	}
}
