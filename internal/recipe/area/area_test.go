package area

import (
	"context"
	"fmt"
	"image"
	"math"
	"math/rand/v2"
	"strings"
	"sync"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/coverage"
	"pyrant/internal/base/guided"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/glow"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// flat is a world of one colour, or of what photo says, at some scale.
type flat struct {
	scale float64
	frame image.Rectangle
	photo func(x, y int) [3]float32
	areas []Area
}

func world(w, h int, scale float64) *flat {
	return &flat{scale: scale, frame: image.Rect(0, 0, int(float64(w)*scale),
		int(float64(h)*scale))}
}

func (f *flat) Scale() float64                  { return f.scale }
func (f *flat) Frame() image.Rectangle          { return f.frame }
func (f *flat) PhotoKey() string                { return "photo" }
func (f *flat) LightKey(l Light) string         { return string(l.Light) }
func (f *flat) SurfaceKey(id SurfaceRef) string { return string(id) }
func (f *flat) Surface(context.Context, SurfaceRef, float64, image.Rectangle) (Rows, error) {
	return rule{f.Frame(), func(dst []float32, x0, y int) { clear(dst) }}, nil
}
func (f *flat) Photo() func(dst []float32, x0, y int) {
	return func(dst []float32, x0, y int) {
		for i := 0; i < len(dst); i += 3 {
			c := f.photo(x0+i/3, y)
			copy(dst[i:], c[:])
		}
	}
}
func (f *flat) Mask(_ context.Context, _ string, make func() coverage.Mask) (coverage.Mask, error) {
	return make(), nil
}
func (f *flat) Whole(ctx context.Context, _ string, make func(context.Context,
	image.Rectangle) (*raster.Plane, error)) (Rows, error) {
	p, err := make(ctx, f.Frame())
	return plane{p}, err
}
func (f *flat) Soften(ctx context.Context, _ string, m coverage.Mask, sigma float64,
	r image.Rectangle) (Rows, error) {
	level, rest := glow.Level(sigma)
	p, err := glow.NewPyramid(ctx, m, m.Bounds(), level)
	if err != nil {
		return nil, err
	}
	b, err := p.Blur(ctx, level, rest, p.Extent(level, rest))
	if err != nil {
		return nil, err
	}
	sum, err := glow.Collapse(ctx, []glow.Term{{Level: level, Field: b, Weight: []float32{1}}},
		1, r)
	return rowsFunc(func(dst []float32, x0, y int) { sum.Row(dst, x0, y, nil) }), err
}
func (f *flat) Filter(ctx context.Context, _ string, _ int, make func(context.Context,
	World) (*guided.Filter, error)) (*guided.Filter, error) {
	return make(ctx, f)
}
func (f *flat) Light(context.Context, Light, float64, image.Rectangle) (Rows, error) {
	return rowsFunc(func(dst []float32, x0, y int) { clear(dst) }), nil
}
func (f *flat) CutOut(_ context.Context, id cutout.Ref, _ float64,
	_ image.Rectangle) (Rows, error) {
	return rowsFunc(func(dst []float32, x0, y int) {
		for i := range dst {
			dst[i] = float32((x0+i)%10) / 10
		}
	}), nil
}
func (f *flat) CutOutKey(id cutout.Ref) string { return "cut-out " + string(id) }
func (f *flat) Area(id Ref) *Area {
	for i := range f.areas {
		if f.areas[i].ID == string(id) {
			return &f.areas[i]
		}
	}
	return nil
}

type rowsFunc func(dst []float32, x0, y int)

func (f rowsFunc) Fill(dst []float32, x0, y int) { f(dst, x0, y) }

func cover(t *testing.T, w World, r image.Rectangle, parts ...Part) *raster.Plane {
	t.Helper()
	p, err := (&Area{Parts: parts}).Plane(context.Background(), w, r)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func one(of Source) Part { return Part{On: true, Does: Add, Amount: 1, Of: of} }

func near(t *testing.T, what string, got, want, by float64) {
	t.Helper()
	if math.Abs(got-want) > by || math.IsNaN(got) {
		t.Errorf("%s is %v, want %v", what, got, want)
	}
}

// Parts combine as said, whatever their order, amounts, switches and inversions: held
// against the sum worked out place by place.
func TestPartsCombine(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 4))
	w := world(60, 40, 1)
	tone := func(x, y int) float64 { return 0.1 + 0.013*float64(x) }
	w.photo = func(x, y int) [3]float32 {
		v := float32(colour.SRGBToLinear(tone(x, y)))
		return [3]float32{v, v, v}
	}
	ring := Ring{X: 30, Y: 20, Width: 40, Height: 30, Inner: 0.4}
	line := Line{X1: 5, Y1: 5, X2: 50, Y2: 30}
	window := ToneWindow{Low: 0.3, High: 0.6, Soft: 0.2}
	w.areas = []Area{{ID: "a1", Parts: []Part{one(line), {On: true, Does: Keep, Amount: 0.7,
		Of: ring}}}}
	smooth := func(t float64) float64 { t = math.Min(math.Max(t, 0), 1); return t * t * (3 - 2*t) }
	at := map[Source]func(x, y float64) float64{
		ring: func(x, y float64) float64 {
			return 1 - smooth((math.Hypot((x-30)/20, (y-20)/15)-0.4)/0.6)
		},
		line:   func(x, y float64) float64 { return 1 - smooth(((x-5)*45+(y-5)*25)/(45*45+25*25)) },
		window: func(x, y float64) float64 { return window.At(tone(int(x), int(y))) },
	}
	at[Other{"a1"}] = func(x, y float64) float64 {
		return at[line](x, y) * (1 - 0.7 + 0.7*at[ring](x, y))
	}
	sources := []Source{ring, line, window, Other{"a1"}}
	for n := range 60 {
		parts := make([]Part, 1+rnd.IntN(4))
		for i := range parts {
			parts[i] = Part{On: rnd.IntN(5) > 0, Does: []Does{Add, Away, Keep}[rnd.IntN(3)],
				Inverted: rnd.IntN(2) == 0,
				Amount:   float64(rnd.IntN(3)) / 2, Of: sources[rnd.IntN(len(sources))]}
		}
		got := cover(t, w, image.Rect(3, 2, 57, 39), parts...)
		for _, p := range [][2]int{{4, 4}, {20, 11}, {31, 20}, {50, 37}, {56, 2}} {
			want, first := 0.0, true
			for _, q := range parts {
				if !q.On {
					continue
				}
				v := at[q.Of](float64(p[0])+0.5, float64(p[1])+0.5)
				if q.Inverted {
					v = 1 - v
				}
				if first && q.Does != Add {
					want = 1
				}
				switch q.Does {
				case Add:
					want = 1 - (1-want)*(1-v*q.Amount)
				case Away:
					want *= 1 - v*q.Amount
				case Keep:
					want *= 1 - q.Amount + v*q.Amount
				}
				first = false
			}
			near(t, fmt.Sprintf("area %d at %v", n, p), float64(got.At(p[0], p[1])), want, 2e-3)
		}
	}
	if p := cover(t, w, w.frame); p.Max() != 0 {
		t.Error("an area without parts covers something")
	}
}

