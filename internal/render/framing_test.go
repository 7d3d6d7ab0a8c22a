package render

import (
	"bytes"
	"image"
	"math"
	"testing"

	"pyrant/internal/base/photo"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/crop"
	"pyrant/internal/recipe/shape"
)

// framed returns a photo of soft forms with a light with spill on it, and its recipe.
func framed(t *testing.T) (*photo.Photo, *recipe.Recipe) {
	t.Helper()
	p := flat(400, 260, 0)
	for y := range p.Height {
		for x := range p.Width {
			d := p.Pix8[3*(y*p.Width+x):][:3]
			d[0] = uint8(110 + 70*math.Sin(float64(x)/13))
			d[1] = uint8(100 + 60*math.Sin(float64(y)/17+1))
			d[2] = uint8(90 + 50*math.Sin(float64(x+y)/23))
		}
	}
	r := lit(t, p, panel(150, 90, 230, 150))
	r.Lights[0].Spill.Reach = 150
	r.Dusk.Daylight = -1.5
	return p, r
}

// Without an angle the picture of a crop is a part of the whole picture, turned and mirrored, to
// the byte: at the photo's own size, as a frame, as an export, and of a part that is asked for.
func TestCropIsAPart(t *testing.T) {
	p, r := framed(t)
	whole := rgba(t, New(1<<24), Request{Photo: p, Recipe: r})
	for _, c := range []crop.Crop{
		{X: 200, Y: 120, Width: 160, Height: 100},
		{X: 200, Y: 120, Width: 160, Height: 100, Turns: 1},
		{X: 141, Y: 121, Width: 82, Height: 102, Turns: 2, Flip: true},
		{X: 200, Y: 120, Width: 160, Height: 100, Turns: 3, Flip: true},
		{Turns: 1}, {Flip: true},
	} {
		cut := *r
		cut.Crop = c
		if err := cut.Validate(); err != nil {
			t.Fatal(err)
		}
		w, h := cut.Size()
		m := rgba(t, New(1<<24), Request{Photo: p, Recipe: &cut})
		if m.Rect != image.Rect(0, 0, w, h) {
			t.Fatalf("%+v has %v", c, m.Rect)
		}
		back := c.ToPicture(p.Width, p.Height).Inverse()
		for y := range h {
			for x := range w {
				u, v := back.At(float64(x)+0.5, float64(y)+0.5)
				if a, b := m.RGBAAt(x, y), whole.RGBAAt(int(u), int(v)); a != b {
					t.Fatalf("%+v: at %d, %d it is %v, in the whole picture %v", c, x, y, a, b)
				}
			}
		}
		ex, err := New(1<<24).Export(t.Context(), Request{Photo: p, Recipe: &cut}, nil)
		if err != nil || !bytes.Equal(ex.(*image.RGBA).Pix, m.Pix) {
			t.Fatalf("%+v: the export is another picture: %v", c, err)
		}
		part := image.Rect(w/4, h/3, w/4+31, h/3+22)
		v := rgba(t, New(1<<24), Request{Photo: p, Recipe: &cut, View: part})
		for y := part.Min.Y; y < part.Max.Y; y++ {
			for x := part.Min.X; x < part.Max.X; x++ {
				if v.RGBAAt(x, y) != m.RGBAAt(x, y) {
					t.Fatalf("%+v: a part differs at %d, %d", c, x, y)
				}
			}
		}
		// Smaller it is that part of the whole picture smaller, as near as pixels of it lie.
		s := rgba(t, New(1<<24), Request{Photo: p, Recipe: &cut, LongEdge: max(w, h) / 2})
		half := rgba(t, New(1<<24), Request{Photo: p, Recipe: r, LongEdge: 200})
		worst := 0.0
		for y := 2; y < s.Rect.Max.Y-2; y++ {
			for x := 2; x < s.Rect.Max.X-2; x++ {
				u, v := back.At(2*float64(x)+1, 2*float64(y)+1)
				a, b := s.RGBAAt(x, y), half.RGBAAt(int(u/2), int(v/2))
				worst = max(worst, math.Abs(float64(a.G)-float64(b.G)))
			}
		}
		if worst > 14 {
			t.Errorf("%+v: at half the size it differs by %g", c, worst)
		}
		// What covers is cut as the picture is.
		k, err := New(1<<24).LightMask(t.Context(), Request{Photo: p, Recipe: &cut}, 0)
		if err != nil {
			t.Fatal(err)
		}
		u, v2 := c.ToPicture(p.Width, p.Height).At(165, 120)
		if k.Rect != m.Rect || k.At(int(u), int(v2)) != 1 {
			t.Errorf("%+v: the mask is %v, in the light %v", c, k.Rect, k.At(int(u), int(v2)))
		}
	}
}

