package guided

import (
	"context"
	"image"
	"math"
	"math/rand/v2"
	"pyrant/internal/base/raster"
	"testing"
)

// The guided filter, held against its definition, window by window.
func TestGuidedFilter(t *testing.T) {
	const w, h, r, edge = 23, 17, 3, 0.01
	rnd := rand.New(rand.NewPCG(7, 8))
	p, in := raster.NewPlane(image.Rect(0, 0, w, h)), raster.NewPlane(image.Rect(0, 0, w, h))
	for i := range p.Pix {
		p.Pix[i] = float32(0.3*rnd.Float64()) + []float32{0.1, 0.6}[i%w/12]
		in.Pix[i] = float32(rnd.Float64())
	}
	windows := func(x, y int, visit func(i int)) {
		for v := max(y-r, 0); v <= min(y+r, h-1); v++ {
			for u := max(x-r, 0); u <= min(x+r, w-1); u++ {
				visit(v*w + u)
			}
		}
	}
	a, b := make([]float64, w*h), make([]float64, w*h)
	for y := range h {
		for x := range w {
			n, sum, sq, other, both := 0.0, 0.0, 0.0, 0.0, 0.0
			windows(x, y, func(i int) {
				v, q := float64(p.Pix[i]), float64(in.Pix[i])
				n, sum, sq, other, both = n+1, sum+v, sq+v*v, other+q, both+v*q
			})
			mean := sum / n
			a[y*w+x] = (both/n - mean*other/n) / (sq/n - mean*mean + edge)
			b[y*w+x] = other/n - a[y*w+x]*mean
		}
	}
	g, err := New(context.Background(), in, p, r, edge)
	if err != nil {
		t.Fatal(err)
	}
	ra, rb := make([]float32, w), make([]float32, w)
	for y := range h {
		for x := range w {
			n, ma, mb := 0.0, 0.0, 0.0
			windows(x, y, func(i int) { n++; ma += a[i]; mb += b[i] })
			v := float64(p.At(x, y))
			g.Row(ra, rb, p.Rect, 0, y)
			if got, want := float64(ra[x])*v+float64(rb[x]),
				ma/n*v+mb/n; math.Abs(got-want) > 1e-5 {
				t.Fatalf("at %d, %d the filter leaves %v, want %v", x, y, got, want)
			}
		}
	}
}

// Brought up to a larger picture, coefficients lie where they did: those of a plane that
// rises evenly still do.
func TestRowsOfALargerPicture(t *testing.T) {
	a, b := raster.NewPlane(image.Rect(0, 0, 8, 4)), raster.NewPlane(image.Rect(0, 0, 8, 4))
	for y := range 4 {
		for x := range 8 {
			a.Row(y)[x] = float32(x) + 0.5 + 10*(float32(y)+0.5)
			b.Row(y)[x] = -a.Row(y)[x]
		}
	}
	frame := image.Rect(0, 0, 24, 12) // three times as large
	ra, rb := make([]float32, 10), make([]float32, 10)
	for y := 3; y < 9; y++ {
		(&Filter{a, b}).Row(ra, rb, frame, 7, y)
		for i := range ra {
			want := (float64(7+i)+0.5)/3 + 10*(float64(y)+0.5)/3
			if math.Abs(float64(ra[i])-want) > 1e-4 || ra[i] != -rb[i] {
				t.Fatalf("at %d, %d it is %v and %v, want %v", 7+i, y, ra[i], rb[i], want)
			}
		}
	}
	// Beyond the middles of the outermost samples it goes on level.
	(&Filter{a, b}).Row(ra[:1], rb[:1], frame, 0, 0)
	if ra[0] != 5.5 {
		t.Errorf("in the corner it is %v", ra[0])
	}
}

func BenchmarkNew(b *testing.B) {
	p := raster.NewPlane(image.Rect(0, 0, 1024, 683))
	for i := range p.Pix {
		p.Pix[i] = float32(i%97) / 97
	}
	for b.Loop() {
		if _, err := New(context.Background(), p, p, 5, 0.01); err != nil {
			b.Fatal(err)
		}
	}
}
