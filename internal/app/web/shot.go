package web

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"pyrant/internal/app/job"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/photo"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/shot/asset"
	"pyrant/internal/shot/store"
)

// view makes the page of a shot as the request asks to see it.
func (s *Server) view(c *echo.Context, shot *store.Shot) (*page, error) {
	ctx := c.Request().Context()
	event := s.hub.Last() // before anything is read: what comes after is told
	r, err := s.head(ctx, shot)
	if err != nil {
		return nil, err
	}
	p := &page{pages: s.pages, CSRF: csrf(c), Event: event, Shot: shot, R: r,
		Step: c.FormValue("step"), Light: -1, Saved: shot.UpdatedAt}
	if stepOf(p.Step) == nil {
		p.Step = "glow"
		if len(r.Lights) == 0 {
			p.Step = "dusk"
		}
	}
	if len(r.Lights) > 0 {
		p.Light = max(lightIndex(r, c.FormValue("light")), 0)
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
		for _, j := range s.board.List() {
			if j.Kind == job.Export && j.Subject == shot.ID {
				return &jobView{j, true}
			}
		}
		return nil
	}
	p.rigs = func() ([]store.Rig, error) { return s.store.Rigs(ctx) }
	return p, nil
}

// lightIndex returns the index of a light by its id, -1 for none.
func lightIndex(r *recipe.Recipe, id string) int {
	return slices.IndexFunc(r.Lights, func(l recipe.Light) bool { return l.ID == id })
}

// open reads what of the bench is to be open, as far as it is there.
func (p *page) open(value func(string) string) {
	p.focus = focus{}
	if list := p.R.Passes(p.Step); list != nil && slices.ContainsFunc(*list,
		func(k pass.Pass) bool { return k.ID == value("pass") }) {
		p.Pass = value("pass")
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
	i, ok := setting.Index(a.Parts, "id:"+value("part"))
	if !ok {
		return
	}
	p.Part = a.Parts[i].ID
	if s, ok := a.Parts[i].Of.(area.Strokes); ok {
		if k, ok := setting.Index(s.Strokes, "id:"+value("stroke")); ok {
			p.Stroke = s.Strokes[k].ID
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

// panels are the parts of a shot's page that its answers bring anew, by their templates.
var panels = []string{"bench", "rail", "history", "board"}

// answer is what a page gets for a save, for another step and when another window saved.
type answer struct {
	State  json.RawMessage  `json:"state"`
	Panels map[string]panel `json:"panels"` // those that are not as the page has them
}

// panel is a part of a page, with a key that names what is in it.
type panel struct {
	HTML string `json:"html"`
	Key  string `json:"key"`
}

// update answers with a shot as it is. The page says which panels it has, in the header X-Panels as
// bench=KEY,rail=KEY and so on: those are left out.
func (s *Server) update(c *echo.Context, shot *store.Shot) error {
	p, err := s.view(c, shot)
	if err != nil {
		return err
	}
	state, err := p.State()
	if err != nil {
		return err
	}
	has := strings.Split(c.Request().Header.Get("X-Panels"), ",")
	out := answer{json.RawMessage(state), map[string]panel{}}
	for _, name := range panels {
		var b strings.Builder
		if err := s.Render(c, &b, name, p); err != nil {
			return err
		}
		key := asset.Sum([]byte(b.String()))[:16]
		if !slices.Contains(has, name+"="+key) {
			out.Panels[name] = panel{b.String(), key}
		}
	}
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false) // it is no script in a page
	if err := e.Encode(out); err != nil {
		return err
	}
	return c.Blob(http.StatusOK, echo.MIMEApplicationJSON, b.Bytes())
}

// change saves a JSON Patch of the recipe as one revision.
func (s *Server) change(c *echo.Context) error {
	ops, err := setting.ParseOps([]byte(c.FormValue("patch")))
	if err != nil {
		return err
	}
	return s.saved(c, positional(ops), func(shot *store.Shot, r *recipe.Recipe) error {
		if len(ops) == 0 { // nothing to save
			return s.update(c, shot)
		}
		ctx := c.Request().Context()
		next, err := edit.Apply(r, ops)
		if err != nil {
			return s.nameGone(ctx, shot, err, setting.Gone(*r, ops))
		}
		if next, err = s.recut(ctx, shot, r, next); err != nil {
			return err
		}
		return s.commit(c, shot, next, edit.Title(r, ops))
	})
}

// commit saves a recipe as the next revision of a shot, and answers with the page's parts.
func (s *Server) commit(c *echo.Context, shot *store.Shot, r *recipe.Recipe,
	title string) error {
	ctx := c.Request().Context()
	r = edit.Identify(r)
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
	next, err := s.store.Commit(context.WithoutCancel(ctx), shot.ID, shot.Version, r, title)
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

// draft returns the recipe in force with a patch on top that is not saved. What the patch has for
// items that were deleted meanwhile is left out: whoever shows it will be told of them.
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
	if fault.Is(err, fault.Gone) {
		next, err = edit.Apply(r, slices.DeleteFunc(ops,
			func(op setting.Op) bool { return setting.Gone(*r, []setting.Op{op}) != "" }))
	}
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
