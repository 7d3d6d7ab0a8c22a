// Package edit changes recipes: it applies operations and moves, adds and deletes lights, areas,
// passes and the parts of a room, and upgrades old recipes where that takes geometry. Each function
// returns a changed copy and leaves the recipe that it was given as it was, so that every change
// can be undone.
//
// Package action makes of these the actions that a page asks for by name.
package edit
