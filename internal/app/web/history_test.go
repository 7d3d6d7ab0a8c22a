package web

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// The history is listed in parts with what was done; small pictures are those of their revisions
// and are kept; what is not there is said.
func TestHistory(t *testing.T) {
	a := start(t, Options{})
	m := image.NewRGBA(image.Rect(0, 0, 320, 200))
	for i := range m.Pix {
		m.Pix[i] = 180
	}
	m.SetRGBA(0, 0, color.RGBA{1, 2, 3, 255})
	at := a.opened(m)
	for i := range 90 {
		if code, body := a.change(at, fmt.Sprintf(`[{"op":"replace","path":"/dusk/daylight","value":%g}]`, -0.05*float64(i+1))); code != 200 {
			t.Fatalf("change %d: %d %.200s", i, code, body)
		}
	}
	_, body := a.get(at + "/bench?step=history")
	if n := strings.Count(body, "data-go-past="); n != pastPart {
		t.Errorf("%d revisions are listed at first", n)
	}
	if !strings.Contains(body, `data-go-past="91"`) ||
		!strings.Contains(body, fmt.Sprintf("history?before=%d", 92-pastPart)) {
		t.Errorf("the list: %.600s", body)
	}
	if _, body = a.get(at + "/history?before=12"); strings.Count(body, "data-go-past=") != 11 ||
		strings.Contains(body, "before=") {
		t.Errorf("the last part: %.300s", body)
	}
	light := func(of string) float64 {
		t.Helper()
		resp, body := a.get(at + "/small.jpg?of=" + url.QueryEscape(of))
		pic, err := jpeg.Decode(strings.NewReader(body))
		if err != nil || resp.StatusCode != 200 || pic.Bounds().Dx() != smallEdge {
			t.Fatalf("small picture of %s: %d, %v", of, resp.StatusCode, err)
		}
		y, _, _, _ := pic.At(80, 50).RGBA()
		return float64(y >> 8)
	}
	if bright, dark := light("1"), light("91"); bright < 170 || dark > 60 {
		t.Errorf("of the first revision it is %v, of the last %v", bright, dark)
	}
	// They are kept: as files that are read again.
	files, err := filepath.Glob(filepath.Join(a.server.opt.Data, "small", "*.jpg"))
	if err != nil || len(files) < 2 {
		t.Fatalf("kept are %v, %v", files, err)
	}
	var red bytes.Buffer
	if err := jpeg.Encode(&red, image.NewRGBA(image.Rect(0, 0, smallEdge, 9)), nil); err != nil {
		t.Fatal(err)
	}
	for _, f := range files {
		if err := os.WriteFile(f, red.Bytes(), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if v := light("1"); v != 0 {
		t.Errorf("a picture that is kept is made anew: %v", v)
	}
	// The newest is made while nothing else goes on.
	if code, _ := a.change(at, `[{"op":"replace","path":"/dusk/daylight","value":1}]`); code != 200 {
		t.Fatal("change")
	}
	for i := 0; ; i++ {
		now, _ := filepath.Glob(filepath.Join(a.server.opt.Data, "small", "*.jpg"))
		if len(now) > len(files) {
			break
		}
		if i > 200 {
			t.Fatal("no small picture is made in the background")
		}
		time.Sleep(50 * time.Millisecond)
	}
	for path, want := range map[string]int{"/history?before=x": 422, "/history": 422, "/small.jpg?of=999": 404, "/small.jpg?of=x": 422, "/small.jpg?of=mark+none": 404, "/frame?long=320&x=0&y=0&w=9&h=9&as=png&of=999": 404} {
		if resp, body := a.get(at + path); resp.StatusCode != want {
			t.Errorf("%s: %d %.200s", path, resp.StatusCode, body)
		}
	}
	for _, k := range []struct {
		name string
		form url.Values
		want int
	}{
		{"go", url.Values{"seq": {"9999"}}, 409}, {"go", url.Values{}, 422},
		{"mark", url.Values{"seq": {"9999"}}, 404}, {"mark", url.Values{"name": {strings.Repeat("x", 99)}}, 422},
		{"go-mark", url.Values{"mark": {"none"}}, 404}, {"rename-mark", url.Values{"mark": {"none"},
			"name": {"x"}}, 404}, {"remove-mark", url.Values{"mark": {"none"}}, 404},
	} {
		if code, body := a.act(at, k.name, k.form); code != k.want {
			t.Errorf("%s %v: %d %.300s", k.name, k.form, code, body)
		}
	}
}

// BenchmarkHistory opens the history of a shot with 20 revisions and with 500.
func BenchmarkHistory(b *testing.B) {
	for _, n := range []int{20, 500} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			a := start(b, Options{})
			m := image.NewRGBA(image.Rect(0, 0, 64, 48))
			at := a.opened(m)
			for i := range n - 1 {
				if code, _ := a.change(at, fmt.Sprintf(`[{"op":"replace","path":"/dusk/daylight","value":%g}]`, -0.005*float64(i+1))); code != 200 {
					b.Fatal(code)
				}
			}
			for b.Loop() {
				if resp, _ := a.get(at + "/bench?step=history"); resp.StatusCode != 200 {
					b.Fatal(resp.StatusCode)
				}
			}
		})
	}
}
