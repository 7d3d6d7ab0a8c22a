package web

import (
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"net/http"
	"net/url"
	"os"
	"strings"
	"testing"

	"pyrant/internal/base/graph"
	"pyrant/internal/edit"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/shape"
)

// thing is a shot of a pale square before a dark, striped wall.
func (a *app) thing() string {
	a.Helper()
	m := image.NewRGBA(image.Rect(0, 0, 300, 200))
	for y := range 200 {
		for x := range 300 {
			v := uint8(50 + 20*(x/15%2))
			if x >= 100 && x < 180 && y >= 60 && y < 140 {
				v = 190
			}
			m.Set(x, y, color.RGBA{v, v, v, 255})
		}
	}
	return a.opened(m)
}

const (
	strokeIn  = `{"says":"in","diameter":6,"points":[{"x":120,"y":80},{"x":160,"y":120}]}`
	strokeOut = `{"says":"out","diameter":6,"points":[{"x":70,"y":30},{"x":210,"y":30},{"x":210,"y":170},{"x":70,"y":170},{"x":70,"y":30}]}`
)

// covered returns how much of a place the first cut-out of a shot covers.
func (a *app) covered(at string, x, y float64) float64 {
	a.Helper()
	c := a.recipe(at).CutOuts[0]
	m, err := c.Raster.Mask()
	if err != nil {
		a.Fatal(err)
	}
	return c.On(m, cutout.Alpha).Covered(x, y)
}

func (a *app) change(at, patch string) (int, string) {
	resp, body := a.post(at+"/changes", change(a.stored(at).Version, patch))
	return resp.StatusCode, body
}

// refine asks for fine edges, and waits until they are there.
func (a *app) refine(at string) {
	a.Helper()
	if resp, body := a.postJSON(at+"/refine", `{}`); resp.StatusCode != 202 {
		a.Fatalf("refining: %d %s", resp.StatusCode, body)
	}
	// The same work at the same time gives the same.
	if err := a.server.refineAll(a.Context(), a.stored(at).ID); err != nil {
		a.Fatal(err)
	}
}

// A thing is cut out stroke by stroke, comes rough and is then refined within the same revision;
// what is scribbled next takes it up again, and undo goes stroke by stroke.
func TestScribbling(t *testing.T) {
	a := start(t, Options{})
	at := a.thing()
	if resp, _ := a.postJSON(at+"/scribble", `{}`); resp.StatusCode != http.StatusNoContent {
		t.Errorf("making ready: %d", resp.StatusCode)
	}
	code, body := a.act(at, "add-cutout", form("step", "trace", "scribble", strokeIn))
	if code != 200 || !strings.Contains(body, "No stroke marks the outside") ||
		!strings.Contains(body, `value="Cut-out"`) {
		t.Fatalf("the first stroke: %d", code)
	}
	// What is not cut out yet can be read again as well.
	if _, err := edit.Decode(a.recipe(at).Encode()); err != nil {
		t.Errorf("after the first stroke: %v", err)
	}
	if c := a.recipe(at).CutOuts[0]; !c.Empty() || len(c.Strokes) != 1 {
		t.Errorf("of one stroke is cut out %v", c)
	}
	if code, _ := a.change(at, `[{"op":"add","path":"/cutouts/0/strokes/-","value":`+strokeOut+`}]`); code != 200 {
		t.Fatalf("the second stroke: %d", code)
	}
	shot := a.stored(at)
	if r := a.recipe(at).CutOuts[0].Raster; !r.Rough || a.covered(at, 140, 100) != 1 ||
		a.covered(at, 85, 100) != 0 {
		t.Errorf(
			"after both strokes: rough %v, %g inside, %g outside",
			r.Rough,
			a.covered(at, 140, 100),
			a.covered(at, 85, 100),
		)
	}
	a.refine(at)
	next := a.stored(at)
	if next.HeadSeq != shot.HeadSeq || next.Version <= shot.Version ||
		a.recipe(at).CutOuts[0].Raster.Rough {
		t.Errorf("refined: revision %d of %d, version %d", next.HeadSeq, shot.HeadSeq, next.Version)
	}
	for _, p := range [][3]float64{{102, 100, 1}, {98, 100, 0}, {140, 62, 1}, {140, 57.5, 0},
		{178, 138, 1}, {183, 100, 0}} {
		if v := a.covered(at, p[0], p[1]); v < p[2]-0.2 || v > p[2]+0.2 {
			t.Errorf("refined, %g, %g is covered by %g", p[0], p[1], v)
		}
	}
	if a.refine(at); a.stored(at).Version != next.Version {
		t.Error("refined twice it changed again")
	}
	// A mend is exact at once.
	code, _ = a.change(
		at,
		`[{"op":"add","path":"/cutouts/0/mends/-","value":{"to":0,"diameter":20,"softness":0,"points":[{"x":140,"y":100}]}}]`,
	)
	if code != 200 || a.recipe(at).CutOuts[0].Raster.Rough || a.covered(at, 140, 100) != 0 ||
		a.covered(at, 140, 115) != 1 {
		t.Errorf("mended: %d, %g in the hole", code, a.covered(at, 140, 100))
	}
	// Its strokes taken away one by one, it is what is left of them.
	if code, _ = a.change(at, `[{"op":"remove","path":"/cutouts/0/mends/0"}]`); code != 200 ||
		!a.recipe(at).CutOuts[0].Raster.Rough {
		t.Errorf("without the mend: %d", code)
	}
	a.refine(at)
	if v := a.covered(at, 140, 100); v != 1 {
		t.Errorf("without the mend the hole is covered by %g", v)
	}
	if code, _ = a.change(at, `[{"op":"remove","path":"/cutouts/0/strokes/1"}]`); code != 200 ||
		!a.recipe(at).CutOuts[0].Empty() {
		t.Errorf("without the outside: %d", code)
	}
	for range 2 {
		if code, _ := a.act(at, "undo", form("step", "trace")); code != 200 {
			t.Fatal("undo")
		}
	}
	if a.covered(at, 140, 100) != 0 {
		t.Error("undone, the mend is not there")
	}
}

