package lightmap

import (
	"math"
	"slices"
	"sync"

	"pyrant/internal/base/camera"
	"pyrant/internal/light/room/silhouette"
)

// hider is what may hide some pieces of a light from a place.
type hider struct {
	by     *blocker
	pieces []int32
}

// hidden is what may hide a light from some places, in the order of blockers. A nil one stands for
// all that there is.
type hidden []hider

// none tells whether nothing hides any of the light.
func (h hidden) none() bool { return h != nil && len(h) == 0 }

// all returns that each of the blockers may hide all of a light.
func (l *Light) all(by []*blocker) hidden {
	pieces := make([]int32, len(l.pieces))
	for i := range pieces {
		pieces[i] = int32(i)
	}
	h := make(hidden, len(by))
	for i, b := range by {
		h[i] = hider{b, pieces}
	}
	return h
}

// state is what is known of a piece, seen from a place.
type state int

const (
	unlit state = iota // it gives nothing
	open
	partly
	shut
)

// met is a blocker that the cone from a place to a piece meets, and how deep; see silhouette.Ways.
type met struct {
	by   *blocker
	at   int32 // which place and piece, as query.state
	deep float64
}

// query is what some places ask of a light. All their ways to the pieces are asked of one blocker
// at once, and then, of the pieces that are hidden in part, all to their samples.
type query struct {
	l     *Light
	x     []camera.Vec // the places, a little before their surfaces
	state []state      // of each place, by piece
	edges []met        // in the order of blockers
	gives []float64    // of each place, by sample: what it gives where nothing hides it
	gloss []float64    // the same, what is mirrored of it
	seen  []float64    // the same, of pieces that are hidden in part: how much of it is not

	ways silhouette.Ways
	of   []int32 // which of state or seen each way is to tell of

	direct []int32 // of state, what is not asked as a whole
}

var queries = sync.Pool{New: func() any { return new(query) }}

// newQuery returns a query of places of a light, of which no piece is lit yet.
func newQuery(l *Light, places ...Place) *query {
	q := queries.Get().(*query)
	q.l, q.x = l, q.x[:0]
	for i := range places {
		q.x = append(q.x, places[i].At.Add(places[i].N.Mul(lift)))
	}
	n := len(places) * len(l.pieces)
	q.state = slices.Grow(q.state[:0], n)[:n]
	clear(q.state)
	n = len(places) * l.samples
	q.gives, q.gloss, q.seen = slices.Grow(q.gives[:0], n)[:n], slices.Grow(q.gloss[:0], n)[:n],
		slices.Grow(q.seen[:0], n)[:n]
	clear(q.gives)
	clear(q.gloss)
	return q
}

func (q *query) free() {
	q.l = nil
	queries.Put(q)
}

// light opens the pieces that can give something to the places, or if there are radii to any that
// lies so near to each: those that are not below the horizon of what is flat, and not seen from
// behind.
func (q *query) light(pls []Place, radii []float64) {
	for n, x := range q.x {
		state, _, _, _ := q.place(n)
		near := 0.0
		if radii != nil {
			near = radii[n]
		}
		for i := range q.l.pieces {
			p := &q.l.pieces[i]
			below := pls[n].Body == nil && p.mid.Sub(x).Dot(pls[n].N) < -p.radius-near
			behind := p.law == front && x.Sub(p.mid).Dot(p.axis) < -p.radius-near
			if !below && !behind {
				state[i] = open
			}
		}
	}
}

// place returns the state of the pieces from place n, and how much its samples give, are mirrored
// and seen.
func (q *query) place(n int) (state []state, gives, gloss, seen []float64) {
	a, b := n*len(q.l.pieces), n*q.l.samples
	return q.state[a : a+len(q.l.pieces)], q.gives[b : b+q.l.samples], q.gloss[b : b+q.l.samples],
		q.seen[b : b+q.l.samples]
}

// reset takes all ways away.
func (q *query) reset() {
	q.ways.Reset()
	q.of = q.of[:0]
}

// way adds one to those that are to be asked.
func (q *query) way(of int, x, d camera.Vec, near, far, end float64) {
	q.ways.Add(x, d, near, far, end)
	q.of = append(q.of, int32(of))
}

