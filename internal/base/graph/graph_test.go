package graph

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"
)

// blurred is a node that needs another of its kind: each level is half of the one below.
type blurred struct {
	test  string
	level int
}

func (k blurred) Build(ctx context.Context, g *Graph) (bulk, error) {
	if k.level == 0 {
		return 64, ctx.Err()
	}
	below, err := Get(ctx, g, blurred{k.test, k.level - 1})
	return below / 2, err
}

// summed is a node that needs two of another kind.
type summed struct {
	test string
	a, b int
}

func (k summed) Build(ctx context.Context, g *Graph) (bulk, error) {
	a, err := Get(ctx, g, blurred{k.test, k.a})
	if err != nil {
		return 0, err
	}
	b, err := Get(ctx, g, blurred{k.test, k.b})
	return a + b, err
}

func TestNodesShareWhatTheyNeed(t *testing.T) {
	g := New(1000)
	v, err := Get(ctx, g, summed{t.Name(), 2, 1})
	if v != 16+32 || err != nil {
		t.Fatalf("got %v, %v", v, err)
	}
	want := []Stat{{Type: "blurred", Found: 1, Built: 3}, {Type: "summed", Built: 1}}
	for i, s := range g.Stats() {
		if s.Time = 0; s != want[i] {
			t.Errorf("stats %d: %+v, want %+v", i, s, want[i])
		}
	}
	if !Has(g, blurred{t.Name(), 0}) || Has(g, blurred{t.Name(), 3}) {
		t.Error("what was needed is not held, or what was not is")
	}
	// Keys of two types never meet, however alike they are.
	type other struct {
		test  string
		level int
	}
	if _, held := peek[bulk](g, other{t.Name(), 0}); held {
		t.Error("a key of another type finds the value")
	}
}

// circle needs itself by way of two others.
type circle struct{ at int }

func (k circle) Build(ctx context.Context, g *Graph) (bulk, error) {
	return Get(ctx, g, circle{(k.at + 1) % 3})
}

func TestCircleIsReported(t *testing.T) {
	_, err := Get(ctx, New(1000), circle{0})
	if err == nil || strings.Count(err.Error(), "circle") != 4 {
		t.Errorf("got %v, want the path of four", err)
	}
}

// gate is a node that waits for its turn and then needs another.
type gate struct{ name, needs string }

var gates sync.Map // of chan struct{} by name

func (k gate) Build(ctx context.Context, g *Graph) (bulk, error) {
	turn, _ := gates.Load(k.name)
	<-turn.(chan struct{})
	return Get(ctx, g, gate{k.needs, k.name})
}

// Two builds that begin side by side and then need each other do not wait for ever.
func TestCircleOfTwoBuilds(t *testing.T) {
	g := New(1000)
	a, b := make(chan struct{}), make(chan struct{})
	gates.Store("a", a)
	gates.Store("b", b)
	told := make(chan error, 2)
	for _, k := range []gate{{"a", "b"}, {"b", "a"}} {
		go func() { _, err := Get(ctx, g, k); told <- err }()
	}
	for !g.has(gate{"a", "b"}) || !g.has(gate{"b", "a"}) {
		time.Sleep(time.Millisecond)
	}
	close(a)
	close(b)
	for range 2 {
		select {
		case err := <-told:
			if err == nil || !strings.Contains(err.Error(), "need each other") {
				t.Errorf("got %v", err)
			}
		case <-time.After(10 * time.Second):
			t.Fatal("they wait for each other")
		}
	}
}

// A build goes on while anyone waits for it, whoever asked first, and ends with the last.
func TestBuildEndsWithTheLastWaiter(t *testing.T) {
	g := New(1000)
	type key struct{}
	ended := make(chan struct{})
	build := func(ctx context.Context) (bulk, error) {
		<-ctx.Done()
		close(ended)
		return 0, ctx.Err()
	}
	var leave []func()
	told := make(chan error, 3)
	for range 3 {
		c, cancel := context.WithCancel(ctx)
		leave = append(leave, cancel)
		go func() { _, err := load(c, g, key{}, build); told <- err }()
	}
	for waiters := 0; waiters < 3; time.Sleep(time.Millisecond) {
		g.mu.Lock()
		if n := g.nodes[key{}]; n != nil {
			waiters = n.waiters
		}
		g.mu.Unlock()
	}
	for i, cancel := range leave {
		select {
		case <-ended:
			t.Fatalf("it ended while %d waited", len(leave)-i)
		case <-time.After(5 * time.Millisecond):
		}
		cancel()
		if err := <-told; !errors.Is(err, context.Canceled) {
			t.Errorf("who left is told %v", err)
		}
	}
	<-ended
	if v, err := load(ctx, g, key{}, func(context.Context) (bulk, error) {
		return 5,
			nil
	}); v != 5 || err != nil {
		t.Errorf("the next who asks gets %v, %v", v, err)
	}
}

