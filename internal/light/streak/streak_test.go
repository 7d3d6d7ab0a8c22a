package streak

import (
	"context"
	"errors"
	"fmt"
	"image"
	"math"
	"slices"
	"testing"
	"time"

	"pyrant/internal/recipe/shape"
)

func box(x0, y0, x1, y1 float64) shape.Shapes {
	return shape.Shapes{shape.Outline{Nodes: shape.PathOf(shape.Node{X: x0, Y: y0},
		shape.Node{X: x1, Y: y0}, shape.Node{X: x1, Y: y1}, shape.Node{X: x0, Y: y1})}}
}

// direct integrates a box along the direction, averaged over a pixel.
func direct(s Streak, x0, y0, x1, y1 float64, px, py int) float64 {
	ux, uy := s.Vector()
	from, to := s.ends()
	const n, sub = 800, 4
	sum := 0.0
	for j := range sub {
		for i := range sub {
			x, y := float64(px)+(float64(i)+0.5)/sub, float64(py)+(float64(j)+0.5)/sub
			for k := range n {
				t := from + (to-from)*(float64(k)+0.5)/n
				if qx, qy := x-t*ux, y-t*uy; qx >= x0 && qx < x1 && qy >= y0 && qy < y1 {
					sum += s.Kernel(t) * (to - from) / n
				}
			}
		}
	}
	return sum / sub / sub
}

func TestAgainstDirectIntegration(t *testing.T) {
	for _, c := range []struct {
		s          Streak
		rms, worst float64
	}{
		{Streak{60, 0, false, 0}, 0.001, 0.002}, {Streak{60, 180, false, 0.7}, 0.001, 0.002},
		{Streak{45, 90, false, 1}, 0.001, 0.002},
		{Streak{50, -90, true, 0}, 0.002, 0.01}, {Streak{70, 30, false, 0.5}, 0.003, 0.012},
		{Streak{70, 135, true, 1}, 0.002, 0.008},
		{Streak{70, 248, false, 0}, 0.004, 0.02}, {Streak{33.3, 45, true, 0.3}, 0.003, 0.013},
		{Streak{8, 61, false, 0}, 0.004, 0.025},
		// Edges that run along the direction are read between two pixels, and so up to half a pixel
		// softer.
		{Streak{200, 3, false, 1}, 0.018, 0.09}, {Streak{3, 20, false, 0}, 0.05, 0.13},
	} {
		s := c.s
		most := c
		t.Run(fmt.Sprint(s), func(t *testing.T) {
			c, err := New(t.Context(), box(100.3, 80, 130, 96.5), s)
			if err != nil {
				t.Fatal(err)
			}
			m := c.At(1)
			r := m.Bounds()
			row := make([]float32, r.Dx()+6)
			worst, square, n, peak := 0.0, 0.0, 0, 0.0
			for y := r.Min.Y - 2; y < r.Max.Y+2; y += 3 {
				m.Fill(row, r.Min.X-3, y)
				for i := 0; i < len(row); i += 3 {
					want := direct(s, 100.3, 80, 130, 96.5, r.Min.X-3+i, y) * float64(c.gain)
					d := math.Abs(float64(row[i]) - min(want, 1))
					worst, square, peak = max(worst, d), square+d*d, max(peak, want)
					if want > 0.001 {
						n++
					}
				}
			}
			if math.Abs(peak-1) > 0.03 {
				t.Errorf("its brightest place has %.3f", peak)
			}
			if rms := math.Sqrt(square / float64(n)); rms > most.rms || worst > most.worst {
				t.Errorf("off by %.4f rms, %.4f at most", rms, worst)
			}
		})
	}
}

// A streak of no length is the light; one of any size is the same at another scale.
func TestScaleAndNothing(t *testing.T) {
	b := box(400, 300, 520, 340)
	none, err := New(t.Context(), b, Streak{Angle: 30})
	if err != nil {
		t.Fatal(err)
	}
	row, want := make([]float32, 200), make([]float32, 200)
	none.At(1).Fill(row, 380, 320)
	b.At(1).Fill(want, 380, 320)
	for i := range row {
		if row[i] != want[i] {
			t.Fatalf("without length %v at %d, the light has %v", row[i], i, want[i])
		}
	}
	c, err := New(t.Context(), b, Streak{300, 25, false, 0.8})
	if err != nil {
		t.Fatal(err)
	}
	whole, small := c.At(1), c.At(0.25)
	big := make([]float32, 4)
	for _, p := range []image.Point{{110, 75}, {130, 70}, {160, 60}, {180, 52}, {190, 48},
		{120, 80}} {
		sum := 0.0
		for j := range 4 {
			whole.Fill(big, 4*p.X, 4*p.Y+j)
			for _, v := range big {
				sum += float64(v) / 16
			}
		}
		one := make([]float32, 1)
		if small.Fill(one, p.X, p.Y); math.Abs(float64(one[0])-sum) > 0.02 {
			t.Errorf("at %v of a quarter: %.4f, of the whole %.4f", p, one[0], sum)
		}
	}
}

