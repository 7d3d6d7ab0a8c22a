package scene

import (
	"math"
	"os"
	"path/filepath"
	"testing"

	"pyrant/internal/recipe/shape"
)

func square(x, y, w float64) Mark {
	return Mark{Kind: "outline", Points: [][2]float64{{x, y}, {x + w, y}, {x + w, y + w}, {x, y + w}}}
}

// truth is a mask of 100 by 100 pixels for a frame of half that.
func truth(f func(x, y int) bool) *Field {
	t := &Field{W: 100, H: 100, K: 2, Pix: make([]float32, 10000)}
	for i := range t.Pix {
		if f(i%100, i/100) {
			t.Pix[i] = 1
		}
	}
	return t
}

func TestCompare(t *testing.T) {
	l := Light{Shapes: []Mark{square(10, 10, 20)}}
	all := truth(func(x, y int) bool { return x >= 20 && x < 60 && y >= 20 && y < 60 })
	for _, c := range []struct {
		name     string
		truth    *Field
		found    Mark
		iou, off float64
	}{
		{"the same", all, square(10, 10, 20), 1, 0},
		{"moved by 1", all, square(11, 10, 20), 19.0 / 21, 0.5},
		// What stands in front takes a strip out of it, with the rim beside that.
		{"partly hidden", truth(func(x, y int) bool {
			return x >= 20 && x < 60 && y >= 20 && y < 60 && (y < 34 || y >= 46)
		}), square(10, 10, 20), 1, 0},
		{"nothing", all, square(-90, 10, 20), 0, 1000},
	} {
		r := Compare(c.truth, l, 0, c.found.Shape(0)...)
		if math.Abs(r.IoU-c.iou) > 0.01 || math.Abs(r.Edge-c.off) > 0.06 {
			t.Errorf("%s: %+v, want %.3f and %.2f", c.name, r, c.iou, c.off)
		}
	}
	if r := Compare(all, l, 0, square(10, 10, 20).Shape(2)...); r.IoU > 0.75 ||
		math.Abs(r.Edge-2) > 0.3 {
		t.Errorf("2 px too wide: %+v", r)
	}
}

func TestInside(t *testing.T) {
	m := square(10, 10, 20)
	at, ok := m.Inside(truth(func(x, y int) bool { return x < 40 }))
	if !ok || at[0] > 16.5 || at[0] < 13.5 {
		t.Errorf("%v, %v", at, ok)
	}
	if _, ok := m.Inside(truth(func(int, int) bool { return false })); ok {
		t.Error("well inside of what is hidden")
	}
}

func TestOpen(t *testing.T) {
	s, err := Open("testdata/quay")
	if err != nil || len(s.Lights) != 5 || len(s.Lights[0].Shapes) != 6 {
		t.Fatalf("%+v, %v", s, err)
	}
	m, err := s.Mask(s.Lights[0].Mask)
	if err != nil || m.K != 1 || m.W != 1500 {
		t.Errorf("%v, %v", m, err)
	}
	if len(s.Lights[1].Shapes[0].Shape(0)) != 1 ||
		shape.KindOf(s.Lights[1].Shapes[0].Shape(0)[0]) != "tube" {
		t.Error("the rod is no tube")
	}
	dir := t.TempDir()
	for _, bad := range []string{"", "{", `{"width":0}`} {
		os.WriteFile(filepath.Join(dir, "marks.json"), []byte(bad), 0o600)
		if _, err := Open(dir); err == nil {
			t.Errorf("%q was read", bad)
		}
	}
}
