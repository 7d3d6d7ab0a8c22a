// Package pointlight finds the point lights in a photo: street lamps, far windows no larger than a
// few pixels, bulbs.
//
// What stands out in brightness is found as maxima of differences of Gaussians over place and scale
// (Lindeberg, Feature Detection with Automatic Scale Selection, 1998). Each is then looked at on
// the photo's own pixels: the region round it that is brighter than half of what it stands out by
// tells of its middle, size and form. A lamp is compact, round or nearly, whole, and stands alone.
// A window and a sign have corners, a highlight is faint, an image in wet ground is ragged and lies
// below the light that it is of.
package pointlight

import (
	"cmp"
	"context"
	"image"
	"math"
	"slices"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/vision/bulb"
	"pyrant/internal/vision/edge"
)

// Point is a light that was found, in pixels of the photo.
type Point struct {
	X, Y    float64
	Radius  float64
	Bright  float64    // display value of its middle, from 0 to 1
	Stands  float64    // by how much that is more than what is round it
	Clipped bool       // its middle is as bright as the photo can be
	Colour  colour.RGB // see Colour
	Sure    float64    // how sure it is a light, from 0 to 1
}

// Threshold is how sure a point has to be, unless the user says otherwise.
const Threshold = 0.5

// Most is how many points are kept, the surest first.
const Most = 500

// Kind is what is looked for.
type Kind int

// What can be looked for: lights, or round pale things such as bulbs that are not lit.
const (
	Lit Kind = iota
	Dead
)

// largest is how large points can be in radius, of the long edge.
const largest = 1.0 / 36

// Find returns the points of a photo by how sure they are, the surest first, and how many more
// there were than Most.
func Find(ctx context.Context, p *photo.Photo, kind Kind) ([]Point, int, error) {
	look := lit
	if kind == Dead {
		look = dead
	}
	out, err := look(ctx, p)
	if err != nil {
		return nil, 0, err
	}
	slices.SortStableFunc(out, func(a, b Point) int { return cmp.Compare(b.Sure, a.Sure) })
	more := max(len(out)-Most, 0)
	return out[:len(out)-more], more, ctx.Err()
}

// hopeless is how sure a point is at the least.
const hopeless = 0.02

// lit finds lights.
func lit(ctx context.Context, p *photo.Photo) ([]Point, error) {
	step := edge.Steps(p.Width, p.Height, whole)
	v, err := brightness(ctx, p, step)
	if err != nil {
		return nil, err
	}
	seeds, err := seeds(ctx, v)
	if err != nil {
		return nil, err
	}
	marks := make([]mark, len(seeds))
	if err := raster.Each(ctx, len(seeds), func(i int) {
		if ctx.Err() == nil {
			marks[i] = look(v, seeds[i])
		}
	}); err != nil {
		return nil, err
	}
	marks = alone(marks)
	among(marks)
	var out []Point
	for i := range marks {
		if m := &marks[i]; m.sure > hopeless {
			k := float64(step)
			q := Point{X: m.x * k, Y: m.y * k, Radius: m.radius * k, Bright: m.top,
				Stands: m.top - m.ring, Clipped: m.top > clipped, Sure: m.sure}
			q.Colour = Colour(p, q.X, q.Y, q.Radius)
			out = append(out, q)
		}
	}
	return out, ctx.Err()
}

// whole is how many pixels are looked at, at the most: a photo of more is reduced by a whole
// number, so that the memory is bounded.
const whole = 26 << 20

// Of what brightness on the photo shows no more of how bright a thing is.
const clipped = 0.985

// round is about how many pixels the sheet has in which round things are looked for.
const round = 2 << 20

