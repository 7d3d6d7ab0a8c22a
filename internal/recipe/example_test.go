package recipe_test

import (
	"fmt"

	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/shape"
)

// A recipe is all that is done to a photo, as numbers; a change makes another and
// leaves it as it was.
func Example() {
	r, i, err := edit.AddLight(recipe.New(3000, 2000))
	if err != nil {
		fmt.Println(err)
		return
	}
	r.Lights[i].Name = "Signal rod"
	r.Lights[i].Shapes = shape.Shapes{shape.Tube{Width: 20,
		Nodes: shape.PathOf(shape.Node{X: 900, Y: 100}, shape.Node{X: 700, Y: 1200})}}
	change := edit.Set("/lights/0/gel/hue", 35)
	next, err := edit.Apply(r, change)
	fmt.Println(edit.Title(r, change), r.Lights[0].Gel.Hue, next.Lights[0].Gel.Hue, err)
	_, err = edit.Apply(r, edit.Set("/lights/0/shells/0/radius", -3))
	fmt.Println(err)
	again, err := edit.Decode(next.Encode())
	fmt.Println(again.Lights[0].Name, again.Lit(), err)
	// Output:
	// Gel of Signal rod 172 35 <nil>
	// lights[0].shells[0].radius: -3 is out of range; give a value from 0 to 6000.
	// Signal rod [true] <nil>
}
