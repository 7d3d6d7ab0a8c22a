package photo_test

import (
	"fmt"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
)

// A photo keeps the codes of its file; the engine reads them as linear light.
func ExamplePhoto_Linear() {
	p := photo.Photo{Width: 2, Height: 1, Pix8: []uint8{255, 255, 255, 188, 0, 92},
		Profile: colour.SRGB}
	row := make([]float32, 6)
	p.Linear(row, 0, 0, 2)
	fmt.Printf("%.2f, of 16 bits: %v, %d bytes\n", row, p.Deep(), p.Bytes())
	// Output: [1.00 1.00 1.00 0.50 0.00 0.11], of 16 bits: false, 6 bytes
}
