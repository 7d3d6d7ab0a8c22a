package render_test

import (
	"context"
	"fmt"
	"image"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/render"
)

// A panel on a dark grey wall is lit. Its core nears white, its glow falls off, and
// what is far away stays as it was, code for code.
func Example() {
	p := &photo.Photo{Width: 300, Height: 200, Pix8: make([]uint8, 3*300*200), Profile: colour.SRGB}
	for i := range p.Pix8 {
		p.Pix8[i] = 40
	}
	r, i, err := edit.AddLight(recipe.New(300, 200))
	if err != nil {
		fmt.Println(err)
		return
	}
	l := &r.Lights[i]
	l.Shapes = shape.Shapes{shape.Outline{Nodes: shape.PathOf(shape.Node{X: 20, Y: 60},
		shape.Node{X: 60, Y: 60}, shape.Node{X: 60, Y: 140}, shape.Node{X: 20, Y: 140})}}
	l.Spill.Reach = 100
	img, err := render.New(1<<24).Render(context.Background(), render.Request{Photo: p,
		PhotoKey: "wall", Recipe: r})
	if err != nil {
		fmt.Println(err)
		return
	}
	at := func(x int) uint8 { return img.(*image.RGBA).RGBAAt(x, 100).G }
	fmt.Println(at(40) > 240, at(62) > at(70), at(70) > at(90), at(280))
	// Output: true true true 40
}
