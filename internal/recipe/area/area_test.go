package area

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"sync"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/recipe/setting"
)

func one(of Source) Part { return Part{On: true, Does: Add, Amount: 1, Of: of} }

func near(t *testing.T, what string, got, want, by float64) {
	t.Helper()
	if math.Abs(got-want) > by || math.IsNaN(got) {
		t.Errorf("%s is %v, want %v", what, got, want)
	}
}

func TestSimplified(t *testing.T) {
	// A straight line of changing pressure keeps the points where it turns.
	var press []Dab
	for i := range 101 {
		press = append(press, Dab{float64(i), 0, 1 - math.Abs(float64(i)-40)/100})
	}
	if s := Simplified(setting.ListOf(press...)); s.Len() != 3 || s.At(1).X != 40 {
		t.Errorf("of a line whose pressure rises and falls %d points are left", s.Len())
	}

	rnd := rand.New(rand.NewPCG(1, 1))
	points := make([]Dab, 20000)
	for i := range points {
		u := float64(i) / 1000
		points[i] = Dab{500 + 300*math.Sin(u) + rnd.Float64()*0.1, 400 + 200*math.Cos(1.3*u) +
			rnd.Float64()*0.1, 0.5 + 0.4*math.Sin(u/3)}
	}
	s := Simplified(setting.ListOf(points...))
	if n := s.Len(); n > 1500 || n < 100 {
		t.Errorf("of 20000 points %d are left", n)
	}
	kept := s.All()
	for i, p := range points {
		best := math.Inf(1)
		for k := 1; k < len(kept); k++ {
			best = math.Min(best, stray(p, kept[k-1], kept[k]))
		}
		if best > Stray+1e-9 {
			t.Fatalf("point %d strays %v px", i, best)
		}
	}
	if again := Simplified(s); again.Len() > s.Len() {
		t.Error("it grows")
	}
	dot := setting.ListOf(Dab{1, 2, 1})
	if Simplified(dot).Len() != 1 {
		t.Error("a dot is gone")
	}
}

// A band of hue is full between its ends, gone beyond its soft ends, goes round at 0,
// and leaves grey out.
func TestHueBand(t *testing.T) {
	h := Hue{Hue: 20, Width: 60, Soft: 30, Chroma: 0.04}
	for _, c := range []struct{ hue, chroma, want float64 }{
		{20, 0.1, 1}, {50, 0.1, 1}, {350, 0.1, 1}, {65, 0.1, 0.5}, {335, 0.1, 0.5}, {80.1, 0.1, 0},
		{319.9, 0.1, 0}, {200, 0.1, 0},
		{20, 0.04, 1}, {20, 0.03, 0.5}, {20, 0.02, 0}, {20, 0, 0},
	} {
		near(t, fmt.Sprintf("hue %v with chroma %v", c.hue, c.chroma), h.At(c.hue, c.chroma), c.want, 1e-9)
	}
	if v := (Hue{Hue: 10, Width: 360}).At(190, 0); v != 1 {
		t.Errorf("a whole turn leaves %v of the other side", v)
	}
	// Colours of known hue.
	for want, c := range map[float32]colour.RGB{1: colour.OKLCh(0.6, 0.1, 20),
		0.5: colour.OKLCh(0.6, 0.1, 65), 0: colour.OKLCh(0.6, 0.1, 140)} {
		near(t, "a colour", float64(h.Of(c.R, c.G, c.B)), float64(want), 5e-3)
	}
}

// Parts and strokes at their defaults are valid on photos of every size.
func TestDefaultsAreValid(t *testing.T) {
	for _, f := range []setting.Frame{{W: 1, H: 1}, {W: 2, H: 3}, {W: 60000, H: 60000}} {
		for _, k := range Kinds {
			switch k.Word {
			case "shape", "line": // these have no shape before they are drawn
				continue
			}
			p := setting.New[Part](f)
			p.Of = setting.NewOf(k.Zero, f).(Source)
			if s, ok := p.Of.(Strokes); ok {
				one := setting.New[Stroke](f)
				one.Points = setting.ListOf(Dab{0, 0, 1})
				s.Strokes = []Stroke{one}
				p.Of = s
			}
			if err := setting.Validate(p, f); err != nil {
				t.Errorf("a part of kind %s on a photo of %v is not valid: %v", k.Word, f, err)
			}
		}
	}
}

