package render

import (
	"bytes"
	"context"
	"errors"
	"image"
	"math"
	"math/rand/v2"
	"runtime"
	"slices"
	"sync/atomic"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/shape"
)

var ctx = context.Background()

// flat returns a photo of one grey.
func flat(w, h int, v uint8) *photo.Photo {
	p := &photo.Photo{Width: w, Height: h, Pix8: make([]uint8, 3*w*h), Profile: colour.SRGB}
	for i := range p.Pix8 {
		p.Pix8[i] = v
	}
	return p
}

// noise returns a photo of random codes, of 8 or 16 bits.
func noise(w, h int, deep bool) *photo.Photo {
	r := rand.New(rand.NewPCG(7, 11))
	p := &photo.Photo{Width: w, Height: h, Profile: colour.SRGB}
	if deep {
		p.Pix16 = make([]uint16, 3*w*h)
		for i := range p.Pix16 {
			p.Pix16[i] = uint16(r.Uint32())
		}
		return p
	}
	p.Pix8 = make([]uint8, 3*w*h)
	for i := range p.Pix8 {
		p.Pix8[i] = uint8(r.Uint32())
	}
	return p
}

func panel(x0, y0, x1, y1 float64) shape.Shapes {
	return shape.Shapes{shape.Outline{Nodes: shape.PathOf(shape.Node{X: x0, Y: y0},
		shape.Node{X: x1, Y: y0}, shape.Node{X: x1, Y: y1}, shape.Node{X: x0, Y: y1})}}
}

// lit returns a recipe for p with one light of the given shapes, dusk as it is.
func lit(tb testing.TB, p *photo.Photo, shapes shape.Shapes) *recipe.Recipe {
	tb.Helper()
	r, _, err := edit.AddLight(recipe.New(p.Width, p.Height))
	if err != nil {
		tb.Fatal(err)
	}
	r.Lights[0].Shapes = shapes
	return r
}

func rgba(tb testing.TB, e *Engine, q Request) *image.RGBA {
	tb.Helper()
	return render(tb, e, q).(*image.RGBA)
}

func TestAnEmptyRecipeChangesNoByte(t *testing.T) {
	p := noise(67, 41, false)
	m := rgba(t, New(1<<20), Request{Photo: p, Recipe: recipe.New(67, 41)})
	for i := range 67 * 41 {
		if !bytes.Equal(m.Pix[4*i:4*i+3], p.Pix8[3*i:3*i+3]) {
			t.Fatalf("pixel %d: %v became %v", i, p.Pix8[3*i:3*i+3], m.Pix[4*i:4*i+3])
		}
	}
	p = noise(67, 41, true)
	d := render(t, New(1<<20), Request{Photo: p, Recipe: recipe.New(67, 41),
		Deep: true}).(*image.RGBA64)
	for i := range p.Pix16 {
		at := 8*(i/3) + 2*(i%3)
		if v := uint16(d.Pix[at])<<8 | uint16(d.Pix[at+1]); v != p.Pix16[i] {
			t.Fatalf("sample %d of 16 bits: %d became %d", i, p.Pix16[i], v)
		}
	}
}

func TestUntouchedPixelsKeepTheirBytes(t *testing.T) {
	p := noise(500, 300, false)
	r := lit(t, p, panel(40, 40, 80, 80))
	r.Lights[0].Spill.Reach = 90
	r.Lights[0].Shells = []recipe.Shell{{Radius: 8, Strength: 0.5, Lift: 0.6, Join: recipe.Add}}
	m := rgba(t, New(1<<24), Request{Photo: p, Recipe: r})
	changed := 0
	for y := range 300 {
		for x := range 500 {
			same := bytes.Equal(m.Pix[m.PixOffset(x, y):][:3], p.Pix8[3*(y*500+x):][:3])
			d := math.Hypot(math.Max(0, math.Max(40-float64(x), float64(x)-80)),
				math.Max(0, math.Max(40-float64(y), float64(y)-80)))
			if d > 95 && !same {
				t.Fatalf("pixel %d, %d, which lies %0.f px from the light with a reach of 90, was changed", x, y, d)
			}
			if d < 20 && !same {
				changed++
			}
		}
	}
	if changed < 2000 {
		t.Errorf("only %d pixels near the light were changed", changed)
	}
}

