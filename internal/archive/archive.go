// Package archive reads and writes a whole shot as one file, *.pyrant: a zip
// with the recipe, the photo's original bytes, a preview, and a manifest.
package archive

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"

	"pyrant/internal/codec"
	"pyrant/internal/recipe"
)

// Shot is what an archive holds.
type Shot struct {
	Name    string
	Recipe  *recipe.Recipe
	Photo   []byte // the original file
	Preview []byte // JPEG; may be nil
}

// manifest is shot.json.
type manifest struct {
	Name  string `json:"name"`
	Photo string `json:"photo"`
}

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
	m, err := json.Marshal(manifest{s.Name, "photo." + ext})
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
	add("shot.json", m, zip.Deflate)
	add("recipe.json", s.Recipe.Encode(), zip.Deflate)
	add("photo."+ext, s.Photo, zip.Store)
	add("preview.jpg", s.Preview, zip.Store)
	if err != nil {
		return err
	}
	return z.Close()
}

// Error is an archive that cannot be opened, said for the user.
type Error struct {
	Msg string
	Err error
}

func (e *Error) Error() string {
	if e.Err != nil {
		return e.Msg + " (" + e.Err.Error() + ")"
	}
	return e.Msg
}

func (e *Error) Unwrap() error { return e.Err }

// Is tells whether a file's first bytes are those of a zip, as an archive is.
func Is(head []byte) bool { return bytes.HasPrefix(head, []byte("PK\x03\x04")) }

// Read reads a shot of at most limit bytes. Errors of the content are of type
// *Error, *recipe.Error or *codec.Error.
func Read(data []byte, limit int64) (*Shot, error) {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, &Error{"This is not a Pyrant shot, or a part of it is missing.", err}
	}
	file := func(name string, most int64) ([]byte, error) {
		f, err := z.Open(name)
		if err != nil {
			return nil, &Error{fmt.Sprintf("This shot has no %s.", name), err}
		}
		defer f.Close()
		b, err := io.ReadAll(io.LimitReader(f, most+1))
		if err != nil {
			return nil, &Error{fmt.Sprintf("The %s of this shot is damaged.", name), err}
		}
		if int64(len(b)) > most {
			return nil, &Error{fmt.Sprintf("The %s of this shot is too large.", name), nil}
		}
		return b, nil
	}
	var m manifest
	b, err := file("shot.json", 1<<16)
	if err != nil {
		return nil, err
	}
	if err := json.Unmarshal(b, &m); err != nil || m.Photo != path.Base(m.Photo) {
		return nil, &Error{"The shot.json of this shot is damaged.", err}
	}
	s := &Shot{Name: m.Name}
	if b, err = file("recipe.json", recipe.MaxBytes); err != nil {
		return nil, err
	}
	if s.Recipe, err = recipe.Decode(b); err != nil {
		return nil, err
	}
	if s.Photo, err = file(m.Photo, limit); err != nil {
		return nil, err
	}
	if s.Preview, err = file("preview.jpg", 8<<20); err != nil {
		s.Preview = nil // it can be made again
	}
	return s, nil
}

// Fits returns an error where the recipe is for a photo of another size.
func Fits(r *recipe.Recipe, width, height int) error {
	if r.Photo.Width != width || r.Photo.Height != height {
		return &recipe.Error{Field: "photo", Msg: fmt.Sprintf("The recipe is for a photo of %d × %d pixels; this one has %d × %d.", r.Photo.Width, r.Photo.Height, width, height)}
	}
	return nil
}
