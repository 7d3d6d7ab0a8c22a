// Package web is the application that a browser shows: server-rendered pages,
// fragments of them, and frames of the picture. It holds no rules of the job;
// handlers parse, call the core, and render.
package web

import (
	"bytes"
	"context"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"
	"golang.org/x/sync/semaphore"

	"pyrant/internal/app/event"
	"pyrant/internal/app/job"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/graph"
	"pyrant/internal/recipe"
	"pyrant/internal/render"
	"pyrant/internal/shot/store"
)

//go:embed templates/*.html
var templateFiles embed.FS

//go:embed static
var staticFiles embed.FS

// Options of a server.
type Options struct {
	Addr       string   // to listen on; loopback unless chosen otherwise
	Hosts      []string // further host names that the application answers to
	Data       string   // the data folder
	MaxUpload  int64    // bytes
	CacheBytes int64    // memory for render nodes
	// how long a body may rest before it is given up; 30 s unless chosen otherwise
	Idle time.Duration
	Log  *slog.Logger
}

// Server is the application.
type Server struct {
	opt    Options
	key    string // the access key; empty where none is needed
	log    *slog.Logger
	store  *store.Store
	engine *render.Engine
	echo   *echo.Echo
	hub    *event.Hub
	board  *job.Board
	pages  *template.Template
	turns  *turns
	amends amends
	smalls smalls
	// uploads bounds the files that are received at a time, in number and in bytes.
	uploads       chan struct{}
	received      *semaphore.Weighted
	receivedBytes int64
	// unpacking is held by the one that unpacks an archive.
	unpacking *semaphore.Weighted
	// decoding is the memory that photos may take while they are decoded.
	decoding *semaphore.Weighted
	settleMu sync.Mutex
	settling *time.Timer
	// demoMu keeps two requests from bringing the demo back twice.
	demoMu sync.Mutex
}

// New opens the data folder and makes the application ready to serve.
func New(opt Options) (*Server, error) {
	if opt.Log == nil {
		opt.Log = slog.New(slog.NewTextHandler(os.Stderr, nil))
	}
	if opt.MaxUpload <= 0 {
		opt.MaxUpload = 200 << 20
	}
	if opt.Idle <= 0 {
		opt.Idle = 30 * time.Second
	}
	if opt.CacheBytes <= 0 {
		opt.CacheBytes = 1 << 30
	}
	st, err := store.Open(opt.Data)
	if err != nil {
		return nil, err
	}
	s := &Server{opt: opt, log: opt.Log, store: st, engine: render.New(opt.CacheBytes),
		turns: newTurns(framesAtOnce), decoding: newDecoding(), hub: event.New()}
	s.engine.Pictures = s.photo
	s.uploads, s.unpacking = make(chan struct{}, maxUploads), semaphore.NewWeighted(1)
	s.receivedBytes = max(maxReceived, opt.MaxUpload)
	s.received = semaphore.NewWeighted(s.receivedBytes)
	st.Moved = s.tellMoved
	if s.board, err = s.openJobs(); err != nil {
		_ = st.Close()
		return nil, err
	}
	s.pages = template.Must(
		template.New("").Funcs(templateFuncs).ParseFS(templateFiles, "templates/*.html"),
	)
	s.routes()
	s.board.Resume()
	return s, nil
}

// Render implements echo.Renderer.
func (s *Server) Render(_ *echo.Context, w io.Writer, name string, data any) error {
	// To memory first: a template that fails must not leave half a page.
	var b bytes.Buffer
	if err := s.pages.ExecuteTemplate(&b, name, data); err != nil {
		return fmt.Errorf("web: page %s: %w", name, err)
	}
	_, err := b.WriteTo(w)
	return err
}

const contentPolicy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' blob: data:; font-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"