func TestPlainIsThePhoto(t *testing.T) {
	p, r := demoShot(t)
	m := rgba(t, New(1<<20), Request{Photo: p, Recipe: r, Layer: Plain, View: image.Rect(700, 300,
		900, 500)})
	for y := 300; y < 500; y++ {
		for x := 700; x < 900; x++ {
			if !bytes.Equal(m.Pix[m.PixOffset(x, y):][:3], p.Pix8[3*(y*p.Width+x):][:3]) {
				t.Fatalf("pixel %d, %d of plain is not that of the photo", x, y)
			}
		}
	}
}

// A light on mid grey after dusk: its core is nearly white, its glow falls with
// the distance and has the gel's hue, and its spill reaches further than that.
func TestCoreGlowAndSpill(t *testing.T) {
	p := flat(1200, 600, 140)
	r := lit(t, p, panel(150, 200, 290, 400))
	r.Dusk.Daylight = -4
	l := &r.Lights[0]
	l.Gel = recipe.Gel{Hue: 200, Saturation: 0.9, Lightness: 0.5}
	l.Core.Texture = 0
	l.Spill.Reach = 600
	at := func(m *image.RGBA, x int) colour.RGB {
		// The mean of a square, so that dither does not matter.
		var s [3]float32
		for dy := range 12 {
			for dx := range 12 {
				for c := range 3 {
					s[c] += colour.Undisplay(float32(m.Pix[m.PixOffset(x+dx-6,
						300+dy-6)+c])/255) / 144
				}
			}
		}
		return colour.RGB{R: s[0], G: s[1], B: s[2]}
	}
	e := New(1 << 26)
	m := rgba(t, e, Request{Photo: p, Recipe: r})
	if c := at(m, 220); c.R < 0.6 || c.G < 0.7 || c.B < 0.8 {
		t.Errorf("the core is %v; it should be nearly white", c)
	}
	dark := at(m, 1180).Luma()
	last := at(m, 300).Luma()
	for x := 320; x < 1150; x += 20 {
		c := at(m, x)
		if v := c.Luma(); v > last+2e-4 {
			t.Errorf("light rises away from the shape at x = %d: %v after %v", x, v, last)
		} else {
			last = v
		}
		added := colour.RGB{R: c.R - dark, G: c.G - dark, B: c.B - dark}
		// as bright as the gel, since hue is one of display values
		added = added.Scale(l.Gel.Colour().B / added.B)
		if hue, _ := colour.HueOf(added); x < 600 && math.Abs(hue-200) > 12 {
			t.Errorf("at x = %d the added light has hue %.0f; the gel's is 200", x, hue)
		}
	}
	r.Glow.On = false
	far := at(rgba(t, e, Request{Photo: p, Recipe: r}), 500).Luma()
	if far < 1.2*dark {
		t.Errorf("spill at 210 px: %v, in the dark: %v", far, dark)
	}
	r.Spill.On = false
	if none := at(rgba(t, e, Request{Photo: p, Recipe: r}),
		500).Luma(); math.Abs(float64(none-dark)) > 1e-4 {
		t.Errorf("without glow and spill there is %v, in the dark %v", none, dark)
	}
}

// The core keeps as much of the object's own shading as is asked for, under
// whatever stack, and none at 0.
func TestCoreKeepsTexture(t *testing.T) {
	p := flat(600, 400, 150)
	for y := range 400 { // a panel with a lighter and a darker half
		for x := range 300 {
			copy(p.Pix8[3*(y*600+x):], []uint8{190, 190, 190})
		}
	}
	r := lit(t, p, panel(150, 100, 450, 300))
	r.Lights[0].Core.Look = recipe.Even
	e := New(1 << 24)
	last := -1
	for _, texture := range []float64{0, 0.5, 0.75, 1} {
		r.Lights[0].Core.Texture = texture
		m := rgba(t, e, Request{Photo: p, Recipe: r})
		diff := int(m.RGBAAt(250, 200).G) - int(m.RGBAAt(350, 200).G)
		if diff <= last && texture > 0 || texture == 0 && diff > 2 {
			t.Errorf("texture %v: the halves differ by %d, with less by %d", texture, diff, last)
		}
		last = max(diff, 0)
	}
	if last < 30 {
		t.Errorf("with all texture the halves, 190 and 150 in the photo, differ by %d", last)
	}
}

