package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestGoesUp(t *testing.T) {
	for _, c := range []struct {
		from, to string
		says     string // part of the fault; "" for none
	}{
		{"app/web", "base/raster", ""},
		{"light/room/lightmap", "light/glow", ""},
		{"render", "vision/align", ""},
		{"recipe/area", "recipe", ""},
		{"vision/edge", "light/glow", "above"},
		{"base/raster", "recipe", "above"},
		{"app/web", "measure/scene", "tests and scripts"},
		{"measure/scene", "app/web", ""},
		{"helpers", "base/raster", "none of the folders"},
		{"app/web", "helpers", "none of the folders"},
	} {
		got := goesUp(c.from, c.to)
		if (c.says == "") != (got == "") || !strings.Contains(got, c.says) {
			t.Errorf("%s imports %s: %q, want %q", c.from, c.to, got, c.says)
		}
	}
}

// tree writes files into a new folder and returns it.
func tree(t *testing.T, files map[string]string) string {
	t.Helper()
	root := t.TempDir()
	for name, text := range files {
		name = filepath.Join(root, name)
		if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return root
}

func TestImports(t *testing.T) {
	root := tree(t, map[string]string{
		"internal/base/a/a.go":      "package a\n\nimport \"pyrant/internal/recipe\"\n",
		"internal/base/a/a_test.go": "package a\n\nimport \"pyrant/internal/app/web\"\n",
		"internal/recipe/r.go":      "package recipe\n\nimport \"pyrant/internal/light/spill\"\n",
	})
	got, err := imports(root)
	if err != nil || len(got) != 2 || !strings.Contains(got[0], "a.go:3") ||
		!strings.Contains(got[1], "r.go:3") {
		t.Errorf("got %q, %v", got, err)
	}
}

// TestNodes plants inputs that a key forgets, one by one, into a node that is right.
func TestNodes(t *testing.T) {
	const right = `package light

import (
	"context"
	"math"
	"os"
	"time"

	"pyrant/internal/base/graph"
)

var gain = 2.0
var table = [2]float64{1, 2}
var file = os.Args

const limit = 3

type shape struct{ x, y float64 }

type mask struct {
	cover *graph.Input[shape]
	at    [2]float64
	/* field */
}

func (m mask) Build(ctx context.Context, g *graph.Graph) (float64, error) {
	/* body */
	return math.Min(m.size(), limit), ctx.Err()
}

func (m mask) size() float64 {
	/* called */
	return m.cover.Value.x
}

func louder() { gain *= 2 }

var _ = time.Now
`
	for _, c := range []struct{ where, planted, says string }{
		{"/* body */", "", ""},
		{"/* body */", "m.at[0] *= table[1]", ""}, // which nobody writes to
		{"/* body */", "m.at[0] *= gain", "variable gain"},
		{"/* called */", "return gain", "variable gain"},
		{"/* body */", "now := time.Now(); _ = now", "time.Now"},
		{"/* called */", "os.ReadFile(\"gain\")", "os.ReadFile"},
		{"/* field */", "shape *shape", "a pointer, *shape"},
		{"/* field */", "size2 func() float64", "a function"},
		{"/* field */", "cover2 interface{ Size() float64 }", "an interface"},
		{"/* field */", "deep struct{ inner [2]struct{ p *int } }", "a pointer, *int"},
	} {
		root := tree(t, map[string]string{
			"go.mod": "module pyrant\n\ngo 1.26\n",
			"internal/base/graph/graph.go": "package graph\n\ntype Graph struct{}\n" +
				"type Input[V any] struct{ Value V }\n",
			"internal/light/light.go": strings.Replace(right, c.where, c.planted, 1),
		})
		got, err := nodes(root)
		switch {
		case err != nil:
			t.Errorf("%q: %v", c.planted, err)
		case c.says == "" && len(got) > 0:
			t.Errorf("%q: %q", c.planted, got)
		case c.says != "" && (len(got) != 1 || !strings.Contains(got[0], c.says)):
			t.Errorf("%q: %q, want one with %q", c.planted, got, c.says)
		}
	}
}

func TestColumns(t *testing.T) {
	long := strings.Repeat("x", 101)
	root := tree(t, map[string]string{
		"a.go": "package a\n// " + long + "\nvar s = \"" + long + "\"\nvar r = `" + long + "\n" + long + "`\n",
		"b.go": "package a\n\t// " + strings.Repeat("ä", 93) + "\n\t// " + strings.Repeat("ä", 94) + "\n",
	})
	got, err := columns(root)
	if err != nil || len(got) != 2 || !strings.Contains(got[0], "a.go:2") ||
		!strings.Contains(got[1], "b.go:3") {
		t.Errorf("got %q, %v", got, err)
	}
}

func TestScreenshots(t *testing.T) {
	root := tree(t, map[string]string{
		"docs/screenshots/large.png": strings.Repeat("x", maxScreenshot+1),
		"docs/screenshots/small.png": "x",
	})
	got, err := screenshots(root)
	if err != nil || len(got) != 1 || !strings.Contains(got[0], "large.png") {
		t.Errorf("got %q, %v", got, err)
	}
}
