package edit

import (
	"pyrant/internal/base/fault"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// Orbs are lights without a traced thing: soft discs about one place.
const (
	Orb  = "orb"  // discs from wide and deep to small and nearly white
	Veil = "veil" // a very wide soft lift of what is round a place

	Burst = "burst" // one great uneven star, as of a low sun
)

// AddOrb returns the recipe with an orb, a veil or a burst of a radius about a place of the photo,
// in pixels, and its index. It may lie beyond the frame, in part or all of it.
func AddOrb(r *recipe.Recipe, kind string, x, y, radius float64) (*recipe.Recipe, int, error) {
	if kind != Orb && kind != Veil && kind != Burst {
		return nil, 0, fault.New(
			fault.Invalid,
			"%q is not a choice; choose orb, veil or burst.",
			kind,
		)
	}
	next, i, err := AddLight(r)
	if err != nil {
		return nil, 0, err
	}
	l := &next.Lights[i]
	l.Keep = 0 // nothing in the photo emits here
	disc := func(d float64) {
		l.Shapes = shape.Shapes{shape.Ellipse{X: x, Y: y, Width: d,
			Height: d}}
	}
	shell := func(share, strength, white, turn float64, join recipe.Join) {
		s := setting.New[recipe.Shell](r.Photo.Frame())
		s.Radius, s.Strength, s.Lift, s.Tint, s.Join = setting.Round(
			min(share*radius, recipe.MaxRadius),
		),
			strength, 1, recipe.Tint{
				White: white,
				Hue:   turn,
			}, join
		l.Shells = append(l.Shells, s)
	}
	l.Shells = nil
	if kind == Veil {
		rename(next, i, "Veil")
		disc(setting.Round(radius / 2))
		l.Core.On, l.Spill.On = false, false
		shell(0.3, 0.1, 0.1, 0, recipe.Add)
		shell(0.6, 0.12, 0, 0, recipe.Add)
		return next, i, next.Validate()
	}
	if kind == Burst {
		rename(next, i, "Burst")
		l.Gel = recipe.Gel{Hue: 40, Saturation: 1, Lightness: 0.68}
		disc(setting.Round(radius * 0.09))
		l.Core = recipe.ExposedCore(2.5, 0.5, setting.Round(radius*0.02), 0, 0.3)
		l.Core.On, l.Spill.On = true, false
		shell(0.06, 0.8, 0.6, 0, recipe.Add)
		shell(0.16, 0.35, 0.25, 0, recipe.Add)
		shell(0.4, 0.12, 0, -4, recipe.Add)
		k := &l.Rays
		k.On, k.Strength, k.Count, k.Colour = true, 0.5, 46, recipe.OfGel
		k.Length, k.Thick, k.Taper = setting.Round(radius), setting.Round(radius/60), 0.9
		k.Lengths, k.Angles, k.Halo, k.Veil = 0.8, 0.9, 0, 0.1
		return next, i, next.Validate()
	}
	rename(next, i, "Orb")
	disc(setting.Round(radius * 0.22))
	feather := setting.Round(radius * 0.06)
	l.Core = recipe.ExposedCore(1.6, 0.9, feather, 0, 0.3)
	l.Core.On, l.Core.BloomRadius = true, feather
	l.Spill.Strength, l.Spill.Reach = 0.5, min(
		setting.Round(4*radius),
		setting.Of[recipe.Spill]("reach").Max.A,
	)
	l.Spill.Height = max(setting.Round(l.Spill.Reach/8), setting.Of[recipe.Spill]("height").Min.A)
	for _, s := range [][4]float64{{0.05, 0.9, 0.7, 6}, {0.1, 0.7, 0.45, 4}, {0.18, 0.5, 0.2, 2},
		{0.3, 0.3, 0.05, 0}, {0.48, 0.15, 0, -3}, {0.75, 0.06, 0, -6}} {
		shell(s[0], s[1], s[2], s[3], recipe.Add)
	}
	return next, i, next.Validate()
}
