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
	"slices"
	"strconv"
	"strings"
	"testing"

	"pyrant/demo"
	"pyrant/internal/recipe"
	"pyrant/internal/shot/archive"
)

// set is a picture of made detail; with the lamp on it is darker by day and lit in orange round a
// place.
func set(on bool, dx int) *image.RGBA {
	m := image.NewRGBA(image.Rect(0, 0, 480, 320))
	for y := range 320 {
		for x := range 480 {
			u, v := float64(x+dx), float64(y)
			k := 95 + 40*math.Sin(u/7)*math.Sin(v/9) + 30*math.Sin((u+2*v)/23) +
				25*math.Sin(u*v/900)
			c := [3]float64{k, k, k}
			if on {
				d := math.Hypot(u-240, v-160)
				for q, t := range [3]float64{1, 0.55, 0.15} {
					lin := math.Pow(k/255, 2.2)
					lin = lin*0.15 + lin*t*2/(1+d*d/1600)
					if d < 9 {
						lin = 40 * t // white in any picture
					}
					c[q] = 255 * math.Pow(min(lin, 1), 1/2.2)
				}
			}
			m.SetRGBA(x, y, color.RGBA{uint8(c[0]), uint8(c[1]), uint8(c[2]), 255})
		}
	}
	return m
}

func jpegOf(t *testing.T, m image.Image) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := jpeg.Encode(&b, m, &jpeg.Options{Quality: 95}); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func (a *app) attach(at string, data []byte) (int, string) {
	a.Helper()
	resp, body := a.do(a.request(
		http.MethodPost,
		at+"/reference?name=lamps.jpg&version="+strconv.FormatInt(
			a.stored(at).Version,
			10,
		),
		"application/octet-stream",
		bytes.NewReader(data),
	))
	return resp.StatusCode, body
}

