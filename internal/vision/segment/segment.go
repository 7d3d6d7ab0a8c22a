// Package segment cuts a thing out of a photo by strokes that say what is inside and what is
// outside of it.
//
// The region is a cut of the grid of pixels that costs least (Boykov and Jolly 2001): by what is
// learnt from the strokes about how both sides look, and again from what was cut, as models of
// colours are in Rother, Kolmogorov and Blake 2004; by how far a pixel lies from the strokes along
// ways of little change (Bai and Sapiro 2009); and by the edges that are cut through. It is found
// on a small picture first and then, near its edge, on a larger one. How a side looks is told by a
// forest, of the colours and the roughness about a pixel and its place (package forest); where no
// stroke says what is inside by mixtures of Gaussians, which alone can tell from a loop what is in
// it.
package segment

import (
	"context"
	"image"
	"math"
	"slices"

	"pyrant/internal/base/fault"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
	"pyrant/internal/vision/maxflow"
)

// Stroke says of what it covers that it is inside, or outside. Of strokes that cross the later one
// counts.
type Stroke struct {
	Says   cutout.Says
	Width  float64       // of the stroke, in pixels of the photo
	Points []shape.Point // in pixels of the photo
}

const (
	noInside  = "No stroke marks the inside. Paint over a part of the object."
	noOutside = "No stroke marks the outside. Paint on the background round the object."
)

// Missing says what strokes leave unsaid that has to be said, or nothing.
func Missing(strokes []cutout.Stroke) string {
	var in, out, loop bool
	for _, s := range strokes {
		in, out, loop = in || s.Says == cutout.In, out || s.Says == cutout.Out, loop ||
			s.Says == cutout.Loop
	}
	switch {
	case !in && !loop:
		return noInside
	case !out && !loop:
		return noOutside
	}
	return ""
}

// StrokesOf returns the strokes of a cut-out.
func StrokesOf(c *cutout.CutOut) []Stroke {
	out := make([]Stroke, len(c.Strokes))
	for i, s := range c.Strokes {
		out[i] = Stroke{s.Says, s.Diameter, make([]shape.Point, s.Points.Len())}
		for j, p := range s.Points.All() {
			out[i].Points[j] = shape.Point{X: p.X, Y: p.Y}
		}
	}
	return out
}

const (
	unknown = iota
	inside
	outside
	unsure // whether it is, it is in part
)

// coarse and fine are how many pixels are cut at once, at most.
const (
	coarse = 250_000
	fine   = 1_600_000
)

// band is how far from the edge of a cut on a coarser sheet it may turn out to lie, in pixels of
// that.
const band = 2

// What the parts of the cost weigh.
const (
	ofLooks    = 1.2 // of what a forest tells
	ofColour   = 0.6 // of colours of all of the photo, where nothing else can tell
	ofAlike    = 0.5 // of the same beside what a forest tells
	ofNear     = 0.5 // of the colours of the neighbourhood, near an edge
	ofWay      = 1.0
	ofEdge     = 48.0
	always     = 1.0 // of an edge, however weak
	most       = 6.0 // that the colour of one pixel counts
	certain    = 1 << 20
	resolution = 64 // of costs as whole numbers
	rounds     = 3  // of cutting and making models of what was cut
)

// Cut is a thing cut out: which pixels of a part of a sheet are inside. Outside of the part none
// is.
type Cut struct {
	Step int             // pixels of the photo for each of the sheet
	Rect image.Rectangle // in pixels of the sheet
	In   []bool
}

// At tells whether a place of the photo is inside.
func (c *Cut) At(x, y float64) bool {
	return c.in(int(math.Floor(x))/c.Step, int(math.Floor(y))/c.Step)
}

func (c *Cut) in(u, v int) bool {
	return image.Pt(u, v).In(c.Rect) && c.In[(v-c.Rect.Min.Y)*c.Rect.Dx()+u-c.Rect.Min.X]
}

// Ground is a photo made ready to be scribbled on.
type Ground struct {
	Photo *photo.Photo
	sheet *edge.Sheet
	gaps  []float32 // of the sheet
	links []int32
}

// NewGround makes a photo ready.
func NewGround(ctx context.Context, p *photo.Photo) (*Ground, error) {
	s, err := edge.New(ctx, p, edge.Steps(p.Width, p.Height, coarse), image.Rect(0, 0, p.Width,
		p.Height), nil)
	if err != nil {
		return nil, err
	}
	gaps, links, err := linksOf(ctx, s)
	return &Ground{p, s, gaps, links}, err
}

