package main

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"html"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
)

// A server is a running Pyrant and a client that knows its token.
type server struct {
	cmd    *exec.Cmd
	url    string
	client *http.Client
	token  string
}

func start(binary, data string) (*server, error) {
	s := &server{cmd: exec.Command(binary, "serve", "--addr", "127.0.0.1:0", "--data", data)}
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
		return nil, fmt.Errorf("it does not start: %w", s.cmd.Wait())
	}
	go io.Copy(io.Discard, out)
	s.url = regexp.MustCompile(`http://[0-9.:]+`).FindString(string(buf[:n]))
	jar, err := cookiejar.New(nil)
	s.client = &http.Client{Jar: jar}
	if err != nil {
		return s, err
	}
	page, err := s.ask("GET", "/", "", nil)
	if err != nil {
		return s, err
	}
	m := regexp.MustCompile(`data-csrf="([^"]+)"`).FindSubmatch(page)
	if m == nil {
		return s, fmt.Errorf("the shots page has no token")
	}
	s.token = string(m[1])
	return s, nil
}

func (s *server) stop() {
	s.cmd.Process.Signal(os.Interrupt)
	s.cmd.Wait()
}

func (s *server) ask(method, path, kind string, body []byte) ([]byte, error) {
	r, err := http.NewRequest(method, s.url+path, bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	r.Header.Set("Content-Type", kind)
	r.Header.Set("X-CSRF-Token", s.token)
	resp, err := s.client.Do(r)
	if err != nil {
		return nil, err
	}
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	if err == nil && resp.StatusCode >= 400 {
		err = fmt.Errorf("%s %s: %d %.200s", method, path, resp.StatusCode, b)
	}
	return b, err
}

// An op is an operation of a JSON Patch.
type op struct {
	Op    string `json:"op"`
	Path  string `json:"path"`
	Value any    `json:"value"`
}

// recipe is what the drags need to know of one.
type recipe struct {
	Lights []struct {
		Shapes []struct {
			Feet []struct{ X, Y float64 }
			X, Y float64
			Kind string
		}
		Shells []struct{ Radius float64 }
		Spill  struct{ Reach float64 }
	}
	Width, Height int
}

// drags returns series of values, as a hand would drag through them, one after the other.
func drags(r *recipe) (list [][]op) {
	drag := func(path string, values ...any) {
		for _, v := range values {
			list = append(list, []op{{"replace", path, v}})
		}
	}
	for i, l := range r.Lights[:min(len(r.Lights), 4)] {
		at := fmt.Sprintf("/lights/%d", i)
		drag(at+"/level", 0.4, 0.5, 0.6)
		drag(at+"/gel/hue", 10, 20)
		drag(at+"/intensity", 1, 3)
		drag(at+"/spill/reach", 0.8*l.Spill.Reach, 0.9*l.Spill.Reach)
		drag(at+"/core/brightness", 1, 2)
		if n := len(l.Shells) - 1; n >= 0 {
			drag(fmt.Sprintf("%s/shells/%d/radius", at, n), 0.8*l.Shells[n].Radius, 0.9*l.Shells[n].Radius)
		}
		if len(l.Shapes) > 0 && len(l.Shapes[0].Feet) > 0 {
			x := l.Shapes[0].Feet[0].X
			drag(at+"/shapes/0/feet/0/x", x-40, x-20, x-10)
		}
		if len(l.Shapes) > 0 && (l.Shapes[0].Kind == "ellipse" || l.Shapes[0].Kind == "box") {
			drag(at+"/shapes/0/x", l.Shapes[0].X+15, l.Shapes[0].X+30)
		}
		drag(at+"/on", false)
	}
	drag("/dusk/daylight", -1, -2, -3)
	drag("/glow/level", 0.5, 0.7)
	drag("/spill/level", 0.5, 0.7)
	return list
}

// served adds the pictures that the server makes.
func served(binary, dir string, file []byte, sums map[string][32]byte) error {
	s, err := start(binary, filepath.Join(dir, "data"))
	if err != nil {
		return err
	}
	defer s.stop()
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	f, err := w.CreateFormFile("photo", "shot.pyrant")
	if err != nil {
		return err
	}
	f.Write(file)
	w.Close()
	answer, err := s.ask("POST", "/shots", w.FormDataContentType(), b.Bytes())
	if err != nil {
		return err
	}
	var opened struct{ URL string }
	if err := json.Unmarshal(answer, &opened); err != nil {
		return err
	}
	page, err := s.ask("GET", opened.URL, "", nil)
	if err != nil {
		return err
	}
	m := regexp.MustCompile(`data-state="([^"]+)"`).FindSubmatch(page)
	if m == nil {
		return fmt.Errorf("the page has no state")
	}
	r := new(recipe)
	if err := json.Unmarshal([]byte(html.UnescapeString(string(m[1]))), r); err != nil {
		return err
	}
	long := max(r.Width, r.Height)
	post := func(what, name string, body map[string]any) error {
		data, err := json.Marshal(body)
		if err != nil {
			return err
		}
		picture, err := s.ask("POST", opened.URL+"/"+what, "application/json", data)
		sums[what+" "+name] = sha256.Sum256(picture)
		return err
	}
	frame := func(name string, long, x, y, w, h int, more map[string]any) error {
		body := map[string]any{"long": long, "x": x, "y": y, "w": w, "h": h, "as": "pixels", "page": "p"}
		for k, v := range more {
			body[k] = v
		}
		return post("frame", name, body)
	}
	// whole asks for all of the picture at a long edge, which is never larger than the photo's.
	whole := func(name string, edge int, more map[string]any) error {
		edge = min(edge, long)
		return frame(name, edge, 0, 0, edge*r.Width/long, edge*r.Height/long, more)
	}
	for i, patch := range drags(r) {
		for _, quick := range []bool{true, false} {
			name := fmt.Sprintf("%d of %s to %v, draft %t", i, patch[0].Path, patch[0].Value, quick)
			if err := whole(name, 900, map[string]any{"patch": patch, "quick": quick}); err != nil {
				return err
			}
		}
	}
	if err := whole("small", 400, nil); err != nil {
		return err
	}
	if err := whole("plain", 900, map[string]any{"plain": true}); err != nil {
		return err
	}
	w1, h1 := min(600, r.Width), min(400, r.Height)
	return frame("1:1", long, (r.Width-w1)/2, (r.Height-h1)/2, w1, h1, nil)
}
