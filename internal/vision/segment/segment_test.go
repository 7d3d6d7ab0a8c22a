package segment

import (
	"context"
	"fmt"
	"image"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/measure/testphoto"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
)

func line(says cutout.Says, xy ...float64) Stroke {
	s := Stroke{Says: says, Width: 4}
	for i := 0; i < len(xy); i += 2 {
		s.Points = append(s.Points, shape.Point{X: xy[i], Y: xy[i+1]})
	}
	return s
}

func find(ctx context.Context, p *photo.Photo, strokes []Stroke, quick bool) (*Cut, error) {
	g, err := NewGround(ctx, p)
	if err != nil {
		return nil, err
	}
	return g.Find(ctx, strokes, quick)
}

// part reads a raster.
func part(t *testing.T, r cutout.Raster, what cutout.What) cutout.Part {
	t.Helper()
	m, err := r.Mask()
	if err != nil {
		t.Fatal(err)
	}
	return (&cutout.CutOut{Raster: r}).On(m, what)
}

// two is a thing of a pale and a dark half, before stripes of the very same light, and what looks
// like its pale half elsewhere.
func two() (*photo.Photo, shape.Shapes) {
	pale := testphoto.Poly(300, 150, 420, 120, 500, 220, 480, 330, 320, 330)
	dark := testphoto.Poly(320, 330, 480, 330, 520, 520, 280, 520)
	elsewhere := testphoto.Poly(700, 200, 840, 200, 840, 330, 700, 330)
	var stripes shape.Shapes
	for x := 0.0; x < 900; x += 60 {
		stripes = append(stripes, testphoto.Poly(x, 0, x+20, 0, x+20, 600, x, 600)...)
	}
	return testphoto.Photo(900, 600, 0.2, []float64{0.3, 0.6, 0.04, 0.6}, stripes, pale, dark,
		elsewhere), append(pale, dark...)
}

func agreement(c *Cut, truth shape.Shapes, w, h int) float64 {
	m := shape.NewMask(truth, 1)
	row := make([]float32, w)
	both, either := 0.0, 0.0
	for y := range h {
		m.Fill(row, 0, y)
		for x, v := range row {
			in := c.At(float64(x)+0.5, float64(y)+0.5)
			if in && v > 0.5 {
				both++
			}
			if in || v > 0.5 {
				either++
			}
		}
	}
	return both / either
}

func TestFind(t *testing.T) {
	p, truth := two()
	ctx := context.Background()
	strokes := []Stroke{line(cutout.In, 400, 180, 400, 480), line(cutout.Out, 200, 60, 600, 60, 620,
		560, 180, 560, 200, 60)}
	c, err := find(ctx, p, strokes, false)
	if err != nil {
		t.Fatal(err)
	}
	if v := agreement(c, truth, 900, 600); v < 0.985 {
		t.Errorf("within a loop: %.3f of both agree", v)
	}
	if c.At(770, 260) {
		t.Error("what only looks alike is inside")
	}
	quick, err := find(ctx, p, strokes, true)
	if err != nil || agreement(quick, truth, 900, 600) < 0.97 || quick.Step < c.Step {
		t.Errorf("quick: %v, steps %d and %d, %.3f", err, quick.Step, c.Step, agreement(quick, truth, 900, 600))
	}
	// A later stroke takes back what an earlier one said.
	c, err = find(ctx, p, append(strokes, line(cutout.Out, 300, 420, 500, 420, 500, 500, 300, 500)),
		false)
	if err != nil || c.At(400, 470) && c.At(340, 420) || !c.At(400, 200) {
		t.Errorf("with the lower half taken back: %v", err)
	}
}

