package web

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"image"
	"image/jpeg"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/photo"
	"pyrant/internal/recipe"
	"pyrant/internal/render"
	"pyrant/internal/shot/store"
)

// The history stands on the bench as a step does, and is none of the rail.
var historyStep = &step{ID: "history", Name: "History", Hidden: true}

// pastPart is how many revisions are listed at a time.
const pastPart = 24

// Past lists the newest revisions, at least to the one in force.
func (p *page) Past() (pastList, error) {
	return p.past(0, max(pastPart, p.Shot.LastSeq-p.Shot.HeadSeq+pastPart/4))
}

// pastList is a part of the history.
type pastList struct {
	Rows []pastRow
	More string // address of what comes after it; empty at the end
}

// pastRow is a revision in the list.
type pastRow struct {
	store.Past
	Shot string
	Now  bool
	Gone bool // it is undone: redo leads to it
	Days bool // it is of another day than today
}

func pastRows(shot *store.Shot, list []store.Past, most int) pastList {
	var out pastList
	today := time.Now().Format(time.DateOnly)
	for _, v := range list {
		out.Rows = append(out.Rows, pastRow{v, shot.ID, v.Seq == shot.HeadSeq, v.Seq > shot.HeadSeq,
			v.CreatedAt.Local().Format(time.DateOnly) != today})
	}
	if n := len(list); n == most && list[n-1].Seq > 1 {
		out.More = fmt.Sprintf("/shots/%s/history?before=%d", shot.ID, list[n-1].Seq)
	}
	return out
}

// Named lists the shot's marks.
func (p *page) Named() ([]store.Mark, error) { return p.marks() }

// history answers with a further part of a shot's history.
func (s *Server) history(c *echo.Context) error {
	before, err := strconv.Atoi(c.QueryParam("before"))
	if err != nil || before < 1 {
		return fault.In("before", "The revision to begin from is missing.")
	}
	ctx := c.Request().Context()
	shot, err := s.store.Shot(ctx, c.Param("id"))
	if err != nil {
		return err
	}
	list, err := s.store.Past(ctx, shot.ID, before, pastPart)
	if err != nil {
		return err
	}
	return c.Render(http.StatusOK, "past", pastRows(shot, list, pastPart))
}

// ofRevision names a revision by its number.
type ofRevision struct {
	Seq int `form:"seq"`
}

func (a *acting) goTo(in ofRevision) error {
	next, err := a.store.Go(a.ctx, a.shot.ID, a.shot.Version, in.Seq)
	if err != nil {
		return err
	}
	return a.update(a.c, next)
}

// newMark is a mark to be set at a revision, or at the one in force.
type newMark struct {
	Name string `form:"name,optional"`
	Seq  *int   `form:"seq,optional"`
}

// oneLine returns a text with single spaces.
func oneLine(text string) string { return strings.Join(strings.Fields(text), " ") }

func (a *acting) mark(in newMark) error {
	n := a.shot.HeadSeq
	if in.Seq != nil {
		n = *in.Seq
	}
	name := cmp.Or(oneLine(in.Name), "Saved state of "+time.Now().Format("15:04"))
	if _, err := a.store.SetMark(a.ctx, a.shot.ID, n, name); err != nil {
		return err
	}
	return a.update(a.c, a.shot)
}

// ofMark names a mark, and what it is to be called.
type ofMark struct {
	Mark string `form:"mark"`
	Name string `form:"name,optional"`
}

func (a *acting) goMark(in ofMark) error {
	next, name, err := a.store.MarkRecipe(a.ctx, a.shot.ID, in.Mark)
	if err != nil {
		return err
	}
	return a.save(next, "Back to “"+name+"”")
}

func (a *acting) renameMark(in ofMark) error {
	if err := a.store.RenameMark(a.ctx, a.shot.ID, in.Mark, oneLine(in.Name)); err != nil {
		return err
	}
	return a.update(a.c, a.shot)
}

func (a *acting) removeMark(in ofMark) error {
	if err := a.store.RemoveMark(a.ctx, a.shot.ID, in.Mark); err != nil {
		return err
	}
	return a.update(a.c, a.shot)
}

// then returns the recipe of a revision, or of a mark, as a request names it: "12" or "mark ID".
func (s *Server) then(ctx context.Context, shot *store.Shot, of string) (*recipe.Recipe, error) {
	if id, ok := strings.CutPrefix(of, "mark "); ok {
		r, _, err := s.store.MarkRecipe(ctx, shot.ID, id)
		return r, err
	}
	seq, err := strconv.Atoi(of)
	if err != nil {
		return nil, fault.In("of", "There is no revision %q.", of)
	}
	return s.store.Recipe(ctx, shot.ID, seq)
}

