package web

import (
	"cmp"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"pyrant/internal/app/job"
	"pyrant/internal/base/fault"
	"pyrant/internal/shot/store"
)

// problem is an error as the user is told of it.
type problem struct {
	Status int
	Title  string
	Msg    string
	Field  string
}

// explain finds the status and the sentence for an error.
func (s *Server) explain(err error) problem {
	var (
		fe   *fault.Error
		pe   *fault.Panic
		he   *echo.HTTPError
		long *http.MaxBytesError
	)
	switch {
	case errors.As(err, &long):
		return problem{http.StatusRequestEntityTooLarge, "Too large",
			fmt.Sprintf(
				"The file is larger than %d MB, the limit of this Pyrant. Make it smaller, or start Pyrant with a higher --max-upload.",
				s.opt.MaxUpload>>20,
			), ""}
	case errors.Is(err, errDropped):
		return problem{http.StatusConflict, "Replaced", errDropped.Msg, ""}
	case errors.Is(err, job.ErrStopping):
		return problem{http.StatusServiceUnavailable, "Busy", job.ErrStopping.Msg, ""}
	case errors.Is(err, job.ErrCancelled):
		return problem{http.StatusConflict, "Cancelled", job.ErrCancelled.Msg, ""}
	case errors.As(err, &fe):
		p := problem{http.StatusUnprocessableEntity, "Not usable", fe.Msg, fe.Field}
		switch fe.Kind {
		case fault.TooLarge:
			p.Status, p.Title = http.StatusRequestEntityTooLarge, "Too large"
		case fault.NoRoom:
			p.Title = "No room"
		case fault.Gone:
			p.Status, p.Title = http.StatusNotFound, "Gone"
		default:
			if fe.Field != "" {
				p.Title, p.Msg = "Not a valid setting", fe.Msg+" The shot is unchanged."
				if !strings.Contains(fe.Msg, "“") { // which says what it is about
					p.Msg = cmp.Or(fe.Words, fe.Field) + ": " + p.Msg
				}
			}
		}
		return p
	case errors.As(err, &pe):
		return problem{
			http.StatusInternalServerError,
			"Something went wrong",
			"Something went wrong inside Pyrant. This task was stopped; your saved work is safe. The log has details.",
			"",
		}
	case errors.Is(err, errSlow):
		return problem{
			http.StatusRequestTimeout,
			"Too slow",
			"The upload was too slow and was stopped. Nothing was changed. Try again over a faster connection.",
			"",
		}
	case errors.Is(err, store.ErrNotFound):
		return problem{
			http.StatusNotFound,
			"No such shot",
			"There is no such shot. It may be hidden or deleted; see the shots page.",
			"",
		}
	case errors.Is(err, store.ErrStale):
		return problem{
			http.StatusConflict,
			"Changed elsewhere",
			"This shot was changed in another window. Your last change was not saved. Nothing else was lost.",
			"",
		}
	case errors.Is(err, store.ErrNothing):
		return problem{
			http.StatusConflict,
			"Nothing there",
			"There is nothing more to undo or redo.",
			"",
		}
	case errors.Is(err, store.ErrFull):
		return problem{
			http.StatusInsufficientStorage,
			"Disk full",
			"The disk is full. This change was not saved; everything before is safe. Free some space and try again.",
			"",
		}
	case fault.Cancelled(err):
		return problem{499, "Cancelled", "The request was cancelled.", ""}
	case errors.As(err, &he):
		p := problem{Status: he.Code, Title: http.StatusText(he.Code), Msg: he.Message}
		switch he.Code {
		case http.StatusNotFound:
			if p.Title = "Gone"; p.Msg == "" || p.Msg == http.StatusText(http.StatusNotFound) {
				p.Title, p.Msg = "No such page", "There is nothing at this address."
			}
		case http.StatusUnauthorized:
			p.Title = "Access key needed"
		case http.StatusServiceUnavailable:
			p.Title = "Busy"
		case http.StatusRequestEntityTooLarge:
			p.Msg = "The request is too large."
		}
		return p
	}
	switch echo.StatusCode(err) {
	case http.StatusNotFound:
		return problem{http.StatusNotFound, "No such page", "There is nothing at this address.", ""}
	case http.StatusMethodNotAllowed:
		return problem{
			http.StatusMethodNotAllowed,
			"Method not allowed",
			"Method not allowed.",
			"",
		}
	}
	return problem{
		http.StatusInternalServerError,
		"Something went wrong",
		"Something went wrong inside Pyrant. Your saved work is safe. The log has details.",
		"",
	}
}

// stackOf gives the log where a panic came from.
func stackOf(err error) slog.Attr {
	if p := (*fault.Panic)(nil); errors.As(err, &p) {
		return slog.String("stack", string(p.Stack))
	}
	return slog.Attr{}
}

// handleError answers with a page where a page was asked for, and with JSON
// elsewhere.
func (s *Server) handleError(c *echo.Context, err error) {
	if r, _ := echo.UnwrapResponse(c.Response()); r != nil && r.Committed {
		return
	}
	p := s.explain(err)
	level := slog.LevelInfo
	if p.Status >= 500 {
		level = slog.LevelError
	}
	if p.Status != 499 {
		s.log.Log(c.Request().Context(), level, "refused", "method", c.Request().Method, "path",
			c.Request().URL.Path, "status", p.Status, "error", err, stackOf(err))
	}
	if p.Status == 499 {
		p.Status = http.StatusRequestTimeout
	}
	var werr error
	if strings.Contains(c.Request().Header.Get("Accept"), "text/html") &&
		c.Request().Header.Get("HX-Request") == "" {
		werr = c.Render(p.Status, "error.html", p)
	} else {
		werr = c.JSON(p.Status, map[string]string{"title": p.Title, "error": p.Msg, "field": p.Field})
	}
	if werr != nil {
		s.log.Error("answering", "error", werr)
	}
}