// What a request carries, such as where progress is reported, is there while it builds.
func TestBuildHasTheValuesOfItsRequest(t *testing.T) {
	type progress struct{}
	c := context.WithValue(ctx, progress{}, bulk(9))
	v, err := load(c, New(100), text("x"), func(ctx context.Context) (bulk, error) {
		return ctx.Value(progress{}).(bulk), nil
	})
	if v != 9 || err != nil {
		t.Errorf("got %v, %v", v, err)
	}
}

// Keys of groups do not pile up: not those that were dropped, nor those whose build failed.
func TestGroupsArePruned(t *testing.T) {
	g := New(100)
	for i := range 50 {
		key := text(fmt.Sprint("k ", i))
		g.keep(text("group "), key, 1000)
		load(ctx, g, key, func(context.Context) (bulk, error) {
			if i%2 == 0 {
				return 0, errors.New("no")
			}
			return 40, nil
		})
	}
	if n := len(g.groups[text("group ")]); n != 2 || len(g.group) != 2 {
		t.Errorf("the group has %d keys, of which two are held; %d are known", n, len(g.group))
	}
}

// A thousand requests from many goroutines, some of which give up, leave the books in order.
func TestManyAtOnce(t *testing.T) {
	g := New(400)
	var wg sync.WaitGroup
	for i := range 40 {
		wg.Go(func() {
			for j := range 25 {
				c, cancel := context.WithTimeout(ctx, time.Duration(i+j)*20*time.Microsecond)
				Get(c, g, summed{t.Name(), (i + j) % 7, j % 5})
				cancel()
			}
		})
	}
	wg.Wait()
	for done := false; !done; time.Sleep(time.Millisecond) {
		g.mu.Lock()
		done = len(g.nodes) == g.used.Len()
		g.mu.Unlock()
	}
	sum := int64(0)
	for e := g.used.Front(); e != nil; e = e.Next() {
		sum += e.Value.(*node).size
	}
	if sum != g.sum || sum > g.limit {
		t.Errorf("%d bytes by its books, %d in all, %d allowed", g.sum, sum, g.limit)
	}
	if names := g.Stats(); !slices.IsSortedFunc(names,
		func(a, b Stat) int { return strings.Compare(a.Type, b.Type) }) {
		t.Errorf("stats are in no order: %v", names)
	}
}

func ExampleGet() {
	g := New(1 << 20)
	v, err := Get(context.Background(), g, blurred{"example", 3})
	fmt.Println(v, err)
	// Output: 8 <nil>
}

// Inputs of one type with the same content are one, of others they are not, and those that nobody
// holds are forgotten.
func TestIntern(t *testing.T) {
	g := New(100)
	a, b := Intern(g, "rod", []int{1, 2}), Intern(g, "rod", []int{1, 2})
	if a != b || a.Value()[1] != 2 || a.Content() != "rod" {
		t.Errorf("%p with %v and %p", a, a.Value(), b)
	}
	if other := Intern(g, "rod", "text"); any(other) == any(a) {
		t.Error("inputs of two types are one")
	}
	if c := Intern(g, "lamp", []int{1, 2}); c == a {
		t.Error("inputs with two contents are one")
	}
	if Intern(g.Child(100), "rod", []int{}) != a || Intern(New(100), "rod", []int{3}) == a {
		t.Error("a child has other inputs, or another graph has the same")
	}
	runtime.KeepAlive(a)
	held := func() (n int) {
		g.inputs.Range(func(any, any) bool { n++; return true })
		return n
	}
	for i := range 100 {
		Intern(g, fmt.Sprint("photo ", i), make([]byte, 1<<16))
	}
	for i := 0; held() > 10; i++ {
		if i == 200 {
			t.Fatalf("%d inputs are held", held())
		}
		runtime.GC()
		time.Sleep(5 * time.Millisecond)
	}
}
