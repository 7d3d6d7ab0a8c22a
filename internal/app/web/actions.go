package web

import (
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"strconv"

	"github.com/labstack/echo/v5"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/fault"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/shot/store"
)

// actions are what a page asks for that is more than a value, such as adding a light, by the name
// at the end of the address POST /shots/ID/actions/NAME.
var actions = map[string]func(*acting) error{
	// undo, lights and shapes
	"undo":            (*acting).undo,
	"redo":            (*acting).redo,
	"add-light":       (*acting).addLight,
	"add-shape":       (*acting).addShapes,
	"add-shapes":      (*acting).addShapes,
	"duplicate-light": (*acting).duplicateLight,
	"remove-light":    (*acting).removeLight,
	"add-shell":       (*acting).addShell,
	"start-stack":     (*acting).startStack,
	// revisions and saved states
	"go":          (*acting).goTo,
	"mark":        (*acting).mark,
	"go-mark":     (*acting).goMark,
	"rename-mark": (*acting).renameMark,
	"remove-mark": (*acting).removeMark,
	// the reference
	"align-reference":  (*acting).alignReference,
	"pair-reference":   (*acting).pairReference,
	"remove-reference": (*acting).removeReference,
	"match-reference":  (*acting).matchReference,
	// passes and areas
	"begin":          (*acting).begin,
	"duplicate-pass": (*acting).duplicatePass,
	"add-area":       (*acting).addArea,
	"remove-area":    (*acting).removeArea,
	// lights and rigs
	"cut-ray":      (*acting).cutRay,
	"vary":         (*acting).vary,
	"unlike":       (*acting).unlike,
	"add-orb":      (*acting).addOrb,
	"add-points":   (*acting).addPoints,
	"scatter":      (*acting).scatter,
	"single":       (*acting).single,
	"deal":         (*acting).deal,
	"group-lights": (*acting).groupLights,
	"ungroup":      (*acting).ungroup,
	"move-light":   (*acting).moveLight,
	"paste-lights": (*acting).pasteLights,
	"save-rig":     (*acting).saveRig,
	"read-rig":     (*acting).readRig,
	"rename-rig":   (*acting).renameRig,
	"remove-rig":   (*acting).removeRig,
	// the room
	"set-horizon":  (*acting).setHorizon,
	"add-wall":     (*acting).addWall,
	"set-ceiling":  (*acting).setCeiling,
	"set-floor":    (*acting).setFloor,
	"find-room":    (*acting).findRoom,
	"add-platform": (*acting).addPlatform,
	"add-thing":    (*acting).addThing,
	"touch-up":     (*acting).touchUp,
	// cut-outs
	"add-cutout":    (*acting).addCutout,
	"remove-cutout": (*acting).removeCutout,
	"light-cutout":  (*acting).lightCutout,
	"trace-cutout":  (*acting).traceCutout,
}

// acting is an action under way: the request and its form, and the shot, recipe and version that it
// is for.
type acting struct {
	*Server
	c       *echo.Context
	ctx     context.Context
	form    url.Values
	shot    *store.Shot
	r       *recipe.Recipe
	version int64
}

// action does what the address names.
func (s *Server) action(c *echo.Context) error {
	shot, r, version, err := s.current(c)
	if err != nil {
		return err
	}
	if err := sameLight(r, c.FormValue("light"), c.FormValue("light_id")); err != nil {
		return err
	}
	do := actions[c.Param("action")]
	if do == nil {
		return echo.ErrNotFound
	}
	return do(&acting{s, c, c.Request().Context(), c.Request().Form, shot, r, version})
}

// save commits a recipe and answers with the page's parts.
func (a *acting) save(next *recipe.Recipe, title string) error {
	return a.commit(a.c, a.shot, a.version, next, title)
}

// saveIf saves a recipe unless making it failed.
func (a *acting) saveIf(next *recipe.Recipe, err error, title string) error {
	if err != nil {
		return err
	}
	return a.save(next, title)
}

// show saves a recipe and selects a light.
func (a *acting) show(next *recipe.Recipe, title string, light int) error {
	a.form.Set("light", strconv.Itoa(light))
	return a.save(next, title)
}

// number returns a number of the form. One that cannot be read is so far away that the recipe
// refuses it.
func (a *acting) number(name string) float64 {
	v, err := strconv.ParseFloat(a.form.Get(name), 64)
	if err != nil {
		return -1e9
	}
	return v
}

