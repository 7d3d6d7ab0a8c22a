// Package forest learns from samples of two classes to tell them apart.
//
// A forest is many trees of questions, each about whether one number of a sample lies below a
// threshold. Which numbers are asked for, and the thresholds, are drawn at random, and of a few
// draws the one is taken that parts the classes best (extremely randomised trees, Geurts, Ernst and
// Wehenkel 2006). Each tree learns from samples of its own. What they say in the mean is smooth
// where samples are few and sharp where they leave no doubt, whatever the numbers mean and however
// they are scaled.
package forest

import (
	"context"
	"math"
	"math/rand/v2"

	"pyrant/internal/base/raster"
)

// Samples are what a forest learns from.
type Samples struct {
	Width  int       // how many numbers a sample has
	Values []float32 // Width for each sample
	In     []bool    // of which class each sample is
	Weight []float32 // what each counts, above 0
}

// Add appends a sample.
func (s *Samples) Add(values []float32, in bool, weight float32) {
	s.Values = append(s.Values, values...)
	s.In = append(s.In, in)
	s.Weight = append(s.Weight, weight)
}

// Balance makes both classes count the same in all. It reports whether both are there.
func (s *Samples) Balance() bool {
	var sum [2]float64
	for i, in := range s.In {
		sum[class(in)] += float64(s.Weight[i])
	}
	if sum[0] == 0 || sum[1] == 0 {
		return false
	}
	for i, in := range s.In {
		s.Weight[i] *= float32(float64(len(s.In)) / 2 / sum[class(in)])
	}
	return true
}

func class(in bool) int {
	if in {
		return 1
	}
	return 0
}

const (
	draws  = 6    // of questions, of which the best is asked
	leaf   = 2    // samples to a side, at least
	deep   = 16   // questions in a row, at most
	heard  = 8000 // samples that a tree learns from, at most
	surest = 0.01 // what the other class may always be
)

// node is a question, or an answer where it asks for none. Who is below the threshold goes on to
// the node that comes next.
type node struct {
	ask    int32 // the number asked for, or -1
	below  float32
	other  int32 // the node of those that are not below
	answer float32
}

// Forest tells two classes apart.
type Forest [][]node

// Grow makes a forest of a number of trees. The same samples make the same forest.
func Grow(ctx context.Context, s *Samples, trees int) (Forest, error) {
	f := make(Forest, trees)
	n := len(s.In)
	if n == 0 {
		return nil, ctx.Err()
	}
	return f, raster.Each(ctx, trees, func(k int) {
		g := grower{Samples: s, rnd: rand.New(rand.NewPCG(uint64(k), 1))}
		drawn := make([]int32, min(n, heard))
		for i := range drawn {
			drawn[i] = int32(g.rnd.IntN(n))
		}
		g.grow(drawn, 0)
		f[k] = g.nodes
	})
}

type grower struct {
	*Samples
	rnd   *rand.Rand
	nodes []node
}

func (g *grower) at(i int32, ask int) float32 { return g.Values[int(i)*g.Width+ask] }

// grow appends the tree of some samples, which it sorts.
func (g *grower) grow(of []int32, depth int) {
	var all [2]float64
	for _, i := range of {
		all[class(g.In[i])] += float64(g.Weight[i])
	}
	own := len(g.nodes)
	g.nodes = append(g.nodes, node{ask: -1,
		answer: float32((all[1] + 0.5) / (all[0] + all[1] + 1))})
	if all[0] == 0 || all[1] == 0 || len(of) < 2*leaf || depth == deep {
		return
	}
	best, ask, below := math.Inf(1), -1, float32(0)
	for range draws {
		q := g.rnd.IntN(g.Width)
		lo, hi := g.at(of[0], q), g.at(of[0], q)
		for _, i := range of {
			lo, hi = min(lo, g.at(i, q)), max(hi, g.at(i, q))
		}
		if hi <= lo {
			continue
		}
		t := lo + (hi-lo)*g.rnd.Float32()
		var part [2]float64
		n := 0
		for _, i := range of {
			if g.at(i, q) < t {
				n++
				part[class(g.In[i])] += float64(g.Weight[i])
			}
		}
		if n < leaf || len(of)-n < leaf {
			continue
		}
		if v := impurity(part) + impurity([2]float64{all[0] - part[0],
			all[1] - part[1]}); v < best {
			best, ask, below = v, q, t
		}
	}
	if ask < 0 {
		return
	}
	n := 0
	for j, i := range of {
		if g.at(i, ask) < below {
			of[n], of[j] = of[j], of[n]
			n++
		}
	}
	g.grow(of[:n], depth+1)
	g.nodes[own] = node{ask: int32(ask), below: below, other: int32(len(g.nodes))}
	g.grow(of[n:], depth+1)
}

// impurity is that of Gini, times what the samples weigh.
func impurity(w [2]float64) float64 {
	if w[0]+w[1] <= 0 {
		return 0
	}
	return w[0] * w[1] / (w[0] + w[1])
}

// Odds returns the logarithm of how many times likelier a sample is of the class that is in than of
// the other: between the logarithms of 1/99 and 99, and 0 where there is no forest.
func (f Forest) Odds(values []float32) float32 {
	if len(f) == 0 {
		return 0
	}
	var sum float32
	for _, tree := range f {
		i := int32(0)
		for tree[i].ask >= 0 {
			if n := &tree[i]; values[n.ask] < n.below {
				i++
			} else {
				i = n.other
			}
		}
		sum += tree[i].answer
	}
	p := float64(min(max(sum/float32(len(f)), surest), 1-surest))
	return float32(math.Log(p / (1 - p)))
}
