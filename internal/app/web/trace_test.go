package web

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"math"
	"net/http"
	"net/url"
	"strings"
	"testing"
)

// panes is a shot of a dark wall with two pale panes, a ball, a bar, and nothing else.
func (a *app) panes() string {
	a.Helper()
	m := image.NewRGBA(image.Rect(0, 0, 300, 200))
	for y := range 200 {
		for x := range 300 {
			c := color.RGBA{60, 58, 55, 255}
			if x >= 40 && x < 100 && y >= 50 && y < 120 || x >= 160 && x < 200 && y >= 50 &&
				y < 120 || x >= 30 && x < 270 && y >= 160 && y < 170 ||
				(x-230)*(x-230)+(y-90)*(y-90) < 144 {
				c = color.RGBA{200, 205, 210, 255}
			}
			m.Set(x, y, c)
		}
	}
	return a.opened(m)
}

// opened opens a picture as a photo and returns its shot's address.
func (a *app) opened(m image.Image) string {
	a.Helper()
	var b bytes.Buffer
	if err := jpeg.Encode(&b, m, &jpeg.Options{Quality: 95}); err != nil {
		a.Fatal(err)
	}
	resp, body := a.upload("panes.jpg", b.Bytes())
	var told struct{ URL string }
	if err := json.Unmarshal([]byte(body), &told); err != nil ||
		resp.StatusCode != http.StatusCreated {
		a.Fatalf("opening a photo: %d %s", resp.StatusCode, body)
	}
	return told.URL
}

type seen struct {
	Shapes []struct {
		Kind     string
		Away     bool
		Flat     bool
		X, Width float64
		Nodes    []struct{ X, Y float64 }
	}
	Share, Sure float64
	Line        [][2]float64
	Pin         [2]float64
}

func (a *app) look(at, name, body string, code int) (s seen, text string) {
	a.Helper()
	resp, text := a.postJSON(at+"/"+name, body)
	if resp.StatusCode != code {
		a.Fatalf("%s %s: %d, %s", name, body, resp.StatusCode, text)
	}
	if code == 200 {
		if err := json.Unmarshal([]byte(text), &s); err != nil {
			a.Fatal(err)
		}
	}
	return s, text
}

