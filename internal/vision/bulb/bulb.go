// Package bulb finds the round things that hang along a cord: glass bulbs, floats, lanterns.
//
// Each edge in a band along the cord votes for the middles that it could be part of the rim of
// (Hough's transform for circles, after Duda and Hart 1972). The places that most of their rim
// votes for are looked at by themselves, sized on the photo's own pixels, and kept where they
// are about as large as their neighbours along the cord.
package bulb

import (
	"cmp"
	"context"
	"image"
	"math"
	"runtime"
	"slices"

	"pyrant/internal/base/fault"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
)

// Round is a round thing, in pixels of the photo.
type Round struct {
	At     shape.Point
	Radius float64
	Sure   float64 // how much of its rim is seen, 0 to 1
	Along  float64 // where on the cord it hangs, in pixels from its beginning
	aside  float64 // how far from the cord, to the right as one walks along it
}

// What counts as seen.
const (
	certain  = 0.42 // of what a rim can be
	plain    = 0.03 // a change of colour that is half seen
	smallest = 2.5  // radius in pixels of the sheet
	angles   = 48   // at which a rim is looked at
	growth   = 1.08 // from one radius that is tried to the next
)

// Find returns the round things whose middle lies within reach of a line, in their order along
// it. None is larger than reach in radius.
func Find(ctx context.Context, p *photo.Photo, s *edge.Sheet, line []shape.Point, closed bool,
	reach float64) ([]Round, error) {
	b := newBand(s, line, closed, reach)
	found, err := b.vote(ctx, reach/float64(s.Step))
	if err != nil {
		return nil, err
	}
	for i := range found {
		found[i].Along, found[i].aside = b.along(found[i].At)
	}
	found = b.missed(suited(found, b.length()))
	eye := edge.NewEye(p)
	for i := range found {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		found[i] = sized(eye, found[i], float64(s.Step))
		found[i].Along, found[i].aside = b.along(found[i].At)
	}
	byPlace(found)
	return found, nil
}

// band is the part of a sheet within reach of a line.
type band struct {
	s      *edge.Sheet
	line   []shape.Point // in pixels of the sheet
	closed bool
	reach  float64 // in pixels of the sheet
	x0, y0 int
	w, h   int
	in     []bool
}

func newBand(s *edge.Sheet, line []shape.Point, closed bool, reach float64) *band {
	k := 1 / float64(s.Step)
	b := &band{s: s, closed: closed, reach: reach * k}
	lo, hi := shape.Point{X: math.Inf(1), Y: math.Inf(1)}, shape.Point{X: math.Inf(-1),
		Y: math.Inf(-1)}
	for _, q := range line {
		q = shape.Point{X: q.X * k, Y: q.Y * k}
		b.line = append(b.line, q)
		lo.X, lo.Y, hi.X, hi.Y = min(lo.X, q.X), min(lo.Y, q.Y), max(hi.X, q.X), max(hi.Y, q.Y)
	}
	b.x0, b.y0 = max(int(lo.X-b.reach), 0), max(int(lo.Y-b.reach), 0)
	b.w, b.h = min(int(hi.X+b.reach)+1, s.Rect.Dx())-b.x0, min(int(hi.Y+b.reach)+1,
		s.Rect.Dy())-b.y0
	if b.w <= 0 || b.h <= 0 {
		b.w, b.h = 0, 0
		return b
	}
	b.in = make([]bool, b.w*b.h)
	for _, q := range edge.Spaced(b.line, closed, 1) {
		for y := max(int(q.Y-b.reach)-b.y0, 0); y < min(int(q.Y+b.reach)+1-b.y0, b.h); y++ {
			d := float64(y+b.y0) + 0.5 - q.Y
			half := b.reach*b.reach - d*d
			if half < 0 {
				continue
			}
			half = math.Sqrt(half)
			for x := max(int(q.X-half)-b.x0, 0); x < min(int(q.X+half)+1-b.x0, b.w); x++ {
				b.in[y*b.w+x] = true
			}
		}
	}
	return b
}

