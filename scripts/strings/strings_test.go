package main

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

const root = "../.."

// Every text of the interface is in the list, so that whoever adds one has read it there.
func TestListIsComplete(t *testing.T) {
	texts, err := collect(root)
	if err != nil {
		t.Fatal(err)
	}
	list, err := os.ReadFile(filepath.Join(root, listFile))
	if err != nil {
		t.Fatal(err)
	}
	missing, stale := difference(texts, string(list))
	if len(missing)+len(stale) > 0 {
		t.Errorf("read these, then run go run ./scripts/strings: new %q, gone %q", missing, stale)
	}
}

// former are labels that were replaced by plain ones, as whole words. What is left of them means
// something else: "Spill on it" is what an attached light does, and so is not among them.
var former = regexp.MustCompile(`\b(What emits stays out of the dark|Give light back|As large as it goes|` +
	`All of the photo|Lay by itself|By two pairs|What is left over|Take the daylight down|Without a thing|` +
	`Gels dealt to its points|Vary them|One more, unlike it|All of them whole|Steep to long|Deep to white|` +
	`Tints apart|Carried by|What reaches what|all of all|What stands there|Spill obeys the room|` +
	`Daylight out|Tint of the daylight|taken as white|Openness|See-through|Uneven|Rounding|Worn|Goes|` +
	`Nearer lead|Near by|Leads|The others|Between them|Least chroma|Closing|Moved across|As wide as|` +
	`Take all that are alike|Look in|Set on the photo|Lay evenly|As sure as|Kept off|Leave|` +
	`Next shape takes away|By its rim|Move, turn|Bring the demo|The photo is made ready|` +
	`finding its pixels|of what is seen clips|Not done so|The address says no|` +
	`Things are moved within|Frame|[Ff]rame by hand|Remove|Take out|Put aside|whole shot|How it joins|` +
	`Joining|All join by|Edge feather|Soft edge|Level|Strength of a pass|Stands before it|Beside|` +
	`Mark as it is now|Turn|[Tt]urned|takes away|bench|clings?)\b`)

func TestFormerLabelsAreGone(t *testing.T) {
	texts, err := collect(root)
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range texts {
		if m := former.FindString(x.words); m != "" {
			t.Errorf("%q still says %q (%s)", x.words, m, strings.Join(x.files, ", "))
		}
	}
	for _, name := range []string{"README.md", "docs/shortcuts.md"} {
		b, err := os.ReadFile(filepath.Join(root, name))
		if err != nil {
			t.Fatal(err)
		}
		for i, line := range strings.Split(string(b), "\n") {
			if m := former.FindString(line); m != "" {
				t.Errorf("%s:%d still says %q", name, i+1, m)
			}
		}
	}
}

// A hint has at most twelve words; what modifiers do is listed apart.
func TestHintsAreShort(t *testing.T) {
	const most = 12
	dir := filepath.Join(root, "internal/app/web/static/js/hands")
	files, err := filepath.Glob(filepath.Join(dir, "*.js"))
	if err != nil || len(files) < 20 {
		t.Fatalf("%d tools, %v", len(files), err)
	}
	gesture := regexp.MustCompile(`^(Click|Drag|Paint|Draw|Now paint)\b`)
	n := 0
	for _, f := range files {
		src, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		texts, err := scriptTexts(f, src)
		if err != nil {
			t.Fatal(err)
		}
		for _, x := range texts {
			if !gesture.MatchString(x) {
				continue
			}
			n++
			if words := len(strings.Fields(x)); words > most {
				t.Errorf("%s: %q has %d words", filepath.Base(f), x, words)
			}
		}
	}
	if n < 25 {
		t.Errorf("only %d hints were found", n)
	}
}

func TestTemplateTexts(t *testing.T) {
	got, _ := templateTexts("", []byte(`{{define "x"}}<button title="Delete {{.Name}}" data-op="Remove it">`+
		`{{if .On}}Hide{{else}}Show{{end}}</button><p>{{template "empty" "No lights yet"}}</p>{{end}}`))
	want := []string{"No lights yet", "Delete …", "…Hide…Show…"}
	if !slices.Equal(got, want) {
		t.Errorf("got %q, want %q", got, want)
	}
}

func TestScriptTexts(t *testing.T) {
	got, err := scriptTexts("x.js", []byte("import a from \"./A b.js\";\nconst x = { class: \"Big red\" };\n"+
		"notice(\"Not saved\", `There are ${n} lights left.`);\ndocument.querySelector(\"main Button\");\n"+
		"if (k === \"Arrow Up\") el.innerHTML = `<p title=\"Press it\">Two words</p>`;"))
	want := []string{"Not saved", "There are … lights left.", "Press it", "Two words"}
	if err != nil || !slices.Equal(got, want) {
		t.Errorf("got %q, %v; want %q", got, err, want)
	}
}

func TestGoTexts(t *testing.T) {
	got, err := goTexts("x.go", []byte("package x\n\ntype T struct {\n\tA int `json:\"a\" label:\"Fader\" doc:\"the share\"`\n}\n\n"+
		"func f() error {\n\tlog.Println(\"For operators alone\")\n\tif s == \"Some name\" {\n\t}\n"+
		"\treturn fault.New(\"There is no such light.\")\n}\n"))
	want := []string{"Fader", "the share", "There is no such light."}
	if err != nil || !slices.Equal(got, want) {
		t.Errorf("got %q, %v; want %q", got, err, want)
	}
}
