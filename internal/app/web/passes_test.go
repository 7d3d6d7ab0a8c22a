package web

import (
	"encoding/json"
	"fmt"
	"math"
	"net/url"
	"strconv"
	"strings"
	"testing"

	"pyrant/internal/recipe"
)

// act posts an action on a shot in a state of the bench.
func (a *app) act(at, name string, form url.Values) (int, string) {
	form.Set("version", strconv.FormatInt(a.stored(at).Version, 10))
	resp, body := a.post(at+"/actions/"+name, form)
	return resp.StatusCode, body
}

func (a *app) recipe(at string) *recipe.Recipe {
	a.Helper()
	r, err := a.server.head(a.Context(), a.stored(at))
	if err != nil {
		a.Fatal(err)
	}
	return r
}

func form(pairs ...string) url.Values {
	v := url.Values{}
	for i := 0; i < len(pairs); i += 2 {
		v.Set(pairs[i], pairs[i+1])
	}
	return v
}

// Starts, areas and passes by actions: what is made is open on the bench, and has a title.
func TestPassesAndAreasOnTheBench(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	code, body := a.act(at, "begin", form("step", "finish", "start", "calm"))
	if code != 200 || !strings.Contains(body, `title="Undo: Calm an area"`) ||
		!strings.Contains(body, `value="Calm area"`) {
		t.Fatalf("a start: %d, %.300s", code, body)
	}
	r := a.recipe(at)
	if len(r.Finish.Passes) != 2 || len(r.Areas) != 1 {
		t.Fatalf("it made %d passes and %d areas", len(r.Finish.Passes), len(r.Areas))
	}
	code, body = a.act(
		at,
		"add-area",
		form("step", "dusk", "path", "/dusk/back/area", "name", "Restored daylight"),
	)
	if r := a.recipe(at); code != 200 || string(r.Dusk.Back.Area) != r.Areas[1].ID ||
		!strings.Contains(body, "The area is empty") {
		t.Errorf("a new area: %d, %q", code, r.Dusk.Back.Area)
	}
	if code, body = a.act(at, "remove-area", form("step", "dusk", "remove", a.recipe(at).Areas[1].ID)); code != 422 ||
		!strings.Contains(body, "is used by restored daylight") {
		t.Errorf("removing an area in use: %d, %s", code, body)
	}
	code, body = a.act(at, "duplicate-pass", form("step", "finish", "pass", r.Finish.Passes[1].ID))
	if r := a.recipe(at); code != 200 || len(r.Finish.Passes) != 3 ||
		!strings.Contains(body, `id="pass-`+r.Finish.Passes[2].ID) ||
		!strings.Contains(body, "Soften colours copy") {
		t.Errorf("duplicating: %d", code)
	}
	before := a.stored(at).Version
	for _, c := range []struct {
		name, say string
		form      url.Values
		code      int
	}{
		{"begin", "no such preset", form("step", "dusk", "start", "sunrise"), 422},
		{"duplicate-pass", "was deleted", form("step", "finish", "pass", "3"), 404},
		{"duplicate-pass", "was deleted", form("step", "trace", "pass", r.Finish.Passes[0].ID), 404},
		{"remove-area", "no longer in this shot", form("remove", "a9"), 404},
		{"add-area", "does not fit this shot", form("path", "/dusk/back/colour"), 422},
	} {
		if code, body := a.act(at, c.name, c.form); code != c.code || !strings.Contains(body,
			c.say) {
			t.Errorf("%s %v: %d, %.200s", c.name, c.form, code, body)
		}
	}
	// The bench shows what is asked for, and nothing where that is not there.
	r = a.recipe(at)
	first, third := r.Finish.Passes[0].ID, r.Finish.Passes[2].ID
	a1, a2, part := r.Areas[0].ID, r.Areas[1].ID, r.Areas[0].Parts[0].ID
	for q, has := range map[string]string{
		"step=finish&pass=" + first:                                    `data-path="/finish/passes/id:` + first + `/does/exposure"`,
		"step=finish&pass=none":                                        `id="pass-` + first,
		"step=finish&area=" + a1 + "&part=" + part:                     `data-path="/areas/id:` + a1 + `/parts/id:` + part + `/of/inner"`,
		"step=finish&area=a7":                                          `data-start`,
		"step=dusk&area=" + a2:                                         "+ Part…",
		"step=finish&pass=" + third + "&area=nothing&part=x&stroke=-4": `id="pass-` + third,
	} {
		if resp, body := a.get(at + "/bench?" + q); resp.StatusCode != 200 ||
			!strings.Contains(body, has) {
			t.Errorf("%s: %d, without %s", q, resp.StatusCode, has)
		}
	}
	if v := a.stored(at).Version; v != before {
		t.Errorf("what was refused made version %d of %d", v, before)
	}
	for _, patch := range []string{
		`[{"op":"replace","path":"/finish/passes/0/area","value":"a9"}]`, `[{"op":"add","path":"/areas/0/parts/-","value":{"of":{"kind":"area","area":"` + a1 + `"}}}]`,
		`[{"op":"replace","path":"/finish/passes/0/strength","value":1.2}]`, `[{"op":"add","path":"/finish/passes/-","value":{"name":"X","does":{"kind":"levels","black":0.9,"white":0.3}}}]`,
		`[{"op":"add","path":"/areas/0/parts/-","value":{"of":{"kind":"strokes","strokes":[{"diameter":99999,"points":[{"x":1,"y":1}]}]}}}]`, `[{"op":"remove","path":"/areas/0"}]`,
	} {
		if resp, body := a.post(at+"/changes", change(before, patch)); resp.StatusCode != 422 ||
			!strings.Contains(body, "error") {
			t.Errorf("%s: %d, %.200s", patch, resp.StatusCode, body)
		}
	}
}

