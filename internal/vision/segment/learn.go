package segment

import (
	"context"
	"math"

	"pyrant/internal/base/raster"
	"pyrant/internal/vision/edge"
	"pyrant/internal/vision/forest"
)

// What a forest is told of a pixel: its colour, the mean of those about it in squares of 3 and of 7
// pixels, how rough the lightness is in the smaller one, and its place. Neither the one nor the
// other alone says enough: glass in a breastplate is as grey as the wall beside it.
const features = 12

// How many trees are grown: of a cut that is to be quick, else; and how far from what is unknown
// samples of finer pixels are taken.
const (
	quickly  = 14
	trees    = 64
	together = 60
)

// What samples count: those under strokes, and at most those that were cut before.
const (
	ofStrokes = 3
	ofCut     = 1
)

// describe writes the features of a pixel of a sheet.
func describe(s *edge.Sheet, i int, to *[features]float32) {
	w, h := s.Rect.Dx(), s.Rect.Dy()
	x, y := i%w, i/w
	copy(to[:3], s.Lab[3*i:3*i+3])
	var small, large [3]float32
	var square, n, m float32
	for v := max(y-3, 0); v <= min(y+3, h-1); v++ {
		near := v >= y-1 && v <= y+1
		for u := max(x-3, 0); u <= min(x+3, w-1); u++ {
			c := s.Lab[3*(v*w+u) : 3*(v*w+u)+3 : 3*(v*w+u)+3]
			large[0] += c[0]
			large[1] += c[1]
			large[2] += c[2]
			m++
			if near && u >= x-1 && u <= x+1 {
				small[0] += c[0]
				small[1] += c[1]
				small[2] += c[2]
				square += c[0] * c[0]
				n++
			}
		}
	}
	for q := range 3 {
		to[3+q], to[7+q] = small[q]/n, large[q]/m
	}
	to[6] = float32(math.Sqrt(float64(max(square/n-to[3]*to[3], 0))))
	long := float32(max(s.Full.Dx(), s.Full.Dy()))
	to[10], to[11] = float32(s.Rect.Min.X+x)/long, float32(s.Rect.Min.Y+y)/long
}

// odds returns what a forest says of the pixels of a sheet that are unknown, as logarithms. weigh
// tells of which side a pixel is and what it counts as a sample, 0 for none.
func odds(ctx context.Context, s *edge.Sheet, seed []uint8, trees int,
	weigh func(i int) (in bool, weight float32)) ([]float32, error) {
	out := make([]float32, len(seed))
	samples := forest.Samples{Width: features}
	// So many pixels apart that there are enough for all trees and not many more.
	count := 0
	for i := range seed {
		if _, k := weigh(i); k > 0 {
			count++
		}
	}
	every, met := max(count/enough, 1), 0
	var at [features]float32
	for i := range seed {
		in, k := weigh(i)
		if k <= 0 {
			continue
		}
		if met++; met%every != 0 {
			continue
		}
		describe(s, i, &at)
		samples.Add(at[:], in, k)
	}
	if !samples.Balance() {
		return out, nil // what has one side alone says nothing
	}
	f, err := forest.Grow(ctx, &samples, trees)
	if err != nil {
		return nil, err
	}
	return out, raster.Rows(ctx, 0, len(seed), func(a, b int) {
		var at [features]float32
		for i := a; i < b; i++ {
			if seed[i] == unknown {
				describe(s, i, &at)
				out[i] = f.Odds(at[:])
			}
		}
	})
}

// enough is how many samples a forest is grown from, about.
const enough = 60_000

// learn returns what a forest says that learns from strokes, and from what was cut by them if
// anything was: that the more, the nearer it lies to the strokes of its side than to the others.
func (c *Cut) learn(ctx context.Context, s *edge.Sheet, seed []uint8, far [2][]float32, cut bool,
	trees int) ([]float32, error) {
	return odds(ctx, s, seed, trees, func(i int) (bool, float32) {
		switch {
		case seed[i] != unknown:
			return seed[i] == inside, ofStrokes
		case !cut:
			return false, 0
		}
		mine, other := min(far[1][i], 1e6), min(far[0][i], 1e6)
		if c.In[i] {
			mine, other = other, mine
		}
		k := (other + 1e-6) / (mine + other + 2e-6)
		return c.In[i], ofCut * k * k
	})
}

// relearn returns what a forest says that learns from all that is known about what is unknown: said
// is what strokes say of it.
func (c *Cut) relearn(ctx context.Context, s *edge.Sheet, seed, said []uint8) ([]float32, error) {
	w := s.Rect.Dx()
	near := make([]bool, len(seed))
	for y := range len(seed) / w {
		row, unsure := near[y*w:(y+1)*w], seed[y*w:(y+1)*w]
		last := -together - 1
		for x, v := range unsure {
			if v == unknown {
				last = x
			}
			row[x] = x-last <= together
		}
		last = w + together
		for x := w - 1; x >= 0; x-- {
			if unsure[x] == unknown {
				last = x
			}
			row[x] = row[x] || last-x <= together
		}
	}
	return odds(ctx, s, seed, trees, func(i int) (bool, float32) {
		switch {
		case seed[i] == unknown || !near[i]:
			return false, 0
		case said[i] != unknown:
			return seed[i] == inside, ofStrokes
		}
		return seed[i] == inside, ofCut
	})
}