// dead finds round things that are not lit.
func dead(ctx context.Context, p *photo.Photo) ([]Point, error) {
	s, err := edge.New(ctx, p, edge.Steps(p.Width, p.Height, round), image.Rect(0, 0, p.Width,
		p.Height), nil)
	if err != nil {
		return nil, err
	}
	all, err := bulb.All(ctx, p, s, largest*float64(max(p.Width, p.Height)))
	if err != nil {
		return nil, err
	}
	var out []Point
	for _, r := range all {
		if r.Sure <= hopeless {
			continue
		}
		q := Point{X: r.At.X, Y: r.At.Y, Radius: r.Radius, Sure: r.Sure}
		m := mean(p, q.X, q.Y, 0, 0.4*q.Radius)
		// else it is lit
		if q.Bright = float64(colour.Display.At(max(m.R, m.G, m.B))); q.Bright < 0.97 {
			q.Colour = Colour(p, q.X, q.Y, q.Radius)
			out = append(out, q)
		}
	}
	return out, nil
}

// brightness returns the photo's largest channel as a display value, against the brightest there
// is: coloured lights are as bright as white ones, and those of a dark photo as those of a bright
// one. Each pixel is the mean of step by step of the photo's.
func brightness(ctx context.Context, p *photo.Photo, step int) (*raster.Plane, error) {
	out, err := p.Reduced(ctx, step, func(r, g, b float32) float32 { return max(r, g, b) })
	if err != nil {
		return nil, err
	}
	var count [256]int
	for _, x := range out.Pix {
		count[min(max(int(x*255), 0), 255)]++
	}
	top, n := 255, count[255]
	for ; top > dimmest && float64(n) < whitest*float64(len(out.Pix)); top-- {
		n += count[top-1]
	}
	for i, x := range out.Pix {
		out.Pix[i] = min(x*255/float32(top), 1)
	}
	return out, nil
}

// whitest is the share of a photo that the brightest of it fills, and dimmest how dark that may be,
// of 255: a photo in which nothing is brighter shows no light.
const (
	whitest = 3e-5
	dimmest = 240
)

// seed is a maximum of the differences.
type seed struct{ x, y, radius, value float64 }

// Scales of one octave, and the least difference that counts.
const (
	perOctave = 3
	sigma0    = 0.85
	least     = 0.02
)

// seeds finds maxima of differences of Gaussians over place and scale.
func seeds(ctx context.Context, v *raster.Plane) (out []seed, err error) {
	step := 1.0
	top := largest * float64(max(v.Rect.Dx(), v.Rect.Dy()))
	cur := v
	for first := true; ; first = false {
		w, h := cur.Rect.Dx(), cur.Rect.Dy()
		if w < 8 || h < 8 {
			return out, nil
		}
		// Blurred by sigma0·2^(i/3), of what is blurred by sigma0 already but in the first octave.
		// Of the differences three beside each other are looked at, so that four blurred pictures
		// are there at a time.
		const n = perOctave + 3
		var blur [n]*raster.Plane
		found := make([][]seed, h)
		for i := range n {
			s := sigma0 * math.Pow(2, float64(i)/perOctave)
			had := sigma0
			if first {
				had = 0
			}
			if blur[i], err = gauss(ctx, cur, math.Sqrt(max(s*s-had*had, 0))); err != nil {
				return nil, err
			}
			// The difference k between blurs k and k+1 has its neighbours once blur k+2 is there.
			k := i - 2
			if k < 0 || k == 0 && !first {
				continue
			}
			if err := peaks(ctx, blur[max(k-1, 0):i+1], min(k, 1),
				sigma0*math.Pow(2, (float64(k)+0.5)/perOctave)*step, step, found); err != nil {
				return nil, err
			}
			if k > 0 {
				blur[k-1] = nil
			}
		}
		for _, f := range found {
			out = append(out, f...)
		}
		if sigma0*2*step*math.Sqrt2 > top {
			return out, ctx.Err()
		}
		cur = half(blur[perOctave])
		step *= 2
	}
}

