package shape

import (
	"math"
	"slices"
	"testing"
)

// Bulbs lie within what is covered, never closer than the gap, and so close that no more would go
// in; a seed tells them.
func TestScatter(t *testing.T) {
	in := Shapes{Ellipse{X: 300, Y: 260, Width: 400, Height: 300}, Ellipse{X: 900, Y: 300,
		Width: 120, Height: 120}, Ellipse{X: 300, Y: 260, Width: 120, Height: 90, Away: true}}
	k := Scatter{Gap: 28, Size: 10, Vary: 0.4, Seed: 5}
	all, full := k.Bulbs(in)
	if !full || len(all) < 80 {
		t.Fatalf("%d bulbs, full %v", len(all), full)
	}
	within := func(x, y, grow float64) bool {
		e := func(cx, cy, w, h float64) bool { return math.Hypot((x-cx)/w*2, (y-cy)/h*2) < 1 }
		return (e(300, 260, 400+grow, 300+grow) && !e(300, 260, 120-grow, 90-grow)) ||
			e(900, 300, 120+grow, 120+grow)
	}
	second, small, large := 0, math.Inf(1), 0.0
	for i, a := range all {
		if !within(a.X, a.Y, 14) {
			t.Errorf("bulb %d lies outside, at %v, %v", i, a.X, a.Y)
		}
		if a.X > 800 {
			second++
		}
		small, large = min(small, a.Width), max(large, a.Width)
		for _, b := range all[:i] {
			if d := math.Hypot(a.X-b.X, a.Y-b.Y); d < k.Gap-0.15 {
				t.Fatalf("two bulbs are %.2f apart", d)
			}
		}
	}
	if second < 8 {
		t.Errorf("the second region has %d bulbs", second)
	}
	if small < 6 || large > 14 || large-small < 5 {
		t.Errorf("they are %.1f to %.1f wide", small, large)
	}
	// No gap is left that would hold two more across.
	for y := 120.0; y < 400; y += 7 {
		for x := 110.0; x < 490; x += 7 {
			if within(x, y, -12) && !slices.ContainsFunc(all,
				func(e Ellipse) bool { return math.Hypot(e.X-x, e.Y-y) < 1.3*k.Gap }) {
				t.Errorf("nothing is near %v, %v", x, y)
			}
		}
	}
	again, _ := k.Bulbs(in)
	k.Seed = 6
	other, _ := k.Bulbs(in)
	if !slices.Equal(all, again) || slices.Equal(all, other) {
		t.Error("the seed does not tell where they lie")
	}
	k.Gap = 3
	if many, full := k.Bulbs(in); full || len(many) != MostScattered {
		t.Errorf("of too many %d are laid, full %v", len(many), full)
	}
	if none, full := (Scatter{Gap: 5}).Bulbs(nil); len(none) != 0 || !full {
		t.Error("bulbs lie in nothing")
	}
}
