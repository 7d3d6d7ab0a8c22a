// Package cache keeps what is costly to make and asked for again, by keys that say
// all that it depends on.
package cache

import (
	"container/list"
	"context"
	"errors"
	"slices"
	"sync"
	"sync/atomic"

	"pyrant/internal/base/fault"
)

// Sized is what a cache can hold: something that knows the memory it takes.
type Sized interface{ Bytes() int64 }

// Number is a float64 that a cache can hold.
type Number float64

// Bytes returns about what an entry of the cache takes.
func (Number) Bytes() int64 { return 64 }

// Cache keeps the nodes of render graphs by keys that say all that a node
// depends on. It holds the most recently used up to a number of bytes. Two
// goroutines that ask for the same missing node compute it once. A Cache may be
// used by several goroutines.
type Cache struct {
	parent  *Cache // looked into, and left as it is
	mu      sync.Mutex
	limit   int64
	entries map[string]*entry
	order   *list.List          // of *entry, most recently used first
	sum     int64               // bytes of all entries in order
	groups  map[string][]string // keys by the group that Only put them in, oldest first
	members map[string]string   // the group of each such key

	counts *counts
}

// counts are shared by a cache and those that are scoped to it.
type counts struct{ hits, misses atomic.Int64 }

type entry struct {
	key   string
	ready chan struct{} // closed when val or err is set
	val   Sized
	err   error
	size  int64 // of val when it was last looked at
	elem  *list.Element
}

// New returns a cache that holds about limit bytes.
func New(limit int64) *Cache {
	return &Cache{limit: limit, entries: map[string]*entry{}, order: list.New(),
		groups: map[string][]string{}, members: map[string]string{}, counts: new(counts)}
}

// Scoped returns a cache of its own for one piece of work that also finds what c
// holds, but adds nothing to it: what an export computes is of no use to the
// previews, and would push out what is.
func (c *Cache) Scoped(limit int64) *Cache {
	s := New(limit)
	s.parent, s.counts = c, c.counts
	return s
}

// held returns a node that is there, if it is.
func (c *Cache) held(key string) (Sized, bool) {
	c.mu.Lock()
	e := c.entries[key]
	if e == nil || e.elem == nil {
		c.mu.Unlock()
		return nil, false
	}
	c.order.MoveToFront(e.elem)
	c.counts.hits.Add(1)
	c.mu.Unlock()
	c.weigh(e)
	return e.val, true
}

// Peek returns the node with the given key if it is there.
func Peek[T Sized](c *Cache, key string) (v T, ok bool) {
	n, ok := c.held(key)
	if !ok && c.parent != nil {
		n, ok = c.parent.held(key)
	}
	if ok {
		v = n.(T)
	}
	return v, ok
}

// Put makes a value the node of a key in c itself, whatever the key had before, there or in the
// cache that c is scoped to. Where the key's node is being made, that one is kept, and those who
// wait get it.
func Put[T Sized](c *Cache, key string, v T) error {
	c.mu.Lock()
	if e := c.entries[key]; e != nil && e.elem != nil {
		if old, ok := e.val.(T); ok && any(old) == any(v) {
			c.order.MoveToFront(e.elem)
			c.mu.Unlock()
			return nil
		}
		c.drop(e)
	}
	c.mu.Unlock()
	_, err := Own(context.Background(), c, key, func(context.Context) (T, error) { return v, nil })
	return err
}

// Held returns the bytes of all nodes, as they were when last looked at.
func (c *Cache) Held() int64 {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.sum
}

// Counts returns how often a node was found and how often it had to be made.
func (c *Cache) Counts() (hits, misses int64) {
	return c.counts.hits.Load(), c.counts.misses.Load()
}

// Get returns the node with the given key, made by build if it is missing. Errors
// are not kept.
func Get[T Sized](ctx context.Context, c *Cache, key string,
	build func(context.Context) (T, error)) (T, error) {
	if c.parent != nil && !c.has(key) {
		if v, ok := c.parent.held(key); ok {
			return v.(T), nil
		}
	}
	return Own(ctx, c, key, build)
}

