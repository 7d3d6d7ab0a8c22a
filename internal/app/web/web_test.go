package web

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"hash/crc32"
	"html"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"io"
	"log/slog"
	"math"
	"mime/multipart"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"pyrant/internal/app/job"
	"pyrant/internal/base/codec"
	"pyrant/internal/base/colour"
	"pyrant/internal/base/graph"
	"pyrant/internal/edit"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/shot/store"
)

// app is a running application and a browser that has visited it.
type app struct {
	testing.TB
	server *Server
	http   *httptest.Server
	client *http.Client
	log    *safeBuffer
	csrf   string
}

type safeBuffer struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (s *safeBuffer) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.Write(p)
}

func (s *safeBuffer) String() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.String()
}

func start(t testing.TB, opt Options) *app {
	t.Helper()
	a := &app{TB: t, log: new(safeBuffer)}
	opt.Data = t.TempDir()
	opt.Log = slog.New(slog.NewTextHandler(a.log, nil))
	opt.CacheBytes = 64 << 20
	var err error
	if a.server, err = New(opt); err != nil {
		t.Fatal(err)
	}
	a.http = httptest.NewServer(a.server.Handler())
	t.Cleanup(func() { a.http.Close(); a.server.Close() })
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	a.client = &http.Client{Jar: jar, CheckRedirect: func(*http.Request,
		[]*http.Request) error {
		return http.ErrUseLastResponse
	}}
	_, body := a.get("/")
	m := regexp.MustCompile(`data-csrf="([^"]+)"`).FindStringSubmatch(body)
	if m == nil {
		t.Fatal("the shots page has no CSRF token")
	}
	a.csrf = m[1]
	return a
}

func (a *app) do(r *http.Request) (*http.Response, string) {
	a.Helper()
	resp, err := a.client.Do(r)
	if err != nil {
		a.Fatal(err)
	}
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	if err != nil {
		a.Fatal(err)
	}
	return resp, asPage(b)
}

// asPage returns what an answer to a save makes of a page that had no panels: these, one after the
// other, and the state. What is no such answer comes as it is.
func asPage(body []byte) string {
	var got answer
	if json.Unmarshal(body, &got) != nil || got.Panels == nil {
		return string(body)
	}
	page := `<div data-state="` + html.EscapeString(string(got.State)) + `"></div>`
	for _, name := range panels {
		page += got.Panels[name].HTML
	}
	return page
}

func (a *app) request(method, path, kind string, body io.Reader) *http.Request {
	a.Helper()
	r, err := http.NewRequest(method, a.http.URL+path, body)
	if err != nil {
		a.Fatal(err)
	}
	r.Header.Set("Content-Type", kind)
	r.Header.Set("X-CSRF-Token", a.csrf)
	return r
}

func (a *app) get(path string) (*http.Response, string) {
	a.Helper()
	r := a.request("GET", path, "", nil)
	r.Header.Set("Accept", "text/html")
	return a.do(r)
}

func (a *app) post(path string, form url.Values) (*http.Response, string) {
	a.Helper()
	return a.do(
		a.request(
			"POST",
			path,
			"application/x-www-form-urlencoded",
			strings.NewReader(form.Encode()),
		),
	)
}

func (a *app) postJSON(path, body string) (*http.Response, string) {
	a.Helper()
	return a.do(a.request("POST", path, "application/json", strings.NewReader(body)))
}

func (a *app) upload(name string, data []byte) (*http.Response, string) {
	a.Helper()
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	f, err := w.CreateFormFile("photo", name)
	if err != nil {
		a.Fatal(err)
	}
	f.Write(data)
	w.Close()
	return a.do(a.request("POST", "/shots", w.FormDataContentType(), &b))
}

// quayWall is a small JPEG.
func quayWall(t testing.TB, w, h int) []byte {
	t.Helper()
	m := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			m.SetRGBA(x, y, color.RGBA{uint8(90 + x%40), uint8(100 + y%30), 110, 255})
		}
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, m, &jpeg.Options{Quality: 90}); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// shot opens a photo and gives the address of its page and its version.
func (a *app) shot() string {
	a.Helper()
	resp, body := a.upload("Quay wall.jpg", quayWall(a, 240, 160))
	if resp.StatusCode != http.StatusCreated {
		a.Fatalf("opening a photo: %d %s", resp.StatusCode, body)
	}
	var told struct{ URL string }
	if err := json.Unmarshal([]byte(body), &told); err != nil {
		a.Fatal(err)
	}
	return told.URL
}

// demo brings the demo and gives its shots, the lit one first.
func (a *app) demo() []store.Shot {
	a.Helper()
	if err := a.server.AddDemo(context.Background()); err != nil {
		a.Fatal(err)
	}
	list, err := a.server.store.Shots(context.Background(), false)
	if err != nil {
		a.Fatal(err)
	}
	return list
}

func (a *app) shots() int {
	a.Helper()
	list, err := a.server.store.Shots(context.Background(), false)
	if err != nil {
		a.Fatal(err)
	}
	return len(list)
}

func (a *app) stored(url string) *store.Shot {
	a.Helper()
	s, err := a.server.store.Shot(context.Background(), strings.TrimPrefix(url, "/shots/"))
	if err != nil {
		a.Fatal(err)
	}
	return s
}

func change(version int64, patch string) url.Values {
	return url.Values{"version": {fmt.Sprint(version)}, "patch": {patch}, "step": {"trace"}}
}

func TestUploadsThatAreRefused(t *testing.T) {
	a := start(t, Options{MaxUpload: 300_000})
	good := quayWall(t, 300, 200)
	header := []byte(
		"\x89PNG\r\n\x1a\n\x00\x00\x00\x0dIHDR\x00\x01\x86\xa0\x00\x01\x86\xa0\x08\x02\x00\x00\x00",
	)
	header = binary.BigEndian.AppendUint32(header, crc32.ChecksumIEEE(header[12:]))
	for name, c := range map[string]struct {
		data   []byte
		status int
		say    string
	}{
		"not a picture":     {[]byte("a letter"), 422, "cannot read this file"},
		"empty":             {nil, 422, "empty"},
		"truncated":         {good[:len(good)/2], 422, "file is missing"},
		"100 000 x 100 000": {header, 413, "100000 × 100000"},
		"over the limit":    {append(bytes.Clone(good), make([]byte, 400_000)...), 413, "larger than"},
		"a broken shot":     {[]byte("PK\x03\x04 and no more"), 422, "not a Pyrant shot"},
	} {
		a.log.b.Reset()
		resp, body := a.upload(name+".jpg", c.data)
		if resp.StatusCode != c.status || !strings.Contains(body, c.say) {
			t.Errorf("%s: %d %s", name, resp.StatusCode, body)
		}
		if !strings.Contains(a.log.String(), "refused") {
			t.Errorf("%s: nothing in the log", name)
		}
	}
	if n := a.shots(); n != 0 {
		t.Errorf("refused uploads left %d shots", n)
	}
}

