package match_test

import (
	"math"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/light/match"
	"pyrant/internal/measure/scene"
	"pyrant/internal/render"
	"pyrant/internal/vision/align"
)

const quay = "../../measure/scene/testdata/quay"

// The lights of the quay, set up in its room as a user marks it, are fitted to references that are
// mixed from what the lights really do there with known gains and tints: strengths against a first
// mix, and hues.
func TestMatchTheQuay(t *testing.T) {
	if testing.Short() {
		t.Skip("a whole scene")
	}
	s, err := scene.Open(quay + "/room.marks.json")
	if err != nil {
		t.Fatal(err)
	}
	read := func(name string) *scene.Linear {
		m, err := scene.ReadHDR(s.Path(name))
		if err != nil {
			t.Fatal(err)
		}
		return m
	}
	plain := read("plain.hdr")
	shown := func(pix []float32) *photo.Photo {
		p := &photo.Photo{Width: plain.W, Height: plain.H, Pix8: make([]uint8, 3*plain.W*plain.H),
			Profile: colour.SRGB}
		for i, v := range pix {
			p.Pix8[i] = uint8(float64(colour.Display.At(min(max(v, 0), 1)))*255 + 0.5)
		}
		return p
	}
	r, err := s.Recipe(plain.W, plain.H)
	if err != nil {
		t.Fatal(err)
	}
	p := shown(plain.Pix)
	fields, err := render.New(1<<29).Added(t.Context(), render.Request{Photo: p, PhotoKey: "plain",
		Recipe: r, LongEdge: plain.W}, nil)
	if err != nil {
		t.Fatal(err)
	}
	lit := map[string]*scene.Linear{}
	groups := make([]string, len(r.Lights))
	for i := range r.Lights {
		groups[i] = r.Lights[i].Name
		if lit[groups[i]] == nil {
			for _, l := range s.Lights {
				if l.Group == groups[i] {
					lit[groups[i]] = read(l.Lit)
				}
			}
		}
		if lit[groups[i]] == nil {
			t.Fatalf("there is no truth of the light %q", groups[i])
		}
	}
	covered := func(i int) bool {
		x, y := i%plain.W, i/plain.W
		for k := range r.Lights {
			for _, q := range r.Lights[k].Shapes.Spots() {
				if math.Hypot(float64(x)-q.At.X, float64(y)-q.At.Y) < q.Radius+4 {
					return true
				}
			}
		}
		return false
	}
	fit := func(gains map[string]float64, tints map[string][3]float64) *match.Fitted {
		mix := make([]float32, len(plain.Pix))
		for i, v := range plain.Pix {
			mix[i] = 0.15 * v
		}
		for g, l := range lit {
			for i, v := range l.Pix {
				mix[i] += float32(gains[g]*tints[g][i%3]) * v
			}
		}
		pair, err := match.New(t.Context(), p, shown(mix), align.Similarity{Size: 1})
		if err != nil {
			t.Fatal(err)
		}
		f, err := pair.Fit(t.Context(), fields, covered)
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	white, one := map[string][3]float64{}, map[string]float64{}
	for g := range lit {
		white[g], one[g] = [3]float64{1, 1, 1}, 0.5
	}
	first := fit(one, white)
	hue := func(v [3]float64) float64 {
		_, a, b := colour.OKLab(float32(v[0]), float32(v[1]), float32(v[2]))
		return math.Mod(math.Atan2(b, a)*180/math.Pi+360, 360)
	}
	tints := map[string][3]float64{"panels": {0.2, 1, 0.7}, "rod": {0.3, 0.6, 1},
		"lamp": {1, 0.55, 0.2}, "hexagon": {1, 0.25, 0.7}, "string": {1, 0.8, 0.45}}
	for _, gains := range []map[string]float64{{"panels": 0.6, "rod": 0.4, "lamp": 0.5,
		"hexagon": 0.5, "string": 0.3}, {"panels": 0.4, "rod": 0.8, "lamp": 0.7, "hexagon": 0.3, "string": 0.5}} {
		got := fit(gains, tints)
		t.Logf("explained %.3f, of the first mix %.3f, daylight %.3f", got.Explained, first.Explained, got.Daylight)
		for i, g := range groups {
			v, w := got.Gains[i], first.Gains[i]
			ratio := math.NaN()
			top := 0
			for c := range v {
				if tints[g][c] == 1 {
					top = c
				}
			}
			if w[top] > 0 {
				ratio = v[top] / w[top] * 0.5 / gains[g]
			}
			off := math.Abs(math.Mod(hue(v)-hue(tints[g])+540, 360) - 180)
			if !(math.Abs(ratio-1) <= 0.15) || off > 8 {
				t.Errorf("%s: strength %.3f of what it is, hue %.1f° off", g, ratio, off)
			}
			t.Logf("%-8s strength %.3f of what it is, hue %.1f off; gains %.3f, first %.3f", g, ratio, off, v, w)
		}
	}
}
