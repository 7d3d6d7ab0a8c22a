package web

import "pyrant/internal/recipe"

var duskStep = &step{ID: "dusk", Name: "Dusk", Filled: func(r *recipe.Recipe) bool {
	return r.Dusk.On && (r.Dusk.Daylight != 0 || len(r.Dusk.Passes) > 0)
}}
