// Package event tells every open page what happens on the server: a revision was saved, a job went
// on. A page that was away for a moment asks for what came after the last event that it saw.
package event

import (
	"crypto/rand"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"sync"
)

// Event is one thing that happened.
type Event struct {
	ID   string // names the run of the server and the number of the event, as in k3f-17
	Kind string // such as revision or job
	Data []byte // JSON
}

const (
	kept   = 1024 // events that can be asked for later
	behind = 256  // events that a line may be behind before it is cut
	most   = 256  // lines at a time
)

// Hub passes events on to all who follow. Its methods may be called by several goroutines.
type Hub struct {
	run string // names this run of the server

	mu     sync.Mutex
	n      uint64  // number of the last event
	past   []Event // the last of them, the oldest first
	lines  map[*Line]struct{}
	closed bool
}

// New returns a hub that nobody follows yet.
func New() *Hub {
	return &Hub{run: strings.ToLower(rand.Text()[:8]), lines: map[*Line]struct{}{}}
}

// Line is what one follower receives.
type Line struct {
	C    <-chan Event // closed where the line is cut: by Close, or when the follower is too slow
	Last string       // id of the last event before those of C
	// Lost says that events between the one that was asked for and those of C are no longer
	// known: all may have changed.
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

// Tell passes an event on. Data is anything that JSON can hold.
func (h *Hub) Tell(kind string, data any) {
	b, err := json.Marshal(data)
	if err != nil {
		panic(fmt.Sprintf("event: %s: %v", kind, err)) // a type of ours that JSON cannot hold
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	h.n++
	e := Event{h.id(h.n), kind, b}
	if len(h.past) == kept {
		h.past = append(h.past[:0], h.past[1:]...)
	}
	h.past = append(h.past, e)
	for l := range h.lines {
		select {
		case l.send <- e:
		default: // it comes again, and asks for what it missed
			h.cut(l)
		}
	}
}

// Follow returns a line of all events after one, by its id; with an empty id, of those from now on.
// It returns nil where too many follow, or the hub is closed.
func (h *Hub) Follow(after string) *Line {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.closed || len(h.lines) >= most {
		return nil
	}
	missed, known := h.after(after)
	c := make(chan Event, behind+len(missed))
	for _, e := range missed {
		c <- e
	}
	l := &Line{C: c, Last: h.id(h.n - uint64(len(missed))), Lost: !known, hub: h, send: c}
	h.lines[l] = struct{}{}
	return l
}

// after returns the events after one, and whether it is known which they are.
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

// Leave ends a line.
func (l *Line) Leave() {
	l.hub.mu.Lock()
	defer l.hub.mu.Unlock()
	l.hub.cut(l)
}

func (h *Hub) cut(l *Line) {
	if _, ok := h.lines[l]; ok {
		delete(h.lines, l)
		close(l.send)
	}
}

// Close ends all lines, and takes no new ones.
func (h *Hub) Close() {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.closed = true
	for l := range h.lines {
		h.cut(l)
	}
}
