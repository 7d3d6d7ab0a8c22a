package glow

import (
	"context"
	"fmt"
	"image"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/shape"
)

var ctx = context.Background()

// pixels is a Source over a plane.
type pixels struct{ *raster.Plane }

func (p pixels) Fill(dst []float32, x0, y int) {
	clear(dst)
	if y >= p.Rect.Min.Y && y < p.Rect.Max.Y {
		copyInto(dst, x0, p.Row(y), p.Rect.Min.X)
	}
}

// shell returns the blurred coverage of src over clip, the way the renderer
// makes it.
func shell(t testing.TB, src Source, bounds image.Rectangle, sigma float64,
	clip image.Rectangle) *raster.Plane {
	t.Helper()
	l, rest := Level(sigma)
	p, err := NewPyramid(ctx, src, bounds, l)
	if err != nil {
		t.Fatal(err)
	}
	region := clip
	for range l {
		region = coarse(region)
	}
	f, err := p.Blur(ctx, l, rest, region)
	if err != nil {
		t.Fatal(err)
	}
	s, err := Collapse(ctx, []Term{{Level: l, Field: f, Weight: []float32{1}}}, 1, clip)
	if err != nil {
		t.Fatal(err)
	}
	out := raster.NewPlane(clip)
	for y := clip.Min.Y; y < clip.Max.Y; y++ {
		s.Row(out.Row(y), clip.Min.X, y, nil)
	}
	return out
}

// exact convolves p with a Gaussian out to six deviations in float64. At whole
// pixels a Gaussian of half a pixel has a variance of 0.213, not 0.25; one of
// 0.52512 has it.
func exact(p *raster.Plane, sigma float64, clip image.Rectangle) []float64 {
	if sigma == 0.5 {
		sigma = 0.52512
	}
	n := int(math.Ceil(6 * sigma))
	k := make([]float64, 2*n+1)
	sum := 0.0
	for i := range k {
		k[i] = math.Exp(-float64((i-n)*(i-n)) / (2 * sigma * sigma))
		sum += k[i]
	}
	w, ph := clip.Dx(), p.Rect.Dy()
	mid := make([]float64, w*ph)
	for y := range ph {
		row := p.Row(p.Rect.Min.Y + y)
		for x := range w {
			for i, v := range row {
				if d := clip.Min.X + x - p.Rect.Min.X - i + n; v != 0 && d >= 0 && d < len(k) {
					mid[y*w+x] += float64(v) * k[d] / sum
				}
			}
		}
	}
	out := make([]float64, w*clip.Dy())
	for y := range clip.Dy() {
		for j := range ph {
			if d := clip.Min.Y + y - p.Rect.Min.Y - j + n; d >= 0 && d < len(k) {
				for x := range w {
					out[y*w+x] += mid[j*w+x] * k[d] / sum
				}
			}
		}
	}
	return out
}

func fill(r image.Rectangle, f func(x, y int) float32) *raster.Plane {
	p := raster.NewPlane(r)
	for y := r.Min.Y; y < r.Max.Y; y++ {
		for x := r.Min.X; x < r.Max.X; x++ {
			p.Row(y)[x-r.Min.X] = f(x, y)
		}
	}
	return p
}

// The promise of the package: no shell strays from the exact convolution by
// more than half a per cent of its own peak.
func TestShellAgainstExactGaussian(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	masks := map[string]*raster.Plane{
		"one pixel": fill(image.Rect(37, 41, 38, 42), func(x, y int) float32 { return 1 }),
		"odd pixel": fill(image.Rect(-5, 12, -4, 13), func(x, y int) float32 { return 0.3 }),
		"line":      fill(image.Rect(10, 20, 11, 140), func(x, y int) float32 { return 1 }),
		"panel":     fill(image.Rect(-20, 0, 60, 50), func(x, y int) float32 { return 1 }),
		"noise": fill(image.Rect(0, 0, 90, 70),
			func(x, y int) float32 { return float32(rng.IntN(2)) }),
		"whole frame":     fill(image.Rect(0, 0, 300, 200), func(x, y int) float32 { return 1 }),
		"stripes of half": fill(image.Rect(5, 5, 105, 65), func(x, y int) float32 { return float32(x&1) * 0.5 }),
	}
	worst := 0.0
	for name, p := range masks {
		for _, sigma := range []float64{0.5, 1, 2.5, 4.2, 4.3, 5, 7, 10, 20, 40, 80, 160, 320,
			600} {
			if testing.Short() && sigma > 30 {
				continue
			}
			// A strip through the middle and one through the far tail and the border.
			cy, reach := (p.Rect.Min.Y+p.Rect.Max.Y)/2, int(4*sigma)+3
			clips := []image.Rectangle{
				image.Rect(p.Rect.Min.X-reach, cy, p.Rect.Max.X+reach, cy+3),
				image.Rect(p.Rect.Min.X-2, p.Rect.Min.Y-int(2*sigma)-2, p.Rect.Min.X+3,
					p.Rect.Max.Y+int(sigma)),
			}
			peak, err := 0.0, 0.0
			for _, clip := range clips {
				got, want := shell(t, pixels{p}, p.Rect, sigma, clip), exact(p, sigma, clip)
				for i, w := range want {
					peak = math.Max(peak, w)
					err = math.Max(err, math.Abs(float64(got.Pix[i])-w))
				}
			}
			worst = math.Max(worst, err/peak)
			if err > 0.005*peak {
				t.Errorf("%s, radius %v: largest error %.3f %% of the peak", name, sigma, 100*err/peak)
			}
		}
	}
	t.Logf("largest error of all: %.3f %% of the peak", 100*worst)
}