func TestChangesThatAreRefused(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	if resp, body := a.post(at+"/actions/add-light", url.Values{"version": {"1"}}); resp.StatusCode != 200 {
		t.Fatalf("adding a light: %d %s", resp.StatusCode, body)
	}
	version := a.stored(at).Version
	light := a.recipe(at).Lights[0].ID
	for name, c := range map[string]struct {
		path   string
		form   url.Values
		status int
		say    string
	}{
		"unknown field":     {at + "/changes", change(version, `[{"op":"add","path":"/dusk/glitter","value":1}]`), 422, "dusk.glitter"},
		"NaN":               {at + "/changes", change(version, `[{"op":"replace","path":"/dusk/daylight","value":NaN}]`), 422, "JSON Patch"},
		"radius of -1":      {at + "/changes", change(version, `[{"op":"replace","path":"/lights/0/shells/0/radius","value":-1}]`), 422, "\"Radius of shell 1 of Light 1: -1 is out of range"},
		"radius of 1e9":     {at + "/changes", change(version, `[{"op":"replace","path":"/lights/0/shells/0/radius","value":1e9}]`), 422, "lights[0].shells[0].radius"},
		"no version":        {at + "/changes", url.Values{"patch": {"[]"}}, 400, "version"},
		"path of one point": {at + "/actions/add-shape", url.Values{"version": {fmt.Sprint(version)}, "light": {light}, "shape": {`{"kind":"tube","width":5,"nodes":[{"x":1,"y":2}]}`}}, 422, "A path of 1 point"},
		"no such light":     {at + "/actions/add-shell", url.Values{"version": {fmt.Sprint(version)}, "light": {"none"}}, 404, "That light was deleted"},
		"no such action":    {at + "/actions/polish", url.Values{"version": {fmt.Sprint(version)}, "light": {"0"}}, 404, "nothing at this address"},
		"unknown shot":      {"/shots/nowhere/changes", change(1, "[]"), 404, "no such shot"},
		"older version":     {at + "/changes", change(version-1, `[{"op":"replace","path":"/lights/0/level","value":1}]`), 409, "another window"},
		"quality of 200":    {at + "/exports", url.Values{"format": {"jpeg"}, "quality": {"200"}}, 422, "from 1 to 100"},
		"unknown format":    {at + "/exports", url.Values{"format": {"bmp"}}, 422, "choose jpeg, png"},
		"empty name":        {at + "/name", url.Values{"name": {"  "}}, 422, "1 to 80 characters"},
	} {
		a.log.b.Reset()
		resp, body := a.post(c.path, c.form)
		if resp.StatusCode != c.status || !strings.Contains(body, c.say) {
			t.Errorf("%s: %d %s", name, resp.StatusCode, body)
		}
		if !strings.Contains(a.log.String(), "status="+fmt.Sprint(c.status)) {
			t.Errorf("%s: nothing in the log", name)
		}
		if now := a.stored(at).Version; now != version {
			t.Fatalf("%s: the shot went on to version %d", name, now)
		}
	}
	for path, body := range map[string]string{
		at + "/frame":        `{"long":240,"x":0,"y":0,"w":0,"h":100,"as":"jpeg"}`,
		at + "/frame?":       `{"long":240,"x":0,"y":0,"w":100000,"h":100000,"as":"jpeg"}`,
		at + "/frame?as":     `{"long":240,"x":0,"y":0,"w":9,"h":9,"as":"bmp"}`,
		at + "/frame?beyond": `{"long":240,"x":239,"y":0,"w":9,"h":9,"as":"pixels"}`,
		at + "/falloff?":     `{"light":"` + light + `","count":10,"from":0,"to":100}`,
		at + "/frame?patch=": `{"long":240,"x":0,"y":0,"w":9,"h":9,"as":"jpeg","patch":[{"op":"replace","path":"/dusk/daylight","value":99}]}`,
	} {
		if resp, body := a.postJSON(path, body); resp.StatusCode != 422 {
			t.Errorf("%s: %d %s", path, resp.StatusCode, body)
		}
	}
	if resp, _ := a.postJSON(at+"/frame", `{"long":`); resp.StatusCode != 400 {
		t.Errorf("half a request: %d", resp.StatusCode)
	}
	// A page is told of with a page.
	if resp, body := a.get("/shots/nowhere"); resp.StatusCode != 404 ||
		!strings.Contains(body, "<h1>No such shot</h1>") {
		t.Errorf("an unknown shot: %d %s", resp.StatusCode, body)
	}
}

func TestFullDiskIsSaid(t *testing.T) {
	a := start(t, Options{})
	p := a.server.explain(fmt.Errorf("saving: %w", store.ErrFull))
	if p.Status != http.StatusInsufficientStorage || !strings.Contains(p.Msg, "safe") {
		t.Errorf("%+v", p)
	}
}

func TestWhoMayAsk(t *testing.T) {
	a := start(t, Options{Hosts: []string{"studio.example"}})
	at := a.shot()
	for host, want := range map[string]int{"127.0.0.1:7373": 200, "localhost": 200, "[::1]:80": 200, "studio.example": 200,
		"evil.example": 421, "127.0.0.1.evil.example": 421, "10.0.0.7:7373": 421, "": 421} {
		r := a.request("GET", "/", "", nil)
		if r.Host = host; host == "" {
			r.Host = "x"
		}
		if resp, _ := a.do(r); resp.StatusCode != want {
			t.Errorf("host %q: %d, want %d", host, resp.StatusCode, want)
		}
	}
	// Without the token nothing is changed.
	r := a.request("POST", at+"/aside", "application/x-www-form-urlencoded", nil)
	r.Header.Del("X-CSRF-Token")
	if resp, _ := a.do(r); resp.StatusCode != 403 {
		t.Errorf("a post without a token: %d", resp.StatusCode)
	}
	r = a.request("POST", at+"/aside", "application/x-www-form-urlencoded", nil)
	r.Header.Set("X-CSRF-Token", strings.Repeat("x", len(a.csrf)))
	if resp, _ := a.do(r); resp.StatusCode != 403 {
		t.Errorf("a post with another token: %d", resp.StatusCode)
	}
	if a.shots() != 1 {
		t.Error("the shot was put aside all the same")
	}
	resp, body := a.get(at)
	policy := resp.Header.Get("Content-Security-Policy")
	if !strings.Contains(policy, "script-src 'self'") || strings.Contains(policy, "unsafe") ||
		resp.Header.Get("X-Frame-Options") != "DENY" {
		t.Errorf("the page may do too much: %q", policy)
	}
	if regexp.MustCompile(`<script(?: type="\w+")?>|\son\w+=|\sstyle=`).MatchString(body) {
		t.Error("the page has inline script or style, which its policy forbids")
	}
}

