package main

import (
	"math"
	"math/rand/v2"
	"testing"

	"pyrant/internal/measure/scene"
	"pyrant/internal/recipe/cutout"
)

// The user of fine edges paints at most ten strokes, of which at most four are fine-edge ones, none
// narrower than 2 % of the long edge but where the object is, and says of no place what is not so.
func TestSoftStrokes(t *testing.T) {
	const w, h = 1200, 800
	m := &scene.Field{W: w, H: h, K: 1, Pix: make([]float32, w*h)}
	for i := range m.Pix {
		x, y := float64(i%w-600), float64(i/w-400)
		r, a := math.Hypot(x, y), math.Atan2(y, x)
		if r < 150 || r < 260 && math.Mod(a+4, 0.06) < 0.03 {
			m.Pix[i] = 1
		}
	}
	list := softStrokes(m, rand.New(rand.NewPCG(1, 1)))
	count := map[cutout.Says]int{}
	for _, s := range list {
		count[s.says]++
		if s.width < 0.02*w-0.01 && s.says != cutout.In {
			t.Errorf("a stroke %s is %.1f wide", s.says, s.width)
		}
		for _, i := range s.line {
			if v := m.Pix[i]; s.says == cutout.In && v < 0.5 || s.says == cutout.Out && v > 0.5 {
				t.Fatalf("a stroke %s goes through a coverage of %v", s.says, v)
			}
		}
	}
	if len(list) > 10 || count[cutout.Soft] == 0 || count[cutout.Soft] > 4 ||
		count[cutout.In] == 0 ||
		count[cutout.Out] == 0 {
		t.Errorf("the strokes are %v", count)
	}
}
