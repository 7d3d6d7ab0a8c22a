package web

import (
	"context"
	"crypto/rand"
	"errors"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"sync"
	"syscall"
	"time"

	"github.com/labstack/echo/v5"

	"pyrant/internal/app/export"
	"pyrant/internal/base/fault"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/render"
	"pyrant/internal/shot/atomicfile"
)

// job is one export in the background.
type job struct {
	ID     string
	ShotID string
	Shot   string // its name
	Format export.Format
	Width  int
	Height int

	started time.Time

	mu       sync.Mutex
	progress float64
	state    string // working, writing, done, failed, cancelled
	notes    []string
	problem  string
	size     int64
	path     string
	cancel   context.CancelFunc
}

// jobView is a job as a template sees it.
type jobView struct {
	ID, State, Problem, File string
	Percent                  int
	Width, Height            int
	SizeMB                   string
	Notes                    []string
	CSRF                     string
}

func (j *job) view(token string) jobView {
	j.mu.Lock()
	defer j.mu.Unlock()
	return jobView{ID: j.ID, State: j.state, Problem: j.problem, File: j.file(),
		Percent: int(100 * j.progress), Notes: j.notes,
		Width: j.Width, Height: j.Height, SizeMB: strconv.FormatFloat(float64(j.size)/1e6, 'f', 1,
			64), CSRF: token}
}

func (j *job) file() string { return j.Shot + j.Format.Ending() }

func (j *job) set(change func()) {
	j.mu.Lock()
	defer j.mu.Unlock()
	change()
}

// jobs holds the exports of this run. Their files are temporary: an export can
// be made again at any time.
type jobs struct {
	dir    string
	mu     sync.Mutex
	all    map[string]*job
	closed bool // nothing new is taken on
	work   sync.WaitGroup
	slot   chan struct{} // one export at a time: each uses all cores
	most   int64         // bytes on disk of finished exports
}

// maxJobs is how many exports wait or run at a time, and maxExportBytes how much the files of
// finished ones take on disk: the oldest give way.
const (
	maxJobs        = 100
	maxExportBytes = 4 << 30
)

// errStopping is said while Pyrant stops.
var errStopping = echo.NewHTTPError(http.StatusServiceUnavailable, "Pyrant is being stopped. The shot is safe; export it when Pyrant runs again.")

// keepJobs is how long the file of a finished export is kept.
const keepJobs = 6 * time.Hour

func newJobs(dir string) (*jobs, error) {
	if err := os.RemoveAll(dir); err != nil {
		return nil, err
	}
	return &jobs{dir: dir, all: map[string]*job{}, slot: make(chan struct{}, 1),
		most: maxExportBytes}, os.MkdirAll(dir, 0o700)
}

func (js *jobs) find(id string) *job {
	js.mu.Lock()
	defer js.mu.Unlock()
	return js.all[id]
}

// latest returns the export of a shot that was started last, nil for none.
func (js *jobs) latest(shot string) (last *job) {
	js.mu.Lock()
	defer js.mu.Unlock()
	for _, j := range js.all {
		if j.ShotID == shot && (last == nil || j.started.After(last.started)) {
			last = j
		}
	}
	return last
}

// start runs an export. run makes the picture's file. Where too many are under way, or Pyrant
// stops, it refuses.
func (js *jobs) start(j *job, run func(ctx context.Context, j *job, w io.Writer) error,
	explain func(error) string) error {
	ctx, cancel := context.WithCancel(context.Background())
	j.ID, j.state, j.cancel, j.started = rand.Text()[:16], "working", cancel, time.Now()
	j.path = filepath.Join(js.dir, j.ID)
	js.mu.Lock()
	defer js.mu.Unlock()
	if js.closed {
		cancel()
		return errStopping
	}
	open := 0
	for _, o := range js.all {
		if o.underway() {
			open++
		}
	}
	if open >= maxJobs {
		cancel()
		return fault.New(fault.NoRoom, "%d exports are waiting already. Wait until some are done, or cancel them.", open)
	}
	js.all[j.ID] = j
	js.work.Go(func() {
		defer cancel()
		select {
		case js.slot <- struct{}{}:
			defer func() { <-js.slot }()
		case <-ctx.Done():
		}
		err := ctx.Err()
		if err == nil {
			err = js.write(ctx, j, run)
		}
		j.set(func() {
			switch {
			case err == nil:
				j.state, j.progress = "done", 1
			case fault.Cancelled(err):
				j.state = "cancelled"
			default:
				j.state, j.problem = "failed", explain(err)
			}
		})
		js.prune()
		time.AfterFunc(keepJobs, func() {
			js.mu.Lock()
			defer js.mu.Unlock()
			js.forget(j)
		})
	})
	return nil
}

// underway tells whether an export waits or runs.
func (j *job) underway() bool {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.state == "working" || j.state == "writing"
}