// length returns the length of the line in pixels of the photo.
func (b *band) length() (l float64) {
	for i, a := range b.line {
		if i > 0 || b.closed {
			q := b.line[(i+len(b.line)-1)%len(b.line)]
			l += math.Hypot(a.X-q.X, a.Y-q.Y)
		}
	}
	return l * float64(b.s.Step)
}

// along returns how far along the line a point of the photo hangs, and how far below it, or to
// its right where the line is steep, in pixels of the photo.
func (b *band) along(p shape.Point) (along, aside float64) {
	k := float64(b.s.Step)
	x, y := p.X/k, p.Y/k
	best, way := math.Inf(1), 0.0
	n := len(b.line)
	for i, a := range b.line {
		if i == n-1 && !b.closed {
			break
		}
		q := b.line[(i+1)%n]
		dx, dy := q.X-a.X, q.Y-a.Y
		l := math.Hypot(dx, dy)
		if l == 0 {
			continue
		}
		t := ((x-a.X)*dx + (y-a.Y)*dy) / (l * l)
		right := (dx*(y-a.Y) - dy*(x-a.X)) / l
		if level := math.Abs(dx) / l; level > 0.35 {
			// Straight down rather than across.
			t, right = (x-a.X)/dx, math.Abs(right)/level*math.Copysign(1, y-a.Y-(x-a.X)*dy/dx)
		}
		u := min(max(t, 0), 1)
		if d := math.Hypot(right, (t-u)*l); d < best {
			best, along, aside = d, (way+u*l)*k, right*k
		}
		way += l
	}
	return
}

// vote returns the places that most of a circle's rim votes for.
func (b *band) vote(ctx context.Context, largest float64) ([]Round, error) {
	if b.w == 0 {
		return nil, nil
	}
	var radii []float64
	for r := smallest; r <= largest; r *= growth {
		radii = append(radii, r)
	}
	found := make([][]Round, len(radii))
	var group fault.Group
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i, r := range radii {
		group.Go(func() error {
			found[i] = b.voteFor(r)
			return ctx.Err()
		})
	}
	err := group.Wait()
	return slices.Concat(found...), err
}

// voteFor is vote for one radius, in pixels of the sheet.
func (b *band) voteFor(r float64) (out []Round) {
	s := b.s
	w, h := s.Rect.Dx(), s.Rect.Dy()
	margin := int(r) + 1
	votes, soft := make([]float32, b.w*b.h), make([]float32, b.w*b.h)
	for y := max(b.y0-margin, 0); y < min(b.y0+b.h+margin, h); y++ {
		for x := max(b.x0-margin, 0); x < min(b.x0+b.w+margin, w); x++ {
			i := y*w + x
			v := s.Crest[i]
			if v < plain/6 {
				continue
			}
			v /= v + plain/2
			n := s.Across[i]
			for _, side := range [...]float64{r, -r} {
				u, q := x-b.x0+int(math.Round(side*float64(n[0]))),
					y-b.y0+int(math.Round(side*float64(n[1])))
				if u >= 0 && q >= 0 && u < b.w && q < b.h && b.in[q*b.w+u] {
					votes[q*b.w+u] += v
				}
			}
		}
	}
	// A rim is drawn in pixels: its votes lie about the middle, farther for larger ones.
	spread := max(1, int(0.12*r))
	box(soft, votes, b.w, b.h, spread)
	least := float32(0.2 * 2 * math.Pi * r)
	k := float64(s.Step)
	for y := range b.h {
		for x := range b.w {
			if soft[y*b.w+x] < least || !highest(soft, b.w, b.h, x, y, spread) {
				continue
			}
			c := Round{At: shape.Point{X: float64(x+b.x0) + 0.5, Y: float64(y+b.y0) + 0.5},
				Radius: r}
			if c.Sure = b.rim(c); c.Sure >= certain-0.05 {
				c.At, c.Radius = shape.Point{X: c.At.X * k, Y: c.At.Y * k}, r*k
				out = append(out, c)
			}
		}
	}
	return out
}