// A reference is attached and laid on the photo, seen beside it, read, matched, kept in archives,
// and taken away.
func TestReference(t *testing.T) {
	if testing.Short() {
		t.Skip("photos are laid on each other four times")
	}
	a := start(t, Options{})
	at := a.opened(set(false, 0))
	if code, body := a.attach(at, []byte("no picture")); code != 422 {
		t.Fatalf("what is no picture: %d %.200s", code, body)
	}
	for query, want := range map[string]int{"?name=x": 422, "": 422} {
		if resp, body := a.do(a.request(http.MethodPost, at+"/reference"+query,
			"application/octet-stream", nil)); resp.StatusCode != want {
			t.Errorf("%s: %d %.200s", query, resp.StatusCode, body)
		}
	}
	if resp, body := a.get(at + "/reference/light?x=9&y=9"); resp.StatusCode != 404 ||
		!strings.Contains(body, "no reference") {
		t.Errorf("light of no reference: %d %.200s", resp.StatusCode, body)
	}
	code, body := a.attach(at, jpegOf(t, set(true, 11)))
	if code != 200 || !strings.Contains(body, "Aligned: ") {
		t.Fatalf("attach: %d %.300s", code, body)
	}
	ref := a.recipe(at).Reference
	if x := ref.X * 480; math.Abs(x+11) > 0.5 || math.Abs(ref.Turn) > 0.05 || ref.Name != "lamps" {
		t.Errorf("the reference lies %+v", ref)
	}
	// Seen beside the photo it lies on it.
	frame := func(of string) *image.RGBA {
		t.Helper()
		resp, body := a.get(at + "/frame?long=480&x=0&y=0&w=480&h=320&as=pixels&of=" + of)
		if resp.StatusCode != 200 {
			t.Fatalf("frame of %s: %d %.200s", of, resp.StatusCode, body)
		}
		return &image.RGBA{Pix: []byte(body), Stride: 4 * 480, Rect: image.Rect(0, 0, 480, 320)}
	}
	want := set(true, 0)
	got := frame("reference")
	for _, p := range []image.Point{{100, 60}, {300, 250}, {240, 120}, {400, 200}} {
		if d := math.Abs(float64(got.RGBAAt(p.X, p.Y).R) - float64(want.RGBAAt(p.X,
			p.Y).R)); d > 14 {
			t.Errorf(
				"at %v the reference is %v, not %v",
				p,
				got.RGBAAt(p.X, p.Y),
				want.RGBAAt(p.X, p.Y),
			)
		}
	}
	var light struct {
		Gel             struct{ Hue float64 }
		Stops, Daylight float64
	}
	// So small a picture has the JPEG's own blur of white all round its lamp.
	if _, body := a.get(at + "/reference/light?x=240&y=160"); json.Unmarshal([]byte(body),
		&light) != nil || math.Abs(light.Gel.Hue-28) > 16 || light.Stops < 2 ||
		math.Abs(light.Daylight+2.7) > 0.4 {
		t.Errorf("the lamp is %+v, %.200s", light, body)
	}
	if resp, body := a.get(at + "/reference/light?x=9999&y=9"); resp.StatusCode != 422 {
		t.Errorf("beyond the photo: %d %.200s", resp.StatusCode, body)
	}
	// A match needs lights; with one it takes the lamp's hue.
	if code, body := a.act(at, "match-reference", url.Values{}); code != 422 ||
		!strings.Contains(body, "Trace the lights") {
		t.Errorf("a match of no light: %d %.200s", code, body)
	}
	if code, body := a.act(at, "add-shape", url.Values{"shape": {`{"kind":"ellipse","x":240,"y":160,"width":18,"height":18}`}}); code != 200 {
		t.Fatalf("add-shape: %d %.200s", code, body)
	}
	before := a.recipe(at)
	if code, body := a.act(at, "match-reference", url.Values{}); code != 200 {
		t.Fatalf("match: %d %.300s", code, body)
	}
	after := a.recipe(at).Lights[0]
	if math.Abs(after.Gel.Hue-28) > 8 || after.Spill.Strength == before.Lights[0].Spill.Strength {
		t.Errorf(
			"matched: gel %+v, strength %v, it was %v",
			after.Gel,
			after.Spill.Strength,
			before.Lights[0].Spill.Strength,
		)
	}
	var says struct{ Explained, Daylight float64 }
	if _, body := a.get(at + "/reference/match"); json.Unmarshal([]byte(body), &says) != nil ||
		says.Explained < 60 || says.Explained > 100 {
		t.Errorf("the match says %.200s", body)
	}
	left := frame("left")
	if c := left.RGBAAt(60, 30); c.R != c.G || c.R < 60 || c.R > 200 {
		t.Errorf("far from the lamp there is %v left over", c)
	}
	if code, _ := a.act(at, "undo", url.Values{}); code != 200 ||
		a.recipe(at).Lights[0].Gel != before.Lights[0].Gel {
		t.Error("a match is not one step of undo")
	}
	// By two pairs of places it lies as they say.
	pairs := func(list string) (int, string) {
		return a.act(at, "pair-reference", url.Values{"points": {list}})
	}
	if code, body := pairs(`[[50,50],[53,50],[430,280],[433,280]]`); code != 200 {
		t.Fatalf("pairs: %d %.200s", code, body)
	}
	if x := a.recipe(at).Reference.X*480 - ref.X*480; math.Abs(x-3) > 0.1 {
		t.Errorf("by pairs it moved by %.2f", x)
	}
	for _, bad := range []string{"", "[[1,2]]x", "[[50,50],[53,50],[51,50],[60,60]]"} {
		if code, _ := pairs(bad); code != 422 {
			t.Errorf("pairs %q: %d", bad, code)
		}
	}
	if code, _ := a.act(at, "align-reference", url.Values{}); code != 200 {
		t.Fatal("align")
	}
	if x := a.recipe(at).Reference.X * 480; math.Abs(x+11) > 0.5 {
		t.Errorf("by itself it lies at %.2f again", x)
	}
	// It travels in the archive, and is part of a duplicate.
	resp, file := a.get(at + "/archive")
	shot, err := archive.Read(t.Context(), []byte(file), 1<<26)
	if err != nil || resp.StatusCode != 200 || len(shot.Pictures) != 1 {
		t.Fatalf("the archive: %v, %d pictures", err, len(shot.Pictures))
	}
	resp, body = a.upload("again.pyrant", []byte(file))
	var told struct{ URL string }
	if err := json.Unmarshal([]byte(body), &told); err != nil || resp.StatusCode != 201 {
		t.Fatalf("opening the archive: %d %.200s", resp.StatusCode, body)
	}
	back := told.URL
	if got := a.recipe(back).Reference; got.Sum != ref.Sum {
		t.Errorf("opened again its reference is %+v", got)
	}
	if resp, _ := a.get(back + "/frame?long=480&x=0&y=0&w=9&h=9&as=pixels&of=reference"); resp.StatusCode != 200 {
		t.Errorf("its reference is not seen: %d", resp.StatusCode)
	}
	// Another set does not match, and is attached as it is, which is said.
	other := image.NewRGBA(image.Rect(0, 0, 300, 300))
	for i := range other.Pix {
		other.Pix[i] = uint8((i * 7919 >> 4) % 256)
	}
	if code, body = a.attach(at, jpegOf(t, other)); code != 200 || !strings.Contains(body,
		"two points") || !strings.Contains(body, "300 × 300") {
		t.Errorf("another set: %d %.400s", code, body)
	}
	if code, body := a.act(at, "align-reference", url.Values{}); code != 422 {
		t.Errorf("another set is laid on the photo: %d %.200s", code, body)
	}
	if code, _ := a.act(at, "remove-reference", url.Values{}); code != 200 ||
		a.recipe(at).Reference.There() {
		t.Error("it is not removed")
	}
	// A recipe that names a picture that is not kept is refused.
	if code, body := a.change(at, fmt.Sprintf(`[{"op":"replace","path":"/reference","value":{"sum":%q,"name":"x","width":9,"height":9}}]`, strings.Repeat("a", 64))); code != 404 {
		t.Errorf("a picture that is not there: %d %.200s", code, body)
	}
}

