package event

import (
	"fmt"
	"testing"
)

// next returns what a line has, up to so many events.
func next(l *Subscription, n int) string {
	out := ""
	for range n {
		select {
		case e, ok := <-l.C:
			if !ok {
				return out + "cut"
			}
			out += string(e.Data) + " "
		default:
			return out
		}
	}
	return out
}

func TestEveryFollowerIsTold(t *testing.T) {
	h := New()
	a, b := h.Subscribe(""), h.Subscribe("")
	h.Publish("revision", 1)
	b.Close()
	h.Publish("revision", 2)
	if got := next(a, 9); got != "1 2 " {
		t.Errorf("the first was told %q", got)
	}
	if got := next(b, 9); got != "1 cut" {
		t.Errorf("the one that left was told %q", got)
	}
}

func TestWhatWasMissedComesAgain(t *testing.T) {
	h := New()
	h.Publish("job", 1)
	at := h.Last()
	h.Publish("job", 2)
	h.Publish("job", 3)
	l := h.Subscribe(at)
	h.Publish("job", 4)
	if got := next(l, 9); got != "2 3 4 " || l.Lost || l.Last != at {
		t.Errorf("told %q, lost %v, from %s; want 2 3 4 from %s", got, l.Lost, l.Last, at)
	}
	if l := h.Subscribe(h.Last()); l.Lost || next(l, 9) != "" {
		t.Error("who missed nothing is told something")
	}
}

func TestWhatIsNoLongerKnownIsSaid(t *testing.T) {
	h := New()
	at := h.Last()
	h.Publish("job", 0)
	early := h.Last()
	for i := range maxReplay {
		h.Publish("job", i)
	}
	for what, id := range map[string]string{
		"too old": at, "another run": New().Last(), "later than all": h.id(h.n + 1), "no id": "x",
	} {
		if l := h.Subscribe(id); !l.Lost || l.Last != h.Last() || next(l, 9) != "" {
			t.Errorf("%s: lost %v, from %s", what, l.Lost, l.Last)
		}
	}
	if l := h.Subscribe(early); l.Lost || len(l.C) != maxReplay {
		t.Errorf("of %d events that are known, %d come", maxReplay, len(l.C))
	}
}

// A follower that takes nothing holds up nobody: it is cut, and finds all when it comes again.
func TestTheSlowAreCut(t *testing.T) {
	h := New()
	slow := h.Subscribe("")
	for i := range maxBacklog + 1 {
		h.Publish("job", i)
	}
	last := ""
	n := 0
	for e := range slow.C {
		last = e.ID
		n++
	}
	if n != maxBacklog {
		t.Errorf("it had %d events, want %d", n, maxBacklog)
	}
	if got := next(h.Subscribe(last), 9); got != fmt.Sprintf("%d ", maxBacklog) {
		t.Errorf("it missed %q", got)
	}
}

func TestClose(t *testing.T) {
	h := New()
	l := h.Subscribe("")
	h.Close()
	if _, ok := <-l.C; ok {
		t.Error("a line goes on after the end")
	}
	if h.Subscribe("") != nil {
		t.Error("a closed hub takes a follower")
	}
	h.Publish("notice", "late") // nobody is told, and nothing fails
	l.Close()
}

func TestSoManyAtATime(t *testing.T) {
	h := New()
	var last *Subscription
	for range maxSubscribers {
		last = h.Subscribe("")
	}
	if h.Subscribe("") != nil {
		t.Errorf("more than %d follow", maxSubscribers)
	}
	last.Close()
	if h.Subscribe("") == nil {
		t.Error("one that left keeps its place")
	}
}
