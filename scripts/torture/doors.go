package main

import (
	"archive/zip"
	"bytes"
	"compress/zlib"
	"context"
	"crypto/sha256"
	bits "encoding/binary"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"html"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"pyrant/demo"
)

// Tortures that a stranger, or a user in a hurry, would try.

const (
	strokeIn  = `{"says":"in","diameter":30,"points":[{"x":1240,"y":500},{"x":1260,"y":900}]}`
	strokeOut = `{"says":"out","diameter":30,"points":[{"x":700,"y":200},{"x":1800,"y":200},{"x":1800,"y":1700},{"x":700,"y":1700},{"x":700,"y":200}]}`
)

// refineAfterUndo edits a cut-out, refines it before and after undo, has the collector run, and
// goes back.
func refineAfterUndo(t *tally, data string) {
	s := must(t, data)
	if s == nil {
		return
	}
	at, _, _, err := s.upload(photo(1))
	other, _, _, err2 := s.upload(photo(2))
	if err != nil || err2 != nil {
		t.fail("%v %v", err, err2)
		s.kill()
		return
	}
	version := 1
	post := func(path string, form url.Values) {
		form.Set("version", fmt.Sprint(version))
		form.Set("step", "trace")
		status, text, err := s.post(at+path, form)
		if status != 200 {
			t.fail("%s: %d %.200s %v", path, status, text, err)
		}
		version = versionIn(text, version)
	}
	patch := func(p string) { post("/changes", url.Values{"patch": {p}}) }
	refine := func() {
		status, text, err := s.do("POST", at+"/refine", "application/json", strings.NewReader("{}"))
		if status != 202 {
			t.fail("refining: %d %.200s %v", status, text, err)
		}
		for range 600 {
			_, page, _ := s.do("GET", at, "", nil)
			now := stateIn(page)
			version = now.Version
			if !slices.ContainsFunc(now.CutOuts, func(c cutState) bool { return c.Rough }) {
				return
			}
			time.Sleep(50 * time.Millisecond)
		}
		t.fail("it stays rough")
	}
	t.tries.Add(1)
	post("/actions/add-cutout", url.Values{"scribble": {strokeIn}})
	patch(`[{"op":"add","path":"/cutouts/0/strokes/-","value":` + strokeOut + `}]`)
	patch(`[{"op":"replace","path":"/dusk/daylight","value":-2}]`)
	refine()
	post("/actions/undo", url.Values{})
	refine()
	patch(
		`[{"op":"add","path":"/cutouts/0/strokes/-","value":{"says":"in","diameter":20,"points":[{"x":1200,"y":700}]}}]`,
	)
	s.post(other+"/aside", nil)
	s.post(other+"/remove", nil)
	s.stop(t)
	if s = must(t, data); s == nil {
		return
	}
	defer s.stop(t)
	post("/actions/undo", url.Values{})
	for _, path := range []string{"", "/preview.jpg", "/archive"} {
		if status, text, err := s.do("GET", at+path, "", nil); status != 200 {
			t.fail("%q after undo: %d %.200s %v", path, status, text, err)
			return
		}
	}
	t.count.Add(1)
}

// shotState is what a page's scripts are told of a shot, as far as it is of use here.
type shotState struct {
	Version int
	Lights  []struct {
		ID  string
		Gel struct{ Hue float64 }
	}
	CutOuts []cutState
}

type cutState struct{ Rough bool }

// stateIn returns the state in a page of a shot, or in the answer to a change.
func stateIn(page string) (out shotState) {
	var answer struct{ State shotState }
	if json.Unmarshal([]byte(page), &answer) == nil {
		return answer.State
	}
	if m := regexp.MustCompile(`data-state="([^"]+)"`).FindStringSubmatch(page); m != nil {
		_ = json.Unmarshal(
			[]byte(html.UnescapeString(m[1])),
			&out,
		) // else it is empty, and fails a test
	}
	return out
}

