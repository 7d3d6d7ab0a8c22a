package render

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"math"
	"strings"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/align"
)

// quarters is a picture of four colours: red and green above, blue and white below.
func quarters(w, h int) *photo.Photo {
	p := flat(w, h, 255)
	for y := range h {
		for x := range w {
			c := []uint8{255, 255, 255}
			switch {
			case x < w/2 && y < h/2:
				c = []uint8{255, 0, 0}
			case y < h/2:
				c = []uint8{0, 255, 0}
			case x < w/2:
				c = []uint8{0, 0, 255}
			}
			copy(p.Pix8[3*(y*w+x):], c)
		}
	}
	return p
}

// A picture lies where it is laid, as large, turned and mirrored as it is said to be, joins as its
// pass does, and only in the pass's area; at half the scale it lies in the same place.
func TestPicture(t *testing.T) {
	p := flat(300, 200, 100)
	r := recipe.New(300, 200)
	k := setting.New[pass.Picture](r.Photo.Frame())
	k.Sum, k.Width, k.Height, k.X, k.Y, k.Size = strings.Repeat("a", 64), 80, 40, 150, 100, 120
	one, _ := pass.New("picture", r.Photo.Frame())
	r.Finish.Passes = []pass.Pass{one}
	shot := func(k pass.Picture, long int) *image.RGBA {
		t.Helper()
		r.Finish.Passes[0].Does = k
		if err := r.Validate(); err != nil {
			t.Fatal(err)
		}
		e := New(1 << 24)
		e.Pictures = func(_ context.Context, sum string) (*photo.Photo, error) {
			if sum != k.Sum {
				t.Errorf("asked for %q", sum)
			}
			return quarters(80, 40), nil
		}
		m := rgba(t, e, Request{Photo: p, Recipe: r.Clone(), LongEdge: long})
		ex, err := e.Export(t.Context(), Request{Photo: p, Recipe: r.Clone(), LongEdge: long}, nil)
		if err != nil || string(ex.(*image.RGBA).Pix) != string(m.Pix) {
			t.Errorf("the export is another picture: %v", err)
		}
		return m
	}
	is := func(name string, m *image.RGBA, x, y int, want [3]int) {
		t.Helper()
		c := m.RGBAAt(x, y)
		for i, v := range [3]uint8{c.R, c.G, c.B} {
			if math.Abs(float64(v)-float64(want[i])) > 2 {
				t.Errorf("%s: at %d, %d it is %v, not %v", name, x, y, c, want)
				return
			}
		}
	}
	grey, red, green, blue, white := [3]int{100, 100, 100}, [3]int{255, 0, 0}, [3]int{0, 255, 0},
		[3]int{0, 0, 255}, [3]int{255, 255, 255}
	// From 90 to 210 across, from 70 to 130 down.
	m := shot(k, 0)
	is("laid", m, 100, 80, red)
	is("laid", m, 200, 80, green)
	is("laid", m, 100, 120, blue)
	is("laid", m, 200, 120, white)
	for _, q := range [][2]int{{87, 100}, {213, 100}, {150, 67}, {150, 133}} {
		is("beside it", m, q[0], q[1], grey)
	}
	half := shot(k, 150)
	is("at half the scale", half, 50, 40, red)
	is("at half the scale", half, 100, 60, white)
	is("beside it at half the scale", half, 43, 50, grey)
	turned := k
	turned.Turn = 90
	m = shot(turned, 0) // clockwise: what was above is on the right
	is("turned", m, 165, 60, red)
	is("turned", m, 165, 140, green)
	is("turned", m, 135, 60, blue)
	flipped := k
	flipped.Flip = true
	is("mirrored", shot(flipped, 0), 100, 80, green)
	soft := k
	soft.Soft = 3
	m = shot(soft, 0)
	is("soft, inside", m, 112, 84, red)
	if c := m.RGBAAt(94, 84); c.G < 5 || c.G > 95 {
		t.Errorf("its soft edge is %v", c)
	}
	is("soft, beside it", m, 87, 100, grey)
	// By the pass: half, screen, and in an area.
	r.Finish.Passes[0].Joining = pass.Screen
	m = shot(k, 0)
	is("screen", m, 100, 80, [3]int{255, 100, 100})
	is("screen beside it", m, 60, 100, grey)
	r.Finish.Passes[0].Joining = pass.Normal
	r.Areas = []area.Area{{ID: "a", Name: "Left", Parts: []area.Part{{On: true, Does: area.Add,
		Amount: 1, Of: area.Shape{Shape: shape.Ellipse{X: 0, Y: 100, Width: 290, Height: 600}}}}}}
	r.Finish.Passes[0].Area = "a"
	m = shot(k, 0)
	is("in its area", m, 100, 80, red)
	is("not in its area", m, 200, 80, grey)
	// A sum that is none is refused; of one that is not there nothing is laid.
	bad := k
	bad.Sum = "../etc"
	r.Finish.Passes[0].Does = bad
	if r.Validate() == nil {
		t.Error("a sum that is none is taken")
	}
	r.Finish.Passes[0].Does = k
	r.Finish.Passes[0].Area = ""
	m = rgba(t, New(1<<24), Request{Photo: p, Recipe: r})
	is("without its file", m, 100, 80, grey)
	if list := r.Pictures(); len(list) != 1 || list[0] != k.Sum {
		t.Errorf("the recipe names %v", list)
	}
}

