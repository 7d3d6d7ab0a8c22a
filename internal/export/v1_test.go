package export

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"image"
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"pyrant/demo"
	"pyrant/internal/archive"
	"pyrant/internal/codec"
	"pyrant/internal/photo"
	"pyrant/internal/recipe"
	"pyrant/internal/render"
	"pyrant/internal/setting"
	"pyrant/internal/store"
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

// wanted is one picture of a sample as the first version of Pyrant rendered it.
type wanted struct {
	Long  int
	Layer render.Layer
	Plain bool
	Deep  bool
	View  [4]int
	Sum   string
}

// The shots of the first version, its demo among them, come out in the very pixels
// that it made of them. testdata/v1 was written by it: archives with every kind of
// shape, joining and window, and the sums of their pictures.
func TestShotsOfTheFirstVersionKeepTheirPixels(t *testing.T) {
	if runtime.GOARCH != "amd64" {
		t.Skip("elsewhere the compiler may fuse multiplications and additions, which rounds otherwise")
	}
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
				s, err := archive.Read(b, 1<<20)
				if err != nil {
					t.Fatal(err)
				}
				ph, r = opened(t, s.Photo), s.Recipe
			}
			e := render.New(1 << 28)
			for _, w := range list {
				q := render.Request{Photo: ph, PhotoKey: name, Recipe: r, LongEdge: w.Long, Layer: w.Layer, Deep: w.Deep,
					View: image.Rect(w.View[0], w.View[1], w.View[2], w.View[3])}
				if w.Plain {
					q.Layer = render.Plain
				}
				img, err := e.Render(ctx, q)
				if err != nil {
					t.Fatal(err)
				}
				if sumOf(img) != w.Sum {
					t.Errorf("%+v: other pixels", w)
				}
				if img, err = e.Export(ctx, q, nil); err != nil {
					t.Fatal(err)
				} else if sumOf(img) != w.Sum {
					t.Errorf("%+v: other pixels in an export", w)
				}
			}
		})
	}
}

// A data folder of the first version holds the same shots as those archives: from the
// same photo and the same recipe come the same pixels.
func TestDataFolderOfTheFirstVersionHoldsTheSameShots(t *testing.T) {
	dir := t.TempDir()
	if err := os.CopyFS(dir, os.DirFS("../store/testdata/v1")); err != nil {
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
		want, err := archive.Read(b, 1<<20)
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
	for _, s := range []*setting.Setting{setting.Of[recipe.Photo]("width"), setting.Of[recipe.Photo]("height"), setting.Of[Settings]("long")} {
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
	r, err := recipe.Decode(data)
	if err != nil {
		t.Fatal(err)
	}
	return r
}
