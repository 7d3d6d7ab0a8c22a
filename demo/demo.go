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
	// Thumbnail is the lit picture, a JPEG file of 840 by 560 pixels, so that the first start
	// shows it at once. go test ./internal/app/web -run TestDemoThumbnails -update renders it.
	Thumbnail []byte
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

//go:embed tidewatch-quay.thumb.jpg
var quayThumb []byte

//go:embed tidewatch-harbour.thumb.jpg
var harbourThumb []byte

//go:embed tidewatch-dunes.thumb.jpg
var dunesThumb []byte

// Shots are the demo shots, the newest last: that is how they come to be listed.
var Shots = []Shot{
	{"Tidewatch dunes", dunesPhoto, dunesRecipe, dunesThumb},
	{"Tidewatch harbour", harbourPhoto, harbourRecipe, harbourThumb},
	{"Tidewatch quay", Photo, Recipe, quayThumb},
}
