package edit

import (
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/shape"
)

// evenPhoto is a photo of one colour, in codes.
func evenPhoto(w, h int, r, g, b uint8) *photo.Photo {
	p := &photo.Photo{Width: w, Height: h, Pix8: make([]uint8, 3*w*h), Profile: colour.SRGB}
	for i := 0; i < len(p.Pix8); i += 3 {
		p.Pix8[i], p.Pix8[i+1], p.Pix8[i+2] = r, g, b
	}
	return p
}

// A new light takes the hue of what it is traced on, and is named by it; what the user chose stays.
func TestIntroduce(t *testing.T) {
	red, grey := evenPhoto(300, 200, 200, 20, 10), evenPhoto(300, 200, 128, 128, 128)
	traced := func(change func(l *recipe.Light)) *recipe.Recipe {
		r, i, err := AddLight(recipe.New(300, 200))
		if err != nil {
			t.Fatal(err)
		}
		r.Lights[i].Shapes = shape.Shapes{shape.Outline{Nodes: shape.PathOf(
			shape.Node{X: 100, Y: 50}, shape.Node{X: 200, Y: 50}, shape.Node{X: 150, Y: 150})}}
		if change != nil {
			change(&r.Lights[i])
		}
		return r
	}
	for name, c := range map[string]struct {
		on     *photo.Photo
		change func(l *recipe.Light)
		hue    float64
		called string
	}{
		"red glass":           {red, nil, 3, "Red outline"},
		"grey, a dealt gel":   {grey, nil, 172, "Cyan outline"},
		"a gel that was set":  {red, func(l *recipe.Light) { l.Gel.Hue = 60 }, 60, "Yellow outline"},
		"a white gel":         {red, func(l *recipe.Light) { l.Gel.Saturation = 0 }, 172, "White outline"},
		"a name that was set": {red, func(l *recipe.Light) { l.Name = "Tail lamp" }, 3, "Tail lamp"},
	} {
		r := traced(c.change)
		Introduce(r, 0, c.on)
		if l := r.Lights[0]; l.Gel.Hue != c.hue || l.Name != c.called {
			t.Errorf("%s: %q has the hue %v; want %q, %v", name, l.Name, l.Gel.Hue, c.called, c.hue)
		}
	}
}

// Names are unique: the second red outline has a number.
func TestIntroducedNamesAreUnique(t *testing.T) {
	r := recipe.New(300, 200)
	for range 2 {
		next, i, err := AddLight(r)
		if err != nil {
			t.Fatal(err)
		}
		next.Lights[i].Shapes = shape.Shapes{shape.Ellipse{X: 50, Y: 50, Width: 40, Height: 40}}
		Introduce(next, i, evenPhoto(300, 200, 200, 20, 10))
		r = next
	}
	if a, b := r.Lights[0].Name, r.Lights[1].Name; a != "Red ellipse" || b != "Red ellipse 2" {
		t.Errorf("they are called %q and %q", a, b)
	}
}

func TestFirstTraced(t *testing.T) {
	empty, i, err := AddLight(recipe.New(300, 200))
	if err != nil {
		t.Fatal(err)
	}
	traced := empty.Clone()
	traced.Lights[i].Shapes = shape.Shapes{shape.Ellipse{X: 50, Y: 50, Width: 40, Height: 40}}
	more := traced.Clone()
	more.Lights[i].Shapes = append(more.Lights[i].Shapes, more.Lights[i].Shapes[0])
	if a, b, c := FirstTraced(recipe.New(300, 200), empty), FirstTraced(empty, traced),
		FirstTraced(traced, more); a != -1 || b != 0 || c != -1 {
		t.Errorf("added %d, first shape %d, second shape %d", a, b, c)
	}
}