// box sums v in squares of 2·r+1 pixels.
func box(dst, v []float32, w, h, r int) {
	row := make([]float32, len(v))
	for y := range h {
		in := v[y*w : (y+1)*w]
		var sum float32
		for x := -r; x < w; x++ {
			if x+r < w {
				sum += in[x+r]
			}
			if x-r > 0 {
				sum -= in[x-r-1]
			}
			if x >= 0 {
				row[y*w+x] = sum
			}
		}
	}
	clear(dst)
	for y := range h {
		out := dst[y*w : (y+1)*w]
		for q := max(y-r, 0); q <= min(y+r, h-1); q++ {
			for x, u := range row[q*w : (q+1)*w] {
				out[x] += u
			}
		}
	}
}

// highest tells whether no pixel near is higher.
func highest(v []float32, w, h, x, y, r int) bool {
	top := v[y*w+x]
	for q := max(y-r, 0); q <= min(y+r, h-1); q++ {
		for u := max(x-r, 0); u <= min(x+r, w-1); u++ {
			if o := v[q*w+u]; o > top || o == top && q*w+u < y*w+x {
				return false
			}
		}
	}
	return true
}

// rim returns how far the colour changes across a circle's rim all round, more than it does just
// inside of it, less how much it changes in the circle. The circle is in pixels of the sheet.
func (b *band) rim(c Round) float64 {
	s := b.s
	w, h := s.Rect.Dx(), s.Rect.Dy()
	at := func(x, y float64) (i int, ok bool) {
		u, v := int(math.Floor(x)), int(math.Floor(y))
		return v*w + u, u >= 0 && v >= 0 && u < w && v < h
	}
	deep := min(4.5, 0.6*c.Radius)
	sum := 0.0
	for k := range angles {
		sin, cos := math.Sincos(2 * math.Pi * float64(k) / angles)
		in, ok := at(c.At.X+(c.Radius-2)*cos, c.At.Y+(c.Radius-2)*sin)
		out, okOut := at(c.At.X+(c.Radius+2)*cos, c.At.Y+(c.Radius+2)*sin)
		if !ok || !okOut {
			continue
		}
		deeper, _ := at(c.At.X+(c.Radius-deep)*cos, c.At.Y+(c.Radius-deep)*sin)
		step := float64(edge.Gap(s.Colour(in), s.Colour(out)) - edge.Gap(s.Colour(in),
			s.Colour(deeper)))
		step = max(step, 0)
		sum += step / (step + plain)
	}
	inside, count := 0.0, 0.0
	r := 0.7 * c.Radius
	for y := -r; y <= r; y++ {
		for x := -r; x <= r; x++ {
			if i, ok := at(c.At.X+x, c.At.Y+y); ok && x*x+y*y <= r*r {
				v := float64(s.Slope[i])
				inside += v / (v + plain)
				count++
			}
		}
	}
	return sum/angles - inside/max(count, 1)
}

// free returns how sure it is that a circle is all round a thing that hangs free.
func (b *band) free(c Round) float64 { return b.whole(c) * (0.5 + 0.5*b.quiet(c)) }

// whole returns how far the colour changes across a circle's rim where it does so less than at
// seven tenths of its angles: the end of a stroke is half round. The circle is in pixels of the
// sheet.
func (b *band) whole(c Round) float64 {
	s := b.s
	w, h := s.Rect.Dx(), s.Rect.Dy()
	at := func(r float64, sin, cos float64) (int, bool) {
		u, v := int(math.Floor(c.At.X+r*cos)), int(math.Floor(c.At.Y+r*sin))
		return v*w + u, u >= 0 && v >= 0 && u < w && v < h
	}
	var all [angles]float64
	aside := max(1.2, 0.12*c.Radius)
	for k := range all {
		sin, cos := math.Sincos(2 * math.Pi * float64(k) / angles)
		in, a := at(c.Radius-aside, sin, cos)
		out, b := at(c.Radius+aside, sin, cos)
		deeper, d := at(c.Radius-3*aside, sin, cos)
		if a && b && d {
			step := max(float64(edge.Gap(s.Colour(in), s.Colour(out))-edge.Gap(s.Colour(in),
				s.Colour(deeper))), 0)
			all[k] = step / (step + plain)
		}
	}
	slices.Sort(all[:])
	return all[angles*3/10]
}