// frame asks for the whole picture, lossless.
func (a *app) frame(at, patch string) *image.RGBA {
	a.Helper()
	if patch == "" {
		patch = "null"
	}
	resp, body := a.postJSON(
		at+"/frame",
		`{"long":240,"x":0,"y":0,"w":240,"h":160,"as":"png","patch":`+patch+`}`,
	)
	if resp.StatusCode != 200 {
		a.Fatalf("frame: %d %s", resp.StatusCode, body)
	}
	m, err := png.Decode(strings.NewReader(body))
	if err != nil {
		a.Fatal(err)
	}
	out, ok := m.(*image.RGBA)
	if !ok {
		a.Fatalf("the frame is a %T", m)
	}
	return out
}

func TestDraftsSaveNothingAndCommitsDo(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	before := a.frame(at, "")
	patch := `[{"op":"replace","path":"/dusk/daylight","value":-3}]`
	draft := a.frame(at, patch)
	if bytes.Equal(draft.Pix, before.Pix) || a.stored(at).Version != 1 {
		t.Error("a draft is not shown, or is saved")
	}
	if resp, body := a.post(at+"/changes", change(1, patch)); resp.StatusCode != 200 ||
		!strings.Contains(body, `title="Undo: Daylight"`) {
		t.Fatalf("commit: %d %s", resp.StatusCode, body)
	}
	if !bytes.Equal(a.frame(at, "").Pix, draft.Pix) {
		t.Error("what was committed looks other than the draft")
	}
	if resp, _ := a.post(at+"/actions/undo", url.Values{"version": {"2"}}); resp.StatusCode != 200 {
		t.Fatal(resp.StatusCode)
	}
	if !bytes.Equal(a.frame(at, "").Pix, before.Pix) {
		t.Error("undo does not bring back the picture")
	}
	if resp, _ := a.post(at+"/actions/undo", url.Values{"version": {"3"}}); resp.StatusCode != 409 {
		t.Errorf("undo of nothing: %d", resp.StatusCode)
	}
	if resp, _ := a.post(at+"/actions/redo", url.Values{"version": {"3"}}); resp.StatusCode != 200 {
		t.Fatal(resp.StatusCode)
	}
	if !bytes.Equal(a.frame(at, "").Pix, draft.Pix) {
		t.Error("redo does not bring back the picture")
	}
}

