package main

import (
	"bytes"
	"context"
	"encoding/json"
	"image"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"pyrant/demo"
	"pyrant/internal/base/codec"
	"pyrant/internal/edit"
	"pyrant/internal/shot/archive"
)

// command runs a command and returns what it prints.
func command(t *testing.T, args ...string) (string, error) {
	t.Helper()
	r, w, err := os.Pipe()
	if err != nil {
		t.Fatal(err)
	}
	old := os.Stdout
	os.Stdout = w
	err = run(context.Background(), args)
	os.Stdout = old
	w.Close()
	out, _ := io.ReadAll(r)
	return string(out), err
}

func must(t *testing.T, args ...string) string {
	t.Helper()
	out, err := command(t, args...)
	if err != nil {
		t.Fatalf("pyrant %s: %v", strings.Join(args, " "), err)
	}
	return out
}

func decode(t *testing.T, name string) image.Image {
	t.Helper()
	b, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	m, err := png.Decode(bytes.NewReader(b))
	if err != nil {
		t.Fatal(err)
	}
	return m
}

// demoShot writes the demo shot as a file.
func demoShot(t *testing.T, dir string) string {
	t.Helper()
	r, err := edit.Decode(demo.Recipe)
	if err != nil {
		t.Fatal(err)
	}
	name := filepath.Join(dir, "quay.pyrant")
	if err := writeFile(name, func(w io.Writer) error {
		return archive.Write(w, &archive.Shot{Name: "Tidewatch quay", Recipe: r, Photo: demo.Photo})
	}); err != nil {
		t.Fatal(err)
	}
	return name
}

func TestNewShotRendersAsThePhoto(t *testing.T) {
	dir := t.TempDir()
	jpg, shot, out := filepath.Join(dir, "quay.jpg"), filepath.Join(dir, "quay.pyrant"), filepath.Join(dir, "out.png")
	if err := os.WriteFile(jpg, demo.Photo, 0o644); err != nil {
		t.Fatal(err)
	}
	must(t, "new", jpg, "-o", shot)
	must(t, "render", shot, "-o", out)
	p, err := codec.Open(context.Background(), demo.Photo)
	if err != nil {
		t.Fatal(err)
	}
	m := decode(t, out).(*image.RGBA)
	for i := range p.Width * p.Height {
		if !bytes.Equal(m.Pix[4*i:4*i+3], p.Pix8[3*i:3*i+3]) {
			t.Fatalf("pixel %d of an empty shot is not that of its photo", i)
		}
	}
}

func TestRenderOptions(t *testing.T) {
	dir := t.TempDir()
	shot := demoShot(t, dir)
	at := func(name string) string { return filepath.Join(dir, name) }
	must(t, "render", shot, "-o", at("lit.png"), "--long-edge", "300")
	must(t, "render", "-o", at("plain.png"), "--plain", "--long-edge", "300", shot)
	must(t, "render", shot, "-o", at("rod.png"), "--light", "Signal rod", "--pass", "glow", "--long-edge", "300")
	lit, plain, rod := decode(t, at("lit.png")), decode(t, at("plain.png")), decode(t, at("rod.png"))
	if b := lit.Bounds(); b.Dx() != 300 || b.Dy() != 200 {
		t.Errorf("long edge 300 gives %v", b)
	}
	mean := func(m image.Image) (sum float64) {
		for y := range 200 {
			for x := range 300 {
				_, g, _, _ := m.At(x, y).RGBA()
				sum += float64(g)
			}
		}
		return sum / 60000 / 257
	}
	if a, b, c := mean(plain), mean(lit), mean(rod); !(a > b && b > c && c > 0.5) {
		t.Errorf("mean of plain %.1f, lit %.1f, the rod's glow %.1f", a, b, c)
	}
	var stats struct {
		Width int
		MS    struct{ Render float64 }
		Peak  int `json:"peak_memory_mib"`
	}
	if err := json.Unmarshal([]byte(must(t, "render", shot, "-o", at("x.tif"), "--depth", "16",
		"--long-edge", "200", "--stats")), &stats); err != nil {
		t.Fatal(err)
	}
	if stats.Width != 200 || stats.MS.Render <= 0 || stats.Peak <= 0 {
		t.Errorf("stats: %+v", stats)
	}
}

func TestErrorsAreSaid(t *testing.T) {
	dir := t.TempDir()
	shot := demoShot(t, dir)
	out := filepath.Join(dir, "out.png")
	text := filepath.Join(dir, "letter.txt")
	if err := os.WriteFile(text, []byte("Dear Tidewatch Players"), 0o644); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		say  string
		args []string
	}{
		{"no command", []string{"polish"}},
		{"name the file", []string{"render", "-o", out}},
		{"one file is enough", []string{"render", shot, shot, "-o", out}},
		{"ends in .jpg", []string{"render", shot, "-o", "out.bmp"}},
		{"no layer", []string{"render", shot, "-o", out, "--pass", "sparkle"}},
		{"no layer", []string{"render", shot, "-o", out, "--layer", "sparkle"}},
		{"from 1 to 100", []string{"render", shot, "-o", filepath.Join(dir, "o.jpg"), "--quality", "0"}},
		{"no light", []string{"render", shot, "-o", out, "--light", "Moon"}},
		{"depth", []string{"render", shot, "-o", filepath.Join(dir, "o.jpg"), "--depth", "16"}},
		{"not a Pyrant shot", []string{"render", text, "-o", out}},
		{"cannot read this file", []string{"new", text, "-o", filepath.Join(dir, "x.pyrant")}},
		{"-o", []string{"new", text}},
		{"no such file", []string{"render", filepath.Join(dir, "nothing.pyrant"), "-o", out}},
		{"takes no file", []string{"serve", "x"}},
	} {
		if _, err := command(t, c.args...); err == nil || !strings.Contains(err.Error(), c.say) {
			t.Errorf("pyrant %s: %v", strings.Join(c.args, " "), err)
		}
	}
	files, err := os.ReadDir(dir)
	if err != nil || len(files) != 2 {
		t.Errorf("refused commands left files: %v, %v", files, err)
	}
	if out := must(t); !strings.Contains(out, "pyrant render") {
		t.Error("without a command nothing is explained")
	}
}
