package web

import "pyrant/internal/recipe"

var photoStep = &step{ID: "photo", Name: "Photo", Filled: func(*recipe.Recipe) bool { return true }}
