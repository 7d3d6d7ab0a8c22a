package shape

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

func hung(s String) (x []float64) {
	for _, h := range s.Bulbs() {
		x = append(x, math.Round(100*h.At.X)/100)
	}
	return
}

func TestBulbsAreLaidEvenly(t *testing.T) {
	straight := PathOf(corners(0, 100, 300, 500)...) // 500 long
	tests := []struct {
		name string
		s    String
		want []float64
	}{
		{"by count", String{Nodes: straight, Count: 6}, []float64{0, 60, 120, 180, 240, 300}},
		{"one hangs in the middle", String{Nodes: straight, Count: 1}, []float64{150}},
		{"spacing", String{Nodes: straight, Laid: BySpacing, Spacing: 200}, []float64{0, 120, 240}},
		{"spacing that goes in whole", String{Nodes: straight, Laid: BySpacing, Spacing: 125},
			[]float64{0, 75, 150, 225, 300}},
		{"spacing longer than the cord", String{Nodes: straight, Laid: BySpacing, Spacing: 900}, []float64{0}},
		{"all round", String{Nodes: PathOf(corners(0, 0, 100, 0, 100, 100, 0, 100)...),
			Closed: true, Count: 8}, []float64{0, 50, 100, 100, 100, 50, 0, 0}},
	}
	for _, tt := range tests {
		if got := hung(tt.s); !slices.Equal(got, tt.want) {
			t.Errorf("%s: %v, want %v", tt.name, got, tt.want)
		}
	}
	if n := len((String{Nodes: straight, Laid: BySpacing, Spacing: 1}).Bulbs()); n != mostBulbs {
		t.Errorf("%d bulbs a pixel apart", n)
	}
}

// A cord hangs by a parabola, as far as it says in the middle, whatever the slope of its ends.
func TestCordHangs(t *testing.T) {
	s := String{Nodes: PathOf(corners(100, 50, 500, 90, 700, 60)...), Sag: 0.2}
	for i, want := range []func(x float64) float64{
		func(x float64) float64 { u := (x - 100) / 400; return 50 + 40*u + 4*80*u*(1-u) },
		func(x float64) float64 { u := (x - 500) / 200; return 90 - 30*u + 4*40*u*(1-u) },
	} {
		nodes := s.Cord().All()
		line := Flatten(PathOf(nodes[i:i+2]...), false)
		if len(line) < 20 {
			t.Fatalf("span %d is flattened to %d points", i, len(line))
		}
		for _, q := range line {
			if d := math.Abs(q.Y - want(q.X)); d > 0.02 {
				t.Fatalf("span %d at %.1f: %.2f off", i, q.X, d)
			}
		}
	}
	// Bulbs of one gap along it lie as far from each other as that says.
	s.Laid, s.Spacing = BySpacing, 10
	all := s.Bulbs()
	for i := 1; i < len(all); i++ {
		if d := all[i].At.dist(all[i-1].At); d > 10.001 || d < 8 {
			t.Fatalf("bulbs %d and %d are %.3f apart", i-1, i, d)
		}
	}
}

