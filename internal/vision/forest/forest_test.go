package forest

import (
	"context"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

// grown makes a forest of n samples that draw makes.
func grown(t testing.TB, n, trees int,
	draw func(rnd *rand.Rand) (values []float32, in bool)) Forest {
	t.Helper()
	rnd := rand.New(rand.NewPCG(3, 4))
	v, _ := draw(rnd)
	s := Samples{Width: len(v)}
	for range n {
		v, in := draw(rnd)
		s.Add(v, in, 1)
	}
	f, err := Grow(context.Background(), &s, trees)
	if err != nil {
		t.Fatal(err)
	}
	return f
}

// Neither of two numbers alone tells the fields of a chessboard apart.
func TestBothNumbersCount(t *testing.T) {
	field := func(x, y float32) bool { return (x < 0.5) != (y < 0.5) }
	f := grown(t, 3000, 64, func(rnd *rand.Rand) ([]float32, bool) {
		v := []float32{rnd.Float32(), rnd.Float32(), rnd.Float32()} // the third says nothing
		return v, field(v[0], v[1])
	})
	for _, x := range []float32{0.1, 0.3, 0.45, 0.55, 0.7, 0.9} {
		for _, y := range []float32{0.1, 0.3, 0.45, 0.55, 0.7, 0.9} {
			if o := f.Odds([]float32{x, y, 0.5}); (o > 0) != field(x, y) {
				t.Errorf("at %v, %v the odds are %.2f", x, y, o)
			}
		}
	}
}

// Of two classes that overlap it says how likely each is.
func TestOddsAreLikelihoods(t *testing.T) {
	if testing.Short() {
		t.Skip("grows many trees")
	}
	f := grown(t, 20000, 200, func(rnd *rand.Rand) ([]float32, bool) {
		if rnd.IntN(2) == 0 {
			return []float32{float32(rnd.NormFloat64())}, false
		}
		return []float32{float32(rnd.NormFloat64()) + 1}, true
	})
	// The quotient of two normal densities whose means are 0 and 1 is exp(x - 1/2). A tree knows of
	// a place what a few samples say; it is the mean about a place that has to be right.
	for _, x := range []float64{-1, -0.5, 0, 0.5, 1, 1.5, 2} {
		sum := 0.0
		for i := range 100 {
			sum += float64(f.Odds([]float32{float32(x + float64(i-50)/200)}))
		}
		if o := sum / 100; math.Abs(o-(x-0.5)) > 0.35 {
			t.Errorf("about %v the odds are %.2f, which ought to be %.2f", x, o, x-0.5)
		}
	}
}

// What is rare counts as much as what is frequent once both are balanced, and by its weight else.
func TestBalance(t *testing.T) {
	s := Samples{Width: 1}
	for i := range 1000 {
		s.Add([]float32{float32(i % 10)}, i%10 == 0, 1+float32(i%3))
	}
	if !s.Balance() {
		t.Fatal("a class is said to be missing")
	}
	var sum [2]float64
	for i, in := range s.In {
		sum[class(in)] += float64(s.Weight[i])
	}
	if math.Abs(sum[0]-500) > 0.1 || math.Abs(sum[1]-500) > 0.1 {
		t.Errorf("the classes count %v", sum)
	}
	if s.Weight[1] != 2*s.Weight[3] { // of the same class, of weights 2 and 1
		t.Errorf("within a class weights are %v and %v", s.Weight[1], s.Weight[3])
	}
	one := Samples{Width: 1}
	one.Add([]float32{1}, true, 1)
	if one.Balance() {
		t.Error("one class alone is called balanced")
	}
}

// Where both classes look the same it decides for none, and never for one beyond doubt.
func TestNothingToTell(t *testing.T) {
	s := Samples{Width: 2}
	for i := range 400 {
		s.Add([]float32{7, 7}, i%2 == 0, 1)
	}
	f, err := Grow(context.Background(), &s, 40)
	if err != nil {
		t.Fatal(err)
	}
	if o := f.Odds([]float32{7, 7}); math.Abs(float64(o)) > 0.1 {
		t.Errorf("what cannot be told apart has odds %v", o)
	}
	sure := grown(t, 500, 20,
		func(rnd *rand.Rand) ([]float32, bool) { return []float32{rnd.Float32()}, true })
	if o, most := float64(sure.Odds([]float32{0.5})), math.Log(99); o <= 0 || o > most+1e-4 {
		t.Errorf("of one class alone the odds are %v, at most %v", o, most)
	}
	if o := (Forest)(nil).Odds([]float32{1}); o != 0 {
		t.Errorf("no forest says %v", o)
	}
}

// Samples grow the same forest however many processors there are.
func TestTheSameEveryTime(t *testing.T) {
	draw := func(rnd *rand.Rand) ([]float32, bool) {
		v := []float32{rnd.Float32(), rnd.Float32()}
		return v, v[0]+0.3*rnd.Float32() > v[1]
	}
	a, b := grown(t, 2000, 30, draw), grown(t, 2000, 30, draw)
	for k := range a {
		if !slices.Equal(a[k], b[k]) {
			t.Fatalf("tree %d differs", k)
		}
	}
}

func TestGrowIsCancelled(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	s := Samples{Width: 1}
	s.Add([]float32{0}, true, 1)
	s.Add([]float32{1}, false, 1)
	if _, err := Grow(ctx, &s, 8); !errors.Is(err, context.Canceled) {
		t.Errorf("a cancelled forest ends with %v", err)
	}
}

func ExampleForest_Odds() {
	s := Samples{Width: 1}
	for i := range 100 {
		s.Add([]float32{float32(i)}, i >= 50, 1)
	}
	f, _ := Grow(context.Background(), &s, 32)
	fmt.Println(f.Odds([]float32{20}) < 0, f.Odds([]float32{80}) > 0)
	// Output: true true
}

func BenchmarkOdds(b *testing.B) {
	f := grown(b, 8000, 64, func(rnd *rand.Rand) ([]float32, bool) {
		v := make([]float32, 12)
		for i := range v {
			v[i] = rnd.Float32()
		}
		return v, v[0]+v[3] > 1
	})
	v := make([]float32, 12)
	for b.Loop() {
		f.Odds(v)
	}
}
