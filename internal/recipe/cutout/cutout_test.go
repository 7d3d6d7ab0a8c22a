package cutout

import (
	"fmt"
	"image"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"pyrant/internal/base/fault"
	"pyrant/internal/recipe/setting"
)

// disc returns the mask of a soft disc whose shares of red light are half of its coverage.
func disc(w, h int, cx, cy, r float64) *Mask {
	m := NewMask(w, h)
	nx, ny := m.Tiles()
	alpha, share := make([]float32, Tile*Tile), make([]float32, 3*Tile*Tile)
	for ty := range ny {
		for tx := range nx {
			for i := range alpha {
				x, y := float64(tx*Tile+i%Tile)+0.5, float64(ty*Tile+i/Tile)+0.5
				a := float32(min(max(r-math.Hypot(x-cx, y-cy)+0.5, 0), 1))
				alpha[i], share[3*i], share[3*i+1], share[3*i+2] = a, a/2, a, a
			}
			m.Set(tx, ty, alpha, share)
		}
	}
	return m
}

func packed(t *testing.T, m *Mask) CutOut {
	t.Helper()
	tiles, err := m.Pack()
	if err != nil {
		t.Fatal(err)
	}
	return CutOut{ID: "c1", Name: "Disc", Raster: Raster{Cell: 1, Width: m.W, Height: m.H, Tiles: tiles}}
}

func TestPackedMasksComeBackAsTheyWere(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 20 {
		m := NewMask(1+r.IntN(200), 1+r.IntN(200))
		nx, ny := m.Tiles()
		alpha, share := make([]float32, Tile*Tile), make([]float32, 3*Tile*Tile)
		for n := range nx * ny {
			switch r.IntN(3) {
			case 0:
				m.Fill(n%nx, n/nx)
			case 1:
				for i := range alpha {
					alpha[i] = r.Float32()
					share[3*i], share[3*i+1], share[3*i+2] = r.Float32(), r.Float32(), r.Float32()
				}
				m.Set(n%nx, n/nx, alpha, share)
			}
		}
		c := packed(t, m)
		got, err := c.Raster.Mask()
		if err != nil {
			t.Fatal(err)
		}
		for y := -1; y <= m.H; y++ {
			for x := -1; x <= m.W; x++ {
				for _, what := range []What{Alpha, Share, Red, Green, Blue} {
					if a, b := m.At(x, y, what), got.At(x, y, what); a != b {
						t.Fatalf("value %d of the cell at %d, %d: %g became %g", what, x, y, a, b)
					}
				}
			}
		}
	}
}

func TestDamagedPixelsAreAFault(t *testing.T) {
	c := packed(t, disc(150, 120, 70, 60, 40))
	good := c.Raster.Tiles.Bytes()
	for what, data := range map[string][]byte{
		"cut off":       good[:len(good)/2],
		"another form":  append([]byte{9}, good[1:]...),
		"no deflate":    {form, 0xff, 0xff, 0xff},
		"of one byte":   {form},
		"unknown tiles": {form, 1, 6, 0, 0xf9, 0xff, 7, 7, 7, 7, 7, 7}, // six bytes, stored
	} {
		r := c.Raster
		r.Tiles = setting.BytesOf(data)
		if _, err := r.Mask(); !fault.Is(err, fault.Invalid) || !strings.Contains(err.Error(), "damaged") {
			t.Errorf("%s: %v", what, err)
		}
	}
	if m, err := (&Raster{Cell: 1, Width: 70, Height: 10}).Mask(); err != nil ||
		m.At(3, 3, Alpha) != 0 {
		t.Errorf("an empty raster: %v", err)
	}
	if field, msg := (Raster{Width: 60000, Height: 60000}).Check(setting.Frame{}); field == "" ||
		!strings.Contains(msg, "400 million") {
		t.Errorf("a raster beyond all photos: %q %q", field, msg)
	}
}