func stroke(d, soft, flow float64, points ...Dab) Stroke {
	return Stroke{Diameter: d, Softness: soft, Flow: flow, Pen: PenFlow,
		Points: setting.ListOf(points...)}
}

func strokes(s ...Stroke) Part { return one(Strokes{s}) }

// A stroke covers what lies near its line: a capsule, whose profile and area are known.
func TestStrokeIsACapsule(t *testing.T) {
	w := world(300, 200, 1)
	a, b := Dab{60.5, 70.5, 1}, Dab{220.5, 130.5, 1}
	p := cover(t, w, w.frame, strokes(stroke(60, 0.5, 0.8, a, b)))
	dist := func(x, y float64) float64 {
		dx, dy := b.X-a.X, b.Y-a.Y
		k := math.Min(math.Max(((x-a.X)*dx+(y-a.Y)*dy)/(dx*dx+dy*dy), 0), 1)
		return math.Hypot(x-a.X-k*dx, y-a.Y-k*dy)
	}
	for y := range 200 {
		for x := range 300 {
			d := (30 - dist(float64(x)+0.5, float64(y)+0.5)) / 15
			d = math.Min(math.Max(d, 0), 1)
			if got, want := float64(p.At(x, y)), 0.8*d*d*(3-2*d); math.Abs(got-want) > 1e-4 {
				t.Fatalf("at %d, %d the stroke covers %v, want %v", x, y, got, want)
			}
		}
	}
	// A hard one has the area of the capsule.
	p = cover(t, w, w.frame, strokes(stroke(60, 0, 1, a, b)))
	sum := 0.0
	for _, v := range p.Pix {
		sum += float64(v)
	}
	near(t, "the area of a hard stroke", sum, math.Pi*900+60*math.Hypot(160, 60), 3)
}