// Bytes returns the memory that the ground takes, without that of the photo.
func (g *Ground) Bytes() int64 {
	return 4 *
		int64(len(g.sheet.Lab)+len(g.sheet.Slope)+len(g.sheet.Ridge)+len(g.gaps)+len(g.links))
}

// Find cuts out what the strokes say; quick only on a small picture, for what is shown while one
// scribbles.
func (g *Ground) Find(ctx context.Context, strokes []Stroke, quick bool) (*Cut, error) {
	s, p := g.sheet, g.Photo
	c, models, err := g.onSheet(ctx, strokes, quick)
	if err != nil || quick {
		return c, err
	}
	for next := (s.Step + 1) / 2; ; next = (next + 1) / 2 {
		box := c.box(3)
		if box.Empty() {
			return c, nil
		}
		r := image.Rect(box.Min.X*c.Step/next, box.Min.Y*c.Step/next, box.Max.X*c.Step/next+1,
			box.Max.Y*c.Step/next+1)
		if next == c.Step || r.Dx()*r.Dy() > fine {
			return c, nil
		}
		if s, err = edge.New(ctx, p, next, r, nil); err != nil {
			return nil, err
		}
		if c, err = refine(ctx, s, c, strokes, models); err != nil {
			return nil, err
		}
	}
}

// box returns the part of the sheet that holds all that is inside, with a margin.
func (c *Cut) box(margin int) image.Rectangle {
	var r image.Rectangle
	w := c.Rect.Dx()
	for i, v := range c.In {
		if v {
			x, y := c.Rect.Min.X+i%w, c.Rect.Min.Y+i/w
			r = r.Union(image.Rect(x, y, x+1, y+1))
		}
	}
	if r.Empty() {
		return r
	}
	return r.Inset(-margin)
}

// onSheet cuts on all of the ground's sheet, and returns the models of both sides as well.
func (g *Ground) onSheet(ctx context.Context, strokes []Stroke, quick bool) (*Cut, pair, error) {
	s := g.sheet
	w, h := s.Rect.Dx(), s.Rect.Dy()
	seed := seeds(s, strokes)
	var n [3]int
	for _, v := range seed {
		n[v]++
	}
	var models pair
	looped := slices.ContainsFunc(strokes, func(s Stroke) bool { return s.Says == cutout.Loop })
	if n[inside] == 0 && !looped {
		return nil, models, fault.New(fault.Invalid, noInside)
	}
	if n[outside] == 0 {
		return nil, models, fault.New(fault.Invalid, noOutside)
	}
	c := &Cut{Step: s.Step, Rect: s.Rect, In: make([]bool, w*h)}
	var far [2][]float32
	if err := raster.Each(ctx, 2, func(k int) {
		far[k] = ways(ctx, s, g.gaps, seed,
			[...]uint8{inside, outside}[k])
	}); err != nil {
		return nil, models, err
	}
	if n[inside] == 0 {
		// Of a loop alone one knows what is outside; how far a place is from that says nothing.
		far = [2][]float32{make([]float32, w*h), make([]float32, w*h)}
	}
	for i := range c.In {
		c.In[i] = far[0][i] < far[1][i] || n[inside] == 0 && seed[i] != outside
	}
	times, every, grown := rounds, 2, trees
	if quick {
		times, every, grown = 1, 17, quickly
	}
	way := make([]float32, w*h)
	for i := range way {
		const near, endless = 0.3, 1e6
		v := float64((min(far[1][i], endless) + near) / (min(far[0][i], endless) + near))
		way[i] = float32(ofWay * min(max(math.Log(v), -most), most))
	}
	model := func() error {
		return raster.Each(ctx, 2, func(k int) {
			models[k] = modelOf(ctx, s, seed, c.In, far,
				k == 0, every)
		})
	}
	for round := range times {
		var looks []float32
		var err error
		if n[inside] > 0 {
			looks, err = c.learn(ctx, s, seed, far, round > 0, grown)
		} else {
			err = model()
		}
		if err != nil {
			return nil, models, err
		}
		same, err := c.solve(ctx, g.links, seed, func(i int) float32 {
			switch {
			case looks == nil:
				return way[i] + ofColour*models.compare(sampleOf(s, i))
			case quick && math.IsInf(float64(far[0][i]), 1):
				return way[i] // no looks outweigh that no way leads there
			}
			return way[i] + ofLooks*looks[i]
		})
		if err != nil {
			return nil, models, err
		}
		if same {
			break
		}
	}
	if !quick {
		if err := model(); err != nil {
			return nil, models, err
		}
	}
	c.keep(seed)
	return c, models, nil
}