func (s *Server) routes() {
	e := echo.New()
	s.echo = e
	e.Logger = s.log
	e.Renderer = s
	e.HTTPErrorHandler = s.handleError
	e.Use(middleware.Recover(), s.checkHost, s.checkKey, sameOrigin,
		middleware.SecureWithConfig(middleware.SecureConfig{
			ContentSecurityPolicy: contentPolicy,
			ContentTypeNosniff:    "nosniff",
			XFrameOptions:         "DENY",
			ReferrerPolicy:        "same-origin",
		}))
	static, err := fs.Sub(staticFiles, "static")
	if err != nil {
		panic(err) // the folder is compiled in
	}
	statics := http.StripPrefix("/static/", http.FileServer(http.FS(filesOnly{static})))
	e.Match([]string{http.MethodGet, http.MethodHead}, "/static/*", echo.WrapHandler(statics),
		func(next echo.HandlerFunc) echo.HandlerFunc {
			return func(c *echo.Context) error {
				c.Response().Header().Set("Cache-Control", "no-cache")
				return next(c)
			}
		})

	// A body that may not be is refused before anything of it is read, by whatever comes
	// after. A file comes with its token in the header alone: to look for it in the form
	// would be to read the file.
	page := []echo.MiddlewareFunc{
		s.bounded(recipe.MaxChange + 1<<20),
		protect("header:X-CSRF-Token,form:csrf"),
		parsed,
	}
	file := []echo.MiddlewareFunc{
		s.admitted,
		s.bounded(s.opt.MaxUpload + 1<<16),
		protect("header:X-CSRF-Token"),
	}
	// What can be had can be asked about.
	get := func(path string, h echo.HandlerFunc) {
		e.GET(path, h, page...)
		e.HEAD(path, h, page...)
	}
	post := func(path string, h echo.HandlerFunc) { e.POST(path, h, page...) }
	e.POST("/shots", s.openPhoto, file...)
	get("/", s.shotsPage)
	e.GET("/events", s.events)
	post("/demo", s.bringDemo)
	post("/tour", s.tour)
	get("/shots/:id", s.shotPage)
	get("/shots/:id/preview.jpg", s.preview)
	get("/shots/:id/archive", s.archive)
	post("/shots/:id/name", s.rename)
	post("/shots/:id/duplicate", s.duplicate)
	post("/shots/:id/aside", s.putAside)
	post("/shots/:id/bring", s.bring)
	post("/shots/:id/remove", s.remove)
	get("/shots/:id/bench", s.bench)
	get("/shots/:id/history", s.history)
	get("/shots/:id/small.jpg", s.small)
	post("/shots/:id/changes", s.change)
	post("/shots/:id/actions/:action", s.action)
	get("/shots/:id/frame", s.frame)
	post("/shots/:id/frame", s.draftFrame)
	post("/shots/:id/falloff", s.falloff)
	post("/shots/:id/room", s.sketch)
	get("/shots/:id/shapes/:key", s.shapes)
	post("/shots/:id/tones", s.tones)
	post("/shots/:id/curve", s.curve)
	post("/shots/:id/coverage", s.coverage)
	post("/shots/:id/fit", s.fit)
	post("/shots/:id/ground", s.prepare)
	post("/shots/:id/region", s.region)
	post("/shots/:id/cling", s.cling)
	post("/shots/:id/clung", s.clung)
	post("/shots/:id/gauge", s.gauge)
	post("/shots/:id/hang", s.hang)
	post("/shots/:id/ball", s.ball)
	post("/shots/:id/rim", s.rim)
	post("/shots/:id/scribble", s.readyToScribble)
	post("/shots/:id/refine", s.refine)
	post("/shots/:id/apart", s.apart)
	get("/shots/:id/edge", s.cutOutEdge)
	e.POST("/shots/:id/drawing", s.readDrawing, file...)
	get("/shots/:id/drawing.svg", s.drawing)
	get("/shots/:id/hue", s.hue)
	e.POST("/shots/:id/reference", s.attachReference, file...)
	e.POST("/shots/:id/picture", s.passPicture, file...)
	get("/shots/:id/reference/light", s.referenceLight)
	get("/shots/:id/reference/match", s.matchSays)
	get("/shots/:id/daylight", s.daylight)
	get("/shots/:id/points", s.points)
	get("/shots/:id/points.png", s.pointTiles)
	get("/shots/:id/copied", s.copied)
	get("/rigs/:rig", s.rigFile)
	post("/shots/:id/exports", s.startExport)
	get("/jobs", s.listJobs)
	get("/jobs/:job", s.oneJob(s.board.Find))
	post("/jobs/:job/cancel", s.oneJob(s.board.Cancel))
	post("/jobs/:job/retry", s.oneJob(s.board.Retry))
	post("/jobs/:job/remove", s.removeJob)
	get("/jobs/:job/file", s.jobFile)
}

// bounded limits bodies, and how long they may take.
func (s *Server) bounded(limit int64) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			r := c.Request()
			if r.ContentLength > limit {
				return &http.MaxBytesError{Limit: limit}
			}
			if r.ContentLength != 0 {
				r.Body = slowBody{http.MaxBytesReader(c.Response(), r.Body, limit),
					http.NewResponseController(c.Response()), s.opt.Idle}
			}
			c.Response().Header().Set("Cache-Control", "no-store")
			return next(c)
		}
	}
}

// maxUploads is how many files are received at a time, and maxReceived how much memory they take
// together.
const (
	maxUploads  = 128
	maxReceived = 1 << 30
)

// tooMany is said of a file that comes while too many others are received.
var tooMany = echo.NewHTTPError(
	http.StatusServiceUnavailable,
	"Too many files are being opened. Try again when some are done.",
)