// quiet returns how little the colour changes beside a circle, at most of its angles: leaves and
// ropes are round by chance among much that changes. The circle is in pixels of the sheet.
func (b *band) quiet(c Round) float64 {
	s := b.s
	w, h := s.Rect.Dx(), s.Rect.Dy()
	var all [angles]float64
	for k := range all {
		sin, cos := math.Sincos(2 * math.Pi * float64(k) / angles)
		for d := c.Radius + 3; d <= 1.6*c.Radius+4; d++ {
			u, v := int(math.Floor(c.At.X+d*cos)), int(math.Floor(c.At.Y+d*sin))
			if u < 0 || v < 0 || u >= w || v >= h {
				continue
			}
			q := float64(s.Slope[v*w+u])
			all[k] = max(all[k], q/(q+plain))
		}
	}
	slices.Sort(all[:])
	return 1 - all[angles*6/10]
}

// alone leaves of circles that overlap or touch the one whose rim is seen most: bulbs hang apart.
// They come in the order of that.
func alone(all []Round) (out []Round) {
	for _, r := range all {
		if !slices.ContainsFunc(out, func(o Round) bool {
			dx, dy, d := o.At.X-r.At.X, o.At.Y-r.At.Y, 1.1*(o.Radius+r.Radius)
			return dx*dx+dy*dy < d*d
		}) {
			out = append(out, r)
		}
	}
	return out
}

// sized lays a circle on the photo's own edges: step is how exactly it is known.
func sized(eye *edge.Eye, r Round, step float64) Round {
	around := make([]shape.Point, angles)
	for k := range around {
		sin, cos := math.Sincos(2 * math.Pi * float64(k) / angles)
		around[k] = shape.Point{X: r.At.X + r.Radius*cos, Y: r.At.Y + r.Radius*sin}
	}
	line := eye.Place(around, edge.Along{Closed: true, Reach: 2*step + 0.12*r.Radius,
		Gap: max(2*math.Pi*r.Radius/angles, 0.5), Blur: step})
	// The circle by least squares (Kåsa 1976), of the half of the points that lie nearest to it,
	// three times: what hides a part of it lies elsewhere.
	at, radius := r.At, r.Radius
	for range 4 {
		off := make([]float64, len(line))
		for i, q := range line {
			off[i] = math.Abs(math.Hypot(q.X-at.X, q.Y-at.Y) - radius)
		}
		sorted := slices.Clone(off)
		slices.Sort(sorted)
		limit := max(sorted[len(sorted)*6/10], 0.25)
		var near []shape.Point
		for i, q := range line {
			if off[i] <= limit {
				near = append(near, q)
			}
		}
		if p, rad, ok := circle(near); ok && math.Hypot(p.X-r.At.X, p.Y-r.At.Y) < 0.4*r.Radius &&
			rad > 0.7*r.Radius && rad < 1.4*r.Radius {
			at, radius = p, rad
		}
	}
	r.At, r.Radius = at, radius
	return r
}

// circle returns the circle nearest to points by least squares of its equation.
func circle(p []shape.Point) (at shape.Point, radius float64, ok bool) {
	n := float64(len(p))
	if n < 3 {
		return
	}
	var mx, my float64
	for _, q := range p {
		mx, my = mx+q.X/n, my+q.Y/n
	}
	var uu, uv, vv, uz, vz, z float64
	for _, q := range p {
		u, v := q.X-mx, q.Y-my
		s := u*u + v*v
		uu, uv, vv, uz, vz, z = uu+u*u, uv+u*v, vv+v*v, uz+u*s, vz+v*s, z+s
	}
	det := uu*vv - uv*uv
	if det < 1e-9 {
		return
	}
	a, b := (uz*vv-vz*uv)/(2*det), (vz*uu-uz*uv)/(2*det)
	return shape.Point{X: mx + a, Y: my + b}, math.Sqrt(z/n + a*a + b*b), true
}