// otherLight changes lights from a window that does not know yet that another has deleted one: the
// right light changes, the deleted one is named, and what goes by positions is refused.
func otherLight(t *tally, _ string, s *server) {
	at, _, _, err := s.upload(photo(1))
	if err != nil {
		t.fail("%v", err)
		return
	}
	var old shotState
	for range 3 {
		_, text, _ := s.post(
			at+"/actions/add-light",
			url.Values{"version": {fmt.Sprint(max(old.Version, 1))},
				"step": {"trace"}},
		)
		old = stateIn(text)
	}
	if len(old.Lights) != 3 {
		t.fail("%d lights were added", len(old.Lights))
		return
	}
	post := func(path, name, value string) (int, string) {
		t.tries.Add(1)
		status, text, _ := s.post(
			at+path,
			url.Values{"version": {fmt.Sprint(old.Version)}, "step": {"trace"},
				name: {value}},
		)
		return status, text
	}
	first, second := old.Lights[0].ID, old.Lights[1].ID
	hue := func(path string, v int) string {
		return fmt.Sprintf(`[{"op":"replace","path":"/lights/%s/gel/hue","value":%d}]`, path, v)
	}
	is := func(what string, right bool, status int, text string) {
		if !right {
			t.fail("%s: %d %.200s", what, status, text)
			return
		}
		t.count.Add(1)
	}
	status, text := post("/actions/remove-light", "light", first)
	is("removing", status == 200 && len(stateIn(text).Lights) == 2, status, text)
	status, text = post("/changes", "patch", hue("id:"+second, 123))
	now := stateIn(text)
	is(
		"the one after it",
		status == 200 && now.Lights[0].ID == second && now.Lights[0].Gel.Hue == 123 &&
			now.Lights[1].Gel.Hue == old.Lights[2].Gel.Hue,
		status,
		text,
	)
	status, text = post("/changes", "patch", hue("id:"+first, 5))
	is("the deleted one", status == 404 && strings.Contains(text, "was deleted"), status, text)
	status, text = post("/actions/remove-light", "light", first)
	is("removing it again", status == 404, status, text)
	status, text = post(
		"/changes",
		"patch",
		`[{"op":"move","from":"/lights/1","path":"/lights/0"}]`,
	)
	is("by position", status == 409, status, text)
}

// withoutKey asks a Pyrant that others can reach, with names and keys that are none.
func withoutKey(t *tally, data string) {
	s, link := &server{
		cmd: exec.Command(binary, "serve", "--addr", "0.0.0.0:0", "--data", data),
	}, ""
	out, err := s.cmd.StdoutPipe()
	if err == nil {
		err = s.cmd.Start()
	}
	if err != nil {
		t.fail("%v", err)
		return
	}
	defer s.kill()
	buf := make([]byte, 4096)
	n, _ := out.Read(buf)
	link = regexp.MustCompile(`http://\S+`).FindString(string(buf[:n]))
	u, err := url.Parse(link)
	if err != nil || u.Query().Get("key") == "" {
		t.fail("the link %q has no key", link)
		return
	}
	key := u.Query().Get("key")
	client := &http.Client{CheckRedirect: func(*http.Request,
		[]*http.Request) error {
		return http.ErrUseLastResponse
	}}
	ask := func(path, host, cookie string) int {
		r, _ := http.NewRequest("GET", "http://127.0.0.1:"+u.Port()+path, nil)
		r.Host = host
		if cookie != "" {
			r.AddCookie(&http.Cookie{Name: "pyrant_key", Value: cookie})
		}
		resp, err := client.Do(r)
		if err != nil {
			return 0
		}
		resp.Body.Close()
		return resp.StatusCode
	}
	for _, host := range []string{"127.0.0.1", "localhost", "[::1]", u.Host} {
		for _, cookie := range []string{"", "x", key[:len(key)-1], strings.ToLower(key)} {
			for _, path := range []string{"/", "/static/pyrant.css", "/shots/x/archive", "/?key=x"} {
				t.tries.Add(1)
				if status := ask(path, host, cookie); status != 401 {
					t.fail("%s as %s with %q: %d", path, host, cookie, status)
				} else {
					t.count.Add(1)
				}
			}
		}
	}
	if status := ask("/", u.Host, key); status != 200 {
		t.fail("with the key: %d", status)
	}
}

