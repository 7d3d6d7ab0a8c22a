package export

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"pyrant/demo"
	"pyrant/internal/base/codec"
	"pyrant/internal/base/photo"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/render"
	"pyrant/internal/shot/archive"
	"pyrant/internal/shot/store"
)

var ctx = context.Background()

// sumOf names the pixels of a picture.
func sumOf(img image.Image) string {
	var pix []byte
	switch m := img.(type) {
	case *image.RGBA:
		pix = m.Pix
	case *image.RGBA64:
		pix = m.Pix
	}
	h := sha256.Sum256(pix)
	return hex.EncodeToString(h[:])
}

// wanted is one picture of a sample.
type wanted struct {
	Long  int
	Layer render.Layer
	Plain bool
	Deep  bool
	View  [4]int
	Sum   string // of its pixels, of today
}

// like compares a picture with the one that is kept. Where products and sums are fused they are
// rounded otherwise, and the dither falls otherwise where a value is nearly between two codes: no
// code is off by more than one of 8 bits, and few are.
func like(t *testing.T, name string, img image.Image) {
	t.Helper()
	f, err := os.Open(filepath.Join("testdata/v1/pictures", name+".png"))
	if errors.Is(err, os.ErrNotExist) {
		return // kept of some
	}
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	old, err := png.Decode(f)
	if err != nil {
		t.Fatal(err)
	}
	b := img.Bounds()
	if b.Size() != old.Bounds().Size() {
		t.Fatalf("%s: %v, it was %v", name, b, old.Bounds())
	}
	most, off := 0, 0
	for y := range b.Dy() {
		for x := range b.Dx() {
			r, g, bl, _ := img.At(b.Min.X+x, b.Min.Y+y).RGBA()
			r0, g0, b0, _ := old.At(old.Bounds().Min.X+x, old.Bounds().Min.Y+y).RGBA()
			for _, d := range [3]int{int(r) - int(r0), int(g) - int(g0), int(bl) - int(b0)} {
				if d = max(d, -d); d > 64 { // a quarter of a step of 8 bits
					off++
				}
				most = max(most, d)
			}
		}
	}
	if share := float64(off) / float64(3*b.Dx()*b.Dy()); most > 257 || share > 0.003 {
		t.Errorf("%s: off by up to %d of 65535, %.3f %% of it by a step of 8 bits", name, most, 100*share)
	}
}

var update = flag.Bool("update", false, "write the sums of today's pictures")

// Shots as the first version kept them, its demo among them, keep their pictures. testdata/v1 has
// archives with every kind of shape, blend mode and window; the radii of their shells are
// doublings. The sums hold the pixels of all as they are today, to the bit on amd64; elsewhere some
// of the pictures hold them nearly.
func TestShotsOfTheFirstVersionKeepTheirPictures(t *testing.T) {
	exact := runtime.GOARCH == "amd64"
	b, err := os.ReadFile("testdata/v1/sums.json")
	if err != nil {
		t.Fatal(err)
	}
	var sums map[string][]wanted
	if err := json.Unmarshal(b, &sums); err != nil {
		t.Fatal(err)
	}
	for name, list := range sums {
		t.Run(name, func(t *testing.T) {
			var ph *photo.Photo
			var r *recipe.Recipe
			if name == "demo" {
				old, err := os.ReadFile("testdata/v1/demo.json")
				if err != nil {
					t.Fatal(err)
				}
				ph, r = opened(t, demo.Photo), decoded(t, old)
			} else {
				b, err := os.ReadFile(filepath.Join("testdata/v1", name+".pyrant"))
				if err != nil {
					t.Fatal(err)
				}
				s, err := archive.Read(t.Context(), b, 1<<20)
				if err != nil {
					t.Fatal(err)
				}
				ph, r = opened(t, s.Photo), s.Recipe
			}
			e := render.New(1 << 28)
			for i, w := range list {
				q := render.Request{Photo: ph, PhotoKey: name, Recipe: r, LongEdge: w.Long,
					Layer: w.Layer, Deep: w.Deep,
					View: image.Rect(w.View[0], w.View[1], w.View[2], w.View[3])}
				if w.Plain {
					q.Layer = render.Plain
				}
				img, err := e.Render(ctx, q)
				if err != nil {
					t.Fatal(err)
				}
				like(t, fmt.Sprintf("%s-%d", name, i), img)
				if *update {
					list[i].Sum = sumOf(img)
				} else if got := sumOf(img); exact && got != w.Sum {
					t.Errorf("%+v: other pixels, %s", w, got)
				}
				if img, err = e.Export(ctx, q, nil); err != nil {
					t.Fatal(err)
				} else if exact && sumOf(img) != list[i].Sum {
					t.Errorf("%+v: other pixels in an export", w)
				}
			}
		})
	}
	if *update {
		b, err := json.MarshalIndent(sums, "", " ")
		if err == nil {
			err = os.WriteFile("testdata/v1/sums.json", append(b, '\n'), 0o644)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
}

// A data folder of the first version holds the same shots as those archives: from the
// same photo and the same recipe come the same pixels.
func TestDataFolderOfTheFirstVersionHoldsTheSameShots(t *testing.T) {
	dir := t.TempDir()
	if err := os.CopyFS(dir, os.DirFS("../../shot/store/testdata/v1")); err != nil {
		t.Fatal(err)
	}
	s, err := store.Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	list, err := s.Shots(ctx, false)
	if err != nil || len(list) != 1 {
		t.Fatalf("%d shots, %v", len(list), err)
	}
	ph, err := s.ReadFile(list[0].PhotoSHA)
	if err != nil {
		t.Fatal(err)
	}
	for seq, name := range map[int]string{1: "untouched", 2: "quay", 3: "everything", 4: "alone"} {
		b, err := os.ReadFile(filepath.Join("testdata/v1", name+".pyrant"))
		if err != nil {
			t.Fatal(err)
		}
		want, err := archive.Read(t.Context(), b, 1<<20)
		if err != nil {
			t.Fatal(err)
		}
		got, err := s.Recipe(ctx, list[0].ID, seq)
		if err != nil {
			t.Fatal(err)
		}
		if !bytes.Equal(got.Encode(), want.Recipe.Encode()) || !bytes.Equal(ph, want.Photo) {
			t.Errorf("revision %d is not the shot of the archive %s", seq, name)
		}
	}
}

// A tag cannot name a constant; what photos can be opened, recipes written and exports
// asked for is the same all the same.
func TestEdgesGoAsFarAsPhotosDo(t *testing.T) {
	for _, s := range []*setting.Setting{setting.Of[recipe.Photo]("width"),
		setting.Of[recipe.Photo]("height"), setting.Of[Settings]("long")} {
		if s.Max.A != codec.MaxEdge {
			t.Errorf("%s goes to %v, photos to %d", s.Label, s.Max.A, codec.MaxEdge)
		}
	}
}

func opened(t *testing.T, data []byte) *photo.Photo {
	t.Helper()
	p, err := codec.Open(ctx, data)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func decoded(t *testing.T, data []byte) *recipe.Recipe {
	t.Helper()
	r, err := edit.Decode(data)
	if err != nil {
		t.Fatal(err)
	}
	return r
}
