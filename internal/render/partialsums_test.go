package render

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"math/rand/v2"
	"slices"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/raster"
	"pyrant/internal/edit"
	"pyrant/internal/light/glow"
	"pyrant/internal/recipe"
)

// Frames of a drag must have the bytes of a picture made from nothing, though what does not move is
// kept summed from the third on.
func TestFramesOfADragAreThePicture(t *testing.T) {
	ph, base := reduced(t, 4)
	base.Lights[1].Shells[3].Join = recipe.Screen
	inRoom := base.Clone()
	base.Room.On = false // which would be worked out anew for each frame of a new engine
	e := New(1 << 30)
	frame := func(e *Engine, r *recipe.Recipe) []byte {
		return render(t, e, Request{Photo: ph, Recipe: r, LongEdge: 240,
			Profile: colour.SRGB}).(*image.RGBA).Pix
	}
	n := 0
	drag := func(what, path string, values ...any) {
		for _, v := range values {
			r, err := edit.Apply(base, edit.Set(path, v))
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
	drag("radius", "/lights/2/shells/5/radius", 5, 8, 10, 12)
	drag("reach", "/lights/2/spill/reach", 50, 75, 100)
	drag("brightness", "/lights/0/core/brightness", 1, 2, 3)
	drag("master", "/glow/level", 0.5, 0.6, 0.7)
	drag("daylight", "/dusk/daylight", -1, -2)
	drag("switch", "/lights/0/on", false, true, false)
	base.Lights = base.Lights[1:]
	drag("one light less", "/lights/0/level", 0.4, 0.5, 0.6)
	base = inRoom
	base.Room.Things, base.Room.Daylight = base.Room.Things[:1], 0
	drag("a fader in the room", "/lights/3/level", 0.4, 0.5, 0.6)
	drag("a foot", "/lights/3/shapes/0/feet/0/x", 125, 130, 135)
	drag("spill of another light", "/lights/2/spill/strength", 0.4, 0.5)
}

// What two pairs of frames had in common is summed, and dropped when it is gone.
func TestStill(t *testing.T) {
	p := &canvas{graph: New(1 << 20).Cache}
	part := image.Rect(0, 0, 8, 8)
	var asked []string
	add := func(names ...string) (all []addend) {
		for _, name := range names {
			all = append(all, addend{piece{of: name, weight: [3]float32{1, 1, 1}},
				func(context.Context, image.Rectangle) ([]glow.Term, error) {
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
		// and summed on the way
		{[]string{"a", "b", "c", "d", "e3"}, []string{"a", "b", "c", "d", "e3"}},
		{[]string{"a", "b", "c", "d", "e4"}, []string{"e4"}},
		{[]string{"a", "b", "c", "f", "e4"}, []string{"a", "b", "c", "f", "e4"}},
		{[]string{"a", "a", "c", "f", "e4"}, []string{"a", "a", "c", "f", "e4"}},
	} {
		asked = nil
		s, err := p.sum(t.Context(), sumView{part: part}, add(step.now...))
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

// moving is a core that is not kept.
type moving struct{ coreRow }

// Cores that were laid beside each other ahead, and those that move laid to them, make the rows
// that all of them make in their order, to the bit, however many overlap.
func TestStillCores(t *testing.T) {
	const w = 60
	random := rand.New(rand.NewPCG(3, 4))
	mixed, crowds := 0, 0
	for round := range 300 {
		r := coreRows{}
		st := &coreStage{}
		for range 2 + random.IntN(5) {
			var row []coreRun
			for x := random.IntN(w / 2); x < w-2; x += 4 + random.IntN(w) {
				run := coreRun{from: x}
				for range 1 + random.IntN(min(20, w-x-1)) {
					run.cover = append(run.cover, max(0, min(1, 1.4*random.Float32()-0.2)))
					run.pix = append(run.pix, random.Float32(), random.Float32(), random.Float32())
				}
				row = append(row, run)
				x += len(run.cover)
			}
			open := float32(random.IntN(3)) / 2
			var c coreRow = &keptCore{rows: [][]coreRun{row}}
			if random.IntN(3) == 0 {
				c = moving{c}
			}
			r.cores, r.open = append(r.cores, c), append(r.open, open)
			st.list = append(st.list, core{coreLook: coreLook{open: open}})
		}
		show := func(r coreRows) (pix, alpha []float32) {
			s := &scratch{core: newCores(w)}
			for range 2 { // the second is laid over what the first left
				r.row(s, 0, w, 0)
			}
			c := &s.core
			for i := range w {
				if c.mixed[i] {
					mixed++
				}
			}
			pix, light := make([]float32, 3*w), slices.Repeat([]float32{0.4}, 3*w)
			c.expose(light)
			c.over(pix, make([]bool, w))
			return pix, slices.Clone(c.alpha)
		}
		pix, alpha := show(r)
		var err error
		if r.still, err = st.beside(context.Background(), r.cores,
			image.Rect(0, 0, w, 1)); err != nil {
			t.Fatal(err)
		}
		if gotPix, gotAlpha := show(r); !slices.Equal(gotPix, pix) || !slices.Equal(gotAlpha,
			alpha) {
			t.Fatalf("round %d: %d cores make another row when some are laid ahead", round, len(r.cores))
		}
		s := &scratch{core: newCores(w)}
		s.core.unpack(&r.still.rows[0])
		for _, k := range r.cores {
			if m, ok := k.(moving); ok {
				for _, run := range m.row(s, 0, w, 0) {
					if s.core.crowded(run, 0, w) {
						crowds++
					}
				}
			}
		}
	}
	if mixed == 0 || crowds == 0 {
		t.Errorf("%d pixels with several cores, %d runs over such", mixed, crowds)
	}
}
