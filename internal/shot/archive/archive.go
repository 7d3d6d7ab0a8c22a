// Package archive reads and writes a whole shot as one file, *.pyrant: a zip
// with the recipe, the photo's original bytes, the shot's further files, a preview,
// and a manifest that names each file by its SHA-256.
package archive

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"

	"pyrant/internal/base/codec"
	"pyrant/internal/base/fault"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/shot/asset"
)

// Shot is what an archive holds.
type Shot struct {
	Name   string
	Recipe *recipe.Recipe
	Photo  []byte // the original file
	// Pictures are the files that the recipe names beside it, by their sums.
	Pictures map[string][]byte
	Preview  []byte // JPEG; may be nil
}

// manifest is shot.json. Archives of before have no list of files, and a recipe
// that is complete in itself.
type manifest struct {
	Name  string  `json:"name"`
	Photo string  `json:"photo"`
	Files []entry `json:"files,omitempty"`
}

// entry is one file of the shot in the archive.
type entry struct {
	Name string     `json:"name"` // in the archive
	Role asset.Role `json:"role"`
	Sum  string     `json:"sha256"`
}

// maxFiles is how many files a shot may bring, and so about how many entries an archive has.
const maxFiles = 1000

// directoryEntry begins each entry of a zip's directory.
var directoryEntry = []byte("PK\x01\x02")

// Write writes the shot to w.
func Write(w io.Writer, s *Shot) error {
	z := zip.NewWriter(w)
	ext := codec.Sniff(s.Photo)
	if ext == "" {
		return errors.New("archive: the photo is of no known format")
	}
	if ext == "jpeg" {
		ext = "jpg"
	}
	doc, lists := s.Recipe.Pack()
	if len(lists) > maxFiles-100 {
		doc, lists = s.Recipe.Encode(), nil // complete in itself, it can be read as well
	}
	files := asset.Lists(lists)
	for _, sum := range s.Recipe.Pictures() {
		data, ok := s.Pictures[sum]
		if !ok {
			return fmt.Errorf("archive: a picture is missing: %s", sum)
		}
		files = append(files, asset.File{Sum: sum, Role: asset.Picture, Data: data})
	}
	slices.SortFunc(files, func(a, b asset.File) int { return strings.Compare(a.Sum, b.Sum) })
	m := manifest{Name: s.Name, Photo: "photo." + ext, Files: []entry{{"photo." + ext, asset.Photo,
		asset.Sum(s.Photo)}}}
	for _, f := range files {
		m.Files = append(m.Files, entry{"files/" + f.Sum, f.Role, f.Sum})
	}
	head, err := json.Marshal(m)
	if err != nil {
		return err
	}
	add := func(name string, data []byte, method uint16) {
		if err != nil || data == nil {
			return
		}
		var f io.Writer
		if f, err = z.CreateHeader(&zip.FileHeader{Name: name, Method: method}); err == nil {
			_, err = f.Write(data)
		}
	}
	add("shot.json", head, zip.Deflate)
	add("recipe.json", doc, zip.Deflate)
	add("photo."+ext, s.Photo, zip.Store)
	for _, f := range files {
		add("files/"+f.Sum, f.Data, zip.Deflate)
	}
	add("preview.jpg", s.Preview, zip.Store)
	if err != nil {
		return err
	}
	return z.Close()
}

// Is tells whether a file's first bytes are those of a zip, as an archive is.
func Is(head []byte) bool { return bytes.HasPrefix(head, []byte("PK\x03\x04")) }

