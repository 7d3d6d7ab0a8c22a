package web

import (
	"context"
	"crypto/rand"
	"errors"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"sync"
	"syscall"
	"time"

	"github.com/labstack/echo/v4"

	"pyrant/internal/codec"
	"pyrant/internal/recipe"
	"pyrant/internal/render"
	"pyrant/internal/store"
)

// job is one export in the background.
type job struct {
	ID     string
	Shot   string // its name
	Format string
	Width  int
	Height int

	mu       sync.Mutex
	progress float64
	state    string // working, writing, done, failed, cancelled
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
	CSRF                     string
}

func (j *job) view(token string) jobView {
	j.mu.Lock()
	defer j.mu.Unlock()
	return jobView{ID: j.ID, State: j.state, Problem: j.problem, File: j.file(), Percent: int(100 * j.progress),
		Width: j.Width, Height: j.Height, SizeMB: strconv.FormatFloat(float64(j.size)/1e6, 'f', 1, 64), CSRF: token}
}

func (j *job) file() string {
	ext := map[string]string{"jpeg": ".jpg", "png": ".png", "tiff": ".tif"}
	return j.Shot + ext[j.Format]
}

func (j *job) set(change func()) {
	j.mu.Lock()
	defer j.mu.Unlock()
	change()
}

// jobs holds the exports of this run. Their files are temporary: an export can
// be made again at any time.
type jobs struct {
	dir  string
	mu   sync.Mutex
	all  map[string]*job
	work sync.WaitGroup
	slot chan struct{} // one export at a time: each uses all cores
}

// keepJobs is how long the file of a finished export is kept.
const keepJobs = 6 * time.Hour

func newJobs(dir string) (*jobs, error) {
	if err := os.RemoveAll(dir); err != nil {
		return nil, err
	}
	return &jobs{dir: dir, all: map[string]*job{}, slot: make(chan struct{}, 1)}, os.MkdirAll(dir, 0o755)
}

func (js *jobs) find(id string) *job {
	js.mu.Lock()
	defer js.mu.Unlock()
	return js.all[id]
}

// start runs an export. render makes the picture's file.
func (js *jobs) start(j *job, run func(ctx context.Context, j *job, w io.Writer) error, explain func(error) string) {
	ctx, cancel := context.WithCancel(context.Background())
	j.ID, j.state, j.cancel = rand.Text()[:16], "working", cancel
	j.path = filepath.Join(js.dir, j.ID)
	js.mu.Lock()
	js.all[j.ID] = j
	js.mu.Unlock()
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
			case errors.Is(err, context.Canceled):
				j.state = "cancelled"
			default:
				j.state, j.problem = "failed", explain(err)
			}
		})
		time.AfterFunc(keepJobs, func() {
			js.mu.Lock()
			defer js.mu.Unlock()
			delete(js.all, j.ID)
			os.Remove(j.path)
		})
	})
}

func (js *jobs) write(ctx context.Context, j *job, run func(ctx context.Context, j *job, w io.Writer) error) (err error) {
	f, err := os.Create(j.path)
	if err != nil {
		return err
	}
	defer func() {
		if cerr := f.Close(); err == nil {
			err = cerr
		}
		if err != nil {
			os.Remove(j.path)
		}
	}()
	if err := run(ctx, j, stopWriter{ctx, f}); err != nil {
		return err
	}
	info, err := f.Stat()
	if err == nil {
		j.set(func() { j.size = info.Size() })
	}
	return err
}

// stop cancels all exports and waits for them to end.
func (js *jobs) stop() {
	js.mu.Lock()
	for _, j := range js.all {
		j.cancel()
	}
	js.mu.Unlock()
	js.work.Wait()
}

// stopWriter fails when its context is done, so that an encoder stops soon.
type stopWriter struct {
	ctx context.Context
	w   io.Writer
}