// peaks notes the maxima of the difference between blurs k and k+1, against those beside it and
// beside it in scale: a disc answers most where the mean of both deviations, sigma in pixels of the
// photo, is its radius by the root of 2.
func peaks(ctx context.Context, blur []*raster.Plane, k int, sigma, step float64,
	found [][]seed) error {
	w, h := blur[0].Rect.Dx(), blur[0].Rect.Dy()
	at := func(i, q int) float32 { return blur[i].Pix[q] - blur[i+1].Pix[q] }
	return raster.Rows(ctx, 1, h-1, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := 1; x < w-1; x++ {
				q := y*w + x
				d := at(k, q)
				if d < least {
					continue
				}
				most := true
				for i := 0; i < len(blur)-1 && most; i++ {
					for dy := -w; dy <= w; dy += w {
						for dx := -1; dx <= 1; dx++ {
							if (dx != 0 || dy != 0 || i != k) && at(i, q+dy+dx) > d {
								most = false
							}
						}
					}
				}
				if most {
					found[y] = append(found[y], seed{(float64(x) + 0.5) * step,
						(float64(y) + 0.5) * step, sigma * math.Sqrt2, float64(d)})
				}
			}
		}
	})
}

// gauss blurs a plane by a deviation in pixels.
func gauss(ctx context.Context, p *raster.Plane, sigma float64) (*raster.Plane, error) {
	out := raster.NewPlane(p.Rect)
	if sigma < 0.05 {
		copy(out.Pix, p.Pix)
		return out, nil
	}
	n := int(math.Ceil(3 * sigma))
	k := make([]float32, n+1)
	sum := 0.0
	for i := range k {
		k[i] = float32(math.Exp(-float64(i*i) / (2 * sigma * sigma)))
		sum += float64(k[i])
		if i > 0 {
			sum += float64(k[i])
		}
	}
	for i := range k {
		k[i] /= float32(sum)
	}
	w, h := p.Rect.Dx(), p.Rect.Dy()
	tmp := raster.NewPlane(p.Rect)
	if err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
		for y := y0; y < y1; y++ { // down
			to := tmp.Pix[y*w : (y+1)*w]
			for i, c := range k {
				a := p.Pix[max(y-i, 0)*w:][:w]
				if i == 0 {
					for x, v := range a {
						to[x] = v * c
					}
					continue
				}
				b := p.Pix[min(y+i, h-1)*w:][:w]
				for x := range to {
					to[x] += (a[x] + b[x]) * c
				}
			}
		}
	}); err != nil {
		return nil, err
	}
	err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
		wide := make([]float32, w+2*n)
		for y := y0; y < y1; y++ { // along
			src := tmp.Pix[y*w : (y+1)*w]
			copy(wide[n:], src)
			for i := range n {
				wide[i], wide[n+w+i] = src[0], src[w-1]
			}
			to := out.Pix[y*w : (y+1)*w]
			for i, c := range k {
				a, b := wide[n-i:][:w], wide[n+i:][:w]
				if i == 0 {
					for x, v := range a {
						to[x] = v * c
					}
					continue
				}
				for x := range to {
					to[x] += (a[x] + b[x]) * c
				}
			}
		}
	})
	return out, err
}

// half returns every other pixel of every other row.
func half(p *raster.Plane) *raster.Plane {
	w, h := p.Rect.Dx()/2, p.Rect.Dy()/2
	out := raster.NewPlane(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			// The middle of four, as places are told from the middles of pixels.
			i := 2*y*p.Rect.Dx() + 2*x
			out.Pix[y*w+x] = (p.Pix[i] + p.Pix[i+1] + p.Pix[i+p.Rect.Dx()] +
				p.Pix[i+p.Rect.Dx()+1]) / 4
		}
	}
	return out
}

// mark is what is seen of a seed on the photo.
type mark struct {
	x, y, radius float64
	top, ring    float64 // display values: of the middle, of what is round it
	long         float64 // how much longer than wide
	flat         float64 // how much of it is about as bright as its middle
	tall         float64 // how much higher than wide
	round        float64 // of the disc round it, what it fills
	box          float64 // of the narrowest rectangle round it, what it fills
	ragged       float64 // its rim against that of a disc of its area
	near         float64 // share of what is round it that is as bright
	area         float64
	value        float64
	crowd, glint float64 // see among
	mirrored     bool    // see among
	sure         float64
}

// What of the ring round a seed, by brightness, is taken for what it stands before, and how far up
// from there to its middle it ends. There is no one answer for a lamp in a halo, before the edge of
// a roof, or among others: that is taken by which it is most a light.
var (
	grounds = [...]float64{0.6, 0.85}
	levels  = [...]float64{0.5, 0.72}
)

