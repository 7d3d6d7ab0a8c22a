package render

import (
	"container/list"
	"context"
	"errors"
	"sync"
)

// sized is what a cache can hold: something that knows the memory it takes.
type sized interface{ Bytes() int64 }

// Cache keeps the nodes of render graphs by keys that say all that a node
// depends on. It holds the most recently used up to a number of bytes. Two
// goroutines that ask for the same missing node compute it once. A Cache may be
// used by several goroutines.
type Cache struct {
	mu      sync.Mutex
	limit   int64
	entries map[string]*entry
	order   *list.List // of *entry, most recently used first
	sum     int64      // bytes of all entries in order

	hits, misses int64
}

type entry struct {
	key   string
	ready chan struct{} // closed when val or err is set
	val   sized
	err   error
	size  int64 // of val when it was last looked at
	elem  *list.Element
}

// NewCache returns a cache that holds about limit bytes.
func NewCache(limit int64) *Cache {
	return &Cache{limit: limit, entries: map[string]*entry{}, order: list.New()}
}

// Counts returns how often a node was found and how often it had to be made.
func (c *Cache) Counts() (hits, misses int64) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.hits, c.misses
}

// Get returns the node with the given key, made by build if it is missing. Errors
// are not kept.
func Get[T sized](ctx context.Context, c *Cache, key string, build func(context.Context) (T, error)) (T, error) {
	var zero T
	for {
		c.mu.Lock()
		e := c.entries[key]
		if e == nil {
			e = &entry{key: key, ready: make(chan struct{})}
			c.entries[key] = e
			c.misses++
			c.mu.Unlock()
			return fill(ctx, c, e, build)
		}
		if e.elem != nil {
			c.order.MoveToFront(e.elem)
			c.hits++
			c.weigh(e)
		}
		c.mu.Unlock()
		select {
		case <-e.ready:
		case <-ctx.Done():
			return zero, ctx.Err()
		}
		if e.err == nil {
			return e.val.(T), nil
		}
		// Whoever was making it was cancelled: make it ourselves.
		if errors.Is(e.err, context.Canceled) || errors.Is(e.err, context.DeadlineExceeded) {
			if err := ctx.Err(); err != nil {
				return zero, err
			}
			continue
		}
		return zero, e.err
	}
}

// fill makes the node of e. Whatever happens, those who wait are released.
func fill[T sized](ctx context.Context, c *Cache, e *entry, build func(context.Context) (T, error)) (val T, err error) {
	err = errors.New("render: a node's computation stopped")
	defer func() {
		c.mu.Lock()
		defer c.mu.Unlock()
		if e.err = err; err != nil {
			delete(c.entries, e.key)
		} else {
			e.val = val
			e.elem = c.order.PushFront(e)
			c.weigh(e)
			c.trim()
		}
		close(e.ready)
	}()
	return build(ctx)
}

// weigh takes the size of e anew: nodes may have grown since, as masks do, which
// rasterise their tiles when they are asked for.
func (c *Cache) weigh(e *entry) {
	n := e.val.Bytes()
	c.sum += n - e.size
	e.size = n
}

// trim drops the least recently used nodes over the limit, but not the newest.
func (c *Cache) trim() {
	for c.sum > c.limit && c.order.Len() > 1 {
		e := c.order.Remove(c.order.Back()).(*entry)
		delete(c.entries, e.key)
		c.sum -= e.size
	}
}
