package recipe_test

import (
	"fmt"
	"strings"
	"testing"

	"pyrant/demo"
	"pyrant/internal/base/camera"
	"pyrant/internal/base/fault"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// costly is a recipe of so many lights, each made otherwise.
func costly(t *testing.T, n int, make func(i int, l *recipe.Light)) *recipe.Recipe {
	t.Helper()
	r := recipe.New(3000, 2000)
	for i := range n {
		l := recipe.DefaultLight(r.Photo)
		l.ID, l.Name = fmt.Sprint("l", i), fmt.Sprint("Light ", i)
		l.Shapes = shape.Shapes{shape.Ellipse{X: 500, Y: 500, Width: 80, Height: 80}}
		make(i, &l)
		r.Lights = append(r.Lights, l)
	}
	if err := r.Validate(); err != nil {
		t.Fatal(err)
	}
	return r
}

// Recipes at the limits of their lists are refused, each by what is too much; those of a day's work
// are not.
func TestCost(t *testing.T) {
	blended := func(n int) func(int, *recipe.Light) {
		return func(_ int, l *recipe.Light) {
			l.Shells = nil
			for range n {
				l.Shells = append(
					l.Shells,
					recipe.Shell{Radius: 20, Strength: 0.1, Join: recipe.Overlay},
				)
			}
		}
	}
	strung := func(n int, rays bool) func(int, *recipe.Light) {
		return func(_ int, l *recipe.Light) {
			l.Shapes, l.Rays.On = nil, rays
			for range n {
				s := setting.New[shape.String](setting.Frame{W: 3000, H: 2000})
				s.Laid, s.Count, s.Width = "count", 500, 10
				s.Nodes = shape.PathOf(shape.Node{X: 100, Y: 100}, shape.Node{X: 2900, Y: 100})
				l.Shapes = append(l.Shapes, s)
			}
		}
	}
	tubes := func(_ int, l *recipe.Light) {
		nodes := make([]shape.Node, 30)
		for i := range nodes {
			nodes[i] = shape.Node{X: float64(100 + 20*i), Y: float64(900 + 60*(i%2))}
		}
		l.Shapes = shape.Shapes{shape.Tube{Width: 10, Nodes: shape.PathOf(nodes...)}}
	}
	inRoom := func(r *recipe.Recipe, platforms int) *recipe.Recipe {
		r.Room.On, r.Room.Horizon = true, 600
		for i := range platforms {
			x := float64(100 + 90*i)
			next, err := edit.AddPlatform(r, []camera.Point{{X: x, Y: 1280}, {X: x + 60, Y: 1280},
				{X: x + 64, Y: 1240}, {X: x + 6, Y: 1240}}, camera.Point{X: x, Y: 1400})
			if err != nil {
				t.Fatal(err)
			}
			r = next
		}
		return r
	}
	for name, tt := range map[string]struct {
		r    *recipe.Recipe
		most string
	}{
		"shells by overlay": {costly(t, 100, blended(32)), "3200 shells with a blend mode"},
		"bulbs with rays":   {costly(t, 1, strung(500, true)), "250000 bulbs with rays"},
		"tubes in a room":   {inRoom(costly(t, 100, tubes), 30), "parts of lights in a room with 30 platforms"},
	} {
		if err := tt.r.Cost().Check(); !fault.Is(err, fault.TooLarge) ||
			!strings.Contains(err.Error(), tt.most) {
			t.Errorf("%s: %.0f s, %v", name, tt.r.Cost().Seconds, err)
		}
		// Lights that are off cost nothing.
		for i := range tt.r.Lights {
			tt.r.Lights[i].On = false
		}
		if err := tt.r.Cost().Check(); err != nil {
			t.Errorf("%s, switched off: %v", name, err)
		}
	}
	for name, r := range map[string]*recipe.Recipe{
		"a hundred lights":    costly(t, 100, func(int, *recipe.Light) {}),
		"many blended shells": costly(t, 20, blended(8)),
		"strings of bulbs":    costly(t, 10, strung(4, true)),
		"lights in a room":    inRoom(costly(t, 40, func(int, *recipe.Light) {}), 10),
		"a sign of tubes":     inRoom(costly(t, 8, tubes), 4),
	} {
		if err := r.Cost().Check(); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	for _, d := range demo.Shots {
		r, err := edit.Decode(d.Recipe)
		if err != nil {
			t.Fatal(err)
		}
		if c := r.Cost(); c.Seconds > 5 {
			t.Errorf("%s costs %.1f s", d.Name, c.Seconds)
		}
	}
}
