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
			ctx, cancel := context.WithTimeout(context.Background(), time.Duration(i%7)*time.Millisecond)
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