func TestLift0KeepsEnergy(t *testing.T) {
	p := fill(image.Rect(0, 0, 40, 7), func(x, y int) float32 { return float32(x%3) / 2 })
	want := 0.0
	for _, v := range p.Pix {
		want += float64(v)
	}
	for _, sigma := range []float64{0.7, 3, 9, 33, 70} {
		r := p.Rect.Inset(-int(5*sigma) - 8)
		got := 0.0
		for _, v := range shell(t, pixels{p}, p.Rect, sigma, r).Pix {
			got += float64(v)
		}
		if math.Abs(got-want) > 0.003*want {
			t.Errorf("radius %v: energy %.2f, want %.2f", sigma, got, want)
		}
	}
}

// Many shells merged must be the sum of each alone, in every viewport.
func TestCollapseIsSumAndViewportIsCrop(t *testing.T) {
	m := shape.NewMask(shape.Shapes{shape.Tube{Width: 9,
		Nodes: shape.PathOf(shape.Node{X: 30, Y: 40}, shape.Node{X: 170, Y: 90})}}, 1)
	whole := image.Rect(-60, -60, 260, 220)
	build := func(clip image.Rectangle) (*Sum, []float32) {
		var terms []Term
		p, err := NewPyramid(ctx, m, m.Bounds(), 4)
		if err != nil {
			t.Fatal(err)
		}
		for i, sigma := range []float64{1, 3, 6, 14, 33} {
			l, rest := Level(sigma)
			f, err := p.Blur(ctx, l, rest, p.Extent(l, rest))
			if err != nil {
				t.Fatal(err)
			}
			terms = append(terms, Term{Level: l, Field: f, Weight: []float32{1, float32(i), 0.5}})
		}
		s, err := Collapse(ctx, terms, 3, clip)
		if err != nil {
			t.Fatal(err)
		}
		out := make([]float32, 3*clip.Dx()*clip.Dy())
		for y := range clip.Dy() {
			s.Row(out[3*y*clip.Dx():3*(y+1)*clip.Dx()], clip.Min.X, clip.Min.Y+y, nil)
		}
		return s, out
	}
	s, all := build(whole)
	if !m.Bounds().Inset(-40).In(s.Rect) {
		t.Errorf("the sum reaches %v only", s.Rect)
	}
	want := raster.NewPlane(whole)
	for _, sigma := range []float64{1, 3, 6, 14, 33} {
		for i, v := range shell(t, m, m.Bounds(), sigma, whole).Pix {
			want.Pix[i] += v
		}
	}
	for i, v := range want.Pix {
		if math.Abs(float64(all[3*i]-v)) > 1e-5 {
			t.Fatalf("merged shells give %v at sample %d, the single ones %v", all[3*i], i, v)
		}
	}
	for _, clip := range []image.Rectangle{image.Rect(3, 5, 40, 44), image.Rect(100, 61, 101, 62),
		image.Rect(-59, 100, 11, 219)} {
		_, part := build(clip)
		for y := range clip.Dy() {
			for i := range 3 * clip.Dx() {
				from := (y+clip.Min.Y-whole.Min.Y)*whole.Dx() + clip.Min.X - whole.Min.X
				if w := all[3*from+i]; part[3*y*clip.Dx()+i] != w {
					t.Fatalf("viewport %v differs from the crop of the whole at row %d, sample %d: %v and %v", clip, y, i, part[3*y*clip.Dx()+i], w)
				}
			}
		}
	}
}

