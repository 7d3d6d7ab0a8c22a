package web

import (
	"fmt"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"pyrant/internal/app/event"
	"pyrant/internal/shot/store"
)

// Pages are told of what happens by server-sent events: GET /events.
//
//	revision   a shot has another recipe in force
//	job        a job began, went on or ended
//	thumbnail  a shot's thumbnail is of another version
//	shelf      shots came, went or got other names
//	notice     a sentence for the user
//	reset      events were missed: all may have changed

// heartbeat is how often a line is used at least, so that a dead one is found out, and sending how
// long that may take.
const (
	heartbeat = 15 * time.Second
	sending   = 10 * time.Second
)

// revised is what a page is told of a new revision or thumbnail.
type revised struct {
	Shot    string `json:"shot"`
	Version int64  `json:"version"`
}

// news is a notice.
type news struct {
	Title string `json:"title"`
	Text  string `json:"text"`
}

func (s *Server) tellMoved(shot *store.Shot) {
	s.hub.Tell("revision", revised{shot.ID, shot.Version})
}

// events follows the hub for as long as the page stays.
func (s *Server) events(c *echo.Context) error {
	after := c.Request().Header.Get("Last-Event-ID")
	if after == "" {
		after = c.QueryParam("after")
	}
	line := s.hub.Follow(after)
	if line == nil {
		return echo.NewHTTPError(http.StatusServiceUnavailable,
			"Too many pages are open, or Pyrant is being stopped. This page comes back by itself.")
	}
	defer line.Leave()
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Accel-Buffering", "no") // of a proxy before Pyrant
	conn := http.NewResponseController(w)
	_ = conn.SetReadDeadline(time.Time{}) // of the request, which has been read
	send := func(format string, args ...any) bool {
		// A deadline for each event in the place of one for the whole answer.
		_ = conn.SetWriteDeadline(time.Now().Add(sending)) // a recorder in a test has none
		_, err := fmt.Fprintf(w, format, args...)
		return err == nil && conn.Flush() == nil
	}
	kind := "hello"
	if line.Lost {
		kind = "reset"
	}
	if !send("retry: 1000\nid: %s\nevent: %s\ndata: {}\n\n", line.Last, kind) {
		return nil
	}
	beat := time.NewTicker(heartbeat)
	defer beat.Stop()
	for {
		select {
		case <-c.Request().Context().Done():
			return nil
		case <-beat.C:
			if !send("event: beat\ndata: {}\n\n") {
				return nil
			}
		case e, ok := <-line.C:
			if !ok || !sendEvent(send, e) {
				return nil
			}
		}
	}
}

func sendEvent(send func(string, ...any) bool, e event.Event) bool {
	return send("id: %s\nevent: %s\ndata: %s\n\n", e.ID, e.Kind, e.Data)
}
