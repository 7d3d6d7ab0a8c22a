package raster

import (
	"fmt"
	"image"
	"math"
	"slices"
	"testing"
)

// A mean is that of what lies in the window, at the edges of less; several in succession are one
// after the other.
func TestMeans(t *testing.T) {
	for _, size := range [][2]int{{1, 1}, {7, 5}, {70, 33}, {130, 3}} {
		for _, radius := range []int{0, 1, 4, 200} {
			w, h := size[0], size[1]
			p := NewPlane(image.Rect(3, -2, 3+w, -2+h))
			for i := range p.Pix {
				p.Pix[i] = float32(math.Sin(float64(i*i))) + 2
			}
			want := p
			for range 3 {
				next := NewPlane(p.Rect)
				for i := range next.Pix {
					x, y, sum, n := i%w, i/w, 0.0, 0.0
					for v := max(y-radius, 0); v <= min(y+radius, h-1); v++ {
						for u := max(x-radius, 0); u <= min(x+radius, w-1); u++ {
							sum, n = sum+float64(want.Pix[v*w+u]), n+1
						}
					}
					next.Pix[i] = float32(sum / n)
				}
				got, err := Means(t.Context(), want, radius)
				if err != nil {
					t.Fatal(err)
				}
				near(t, "means", got, next)
				want = next
			}
			got, err := Boxes(t.Context(), p, radius, 3)
			if err != nil {
				t.Fatal(err)
			}
			near(t, "three boxes", got, want)
		}
	}
}

func near(t *testing.T, name string, got, want *Plane) {
	t.Helper()
	if got.Rect != want.Rect {
		t.Fatalf("%s over %v, want %v", name, got.Rect, want.Rect)
	}
	for i, v := range got.Pix {
		if math.Abs(float64(v-want.Pix[i])) > 1e-5 {
			t.Fatalf("%s over %v: %v at %d, want %v", name, got.Rect, v, i, want.Pix[i])
		}
	}
}

// Of work that fails the first number's error is told, whichever came first, and all others are
// done.
func TestTry(t *testing.T) {
	done := make([]bool, 40)
	err := Try(t.Context(), len(done), func(i int) error {
		done[i] = true
		if i == 7 || i == 30 {
			return fmt.Errorf("number %d", i)
		}
		return nil
	})
	if err == nil || err.Error() != "number 7" || slices.Contains(done, false) {
		t.Errorf("%v; done %v", err, done)
	}
	if err := Try(t.Context(), 3, func(int) error { return nil }); err != nil {
		t.Error(err)
	}
}
