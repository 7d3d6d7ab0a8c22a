package web

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"pyrant/internal/app/job"
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
		path := strings.NewReplacer(":id", at, ":action", "undo", ":job", "x", ":upload", "x").
			Replace(r.Path)
		for name, with := range map[string]func(*http.Request){
			"no token":          func(r *http.Request) { r.Header.Del("X-CSRF-Token") },
			"same origin":       func(r *http.Request) { r.Header.Del("X-CSRF-Token"); r.Header.Set("Sec-Fetch-Site", "same-origin") },
			"no site":           func(r *http.Request) { r.Header.Del("X-CSRF-Token"); r.Header.Set("Sec-Fetch-Site", "none") },
			"another token":     func(r *http.Request) { r.Header.Set("X-CSRF-Token", strings.Repeat("x", len(a.csrf))) },
			"from another site": func(r *http.Request) { r.Header.Set("Sec-Fetch-Site", "cross-site") },
		} {
			q := a.request(
				r.Method,
				path,
				"application/x-www-form-urlencoded",
				strings.NewReader(""),
			)
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

// A stop takes no new exports on, cancels those that run, ends the lines of events, and is over in
// time. What was cancelled by it goes on when Pyrant runs again.
func TestStopEndsExportsAndEvents(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	a.hold() // the export waits for memory
	if resp, body := a.post(at+"/exports", url.Values{"format": {"png"}}); resp.StatusCode != 200 {
		t.Fatalf("%d %s", resp.StatusCode, body)
	}
	line := a.server.hub.Subscribe("")
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() { ended <- a.server.Serve(ctx, l) }()
	resp, err := http.Get("http://" + l.Addr().String() + "/events")
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	stop()
	told, err := io.ReadAll(resp.Body) // ends with the line
	if err != nil || !strings.Contains(string(told), "Pyrant is stopping") {
		t.Errorf("a page is told %q, %v", told, err)
	}
	select {
	case err := <-ended:
		if err != nil {
			t.Error(err)
		}
	case <-time.After(30 * time.Second):
		t.Fatal("the stop does not end")
	}
	for e := range line.C {
		if e.Kind == "job" && strings.Contains(string(e.Data), `"done"`) {
			t.Error("the export went on")
		}
	}
	if resp, body := a.post(at+"/exports", url.Values{"format": {"png"}}); resp.StatusCode == 200 {
		t.Errorf("it takes another export: %s", body)
	}
	again, err := New(Options{Data: a.server.opt.Data})
	if err != nil {
		t.Fatal(err)
	}
	defer again.Close()
	a.until(func() bool {
		list := again.board.List()
		return len(list) == 1 && list[0].State == job.Done
	})
}

// Changes and actions name items by ids: they find theirs wherever it stands by now, whatever the
// page had seen, and of one that is gone the error has the name. What counts from what is there
// needs the newest version.
func TestItemsAreHeldByTheirIDs(t *testing.T) {
	a := start(t, Options{})
	at := a.demo()[0]
	path := "/shots/" + at.ID
	lights := a.recipe(path).Lights
	old := fmt.Sprint(a.stored(path).Version)
	patch := func(ops string) url.Values {
		return url.Values{"version": {old}, "step": {"glow"}, "patch": {ops}}
	}
	hue := func(id string, v int) string {
		return fmt.Sprintf(`[{"op":"replace","path":"/lights/id:%s/gel/hue","value":%d}]`, id, v)
	}
	light := func(id string) url.Values {
		return url.Values{"version": {old}, "step": {"glow"}, "light": {id}}
	}
	if resp, body := a.post(path+"/actions/remove-light", light(lights[0].ID)); resp.StatusCode != 200 {
		t.Fatalf("deleting a light: %d %.200s", resp.StatusCode, body)
	}
	// The light that was second is the first now.
	if resp, body := a.post(path+"/changes", patch(hue(lights[1].ID, 12))); resp.StatusCode != 200 ||
		!strings.Contains(body, `title="Undo: Gel of `+lights[1].Name) {
		t.Errorf("a change for a light that moved up: %d %.200s", resp.StatusCode, body)
	}
	now := a.recipe(path).Lights
	if now[0].ID != lights[1].ID || now[0].Gel.Hue != 12 || now[1].Gel != lights[2].Gel {
		t.Errorf(
			"lights are %s with a hue of %g, %s with %v",
			now[0].Name,
			now[0].Gel.Hue,
			now[1].Name,
			now[1].Gel,
		)
	}
	if resp, body := a.post(path+"/actions/add-shell", light(lights[2].ID)); resp.StatusCode != 200 ||
		len(a.recipe(path).Lights[1].Shells) != len(lights[2].Shells)+1 {
		t.Errorf("an action for a light that moved up: %d %.200s", resp.StatusCode, body)
	}
	was := a.stored(path).Version
	gone := "“" + lights[0].Name + "” was deleted"
	for name, ask := range map[string]func() (*http.Response, string){
		"a change": func() (*http.Response, string) {
			return a.post(path+"/changes", patch(hue(lights[0].ID, 40)))
		},
		"an action": func() (*http.Response, string) {
			return a.post(path+"/actions/duplicate-light", light(lights[0].ID))
		},
		"of one change a part": func() (*http.Response, string) {
			both := strings.TrimSuffix(hue(lights[1].ID, 99), "]") + "," + hue(lights[0].ID, 40)[1:]
			return a.post(path+"/changes", patch(both))
		},
	} {
		if resp, body := ask(); resp.StatusCode != 404 || !strings.Contains(body, gone) {
			t.Errorf("%s for a light that is gone: %d %s", name, resp.StatusCode, body)
		}
	}
	if resp, body := a.post(path+"/changes", patch(`[{"op":"replace","path":"/lights/0/gel/hue","value":40}]`)); resp.StatusCode != 409 ||
		!strings.Contains(body, "another window") {
		t.Errorf("by position, of an older version: %d %s", resp.StatusCode, body)
	}
	if resp, _ := a.post(path+"/actions/undo", light(lights[1].ID)); resp.StatusCode != 409 {
		t.Errorf("undo of an older version: %d", resp.StatusCode)
	}
	if v := a.stored(path).Version; v != was {
		t.Errorf("what was refused made version %d of %d", v, was)
	}
}

// Many changes at a time, each of another light and of the same old version, are all saved.
func TestChangesBesideEachOther(t *testing.T) {
	a := start(t, Options{})
	at := a.demo()[0]
	path := "/shots/" + at.ID
	lights := a.recipe(path).Lights
	version := fmt.Sprint(a.stored(path).Version)
	var all sync.WaitGroup
	for i, l := range lights {
		all.Go(func() {
			ops := fmt.Sprintf(
				`[{"op":"replace","path":"/lights/id:%s/level","value":0.%d}]`,
				l.ID,
				i+1,
			)
			form := url.Values{"version": {version}, "patch": {ops}}
			if resp, body := a.post(path+"/changes", form); resp.StatusCode != 200 {
				t.Errorf("%s: %d %.200s", l.Name, resp.StatusCode, body)
			}
		})
	}
	all.Wait()
	for i, l := range a.recipe(path).Lights {
		if want := float64(i+1) / 10; l.Level != want {
			t.Errorf("%s is at %g, want %g", l.Name, l.Level, want)
		}
	}
}

// A recipe that would take too long is refused when it is saved, drafted and opened; one that is
// too much already can be made less.
func TestCostIsChecked(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	shells := `[` + strings.TrimSuffix(
		strings.Repeat(`{"radius":9,"strength":0.1,"join":"overlay"},`, 32),
		",",
	) + `]`
	light := func(i int) string {
		return fmt.Sprintf(
			`{"op":"add","path":"/lights/-","value":{"id":"l%d","name":"L","shapes":[{"kind":"ellipse","x":50,"y":50,"width":20,"height":20}],"shells":%s}}`,
			i,
			shells,
		)
	}
	var ops []string
	for i := range 40 {
		ops = append(ops, light(i))
	}
	patch := "[" + strings.Join(ops, ",") + "]"
	if code, body := a.change(at, patch); code != 413 ||
		!strings.Contains(body, "1280 shells with a blend mode") {
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
	for _, path := range []string{"/archive", "/drawing.svg?light=" + a.recipe(at).Lights[0].ID} {
		resp, _ := a.get(at + path)
		if name := resp.Header.Get("Content-Disposition"); resp.StatusCode != 200 ||
			strings.ContainsAny(strings.TrimPrefix(name, "attachment; filename="), `/\:`) ||
			!strings.Contains(name, "..-Quay- a-b") {
			t.Errorf("%s: %d, %q", path, resp.StatusCode, name)
		}
	}
}