// smallEdge is the long edge of the pictures in the history.
const smallEdge = 160

// small answers with a small picture of a revision or a mark.
func (s *Server) small(c *echo.Context) error {
	ctx := c.Request().Context()
	shot, err := s.store.Shot(ctx, c.Param("id"))
	if err != nil {
		return err
	}
	r, err := s.then(ctx, shot, c.QueryParam("of"))
	if err != nil {
		return err
	}
	b, err := s.smallOf(ctx, shot, r, false)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "private, max-age=86400")
	return c.Blob(http.StatusOK, "image/jpeg", b)
}

// smallOf returns a small picture of a recipe of a shot, from those that are kept. Of the one in
// force, now, it takes what the cache has; of others it leaves nothing there.
func (s *Server) smallOf(ctx context.Context, shot *store.Shot, r *recipe.Recipe,
	now bool) ([]byte, error) {
	doc, _ := r.Pack()
	sum := sha256.Sum256(append([]byte(shot.PhotoSHA), doc...))
	key := hex.EncodeToString(sum[:16])
	if b := s.store.Small(key); b != nil {
		return b, nil
	}
	return inTurn(ctx, s, shot, asker{lane: "small"},
		func(ctx context.Context, photo *photo.Photo) ([]byte, error) {
			q := render.Request{Photo: photo, PhotoKey: shot.PhotoSHA, Recipe: r,
				LongEdge: min(smallEdge, max(r.Size())), Profile: colour.SRGB}
			var img image.Image
			var err error
			if now {
				img, err = s.engine.Render(ctx, q)
			} else {
				img, err = s.engine.Export(ctx, q, nil)
			}
			if err != nil {
				return nil, err
			}
			var b bytes.Buffer
			if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: 80}); err != nil {
				return nil, err
			}
			if err := s.store.KeepSmall(key, b.Bytes()); err != nil {
				s.log.Warn("a small picture is not kept", "error", err) // it can be made again
			}
			return b.Bytes(), nil
		})
}

// smalls makes small pictures of new revisions in the background, when nothing else is under way.
type smalls struct {
	mu      sync.Mutex
	waiting []smallWish
	running bool
	stop    context.CancelFunc
	ctx     context.Context
	idle    chan struct{} // closed when the work under way has ended
}

type smallWish struct {
	shot *store.Shot
	r    *recipe.Recipe
}

// smallRest is how long it must have been quiet, and smallsWaiting how many wait; the oldest are
// dropped, and made when the list shows them.
const (
	smallRest     = 1500 * time.Millisecond
	smallsWaiting = 12
)

// wishSmall has a small picture made of a revision in a while.
func (s *Server) wishSmall(shot *store.Shot, r *recipe.Recipe) {
	k := &s.smalls
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.ctx == nil {
		k.ctx, k.stop = context.WithCancel(context.Background())
	}
	k.waiting = append(k.waiting, smallWish{shot, r})
	if n := len(k.waiting) - smallsWaiting; n > 0 {
		k.waiting = slices.Delete(k.waiting, 0, n)
	}
	if k.running || k.ctx.Err() != nil {
		return
	}
	k.running, k.idle = true, make(chan struct{})
	go s.makeSmalls(k.ctx, k.idle)
}

func (s *Server) makeSmalls(ctx context.Context, idle chan struct{}) {
	defer close(idle)
	k := &s.smalls
	for {
		select {
		case <-ctx.Done():
		case <-time.After(smallRest):
		}
		if ctx.Err() == nil && !s.turns.quiet(smallRest) {
			continue
		}
		k.mu.Lock()
		n := len(k.waiting)
		if n == 0 || ctx.Err() != nil {
			k.running, k.waiting = false, nil
			k.mu.Unlock()
			return
		}
		w := k.waiting[n-1] // the newest is looked for first
		k.waiting = k.waiting[:n-1]
		k.mu.Unlock()
		if _, err := s.smallOf(ctx, w.shot, w.r, true); err != nil && ctx.Err() == nil {
			s.log.Warn("no small picture", "shot", w.shot.ID, "error", err)
		}
	}
}

// end gives the making of small pictures up, and waits until it has ended.
func (k *smalls) end() {
	k.mu.Lock()
	stop, idle := k.stop, k.idle
	k.mu.Unlock()
	if stop == nil {
		return
	}
	stop()
	if idle != nil {
		<-idle
	}
}
