// Torture breaks Pyrant on purpose, in the ways in which it did break, and counts what
// is lost:
//
//	go run ./scripts/torture --minutes 5
//
// It builds the application, runs it on data folders of its own, and takes turns at
// killing it in a burst of saves and in its first start, filling its disk, racing
// removals against uploads, damaging pictures, files and the database, saving from many
// clients at once, and holding connections open. It prints a table, and exits with 1
// where anything that was acknowledged is lost or anything is answered with 500.
package main

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"log"
	"math/rand/v2"
	"mime/multipart"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"pyrant/demo"
)

// tally counts what a kind of torture did.
type tally struct {
	name         string
	tries, count atomic.Int64 // rounds; what of it was acknowledged, refused, …
	what         string       // that count counts
	lost         atomic.Int64
	note         string
}

func (t *tally) fail(format string, args ...any) {
	t.lost.Add(1)
	log.Printf("LOSS in %s: %s", t.name, fmt.Sprintf(format, args...))
}

var binary string

func main() {
	log.SetFlags(0)
	minutes := flag.Float64("minutes", 1, "how long in all")
	flag.Parse()
	dir, err := os.MkdirTemp("", "torture-")
	if err != nil {
		log.Fatal(err)
	}
	defer os.RemoveAll(dir)
	binary = filepath.Join(dir, "pyrant")
	if out, err := exec.Command("go", "build", "-o", binary, "./cmd/pyrant").CombinedOutput(); err != nil {
		log.Fatalf("building: %v\n%s", err, out)
	}
	kinds := []struct {
		t  *tally
		do func(*tally, string)
	}{
		{&tally{name: "kill -9 in a burst of saves", what: "saves acknowledged"}, killWhileSaving},
		{&tally{name: "kill -9 in the first start", what: "starts afterwards"}, killFirstStart},
		{&tally{name: "full disk", what: "saves until full"}, fullDisk},
		{
			&tally{name: "removed while opened again", what: "photos opened"},
			served(removeWhileOpening),
		},
		{
			&tally{name: "the same photo eight times at once", what: "photos opened"},
			served(openAtOnce),
		},
		{
			&tally{name: "damaged pictures", what: "refused with a sentence"},
			served(damagedPictures),
		},
		{
			&tally{name: "saves from 16 clients at once", what: "saves acknowledged"},
			served(manyClients),
		},
		{&tally{name: "slow and broken-off connections", what: "connections"}, slowConnections},
		{&tally{name: "second start on the folder", what: "refused"}, served(secondStart)},
		{&tally{name: "photo damaged on the disk", what: "healed"}, damagedFile},
		{
			&tally{name: "database pages overwritten", what: "noticed and gone back"},
			damagedDatabase,
		},
		{
			&tally{name: "refined before and after undo", what: "readable afterwards"},
			refineAfterUndo,
		},
		{
			&tally{name: "edits beside deletions", what: "to the right light, or refused"},
			served(otherLight),
		},
		{&tally{name: "without the access key", what: "refused"}, withoutKey},
		{
			&tally{name: "small files that take much", what: "opened or refused in time"},
			served(smallButCostly),
		},
		{
			&tally{name: "recipes that take much", what: "refused, or leave a turn"},
			served(costlyRecipes),
		},
		{
			&tally{name: "stopped while exports are asked for", what: "stopped within 5 s"},
			stopWhileExporting,
		},
		{&tally{name: "odd addresses, changes without token", what: "refused"}, served(smallDoors)},
	}
	// A turn of each, until the time is over.
	end := time.Now().Add(time.Duration(*minutes * float64(time.Minute)))
	for turn := 0; turn == 0 || time.Now().Before(end); turn++ {
		for i, k := range kinds {
			if turn > 0 && time.Now().After(end) {
				break
			}
			data := filepath.Join(dir, fmt.Sprintf("data-%d-%d", turn, i))
			k.do(k.t, data)
			os.RemoveAll(data)
		}
	}
	bad := false
	fmt.Printf("%-36s %8s %8s  %-26s %6s\n", "", "rounds", "count", "of", "lost")
	for _, k := range kinds {
		t := k.t
		fmt.Printf(
			"%-36s %8d %8d  %-26s %6d  %s\n",
			t.name,
			t.tries.Load(),
			t.count.Load(),
			t.what,
			t.lost.Load(),
			t.note,
		)
		bad = bad || t.lost.Load() > 0
	}
	if bad {
		os.Exit(1)
	}
}

