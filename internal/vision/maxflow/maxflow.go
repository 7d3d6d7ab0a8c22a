// Package maxflow cuts a grid of pixels in two where that costs least: the cut of a graph whose
// pixels are linked to their eight neighbours and to two terminals, the source and the sink, and
// of which every link that is cut costs its capacity. By the theorem of Ford and Fulkerson that is
// the largest flow from source to sink, which is found with two search trees that grow towards
// each other and are mended after each augmentation (Boykov and Kolmogorov 2004).
package maxflow

import (
	"context"
	"math"
)

// Grid is a graph of W by H pixels. Fill in its links, then call Solve.
type Grid struct {
	W, H     int
	stride   int
	cap      []int32 // of the link of node i in direction d, at 8·i + d
	terminal []int32 // what is left of the link to the source, below 0 to the sink
	tree     []uint8
	parent   []int8
	next     []int32 // active nodes in a ring list; 0 for none, as node 0 lies in the margin
	dist     []int32
	stamp    []int32
	first    [2]int32
	last     [2]int32
	orphans  []int32
	flow     int64
	time     int32
}

// Step is one of the four directions that Link links in; the other four are their opposites.
type Step int

// To the right, down to the right, down, and down to the left.
const (
	Right Step = iota
	DownRight
	Down
	DownLeft
)

const (
	free, source, sink = 0, 1, 2 // of trees

	none, toTerminal, orphan = -1, 8, 9 // of parents, besides directions
)

// New returns a grid without links.
func New(w, h int) *Grid {
	n := (w + 2) * (h + 2)
	return &Grid{W: w, H: h, stride: w + 2, cap: make([]int32, 8*n), terminal: make([]int32, n),
		tree:   make([]uint8, n),
		parent: make([]int8, n), next: make([]int32, n), dist: make([]int32, n),
		stamp: make([]int32, n)}
}

// Bytes returns the memory that a grid of w by h takes.
func Bytes(w, h int) int64 { return int64(w+2) * int64(h+2) * (8*4 + 4 + 1 + 1 + 3*4) }

func (g *Grid) node(x, y int) int32 { return int32((y+1)*g.stride + x + 1) }

func (g *Grid) offset(d int) int32 {
	s := int32(g.stride)
	return [8]int32{1, s + 1, s, s - 1, -1, -s - 1, -s, -s + 1}[d]
}

// Terminal links a pixel to both terminals: cutting it from the source costs toSource, from the
// sink toSink. Called again it adds to what is there.
func (g *Grid) Terminal(x, y int, toSource, toSink int32) {
	i := g.node(x, y)
	if t := g.terminal[i]; t > 0 {
		toSource += t
	} else {
		toSink -= t
	}
	g.flow += int64(min(toSource, toSink))
	g.terminal[i] = toSource - toSink
}

// Link links a pixel to its neighbour in a direction, both ways; cutting it costs c. There must be
// such a neighbour.
func (g *Grid) Link(x, y int, to Step, c int32) {
	i := g.node(x, y)
	g.cap[8*i+int32(to)] += c
	g.cap[8*(i+g.offset(int(to)))+int32(to)+4] += c
}

// Source tells on which side of the cut a pixel lies, after Solve. What neither side claims lies on
// the sink's.
func (g *Grid) Source(x, y int) bool { return g.tree[g.node(x, y)] == source }

// Solve finds the cut and returns what it costs.
func (g *Grid) Solve(ctx context.Context) (int64, error) {
	for y := range g.H {
		for x := range g.W {
			i := g.node(x, y)
			if t := g.terminal[i]; t != 0 {
				g.tree[i], g.parent[i], g.dist[i] = source, toTerminal, 1
				if t < 0 {
					g.tree[i] = sink
				}
				g.activate(i)
			} else {
				g.parent[i] = none
			}
		}
	}
	var offset [8]int32
	for d := range offset {
		offset[d] = g.offset(d)
	}
	var current int32
	for round := 0; ; round++ {
		if round%4096 == 0 && ctx.Err() != nil {
			return 0, ctx.Err()
		}
		i := current
		if i == 0 || g.parent[i] == none || g.tree[i] == free {
			if i = g.active(); i == 0 {
				return g.flow, nil
			}
		}
		current = 0
		// Grow the tree of i.
		mine := g.tree[i]
		met, way := int32(0), 0
		for d, off := range offset {
			j := i + off
			back := (d + 4) % 8
			left := g.cap[8*i+int32(d)]
			if mine == sink {
				left = g.cap[8*j+int32(back)]
			}
			if left == 0 {
				continue
			}
			switch {
			case g.tree[j] == free:
				g.tree[j], g.parent[j] = mine, int8(back)
				g.stamp[j], g.dist[j] = g.stamp[i], g.dist[i]+1
				g.activate(j)
			case g.tree[j] != mine:
				met, way = j, d
			case g.stamp[j] <= g.stamp[i] && g.dist[j] > g.dist[i]:
				// A shorter way to its terminal.
				g.parent[j] = int8(back)
				g.stamp[j], g.dist[j] = g.stamp[i], g.dist[i]+1
			}
			if met != 0 {
				break
			}
		}
		g.time++
		if met == 0 {
			continue
		}
		current = i
		from, to := i, met
		if mine == sink {
			from, to, way = met, i, (way+4)%8
		}
		g.augment(from, to, way, &offset)
		for len(g.orphans) > 0 {
			o := g.orphans[len(g.orphans)-1]
			g.orphans = g.orphans[:len(g.orphans)-1]
			g.adopt(o, &offset)
		}
	}
}

