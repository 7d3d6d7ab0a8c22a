package web

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"os"
	"strings"
	"testing"
	"time"

	"pyrant/internal/app/export"
	"pyrant/internal/edit"
	"pyrant/internal/recipe/setting"
)

// Where others can reach Pyrant, nothing is answered without the access key: not with a loopback
// name as the host, nor with a key that is not the whole one. The link brings it, and a cookie
// keeps it.
func TestAccessKey(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	a.server.key = "THE-KEY-OF-THIS-TEST"
	ask := func(method, path string, with func(*http.Request)) *http.Response {
		r := a.request(method, path, "", nil)
		r.Header.Set("Accept", "text/html")
		if with != nil {
			with(r)
		}
		client := &http.Client{CheckRedirect: func(*http.Request,
			[]*http.Request) error {
			return http.ErrUseLastResponse
		}}
		resp, err := client.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		b, _ := io.ReadAll(resp.Body)
		if resp.StatusCode == 401 && !strings.Contains(string(b), "access key") {
			t.Errorf("%s %s: 401 says %.200q", method, path, b)
		}
		return resp
	}
	cookie := func(v string) func(*http.Request) {
		return func(r *http.Request) { r.AddCookie(&http.Cookie{Name: keyCookie, Value: v}) }
	}
	for name, with := range map[string]func(*http.Request){
		"nothing":          nil,
		"a loopback host":  func(r *http.Request) { r.Host = "127.0.0.1" },
		"an empty key":     cookie(""),
		"a part of it":     cookie("THE-KEY"),
		"another key":      cookie("THE-KEY-OF-THIS-TESt"),
		"it in the header": func(r *http.Request) { r.Header.Set("Authorization", "THE-KEY-OF-THIS-TEST") },
	} {
		for _, path := range []string{"/", at, at + "/archive", "/static/pyrant.css", "/?key=", "/?key=THE-KEY"} {
			if resp := ask("GET", path, with); resp.StatusCode != 401 {
				t.Errorf("%s, %s: %d", name, path, resp.StatusCode)
			}
		}
		if resp := ask("POST", at+"/aside?key=THE-KEY-OF-THIS-TEST", with); resp.StatusCode != 401 {
			t.Errorf("%s, a change with the key in its address: %d", name, resp.StatusCode)
		}
	}
	resp := ask("GET", "/?key=THE-KEY-OF-THIS-TEST", nil)
	set := resp.Header.Get("Set-Cookie")
	if resp.StatusCode != 303 || resp.Header.Get("Location") != "/" || !strings.Contains(set,
		"HttpOnly") || !strings.Contains(set, "SameSite=Strict") {
		t.Fatalf("the link answers %d, %q", resp.StatusCode, set)
	}
	for _, path := range []string{"/", at, "/static/pyrant.css"} {
		if resp := ask("GET", path, cookie("THE-KEY-OF-THIS-TEST")); resp.StatusCode != 200 {
			t.Errorf("%s with the key: %d", path, resp.StatusCode)
		}
	}
	if resp := ask("GET", "/",
		func(r *http.Request) { cookie("THE-KEY-OF-THIS-TEST")(r); r.Host = "evil.example" }); resp.StatusCode != 421 {
		t.Errorf("another name with the key: %d", resp.StatusCode)
	}
}

// A key is asked for just where the listener can be reached from elsewhere; it is another each
// time, and the link holds it.
func TestWhoNeedsAKey(t *testing.T) {
	keys := map[string]bool{}
	for addr, needs := range map[string]bool{"127.0.0.1:0": false, "[::1]:0": false, "0.0.0.0:0": true, ":0": true} {
		s, err := New(Options{Addr: addr, Data: t.TempDir()})
		if err != nil {
			t.Fatal(err)
		}
		l, err := s.Listen()
		if err != nil {
			t.Logf("%s: %v", addr, err) // a machine without IPv6
			s.Close()
			continue
		}
		link, with := s.Link(l.Addr())
		u, err := url.Parse(link)
		if err != nil || with != needs || (s.key != "") != needs || u.Query().Get("key") != s.key ||
			needs && len(s.key) < 20 {
			t.Errorf("%s: key %q, link %q", addr, s.key, link)
		}
		if keys[s.key] && needs {
			t.Errorf("%s: the same key again", addr)
		}
		keys[s.key] = true
		if err := l.Close(); err != nil {
			t.Error(err)
		}
		s.Close()
	}
}

