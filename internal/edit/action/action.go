// Package action holds the actions on a recipe that are more than new values: adding a light,
// drawing a wall, starting a look. An action is plain data, as a page sends it. Its Edit makes a
// recipe of another by package edit, so every action is tested without a page.
//
// Where an action needs what is in no recipe, such as the photo, it is an action of the application
// (package web), which may end in one of these.
package action

import (
	"slices"

	"pyrant/internal/base/fault"
	"pyrant/internal/recipe"
)

// Action is a change to a recipe. Its fields have the names of a form's values, by their tags.
type Action interface {
	// Edit returns the changed recipe. Errors are *fault.Error.
	Edit(r *recipe.Recipe) (Result, error)
}

// Result is what an action makes.
type Result struct {
	Recipe *recipe.Recipe
	Title  string // in the history
	// Open is what the page shows of it, by the names of its view: light, pass, area, part, cut. An
	// empty value closes what was open.
	Open map[string]string
}

// result returns a result unless making the recipe failed.
func result(next *recipe.Recipe, err error, title string) (Result, error) {
	return Result{Recipe: next, Title: title}, err
}

// showing returns a result that opens a light; -1 for none.
func showing(next *recipe.Recipe, title string, light int) (Result, error) {
	id := ""
	if light >= 0 && light < len(next.Lights) {
		id = next.Lights[light].ID
	}
	return Result{next, title, map[string]string{"light": id}}, nil
}

// OfLight is the part of an action that names its light, by its id.
type OfLight struct {
	Light string `form:"light"`
}

// Of returns the light, which is not changed, and its index.
func (o OfLight) Of(r *recipe.Recipe) (*recipe.Light, int, error) {
	i := indexOf(r, o.Light)
	if i < 0 {
		return nil, 0, gone("light")
	}
	return &r.Lights[i], i, nil
}

// indexOf returns the index of a light by its id, -1 for none.
func indexOf(r *recipe.Recipe, id string) int {
	return slices.IndexFunc(r.Lights, func(l recipe.Light) bool { return l.ID == id })
}

// gone is the fault of an action for an item that was deleted meanwhile.
func gone(what string) error {
	return fault.New(
		fault.Gone,
		"That %s was deleted. Nothing was changed.",
		what,
	)
}