// forget lets go of an export and its file. The caller holds js.mu.
func (js *jobs) forget(j *job) {
	delete(js.all, j.ID)
	_ = os.Remove(j.path)
}

// prune lets go of the oldest finished exports while all of them take more than they may on disk;
// the newest stays.
func (js *jobs) prune() {
	js.mu.Lock()
	defer js.mu.Unlock()
	var done []*job
	sum := int64(0)
	for _, j := range js.all {
		if !j.underway() {
			done = append(done, j)
			sum += j.bytes()
		}
	}
	slices.SortFunc(done, func(a, b *job) int { return a.started.Compare(b.started) })
	for _, j := range done[:max(len(done)-1, 0)] {
		if sum <= js.most {
			return
		}
		sum -= j.bytes()
		js.forget(j)
	}
}

// bytes returns the size of the file.
func (j *job) bytes() int64 {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.size
}

// write makes the file of an export. A panic in it ends this export alone.
func (js *jobs) write(ctx context.Context, j *job, run func(ctx context.Context, j *job,
	w io.Writer) error) (err error) {
	defer fault.Catch(&err)
	if err := atomicfile.Write(j.path, 0o600,
		func(w io.Writer) error { return run(ctx, j, cancelled{ctx, w}) }); err != nil {
		return err
	}
	info, err := os.Stat(j.path)
	if err == nil {
		j.set(func() { j.size = info.Size() })
	}
	return err
}

// cancelled is a writer that refuses to go on when a context is done: encoders know of none.
type cancelled struct {
	ctx context.Context
	io.Writer
}

func (w cancelled) Write(p []byte) (int, error) {
	if err := w.ctx.Err(); err != nil {
		return 0, err
	}
	return w.Writer.Write(p)
}

// refuse takes no new exports on, and cancels all that there are.
func (js *jobs) refuse() {
	js.mu.Lock()
	defer js.mu.Unlock()
	js.closed = true
	for _, j := range js.all {
		j.cancel()
	}
}

// stop is refuse, and waits until all exports have ended.
func (js *jobs) stop() {
	js.refuse()
	js.work.Wait()
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
	j := &job{ShotID: shot.ID, Shot: shot.Name, Format: set.Format}
	w, h := r.Size()
	j.Width, j.Height, _ = render.Size(w, h, set.LongEdge(w, h))
	err = s.jobs.start(j, func(ctx context.Context, j *job, w io.Writer) error {
		defer s.settle()
		photo, err := s.photo(ctx, shot.PhotoSHA)
		if err != nil {
			return err
		}
		// What was scribbled just now has the edges of a small picture yet.
		refined, err := s.refined(ctx, shot, r)
		if err != nil {
			return err
		}
		notes, err := export.Write(ctx, s.engine, &export.Job{Photo: photo, PhotoKey: shot.PhotoSHA,
			Recipe: refined, Settings: set}, w, func(done float64) {
			j.set(func() {
				if j.progress = done; done == 1 {
					j.state = "writing"
				}
			})
		})
		j.set(func() { j.notes = notes })
		return err
	}, func(err error) string {
		s.log.Error("export failed", "shot", shot.ID, "error", err, stackOf(err))
		if errors.Is(err, syscall.ENOSPC) {
			return "The disk is full. Make room and export again; the shot itself is safe."
		}
		return "The export failed. The shot itself is safe; the log says more."
	})
	if err != nil {
		return err
	}
	return c.Render(http.StatusOK, "job", j.view(csrf(c)))
}

func (s *Server) job(c *echo.Context) (*job, error) {
	j := s.jobs.find(c.Param("job"))
	if j == nil {
		return nil, echo.NewHTTPError(http.StatusNotFound, "This export is no longer kept: Pyrant was started anew since, or it is older than six hours. The shot is safe; export it again.")
	}
	return j, nil
}

// gone answers for an export of before Pyrant was started anew, or one that is too old:
// a page that waits for it is told.
func gone(c *echo.Context) error { return c.Render(http.StatusOK, "job", jobView{State: "gone"}) }

func (s *Server) exportStatus(c *echo.Context) error {
	j, err := s.job(c)
	if err != nil {
		return gone(c)
	}
	return c.Render(http.StatusOK, "job", j.view(csrf(c)))
}

func (s *Server) cancelExport(c *echo.Context) error {
	j, err := s.job(c)
	if err != nil {
		return gone(c)
	}
	j.cancel()
	j.set(func() {
		if j.state == "working" || j.state == "writing" {
			j.state = "cancelled"
		}
	})
	return c.Render(http.StatusOK, "job", j.view(csrf(c)))
}

func (s *Server) exportFile(c *echo.Context) error {
	j, err := s.job(c)
	if err != nil {
		return err
	}
	if v := j.view(""); v.State != "done" {
		return echo.NewHTTPError(http.StatusConflict, "This export is not finished.")
	}
	attach(c, "image/"+j.Format.Codec(), j.file())
	http.ServeFile(c.Response(), c.Request(), j.path)
	return nil
}