// What hands ask about the edges of a photo.
func TestHandsSeeEdges(t *testing.T) {
	a := start(t, Options{})
	at := a.panes()
	if resp, body := a.postJSON(at+"/ground", `{}`); resp.StatusCode != 204 {
		t.Fatalf("making the photo ready: %d %s", resp.StatusCode, body)
	}
	s, _ := a.look(at, "region", `{"x":70,"y":85}`, 200)
	if len(s.Shapes) != 1 || len(s.Shapes[0].Nodes) != 4 || math.Abs(s.Share-60*70/60000.0) > 0.01 {
		t.Errorf("a pane: %+v", s)
	}
	for _, n := range s.Shapes[0].Nodes {
		if dx, dy := min(math.Abs(n.X-40), math.Abs(n.X-100)), min(math.Abs(n.Y-50),
			math.Abs(n.Y-120)); dx > 0.7 || dy > 0.7 {
			t.Errorf("a corner at %+v", n)
		}
	}
	if s, _ := a.look(at, "region", `{"x":70,"y":85,"quick":true}`, 200); len(s.Shapes) != 1 {
		t.Errorf("while the pointer moves: %+v", s)
	}
	if s, _ := a.look(at, "region", `{"x":70,"y":85,"all":true}`, 200); len(s.Shapes) != 4 {
		t.Errorf("%d are alike", len(s.Shapes))
	}
	// Within an area: the left half.
	a.act(at, "add-area", form("step", "trace", "name", "Left"))
	v := a.stored(at).Version
	a.post(
		at+"/changes",
		url.Values{
			"version": {fmt.Sprint(v)},
			"patch": {
				`[{"op":"add","path":"/areas/0/parts/-","value":{"of":{"kind":"shape","shape":{"kind":"outline","nodes":[{"x":0,"y":0},{"x":130,"y":0},{"x":130,"y":140},{"x":0,"y":140}]}}}}]`,
			},
		},
	)
	if s, _ := a.look(at, "region", `{"x":70,"y":85,"all":true,"within":"`+a.recipe(at).Areas[0].ID+`"}`, 200); len(
		s.Shapes,
	) != 1 {
		t.Errorf("%d are alike in the area", len(s.Shapes))
	}
	// A wire along the upper edge of the left pane.
	s, _ = a.look(at, "cling", `{"x":42,"y":48}`, 200)
	if math.Abs(s.Pin[1]-50) > 1.6 || len(s.Line) != 0 {
		t.Errorf("the first pin: %+v", s)
	}
	if s, _ := a.look(at, "cling", `{"x":50,"y":30,"reach":2}`, 200); s.Pin != [2]float64{50, 30} {
		t.Errorf("a pin far from any edge at a high zoom: %+v", s)
	}
	s, _ = a.look(
		at,
		"cling",
		fmt.Sprintf(`{"x":95,"y":52,"from":[%v,%v]}`, s.Pin[0], s.Pin[1]),
		200,
	)
	if len(s.Line) < 45 || math.Abs(s.Line[len(s.Line)/2][1]-50) > 1.6 {
		t.Errorf("the wire: %v", s.Line)
	}
	s, _ = a.look(
		at,
		"clung",
		`{"pins":[{"x":41,"y":49},{"x":99,"y":51},{"x":101,"y":119},{"x":39,"y":121}]}`,
		200,
	)
	if len(s.Shapes) != 1 || len(s.Shapes[0].Nodes) != 4 {
		t.Errorf("an outline that clings: %+v", s)
	}
	s, _ = a.look(
		at,
		"clung",
		`{"pins":[{"x":5,"y":5,"straight":true},{"x":25,"y":5,"straight":true},{"x":15,"y":30,"straight":true}]}`,
		200,
	)
	if len(s.Shapes[0].Nodes) != 3 {
		t.Errorf("a straight one: %+v", s)
	}
	// A tube takes the width of the bar.
	s, _ = a.look(
		at,
		"gauge",
		`{"shape":{"kind":"tube","width":3,"nodes":[{"x":32,"y":166},{"x":268,"y":166}]}}`,
		200,
	)
	if tube := s.Shapes[0]; math.Abs(tube.Width-10) > 0.6 || math.Abs(tube.Nodes[0].Y-165) > 0.4 ||
		!tube.Flat {
		t.Errorf("a tube: %+v", s)
	}
	if s, _ = a.look(at, "gauge", `{"shape":{"kind":"tube","width":3,"nodes":[{"x":120,"y":20},{"x":150,"y":30}]}}`, 200); s.Shapes[0].Width != 3 {
		t.Errorf("where there is no tube: %+v", s)
	}
	if s, _ = a.look(at, "ball", `{"x":232,"y":90}`, 200); math.Abs(s.Shapes[0].Width-24) > 1 ||
		math.Abs(s.Shapes[0].X-230.5) > 0.4 {
		t.Errorf("a ball: %+v", s)
	}
	if s, _ = a.look(at, "rim", `{"points":[[110,100],[100,110],[90,100],[100,90],[107.07,107.07]]}`, 200); math.Abs(
		s.Shapes[0].Width-20,
	) > 0.1 ||
		math.Abs(s.Shapes[0].X-100) > 0.1 {
		t.Errorf("an ellipse by its rim: %+v", s)
	}
	for _, c := range []struct{ name, body, say string }{
		{"rim", `{"points":[[0,0],[1,1],[2,2],[3,3],[4,4]]}`, "No ellipse fits"},
		{"rim", `{"points":[[0,0]]}`, "5 to 100 points"},
		{"ball", `{"x":150,"y":165}`, "nothing round"},
		{"region", `{"x":-4,"y":10}`, "outside the photo"},
		{"region", `{"x":20,"y":20}`, "No shape stands out"},
		{"region", `{"x":180,"y":85,"within":"` + a.recipe(at).Areas[0].ID + `"}`, "outside the search area"},
		{"cling", `{"x":400,"y":10}`, "outside the photo"},
		{"clung", `{"pins":[{"x":1,"y":1}]}`, "2 to 500 anchors"},
		{"clung", `{"pins":[{"x":1,"y":1},{"x":1,"y":900}]}`, "outside the photo"},
		{"hang", `{"shape":{"kind":"tube","width":3,"nodes":[{"x":1,"y":1},{"x":9,"y":1}]}}`, "Only a string"},
		{"gauge", `{"shape":{"kind":"outline","nodes":[{"x":1,"y":1},{"x":9,"y":1},{"x":9,"y":9}]}}`, "Only a tube"},
	} {
		if _, text := a.look(at, c.name, c.body, 422); !strings.Contains(text, c.say) {
			t.Errorf("%s %s: %s", c.name, c.body, text)
		}
	}
	if _, text := a.look(at, "region", `{"x":70,"y":85,"within":"a9"}`, 404); !strings.Contains(
		text,
		"no longer in this shot",
	) {
		t.Errorf("an area that is gone: %s", text)
	}
}

