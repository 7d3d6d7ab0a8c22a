package render

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"slices"
	"testing"

	"pyrant/internal/colour"
	"pyrant/internal/glow"
	"pyrant/internal/raster"
	"pyrant/internal/recipe"
)

// Frames of a drag must have the bytes of a picture made from nothing, though what does not move is kept
// summed from the third on.
func TestFramesOfADragAreThePicture(t *testing.T) {
	ph, base := demoShot(t)
	base.Lights[1].Shells[3].Join = recipe.Screen
	inRoom := base.Clone()
	base.Room.On = false // which would be worked out anew for each frame of a new engine
	e := New(1 << 30)
	frame := func(e *Engine, r *recipe.Recipe) []byte {
		return render(t, e, Request{Photo: ph, Recipe: r, LongEdge: 240, Profile: colour.SRGB}).(*image.RGBA).Pix
	}
	n := 0
	drag := func(what, path string, values ...any) {
		for _, v := range values {
			r, err := base.Apply(recipe.Set(path, v))
			if err != nil {
				t.Fatal(err)
			}
			n++
			if got := frame(e, r); !bytes.Equal(got, frame(New(1<<28), r)) {
				t.Fatalf("%s, frame %d: the picture is not that of a new engine", what, n)
			}
		}
	}
	for i, l := range base.Lights[:2] {
		at := fmt.Sprintf("/lights/%d", i)
		drag("fader of "+l.Name, at+"/level", 0.4, 0.5, 0.6, l.Level)
		drag("gel of "+l.Name, at+"/gel/hue", 10, 20, 30)
	}
	drag("intensity", "/lights/0/intensity", 1, 3, 6)
	drag("radius", "/lights/2/shells/5/radius", 20, 30, 40, 50)
	drag("reach", "/lights/2/spill/reach", 200, 300, 400)
	drag("brightness", "/lights/0/core/brightness", 1, 2, 3)
	drag("master", "/glow/level", 0.5, 0.6, 0.7)
	drag("daylight", "/dusk/daylight", -1, -2)
	drag("switch", "/lights/0/on", false, true, false)
	base.Lights = base.Lights[1:]
	drag("one light less", "/lights/0/level", 0.4, 0.5, 0.6)
	base = inRoom
	base.Room.Things, base.Room.Daylight = base.Room.Things[:1], 0
	drag("a fader in the room", "/lights/3/level", 0.4, 0.5, 0.6)
	drag("a foot", "/lights/3/shapes/0/feet/0/x", 500, 520, 540)
	drag("spill of another light", "/lights/2/spill/strength", 0.4, 0.5)
}

// What two pairs of frames had in common is summed, and dropped when it is gone.
func TestStill(t *testing.T) {
	p := &plan{cache: New(1 << 20).Cache, q: &Request{PhotoKey: "photo"}, scale: 1}
	part := image.Rect(0, 0, 8, 8)
	var asked []string
	add := func(names ...string) (all []addend) {
		for _, name := range names {
			all = append(all, addend{piece{key: name, weight: [3]float32{1, 1, 1}}, func(context.Context, image.Rectangle) ([]glow.Term, error) {
				asked = append(asked, name)
				f := raster.NewPlane(image.Rect(2, 2, 3, 3))
				f.Pix[0] = 0.25
				return []glow.Term{{Field: f, Weight: []float32{1, 1, 1}}}, nil
			}})
		}
		return
	}
	for i, step := range []struct{ now, asked []string }{
		{[]string{"a", "b", "c", "d", "e1"}, []string{"a", "b", "c", "d", "e1"}},
		{[]string{"a", "b", "c", "d", "e2"}, []string{"a", "b", "c", "d", "e2"}},
		{[]string{"a", "b", "c", "d", "e3"}, []string{"a", "b", "c", "d", "e3"}}, // and summed on the way
		{[]string{"a", "b", "c", "d", "e4"}, []string{"e4"}},
		{[]string{"a", "b", "c", "f", "e4"}, []string{"a", "b", "c", "f", "e4"}},
		{[]string{"a", "a", "c", "f", "e4"}, []string{"a", "a", "c", "f", "e4"}},
	} {
		asked = nil
		s, err := p.sum(t.Context(), "x", add(step.now...), part)
		if err != nil {
			t.Fatal(err)
		}
		row := make([]float32, 3*8)
		if s.Row(row, 0, 2, nil); row[6] != 1.25 || row[9] != 0 {
			t.Errorf("step %d: the sum is %v, want 1.25", i, row[6])
		}
		if !slices.Equal(asked, step.asked) {
			t.Errorf("step %d: asked for %v, want %v", i, asked, step.asked)
		}
	}
}