func TestNestsAndCircles(t *testing.T) {
	use := func(id, name string, of ...Ref) Area {
		a := Area{ID: id, Name: name}
		for _, r := range of {
			a.Parts = append(a.Parts, one(Other{r}))
		}
		return a
	}
	var nest []Area
	for i := range MaxDepth {
		a := use(fmt.Sprint("n", i), fmt.Sprint("Nest ", i))
		if i > 0 {
			a.Parts = []Part{one(Other{Ref(fmt.Sprint("n", i-1))})}
		}
		nest = append(nest, a)
	}
	for _, c := range []struct {
		areas []Area
		at    int
		say   []string
	}{
		{[]Area{use("a", "Sky", "b"), use("b", "Sea"), use("c", "Both", "a", "b")}, 0, nil},
		{nest, 0, nil},
		{append(nest[:MaxDepth:MaxDepth], use("top", "Top", "n7")), MaxDepth, []string{"“Top”", "9 levels deep", "the limit is 8"}},
		{[]Area{use("a", "Sky", "b"), use("b", "Sea", "a")}, 0, []string{"“Sky”", "“Sea”", "contain each other"}},
		{[]Area{use("b", "Sea"), use("a", "Sky", "a")}, 1, []string{"“Sky”", "part of itself"}},
		{[]Area{use("a", "Sky", "gone")}, 0, []string{"“Sky”", "not in this shot"}},
		{[]Area{use("a", "Sky"), use("a", "Sea")}, 1, []string{`the id "a"`}},
	} {
		at, msg := Check(c.areas)
		if at != c.at || (msg == "") != (c.say == nil) {
			t.Errorf("%v: %d, %q", c.say, at, msg)
		}
		for _, say := range c.say {
			if !strings.Contains(msg, say) {
				t.Errorf("%q does not say %q", msg, say)
			}
		}
	}
}

func TestToneWindow(t *testing.T) {
	w := ToneWindow{0.2, 0.7, 0.1}
	for _, c := range []struct{ v, want float64 }{{0.05, 0}, {0.1, 0}, {0.15, 0.5}, {0.2, 1},
		{0.5, 1}, {0.7, 1}, {0.75, 0.5}, {0.81, 0}} {
		if got := w.At(c.v); math.Abs(got-c.want) > 1e-9 {
			t.Errorf("the window lets %.3f of brightness %v through, want %v", got, c.v, c.want)
		}
	}
	hard := ToneWindow{0.2, 0.7, 0} // fades over a thousandth all the same
	for v, want := range map[float64]float64{0.1989: 0, 0.1995: 0.5, 0.2: 1, 0.7: 1, 0.7005: 0.5,
		0.7011: 0} {
		if got := hard.At(v); math.Abs(got-want) > 1e-6 {
			t.Errorf("a hard window lets %.3f of brightness %v through, want %v", got, v, want)
		}
	}
	if !(ToneWindow{0, 1, 0.1}).Whole() || w.Whole() || (ToneWindow{0, 0.9, 0.1}).Whole() ||
		(ToneWindow{0.1, 1, 0.1}).Whole() {
		t.Error("Whole is wrong")
	}
}

// A mask of strokes whose tiles are dropped while others ask for them keeps count of its memory.
// Run under the race detector.
func TestStrokesAreDroppedBesideReading(t *testing.T) {
	var strokes []Stroke
	for i := range 8 {
		y := float64(30 + 120*i)
		strokes = append(strokes, Stroke{Diameter: 60, Softness: 0.5, Flow: 1, Pen: PenFlow,
			Points: setting.ListOf(Dab{X: 10, Y: y, P: 1}, Dab{X: 400, Y: y, P: 1})})
	}
	m := newStrokeMask(strokes, nil, 1)
	empty := m.Bytes()
	var all sync.WaitGroup
	for range 3 {
		all.Go(func() {
			row := make([]float32, 420)
			for y := range 1000 {
				m.Fill(row, 0, y)
			}
		})
		all.Go(func() {
			for y := 0; y < 1000; y++ {
				m.Drop(y)
				if n := m.Bytes(); n < empty {
					t.Errorf("it takes %d bytes, with nothing painted %d", n, empty)
					return
				}
			}
		})
	}
	all.Wait()
	m.Drop(2000)
	if n := m.Bytes(); n != empty {
		t.Errorf("with all dropped it takes %d bytes, want %d", n, empty)
	}
}
