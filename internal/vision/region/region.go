// Package region finds the shape that lies under a point of a photo: a pale panel, a lens, a
// letter, a bulb.
//
// Proposals come from three sides. Floods by rising levels (as watersheds are found: Vincent
// and Soille 1991) take in pixels in the order of how far their colour is from that at the
// point, how steep the photo is there, or how far their tint is, whatever the light on it; all
// that was taken in up to a level is a proposal. Rays seek a closed line round the point along
// edges that face it. And what is nearly round is proposed as an ellipse. The best are laid on
// the edges, mended where colours like those inside go on, and judged by how well all of their
// edge stands out.
//
// It is done on a picture of the whole photo that is small enough to answer while the pointer
// moves, and once more round what was found there, at a scale at which it is large.
package region

import (
	"context"
	"image"
	"math"
	"runtime"
	"slices"
	"sort"

	"pyrant/internal/base/fault"
	"pyrant/internal/base/photo"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
)

// Ground is a photo made ready to be asked what lies where.
type Ground struct {
	Photo *photo.Photo
	Sheet *edge.Sheet // of all of it, to find things on
	Fine  *edge.Sheet // of all of it, to follow edges on
}

// coarse and fine are how many pixels the sheets of a ground have at most, and large is how many
// pixels wide a thing is looked at.
const (
	coarse = 400_000
	large  = 56
	fine   = 1_600_000
)

// NewGround prepares a photo. It calls done, if there is one, with the share of the work done.
func NewGround(ctx context.Context, p *photo.Photo, done func(float64)) (*Ground, error) {
	all := image.Rect(0, 0, p.Width, p.Height)
	part := func(from, to float64) func(float64) {
		return func(v float64) {
			if done != nil {
				done(from + (to-from)*v)
			}
		}
	}
	g := &Ground{Photo: p}
	var err error
	if g.Sheet, err = edge.New(ctx, p, edge.Steps(p.Width, p.Height, coarse), all,
		part(0, 0.3)); err != nil {
		return nil, err
	}
	g.Fine, err = edge.New(ctx, p, edge.Steps(p.Width, p.Height, fine), all, part(0.3, 1))
	return g, err
}

// Bytes returns the memory that the ground takes without its photo.
func (g *Ground) Bytes() int64 { return g.Sheet.Bytes() + g.Fine.Bytes() }

// Pick says what of a photo is meant.
type Pick struct {
	X, Y float64 // the point, in pixels of the photo
	// Widen is by how much more (above 0) or less is alike than what is proposed: each 2
	// double the gap in colour.
	Widen float64
	// Quick asks for what can be told while the pointer moves: about where the edge lies.
	Quick bool
}

// Found is a region as it was found.
type Found struct {
	Share float64       // of the photo
	Score float64       // how much its edge stands out, about 0 to 1
	Rough []shape.Point // its edge in pixels of the photo
	step  float64
	sheet *edge.Sheet // on which it was found
}

// Guess returns the region's edge as an outline of few points, as far as it is known without
// looking at the photo closely.
func (f *Found) Guess() shape.Path { return shape.Fit(f.Rough, true, 0.5*f.step) }

// none is what is said where nothing stands out.
var none = fault.New(fault.Invalid, "No shape stands out here. Click an even shape with a clear edge, or draw it by hand.")