// server is a running Pyrant and a client that knows its token.
type server struct {
	cmd    *exec.Cmd
	url    string
	client *http.Client
	token  string
	log    *bytes.Buffer
}

// serve starts Pyrant on a data folder.
func serve(data string) (*server, error) {
	s := &server{
		cmd: exec.Command(binary, "serve", "--addr", "127.0.0.1:0", "--data", data),
		log: new(bytes.Buffer),
	}
	s.cmd.Stderr = s.log
	out, err := s.cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := s.cmd.Start(); err != nil {
		return nil, err
	}
	buf := make([]byte, 4096)
	n, err := out.Read(buf)
	if err != nil {
		s.cmd.Wait()
		return nil, fmt.Errorf("it does not start: %s", strings.TrimSpace(s.log.String()))
	}
	go io.Copy(io.Discard, out)
	s.url = regexp.MustCompile(`http://[0-9.:]+`).FindString(string(buf[:n]))
	jar, _ := cookiejar.New(nil)
	s.client = &http.Client{Jar: jar, Timeout: time.Minute, CheckRedirect: func(*http.Request,
		[]*http.Request) error {
		return http.ErrUseLastResponse
	}}
	_, page, err := s.do("GET", "/", "", nil)
	if err != nil {
		return nil, err
	}
	m := regexp.MustCompile(`data-csrf="([^"]+)"`).FindStringSubmatch(page)
	if m == nil {
		return nil, fmt.Errorf("the shots page has no token")
	}
	s.token = m[1]
	return s, nil
}

func must(t *tally, data string) *server {
	s, err := serve(data)
	if err != nil {
		t.fail("%v", err)
		return nil
	}
	return s
}

// served gives a torture a running server, which is stopped afterwards.
func served(do func(*tally, string, *server)) func(*tally, string) {
	return func(t *tally, data string) {
		if s := must(t, data); s != nil {
			defer s.stop(t)
			do(t, data, s)
		}
	}
}

func (s *server) kill() { s.cmd.Process.Kill(); s.cmd.Wait() }

// stop ends it as a user does, and tells whether it ended well.
func (s *server) stop(t *tally) {
	s.cmd.Process.Signal(os.Interrupt)
	if err := s.cmd.Wait(); err != nil {
		t.fail("it stopped with %v", err)
	}
}

func (s *server) do(method, path, kind string, body io.Reader) (int, string, error) {
	r, err := http.NewRequest(method, s.url+path, body)
	if err != nil {
		return 0, "", err
	}
	r.Header.Set("Content-Type", kind)
	r.Header.Set("X-CSRF-Token", s.token)
	resp, err := s.client.Do(r)
	if err != nil {
		return 0, "", err
	}
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	return resp.StatusCode, string(b), err
}

func (s *server) post(path string, form url.Values) (int, string, error) {
	return s.do("POST", path, "application/x-www-form-urlencoded", strings.NewReader(form.Encode()))
}

// upload opens a photo and returns the shot's address.
func (s *server) upload(data []byte) (string, int, string, error) {
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	f, _ := w.CreateFormFile("photo", "Quay.jpg")
	f.Write(data)
	w.Close()
	status, text, err := s.do("POST", "/shots", w.FormDataContentType(), &b)
	var told struct{ URL string }
	if status == 201 {
		err = json.Unmarshal([]byte(text), &told)
	}
	return told.URL, status, text, err
}

