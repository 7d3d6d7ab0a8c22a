package web

import "pyrant/internal/recipe"

var finishStep = &step{ID: "finish", Name: "Finish", Filled: func(r *recipe.Recipe) bool {
	return r.Finish.On && len(r.Finish.Passes) > 0
}}