// cpu returns the processor time that a process has taken, and the memory that it holds; zeros
// where there is no /proc.
func (s *server) cpu() (busy time.Duration, rss int64) {
	b, _ := os.ReadFile(fmt.Sprintf("/proc/%d/stat", s.cmd.Process.Pid))
	f := strings.Fields(string(b[bytes.LastIndexByte(b, ')')+1:]))
	if len(f) < 22 {
		return 0, 0
	}
	num := func(i int) int64 { n, _ := strconv.ParseInt(f[i], 10, 64); return n }
	return time.Duration(num(11)+num(12)) * 10 * time.Millisecond, num(21) * 4096
}

// idle holds that a server is idle within 0.3 s of now.
func (s *server) idle(t *tally, after string) {
	time.Sleep(300 * time.Millisecond)
	before, _ := s.cpu()
	time.Sleep(500 * time.Millisecond)
	if now, _ := s.cpu(); now-before > 100*time.Millisecond {
		t.fail(
			"%s: 0.3 s after it was given up it works for %v in half a second",
			after,
			now-before,
		)
	}
}

// costlyFiles are small and would take much.
func costlyFiles() map[string][]byte {
	zipped := func(entries func(z *zip.Writer)) []byte {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		entries(z)
		z.Close()
		return b.Bytes()
	}
	blank := make([]byte, 199<<20)
	copy(blank, "\x89PNG\r\n\x1a\n")
	sum := sha256.Sum256(blank)
	files := map[string][]byte{}
	files["an archive that lists its photo 400 times"] = zipped(func(z *zip.Writer) {
		one := `{"name":"photo.png","role":"photo","sha256":"` + hex.EncodeToString(sum[:]) + `"},`
		f, _ := z.Create("shot.json")
		fmt.Fprintf(
			f,
			`{"name":"x","photo":"photo.png","files":[%s]}`,
			strings.TrimSuffix(strings.Repeat(one, 400), ","),
		)
		f, _ = z.Create("photo.png")
		f.Write(blank)
	})
	files["an archive of 500 000 entries"] = zipped(func(z *zip.Writer) {
		for i := range 500_000 {
			z.CreateHeader(&zip.FileHeader{Name: strconv.Itoa(i)})
		}
	})
	// A JPEG of 12 000 × 12 000, progressive, with 200 scans that say nothing.
	jpeg := []byte{0xff, 0xd8, 0xff, 0xc2, 0, 11, 8, 0x2e, 0xe0, 0x2e, 0xe0, 1, 1, 0x11, 0}
	for range 200 {
		jpeg = append(jpeg, 0xff, 0xda, 0, 8, 1, 1, 0, 0, 0, 0)
		jpeg = append(jpeg, make([]byte, 2000)...)
	}
	files["a JPEG of 200 scans"] = append(jpeg, 0xff, 0xd9)
	// A TIFF of 11 000 × 11 000 grey zeros of 16 bits, deflated.
	var packed bytes.Buffer
	z := zlib.NewWriter(&packed)
	for range 11_000 {
		z.Write(make([]byte, 22_000))
	}
	z.Close()
	tiff := []byte("II*\x00\x08\x00\x00\x00\x09\x00")
	for _, f := range [][3]uint32{{256, 4, 11_000}, {257, 4, 11_000}, {258, 3, 16}, {259, 3, 8},
		{262, 3, 1}, {273, 4, 122}, {277, 3, 1}, {278, 4, 11_000}, {279, 4, uint32(packed.Len())}} {
		tiff = bits.LittleEndian.AppendUint16(tiff, uint16(f[0]))
		tiff = bits.LittleEndian.AppendUint16(tiff, uint16(f[1]))
		tiff = bits.LittleEndian.AppendUint32(tiff, 1)
		tiff = bits.LittleEndian.AppendUint32(tiff, f[2])
	}
	files["a TIFF of zeros"] = slices.Concat(tiff, make([]byte, 4), packed.Bytes())
	return files
}