// Whatever changes something needs the token, whatever the browser says of the page that asks: on
// every route.
func TestEveryChangeNeedsTheToken(t *testing.T) {
	a := start(t, Options{})
	at := strings.TrimPrefix(a.shot(), "/shots/")
	before := a.stored("/shots/" + at).Version
	tried := 0
	for _, r := range a.server.echo.Router().Routes() {
		if safe(r.Method) || !strings.HasPrefix(r.Path, "/") {
			continue
		}
		tried++
		path := strings.NewReplacer(":id", at, ":action", "undo", ":job", "x", ":upload", "x").Replace(r.Path)
		for name, with := range map[string]func(*http.Request){
			"no token":          func(r *http.Request) { r.Header.Del("X-CSRF-Token") },
			"same origin":       func(r *http.Request) { r.Header.Del("X-CSRF-Token"); r.Header.Set("Sec-Fetch-Site", "same-origin") },
			"no site":           func(r *http.Request) { r.Header.Del("X-CSRF-Token"); r.Header.Set("Sec-Fetch-Site", "none") },
			"another token":     func(r *http.Request) { r.Header.Set("X-CSRF-Token", strings.Repeat("x", len(a.csrf))) },
			"from another site": func(r *http.Request) { r.Header.Set("Sec-Fetch-Site", "cross-site") },
		} {
			q := a.request(r.Method, path, "application/x-www-form-urlencoded", strings.NewReader(""))
			with(q)
			if resp, body := a.do(q); resp.StatusCode != 403 {
				t.Errorf("%s %s, %s: %d %.100s", r.Method, r.Path, name, resp.StatusCode, body)
			}
		}
	}
	if tried < 30 {
		t.Errorf("only %d routes that change something were found", tried)
	}
	if a.stored("/shots/"+at).Version != before {
		t.Error("the shot is another")
	}
}

// Addresses that are no file are answered as not found, whatever they hold.
func TestStaticPaths(t *testing.T) {
	a := start(t, Options{})
	for _, path := range []string{"/static/..%c0%afx", "/static/%2e%2e/templates/shot.html", "/static/..%5cx", "/static/%00", "/static/a%2fb", "/static/%ff"} {
		if resp, _ := a.get(path); resp.StatusCode != 404 {
			t.Errorf("%s: %d", path, resp.StatusCode)
		}
	}
	if strings.Contains(a.log.String(), "status=500") {
		t.Error(a.log.String())
	}
}

// Uploads are limited in number and in total bytes. Beyond the limit the answer is 503; later
// uploads succeed.
func TestUploadsAreBounded(t *testing.T) {
	a := start(t, Options{})
	for range maxUploads {
		a.server.uploads <- struct{}{}
	}
	if resp, body := a.upload("a.jpg", quayWall(t, 60, 40)); resp.StatusCode != 503 ||
		!strings.Contains(body, "Too many files") {
		t.Errorf("one too many: %d %s", resp.StatusCode, body)
	}
	for range maxUploads {
		<-a.server.uploads
	}
	if !a.server.received.TryAcquire(a.server.receivedBytes - 10) {
		t.Fatal("the bytes are not free")
	}
	if resp, _ := a.upload("a.jpg", quayWall(t, 60, 40)); resp.StatusCode != 503 {
		t.Errorf("too many bytes: %d", resp.StatusCode)
	}
	a.server.received.Release(a.server.receivedBytes - 10)
	if resp, body := a.upload("a.jpg", quayWall(t, 60, 40)); resp.StatusCode != 201 {
		t.Errorf("afterwards: %d %s", resp.StatusCode, body)
	}
	if len(a.server.uploads) != 0 || !a.server.received.TryAcquire(a.server.receivedBytes) {
		t.Error("something is still held")
	}
}

