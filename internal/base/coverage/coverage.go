// Package coverage says what the engine means by the coverage of something: how
// much of each place of the photo it covers, from 0 to 1.
//
// Masks of lights, the peaks and the width of their glow and the sources of their
// spill are all computed from a Coverage, whatever it is made of. Traced shapes
// (shape.Shapes) are one kind.
package coverage

import "image"

// Coverage is how much of each place of the photo something covers.
type Coverage interface {
	// Key names the coverage by all that it depends on: two with the same key
	// are the same.
	Key() string
	// At makes the coverage ready for the rows of the picture at a scale, in
	// pixels of the picture for each pixel of the photo.
	At(scale float64) Mask
	// Area returns about how many square pixels of the photo are covered.
	Area() float64
	// Line returns about how long the covered parts are, in pixels of the photo.
	Line() float64
	// Width returns their mean width in pixels of the photo, 0 for nothing.
	Width() float64
}

// Mask is a coverage at one scale, in the pixel grid of the picture of that scale.
// It may be used by several goroutines.
type Mask interface {
	// Bounds holds all pixels with coverage above 0.
	Bounds() image.Rectangle
	// Fill writes the coverage of row y from column x0 on, one value for each
	// element of dst.
	Fill(dst []float32, x0, y int)
	// Drop lets go of memory for what lies above row y, for work that goes down
	// a picture and does not come back. Fill may still be called for it.
	Drop(y int)
	// Bytes returns the memory that is held.
	Bytes() int64
}
