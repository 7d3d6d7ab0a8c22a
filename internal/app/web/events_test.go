package web

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"testing"
)

// told is a line of events as a page receives it.
type told struct {
	testing.TB
	lines *bufio.Scanner
	leave func()
	last  string // id of the event before
}

// follow opens a line of events after one.
func (a *app) follow(url, after string) *told {
	a.Helper()
	ctx, leave := context.WithCancel(context.Background())
	q, err := http.NewRequestWithContext(ctx, "GET", url+"/events", nil)
	if err != nil {
		a.Fatal(err)
	}
	if after != "" {
		q.Header.Set("Last-Event-ID", after)
	}
	resp, err := http.DefaultClient.Do(q)
	if err != nil {
		a.Fatal(err)
	}
	a.Cleanup(func() { leave(); resp.Body.Close() })
	if kind := resp.Header.Get("Content-Type"); kind != "text/event-stream" {
		a.Fatalf("%d, it is %s", resp.StatusCode, kind)
	}
	return &told{a.TB, bufio.NewScanner(resp.Body), leave, ""}
}

// next returns the next event but for those of kinds that the test is not about.
func (l *told) next() string {
	l.Helper()
	kind := ""
	for l.lines.Scan() {
		name, value, _ := strings.Cut(l.lines.Text(), ": ")
		switch name {
		case "id":
			l.last = value
		case "event":
			kind = value
		case "data":
			if kind != "job" && kind != "thumbnail" {
				return kind + " " + value
			}
		}
	}
	l.Fatal("the line has ended")
	return ""
}

func TestPagesAreToldOfRevisions(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	srv := httptest.NewServer(a.server.Handler())
	t.Cleanup(srv.Close)
	l := a.follow(srv.URL, "")
	if got := l.next(); got != "hello {}" {
		t.Errorf("it begins with %s", got)
	}
	id := a.stored(at).ID
	is := func(l *told, version int) {
		t.Helper()
		want := fmt.Sprintf(`revision {"shot":"%s","version":%d}`, id, version)
		if got := l.next(); got != want {
			t.Errorf("a page is told %s, want %s", got, want)
		}
	}
	daylight := func(version int64, v float64) {
		t.Helper()
		if code, body := a.change(at, fmt.Sprintf(
			`[{"op":"replace","path":"/dusk/daylight","value":%g}]`, v)); code != 200 {
			t.Fatalf("%d %s", code, body)
		}
	}
	daylight(1, -1)
	is(l, 2)
	seen := l.last
	l.leave()
	daylight(2, -2)
	a.act(at, "undo", form("step", "dusk"))
	// One that comes back is told what it missed, and one that cannot be is told so.
	l = a.follow(srv.URL, seen)
	if got := l.next(); got != "hello {}" || l.last != seen {
		t.Errorf("come back it is told %s after %s", got, l.last)
	}
	is(l, 3)
	is(l, 4)
	if got := a.follow(srv.URL, "another-7").next(); got != "reset {}" {
		t.Errorf("of another run it is told %s", got)
	}
	a.post(at+"/name", form("name", "Pier"))
	if got := l.next(); got != "shelf null" {
		t.Errorf("renamed: %s", got)
	}
	// A refused change is no news.
	a.change(at, `[{"op":"replace","path":"/dusk/daylight","value":99}]`)
	daylight(4, -1.5)
	is(l, 5)
}

// A page may hold a value of something that another window deletes: its picture goes on without it.
func TestADraftOfWhatIsGoneIsLeftOut(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	a.act(at, "add-light", form("step", "trace"))
	l := a.recipe(at).Lights[0].ID
	draft := `[{"op":"replace","path":"/lights/id:` + l + `/level","value":0.4},` +
		`{"op":"replace","path":"/dusk/daylight","value":-2}]`
	a.act(at, "remove-light", form("step", "trace", "light", l))
	got := a.frame(at, draft)
	rest := a.frame(at, `[{"op":"replace","path":"/dusk/daylight","value":-2}]`)
	if !bytes.Equal(got.Pix, rest.Pix) {
		t.Error("the rest of the draft is not shown")
	}
	if plain := a.frame(at, ""); bytes.Equal(got.Pix, plain.Pix) {
		t.Error("the draft changes nothing")
	}
}

// An answer brings the panels that are not as the page has them, and no others.
func TestAnswersBringWhatChanged(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	a.act(at, "add-light", form("step", "dusk"))
	ask := func(method, path string, values url.Values, has map[string]panel) answer {
		t.Helper()
		q := a.request(method, path, "application/x-www-form-urlencoded",
			strings.NewReader(values.Encode()))
		var list []string
		for name, p := range has {
			list = append(list, name+"="+p.Key)
		}
		q.Header.Set("X-Panels", strings.Join(list, ","))
		resp, err := a.client.Do(q)
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		var out answer
		if err := json.NewDecoder(resp.Body).Decode(&out); err != nil || resp.StatusCode != 200 {
			t.Fatalf("%s: %d %v", path, resp.StatusCode, err)
		}
		return out
	}
	names := func(got answer) string {
		return strings.Join(slices.Sorted(maps.Keys(got.Panels)), " ")
	}
	first := ask("GET", at+"/bench?step=dusk", nil, nil)
	if got := names(first); got != "bench board history rail" {
		t.Errorf("a page without panels gets %s", got)
	}
	if got := names(ask("GET", at+"/bench?step=dusk", nil, first.Panels)); got != "" {
		t.Errorf("a page that has all gets %s", got)
	}
	if got := names(ask("GET", at+"/bench?step=glow", nil, first.Panels)); got != "bench rail" {
		t.Errorf("for another step it gets %s", got)
	}
	level := change(a.stored(at).Version, `[{"op":"replace","path":"/lights/0/level","value":0.4}]`)
	level.Set("step", "dusk")
	next := ask("POST", at+"/changes", level, first.Panels)
	if got := names(next); got != "board history" ||
		!strings.Contains(next.Panels["board"].HTML, "40") {
		t.Errorf("after the change of a fader it gets %s", got)
	}
	var s struct{ Version int64 }
	if err := json.Unmarshal(next.State, &s); err != nil || s.Version != a.stored(at).Version {
		t.Errorf("the state is of version %d, %v", s.Version, err)
	}
}
