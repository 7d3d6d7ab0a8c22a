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
	if err != nil || len(got) != 1 || !strings.Contains(got[0], "a.go:3") {
		t.Errorf("got %q, %v", got, err)
	}
	// An exception that nothing needs any more is a fault.
	if err := os.Remove(filepath.Join(root, "internal/recipe/r.go")); err != nil {
		t.Fatal(err)
	}
	if got, err = imports(root); err != nil || len(got) != 2 {
		t.Errorf("without what the exception is for: %q, %v", got, err)
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