// admitted bounds how many files are received at a time, and how large they are together.
func (s *Server) admitted(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		select {
		case s.uploads <- struct{}{}:
			defer func() { <-s.uploads }()
		default:
			return tooMany
		}
		size := c.Request().ContentLength
		if size < 0 || size > s.receivedBytes {
			size = min(s.opt.MaxUpload, s.receivedBytes)
		}
		if !s.received.TryAcquire(size) {
			return tooMany
		}
		defer s.received.Release(size)
		return next(c)
	}
}

// parsed reads a form, so that one that does not come whole is said to be so: handlers
// that ask for a value would find it missing.
func parsed(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if err := r.ParseForm(); err != nil {
			return badBody(err, unreadable)
		}
		return next(c)
	}
}

// unreadable is said of a body that is not what it should be.
var unreadable = echo.NewHTTPError(http.StatusBadRequest, "The request could not be read.")

// errSlow says that a body rested for too long.
var errSlow = errors.New("web: the body did not come in time")

// slowBody is a body that may rest for so long. The server ends the deadline by itself when
// the body is read.
type slowBody struct {
	io.ReadCloser
	conn *http.ResponseController
	idle time.Duration
}

func (b slowBody) Read(p []byte) (int, error) {
	_ = b.conn.SetReadDeadline(time.Now().Add(b.idle)) // a recorder in a test has none
	n, err := b.ReadCloser.Read(p)
	if errors.Is(err, os.ErrDeadlineExceeded) {
		err = errSlow
	}
	return n, err
}

// protect refuses changes without the token of Pyrant's own pages, which it looks up in
// the given places.
func protect(lookup string) echo.MiddlewareFunc {
	check := middleware.CSRFWithConfig(middleware.CSRFConfig{
		TokenLookup:    lookup,
		CookieName:     "pyrant_csrf",
		CookiePath:     "/",
		CookieHTTPOnly: true,
		CookieSameSite: http.SameSiteStrictMode,
		ErrorHandler:   func(*echo.Context, error) error { return outOfDate },
	})
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		checked := check(next)
		return func(c *echo.Context) error {
			// A cookie that another page of this machine has set, empty or short, is none.
			if k, err := c.Cookie("pyrant_csrf"); err == nil && len(k.Value) < 16 &&
				!safe(c.Request().Method) {
				return outOfDate
			}
			// The token is asked for whatever the browser says of the page: one rule for all.
			c.Request().Header.Del("Sec-Fetch-Site")
			return checked(c)
		}
	}
}

// outOfDate is said of a change without the token of a page of Pyrant.
var outOfDate = echo.NewHTTPError(
	http.StatusForbidden,
	"This page is out of date. Reload it and try again.",
)

func safe(method string) bool { return method == http.MethodGet || method == http.MethodHead }

// filesOnly is a file system without its folders, which a file server would list.
type filesOnly struct{ fs.FS }

func (f filesOnly) Open(name string) (fs.File, error) {
	if !fs.ValidPath(name) || strings.Contains(name, "\\") || !utf8.ValidString(name) {
		return nil, fs.ErrNotExist
	}
	file, err := f.FS.Open(name)
	if err != nil {
		return nil, err
	}
	if info, err := file.Stat(); err != nil || info.IsDir() {
		return nil, errors.Join(fs.ErrNotExist, file.Close())
	}
	return file, nil
}

// sameOrigin refuses changes that a page of another origin asks the browser for,
// such as one of another port of this machine.
func sameOrigin(next echo.HandlerFunc) echo.HandlerFunc {
	p := http.NewCrossOriginProtection()
	return func(c *echo.Context) error {
		if err := p.Check(c.Request()); err != nil {
			return echo.NewHTTPError(
				http.StatusForbidden,
				"The request came from another site. Open Pyrant and try there.",
			)
		}
		return next(c)
	}
}

// checkHost refuses requests that were sent to another name, as a page of a
// stranger does whose name was made to point here (DNS rebinding).
func (s *Server) checkHost(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		host := c.Request().Host
		if h, _, err := net.SplitHostPort(host); err == nil {
			host = h
		}
		host = strings.ToLower(strings.Trim(host, "[]"))
		ip := net.ParseIP(host)
		// By its number a machine is not called by a name that points elsewhere later.
		if host == "localhost" || ip != nil && (ip.IsLoopback() || s.key != "") ||
			slices.Contains(s.opt.Hosts, host) {
			return next(c)
		}
		return echo.NewHTTPError(
			http.StatusMisdirectedRequest,
			"Pyrant does not answer to this host name. Use 127.0.0.1, or start it with --host.",
		)
	}
}

// Handler returns the application as an http.Handler.
func (s *Server) Handler() http.Handler { return s.echo }

// grace is how long requests may go on when Pyrant is told to stop: with what comes after it, five
// seconds are promised.
const grace = 4 * time.Second