// versionIn finds a shot's version in its page, or in what a change answers.
func versionIn(page string, otherwise int) int {
	if m := regexp.MustCompile(`(?:&#34;|")version(?:&#34;|"):(\d+)`).FindStringSubmatch(page); m != nil {
		fmt.Sscan(m[1], &otherwise)
	}
	return otherwise
}

// save sets the daylight and returns the next version.
func (s *server) save(at string, version int, daylight float64) (int, int, error) {
	status, text, err := s.post(
		at+"/changes",
		url.Values{"version": {fmt.Sprint(version)}, "step": {"dusk"},
			"patch": {
				fmt.Sprintf(`[{"op":"replace","path":"/dusk/daylight","value":%g}]`, daylight),
			}},
	)
	version = versionIn(text, version)
	return version, status, err
}

// daylight reads what the dusk step shows.
func (s *server) daylight(at string) (v float64, err error) {
	_, page, err := s.do("GET", at+"?step=dusk", "", nil)
	if m := regexp.MustCompile(`id="f-dusk-daylight"[^>]*value="([-0-9.]+)"`).FindStringSubmatch(page); m != nil {
		_, err = fmt.Sscan(m[1], &v)
		return v, err
	}
	return 0, fmt.Errorf("the dusk step shows no daylight (%w)", err)
}

func (s *server) frame(at string) (int, string, error) {
	return s.do("GET", at+"/frame?long=300&x=0&y=0&w=100&h=100&as=png", "", nil)
}

// photo is the demo photo; each number makes another file of it.

func photo(n int) []byte {
	// A comment after the first marker makes another file of the same picture.
	note := fmt.Appendf(nil, "copy %d", n)
	out := append([]byte{0xff, 0xd8, 0xff, 0xfe, byte((len(note) + 2) >> 8), byte(len(note) + 2)},
		note...)
	return append(out, demo.Photo[2:]...)
}

func killWhileSaving(t *tally, data string) {
	s := must(t, data)
	if s == nil {
		return
	}
	at, status, text, err := s.upload(photo(1))
	if status != 201 {
		t.fail("opening a photo: %d %s %v", status, text, err)
		s.kill()
		return
	}
	version, last := 1, 0
	for range 4 {
		t.tries.Add(1)
		time.AfterFunc(time.Duration(50+rand.IntN(400))*time.Millisecond,
			func() { s.cmd.Process.Kill() })
		for i := last + 1; ; i++ {
			next, status, err := s.save(at, version, -float64(i%800)/100)
			if err != nil || status != 200 {
				break
			}
			version, last = next, i
			t.count.Add(1)
		}
		s.cmd.Wait()
		if s = must(t, data); s == nil {
			return
		}
		got, err := s.daylight(at)
		is := int(-got*100 + 0.5)
		if err != nil || is != last%800 && is != (last+1)%800 {
			t.fail("acknowledged was %d, there is %d (%v)", last%800, is, err)
		}
		if status, text, err := s.frame(at); status != 200 {
			t.fail("the picture after a kill: %d %.200s %v", status, text, err)
		}
		_, page, _ := s.do("GET", at, "", nil)
		version = versionIn(page, version)
		last = is
	}
	s.stop(t)
}

func killFirstStart(t *tally, data string) {
	for i := range 12 {
		t.tries.Add(1)
		dir := fmt.Sprintf("%s-%d", data, i)
		cmd := exec.Command(binary, "serve", "--addr", "127.0.0.1:0", "--data", dir)
		if err := cmd.Start(); err != nil {
			t.fail("%v", err)
			return
		}
		time.Sleep(time.Duration(rand.IntN(60_000)) * time.Microsecond)
		cmd.Process.Kill()
		cmd.Wait()
		if s := must(t, dir); s != nil {
			if _, status, text, err := s.upload(photo(1)); status != 201 {
				t.fail("opening a photo afterwards: %d %s %v", status, text, err)
			} else {
				t.count.Add(1)
			}
			s.kill()
		}
		os.RemoveAll(dir)
	}
}