// How densely the pointer was sampled leaves no trace, nor does the scale, the tile or
// the part that is asked for.
func TestStrokesDoNotDependOnSamplingScaleOrView(t *testing.T) {
	bow := func(n int) []Dab {
		out := make([]Dab, n+1)
		for i := range out {
			u := float64(i) / float64(n)
			out[i] = Dab{40 + 220*u, 40 + 90*u, 0.3 + 0.7*u}
		}
		return out
	}
	w := world(300, 200, 1)
	for _, pen := range []Pen{PenFlow, PenWidth} {
		few, many := stroke(50, 0.6, 0.9, bow(1)...), stroke(50, 0.6, 0.9, bow(900)...)
		few.Pen, many.Pen = pen, pen
		a, b := cover(t, w, w.frame, strokes(few)), cover(t, w, w.frame, strokes(many))
		worst, at := 0.0, 0
		for i := range a.Pix {
			if d := math.Abs(float64(a.Pix[i] - b.Pix[i])); d > worst {
				worst, at = d, i
			}
		}
		if worst > 0.008 {
			t.Errorf("pen by %s: one piece and 900 differ by %v at %d, %d", pen, worst, at%300, at/300)
		}
	}
	curve := make([]Dab, 40)
	for i := range curve {
		sin, cos := math.Sincos(float64(i) / 6)
		curve[i] = Dab{150 + 70*cos, 100 + 50*sin, 1}
	}
	parts := []Part{strokes(stroke(30, 0.7, 0.6, curve...), stroke(12, 0.2, 1, Dab{20, 20, 1},
		Dab{280, 180, 1}))}
	full := cover(t, w, w.frame, parts...)
	view := image.Rect(61, 37, 203, 151)
	for part, y := cover(t, w, view, parts...), view.Min.Y; y < view.Max.Y; y++ {
		for x := view.Min.X; x < view.Max.X; x++ {
			if part.At(x, y) != full.At(x, y) {
				t.Fatalf("at %d, %d a part of the picture has %v, the whole %v", x, y, part.At(x, y), full.At(x, y))
			}
		}
	}
	// The mean over four pixels of a picture is the pixel of one of half the size.
	half := cover(t, world(300, 200, 0.5), image.Rect(0, 0, 150, 100), parts...)
	worst := 0.0
	for y := range 100 {
		for x := range 150 {
			mean := (full.At(2*x, 2*y) + full.At(2*x+1, 2*y) + full.At(2*x, 2*y+1) + full.At(2*x+1,
				2*y+1)) / 4
			worst = math.Max(worst, math.Abs(float64(mean-half.At(x, y))))
		}
	}
	if worst > 0.06 {
		t.Errorf("at half the size a place differs by %v", worst)
	}
}

