package web

import (
	"context"
	"errors"
	"io"
	"net/http"
	"path/filepath"
	"runtime/debug"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
	"golang.org/x/sync/semaphore"

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
		return echo.NewHTTPError(http.StatusBadRequest, "The request is not of the kind that brings a file. Open the photo on the shots page.")
	}
	watch := s.reads.start(r.Header.Get("X-Upload"))
	defer s.reads.end(r.Header.Get("X-Upload"))
	broken := &fault.Error{Msg: "The file did not come whole. Open it once more."}
	for {
		part, err := parts.NextPart()
		switch {
		case errors.Is(err, io.EOF):
			return &fault.Error{Msg: "No file came with this. Choose a photo and try again."}
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
		shot, err := s.add(r.Context(), fileName(part.FileName()), data, watch)
		if err != nil {
			return err
		}
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
		return nil, badBody(err, &fault.Error{Msg: "The file did not come whole. Choose it once more."})
	}
	return data, nil
}

// seen returns the shot that a file is for and its recipe, if it is still as the page showed it.
func (s *Server) seen(c *echo.Context) (*store.Shot, *recipe.Recipe, error) {
	shot, r, err := s.asked(c)
	if err != nil {
		return nil, nil, err
	}
	version, err := strconv.ParseInt(c.QueryParam("version"), 10, 64)
	if err != nil {
		return nil, nil, fault.In("version", "The request does not say which version of the shot it is about. Reload the page.")
	}
	if !s.amends.lead(shot.ID, version, shot.Version) {
		return nil, nil, store.ErrStale
	}
	return shot, r, nil
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

// add makes a shot of the bytes of a photo or of an archive.
func (s *Server) add(ctx context.Context, name string, data []byte,
	watch *reading) (*store.Shot, error) {
	var r *recipe.Recipe
	var pictures []asset.File
	title := "Opened the photo"
	if archive.Is(data) {
		// One archive is unpacked at a time: what is small when it comes may be large afterwards.
		watch.set("waiting", 0)
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
			if _, err := s.decoded(ctx, sum, watch,
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
	p, err := s.decoded(ctx, asset.Sum(data), watch, func() ([]byte, error) { return data, nil })
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
	watch := s.reads.start(sum)
	defer s.reads.end(sum)
	return s.decoded(ctx, sum, watch, func() ([]byte, error) { return s.store.ReadFile(sum) })
}

// decoded returns a photo by its sum, from the cache or from the bytes that load gives.
// Large photos are decoded one after the other, small ones side by side: all that are
// under way share the memory that one may take.
func (s *Server) decoded(ctx context.Context, sum string, watch *reading,
	load func() ([]byte, error)) (*photo.Photo, error) {
	return graph.Load(ctx, s.engine.Cache, photoFile{sum},
		func(ctx context.Context) (*photo.Photo, error) {
			data, err := load()
			if err != nil {
				return nil, err
			}
			need, err := codec.Need(data)
			if err != nil {
				return nil, err
			}
			watch.set("waiting", 0)
			if err := s.decoding.Acquire(ctx, need); err != nil {
				return nil, err
			}
			defer s.decoding.Release(need)
			if need > heavy {
				defer s.settle()
			}
			watch.set("reading", 0)
			return codec.OpenWatched(ctx, data, func(share float64) { watch.set("reading", share) })
		})
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

// reads knows how far the photos are that are being read, by a name that who asks
// knows: that of the upload, or the photo's sum.
type reads struct {
	mu  sync.Mutex
	all map[string]*reading
}

// reading is how far one photo is.
type reading struct {
	mu    sync.Mutex
	users int
	Stage string  `json:"stage"` // receiving, waiting for memory, reading
	Share float64 `json:"share"`
}

func (r *reading) set(stage string, share float64) {
	if r == nil {
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.Stage, r.Share = stage, share
}

// start notes that somebody reads; the empty name is nobody's.
func (rs *reads) start(name string) *reading {
	if name == "" || len(name) > 80 {
		return nil
	}
	rs.mu.Lock()
	defer rs.mu.Unlock()
	r := rs.all[name]
	if r == nil {
		r = &reading{Stage: "receiving"}
		rs.all[name] = r
	}
	r.users++
	return r
}

func (rs *reads) end(name string) {
	rs.mu.Lock()
	defer rs.mu.Unlock()
	if r := rs.all[name]; r != nil {
		if r.users--; r.users == 0 {
			delete(rs.all, name)
		}
	}
}

// tell answers how far a reading is; 204 where there is none.
func (rs *reads) tell(c *echo.Context, name string) error {
	rs.mu.Lock()
	r := rs.all[name]
	rs.mu.Unlock()
	if r == nil {
		return c.NoContent(http.StatusNoContent)
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	return c.JSON(http.StatusOK, map[string]any{"stage": r.Stage, "share": r.Share})
}

func (s *Server) uploadStatus(c *echo.Context) error { return s.reads.tell(c, c.Param("upload")) }

func (s *Server) readingStatus(c *echo.Context) error {
	shot, err := s.store.Shot(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	return s.reads.tell(c, shot.PhotoSHA)
}
