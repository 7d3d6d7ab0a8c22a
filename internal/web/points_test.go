package web

import (
	"encoding/json"
	"image"
	"image/color"
	"net/url"
	"strings"
	"testing"

	"pyrant/internal/shape"
)

// What is found in a photo is told with its place, size and colour; what cannot be made of it is said, and a room is found
// by lines or refused with a way on.
func TestPointsAndLines(t *testing.T) {
	a := start(t, Options{})
	m := image.NewRGBA(image.Rect(0, 0, 400, 300))
	for y := range 300 {
		for x := range 400 {
			c := color.RGBA{18, 20, 30, 255}
			switch d := (x-120)*(x-120) + (y-90)*(y-90); {
			case d <= 36:
				c = color.RGBA{255, 255, 255, 255}
			case d <= 110:
				c = color.RGBA{140, 80, 20, 255}
			}
			m.SetRGBA(x, y, c)
		}
	}
	at := a.opened(m)
	resp, body := a.get(at + "/points?kind=lit")
	var told struct {
		Points []struct {
			X, Y, Radius, Sure float64
			Hex                string
		}
		More      int
		Threshold float64
	}
	if err := json.Unmarshal([]byte(body), &told); err != nil || resp.StatusCode != 200 || len(told.Points) == 0 {
		t.Fatalf("points: %d %.300s", resp.StatusCode, body)
	}
	p := told.Points[0]
	if p.X < 119 || p.X > 122 || p.Y < 89 || p.Y > 92 || p.Radius < 4.5 || p.Radius > 8 || p.Sure < told.Threshold {
		t.Errorf("the lamp is %+v", p)
	}
	if r, b := p.Hex[1:3], p.Hex[5:7]; r <= b {
		t.Errorf("an orange lamp is %s", p.Hex)
	}
	if resp, body := a.get(at + "/points?kind=blue"); resp.StatusCode != 422 || !strings.Contains(body, "lit and dead") {
		t.Errorf("of another kind: %d %.200s", resp.StatusCode, body)
	}
	if resp, _ := a.get("/shots/none/points?kind=lit"); resp.StatusCode != 404 {
		t.Errorf("of no shot: %d", resp.StatusCode)
	}
	before := len(a.recipe(at).Lights)
	for _, bad := range []string{"", "[]", "{", `[{"x":1e9,"y":0,"radius":3}]`} {
		if code, body := a.act(at, "add-points", url.Values{"points": {bad}}); code != 422 {
			t.Errorf("add-points of %q: %d %.200s", bad, code, body)
		}
	}
	if n := len(a.recipe(at).Lights); n != before {
		t.Fatalf("what was refused left %d lights", n)
	}
	if code, body := a.act(at, "add-points", url.Values{"points": {`[{"x":120.5,"y":90.5,"radius":6}]`}}); code != 200 {
		t.Fatalf("add-points: %d %.200s", code, body)
	}
	l := a.recipe(at).Lights[before]
	if s := l.Shapes.Spots(); len(s) != 1 || s[0] != (shape.Spot{At: shape.Point{X: 120.5, Y: 90.5}, Radius: 6}) || !l.Rays.On {
		t.Errorf("the light has %v, rays %v", s, l.Rays.On)
	}
	if code, body := a.act(at, "find-room", url.Values{}); code != 422 || !strings.Contains(body, "too few straight lines") {
		t.Errorf("a room of no lines: %d %.200s", code, body)
	}
	if a.recipe(at).Room.On {
		t.Error("what was refused made a room")
	}
}
