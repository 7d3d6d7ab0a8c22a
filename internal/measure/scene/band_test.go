package scene

import (
	"math"
	"slices"
	"testing"

	"pyrant/internal/base/colour"
)

func TestBand(t *testing.T) {
	// Half of a picture is covered, with one column that is mixed.
	f := &Field{W: 2400, H: 40, K: 1, Pix: make([]float32, 2400*40)}
	for i := range f.Pix {
		switch x := i % f.W; {
		case x < 1000:
			f.Pix[i] = 1
		case x == 1000:
			f.Pix[i] = 0.5
		}
	}
	n := 0
	for i, in := range f.Band() {
		if x := i % f.W; in != (x >= 990 && x <= 1010) {
			t.Fatalf("column %d is in the band: %v", x, in)
		}
		if in {
			n++
		}
	}
	if n != 21*40 {
		t.Errorf("%d pixels", n)
	}
	off := &Field{W: f.W, H: f.H, K: 1, Pix: make([]float32, len(f.Pix))}
	for i, v := range f.Pix {
		off.Pix[i] = v
		if i%f.W == 1005 {
			off.Pix[i] = 0.42
		}
	}
	if e := BandError(f, off); e < 0.0199 || e > 0.0201 {
		t.Errorf("0.42 in one of 21 columns gives an error of %v", e)
	}
	own := make(OwnLight, 3*len(f.Pix))
	for i, v := range f.Pix {
		own[3*i], own[3*i+1], own[3*i+2] = 0.3*v, 0.2*v, 0.1*v
	}
	if e := CompositeError(f, own, f, own); e != 0 {
		t.Errorf("the truth differs from itself by %v", e)
	}
	// Half covered by grey everywhere, and nothing of it found: on black and on blue the grey is
	// missing, on white half of the white is; the median is the middle of the three.
	for i := range f.Pix {
		f.Pix[i], off.Pix[i] = 0.5, 0
		own[3*i], own[3*i+1], own[3*i+2] = 0.1, 0.1, 0.1
	}
	differ := func(g colour.RGB) float64 {
		l1, a1, b1 := g.Lab()
		l2, a2, b2 := colour.RGB{R: 0.1 + 0.5*g.R, G: 0.1 + 0.5*g.G, B: 0.1 + 0.5*g.B}.Lab()
		return colour.DeltaE2000(l1, a1, b1, l2, a2, b2)
	}
	each := []float64{differ(grounds[0]), differ(grounds[1]), differ(grounds[2])}
	slices.Sort(each)
	if e := CompositeError(f, own, off, make(OwnLight, len(own))); math.Abs(e-each[1]) > 1e-3 {
		t.Errorf("without the object it differs by %v, not %v", e, each[1])
	}
}
