package staging

import (
	"image"
	"math"
	"testing"

	"pyrant/internal/base/raster"
)

// A floor of even stone in even daylight, of which something is told, and something is shown.
func TestLeast(t *testing.T) {
	const w, h = 60, 40
	shadow := image.Rect(30, 10, 45, 30)
	for _, tt := range []struct {
		name        string
		told, shown float32 // how dark the shadow is
		want        float32 // what daylight is at the least, in it; 0 for what is told
	}{
		{"no shadow", 1, 1, 0},
		{"a shadow that the photo shows", 0.3, 0.3, 0},
		{"one that it shows half of", 0.3, 0.6, 0.6},
		{"one that it does not show", 0.3, 1, 1},
		{"one that is not told", 1, 0.3, 0},
	} {
		small := Small{raster.NewRGB(image.Rect(0, 0, w, h))}
		weight, told := make([]float32, w*h), raster.NewPlane(image.Rect(0, 0, w, h))
		for y := range h {
			row := small.Row(y)
			for x := range w {
				weight[y*w+x] = 1
				light := float32(0.4)
				told.Pix[y*w+x] = 1
				if image.Pt(x, y).In(shadow) {
					light, told.Pix[y*w+x] = 0.4*tt.shown, tt.told
				}
				row[3*x], row[3*x+1], row[3*x+2] = light, light, light
			}
		}
		l, out := limited(t, small, weight, told)
		got := float32(0)
		mid := (20-l.Min.Y)*l.Dx() + 37 - l.Min.X
		if len(out.mean) > 0 {
			got = out.mean[mid]
		}
		if math.Abs(float64(got-tt.want)) > 0.02 {
			t.Errorf("%s: at least %.3f, want %.3f", tt.name, got, tt.want)
		}
		// In the open, all that is told may be.
		if len(out.mean) > 0 && out.mean[(20-l.Min.Y)*l.Dx()+10-l.Min.X] > 1.001 {
			t.Errorf("%s: in the open daylight is told to be more than it is", tt.name)
		}
		// Read at each pixel of a picture of any size it is the same as on the small one.
		shown := Shown{scale: 1, of: []look{out}}
		row := make([]float32, 3*w)
		if shown.Row(row, 0, 0, 1.0/3, 20.5, len(row)) != (tt.want > 0) {
			t.Errorf("%s: told to be limited, or not", tt.name)
		}
		if tt.want > 0 && math.Abs(float64(row[3*37+1]-tt.want)) > 0.02 {
			t.Errorf("%s: read %.3f, want %.3f", tt.name, row[3*37+1], tt.want)
		}
	}
}

// A light stone in a shadow stays lighter than the others: only what lies about a place tells.
func TestLeastKeepsStones(t *testing.T) {
	const w, h = 60, 40
	small := Small{raster.NewRGB(image.Rect(0, 0, w, h))}
	weight, told := make([]float32, w*h), raster.NewPlane(image.Rect(0, 0, w, h))
	for y := range h {
		row := small.Row(y)
		for x := range w {
			k := y*w + x
			weight[k], told.Pix[k] = 1, 1
			light := float32(0.2 + 0.3*float32((x/6+y/6)%2)) // stones
			if x > 30 {
				told.Pix[k], light = 0.4, 0.4*light
			}
			row[3*x], row[3*x+1], row[3*x+2] = light, light, light
		}
	}
	l, out := limited(t, small, weight, told)
	for k, v := range out.mean {
		if v > 0.45 {
			t.Fatalf("at %d, %d daylight of 0.4, which the photo shows, is told to be %.3f at the least", k%l.Dx(), k/l.Dx(), v)
		}
	}
}

// limited returns how a surface looks and how dark daylight can have made it.
func limited(t *testing.T, small Small, weight []float32, told *raster.Plane) (l, out look) {
	t.Helper()
	l, err := lookAt(t.Context(), small, weight)
	if err != nil {
		t.Fatal(err)
	}
	if out, err = l.least(t.Context(), told); err != nil {
		t.Fatal(err)
	}
	return
}
