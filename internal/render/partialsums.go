package render

import (
	"context"
	"image"
	"maps"
	"sync"

	"pyrant/internal/base/graph"
	"pyrant/internal/light/glow"
)

// sumHistory remembers what the last frame of one view added up, and keeps summed what the frames
// before it had in common. While one thing is dragged, all the rest is one sum. It changes no bit
// of a picture, as sums of light are exact (see glow.Sum).
type sumHistory struct {
	mu   sync.Mutex
	last count // of the last frame
	want count // what the last two had in common
	of   count // what sum is of
	sum  *glow.Ahead
}

// sumView is what a sumHistory is of: one of the sums of a view.
type sumView struct {
	picture picture
	part    image.Rectangle
	stage   string
	run     int // of shells
	group   spillLook
	veil    veilInput
}

// piece names what is added, with its weight.
type piece struct {
	of     any // a key or an input
	sigma  float64
	weight [3]float32
}

// addend is light of one kind to be added to other.
type addend struct {
	piece
	field func(context.Context, image.Rectangle) ([]glow.Term, error) // over a part of the picture
}

// count says how often each piece is there.
type count map[piece]int

func (c count) same(d count) bool {
	if len(c) != len(d) {
		return false
	}
	return c.in(d)
}

// in reports whether all of c is in d.
func (c count) in(d count) bool {
	for k, n := range c {
		if d[k] < n {
			return false
		}
	}
	return true
}

// both returns what c and d have in common.
func (c count) both(d count) count {
	out := count{}
	for k, n := range c {
		if m := min(n, d[k]); m > 0 {
			out[k] = m
		}
	}
	return out
}

// Bytes returns the memory that is held, as far as nothing is at work on it.
func (s *sumHistory) Bytes() int64 {
	if !s.mu.TryLock() {
		return 0
	}
	defer s.mu.Unlock()
	n := int64(200 * (len(s.last) + len(s.want) + len(s.of)))
	if s.sum != nil {
		n += s.sum.Bytes()
	}
	return n
}

// minTerms is from how many terms on a part of them is kept summed.
const minTerms = 5

// sum adds up colours over the part of the picture that view is of.
func (cv *canvas) sum(ctx context.Context, view sumView, all []addend) (*glow.Sum, error) {
	part := view.part
	if cv.graph.IsChild() || len(all) < minTerms {
		return sumOnto(ctx, nil, all, part)
	}
	s := graph.History(cv.graph, view, func() *sumHistory { return new(sumHistory) })
	if !s.mu.TryLock() {
		return sumOnto(ctx, nil, all, part) // another frame of this view is at work
	}
	defer s.mu.Unlock()
	now := count{}
	for i := range all {
		now[all[i].piece]++
	}
	common := now.both(s.last)
	s.last = now
	if s.sum != nil && !s.of.in(now) {
		s.sum, s.of = nil, nil
	}
	if len(common) > len(s.of) {
		// What two pairs of frames had in common is kept: one may be by chance.
		if common.same(s.want) {
			ahead, _ := split(all, common)
			fields, err := fields(ctx, ahead, part)
			if err != nil {
				return nil, err
			}
			if s.sum, err = glow.AddAhead(ctx, fields, part); err != nil {
				s.sum, s.of = nil, nil
				return nil, err
			}
			s.of = common
		}
		s.want = common
	}
	if s.sum == nil {
		return sumOnto(ctx, nil, all, part)
	}
	_, rest := split(all, s.of)
	return sumOnto(ctx, s.sum, rest, part)
}

// split parts what is added into that which c counts and the rest.
func split(all []addend, c count) (counted, rest []addend) {
	left := maps.Clone(c)
	for _, a := range all {
		if left[a.piece] > 0 {
			left[a.piece]--
			counted = append(counted, a)
		} else {
			rest = append(rest, a)
		}
	}
	return
}

func fields(ctx context.Context, all []addend, part image.Rectangle) ([]glow.Term, error) {
	out := make([]glow.Term, 0, len(all))
	for i := range all {
		t, err := all[i].field(ctx, part)
		if err != nil {
			return nil, err
		}
		out = append(out, t...)
	}
	return out, nil
}

func sumOnto(ctx context.Context, ahead *glow.Ahead, all []addend,
	part image.Rectangle) (*glow.Sum, error) {
	terms, err := fields(ctx, all, part)
	if err != nil {
		return nil, err
	}
	return glow.CollapseOnto(ctx, ahead, terms, 3, part)
}

// addend returns a term of three channels as what is added up.
func (cv *canvas) addend(t *term) addend {
	return addend{piece{t.mask, t.sigma, [3]float32(t.weight)},
		func(ctx context.Context, part image.Rectangle) ([]glow.Term, error) {
			f, err := cv.field(ctx, t, part)
			return []glow.Term{f}, err
		}}
}