// Spill brings the photo's own colour back, not the darkened one: on a surface
// it is the photo times the gel.
func TestSpillTakesTheColourOfThePhotoBeforeDusk(t *testing.T) {
	p := flat(600, 300, 0)
	for i := range 600 * 300 {
		copy(p.Pix8[3*i:], []uint8{200, 90, 40})
	}
	r := lit(t, p, panel(20, 100, 100, 200))
	r.Lights[0].Gel = recipe.Gel{Saturation: 0, Lightness: 1}
	r.Lights[0].Spill.Reach = 800
	r.Dusk.Passes = []pass.Pass{{Name: "Grey", On: true, Strength: 1, Joining: pass.Normal,
		Does: pass.Colour{}}}
	r.Dusk.Daylight = -8
	r.Glow.On = false
	m := render(t, New(1<<24), Request{Photo: p, Recipe: r, Deep: true}).(*image.RGBA64)
	c := m.RGBA64At(260, 150)
	lin := func(v uint16) float64 { return colour.SRGBToLinear(float64(v) / 65535) }
	if got, want := lin(c.R)/lin(c.G), lin(200*257)/lin(90*257); math.Abs(got/want-1) > 0.12 {
		t.Errorf("red to green under white light is %.2f, in the photo %.2f", got, want)
	}
}

func TestToneWindowKeepsSpillOut(t *testing.T) {
	p := flat(600, 300, 30)
	for y := range 300 {
		for x := range 600 {
			if y >= 150 {
				copy(p.Pix8[3*(y*600+x):], []uint8{180, 180, 180})
			}
		}
	}
	r := lit(t, p, panel(20, 100, 100, 200))
	r.Glow.On = false
	r.Lights[0].Spill = recipe.Spill{On: true, Strength: 1, Reach: 600,
		Tone: area.ToneWindow{Low: 0.4, High: 1, Soft: 0.1}}
	m := rgba(t, New(1<<24), Request{Photo: p, Recipe: r})
	if got := m.Pix[m.PixOffset(200, 100)+1]; got != 30 {
		t.Errorf("a shadow below the window went from 30 to %d", got)
	}
	if got := m.Pix[m.PixOffset(200, 200)+1]; got < 185 {
		t.Errorf("a tone within the window went from 180 to only %d", got)
	}
}

func TestAnyViewportIsTheCropOfTheWhole(t *testing.T) {
	p, r := reduced(t, 3)
	r.Lights[2].Shells[3].Join = recipe.Screen
	r.Lights[0].Spill.Tone = area.ToneWindow{Low: 0.2, High: 0.9, Soft: 0.1}
	sizes := []int{0, 900, 333}
	if testing.Short() { // as under the race detector
		sizes = sizes[2:]
	}
	for _, long := range sizes {
		whole := rgba(t, New(1<<28), Request{Photo: p, Recipe: r, LongEdge: long})
		b := whole.Bounds()
		rnd := rand.New(rand.NewPCG(3, uint64(long)))
		other := New(1 << 28)
		for range 6 {
			x, y := rnd.IntN(b.Dx()-20), rnd.IntN(b.Dy()-20)
			view := image.Rect(x, y, x+20+rnd.IntN(300), y+20+rnd.IntN(200)).Intersect(b)
			part := rgba(t, other, Request{Photo: p, Recipe: r, LongEdge: long, View: view})
			for y := view.Min.Y; y < view.Max.Y; y++ {
				a := whole.Pix[whole.PixOffset(view.Min.X, y):][:4*view.Dx()]
				if !bytes.Equal(a, part.Pix[part.PixOffset(view.Min.X, y):][:4*view.Dx()]) {
					t.Fatalf("long edge %d, view %v: row %d is not that of the whole", long, view, y)
				}
			}
		}
	}
}