// keep leaves of what is inside the parts that a stroke says so of: what merely looks alike
// elsewhere is none of the thing.
func (c *Cut) keep(seed []uint8) {
	w := c.Rect.Dx()
	kept := make([]bool, len(c.In))
	var stack []int
	for i, v := range seed {
		if v == inside && c.In[i] {
			kept[i] = true
			stack = append(stack, i)
		}
	}
	if len(stack) == 0 {
		return // a loop alone says of no part that it is the thing
	}
	for len(stack) > 0 {
		i := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		x := i % w
		for _, j := range [...]int{i - w, i + w, i - 1, i + 1} {
			if j < 0 || j >= len(kept) || j == i-1 && x == 0 || j == i+1 && x == w-1 || kept[j] ||
				!c.In[j] {
				continue
			}
			kept[j] = true
			stack = append(stack, j)
		}
	}
	c.In = kept
}

// nearEdge tells which pixels of a cut lie within a distance of its edge, along either axis.
func (c *Cut) nearEdge(band int) []bool {
	w, h := c.Rect.Dx(), c.Rect.Dy()
	along, out := make([]bool, w*h), make([]bool, w*h)
	for y := range h {
		for x := range w {
			v := c.In[y*w+x]
			if x+1 < w && v != c.In[y*w+x+1] || y+1 < h && v != c.In[y*w+x+w] {
				for u := max(x-band, 0); u <= min(x+band+1, w-1); u++ {
					along[y*w+u] = true
				}
			}
		}
	}
	for y := range h {
		for x := range w {
			if along[y*w+x] {
				for v := max(y-band, 0); v <= min(y+band+1, h-1); v++ {
					out[v*w+x] = true
				}
			}
		}
	}
	return out
}

// refine cuts anew within a band of pixels of the edge of a cut, on a sheet of finer pixels.
func refine(ctx context.Context, s *edge.Sheet, c *Cut, strokes []Stroke,
	models pair) (*Cut, error) {
	w, h := s.Rect.Dx(), s.Rect.Dy()
	said := seeds(s, strokes)
	seed := slices.Clone(said)
	out := &Cut{Step: s.Step, Rect: s.Rect, In: make([]bool, w*h)}
	near := c.nearEdge(band)
	alike := make([]float32, w*h) // by the colours of all of the photo
	if err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
		for i := y0 * w; i < y1*w; i++ {
			x, y := (s.Rect.Min.X+i%w)*s.Step/c.Step, (s.Rect.Min.Y+i/w)*s.Step/c.Step
			out.In[i] = c.in(x, y)
			switch {
			case seed[i] != unknown:
			case image.Pt(x, y).In(c.Rect) && near[(y-c.Rect.Min.Y)*c.Rect.Dx()+x-c.Rect.Min.X]:
				alike[i] = ofAlike * models.compare(sampleOf(s, i))
			case out.In[i]:
				seed[i] = inside
			default:
				seed[i] = outside
			}
		}
	}); err != nil {
		return nil, err
	}
	looks, err := out.relearn(ctx, s, seed, said)
	if err != nil {
		return nil, err
	}
	like, err := out.local(ctx, s, seed, models)
	if err != nil {
		return nil, err
	}
	_, links, err := linksOf(ctx, s)
	if err != nil {
		return nil, err
	}
	_, err = out.solve(ctx, links, seed,
		func(i int) float32 { return alike[i] + ofNear*like[i] + ofLooks*looks[i] })
	return out, err
}

// solve makes the cheapest cut of a sheet, and tells whether it is the one that was there before.
// links are what it costs to cut between pixels, term is what speaks for the inside of one.
func (c *Cut) solve(ctx context.Context, links []int32, seed []uint8,
	term func(i int) float32) (same bool, err error) {
	w, h := c.Rect.Dx(), c.Rect.Dy()
	g := maxflow.New(w, h)
	terms := make([]int32, w*h)
	if err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range w {
				i := y*w + x
				switch seed[i] {
				case inside:
					terms[i] = certain
				case outside:
					terms[i] = -certain
				default:
					terms[i] = int32(term(i) * resolution)
				}
				for d, to := range onward {
					// Between what is known to be of one side nothing parts them.
					u, v := x+to[0], y+to[1]
					if u >= 0 && u < w && v < h && (seed[i] == unknown || seed[i] != seed[v*w+u]) {
						g.Link(x, y, maxflow.Step(d), links[4*i+d])
					}
				}
			}
		}
	}); err != nil {
		return false, err
	}
	for i, v := range terms {
		g.Terminal(i%w, i/w, max(v, 0), max(-v, 0))
	}
	if _, err := g.Solve(ctx); err != nil {
		return false, err
	}
	same = true
	for i := range c.In {
		v := g.Source(i%w, i/w)
		same = same && v == c.In[i]
		c.In[i] = v
	}
	return same, nil
}

