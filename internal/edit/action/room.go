package action

import (
	"pyrant/internal/base/camera"
	"pyrant/internal/base/fault"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
)

// Points are places on the photo, in its pixels.
type Points []camera.Point

// take returns the points if there are so many.
func (p Points) take(n int) ([]camera.Point, error) {
	if len(p) != n {
		return nil, fault.New(fault.Invalid, "This needs %d points.", n)
	}
	return p, nil
}

// Line is the part of an action that is drawn as a line.
type Line struct {
	Points Points `form:"points"`
}

func (l Line) edit(r *recipe.Recipe, title string,
	change func(r *recipe.Recipe, from, to camera.Point) (*recipe.Recipe, error)) (Result, error) {
	p, err := l.Points.take(2)
	if err != nil {
		return Result{}, err
	}
	next, err := change(r, p[0], p[1])
	return result(next, err, title)
}

// SetHorizon makes the ground of the room by its horizon.
type SetHorizon struct{ Line }

// Edit is that of Action.
func (a SetHorizon) Edit(r *recipe.Recipe) (Result, error) {
	return a.edit(r, "Ground of the room", edit.SetHorizon)
}

// AddWall adds a wall by its line on the floor.
type AddWall struct{ Line }

// Edit is that of Action.
func (a AddWall) Edit(r *recipe.Recipe) (Result, error) {
	return a.edit(r, "Wall of the room", edit.AddWall)
}

// SetCeiling adds a ceiling by its line on a wall.
type SetCeiling struct{ Line }

// Edit is that of Action.
func (a SetCeiling) Edit(r *recipe.Recipe) (Result, error) {
	return a.edit(r, "Ceiling of the room", edit.SetCeiling)
}

// SetFloor makes the floor by the four corners of a rectangle on it.
type SetFloor struct {
	Points Points `form:"points"`
}

// Edit is that of Action.
func (a SetFloor) Edit(r *recipe.Recipe) (Result, error) {
	p, err := a.Points.take(4)
	if err != nil {
		return Result{}, err
	}
	next, err := edit.SetFloor(r, p)
	return result(next, err, "Floor of the room")
}

// AddPlatform adds a platform by the corners of its top and a place at its foot.
type AddPlatform struct {
	Points Points `form:"points"`
}

// Edit is that of Action.
func (a AddPlatform) Edit(r *recipe.Recipe) (Result, error) {
	p, err := a.Points.take(5)
	if err != nil {
		return Result{}, err
	}
	next, err := edit.AddPlatform(r, p[:4], p[4])
	return result(next, err, "Platform in the room")
}

// AddThing puts a cut-out into the room as an object.
type AddThing struct {
	Of cutout.Ref `form:"of"`
}

// Edit is that of Action.
func (a AddThing) Edit(r *recipe.Recipe) (Result, error) {
	o := r.CutOut(a.Of)
	if o == nil || o.Empty() {
		return Result{}, fault.New(fault.Gone, "There is no such cut-out in this shot.")
	}
	foot, err := edit.FootOf(r, o)
	if err != nil {
		return Result{}, err
	}
	next, err := edit.AddThing(r, a.Of, foot)
	return result(next, err, o.Name+" in the room")
}

// TouchUp begins to touch up a light's spill by hand; Does is a recipe.Touching, or "pool".
type TouchUp struct {
	OfLight
	Does string `form:"does"`
}

// Edit is that of Action.
func (a TouchUp) Edit(r *recipe.Recipe) (Result, error) {
	l, i, err := a.Of(r)
	if err != nil {
		return Result{}, err
	}
	var next *recipe.Recipe
	var id area.Ref
	title, part := "Touch up spill of "+l.Name, ""
	if a.Does == "pool" {
		next, id, err = edit.Pool(r, i)
		title = "Pool of light of " + l.Name
	} else {
		next, id, err = edit.TouchUp(r, i, recipe.Touching(a.Does))
	}
	if err != nil {
		return Result{}, err
	}
	if a.Does == "pool" { // its ring is taken hold of at once
		part = next.Area(id).Parts[0].ID
	}
	return Result{next, title, map[string]string{"area": string(id), "part": part}}, nil
}