// At the photo's own scale the coverage is that of the cells; at any scale its sum is that of the
// cells by the area of a pixel; and it moves with the cut-out.
func TestCoverageAtAnyScale(t *testing.T) {
	m := disc(200, 160, 90.3, 71.8, 50)
	c := packed(t, m)
	at1 := c.On(m, Alpha).At(1)
	row := make([]float32, 200)
	for y := range 160 {
		at1.Fill(row, 0, y)
		for x, v := range row {
			if w := m.At(x, y, Alpha); math.Abs(float64(v-w)) > 1e-5 {
				t.Fatalf("at %d, %d of the photo's scale it is %g, the cell %g", x, y, v, w)
			}
		}
	}
	want := math.Pi * 50 * 50
	if a := c.On(m, Alpha).Area(); math.Abs(a/want-1) > 0.002 {
		t.Errorf("the area is %.0f, of the disc %.0f", a, want)
	}
	if l := c.On(m, Alpha).Line(); math.Abs(l/(2*math.Pi*50)-1) > 0.02 {
		t.Errorf("the edge is %.0f px long, of the disc %.0f", l, 2*math.Pi*50)
	}
	if w := c.On(m, Alpha).Width(); math.Abs(w/50-1) > 0.02 {
		t.Errorf("the width is %.1f, twice area by edge of the disc 50", w)
	}
	for _, s := range []struct{ scale, cell, x, y, least float64 }{
		{1, 1, 0, 0, 0.999}, {0.31, 1, 0, 0, 0.995}, {0.1, 1, 30.4, -7.7, 0.99},
		{0.5, 4, -300, 12.25, 0.999}, {1, 2.5, 0.3, 0.4, 0.999},
	} {
		k := c
		k.X, k.Y, k.Raster.Cell = s.x, s.y, s.cell
		part := k.On(m, Alpha)
		mask := part.At(s.scale)
		b := mask.Bounds()
		sum, mx, my := 0.0, 0.0, 0.0
		row := make([]float32, b.Dx()+4)
		for y := b.Min.Y - 2; y < b.Max.Y+2; y++ {
			mask.Fill(row, b.Min.X-2, y)
			for i, v := range row {
				sum += float64(v)
				mx += float64(v) * (float64(b.Min.X-2+i) + 0.5)
				my += float64(v) * (float64(y) + 0.5)
			}
		}
		if got := sum /
			(s.scale * s.scale); math.Abs(got/(want*s.cell*s.cell)-1) > 1-s.least+0.002 {
			t.Errorf("%+v: %.0f square pixels are covered, %.0f should be", s, got, want*s.cell*s.cell)
		}
		if gx, gy := mx/sum/s.scale, my/sum/s.scale; math.Hypot(gx-90.3*s.cell-s.x,
			gy-71.8*s.cell-s.y) > 0.05*s.cell {
			t.Errorf("%+v: its middle lies at %.2f, %.2f", s, gx, gy)
		}
		if v := part.Covered(90.3*s.cell+s.x, 71.8*s.cell+s.y); v != 1 {
			t.Errorf("%+v: in its middle %g is covered", s, v)
		}
	}
	if v := c.On(m, Red).Covered(90, 72); math.Abs(v-0.5) > 0.01 {
		t.Errorf("of the red light %g is the thing's own, not a half", v)
	}
	if v := c.On(m, Share).Covered(90, 72); math.Abs(v-(1-0.2126/2)) > 0.01 {
		t.Errorf("of the luminance %g is the thing's own", v)
	}
	keys := map[string]bool{}
	for _, what := range []What{Alpha, Share, Red} {
		for _, x := range []float64{0, 1} {
			k := c
			k.X = x
			keys[k.On(m, what).Key()] = true
		}
	}
	if len(keys) != 6 {
		t.Errorf("six coverages have %d keys", len(keys))
	}
}

// A thing that the frame cuts off covers the pixels at the frame's edge in full, at every scale.
func TestAtTheFramesEdge(t *testing.T) {
	m := NewMask(101, 70)
	nx, ny := m.Tiles()
	for n := range nx * ny {
		m.Fill(n%nx, n/nx)
	}
	c := packed(t, m)
	for _, what := range []What{Alpha, Red, Green, Blue} {
		mask := c.On(m, what).At(0.33)
		row := make([]float32, 33)
		mask.Fill(row, 0, 10)
		for i, v := range row {
			if v < 0.9999 {
				t.Errorf("value %d of pixel %d of the row is %g", what, i, v)
			}
		}
	}
}

