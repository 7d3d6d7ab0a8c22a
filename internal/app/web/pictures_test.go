package web

import (
	"bytes"
	"image"
	"image/color"
	"net/http"
	"net/url"
	"strconv"
	"testing"

	"pyrant/internal/recipe/pass"
	"pyrant/internal/shot/archive"
)

// A picture is laid over the photo by a pass: one that ships, or a file, which is looked at like a
// photo; it is kept in the archive, and what cannot be is said and changes nothing.
func TestPassPicture(t *testing.T) {
	a := start(t, Options{})
	m := image.NewRGBA(image.Rect(0, 0, 300, 200))
	for i := range m.Pix {
		m.Pix[i] = 90
	}
	at := a.opened(m)
	send := func(query string, data []byte) (int, string) {
		t.Helper()
		resp, body := a.do(a.request(
			http.MethodPost,
			at+"/picture?version="+strconv.FormatInt(
				a.stored(at).Version,
				10,
			)+"&"+query,
			"application/octet-stream",
			bytes.NewReader(data),
		))
		return resp.StatusCode, body
	}
	if code, body := a.change(at, `[{"op":"add","path":"/finish/passes/-","value":{"name":"Sky","does":{"kind":"picture"}}},{"op":"add","path":"/finish/passes/-","value":{"name":"Warm","does":{"kind":"colour"}}}]`); code != 200 {
		t.Fatalf("adding passes: %d %.300s", code, body)
	}
	version := a.stored(at).Version
	sky, warm := a.recipe(at).Finish.Passes[0].ID, a.recipe(at).Finish.Passes[1].ID
	for query, want := range map[string]int{
		"step=finish&shipped=none&pass=" + sky: 422, "step=finish&pass=none&shipped=stars": 404, "step=finish&shipped=stars&pass=" + warm: 422,
		"step=trace&shipped=stars&pass=" + sky: 404, "step=finish&name=x.jpg&pass=" + sky: 422,
	} {
		if code, body := send(query, []byte("no picture")); code != want {
			t.Errorf("%s: %d %.200s", query, code, body)
		}
	}
	if a.stored(at).Version != version {
		t.Error("what was refused changed the shot")
	}
	if code, body := send("step=finish&shipped=stars&pass="+sky, nil); code != 200 {
		t.Fatalf("the shipped sky: %d %.200s", code, body)
	}
	k := a.recipe(at).Finish.Passes[0].Does.(pass.Picture)
	if k.Of != "Clear night" || k.Width != 1800 || k.X != 150 || k.Y != 100 || k.Size != 300 {
		t.Errorf("the sky lies %+v", k)
	}
	frame := func() color.RGBA {
		t.Helper()
		resp, body := a.get(at + "/frame?long=300&x=150&y=20&w=1&h=1&as=pixels")
		if resp.StatusCode != 200 || len(body) != 4 {
			t.Fatalf("frame: %d", resp.StatusCode)
		}
		return color.RGBA{body[0], body[1], body[2], 255}
	}
	if c := frame(); c.B <= c.R || c.R > 60 {
		t.Errorf("under the night sky it is %v", c)
	}
	// Another takes its place as the first lay.
	if code, _ := a.change(at, `[{"op":"replace","path":"/finish/passes/0/does/x","value":120}]`); code != 200 {
		t.Fatal("moving it")
	}
	own := image.NewRGBA(image.Rect(0, 0, 60, 40))
	for i := range own.Pix {
		own.Pix[i] = 200
	}
	if code, body := send("step=finish&pass="+sky+"&name=wall.jpg", jpegOf(t, own)); code != 200 {
		t.Fatalf("a file: %d %.200s", code, body)
	}
	if k := a.recipe(at).Finish.Passes[0].Does.(pass.Picture); k.Of != "wall" || k.X != 120 ||
		k.Width != 60 {
		t.Errorf("the file lies %+v", k)
	}
	if c := frame(); c.R < 190 || c.R > 210 {
		t.Errorf("under it it is %v", c)
	}
	_, file := a.get(at + "/archive")
	shot, err := archive.Read(t.Context(), []byte(file), 1<<26)
	if err != nil || len(shot.Pictures) != 1 {
		t.Fatalf("the archive: %v", err)
	}
	if code, _ := a.act(at, "undo", url.Values{}); code != 200 ||
		a.recipe(at).Finish.Passes[0].Does.(pass.Picture).Of != "Clear night" {
		t.Error("undo does not bring the sky back")
	}
}