// A cut's edge is softened to what the photo shows between its pixels, and strokes stay as they
// are.
func TestSoften(t *testing.T) {
	// A disc whose edge goes over six pixels.
	const r = 60.0
	p := testphoto.Photo(300, 200, 0.05, []float64{0.5}, shape.Shapes{shape.Ellipse{X: 150, Y: 100,
		Width: 2 * r, Height: 2 * r}})
	for y := range 200 {
		for x := range 300 {
			d := math.Hypot(float64(x)+0.5-150, float64(y)+0.5-100) - r
			if math.Abs(d) < 4 {
				a := min(max(0.5-d/6, 0), 1)
				v := uint8(255*colour.LinearToSRGB(0.5*a+0.05*(1-a)) + 0.5)
				copy(p.Pix8[3*(y*300+x):], []uint8{v, v, v})
			}
		}
	}
	ctx := context.Background()
	strokes := []Stroke{line(cutout.In, 130, 100, 170, 100), line(cutout.Out, 60, 10, 240, 10, 240,
		190, 60, 190, 60, 10)}
	c, err := find(ctx, p, strokes, false)
	if err != nil {
		t.Fatal(err)
	}
	r5, err := Soften(ctx, p, c, strokes, nil, 5)
	if err != nil {
		t.Fatal(err)
	}
	m := part(t, r5, cutout.Alpha)
	off, n := 0.0, 0.0
	for a := 0.0; a < 2*math.Pi; a += 0.05 {
		for d := -5.0; d <= 5; d++ {
			want := min(max(0.5-d/6, 0), 1)
			off += math.Abs(m.Covered(150+(r+d)*math.Cos(a), 100+(r+d)*math.Sin(a)) - want)
			n++
		}
	}
	if off/n > 0.05 {
		t.Errorf("the edge is %.3f off in the mean", off/n)
	}
	if m.Covered(150, 100) != 1 || m.Covered(60, 10) != 0 || m.Covered(-50, 900) != 0 {
		t.Errorf("inside %v, outside %v, beyond %v", m.Covered(150, 100), m.Covered(60, 10), m.Covered(-50, 900))
	}
	if none, err := Soften(ctx, p, &Cut{Step: 1, Rect: c.Rect, In: make([]bool, len(c.In))}, nil,
		nil, 5); err != nil || part(t, none, cutout.Alpha).Covered(150, 100) != 0 {
		t.Errorf("of nothing: %v", err)
	}
}