// Strokes build up by 1 − (1−a)(1−b), and an erasing one takes its share; painted on a
// mask of those before it, the last makes what all make together.
func TestStrokesBuildUp(t *testing.T) {
	w := world(100, 100, 1)
	at := func(p *raster.Plane) float64 { return float64(p.At(50, 50)) }
	mid := Dab{50.5, 50.5, 1}
	list := []Stroke{stroke(40, 0.5, 0.5, mid), stroke(40, 0.5, 0.3, mid), stroke(40, 0.5, 0.25,
		mid)}
	list[2].Erase = true
	near(t, "two strokes", at(cover(t, w, w.frame, strokes(list[:2]...))), 1-0.5*0.7, 1e-5)
	near(t, "and one that erases", at(cover(t, w, w.frame, strokes(list...))), (1-0.5*0.7)*0.75, 1e-5)
	// No step between strokes however many: a hundred faint ones rise evenly.
	var many []Stroke
	last := 0.0
	for n := range 100 {
		many = append(many, stroke(40, 0.5, 0.02, mid))
		v := at(cover(t, w, w.frame, strokes(many...)))
		near(t, fmt.Sprintf("%d strokes", n+1), v, 1-math.Pow(0.98, float64(n+1)), 1e-5)
		if v <= last {
			t.Fatal("a stroke more covers no more")
		}
		last = v
	}
	one, all := newStrokeMask(many[99:], newStrokeMask(many[:99], nil, 1), 1),
		newStrokeMask(many, nil, 1)
	a, b := make([]float32, 100), make([]float32, 100)
	one.Fill(a, 0, 44)
	all.Fill(b, 0, 44)
	for i := range a {
		if math.Abs(float64(a[i]-b[i])) > 1e-6 {
			t.Fatalf("the last over the others covers %v, all at once %v", a[i], b[i])
		}
	}
}

// Gradients lie where they do in the photo, at every scale; one shorter than a pixel is as
// steep as an edge can be drawn.
func TestGradientsAtEveryScale(t *testing.T) {
	line, ring := Line{X1: 20, Y1: 30, X2: 100, Y2: 90}, Ring{X: 70, Y: 60, Width: 100, Height: 60,
		Turn: 30, Inner: 0.3}
	smooth := func(t float64) float64 { t = math.Min(math.Max(t, 0), 1); return t * t * (3 - 2*t) }
	sin, cos := math.Sincos(math.Pi / 6)
	for _, k := range []float64{0.5, 1, 1.7} {
		w := world(160, 120, k)
		l, r := cover(t, w, w.frame, one(line)), cover(t, w, w.frame, one(ring))
		for y := 0; y < w.frame.Dy(); y += 7 {
			for x := 0; x < w.frame.Dx(); x += 5 {
				px, py := (float64(x)+0.5)/k, (float64(y)+0.5)/k
				near(t, fmt.Sprintf("the line at %d, %d, scale %v", x, y, k), float64(l.At(x, y)),
					1-smooth(((px-20)*80+(py-30)*60)/10000), 1e-4)
				u, v := (px-70)*cos+(py-60)*sin, (py-60)*cos-(px-70)*sin
				near(t, fmt.Sprintf("the ring at %d, %d, scale %v", x, y, k), float64(r.At(x, y)),
					1-smooth((math.Hypot(u/50, v/30)-0.3)/0.7), 1e-4)
			}
		}
	}
	w := world(40, 10, 0.5)
	p := cover(t, w, w.frame, one(Line{X1: 20, Y1: 0, X2: 20.5, Y2: 0}))
	if p.At(9, 2) != 1 || p.At(12, 2) != 0 || p.At(10, 2) < 0.4 || p.At(10, 2) > 0.6 {
		t.Errorf("a short gradient goes %v, %v, %v", p.At(9, 2), p.At(10, 2), p.At(12, 2))
	}
	if _, msg := (Line{X1: 5, Y1: 5, X2: 5, Y2: 5}).Check(setting.Frame{}); msg == "" {
		t.Error("a gradient without a direction is not refused")
	}
}