// Tiles that are alike all over take no memory, whoever wrote them.
func TestEvenTilesTakeNoMemory(t *testing.T) {
	m := NewMask(1000, 1000)
	bare := m.Bytes()
	alpha, share := make([]float32, Tile*Tile), make([]float32, 3*Tile*Tile)
	m.Set(1, 1, alpha, share)
	for i := range alpha {
		alpha[i], share[3*i], share[3*i+1], share[3*i+2] = 1, 1, 1, 1
	}
	m.Set(2, 2, alpha, share)
	if m.Bytes() != bare || m.At(2*Tile+5, 2*Tile+5, Green) != 1 || m.At(Tile+5, Tile+5,
		Green) != 0 {
		t.Errorf("even tiles take %d bytes", m.Bytes()-bare)
	}
	share[7] = 0.5
	if m.Set(3, 3, alpha, share); m.Bytes() == bare || m.At(3*Tile+2, 3*Tile, Green) == 1 {
		t.Error("a tile of one share that differs is taken for even")
	}
}

// Two corners that meet are one line or two, as more or less than half is covered between them.
func TestLinesWhereCornersMeet(t *testing.T) {
	for _, tt := range []struct {
		in, out float32
		lines   int
	}{{1, 0.2, 1}, {0.8, 0, 2}} {
		m := NewMask(64, 64)
		alpha, share := make([]float32, Tile*Tile), make([]float32, 3*Tile*Tile)
		for i := range alpha {
			x, y := i%Tile, i/Tile
			if x >= 10 && x < 30 && y >= 10 && y < 30 || x >= 30 && x < 50 && y >= 30 && y < 50 {
				alpha[i] = tt.in
			} else if x >= 10 && x < 50 && y >= 10 && y < 50 {
				alpha[i] = tt.out
			}
		}
		m.Set(0, 0, alpha, share)
		c := packed(t, m)
		if got := Lines(c.On(m, Alpha), 1); len(got) != tt.lines {
			t.Errorf("%g against %g: %d lines, not %d", tt.in, tt.out, len(got), tt.lines)
		}
	}
}

func TestLinesBoundWhatIsCovered(t *testing.T) {
	m := disc(300, 260, 140, 120, 90)
	hole := disc(300, 260, 150, 110, 30)
	nx, ny := m.Tiles()
	a, b, s := make([]float32, Tile*Tile), make([]float32, Tile*Tile), make([]float32, 3*Tile*Tile)
	for n := range nx * ny {
		m.Get(n%nx, n/nx, a, s)
		hole.Get(n%nx, n/nx, b, s)
		for i := range a {
			a[i] -= b[i]
		}
		m.Set(n%nx, n/nx, a, s)
	}
	c := packed(t, m)
	for _, step := range []float64{1, 3} {
		lines := Lines(c.On(m, Alpha), step)
		if len(lines) != 2 {
			t.Fatalf("at steps of %g there are %d lines, a rim and a hole are two", step, len(lines))
		}
		turn := func(l []Point) (v float64) {
			for i, p := range l {
				q := l[(i+1)%len(l)]
				v += (p.X*q.Y - q.X*p.Y) / 2
			}
			return
		}
		out, in := turn(lines[0]), turn(lines[1])
		if math.Abs(math.Abs(out)/(math.Pi*8100)-1) > 0.01*step ||
			math.Abs(math.Abs(in)/(math.Pi*900)-1) > 0.02*step || out*in > 0 {
			t.Errorf("at steps of %g the lines enclose %.0f and %.0f, and run to opposite sides: %v", step, out, in, out*in < 0)
		}
		for _, p := range lines[0] {
			if d := math.Hypot(p.X-140, p.Y-120) - 90; math.Abs(d) > 0.15*step {
				t.Fatalf("at steps of %g a point lies %.2f px off the rim", step, d)
			}
		}
	}
}

