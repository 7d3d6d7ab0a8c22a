package web

import (
	"fmt"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"pyrant/internal/app/event"
	"pyrant/internal/shot/store"
)

// GET /events streams server-sent events to pages:
//
//	revision   the current recipe of a shot changed
//	job        a job started, progressed or ended
//	thumbnail  a new thumbnail of a shot was rendered
//	shelf      shots were added, deleted or renamed
//	notice     a message for the user
//	reset      events were missed: reload everything

// heartbeat is the longest pause between two events, so that dead connections are noticed. sending
// is the deadline for writing one event.
const (
	heartbeat = 15 * time.Second
	sending   = 10 * time.Second
)

// revised is the data of revision and thumbnail events.
type revised struct {
	Shot    string `json:"shot"`
	Version int64  `json:"version"`
}

// news is the data of a notice.
type news struct {
	Title string `json:"title"`
	Text  string `json:"text"`
}

func (s *Server) tellMoved(shot *store.Shot) {
	s.hub.Publish("revision", revised{shot.ID, shot.Version})
}

// events streams the hub's events until the client disconnects.
func (s *Server) events(c *echo.Context) error {
	after := c.Request().Header.Get("Last-Event-ID")
	if after == "" {
		after = c.QueryParam("after")
	}
	line := s.hub.Subscribe(after)
	if line == nil {
		return echo.NewHTTPError(http.StatusServiceUnavailable,
			"Too many pages are open, or Pyrant is stopping. This page reconnects automatically.")
	}
	defer line.Close()
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Accel-Buffering", "no") // of a proxy before Pyrant
	conn := http.NewResponseController(w)
	_ = conn.SetReadDeadline(time.Time{}) // of the request, which has been read
	send := func(format string, args ...any) bool {
		// Each event has a deadline of its own, the response has none.
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