// Straightened the picture is what the whole one has at each place, within what samples between
// pixels can tell; its light stays on the thing that shines, and nothing of it is darker or
// brighter than what is there.
func TestStraightened(t *testing.T) {
	p, r := framed(t)
	whole := render(t, New(1<<24), Request{Photo: p, Recipe: r, Deep: true}).(*image.RGBA64)
	for _, angle := range []float64{3, -7.5, 30} {
		cut := *r
		cut.Crop = crop.Crop{X: 200, Y: 130, Width: 170, Height: 110, Angle: angle}
		m := rgba(t, New(1<<24), Request{Photo: p, Recipe: &cut})
		back := cut.Crop.ToPicture(p.Width, p.Height).Inverse()
		var sum, worst float64
		n := 0
		for y := range 110 {
			for x := range 170 {
				u, v := back.At(float64(x)+0.5, float64(y)+0.5)
				// By the four round it: where nothing is sharp that is near enough.
				i, j := int(math.Floor(u-0.5)), int(math.Floor(v-0.5))
				s, q := u-0.5-float64(i), v-0.5-float64(j)
				g := func(x, y int) float64 { return float64(whole.RGBA64At(x, y).G) / 257 }
				want := (g(i, j)*(1-s)+g(i+1, j)*s)*(1-q) + (g(i, j+1)*(1-s)+g(i+1, j+1)*s)*q
				d := math.Abs(float64(m.RGBAAt(x, y).G) - want)
				sum, worst, n = sum+d, max(worst, d), n+1
			}
		}
		// The dither alone is a quarter of a step.
		if mean := sum / float64(n); mean > 0.8 || worst > 30 {
			t.Errorf("by %g degrees it differs by %.2f, at most %.1f", angle, mean, worst)
		}
		ex, err := New(1<<24).Export(t.Context(), Request{Photo: p, Recipe: &cut}, nil)
		if err != nil || !bytes.Equal(ex.(*image.RGBA).Pix, m.Pix) {
			t.Errorf("by %g degrees the export is another picture: %v", angle, err)
		}
		part := rgba(t, New(1<<24), Request{Photo: p, Recipe: &cut, View: image.Rect(40, 30, 90,
			61)})
		for y := 30; y < 61; y++ {
			if !bytes.Equal(part.Pix[part.PixOffset(40, y):][:200],
				m.Pix[m.PixOffset(40, y):][:200]) {
				t.Fatalf("by %g degrees a part differs in row %d", angle, y)
			}
		}
	}
}

// An edge that lies aslant comes upright, sharp and without a rim.
func TestStraightenedEdge(t *testing.T) {
	p := flat(300, 300, 30)
	const angle = 5.0
	sin, cos := math.Sincos(angle * math.Pi / 180)
	for y := range 300 {
		for x := range 300 {
			// Bright to the right of a line through the middle that is upright after a turn
			// clockwise.
			d := (float64(x)+0.5-150)*cos - (float64(y)+0.5-150)*sin
			k := min(max(d+0.5, 0), 1)
			for c := range 3 {
				p.Pix8[3*(y*300+x)+c] = uint8(30 + k*200)
			}
		}
	}
	r := recipe.New(300, 300)
	r.Crop = crop.Crop{X: 150, Y: 150, Width: 200, Height: 200, Angle: angle}
	m := rgba(t, New(1<<24), Request{Photo: p, Recipe: r})
	for y := 10; y < 190; y++ {
		// What is even stays as it is, to the code.
		if a, b := m.RGBAAt(50, y), m.RGBAAt(150, y); a.R != 30 || b.R != 230 {
			t.Fatalf("even in row %d it is %v and %v", y, a, b)
		}
		for x, v := range map[int]float64{90: 30, 97: 30, 102: 230, 110: 230} {
			if d := float64(m.RGBAAt(x, y).R) - v; math.Abs(d) > 14 {
				t.Fatalf("at %d, %d it is %v, not %g", x, y, m.RGBAAt(x, y), v)
			}
		}
	}
}

// What is asked for beyond the picture, or larger than it, is refused by the crop's size.
func TestCropRefuses(t *testing.T) {
	p, r := framed(t)
	r.Crop = crop.Crop{X: 200, Y: 120, Width: 160, Height: 100, Angle: 1}
	for _, q := range []Request{{LongEdge: 300}, {View: image.Rect(200, 0, 220, 20)}} {
		q.Photo, q.Recipe = p, r
		if _, err := New(1<<24).Render(t.Context(), q); err == nil {
			t.Errorf("%+v is rendered", q)
		}
	}
	if m := rgba(t, New(1<<24), Request{Photo: p, Recipe: r, Uncropped: true}); m.Rect.Dx() != 400 {
		t.Errorf("uncropped it is %v", m.Rect)
	}
	// Tones are those of what is seen.
	r = recipe.New(400, 260)
	p = flat(400, 260, 40)
	for y := range 130 {
		for x := range 400 {
			copy(p.Pix8[3*(y*400+x):], []uint8{255, 255, 255})
		}
	}
	r.Crop = crop.Crop{X: 200, Y: 195, Width: 400, Height: 130}
	tones, err := New(1<<24).Tones(t.Context(), Request{Photo: p, Recipe: r})
	if err != nil || tones.Plain.White > 0 {
		t.Errorf("of the dark half %.2f are white: %v", tones.Plain.White, err)
	}
	// An area of the light half lies at the crop's upper rim and nowhere else.
	r.Areas = []area.Area{{ID: "a", Name: "Top", Parts: []area.Part{{On: true, Does: area.Add,
		Amount: 1, Of: area.Shape{Shape: shape.Ellipse{X: 200, Y: 130, Width: 100, Height: 40}}}}}}
	k, err := New(1<<24).AreaMask(t.Context(), Request{Photo: p, Recipe: r}, "a", true)
	if err != nil || k.At(200, 3) != 1 || k.At(200, 60) != 0 {
		t.Errorf("the area covers %v and %v: %v", k.At(200, 3), k.At(200, 60), err)
	}
}
