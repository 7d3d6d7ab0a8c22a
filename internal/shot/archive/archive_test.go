package archive

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"io"
	"strings"
	"testing"

	"pyrant/internal/base/codec"
	"pyrant/internal/base/fault"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/shot/asset"
)

func sample(t *testing.T) *Shot {
	t.Helper()
	var b bytes.Buffer
	if err := codec.Write(&b, image.NewRGBA(image.Rect(0, 0, 30, 20)),
		codec.Options{Format: "png"}); err != nil {
		t.Fatal(err)
	}
	r := recipe.New(30, 20)
	r.Dusk.Daylight = -1.5
	return &Shot{Name: "Quay", Recipe: r, Photo: b.Bytes(), Preview: []byte("a small picture")}
}

func pack(t *testing.T, s *Shot) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := Write(&b, s); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestRoundTrip(t *testing.T) {
	s := sample(t)
	got, err := Read(context.Background(), pack(t, s), 1<<20)
	if err != nil {
		t.Fatal(err)
	}
	if got.Name != s.Name || !bytes.Equal(got.Photo, s.Photo) || !bytes.Equal(got.Preview,
		s.Preview) ||
		!bytes.Equal(got.Recipe.Encode(), s.Recipe.Encode()) {
		t.Errorf("came back as %+v", got)
	}
}