// The demo's quay has a reference that comes along; other shots have not.
func TestDemoReference(t *testing.T) {
	if testing.Short() {
		t.Skip("whole photos")
	}
	a := start(t, Options{})
	resp, body := a.upload("quay.jpg", demo.Photo)
	var told struct{ URL string }
	if err := json.Unmarshal([]byte(body), &told); err != nil || resp.StatusCode != 201 {
		t.Fatalf("opening the quay: %d %.200s", resp.StatusCode, body)
	}
	if _, body := a.get(told.URL + "/bench?step=photo"); !strings.Contains(body, "ref-demo") {
		t.Error("the bench does not offer it")
	}
	resp, body = a.do(
		a.request(
			http.MethodPost,
			told.URL+"/reference?demo=1&version=1",
			"application/octet-stream",
			nil,
		),
	)
	if resp.StatusCode != 200 || !strings.Contains(body, "Aligned: ") ||
		a.recipe(told.URL).Reference.Width != 1500 {
		t.Errorf("the quay, lit: %d %.300s", resp.StatusCode, body)
	}
	// Lit as the demo has it, a gel that is taken at a light is that of the match, also where
	// others shine before it.
	var lit string
	for _, k := range a.demo() {
		if k.Name == "Tidewatch quay" {
			lit = "/shots/" + k.ID
		}
	}
	if resp, _ = a.do(a.request(http.MethodPost, lit+"/reference?demo=1&version=1", "application/octet-stream", nil)); resp.StatusCode != 200 {
		t.Fatalf("attaching it: %d", resp.StatusCode)
	}
	r := a.recipe(lit)
	rod := slices.IndexFunc(r.Lights, func(l recipe.Light) bool { return l.Name == "Signal rod" })
	hue := func(more string) float64 {
		t.Helper()
		var got struct{ Gel struct{ Hue float64 } }
		if _, body := a.get(lit + "/reference/light?x=1640&y=440" + more); json.Unmarshal(
			[]byte(body),
			&got,
		) != nil {
			t.Fatalf("the rod%s: %.200s", more, body)
		}
		return got.Gel.Hue
	}
	at, rim := hue("&light="+r.Lights[rod].ID), hue("")
	if code, body := a.act(lit, "match-reference", url.Values{}); code != 200 {
		t.Fatalf("match: %d %.200s", code, body)
	}
	want := a.recipe(lit).Lights[rod].Gel.Hue
	t.Logf("the rod's gel is %.1f by the match, %.1f at the rod, %.1f at its rim", want, at, rim)
	if math.Abs(at-want) > 1 || math.Abs(rim-want) < 5 {
		t.Errorf(
			"the rod's gel is %.1f by the match, %.1f at the rod, %.1f at its rim",
			want,
			at,
			rim,
		)
	}
	other := a.opened(set(false, 0))
	if resp, _ := a.do(a.request(http.MethodPost, other+"/reference?demo=1&version=1", "application/octet-stream", nil)); resp.StatusCode != 422 {
		t.Errorf("another photo: %d", resp.StatusCode)
	}
}