// A reference is seen as it lies on the photo, in a crop as well.
func TestReferenceLies(t *testing.T) {
	p := flat(300, 200, 100)
	o := quarters(150, 100) // of half the size
	r := recipe.New(300, 200)
	s := align.Fitted(300, 200, 150, 100)
	e := New(1 << 24)
	m, err := e.Reference(t.Context(), Request{Photo: p, Recipe: r, Profile: colour.SRGB}, o, "o", s)
	if err != nil {
		t.Fatal(err)
	}
	for q, want := range map[[2]int]uint8{{100, 60}: 255, {200, 60}: 0, {100, 160}: 0,
		{200, 160}: 255} {
		if c := m.RGBAAt(q[0], q[1]); c.R != want {
			t.Errorf("at %v the reference is %v", q, c)
		}
	}
	// Moved to the right by 20 of its pixels the photo lies 40 of its own farther.
	s.X = 20
	if m, _ = e.Reference(t.Context(), Request{Photo: p, Recipe: r, Profile: colour.SRGB}, o, "o",
		s); m.RGBAAt(115, 60).G != 255 || m.RGBAAt(105, 60).R != 255 {
		t.Errorf("moved it is %v and %v", m.RGBAAt(105, 60), m.RGBAAt(115, 60))
	}
	r.Crop.X, r.Crop.Y, r.Crop.Width, r.Crop.Height = 200, 50, 100, 60
	s.X = 0
	if m, err = e.Reference(t.Context(), Request{Photo: p, Recipe: r, Profile: colour.SRGB}, o, "o",
		s); err != nil || m.Rect.Dx() != 100 || m.RGBAAt(10, 10).G != 255 ||
		m.RGBAAt(10, 10).R != 0 {
		t.Errorf("cropped it is %v: %v, %v", m.Rect, m.RGBAAt(10, 10), err)
	}
}

// A pass that is to lay a picture over the photo changes nothing until one is chosen, and none is
// looked for.
func TestNoPicture(t *testing.T) {
	p := flat(60, 40, 100)
	r := recipe.New(60, 40)
	e := New(1 << 24)
	e.Pictures = func(_ context.Context, sum string) (*photo.Photo, error) {
		return nil, fmt.Errorf("there is no picture %q", sum)
	}
	plain := rgba(t, e, Request{Photo: p, PhotoKey: "p", Recipe: r})
	lay := setting.New[pass.Pass](r.Photo.Frame())
	lay.Does = setting.New[pass.Picture](r.Photo.Frame())
	r.Finish.Passes = []pass.Pass{lay}
	if got := rgba(t, e, Request{Photo: p, PhotoKey: "p", Recipe: r}); !bytes.Equal(got.Pix,
		plain.Pix) {
		t.Error("the photo is changed")
	}
}

// What a light adds is its spill in white at a strength of 1, whatever its own are.
func TestAdded(t *testing.T) {
	p := flat(300, 200, 120)
	r := lit(t, p, panel(100, 80, 140, 120))
	l := &r.Lights[0]
	l.Spill.Reach = 120
	fields := func() [3]float64 {
		t.Helper()
		f, err := New(1<<24).Added(t.Context(), Request{Photo: p, PhotoKey: "p", Recipe: r,
			LongEdge: 300}, nil)
		if err != nil || len(f) != 1 {
			t.Fatal(err)
		}
		q := 3 * (100*300 + 175)
		return [3]float64{float64(f[0].Pix[q]), float64(f[0].Pix[q+1]), float64(f[0].Pix[q+2])}
	}
	a := fields()
	if a[0] <= 0 || math.Abs(a[0]-a[2]) > 1e-4 {
		t.Fatalf("a white light adds %v", a)
	}
	l.Gel.Hue, l.Spill.Strength, l.Level, r.Spill.Level = 200, 3.5, 0.4, 0.5
	if b := fields(); math.Abs(b[0]/a[0]-1) > 0.01 {
		t.Errorf("of another gel and strength it adds %v, not %v", b, a)
	}
	// With the strength and gel that a match makes of gains, its spill is those times that.
	m, err := edit.Matched(r, [][3]float64{{0.8, 0.4, 0.1}}, 1)
	if err != nil {
		t.Fatal(err)
	}
	img := render(t, New(1<<24), Request{Photo: p, Recipe: m, Layer: Spill, Deep: true})
	got := linear(img, 175, 100)
	for c, g := range [3]float64{0.8, 0.4, 0.1} {
		near(t, "matched spill", -math.Log1p(-got[c]), g*a[c], 0.05)
	}
	if m, _ = edit.Matched(r, [][3]float64{{0, 0, 0}}, 1); m.Lights[0].Spill.Strength != 0 {
		t.Errorf("a light that the reference has off has strength %v", m.Lights[0].Spill.Strength)
	}
}