func TestWhatIsMissingIsSaid(t *testing.T) {
	p, _ := two()
	for say, strokes := range map[string][]Stroke{
		"marks the inside":  {line(cutout.Out, 10, 10, 50, 50)},
		"marks the outside": {line(cutout.In, 400, 200, 400, 300)},
	} {
		if _, err := find(context.Background(), p, strokes, true); err == nil ||
			!strings.Contains(err.Error(), say) {
			t.Errorf("%s: %v", say, err)
		}
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := find(ctx, p, []Stroke{line(cutout.Out, 10, 10, 50, 50), line(cutout.In, 400, 200,
		400, 300)}, true); err == nil {
		t.Error("cancelled, it went on")
	}
}

// Ways lead round what is of the other side, and cost what they cross.
func TestWays(t *testing.T) {
	p := testphoto.Photo(80, 40, 0.3, []float64{0.7}, testphoto.Poly(40, 0, 80, 0, 80, 40, 40, 40))
	s := sheetOf(p)
	seed := make([]uint8, 80*40)
	for y := range 40 {
		seed[y*80+5] = inside
		if y != 20 {
			seed[y*80+20] = outside
		}
	}
	gaps, err := gapsOf(context.Background(), s)
	if err != nil {
		t.Fatal(err)
	}
	far := ways(context.Background(), s, gaps, seed, inside)
	if !math.IsInf(float64(far[3*80+20]), 1) {
		t.Errorf("a way leads through the other side: %v", far[3*80+20])
	}
	through, beside := far[20*80+30], far[2*80+30]
	if through >= beside || beside > 3 {
		t.Errorf("through the gap it is %.2f, to a place behind the line %.2f", through, beside)
	}
	if over := far[20*80+60] - far[20*80+30]; over < 0.1 {
		t.Errorf("over the edge it is only %.3f more", over)
	}
}

// A model knows its own colours from others, and the same colour elsewhere as another's.
func TestModelsKnowPlaces(t *testing.T) {
	var here, there []sample
	for i := range 400 {
		v := float32(i%20) / 2000
		here = append(here, sample{[3]float32{0.3 + v, 0, 0}, 0.2 + v, 0.5},
			sample{[3]float32{0.5 + v, 0, 0}, 0.8 + v, 0.5})
		there = append(there, sample{[3]float32{0.5 + v, 0, 0}, 0.2 + v, 0.5},
			sample{[3]float32{0.3 + v, 0, 0}, 0.8 + v, 0.5})
	}
	weight := make([]float32, len(here))
	for i := range weight {
		weight[i] = 1
	}
	a, b := fit(context.Background(), here, weight, parts), fit(context.Background(), there, weight,
		parts)
	for _, s := range []struct {
		sample
		mine bool
	}{{sample{[3]float32{0.3, 0, 0}, 0.2, 0.5}, true}, {sample{[3]float32{0.5, 0, 0}, 0.2, 0.5},
		false}, {sample{[3]float32{0.5, 0, 0}, 0.8, 0.5}, true}} {
		if d := a.log(s.sample) - b.log(s.sample); (d > 1) != s.mine || math.Abs(float64(d)) < 1 {
			t.Errorf("%+v: %.2f", s, d)
		}
	}
}

func sheetOf(p *photo.Photo) *edge.Sheet {
	s, err := edge.New(context.Background(), p, 1, image.Rect(0, 0, p.Width, p.Height), nil)
	if err != nil {
		panic(err)
	}
	return s
}

func ExampleGround_Find() {
	p, _ := two()
	g, err := NewGround(context.Background(), p)
	if err != nil {
		fmt.Println(err)
		return
	}
	c, err := g.Find(context.Background(), []Stroke{
		line(cutout.In, 400, 180, 400, 480),
		line(cutout.Out, 200, 60, 600, 60, 620, 560, 180, 560, 200, 60),
	}, false)
	fmt.Println(c.At(400, 300), c.At(250, 300), err)
	// Output: true false <nil>
}

// strokesOf makes strokes as a recipe has them.
func strokesOf(list ...Stroke) (out []cutout.Stroke) {
	for _, s := range list {
		pts := make([]cutout.Point, len(s.Points))
		for i, p := range s.Points {
			pts[i] = cutout.Point(p)
		}
		out = append(out, cutout.Stroke{Says: s.Says, Diameter: s.Width,
			Points: setting.ListOf(pts...)})
	}
	return
}

func mend(to, diameter, softness float64, xy ...float64) cutout.Mend {
	var pts []cutout.Point
	for i := 0; i < len(xy); i += 2 {
		pts = append(pts, cutout.Point{X: xy[i], Y: xy[i+1]})
	}
	return cutout.Mend{To: to, Diameter: diameter, Softness: softness,
		Points: setting.ListOf(pts...)}
}

// A loop alone is enough for what stands out from all that the loop leaves outside.
func TestALoopAlone(t *testing.T) {
	thing := testphoto.Poly(300, 150, 500, 160, 480, 420, 320, 430)
	p := testphoto.Photo(900, 600, 0.2, []float64{0.6}, thing)
	c, err := find(context.Background(), p, []Stroke{line(cutout.Loop, 230, 80, 580, 100, 560, 500,
		240, 500)}, false)
	if err != nil {
		t.Fatal(err)
	}
	if v := agreement(c, thing, 900, 600); v < 0.98 {
		t.Errorf("%.3f of both agree", v)
	}
	// A loop that bends back on itself leaves what lies between its arms outside.
	seed := seedsOn(1, image.Rect(0, 0, 100, 60), []Stroke{line(cutout.Loop, 10, 10, 90, 10, 90, 50,
		60, 50, 60, 30, 40, 30, 40, 50, 10, 50)}, meant)
	for _, at := range [][3]int{{20, 40, unknown}, {50, 20, unknown}, {75, 45, unknown},
		{50, 40, outside}, {5, 30, outside}, {95, 55, outside}, {50, 5, outside}} {
		if got := int(seed[at[1]*100+at[0]]); got != at[2] {
			t.Errorf("at %d, %d: %d", at[0], at[1], got)
		}
	}
}

// A stroke covers the pixels whose middles lie within its radius of its line.
func TestStrokesCoverWhatLiesWithinTheirRadius(t *testing.T) {
	const w, h = 120, 90
	rnd := rand.New(rand.NewPCG(3, 1))
	for n := range 40 {
		s := Stroke{Says: cutout.In, Width: 2 + 60*rnd.Float64()}
		for range n % 5 {
			s.Points = append(s.Points,
				shape.Point{X: 160*rnd.Float64() - 20, Y: 130*rnd.Float64() - 20})
		}
		seed := seedsOn(1, image.Rect(0, 0, w, h), []Stroke{s}, meant)
		for i, got := range seed {
			x, y := float64(i%w)+0.5, float64(i/w)+0.5
			away := math.Inf(1)
			for k, b := range s.Points {
				a := s.Points[max(k-1, 0)]
				dx, dy := b.X-a.X, b.Y-a.Y
				along := ((x-a.X)*dx + (y-a.Y)*dy) / max(dx*dx+dy*dy, 1e-9)
				along = min(max(along, 0), 1)
				away = min(away, math.Hypot(x-a.X-along*dx, y-a.Y-along*dy))
			}
			if off := away - s.Width/2; math.Abs(off) > 0.05 && (got == inside) != (off < 0) {
				t.Fatalf("stroke %d of width %.1f: pixel %d,%d at a distance of %.2f is %d", n,
					s.Width, i%w, i/w, away, got)
			}
		}
	}
}

// Where a soft edge lies over a background, the light of the thing is told apart from it, and so is
// its share of what the photo has there.
func TestSharesOfLightAreTheThingsOwn(t *testing.T) {
	const r, thing, behind = 60.0, 0.1, 0.7
	p := testphoto.Photo(300, 200, behind, nil)
	truth := func(x, y float64) float64 {
		return min(max(0.5-(math.Hypot(x-150, y-100)-r)/8, 0), 1)
	}
	for y := range 200 {
		for x := range 300 {
			a := truth(float64(x)+0.5, float64(y)+0.5)
			v := uint8(255*colour.LinearToSRGB(thing*a+behind*(1-a)) + 0.5)
			copy(p.Pix8[3*(y*300+x):], []uint8{v, v, v})
		}
	}
	g, err := NewGround(context.Background(), p)
	if err != nil {
		t.Fatal(err)
	}
	c := &cutout.CutOut{Band: 6, Strokes: strokesOf(line(cutout.In, 130, 100, 170, 100),
		line(cutout.Out, 60, 10, 240, 10, 240, 190, 60, 190, 60, 10))}
	raster, err := g.Make(context.Background(), c, false)
	if err != nil {
		t.Fatal(err)
	}
	alpha, share := part(t, raster, cutout.Alpha), part(t, raster, cutout.Share)
	off, light, n := 0.0, 0.0, 0.0
	for a := 0.0; a < 2*math.Pi; a += 0.05 {
		for d := -3.5; d <= 3.5; d++ {
			x, y := math.Floor(150+(r+d)*math.Cos(a))+0.5, math.Floor(100+(r+d)*math.Sin(a))+0.5
			want := truth(x, y)
			off += math.Abs(alpha.Covered(x, y) - want)
			// What is the thing's own of the pixel's light is thing·alpha.
			seen := thing*want + behind*(1-want)
			light += math.Abs(share.Covered(x, y)*seen-thing*want) / thing
			n++
		}
	}
	if off/n > 0.04 || light/n > 0.05 {
		t.Errorf("coverage is %.3f off, the thing's own light %.3f of what it is inside", off/n, light/n)
	}
}

// A soft stroke lets the edge lie anywhere under it.
func TestSoftStrokesWidenTheEdge(t *testing.T) {
	p := testphoto.Photo(300, 200, 0.6, nil)
	// A comb of fine hairs on the right side of a dark square.
	for y := range 200 {
		for x := range 300 {
			in := x >= 80 && x < 160 && y >= 50 && y < 150
			hair := x >= 160 && x < 190 && y >= 50 && y < 150 && y%10 < 4
			if in || hair {
				copy(p.Pix8[3*(y*300+x):], []uint8{20, 20, 20})
			}
		}
	}
	g, err := NewGround(context.Background(), p)
	if err != nil {
		t.Fatal(err)
	}
	hairs := func(strokes ...Stroke) (sum float64) {
		c := &cutout.CutOut{Band: 1, Strokes: strokesOf(append([]Stroke{line(cutout.In, 100, 70,
			130, 130), line(cutout.Out, 40, 20, 250, 20, 250, 180, 40, 180, 40, 20)},
			strokes...)...)}
		// Hairs that are cut away with the background, so that the soft stroke has to bring them
		// back.
		c.Strokes = append(c.Strokes, strokesOf(line(cutout.Out, 166, 48, 166, 152))...)
		c.Strokes[len(c.Strokes)-1].Diameter = 6
		for _, s := range strokesOf(strokes...) {
			c.Strokes = append(c.Strokes, s)
		}
		raster, err := g.Make(context.Background(), c, false)
		if err != nil {
			t.Fatal(err)
		}
		m := part(t, raster, cutout.Alpha)
		for y := 52; y < 150; y += 10 {
			sum += m.Covered(178.5, float64(y)) / 10
		}
		return
	}
	soft := line(cutout.Soft, 175, 50, 175, 150)
	soft.Width = 30
	if without, with := hairs(), hairs(soft); without > 0.1 || with < 0.75 {
		t.Errorf("of the hairs %.2f is covered without a soft stroke, %.2f with one", without, with)
	}
}

func TestMends(t *testing.T) {
	p, _ := two()
	g, err := NewGround(context.Background(), p)
	if err != nil {
		t.Fatal(err)
	}
	ctx := context.Background()
	c := cutout.CutOut{Band: 1, Strokes: strokesOf(line(cutout.In, 400, 180, 400, 480),
		line(cutout.Out, 200, 60, 600, 60, 620, 560, 180, 560, 200, 60))}
	if c.Raster, err = g.Make(ctx, &c, false); err != nil || c.Raster.Rough {
		t.Fatal(err)
	}
	for _, m := range []cutout.Mend{
		mend(0, 40, 0, 350, 250, 450, 250),     // a hole
		mend(1, 60, 0.5, 60, 40, 60, 300),      // far outside of what was cut out
		mend(0.5, 30, 0.2, 400, 400),           // a half, by one dab
		mend(1, 80, 1, 850, 560, 899, 599),     // into the corner of the frame
		mend(1, 50, 0.3, -500, -500, -490, -5), // beyond it
	} {
		next := c
		next.Mends = append(append([]cutout.Mend(nil), c.Mends...), m)
		if !Changed(&c, &next) || Changed(&next, &next) {
			t.Error("a mend is no change, or nothing is one")
		}
		if next.Raster, err = g.Update(ctx, &c, &next); err != nil || next.Raster.Rough {
			t.Fatalf("a mend makes it rough: %v", err)
		}
		c = next
	}
	at := part(t, c.Raster, cutout.Alpha)
	for _, want := range []struct{ x, y, v float64 }{
		{400, 250, 0}, {400, 232, 0}, {400, 225, 1}, // half of 40 px to both sides
		// soft over half of the half-width, as the brush of areas
		{60, 150, 1}, {78, 150, 0.896}, {95, 150, 0},
		{400, 400, 0.5}, {400, 430, 1},
		{890, 590, 0.97}, {400, 300, 1}, {200, 400, 0},
	} {
		if got := at.Covered(want.x, want.y); math.Abs(got-want.v) > 0.07 {
			t.Errorf("at %g, %g it covers %.2f, not %g", want.x, want.y, got, want.v)
		}
	}
	// All of them at once, from the strokes, come to the same.
	all, err := g.Make(ctx, &c, false)
	if err != nil {
		t.Fatal(err)
	}
	whole := part(t, all, cutout.Alpha)
	for y := 5.5; y < 600; y += 7 {
		for x := 5.5; x < 900; x += 7 {
			if a, b := at.Covered(x, y), whole.Covered(x, y); math.Abs(a-b) > 0.012 {
				t.Fatalf("at %g, %g: %.3f by one after the other, %.3f by all at once", x, y, a, b)
			}
		}
	}
	// Painting alone is a way to cut out, too.
	bare := cutout.CutOut{Band: 1, Mends: []cutout.Mend{mend(1, 100, 0.1, 100, 100, 200, 100)}}
	if bare.Raster, err = g.Update(ctx, nil, &bare); err != nil || part(t, bare.Raster,
		cutout.Alpha).Covered(150, 120) != 1 {
		t.Errorf("only painted: %v", err)
	}
}

// What a change of strokes makes comes soon and rough; what does not touch the cut keeps its
// pixels.
func TestUpdate(t *testing.T) {
	p, truth := two()
	g, err := NewGround(context.Background(), p)
	if err != nil {
		t.Fatal(err)
	}
	ctx := context.Background()
	none := cutout.CutOut{Band: 1, Strokes: strokesOf(line(cutout.In, 400, 180, 400, 480))}
	if r, err := g.Update(ctx, nil, &none); err != nil || r.Tiles.Len() != 0 ||
		!strings.Contains(Missing(none.Strokes), "outside") {
		t.Errorf("with the inside alone: %v, %d bytes, %q", err, r.Tiles.Len(), Missing(none.Strokes))
	}
	c := none
	c.Strokes = append(c.Strokes, strokesOf(line(cutout.Out, 200, 60, 600, 60, 620, 560, 180, 560,
		200, 60))...)
	if c.Raster, err = g.Update(ctx, &none, &c); err != nil || !c.Raster.Rough ||
		Missing(c.Strokes) != "" {
		t.Fatalf("with both: %v, %+v", err, c.Raster.Rough)
	}
	m := shape.NewMask(truth, 1)
	row := make([]float32, 900)
	over, all := 0.0, 0.0
	at := part(t, c.Raster, cutout.Alpha)
	for y := 0; y < 600; y += 3 {
		m.Fill(row, 0, y)
		for x := 0; x < 900; x += 3 {
			a := at.Covered(float64(x)+0.5, float64(y)+0.5)
			over += min(a, float64(row[x]))
			all += max(a, float64(row[x]))
		}
	}
	if over/all < 0.95 {
		t.Errorf("rough, %.3f of both agree", over/all)
	}
	wider := c
	wider.Band = 5
	if r, err := g.Update(ctx, &c, &wider); err != nil || !r.Rough ||
		r.Tiles.Key() != c.Raster.Tiles.Key() {
		t.Errorf("another band: %v; the pixels of before stay until they are found anew", err)
	}
}

// Deep inside of a thing all light is its own, in every colour, rough or fine, near its edge or so
// far from it that whole parts are even.
func TestAllLightInsideIsTheThingsOwn(t *testing.T) {
	p := testphoto.Photo(1500, 1000, 0.1, []float64{0.6}, testphoto.Poly(100, 100, 1400, 100, 1400,
		900, 100, 900))
	g, err := NewGround(context.Background(), p)
	if err != nil {
		t.Fatal(err)
	}
	c := &cutout.CutOut{Band: 2, Strokes: strokesOf(line(cutout.In, 300, 300, 1200, 700),
		line(cutout.Out, 40, 40, 1460, 40, 1460, 960, 40, 960, 40, 40))}
	for _, quick := range []bool{true, false} {
		r, err := g.Make(context.Background(), c, quick)
		if err != nil || r.Rough != quick {
			t.Fatal(err)
		}
		for _, what := range []cutout.What{cutout.Alpha, cutout.Red, cutout.Green, cutout.Blue} {
			at := part(t, r, what)
			for _, x := range []float64{120, 400, 750, 1100, 1380} {
				if v := at.Covered(x, 500); v < 0.999 {
					t.Errorf("quick %v: value %d at %g is %.3f", quick, what, x, v)
				}
			}
			if v := at.Covered(70, 500) + at.Covered(1430, 500) + at.Covered(750, 60); v > 0.01 {
				t.Errorf("quick %v: value %d outside is %.3f", quick, what, v)
			}
		}
	}
}
