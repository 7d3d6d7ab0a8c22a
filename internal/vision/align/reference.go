package align

import "pyrant/internal/recipe"

// Of returns how a photo lies on its reference, as a recipe has it.
func Of(r recipe.Reference, p recipe.Photo) Similarity {
	fit := Fitted(p.Width, p.Height, r.Width, r.Height)
	return Similarity{
		X: r.X * float64(r.Width), Y: r.Y * float64(r.Height), Turn: r.Turn,
		Size: r.Size * fit.Size,
	}
}

// In returns a reference with the photo lying on it as s says.
func (s Similarity) In(r recipe.Reference, p recipe.Photo) recipe.Reference {
	fit := Fitted(p.Width, p.Height, r.Width, r.Height)
	r.X, r.Y = s.X/float64(max(r.Width, 1)), s.Y/float64(max(r.Height, 1))
	r.Turn, r.Size = s.Turn, s.Size/fit.Size
	return r
}
