// Package graph computes values from typed keys, once, and keeps them while there is room.
//
// A node is a key that can build its value: the key holds everything that the value depends on, so
// two requests with equal keys share one value, and a key that forgets an input does not compile,
// because Build sees nothing but the key and the graph. A node asks the graph for the nodes that it
// needs. Large inputs and the outputs of other nodes are named in a key by their ID; see Input and
// Output.
//
// The graph holds the most recently used values up to a number of bytes. A build that nobody waits
// for any more is cancelled, one that panics returns an error, and nodes that need each other are
// reported with their path.
package graph

import (
	"container/list"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"pyrant/internal/base/fault"
)

// Sized is a value that knows how many bytes it takes. A value may grow after it was built.
type Sized interface{ Bytes() int64 }

// A Node is a key that can build its value.
type Node[V Sized] interface {
	comparable
	// Build computes the value. It depends on nothing but the key and what it asks g for. It is
	// called at most once at a time for a key.
	Build(ctx context.Context, g *Graph) (V, error)
}

// Graph keeps the values of nodes. It may be used by several goroutines.
type Graph struct {
	parent *Graph // read, never written
	mu     sync.Mutex
	limit  int64
	nodes  map[any]*node
	used   *list.List    // of *node that are built, the most recently used first
	sum    int64         // bytes of all nodes in used
	groups map[any][]any // keys by their group, the oldest first; see Keep
	group  map[any]any   // the group of each such key
	inputs *sync.Map     // weak pointers to inputs, by inputKey; shared with child graphs
	stats  *stats        // shared with child graphs
}

// node is the state of one key.
type node struct {
	key  any
	done chan struct{} // closed when val or err is set
	val  Sized
	err  error
	size int64 // of val when it was last looked at

	elem    *list.Element // in Graph.used; nil while it is built
	waiters int           // requests that wait for the build
	cancel  func()        // ends the build
	needs   map[*node]int // nodes that the build waits for now, and how often
}

// New returns a graph that holds about limit bytes.
func New(limit int64) *Graph {
	return &Graph{
		limit: limit, nodes: map[any]*node{}, used: list.New(), groups: map[any][]any{},
		group: map[any]any{}, inputs: new(sync.Map), stats: newStats(),
	}
}

// Child returns a graph that also finds what g holds and adds nothing to it: an export computes
// values that previews have no use for, and that would push out those that they have.
func (g *Graph) Child(limit int64) *Graph {
	c := New(limit)
	c.parent, c.inputs, c.stats = g, g.inputs, g.stats
	return c
}

// Get returns the value of a node, built if it is not held. Errors are not kept. If ctx ends, Get
// returns its error: at once if others wait for the build, which goes on; otherwise as soon as the
// build has stopped.
func Get[K Node[V], V Sized](ctx context.Context, g *Graph, key K) (V, error) {
	if v, ok := Peek[V](g, any(key)); ok { // without what a build would need
		return v, nil
	}
	return Fetch(ctx, g, key, func(ctx context.Context) (V, error) { return key.Build(ctx, g) })
}

// Own is Get for values that change while they are used, such as masks whose tiles are dropped: a
// child graph builds its own and takes none from its parent.
func Own[K Node[V], V Sized](ctx context.Context, g *Graph, key K) (V, error) {
	return FetchOwn(ctx, g, key, func(ctx context.Context) (V, error) { return key.Build(ctx, g) })
}

// Has reports whether the value of a node is held, by g or its parent.
func Has[K Node[V], V Sized](g *Graph, key K) bool {
	_, ok := Peek[V](g, key)
	return ok
}

// Fetch is Get for a key whose build is not a method of the key. Such a build may depend on what
// its key does not hold: nodes are the better way.
func Fetch[V Sized](
	ctx context.Context, g *Graph, key any, build func(context.Context) (V, error),
) (V, error) {
	if g.parent != nil && !g.has(key) {
		if v, ok := g.parent.held(key); ok {
			return v.(V), nil
		}
	}
	return FetchOwn(ctx, g, key, build)
}

