package web

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pyrant/internal/base/fault"
	"pyrant/internal/base/photo"
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
	next, err := r.Apply(ops)
	if err != nil {
		return err
	}
	if next, err = s.recut(c.Request().Context(), shot, r, next); err != nil {
		return err
	}
	return s.commit(c, shot, version, next, r.Title(ops))
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

// action does what is more than setting a value, such as adding a light.
func (s *Server) action(c *echo.Context) error {
	ctx := c.Request().Context()
	shot, r, version, err := s.current(c)
	if err != nil {
		return err
	}
	if err := sameLight(r, c.FormValue("light"), c.FormValue("light_id")); err != nil {
		return err
	}
	name := c.Param("action")
	switch name {
	case "undo", "redo":
		by := 1
		if name == "undo" {
			by = -1
		}
		next, err := s.store.Step(ctx, shot.ID, version, by)
		if err != nil {
			return err
		}
		return s.update(c, next)
	case "add-light":
		next, i, err := r.AddLight()
		if err != nil {
			return err
		}
		return s.choose(c, shot, version, next, "Add "+next.Lights[i].Name, i)
	}
	if done, err := s.historyAction(c, name, shot, version); done {
		return err
	}
	if done, err := s.referenceAction(c, name, shot, r, version); done {
		return err
	}
	if done, err := s.areaAction(c, name, shot, r, version); done {
		return err
	}
	if done, err := s.lightAction(c, name, shot, r, version); done {
		return err
	}
	if done, err := s.roomAction(c, name, shot, r, version); done {
		return err
	}
	if done, err := s.cutOutAction(c, name, shot, r, version); done {
		return err
	}
	i, err := strconv.Atoi(c.FormValue("light"))
	if err != nil || i < 0 || i > len(r.Lights) || i == len(r.Lights) && name != "add-shape" && name != "add-shapes" {
		return fault.New(fault.Invalid, "There is no such light in this shot.")
	}
	switch name {
	case "add-shape", "add-shapes":
		// shape is one, shapes a list of those that belong together. They go to the light, or
		// to a new one if it has some already and fresh is asked for.
		var shapes []json.RawMessage
		if one := c.FormValue("shape"); one != "" {
			shapes = append(shapes, json.RawMessage(one))
		} else if err := json.Unmarshal([]byte(c.FormValue("shapes")), &shapes); err != nil ||
			len(shapes) == 0 {
			return fault.New(fault.Invalid, "There is no shape to add.")
		}
		next := r
		if c.FormValue("fresh") != "" && i < len(r.Lights) && len(r.Lights[i].Shapes) > 0 {
			i = len(r.Lights)
		}
		if i == len(r.Lights) {
			if next, i, err = r.AddLight(); err != nil {
				return err
			}
		}
		first := len(next.Lights[i].Shapes) == 0
		var ops []setting.Op
		for _, one := range shapes {
			ops = append(ops, setting.Op{Op: "add", Path: fmt.Sprintf("/lights/%d/shapes/-", i), Value: one})
		}
		next, err := next.Apply(ops)
		if err != nil {
			return err
		}
		if first {
			next.Suit(i)
		}
		return s.choose(c, shot, version, next, "Trace "+next.Lights[i].Name, i)
	case "duplicate-light":
		next, err := r.DuplicateLight(i)
		if err != nil {
			return err
		}
		return s.choose(c, shot, version, next, "Duplicate "+r.Lights[i].Name, i+1)
	case "remove-light":
		return s.choose(c, shot, version, r.RemoveLight(i), "Remove "+r.Lights[i].Name, max(i-1, 0))
	case "add-shell":
		next, err := r.AddShell(i)
		if err != nil {
			return err
		}
		return s.commit(c, shot, version, next, "Add a shell to "+r.Lights[i].Name)
	case "start-stack":
		next := r.Clone()
		next.Lights[i].Shells = recipe.StartRig(r.Lights[i].Shapes, r.Photo).Stack(r.Photo)
		return s.commit(c, shot, version, next, "Starting stack of "+r.Lights[i].Name)
	}
	return echo.ErrNotFound
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

// choose commits and shows light i.
func (s *Server) choose(c *echo.Context, shot *store.Shot, version int64, r *recipe.Recipe,
	title string, i int) error {
	c.Request().Form.Set("light", strconv.Itoa(i))
	return s.commit(c, shot, version, r, title)
}

// areaAction does what is more than setting a value with passes and areas; false where
// the action is none of them.
func (s *Server) areaAction(c *echo.Context, name string, shot *store.Shot, r *recipe.Recipe,
	version int64) (bool, error) {
	form := c.Request().Form
	switch name {
	case "begin":
		next, first, open, err := r.Begin(form.Get("start"))
		if err != nil {
			return true, err
		}
		form.Set("pass", strconv.Itoa(first))
		form.Set("area", string(open))
		form.Set("part", "0")
		title := "Start"
		for _, st := range recipe.Starts {
			if st.ID == form.Get("start") {
				title = st.Name
			}
		}
		return true, s.commit(c, shot, version, next, title)
	case "duplicate-pass":
		step, i := form.Get("step"), -1
		if list := r.Passes(step); list != nil {
			if n, err := strconv.Atoi(form.Get("pass")); err == nil && n >= 0 && n < len(*list) {
				i = n
			}
		}
		if i < 0 {
			return true, fault.New(fault.Invalid, "There is no such pass in this shot.")
		}
		next, err := r.DuplicatePass(step, i)
		if err != nil {
			return true, err
		}
		form.Set("pass", strconv.Itoa(i+1))
		return true, s.commit(c, shot, version, next, "Duplicate "+(*r.Passes(step))[i].Name)
	case "add-area":
		// Named after what it is for, and used there at once.
		next, id, err := r.AddArea(cmp.Or(strings.TrimSpace(form.Get("name")), "Area"))
		if err != nil {
			return true, err
		}
		if path := form.Get("path"); path != "" {
			if next, err = next.Apply(recipe.Set(path, id)); err != nil {
				return true, err
			}
		}
		form.Set("area", string(id))
		form.Del("part")
		return true, s.commit(c, shot, version, next, "New area "+next.Area(id).Name)
	case "remove-area":
		a := r.Area(area.Ref(form.Get("remove")))
		if a == nil {
			return true, fault.New(fault.Gone, "That area is no longer in this shot. Reload the page.")
		}
		next, err := r.RemoveArea(area.Ref(a.ID))
		if err != nil {
			return true, err
		}
		return true, s.commit(c, shot, version, next, "Remove area "+a.Name)
	}
	return false, nil
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
	next, err := r.Apply(ops)
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
