package web

import (
	"context"
	"encoding/json"
	"io"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"pyrant/internal/base/fault"
	"pyrant/internal/base/photo"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/shot/store"
)

// view makes the page of a shot as the request asks to see it.
func (s *Server) view(c *echo.Context, shot *store.Shot) (*page, error) {
	ctx := c.Request().Context()
	r, err := s.head(ctx, shot)
	if err != nil {
		return nil, err
	}
	p := &page{pages: s.pages, CSRF: csrf(c), Shot: shot, R: r, Step: c.FormValue("step"),
		Light: -1, Saved: shot.UpdatedAt}
	if stepOf(p.Step) == nil {
		p.Step = "glow"
		if len(r.Lights) == 0 {
			p.Step = "dusk"
		}
	}
	if i, err := strconv.Atoi(c.FormValue("light")); err == nil {
		p.Light = i
	} else if len(r.Lights) > 0 {
		p.Light = 0
	}
	p.Light = min(p.Light, len(r.Lights)-1)
	if p.Light < 0 && len(r.Lights) > 0 {
		p.Light = 0
	}
	p.open(c.FormValue)
	if p.Undo, p.Redo, err = s.store.Titles(ctx, shot); err != nil {
		return nil, err
	}
	p.photo = func() (*photo.Photo, error) { return s.photo(ctx, shot.PhotoSHA) }
	p.past = func(before, most int) (pastList, error) {
		list, err := s.store.Past(ctx, shot.ID, before, most)
		return pastRows(shot, list, most), err
	}
	p.marks = func() ([]store.Mark, error) { return s.store.Marks(ctx, shot.ID) }
	p.job = func() *jobView {
		j := s.jobs.latest(shot.ID)
		if j == nil {
			return nil
		}
		v := j.view(csrf(c))
		return &v
	}
	p.rigs = func() ([]store.Rig, error) { return s.store.Rigs(ctx) }
	return p, nil
}

// open reads what of the bench is to be open, as far as it is there.
func (p *page) open(value func(string) string) {
	index := func(name string, n int) int {
		i, err := strconv.Atoi(value(name))
		if err != nil || i < 0 || i >= n {
			return -1
		}
		return i
	}
	p.focus = focus{Pass: -1, Part: -1, Stroke: -1}
	if list := p.R.Passes(p.Step); list != nil {
		p.Pass = index("pass", len(*list))
	}
	if o := p.R.CutOut(cutout.Ref(value("cut"))); o != nil && value("cut") != "" &&
		p.Step == traceStep.ID {
		p.Cut = cutout.Ref(o.ID)
	}
	a := p.R.Area(area.Ref(value("area")))
	if a == nil || value("area") == "" {
		return
	}
	p.Area = area.Ref(a.ID)
	if p.Part = index("part", len(a.Parts)); p.Part >= 0 {
		if s, ok := a.Parts[p.Part].Of.(area.Strokes); ok {
			p.Stroke = index("stroke", len(s.Strokes))
		}
	}
}