func TestSameBytesForAnyNumberOfCoresAndAnyCache(t *testing.T) {
	p, r := reduced(t, 3)
	q := Request{Photo: p, PhotoKey: "photo", Recipe: r, LongEdge: 900, Deep: true}
	if testing.Short() {
		q.LongEdge = 400
	}
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(0))
	var want []byte
	same := func(what string, img image.Image) {
		t.Helper()
		pix := img.(*image.RGBA64).Pix
		if want == nil {
			want = pix
		}
		if !bytes.Equal(pix, want) {
			t.Errorf("%s: other bytes", what)
		}
	}
	r.Room.Things = r.Room.Things[:2]
	for _, n := range []int{1, 7} {
		runtime.GOMAXPROCS(n)
		e := New(1 << 28)
		same("cold cache", render(t, e, q))
		same("warm cache", render(t, e, q))
		if n == 1 { // the rest does not depend on the cores
			continue
		}
		// With other things in the cache that were computed for a part.
		e = New(1 << 28)
		part := q
		part.View = image.Rect(100, 80, 300, 180)
		render(t, e, part)
		same("cache of a part", render(t, e, q))
		same("cache too small for anything", render(t, New(1), q))
		img, err := New(1<<28).Export(ctx, q, nil)
		if err != nil {
			t.Fatal(err)
		}
		same("in strips", img)
	}
}

// shrunkenExport returns the linear-light area average of a picture of 16 bits at the
// size of a preview.
func shrunkenExport(m *image.RGBA64, w, h int) []colour.RGB {
	b := m.Bounds()
	acc := make([]colour.RGB, w*h)
	weight := make([]float32, w*h)
	lin := make([]float32, 65536)
	for i := range lin {
		lin[i] = float32(colour.SRGBToLinear(float64(i) / 65535))
	}
	scale := float64(w) / float64(b.Dx()) // pixels are square: the last row may be a part of one
	// share splits the span of one source pixel over the preview's.
	share := func(i int, n int) (a, b int, wa, wb float32) {
		lo, hi := float64(i)*scale, float64(i+1)*scale
		a, b = min(int(lo), n-1), min(int(hi), n-1)
		if a == b {
			return a, a, 1, 0
		}
		wa = float32((float64(b) - lo) / (hi - lo))
		return a, b, wa, 1 - wa
	}
	for y := range b.Dy() {
		ya, yb, wya, wyb := share(y, h)
		for x := range b.Dx() {
			xa, xb, wxa, wxb := share(x, w)
			i := m.PixOffset(x, y)
			c := colour.RGB{R: lin[int(m.Pix[i])<<8|int(m.Pix[i+1])],
				G: lin[int(m.Pix[i+2])<<8|int(m.Pix[i+3])],
				B: lin[int(m.Pix[i+4])<<8|int(m.Pix[i+5])]}
			put := func(x, y int, k float32) {
				a := &acc[y*w+x]
				a.R, a.G, a.B = a.R+k*c.R, a.G+k*c.G, a.B+k*c.B
				weight[y*w+x] += k
			}
			put(xa, ya, wxa*wya)
			put(xb, ya, wxb*wya)
			put(xa, yb, wxa*wyb)
			put(xb, yb, wxb*wyb)
		}
	}
	for i := range acc {
		acc[i] = acc[i].Scale(1 / weight[i])
	}
	return acc
}

func TestPreviewEqualsTheShrunkenExport(t *testing.T) {
	if testing.Short() {
		t.Skip("it says nothing of what runs side by side")
	}
	p, r := demoShot(t)
	plain := r.Clone()
	plain.Room.On = false
	for _, c := range []struct {
		what   string
		recipe *recipe.Recipe
	}{{"without the room", plain}, {"in the room", r}} {
		e := New(1 << 28)
		export := render(t, e, Request{Photo: p, Recipe: c.recipe, Deep: true}).(*image.RGBA64)
		for _, long := range []int{1100, 851, 850, 420} {
			m := rgba(t, e, Request{Photo: p, Recipe: c.recipe, LongEdge: long})
			w, h := m.Bounds().Dx(), m.Bounds().Dy()
			want := shrunkenExport(export, w, h)
			diff := make([]float64, w*h)
			sum := 0.0
			for i := range diff {
				at := func(c int) float32 {
					return float32(colour.SRGBToLinear(float64(m.Pix[4*i+c]) / 255))
				}
				l1, a1, b1 := colour.RGB{R: at(0), G: at(1), B: at(2)}.Lab()
				l2, a2, b2 := want[i].Lab()
				diff[i] = colour.DeltaE2000(l1, a1, b1, l2, a2, b2)
				sum += diff[i]
			}
			slices.Sort(diff)
			mean, high := sum/float64(len(diff)), diff[len(diff)*999/1000]
			t.Logf("%s, long edge %d: mean CIEDE2000 %.3f, 99.9th percentile %.2f", c.what, long, mean, high)
			if mean > 0.5 || high > 3 {
				t.Errorf("%s, long edge %d: mean CIEDE2000 %.3f, 99.9th percentile %.2f; allowed are 0.5 and 3", c.what, long, mean, high)
			}
		}
	}
}

