package render

import (
	"math"
	"testing"

	"pyrant/internal/recipe"
)

// A room that is set up keeps the mean of spill: at its gain the picture has as much of it as
// before, also where spill saturates; where there is no spill the gain is 1.
func TestRoomGain(t *testing.T) {
	p, room := inFlat(t)
	e := New(1 << 27)
	for _, strength := range []float64{0.05, 0.3, 4} {
		r := room.Clone()
		r.Lights[0].Spill.Strength = strength
		before := r.Clone()
		before.Room = recipe.New(300, 200).Room
		q := Request{Photo: p, Recipe: r}
		mean := func(r *recipe.Recipe) float64 {
			m, err := e.meanSpill(t.Context(), q, r)
			if err != nil {
				t.Fatal(err)
			}
			return m
		}
		gain, err := e.RoomGain(t.Context(), q, before)
		if err != nil {
			t.Fatal(err)
		}
		want, at1 := mean(before), mean(r)
		r.Room.Gain = gain
		if got := mean(r); math.Abs(got/want-1) > 0.02 {
			t.Errorf(
				"strength %v: at a gain of %v the mean is %.5f, before it was %.5f (at 1: %.5f)",
				strength,
				gain,
				got,
				want,
				at1,
			)
		}
		if math.Abs(at1/want-1) < 0.2 {
			t.Errorf("strength %v: the room alone hardly changes the mean, which tests nothing",
				strength)
		}
	}
	dark := room.Clone()
	dark.Lights[0].Spill.On = false
	q := Request{Photo: p, Recipe: dark}
	if gain, err := e.RoomGain(t.Context(), q, dark); err != nil || gain != 1 {
		t.Errorf("without spill: %v, %v", gain, err)
	}
}

// The gain multiplies spill in a room, and does nothing without one.
func TestRoomGainIsAFactor(t *testing.T) {
	p, r := inFlat(t)
	e := New(1 << 27)
	light := func(gain float64, on bool) float64 {
		c := r.Clone()
		c.Room.Gain, c.Room.On = gain, on
		return spilled(
			render(t, e, Request{Photo: p, Recipe: c, Layer: Spill, Deep: true}),
			150,
			140,
		)
	}
	if a, b := light(1, true), light(0.5, true); math.Abs(a/b-2) > 0.01 {
		t.Errorf("half of it is %v of %v", b, a)
	}
	if a, b := light(1, false), light(0.5, false); a != b {
		t.Errorf("without a room the gain makes %v of %v", b, a)
	}
}