func (s stopWriter) Write(p []byte) (int, error) {
	if err := s.ctx.Err(); err != nil {
		return 0, err
	}
	return s.w.Write(p)
}

// startExport begins an export of the shot as it is now.
func (s *Server) startExport(c echo.Context) error {
	shot, r, err := s.asked(c)
	if err != nil {
		return err
	}
	o := codec.Options{Format: c.FormValue("format")}
	deep := false
	switch o.Format {
	case "jpeg":
		if o.Quality, err = strconv.Atoi(c.FormValue("quality")); err != nil || o.Quality < 1 || o.Quality > 100 {
			return &recipe.Error{Field: "quality", Msg: "The quality of a JPEG lies between 1 and 100."}
		}
	case "png", "tiff":
	case "png16", "tiff16":
		o.Format, deep = o.Format[:len(o.Format)-2], true
	default:
		return &recipe.Error{Field: "format", Msg: "Choose JPEG, PNG or TIFF."}
	}
	long := 0
	if c.FormValue("size") == "edge" {
		long, err = strconv.Atoi(c.FormValue("long"))
		if err != nil || long < 16 {
			return &recipe.Error{Field: "long", Msg: "Give the long edge in pixels, 16 or more."}
		}
		long = min(long, max(shot.Photo.Width, shot.Photo.Height))
	}
	j := &job{Shot: shot.Name, Format: o.Format}
	j.Width, j.Height, _ = render.Size(shot.Photo.Width, shot.Photo.Height, long)
	s.jobs.start(j, func(ctx context.Context, j *job, w io.Writer) error {
		return s.export(ctx, j, w, shot, r, long, deep, o)
	}, func(err error) string {
		s.log.Error("export failed", "shot", shot.ID, "error", err)
		if errors.Is(err, syscall.ENOSPC) {
			return "The disk is full. Make room and export again; the shot itself is safe."
		}
		return "The export failed. The shot itself is safe; the log says more."
	})
	return c.Render(http.StatusOK, "job", j.view(csrf(c)))
}

func (s *Server) export(ctx context.Context, j *job, w io.Writer, shot *store.Shot, r *recipe.Recipe, long int, deep bool, o codec.Options) error {
	photo, err := s.photo(ctx, shot.PhotoSHA)
	if err != nil {
		return err
	}
	img, err := s.engine.Export(ctx, render.Request{Photo: photo, PhotoKey: shot.PhotoSHA, Recipe: r, LongEdge: long, Deep: deep}, func(done float64) {
		j.set(func() { j.progress = done })
	})
	if err != nil {
		return err
	}
	j.set(func() { j.state = "writing" })
	o.ICC, o.EXIF = photo.ICC, photo.EXIF
	return codec.Write(w, img, o)
}

func (s *Server) job(c echo.Context) (*job, error) {
	j := s.jobs.find(c.Param("job"))
	if j == nil {
		return nil, echo.NewHTTPError(http.StatusNotFound, "This export is gone. Export again.")
	}
	return j, nil
}

func (s *Server) exportStatus(c echo.Context) error {
	j, err := s.job(c)
	if err != nil {
		return err
	}
	return c.Render(http.StatusOK, "job", j.view(csrf(c)))
}

func (s *Server) cancelExport(c echo.Context) error {
	j, err := s.job(c)
	if err != nil {
		return err
	}
	j.cancel()
	j.set(func() {
		if j.state == "working" || j.state == "writing" {
			j.state = "cancelled"
		}
	})
	return c.Render(http.StatusOK, "job", j.view(csrf(c)))
}

func (s *Server) exportFile(c echo.Context) error {
	j, err := s.job(c)
	if err != nil {
		return err
	}
	if v := j.view(""); v.State != "done" {
		return echo.NewHTTPError(http.StatusConflict, "This export is not finished.")
	}
	attach(c, "image/"+j.Format, j.file())
	http.ServeFile(c.Response(), c.Request(), j.path)
	return nil
}
