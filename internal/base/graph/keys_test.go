package graph

import (
	"context"
	"math"
	"runtime"
	"testing"
)

// plain is a value with all that a key may hold.
type plain struct {
	n    int
	f    float64
	s    string
	b    bool
	list []struct{ x, y float32 }
	at   [2]uint8
	in   *Input[string]
	ref  *Ref[bulk]
}

// Of two plain values the inputs are the same if all that they hold is, and only then.
func TestOf(t *testing.T) {
	g := New(100)
	value := func(change func(*plain)) *Input[plain] {
		v := plain{1, 2.5, "three", true, []struct{ x, y float32 }{{4, 5}, {6, 7}}, [2]uint8{8, 9},
			Intern(g, "ten", "ten"), To(g, blurred{t.Name(), 1})}
		change(&v)
		return Of(g, v)
	}
	first := value(func(*plain) {})
	if value(func(*plain) {}) != first || first.Value().s != "three" {
		t.Error("equal values have two inputs")
	}
	if a, b := value(func(v *plain) { v.f = 0 }), value(func(v *plain) {
		v.f = math.Copysign(0, -1)
	}); a != b {
		t.Error("0 and −0 differ")
	}
	for i, change := range []func(*plain){
		func(v *plain) { v.n++ },
		func(v *plain) { v.f = math.Nextafter(v.f, 3) },
		func(v *plain) { v.s = "threE" },
		func(v *plain) { v.s = "" },
		func(v *plain) { v.b = false },
		func(v *plain) { v.list = v.list[:1] },
		func(v *plain) { v.list[1].y = 0 },
		func(v *plain) { v.at[1] = 0 },
		func(v *plain) { v.in = nil },
		func(v *plain) { v.in = Intern(g, "eleven", "eleven") },
		func(v *plain) { v.ref = To(g, blurred{t.Name(), 2}) },
	} {
		if value(change) == first {
			t.Errorf("change %d makes no other input", i)
		}
	}
	// What stands in two fields is not what stands in one.
	type two struct{ a, b string }
	if Of(g, two{"ab", "c"}) == Of(g, two{"a", "bc"}) {
		t.Error("fields run into each other")
	}
}

// What could change behind a key is refused.
func TestOfRefuses(t *testing.T) {
	n := 1
	for name, of := range map[string]func(){
		"NaN":          func() { Digest(math.NaN()) },
		"a pointer":    func() { Digest(&n) },
		"a map":        func() { Digest(map[int]int{}) },
		"an interface": func() { Digest(struct{ v any }{1}) },
		"a function":   func() { Digest(func() {}) },
	} {
		func() {
			defer func() {
				if recover() == nil {
					t.Errorf("%s is part of a key", name)
				}
			}()
			of()
		}()
	}
}

// A reference is the same for the same node, and gives its value.
func TestRef(t *testing.T) {
	g := New(1000)
	a, b := To(g, blurred{t.Name(), 2}), To(g.Child(100), blurred{t.Name(), 2})
	if a != b || a == To(g, blurred{t.Name(), 1}) {
		t.Error("a node has two references, or two nodes one")
	}
	if v, err := a.Get(ctx, g); v != 16 || err != nil {
		t.Errorf("it gives %v, %v", v, err)
	}
	child := g.Child(1000)
	if v, err := a.Own(ctx, child); v != 16 || err != nil {
		t.Errorf("a child's own is %v, %v", v, err)
	}
	if _, held := child.held(blurred{t.Name(), 2}); !held {
		t.Error("the child has none of its own")
	}
	runtime.KeepAlive(b)
}

// version is a node of which two are held, and none of the negative ones is counted.
type version int

func (k version) Group() (any, int) {
	if k < 0 {
		return nil, 0
	}
	return "versions", 2
}

func (k version) Build(context.Context, *Graph) (bulk, error) { return 10, nil }

// Of a group the newest are held: those that were asked for last.
func TestVersions(t *testing.T) {
	g := New(1000)
	for _, k := range []version{-1, 1, 2, 1, 3, -2} {
		if _, err := Get(ctx, g, k); err != nil {
			t.Fatal(err)
		}
	}
	for k, want := range map[version]bool{-1: true, 1: true, 2: false, 3: true, -2: true} {
		if Has(g, k) != want {
			t.Errorf("version %d is held: %t", k, !want)
		}
	}
}

// passing is a node that serves one part if it is odd.
type passing int

func (k passing) Passes() bool { return k%2 == 1 }

func (k passing) Build(context.Context, *Graph) (bulk, error) { return bulk(k), nil }

// What has passed is swept, in the child graph alone, and all that is held is seen.
func TestSweep(t *testing.T) {
	g := New(1000)
	child := g.Child(1000)
	for k, g := range map[passing]*Graph{1: g, 2: g, 3: child, 4: child, 5: child} {
		if _, err := Get(ctx, g, k); err != nil {
			t.Fatal(err)
		}
	}
	sum := func(g *Graph) (n bulk) {
		g.Each(func(v Sized) { n += v.(bulk) })
		return n
	}
	if sum(g) != 1+2 || sum(child) != 3+4+5 {
		t.Errorf("held are %d and %d", sum(g), sum(child))
	}
	child.Sweep()
	if sum(g) != 1+2 || sum(child) != 4 || child.Held() != 4 {
		t.Errorf("after a sweep %d and %d are held", sum(g), sum(child))
	}
}

// memory remembers.
type memory struct{ last int }

func (*memory) Bytes() int64 { return 8 }

// A history is one for its key, and a child graph's is its parent's.
func TestHistory(t *testing.T) {
	type key struct{ view int }
	fresh := func() *memory { return new(memory) }
	g := New(1000)
	History(g, key{1}, fresh).last = 7
	child := g.Child(1000)
	if a, b := History(child, key{1}, fresh), History(child, key{2}, fresh); a.last != 7 ||
		b.last != 0 {
		t.Errorf("remembered are %d and %d", a.last, b.last)
	}
	if _, held := g.held(key{2}); held {
		t.Error("a child's history is in its parent")
	}
}
