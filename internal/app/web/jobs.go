package web

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"path/filepath"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"pyrant/internal/app/job"
	"pyrant/internal/shot/store"
)

// jobRows keeps jobs in the database.
type jobRows struct{ *store.Store }

func (r jobRows) SaveJob(ctx context.Context, j job.Row) error {
	return r.Store.SaveJob(ctx, store.Job{ID: j.ID, ShotID: j.ShotID, Doc: j.Job,
		Request: j.Request, CreatedAt: time.Now().UTC()})
}

func (r jobRows) Jobs(ctx context.Context) ([]job.Row, error) {
	list, err := r.Store.Jobs(ctx)
	out := make([]job.Row, len(list))
	for i, j := range list {
		out[i] = job.Row{ID: j.ID, ShotID: j.ShotID, Job: j.Doc, Request: j.Request}
	}
	return out, err
}

// openJobs returns the board of all jobs.
func (s *Server) openJobs() (*job.Board, error) {
	return job.New(job.Options{
		Dir:  filepath.Join(s.opt.Data, "exports"),
		Rows: jobRows{s.store},
		Publish: func(j job.Job) {
			s.hub.Publish("job", jobEvent{j, jobView{Job: j}.Now()})
		},
		Explain: s.whyFailed,
		Log:     s.log,
	}, map[job.Kind]job.Maker{job.Export: s.makeExport})
}

// jobEvent is a job as the page's scripts receive it.
type jobEvent struct {
	job.Job
	Now string `json:"now"` // as on the page
}

// jobView is a job as a template sees it.
type jobView struct {
	job.Job
	Panel bool // of the Export step, not of the list
}

// Percent is how much is done.
func (j jobView) Percent() int { return int(100 * j.Share) }

// Open tells whether it goes on.
func (j jobView) Open() bool { return !j.State.Ended() }

// Export tells whether it makes a file.
func (j jobView) Export() bool { return j.Kind == job.Export }

// MB is how large its file is.
func (j jobView) MB() string { return strconv.FormatFloat(float64(j.Bytes)/1e6, 'f', 1, 64) }

// Now is what it does, with the time left.
func (j jobView) Now() string {
	now := j.Stage
	if now == "" {
		now = map[job.State]string{job.Waiting: "Waiting", job.Working: "Working"}[j.State]
	}
	if left := timeLeft(j.Remaining); left != "" {
		now += ", " + left
	}
	return now
}

// timeLeft says a number of seconds in words: nothing for less than one.
func timeLeft(seconds float64) string {
	switch s := int(math.Round(seconds)); {
	case s < 1:
		return ""
	case s < 10:
		return fmt.Sprintf("about %d s left", s)
	case s < 60:
		return fmt.Sprintf("about %d s left", (s+4)/5*5)
	case s < 3600:
		return fmt.Sprintf("about %d min left", (s+59)/60)
	default:
		return fmt.Sprintf("about %d h left", (s+3599)/3600)
	}
}

// jobList is the list of jobs as a template sees it.
type jobList struct {
	Jobs   []jobView
	Limits string
}

// listJobs answers with all jobs.
func (s *Server) listJobs(c *echo.Context) error {
	out := jobList{
		Limits: fmt.Sprintf("Finished exports are kept for %d hours, up to %d GB.",
			int(job.MaxAge.Hours()), job.MaxBytes>>30),
	}
	for _, j := range s.board.List() {
		out.Jobs = append(out.Jobs, jobView{Job: j})
	}
	return c.Render(http.StatusOK, "jobs", out)
}

// oneJob answers with a job, after doing something to it.
func (s *Server) oneJob(do func(id string) (job.Job, error)) echo.HandlerFunc {
	return func(c *echo.Context) error {
		j, err := do(c.Param("job"))
		if err != nil {
			return err
		}
		return c.Render(http.StatusOK, "job", jobView{j, c.FormValue("panel") != ""})
	}
}

func (s *Server) removeJob(c *echo.Context) error {
	if err := s.board.Remove(c.Param("job")); err != nil {
		return err
	}
	return c.NoContent(http.StatusOK)
}

func (s *Server) jobFile(c *echo.Context) error {
	path, j, err := s.board.Path(c.Param("job"))
	if err != nil {
		return err
	}
	attach(c, codecOf(j.File), j.File)
	http.ServeFile(c.Response(), c.Request(), path)
	return nil
}