func TestSimplified(t *testing.T) {
	// A straight line of changing pressure keeps the points where it turns.
	var press []Dab
	for i := range 101 {
		press = append(press, Dab{float64(i), 0, 1 - math.Abs(float64(i)-40)/100})
	}
	if s := Simplified(setting.ListOf(press...)); s.Len() != 3 || s.At(1).X != 40 {
		t.Errorf("of a line whose pressure rises and falls %d points are left", s.Len())
	}

	rnd := rand.New(rand.NewPCG(1, 1))
	points := make([]Dab, 20000)
	for i := range points {
		u := float64(i) / 1000
		points[i] = Dab{500 + 300*math.Sin(u) + rnd.Float64()*0.1, 400 + 200*math.Cos(1.3*u) +
			rnd.Float64()*0.1, 0.5 + 0.4*math.Sin(u/3)}
	}
	s := Simplified(setting.ListOf(points...))
	if n := s.Len(); n > 1500 || n < 100 {
		t.Errorf("of 20000 points %d are left", n)
	}
	kept := s.All()
	for i, p := range points {
		best := math.Inf(1)
		for k := 1; k < len(kept); k++ {
			best = math.Min(best, stray(p, kept[k-1], kept[k]))
		}
		if best > Stray+1e-9 {
			t.Fatalf("point %d strays %v px", i, best)
		}
	}
	if again := Simplified(s); again.Len() > s.Len() {
		t.Error("it grows")
	}
	dot := setting.ListOf(Dab{1, 2, 1})
	if Simplified(dot).Len() != 1 {
		t.Error("a dot is gone")
	}
}

// A band of hue is full between its ends, gone beyond its soft ends, goes round at 0,
// and leaves grey out.
func TestHueBand(t *testing.T) {
	h := Hue{Hue: 20, Width: 60, Soft: 30, Chroma: 0.04}
	for _, c := range []struct{ hue, chroma, want float64 }{
		{20, 0.1, 1}, {50, 0.1, 1}, {350, 0.1, 1}, {65, 0.1, 0.5}, {335, 0.1, 0.5}, {80.1, 0.1, 0},
		{319.9, 0.1, 0}, {200, 0.1, 0},
		{20, 0.04, 1}, {20, 0.03, 0.5}, {20, 0.02, 0}, {20, 0, 0},
	} {
		near(t, fmt.Sprintf("hue %v with chroma %v", c.hue, c.chroma), h.At(c.hue, c.chroma), c.want, 1e-9)
	}
	if v := (Hue{Hue: 10, Width: 360}).At(190, 0); v != 1 {
		t.Errorf("a whole turn leaves %v of the other side", v)
	}
	// Colours of known hue, in rows of the photo.
	w := world(4, 1, 1)
	colours := []colour.RGB{colour.OKLCh(0.6, 0.1, 20), colour.OKLCh(0.6, 0.1, 65),
		colour.OKLCh(0.6, 0.1, 140), {R: 0.3, G: 0.3, B: 0.3}}
	w.photo = func(x, _ int) [3]float32 { c := colours[x]; return [3]float32{c.R, c.G, c.B} }
	p := cover(t, w, w.frame, one(h))
	for x, want := range []float64{1, 0.5, 0, 0} {
		near(t, fmt.Sprintf("colour %d", x), float64(p.At(x, 0)), want, 5e-3)
	}
}

