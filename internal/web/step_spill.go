package web

import "pyrant/internal/recipe"

var spillStep = &step{ID: "spill", Name: "Spill", Filled: anyLight(func(l *recipe.Light) bool { return l.Spill.Strength > 0 })}
