package main

import (
	"context"
	"math"
	"testing"
)

// The quay's spill comes as near to its truth as docs/benchmarks.md says, and nearer than any blurred copy of the
// lights does. The pictures are half as large as there.
func TestQuay(t *testing.T) {
	b, err := open("../../internal/scene/testdata/quay/room.marks.json")
	if err != nil {
		t.Fatal(err)
	}
	if err := b.measure(context.Background()); err != nil {
		t.Fatal(err)
	}
	type figures struct{ r2, explained, shadow float64 }
	want := map[string]figures{
		"panels floor": {0.96, 0.97, 0}, "panels room": {0.96, 0.97, 0},
		"rod floor": {0.90, 0.95, 0.78}, "rod back_wall": {0.84, 0.95, 0}, "rod side_wall": {0.87, 0.95, 0},
		"rod crate_a": {0.58, 0, 0}, "rod crate_b": {0.5, 0, 0}, "rod room": {0.88, 0.94, 0},
		"lamp floor": {0.86, 0.92, 0.75}, "lamp back_wall": {0.88, 0.94, 0}, "lamp side_wall": {0.94, 0.97, 0},
		"lamp crate_a": {0.6, 0, 0}, "lamp crate_b": {0.7, 0, 0}, "lamp room": {0.86, 0.92, 0},
		"hexagon floor": {0.92, 0.94, 0}, "hexagon back_wall": {0.92, 0.93, 0},
		"string floor": {0.92, 0.96, 0}, "string back_wall": {0.92, 0.96, 0}, "string room": {0.92, 0.95, 0},
		"string crate_a": {0.6, 0, 0},
	}
	seen := 0
	for _, r := range b.rows {
		for _, v := range []float64{r.R2, r.Explained, r.CopyR2, r.CopyExplained} {
			if math.IsNaN(v) || v > 1 {
				t.Fatalf("%+v", r)
			}
		}
		w, ok := want[r.Light+" "+r.Surface]
		if !ok {
			continue
		}
		seen++
		shadow := 0.0
		if r.ShadowIoU != nil {
			shadow = *r.ShadowIoU
		}
		if r.R2 < w.r2 || r.Explained < w.explained || shadow < w.shadow {
			t.Errorf("%s on %s: R² %.3f, explained %.3f, shadow %.2f; %v was reached", r.Light, r.Surface, r.R2, r.Explained, shadow, w)
		}
		if r.R2 < r.CopyR2 {
			t.Errorf("%s on %s: R² %.3f, a blurred copy has %.3f", r.Light, r.Surface, r.R2, r.CopyR2)
		}
	}
	if seen != len(want) {
		t.Errorf("%d of %d figures were measured", seen, len(want))
	}
	if math.Abs(b.focal/(1459.34/4)-1) > 0.02 {
		t.Errorf("the focal length is %.1f, true is %.1f", b.focal, 1459.34/4)
	}
}

// A scene without a picture in linear light is refused in words.
func TestNoTruth(t *testing.T) {
	if _, err := open("../../internal/scene/testdata/quay"); err == nil {
		t.Error("marks without a truth were measured")
	}
	if _, err := open(t.TempDir()); err == nil {
		t.Error("a folder without marks was measured")
	}
}

// A fit takes the one gain that leaves least, and says what is left.
func TestFit(t *testing.T) {
	truth := []float64{1, 2, 3, 4}
	for _, tt := range []struct {
		p                []float64
		k, r2, explained float64
	}{
		{[]float64{2, 4, 6, 8}, 0.5, 1, 1},
		{[]float64{1, 1, 1, 1}, 2.5, 0, 1 - 5.0/30},
		{[]float64{0, 0, 0, 0}, 0, 1 - 30.0/5, 0},
	} {
		k, r2, ex := fit([]int{0, 1, 2, 3}, truth, tt.p)
		if math.Abs(k-tt.k) > 1e-12 || math.Abs(r2-tt.r2) > 1e-12 || math.Abs(ex-tt.explained) > 1e-12 {
			t.Errorf("%v: %v, %v, %v", tt.p, k, r2, ex)
		}
	}
}
