package rays

import "pyrant/internal/recipe"

// Of returns the star that a recipe's rays describe. Where a lens makes them (recipe.ByLens) it has
// no rays of its own, only the halo and the veil.
func Of(r recipe.Rays) Star {
	n := r.Count
	switch r.Made {
	case recipe.ByBlades:
		n = Blades(n)
	case recipe.ByLens:
		n = 0
	}
	return Star{
		Count: n, Length: r.Length, Thick: r.Thick, Taper: r.Taper, Turn: r.Turn,
		Halo: r.Halo, HaloSize: r.HaloSize, Veil: r.Veil,
		Lengths: r.Lengths, Angles: r.Angles, Seed: r.Seed, Spread: r.Spread,
		Squeeze: r.Squeeze, Slant: r.Slant,
	}
}
