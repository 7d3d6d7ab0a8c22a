package web

import (
	"context"
	"errors"
	"slices"
	"sync"
	"testing"
	"time"
)

// waits blocks until so many wait for a turn.
func (t *turns) waits(n int) {
	for {
		t.mu.Lock()
		now := len(t.waiting)
		t.mu.Unlock()
		if now == n {
			return
		}
		time.Sleep(time.Millisecond)
	}
}

func TestTurnsAreInOrderAndDropOldDrafts(t *testing.T) {
	ctx := context.Background()
	q := newTurns(1)
	first, err := q.take(ctx, asker{"a", true})
	if err != nil {
		t.Fatal(err)
	}
	var mu sync.Mutex
	var order []string
	var all sync.WaitGroup
	n := 0
	ask := func(name, lane string, draft bool) {
		n++
		all.Go(func() {
			done, err := q.take(ctx, asker{lane, draft})
			if errors.Is(err, errDropped) {
				name = "dropped " + name
			} else if err != nil {
				t.Error(err)
				return
			}
			mu.Lock()
			order = append(order, name)
			mu.Unlock()
			if done != nil {
				done()
			}
		})
	}
	ask("a1", "a", true)
	q.waits(1)
	ask("b1", "b", true)
	q.waits(2)
	ask("a final", "a", false)
	q.waits(3)
	ask("a2", "a", true) // takes the place of a1, and comes last
	for {
		mu.Lock()
		dropped := slices.Contains(order, "dropped a1")
		mu.Unlock()
		if dropped {
			break
		}
		time.Sleep(time.Millisecond)
	}
	q.waits(3)
	// Who gives up leaves the queue.
	gone, leave := context.WithCancel(ctx)
	left := make(chan error)
	go func() {
		_, err := q.take(gone, asker{"c", true})
		left <- err
	}()
	q.waits(4)
	leave()
	if err := <-left; !errors.Is(err, context.Canceled) {
		t.Errorf("who gave up is told %v", err)
	}
	first()
	all.Wait()
	if want := []string{"dropped a1", "b1", "a final", "a2"}; !slices.Equal(order, want) {
		t.Errorf("the order was %v, want %v", order, want)
	}
	// All turns are free again.
	if done, err := q.take(ctx, asker{"z", true}); err != nil || q.free != 0 {
		t.Errorf("afterwards: %v, %d free", err, q.free)
	} else if done(); q.free != 1 {
		t.Errorf("%d are free", q.free)
	}
}

func TestTurnsUnderLoad(t *testing.T) {
	q := newTurns(2)
	var mu sync.Mutex
	now, most := 0, 0
	var all sync.WaitGroup
	for i := range 200 {
		all.Go(func() {
			ctx, cancel := context.WithTimeout(context.Background(),
				time.Duration(i%7)*time.Millisecond)
			defer cancel()
			done, err := q.take(ctx, asker{string(rune('a' + i%11)), i%2 == 0})
			if err != nil {
				return
			}
			mu.Lock()
			now++
			most = max(most, now)
			mu.Unlock()
			time.Sleep(100 * time.Microsecond)
			mu.Lock()
			now--
			mu.Unlock()
			done()
		})
	}
	all.Wait()
	if most > 2 || q.free != 2 || len(q.waiting) != 0 {
		t.Errorf("%d at a time; afterwards %d are free and %d wait", most, q.free, len(q.waiting))
	}
}

// Of work that takes long at most one holds a turn: a second is ended, waits, and is done
// afterwards, while what is quick goes on beside the first.
func TestOneSlowTurn(t *testing.T) {
	ctx := context.Background()
	q := newTurns(2)
	q.after = 20 * time.Millisecond
	var mu sync.Mutex
	long, most, begun := 0, 0, map[string]int{}
	finish := map[string]chan struct{}{"a": make(chan struct{}), "b": make(chan struct{})}
	slow := func(name string) error {
		return q.run(ctx, asker{lane: name}, func(ctx context.Context) error {
			mu.Lock()
			begun[name]++
			mu.Unlock()
			time.Sleep(2 * q.after)
			if ctx.Err() != nil {
				return ctx.Err()
			}
			mu.Lock()
			long++
			most = max(most, long)
			mu.Unlock()
			defer func() { mu.Lock(); long--; mu.Unlock() }()
			select {
			case <-finish[name]:
				return nil
			case <-ctx.Done():
				return ctx.Err()
			}
		})
	}
	var all sync.WaitGroup
	for name := range finish {
		all.Go(func() {
			if err := slow(name); err != nil {
				t.Errorf("%s: %v", name, err)
			}
		})
	}
	for { // until one of both waits for the place
		q.slow.mu.Lock()
		n := len(q.slow.waiting)
		q.slow.mu.Unlock()
		if n == 1 {
			break
		}
		time.Sleep(time.Millisecond)
	}
	for range 5 {
		if err := q.run(ctx, asker{lane: "quick"},
			func(context.Context) error { return nil }); err != nil {
			t.Error(err)
		}
	}
	close(finish["a"])
	close(finish["b"])
	all.Wait()
	if most != 1 || begun["a"]+begun["b"] != 3 {
		t.Errorf("%d took long at a time; begun: %v", most, begun)
	}
	if q.free != 2 || q.slow.free != 1 {
		t.Errorf("afterwards %d turns and %d places are free", q.free, q.slow.free)
	}
	failed := errors.New("failed")
	if err := q.run(ctx, asker{},
		func(context.Context) error { time.Sleep(2 * q.after); return failed }); !errors.Is(err,
		failed) {
		t.Errorf("an error of work that took long: %v", err)
	}
	if q.slow.free != 1 {
		t.Error("the place is not free after an error")
	}
}