// modelOf makes a model of the colours of one side, of one in so many pixels: those under strokes
// count more, and those more that lie nearer to them than to the others.
func modelOf(ctx context.Context, s *edge.Sheet, seed []uint8, in []bool, far [2][]float32,
	isIn bool, every int) model {
	var colours []sample
	var weight []float32
	mine, other, is := far[1], far[0], uint8(outside)
	if isIn {
		mine, other, is = far[0], far[1], inside
	}
	for i, v := range in {
		if seed[i] == is || seed[i] == unknown && v == isIn && i%every == 0 {
			k := float32(1)
			if seed[i] == unknown {
				k = (min(other[i], 1e6) + 1e-6) / (min(mine[i], 1e6) + min(other[i], 1e6) + 2e-6)
				k *= k
			} else {
				k = 3
			}
			colours = append(colours, sampleOf(s, i))
			weight = append(weight, k)
		}
	}
	return fit(ctx, colours, weight, parts)
}

// sampleOf returns a pixel of a sheet, with its place.
func sampleOf(s *edge.Sheet, i int) sample {
	w := s.Rect.Dx()
	long := float32(max(s.Full.Dx(), s.Full.Dy()))
	return sample{s.Colour(i), float32(s.Rect.Min.X+i%w) / long, float32(s.Rect.Min.Y+i/w) / long}
}

// seeds tells of each pixel of a sheet what strokes say of it.
func seeds(s *edge.Sheet, strokes []Stroke) []uint8 {
	return seedsOn(s.Step, s.Rect, strokes, meant)
}

var meant = map[cutout.Says]uint8{cutout.In: inside, cutout.Out: outside, cutout.Loop: outside}

// seedsOn tells of each pixel of a part of a reduced photo what strokes say of it.
func seedsOn(step int, rect image.Rectangle, strokes []Stroke, says map[cutout.Says]uint8) []uint8 {
	w, h := rect.Dx(), rect.Dy()
	out := make([]uint8, w*h)
	k := 1 / float64(step)
	for _, st := range strokes {
		v, ok := says[st.Says]
		if !ok {
			continue
		}
		// all pixels that a line goes through, so that no way slips through it
		r := max(st.Width*k/2, 0.75)
		pts := make([]shape.Point, len(st.Points))
		for i, p := range st.Points {
			pts[i] = shape.Point{X: p.X*k - float64(rect.Min.X), Y: p.Y*k - float64(rect.Min.Y)}
		}
		if st.Says == cutout.Loop {
			for y := range h {
				row := out[y*w : (y+1)*w]
				beyond(row, pts, float64(y)+0.5, v)
			}
			continue
		}
		lines := linesNear(pts, r, float64(w), float64(h))
		for y := range h {
			var spans spans
			for _, l := range lines {
				spans.add(capsule(l[0], l[1], r, float64(y)+0.5))
			}
			for _, s := range spans {
				from, to := max(math.Ceil(s[0]-0.5), 0), min(math.Floor(s[1]-0.5), float64(w-1))
				for x := int(from); x <= int(to); x++ {
					out[y*w+x] = v
				}
			}
		}
	}
	return out
}

// linesNear returns the segments of a stroke of radius r that reach a picture of w by h pixels. It
// leaves out points closer together than a fraction of the radius: they hardly move the outline.
func linesNear(pts []shape.Point, r, w, h float64) (out [][2]shape.Point) {
	apart := max(0.5, min(r/8, math.Sqrt(0.4*r)))
	var from shape.Point
	for i, p := range pts {
		if i == 0 {
			from = p
		} else if i < len(pts)-1 && math.Hypot(p.X-from.X, p.Y-from.Y) < apart {
			continue
		}
		if max(from.X, p.X) > -r && min(from.X, p.X) < w+r && max(from.Y, p.Y) > -r &&
			min(from.Y, p.Y) < h+r {
			out = append(out, [2]shape.Point{from, p})
		}
		from = p
	}
	return out
}

// spans are disjoint intervals of a row.
type spans [][2]float64