// Strokes, refinement, undo and redo in this order once lost the file of a revision when the
// collector ran, and the shot could not be opened any more.
func TestRefinedAfterUndoStaysReadable(t *testing.T) {
	a := start(t, Options{})
	at := a.thing()
	other := a.thing()
	refine := func() { a.refine(at) }
	undo := func() (int, string) { return a.act(at, "undo", form("step", "trace")) }
	a.act(at, "add-cutout", form("step", "trace", "scribble", strokeIn))
	a.change(at, `[{"op":"add","path":"/cutouts/0/strokes/-","value":`+strokeOut+`}]`)
	a.change(at, `[{"op":"replace","path":"/dusk/daylight","value":-2}]`)
	refine()
	undo()
	refine()
	a.change(
		at,
		`[{"op":"add","path":"/cutouts/0/strokes/-","value":{"says":"in","diameter":6,"points":[{"x":110,"y":70}]}}]`,
	)
	for _, act := range []string{"aside", "remove"} {
		if resp, body := a.post(other+"/"+act, url.Values{}); resp.StatusCode >= 400 {
			t.Fatalf("%s: %d %s", act, resp.StatusCode, body)
		}
	}
	if code, body := undo(); code != 200 || a.stored(at).HeadSeq != 3 {
		t.Fatalf("undo: %d, revision %d, %s", code, a.stored(at).HeadSeq, body)
	}
	for _, path := range []string{"", "/preview.jpg", "/archive"} {
		if resp, _ := a.get(at + path); resp.StatusCode != 200 {
			t.Errorf("%s answers %d", path, resp.StatusCode)
		}
	}
	// A shot that lost the file all the same opens at another state and says so.
	key := a.recipe(at).CutOuts[0].Raster.Tiles.Key()
	if err := os.Remove(a.server.store.FilePath(key)); err != nil {
		t.Fatal(err)
	}
	a.server.engine.Cache = graph.New(64 << 20) // as after a restart
	resp, page := a.get(at)
	if resp.StatusCode != 200 || !strings.Contains(page, "Opened an older state") ||
		a.stored(at).HeadSeq != 4 {
		t.Errorf(
			"with a file lost the page answers %d, revision %d",
			resp.StatusCode,
			a.stored(at).HeadSeq,
		)
	}
}

// A change of a page that does not know yet that edges have become fine is no conflict; one of
// before another change still is.
func TestFineEdgesAreNoConflict(t *testing.T) {
	a := start(t, Options{})
	at := a.thing()
	a.act(at, "add-cutout", form("step", "trace", "scribble", strokeIn))
	before := a.stored(at).Version
	a.change(at, `[{"op":"add","path":"/cutouts/0/strokes/-","value":`+strokeOut+`}]`)
	rough := a.stored(at).Version
	a.refine(at)
	if a.stored(at).Version == rough {
		t.Fatal("nothing was refined")
	}
	rename := func(version int64, name string) int {
		resp, _ := a.post(
			at+"/changes",
			change(version, `[{"op":"replace","path":"/cutouts/0/name","value":"`+name+`"}]`),
		)
		return resp.StatusCode
	}
	if code := rename(before, "Early"); code != http.StatusConflict {
		t.Errorf("a change of before the stroke: %d", code)
	}
	if code := rename(rough, "Square"); code != 200 || a.recipe(at).CutOuts[0].Name != "Square" ||
		a.recipe(at).CutOuts[0].Raster.Rough {
		t.Errorf("a change of before the edges were fine: %d", code)
	}
	if code := rename(rough, "Late"); code != http.StatusConflict {
		t.Errorf("a second one of then: %d", code)
	}
}