// suited returns of all circles those that are bulbs of one cord: of one size, or growing evenly
// along it, at one side of it, and each standing out from what else is round beside it. Of all
// such sets it is the one that stands out most.
func suited(all []Round, length float64) (best []Round) {
	if len(all) == 0 {
		return nil
	}
	slices.SortStableFunc(all, func(a, b Round) int { return cmp.Compare(b.Sure, a.Sure) })
	least, most := math.Inf(1), 0.0
	size := make([]float64, len(all))
	for i, r := range all {
		least, most = min(least, r.Radius), max(most, r.Radius)
		size[i] = math.Log(r.Radius)
	}
	top := 0.0
	for r0 := least; r0 <= most*1.01; r0 *= growth {
		for slope := -0.9; slope <= 0.95; slope += 0.45 {
			var like []Round
			for i, r := range all {
				if math.Abs(size[i]-math.Log(r0)-slope*(r.Along/length-0.5)) < 0.14 {
					like = append(like, r)
				}
			}
			like = alone(like)
			// By how much each stands out from what else is round at its place along the cord.
			out := make([]float64, len(like))
			for i, r := range like {
				rival := certain - 0.05
				for j, o := range like {
					if j != i && math.Abs(o.Along-r.Along) < 1.5*r.Radius {
						rival = max(rival, o.Sure)
					}
				}
				out[i] = r.Sure - rival
			}
			for aside := -5.0; aside <= 5; aside += 0.5 {
				var set []Round
				sum := 0.0
				for i, r := range like {
					if out[i] > 0 && math.Abs(r.aside/r.Radius-aside) <= 1.4 {
						set = append(set, r)
						sum += out[i] * r.Radius
					}
				}
				if sum > top {
					top, best = sum, set
				}
			}
		}
	}
	return best
}

// missed adds bulbs where even spacing says that some are missing and the photo shows them: their
// votes went astray, or what is round beside them stood out more.
func (b *band) missed(all []Round) []Round {
	byPlace(all)
	out := slices.Clone(all)
	for i := 1; i < len(all); i++ {
		from, to := all[i-1], all[i]
		var gaps []float64
		for j := max(i-3, 1); j < min(i+4, len(all)); j++ {
			if j != i {
				gaps = append(gaps, all[j].Along-all[j-1].Along)
			}
		}
		if len(gaps) < 2 {
			continue
		}
		slices.Sort(gaps)
		n := int(math.Round((to.Along - from.Along) / gaps[len(gaps)/2]))
		for k := 1; k < n; k++ {
			t := float64(k) / float64(n)
			radius := from.Radius + t*(to.Radius-from.Radius)
			at := b.below(from.Along+t*(to.Along-from.Along), from.aside+t*(to.aside-from.aside))
			if r, ok := b.near(at, radius); ok {
				out = append(out, r)
			}
		}
	}
	byPlace(out)
	return out
}

func byPlace(all []Round) {
	slices.SortFunc(all, func(a, b Round) int { return cmp.Compare(a.Along, b.Along) })
}

// below returns the place so far below the line, or aside of it where that is steep: the inverse
// of along.
func (b *band) below(along, aside float64) shape.Point {
	k := float64(b.s.Step)
	way := 0.0
	n := len(b.line)
	for i, a := range b.line {
		q := b.line[(i+1)%n]
		dx, dy := q.X-a.X, q.Y-a.Y
		l := math.Hypot(dx, dy)
		if l > 0 && (way+l >= along/k || i >= n-2 && !b.closed || i == n-1) {
			t := (along/k - way) / l
			at := shape.Point{X: (a.X + t*dx) * k, Y: (a.Y + t*dy) * k}
			if math.Abs(dx)/l > 0.35 {
				at.Y += aside
			} else {
				at.X, at.Y = at.X-dy/l*aside, at.Y+dx/l*aside
			}
			return at
		}
		way += l
	}
	return shape.Point{}
}