func TestPeaks(t *testing.T) {
	rod := shape.Shapes{shape.Tube{Width: 10, Nodes: shape.PathOf(shape.Node{X: 100, Y: 100},
		shape.Node{X: 100, Y: 1900})}}
	radii := []float64{0.5, 5, 20, 80, 200}
	peaks := func(shapes shape.Shapes) (out []float64) {
		p := must(NewPeaks(ctx, shapes, 6000))
		for _, r := range radii {
			out = append(out, must(p.At(ctx, r)))
		}
		return
	}
	got := peaks(rod)
	for i, r := range radii {
		// A long band: erf of half the width over the deviation.
		want := math.Erf(5 / (r * math.Sqrt2))
		if math.Abs(got[i]-want) > 0.03*want {
			t.Errorf("radius %v: peak %.4f, want %.4f", r, got[i], want)
		}
	}
	// A larger copy of the same has the same peaks at the larger radii, though
	// they are found at another scale.
	big := shape.Shapes{shape.Tube{Width: 30, Nodes: shape.PathOf(shape.Node{X: 300, Y: 300},
		shape.Node{X: 2300, Y: 5500})}}
	for i := range radii {
		radii[i] *= 3
	}
	for i, p := range peaks(big) {
		if math.Abs(p-got[i]) > 0.03*got[i] {
			t.Errorf("three times as large: peak %.4f at radius %v, was %.4f", p, radii[i], got[i])
		}
	}
}

func must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}

func TestProfileIsThatOfALongTube(t *testing.T) {
	m := shape.NewMask(shape.Shapes{shape.Tube{Width: 12,
		Nodes: shape.PathOf(shape.Node{X: 100, Y: -800}, shape.Node{X: 100, Y: 800})}}, 1)
	row := shell(t, m, m.Bounds(), 20, image.Rect(106, 0, 190, 1))
	for i, v := range row.Pix {
		if want := Profile(20, 12, float64(i)+0.5); math.Abs(float64(v)-want) > 0.002 {
			t.Errorf("at %d px from the edge: %.4f, profile says %.4f", i, v, want)
		}
	}
	if w := (shape.Shapes{shape.Tube{Width: 12, Nodes: shape.PathOf(shape.Node{},
		shape.Node{X: 4000})}}).Width(); math.Abs(w-12) > 0.1 {
		t.Errorf("a tube 12 wide is said to be %.2f wide", w)
	}
}

func TestDistancesAndBands(t *testing.T) {
	for i, want := range []float64{2, 4, 8, 16} {
		if got := LogSpace(2, 16, 4)[i]; math.Abs(got-want) > 1e-9 {
			t.Errorf("distance %d is %v, want %v", i, got, want)
		}
	}
	// Not blurred, a band is there or not.
	for d, want := range map[float64]float64{-1: 1, 0: 1, 0.1: 0, 5: 0} {
		if got := Profile(0, 10, d); got != want {
			t.Errorf("at %v a sharp band is %v", d, got)
		}
	}
	// At the edge of a wide band, a half; as far outside as inside, the rest of it.
	if got := Profile(3, 1000, 0); math.Abs(got-0.5) > 1e-9 {
		t.Errorf("at the edge: %v", got)
	}
	if a, b := Profile(3, 1000, 2), Profile(3, 1000, -2); math.Abs(a+b-1) > 1e-9 || a >= b {
		t.Errorf("2 px outside %v, inside %v", a, b)
	}
}

// At the upper and lower end of a level the expansion is that of a level with zeros
// beyond it.
func TestExpansionAtTheEnds(t *testing.T) {
	f := fill(image.Rect(0, 0, 3, 2), func(x, y int) float32 { return float32(1 + x + 5*y) })
	s, err := Collapse(context.Background(), []Term{{Level: 1, Field: f, Weight: []float32{1}}}, 1,
		image.Rect(-4, -4, 10, 10))
	if err != nil {
		t.Fatal(err)
	}
	// Along one axis a sample spreads over five: 1/8, 1/2, 3/4, 1/2, 1/8.
	k := map[int]float64{-2: 0.125, -1: 0.5, 0: 0.75, 1: 0.5, 2: 0.125}
	row := make([]float32, 14)
	var tmp []float32
	for y := -4; y < 10; y++ {
		tmp = s.Row(row, -4, y, tmp)
		for i, got := range row {
			want := 0.0
			for sy := range 2 {
				for sx := range 3 {
					want += float64(f.At(sx, sy)) * k[i-4-2*sx] * k[y-2*sy]
				}
			}
			if math.Abs(float64(got)-want) > 1e-5 {
				t.Errorf("at %d, %d it is %v, want %v", i-4, y, got, want)
			}
		}
	}
}

