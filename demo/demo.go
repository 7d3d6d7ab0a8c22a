// Package demo holds the shot that Pyrant starts with: a ray-traced photo of an
// invented company's props on their quay, and lights traced on it. See README.md
// beside it.
package demo

import _ "embed"

// Photo is the photo as a JPEG file, 3000 by 2000 pixels.
//
//go:embed tidewatch-quay.jpg
var Photo []byte

// Recipe is the recipe of the lit demo shot, as JSON.
//
//go:embed tidewatch-quay.json
var Recipe []byte