// A small picture that is exposed in parts of its pixels is the same in parts of it, deep or not,
// and of a photo whose size is odd; without light it is the photo.
func TestInParts(t *testing.T) {
	p, r := reduced(t, 2)
	e := New(1 << 28)
	for _, deep := range []bool{false, true} {
		q := Request{Photo: p, Recipe: r, LongEdge: 401, Deep: deep}
		whole, other := render(t, e, q), New(1<<28)
		for _, view := range []image.Rectangle{image.Rect(0, 0, 37, 21), image.Rect(123, 77, 300,
			201), image.Rect(350, 200, 401, whole.Bounds().Dy())} {
			q.View = view
			part := render(t, other, q)
			if part.Bounds() != view {
				t.Fatalf("the part is %v, asked for was %v", part.Bounds(), view)
			}
			for y := view.Min.Y; y < view.Max.Y; y++ {
				for x := view.Min.X; x < view.Max.X; x++ {
					if part.At(x, y) != whole.At(x, y) {
						t.Fatalf("deep %v: pixel %d, %d is %v of a part and %v of all", deep, x, y, part.At(x, y), whole.At(x, y))
					}
				}
			}
		}
	}
	// While something moves it is exposed once, and says so.
	rough := new(atomic.Bool)
	q := Request{Photo: p, Recipe: r, LongEdge: 401}
	fine := rgba(t, e, q)
	q.Rough = rough
	if once := rgba(t, e, q); !rough.Load() || slices.Equal(once.Pix, fine.Pix) {
		t.Error("a frame while something moves is as fine as one at rest, or does not say that it is not")
	}
	rough.Store(false)
	q.LongEdge = 1200
	if rgba(t, e, q); rough.Load() {
		t.Error("a picture of usual size says that it is rough")
	}
	none := recipe.New(p.Width, p.Height)
	lit := rgba(t, e, Request{Photo: p, Recipe: none, LongEdge: 401})
	plain := rgba(t, e, Request{Photo: p, Recipe: none, LongEdge: 401, Layer: Plain})
	for i, v := range lit.Pix {
		if d := int(v) - int(plain.Pix[i]); d < -1 || d > 1 {
			t.Fatalf("without light value %d is %d, in the photo %d", i, v, plain.Pix[i])
		}
	}
}

// misses returns how many nodes a render had to compute.
func misses(tb testing.TB, e *Engine, q Request) int64 {
	_, before := e.Cache.Counts()
	render(tb, e, q)
	_, after := e.Cache.Counts()
	return after - before
}

func TestWhatAChangeComputesAnew(t *testing.T) {
	p, base := demoShot(t)
	e := New(1 << 28)
	q := Request{Photo: p, Recipe: base, LongEdge: 500}
	render(t, e, q)
	render(t, e, q) // what is asked for once is not kept as a whole
	for _, c := range []struct {
		what   string
		change func(r *recipe.Recipe)
		most   int64
	}{
		{"nothing", func(*recipe.Recipe) {}, 0},
		{"a gel", func(r *recipe.Recipe) { r.Lights[0].Gel.Hue = 300 }, 0},
		{"a fader", func(r *recipe.Recipe) { r.Lights[0].Level = 0.3 }, 0},
		{"a master", func(r *recipe.Recipe) { r.Glow.Level = 0.3 }, 0},
		{"spill strength", func(r *recipe.Recipe) { r.Lights[0].Spill.Strength = 2 }, 0},
		{"daylight", func(r *recipe.Recipe) { r.Dusk.Daylight = -1 }, 1}, // the darkened photo
		{"a tint", func(r *recipe.Recipe) { r.Lights[0].Shells[2].Tint.White = 0.9 }, 0},
		// its shell and its peak
		{"a radius", func(r *recipe.Recipe) { r.Lights[0].Shells[2].Radius *= 1.1 }, 2},
		// one light's shells, peaks and what they are made of; what is kept out of dusk and the
		// vignette; the figure that it lies on, as it is seen and as it goes on behind what crosses
		// it, and with that what is seen of it, the room, how it looks and what of its daylight
		// shows, and which one that was; the toes of what stands
		{"a point", func(r *recipe.Recipe) { movePoint(t, r, 0, 3, 0) }, 8*2 + 2*5 + 5 + 19},
	} {
		r := base.Clone()
		c.change(r)
		q.Recipe = r
		if n := misses(t, e, q); n > c.most {
			t.Errorf("%s: %d nodes computed anew, expected at most %d", c.what, n, c.most)
		}
	}
}