// Bare pixels are those of the PNG, and the JPEG is near them.
func TestKindsOfFrames(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	want := a.frame(at, "")
	_, pixels := a.postJSON(at+"/frame", `{"long":240,"x":0,"y":0,"w":240,"h":160,"as":"pixels"}`)
	if pixels != string(want.Pix) {
		t.Error("bare pixels are not those of the PNG")
	}
	_, body := a.postJSON(at+"/frame", `{"long":240,"x":0,"y":0,"w":240,"h":160,"as":"jpeg"}`)
	m, err := jpeg.Decode(strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range []image.Point{{0, 0}, {100, 100}, {239, 159}} {
		r, _, _, _ := m.At(p.X, p.Y).RGBA()
		if d := int(r>>8) - int(want.RGBAAt(p.X, p.Y).R); d > 24 || d < -24 {
			t.Errorf("at %v the JPEG is off by %d", p, d)
		}
	}
}

func TestFramesHaveTags(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	path := at + "/frame?long=240&x=0&y=0&w=100&h=80&as=jpeg"
	resp, _ := a.get(path)
	tag := resp.Header.Get("ETag")
	again := func() int {
		r := a.request("GET", path, "", nil)
		r.Header.Set("If-None-Match", tag)
		resp, _ := a.do(r)
		return resp.StatusCode
	}
	if tag == "" || resp.Header.Get("Content-Type") != "image/jpeg" || again() != 304 {
		t.Errorf("the same frame again: tag %q, %d", tag, again())
	}
	if other, _ := a.get(path + "&plain=1"); other.Header.Get("ETag") == tag {
		t.Error("plain has the tag of lit")
	}
	a.post(at+"/changes", change(1, `[{"op":"replace","path":"/dusk/daylight","value":-1}]`))
	if again() != 200 {
		t.Error("after a change the old frame still holds")
	}
}

// hold takes all the memory that photos are read in: none is read until it is given back.
func (a *app) hold() {
	a.Helper()
	a.server.engine.Cache = graph.New(64 << 20)
	if err := a.server.decoding.Acquire(a.Context(), codec.MaxBytes); err != nil {
		a.Fatal(err)
	}
}

// until waits until something is so.
func (a *app) until(so func() bool) {
	a.Helper()
	for deadline := time.Now().Add(20 * time.Second); !so(); time.Sleep(2 * time.Millisecond) {
		if time.Now().After(deadline) {
			a.Fatal("it does not come to that")
		}
	}
}

func TestExportIsDoneInTheBackground(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	a.post(at+"/changes", change(1, `[{"op":"replace","path":"/dusk/daylight","value":-2}]`))
	_, body := a.post(
		at+"/exports",
		url.Values{"format": {"png"}, "size": {"edge"}, "long": {"120"}},
	)
	id := regexp.MustCompile(`data-job="([A-Z0-9]+)"`).FindStringSubmatch(body)
	if id == nil {
		t.Fatalf("no job in %s", body)
	}
	for deadline := time.Now().Add(20 * time.Second); !strings.Contains(body, "Download"); {
		if time.Now().After(deadline) {
			t.Fatalf("the export does not end: %s", body)
		}
		time.Sleep(10 * time.Millisecond)
		_, body = a.get("/jobs/" + id[1])
	}
	resp, file := a.get("/jobs/" + id[1] + "/file")
	m, err := png.Decode(strings.NewReader(file))
	if err != nil {
		t.Fatal(err)
	}
	if m.Bounds().Dx() != 120 ||
		!strings.Contains(resp.Header.Get("Content-Disposition"), `"Quay wall.png"`) {
		t.Errorf("%v, %q", m.Bounds(), resp.Header.Get("Content-Disposition"))
	}
	// A page that waits for a deleted job gets a sentence, and so does a download.
	for _, path := range []string{"/jobs/NOSUCHJOB", "/jobs/NOSUCHJOB/file"} {
		if resp, body := a.get(path); resp.StatusCode != 404 ||
			!strings.Contains(body, "This job was deleted") || !strings.Contains(body, "<h1>Gone") {
			t.Errorf("%s: %d %s", path, resp.StatusCode, body)
		}
	}
	if resp, body := a.post("/jobs/NOSUCHJOB/cancel", nil); resp.StatusCode != 404 {
		t.Errorf("cancelling an unknown job: %d %s", resp.StatusCode, body)
	}
	// The list has it, with how long it is kept; deleted, it has not.
	if _, body := a.get("/jobs"); !strings.Contains(body, "Quay wall.png") ||
		!strings.Contains(body, "kept for 24 hours") {
		t.Errorf("the list: %s", body)
	}
	if resp, body := a.post("/jobs/"+id[1]+"/remove", nil); resp.StatusCode != 200 || body != "" {
		t.Errorf("deleting: %d %s", resp.StatusCode, body)
	}
	if _, body := a.get("/jobs"); strings.Contains(body, "Quay wall.png") {
		t.Error("a deleted export is still in the list")
	}
}

func TestCancelledExportLeavesNothing(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	a.hold() // it waits for memory to read the photo
	_, body := a.post(at+"/exports", url.Values{"format": {"png"}, "size": {"full"}})
	id := regexp.MustCompile(`data-job="([A-Z0-9]+)"`).FindStringSubmatch(body)
	if id == nil {
		t.Fatal(body)
	}
	if _, body := a.post("/jobs/"+id[1]+"/cancel", nil); !strings.Contains(body, "Cancelled") {
		t.Error(body)
	}
	a.server.board.Stop()
	if resp, _ := a.get("/jobs/" + id[1] + "/file"); resp.StatusCode != 422 {
		t.Errorf("the file of a cancelled export: %d", resp.StatusCode)
	}
}

func TestShelf(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	if _, body := a.post(at+"/name", url.Values{"name": {" Quay,  at\nnight "}}); !strings.Contains(
		body,
		`value="Quay, at night"`,
	) {
		t.Errorf("renamed: %s", body)
	}
	if resp, _ := a.post(at+"/duplicate", nil); resp.StatusCode != 303 || a.shots() != 2 {
		t.Errorf("duplicated: %d, %d shots", resp.StatusCode, a.shots())
	}
	a.post(at+"/aside", nil)
	if _, body := a.get("/"); a.shots() != 1 || !strings.Contains(body, "Show hidden (1)") {
		t.Error("a shot that was put aside is not")
	}
	if resp, _ := a.get(at); resp.StatusCode != 404 {
		t.Error("a shot that was put aside still opens")
	}
	a.post(at+"/bring", nil)
	if resp, _ := a.get(at); resp.StatusCode != 200 || a.shots() != 2 {
		t.Error("a shot that was brought back does not open")
	}
	a.post("/demo", nil)
	if a.shots() != 6 { // three that are lit, and the quay untouched
		t.Errorf("with the demo there are %d shots", a.shots())
	}
}

func TestArchiveOpensElsewhere(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	a.post(at+"/changes", change(1, `[{"op":"replace","path":"/dusk/daylight","value":-2}]`))
	resp, file := a.get(at + "/archive")
	if resp.StatusCode != 200 {
		t.Fatal(resp.StatusCode)
	}
	b := start(t, Options{})
	if resp, body := b.upload("whatever.pyrant", []byte(file)); resp.StatusCode != 201 {
		t.Fatalf("opening the shot elsewhere: %d %s", resp.StatusCode, body)
	}
	list, err := b.server.store.Shots(context.Background(), false)
	if err != nil || len(list) != 1 || list[0].Name != "Quay wall" {
		t.Fatalf("%v, %v", list, err)
	}
	if !bytes.Equal(b.frame("/shots/"+list[0].ID, "").Pix, a.frame(at, "").Pix) {
		t.Error("elsewhere the shot looks different")
	}
}

// served runs an application as the command does. stop ends it, and gives what it ended
// with.
func served(t *testing.T) (addr string, stop func() error) {
	t.Helper()
	s, err := New(
		Options{Addr: "127.0.0.1:0", Data: t.TempDir(), Log: slog.New(slog.DiscardHandler)},
	)
	if err != nil {
		t.Fatal(err)
	}
	l, err := s.Listen()
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() { ended <- s.Serve(ctx, l) }()
	return l.Addr().String(), func() error { cancel(); return <-ended }
}

func TestServeStopsGracefully(t *testing.T) {
	addr, stop := served(t)
	resp, err := http.Get("http://" + addr)
	if err != nil || resp.StatusCode != 200 {
		t.Fatalf("%v, %v", resp, err)
	}
	resp.Body.Close()
	if err := stop(); err != nil {
		t.Errorf("stopping: %v", err)
	}
	if _, err := http.Get("http://" + addr); err == nil {
		t.Error("it still answers")
	}
}

// Every number of the recipe that a page shows is bound to a path that exists, and
// its ends and its default are values that the recipe takes.
func TestFieldsArePathsOfTheRecipe(t *testing.T) {
	a := start(t, Options{})
	list := a.demo()
	seen := 0
	for _, shot := range list {
		r, err := a.server.head(context.Background(), &shot)
		if err != nil {
			t.Fatal(err)
		}
		for _, st := range steps {
			resp, body := a.get("/shots/" + shot.ID + "?step=" + st.ID + "&light=2")
			if resp.StatusCode != 200 {
				t.Fatalf("%s: %d", st.ID, resp.StatusCode)
			}
			for _, m := range regexp.MustCompile(`data-path="([^"]+)"([^>]*)`).FindAllStringSubmatch(body, -1) {
				if strings.HasPrefix(m[1], "local:") {
					continue // of the page itself
				}
				for _, bound := range regexp.MustCompile(`data-(min|max|least|most|default)="([^"]+)"`).FindAllStringSubmatch(m[2], -1) {
					seen++
					var v float64
					if err := json.Unmarshal([]byte(bound[2]), &v); err != nil {
						t.Fatal(err)
					}
					change := edit.Set(m[1], v)
					if entry := regexp.MustCompile(`data-entry="([^"]+)"`).FindStringSubmatch(m[2]); entry != nil {
						field := strings.TrimPrefix(m[1], entry[1]+"/")
						change = edit.Set(entry[1], map[string]float64{field: v})
						change[0].Op = "add"
					}
					if _, err := edit.Apply(r, change); err != nil {
						t.Errorf("%s, %s to its %s %v: %v", st.ID, m[1], bound[1], v, err)
					}
				}
			}
		}
	}
	if seen < 400 {
		t.Errorf("only %d bounds were found", seen)
	}
}

// A frame that cannot be is the asker's fault and is said so, whether it is asked for
// by its address or with values in the hand.
func TestFramesThatCannotBe(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	for query, say := range map[string]string{
		"long=240&x=500&y=0&w=10&h=10&as=png":       "outside the picture",
		"long=240&x=0&y=160&w=10&h=10&as=pixels":    "outside the picture",
		"long=240&x=230&y=0&w=20&h=10&as=pixels":    "outside the picture",
		"long=wide&x=0&y=0&w=10&h=10&as=png":        "number is missing",
		"long=240&x=1e2&y=0&w=10&h=10&as=png":       "number is missing",
		"long=240&x=0&y=0&w=&h=10&as=png":           "number is missing",
		"long=240&x=0&y=0&w=10&as=png":              "number is missing",
		"long=0&x=0&y=0&w=10&h=10&as=png":           "no valid size",
		"long=240&x=-1&y=0&w=10&h=10&as=png":        "no valid size",
		"long=240&x=0&y=0&w=10&h=0&as=png":          "no valid size",
		"long=60001&x=0&y=0&w=10&h=10&as=png":       "no valid size",
		"long=60000&x=0&y=0&w=60000&h=60000&as=png": "no valid size",
		"long=240&x=0&y=0&w=10&h=10&as=gif":         "jpeg, png or pixels",
	} {
		if resp, body := a.get(at + "/frame?" + query); resp.StatusCode != 422 ||
			!strings.Contains(body, say) {
			t.Errorf("%s: %d %.200s", query, resp.StatusCode, body)
		}
	}
	if resp, body := a.postJSON(at+"/frame", `{"long":240,"x":500,"y":0,"w":10,"h":10,"as":"png"}`); resp.StatusCode != 422 ||
		!strings.Contains(body, "outside") {
		t.Errorf("beside the picture, with values in the hand: %d %s", resp.StatusCode, body)
	}
}

// tones opens a photo whose left fifth has one grey and the rest another.
func (a *app) tones(dark, bright uint8) string {
	a.Helper()
	m := image.NewRGBA(image.Rect(0, 0, 300, 100))
	for y := range 100 {
		for x := range 300 {
			v := bright
			if x < 60 {
				v = dark
			}
			m.SetRGBA(x, y, color.RGBA{v, v, v, 255})
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, m); err != nil {
		a.Fatal(err)
	}
	resp, body := a.upload("Tones.png", b.Bytes())
	if resp.StatusCode != http.StatusCreated {
		a.Fatalf("opening a photo: %d %s", resp.StatusCode, body)
	}
	var told struct{ URL string }
	if err := json.Unmarshal([]byte(body), &told); err != nil {
		a.Fatal(err)
	}
	return told.URL
}

func TestClippedPixelsAreCounted(t *testing.T) {
	a := start(t, Options{})
	for at, want := range map[string]string{
		a.tones(255, 201): "0.2000", a.tones(254, 0): "0.0000", a.tones(3, 255): "0.8000",
	} {
		for _, as := range []string{"png", "pixels"} {
			resp, _ := a.postJSON(
				at+"/frame",
				`{"long":300,"x":0,"y":0,"w":300,"h":100,"as":"`+as+`"}`,
			)
			if got := resp.Header.Get("X-Clipped"); got != want {
				t.Errorf("%s: %q of the pixels are clipped, want %s", as, got, want)
			}
		}
	}
}

// The curve that is served is that of the engine, in display values, at distances in
// even ratios; colours of the strip and of the shells go with it.
func TestFalloffIsServed(t *testing.T) {
	a := start(t, Options{})
	ctx := context.Background()
	list := a.demo()
	r, err := a.server.head(ctx, &list[0])
	if err != nil {
		t.Fatal(err)
	}
	at := "/shots/" + list[0].ID + "/falloff"
	ask := func(body string) (out struct {
		Line         []float64
		Strip, Tints []string
		Gel          string
	}) {
		t.Helper()
		resp, text := a.postJSON(at, body)
		if err := json.Unmarshal([]byte(text), &out); resp.StatusCode != 200 || err != nil {
			t.Fatalf("%s: %d %s", body, resp.StatusCode, text)
		}
		return out
	}
	third := r.Lights[2].ID
	got := ask(`{"light":"` + third + `","count":5,"from":1,"to":16}`)
	want, err := a.server.engine.Falloff(ctx, r, 2, []float64{1, 2, 4, 8, 16}, false)
	if err != nil || len(got.Line) != 5 || len(got.Strip) != 5 ||
		len(got.Tints) != len(r.Lights[2].Shells) {
		t.Fatalf("%+v, %v", got, err)
	}
	for i, c := range want {
		if v := colour.LinearToSRGB(float64(c.Luma())); math.Abs(got.Line[i]-v) > 2e-3 ||
			got.Strip[i] != c.Hex() {
			t.Errorf(
				"at place %d the curve has %v and %s, want %v and %s",
				i,
				got.Line[i],
				got.Strip[i],
				v,
				c.Hex(),
			)
		}
	}
	if got.Gel != r.Lights[2].Gel.Colour().Hex() ||
		got.Tints[1] != r.Lights[2].Shells[1].Tint.Colour(r.Lights[2].Gel).Hex() {
		t.Errorf("the colours are %s and %v", got.Gel, got.Tints)
	}
	less := ask(
		`{"light":"` + third + `","count":5,"from":1,"to":16,"patch":[{"op":"replace","path":"/lights/2/level","value":0.25}]}`,
	)
	if less.Line[2] >= got.Line[2]*0.9 {
		t.Errorf("with the fader down the curve is %v, before %v", less.Line, got.Line)
	}
	for _, bad := range []string{
		`"` + third + `","count":1,"from":1,"to":16}`,
		`"` + third + `","count":1001,"from":1,"to":16}`, `"` + third + `","count":5,"from":0,"to":16}`, `"` + third + `","count":5,"from":4,"to":4}`,
	} {
		if resp, _ := a.postJSON(at, `{"light":`+bad); resp.StatusCode != 422 {
			t.Errorf("%s: %d", bad, resp.StatusCode)
		}
	}
	// A light that was deleted while its chart was drawn has none, which is no error.
	if resp, body := a.postJSON(at,
		`{"light":"none","count":5,"from":1,"to":16}`); resp.StatusCode != 204 || body != "" {
		t.Errorf("of no light: %d %s", resp.StatusCode, body)
	}
}

// A page does not carry thousands of points in itself; it fetches them once by the key
// of the light's shapes, which names them for good.
func TestLargeShapesTravelOnce(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	var nodes []string
	for i := range 3000 {
		nodes = append(
			nodes,
			fmt.Sprintf(
				`{"x":%.3f,"y":%.3f}`,
				100+80*math.Cos(float64(i)/477.46),
				80+60*math.Sin(float64(i)/477.46),
			),
		)
	}
	shape := `{"kind":"outline","nodes":[` + strings.Join(nodes, ",") + `]}`
	resp, body := a.post(
		at+"/actions/add-shape",
		url.Values{"version": {"1"}, "shape": {shape}, "step": {"trace"}},
	)
	if resp.StatusCode != 200 {
		t.Fatalf("tracing: %d %.300s", resp.StatusCode, body)
	}
	if len(body) > 60_000 {
		t.Errorf("the page of a light with 3000 points takes %d bytes", len(body))
	}
	m := regexp.MustCompile(`shapes_key&#34;:&#34;([0-9a-f-]+)`).FindStringSubmatch(body)
	if m == nil {
		t.Fatal("the page does not say by which key the shapes can be had")
	}
	resp, shapes := a.get(at + "/shapes/" + m[1])
	var list []struct {
		Kind  string
		Nodes []struct{ X, Y float64 }
	}
	if err := json.Unmarshal([]byte(shapes), &list); err != nil || len(list) != 1 ||
		len(list[0].Nodes) != 3000 || list[0].Kind != "outline" || list[0].Nodes[0].X != 180 {
		t.Errorf("the shapes are %.200s, %v", shapes, err)
	}
	if !strings.Contains(resp.Header.Get("Cache-Control"), "immutable") {
		t.Error("they would be fetched again")
	}
	if resp, _ := a.get(at + "/shapes/0123"); resp.StatusCode != 404 {
		t.Errorf("shapes of another key: %d", resp.StatusCode)
	}
	// A revision does not store them again.
	before := a.stored(at)
	a.post(
		at+"/changes",
		change(before.Version, `[{"op":"replace","path":"/dusk/daylight","value":-1}]`),
	)
	rev, err := a.server.store.Revision(context.Background(), before.ID, a.stored(at).HeadSeq)
	if err != nil || len(rev.Recipe) > 8000 {
		t.Errorf("the next revision takes %d bytes, %v", len(rev.Recipe), err)
	}
}

// A mistake in the program ends the export that it happens in, with a sentence and a
// line in the log, and nothing else.
func TestPanicInAnExportEndsOnlyIt(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	shot := a.stored(at)
	p, err := a.server.photo(context.Background(), shot.PhotoSHA)
	if err != nil {
		t.Fatal(err)
	}
	p.Pix8 = p.Pix8[:9] // of the one in the cache
	_, body := a.post(at+"/exports", url.Values{"format": {"png"}, "size": {"full"}})
	id := regexp.MustCompile(`data-job="([A-Z0-9]+)"`).FindStringSubmatch(body)
	for deadline := time.Now().Add(20 * time.Second); !strings.Contains(body, "Failed"); {
		if time.Now().After(deadline) {
			t.Fatalf("the export does not end: %s", body)
		}
		time.Sleep(10 * time.Millisecond)
		_, body = a.get("/jobs/" + id[1])
	}
	if !strings.Contains(body, "The shot is safe") || !strings.Contains(a.log.String(),
		"panic") || !strings.Contains(a.log.String(), "goroutine") {
		t.Errorf("the page says %s, the log %s", body, a.log)
	}
	if resp, body := a.postJSON(at+"/frame", `{"long":240,"x":0,"y":0,"w":240,"h":160,"as":"png"}`); resp.StatusCode != 500 ||
		!strings.Contains(body, "This task was stopped") {
		t.Errorf("a frame of it: %d %s", resp.StatusCode, body)
	}
	other := a.tones(10, 200)
	if resp, _ := a.postJSON(other+"/frame", `{"long":300,"x":0,"y":0,"w":300,"h":100,"as":"png"}`); resp.StatusCode != 200 {
		t.Errorf("another shot: %d", resp.StatusCode)
	}
}

// The rail, in its order, is the table of steps, and each opens its bench.
func TestEveryStepHasItsBench(t *testing.T) {
	a := start(t, Options{})
	list := a.demo()
	for _, at := range []string{a.shot(), "/shots/" + list[0].ID} { // with nothing in it, and lit
		for _, s := range steps {
			resp, body := a.get(at + "?step=" + s.ID)
			last := 0
			for _, other := range steps {
				if other.Hidden {
					continue // it is none of the rail
				}
				i := strings.Index(body[last:], ">"+other.Name+"<")
				if i < 0 {
					t.Fatalf(
						"step %s: the rail does not name %s after those before it",
						s.ID,
						other.Name,
					)
				}
				last += i
			}
			if resp.StatusCode != 200 || !strings.Contains(body, `id="bench"`) {
				t.Errorf("step %s: %d", s.ID, resp.StatusCode)
			}
		}
		if resp, body := a.get(at + "?step=fog"); resp.StatusCode != 200 ||
			!strings.Contains(body, `id="bench"`) {
			t.Errorf("a step that is none: %d", resp.StatusCode)
		}
	}
}

// endless is a body that goes on; it counts what was read of it.
type endless struct{ read atomic.Int64 }

func (e *endless) Read(p []byte) (int, error) {
	clear(p)
	e.read.Add(int64(len(p)))
	return len(p), nil
}

// A body that may not be is refused before it is read, with whatever token.
func TestBodiesAreBounded(t *testing.T) {
	a := start(t, Options{MaxUpload: 2 << 20})
	at := a.shot()
	for name, tt := range map[string]struct {
		path, token, kind string
		length            int64
		most              int64 // bytes that may be read of it
		status            int
	}{
		"said to be too large":           {"/shots", a.csrf, "multipart/form-data; boundary=x", 600 << 20, 1 << 20, 413},
		"too large, without a token":     {"/shots", "", "multipart/form-data; boundary=x", 600 << 20, 1 << 20, 413},
		"without a token, length unsaid": {"/shots", "", "multipart/form-data; boundary=x", -1, 1 << 20, 403},
		"too large, length unsaid":       {"/shots", a.csrf, "multipart/form-data; boundary=x", -1, 8 << 20, 413},
		"a change":                       {at + "/changes", a.csrf, "application/x-www-form-urlencoded", 600 << 20, 1 << 20, 413},
		"no multipart":                   {"/shots", a.csrf, "text/plain", 100, 1 << 20, 400},
	} {
		body := new(endless)
		var r io.Reader = body
		if tt.length > 0 {
			r = io.LimitReader(body, tt.length)
		}
		if tt.status == 413 && tt.length < 0 {
			r = io.MultiReader(
				strings.NewReader(
					"--x\r\nContent-Disposition: form-data; name=\"photo\"; filename=\"a.jpg\"\r\n\r\n",
				),
				body,
			)
		}
		q := httptest.NewRequest("POST", tt.path, r)
		q.Host, q.ContentLength = "127.0.0.1", tt.length
		q.Header.Set("Content-Type", tt.kind)
		q.Header.Set("X-CSRF-Token", tt.token)
		q.AddCookie(&http.Cookie{Name: "pyrant_csrf", Value: a.csrf})
		w := httptest.NewRecorder()
		a.server.Handler().ServeHTTP(w, q)
		if n := body.read.Load(); w.Code != tt.status || n > tt.most {
			t.Errorf(
				"%s: %d after %d bytes; want %d within %d: %s",
				name,
				w.Code,
				n,
				tt.status,
				tt.most,
				w.Body,
			)
		}
	}
	temp, err := filepath.Glob(filepath.Join(os.TempDir(), "multipart-*"))
	if err != nil || len(temp) > 0 {
		t.Errorf("temporary files were left: %v, %v", temp, err)
	}
}

// A cookie that another page of this machine has set is no token, nor is an empty one.
func TestEmptyTokens(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	for _, token := range []string{"", "a", "short"} {
		for _, site := range []string{"", "same-site", "cross-site"} {
			q := httptest.NewRequest(
				"POST",
				at+"/name",
				strings.NewReader("name=Taken&csrf="+token),
			)
			q.Host = "127.0.0.1"
			q.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			q.Header.Set("X-CSRF-Token", token)
			if site != "" {
				q.Header.Set("Sec-Fetch-Site", site)
			}
			q.AddCookie(&http.Cookie{Name: "pyrant_csrf", Value: token})
			w := httptest.NewRecorder()
			a.server.Handler().ServeHTTP(w, q)
			if w.Code != 403 || a.stored(at).Name == "Taken" {
				t.Errorf("token %q, site %q: %d %s", token, site, w.Code, w.Body)
			}
		}
	}
	// The same host, another port: a page that knows a token all the same.
	q := a.request(
		"POST",
		at+"/name",
		"application/x-www-form-urlencoded",
		strings.NewReader("name=Taken"),
	)
	q.Header.Set("Origin", "http://127.0.0.1:9")
	if resp, body := a.do(q); resp.StatusCode != 403 || !strings.Contains(body, "another site") {
		t.Errorf("from another port: %d %s", resp.StatusCode, body)
	}
}

func TestMethods(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	for _, path := range []string{"/", at, at + "/preview.jpg", at + "/archive", at + "/bench", at + "/frame?long=240&x=0&y=0&w=10&h=10&as=png", "/static/pyrant.css"} {
		q := a.request("HEAD", path, "", nil)
		if resp, body := a.do(q); resp.StatusCode != 200 || body != "" {
			t.Errorf("HEAD %s: %d, %d bytes", path, resp.StatusCode, len(body))
		}
	}
	for method, path := range map[string]string{"PUT": at, "DELETE": at + "/name", "POST": "/static/pyrant.css", "PATCH": "/"} {
		if resp, body := a.do(a.request(method, path, "", nil)); resp.StatusCode != 405 ||
			!strings.Contains(body, "Method not allowed") {
			t.Errorf("%s %s: %d %s", method, path, resp.StatusCode, body)
		}
	}
	for _, path := range []string{"/static/", "/static/js/", "/static/js", "/static/vendor/"} {
		if resp, body := a.get(path); resp.StatusCode != 404 || strings.Contains(body, "ask.js") {
			t.Errorf("%s: %d %.100s", path, resp.StatusCode, body)
		}
	}
}

// A photo is decoded once: the first frame finds it.
func TestPhotoIsDecodedOnce(t *testing.T) {
	a := start(t, Options{})
	_, before := a.server.engine.Cache.Counts()
	at := a.shot()
	_, opened := a.server.engine.Cache.Counts()
	if _, err := a.server.photo(context.Background(), a.stored(at).PhotoSHA); err != nil {
		t.Fatal(err)
	}
	if _, after := a.server.engine.Cache.Counts(); opened != before+1 || after != opened {
		t.Errorf("opening took %d decodings, the first frame %d more", opened-before, after-opened)
	}
	if list := a.server.board.List(); len(list) != 0 {
		t.Errorf("nothing is under way, yet it is told of %v", list)
	}
}

// While one large photo is decoded the others wait, say so, and can be given up.
func TestPhotosWaitForMemory(t *testing.T) {
	a := start(t, Options{})
	a.hold()
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	f, err := w.CreateFormFile("photo", "Quay.jpg")
	if err != nil {
		t.Fatal(err)
	}
	f.Write(quayWall(t, 50, 40))
	w.Close()
	body := b.Bytes()
	opened := make(chan int)
	send := func(ctx context.Context, name string) {
		q := a.request("POST", "/shots", w.FormDataContentType(), bytes.NewReader(body)).
			WithContext(ctx)
		q.Header.Set("X-Upload", name)
		resp, err := a.client.Do(q)
		if err != nil {
			opened <- 0
			return
		}
		resp.Body.Close()
		opened <- resp.StatusCode
	}
	gone, leave := context.WithCancel(context.Background())
	go send(gone, "given-up")
	waiting := func(name string) bool {
		return slices.ContainsFunc(a.server.board.List(), func(j job.Job) bool {
			return j.For == name && j.Kind == job.Reading && strings.HasPrefix(j.Stage, "Waiting")
		})
	}
	a.until(func() bool { return waiting("given-up") })
	leave()
	if status := <-opened; status != 0 || a.shots() != 0 {
		t.Errorf("given up, it ended with %d and %d shots", status, a.shots())
	}
	a.until(func() bool { return !waiting("given-up") }) // the server knows as well
	go send(context.Background(), "patient")
	a.until(func() bool { return waiting("patient") })
	a.server.decoding.Release(codec.MaxBytes)
	if status := <-opened; status != 201 || a.shots() != 1 {
		t.Errorf("when its turn came it ended with %d and %d shots", status, a.shots())
	}
}

func TestAChangeOfNothingIsNoRevision(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	if resp, _ := a.post(at+"/changes", change(1, `[]`)); resp.StatusCode != 200 ||
		a.stored(at).Version != 1 {
		t.Errorf("%d, version %d", resp.StatusCode, a.stored(at).Version)
	}
	many := "[" + strings.Repeat(
		`{"op":"replace","path":"/dusk/on","value":true},`,
		99_999,
	) + `{"op":"replace","path":"/dusk/on","value":false}]`
	if resp, body := a.post(at+"/changes", change(1, many)); resp.StatusCode != 422 ||
		!strings.Contains(body, "the limit is 1000") || a.stored(at).Version != 1 {
		t.Errorf("a hundred thousand operations: %d %.200s", resp.StatusCode, body)
	}
}

// A plain form, without scripts, is answered with a page.
func TestPlainFormsAreAnsweredWithPages(t *testing.T) {
	a := start(t, Options{})
	q := a.request(
		"POST",
		"/shots/none/bring",
		"application/x-www-form-urlencoded",
		strings.NewReader("csrf="+a.csrf),
	)
	q.Header.Set("Accept", "text/html,application/xhtml+xml")
	if resp, body := a.do(q); resp.StatusCode != 404 ||
		!strings.Contains(body, "<h1>No such shot") {
		t.Errorf("%d %s", resp.StatusCode, body)
	}
	at := a.shot()
	q = a.request("POST", at+"/duplicate", "", nil)
	q.Header.Set("HX-Request", "true")
	if resp, _ := a.do(q); resp.StatusCode != 204 || resp.Header.Get("HX-Refresh") != "true" ||
		a.shots() != 2 {
		t.Errorf("duplicated by a script: %d, %d shots", resp.StatusCode, a.shots())
	}
}

// A body that rests for too long is given up, and the asker is told.
func TestSlowBodies(t *testing.T) {
	a := start(t, Options{Idle: 400 * time.Millisecond})
	at := a.shot()
	for name, head := range map[string]string{
		"an upload": "POST /shots HTTP/1.1\r\nContent-Type: multipart/form-data; boundary=x\r\nContent-Length: 90000\r\n",
		"a change":  "POST " + at + "/changes HTTP/1.1\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 90000\r\n",
	} {
		conn, err := net.Dial("tcp", strings.TrimPrefix(a.http.URL, "http://"))
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(
			conn,
			"%sHost: 127.0.0.1\r\nX-CSRF-Token: %s\r\nCookie: pyrant_csrf=%s\r\n\r\n--x\r\nContent-Disposition: form-data; name=\"photo\"; filename=\"a.jpg\"\r\n\r\nhalf",
			head,
			a.csrf,
			a.csrf,
		)
		conn.SetReadDeadline(time.Now().Add(20 * time.Second))
		answer, err := io.ReadAll(conn)
		conn.Close()
		if err != nil || !strings.HasPrefix(string(answer), "HTTP/1.1 408") ||
			!strings.Contains(string(answer), "too slow") {
			t.Errorf("%s that rests: %v, %.300q", name, err, answer)
		}
	}
}

// A frame that waits for its turn longer than a body may rest is answered all the same.
// And its turn is not held while a photo is read.
func TestWaitingIsNotResting(t *testing.T) {
	a := start(t, Options{Idle: 400 * time.Millisecond})
	at, other := a.shot(), a.tones(20, 200)
	ctx := context.Background()
	first, err := a.server.turns.take(ctx, asker{})
	if err != nil {
		t.Fatal(err)
	}
	second, err := a.server.turns.take(ctx, asker{})
	if err != nil {
		t.Fatal(err)
	}
	time.AfterFunc(time.Second, func() { first(); second() })
	a.frame(at, "")
	// With no memory left to read photos, a shot whose photo is in memory goes on.
	a.server.engine.Cache = graph.New(64 << 20)
	a.frame(at, "")
	if err := a.server.decoding.Acquire(ctx, codec.MaxBytes); err != nil {
		t.Fatal(err)
	}
	gone, leave := context.WithCancel(ctx)
	defer leave()
	for range 3 {
		go func() {
			q := a.request("GET", other+"/frame?long=300&x=0&y=0&w=50&h=50&as=png", "", nil).
				WithContext(gone)
			if resp, err := a.client.Do(q); err == nil {
				resp.Body.Close()
			}
		}()
	}
	a.until(func() bool { return len(a.server.board.List()) == 1 })
	a.frame(at, `[{"op":"replace","path":"/dusk/daylight","value":-1}]`)
	a.server.decoding.Release(codec.MaxBytes)
}

// A stop while an upload goes on ends the upload, in time and without an error.
func TestStopWithAnUploadOpen(t *testing.T) {
	addr, stop := served(t)
	resp, err := http.Get("http://" + addr)
	if err != nil {
		t.Fatal(err)
	}
	page, err := io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	token := regexp.MustCompile(`data-csrf="([^"]+)"`).FindSubmatch(page)[1]
	conn, err := net.Dial("tcp", addr)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	fmt.Fprintf(
		conn,
		"POST /shots HTTP/1.1\r\nHost: 127.0.0.1\r\nX-CSRF-Token: %s\r\nCookie: pyrant_csrf=%s\r\nContent-Type: multipart/form-data; boundary=x\r\nContent-Length: 100000\r\n\r\n--x\r\nContent-Disposition: form-data; name=\"photo\"; filename=\"a.jpg\"\r\n\r\nhalf",
		token,
		token,
	)
	time.Sleep(100 * time.Millisecond)
	if err := stop(); err != nil {
		t.Errorf("it ended with %v", err)
	}
}

// What a frame under values in the hand costs before a pixel of it is computed: the
// shot, the draft of its recipe, and the keys by which the engine looks things up.
func BenchmarkDraft(b *testing.B) {
	a := start(b, Options{})
	ctx := context.Background()
	list := a.demo()
	demo := list[0]
	r, err := a.server.head(ctx, &demo)
	if err != nil {
		b.Fatal(err)
	}
	many := r.Clone()
	for i := range 10 { // of 5000 points each
		points := make([]shape.Node, 5000)
		for j := range points {
			at := 2 * math.Pi * float64(j) / 5000
			points[j] = shape.Node{X: 900 + 400*math.Cos(at), Y: 600 + 300*math.Sin(at)}
		}
		l := &many.Lights[i%len(many.Lights)]
		l.Shapes = append(l.Shapes[:len(l.Shapes):len(l.Shapes)],
			shape.Outline{Nodes: setting.ListOf(points...)})
	}
	full, err := a.server.store.AddShot(ctx, "Many points",
		store.Photo{Data: quayWall(b, r.Photo.Width, r.Photo.Height), Format: "png",
			Width: r.Photo.Width, Height: r.Photo.Height}, many, "Many points")
	if err != nil {
		b.Fatal(err)
	}
	last := len(many.Lights[0].Shapes) - 1
	for _, t := range []struct {
		name, shot, patch string
	}{
		{"demo/fader", demo.ID, `[{"op":"replace","path":"/lights/0/level","value":%v}]`},
		{"demo/point", demo.ID, `[{"op":"replace","path":"/lights/0/shapes/0/nodes/0/x","value":%v}]`},
		{"50000/fader", full.ID, `[{"op":"replace","path":"/lights/0/level","value":%v}]`},
		{"50000/point", full.ID, `[{"op":"replace","path":"/lights/0/shapes/` + strconv.Itoa(last) + `/nodes/7/x","value":%v}]`},
	} {
		b.Run(t.name, func(b *testing.B) {
			n := 0
			for b.Loop() {
				n++
				var q frameRequest
				body := `{"as":"pixels","long":861,"x":0,"y":0,"w":861,"h":574,"patch":` + fmt.Sprintf(
					t.patch,
					0.5+0.001*float64(n%400),
				) + `}`
				if err := json.Unmarshal([]byte(body), &q); err != nil {
					b.Fatal(err)
				}
				shot, err := a.server.store.Shot(ctx, t.shot)
				if err != nil {
					b.Fatal(err)
				}
				d, err := a.server.draft(ctx, shot, q.Patch)
				if err != nil {
					b.Fatal(err)
				}
				for i := range d.Lights {
					d.Lights[i].Shapes.Key()
				}
			}
			b.ReportMetric(float64(b.Elapsed().Microseconds())/1000/float64(b.N), "ms-draft")
		})
	}
}

// A frame while a fader is dragged, from the request to the last byte: what a
// page of 1280 by 800 asks for. Of it, "render" is the engine's.
func BenchmarkDraftFrame(b *testing.B) {
	a := start(b, Options{})
	list := a.demo()
	for _, as := range []string{"pixels", "jpeg", "png"} {
		b.Run(as, func(b *testing.B) {
			n := 0
			for b.Loop() {
				n++
				patch := fmt.Sprintf(
					`[{"op":"replace","path":"/lights/0/level","value":%v}]`,
					0.5+0.001*float64(n%400),
				)
				a.postJSON(
					"/shots/"+list[0].ID+"/frame",
					`{"as":"`+as+`","long":861,"x":0,"y":0,"w":861,"h":574,"patch":`+patch+`}`,
				)
			}
		})
	}
}
