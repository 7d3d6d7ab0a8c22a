package web

import (
	"context"
	"errors"
	"slices"
	"sync"
	"time"

	"pyrant/internal/base/fault"
)

// turns lets a few frames be computed at a time, each of which uses all cores; the
// others wait in the order in which they came. Who sends a newer draft before an older
// one had its turn no longer wants that: it is dropped, not computed.
//
// What takes long may hold one turn and no more: the others are for what is quick.
type turns struct {
	slow    *turns        // the one place for what takes long; nil in itself
	after   time.Duration // how long a turn may be held without that place
	mu      sync.Mutex
	free    int
	all     int
	waiting []*turn
	last    time.Time // when one ended
}

// asker is who wants a turn, and whether for values that are not saved.
type asker struct {
	lane  string
	draft bool
}

type turn struct {
	asker
	ready   chan struct{} // closed when it is its turn, or when it is dropped
	dropped bool
}

// slowAfter is how long a turn may be held by more than one at a time.
const slowAfter = 2 * time.Second

func newTurns(n int) *turns {
	return &turns{free: n, all: n, slow: &turns{free: 1, all: 1}, after: slowAfter}
}

// errTooSlow ends work that takes long while other such work is under way.
var errTooSlow = errors.New("web: the work takes long, and so does other work")

// run does work when it is the asker's turn. Work that is not done after a while needs the one
// place for what takes long. Where that is taken, the work is ended, and begun again with both:
// what it has computed by then is in the cache.
func (t *turns) run(ctx context.Context, who asker, work func(context.Context) error) error {
	done, err := t.take(ctx, who)
	if err != nil {
		return err
	}
	free, err := t.tried(ctx, work)
	done()
	free()
	if !errors.Is(err, errTooSlow) {
		return err
	}
	free, err = t.slow.take(ctx, who)
	if err != nil {
		return err
	}
	defer free()
	if done, err = t.take(ctx, who); err != nil {
		return err
	}
	defer done()
	return work(ctx)
}

// tried does work, and returns what lets the place for what takes long go, if the work came to hold
// it.
func (t *turns) tried(ctx context.Context,
	work func(context.Context) error) (free func(), err error) {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	free = func() {}
	held := make(chan struct{})
	timer := time.AfterFunc(t.after, func() {
		defer close(held)
		if done := t.slow.try(); done != nil {
			free = done
		} else {
			cancel(errTooSlow)
		}
	})
	err = work(ctx)
	if !timer.Stop() {
		<-held
	}
	if err != nil && errors.Is(context.Cause(ctx), errTooSlow) {
		err = errTooSlow
	}
	return free, err
}

// try takes a turn if one is free and nobody waits; nil otherwise.
func (t *turns) try() (done func()) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.free == 0 || len(t.waiting) > 0 {
		return nil
	}
	t.free--
	return t.done
}

// quiet tells whether nothing is under way, and was not for so long.
func (t *turns) quiet(long time.Duration) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.free == t.all && len(t.waiting) == 0 && time.Since(t.last) >= long
}

// errDropped is told to who asked for a draft that a newer one has taken the place of.
var errDropped = fault.New(fault.Gone, "A newer draft replaced this one.")

// take waits for a turn. done must be called when the work is over.
func (t *turns) take(ctx context.Context, who asker) (done func(), err error) {
	t.mu.Lock()
	if who.draft {
		t.waiting = slices.DeleteFunc(t.waiting, func(w *turn) bool {
			if w.asker != who {
				return false
			}
			w.dropped = true
			close(w.ready)
			return true
		})
	}
	if t.free > 0 && len(t.waiting) == 0 {
		t.free--
		t.mu.Unlock()
		return t.done, nil
	}
	w := &turn{asker: who, ready: make(chan struct{})}
	t.waiting = append(t.waiting, w)
	t.mu.Unlock()
	select {
	case <-w.ready:
		if w.dropped {
			return nil, errDropped
		}
		return t.done, nil
	case <-ctx.Done():
		t.mu.Lock()
		i := slices.Index(t.waiting, w)
		if i >= 0 {
			t.waiting = slices.Delete(t.waiting, i, i+1)
		}
		t.mu.Unlock()
		if i < 0 && !w.dropped { // its turn came at that very moment
			t.done()
		}
		return nil, ctx.Err()
	}
}

// done hands the turn to the one who waits longest.
func (t *turns) done() {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.last = time.Now()
	if len(t.waiting) == 0 {
		t.free++
		return
	}
	close(t.waiting[0].ready)
	t.waiting = t.waiting[1:]
}
