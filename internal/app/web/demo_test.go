package web

import (
	"bytes"
	"flag"
	"image"
	"image/jpeg"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"pyrant/demo"
	"pyrant/internal/shot/store"
)

var update = flag.Bool("update", false, "write the demo's thumbnails anew")

// The thumbnails that ship are the pictures that the engine renders, and the shots page shows them
// without rendering.
func TestDemoThumbnails(t *testing.T) {
	a := start(t, Options{})
	if err := a.server.AddDemo(t.Context()); err != nil {
		t.Fatal(err)
	}
	shots, err := a.server.store.Shots(t.Context(), false)
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range demo.Shots {
		var shot *store.Shot
		for i := range shots {
			if shots[i].Name == d.Name {
				shot = &shots[i]
			}
		}
		if *update {
			b, err := a.server.renderPreview(t.Context(), shot, previewEdge)
			if err != nil {
				t.Fatal(err)
			}
			name := strings.ReplaceAll(strings.ToLower(d.Name), " ", "-") + ".thumb.jpg"
			if err := os.WriteFile(filepath.Join("../../../demo", name), b, 0o644); err != nil {
				t.Fatal(err)
			}
			continue
		}
		if got, err := a.server.thumbnail(t.Context(), shot); err != nil ||
			!bytes.Equal(got, d.Thumbnail) {
			t.Errorf("%s: it is rendered although it ships (%v)", d.Name, err)
		}
		if testing.Short() {
			continue
		}
		b, err := a.server.renderPreview(t.Context(), shot, previewEdge)
		if err != nil {
			t.Fatal(err)
		}
		if off := difference(t, b, d.Thumbnail); off > 0.5 {
			t.Errorf("%s: the thumbnail that ships is %.2f of 255 off", d.Name, off)
		}
	}
}

// difference returns the mean difference of two JPEG pictures of one size, of 255.
func difference(t *testing.T, a, b []byte) float64 {
	t.Helper()
	p, err := jpeg.Decode(bytes.NewReader(a))
	if err != nil {
		t.Fatal(err)
	}
	q, err := jpeg.Decode(bytes.NewReader(b))
	if err != nil {
		t.Fatal(err)
	}
	if p.Bounds() != q.Bounds() {
		return 255
	}
	y, z, sum := p.(*image.YCbCr).Y, q.(*image.YCbCr).Y, 0.0
	for i := range y {
		sum += math.Abs(float64(y[i]) - float64(z[i]))
	}
	return sum / float64(len(y))
}
