package web

import (
	"encoding/json"
	"image"
	"image/color"
	"image/png"
	"math"
	"net/url"
	"strconv"
	"strings"
	"testing"

	"pyrant/internal/recipe/shape"
)

// What is found in a photo is told with its place, size and colour; what cannot be made of it is
// said, and a room is found by lines or refused with a way on.
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
	if err := json.Unmarshal([]byte(body), &told); err != nil || resp.StatusCode != 200 ||
		len(told.Points) == 0 {
		t.Fatalf("points: %d %.300s", resp.StatusCode, body)
	}
	p := told.Points[0]
	if p.X < 119 || p.X > 122 || p.Y < 89 || p.Y > 92 || p.Radius < 4.5 || p.Radius > 8 ||
		p.Sure < told.Threshold {
		t.Errorf("the lamp is %+v", p)
	}
	if r, b := p.Hex[1:3], p.Hex[5:7]; r <= b {
		t.Errorf("an orange lamp is %s", p.Hex)
	}
	// Small pictures come in the same order: in the middle of the first it is white.
	resp, body = a.get(at + "/points.png?kind=lit")
	if pic, err := png.Decode(strings.NewReader(body)); err != nil || resp.StatusCode != 200 ||
		pic.Bounds().Dx() != tiles*tile {
		t.Errorf("small pictures: %d, %v", resp.StatusCode, err)
	} else if r, _, _, _ := pic.At(tile/2, tile/2).RGBA(); r>>8 < 250 {
		t.Errorf("in the middle of the first it is %v", pic.At(tile/2, tile/2))
	}
	if resp, body := a.get(at + "/points?kind=blue"); resp.StatusCode != 422 ||
		!strings.Contains(body, "lit or dead") {
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
	// A ray is ended by a click, and whole again; where none is, that is said.
	end := func(x, restore string) (int, string) {
		return a.act(at, "cut-ray", url.Values{"light": {l.ID}, "x": {x},
			"y": {"90.5"}, "within": {"5"}, "restore": {restore}})
	}
	a.change(
		at,
		`[{"op":"replace","path":"/lights/`+strconv.Itoa(
			before,
		)+`/rays/turn","value":0},{"op":"replace","path":"/lights/`+strconv.Itoa(
			before,
		)+`/rays/lengths","value":0}]`,
	)
	x := strconv.FormatFloat(120.5+l.Rays.Length/2, 'f', 1, 64)
	if code, body := end(x, ""); code != 200 {
		t.Fatalf("cut-ray: %d %.200s", code, body)
	}
	if c := a.recipe(at).Lights[before].Rays.Cuts; len(c) != 1 || c[0].Ray != 0 ||
		math.Abs(c[0].At-0.5) > 0.02 {
		t.Errorf("cuts %v", c)
	}
	if code, body := end("300", ""); code != 422 ||
		!strings.Contains(body, "No ray of this light") {
		t.Errorf("beside all rays: %d %.200s", code, body)
	}
	if code, _ := end(x, "1"); code != 200 || len(a.recipe(at).Lights[before].Rays.Cuts) != 0 {
		t.Errorf("restored: %d %v", code, a.recipe(at).Lights[before].Rays.Cuts)
	}
	// An area leaves out what is found in it.
	a.change(
		at,
		`[{"op":"add","path":"/areas/-","value":{"id":"sign","name":"Sign","parts":[{"on":true,"does":"add","amount":1,"feather":0,"of":{"kind":"shape","shape":{"kind":"ellipse","x":120,"y":90,"width":60,"height":60}}}]}}]`,
	)
	var off struct {
		Points []struct{ X float64 }
		Off    int
	}
	if _, body := a.get(at + "/points?kind=lit&off=sign"); json.Unmarshal([]byte(body),
		&off) != nil || off.Off < 1 || len(off.Points) != len(told.Points)-off.Off {
		t.Errorf("kept off the lamp: %.200s", body)
	}
	// What is not in the frame is not found.
	a.change(
		at,
		`[{"op":"replace","path":"/crop","value":{"x":300,"y":200,"width":100,"height":100}}]`,
	)
	if _, body := a.get(at + "/points?kind=lit"); json.Unmarshal([]byte(body), &off) != nil ||
		len(off.Points) != 0 {
		t.Errorf("beside the frame: %.200s", body)
	}
	if resp, body := a.get(at + "/points?kind=lit&off=gone"); resp.StatusCode != 404 {
		t.Errorf("kept off what is not there: %d %.200s", resp.StatusCode, body)
	}
	if s := l.Shapes.Spots(); len(s) != 1 || s[0] != (shape.Spot{At: shape.Point{X: 120.5, Y: 90.5},
		Radius: 6}) || !l.Rays.On {
		t.Errorf("the light has %v, rays %v", s, l.Rays.On)
	}
	if code, body := a.act(at, "find-room", url.Values{}); code != 422 ||
		!strings.Contains(body, "too few straight lines") {
		t.Errorf("a room of no lines: %d %.200s", code, body)
	}
	if a.recipe(at).Room.On {
		t.Error("what was refused made a room")
	}
}