// look measures the region round a seed.
func look(v *raster.Plane, s seed) (best mark) {
	best = mark{x: s.x, y: s.y, radius: s.radius, value: s.value}
	r := s.radius
	reach := int(math.Ceil(3.2*r + 4))
	win := image.Rect(int(s.x)-reach, int(s.y)-reach, int(s.x)+reach+1,
		int(s.y)+reach+1).Intersect(v.Rect)
	w, h := win.Dx(), win.Dy()
	l := &looker{v: v, win: win, w: w, h: h}
	cx, cy := s.x-float64(win.Min.X), s.y-float64(win.Min.Y)
	var ring, core []float32
	peak := float32(-1)
	for y := range h {
		for x := range w {
			d := math.Hypot(float64(x)+0.5-cx, float64(y)+0.5-cy)
			if d > 1.7*r+1.5 && d < 2.8*r+3 {
				ring = append(ring, l.at(x, y))
			}
			if d <= math.Max(0.6*r, 0.9) {
				core = append(core, l.at(x, y))
				if l.at(x, y) > peak {
					peak, l.px, l.py = l.at(x, y), x, y
				}
			}
		}
	}
	if len(ring) == 0 || len(core) == 0 {
		return best
	}
	slices.Sort(ring)
	slices.Sort(core)
	top := float64(core[len(core)*9/10])
	for _, g := range grounds {
		ground := float64(ring[int(g*float64(len(ring)))])
		if top-ground < faint || top < dim {
			continue
		}
		for _, k := range levels {
			m := l.region(top, ground, ground+k*(top-ground))
			m.value = s.value
			if m.sure = m.certainty(); m.sure > best.sure || best.area == 0 {
				best = m
			}
		}
	}
	return best
}

// What is no light at any rate: by how much it stands out, and its display value.
const (
	faint = 0.04
	dim   = 0.7
)

// looker is a window of a picture that a mark is looked at in.
type looker struct {
	v      *raster.Plane
	win    image.Rectangle
	w, h   int
	px, py int // the brightest pixel
	in     []bool
	stack  []int
	xs, ys []int
}

func (l *looker) at(x, y int) float32 {
	return l.v.Pix[(l.win.Min.Y+y)*l.v.Rect.Dx()+l.win.Min.X+x]
}

