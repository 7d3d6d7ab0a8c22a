package web

import "pyrant/internal/recipe"

var duskStep = &step{ID: "dusk", Name: "Dusk", Filled: func(r *recipe.Recipe) bool {
	d := r.Dusk
	return d.On && (d.Daylight != 0 || d.Warmth != 0 || d.Saturation != 1)
}}