func TestCutOutsAtWork(t *testing.T) {
	a := start(t, Options{})
	at := a.thing()
	a.act(at, "add-cutout", form("step", "trace", "scribble", strokeIn, "name", "Square"))
	c1 := a.recipe(at).CutOuts[0].ID
	if code, body := a.act(at, "light-cutout", form("step", "trace", "of",
		c1)); code != http.StatusUnprocessableEntity && code != http.StatusBadRequest ||
		!strings.Contains(body, "is empty") {
		t.Errorf("a light of nothing: %d %s", code, body)
	}
	a.change(at, `[{"op":"add","path":"/cutouts/0/strokes/-","value":`+strokeOut+`}]`)
	a.refine(at)
	if code, _ := a.act(at, "light-cutout", form("step", "trace", "of", c1, "cut", c1)); code != 200 {
		t.Fatal("a light")
	}
	r := a.recipe(at)
	if len(r.Lights) != 1 || r.Lights[0].Name != "Square" ||
		shape.KindOf(r.Lights[0].Shapes[0]) != "cut-out" {
		t.Errorf("the light is %+v", r.Lights[0].Shapes)
	}
	if code, _ := a.act(at, "trace-cutout", form("step", "trace", "of", c1)); code != 200 {
		t.Fatal("an outline")
	}
	s := a.recipe(at).Lights[1].Shapes
	if len(s) != 1 || shape.Nodes(s[0]).Len() > 12 || shape.Area(s[0]) < 0.97*6400 ||
		shape.Area(s[0]) > 1.03*6400 {
		t.Errorf(
			"its outline has %d points and encloses %.0f px",
			shape.Nodes(s[0]).Len(),
			shape.Area(s[0]),
		)
	}
	// Before the light that it is: hidden. What uses it is named.
	if code, _ := a.change(at, `[{"op":"add","path":"/lights/1/blockers/-","value":{"area":"cut-out:`+c1+`"}}]`); code != 200 {
		t.Fatal("a blocker")
	}
	_, body := a.get(at + "?step=trace&light=" + a.recipe(at).Lights[1].ID)
	for _, part := range []string{"Blocked by", "+ Blocker…", `value="light:` + r.Lights[0].ID + `">Light Square`, `value="behind:` + c1 + `">Behind Square`, "Blocker Square on", `data-look="cut-out:` + c1 + `"`} {
		if !strings.Contains(body, part) {
			t.Errorf("the bench lacks %q", part)
		}
	}
	if code, body := a.act(at, "remove-cutout", form("step", "trace", "of", c1)); code < 400 ||
		!strings.Contains(body, "the light “Square” and a blocker of the light “Square") {
		t.Errorf("removed though used: %d %s", code, body)
	}
	// By itself on black, and its edge.
	part := `"long":300,"x":90,"y":50,"w":40,"h":30`
	resp, pix := a.postJSON(at+"/apart", `{"cut":"`+c1+`","ground":"black",`+part+`}`)
	if resp.StatusCode != 200 || len(pix) != 4*40*30 {
		t.Fatalf("on black: %d, %d bytes", resp.StatusCode, len(pix))
	}
	if in, out := pix[4*(20*40+30)], pix[4*(20*40+3)]; in < 150 || out != 0 {
		t.Errorf("on black the thing has %d, its ground %d", in, out)
	}
	for _, bad := range []string{`{"cut":"` + c1 + `","ground":"blue",` + part + `}`, `{"cut":"` + c1 + `","ground":"black","long":300,"x":290,"y":50,"w":40,"h":30}`} {
		if resp, _ := a.postJSON(at+"/apart", bad); resp.StatusCode < 400 ||
			resp.StatusCode >= 500 {
			t.Errorf("%s: %d", bad, resp.StatusCode)
		}
	}
	if resp, pix := a.postJSON(at+"/apart",
		`{"cut":"none","ground":"black",`+part+`}`); resp.StatusCode != 204 || pix != "" {
		t.Errorf("of one that was deleted meanwhile: %d", resp.StatusCode)
	}
	_, body = a.get(at + "/edge?cut=" + c1)
	var edge struct{ Lines [][][2]float64 }
	if err := json.Unmarshal([]byte(body), &edge); err != nil || len(edge.Lines) != 1 ||
		len(edge.Lines[0]) < 200 {
		t.Errorf("its edge: %v, %d lines", err, len(edge.Lines))
	}
	if resp, _ := a.get(at + "/edge?cut=c9"); resp.StatusCode != http.StatusNotFound {
		t.Errorf("the edge of none: %d", resp.StatusCode)
	}
	resp, tint := a.postJSON(at+"/coverage", `{"area":"behind:`+c1+`",`+part+`}`)
	if resp.StatusCode != 200 || tint[20*40+30] != 0 || tint[20*40+3] != 255 {
		t.Errorf("what is behind it: %d", resp.StatusCode)
	}
	// The page is told no pixels, and strokes only of what is open.
	for _, open := range []string{"", "&cut=" + c1} {
		_, body := a.get(at + "?step=trace" + open)
		if has := strings.Contains(body, "&#34;says&#34;"); has != (open != "") ||
			strings.Contains(body, "&#34;tiles&#34;") {
			t.Errorf("%q: strokes in the page: %v", open, has)
		}
	}
}

