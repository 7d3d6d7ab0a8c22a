// Package graph computes values from typed keys, once, and keeps them while there is room.
//
// A node is a key that can build its value: the key holds everything that the value depends on, so
// two requests with equal keys share one value, and a key that forgets an input does not compile,
// because Build sees nothing but the key and the graph. A node asks the graph for the nodes that it
// needs. Large inputs, and values that follow from others, stand in a key as an Input: what builds
// on an interned value is not built again while that value stays the same.
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

// Versioned is a node of which only the newest few of a group are held: of values that are large
// and seldom asked for once there is a newer one.
type Versioned interface {
	// Group returns the group of the key, and how many of that are held; nil for no group.
	Group() (group any, max int)
}

// Passing is a node that may serve only one part of a picture, which an export asks for once.
type Passing interface {
	// Passes reports whether the value is of no use once that part is done; see Sweep.
	Passes() bool
}

// Graph keeps the values of nodes. It may be used by several goroutines.
type Graph struct {
	parent *Graph // read, never written
	mu     sync.Mutex
	limit  int64
	nodes  map[any]*node
	used   *list.List    // of *node that are built, the most recently used first
	sum    int64         // bytes of all nodes in used
	groups map[any][]any // keys by their group, the oldest first; see Versioned
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
	g.renew(key)
	if v, ok := peek[V](g, key); ok { // without what a build would need
		return v, nil
	}
	return load(ctx, g, key, func(ctx context.Context) (V, error) { return key.Build(ctx, g) })
}

// Own is Get for values that change while they are used, such as masks whose tiles are dropped: a
// child graph builds its own and takes none from its parent.
func Own[K Node[V], V Sized](ctx context.Context, g *Graph, key K) (V, error) {
	g.renew(key)
	return loadOwn(ctx, g, key, func(ctx context.Context) (V, error) { return key.Build(ctx, g) })
}

// Load is Get for a value that comes from outside of the graph: from a file or the database. What a
// key names must never change: it is a file by its hash, or a revision by its number.
func Load[K comparable, V Sized](
	ctx context.Context, g *Graph, key K, read func(context.Context) (V, error),
) (V, error) {
	if v, ok := peek[V](g, key); ok {
		return v, nil
	}
	return load(ctx, g, key, read)
}

// renew makes a key the newest of its group.
func (g *Graph) renew(key any) {
	if v, ok := key.(Versioned); ok {
		if group, max := v.Group(); group != nil {
			g.keep(group, key, max)
		}
	}
}

// History returns what remembers earlier values under a key, made by fresh if there is none. It
// serves to be faster: nothing that it remembers may change a value. A child graph reads its
// parent's.
func History[K comparable, V Sized](g *Graph, key K, fresh func() V) V {
	if v, ok := peek[V](g, key); ok {
		return v
	}
	v, err := loadOwn(context.Background(), g, key,
		func(context.Context) (V, error) { return fresh(), nil })
	if err != nil {
		panic(err) // fresh has panicked
	}
	return v
}

// Each calls do with every value that g itself holds.
func (g *Graph) Each(do func(Sized)) {
	g.mu.Lock()
	var all []Sized
	for e := g.used.Front(); e != nil; e = e.Next() {
		all = append(all, e.Value.(*node).val)
	}
	g.mu.Unlock()
	for _, v := range all {
		do(v)
	}
}

// Sweep drops the values that g itself holds of nodes that pass.
func (g *Graph) Sweep() {
	g.mu.Lock()
	defer g.mu.Unlock()
	for e := g.used.Front(); e != nil; {
		n := e.Value.(*node)
		e = e.Next()
		if k, ok := n.key.(Passing); ok && k.Passes() {
			g.drop(n)
		}
	}
}

// IsChild reports whether g is a child graph, whose values are asked for once.
func (g *Graph) IsChild() bool { return g.parent != nil }

// Has reports whether the value of a node is held, by g or its parent.
func Has[K Node[V], V Sized](g *Graph, key K) bool {
	_, ok := peek[V](g, key)
	return ok
}

// load returns the value of a key, made by build if nobody holds it or builds it.
func load[V Sized](
	ctx context.Context, g *Graph, key any, build func(context.Context) (V, error),
) (V, error) {
	if g.parent != nil && !g.has(key) {
		if v, ok := g.parent.held(key); ok {
			return v.(V), nil
		}
	}
	return loadOwn(ctx, g, key, build)
}

// loadOwn is load without what the parent holds.
func loadOwn[V Sized](
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

// peek returns the value that is held for a key, by g or its parent.
func peek[V Sized](g *Graph, key any) (v V, ok bool) {
	s, ok := g.held(key)
	if !ok && g.parent != nil {
		s, ok = g.parent.held(key)
	}
	if ok {
		v = s.(V)
	}
	return v, ok
}

// keep makes a key the latest of a group, of which at most max are held.
func (g *Graph) keep(group, key any, max int) {
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
