package align

import (
	"context"
	"math"
	"math/rand/v2"
	"os"
	"testing"

	"pyrant/internal/base/codec"
	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
)

// read returns a photo of the demo scenes.
func read(t *testing.T, path string) *photo.Photo {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil {
		t.Skip("the scene is not here")
	}
	p, err := codec.Open(context.Background(), data)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// warped returns a picture of p seen so that a place of p lies on it where s says, of a size, and
// brighter by a factor.
func warped(p *photo.Photo, s Similarity, w, h int, change func(x, y int,
	v [3]float64) [3]float64) *photo.Photo {
	m := s.matrix(float64(p.Width), float64(p.Height), float64(w), float64(h))
	k := m.a*m.a + m.b*m.b
	out := &photo.Photo{Width: w, Height: h, Pix8: make([]uint8, 3*w*h), Profile: colour.SRGB}
	for y := range h {
		for x := range w {
			u, v := float64(x)+0.5-m.c, float64(y)+0.5-m.d
			px, py := (m.a*u+m.b*v)/k-0.5, (m.a*v-m.b*u)/k-0.5
			i, j := int(math.Floor(px)), int(math.Floor(py))
			a, b := px-float64(i), py-float64(j)
			var c [3]float64
			for q := range c {
				at := func(i, j int) float64 {
					return float64(p.Pix8[3*(min(max(j, 0), p.Height-1)*p.Width+min(max(i, 0),
						p.Width-1))+q])
				}
				c[q] = (at(i, j)*(1-a)+at(i+1, j)*a)*(1-b) + (at(i, j+1)*(1-a)+at(i+1, j+1)*a)*b
			}
			if change != nil {
				c = change(x, y, c)
			}
			for q, v := range c {
				out.Pix8[3*(y*w+x)+q] = uint8(min(max(v+0.5, 0), 255))
			}
		}
	}
	return out
}

// off returns how far an alignment is off at the photo's corners, at most, in pixels of the other.
func off(got, want Similarity, w, h, ow, oh int) (worst float64) {
	for _, p := range [][2]float64{{0, 0}, {float64(w), 0}, {0, float64(h)},
		{float64(w), float64(h)}, {float64(w) / 2, float64(h) / 2}} {
		x, y := got.At(p[0], p[1], w, h, ow, oh)
		u, v := want.At(p[0], p[1], w, h, ow, oh)
		worst = math.Max(worst, math.Hypot(x-u, y-v))
	}
	return
}

// cloth returns a photo of made detail at many sizes.
func cloth(w, h int, seed uint64) *photo.Photo {
	p := &photo.Photo{Width: w, Height: h, Pix8: make([]uint8, 3*w*h), Profile: colour.SRGB}
	v := make([]float64, w*h)
	r := rand.New(rand.NewPCG(seed, 5))
	for range 900 {
		x, y, d := r.Float64()*float64(w), r.Float64()*float64(h), 3+30*math.Pow(r.Float64(), 3)
		k := r.Float64()*120 - 60
		for j := max(int(y-d), 0); j < min(int(y+d), h); j++ {
			for i := max(int(x-d), 0); i < min(int(x+d), w); i++ {
				if math.Hypot(float64(i)-x, float64(j)-y) < d {
					v[j*w+i] += k
				}
			}
		}
	}
	for i := range v {
		for c := range 3 {
			p.Pix8[3*i+c] = uint8(min(max(110+v[i]+6*r.NormFloat64(), 0), 255))
		}
	}
	return p
}

// What a photo was moved, turned and sized by is found again, also where the other is far darker,
// has lamps that are lit and something that moved, and another size.
func TestFind(t *testing.T) {
	p := cloth(900, 600, 3)
	for _, k := range []struct {
		name   string
		s      Similarity
		w, h   int
		change func(x, y int, v [3]float64) [3]float64
	}{
		{"the same", Similarity{Size: 1}, 900, 600, nil},
		{"shifted", Similarity{X: 23.4, Y: -11.7, Size: 1}, 900, 600, nil},
		{"turned", Similarity{X: 5, Y: 8, Turn: 2.35, Size: 1}, 900, 600, nil},
		{"turned back, larger", Similarity{X: -14, Y: 30, Turn: -7.2, Size: 1.08}, 900, 600, nil},
		{"of another size and shape", Similarity{X: -8.2, Y: 3.1, Turn: -1.1, Size: 1.5}, 1350, 1000, nil},
		{"by night, lamps lit", Similarity{X: -31.2, Y: 12.6, Turn: 1.4, Size: 1}, 900, 600,
			func(x, y int, v [3]float64) [3]float64 {
				for q := range v {
					v[q] *= 0.35
					for _, l := range [][2]float64{{200, 150}, {640, 420}} {
						d := math.Hypot(float64(x)-l[0], float64(y)-l[1])
						v[q] += 600 * math.Exp(-d/40) * (0.5 + 0.5*v[q]/90)
					}
					if x > 400 && x < 480 && y > 200 { // someone stands there
						v[q] = 30 + float64(y%17)
					}
				}
				return v
			}},
	} {
		if testing.Short() && k.name != "turned" {
			continue
		}
		o := warped(p, k.s, k.w, k.h, k.change)
		got, sure, err := Find(t.Context(), p, o)
		if err != nil {
			t.Fatal(err)
		}
		d := off(got, k.s, p.Width, p.Height, k.w, k.h)
		t.Logf("%s: %.3f px off, %.4f° off, sure %.2f", k.name, d, got.Turn-k.s.Turn, sure)
		if d > 0.5 || math.Abs(got.Turn-k.s.Turn) > 0.05 || sure < Sure {
			t.Errorf("%s: %+v, %.2f px off, sure %.2f", k.name, got, d, sure)
		}
	}
	if testing.Short() {
		return
	}
	// Another set does not match.
	if _, sure, err := Find(t.Context(), p, cloth(900, 600, 8)); err != nil || sure > Sure/2 {
		t.Errorf("another set is sure by %.2f, %v", sure, err)
	}
	flat := &photo.Photo{Width: 900, Height: 600, Pix8: make([]uint8, 3*900*600),
		Profile: colour.SRGB}
	if _, sure, err := Find(t.Context(), p, flat); err != nil || sure > 0 {
		t.Errorf("black is sure by %.2f, %v", sure, err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, _, err := Find(ctx, p, p); err == nil {
		t.Error("it cannot be given up")
	}
}

// The quay by day and with its small lights on lie on each other; shifted and turned they are found
// to be.
func TestQuay(t *testing.T) {
	if testing.Short() {
		t.Skip("whole photos")
	}
	p := read(t, "../../../demo/tidewatch-quay.jpg")
	o := read(t, "../../../demo/tidewatch-quay-lit.jpg")
	fit := Fitted(p.Width, p.Height, o.Width, o.Height)
	got, sure, err := Find(t.Context(), p, o)
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("as they are: %+v, sure %.2f", got, sure)
	base := off(got, fit, p.Width, p.Height, o.Width, o.Height) / fit.Size
	if base > 0.5 || sure < Sure {
		t.Errorf("as they are: %.2f px off, sure %.2f", base, sure)
	}
	for _, s := range []Similarity{{X: 37.3, Y: -22.8, Turn: 1.7, Size: 1},
		{X: -90, Y: 41.5, Turn: -4.2, Size: 1.03}} {
		moved := warped(o, s, o.Width, o.Height, nil)
		// Where p lies on it: on o first, and then where that went.
		a, b := fit.matrix(float64(p.Width), float64(p.Height), float64(o.Width),
			float64(o.Height)), s.matrix(float64(o.Width), float64(o.Height), float64(o.Width),
			float64(o.Height))
		m := matrix{a: b.a*a.a - b.b*a.b, b: b.b*a.a + b.a*a.b}
		m.c, m.d = b.at(a.c, a.d)
		want := m.similarity(float64(p.Width), float64(p.Height), float64(o.Width),
			float64(o.Height))
		got, sure, err := Find(t.Context(), p, moved)
		if err != nil {
			t.Fatal(err)
		}
		d := off(got, want, p.Width, p.Height, o.Width, o.Height) / fit.Size
		t.Logf("%+v: %.3f px of the photo off, %.4f° off, sure %.2f", s, d, got.Turn-want.Turn, sure)
		if d > 0.5 || math.Abs(got.Turn-want.Turn) > 0.05 || sure < Sure {
			t.Errorf("%+v: %.2f px off, turned %.3f° off, sure %.2f", s, d, got.Turn-want.Turn, sure)
		}
	}
}

// Two pairs of places tell a similarity.
func TestByPairs(t *testing.T) {
	want := Similarity{X: 40, Y: -7, Turn: 12, Size: 0.8}
	var to [2][2]float64
	from := [2][2]float64{{100, 80}, {700, 420}}
	for i, p := range from {
		to[i][0], to[i][1] = want.At(p[0], p[1], 900, 600, 800, 600)
	}
	got, ok := ByPairs(from, to, 900, 600, 800, 600)
	if !ok || off(got, want, 900, 600, 800, 600) > 1e-6 {
		t.Errorf("%+v, want %+v", got, want)
	}
	if _, ok := ByPairs([2][2]float64{{5, 5}, {5, 5}}, to, 900, 600, 800, 600); ok {
		t.Error("one place twice tells something")
	}
}