// Smoothed, a band loses its grain and keeps its edge where brightness has one.
func TestSmoothedHue(t *testing.T) {
	w := world(80, 40, 1)
	rnd := rand.New(rand.NewPCG(2, 3))
	grain := make([]float64, 80*40)
	for i := range grain {
		grain[i] = 60 * (rnd.Float64() - 0.5)
	}
	w.photo = func(x, y int) [3]float32 {
		c := colour.OKLCh(0.6, 0.1, 145+grain[y*80+x])
		if x >= 40 {
			c = colour.OKLCh(0.35, 0.1, 25+grain[y*80+x])
		}
		return [3]float32{c.R, c.G, c.B}
	}
	h := Hue{Hue: 140, Width: 40, Soft: 10, Chroma: 0.03}
	spread := func(p *raster.Plane, x0, x1 int) (mean, dev float64) {
		n := 0.0
		for y := 5; y < 35; y++ {
			for x := x0; x < x1; x++ {
				v := float64(p.At(x, y))
				mean, dev, n = mean+v, dev+v*v, n+1
			}
		}
		mean /= n
		return mean, math.Sqrt(dev/n - mean*mean)
	}
	rough, roughDev := spread(cover(t, w, w.frame, one(h)), 5, 37)
	h.Smooth = 5
	p := cover(t, w, w.frame, one(h))
	even, evenDev := spread(p, 5, 37)
	other, _ := spread(p, 43, 75)
	if math.Abs(even-rough) > 0.05 || evenDev > roughDev/4 || other > 0.02 {
		t.Errorf("in the band %.3f ± %.3f, smoothed %.3f ± %.3f; beside it %.3f", rough, roughDev, even, evenDev, other)
	}
	if near, far := p.At(39, 20), p.At(40, 20); near < 0.6 || far > 0.15 {
		t.Errorf("at the edge it goes from %v to %v", near, far)
	}
}

// Feather is a Gaussian; what does not end at the edge of the frame is not darker there.
func TestFeather(t *testing.T) {
	w := world(200, 100, 1)
	box := shape.Outline{Nodes: shape.PathOf(shape.Node{X: 60, Y: -300},
		shape.Node{X: 400, Y: -300}, shape.Node{X: 400, Y: 400}, shape.Node{X: 60, Y: 400})}
	p := one(Shape{box})
	p.Feather = 6
	got := cover(t, w, w.frame, p)
	for _, x := range []int{45, 54, 60, 66, 75} {
		near(t, fmt.Sprintf("%d px from the edge", x-60), float64(got.At(x, 50)),
			0.5*(1+math.Erf((float64(x)+0.5-60)/6/math.Sqrt2)), 6e-3)
	}
	w.photo = func(int, int) [3]float32 { return [3]float32{0.2, 0.2, 0.2} }
	p = one(ToneWindow{Low: 0, High: 1})
	p.Feather = 9
	for _, at := range []image.Point{{0, 0}, {199, 99}, {0, 50}, {100, 50}} {
		near(t, fmt.Sprint("a feathered window at ", at), float64(cover(t, w, w.frame, p).At(at.X, at.Y)), 1, 6e-3)
	}
}

// Parts and strokes at their defaults are valid on photos of every size.
func TestDefaultsAreValid(t *testing.T) {
	for _, f := range []setting.Frame{{W: 1, H: 1}, {W: 2, H: 3}, {W: 60000, H: 60000}} {
		for _, k := range Kinds {
			switch k.Word {
			case "shape", "line": // these have no shape before they are drawn
				continue
			}
			p := setting.New[Part](f)
			p.Of = setting.NewOf(k.Zero, f).(Source)
			if s, ok := p.Of.(Strokes); ok {
				one := setting.New[Stroke](f)
				one.Points = setting.ListOf(Dab{0, 0, 1})
				s.Strokes = []Stroke{one}
				p.Of = s
			}
			if err := setting.Validate(p, f); err != nil {
				t.Errorf("a part of kind %s on a photo of %v is not valid: %v", k.Word, f, err)
			}
		}
	}
}