// made starts an export that writes so many bytes when it may, and waits for it to end where wait
// is set.
func (a *app) made(bytes int, may <-chan struct{}, wait bool) *job {
	a.Helper()
	j := &job{ShotID: "s", Shot: "Quay", Format: export.Format("png")}
	err := a.server.jobs.start(j, func(ctx context.Context, _ *job, w io.Writer) error {
		select {
		case <-may:
		case <-ctx.Done():
			return ctx.Err()
		}
		for range bytes / 1000 {
			if _, err := w.Write(make([]byte, 1000)); err != nil {
				return err
			}
		}
		return nil
	}, func(err error) string { return err.Error() })
	if err != nil {
		a.Fatal(err)
	}
	for wait && j.underway() {
		time.Sleep(time.Millisecond)
	}
	return j
}

// The files of finished exports are bounded on disk: the oldest give way, the newest stays however
// large it is.
func TestExportsAreBoundedOnDisk(t *testing.T) {
	a := start(t, Options{})
	now := make(chan struct{})
	close(now)
	a.server.jobs.most = 25_000
	var all []*job
	for range 4 {
		all = append(all, a.made(10_000, now, true))
		time.Sleep(2 * time.Millisecond)
	}
	a.server.jobs.prune() // after the last has told its size
	for i, j := range all {
		_, err := os.Stat(j.path)
		if there := a.server.jobs.find(j.ID) != nil; there != (i >= 2) || (err == nil) != (i >= 2) {
			t.Errorf("export %d is there: %v, %v", i, there, err)
		}
	}
	large := a.made(100_000, now, true)
	a.server.jobs.prune()
	if a.server.jobs.find(large.ID) == nil || a.server.jobs.find(all[3].ID) != nil {
		t.Error("the newest does not stay, or an older one does")
	}
}

// A stop takes no new exports on, cancels those that run, also while they are written, and is over
// in time.
func TestStopRefusesExports(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	writing := make(chan struct{})
	slow := &job{ShotID: "s", Shot: "Quay", Format: export.Format("png")}
	if err := a.server.jobs.start(slow, func(_ context.Context, _ *job, w io.Writer) error {
		close(writing)
		for { // as an encoder, which knows of no context
			if _, err := w.Write(make([]byte, 100)); err != nil {
				return err
			}
			time.Sleep(time.Millisecond)
		}
	}, func(err error) string { return err.Error() }); err != nil {
		t.Fatal(err)
	}
	<-writing
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() { ended <- a.server.Serve(ctx, l) }()
	stop()
	closed := func() bool {
		a.server.jobs.mu.Lock()
		defer a.server.jobs.mu.Unlock()
		return a.server.jobs.closed
	}
	for !closed() {
		time.Sleep(time.Millisecond)
	}
	select {
	case err := <-ended:
		if err != nil {
			t.Error(err)
		}
	case <-time.After(30 * time.Second):
		t.Fatal("the stop does not end")
	}
	if slow.underway() {
		t.Error("an export goes on")
	}
	if err := a.server.jobs.start(&job{}, nil, nil); err != errStopping {
		t.Errorf("a new export: %v", err)
	}
	_ = at
}