var costly = costlyFiles()

// memory that a server may hold after anything: its cache as it comes, and a gigabyte.
const mostMemory = 2 << 30

// smallButCostly sends files that are small and take much, several at once, gives some up, and
// looks at time and memory.
func smallButCostly(t *tally, _ string, s *server) {
	slowest, which := time.Duration(0), ""
	for name, data := range costly {
		t.tries.Add(1)
		began := time.Now()
		_, status, text, err := s.upload(data)
		took := time.Since(began)
		if took > slowest {
			slowest, which = took, name
		}
		if took > 10*time.Second || status != 201 && status != 413 && status != 422 {
			t.fail("%s: %d %.100s %v after %v", name, status, text, err, took)
			continue
		}
		t.count.Add(1)
	}
	// All at once, and given up.
	ctx, leave := context.WithCancel(context.Background())
	for range 3 {
		for _, data := range costly {
			go func() {
				r, _ := http.NewRequestWithContext(
					ctx,
					"POST",
					s.url+"/shots",
					bytes.NewReader(
						slices.Concat(
							[]byte(
								"--x\r\nContent-Disposition: form-data; name=\"photo\"; filename=\"a\"\r\n\r\n",
							),
							data,
							[]byte("\r\n--x--\r\n"),
						),
					),
				)
				r.Header.Set("Content-Type", "multipart/form-data; boundary=x")
				r.Header.Set("X-CSRF-Token", s.token)
				if resp, err := s.client.Do(r); err == nil {
					resp.Body.Close()
				}
			}()
		}
	}
	time.Sleep(700 * time.Millisecond)
	leave()
	s.idle(t, "costly files")
	time.Sleep(1500 * time.Millisecond) // memory goes back a second after the work
	if _, rss := s.cpu(); rss > mostMemory {
		t.fail("afterwards it holds %d MB", rss>>20)
	} else if t.note == "" {
		t.note = fmt.Sprintf("%s %.1f s, then %d MB", which, slowest.Seconds(), rss>>20)
	}
}

