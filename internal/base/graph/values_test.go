package graph

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"pyrant/internal/base/fault"
)

var ctx = context.Background()

// text is a key.
type text string

// bulk is a node of so many bytes.
type bulk int64

func (b bulk) Bytes() int64 { return int64(b) }

func TestOneComputationForAllWhoAsk(t *testing.T) {
	c := New(1000)
	var made atomic.Int32
	start := make(chan struct{})
	var wg sync.WaitGroup
	for range 20 {
		wg.Go(func() {
			v, err := load(ctx, c, text("node"), func(context.Context) (bulk, error) {
				<-start // while all the others ask
				made.Add(1)
				return 7, nil
			})
			if v != 7 || err != nil {
				t.Errorf("got %v, %v", v, err)
			}
		})
	}
	close(start)
	wg.Wait()
	if n := made.Load(); n != 1 {
		t.Errorf("computed %d times", n)
	}
}

func TestLeastRecentlyUsedGoesFirst(t *testing.T) {
	c := New(100)
	made := 0
	get := func(k string) {
		if _, err := load(ctx, c, text(k), func(context.Context) (bulk, error) {
			made++
			return 40, nil
		}); err != nil {
			t.Fatal(err)
		}
	}
	get("a")
	get("b")
	get("a") // used again: b is now the older one
	get("c")
	made = 0
	if get("a"); made != 0 {
		t.Error("what was used a moment ago is gone")
	}
	if get("b"); made != 1 {
		t.Error("what was used longest ago is still there, over the limit")
	}
}

// growing is a node whose size changes after it was made.
type growing struct{ n int64 }

func (g *growing) Bytes() int64 { return g.n }

func TestNodesThatGrowAreWeighedAnew(t *testing.T) {
	c := New(100)
	g := &growing{10}
	get := func(k string, v Sized) {
		if _, err := load(ctx, c, text(k), func(context.Context) (Sized, error) {
			return v, nil
		}); err != nil {
			t.Fatal(err)
		}
	}
	get("g", g)
	get("a", bulk(40))
	g.n = 70
	get("g", g) // 70 and 40 now
	get("b", bulk(5))
	if c.sum != 75 || len(c.nodes) != 2 || c.nodes[text("a")] != nil {
		t.Errorf("%d bytes in %d entries after a node grew", c.sum, len(c.nodes))
	}
}

func TestErrorsAreNotKept(t *testing.T) {
	c := New(100)
	bad := errors.New("bad")
	if _, err := load(ctx, c, text("k"), func(context.Context) (bulk, error) {
		return 0, bad
	}); err != bad {
		t.Fatal(err)
	}
	if v, err := load(ctx, c, text("k"),
		func(context.Context) (bulk, error) { return 3, nil }); v != 3 ||
		err != nil {
		t.Errorf("after an error: %v, %v", v, err)
	}
}

func TestPanicReleasesWhoWaits(t *testing.T) {
	c := New(100)
	func() {
		defer func() { recover() }()
		load(ctx, c, text("k"), func(context.Context) (bulk, error) { panic("broken") })
	}()
	if v, err := load(ctx, c, text("k"),
		func(context.Context) (bulk, error) { return 2, nil }); v != 2 ||
		err != nil {
		t.Errorf("after a panic: %v, %v", v, err)
	}
}