func TestNestsAndCircles(t *testing.T) {
	use := func(id, name string, of ...Ref) Area {
		a := Area{ID: id, Name: name}
		for _, r := range of {
			a.Parts = append(a.Parts, one(Other{r}))
		}
		return a
	}
	var nest []Area
	for i := range MaxDepth {
		a := use(fmt.Sprint("n", i), fmt.Sprint("Nest ", i))
		if i > 0 {
			a.Parts = []Part{one(Other{Ref(fmt.Sprint("n", i-1))})}
		}
		nest = append(nest, a)
	}
	for _, c := range []struct {
		areas []Area
		at    int
		say   []string
	}{
		{[]Area{use("a", "Sky", "b"), use("b", "Sea"), use("c", "Both", "a", "b")}, 0, nil},
		{nest, 0, nil},
		{append(nest[:MaxDepth:MaxDepth], use("top", "Top", "n7")), MaxDepth, []string{"“Top”", "9 deep", "it may be 8"}},
		{[]Area{use("a", "Sky", "b"), use("b", "Sea", "a")}, 0, []string{"“Sky”", "“Sea”", "circle"}},
		{[]Area{use("b", "Sea"), use("a", "Sky", "a")}, 1, []string{"“Sky”", "part of itself"}},
		{[]Area{use("a", "Sky", "gone")}, 0, []string{"“Sky”", "not in this shot"}},
		{[]Area{use("a", "Sky"), use("a", "Sea")}, 1, []string{`the id "a"`}},
	} {
		at, msg := Check(c.areas)
		if at != c.at || (msg == "") != (c.say == nil) {
			t.Errorf("%v: %d, %q", c.say, at, msg)
		}
		for _, say := range c.say {
			if !strings.Contains(msg, say) {
				t.Errorf("%q does not say %q", msg, say)
			}
		}
	}
}

func TestToneWindow(t *testing.T) {
	w := ToneWindow{0.2, 0.7, 0.1}
	for _, c := range []struct{ v, want float64 }{{0.05, 0}, {0.1, 0}, {0.15, 0.5}, {0.2, 1},
		{0.5, 1}, {0.7, 1}, {0.75, 0.5}, {0.81, 0}} {
		if got := w.At(c.v); math.Abs(got-c.want) > 1e-9 {
			t.Errorf("the window lets %.3f of brightness %v through, want %v", got, c.v, c.want)
		}
	}
	hard := ToneWindow{0.2, 0.7, 0} // fades over a thousandth all the same
	for v, want := range map[float64]float64{0.1989: 0, 0.1995: 0.5, 0.2: 1, 0.7: 1, 0.7005: 0.5,
		0.7011: 0} {
		if got := hard.At(v); math.Abs(got-want) > 1e-6 {
			t.Errorf("a hard window lets %.3f of brightness %v through, want %v", got, v, want)
		}
	}
	if !(ToneWindow{0, 1, 0.1}).Whole() || w.Whole() || (ToneWindow{0, 0.9, 0.1}).Whole() ||
		(ToneWindow{0.1, 1, 0.1}).Whole() {
		t.Error("Whole is wrong")
	}
}

// A mask of strokes whose tiles are dropped while others ask for them keeps count of its memory.
// Run under the race detector.
func TestStrokesAreDroppedBesideReading(t *testing.T) {
	var strokes []Stroke
	for i := range 8 {
		y := float64(30 + 120*i)
		strokes = append(strokes, Stroke{Diameter: 60, Softness: 0.5, Flow: 1, Pen: PenFlow,
			Points: setting.ListOf(Dab{X: 10, Y: y, P: 1}, Dab{X: 400, Y: y, P: 1})})
	}
	m := newStrokeMask(strokes, nil, 1)
	empty := m.Bytes()
	var all sync.WaitGroup
	for range 3 {
		all.Go(func() {
			row := make([]float32, 420)
			for y := range 1000 {
				m.Fill(row, 0, y)
			}
		})
		all.Go(func() {
			for y := 0; y < 1000; y++ {
				m.Drop(y)
				if n := m.Bytes(); n < empty {
					t.Errorf("it takes %d bytes, with nothing painted %d", n, empty)
					return
				}
			}
		})
	}
	all.Wait()
	m.Drop(2000)
	if n := m.Bytes(); n != empty {
		t.Errorf("with all dropped it takes %d bytes, want %d", n, empty)
	}
}