func TestOrderOfLightsDoesNotMatter(t *testing.T) {
	p, r := demoShot(t)
	q := Request{Photo: p, Recipe: r, LongEdge: 600, Deep: true}
	a := render(t, New(1<<28), q).(*image.RGBA64)
	back := r.Clone()
	slices.Reverse(back.Lights)
	q.Recipe = back
	b := render(t, New(1<<28), q).(*image.RGBA64)
	for i := 0; i < len(a.Pix); i += 2 {
		va, vb := int(a.Pix[i])<<8|int(a.Pix[i+1]), int(b.Pix[i])<<8|int(b.Pix[i+1])
		// an eighth of a step of 8 bits: float sums in another order, and cores that overlap
		if va-vb > 32 || vb-va > 32 {
			t.Fatalf("sample %d: %d and %d", i/2, va, vb)
		}
	}
}

func TestAloneOffAndFader(t *testing.T) {
	p, r := demoShot(t)
	e := New(1 << 28)
	pix := func(change func(r *recipe.Recipe)) []byte {
		c := r.Clone()
		change(c)
		return rgba(t, e, Request{Photo: p, Recipe: c, LongEdge: 300}).Pix
	}
	alone := pix(func(r *recipe.Recipe) { r.Lights[1].Alone = true })
	off := pix(func(r *recipe.Recipe) {
		for i := range r.Lights {
			r.Lights[i].On = i == 1
		}
	})
	if !bytes.Equal(alone, off) {
		t.Error("one light alone is not the same as all others off")
	}
	down := pix(func(r *recipe.Recipe) {
		for i := range r.Lights {
			if i != 1 {
				r.Lights[i].Level = 0
			}
		}
	})
	if !bytes.Equal(alone, down) {
		t.Error("one light alone is not the same as all other faders down")
	}
	if bytes.Equal(alone, pix(func(*recipe.Recipe) {})) {
		t.Error("one light alone looks like all of them")
	}
}

func TestCancelledRenderStops(t *testing.T) {
	p, r := demoShot(t)
	done, cancel := context.WithCancel(ctx)
	cancel()
	if _, err := New(1<<20).Render(done, Request{Photo: p, PhotoKey: "photo",
		Recipe: r}); !errors.Is(err, context.Canceled) {
		t.Errorf("a cancelled render ends with %v", err)
	}
	// Cancelled after its first strip, an export makes no second one.
	running, cancel := context.WithCancel(ctx)
	strips := 0
	_, err := New(1<<28).Export(running, Request{Photo: p, PhotoKey: "photo", Recipe: r},
		func(float64) { strips++; cancel() })
	if !errors.Is(err, context.Canceled) || strips != 1 {
		t.Errorf("cancelled in its first strip, an export ends with %v after %d strips", err, strips)
	}
}

func TestSize(t *testing.T) {
	for _, c := range [][5]int{
		{3000, 2000, 940, 940, 627}, {3000, 2000, 0, 3000, 2000}, {3000, 2000, 3000, 3000, 2000},
		{4000, 3000, 942, 942, 707}, // 706.5: halves go up
		{2000, 3000, 940, 627, 940}, {9000, 2, 100, 100, 1},
	} {
		if w, h, _ := Size(c[0], c[1], c[2]); w != c[3] || h != c[4] {
			t.Errorf("%d x %d with long edge %d is %d x %d, want %d x %d", c[0], c[1], c[2], w, h, c[3], c[4])
		}
	}
}