// An action and a change are for the item that the page meant: where that is elsewhere by now,
// nothing is changed.
func TestItemsAreHeldByTheirIDs(t *testing.T) {
	a := start(t, Options{})
	at := a.demo()[0]
	path := "/shots/" + at.ID
	lights := a.recipe(path).Lights
	version := func() string { return fmt.Sprint(a.stored(path).Version) }
	before := version()
	patch := func(id string) url.Values {
		return url.Values{"version": {version()}, "step": {"glow"}, "patch": {`[{"op":"test","path":"/lights/1/id","value":"` + id + `"},{"op":"replace","path":"/lights/1/gel/hue","value":12}]`}}
	}
	if resp, body := a.post(path+"/changes", patch(lights[2].ID)); resp.StatusCode != 404 ||
		!strings.Contains(body, "Nothing was changed") {
		t.Errorf("a change for another light: %d %s", resp.StatusCode, body)
	}
	act := url.Values{"version": {version()}, "step": {"glow"}, "light": {"1"}, "light_id": {lights[2].ID}}
	if resp, body := a.post(path+"/actions/remove-light", act); resp.StatusCode != 404 || !strings.Contains(body, "Nothing was changed") {
		t.Errorf("an action for another light: %d %s", resp.StatusCode, body)
	}
	if version() != before {
		t.Fatal("something was changed")
	}
	if resp, body := a.post(path+"/changes", patch(lights[1].ID)); resp.StatusCode != 200 || !strings.Contains(body, `title="Undo: Gel of`) {
		t.Errorf("a change for the light: %d %.200s", resp.StatusCode, body)
	}
	act = url.Values{"version": {version()}, "step": {"glow"}, "light": {"1"}, "light_id": {lights[1].ID}}
	if resp, body := a.post(path+"/actions/remove-light", act); resp.StatusCode != 200 {
		t.Errorf("an action for the light: %d %.200s", resp.StatusCode, body)
	}
	if now := a.recipe(path).Lights; len(now) != len(lights)-1 || now[1].ID != lights[2].ID {
		t.Error("another light was removed")
	}
}

// A recipe that would take too long is refused when it is saved, drafted and opened; one that is
// too much already can be made less.
func TestCostIsChecked(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	shells := `[` + strings.TrimSuffix(strings.Repeat(`{"radius":9,"strength":0.1,"join":"overlay"},`, 32), ",") + `]`
	light := func(i int) string {
		return fmt.Sprintf(`{"op":"add","path":"/lights/-","value":{"id":"l%d","name":"L","shapes":[{"kind":"ellipse","x":50,"y":50,"width":20,"height":20}],"shells":%s}}`, i, shells)
	}
	var ops []string
	for i := range 40 {
		ops = append(ops, light(i))
	}
	patch := "[" + strings.Join(ops, ",") + "]"
	if code, body := a.change(at, patch); code != 413 || !strings.Contains(body, "1280 shells with a blend mode") {
		t.Errorf("saved: %d %.300s", code, body)
	}
	if resp, body := a.postJSON(at+"/frame", `{"long":240,"x":0,"y":0,"w":240,"h":160,"as":"png","patch":`+patch+`}`); resp.StatusCode != 413 {
		t.Errorf("drafted: %d %.300s", resp.StatusCode, body)
	}
	if a.stored(at).Version != 1 {
		t.Error("the shot was changed")
	}
	// As it was saved by an earlier Pyrant.
	r, err := edit.Apply(a.recipe(at), must(t, patch))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := a.server.store.Commit(context.Background(), strings.TrimPrefix(at, "/shots/"), 1,
		r, "Much"); err != nil {
		t.Fatal(err)
	}
	if code, body := a.change(at, `[{"op":"remove","path":"/lights/0"}]`); code != 200 {
		t.Errorf("made less: %d %.300s", code, body)
	}
	if code, _ := a.change(at, `[`+light(99)+`]`); code != 413 {
		t.Errorf("made more again: %d", code)
	}
}

func must(t *testing.T, patch string) []setting.Op {
	t.Helper()
	ops, err := setting.ParseOps([]byte(patch))
	if err != nil {
		t.Fatal(err)
	}
	return ops
}

// A name that holds what a file's name may not is cleaned, of whatever is downloaded.
func TestDownloadsHaveCleanNames(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	if resp, body := a.post(at+"/name", url.Values{"name": {`..\Quay: a/b "c"`}}); resp.StatusCode != 200 {
		t.Fatal(body)
	}
	a.act(at, "add-light", form("step", "trace"))
	for _, path := range []string{"/archive", "/drawing.svg?light=0"} {
		resp, _ := a.get(at + path)
		if name := resp.Header.Get("Content-Disposition"); resp.StatusCode != 200 || strings.ContainsAny(strings.TrimPrefix(name, "attachment; filename="), `/\:`) || !strings.Contains(name, "..-Quay- a-b") {
			t.Errorf("%s: %d, %q", path, resp.StatusCode, name)
		}
	}
}