func removeWhileOpening(t *tally, data string, s *server) {
	at, _, _, err := s.upload(photo(1))
	if err != nil {
		t.fail("%v", err)
		return
	}
	for range 12 {
		t.tries.Add(1)
		s.post(at+"/aside", nil)
		var both sync.WaitGroup
		old := at
		both.Go(func() {
			if status, text, err := s.post(old+"/remove", nil); status >= 400 || err != nil {
				t.fail("removing: %d %s %v", status, text, err)
			}
		})
		both.Go(func() {
			var status int
			var text string
			if at, status, text, err = s.upload(photo(1)); status != 201 {
				t.fail("opening: %d %s %v", status, text, err)
			}
		})
		both.Wait()
		if at == "" {
			return
		}
		t.count.Add(1)
		if status, text, err := s.do("GET", at+"/archive", "", nil); status != 200 ||
			len(text) < len(demo.Photo) {
			t.fail("the photo of the new shot: %d, %d bytes, %v", status, len(text), err)
		}
	}
}

func openAtOnce(t *tally, data string, s *server) {
	for range 3 {
		t.tries.Add(1)
		mine := photo(rand.IntN(1e6))
		var all sync.WaitGroup
		for range 8 {
			all.Go(func() {
				if _, status, text, err := s.upload(mine); status != 201 {
					t.fail("%d %s %v", status, text, err)
				} else {
					t.count.Add(1)
				}
			})
		}
		all.Wait()
	}
}

func damagedPictures(t *tally, data string, s *server) {
	for range 12 {
		t.tries.Add(1)
		b := bytes.Clone(photo(1))
		switch rand.IntN(4) {
		case 0:
			b = b[:rand.IntN(len(b))]
		case 1:
			for range 1 + rand.IntN(40) {
				b[rand.IntN(2000)] = byte(rand.Uint32())
			}
		case 2:
			for range 1 + rand.IntN(400) {
				b[rand.IntN(len(b))] = byte(rand.Uint32())
			}
		default: // the beginning of another format
			copy(
				b,
				[]string{"\x89PNG\r\n\x1a\n", "II*\x00", "RIFF\x00\x00\x10\x00WEBPVP8X", "PK\x03\x04", "II+\x00", "MM\x00*"}[rand.IntN(6)],
			)
		}
		at, status, text, err := s.upload(b)
		switch {
		case status == 201: // the decoder bore it: then it must render
			if status, text, err := s.frame(at); status != 200 {
				t.fail("a picture that was opened: %d %.200s %v", status, text, err)
			}
		case status == 422 || status == 413:
			t.count.Add(1)
			var told struct{ Error string }
			if json.Unmarshal([]byte(text), &told) != nil || !strings.HasSuffix(told.Error, ".") ||
				len(told.Error) > 400 {
				t.fail("no sentence: %.300s", text)
			}
		default:
			t.fail("%d %.300s %v", status, text, err)
		}
	}
}

func manyClients(t *tally, data string, s *server) {
	t.tries.Add(1)
	shared, _, _, err := s.upload(photo(1))
	if err != nil {
		t.fail("%v", err)
		return
	}
	var all sync.WaitGroup
	for client := range 16 {
		all.Go(func() {
			at, version := shared, 1
			if client < 12 { // four share one shot
				var status int
				if at, status, _, err = s.upload(photo(client)); status != 201 {
					t.fail("opening: %d %v", status, err)
					return
				}
			}
			last := 0.0
			for i := 1; i <= 10; i++ {
				next, status, err := s.save(at, version, -float64(i)/10)
				switch {
				case err != nil || status >= 500:
					t.fail("a save: %d %v", status, err)
				case status == 200:
					t.count.Add(1)
					version, last = next, -float64(i)/10
				case status == 409 && client >= 12: // another was faster
					_, page, _ := s.do("GET", at, "", nil)
					version = versionIn(page, version)
				default:
					t.fail("a save: %d", status)
				}
			}
			if client < 12 {
				if got, err := s.daylight(at); err != nil || got != last {
					t.fail("saved was %v, there is %v (%v)", last, got, err)
				}
			}
		})
	}
	all.Wait()
}

