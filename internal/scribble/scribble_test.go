package scribble

import (
	"context"
	"fmt"
	"image"
	"math"
	"strings"
	"testing"

	"pyrant/internal/colour"
	"pyrant/internal/cutout"
	"pyrant/internal/edge"
	"pyrant/internal/painted"
	"pyrant/internal/photo"
	"pyrant/internal/shape"
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
	pale := painted.Poly(300, 150, 420, 120, 500, 220, 480, 330, 320, 330)
	dark := painted.Poly(320, 330, 480, 330, 520, 520, 280, 520)
	elsewhere := painted.Poly(700, 200, 840, 200, 840, 330, 700, 330)
	var stripes shape.Shapes
	for x := 0.0; x < 900; x += 60 {
		stripes = append(stripes, painted.Poly(x, 0, x+20, 0, x+20, 600, x, 600)...)
	}
	return painted.Photo(900, 600, 0.2, []float64{0.3, 0.6, 0.04, 0.6}, stripes, pale, dark, elsewhere), append(pale, dark...)
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
	strokes := []Stroke{line(cutout.In, 400, 180, 400, 480), line(cutout.Out, 200, 60, 600, 60, 620, 560, 180, 560, 200, 60)}
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
	c, err = find(ctx, p, append(strokes, line(cutout.Out, 300, 420, 500, 420, 500, 500, 300, 500)), false)
	if err != nil || c.At(400, 470) && c.At(340, 420) || !c.At(400, 200) {
		t.Errorf("with the lower half taken back: %v", err)
	}
}

// A cut's edge is softened to what the photo shows between its pixels, and strokes stay as they are.
func TestSoften(t *testing.T) {
	// A disc whose edge goes over six pixels.
	const r = 60.0
	p := painted.Photo(300, 200, 0.05, []float64{0.5}, shape.Shapes{shape.Ellipse{X: 150, Y: 100, Width: 2 * r, Height: 2 * r}})
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
	strokes := []Stroke{line(cutout.In, 130, 100, 170, 100), line(cutout.Out, 60, 10, 240, 10, 240, 190, 60, 190, 60, 10)}
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
	if none, err := Soften(ctx, p, &Cut{Step: 1, Rect: c.Rect, In: make([]bool, len(c.In))}, nil, nil, 5); err != nil || part(t, none, cutout.Alpha).Covered(150, 100) != 0 {
		t.Errorf("of nothing: %v", err)
	}
}

func TestWhatIsMissingIsSaid(t *testing.T) {
	p, _ := two()
	for say, strokes := range map[string][]Stroke{
		"what is inside":  {line(cutout.Out, 10, 10, 50, 50)},
		"what is outside": {line(cutout.In, 400, 200, 400, 300)},
	} {
		if _, err := find(context.Background(), p, strokes, true); err == nil || !strings.Contains(err.Error(), say) {
			t.Errorf("%s: %v", say, err)
		}
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := find(ctx, p, []Stroke{line(cutout.Out, 10, 10, 50, 50), line(cutout.In, 400, 200, 400, 300)}, true); err == nil {
		t.Error("cancelled, it went on")
	}
}

// Ways lead round what is of the other side, and cost what they cross.
func TestWays(t *testing.T) {
	p := painted.Photo(80, 40, 0.3, []float64{0.7}, painted.Poly(40, 0, 80, 0, 80, 40, 40, 40))
	s := sheetOf(p)
	seed := make([]uint8, 80*40)
	for y := range 40 {
		seed[y*80+5] = inside
		if y != 20 {
			seed[y*80+20] = outside
		}
	}
	far := ways(s, seed, inside)
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
		here = append(here, sample{[3]float32{0.3 + v, 0, 0}, 0.2 + v, 0.5}, sample{[3]float32{0.5 + v, 0, 0}, 0.8 + v, 0.5})
		there = append(there, sample{[3]float32{0.5 + v, 0, 0}, 0.2 + v, 0.5}, sample{[3]float32{0.3 + v, 0, 0}, 0.8 + v, 0.5})
	}
	weight := make([]float32, len(here))
	for i := range weight {
		weight[i] = 1
	}
	a, b := fit(here, weight, parts), fit(there, weight, parts)
	for _, s := range []struct {
		sample
		mine bool
	}{{sample{[3]float32{0.3, 0, 0}, 0.2, 0.5}, true}, {sample{[3]float32{0.5, 0, 0}, 0.2, 0.5}, false}, {sample{[3]float32{0.5, 0, 0}, 0.8, 0.5}, true}} {
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
