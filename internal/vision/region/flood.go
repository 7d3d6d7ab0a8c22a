package region

import (
	"sort"

	"pyrant/internal/vision/edge"
)

// levels is how many levels a flood tells apart, and top the gap in colour, or the slope, of
// the last.
const (
	levels = 256
	top    = 0.5
)

// flood is the pixels of a sheet in the order in which they were taken in.
type flood struct {
	order []int32
	full  bool // it went on beyond the most that it may take
	last  int  // level
	// At the end of each level: the pixels, what the edge is worth, its length, and what of
	// edges lies inside.
	count                [levels]int32
	worth, length, inner [levels]int32
}

// The states of a pixel in a flood.
const (
	unseen = iota
	waiting
	taken
	beyond // the rim of the sheet, which is no edge of a thing
)

// room is what floods of a sheet need to note of each pixel.
type room struct {
	state []uint8
	next  []int32 // what waits at the same level
}

func newRoom(s *edge.Sheet) *room {
	n := s.Rect.Dx() * s.Rect.Dy()
	return &room{make([]uint8, n), make([]int32, n)}
}

// run floods a sheet from a pixel over costs up to a number of pixels, or unless all of
// it is wanted to many times the size of something that stood out well.
func run(s *edge.Sheet, from int, r *room, cost func(i int) float32, most int, all bool) *flood {
	w, h := s.Rect.Dx(), s.Rect.Dy()
	f := &flood{}
	state := r.state
	clear(state)
	for x := range w {
		state[x], state[(h-1)*w+x] = beyond, beyond
	}
	for y := range h {
		state[y*w], state[y*w+w-1] = beyond, beyond
	}
	if state[from] == beyond {
		return f
	}
	var first [levels]int32 // of what waits at each level; -1 for none
	for l := range first {
		first[l] = -1
	}
	first[0], r.next[from] = int32(from), -1
	state[from] = waiting
	f.order = make([]int32, 0, min(most+most/8, len(state)))
	var worth, length, inner int32
	good, limit := float32(0.3), most // of what stands out best so far
	around := [...]int{-1, 1, -w, w}
	for l := range levels {
		for first[l] >= 0 {
			i := int(first[l])
			first[l] = r.next[i]
			state[i] = taken
			if f.order = append(f.order, int32(i)); len(f.order) > limit {
				f.full, f.last = true, l
				return f
			}
			inner += int32(s.CrestWorth[i])
			ridge := s.Worth[i]
			for _, d := range around {
				j := i + d
				st := state[j]
				if st == beyond {
					continue
				}
				k := int32(max(ridge, s.Worth[j]))
				if st == taken {
					worth -= k
					length--
					continue
				}
				worth += k
				length++
				if st == unseen {
					state[j] = waiting
					at := min(max(int(cost(j)*(levels/top)), l), levels-1)
					r.next[j], first[at] = first[at], int32(j)
				}
			}
		}
		f.count[l], f.worth[l], f.length[l], f.inner[l] = int32(len(f.order)), worth, length, inner
		f.last = l
		if v := f.stands(l); !all && length > 12 && v > good {
			good, limit = v, min(most, 12*len(f.order)+400)
		}
	}
	return f
}

// stands tells how well what was taken up to a level stands out, as a first sieve.
func (f *flood) stands(l int) float32 {
	return (float32(f.worth[l]) - 0.5*float32(f.inner[l])) / (255 * float32(f.length[l]))
}

// best returns up to n levels whose edges stand out most, each a quarter larger than the one
// before at least.
func (f *flood) best(least, n int) (out []int) {
	last := f.last
	if f.full {
		last-- // what overflowed is no whole level
	}
	for l := range last + 1 {
		c := f.count[l]
		if int(c) < least || f.length[l] < 4 || l > 0 && f.count[l-1] == c {
			continue
		}
		k := len(out) - 1
		if k >= 0 && float32(c) < 1.25*float32(f.count[out[k]]) {
			if f.stands(l) > f.stands(out[k]) {
				out[k] = l
			}
			continue
		}
		out = append(out, l)
	}
	sort.SliceStable(out, func(i, j int) bool { return f.stands(out[i]) > f.stands(out[j]) })
	return out[:min(n, len(out))]
}