// What the page reads beside frames, and how it is refused.
func TestReadings(t *testing.T) {
	a := start(t, Options{})
	at := a.shot()
	if code, _ := a.act(at, "begin", form("step", "dusk", "start", "blue-hour")); code != 200 {
		t.Fatal(code)
	}
	if code, _ := a.act(at, "begin", form("step", "finish", "start", "calm")); code != 200 {
		t.Fatal(code)
	}
	r := a.recipe(at)
	var tones struct {
		Plain, Lit, Before struct{ Luma []float64 }
		Light              string
	}
	resp, body := a.postJSON(
		at+"/tones",
		`{"patch":[],"step":"dusk","pass":"`+r.Dusk.Passes[1].ID+`"}`,
	)
	if err := json.Unmarshal([]byte(body), &tones); err != nil || resp.StatusCode != 200 ||
		len(tones.Plain.Luma) != 128 || len(tones.Before.Luma) != 128 || tones.Light != "" {
		t.Fatalf("tones: %d, %v, %.200s", resp.StatusCode, err, body)
	}
	middle := func(bins []float64) (m float64) {
		sum := 0.0
		for i, v := range bins {
			m, sum = m+float64(i)*v, sum+v
		}
		return m / sum
	}
	if p, b, l := middle(tones.Plain.Luma), middle(tones.Before.Luma),
		middle(tones.Lit.Luma); !(l < p*0.8 && b < p*0.8) {
		t.Errorf(
			"the middle of the plain histogram is %.0f, before the second pass %.0f, lit %.0f",
			p,
			b,
			l,
		)
	}
	var curve map[string][]float64
	_, body = a.postJSON(
		at+"/curve",
		`{"path":"/dusk/passes/2/does","patch":[{"op":"replace","path":"/dusk/passes/2/does/blue/1/y","value":0.4}]}`,
	)
	if err := json.Unmarshal([]byte(body), &curve); err != nil || len(curve["blue"]) != 65 ||
		math.Abs(curve["red"][32]-0.5) > 1e-9 {
		t.Fatalf("curve: %v, %.200s", err, body)
	}
	if got := curve["blue"][13]; math.Abs(got-0.4) > 0.02 {
		t.Errorf("at 20 per cent the curve in the hand is at %v", got)
	}
	w, h := r.Photo.Width, r.Photo.Height
	_, body = a.postJSON(
		at+"/coverage",
		fmt.Sprintf(
			`{"area":"`+r.Areas[0].ID+`","long":%d,"x":0,"y":0,"w":%d,"h":%d}`,
			max(w, h),
			w,
			h,
		),
	)
	if len(body) != w*h || body[(h/2)*w+w/2] != 255 || body[0] != 0 {
		t.Errorf("coverage: %d bytes of %d, %d in the middle", len(body), w*h, body[(h/2)*w+w/2])
	}
	var fit struct{ Nodes []struct{ X, Y float64 } }
	_, body = a.postJSON(
		at+"/fit",
		`{"points":[[0,0],[10,0],[20,0],[20,10],[20,20],[10,20],[0,20],[0,10]],"tolerance":1,"closed":true}`,
	)
	if err := json.Unmarshal([]byte(body), &fit); err != nil || len(fit.Nodes) < 3 ||
		len(fit.Nodes) > 8 {
		t.Errorf("fit: %v, %s", err, body)
	}
	if resp, body := a.get(at + "/hue?x=5&y=5"); resp.StatusCode != 200 ||
		!strings.Contains(body, `"chroma"`) {
		t.Errorf("hue: %s", body)
	}
	for _, c := range []struct{ path, body, say string }{
		{"tones", `{"patch":[{"op":"replace","path":"/dusk/edge","value":-1}]}`, "out of range"}, {"tones", `{`, ""},
		{"curve", `{"path":"/dusk/passes/0"}`, "no such curve"}, {"curve", `{"path":"/nothing"}`, "no such curve"},
		{"coverage", `{"area":"` + r.Areas[0].ID + `","long":100,"x":0,"y":0,"w":-1,"h":10}`, "no valid size"}, {"coverage", `{"area":"` + r.Areas[0].ID + `","long":100,"x":90,"y":0,"w":100,"h":10}`, "outside the picture"},
		{"fit", `{"points":[[0,0]],"tolerance":1}`, "2 to 20000"}, {"fit", `{"points":[[0,0],[1,1]],"tolerance":0}`, "2 to 20000"}, {"fit", `{"points":[[0,0],[1e12,1]],"tolerance":1}`, "too far outside"},
	} {
		if resp, body := a.postJSON(at+"/"+c.path, c.body); resp.StatusCode < 400 ||
			resp.StatusCode >= 500 || !strings.Contains(body, c.say) {
			t.Errorf("%s %s: %d, %s", c.path, c.body, resp.StatusCode, body)
		}
	}
	// An area that was deleted while it was looked at is no error.
	if resp, body := a.postJSON(at+"/coverage", `{"area":"a9","long":100,"x":0,"y":0,"w":10,"h":10}`); resp.StatusCode != 204 ||
		body != "" {
		t.Errorf("coverage of an area that is gone: %d, %s", resp.StatusCode, body)
	}
	for _, q := range []string{"", "?x=-1&y=3", "?x=NaN&y=3", fmt.Sprintf("?x=%d&y=0", w)} {
		if resp, body := a.get(at + "/hue" + q); resp.StatusCode != 422 ||
			!strings.Contains(body, "outside the photo") {
			t.Errorf("hue%s: %d, %.200s", q, resp.StatusCode, body)
		}
	}
}