// FetchOwn is Own for a key whose build is not a method of the key.
func FetchOwn[V Sized](
	ctx context.Context, g *Graph, key any, build func(context.Context) (V, error),
) (V, error) {
	if s, ok := g.held(key); ok {
		return s.(V), nil
	}
	v, err := g.get(ctx, key, func(ctx context.Context) (Sized, error) { return build(ctx) })
	if err != nil {
		var zero V
		return zero, err
	}
	return v.(V), nil
}

// Peek returns the value that is held for a key, by g or its parent.
func Peek[V Sized](g *Graph, key any) (v V, ok bool) {
	s, ok := g.held(key)
	if !ok && g.parent != nil {
		s, ok = g.parent.held(key)
	}
	if ok {
		v = s.(V)
	}
	return v, ok
}

// Put makes v the value of a key, in g alone. Where the key is being built, that build's value
// stays.
func Put[V Sized](g *Graph, key any, v V) error {
	g.mu.Lock()
	if n := g.nodes[key]; n != nil && n.elem != nil {
		if old, ok := n.val.(V); ok && any(old) == any(v) {
			g.used.MoveToFront(n.elem)
			g.mu.Unlock()
			return nil
		}
		g.drop(n)
	}
	g.mu.Unlock()
	_, err := FetchOwn(context.Background(), g, key,
		func(context.Context) (V, error) { return v, nil })
	return err
}

// Keep makes a key the latest of a group, of which at most max are held: of values that are large
// and seldom asked for once there is a newer one.
func (g *Graph) Keep(group, key any, max int) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.leave(key)
	for len(g.groups[group]) >= max {
		old := g.groups[group][0]
		if n := g.nodes[old]; n != nil && n.elem != nil {
			g.drop(n)
		} else {
			g.leave(old)
		}
	}
	g.groups[group] = append(g.groups[group], key)
	g.group[key] = group
}

// Held returns the bytes of all values, as they were when last looked at.
func (g *Graph) Held() int64 {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.sum
}

// has reports whether g itself holds a key or builds it.
func (g *Graph) has(key any) bool {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.nodes[key] != nil
}

// held returns a value that g itself holds.
func (g *Graph) held(key any) (Sized, bool) {
	g.mu.Lock()
	n := g.nodes[key]
	if n == nil || n.elem == nil {
		g.mu.Unlock()
		return nil, false
	}
	g.used.MoveToFront(n.elem)
	g.mu.Unlock()
	g.stats.found(key)
	g.weigh(n)
	return n.val, true
}

// builder is the node that a context's computation belongs to.
type builder struct{}

// get returns the value of a key, built by build if it is not held.
func (g *Graph) get(
	ctx context.Context, key any, build func(context.Context) (Sized, error),
) (Sized, error) {
	parent, _ := ctx.Value(builder{}).(*node)
	for {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		g.mu.Lock()
		n := g.nodes[key]
		switch {
		case n == nil:
			n = g.start(ctx, key, build)
		case n.elem != nil:
			g.used.MoveToFront(n.elem)
			g.mu.Unlock()
			g.stats.found(key)
			g.weigh(n)
			return n.val, nil
		}
		n.waiters++
		g.mu.Unlock()
		err := g.wait(ctx, parent, n)
		switch {
		case err != nil:
			return nil, err
		case n.err == nil:
			return n.val, nil
		case fault.Cancelled(n.err) && ctx.Err() == nil:
			continue // its last waiter left just before this request came
		}
		return nil, n.err
	}
}

// wait returns when n is built, ctx ends, or waiting would never end.
func (g *Graph) wait(ctx context.Context, parent, n *node) error {
	if err := edges.add(parent, n); err != nil {
		g.leaveBuild(n)
		return err
	}
	defer edges.remove(parent, n)
	select {
	case <-n.done:
		return nil
	case <-ctx.Done():
	}
	if g.leaveBuild(n) {
		<-n.done // so that a request that has returned leaves no work behind
	}
	return ctx.Err()
}

