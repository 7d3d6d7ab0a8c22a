package action

import (
	"encoding/json"
	"fmt"
	"strings"

	"pyrant/internal/base/fault"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// AddLight adds a light without shapes.
type AddLight struct{}

// Edit is that of Action.
func (AddLight) Edit(r *recipe.Recipe) (Result, error) {
	next, i, err := edit.AddLight(r)
	if err != nil {
		return Result{}, err
	}
	return showing(next, "Add "+next.Lights[i].Name, i)
}

// AddShapes adds one shape, or several that belong together. They go to the light, or to a new one:
// where Light is empty, or the light has shapes already and Fresh is set.
type AddShapes struct {
	Light  string            `form:"light,optional"`
	Shape  json.RawMessage   `form:"shape,optional"`
	Shapes []json.RawMessage `form:"shapes,optional"`
	Fresh  bool              `form:"fresh"`
}

// Edit is that of Action.
func (a AddShapes) Edit(r *recipe.Recipe) (Result, error) {
	i, next := len(r.Lights), r
	if a.Light != "" {
		if i = indexOf(r, a.Light); i < 0 {
			return Result{}, gone("light")
		}
	}
	shapes := a.Shapes
	if len(a.Shape) > 0 {
		shapes = []json.RawMessage{a.Shape}
	}
	if len(shapes) == 0 {
		return Result{}, fault.New(fault.Invalid, "There is no shape to add.")
	}
	if a.Fresh && i < len(r.Lights) && len(r.Lights[i].Shapes) > 0 {
		i = len(r.Lights)
	}
	if i == len(r.Lights) {
		var err error
		if next, i, err = edit.AddLight(r); err != nil {
			return Result{}, err
		}
	}
	first := len(next.Lights[i].Shapes) == 0
	var ops []setting.Op
	for _, one := range shapes {
		path := fmt.Sprintf("/lights/%d/shapes/-", i)
		ops = append(ops, setting.Op{Op: "add", Path: path, Value: one})
	}
	next, err := edit.Apply(next, ops)
	if err != nil {
		return Result{}, err
	}
	if first {
		edit.Suit(next, i)
	}
	return showing(next, "Trace "+next.Lights[i].Name, i)
}

// DuplicateLight puts a copy of a light behind it.
type DuplicateLight struct{ OfLight }

// Edit is that of Action.
func (a DuplicateLight) Edit(r *recipe.Recipe) (Result, error) {
	l, i, err := a.Of(r)
	if err != nil {
		return Result{}, err
	}
	next, err := edit.DuplicateLight(r, i)
	if err != nil {
		return Result{}, err
	}
	return showing(next, "Duplicate "+l.Name, i+1)
}

// RemoveLight deletes a light.
type RemoveLight struct{ OfLight }

// Edit is that of Action.
func (a RemoveLight) Edit(r *recipe.Recipe) (Result, error) {
	l, i, err := a.Of(r)
	if err != nil {
		return Result{}, err
	}
	return showing(edit.RemoveLight(r, i), "Delete "+l.Name, max(i-1, 0))
}

// AddShell adds a shell to a light's stack.
type AddShell struct{ OfLight }

// Edit is that of Action.
func (a AddShell) Edit(r *recipe.Recipe) (Result, error) {
	l, i, err := a.Of(r)
	if err != nil {
		return Result{}, err
	}
	next, err := edit.AddShell(r, i)
	return result(next, err, "Add a shell to "+l.Name)
}

// StartStack gives a light the stack that its shapes begin with.
type StartStack struct{ OfLight }

// Edit is that of Action.
func (a StartStack) Edit(r *recipe.Recipe) (Result, error) {
	l, i, err := a.Of(r)
	if err != nil {
		return Result{}, err
	}
	next := r.Clone()
	next.Lights[i].Shells = recipe.StartRig(l.Shapes, r.Photo).Stack(r.Photo)
	return result(next, nil, "Add default shells to "+l.Name)
}

// Vary makes the points of a light differ.
type Vary struct {
	OfLight
	Kinds     int     `form:"kinds"`
	Hue       float64 `form:"hue"`
	Lightness float64 `form:"lightness"`
	Seed      int     `form:"seed"`
}

// Edit is that of Action.
func (a Vary) Edit(r *recipe.Recipe) (Result, error) {
	l, i, err := a.Of(r)
	if err != nil {
		return Result{}, err
	}
	next, err := edit.Vary(r, i, edit.Variation{Kinds: a.Kinds, Hue: a.Hue,
		Light: a.Lightness, Seed: a.Seed})
	return result(next, err, "Points of "+l.Name+" varied")
}

// Unlike adds a light that is like another but not the same.
type Unlike struct {
	OfLight
	Seed int `form:"seed"`
}

// Edit is that of Action.
func (a Unlike) Edit(r *recipe.Recipe) (Result, error) {
	_, i, err := a.Of(r)
	if err != nil {
		return Result{}, err
	}
	next, err := edit.Unlike(r, i, a.Seed)
	if err != nil {
		return Result{}, err
	}
	return showing(next, "Add "+next.Lights[i+1].Name, i+1)
}

// AddOrb adds a round light of a kind, in pixels of the photo.
type AddOrb struct {
	Kind   string  `form:"kind"`
	X      float64 `form:"x"`
	Y      float64 `form:"y"`
	Radius float64 `form:"radius"`
}

// Edit is that of Action.
func (a AddOrb) Edit(r *recipe.Recipe) (Result, error) {
	next, i, err := edit.AddOrb(r, a.Kind, a.X, a.Y, a.Radius)
	if err != nil {
		return Result{}, err
	}
	return showing(next, "Add "+next.Lights[i].Name, i)
}

// AddPoints adds point lights as one light; of the kind dead, which are off on the photo.
type AddPoints struct {
	Points []struct{ X, Y, Radius float64 } `form:"points"`
	Kind   string                           `form:"kind,optional"`
}

// Edit is that of Action.
func (a AddPoints) Edit(r *recipe.Recipe) (Result, error) {
	spots := make([]shape.Spot, len(a.Points))
	for k, p := range a.Points {
		spots[k] = shape.Spot{At: shape.Point{X: p.X, Y: p.Y}, Radius: p.Radius}
	}
	next, i, err := edit.AddPoints(r, spots, a.Kind == "dead")
	if err != nil {
		return Result{}, err
	}
	return showing(next, "Add "+next.Lights[i].Name, i)
}

// Scatter fills the shapes of a light with bulbs; lengths are in pixels of the photo.
type Scatter struct {
	OfLight
	Gap  float64 `form:"gap"`
	Size float64 `form:"size"`
	Vary float64 `form:"vary"`
	Seed int     `form:"seed"`
}

// Edit is that of Action.
func (a Scatter) Edit(r *recipe.Recipe) (Result, error) {
	l, i, err := a.Of(r)
	if err != nil {
		return Result{}, err
	}
	next, err := edit.ScatterBulbs(r, i, shape.Scatter{Gap: a.Gap, Size: a.Size, Vary: a.Vary,
		Seed: a.Seed})
	return result(next, err, "Bulbs in "+l.Name)
}

// Deal distributes the gels of a palette to the points of a light.
type Deal struct {
	OfLight
	Palette string `form:"palette"`
	Seed    int    `form:"seed"`
}

// Edit is that of Action.
func (a Deal) Edit(r *recipe.Recipe) (Result, error) {
	l, i, err := a.Of(r)
	if err != nil {
		return Result{}, err
	}
	next, err := edit.Deal(r, i, a.Palette, a.Seed)
	return result(next, err, "Gels of "+l.Name+" dealt")
}

// GroupLights makes a group of lights, named by their ids with commas between.
type GroupLights struct {
	Lights string `form:"lights"`
}

// Edit is that of Action.
func (a GroupLights) Edit(r *recipe.Recipe) (Result, error) {
	next, err := edit.GroupLights(r, strings.Split(a.Lights, ","))
	return result(next, err, "Group lights")
}

// Ungroup takes the lights of a group apart.
type Ungroup struct {
	Group string `form:"group"`
}

// Edit is that of Action.
func (a Ungroup) Edit(r *recipe.Recipe) (Result, error) {
	next, err := edit.Ungroup(r, a.Group)
	return result(next, err, "Ungroup")
}

// MoveLight moves a light before another, or behind all where Before is empty.
type MoveLight struct {
	OfLight
	Before string `form:"before,optional"`
}

// Edit is that of Action.
func (a MoveLight) Edit(r *recipe.Recipe) (Result, error) {
	_, i, err := a.Of(r)
	if err != nil {
		return Result{}, err
	}
	to := len(r.Lights)
	if a.Before != "" {
		if to = indexOf(r, a.Before); to < 0 {
			return Result{}, gone("light")
		}
	}
	next, at, err := edit.MoveLight(r, i, to)
	if err != nil {
		return Result{}, err
	}
	return showing(next, "Order of lights", at)
}

// PasteLights adds lights that were copied.
type PasteLights struct {
	Doc string `form:"doc"`
}

// Edit is that of Action.
func (a PasteLights) Edit(r *recipe.Recipe) (Result, error) {
	next, i, err := edit.PasteLights(r, []byte(a.Doc))
	if err != nil {
		return Result{}, err
	}
	return showing(next, "Paste "+next.Lights[i].Name, i)
}