func (s *Server) shotPage(c *echo.Context) error {
	shot, err := s.store.Shot(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	p, err := s.view(c, shot)
	if err != nil {
		return err
	}
	return c.Render(http.StatusOK, "shot.html", p)
}

// bench answers with the bench of a step, and what stands round it.
func (s *Server) bench(c *echo.Context) error {
	shot, err := s.store.Shot(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	return s.update(c, shot)
}

func (s *Server) update(c *echo.Context, shot *store.Shot) error {
	p, err := s.view(c, shot)
	if err != nil {
		return err
	}
	p.OutOfBand = true
	return c.Render(http.StatusOK, "update", p)
}

// current returns the shot, its recipe, and the version that the page showed.
func (s *Server) current(c *echo.Context) (*store.Shot, *recipe.Recipe, int64, error) {
	shot, err := s.store.Shot(c.Request().Context(), c.Param("id"))
	if err != nil {
		return nil, nil, 0, err
	}
	version, err := strconv.ParseInt(c.FormValue("version"), 10, 64)
	if err != nil {
		return nil, nil, 0, echo.NewHTTPError(http.StatusBadRequest, "The request does not say which version of the shot it is about. Reload the page.")
	}
	if !s.amends.lead(shot.ID, version, shot.Version) {
		return nil, nil, 0, store.ErrStale
	}
	is := shot.Version
	r, err := s.head(c.Request().Context(), shot)
	if err == nil && shot.Version != is { // the head moved to a revision that can be read
		err = store.ErrStale
	}
	return shot, r, shot.Version, err
}

// change saves a JSON Patch of the recipe as one revision.
func (s *Server) change(c *echo.Context) error {
	shot, r, version, err := s.current(c)
	if err != nil {
		return err
	}
	ops, err := setting.ParseOps([]byte(c.FormValue("patch")))
	if err != nil {
		return err
	}
	if len(ops) == 0 { // nothing to save
		return s.update(c, shot)
	}
	next, err := edit.Apply(r, ops)
	if err != nil {
		return err
	}
	if next, err = s.recut(c.Request().Context(), shot, r, next); err != nil {
		return err
	}
	return s.commit(c, shot, version, next, edit.Title(r, ops))
}

func (s *Server) commit(c *echo.Context, shot *store.Shot, version int64, r *recipe.Recipe,
	title string) error {
	ctx := c.Request().Context()
	if err := r.Fits(); err != nil {
		return err
	}
	before, err := s.head(ctx, shot)
	if err != nil {
		return err
	}
	if err := affordable(before, r); err != nil {
		return err
	}
	// What has come whole is saved, also where the page is being left meanwhile.
	next, err := s.store.Commit(context.WithoutCancel(ctx), shot.ID, version, r, title)
	if err != nil {
		return err
	}
	s.remember(ctx, next, r)
	s.wishSmall(next, r)
	return s.update(c, next)
}

// affordable refuses a recipe whose pictures would take too long, unless they take less than those
// of the one before: a shot that is too much already can be made less.
func affordable(before, next *recipe.Recipe) error {
	cost := next.Cost()
	if err := cost.Check(); err != nil && cost.Seconds >= before.Cost().Seconds {
		return err
	}
	return nil
}

// sameLight refuses an action for a light that is at another position by now, or gone. Its id is
// empty where the action is for no light that is there already.
func sameLight(r *recipe.Recipe, index, id string) error {
	if id == "" {
		return nil
	}
	if i, err := strconv.Atoi(index); err == nil && i >= 0 && i < len(r.Lights) &&
		r.Lights[i].ID == id {
		return nil
	}
	return fault.New(fault.Gone, "The light that this was meant for is no longer at its place. Nothing was changed.")
}

// draft returns the recipe in force with a patch on top that is not saved.
func (s *Server) draft(ctx context.Context, shot *store.Shot,
	patch json.RawMessage) (*recipe.Recipe, error) {
	r, err := s.head(ctx, shot)
	if err != nil || len(patch) == 0 || string(patch) == "null" || string(patch) == "[]" {
		return r, err
	}
	ops, err := setting.ParseOps(patch)
	if err != nil {
		return nil, err
	}
	next, err := edit.Apply(r, ops)
	if err != nil {
		return nil, err
	}
	return next, affordable(r, next)
}

// drafted returns the shot that a request is about, and its recipe with a patch on top.
func (s *Server) drafted(c *echo.Context,
	patch json.RawMessage) (*store.Shot, *recipe.Recipe, error) {
	shot, err := s.store.Shot(c.Request().Context(), c.Param("id"))
	if err != nil {
		return nil, nil, err
	}
	r, err := s.draft(c.Request().Context(), shot, patch)
	return shot, r, err
}

// bindJSON reads a JSON body.
func bindJSON(c *echo.Context, v any) error {
	data, err := io.ReadAll(c.Request().Body)
	if err == nil {
		err = json.Unmarshal(data, v)
	}
	if err != nil {
		return badBody(err, unreadable)
	}
	return nil
}