// region measures what round the brightest pixel is as bright as a level.
func (l *looker) region(top, ground, level float64) (m mark) {
	m.top, m.ring = top, ground
	w, h, at := l.w, l.h, l.at
	if len(l.in) == 0 {
		l.in = make([]bool, w*h)
	}
	clear(l.in)
	in, stack := l.in, append(l.stack[:0], l.py*w+l.px)
	in[stack[0]] = true
	xs, ys := l.xs[:0], l.ys[:0]
	for len(stack) > 0 {
		k := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		x, y := k%w, k/w
		xs, ys = append(xs, x), append(ys, y)
		for _, d := range [4][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
			a, b := x+d[0], y+d[1]
			if a < 0 || b < 0 || a >= w || b >= h || in[b*w+a] || float64(at(a, b)) < level {
				continue
			}
			in[b*w+a] = true
			stack = append(stack, b*w+a)
		}
	}
	var sum, sx, sy float64
	edges, full := 0, 0
	for i, x := range xs {
		y := ys[i]
		c := math.Min((float64(at(x, y))-m.ring)/(m.top-m.ring), 1)
		if c > 0.9 {
			full++
		}
		sum, sx, sy = sum+c, sx+c*(float64(x)+0.5), sy+c*(float64(y)+0.5)
		for _, d := range [4][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
			a, b := x+d[0], y+d[1]
			if a < 0 || b < 0 || a >= w || b >= h || !in[b*w+a] {
				edges++
			}
		}
	}
	gx, gy := sx/sum, sy/sum
	l.stack, l.xs, l.ys = stack, xs, ys
	m.x, m.y, m.area = gx+float64(l.win.Min.X), gy+float64(l.win.Min.Y), float64(len(xs))
	m.radius = math.Sqrt(m.area / math.Pi)
	m.flat = float64(full) / m.area
	var xx, xy, yy, far float64
	for i := range xs {
		dx, dy := float64(xs[i])+0.5-gx, float64(ys[i])+0.5-gy
		xx, xy, yy = xx+dx*dx, xy+dx*dy, yy+dy*dy
		far = math.Max(far, dx*dx+dy*dy)
	}
	n := float64(len(xs))
	xx, xy, yy = xx/n+1.0/12, xy/n, yy/n+1.0/12
	mid, dev := (xx+yy)/2, math.Hypot((xx-yy)/2, xy)
	m.long = math.Sqrt((mid + dev) / math.Max(mid-dev, 1e-3))
	m.tall = math.Sqrt(yy / xx)
	m.round = m.area / (math.Pi * (math.Sqrt(far) + 0.5) * (math.Sqrt(far) + 0.5))
	m.ragged = float64(edges) / (8 * m.radius)
	m.box = 0
	for k := range 24 {
		sn, cs := math.Sincos(float64(k) * math.Pi / 48)
		lo0, hi0, lo1, hi1 := math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)
		for i := range xs {
			a, b := float64(xs[i])*cs+float64(ys[i])*sn, float64(ys[i])*cs-float64(xs[i])*sn
			lo0, hi0, lo1, hi1 = math.Min(lo0, a), math.Max(hi0, a), math.Min(lo1, b),
				math.Max(hi1, b)
		}
		m.box = math.Max(m.box, m.area/((hi0-lo0+1)*(hi1-lo1+1)))
	}
	out, bright := 0, 0
	for y := range h {
		for x := range w {
			d := math.Hypot(float64(x)+0.5-gx, float64(y)+0.5-gy)
			if d < 1.3*m.radius+1.5 || d > 3*m.radius+3 {
				continue
			}
			out++
			if !in[y*w+x] && float64(at(x, y)) >= level {
				bright++
			}
		}
	}
	m.near = float64(bright) / math.Max(float64(out), 1)
	return m
}

// alone keeps of marks of one thing the surest.
func alone(marks []mark) (out []mark) {
	slices.SortStableFunc(marks, func(a, b mark) int {
		return cmp.Or(cmp.Compare(b.sure, a.sure), cmp.Compare(b.value, a.value))
	})
	for _, m := range marks {
		if m.area == 0 || slices.ContainsFunc(out, func(o mark) bool {
			return math.Hypot(o.x-m.x, o.y-m.y) < math.Max(1.5, 0.9*math.Max(o.radius, m.radius))
		}) {
			continue
		}
		out = append(out, m)
	}
	return out
}

// ramp goes from 0 at a to 1 at b, or back.
func ramp(v, a, b float64) float64 {
	return raster.Smoothstep((v - a) / (b - a))
}

func (m *mark) certainty() float64 {
	c := ramp(m.top, 0.86, 0.98) * ramp(m.top-m.ring, faint, 0.2)
	c *= ramp(m.radius, 1, 1.9)
	c *= ramp(m.long, 2.4, 1.6) * ramp(m.round, 0.3, 0.55) * ramp(m.ragged, 1.6, 1.25)
	if m.radius > 5 {
		c *= ramp(m.box, 0.95, 0.89)
	}
	c *= ramp(m.near, 0.3, 0.12)
	// A light is as bright up to its edge, as far as that is not lost in pixels; what shines in it
	// is not.
	large := ramp(m.radius, 2, 5)
	return c * ramp(m.flat, 0.12+0.4*large, 0.3+0.4*large)
}

// speck is a radius below which what stands out beside a mark counts however it looks.
const speck = 3

