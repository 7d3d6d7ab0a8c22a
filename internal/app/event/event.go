// Package event broadcasts what happens on the server to all open pages. A page that lost its
// connection resumes after the last event that it received.
package event

import (
	"crypto/rand"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"sync"
)

// Event is a message to all pages.
type Event struct {
	ID   string // run of the server and sequence number, as in k3f-17
	Kind string // such as revision or job
	Data []byte // JSON
}

const (
	maxReplay      = 1024 // events kept for resuming
	maxBacklog     = 256  // unread events before a subscription is closed
	maxSubscribers = 256  // concurrent subscriptions
)

// Hub broadcasts events. It is safe for concurrent use.
type Hub struct {
	run string // random id of this run of the server

	mu          sync.Mutex
	n           uint64  // sequence number of the last event
	past        []Event // the last maxReplay events, oldest first
	subscribers map[*Subscription]struct{}
	closed      bool
}

// New returns a hub without subscriptions.
func New() *Hub {
	return &Hub{run: strings.ToLower(rand.Text()[:8]), subscribers: map[*Subscription]struct{}{}}
}

// Subscription receives events from a hub.
type Subscription struct {
	C    <-chan Event // closed by Close, or if the reader is too slow
	Last string       // id of the event before the first of C
	// Lost reports that events were missed and cannot be replayed.
	Lost bool

	hub  *Hub
	send chan Event
}

// Last returns the id of the newest event.
func (h *Hub) Last() string {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.id(h.n)
}

func (h *Hub) id(n uint64) string { return fmt.Sprintf("%s-%d", h.run, n) }

// Publish sends an event with data as JSON to all subscriptions.
func (h *Hub) Publish(kind string, data any) {
	b, err := json.Marshal(data)
	if err != nil {
		panic(fmt.Sprintf("event: %s: %v", kind, err)) // a programming error
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	h.n++
	e := Event{h.id(h.n), kind, b}
	if len(h.past) == maxReplay {
		h.past = append(h.past[:0], h.past[1:]...)
	}
	h.past = append(h.past, e)
	for l := range h.subscribers {
		select {
		case l.send <- e:
		default: // too slow: it reconnects and resumes
			h.cut(l)
		}
	}
}

// Subscribe returns a subscription to all events after the one with the given id, or from now on if
// id is empty. It returns nil if there are too many subscriptions or the hub is closed.
func (h *Hub) Subscribe(after string) *Subscription {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.closed || len(h.subscribers) >= maxSubscribers {
		return nil
	}
	missed, known := h.after(after)
	c := make(chan Event, maxBacklog+len(missed))
	for _, e := range missed {
		c <- e
	}
	l := &Subscription{C: c, Last: h.id(h.n - uint64(len(missed))), Lost: !known, hub: h, send: c}
	h.subscribers[l] = struct{}{}
	return l
}

// after returns the events after the one with the given id; known is false if they cannot be
// determined.
func (h *Hub) after(id string) (missed []Event, known bool) {
	if id == "" {
		return nil, true
	}
	run, number, _ := strings.Cut(id, "-")
	n, err := strconv.ParseUint(number, 10, 64)
	if err != nil || run != h.run || n > h.n || h.n-n > uint64(len(h.past)) {
		return nil, false
	}
	return h.past[len(h.past)-int(h.n-n):], true
}

// Close ends the subscription.
func (l *Subscription) Close() {
	l.hub.mu.Lock()
	defer l.hub.mu.Unlock()
	l.hub.cut(l)
}

func (h *Hub) cut(l *Subscription) {
	if _, ok := h.subscribers[l]; ok {
		delete(h.subscribers, l)
		close(l.send)
	}
}

// Close ends all subscriptions and rejects new ones.
func (h *Hub) Close() {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.closed = true
	for l := range h.subscribers {
		h.cut(l)
	}
}
