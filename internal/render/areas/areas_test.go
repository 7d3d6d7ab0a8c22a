package areas

import (
	"context"
	"fmt"
	"image"
	"math"
	"math/rand/v2"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// flat is a picture of what photo says, black without, at some scale, with areas alone.
type flat struct {
	width, height int
	scale         float64
	frame         image.Rectangle
	photo         func(x, y int) [3]float32 // linear
	areas         []area.Area
}

func world(w, h int, scale float64) *flat {
	return &flat{width: w, height: h, scale: scale,
		frame: image.Rect(0, 0, int(float64(w)*scale), int(float64(h)*scale))}
}

// picture returns the picture, whose photo is named so.
func (f *flat) picture(g *graph.Graph, name string) Picture {
	p := &photo.Photo{Width: f.width, Height: f.height, Profile: colour.SRGB,
		Pix16: make([]uint16, 3*f.width*f.height)}
	for i := range f.width * f.height {
		if f.photo == nil {
			break
		}
		for c, v := range f.photo(i%f.width, i/f.width) {
			p.Pix16[3*i+c] = uint16(65535*colour.Display.At(v) + 0.5)
		}
	}
	return Picture{graph.Intern(g, name, p), f.scale, f.frame}
}

func (f *flat) Area(id area.Ref) *area.Area {
	for i := range f.areas {
		if f.areas[i].ID == string(id) {
			return &f.areas[i]
		}
	}
	return nil
}

func (f *flat) Light(context.Context, area.Light) (SourceInput, error) { panic("no lights") }

func (f *flat) CutOut(context.Context, cutout.Ref) (SourceInput, error) { panic("no cut-outs") }

func (f *flat) Surface(context.Context, area.SurfaceRef) (SourceInput, error) { panic("no room") }

func cover(t *testing.T, w *flat, r image.Rectangle, parts ...area.Part) *raster.Plane {
	t.Helper()
	g := graph.New(1 << 26)
	a, err := Resolve(t.Context(), g, &area.Area{Parts: parts}, w.picture(g, "photo"), w)
	if err != nil {
		t.Fatal(err)
	}
	p, err := graph.Get(t.Context(), g, Plane{a, r})
	if err != nil {
		t.Fatal(err)
	}
	// An export, which makes what it needs in bands, makes the same.
	q, err := graph.Get(t.Context(), graph.New(1).Child(1<<26), Plane{a, r})
	if err != nil {
		t.Fatal(err)
	}
	for i, v := range p.Pix {
		if q.Pix[i] != v {
			t.Fatalf("sample %d is %v, in an export %v", i, v, q.Pix[i])
		}
	}
	return p
}

func one(of area.Source) area.Part {
	return area.Part{On: true, Does: area.Add, Amount: 1, Of: of}
}

func strokes(s ...area.Stroke) area.Part { return one(area.Strokes{Strokes: s}) }

func dab(x, y, pressure float64) area.Dab { return area.Dab{X: x, Y: y, P: pressure} }

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
	ring := area.Ring{X: 30, Y: 20, Width: 40, Height: 30, Inner: 0.4}
	line := area.Line{X1: 5, Y1: 5, X2: 50, Y2: 30}
	window := area.ToneWindow{Low: 0.3, High: 0.6, Soft: 0.2}
	w.areas = []area.Area{{ID: "a1", Parts: []area.Part{one(line), {On: true, Does: area.Keep,
		Amount: 0.7,
		Of:     ring}}}}
	smooth := func(t float64) float64 { t = math.Min(math.Max(t, 0), 1); return t * t * (3 - 2*t) }
	at := map[area.Source]func(x, y float64) float64{
		ring: func(x, y float64) float64 {
			return 1 - smooth((math.Hypot((x-30)/20, (y-20)/15)-0.4)/0.6)
		},
		line:   func(x, y float64) float64 { return 1 - smooth(((x-5)*45+(y-5)*25)/(45*45+25*25)) },
		window: func(x, y float64) float64 { return window.At(tone(int(x), int(y))) },
	}
	at[area.Other{Area: "a1"}] = func(x, y float64) float64 {
		return at[line](x, y) * (1 - 0.7 + 0.7*at[ring](x, y))
	}
	sources := []area.Source{ring, line, window, area.Other{Area: "a1"}}
	for n := range 60 {
		parts := make([]area.Part, 1+rnd.IntN(4))
		for i := range parts {
			parts[i] = area.Part{On: rnd.IntN(5) > 0,
				Does:     []area.Does{area.Add, area.Away, area.Keep}[rnd.IntN(3)],
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
				if first && q.Does != area.Add {
					want = 1
				}
				switch q.Does {
				case area.Add:
					want = 1 - (1-want)*(1-v*q.Amount)
				case area.Away:
					want *= 1 - v*q.Amount
				case area.Keep:
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

func stroke(d, soft, flow float64, points ...area.Dab) area.Stroke {
	return area.Stroke{Diameter: d, Softness: soft, Flow: flow, Pen: area.PenFlow,
		Points: setting.ListOf(points...)}
}

// A stroke covers what lies near its line: a capsule, whose profile and area are known.
func TestStrokeIsACapsule(t *testing.T) {
	w := world(300, 200, 1)
	a, b := dab(60.5, 70.5, 1), dab(220.5, 130.5, 1)
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
	bow := func(n int) []area.Dab {
		out := make([]area.Dab, n+1)
		for i := range out {
			u := float64(i) / float64(n)
			out[i] = dab(40+220*u, 40+90*u, 0.3+0.7*u)
		}
		return out
	}
	w := world(300, 200, 1)
	for _, pen := range []area.Pen{area.PenFlow, area.PenWidth} {
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
	curve := make([]area.Dab, 40)
	for i := range curve {
		sin, cos := math.Sincos(float64(i) / 6)
		curve[i] = dab(150+70*cos, 100+50*sin, 1)
	}
	parts := []area.Part{strokes(stroke(30, 0.7, 0.6, curve...), stroke(12, 0.2, 1, dab(20, 20, 1),
		dab(280, 180, 1)))}
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

// area.Strokes build up by 1 − (1−a)(1−b), and an erasing one takes its share; painted on a
// mask of those before it, the last makes what all make together.
func TestStrokesBuildUp(t *testing.T) {
	w := world(100, 100, 1)
	at := func(p *raster.Plane) float64 { return float64(p.At(50, 50)) }
	mid := dab(50.5, 50.5, 1)
	list := []area.Stroke{stroke(40, 0.5, 0.5, mid), stroke(40, 0.5, 0.3, mid), stroke(40, 0.5,
		0.25,
		mid)}
	list[2].Erase = true
	near(t, "two strokes", at(cover(t, w, w.frame, strokes(list[:2]...))), 1-0.5*0.7, 1e-5)
	near(t, "and one that erases", at(cover(t, w, w.frame, strokes(list...))), (1-0.5*0.7)*0.75, 1e-5)
	// No step between strokes however many: a hundred faint ones rise evenly.
	var many []area.Stroke
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
	one, all := area.BrushOver(area.Brush(many[:99], 1), many, 1), area.Brush(many, 1)
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
	line := area.Line{X1: 20, Y1: 30, X2: 100, Y2: 90}
	ring := area.Ring{X: 70, Y: 60, Width: 100, Height: 60, Turn: 30, Inner: 0.3}
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
	p := cover(t, w, w.frame, one(area.Line{X1: 20, Y1: 0, X2: 20.5, Y2: 0}))
	if p.At(9, 2) != 1 || p.At(12, 2) != 0 || p.At(10, 2) < 0.4 || p.At(10, 2) > 0.6 {
		t.Errorf("a short gradient goes %v, %v, %v", p.At(9, 2), p.At(10, 2), p.At(12, 2))
	}
	if _, msg := (area.Line{X1: 5, Y1: 5, X2: 5, Y2: 5}).Check(setting.Frame{}); msg == "" {
		t.Error("a gradient without a direction is not refused")
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
	h := area.Hue{Hue: 140, Width: 40, Soft: 10, Chroma: 0.03}
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
	p := one(area.Shape{Shape: box})
	p.Feather = 6
	got := cover(t, w, w.frame, p)
	for _, x := range []int{45, 54, 60, 66, 75} {
		near(t, fmt.Sprintf("%d px from the edge", x-60), float64(got.At(x, 50)),
			0.5*(1+math.Erf((float64(x)+0.5-60)/6/math.Sqrt2)), 6e-3)
	}
	w.photo = func(int, int) [3]float32 { return [3]float32{0.2, 0.2, 0.2} }
	p = one(area.ToneWindow{Low: 0, High: 1})
	p.Feather = 9
	for _, at := range []image.Point{{0, 0}, {199, 99}, {0, 50}, {100, 50}} {
		near(t, fmt.Sprint("a feathered window at ", at), float64(cover(t, w, w.frame, p).At(at.X, at.Y)), 1, 6e-3)
	}
}