func TestCutOutsThatAreRefused(t *testing.T) {
	a := start(t, Options{})
	at := a.thing()
	for what, try := range map[string]struct {
		name string
		form url.Values
		says string
	}{
		"no cut-out":     {"remove-cutout", form("of", "c1"), "no longer in this shot"},
		"light of none":  {"light-cutout", form("of", ""), "no longer in this shot"},
		"a stroke of no": {"add-cutout", form("scribble", `{"says":"maybe","points":[{"x":1,"y":1}]}`), "is not a choice"},
		"without points": {"add-cutout", form("scribble", `{"says":"in","points":[]}`), "at least 1 point"},
	} {
		was := a.stored(at).Version
		if code, body := a.act(at, try.name, try.form); code < 400 || code >= 500 ||
			!strings.Contains(body, try.says) || a.stored(at).Version != was {
			t.Errorf("%s: %d %s", what, code, body)
		}
	}
	a.act(at, "add-cutout", form("step", "trace"))
	if code, body := a.change(at, `[{"op":"replace","path":"/cutouts/0/raster","value":{"cell":1,"width":60000,"height":60000}}]`); code < 400 ||
		!strings.Contains(body, "400 million") {
		t.Errorf("a raster beyond all: %d %s", code, body)
	}
	for i := 1; ; i++ {
		code, body := a.act(at, "add-cutout", form("step", "trace"))
		if code == 200 {
			continue
		}
		if i != 100 || !strings.Contains(body, "at most 100 cut-outs") {
			t.Errorf("after %d: %d %s", i, code, body)
		}
		break
	}
}

// An export that begins before the edges are fine waits for them, and an archive carries them.
func TestExportsHaveFineEdges(t *testing.T) {
	a := start(t, Options{})
	at := a.thing()
	a.act(at, "add-cutout", form("step", "trace", "scribble", strokeIn))
	a.change(at, `[{"op":"add","path":"/cutouts/0/strokes/-","value":`+strokeOut+`}]`)
	a.act(at, "light-cutout", form("step", "trace", "of", a.recipe(at).CutOuts[0].ID))
	rough := a.recipe(at)
	fine, err := a.server.refined(a.Context(), a.stored(at).PhotoSHA, rough)
	if err != nil || !rough.CutOuts[0].Raster.Rough || fine.CutOuts[0].Raster.Rough {
		t.Fatalf("refined: %v", err)
	}
	again, err := a.server.refined(a.Context(), a.stored(at).PhotoSHA, rough)
	if err != nil || again.CutOuts[0].Raster.Tiles.Key() != fine.CutOuts[0].Raster.Tiles.Key() {
		t.Errorf("twice: %v", err)
	}
	a.refine(at)
	resp, data := a.get(at + "/archive")
	if resp.StatusCode != 200 {
		t.Fatal("an archive")
	}
	resp, body := a.upload("thing.pyrant", []byte(data))
	var told struct{ URL string }
	if err := json.Unmarshal([]byte(body), &told); err != nil ||
		resp.StatusCode != http.StatusCreated {
		t.Fatalf("opening the archive: %d %s", resp.StatusCode, body)
	}
	r := a.recipe(told.URL).CutOuts[0]
	if r.Raster.Tiles.Key() != fine.CutOuts[0].Raster.Tiles.Key() ||
		fmt.Sprint(r.Strokes[0].Says) != "in" {
		t.Error("from the archive comes another cut-out")
	}
}