// among weighs each mark by what stands out beside it: specks of something that glitters are many
// and alike, and glints of a lamp's own metal lie near it.
func among(marks []mark) {
	sure := make([]float64, len(marks))
	for i := range marks {
		m := &marks[i]
		far := 6*m.radius + 8
		for k := range marks {
			o := &marks[k]
			d := math.Hypot(o.x-m.x, o.y-m.y)
			if k == i {
				continue
			}
			if (o.sure > 0.05 || o.radius < speck) && d < far &&
				o.top-o.ring > 0.3*(m.top-m.ring) && o.top > 0.6*m.top && o.radius > m.radius/2 &&
				o.radius < 2*m.radius {
				m.crowd++
			}
			// An image in what is wet lies straight below, about as large, drawn out downwards or
			// ragged.
			if o.sure > 0.5 && m.y > o.y+4*o.radius && math.Abs(m.x-o.x) < max(1.5, 0.3*o.radius) &&
				m.radius > 0.5*o.radius && m.radius < 2*o.radius &&
				(m.tall > 1.25 || m.ragged > 1.2 || m.top < o.top-0.02) {
				m.mirrored = true
			}
			if o.sure > 0.5 && o.top >= m.top && m.radius < 0.4*o.radius && d < 5.5*o.radius {
				m.glint = max(m.glint, ramp(d, 5.5*o.radius, 4.5*o.radius)*ramp(m.radius,
					0.4*o.radius, 0.25*o.radius))
			}
		}
		sure[i] = m.sure * ramp(m.crowd, 7, 3) * (1 - m.glint)
		if m.mirrored {
			sure[i] *= 0.3
		}
	}
	for i := range marks {
		marks[i].sure = sure[i]
	}
}

// Colour returns the colour of the light of a point in a photo, in linear light with 1 for its
// largest channel: that of its rim, where its middle is white as no photo can show it brighter.
func Colour(p *photo.Photo, x, y, radius float64) colour.RGB {
	c := rim(p, x, y, radius)
	if top := max(c.R, c.G, c.B); top > 1e-4 {
		return c.Scale(1 / top)
	}
	return colour.RGB{R: 1, G: 1, B: 1}
}

// rim returns the colour of a light: of what is round its middle where that is clipped, and shows
// its glow against what is round that.
func rim(p *photo.Photo, x, y, r float64) colour.RGB {
	if m := mean(p, x, y, 0, 0.5*r); colour.Display.At(min(m.R, m.G, m.B)) <= 0.9 {
		return mean(p, x, y, 0, 0.7*r)
	}
	near, far := mean(p, x, y, r+0.5, 1.35*r+1.5), mean(p, x, y, 2.2*r+3, 3*r+4)
	c := colour.RGB{R: max(near.R-far.R, 0), G: max(near.G-far.G, 0), B: max(near.B-far.B, 0)}
	top := max(c.R, c.G, c.B)
	if top < 1e-3 {
		return near
	}
	// Before what is bright itself, or beside another light, the difference is little of what there
	// is, and tells little.
	tells := min(colour.Luma(c.R, c.G, c.B)/max(colour.Luma(near.R, near.G, near.B), 1e-4)/0.25, 1)
	return c.Mix(colour.RGB{R: top, G: top, B: top}, 1-tells)
}

// Brightness returns the mean luminance of a disc of a photo, in linear light: of a light, how
// bright the photo shows it.
func Brightness(p *photo.Photo, x, y, radius float64) float64 {
	c := mean(p, x, y, 0, radius)
	return float64(colour.Luma(c.R, c.G, c.B))
}

// mean returns the mean colour of a ring, in linear light.
func mean(p *photo.Photo, x, y, inner, outer float64) (c colour.RGB) {
	x0, x1 := max(int(x-outer), 0), min(int(x+outer)+1, p.Width)
	row := make([]float32, 3*max(x1-x0, 0))
	var n float32
	for j := max(int(y-outer), 0); j < min(int(y+outer)+1, p.Height) && x1 > x0; j++ {
		p.Linear(row, x0, j, x1-x0)
		for i := range x1 - x0 {
			if d := math.Hypot(float64(x0+i)+0.5-x, float64(j)+0.5-y); d >= inner &&
				d <= max(outer, 0.8) {
				c, n = colour.RGB{R: c.R + row[3*i], G: c.G + row[3*i+1], B: c.B + row[3*i+2]}, n+1
			}
		}
	}
	return c.Scale(1 / max(n, 1))
}
