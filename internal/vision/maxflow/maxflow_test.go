package maxflow

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
)

type link struct {
	a, b int
	c    int64
}

// random fills a grid, and tells what it was filled with.
func random(w, h int, rnd *rand.Rand) (g *Grid, toSource, toSink []int64, links []link) {
	g = New(w, h)
	toSource, toSink = make([]int64, w*h), make([]int64, w*h)
	for y := range h {
		for x := range w {
			for range 1 + rnd.IntN(2) {
				s, t := rnd.Int32N(30), rnd.Int32N(30)
				if rnd.IntN(3) == 0 {
					s, t = 0, 0
				}
				g.Terminal(x, y, s, t)
				toSource[y*w+x] += int64(s)
				toSink[y*w+x] += int64(t)
			}
			for d, to := range [...][2]int{{1, 0}, {1, 1}, {0, 1}, {-1, 1}} {
				u, v := x+to[0], y+to[1]
				if u < 0 || u >= w || v >= h {
					continue
				}
				c := rnd.Int32N(20)
				g.Link(x, y, Step(d), c)
				links = append(links, link{y*w + x, v*w + u, int64(c)})
			}
		}
	}
	return
}

func cost(in func(i int) bool, toSource, toSink []int64, links []link) (sum int64) {
	for i := range toSource {
		if in(i) {
			sum += toSink[i]
		} else {
			sum += toSource[i]
		}
	}
	for _, l := range links {
		if in(l.a) != in(l.b) {
			sum += l.c
		}
	}
	return
}

// On small grids the cut costs what the cheapest of all cuts costs.
func TestCutIsTheCheapestOfAll(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 4))
	for range 300 {
		w, h := 1+rnd.IntN(4), 1+rnd.IntN(3)
		g, toSource, toSink, links := random(w, h, rnd)
		flow, err := g.Solve(context.Background())
		if err != nil {
			t.Fatal(err)
		}
		best := int64(math.MaxInt64)
		for set := range 1 << (w * h) {
			best = min(best, cost(func(i int) bool { return set>>i&1 == 1 }, toSource, toSink,
				links))
		}
		got := cost(func(i int) bool { return g.Source(i%w, i/w) }, toSource, toSink, links)
		if flow != best || got != best {
			t.Fatalf("%d by %d: the flow is %d, the cut costs %d, the cheapest %d", w, h, flow, got, best)
		}
	}
}

// On larger ones the cut costs as much as flows: then no other is cheaper.
func TestFlowIsWhatTheCutCosts(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 5))
	for range 20 {
		w, h := 20+rnd.IntN(60), 20+rnd.IntN(60)
		g, toSource, toSink, links := random(w, h, rnd)
		flow, _ := g.Solve(context.Background())
		if got := cost(func(i int) bool { return g.Source(i%w, i/w) }, toSource, toSink,
			links); got != flow {
			t.Fatalf("%d by %d: the flow is %d, the cut costs %d", w, h, flow, got)
		}
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	g, _, _, _ := random(9, 9, rnd)
	if _, err := g.Solve(ctx); err == nil {
		t.Error("cancelled, it went on")
	}
}

func ExampleGrid() {
	// Five pixels in a row, the first the source's, the last the sink's, and a weak link.
	g := New(5, 1)
	for x, c := range []int32{9, 9, 2, 9} {
		g.Link(x, 0, Right, c)
	}
	g.Terminal(0, 0, 100, 0)
	g.Terminal(4, 0, 0, 100)
	cost, _ := g.Solve(context.Background())
	fmt.Println(cost, g.Source(2, 0), g.Source(3, 0))
	// Output: 2 true false
}