func TestCancelled(t *testing.T) {
	done, cancel := context.WithCancel(ctx)
	cancel()
	if _, err := NewPyramid(done, pixels{fill(image.Rect(0, 0, 100, 100),
		func(x, y int) float32 { return 1 })}, image.Rect(0, 0, 100, 100), 3); err == nil {
		t.Error("a cancelled pyramid gives no error")
	}
}

// The eight-shell stack of one light that covers 2 % of 24 megapixels, against
// one copy of the picture.
func BenchmarkStack24MP(b *testing.B) {
	shapes := shape.Shapes{shape.Outline{Nodes: shape.PathOf(shape.Node{X: 2500, Y: 1700},
		shape.Node{X: 3300, Y: 1700}, shape.Node{X: 3300, Y: 2300}, shape.Node{X: 2500, Y: 2300})}}
	frame := image.Rect(0, 0, 6000, 4000)
	out := raster.NewRGB(frame)
	dst := make([]float32, len(out.Pix))
	var stack, copies time.Duration
	for b.Loop() {
		t0 := time.Now()
		copy(dst, out.Pix)
		t1 := time.Now()
		m := shape.NewMask(shapes, 1)
		var terms []Term
		radii := []float64{2.5, 5, 10, 20, 40, 80, 160, 320}
		top, _ := Level(320)
		p := must(NewPyramid(ctx, m, m.Bounds(), top))
		for _, r := range radii {
			l, rest := Level(r)
			terms = append(terms, Term{Level: l,
				Field: must(p.Blur(ctx, l, rest, p.Extent(l, rest))), Weight: []float32{1, 0.8,
					0.5}})
		}
		s := must(Collapse(ctx, terms, 3, frame))
		err := raster.Rows(ctx, s.Rect.Min.Y, s.Rect.Max.Y, func(y0, y1 int) {
			var tmp []float32
			for y := y0; y < y1; y++ {
				tmp = s.Row(out.Row(y), 0, y, tmp)
			}
		})
		if err != nil {
			b.Fatal(err)
		}
		copies += t1.Sub(t0)
		stack += time.Since(t1)
	}
	b.ReportMetric(float64(stack)/float64(copies), "x-copy")
	b.ReportMetric(float64(stack.Microseconds())/1000/float64(b.N), "ms/work")
}

func ExampleNorm() {
	// A thin tube's wide shell has a peak of 0.02: by default most of its loss
	// is made good.
	fmt.Printf("%.1f %.1f %.1f", Norm(0.02, 0), Norm(0.02, 0.6), Norm(0.02, 1))
	// Output: 1.0 10.5 50.0
}

// A place probed is that of the Gaussian, from a deviation of a few pixels on.
func TestProbe(t *testing.T) {
	c := shape.Shapes{shape.Outline{Nodes: shape.PathOf(shape.Node{X: 400, Y: 300},
		shape.Node{X: 520, Y: 300}, shape.Node{X: 520, Y: 460}, shape.Node{X: 400, Y: 460})}}
	p, err := NewProbe(t.Context(), c, 2000)
	if err != nil {
		t.Fatal(err)
	}
	for _, sigma := range []float64{3, 7, 21, 90, 400} {
		along := func(from, to, at float64) float64 {
			k := 1 / (sigma * math.Sqrt2)
			return (math.Erf((to-at)*k) - math.Erf((from-at)*k)) / 2
		}
		for _, q := range [][2]float64{{460.5, 380.5}, {521.5, 380.5}, {530, 470.2}, {390.7, 250},
			{640, 300}} {
			want := along(400, 520, q[0]) * along(300, 460, q[1])
			if got := p.At(q[0], q[1], sigma); math.Abs(got-want) > 0.004*want+2e-3*along(400, 520,
				460) {
				t.Errorf("deviation %g at %v: %.5f, want %.5f", sigma, q, got, want)
			}
		}
	}
}