// activate puts a node at the end of those whose neighbours are to be looked at.
func (g *Grid) activate(i int32) {
	if g.next[i] != 0 {
		return
	}
	if g.last[1] != 0 {
		g.next[g.last[1]] = i
	} else {
		g.first[1] = i
	}
	g.last[1] = i
	g.next[i] = i // the last one names itself
}

// active takes the next node that still has a parent.
func (g *Grid) active() int32 {
	for {
		i := g.first[0]
		if i == 0 {
			g.first, g.last = [2]int32{g.first[1], 0}, [2]int32{g.last[1], 0}
			if i = g.first[0]; i == 0 {
				return 0
			}
		}
		if g.next[i] == i {
			g.first[0], g.last[0] = 0, 0
		} else {
			g.first[0] = g.next[i]
		}
		g.next[i] = 0
		if g.parent[i] != none {
			return i
		}
	}
}

// augment sends what flow it can from the source to the sink over the link from one tree to the
// other.
func (g *Grid) augment(from, to int32, way int, offset *[8]int32) {
	least := g.cap[8*from+int32(way)]
	for i := from; ; {
		d := g.parent[i]
		if d == toTerminal {
			least = min(least, g.terminal[i])
			break
		}
		p := i + offset[d]
		least = min(least, g.cap[8*p+int32((d+4)%8)])
		i = p
	}
	for i := to; ; {
		d := g.parent[i]
		if d == toTerminal {
			least = min(least, -g.terminal[i])
			break
		}
		least = min(least, g.cap[8*i+int32(d)])
		i += offset[d]
	}
	g.cap[8*from+int32(way)] -= least
	g.cap[8*to+int32((way+4)%8)] += least
	for i := from; ; {
		d := g.parent[i]
		if d == toTerminal {
			if g.terminal[i] -= least; g.terminal[i] == 0 {
				g.orphaned(i)
			}
			break
		}
		p := i + offset[d]
		g.cap[8*i+int32(d)] += least
		if g.cap[8*p+int32((d+4)%8)] -= least; g.cap[8*p+int32((d+4)%8)] == 0 {
			g.orphaned(i)
		}
		i = p
	}
	for i := to; ; {
		d := g.parent[i]
		if d == toTerminal {
			if g.terminal[i] += least; g.terminal[i] == 0 {
				g.orphaned(i)
			}
			break
		}
		p := i + offset[d]
		g.cap[8*p+int32((d+4)%8)] += least
		if g.cap[8*i+int32(d)] -= least; g.cap[8*i+int32(d)] == 0 {
			g.orphaned(i)
		}
		i = p
	}
	g.flow += int64(least)
}

func (g *Grid) orphaned(i int32) {
	g.parent[i] = orphan
	g.orphans = append(g.orphans, i)
}

// adopt finds a node that lost its parent another one of its tree that is linked to its terminal,
// the nearest to that; or sets it free, and its children with it.
func (g *Grid) adopt(i int32, offset *[8]int32) {
	mine := g.tree[i]
	best, least := int8(none), int32(math.MaxInt32)
	for d, off := range offset {
		j := i + off
		back := (d + 4) % 8
		left := g.cap[8*j+int32(back)]
		if mine == sink {
			left = g.cap[8*i+int32(d)]
		}
		if left == 0 || g.tree[j] != mine {
			continue
		}
		if far := g.origin(j, offset); far < least {
			best, least = int8(d), far
		}
	}
	if best != none {
		g.parent[i] = best
		g.stamp[i], g.dist[i] = g.time, least+1
		return
	}
	for d, off := range offset {
		j := i + off
		if g.tree[j] != mine {
			continue
		}
		back := (d + 4) % 8
		left := g.cap[8*j+int32(back)]
		if mine == sink {
			left = g.cap[8*i+int32(d)]
		}
		if left > 0 {
			g.activate(j)
		}
		if p := g.parent[j]; p != toTerminal && p != orphan && p != none && j+offset[p] == i {
			g.orphaned(j)
		}
	}
	g.tree[i], g.parent[i] = free, none
}

// origin returns how far a node is from its terminal along its parents, without end where it is
// linked to none any more. It notes on the way what it finds.
func (g *Grid) origin(j int32, offset *[8]int32) int32 {
	far := int32(0)
	i := j
	for {
		if g.stamp[i] == g.time {
			far += g.dist[i]
			break
		}
		d := g.parent[i]
		far++
		if d == toTerminal {
			g.stamp[i], g.dist[i] = g.time, 1
			break
		}
		if d == orphan || d == none {
			return math.MaxInt32
		}
		i += offset[d]
	}
	at := far
	for i = j; g.stamp[i] != g.time; i += offset[g.parent[i]] {
		g.stamp[i], g.dist[i] = g.time, at
		at--
	}
	return far
}