// Serve answers requests until ctx is done, then lets those that are under way finish,
// ends those that take too long, and closes the data folder.
func (s *Server) Serve(ctx context.Context, l net.Listener) error {
	work, end := context.WithCancel(context.WithoutCancel(ctx))
	defer end()
	srv := &http.Server{
		Handler:           s.echo,
		BaseContext:       func(net.Listener) context.Context { return work },
		ReadHeaderTimeout: 10 * time.Second,
		ReadTimeout:       10 * time.Minute, // a large photo over a slow line
		WriteTimeout:      15 * time.Minute,
		IdleTimeout:       2 * time.Minute,
		MaxHeaderBytes:    1 << 16,
		ErrorLog:          slog.NewLogLogger(s.log.Handler(), slog.LevelWarn),
	}
	failed := make(chan error, 1)
	go func() { failed <- srv.Serve(l) }()
	var tidy sync.WaitGroup
	tidy.Go(func() { s.tidy(work) })
	select {
	case err := <-failed:
		end()
		tidy.Wait()
		_ = s.Close()
		return err
	case <-ctx.Done():
	}
	s.log.Info("stopping")
	// First nothing new is taken on, then what is under way is given up.
	stop, cancel := context.WithTimeout(context.Background(), grace)
	defer cancel()
	s.board.Refuse()
	s.hub.Publish("notice", news{"Pyrant is stopping",
		"Your work is saved. This page reconnects automatically."})
	s.hub.Close()
	err := srv.Shutdown(stop)
	end()
	// an upload that goes on, say: it is not acknowledged
	if errors.Is(err, context.DeadlineExceeded) {
		err = srv.Close()
	}
	tidy.Wait()
	if err2 := s.Close(); err == nil {
		err = err2
	}
	if serr := <-failed; err == nil && !errors.Is(serr, http.ErrServerClosed) {
		err = serr
	}
	return err
}

// tidy collects what nobody uses and copies the database, now and every day.
func (s *Server) tidy(ctx context.Context) {
	work := func(what string, do func() error) {
		err := func() (err error) {
			defer fault.Catch(&err)
			return do()
		}()
		if err != nil && !fault.Cancelled(err) {
			s.log.Warn(what, "error", err, stackOf(err))
		}
	}
	for {
		work("deleting unused files", func() error { return s.store.Collect(ctx) })
		work("copying the database", func() error { return s.store.Backup(ctx, time.Now()) })
		select {
		case <-ctx.Done():
			return
		case <-time.After(24 * time.Hour):
		}
	}
}

// Close stops all work and closes the data folder.
func (s *Server) Close() error {
	s.hub.Close()
	s.board.Stop()
	s.smalls.end()
	return s.store.Close()
}

// kept is a recipe in the render cache.
type kept struct{ *recipe.Recipe }

// Bytes returns about the memory that a recipe takes. Its lists are shared with the
// revisions before and after it.
func (k kept) Bytes() int64 { return int64(1<<12 + 1<<12*len(k.Lights)) }

// head returns the recipe in force of a shot. Callers must not change it. Where it cannot be
// read, the shot's head moves to a revision that can; see store.Head.
func (s *Server) head(ctx context.Context, shot *store.Shot) (*recipe.Recipe, error) {
	k, err := graph.Load(ctx, s.engine.Cache, revision{shot.ID, shot.HeadSeq, shot.Version},
		func(ctx context.Context) (kept, error) {
			r, err := s.store.Recipe(ctx, shot.ID, shot.HeadSeq)
			return kept{r}, err
		})
	if !fault.Is(err, fault.Gone) {
		return k.Recipe, err
	}
	lost, was := err, shot.HeadSeq
	r, err := s.store.Head(ctx, shot)
	if err == nil {
		s.log.Warn(
			"the head could not be read, so it moved",
			"shot",
			shot.ID,
			"from",
			was,
			"to",
			shot.HeadSeq,
			"error",
			lost,
		)
		s.remember(ctx, shot, r)
	}
	return r, err
}

// remember keeps a recipe that was just made the one in force, so that it is not
// read again.
func (s *Server) remember(ctx context.Context, shot *store.Shot, r *recipe.Recipe) {
	_, _ = graph.Load(ctx, s.engine.Cache, revision{shot.ID, shot.HeadSeq, shot.Version},
		func(context.Context) (kept, error) { return kept{r}, nil })
}

// asked returns the shot that a request is about and its recipe in force.
func (s *Server) asked(c *echo.Context) (*store.Shot, *recipe.Recipe, error) {
	shot, err := s.store.Shot(c.Request().Context(), c.Param("id"))
	if err != nil {
		return nil, nil, err
	}
	r, err := s.head(c.Request().Context(), shot)
	return shot, r, err
}
