// Package demo holds the shots that Pyrant starts with: ray-traced photos of an invented
// company's props on a quay, of its harbour and of dunes, with a dusk and lights on each.
// See README.md beside it.
package demo

import _ "embed"

// Shot is a photo with its recipe.
type Shot struct {
	Name   string
	Photo  []byte // a JPEG file, 3000 by 2000 pixels
	Recipe []byte // JSON
}

// Photo is the photo of the quay, a JPEG file of 3000 by 2000 pixels.
//
//go:embed tidewatch-quay.jpg
var Photo []byte

// Recipe is the recipe of the quay, lit, as JSON.
//
//go:embed tidewatch-quay.json
var Recipe []byte

// QuayLit is a photo of the quay with small real lights on, as a reference for it.
//
//go:embed tidewatch-quay-lit.jpg
var QuayLit []byte

//go:embed tidewatch-harbour.jpg
var harbourPhoto []byte

//go:embed tidewatch-harbour.json
var harbourRecipe []byte

//go:embed tidewatch-dunes.jpg
var dunesPhoto []byte

//go:embed tidewatch-dunes.json
var dunesRecipe []byte

// Shots are the demo shots, the newest last: that is how they come to be listed.
var Shots = []Shot{
	{"Tidewatch dunes", dunesPhoto, dunesRecipe},
	{"Tidewatch harbour", harbourPhoto, harbourRecipe},
	{"Tidewatch quay", Photo, Recipe},
}
