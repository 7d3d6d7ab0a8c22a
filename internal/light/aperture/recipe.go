package aperture

import "pyrant/internal/recipe"

// Of returns the blades that a recipe's rays are diffracted by, and whether a lens makes them.
func Of(r recipe.Rays) (b Blades, ok bool) {
	b = Blades{Count: r.Count, Rounded: r.Rounded, Worn: r.Worn, Seed: r.Seed, Stop: r.Stop}
	return b, r.Made == recipe.ByLens
}