func TestViewsThatCannotBe(t *testing.T) {
	p := flat(100, 60, 80)
	r := recipe.New(100, 60)
	for _, q := range []Request{
		{Photo: p, Recipe: r, LongEdge: 200},
		{Photo: p, Recipe: r, View: image.Rect(100, 0, 120, 10)},
	} {
		if _, err := New(1<<20).Render(ctx, q); err == nil {
			t.Errorf("%+v gives a picture", q.View)
		}
	}
}

// Passes are over black: the glow pass has no spill and no photo in it.
func TestPasses(t *testing.T) {
	p := flat(600, 300, 140)
	r := lit(t, p, panel(100, 100, 180, 200))
	r.Lights[0].Spill.Reach = 700
	r.Lights[0].Shells = []recipe.Shell{{Radius: 5, Strength: 0.5, Lift: 0.6, Join: recipe.Add}}
	e := New(1 << 24)
	glowing := rgba(t, e, Request{Photo: p, Recipe: r, Layer: Glow})
	spilling := rgba(t, e, Request{Photo: p, Recipe: r, Layer: Spill})
	at := func(m *image.RGBA, x, y int) uint8 { return m.Pix[m.PixOffset(x, y)+1] }
	if v := at(glowing, 300, 150); v != 0 {
		t.Errorf("the glow pass has %d where only spill reaches", v)
	}
	if at(glowing, 140, 150) < 200 || at(spilling, 300, 150) < 3 ||
		at(spilling, 590, 290) > at(spilling, 300, 150) {
		t.Errorf("core in the glow pass %d, spill near %d and far %d", at(glowing, 140, 150), at(spilling, 300, 150), at(spilling, 590, 290))
	}
}

// ripple is the largest difference between the mean of a 16 by 16 square of
// codes and the exact value there, in steps of 8 bits.
func ripple(codes []float64, exact []float64, w, h int) float64 {
	worst := 0.0
	for y := 0; y+16 <= h; y += 4 {
		for x := 0; x+16 <= w; x += 4 {
			d := 0.0
			for j := range 16 {
				for i := range 16 {
					k := (y+j)*w + x + i
					d += codes[k] - exact[k]
				}
			}
			worst = math.Max(worst, math.Abs(d)/256)
		}
	}
	return worst
}

// A wide glow over flat dark grey must show no steps in 8 bits. A step shows,
// after whatever contrast curve, where a patch of the picture stays on one code
// while the true value moves on: then the patch's mean is off by up to half a
// step. With the dither every patch of 16 by 16 pixels has the true mean within
// an eighth of a step, and a contrast curve of slope s makes of that s/8 of a
// step.
func TestNoBanding(t *testing.T) {
	const w, h = 1200, 400
	p := flat(w, h, 28)
	r := lit(t, p, panel(20, 100, 120, 300))
	r.Dusk.Daylight = -1
	r.Lights[0].Shells = []recipe.Shell{{Radius: 260, Strength: 0.12, Lift: 0.6, Join: recipe.Add}}
	r.Spill.On = false
	e := New(1 << 26)
	m := rgba(t, e, Request{Photo: p, Recipe: r})
	deep := render(t, e, Request{Photo: p, Recipe: r, Deep: true}).(*image.RGBA64)
	var codes, rounded, exact []float64
	const x0 = 160 // right of the core
	for y := range h {
		for x := x0; x < w; x++ {
			i := deep.PixOffset(x, y) + 2
			v := float64(int(deep.Pix[i])<<8|int(deep.Pix[i+1])) / 257
			exact = append(exact, v)
			rounded = append(rounded, math.Round(v))
			codes = append(codes, float64(m.Pix[m.PixOffset(x, y)+1]))
		}
	}
	lo, hi := slices.Min(exact), slices.Max(exact)
	if hi-lo < 15 {
		t.Fatalf("the gradient runs from %.1f to %.1f only", lo, hi)
	}
	got, without := ripple(codes, exact, w-x0, h), ripple(rounded, exact, w-x0, h)
	t.Logf("patches are off by at most %.3f of a step; without dither by %.3f", got, without)
	if got > 0.125 {
		t.Errorf("a patch is off by %.3f of a step", got)
	}
	if without < 0.3 {
		t.Errorf("without dither patches are off by %.3f only: this test could not fail", without)
	}
}