// What was moved, sized or dropped by hand stays as it was, whatever the number of the others.
func TestBulbsOfTheirOwnStay(t *testing.T) {
	s := String{Nodes: PathOf(corners(0, 0, 1000, 0)...), Width: 10, Count: 11, Own: []Bulb{
		{Place: 0.7, X: 710, Y: 20, Size: 1.5}, {Place: 0.3, X: 300, Y: 5, Size: 1, Gone: true}}}
	rnd := rand.New(rand.NewPCG(3, 3))
	for range 60 {
		s.Count = 2 + rnd.IntN(40)
		all := s.Bulbs()
		if len(all) != s.Count {
			t.Fatalf("%d bulbs of %d", len(all), s.Count)
		}
		moved, gone := 0, 0
		for i, h := range all {
			if h.Own == 0 && h.At == (Point{710, 20}) && h.Width == 15 {
				moved++
			}
			if h.Gone {
				gone++
			}
			if i > 0 && h.Place < all[i-1].Place {
				t.Fatalf("of %d bulbs %d comes before the one before it", s.Count, i)
			}
		}
		if moved != 1 || gone != 1 {
			t.Fatalf("of %d bulbs %d are the one that was moved, %d are dropped", s.Count, moved, gone)
		}
	}
	// Those between two of their own lie evenly between them.
	s.Count = 5
	if got, want := hung(s), []float64{0, 300, 500, 710, 1000}; !slices.Equal(got, want) {
		t.Errorf("%v, want %v", got, want)
	}
	// Of those that are meant for one place each has a bulb.
	two := String{Nodes: s.Nodes, Width: 10, Count: 6, Own: []Bulb{{Place: 0.42, X: 420, Size: 1},
		{Place: 0.38, X: 380, Size: 1}, {Place: 0.39, X: 390, Size: 1}}}
	if got, want := hung(two), []float64{0, 190, 380, 390, 420, 1000}; !slices.Equal(got, want) {
		t.Errorf("three of one place: %v, want %v", got, want)
	}
	// Of more than there are bulbs those by hand are kept.
	s.Count, s.Own = 2, append(s.Own, Bulb{Place: 0.95, X: 950, Y: 3, Size: 1, Found: true},
		Bulb{Place: 0.1, X: 90, Y: 3, Size: 1, Found: true})
	if all := s.Bulbs(); all[0].Own != 1 || all[1].Own != 0 {
		t.Errorf("%+v", all)
	}
}

func TestStringCoversItsBulbs(t *testing.T) {
	s := String{Nodes: PathOf(corners(50, 50, 450, 50)...), Width: 20, Count: 5,
		Own: []Bulb{{Place: 0.5, X: 250, Y: 100, Size: 2}, {Place: 1, Gone: true, Size: 1}}}
	want := math.Pi * (3*100 + 400)
	if a := sum(NewMask(Shapes{s}, 1)); math.Abs(a-want) > 0.01*want {
		t.Errorf("the mask sums to %.0f, want %.0f", a, want)
	}
	if a := sum(NewMask(Shapes{s}, 0.5)); math.Abs(a-want/4) > 0.01*want/4 {
		t.Errorf("at half the scale it sums to %.0f, want %.0f", a, want/4)
	}
	if w := (Shapes{s}).Width(); math.Abs(w-2*want/(math.Pi*(3*20+40))) > 0.1 {
		t.Errorf("it is %.2f wide in the mean", w)
	}
	m := s.Shifted(3, -4).(String)
	if m.Own[0].X != 253 || s.Own[0].X != 250 || m.Bulbs()[0].At != (Point{53, 46}) {
		t.Errorf("moved: %+v from %+v", m.Own, s.Own)
	}
}

// By a seed bulbs hang off their even places and are of other sizes, within what is asked for;
// those moved by hand stay where they are, whatever the seed.
func TestBulbsByChance(t *testing.T) {
	s := String{Nodes: PathOf(corners(0, 0, 1000, 0)...), Width: 10, Count: 21, Scatter: 0.6,
		Vary: 0.5, Seed: 1, Own: []Bulb{{Place: 0.5, X: 480, Y: 30, Size: 2}}}
	even := s
	even.Scatter, even.Vary = 0, 0
	a, b := s.Bulbs(), even.Bulbs()
	off, least, most := 0.0, 10.0, 0.0
	for i := range a {
		if i == 10 {
			if a[i].At != (Point{480, 30}) || a[i].Width != 20 {
				t.Errorf("the bulb that was moved is %+v", a[i])
			}
			continue
		}
		d := math.Max(math.Abs(a[i].At.X-b[i].At.X), math.Abs(a[i].At.Y-b[i].At.Y))
		if d > 0.6*25 {
			t.Errorf("bulb %d is %.1f px off, more than 0.6 of half the way", i, d)
		}
		off, least, most = math.Max(off, d), math.Min(least, a[i].Width), math.Max(most, a[i].Width)
	}
	if off < 8 || least > 7.5 || least < 5 || most < 12.5 || most > 15 {
		t.Errorf("at most %.1f px off, from %.1f to %.1f wide", off, least, most)
	}
	other := s
	other.Seed = 2
	same := 0
	for i, h := range other.Bulbs() {
		if h.At == a[i].At {
			same++
		}
	}
	if same != 1 {
		t.Errorf("%d bulbs are where they are by another seed; the one of its own should", same)
	}
}
