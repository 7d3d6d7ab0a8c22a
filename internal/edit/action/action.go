// Package action holds the actions on a recipe that are more than new values: adding a light,
// drawing a wall, starting a look. An action is plain data, as a page sends it. Its Edit makes a
// recipe of another by package edit, so every action is tested without a page.
//
// Where an action needs what is in no recipe, such as the photo, it is an action of the application
// (package web), which may end in one of these.
package action

import (
	"strconv"

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

// showing returns a result that opens a light.
func showing(next *recipe.Recipe, title string, light int) (Result, error) {
	return Result{next, title, map[string]string{"light": strconv.Itoa(light)}}, nil
}

// OfLight is the part of an action that names its light, by its position.
type OfLight struct {
	Light int `form:"light"`
}

// Of returns the light, which is not changed.
func (o OfLight) Of(r *recipe.Recipe) (*recipe.Light, error) {
	if o.Light < 0 || o.Light >= len(r.Lights) {
		return nil, fault.New(fault.Invalid, "There is no such light in this shot.")
	}
	return &r.Lights[o.Light], nil
}