// short returns how far before a light the blocker stops to hide it, which what the light lies on
// does; never is told of the light's own body.
func (b *blocker) short(l *Light) (by float64, never bool) {
	if b.body != nil && b.body == l.On {
		by = 1.2 * b.body.Tall()
	}
	return by, b.rod != nil && b.rod.Of == l.Of
}

// end returns the share of a way that counts, which ends so short.
func end(d camera.Vec, short float64) float64 {
	if short == 0 {
		return 1
	}
	return math.Max(1-short/d.Len(), 0)
}

// few is how many samples are asked without asking the piece as a whole before.
const few = tubeSamples

// classify tells how much of the pieces that are open is hidden from the places of the query, or if
// there are radii from all that lie so near to each; edges are what hides a part of it.
func (q *query) classify(radii []float64, h hidden) {
	q.edges = q.edges[:0]
	// The same ways are asked of one blocker after the other.
	var to []int32
	var short float64
	for i := range h {
		b := h[i].by
		cut, never := b.short(q.l)
		if never {
			continue
		}
		if to == nil || cut != short || !slices.Equal(to, h[i].pieces) {
			to, short = h[i].pieces, cut
			q.toPieces(to, radii, short)
		}
		for _, at := range q.direct {
			// What may hide a piece of few samples most often hides a part, and then all of them
			// are asked at any rate.
			q.state[at] = partly
			q.edges = append(q.edges, met{by: b, at: at})
		}
		b.ask(&q.ways, b.soft(), false)
		for n, at := range q.of {
			switch w := q.ways.Worst(n); {
			case w >= 1 && radii == nil:
				q.state[at] = shut
				q.ways.Drop(n)
			case w > -1:
				q.state[at] = partly
				q.edges = append(q.edges, met{b, at, w})
			}
		}
	}
}

// toPieces sets the ways to those from the places to some pieces that are not shut; direct are
// those that are not asked as a whole.
func (q *query) toPieces(pieces []int32, radii []float64, short float64) {
	q.reset()
	q.direct = q.direct[:0]
	for n, x := range q.x {
		near := 0.0
		if radii != nil {
			near = radii[n]
		}
		for _, k := range pieces {
			at := n*len(q.l.pieces) + int(k)
			if q.state[at] == unlit || q.state[at] == shut {
				continue
			}
			p := &q.l.pieces[k]
			if radii == nil && len(p.samples) > 1 && len(p.samples) <= few {
				q.direct = append(q.direct, int32(at))
				continue
			}
			d := p.mid.Sub(x)
			q.way(at, x, d, near, p.radius, end(d, short))
		}
	}
}

// look finds what is seen of the samples of pieces that are hidden in part, if they give something.
func (q *query) look() {
	for i := range q.seen {
		q.seen[i] = 1
	}
	count := uint32(len(q.l.pieces)) // dividing by an int takes twice as long
	for i := 0; i < len(q.edges); {
		b := q.edges[i].by
		short, _ := b.short(q.l)
		q.reset()
		for ; i < len(q.edges) && q.edges[i].by == b; i++ {
			e := &q.edges[i]
			if q.state[e.at] != partly {
				continue
			}
			n, k := uint32(e.at)/count, uint32(e.at)%count
			p := &q.l.pieces[k]
			first := int(n)*q.l.samples + p.first
			if len(p.samples) == 1 { // its cone is that of the piece
				q.seen[first] *= through(e.deep)
				continue
			}
			for k := range p.samples {
				if s := first + k; q.seen[s] > 0 && (q.gives[s] > 0 || q.gloss[s] > 0) {
					d := p.samples[k].at.Sub(q.x[n])
					q.way(s, q.x[n], d, 0, p.samples[k].size, end(d, short))
				}
			}
		}
		q.hide(b, b.soft(), false)
	}
}

// hide asks the ways of a blocker as ask does, and what is seen of where they go becomes less by
// what it hides.
func (q *query) hide(b *blocker, soft float64, outside bool) {
	b.ask(&q.ways, soft, outside)
	for n, k := range q.of {
		switch w := q.ways.Worst(n); {
		case w >= 1:
			q.seen[k] = 0
			q.ways.Drop(n)
		case w > -1:
			q.seen[k] *= through(w)
		}
	}
}