// Three channels expand as one does, to the bit, from wherever a row begins and however long it is.
func TestExpansionOfThreeChannels(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	three := newGrid(image.Rect(-2, -1, 19, 6), 3)
	for i := range three.pix {
		three.pix[i] = r.Float32()
	}
	var one [3]*grid
	for c := range one {
		one[c] = newGrid(three.rect, 1)
		for i := range one[c].pix {
			one[c].pix[i] = three.pix[3*i+c]
		}
	}
	var tmp []float32
	for y := -6; y < 16; y++ {
		for x0 := -9; x0 < 8; x0++ {
			for w := 1; w < 40; w++ {
				got, want := make([]float32, 3*w), make([]float32, w)
				tmp = three.expandRow(got, x0, y, tmp)
				for c := range one {
					tmp = one[c].expandRow(want, x0, y, tmp)
					for i, v := range want {
						if got[3*i+c] != v {
							t.Fatalf("row %d from %d, %d wide: channel %d of pixel %d is %v, alone %v", y, x0, w, c, i, got[3*i+c], v)
						}
					}
				}
			}
		}
	}
}

// Whatever is added ahead, and in whatever order, the sum has the same bits.
func TestAddedAheadIsTheSameSum(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	field := func(x, y, w, h int) *raster.Plane {
		p := raster.NewPlane(image.Rect(x, y, x+w, y+h))
		for i := range p.Pix {
			p.Pix[i] = r.Float32() * r.Float32()
		}
		return p
	}
	clip := image.Rect(3, 2, 90, 70)
	var terms []Term
	for l := range 4 {
		for range 5 {
			// so that some sums pass what is told from more
			k := float32(math.Exp2(8*r.Float64() - 4))
			terms = append(terms, Term{Level: l, Field: field(r.IntN(60)>>l-2, r.IntN(50)>>l-2,
				5+r.IntN(60)>>l, 5+r.IntN(40)>>l), Weight: []float32{k, k * r.Float32(),
				k * r.Float32()}})
		}
	}
	rows := func(s *Sum) (out []float32) {
		row := make([]float32, 3*clip.Dx())
		var tmp []float32
		for y := clip.Min.Y; y < clip.Max.Y; y++ {
			tmp = s.Row(row, clip.Min.X, y, tmp)
			out = append(out, row...)
		}
		return
	}
	whole := must(Collapse(ctx, terms, 3, clip))
	want := rows(whole)
	for range 40 {
		r.Shuffle(len(terms), func(i, j int) { terms[i], terms[j] = terms[j], terms[i] })
		k := r.IntN(len(terms) + 1)
		ahead := must(AddAhead(ctx, terms[:k], clip))
		s := must(CollapseOnto(ctx, ahead, terms[k:], 3, clip))
		if !slices.Equal(rows(s), want) {
			t.Fatalf("with %d of %d terms added ahead the sum is another", k, len(terms))
		}
		if s.Rect != whole.Rect {
			t.Fatalf("with %d terms added ahead the sum reaches %v, at once %v", k, s.Rect, whole.Rect)
		}
	}
	if a := must(AddAhead(ctx, terms, clip)); a.Bytes() < 12*int64(clip.Dx()*clip.Dy())/2 {
		t.Errorf("what is added ahead is said to take %d bytes", a.Bytes())
	}
}

// Rows that are made when they are wanted count as those that were kept.
func TestRowsOfATerm(t *testing.T) {
	kept := raster.NewRGB(image.Rect(-3, 2, 14, 9))
	for i := range kept.Pix {
		kept.Pix[i] = float32(i%17) / 16
	}
	for ch, weight := range map[int][]float32{3: {0.5, 2, 1}, 1: {0.5}} {
		rows := Term{Rect: kept.Rect, Rows: func(dst []float32, x0, y int) {
			row := kept.Row(y)[3*(x0-kept.Rect.Min.X):][:len(dst)]
			for i, v := range row {
				dst[i] += v * weight[i%len(weight)]
			}
		}}
		sum := func(term Term) (out []float32) {
			term.Weight = weight
			s, err := Collapse(t.Context(), []Term{term, term}, ch, image.Rect(0, 0, 12, 12))
			if err != nil {
				t.Fatal(err)
			}
			for y := range 12 {
				row := make([]float32, 12*ch)
				s.Row(row, 0, y, nil)
				out = append(out, row...)
			}
			return out
		}
		want := sum(Term{Colours: kept})
		if got := sum(rows); !slices.Equal(got, want) || slices.Max(want) == 0 {
			t.Errorf("%d channels: %v, want %v", ch, got, want)
		}
	}
}