// leaveBuild notes that a request waits no more, ends a build that was the last one's, and reports
// whether it was.
func (g *Graph) leaveBuild(n *node) bool {
	g.mu.Lock()
	defer g.mu.Unlock()
	if n.waiters--; n.waiters > 0 || n.elem != nil {
		return false
	}
	n.cancel()
	return true
}

// start begins to build a key. g is locked. The build has a context of its own, with the values of
// the request's, such as where it reports progress.
func (g *Graph) start(
	ctx context.Context, key any, build func(context.Context) (Sized, error),
) *node {
	n := &node{key: key, done: make(chan struct{}), needs: map[*node]int{}}
	own, cancel := context.WithCancel(
		context.WithValue(context.WithoutCancel(ctx), builder{}, n))
	n.cancel = cancel
	g.nodes[key] = n
	go func() {
		defer cancel()
		began := time.Now()
		val, err := caught(own, build)
		size := int64(0)
		if err == nil {
			size = val.Bytes()
		}
		g.stats.built(key, time.Since(began), err)
		g.mu.Lock()
		defer g.mu.Unlock()
		if n.err = err; err != nil {
			delete(g.nodes, key)
			g.leave(key)
		} else {
			n.val, n.size = val, size
			n.elem = g.used.PushFront(n)
			g.sum += size
			g.trim()
		}
		close(n.done)
	}()
	return n
}

// caught calls build; a panic is its error.
func caught(
	ctx context.Context, build func(context.Context) (Sized, error),
) (v Sized, err error) {
	err = errors.New("graph: the goroutine of a build ended")
	defer fault.Catch(&err)
	return build(ctx)
}

// weigh takes the size of n anew: values grow, as masks do, which rasterise their tiles when asked
// for them. The value is asked without the lock, so that a slow one stops nobody else.
func (g *Graph) weigh(n *node) {
	size := n.val.Bytes()
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.nodes[n.key] == n && n.elem != nil {
		g.sum += size - n.size
		n.size = size
	}
}

// trim drops the least recently used values over the limit, but not the newest.
func (g *Graph) trim() {
	for g.sum > g.limit && g.used.Len() > 1 {
		g.drop(g.used.Back().Value.(*node))
	}
}

// drop lets go of a value.
func (g *Graph) drop(n *node) {
	g.used.Remove(n.elem)
	delete(g.nodes, n.key)
	g.sum -= n.size
	g.leave(n.key)
}

// leave takes a key out of its group.
func (g *Graph) leave(key any) {
	group, ok := g.group[key]
	if !ok {
		return
	}
	delete(g.group, key)
	keys := slices.DeleteFunc(g.groups[group], func(k any) bool { return k == key })
	if g.groups[group] = keys; len(keys) == 0 {
		delete(g.groups, group)
	}
}

// waiting is what builds wait for, of all graphs: a build of one may wait for a node of another.
type waiting struct{ mu sync.Mutex }

var edges waiting

// add notes that the build of a node waits for another. It refuses a wait that would never end,
// with the path of nodes that need each other.
func (w *waiting) add(from, to *node) error {
	if from == nil {
		return nil
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if path := pathTo(to, from, map[*node]bool{}); path != nil {
		names := []string{nameOf(from.key)}
		for _, n := range path {
			names = append(names, nameOf(n.key))
		}
		return fmt.Errorf("graph: nodes need each other: %s", strings.Join(names, " → "))
	}
	from.needs[to]++
	return nil
}

func (w *waiting) remove(from, to *node) {
	if from == nil {
		return
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if from.needs[to]--; from.needs[to] == 0 {
		delete(from.needs, to)
	}
}

// pathTo returns the nodes from one to another along what they wait for; nil for none.
func pathTo(from, to *node, seen map[*node]bool) []*node {
	if from == to {
		return []*node{to}
	}
	if seen[from] {
		return nil
	}
	seen[from] = true
	for n := range from.needs {
		if p := pathTo(n, to, seen); p != nil {
			return append([]*node{from}, p...)
		}
	}
	return nil
}
