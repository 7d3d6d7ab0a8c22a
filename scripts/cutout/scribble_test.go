package main

import (
	"math"
	"testing"

	"pyrant/internal/cutout"
	"pyrant/internal/scene"
)

// Automatic strokes are at most eight, inside of a thing or outside of it as they say, in all of its
// arms and round all of it, and keep to the middle: none nearer to the edge than 2 % of the long
// edge, or half of the width.
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
	all := strokes(f)
	if len(all) > mostStrokes || len(all) < 3 {
		t.Fatalf("%d strokes", len(all))
	}
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
				round = [4]bool{round[0] || x < 100, round[1] || x > 400, round[2] || y < 60, round[3] || y > 250}
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
