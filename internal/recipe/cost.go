package recipe

import (
	"cmp"
	"fmt"
	"slices"

	"pyrant/internal/base/fault"
	"pyrant/internal/recipe/shape"
)

// Cost is about how long a picture of a recipe takes, by what it is spent on.
type Cost struct {
	// of one core of the machine that was measured, for a picture of 1500 × 1000 pixels that finds
	// nothing in a cache
	Seconds float64
	parts   []costPart
}

type costPart struct {
	seconds float64
	what    string // a noun phrase with a number
}

// MaxSeconds is how long a picture may take on two cores.
const MaxSeconds = 20

// The costs of single things, in seconds of a core, measured on a 2.5 GHz Xeon with up to 100
// lights, 160 shells, 5000 bulbs, 380 pieces of tubes, 30 platforms and 15 objects. Each is the
// slope of the time by the number of things.
const (
	costPicture = 0.3     // decoded photo to encoded frame
	costLight   = 0.02    // mask and core
	costAdded   = 0.0005  // a shell that joins by add, of many that share a sum
	costBlended = 0.052   // a shell that joins by a blend mode
	costBulb    = 0.00014 // a bulb of a string
	costRayed   = 0.0008  // a bulb with rays
	costStreak  = 0.25    // a streak that crosses the frame
	costPass    = 0.03    // a pass in an area
	// a piece of a light in a room: an outline, a bulb, a straight part of a tube
	costPiece    = 0.004
	costShadow   = 0.002   // a platform, for each piece
	costObject   = 0.15    // an object in the room, for the daylight
	costOccluded = 0.008   // an object, for each piece
	costRod      = 0.00043 // a bulb or a straight part of a tube of another light, for each piece
)

// pieces returns into about how many parts a shape is taken apart that light a room, and whether
// they are thick rods that shade what other lights give.
func pieces(s shape.Shape) (n int, rods bool) {
	switch s := s.(type) {
	case shape.Tube:
		if s.Nodes.Len() >= MaxTubeParts {
			return MaxTubeParts, true
		}
		n := 0
		for _, k := range s.Nodes.All() {
			n++
			if k.In != [2]float64{} || k.Out != [2]float64{} {
				n += 7
			}
		}
		return min(n, MaxTubeParts), true
	case shape.String:
		return bulbsOf(s), true
	case shape.CutOut:
		return 4, false
	}
	return 1, false
}

// bulbsOf returns how many bulbs a string has.
func bulbsOf(s shape.String) int {
	if s.Laid == shape.ByCount {
		return s.Count
	}
	return len(s.Bulbs())
}

// MaxTubeParts is into how many straight parts a tube is taken apart to light a room.
const MaxTubeParts = 24

// counts is what of a recipe takes time.
type counts struct {
	lights, added, blended, bulbs, rayed, streaks int
	pieces, rods                                  []int // by light, lit or not
	allRods                                       int
}

// count counts what takes time.
func (r *Recipe) count(lit []bool) (c counts) {
	c.pieces, c.rods = make([]int, len(r.Lights)), make([]int, len(r.Lights))
	for i := range r.Lights {
		l := &r.Lights[i]
		if len(l.Shapes) == 0 || !lit[i] && !r.Room.On {
			continue
		}
		for _, s := range l.Shapes {
			n, thick := pieces(s)
			c.pieces[i] += n
			if thick {
				c.rods[i] += n
			}
			if st, ok := s.(shape.String); ok && lit[i] {
				if k := bulbsOf(st); l.Rays.On {
					c.rayed += k
				} else {
					c.bulbs += k
				}
			}
		}
		c.allRods += c.rods[i]
		if !lit[i] {
			continue
		}
		c.lights++
		if l.Streak.Length > 0 {
			c.streaks++
		}
		if r.Glow.On && l.Glow {
			for _, s := range l.Shells {
				switch {
				case s.Strength <= 0:
				case s.Join == Add:
					c.added++
				default:
					c.blended++
				}
			}
		}
	}
	return c
}

// inRoom returns how long the room takes, and how many parts of lights there are in it.
func (r *Recipe) inRoom(lit []bool, c *counts) (seconds float64, parts int) {
	if !r.Room.On {
		return 0, 0
	}
	for i := range r.Lights {
		l := &r.Lights[i]
		if !lit[i] || !r.Spill.On || !l.Spill.On || l.Spill.Strength <= 0 {
			continue
		}
		parts += c.pieces[i]
		seconds += float64(c.pieces[i]) * (costPiece +
			costShadow*float64(len(r.Room.Platforms)) +
			costOccluded*float64(len(r.Room.Things)) + costRod*float64(c.allRods-c.rods[i]))
	}
	return seconds + costObject*float64(len(r.Room.Things)), parts
}

// Cost estimates how long a picture of the recipe takes.
func (r *Recipe) Cost() Cost {
	lit := r.Lit()
	n := r.count(lit)
	room, parts := r.inRoom(lit, &n)
	passes := 0
	for _, step := range []string{"dusk", "finish"} {
		for _, p := range *r.Passes(step) {
			if p.On && p.Area != "" {
				passes++
			}
		}
	}
	c := Cost{parts: []costPart{
		{costLight*float64(n.lights) + costAdded*float64(n.added),
			fmt.Sprintf("%d lights with %d shells", n.lights, n.added+n.blended)},
		{costBlended * float64(n.blended),
			fmt.Sprintf("%d shells with a blend mode other than add", n.blended)},
		{costBulb * float64(n.bulbs), fmt.Sprintf("%d bulbs of strings", n.bulbs)},
		{costRayed * float64(n.rayed), fmt.Sprintf("%d bulbs with rays", n.rayed)},
		{costStreak * float64(n.streaks), fmt.Sprintf("%d streaks", n.streaks)},
		{costPass * float64(passes), fmt.Sprintf("%d passes in areas", passes)},
		{room, fmt.Sprintf("%d parts of lights in a room with %d platforms and %d objects", parts,
			len(r.Room.Platforms), len(r.Room.Things))},
	}}
	c.Seconds = costPicture
	for _, p := range c.parts {
		c.Seconds += p.seconds
	}
	return c
}

// Check refuses a recipe whose pictures would take too long, and names what takes the most.
func (c Cost) Check() error {
	if c.Seconds/2 <= MaxSeconds {
		return nil
	}
	most := slices.MaxFunc(c.parts, func(a, b costPart) int {
		return cmp.Compare(a.seconds, b.seconds)
	})
	return fault.New(
		fault.TooLarge,
		"Rendering this shot would take about %.0f seconds; the limit is %d. Most of it is for %s. Delete some of them, then try again.",
		c.Seconds/2,
		MaxSeconds,
		most.what,
	)
}