// Read reads a shot from an archive. Unpacked, all files together may have at most limit bytes.
// Errors in the content are *fault.Error. When ctx is done, Read returns its error.
func Read(ctx context.Context, data []byte, limit int64) (*Shot, error) {
	// The reader of zips takes what a directory says of itself for true, and all of it into memory.
	if n := bytes.Count(data, directoryEntry); n > maxFiles+100 {
		return nil, fault.New(fault.TooLarge, "This shot has %d files; the limit is %d.", n, maxFiles)
	}
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, &fault.Error{Msg: "This is not a Pyrant shot, or a part of it is missing.", Err: err}
	}
	file := func(name string, most int64) ([]byte, error) {
		f, err := z.Open(name)
		if err != nil {
			return nil, &fault.Error{Msg: fmt.Sprintf("This shot has no %s.", name), Err: err}
		}
		defer f.Close()
		b, err := io.ReadAll(io.LimitReader(reader{ctx, f}, most+1))
		if fault.Cancelled(err) {
			return nil, err
		}
		if err != nil {
			return nil, &fault.Error{Msg: fmt.Sprintf("The %s of this shot is damaged.", name), Err: err}
		}
		if int64(len(b)) > most {
			return nil, &fault.Error{Msg: fmt.Sprintf("The %s of this shot is too large.", name), Err: nil}
		}
		return b, nil
	}
	var m manifest
	b, err := file("shot.json", 1<<18)
	if err != nil {
		return nil, err
	}
	if err := json.Unmarshal(b, &m); err != nil || m.Photo != path.Base(m.Photo) ||
		m.Photo == "." || !fs.ValidPath(m.Photo) || len(m.Photo) > 100 {
		return nil, &fault.Error{Msg: "The shot.json of this shot is damaged.", Err: err}
	}
	once := map[string]bool{}
	for _, e := range m.Files {
		if once[e.Name] {
			return nil, &fault.Error{Msg: "The shot.json of this shot is damaged.", Err: fmt.Errorf("archive: %q is listed twice", e.Name)}
		}
		once[e.Name] = true
		if !fs.ValidPath(e.Name) || e.Name == "." || len(e.Name) > 100 {
			return nil, &fault.Error{Msg: "The shot.json of this shot is damaged.", Err: fmt.Errorf("archive: a file's name is %.200q", e.Name)}
		}
	}
	for _, e := range m.Files {
		if e.Role != asset.Photo && e.Role != asset.Points && e.Role != asset.Picture {
			return nil, fault.New(fault.Invalid, "This shot file holds a file of an unknown kind. Open it with the Pyrant that made it.")
		}
	}
	if len(m.Files) > maxFiles {
		return nil, fault.New(fault.TooLarge, "This shot file lists %d files; the limit is %d.", len(m.Files), maxFiles)
	}
	s := &Shot{Name: m.Name}
	if s.Photo, err = file(m.Photo, limit); err != nil {
		return nil, err
	}
	left := limit - int64(len(s.Photo))
	lists := map[string][]byte{}
	for _, e := range m.Files {
		f := asset.File{Sum: e.Sum, Role: e.Role, Data: s.Photo}
		if e.Name != m.Photo {
			if f.Data, err = file(e.Name, left); err != nil {
				return nil, err
			}
			left -= int64(len(f.Data))
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if err := f.Check(); err != nil {
			return nil, err
		}
		switch f.Role {
		case asset.Points:
			lists[f.Sum] = f.Data
		case asset.Picture:
			if s.Pictures == nil {
				s.Pictures = map[string][]byte{}
			}
			s.Pictures[f.Sum] = f.Data
		}
	}
	if b, err = file("recipe.json", recipe.MaxBytes); err != nil {
		return nil, err
	}
	s.Recipe, err = edit.Unpack(b, func(sum string) ([]byte, error) {
		data, ok := lists[sum]
		if !ok {
			return nil, fault.New(fault.Invalid, "A list of points is missing in this shot file.")
		}
		return data, nil
	})
	if err != nil {
		return nil, err
	}
	for _, sum := range s.Recipe.Pictures() {
		if _, ok := s.Pictures[sum]; !ok {
			return nil, fault.New(fault.Invalid, "A picture is missing in this shot file.")
		}
	}
	if s.Preview, err = file("preview.jpg", 8<<20); err != nil {
		s.Preview = nil // it can be made again
	}
	return s, nil
}

// reader ends with a context.
type reader struct {
	ctx context.Context
	io.Reader
}

func (r reader) Read(p []byte) (int, error) {
	if err := r.ctx.Err(); err != nil {
		return 0, err
	}
	return r.Reader.Read(p)
}

// Fits returns an error where the recipe is for a photo of another size.
func Fits(r *recipe.Recipe, width, height int) error {
	if r.Photo.Width != width || r.Photo.Height != height {
		return &fault.Error{Field: "photo",
			Msg: fmt.Sprintf("The recipe is for a photo of %d × %d pixels, but this one has %d × %d.", r.Photo.Width, r.Photo.Height, width, height)}
	}
	return nil
}