// add adds an interval, and merges it with those that it touches.
func (s *spans) add(from, to float64) {
	if from > to {
		return
	}
	list := *s
	for i := 0; i < len(list); {
		if from <= list[i][1] && to >= list[i][0] {
			from, to = min(from, list[i][0]), max(to, list[i][1])
			list[i] = list[len(list)-1]
			list = list[:len(list)-1]
		} else {
			i++
		}
	}
	*s = append(list, [2]float64{from, to})
}

// capsule returns the interval of a row that lies within r of the segment from a to b; from > to if
// there is none.
func capsule(a, b shape.Point, r, y float64) (from, to float64) {
	from, to = math.Inf(1), math.Inf(-1)
	if y < min(a.Y, b.Y)-r || y > max(a.Y, b.Y)+r {
		return from, to
	}
	reach := func(x float64) { from, to = min(from, x), max(to, x) }
	for _, end := range [...]shape.Point{a, b} {
		if half := r*r - (y-end.Y)*(y-end.Y); half >= 0 {
			half = math.Sqrt(half)
			reach(end.X - half)
			reach(end.X + half)
		}
	}
	if dx, dy := b.X-a.X, b.Y-a.Y; dy != 0 {
		// where the row crosses the two sides
		length := math.Hypot(dx, dy)
		for _, side := range [...]float64{r / length, -r / length} {
			if t := (y - a.Y - side*dx) / dy; t >= 0 && t <= 1 {
				reach(a.X + t*dx - side*dy)
			}
		}
	}
	return from, to
}

// beyond writes v to what of a row lies outside of a closed line.
func beyond(row []uint8, line []shape.Point, y float64, v uint8) {
	var cross []float64
	for i, a := range line {
		b := line[(i+1)%len(line)]
		if (a.Y > y) != (b.Y > y) {
			cross = append(cross, a.X+(y-a.Y)/(b.Y-a.Y)*(b.X-a.X))
		}
	}
	slices.Sort(cross)
	at := 0
	for i := 0; i <= len(cross); i += 2 {
		end := len(row)
		if i < len(cross) {
			end = min(max(int(math.Ceil(cross[i]-0.5)), 0), len(row))
		}
		for ; at < end; at++ {
			row[at] = v
		}
		if i+1 < len(cross) {
			at = max(at, min(max(int(math.Ceil(cross[i+1]-0.5)), 0), len(row)))
		}
	}
}

// ways returns how far each pixel is from those of a kind, along the way on which the colour
// changes least: a pixel of way counts little, a change of colour much. It is worked out by sweeps
// to and fro (Toivanen 1996), which ways with few turns need few of.
func ways(ctx context.Context, s *edge.Sheet, gaps []float32, seed []uint8, from uint8) []float32 {
	w, h := s.Rect.Dx(), s.Rect.Dy()
	const change = 1.0
	pixel := float32(0.02)
	far := make([]float32, w*h)
	for i, v := range seed {
		if v != from {
			far[i] = float32(math.Inf(1))
		}
	}
	other := uint8(inside + outside - int(from))
	step := func(i, j int, l, gap float32) {
		if f := far[j] + l*pixel + change*gap; f < far[i] {
			far[i] = f
		}
	}
	const right, downRight, down, downLeft = maxflow.Right, maxflow.DownRight, maxflow.Down,
		maxflow.DownLeft
	for range 3 {
		for y := 0; y < h && ctx.Err() == nil; y++ {
			for x := range w {
				i := y*w + x
				if seed[i] == other {
					continue // no way leads through what is of the other side
				}
				if x > 0 {
					step(i, i-1, 1, gaps[4*(i-1)+int(right)])
				}
				if y > 0 {
					step(i, i-w, 1, gaps[4*(i-w)+int(down)])
					if x > 0 {
						step(i, i-w-1, math.Sqrt2, gaps[4*(i-w-1)+int(downRight)])
					}
					if x < w-1 {
						step(i, i-w+1, math.Sqrt2, gaps[4*(i-w+1)+int(downLeft)])
					}
				}
			}
		}
		for y := h - 1; y >= 0 && ctx.Err() == nil; y-- {
			for x := w - 1; x >= 0; x-- {
				i := y*w + x
				if seed[i] == other {
					continue
				}
				if x < w-1 {
					step(i, i+1, 1, gaps[4*i+int(right)])
				}
				if y < h-1 {
					step(i, i+w, 1, gaps[4*i+int(down)])
					if x > 0 {
						step(i, i+w-1, math.Sqrt2, gaps[4*i+int(downLeft)])
					}
					if x < w-1 {
						step(i, i+w+1, math.Sqrt2, gaps[4*i+int(downRight)])
					}
				}
			}
		}
	}
	return far
}