func TestKernel(t *testing.T) {
	for _, s := range []Streak{{10, 0, false, 0}, {10, 0, true, 0.5}, {3, 0, false, 1}} {
		sum := 0.0
		for x := -20.0; x < 20; x += 0.001 {
			sum += s.Kernel(x) * 0.001
		}
		if math.Abs(sum-1) > 0.002 {
			t.Errorf("%v: the kernel's integral is %v", s, sum)
		}
	}
	s := Streak{10, 0, false, 1}
	if s.Kernel(-0.1) != 0 || s.Kernel(10.1) != 0 || s.Kernel(2) <= s.Kernel(8) {
		t.Errorf("the kernel does not fall to its end: %v, %v", s.Kernel(2), s.Kernel(8))
	}
}

func TestCancelled(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := New(ctx, box(0, 0, 300, 200), Streak{200, 10, false, 0}); err == nil {
		t.Error("a cancelled streak has no error")
	}
	c, err := New(t.Context(), box(0, 0, 300, 200), Streak{200, 10, false, 0})
	if err != nil {
		t.Fatal(err)
	}
	m := c.At(2)
	if err := Ready(ctx, m); err == nil {
		t.Error("a cancelled mask has no error")
	}
	if err := Ready(t.Context(), m); err != nil || m.Bytes() < 2*500*200 {
		t.Errorf("afterwards it cannot be worked out: %v, %d bytes", err, m.Bytes())
	}
}

func Example() {
	bolt, err := New(context.Background(), box(0, 0, 20, 10), Streak{Length: 100, Angle: 0})
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(bolt.At(1).Bounds())
	// Output: (-1,-1)-(122,12)
}

// A part of a streak is the same to the bit as all of it there, and takes the memory of the part.
func TestWithin(t *testing.T) {
	part := image.Rect(300, 200, 700, 500)
	for _, s := range []Streak{{900, 0, false, 0.3}, {900, 45, true, 0.8}, {1200, 100, false, 1},
		{1500, 200, true, 0}, {700, 315, false, 0.5}} {
		for _, b := range []shape.Shapes{box(400, 300, 520, 340), box(-300, 250, -200, 300),
			box(900, 800, 990, 830)} {
			c, err := New(t.Context(), b, s)
			if err != nil {
				t.Fatal(err)
			}
			whole, within := c.At(1), c.Within(1, part)
			if err := Ready(t.Context(), within); err != nil {
				t.Fatal(err)
			}
			if r := within.Bounds(); !r.In(part) ||
				within.(*mask).bytes.Load() > 2*int64(part.Dx()*part.Dy()) {
				t.Errorf("%v: it goes to %v and takes %d bytes", s, r, within.Bytes())
			}
			want, got := make([]float32, part.Dx()), make([]float32, part.Dx())
			for y := part.Min.Y; y < part.Max.Y; y += 7 {
				whole.Fill(want, part.Min.X, y)
				within.Fill(got, part.Min.X, y)
				if !slices.Equal(got, want) {
					t.Errorf("%v: row %d differs from that of the whole", s, y)
					break
				}
			}
		}
	}
}

// Who asks how much memory a streak takes does not wait until it is drawn, and who waits for it may
// give up.
func TestNobodyWaitsForADrawing(t *testing.T) {
	c, err := New(t.Context(), box(0, 0, 40, 40), Streak{200, 10, false, 0})
	if err != nil {
		t.Fatal(err)
	}
	m := c.At(1).(*mask)
	m.turn <- struct{}{} // as while somebody draws
	answered := make(chan bool)
	go func() { m.Bytes(); close(answered) }()
	select {
	case <-answered:
	case <-time.After(10 * time.Second):
		t.Fatal("asked for its size it does not answer")
	}
	given, up := context.WithCancel(t.Context())
	up()
	if err := m.Ready(given); !errors.Is(err, context.Canceled) {
		t.Errorf("who gave up waiting gets %v", err)
	}
	<-m.turn
	if err := m.Ready(t.Context()); err != nil || len(m.pix) == 0 {
		t.Errorf("drawn afterwards: %v", err)
	}
}