// whole returns a whole number of the form, -1 if it cannot be read.
func (a *acting) whole(name string) int {
	n, err := strconv.Atoi(a.form.Get(name))
	if err != nil {
		return -1
	}
	return n
}

// light returns the index of the light that the action is for.
func (a *acting) light() (int, error) {
	i := a.whole("light")
	if i < 0 || i >= len(a.r.Lights) {
		return 0, fault.New(fault.Invalid, "There is no such light in this shot.")
	}
	return i, nil
}

// points returns so many points of the photo.
func (a *acting) points(n int) (list []camera.Point, err error) {
	err = json.Unmarshal([]byte(a.form.Get("points")), &list)
	if err != nil || len(list) != n {
		return nil, fault.New(fault.Invalid, "This takes %d points of the photo.", n)
	}
	return list, nil
}

// cutOut returns the cut-out that the action is for.
func (a *acting) cutOut() (*cutout.CutOut, error) {
	o := a.r.CutOut(cutout.Ref(a.form.Get("of")))
	if o == nil {
		return nil, goneCutOut()
	}
	return o, nil
}

func (a *acting) undo() error { return a.step(-1) }
func (a *acting) redo() error { return a.step(1) }

// step moves along the shot's revisions.
func (a *acting) step(by int) error {
	next, err := a.store.Step(a.ctx, a.shot.ID, a.version, by)
	if err != nil {
		return err
	}
	return a.update(a.c, next)
}

func (a *acting) addLight() error {
	next, i, err := a.r.AddLight()
	if err != nil {
		return err
	}
	return a.show(next, "Add "+next.Lights[i].Name, i)
}

// addShapes adds one shape, or several that belong together. They go to the light, or to a new one:
// where the light is the one after the last, or has shapes already and fresh is asked for.
func (a *acting) addShapes() error {
	i, next := a.whole("light"), a.r
	if i < 0 || i > len(a.r.Lights) {
		return fault.New(fault.Invalid, "There is no such light in this shot.")
	}
	var shapes []json.RawMessage
	if one := a.form.Get("shape"); one != "" {
		shapes = append(shapes, json.RawMessage(one))
	} else if err := json.Unmarshal([]byte(a.form.Get("shapes")), &shapes); err != nil ||
		len(shapes) == 0 {
		return fault.New(fault.Invalid, "There is no shape to add.")
	}
	if a.form.Get("fresh") != "" && i < len(a.r.Lights) && len(a.r.Lights[i].Shapes) > 0 {
		i = len(a.r.Lights)
	}
	if i == len(a.r.Lights) {
		var err error
		if next, i, err = a.r.AddLight(); err != nil {
			return err
		}
	}
	first := len(next.Lights[i].Shapes) == 0
	var ops []setting.Op
	for _, one := range shapes {
		path := fmt.Sprintf("/lights/%d/shapes/-", i)
		ops = append(ops, setting.Op{Op: "add", Path: path, Value: one})
	}
	next, err := next.Apply(ops)
	if err != nil {
		return err
	}
	if first {
		next.Suit(i)
	}
	return a.show(next, "Trace "+next.Lights[i].Name, i)
}

func (a *acting) duplicateLight() error {
	i, err := a.light()
	if err != nil {
		return err
	}
	next, err := a.r.DuplicateLight(i)
	if err != nil {
		return err
	}
	return a.show(next, "Duplicate "+a.r.Lights[i].Name, i+1)
}

func (a *acting) removeLight() error {
	i, err := a.light()
	if err != nil {
		return err
	}
	return a.show(a.r.RemoveLight(i), "Remove "+a.r.Lights[i].Name, max(i-1, 0))
}

func (a *acting) addShell() error {
	i, err := a.light()
	if err != nil {
		return err
	}
	next, err := a.r.AddShell(i)
	return a.saveIf(next, err, "Add a shell to "+a.r.Lights[i].Name)
}

func (a *acting) startStack() error {
	i, err := a.light()
	if err != nil {
		return err
	}
	next := a.r.Clone()
	next.Lights[i].Shells = recipe.StartRig(a.r.Lights[i].Shapes, a.r.Photo).Stack(a.r.Photo)
	return a.save(next, "Starting stack of "+a.r.Lights[i].Name)
}
