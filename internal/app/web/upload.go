package web

import (
	"context"
	"errors"
	"io"
	"net/http"
	"path/filepath"
	"runtime/debug"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
	"golang.org/x/sync/semaphore"

	"pyrant/internal/app/job"
	"pyrant/internal/base/codec"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/recipe"
	"pyrant/internal/shot/archive"
	"pyrant/internal/shot/asset"
	"pyrant/internal/shot/store"
)

// openPhoto makes a shot of an uploaded photo or archive. The body is read part by part
// into memory, never to a temporary file, and no further than may be.
func (s *Server) openPhoto(c *echo.Context) error {
	r := c.Request()
	parts, err := r.MultipartReader()
	if err != nil {
		return echo.NewHTTPError(
			http.StatusBadRequest,
			"The request has no file. Open the photo on the shots page.",
		)
	}
	broken := &fault.Error{Msg: "Upload incomplete. Nothing was added. Try again."}
	for {
		part, err := parts.NextPart()
		switch {
		case errors.Is(err, io.EOF):
			return &fault.Error{Msg: "No file was sent. Choose a photo and try again."}
		case err != nil:
			return badBody(err, broken)
		case part.FormName() != "photo":
			continue
		}
		data, err := io.ReadAll(io.LimitReader(part, s.opt.MaxUpload+1))
		if err == nil && int64(len(data)) > s.opt.MaxUpload {
			err = &http.MaxBytesError{Limit: s.opt.MaxUpload}
		}
		if err == nil { // to its end, so that the server listens for the asker to leave
			_, err = io.Copy(io.Discard, r.Body)
		}
		if err != nil {
			return badBody(err, broken)
		}
		shot, err := s.add(r.Context(), fileName(part.FileName()), data, r.Header.Get("X-Upload"))
		if err != nil {
			return err
		}
		s.hub.Publish("shelf", nil)
		s.log.Info("opened", "shot", shot.ID, "bytes", len(data))
		return c.JSON(http.StatusCreated, map[string]string{"url": "/shots/" + shot.ID})
	}
}

// file returns the file that is all of a request's body.
func (s *Server) file(c *echo.Context) ([]byte, error) {
	data, err := io.ReadAll(io.LimitReader(c.Request().Body, s.opt.MaxUpload+1))
	if err == nil && int64(len(data)) > s.opt.MaxUpload {
		err = &http.MaxBytesError{Limit: s.opt.MaxUpload}
	}
	if err != nil {
		return nil, badBody(
			err,
			&fault.Error{Msg: "Upload incomplete. The shot is unchanged. Try again."},
		)
	}
	return data, nil
}

// fileName makes the name of a picture of what a browser says its file is called.
func fileName(name string) string {
	name = filepath.Base(strings.ReplaceAll(name, `\`, "/"))
	return cleanName(strings.TrimSuffix(name, filepath.Ext(name)))
}

// badBody returns what ails a body where that has words of its own, such as its limit,
// and else what is to be said.
func badBody(err, say error) error {
	var long *http.MaxBytesError
	if errors.As(err, &long) || errors.Is(err, errSlow) || fault.Cancelled(err) {
		return err
	}
	return say
}

// add makes a shot of the bytes of a photo or of an archive. upload is what the page calls it.
func (s *Server) add(ctx context.Context, name string, data []byte,
	upload string) (*store.Shot, error) {
	var r *recipe.Recipe
	var pictures []asset.File
	title := "Opened the photo"
	reading := job.Job{Title: "Reading " + name, For: upload}
	if archive.Is(data) {
		// One archive is unpacked at a time: what is small when it comes may be large afterwards.
		if err := s.unpacking.Acquire(ctx, 1); err != nil {
			return nil, err
		}
		defer s.unpacking.Release(1)
		a, err := archive.Read(ctx, data, s.opt.MaxUpload)
		if err != nil {
			return nil, err
		}
		if err := a.Recipe.Cost().Check(); err != nil {
			return nil, err
		}
		data, r, title = a.Photo, a.Recipe, "Opened the shot"
		for _, sum := range a.Recipe.Pictures() {
			// As a photo, each is decoded to know that it is sound.
			if _, err := s.decoded(ctx, sum, reading,
				func() ([]byte, error) { return a.Pictures[sum], nil }); err != nil {
				return nil, err
			}
			pictures = append(pictures, asset.File{Sum: sum, Role: asset.Picture,
				Data: a.Pictures[sum]})
		}
		if n := cleanName(a.Name); n != "" {
			name = n
		}
	}
	// Decoding it all is the only way to know that the picture is sound. It stays in
	// the cache, for the first frame.
	p, err := s.decoded(ctx, asset.Sum(data), reading,
		func() ([]byte, error) { return data, nil })
	if err != nil {
		return nil, err
	}
	if r == nil {
		r = recipe.New(p.Width, p.Height)
	} else if err := archive.Fits(r, p.Width, p.Height); err != nil {
		return nil, err
	}
	if name == "" {
		name = "Untitled"
	}
	return s.store.AddShot(ctx, name, store.Photo{Data: data, Format: p.Format, Width: p.Width,
		Height: p.Height}, r, title, pictures...)
}

// photo returns the decoded photo of a shot, kept in the render cache.
func (s *Server) photo(ctx context.Context, sum string) (*photo.Photo, error) {
	return s.decoded(ctx, sum, job.Job{Title: "Reading a photo"},
		func() ([]byte, error) { return s.store.ReadFile(sum) })
}

// decoded returns a photo by its sum, from the cache or from the bytes that load gives; the job
// shows how far it is. Large photos are decoded one after the other, small ones side by side:
// all that are under way share the memory that one may take.
func (s *Server) decoded(ctx context.Context, sum string, reading job.Job,
	load func() ([]byte, error)) (*photo.Photo, error) {
	reading.Kind, reading.Subject = job.Reading, sum
	return graph.Load(ctx, s.engine.Cache, photoFile{sum},
		func(ctx context.Context) (p *photo.Photo, err error) {
			err = s.board.Run(ctx, reading, func(ctx context.Context, report job.Report) error {
				p, err = s.decode(ctx, load, report)
				return err
			})
			return p, err
		})
}

func (s *Server) decode(ctx context.Context, load func() ([]byte, error),
	report job.Report) (*photo.Photo, error) {
	data, err := load()
	if err != nil {
		return nil, err
	}
	need, err := codec.Need(data)
	if err != nil {
		return nil, err
	}
	report("Waiting for other photos", 0)
	if err := s.decoding.Acquire(ctx, need); err != nil {
		return nil, err
	}
	defer s.decoding.Release(need)
	if need > heavy {
		defer s.settle()
	}
	report("Reading photo", 0)
	return codec.OpenWatched(ctx, data, func(share float64) { report("Reading photo", share) })
}

// newDecoding returns what photos under way share.
func newDecoding() *semaphore.Weighted { return semaphore.NewWeighted(codec.MaxBytes) }

// heavy is how much memory work takes for it to be given back to the system afterwards
// rather than kept for what comes next.
const heavy = 128 << 20

// settle gives memory back to the system, a moment after the last heavy work.
func (s *Server) settle() {
	s.settleMu.Lock()
	defer s.settleMu.Unlock()
	if s.settling != nil {
		s.settling.Stop()
	}
	s.settling = time.AfterFunc(time.Second, debug.FreeOSMemory)
}
