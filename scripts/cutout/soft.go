package main

import (
	"math"
	"math/rand/v2"
	"sort"

	"pyrant/internal/measure/scene"
	"pyrant/internal/recipe/cutout"
)

// Limits of a user who cuts out an object with fine edges by few strokes: at most mostFine with
// the fine-edge brush over all that is frayed, and mostSoft in all. Every stroke is least wide, or
// as wide as the object is where that is narrower; it strays from where it was meant to go by at
// most stray, but for one inside, which stays inside.
const (
	mostSoft = 10
	mostFine = 4
	softCell = 600         // pixels along the long edge of the grid that the user sees
	least    = 0.02        // width of a stroke, of the long edge
	stray    = 0.005       // of the long edge
	frayed   = 12.0 / 2400 // width of the narrowest zone that is frayed, of the long edge
)

// softStrokes returns the strokes of such a user for a mask, on the mask's own grid.
func softStrokes(mask *scene.Field, rnd *rand.Rand) []stroke {
	step := max(int(math.Round(float64(max(mask.W, mask.H))/softCell)), 1)
	f := reducedBy(mask, step)
	long := float64(max(f.W, f.H))
	wide := least * long
	// Frayed is what is mixed over a width that no plain edge has.
	mixed := func(i int) bool { return f.Pix[i] > 0.02 && f.Pix[i] < 0.98 }
	grow := 3 * frayed * long
	near := distance(f, func(i int) bool { return !mixed(i) })
	zone := make([]bool, len(f.Pix))
	away := distance(f, func(i int) bool { return near[i] <= grow }) // closed
	for i := range zone {
		zone[i] = away[i] > grow
	}
	deep := distance(f, func(i int) bool { return zone[i] })
	core := distance(f, func(i int) bool { return deep[i] < frayed*long }) // opened
	for i := range zone {
		zone[i] = core[i] <= frayed*long
	}
	var out []stroke
	// The fine-edge brush, along the middle of each frayed zone and as wide as it.
	deep = distance(f, func(i int) bool { return zone[i] })
	inZone := func(i int) bool { return zone[i] }
	for _, line := range softWalks(f, deep, wide/2, inZone) {
		if len(out) == mostFine {
			break
		}
		half := 0.0
		for _, i := range line {
			half = max(half, deep[i])
		}
		width := max(2*half+2*stray*long, wide)
		out = append(out, stroke{line: strayed(f, line, stray*long, rnd), says: cutout.Soft,
			width: width})
	}
	fine := len(out)
	// The inside, along what is wholly covered.
	full := func(i int) bool { return f.Pix[i] >= 0.98 }
	deep = distance(f, full)
	for _, line := range skeleton(f, deep, wide/2, nil, full) {
		if len(out) == fine+(mostSoft-fine)/2 {
			break
		}
		if len(line) < 2 {
			continue
		}
		room := math.Inf(1)
		for _, i := range line {
			room = min(room, deep[i])
		}
		width := min(wide, max(2*room-1, 1))
		out = append(out, stroke{line: strayed(f, line, min(stray*long, room-width/2), rnd),
			says: cutout.In, width: width})
	}
	// The outside: round it, and where there is room.
	empty := func(i int) bool { return f.Pix[i] <= 0.02 && !zone[i] }
	deep = distance(f, empty)
	room := wide/2 + 2*stray*long
	rings := ring(f, deep, room)
	if len(rings) > 2 {
		rings = rings[:2]
	}
	for _, line := range rings {
		if len(out) < mostSoft {
			out = append(out, stroke{line: strayed(f, line, stray*long, rnd), says: cutout.Out,
				width: wide})
		}
	}
	for k, s := range out {
		for j, i := range s.line {
			out[k].line[j] = (i/f.W*step+step/2)*mask.W + i%f.W*step + step/2
		}
		out[k].width *= float64(step)
	}
	return out
}

// softWalks returns lines to and fro through the middle of a region, those that speak for most
// first.
func softWalks(f *scene.Field, deep []float64, least float64, is func(i int) bool) [][]int {
	out := walks(f, skeleton(f, deep, least, nil, is))
	sort.SliceStable(out, func(i, j int) bool {
		return worth(out[i], deep, math.Inf(1)) > worth(out[j], deep, math.Inf(1))
	})
	return out
}

// strayed returns a line that strays from another by at most so many pixels, as a hand does: slowly
// to one side and to the other.
func strayed(f *scene.Field, line []int, most float64, rnd *rand.Rand) []int {
	if most <= 0 {
		return append([]int(nil), line...)
	}
	a, b := 2*math.Pi*rnd.Float64(), 2*math.Pi*rnd.Float64()
	out := make([]int, len(line))
	for n, i := range line {
		t := float64(n) / 40
		x := float64(i%f.W) + most*0.7*math.Sin(a+t)
		y := float64(i/f.W) + most*0.7*math.Sin(b+1.3*t)
		u, v := min(max(int(math.Round(x)), 0), f.W-1), min(max(int(math.Round(y)), 0), f.H-1)
		out[n] = v*f.W + u
	}
	return out
}

// reducedBy returns a mask whose pixels are the means of step by step of another's.
func reducedBy(m *scene.Field, step int) *scene.Field {
	out := &scene.Field{W: m.W / step, H: m.H / step, K: m.K / float64(step)}
	out.Pix = make([]float32, out.W*out.H)
	for i := range out.Pix {
		var sum float32
		for v := range step {
			for u := range step {
				sum += m.Pix[(i/out.W*step+v)*m.W+i%out.W*step+u]
			}
		}
		out.Pix[i] = sum / float32(step*step)
	}
	return out
}
