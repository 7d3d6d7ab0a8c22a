package match

import (
	"math"
	"slices"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/measure/scene"
	"pyrant/internal/vision/align"
)

const quay = "../../measure/scene/testdata/quay"

// shown returns linear light as a photo of 8 bits.
func shown(w, h int, pix []float32) *photo.Photo {
	p := &photo.Photo{Width: w, Height: h, Pix8: make([]uint8, 3*w*h), Profile: colour.SRGB}
	for i, v := range pix {
		p.Pix8[i] = uint8(min(max(float64(colour.Display.At(min(max(v, 0), 1)))*255+0.5, 0), 255))
	}
	return p
}

// groups are the lights of the quay, with a gain and a tint for each.
var groups = []string{"panels", "rod", "lamp", "hexagon", "string"}

func mixed(t *testing.T, dim float32, gains []float64,
	tints [][3]float64) (p *photo.Photo, o *photo.Photo, plain *scene.Linear, lit []*scene.Linear) {
	t.Helper()
	if testing.Short() {
		t.Skip("a whole scene")
	}
	read := func(name string) *scene.Linear {
		m, err := scene.ReadHDR(quay + "/" + name)
		if err != nil {
			t.Fatal(err)
		}
		return m
	}
	plain = read("plain.hdr")
	mix := make([]float32, len(plain.Pix))
	for i, v := range plain.Pix {
		mix[i] = dim * v
	}
	for k, g := range groups {
		l := read("lit_" + g + ".hdr")
		lit = append(lit, l)
		for i, v := range l.Pix {
			mix[i] += float32(gains[k]*tints[k][i%3]) * v
		}
	}
	return shown(plain.W, plain.H, plain.Pix), shown(plain.W, plain.H, mix), plain, lit
}

func hueOf(r, g, b float64) float64 {
	_, u, v := colour.OKLab(float32(r), float32(g), float32(b))
	return math.Mod(math.Atan2(v, u)*180/math.Pi+360, 360)
}

func apart(a, b float64) float64 { return math.Abs(math.Mod(a-b+540, 360) - 180) }

// The rim of each light of a reference that is mixed from the quay's lights tells its hue, and the
// daylight is found.
func TestRims(t *testing.T) {
	tints := [][3]float64{{1, 0.35, 0.2}, {0.2, 0.75, 1}, {1, 0.62, 0.25}, {1, 0.2, 0.6},
		{0.4, 1, 0.35}}
	p, o, plain, _ := mixed(t, 0.12, []float64{0.5, 0.6, 0.5, 0.5, 0.8}, tints)
	pair, err := New(t.Context(), p, o, align.Similarity{Size: 1})
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("daylight %v", pair.Dimmed)
	s, err := scene.Open(quay)
	if err != nil {
		t.Fatal(err)
	}
	k := float64(plain.W) / float64(s.Width)
	for i, g := range groups {
		want := hueOf(tints[i][0], tints[i][1], tints[i][2])
		var off []float64
		for _, l := range s.Lights {
			mask, err := s.Mask(l.Mask)
			if err != nil {
				t.Fatal(err)
			}
			for n := range l.Shapes {
				if l.Group != g {
					continue
				}
				at, ok := l.Shapes[n].Inside(mask)
				if !ok {
					continue
				}
				r, err := pair.At(at[0]*k, at[1]*k)
				if err != nil {
					t.Logf("%s at %v: %v", g, at, err)
					continue
				}
				got := hueOf(float64(r.Tint.R), float64(r.Tint.G), float64(r.Tint.B))
				t.Logf("%s at %v: hue %.1f, read %.1f, %.2f stops", g, at, want, got, r.Stops)
				off = append(off, apart(got, want))
				if math.Abs(r.Daylight-math.Log2(0.12)) > 0.2 {
					t.Errorf("the daylight is %.2f stops darker, not %.2f", r.Daylight, math.Log2(0.12))
				}
			}
		}
		slices.Sort(off)
		t.Logf("%s: off by %.1f", g, off)
		// The rod stands before the string's bulbs, far from all that it lights.
		if g != "rod" && off[len(off)/2] > 6 {
			t.Errorf("the rims of %s are off by %.1f°", g, off)
		}
	}
	if _, err := pair.At(-5, 9); err == nil {
		t.Error("there is a light beyond the photo")
	}
}

// With what each light really gives the gains and tints of the mix are found again, though
// something moved; what is left over lies there.
func TestFit(t *testing.T) {
	gains := []float64{0.5, 0.3, 0.8, 0.2, 0.9}
	tints := [][3]float64{{1, 0.35, 0.2}, {0.2, 0.75, 1}, {1, 0.62, 0.25}, {1, 0.2, 0.6},
		{0.4, 1, 0.35}}
	p, o, plain, lit := mixed(t, 0.15, gains, tints)
	// Someone stood there.
	k := plain.W * 1000 / 750 // a thousandth of a unit of which the picture is 750 wide
	at := func(v int) int { return v * k / 1000 }
	for y := at(300); y < at(430); y++ {
		for x := at(560); x < at(640); x++ {
			copy(o.Pix8[3*(y*o.Width+x):], []uint8{90, 40, 120})
		}
	}
	pair, err := New(t.Context(), p, o, align.Similarity{Size: 1})
	if err != nil {
		t.Fatal(err)
	}
	var fields []*raster.RGB
	for _, l := range lit {
		f := raster.NewRGB(pair.Photo.Rect)
		copy(f.Pix, l.Pix)
		fields = append(fields, f)
	}
	fit, err := pair.Fit(t.Context(), fields, nil)
	if err != nil {
		t.Fatal(err)
	}
	for k, g := range groups {
		got := fit.Gains[k]
		want := hueOf(tints[k][0], tints[k][1], tints[k][2])
		strength := max(got[0], got[1], got[2])
		t.Logf("%s: gain %.3f of %.3f, hue %.1f of %.1f", g, strength, gains[k], hueOf(got[0], got[1], got[2]), want)
		if math.Abs(strength/gains[k]-1) > 0.15 || apart(hueOf(got[0], got[1], got[2]), want) > 8 {
			t.Errorf("%s: gains %.3f, of %.2f times %v", g, got, gains[k], tints[k])
		}
	}
	for c, v := range fit.Daylight {
		if math.Abs(v/0.15-1) > 0.05 {
			t.Errorf("channel %d: daylight %.3f, not 0.15", c, v)
		}
	}
	if fit.Explained < 0.95 {
		t.Errorf("explained are %.3f", fit.Explained)
	}
	if in, out := fit.Weight[at(380)*plain.W+at(600)],
		fit.Weight[at(300)*plain.W+at(300)]; in > 0.3 || out < 0.5 {
		t.Errorf("what moved counts %.2f, what did not %.2f", in, out)
	}
}

// A light that does nothing in the reference gets no gain, and none is negative.
func TestPositive(t *testing.T) {
	x := positive([][]float64{{2, 1}, {1, 2}}, []float64{3, -1})
	if math.Abs(x[0]-1.5) > 1e-6 || x[1] != 0 {
		t.Errorf("%v", x)
	}
	if x = positive([][]float64{{4, 1}, {1, 3}}, []float64{1, 2}); math.Abs(4*x[0]+x[1]-1) > 1e-5 ||
		math.Abs(x[0]+3*x[1]-2) > 1e-5 {
		t.Errorf("%v does not solve it", x)
	}
}
