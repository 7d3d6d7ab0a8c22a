package edit

import (
	"context"

	"pyrant/internal/light/spill"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
)

// Decode reads a recipe of any version from JSON that is complete in itself, brings it up to date
// and validates it. Items without ids get some that are the same each time. All faults are of type
// *fault.Error.
func Decode(data []byte) (*recipe.Recipe, error) { return Unpack(data, nil) }

// Unpack is Decode of JSON that names lists of points by their SHA-256; load returns their bytes.
func Unpack(data []byte, load func(sum string) ([]byte, error)) (*recipe.Recipe, error) {
	r, from, err := recipe.Read(data, load)
	if err != nil {
		return nil, err
	}
	if from < 5 {
		if err := upgradeSpill(r); err != nil {
			return nil, err
		}
	}
	*r = setting.Identify(*r, true)
	return r, nil
}

// Identify returns the recipe with an id for each item that has none.
func Identify(r *recipe.Recipe) *recipe.Recipe {
	next := setting.Identify(*r, false)
	return &next
}

// upgradeSpill changes the spill of a recipe of before version 5 so that it gives the light that it
// gave; see package spill. In a room the falloff was the same already.
func upgradeSpill(r *recipe.Recipe) error {
	if r.Room.On {
		return nil
	}
	strength, height := setting.Of[recipe.Spill]("strength"), setting.Of[recipe.Spill]("height")
	for i := range r.Lights {
		l := &r.Lights[i]
		h, times, err := spill.SinceBefore(context.Background(), l.Shapes, l.Spill.Reach)
		if err != nil {
			return err
		}
		l.Spill.Height = setting.Round(max(h, height.Min.A))
		l.Spill.Strength = min(setting.Round(l.Spill.Strength*times), strength.Max.A)
	}
	return nil
}
