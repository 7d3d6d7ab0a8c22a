package irradiance

import (
	"sync"

	"pyrant/internal/room"
	"pyrant/internal/solid"
)

// hider is what may hide some pieces of a light from a place.
type hider struct {
	by     *blocker
	pieces []int32
}

// hidden is what may hide a light from some places, in the order of blockers. A nil one stands for all that there is.
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

// met is a blocker that the cone to a piece meets, and how deep; see solid.Ways.
type met struct {
	by    *blocker
	piece int32
	deep  float64
}

// query is what a place asks of a light. All its ways to the pieces are asked of one blocker at once, and then, of
// the pieces that are hidden in part, all to their samples.
type query struct {
	state []state   // by piece
	edges []met     // in the order of blockers
	gives []float64 // by sample: what it gives where nothing hides it
	gloss []float64 // by sample: what is mirrored of it
	seen  []float64 // by sample of a piece that is hidden in part: how much of it is not

	ways solid.Ways
	of   []int32 // which sample or piece each way goes to
}

var queries = sync.Pool{New: func() any { return new(query) }}

// newQuery returns a query of a light, of which no piece is lit yet.
func newQuery(l *Light) *query {
	q := queries.Get().(*query)
	if cap(q.state) < len(l.pieces) {
		q.state = make([]state, len(l.pieces))
	}
	q.state = q.state[:len(l.pieces)]
	clear(q.state)
	if cap(q.gives) < l.samples {
		q.gives, q.gloss, q.seen = make([]float64, l.samples), make([]float64, l.samples), make([]float64, l.samples)
	}
	q.gives, q.gloss, q.seen = q.gives[:l.samples], q.gloss[:l.samples], q.seen[:l.samples]
	clear(q.gives)
	clear(q.gloss)
	return q
}

func (q *query) free() { queries.Put(q) }

// reset takes all ways away.
func (q *query) reset() {
	q.ways.Reset()
	q.of = q.of[:0]
}

// way adds one to a place to those that are to be asked.
func (q *query) way(of int32, d room.Vec, near, far, end float64) {
	q.ways.Add(d, near, far, end)
	q.of = append(q.of, of)
}

// end returns the share of a way to a light at which what it lies on stops to hide it, as until.
func (b *blocker) end(l *Light, d room.Vec) float64 {
	if b.body != nil && b.body == l.On || b.rod != nil {
		return until(l, b, d.Len())
	}
	return 1
}

// few is how many samples are asked without asking the piece as a whole before.
const few = tubeSamples

// classify tells how much of the pieces that are open is hidden from all places within near of x; edges are what
// hides a part of it.
func (q *query) classify(l *Light, x room.Vec, near float64, h hidden) {
	q.edges = q.edges[:0]
	for i := range h {
		b := h[i].by
		soft := b.soft()
		q.reset()
		for _, k := range h[i].pieces {
			if q.state[k] == unlit || q.state[k] == shut {
				continue
			}
			p := &l.pieces[k]
			if near == 0 && len(p.samples) > 1 && len(p.samples) <= few {
				// What may hide it most often hides a part, and then all of them are asked at any rate.
				q.state[k] = partly
				q.edges = append(q.edges, met{by: b, piece: k})
				continue
			}
			d := p.mid.Sub(x)
			q.way(k, d, near+soft, p.radius+soft, b.end(l, d))
		}
		b.ask(x, &q.ways)
		for n, k := range q.of {
			switch w := q.ways.Worst(n); {
			case w >= 1 && near == 0:
				q.state[k] = shut
			case w > -1:
				q.state[k] = partly
				q.edges = append(q.edges, met{b, k, w})
			}
		}
	}
}

// look finds what is seen of the samples of pieces that are hidden in part, if they give something.
func (q *query) look(l *Light, x room.Vec) {
	for i := range q.seen {
		q.seen[i] = 1
	}
	for i := 0; i < len(q.edges); {
		b := q.edges[i].by
		soft := b.soft()
		q.reset()
		for ; i < len(q.edges) && q.edges[i].by == b; i++ {
			e := &q.edges[i]
			p := &l.pieces[e.piece]
			if q.state[e.piece] != partly {
				continue
			}
			if len(p.samples) == 1 { // its cone is that of the piece
				q.seen[p.first] *= through(e.deep)
				continue
			}
			for k := range p.samples {
				n := p.first + k
				if q.seen[n] > 0 && (q.gives[n] > 0 || q.gloss[n] > 0) {
					d := p.samples[k].at.Sub(x)
					q.way(int32(n), d, soft, p.samples[k].size+soft, b.end(l, d))
				}
			}
		}
		q.hide(b, x)
	}
}

// hide asks the ways of a blocker, and what is seen of where they go becomes less by what it hides.
func (q *query) hide(b *blocker, x room.Vec) {
	b.ask(x, &q.ways)
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