func slowConnections(t *tally, data string) {
	s := must(t, data)
	if s == nil {
		return
	}
	t.tries.Add(1)
	host := strings.TrimPrefix(s.url, "http://")
	var open []net.Conn
	for i := range 120 {
		c, err := net.Dial("tcp", host)
		if err != nil {
			t.fail("connection %d: %v", i, err)
			break
		}
		open = append(open, c)
		t.count.Add(1)
		switch i % 3 {
		case 0:
			io.WriteString(c, "GET / HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Half")
		default:
			fmt.Fprintf(
				c,
				"POST /shots HTTP/1.1\r\nHost: 127.0.0.1\r\nX-CSRF-Token: %s\r\nCookie: pyrant_csrf=%s\r\nContent-Type: multipart/form-data; boundary=x\r\nContent-Length: 9000000\r\n\r\n--x\r\nContent-Disposition: form-data; name=\"photo\"; filename=\"a.jpg\"\r\n\r\nhalf",
				s.token,
				s.token,
			)
		}
		if i%3 == 2 {
			c.Close()
		}
	}
	if _, status, text, err := s.upload(photo(1)); status != 201 {
		t.fail("beside them a photo is opened with %d %s %v", status, text, err)
	}
	start := time.Now()
	s.stop(t) // with the rest still open
	if d := time.Since(start); d > 20*time.Second {
		t.fail("with connections open it took %v to stop", d)
	}
	for _, c := range open {
		c.Close()
	}
	left, _ := filepath.Glob(filepath.Join(data, "files", ".new-*"))
	temp, _ := filepath.Glob(filepath.Join(os.TempDir(), "multipart-*"))
	if n := len(left) + len(temp); n > 0 {
		t.fail("%d files were left", n)
	}
}

func secondStart(t *tally, data string, s *server) {
	t.tries.Add(1)
	mark := filepath.Join(data, "exports", "mark")
	if err := os.WriteFile(mark, []byte("an export"), 0o600); err != nil {
		t.fail("%v", err)
	}
	out, err := exec.Command(binary, "serve", "--addr", "127.0.0.1:0", "--data", data).
		CombinedOutput()
	if err == nil || !strings.Contains(string(out), "in use by process") {
		t.fail("it started: %s", out)
	} else {
		t.count.Add(1)
	}
	if _, err := os.Stat(mark); err != nil {
		t.fail("it touched the exports of the first: %v", err)
	}
}

func damagedFile(t *tally, data string) {
	s := must(t, data)
	if s == nil {
		return
	}
	at, _, _, err := s.upload(photo(1))
	s.stop(t)
	files, _ := filepath.Glob(filepath.Join(data, "files", "*"))
	if err != nil || len(files) != 1 {
		t.fail("%d files, %v", len(files), err)
		return
	}
	t.tries.Add(1)
	f, err := os.OpenFile(files[0], os.O_RDWR, 0)
	if err == nil {
		_, err = f.WriteAt([]byte("damage"), 5000)
		f.Close()
	}
	if err != nil {
		t.fail("%v", err)
		return
	}
	if s = must(t, data); s == nil {
		return
	}
	defer s.stop(t)
	if status, text, err := s.frame(at); status != 404 ||
		!strings.Contains(text, "again on the shots page") {
		t.fail("a damaged photo: %d %.200s %v", status, text, err)
	}
	if _, status, text, err := s.upload(photo(1)); status != 201 {
		t.fail("opening it again: %d %s %v", status, text, err)
	}
	if status, text, err := s.frame(at); status != 200 {
		t.fail("afterwards: %d %.200s %v", status, text, err)
	} else {
		t.count.Add(1)
	}
}