// Find finds the region under a point.
func (g *Ground) Find(ctx context.Context, p Pick) (*Found, error) {
	s := g.Sheet
	if _, ok := s.At(p.X, p.Y); !ok || p.X < 0 || p.Y < 0 || p.X >= float64(g.Photo.Width) ||
		p.Y >= float64(g.Photo.Height) {
		return nil, fault.New(fault.Invalid, "That place is outside the photo.")
	}
	if p.Widen != 0 {
		return g.widened(ctx, p)
	}
	f, score := find(s, p, coarse/12, p.Quick)
	size := 8.0 * float64(s.Step)
	if f != nil {
		size = math.Sqrt(area(f))
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	// Once more at a scale at which it is large.
	if step := max(1, int(math.Round(size/large))); step < s.Step && !p.Quick {
		reach := 0.9 * size
		r := image.Rect(int((p.X-reach)/float64(step)), int((p.Y-reach)/float64(step)),
			int((p.X+reach)/float64(step))+1, int((p.Y+reach)/float64(step))+1)
		if f != nil {
			r = r.Union(around(f, 0.35*size, step))
		}
		fine, err := edge.New(ctx, g.Photo, step, r, nil)
		if err != nil {
			return nil, err
		}
		if q, v := find(fine, p, r.Dx()*r.Dy(), false); q != nil && v > score-0.15 {
			f, score, s = q, v, fine
		}
	}
	if f == nil || score < 0.1 {
		return nil, none
	}
	return g.found(f, score, s), nil
}

func (g *Ground) found(line []shape.Point, score float64, s *edge.Sheet) *Found {
	return &Found{Share: area(line) / float64(g.Photo.Width) / float64(g.Photo.Height),
		Score: score, Rough: line, step: float64(s.Step), sheet: s}
}

// around returns the box of a line in pixels of a sheet, with a margin in pixels of the photo.
func around(line []shape.Point, margin float64, step int) image.Rectangle {
	x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for _, p := range line {
		x0, y0, x1, y1 = min(x0, p.X), min(y0, p.Y), max(x1, p.X), max(y1, p.Y)
	}
	k := float64(step)
	return image.Rect(int((x0-margin)/k), int((y0-margin)/k), int((x1+margin)/k)+1,
		int((y1+margin)/k)+1)
}

// proposal is an edge that may be meant, in pixels of a sheet's Rect.
type proposal struct {
	line  []shape.Point
	score float64
}

// What a proposal is better by for having been mended, and for being round: both are how the
// edges of things are.
const (
	mended  = 0.06
	isRound = 0.17
)

// find returns the line round a point of the photo that stands out most on a sheet, in pixels
// of the photo, with its score; nil where there is none.
func find(s *edge.Sheet, p Pick, most int, quick bool) ([]shape.Point, float64) {
	from, ok := s.At(p.X, p.Y)
	if !ok {
		return nil, 0
	}
	w := s.Rect.Dx()
	cx, cy := float64(from%w)+0.5, float64(from/w)+0.5
	var all []proposal
	tries, mends := 3, 3
	if quick {
		tries, mends = 2, 1
	}
	// Each way of finding lines by itself, side by side.
	list := costs(s, from)
	lines := make([][][]shape.Point, len(list)+1)
	var group fault.Group
	group.SetLimit(runtime.GOMAXPROCS(0))
	for k, cost := range list {
		if quick && k == 1 {
			continue
		}
		group.Go(func() error {
			f := run(s, from, newRoom(s), cost, most, false)
			for _, l := range f.best(12, tries) {
				pixels := f.order[:f.count[l]]
				g := gridOf(pixels, w)
				deep := g.depth()
				for _, r := range [...]float64{1, 0.06 * math.Sqrt(float64(len(pixels)))} {
					if r > 1 && r < 2 {
						continue
					}
					if line := g.edge((from/w-g.y0)*g.w+from%w-g.x0, deep, r); line != nil {
						lines[k] = append(lines[k], line)
					}
				}
			}
			return nil
		})
	}
	group.Go(func() error {
		lines[len(list)] = rays(s, from)
		return nil
	})
	group.Join()
	for _, line := range slices.Concat(lines...) {
		all = append(all, proposal{line: line})
	}
	all = sieve(s, all, cx, cy, 1+2*mends)
	for i := range all {
		all[i].score = judge(s, all[i].line, all[i].score)
	}
	sort.SliceStable(all, func(i, j int) bool { return all[i].score > all[j].score })
	for _, p := range all[:min(mends, len(all)):min(mends, len(all))] {
		for range 2 {
			p.line = s.Snap(mend(s, p.line, 8), 2)
		}
		if shape.Inside(p.line, cx, cy) {
			p.score = judge(s, p.line, edgeOf(s, p.line)) + mended
			all = append(all, p)
		}
	}
	var round []proposal
	for _, p := range all {
		if p.score < all[0].score-0.3 {
			continue
		}
		if line := ellipseOf(p.line); line != nil {
			round = append(round, proposal{line: line})
		}
	}
	for _, p := range sieve(s, round, cx, cy, 2+mends) {
		p.score = judge(s, p.line, p.score) + isRound
		all = append(all, p)
	}
	var best proposal
	for _, p := range all {
		if p.score > best.score {
			best = p
		}
	}
	if best.line == nil {
		return nil, 0
	}
	return onPhoto(s, best.line), best.score
}

// sieve lays lines on the edges of a sheet and returns the n of them that stand out most by
// their edge alone, none twice, of those that go round a point.
func sieve(s *edge.Sheet, all []proposal, x, y float64, n int) []proposal {
	var out []proposal
	var group fault.Group
	group.SetLimit(runtime.GOMAXPROCS(0))
	laid := make([][]shape.Point, len(all))
	for i := range all {
		group.Go(func() error {
			laid[i] = s.Snap(all[i].line, 2.5)
			return nil
		})
	}
	group.Join()
next:
	for i, p := range all {
		p.line = laid[i]
		if !shape.Inside(p.line, x, y) {
			continue
		}
		size := area(p.line)
		for _, q := range out {
			// The same again: which of both does not matter.
			if d := math.Abs(area(q.line) - size); d < 0.01*size && apart(p.line, q.line) < 0.6 {
				continue next
			}
		}
		p.score = edgeOf(s, p.line)
		out = append(out, p)
	}
	sort.SliceStable(out, func(i, j int) bool { return out[i].score > out[j].score })
	return out[:min(n, len(out))]
}

// apart tells about how far a line lies from another, in pixels.
func apart(a, b []shape.Point) (sum float64) {
	const places = 16
	for k := range places {
		p := a[k*len(a)/places]
		best := math.Inf(1)
		for i := 0; i < len(b); i += 2 {
			best = min(best, (p.X-b[i].X)*(p.X-b[i].X)+(p.Y-b[i].Y)*(p.Y-b[i].Y))
		}
		sum += math.Sqrt(best) / places
	}
	return sum
}

// costs returns what pixels cost the floods from one of them.
func costs(s *edge.Sheet, from int) []func(i int) float32 {
	seed := s.Mean(from, 1)
	tint := tinted(seed)
	return []func(i int) float32{
		func(i int) float32 { return edge.Gap(s.Colour(i), seed) },
		func(i int) float32 { return 2 * s.Slope[i] },
		func(i int) float32 { return edge.Gap(tinted(s.Colour(i)), tint) },
	}
}

// onPhoto returns a line on a sheet in pixels of the photo.
func onPhoto(s *edge.Sheet, line []shape.Point) []shape.Point {
	k := float64(s.Step)
	out := make([]shape.Point, len(line))
	for i, p := range line {
		out[i] = shape.Point{X: (p.X + float64(s.Rect.Min.X)) * k,
			Y: (p.Y + float64(s.Rect.Min.Y)) * k}
	}
	return out
}

// widened finds the region of what is alike in colour up to a gap, which is that of the region
// that is proposed, doubled for every two steps.
func (g *Ground) widened(ctx context.Context, p Pick) (*Found, error) {
	s := g.Sheet
	from, _ := s.At(p.X, p.Y)
	w := s.Rect.Dx()
	f := run(s, from, newRoom(s), costs(s, from)[0], w*s.Rect.Dy(), true)
	level := levels / 16
	if best := f.best(12, 1); len(best) > 0 {
		level = best[0]
	}
	to := min(max(int(float64(max(level, 4))*math.Exp2(p.Widen/2)), 0), f.last)
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	pixels := f.order[:f.count[to]]
	if len(pixels) < 12 {
		return nil, none
	}
	grid := gridOf(pixels, w)
	line := grid.edge((from/w-grid.y0)*grid.w+from%w-grid.x0, grid.depth(), 1)
	if line == nil {
		return nil, none
	}
	line = s.Snap(line, 1.5)
	return g.found(onPhoto(s, line), judge(s, line, edgeOf(s, line)), s), nil
}

// area returns the area that a closed line encloses.
func area(p []shape.Point) float64 { return math.Abs(shape.Turn(p)) }

// Outline lays a region's edge on that of the photo, to a fraction of a pixel, and makes an
// outline of few points of it.
func (f *Found) Outline(e *edge.Eye) shape.Path {
	line := f.Rough
	for range 2 {
		line = e.Place(line, edge.Along{Closed: true, Reach: 2 * f.step, Gap: f.step, Blur: f.step})
	}
	return e.Lit(line, f.step, f.drawn)
}

// drawn returns the path of few points for a line on the photo's edges, and how intricate it is:
// not at all where it is an ellipse, otherwise by its points.
func (f *Found) drawn(line []shape.Point) (p shape.Path, intricate int) {
	// What is round but for what its own shade has eaten off is round.
	tolerance := max(0.4*f.step, 0.012*math.Sqrt(area(line)))
	for _, shaded := range [...]bool{true, false} {
		e, r, ok := rounded(line, tolerance, shaded)
		if ok && r.on > 0.6 && r.outside < max(f.step, 0.035*e.Height) &&
			r.inside < 0.055*e.Height+0.2*f.step {
			return shape.Nodes(e), 0
		}
	}
	p = fewest(line, f.step)
	return p, p.Len()
}

// fewest returns the path of the fewest points that strays little from a line: a third of a
// pixel in the mean, a sixth of what a pixel of the sheet is, or a 700th of its size.
func fewest(line []shape.Point, step float64) (p shape.Path) {
	allowed := max(0.33, step/6, math.Sqrt(area(line))/700)
	for _, tolerance := range [...]float64{6, 4, 2.8, 2, 1.4, 1} {
		p = shape.Fit(line, true, tolerance*max(0.8, 0.35*step))
		flat := shape.Flatten(p, true)
		sum := 0.0
		for _, q := range line {
			best := math.Inf(1)
			for i, a := range flat {
				b := flat[(i+1)%len(flat)]
				dx, dy := b.X-a.X, b.Y-a.Y
				t := 0.0
				if l := dx*dx + dy*dy; l > 0 {
					t = min(max(((q.X-a.X)*dx+(q.Y-a.Y)*dy)/l, 0), 1)
				}
				u, v := q.X-a.X-t*dx, q.Y-a.Y-t*dy
				best = min(best, u*u+v*v)
			}
			sum += math.Sqrt(best)
		}
		if sum/float64(len(line)) <= allowed {
			break
		}
	}
	return p
}

// Ball returns the round thing under a point of the photo.
func (g *Ground) Ball(ctx context.Context, x, y float64) (shape.Ellipse, error) {
	f, err := g.Find(ctx, Pick{X: x, Y: y})
	if err != nil {
		return shape.Ellipse{}, err
	}
	line := edge.NewEye(g.Photo).Place(f.Rough, edge.Along{Closed: true, Reach: 2 * f.step,
		Gap: f.step, Blur: f.step})
	for _, shaded := range [...]bool{false, true} {
		if e, r, ok := rounded(line, 0.5*f.step, shaded); ok && r.on > 0.4 &&
			e.Width < 1.7*e.Height {
			return e, nil
		}
	}
	return shape.Ellipse{}, fault.New(fault.Invalid, "There is nothing round here.")
}

// Finger is how far from a click an edge is looked for, in pixels of the photo.
func (g *Ground) Finger() float64 { return float64(max(g.Photo.Width, g.Photo.Height)) / 180 }
