package web

import (
	"context"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"pyrant/internal/base/photo"
	"pyrant/internal/edit"
	"pyrant/internal/edit/action"
	"pyrant/internal/recipe"
	"pyrant/internal/render"
	"pyrant/internal/shot/store"
)

// do does an action: it reads what is asked for, changes the shot, and answers.
type do func(*acting) error

// actions are what a page asks for that is more than a value, such as adding a light, by the name
// at the end of the address POST /shots/ID/actions/NAME.
var actions = map[string]do{
	// undo, lights and shapes
	"undo":            with((*acting).undo),
	"redo":            with((*acting).redo),
	"add-light":       edits[action.AddLight],
	"add-shape":       traces[action.AddShapes],
	"add-shapes":      traces[action.AddShapes],
	"duplicate-light": edits[action.DuplicateLight],
	"remove-light":    edits[action.RemoveLight],
	"add-shell":       edits[action.AddShell],
	"start-stack":     edits[action.StartStack],
	// revisions and saved states
	"go":          with((*acting).goTo),
	"mark":        with((*acting).mark),
	"go-mark":     with((*acting).goMark),
	"rename-mark": with((*acting).renameMark),
	"remove-mark": with((*acting).removeMark),
	// the reference
	"align-reference":  with((*acting).alignReference),
	"pair-reference":   with((*acting).pairReference),
	"remove-reference": edits[action.RemoveReference],
	"match-reference":  with((*acting).matchReference),
	// passes and areas
	"begin":          edits[action.Begin],
	"duplicate-pass": edits[action.DuplicatePass],
	"add-area":       edits[action.AddArea],
	"remove-area":    edits[action.RemoveArea],
	// lights and rigs
	"cut-ray":      with((*acting).cutRay),
	"vary":         edits[action.Vary],
	"unlike":       edits[action.Unlike],
	"add-orb":      edits[action.AddOrb],
	"add-points":   edits[action.AddPoints],
	"scatter":      edits[action.Scatter],
	"single":       with((*acting).single),
	"deal":         edits[action.Deal],
	"group-lights": edits[action.GroupLights],
	"ungroup":      edits[action.Ungroup],
	"move-light":   edits[action.MoveLight],
	"paste-lights": edits[action.PasteLights],
	"save-rig":     with((*acting).saveRig),
	"read-rig":     with((*acting).readRig),
	"rename-rig":   with((*acting).renameRig),
	"remove-rig":   with((*acting).removeRig),
	// the room
	"set-horizon":  editsNewRoom[action.SetHorizon],
	"add-wall":     editsNewRoom[action.AddWall],
	"set-ceiling":  edits[action.SetCeiling],
	"set-floor":    edits[action.SetFloor],
	"find-room":    with((*acting).findRoom),
	"add-platform": edits[action.AddPlatform],
	"add-thing":    edits[action.AddThing],
	"touch-up":     edits[action.TouchUp],
	// cut-outs
	"add-cutout":    with((*acting).addCutout),
	"remove-cutout": edits[action.RemoveCutOut],
	"light-cutout":  traces[action.LightCutOut],
	"trace-cutout":  with((*acting).traceCutout),
}

// edits does an action on the recipe.
func edits[A action.Action](a *acting) error { return editsOf[A](a, a.r) }

// editsOf does an action on a recipe.
func editsOf[A action.Action](a *acting, r *recipe.Recipe) error {
	var q A
	if err := bindForm(a.form, &q); err != nil {
		return err
	}
	return a.finish(q.Edit(r))
}

// traces does an action that may trace a new light, which takes hue and name from its object.
func traces[A action.Action](a *acting) error {
	var q A
	if err := bindForm(a.form, &q); err != nil {
		return err
	}
	return a.finishTraced(q.Edit(a.r))
}

// editsNewRoom does an action that may begin a room.
func editsNewRoom[A action.Action](a *acting) error {
	r, err := a.forNewRoom()
	if err != nil {
		return err
	}
	return editsOf[A](a, r)
}

// with does an action that needs more than a recipe, by what the form says.
func with[Q any](f func(*acting, Q) error) do {
	return func(a *acting) error {
		var q Q
		if err := bindForm(a.form, &q); err != nil {
			return err
		}
		return f(a, q)
	}
}

// nothing is what an action asks for that needs no more than the shot.
type nothing struct{}

// exact are the actions that count from the state that the page shows.
var exact = map[string]bool{"undo": true, "redo": true, "go": true}

// acting is an action under way: the request and its form, and the shot and recipe in force.
type acting struct {
	*Server
	c    *echo.Context
	ctx  context.Context
	form url.Values
	shot *store.Shot
	r    *recipe.Recipe
}

// action does what the address names.
func (s *Server) action(c *echo.Context) error {
	name := c.Param("action")
	do := actions[name]
	if do == nil {
		return echo.ErrNotFound
	}
	return s.saved(c, exact[name], func(shot *store.Shot, r *recipe.Recipe) error {
		ctx := c.Request().Context()
		err := do(&acting{s, c, ctx, c.Request().Form, shot, r})
		return s.nameGone(ctx, shot, err, itemPaths(r, c.FormValue)...)
	})
}

// save commits a recipe and answers with the page's parts. A room that is set up for the first time
// keeps the mean of the spill.
func (a *acting) save(next *recipe.Recipe, title string) error {
	if next.Room.On && !a.r.Room.SetUp() && next.Room.Gain == 1 {
		gain, err := inTurn(a.ctx, a.Server, a.shot, asker{lane: "room gain"},
			func(ctx context.Context, p *photo.Photo) (float64, error) {
				q := render.Request{Photo: p, PhotoKey: a.shot.PhotoSHA, Recipe: next}
				return a.engine.RoomGain(ctx, q, a.r)
			})
		if err != nil {
			return err
		}
		next = next.Clone()
		next.Room.Gain = gain
	}
	return a.commit(a.c, a.shot, next, title)
}

// finish saves what an edit made, and opens what is to be seen of it.
func (a *acting) finish(res action.Result, err error) error {
	if err != nil {
		return err
	}
	for name, v := range res.Open {
		a.form.Set(name, v)
	}
	return a.save(res.Recipe, res.Title)
}

// finishTraced is finish for what may trace a new light.
func (a *acting) finishTraced(res action.Result, err error) error {
	if err != nil {
		return err
	}
	if i := edit.FirstTraced(a.r, res.Recipe); i >= 0 {
		p, err := a.photo(a.ctx, a.shot.PhotoSHA)
		if err != nil {
			return err
		}
		was := res.Recipe.Lights[i].Name
		edit.Introduce(res.Recipe, i, p)
		res.Title = strings.ReplaceAll(res.Title, was, res.Recipe.Lights[i].Name)
	}
	return a.finish(res, nil)
}

// saveIf saves a recipe unless making it failed.
func (a *acting) saveIf(next *recipe.Recipe, err error, title string) error {
	if err != nil {
		return err
	}
	return a.save(next, title)
}

func (a *acting) undo(nothing) error { return a.step(-1) }
func (a *acting) redo(nothing) error { return a.step(1) }

// step moves along the shot's revisions.
func (a *acting) step(by int) error {
	next, err := a.store.Step(a.ctx, a.shot.ID, a.shot.Version, by)
	if err != nil {
		return err
	}
	return a.update(a.c, next)
}
