package export_test

import (
	"bytes"
	"context"
	"fmt"
	"image/jpeg"

	"pyrant/internal/app/export"
	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/render"
)

// The settings of an export have their defaults; the file is made in one call.
func ExampleWrite() {
	p := &photo.Photo{Width: 300, Height: 200, Pix8: make([]uint8, 3*300*200), Profile: colour.SRGB}
	r := recipe.New(300, 200)
	s := setting.New[export.Settings](r.Photo.Frame())
	s.Size, s.Long = export.Edge, 150
	var file bytes.Buffer
	notes, err := export.Write(context.Background(), render.New(1<<24), &export.Job{Photo: p,
		PhotoKey: "wall", Recipe: r, Settings: s}, &file, nil)
	fmt.Println(s.Format, s.Quality, notes, err)
	img, err := jpeg.DecodeConfig(&file)
	fmt.Println(img.Width, img.Height, err)
	// Output:
	// jpeg 92 [] <nil>
	// 150 100 <nil>
}