// costlyRecipes saves recipes at the limits of lists, and asks for frames of one that is just
// allowed.
func costlyRecipes(t *tally, _ string, s *server) {
	at, _, _, err := s.upload(demo.Photo)
	other, _, _, err2 := s.upload(photo(2))
	if err != nil || err2 != nil {
		t.fail("%v %v", err, err2)
		return
	}
	light := func(i int, more string) string {
		return fmt.Sprintf(
			`{"op":"add","path":"/lights/-","value":{"id":"x%d","name":"L",%s}}`,
			i,
			more,
		)
	}
	blended := func(lights, shells int) string {
		one := `{"radius":40,"strength":0.1,"join":"overlay"}`
		var ops []string
		for i := range lights {
			ops = append(
				ops,
				light(
					i,
					fmt.Sprintf(
						`"shapes":[{"kind":"ellipse","x":%d,"y":900,"width":90,"height":90}],"shells":[%s]`,
						300+200*i%2400,
						strings.TrimSuffix(strings.Repeat(one+",", shells), ","),
					),
				),
			)
		}
		return "[" + strings.Join(ops, ",") + "]"
	}
	bulbs := `{"kind":"string","laid":"count","count":500,"width":10,"nodes":[{"x":100,"y":100},{"x":2900,"y":100}]}`
	post := func(path, patch string, version int) (int, string) {
		status, text, err := s.post(path+"/changes", url.Values{"version": {fmt.Sprint(version)},
			"step": {"glow"}, "patch": {patch}})
		if err != nil {
			t.fail("%v", err)
		}
		return status, text
	}
	for name, patch := range map[string]string{
		"shells by overlay": blended(100, 32),
		"bulbs with rays":   "[" + light(0, `"shells":[],"rays":{"on":true},"shapes":[`+strings.TrimSuffix(strings.Repeat(bulbs+",", 500), ",")+`]`) + "]",
	} {
		t.tries.Add(1)
		if status, text := post(at, patch, 1); status != 413 ||
			!strings.Contains(text, "Delete some of them") {
			t.fail("%s: %d %.200s", name, status, text)
		} else {
			t.count.Add(1)
		}
	}
	// What is just allowed takes long; two frames of it leave a turn to others, and end when they
	// are given up.
	t.tries.Add(1)
	if status, text := post(at, blended(20, 32), 1); status != 200 {
		t.fail("what is allowed: %d %.200s", status, text)
		return
	}
	ctx, leave := context.WithCancel(context.Background())
	for i := range 2 {
		go func() {
			r, _ := http.NewRequestWithContext(
				ctx,
				"GET",
				fmt.Sprintf(
					"%s%s/frame?long=1500&x=0&y=0&w=1500&h=1000&as=pixels&page=p%d",
					s.url,
					at,
					i,
				),
				nil,
			)
			if resp, err := s.client.Do(r); err == nil {
				resp.Body.Close()
			}
		}()
	}
	time.Sleep(3 * time.Second) // longer than a turn may be held by two
	began := time.Now()
	if status, text, err := s.frame(other); status != 200 {
		t.fail("another frame: %d %.100s %v", status, text, err)
	}
	waited := time.Since(began)
	if waited > 3*time.Second {
		t.fail("another client waits %v", waited)
	}
	leave()
	s.idle(t, "long frames")
	t.count.Add(1)
	if t.note == "" {
		t.note = fmt.Sprintf(
			"another client's frame beside two long ones: %.2f s",
			waited.Seconds(),
		)
	}
	if _, rss := s.cpu(); rss > mostMemory {
		t.fail("afterwards it holds %d MB", rss>>20)
	}
}

// stopWhileExporting ends Pyrant while exports are asked for.
func stopWhileExporting(t *tally, data string) {
	s := must(t, data)
	if s == nil {
		return
	}
	at, _, _, err := s.upload(demo.Photo)
	if err != nil {
		t.fail("%v", err)
	}
	t.tries.Add(1)
	stop := make(chan struct{})
	for range 4 {
		go func() {
			for {
				select {
				case <-stop:
					return
				default:
					if _, _, err := s.post(at+"/exports", url.Values{"format": {"png16"}, "size": {"full"}}); err != nil {
						return
					}
				}
			}
		}()
	}
	time.Sleep(1500 * time.Millisecond)
	began := time.Now()
	s.cmd.Process.Signal(syscall.SIGTERM)
	err = s.cmd.Wait()
	took := time.Since(began)
	close(stop)
	if err != nil || took > 5*time.Second {
		t.fail("it stopped after %v with %v", took, err)
		return
	}
	t.count.Add(1)
	t.note = fmt.Sprintf("%.1f s", took.Seconds())
}

// smallDoors asks for addresses that are none, and for changes without the token.
func smallDoors(t *tally, _ string, s *server) {
	at, _, _, err := s.upload(photo(1))
	if err != nil {
		t.fail("%v", err)
		return
	}
	expect := func(what string, want, got int) {
		t.tries.Add(1)
		if got != want {
			t.fail("%s: %d", what, got)
		} else {
			t.count.Add(1)
		}
	}
	for _, path := range []string{"/static/..%c0%afx", "/static/%2e%2e/%2e%2e/go.mod", "/static/%00"} {
		status, _, _ := s.do("GET", path, "", nil)
		expect(path, 404, status)
	}
	token := s.token
	for _, bad := range []string{"", "x", strings.Repeat("x", len(token))} {
		s.token = bad
		for _, path := range []string{at + "/aside", at + "/changes", "/demo", "/shots"} {
			status, _, _ := s.post(path, url.Values{})
			expect(path+" with the token "+bad, 403, status)
		}
	}
	s.token = token
}
