package pass_test

import (
	"fmt"

	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
)

// Two stops down, and a curve that lifts blue in the shadows, over one grey pixel of
// linear light.
func ExampleCompile() {
	dark := setting.New[pass.Levels](setting.Frame{})
	dark.Exposure = -2
	blue := pass.Curves{Blue: []pass.Knot{{X: 0, Y: 0.05}, {X: 1, Y: 1}}}
	var list []pass.Pass
	for _, k := range []pass.Kind{dark, blue} {
		p := setting.New[pass.Pass](setting.Frame{})
		p.Does = k
		list = append(list, p)
	}
	prog, err := pass.Compile(list, pass.Site{})
	if err != nil {
		fmt.Println(err)
		return
	}
	pix := []float32{0.4, 0.4, 0.4}
	prog.Row(new(pass.Scratch), pix, 0, 0, nil)
	fmt.Printf("%.3f\n", pix)
	// Output: [0.100 0.100 0.120]
}

// A curve through three points rises between them without a turn.
func ExampleCurve() {
	c := pass.NewCurve([]pass.Knot{{X: 0, Y: 0}, {X: 0.5, Y: 0.3}, {X: 1, Y: 1}})
	for _, d := range []float64{0, 0.25, 0.5, 0.75, 1} {
		fmt.Printf("%.3f ", c.At(d))
	}
	// Output: 0.000 0.125 0.300 0.625 1.000
}