// Shapes that belong together come to a light in one step, or begin a new one.
func TestBulbsAreHung(t *testing.T) {
	a := start(t, Options{})
	m := image.NewRGBA(image.Rect(0, 0, 900, 200))
	for y := range 200 {
		for x := range 900 {
			m.Set(x, y, color.RGBA{70, 60, 50, 255})
			for k := range 6 {
				if math.Hypot(float64(x-100-140*k), float64(y-90-5*k)) < 11 {
					m.Set(x, y, color.RGBA{190, 200, 205, 255})
				}
			}
		}
	}
	at := a.opened(m)
	hang := func(body string) (got struct {
		Found  int
		Shapes []struct {
			Count int
			Width float64
			Own   []struct {
				X, Y  float64
				Found bool
			}
		}
	}) {
		t.Helper()
		_, text := a.look(at, "hang", body, 200)
		if err := json.Unmarshal([]byte(text), &got); err != nil {
			t.Fatal(err)
		}
		return
	}
	const nodes = `"nodes":[{"x":100,"y":84},{"x":800,"y":112}]`
	got := hang(`{"count":true,"shape":{"kind":"string",` + nodes + `}}`)
	if s := got.Shapes[0]; got.Found != 6 || s.Count != 6 || math.Abs(s.Width-22) > 1 ||
		len(s.Own) != 6 || math.Abs(s.Own[3].X-520.5) > 1 || math.Abs(s.Own[3].Y-105.5) > 1 ||
		!s.Own[3].Found {
		t.Errorf("as many as there are: %+v", got)
	}
	if got = hang(`{"shape":{"kind":"string","count":3,` + nodes + `}}`); got.Shapes[0].Count != 3 ||
		len(got.Shapes[0].Own) != 3 {
		t.Errorf("three: %+v", got)
	}
	if got = hang(`{"count":true,"shape":{"kind":"string","nodes":[{"x":10,"y":180},{"x":890,"y":190}]}}`); got.Found != 0 ||
		got.Shapes[0].Count != 12 ||
		len(got.Shapes[0].Own) != 0 {
		t.Errorf("where nothing hangs: %+v", got)
	}
}

func TestShapesComeTogether(t *testing.T) {
	a := start(t, Options{})
	at := a.panes()
	tri := func(x int, away string) string {
		return fmt.Sprintf(
			`{"kind":"outline"%s,"nodes":[{"x":%d,"y":20},{"x":%d,"y":20},{"x":%d,"y":60}]}`,
			away,
			x,
			x+30,
			x,
		)
	}
	v := a.stored(at).Version
	if code, _ := a.act(at, "add-shapes", form("shapes", "["+tri(20, "")+","+tri(24, `,"away":true`)+"]")); code != 200 {
		t.Fatal(code)
	}
	if r := a.recipe(at); len(r.Lights) != 1 || len(r.Lights[0].Shapes) != 2 ||
		a.stored(at).Version != v+1 {
		t.Errorf("two shapes made %d lights in %d steps", len(r.Lights), a.stored(at).Version-v)
	}
	light := func(i int) string { return a.recipe(at).Lights[i].ID }
	a.act(at, "add-shapes", form("light", light(0), "fresh", "1", "shapes", "["+tri(100, "")+"]"))
	a.act(at, "add-shapes", form("light", light(1), "shapes", "["+tri(140, "")+"]"))
	if r := a.recipe(at); len(r.Lights) != 2 || len(r.Lights[1].Shapes) != 2 {
		t.Errorf("%d lights", len(r.Lights))
	}
	for _, bad := range []string{"", "[]", "{", `[{"kind":"cloud"}]`} {
		if code, _ := a.act(at, "add-shapes", form("light", light(0), "shapes", bad)); code != 422 {
			t.Errorf("%q: %d", bad, code)
		}
	}
}

// Shapes come from a drawing and go into one.
func TestDrawings(t *testing.T) {
	a := start(t, Options{})
	at := a.panes()
	send := func(body string, code int) string {
		r := a.request("POST", at+"/drawing", "image/svg+xml", strings.NewReader(body))
		resp, text := a.do(r)
		if resp.StatusCode != code {
			a.Fatalf("%s: %d, %s", body, resp.StatusCode, text)
		}
		return text
	}
	text := send(`<svg viewBox="0 0 300 200"><path d="M20 20h60v50z"/><text>x</text></svg>`, 200)
	if !strings.Contains(text, `"left":["texts"]`) {
		t.Errorf("%s", text)
	}
	var got struct{ Shapes json.RawMessage }
	json.Unmarshal([]byte(text), &got)
	a.act(at, "add-shapes", form("shapes", string(got.Shapes)))
	resp, text := a.get(at + "/drawing.svg?light=" + a.recipe(at).Lights[0].ID)
	if resp.StatusCode != 200 || !strings.Contains(text, `d="M20 20L80 20L80 70Z"`) ||
		!strings.Contains(resp.Header.Get("Content-Disposition"), "panes") {
		t.Errorf("%d %s", resp.StatusCode, text)
	}
	if resp, _ := a.get(at + "/drawing.svg?light=3"); resp.StatusCode != 404 {
		t.Errorf("a light that is not there: %d", resp.StatusCode)
	}
	if text := send(`<svg><text/></svg>`, 422); !strings.Contains(
		text,
		"no shape to trace",
	) {
		t.Error(text)
	}
	send(strings.Repeat(" ", 8<<20+1), 413)
}
