package action

import (
	"cmp"
	"slices"
	"strings"

	"pyrant/internal/base/fault"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// Begin adds the passes of a start.
type Begin struct {
	Start string `form:"start"`
}

// Edit is that of Action.
func (a Begin) Edit(r *recipe.Recipe) (Result, error) {
	next, first, open, err := edit.Begin(r, a.Start)
	if err != nil {
		return Result{}, err
	}
	title, part := "Start", ""
	for _, s := range edit.Starts {
		if s.ID == a.Start {
			title = s.Name
		}
	}
	if area := next.Area(open); open != "" && len(area.Parts) > 0 {
		part = area.Parts[0].ID
	}
	return Result{next, title, map[string]string{"pass": first, "area": string(open),
		"part": part}}, nil
}

// DuplicatePass puts a copy of a pass of a step, "dusk" or "finish", behind it.
type DuplicatePass struct {
	Step string `form:"step"`
	Pass string `form:"pass"`
}

// Edit is that of Action.
func (a DuplicatePass) Edit(r *recipe.Recipe) (Result, error) {
	list := r.Passes(a.Step)
	i := -1
	if list != nil {
		i = slices.IndexFunc(*list, func(p pass.Pass) bool { return p.ID == a.Pass })
	}
	if i < 0 {
		return Result{}, gone("pass")
	}
	next, err := edit.DuplicatePass(r, a.Step, i)
	if err != nil {
		return Result{}, err
	}
	return Result{next, "Duplicate " + (*list)[i].Name,
		map[string]string{"pass": (*next.Passes(a.Step))[i+1].ID}}, nil
}

// AddArea adds an area, named after what it is for, and uses it there at once: Path is that of the
// value that names it.
type AddArea struct {
	Name string `form:"name,optional"`
	Path string `form:"path,optional"`
}

// Edit is that of Action.
func (a AddArea) Edit(r *recipe.Recipe) (Result, error) {
	next, id, err := edit.AddArea(r, cmp.Or(strings.TrimSpace(a.Name), "Area"))
	if err != nil {
		return Result{}, err
	}
	if a.Path != "" {
		if next, err = edit.Apply(next, edit.Set(a.Path, id)); err != nil {
			return Result{}, err
		}
	}
	return Result{next, "New area " + next.Area(id).Name,
		map[string]string{"area": string(id), "part": ""}}, nil
}

// RemoveArea deletes an area.
type RemoveArea struct {
	Remove area.Ref `form:"remove"`
}

// Edit is that of Action.
func (a RemoveArea) Edit(r *recipe.Recipe) (Result, error) {
	old := r.Area(a.Remove)
	if old == nil {
		return Result{}, fault.New(fault.Gone,
			"That area is no longer in this shot. Reload the page.")
	}
	next, err := edit.RemoveArea(r, area.Ref(old.ID))
	return result(next, err, "Delete area "+old.Name)
}

// OfCutOut is the part of an action that names its cut-out.
type OfCutOut struct {
	ID cutout.Ref `form:"of"`
}

// Of returns the cut-out, which is not changed.
func (o OfCutOut) Of(r *recipe.Recipe) (*cutout.CutOut, error) {
	c := r.CutOut(o.ID)
	if c == nil {
		return nil, fault.New(fault.Gone,
			"That cut-out is no longer in this shot. Reload the page.")
	}
	return c, nil
}

// RemoveCutOut deletes a cut-out.
type RemoveCutOut struct{ OfCutOut }

// Edit is that of Action.
func (a RemoveCutOut) Edit(r *recipe.Recipe) (Result, error) {
	c, err := a.Of(r)
	if err != nil {
		return Result{}, err
	}
	next, err := edit.RemoveCutOut(r, a.ID)
	return result(next, err, "Delete "+c.Name)
}

// LightCutOut makes a light of a cut-out's pixels.
type LightCutOut struct{ OfCutOut }

// Edit is that of Action.
func (a LightCutOut) Edit(r *recipe.Recipe) (Result, error) {
	c, err := a.Of(r)
	if err != nil {
		return Result{}, err
	}
	return LightOf(r, c, "Light of ", shape.Shapes{shape.CutOut{Of: a.ID}})
}

// LightOf makes a light of the shapes that a cut-out becomes.
func LightOf(r *recipe.Recipe, c *cutout.CutOut, title string, shapes shape.Shapes) (Result,
	error) {
	if c.Empty() {
		return Result{}, fault.New(fault.Invalid,
			"“%s” is empty. Paint strokes inside and outside first.", c.Name)
	}
	next, i, err := edit.AddLight(r)
	if err != nil {
		return Result{}, err
	}
	l := &next.Lights[i]
	l.Name, l.Shapes = c.Name, shapes
	edit.Suit(next, i)
	return Result{next, title + c.Name,
		map[string]string{"light": l.ID, "cut": ""}}, next.Validate()
}

// RemoveReference deletes the reference.
type RemoveReference struct{}

// Edit is that of Action.
func (RemoveReference) Edit(r *recipe.Recipe) (Result, error) {
	next := r.Clone()
	next.Reference = setting.New[recipe.Reference](r.Photo.Frame())
	return result(next, nil, "Delete the reference")
}