// without returns an archive with one file left out or replaced.
func without(t *testing.T, data []byte, name string, with []byte) []byte {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		body, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		if f.Name == name {
			if body = with; body == nil {
				continue
			}
		}
		out, err := w.Create(f.Name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := out.Write(body); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestArchivesThatCannotBeOpened(t *testing.T) {
	good := pack(t, sample(t))
	for name, c := range map[string]struct {
		data []byte
		say  string
	}{
		"no zip":               {[]byte("PK\x03\x04 but no more"), "not a Pyrant shot"},
		"cut off":              {good[:len(good)-30], "a part of it is missing"},
		"no recipe":            {without(t, good, "recipe.json", nil), "recipe.json"},
		"no photo":             {without(t, good, "photo.png", nil), "photo.png"},
		"photo of elsewhere":   {without(t, good, "shot.json", []byte(`{"name":"x","photo":"../../etc/passwd"}`)), "shot.json"},
		"recipe with a typo":   {without(t, good, "recipe.json", []byte(`{"version":1,"dusq":{}}`)), ""},
		"photo over the limit": {without(t, good, "photo.png", make([]byte, 2<<20)), "too large"},
	} {
		_, err := Read(context.Background(), c.data, 1<<20)
		var fe *fault.Error
		if !errors.As(err, &fe) || !strings.Contains(err.Error(), c.say) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if err := Fits(recipe.New(30, 20), 20, 30); err == nil {
		t.Error("a recipe for a photo of another size fits")
	}
}

// long returns a sample whose light has more points than stand in the recipe.
func long(t *testing.T) *Shot {
	t.Helper()
	s := sample(t)
	r, _, err := edit.AddLight(s.Recipe)
	if err != nil {
		t.Fatal(err)
	}
	nodes := make([]shape.Node, 100)
	for i := range nodes {
		nodes[i] = shape.Node{X: float64(i % 10), Y: float64(i / 10)}
	}
	r.Lights[0].Shapes = shape.Shapes{shape.Outline{Nodes: shape.PathOf(nodes...)}}
	s.Recipe = edit.Identify(r)
	return s
}

// Long lists of points lie beside the recipe, and come back with it.
func TestFilesOfAShot(t *testing.T) {
	s := long(t)
	good := pack(t, s)
	got, err := Read(context.Background(), good, 1<<20)
	if err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(got.Recipe.Encode(), s.Recipe.Encode()) {
		t.Error("the points did not come back")
	}
	name := "files/" + shape.Nodes(s.Recipe.Lights[0].Shapes[0]).Key()
	other := bytes.Repeat([]byte{0}, 4800)
	for what, data := range map[string][]byte{
		"points of other bytes":   without(t, good, name, other),
		"points cut off":          without(t, good, name, other[:47]),
		"points that are missing": without(t, good, name, nil),
		"a photo of other bytes":  without(t, good, "photo.png", append([]byte(nil), s.Photo[:len(s.Photo)-1]...)),
		"a manifest without them": without(t, good, "shot.json", []byte(`{"name":"x","photo":"photo.png"}`)),
		"more files than a shot has": without(t, good, "shot.json", []byte(`{"name":"x","photo":"photo.png","files":[`+
			strings.Repeat(`{"name":"a","role":"points","sha256":"b"},`, maxFiles)+`{"name":"a","role":"points","sha256":"b"}]}`)),
	} {
		var fe *fault.Error
		if _, err := Read(context.Background(), data, 1<<20); !errors.As(err, &fe) {
			t.Errorf("%s: %v", what, err)
		}
	}
	// The limit is for all files together.
	if _, err := Read(context.Background(), good, int64(len(s.Photo))+4000); err == nil ||
		!strings.Contains(err.Error(), "too large") {
		t.Errorf("more than the limit in all: %v", err)
	}
	if _, err := Read(context.Background(), good, int64(len(s.Photo))+4800); err != nil {
		t.Errorf("just within the limit: %v", err)
	}
}

func Example() {
	var photo, file bytes.Buffer
	_ = codec.Write(&photo, image.NewRGBA(image.Rect(0, 0, 30, 20)), codec.Options{Format: "png"})
	r := recipe.New(30, 20)
	r.Dusk.Daylight = -2
	err := Write(&file, &Shot{Name: "Quay", Recipe: r, Photo: photo.Bytes()})
	fmt.Println(err, Is(file.Bytes()))
	s, err := Read(context.Background(), file.Bytes(), 1<<20)
	fmt.Println(err, s.Name, s.Recipe.Dusk.Daylight)
	// Output:
	// <nil> true
	// <nil> Quay -2
}

func FuzzRead(f *testing.F) {
	var b bytes.Buffer
	var img bytes.Buffer
	if err := codec.Write(&img, image.NewRGBA(image.Rect(0, 0, 3, 2)),
		codec.Options{Format: "png"}); err != nil {
		f.Fatal(err)
	}
	if err := Write(&b, &Shot{Name: "Quay", Recipe: recipe.New(3, 2), Photo: img.Bytes()}); err != nil {
		f.Fatal(err)
	}
	f.Add(b.Bytes())
	f.Fuzz(func(t *testing.T, data []byte) {
		if s, err := Read(context.Background(), data, 1<<16); err == nil {
			if len(s.Photo) > 1<<16 || s.Recipe.Validate() != nil {
				t.Error("an archive over its limits, or with a recipe that is not valid, was read")
			}
		}
	})
}

// Pictures that the recipe names travel along; without one the shot is neither written nor read.
func TestPicturesTravel(t *testing.T) {
	s := sample(t)
	pic := []byte("a second photo")
	sum := asset.Sum(pic)
	s.Recipe.Reference.Sum, s.Recipe.Reference.Width, s.Recipe.Reference.Height = sum, 30, 20
	if err := Write(io.Discard, s); err == nil {
		t.Error("a shot is written without its picture")
	}
	s.Pictures = map[string][]byte{sum: pic}
	data := pack(t, s)
	got, err := Read(context.Background(), data, 1<<20)
	if err != nil || len(got.Pictures) != 1 || !bytes.Equal(got.Pictures[sum], pic) ||
		got.Recipe.Reference.Sum != sum {
		t.Fatalf("came back as %+v, %v", got, err)
	}
	var f *fault.Error
	if _, err := Read(context.Background(), without(t, data, "files/"+sum, []byte("another photo")),
		1<<20); !errors.As(err, &f) {
		t.Errorf("a picture that is another: %v", err)
	}
	// Of a manifest that does not list it, too.
	bare := sample(t)
	plain := pack(t, bare)
	z, err := zip.NewReader(bytes.NewReader(plain), int64(len(plain)))
	if err != nil {
		t.Fatal(err)
	}
	head, err := z.Open("shot.json")
	if err != nil {
		t.Fatal(err)
	}
	list, _ := io.ReadAll(head)
	if _, err := Read(context.Background(), without(t, data, "shot.json", list),
		1<<20); !errors.As(err, &f) || !strings.Contains(f.Msg, "picture is missing") {
		t.Errorf("a picture that is not listed: %v", err)
	}
}

// An archive that lists its photo again and again, or has entries without end, is refused before it
// costs anything; what is under way ends with its context.
func TestCostlyArchives(t *testing.T) {
	s := sample(t)
	var b bytes.Buffer
	if err := Write(&b, s); err != nil {
		t.Fatal(err)
	}
	good := b.Bytes()
	sum := asset.Sum(s.Photo)
	one := `{"name":"photo.png","role":"photo","sha256":"` + sum + `"}`
	var fe *fault.Error
	again := without(
		t,
		good,
		"shot.json",
		[]byte(`{"name":"x","photo":"photo.png","files":[`+one+`,`+one+`]}`),
	)
	if _, err := Read(context.Background(), again, 1<<20); !errors.As(err, &fe) ||
		!strings.Contains(err.Error(), "listed twice") {
		t.Errorf("the photo twice: %v", err)
	}
	many := new(bytes.Buffer)
	z := zip.NewWriter(many)
	for i := range maxFiles + 200 {
		if _, err := z.Create(fmt.Sprint(i)); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	if _, err := Read(context.Background(), many.Bytes(), 1<<20); !fault.Is(err, fault.TooLarge) {
		t.Errorf("many entries: %v", err)
	}
	given, up := context.WithCancel(context.Background())
	up()
	if _, err := Read(given, good, 1<<20); !fault.Cancelled(err) {
		t.Errorf("given up: %v", err)
	}
}

// A shot with more long lists than an archive has entries can be written and read all the same.
func TestManyLists(t *testing.T) {
	s := sample(t)
	r := s.Recipe.Clone()
	for i := range 5 {
		if len(r.Lights) == i {
			next, _, err := edit.AddLight(r)
			if err != nil {
				t.Fatal(err)
			}
			r = next
		}
		for j := range 220 {
			nodes := make([]shape.Node, 33)
			for k := range nodes {
				nodes[k] = shape.Node{X: float64(k), Y: float64(i*1000+j) / 200}
			}
			r.Lights[i].Shapes = append(r.Lights[i].Shapes,
				shape.Outline{Nodes: shape.PathOf(nodes...)})
		}
	}
	r = edit.Identify(r)
	s.Recipe = r
	var b bytes.Buffer
	if err := Write(&b, s); err != nil {
		t.Fatal(err)
	}
	got, err := Read(context.Background(), b.Bytes(), 1<<26)
	if err != nil {
		t.Fatal(err)
	}
	if string(got.Recipe.Encode()) != string(r.Encode()) {
		t.Error("the recipe comes back as another")
	}
}
