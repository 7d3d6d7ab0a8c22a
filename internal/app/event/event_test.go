package event

import (
	"fmt"
	"testing"
)

// next returns what a line has, up to so many events.
func next(l *Line, n int) string {
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
	a, b := h.Follow(""), h.Follow("")
	h.Tell("revision", 1)
	b.Leave()
	h.Tell("revision", 2)
	if got := next(a, 9); got != "1 2 " {
		t.Errorf("the first was told %q", got)
	}
	if got := next(b, 9); got != "1 cut" {
		t.Errorf("the one that left was told %q", got)
	}
}

func TestWhatWasMissedComesAgain(t *testing.T) {
	h := New()
	h.Tell("job", 1)
	at := h.Last()
	h.Tell("job", 2)
	h.Tell("job", 3)
	l := h.Follow(at)
	h.Tell("job", 4)
	if got := next(l, 9); got != "2 3 4 " || l.Lost || l.Last != at {
		t.Errorf("told %q, lost %v, from %s; want 2 3 4 from %s", got, l.Lost, l.Last, at)
	}
	if l := h.Follow(h.Last()); l.Lost || next(l, 9) != "" {
		t.Error("who missed nothing is told something")
	}
}

func TestWhatIsNoLongerKnownIsSaid(t *testing.T) {
	h := New()
	at := h.Last()
	h.Tell("job", 0)
	early := h.Last()
	for i := range kept {
		h.Tell("job", i)
	}
	for what, id := range map[string]string{
		"too old": at, "another run": New().Last(), "later than all": h.id(h.n + 1), "no id": "x",
	} {
		if l := h.Follow(id); !l.Lost || l.Last != h.Last() || next(l, 9) != "" {
			t.Errorf("%s: lost %v, from %s", what, l.Lost, l.Last)
		}
	}
	if l := h.Follow(early); l.Lost || len(l.C) != kept {
		t.Errorf("of %d events that are known, %d come", kept, len(l.C))
	}
}

// A follower that takes nothing holds up nobody: it is cut, and finds all when it comes again.
func TestTheSlowAreCut(t *testing.T) {
	h := New()
	slow := h.Follow("")
	for i := range behind + 1 {
		h.Tell("job", i)
	}
	last := ""
	n := 0
	for e := range slow.C {
		last = e.ID
		n++
	}
	if n != behind {
		t.Errorf("it had %d events, want %d", n, behind)
	}
	if got := next(h.Follow(last), 9); got != fmt.Sprintf("%d ", behind) {
		t.Errorf("it missed %q", got)
	}
}

func TestClose(t *testing.T) {
	h := New()
	l := h.Follow("")
	h.Close()
	if _, ok := <-l.C; ok {
		t.Error("a line goes on after the end")
	}
	if h.Follow("") != nil {
		t.Error("a closed hub takes a follower")
	}
	h.Tell("notice", "late") // nobody is told, and nothing fails
	l.Leave()
}

func TestSoManyAtATime(t *testing.T) {
	h := New()
	var last *Line
	for range most {
		last = h.Follow("")
	}
	if h.Follow("") != nil {
		t.Errorf("more than %d follow", most)
	}
	last.Leave()
	if h.Follow("") == nil {
		t.Error("one that left keeps its place")
	}
}