// A child graph finds what its parent holds and leaves it as it is.
func TestScoped(t *testing.T) {
	c := New(1000)
	made := 0
	get := func(c *Graph, key string, size bulk) bulk {
		t.Helper()
		v, err := load(ctx, c, text(key),
			func(context.Context) (bulk, error) { made++; return size, nil })
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	get(c, "mask", 300)
	s := c.Child(500)
	if v := get(s, "mask", 1); v != 300 || made != 1 {
		t.Errorf("what its parent holds is made anew: %v", v)
	}
	get(s, "strip", 400)
	get(s, "strip", 400)
	if made != 2 || c.Held() != 300 || s.Held() != 400 {
		t.Errorf("made %d; the graphs hold %d and %d", made, c.Held(), s.Held())
	}
	get(s, "strip 2", 400) // over the limit: the first goes
	if s.Held() != 400 || c.Held() != 300 {
		t.Errorf("over its limit the child graph holds %d, the other %d", s.Held(), c.Held())
	}
	get(c, "strip", 5)
	if made != 4 {
		t.Error("its parent finds what was scoped")
	}
	if hits, misses := s.Counts(); hits != 2 || misses != 4 {
		t.Errorf("%d hits, %d misses", hits, misses)
	}
}

// A panic while a node is made is an error for all who wait for it.
func TestPanicIsAnError(t *testing.T) {
	c := New(1000)
	_, err := load(ctx, c, text("node"), func(context.Context) (bulk, error) { panic("a mistake") })
	var p *fault.Panic
	if !errors.As(err, &p) || p.Value != "a mistake" {
		t.Errorf("got %v", err)
	}
	if v, err := load(ctx, c, text("node"), func(context.Context) (bulk, error) {
		return 3, nil
	}); v != 3 || err != nil {
		t.Errorf("the next who asks gets %v, %v", v, err)
	}
}

func ExampleLoad() {
	c := New(1 << 20)
	double := func(context.Context) (bulk, error) { fmt.Println("made"); return 42, nil }
	a, _ := Load(ctx, c, text("answer"), double)
	b, _ := Load(ctx, c, text("answer"), double)
	fmt.Println(a, b)
	// Output:
	// made
	// 42 42
}

// Who waits for another's work and gives up is let go at once; that the maker gave up
// does not let those go who still want it.
func TestWaitingIsGivenUp(t *testing.T) {
	c := New(100)
	entered, finish := make(chan struct{}), make(chan struct{})
	made := make(chan error, 1)
	go func() {
		_, err := load(ctx, c, text("k"),
			func(context.Context) (bulk, error) { close(entered); <-finish; return 5, nil })
		made <- err
	}()
	<-entered
	waiting, leave := context.WithCancel(ctx)
	told := make(chan error, 1)
	go func() {
		_, err := load(waiting, c, text("k"), func(context.Context) (bulk, error) {
			return 0, errors.New("made twice")
		})
		told <- err
	}()
	leave()
	if err := <-told; !errors.Is(err, context.Canceled) {
		t.Errorf("who gave up is told %v", err)
	}
	close(finish)
	if err := <-made; err != nil {
		t.Error(err)
	}
	// Both give up: the one who waited is not made to work.
	maker, stop := context.WithCancel(ctx)
	entered = make(chan struct{})
	go load(maker, c, text("other"),
		func(ctx context.Context) (bulk, error) {
			close(entered)
			<-ctx.Done()
			return 0, ctx.Err()
		})
	<-entered
	gone, leave := context.WithCancel(ctx)
	go func() {
		_, err := load(gone, c, text("other"), func(ctx context.Context) (bulk, error) {
			return 1,
				ctx.Err()
		})
		told <- err
	}()
	leave()
	stop()
	if err := <-told; !errors.Is(err, context.Canceled) {
		t.Errorf("when both give up the second is told %v", err)
	}
	if c.Held() != 5 {
		t.Errorf("%d bytes are held", c.Held())
	}
}

// What fills the graph to the byte stays; one more does not.
func TestLimitIsExact(t *testing.T) {
	c := New(100)
	get := func(key string, size bulk) {
		t.Helper()
		if _, err := load(ctx, c, text(key), func(context.Context) (bulk, error) {
			return size, nil
		}); err != nil {
			t.Fatal(err)
		}
	}
	get("a", 60)
	get("b", 40)
	if c.Held() != 100 {
		t.Errorf("of 100 bytes that fit %d are held", c.Held())
	}
	get("c", 1)
	if c.Held() != 41 {
		t.Errorf("with one byte too much %d are held", c.Held())
	}
	get("d", 500) // more than fits is kept while it is the newest
	if c.Held() != 500 {
		t.Errorf("of one that does not fit %d bytes are held", c.Held())
	}
}

// Of a group so many of the latest are held; others are not touched, nor is one that comes up
// again.
func TestKeep(t *testing.T) {
	c := New(1000)
	add := func(key string) {
		if _, err := load(ctx, c, text(key), func(context.Context) (bulk, error) {
			return 10, nil
		}); err != nil {
			t.Fatal(err)
		}
	}
	add("other")
	for i := range 6 {
		key := fmt.Sprint("move ", i)
		c.keep(text("moves"), text(key), 3)
		add(key)
		c.keep(text("moves"), text("move 0"), 3) // is asked for all the time
	}
	for key, want := range map[string]bool{"other": true, "move 0": true, "move 1": false,
		"move 3": false, "move 4": true, "move 5": true} {
		if _, ok := peek[bulk](c, text(key)); ok != want {
			t.Errorf("%s is held: %t", key, ok)
		}
	}
	if c.Held() != 40 {
		t.Errorf("%d bytes are held", c.Held())
	}
}

// slow is a node that does not answer until it may.
type slow struct{ may chan struct{} }

func (s slow) Bytes() int64 { <-s.may; return 7 }

// A node that is slow to say how large it is stops nobody who asks for others.
func TestSlowNodeStopsNobody(t *testing.T) {
	c := New(1000)
	s := slow{make(chan struct{}, 1)}
	s.may <- struct{}{}
	get := func() {
		if _, err := load(ctx, c, text("slow"),
			func(context.Context) (slow, error) { return s, nil }); err != nil {
			t.Error(err)
		}
	}
	get()
	waits := make(chan struct{})
	go func() { get(); close(waits) }()
	time.Sleep(10 * time.Millisecond) // it is asked by now, or soon
	other := make(chan struct{})
	go func() {
		if _, err := load(ctx, c, text("other"),
			func(context.Context) (bulk, error) { return 5, nil }); err != nil {
			t.Error(err)
		}
		c.Held()
		close(other)
	}()
	select {
	case <-other:
	case <-time.After(10 * time.Second):
		t.Fatal("another node has to wait")
	}
	close(s.may)
	<-waits
}

// A child graph has nodes of its own where they change while they are used.
func TestScopedOwns(t *testing.T) {
	c := New(1000)
	made := func(v bulk) func(context.Context) (bulk, error) {
		return func(context.Context) (bulk, error) { return v, nil }
	}
	if _, err := load(ctx, c, text("mask"), made(1)); err != nil {
		t.Fatal(err)
	}
	s := c.Child(1000)
	for range 2 {
		if v, err := loadOwn(ctx, s, text("mask"), made(2)); v != 2 || err != nil {
			t.Errorf("the child graph takes %v, %v", v, err)
		}
	}
	if v, _ := peek[bulk](c, text("mask")); v != 1 {
		t.Errorf("its parent holds %v", v)
	}
}