func TestGrownMasksKeepWhatTheyHave(t *testing.T) {
	m := disc(100, 90, 40, 50, 30)
	g := m.Grown(1, 2, 300, 400)
	if g.W < 300 || g.H < 400 {
		t.Fatalf("it has %d by %d cells", g.W, g.H)
	}
	for y := range 90 {
		for x := range 100 {
			if m.At(x, y, Alpha) != g.At(x+Tile, y+2*Tile, Alpha) {
				t.Fatalf("the cell at %d, %d changed", x, y)
			}
		}
	}
	if a, _ := g.measure(); math.Abs(a/(math.Pi*900)-1) > 0.01 {
		t.Errorf("it covers %.0f cells", a)
	}
}

func ExampleCutOut_On() {
	m := NewMask(128, 64)
	m.Fill(1, 0) // the right half
	tiles, err := m.Pack()
	c := CutOut{Raster: Raster{Left: 10, Cell: 1, Width: 128, Height: 64, Tiles: tiles}}
	row := make([]float32, 5)
	c.On(m, Alpha).At(0.5).Fill(row, 35, 16)
	fmt.Println(row, tiles.Len() < 40, err)
	// Output: [0 0 1 1 1] true <nil>
}

// A trimmed mask covers what it did, a little of nothing around it where there was some.
func TestTrimmedMasksKeepWhatTheyHave(t *testing.T) {
	for _, tt := range []struct {
		name            string
		x, y, w, h      int // a block that is covered, of 400 by 300 cells
		left, top, W, H int
	}{
		{"in the middle", 200, 150, 30, 20, 2, 1, 192, 192},
		{"at the frame's corner", 330, 260, 70, 40, 4, 3, 144, 108},
		{"nothing", 0, 0, 0, 0, 0, 0, 0, 0},
	} {
		m := NewMask(400, 300)
		nx, ny := m.Tiles()
		alpha, share := make([]float32, Tile*Tile), make([]float32, 3*Tile*Tile)
		for j := range ny {
			for i := range nx {
				for k := range alpha {
					x, y := i*Tile+k%Tile, j*Tile+k/Tile
					alpha[k] = 0
					if image.Pt(x, y).In(image.Rect(tt.x, tt.y, tt.x+tt.w, tt.y+tt.h)) {
						alpha[k] = 1
					}
					share[3*k], share[3*k+1], share[3*k+2] = alpha[k], alpha[k], alpha[k]
				}
				m.Set(i, j, alpha, share)
			}
		}
		got, left, top := m.Trimmed()
		if left != tt.left || top != tt.top || got.W != tt.W || got.H != tt.H {
			t.Fatalf("%s: %d by %d cells from tile %d, %d", tt.name, got.W, got.H, left, top)
		}
		for y := range 300 {
			for x := range 400 {
				if a, b := m.At(x, y, Alpha), got.At(x-left*Tile, y-top*Tile, Alpha); a != b {
					t.Fatalf("%s: cell %d, %d has %v, and had %v", tt.name, x, y, b, a)
				}
			}
		}
	}
}

// A row is to the bit what its pixels are one by one, at any scale and from wherever it is begun.
func TestRowsArePixels(t *testing.T) {
	m := disc(200, 160, 90.3, 71.8, 50)
	for _, scale := range []float64{2.3, 1, 0.73, 0.5, 0.31, 0.1} {
		c := packed(t, m)
		part := c.On(m, Alpha).At(scale).(*scaled)
		b := part.Bounds()
		for y := b.Min.Y; y < b.Max.Y; y++ {
			for _, x0 := range []int{b.Min.X - 3, b.Min.X + b.Dx()/3} {
				row := make([]float32, b.Max.X+2-x0)
				part.Fill(row, x0, y)
				for i, got := range row {
					u, v := (float64(x0+i)+0.5-part.x0)*part.k, (float64(y)+0.5-part.y0)*part.k
					want := part.mean(u-part.span/2, v-part.span/2, u+part.span/2, v+part.span/2)
					if x0+i < b.Min.X || x0+i >= b.Max.X {
						want = 0
					}
					if got != want {
						t.Fatalf("scale %g, pixel %d, %d: %v in a row, alone %v", scale, x0+i, y, got, want)
					}
				}
			}
		}
	}
}
