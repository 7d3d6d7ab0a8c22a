package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"path/filepath"
	"syscall"

	"github.com/labstack/echo/v5"

	"pyrant/internal/app/export"
	"pyrant/internal/app/job"
	"pyrant/internal/base/fault"
	"pyrant/internal/edit"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/render"
)

// exportRequest is all that an export needs: what it was asked for stays the same, whatever becomes
// of the shot until its turn comes.
type exportRequest struct {
	Photo    string          // its sum
	Recipe   json.RawMessage // long lists of points stand as their keys, as in a revision
	Settings export.Settings
}

// startExport begins an export of the shot as it is now.
func (s *Server) startExport(c *echo.Context) error {
	shot, r, err := s.asked(c)
	if err != nil {
		return err
	}
	var set export.Settings
	if err := setting.FromForm(&set, c.FormValue, r.Photo.Frame()); err != nil {
		return err
	}
	doc, _ := r.Pack()
	request, err := json.Marshal(exportRequest{shot.PhotoSHA, doc, set})
	if err != nil {
		return err
	}
	w, h := r.Size()
	w, h, _ = render.Size(w, h, set.LongEdge(w, h))
	j, err := s.board.Start(job.Job{Kind: job.Export, Subject: shot.ID,
		Title: "Export of " + shot.Name, File: shot.Name + set.Format.Ending(),
		Detail: fmt.Sprintf("%d × %d", w, h), Size: float64(w) * float64(h) / 1e6}, request)
	if err != nil {
		return err
	}
	return c.Render(http.StatusOK, "job", jobView{j, true})
}

// makeExport makes the file of an export.
func (s *Server) makeExport(ctx context.Context, request []byte, w io.Writer,
	report job.Report) ([]string, error) {
	defer s.settle()
	var q exportRequest
	if err := json.Unmarshal(request, &q); err != nil {
		return nil, err
	}
	r, err := edit.Unpack(q.Recipe, s.store.ReadFile)
	if err != nil {
		return nil, err
	}
	photo, err := s.photo(ctx, q.Photo)
	if err != nil {
		return nil, err
	}
	// What was scribbled just now has the edges of a small picture yet.
	refined, err := s.refined(ctx, q.Photo, r)
	if err != nil {
		return nil, err
	}
	report("Rendering", 0)
	return export.Write(ctx, s.engine, &export.Job{Photo: photo, PhotoKey: q.Photo,
		Recipe: refined, Settings: q.Settings}, w, func(done float64) {
		if done == 1 {
			report("Writing the file", 1)
			return
		}
		report("Rendering", done)
	})
}

// whyFailed says to the user why a job failed.
func (s *Server) whyFailed(err error) string {
	var f *fault.Error
	switch {
	case errors.Is(err, syscall.ENOSPC):
		return "The disk is full. The shot is safe. Free some space and try again."
	case errors.As(err, &f):
		return f.Msg
	}
	return "This failed. The shot is safe. The log has details."
}

// codecOf returns the media type of a picture by its name.
func codecOf(name string) string { return mime.TypeByExtension(filepath.Ext(name)) }