// near returns the circle of about a radius near a place of the photo whose rim is seen most,
// if enough of it is.
func (b *band) near(at shape.Point, radius float64) (best Round, ok bool) {
	k := 1 / float64(b.s.Step)
	reach := max(0.6*radius*k, 2)
	for _, grown := range [...]float64{0.92, 1, 1.08} {
		for y := -reach; y <= reach; y++ {
			for x := -reach; x <= reach; x++ {
				c := Round{At: shape.Point{X: at.X*k + x, Y: at.Y*k + y},
					Radius: radius * grown * k}
				if c.Sure = b.rim(c); c.Sure > best.Sure {
					best = c
				}
			}
		}
	}
	best.At, best.Radius = shape.Point{X: best.At.X / k, Y: best.At.Y / k}, best.Radius/k
	best.Along, best.aside = b.along(best.At)
	return best, best.Sure >= certain
}

// All returns the round things anywhere in a photo by how much of their rim is seen, the most
// first: none larger than largest in radius, and of those that overlap one. Sheet is all of the
// photo.
func All(ctx context.Context, p *photo.Photo, s *edge.Sheet, largest float64) ([]Round, error) {
	b := &band{s: s, w: s.Rect.Dx(), h: s.Rect.Dy()}
	b.in = make([]bool, b.w*b.h)
	for i := range b.in {
		b.in[i] = true
	}
	found, err := b.vote(ctx, largest/float64(s.Step))
	if err != nil {
		return nil, err
	}
	slices.SortStableFunc(found, func(a, b Round) int { return cmp.Compare(b.Sure, a.Sure) })
	k := float64(s.Step)
	for i := range found {
		c := &found[i]
		at := Round{At: shape.Point{X: c.At.X / k, Y: c.At.Y / k}, Radius: c.Radius / k}
		c.Sure = b.free(at) * (0.5 + c.Sure)
	}
	slices.SortStableFunc(found, func(a, b Round) int { return cmp.Compare(b.Sure, a.Sure) })
	found = apart(found, looked)
	err = raster.Each(ctx, len(found), func(i int) {
		c := sized(edge.NewEye(p), found[i], float64(s.Step))
		c.Sure = 0
		// Once more on the photo's own pixels, where what is round by chance is not.
		r := int(2*c.Radius) + 6
		x, y := int(c.At.X), int(c.At.Y)
		if own, err := edge.New(ctx, p, 1, image.Rect(x-r, y-r, x+r+1, y+r+1), nil); err == nil &&
			own.Rect.Dx() > 4 && own.Rect.Dy() > 4 {
			at := Round{At: shape.Point{X: c.At.X - float64(own.Rect.Min.X),
				Y: c.At.Y - float64(own.Rect.Min.Y)}, Radius: c.Radius}
			near := &band{s: own}
			c.Sure = near.free(at)
		}
		found[i] = c
	})
	slices.SortStableFunc(found, func(a, b Round) int { return cmp.Compare(b.Sure, a.Sure) })
	found = alone(found)
	// Bulbs hang in company.
	sure := make([]float64, len(found))
	for i, c := range found {
		with := 0.0
		for k, o := range found {
			d := math.Hypot(o.At.X-c.At.X, o.At.Y-c.At.Y)
			if k != i && o.Sure > 0.3 && o.Radius < 1.25*c.Radius && c.Radius < 1.25*o.Radius &&
				d < 8*c.Radius {
				with++
			}
		}
		// Of a few pixels all is about round.
		sure[i] = c.Sure * (1 + 0.4*min(with, 2)) * min(max((c.Radius-1.5)/4, 0), 1)
	}
	for i := range found {
		// From what is round by chance in leaves and ropes to what cannot be.
		found[i].Sure = raster.Smoothstep((sure[i] - 0.55) / 0.6)
	}
	slices.SortStableFunc(found, func(a, b Round) int { return cmp.Compare(b.Sure, a.Sure) })
	return found, err
}

// apart leaves of circles that are about the same the first, and of those so many.
func apart(all []Round, most int) (out []Round) {
	for _, r := range all {
		if len(out) == most {
			break
		}
		if !slices.ContainsFunc(out, func(o Round) bool {
			return math.Abs(o.At.X-r.At.X)+math.Abs(o.At.Y-r.At.Y) < 0.5*r.Radius &&
				o.Radius < 1.25*r.Radius && r.Radius < 1.25*o.Radius
		}) {
			out = append(out, r)
		}
	}
	return out
}

// looked is how many round things are looked at closely at the most.
const looked = 1500