func damagedDatabase(t *tally, data string) {
	s := must(t, data)
	if s == nil {
		return
	}
	at, _, _, err := s.upload(photo(1))
	version := 1
	for i := 1; i <= 60 && err == nil; i++ {
		version, _, err = s.save(at, version, -1)
	}
	if err != nil {
		t.fail("%v", err)
	}
	s.stop(t)
	// The copy of today was made at the start, before the shot; that of tomorrow's start
	// has it. Starting again makes none, so the old one is taken away first.
	os.RemoveAll(filepath.Join(data, "backups"))
	if s = must(t, data); s == nil {
		return
	}
	for range 200 {
		if list, _ := filepath.Glob(filepath.Join(data, "backups", "pyrant-*")); len(list) > 0 {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	s.stop(t)
	t.tries.Add(1)
	f, err := os.OpenFile(filepath.Join(data, "pyrant.db"), os.O_RDWR, 0)
	if err == nil {
		for page := int64(2); page < 6; page++ {
			f.WriteAt(bytes.Repeat([]byte{0xa5}, 4096), 4096*page)
		}
		f.Close()
	}
	if _, err := serve(data); err == nil || !strings.Contains(err.Error(), "pyrant restore") {
		t.fail("a damaged database: %v", err)
		return
	}
	if out, err := exec.Command(binary, "restore", "--data", data).CombinedOutput(); err != nil {
		t.fail("going back: %v %s", err, out)
		return
	}
	if s = must(t, data); s == nil {
		return
	}
	defer s.stop(t)
	if got, err := s.daylight(at); err != nil || got != -1 {
		t.fail("after going back daylight is %v, %v", got, err)
	} else {
		t.count.Add(1)
	}
}

// fullDisk runs on a small file system of its own, where it may make one.
func fullDisk(t *tally, data string) {
	if err := os.MkdirAll(data, 0o700); err != nil {
		t.fail("%v", err)
		return
	}
	if err := mount(data, 24<<20); err != nil {
		t.note = "not possible here: " + err.Error()
		return
	}
	defer unmount(data)
	s := must(t, data)
	if s == nil {
		return
	}
	at, status, text, err := s.upload(photo(1))
	if status != 201 {
		t.fail("opening a photo: %d %s %v", status, text, err)
	}
	other, _, _, _ := s.upload(photo(2))
	t.tries.Add(1)
	// A file fills what is left; saves go on until there is no room at all.
	fill, err := os.Create(filepath.Join(data, "fill"))
	if err == nil {
		for _, n := range []int{1 << 20, 4096, 512} {
			for err = nil; err == nil; {
				_, err = fill.Write(make([]byte, n))
			}
		}
		// A little is left, for some saves.
		if info, serr := fill.Stat(); serr == nil {
			fill.Truncate(info.Size() - 400<<10)
		}
		fill.Close()
	}
	version, last, full := 1, 0.0, false
	for i := 1; i < 3000 && !full; i++ {
		next, status, err := s.save(at, version, -float64(i%800)/100)
		switch status {
		case 200:
			t.count.Add(1)
			version, last = next, -float64(i%800)/100
		case 507:
			full = true
		default:
			t.fail("a save on a disk that fills: %d %v", status, err)
			full = true
		}
	}
	if !full {
		t.fail("the disk does not fill")
	}
	if got, err := s.daylight(at); err != nil || got != last {
		t.fail("saved was %v, there is %v (%v)", last, got, err)
	}
	if _, status, _, err := s.upload(photo(3)); status != 507 {
		t.fail("opening a photo on a full disk: %d %v", status, err)
	}
	// It can be relieved from inside.
	if status, text, err := s.post(other+"/aside", nil); status >= 400 || err != nil {
		t.fail("putting aside on a full disk: %d %s %v", status, text, err)
	}
	if status, text, err := s.post(other+"/remove", nil); status >= 400 || err != nil {
		t.fail("removing on a full disk: %d %s %v", status, text, err)
	}
	if _, status, err := s.save(at, version, -1); status != 200 {
		t.fail("a save when there is room again: %d %v", status, err)
	}
	s.kill()
	os.Remove(filepath.Join(data, "fill"))
	if s = must(t, data); s == nil {
		return
	}
	if got, err := s.daylight(at); err != nil || got != -1 {
		t.fail("after a start daylight is %v (%v)", got, err)
	}
	s.stop(t)
}