func TestBlendModes(t *testing.T) {
	// Values from the formulas of W3C Compositing and Blending, section 10.1.
	for _, c := range []struct {
		j            recipe.Join
		cb, cs, want float64
	}{
		{recipe.Normal, 0.3, 0.8, 0.8},
		{recipe.Multiply, 0.3, 0.8, 0.24},
		{recipe.Screen, 0.3, 0.8, 0.86},
		{recipe.Lighten, 0.3, 0.8, 0.8},
		{recipe.Lighten, 0.9, 0.8, 0.9},
		{recipe.Overlay, 0.3, 0.8, 0.48},
		{recipe.Overlay, 0.7, 0.8, 0.88},
		{recipe.HardLight, 0.3, 0.8, 0.72},
		{recipe.HardLight, 0.3, 0.2, 0.12},
		{recipe.ColorDodge, 0.3, 0.5, 0.6},
		{recipe.ColorDodge, 0, 1, 0},
		{recipe.ColorDodge, 0.3, 1, 1},
		{recipe.SoftLight, 0.5, 0.25, 0.375},
		{recipe.SoftLight, 0.49, 1, 0.7},
		{recipe.SoftLight, 0.2, 1, 0.448},
	} {
		got := colour.Blend(string(c.j))(float32(c.cb), float32(c.cs))
		if math.Abs(float64(got)-c.want) > 1e-5 {
			t.Errorf("%s of %v over %v is %v, want %v", c.j, c.cs, c.cb, got, c.want)
		}
	}
}

// A shell that joins by a blend mode does what the standard says to the
// display values, weighted by its coverage.
func TestBlendedShell(t *testing.T) {
	p := flat(400, 300, 100)
	r := lit(t, p, panel(-300, -200, 700, 500)) // covers all: the coverage is 1
	r.Spill.On = false
	l := &r.Lights[0]
	l.Gel = recipe.Gel{Hue: 120, Saturation: 1, Lightness: 0.25} // display 0, 0.5, 0
	l.Shells = []recipe.Shell{{Radius: 3, Strength: 0.6, Lift: 0, Join: recipe.Screen}}
	l.Core = recipe.Core{On: true, Whiteness: 0, Feather: 0}
	m := render(t, New(1<<24), Request{Photo: p, Recipe: r, Deep: true}).(*image.RGBA64)
	// Over its own core, of display 0, 0.5, 0: 0.4·0.5 + 0.6·(0.5+0.5-0.25).
	i := m.PixOffset(200, 150)
	if g := float64(int(m.Pix[i+2])<<8|int(m.Pix[i+3])) / 65535; math.Abs(g-0.65) > 0.002 {
		t.Errorf("green came out as %.4f, want 0.65", g)
	}
}

// The falloff chart draws what the picture has: beside a long panel, the shells
// over black.
func TestFalloffIsThatOfThePicture(t *testing.T) {
	p := flat(1600, 1200, 0)
	r := lit(t, p, panel(300, -900, 500, 2100))
	r.Spill.On = false
	distances := []float64{2, 5, 10, 20, 40, 80, 160}
	e := New(1 << 26)
	curve, err := e.Falloff(ctx, r, 0, distances, false)
	if err != nil {
		t.Fatal(err)
	}
	m := render(t, e, Request{Photo: p, Recipe: r, Deep: true}).(*image.RGBA64)
	for k, d := range distances {
		// The distance lies between the middles of two pixels.
		i := m.PixOffset(500+int(d)-1, 600)
		got := (colour.SRGBToLinear(float64(int(m.Pix[i+2])<<8|int(m.Pix[i+3]))/65535) +
			colour.SRGBToLinear(float64(int(m.Pix[i+10])<<8|int(m.Pix[i+11]))/65535)) / 2
		if want := float64(curve[k].G); math.Abs(got-want) > 0.02*want+0.0005 {
			t.Errorf("%v px from the edge: the picture has %.4f, the chart %.4f", d, got, want)
		}
	}
}