// has tells whether c itself holds a node, or is making it.
func (c *Cache) has(key string) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.entries[key] != nil
}

// Own is Get, but for nodes that change while they are used, such as masks whose tiles are dropped:
// a scoped cache makes its own and takes none from the cache that it is scoped to.
func Own[T Sized](ctx context.Context, c *Cache, key string,
	build func(context.Context) (T, error)) (T, error) {
	var zero T
	for {
		c.mu.Lock()
		e := c.entries[key]
		if e == nil {
			e = &entry{key: key, ready: make(chan struct{})}
			c.entries[key] = e
			c.counts.misses.Add(1)
			c.mu.Unlock()
			return fill(ctx, c, e, build)
		}
		if e.elem != nil {
			c.order.MoveToFront(e.elem)
			c.counts.hits.Add(1)
		}
		c.mu.Unlock()
		select {
		case <-e.ready:
		case <-ctx.Done():
			return zero, ctx.Err()
		}
		if e.err == nil {
			c.weigh(e)
			return e.val.(T), nil
		}
		// Whoever was making it was cancelled: make it ourselves.
		if fault.Cancelled(e.err) {
			if err := ctx.Err(); err != nil {
				return zero, err
			}
			continue
		}
		return zero, e.err
	}
}

// fill makes the node of e. Whatever happens, those who wait are released.
func fill[T Sized](ctx context.Context, c *Cache, e *entry,
	build func(context.Context) (T, error)) (val T, err error) {
	err = errors.New("cache: a node's computation stopped")
	size := int64(0)
	defer func() {
		c.mu.Lock()
		defer c.mu.Unlock()
		if e.err = err; err != nil {
			delete(c.entries, e.key)
			c.leave(e.key)
		} else {
			e.val = val
			e.elem = c.order.PushFront(e)
			c.sum += size
			e.size = size
			c.trim()
		}
		close(e.ready)
	}()
	defer fault.Catch(&err)
	if val, err = build(ctx); err == nil {
		size = val.Bytes()
	}
	return val, err
}

// weigh takes the size of e anew: nodes may have grown since, as masks do, which rasterise their
// tiles when they are asked for. The node is asked without the cache's lock, so that one that is
// slow to answer stops nobody else.
func (c *Cache) weigh(e *entry) {
	n := e.val.Bytes()
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.entries[e.key] == e {
		c.sum += n - e.size
		e.size = n
	}
}

// trim drops the least recently used nodes over the limit, but not the newest.
func (c *Cache) trim() {
	for c.sum > c.limit && c.order.Len() > 1 {
		c.drop(c.order.Back().Value.(*entry))
	}
}

// drop takes an entry that is ready out.
func (c *Cache) drop(e *entry) {
	c.order.Remove(e.elem)
	delete(c.entries, e.key)
	c.leave(e.key)
	c.sum -= e.size
}

// leave takes a key out of its group, and with its last key the group.
func (c *Cache) leave(key string) {
	group, ok := c.members[key]
	if !ok {
		return
	}
	delete(c.members, key)
	list := slices.DeleteFunc(c.groups[group], func(k string) bool { return k == key })
	if c.groups[group] = list; len(list) == 0 {
		delete(c.groups, group)
	}
}

// Only makes a node the latest of a group, of which no more than so many are held: of what is large
// and seldom asked for again once there is a newer one. Memory that is free again soon costs less
// than what has to be asked for.
func (c *Cache) Only(group, key string, most int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.leave(key)
	for len(c.groups[group]) >= most {
		old := c.groups[group][0]
		if e := c.entries[old]; e != nil && e.elem != nil {
			c.drop(e)
		} else {
			c.leave(old)
		}
	}
	c.groups[group] = append(c.groups[group], key)
	c.members[key] = group
}
