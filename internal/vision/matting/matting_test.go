package matting

import (
	"context"
	"fmt"
	"math"
	"testing"
)

// blend is a thing of one light before what is behind it, with a coverage that is known.
func blend(w, h int, thing, behind [3]float32, alpha func(x, y int) float32) (Picture, []float32) {
	p := Picture{W: w, H: h, Pix: make([]float32, 3*w*h)}
	truth := make([]float32, w*h)
	seed := uint32(9)
	for i := range truth {
		a := alpha(i%w, i/w)
		truth[i] = a
		for q := range 3 {
			seed = seed*1664525 + 1013904223
			grain := 1 + (float32(seed>>16)/65536-0.5)*0.02
			p.Pix[3*i+q] = (a*thing[q] + (1-a)*behind[q]) * grain
		}
	}
	return p, truth
}

func known(truth []float32, w, band int) []uint8 {
	k := make([]uint8, len(truth))
	for i := range truth {
		k[i] = Thing
		if truth[i] < 0.5 {
			k[i] = Behind
		}
	}
	out := append([]uint8(nil), k...)
	for i := range k {
		x := i % w
		for d := -band; d <= band; d++ {
			if x+d >= 0 && x+d < w && k[i+d] != k[i] {
				out[i] = Unknown
			}
		}
	}
	return out
}

// On a soft edge the coverage is found to a few hundredths, and the thing's own light without that
// of what is behind it; so on a comb of teeth that are finer than what is certain.
func TestSoftEdge(t *testing.T) {
	thing, behind := [3]float32{0.5, 0.3, 0.1}, [3]float32{0.05, 0.1, 0.3}
	for name, alpha := range map[string]func(x, y int) float32{
		"ramp": func(x, y int) float32 { return min(max(float32(x-25)/10, 0), 1) },
		"comb": func(x, y int) float32 {
			if x < 20 || x < 38 && y%6 < 3 {
				return 0
			}
			return 1
		},
	} {
		p, truth := blend(60, 48, thing, behind, alpha)
		k := make([]uint8, len(truth))
		for i := range k {
			switch x := i % 60; {
			case x < 18:
				k[i] = Behind
			case x > 40:
				k[i] = Thing
			}
		}
		got, light, err := Soft(context.Background(), p, k, 40)
		if err != nil {
			t.Fatal(err)
		}
		off, stained, n, m := 0.0, 0.0, 0.0, 0.0
		for i, a := range truth {
			if k[i] != Unknown {
				continue
			}
			off += math.Abs(float64(a - got[i]))
			n++
			if a > 0.3 {
				for q := range 3 {
					stained += math.Abs(float64(light[3*i+q] - thing[q]))
				}
				m++
			}
		}
		if off/n > 0.03 || stained/m > 0.03 {
			t.Errorf("%s: coverage is %.3f off, the thing's light %.3f", name, off/n, stained/m)
		}
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	p, truth := blend(60, 48, thing, behind, func(x, y int) float32 { return float32(x / 30) })
	if _, _, err := Soft(ctx, p, known(truth, 60, 3), 10); err == nil {
		t.Error("cancelled, it went on")
	}
}

func ExampleSoft() {
	// A pixel of half a white thing before black.
	p, truth := blend(9, 1, [3]float32{1, 1, 1}, [3]float32{},
		func(x, _ int) float32 { return []float32{0, 0, 0, 0, 0.5, 1, 1, 1, 1}[x] })
	alpha, _, _ := Soft(context.Background(), p, known(truth, 9, 1), 5)
	fmt.Printf("%.1f", alpha[4])
	// Output: 0.5
}
