package render

import (
	"context"
	"image"
	"sync"
	"sync/atomic"
	"testing"

	"pyrant/internal/base/graph"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
)

// Tests of what previews, exports and drafts of one engine do to each other.

// painted is a pass in a painted area that goes down all of a photo.
func painted(t *testing.T, r *recipe.Recipe) *recipe.Recipe {
	t.Helper()
	strokes := area.Strokes{}
	for i := range 12 {
		y := float64(20 + 100*i)
		strokes.Strokes = append(strokes.Strokes, area.Stroke{Diameter: 70, Softness: 0.6,
			Flow: 0.8, Pen: area.PenFlow,
			Points: setting.ListOf(area.Dab{X: 20, Y: y, P: 1}, area.Dab{X: 580, Y: y + 60, P: 1})})
	}
	r, dark := within(t, r, levels(-2), part(strokes))
	r.Dusk.Passes = []pass.Pass{dark}
	return r
}

// While an export lets go of what it has passed, a preview at 1:1 of the same painted area goes on
// undisturbed. Run under the race detector.
func TestExportBesideAPreview(t *testing.T) {
	p := flat(600, 1200, 128)
	r := painted(t, lit(t, p, panel(100, 100, 500, 1100)))
	e := New(1 << 28)
	q := Request{Photo: p, PhotoKey: "p", Recipe: r}
	want := rgba(t, New(1<<28), q)
	var both sync.WaitGroup
	for range 3 {
		both.Go(func() {
			got, err := e.Export(context.Background(), q, nil)
			if err != nil || string(got.(*image.RGBA).Pix) != string(want.Pix) {
				t.Errorf("the export differs: %v", err)
			}
		})
		both.Go(func() {
			for y := 0; y < 1200; y += 300 {
				part := q
				part.View = image.Rect(0, y, 600, y+300)
				if _, err := e.Render(context.Background(), part); err != nil {
					t.Error(err)
				}
			}
		})
	}
	both.Wait()
	if held := e.Cache.Held(); held < 0 {
		t.Errorf("the cache holds %d bytes", held)
	}
}

// An area within an area, feathered, is the same in an export, where it is made in bands, as in one
// piece.
func TestNestedAreaInAnExport(t *testing.T) {
	p := flat(600, 1500, 128)
	r := painted(t, recipe.New(600, 1500))
	inner := r.Dusk.Passes[0].Area
	outer := part(area.Other{Area: inner})
	outer.Feather = 25
	r, dark := within(t, r, levels(-1), outer)
	r.Dusk.Passes = []pass.Pass{dark}
	q := Request{Photo: p, PhotoKey: "p", Recipe: r}
	want := rgba(t, New(1<<28), q)
	got, err := New(1<<28).Export(context.Background(), q, nil)
	if err != nil {
		t.Fatal(err)
	}
	if string(got.(*image.RGBA).Pix) != string(want.Pix) {
		t.Error("the export differs from the picture in one piece")
	}
}

// While an object is dragged, what Finish works out on a small picture is a draft as well: the room
// is worked out in full when the hand rests.
func TestDraftsOfFinish(t *testing.T) {
	p, r := inFlat(t)
	r.Room.Daylight, r.Room.Bounce = 1, 1
	post(t, r, 120, 180)
	shade := setting.New[pass.Shade](r.Photo.Frame())
	shade.Shadows = 0.5
	r.Finish.Passes = append(r.Finish.Passes, pass.Pass{Name: "Shade", On: true, Strength: 1,
		Joining: pass.Normal, Does: shade})
	if err := r.Validate(); err != nil {
		t.Fatal(err)
	}
	e := New(1 << 27)
	rgba(t, e, Request{Photo: p, PhotoKey: "p", Recipe: r})
	moved := r.Clone()
	moved.Room.Things[0].Foot.X += 30
	var rough atomic.Bool
	rgba(t, e, Request{Photo: p, PhotoKey: "p", Recipe: moved, Rough: &rough})
	if !rough.Load() {
		t.Fatal("the frame is no draft")
	}
	since := builds(e)
	fine := rgba(t, e, Request{Photo: p, PhotoKey: "p", Recipe: moved})
	if since("roomBounce") == 0 {
		t.Error("the draft has worked out the bounce in full")
	}
	if string(fine.Pix) != string(rgba(t, New(1<<27), Request{Photo: p, PhotoKey: "p",
		Recipe: moved}).Pix) {
		t.Error("at rest the picture is not that of a new engine")
	}
}

// The places round a light lie within the photo, whichever photo the light was seen on before.
func TestFalloffOfTwoPhotos(t *testing.T) {
	c := New(1 << 27).Cache
	shapes := panel(40, 40, 120, 160)
	for _, photo := range []recipe.Photo{{Width: 2000, Height: 1500}, {Width: 200, Height: 200}} {
		got, err := graph.Get(context.Background(), c,
			roundPlaces{graph.Intern(c, shapes.Key(), shapes), photo})
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range got.steps {
			for _, at := range s.at {
				if at.X < 0 || at.Y < 0 || at.X > float64(photo.Width) ||
					at.Y > float64(photo.Height) {
					t.Fatalf("in %v a place is %v", photo, at)
				}
			}
		}
	}
}

// Of a streak that goes far beyond the photo only that is drawn which can be seen, and the picture
// is the same to the bit: held against a larger photo, in which all of it lies.
func TestStreakBeyondTheFrame(t *testing.T) {
	draw := func(w, h int) (*image.RGBA, *Engine) {
		p := flat(w, h, 60)
		r := recipe.New(w, h)
		// with the same numbers in both
		r.Lights = lit(t, flat(900, 600, 60), panel(700, 500, 740, 520)).Lights
		l := &r.Lights[0]
		l.Streak = recipe.Streak{Length: 2600, Angle: 325, Sides: recipe.OneSide, Taper: 0.6}
		l.Shells = l.Shells[:0]
		for _, radius := range []float64{2.5, 10, 40, 160} {
			l.Shells = append(l.Shells, recipe.Shell{Radius: radius, Strength: 1, Lift: 0.3,
				Join: recipe.Add})
		}
		r.Spill.On = false
		e := New(1 << 28)
		return rgba(t, e, Request{Photo: p, PhotoKey: "p", Recipe: r, View: image.Rect(0, 0, 900,
			600)}), e
	}
	small, e := draw(900, 600)
	large, all := draw(4000, 3000)
	if string(small.Pix) != string(large.Pix) {
		t.Error("within the frame the picture differs from that of the whole streak")
	}
	if a, b := e.Cache.Held(), all.Cache.Held(); a > b/2 {
		t.Errorf("it takes %d bytes, in the larger photo %d", a, b)
	}
}
