// Package streak draws what a light covers out along a direction, as a bolt that moved while the
// shutter was open.
//
// A coverage M becomes S(p) = ∫ K(t)·M(p - t·u) dt, with u the direction and K a kernel of integral
// 1 that falls evenly from the light to the streak's end by its taper. It is brought back to the
// brightness that its brightest place has without a streak: S is divided by its peak.
//
// The integral is taken along lines in the direction of u, half a pixel apart: samples of M on a
// line are summed up once from its start, and once more times their place, so that each integral is
// a difference of sums, however long the streak is. What lies between two lines is between their
// values.
package streak

import (
	"context"
	"fmt"
	"image"
	"math"
	"sync/atomic"

	"pyrant/internal/base/coverage"
	"pyrant/internal/base/raster"
)

// Streak says how a coverage is drawn out. Lengths are in pixels.
type Streak struct {
	Length float64 // from end to end of the kernel
	Angle  float64 // degrees, 0 to the right, 90 upwards
	Both   bool    // half of the length to each side
	Taper  float64 // 0 to 1, how far the kernel falls to its end
}

// Vector returns the unit vector of its direction in the picture, whose y goes down.
func (s Streak) Vector() (x, y float64) {
	sin, cos := math.Sincos(s.Angle * math.Pi / 180)
	return cos, -sin
}

// Scaled returns the streak at a scale.
func (s Streak) Scaled(k float64) Streak {
	s.Length *= k
	return s
}

// Kernel returns K at a distance t along the direction.
func (s Streak) Kernel(t float64) float64 {
	l, share := s.Length, 1.0
	if s.Both {
		l, share, t = l/2, 0.5, math.Abs(t)
	}
	if l <= 0 || t < 0 || t > l {
		return 0
	}
	return share * (1 - s.Taper*t/l) / (l * (1 - s.Taper/2))
}

// peakArea is how many pixels a streak may cover where its peak is found.
const peakArea = 400_000

// Coverage is a coverage drawn out.
type Coverage struct {
	coverage.Coverage
	streak Streak
	gain   float32
}

// New returns c drawn out by a streak in pixels of the photo. The peak is found at a scale that
// follows from c and the streak alone, so that every picture of them has the same.
func New(ctx context.Context, c coverage.Coverage, s Streak) (*Coverage, error) {
	out := &Coverage{c, s, 1}
	if s.Length <= 0 {
		return out, nil
	}
	scale := 1.0
	for {
		b := s.Scaled(scale).reach(c.At(scale).Bounds())
		if b.Dx()*b.Dy() <= peakArea {
			break
		}
		scale /= 2
	}
	m := newMask(c.At(scale), s.Scaled(scale), 1)
	if err := m.Ready(ctx); err != nil {
		return nil, err
	}
	peak := uint16(0)
	for _, v := range m.pix {
		peak = max(peak, v)
	}
	if peak > 0 {
		out.gain = one / float32(peak)
	}
	return out, nil
}

// Key names the coverage by all that it depends on.
func (c *Coverage) Key() string { return fmt.Sprintf("%s streak %v", c.Coverage.Key(), c.streak) }

// Bytes returns the memory of what the coverage holds itself.
func (c *Coverage) Bytes() int64 { return 64 }

// Line returns about how long the covered parts are.
func (c *Coverage) Line() float64 { return c.Coverage.Line() + c.streak.Length }

// Area returns about how many square pixels are covered.
func (c *Coverage) Area() float64 { return c.Coverage.Area() + c.streak.Length*c.Coverage.Width() }

// At makes the coverage ready for rows at a scale. It is worked out when the first row is asked
// for, or by Ready.
func (c *Coverage) At(scale float64) coverage.Mask {
	if c.streak.Length <= 0 {
		return c.Coverage.At(scale)
	}
	return newMask(c.Coverage.At(scale), c.streak.Scaled(scale), c.gain)
}

// Reach returns the pixels at a scale that the streak covers.
func (c *Coverage) Reach(scale float64) image.Rectangle {
	return c.streak.Scaled(scale).reach(c.Coverage.At(scale).Bounds())
}

// Within returns the mask of a part of the picture at a scale. Inside the part the values equal
// those of At; outside it the coverage is 0.
func (c *Coverage) Within(scale float64, part image.Rectangle) coverage.Mask {
	m := c.At(scale)
	if m, ok := m.(*mask); ok {
		m.rect = m.rect.Intersect(part)
	}
	return m
}

// Ready works a mask out that is drawn out, if it is one, so that it can be cancelled.
func Ready(ctx context.Context, m coverage.Mask) error {
	if m, ok := m.(*mask); ok {
		return m.Ready(ctx)
	}
	return nil
}

// one is coverage 1 in the codes of a mask: 16 bits, as a long taper would show the steps of 8.
const one = 65535

type mask struct {
	src    coverage.Mask
	streak Streak
	gain   float32
	rect   image.Rectangle // what is worked out

	turn  chan struct{} // holds a place for the one that draws
	done  atomic.Bool
	pix   []uint16
	bytes atomic.Int64 // of pix
}

func newMask(src coverage.Mask, s Streak, gain float32) *mask {
	return &mask{src: src, streak: s, gain: gain, rect: s.reach(src.Bounds()),
		turn: make(chan struct{}, 1)}
}

func (m *mask) Bounds() image.Rectangle { return m.rect }
func (m *mask) Drop(int)                {}
func (m *mask) Bytes() int64            { return m.src.Bytes() + m.bytes.Load() }

func (m *mask) Fill(dst []float32, x0, y int) {
	clear(dst)
	if m.Ready(context.Background()) != nil {
		return
	}
	r := m.rect
	if y < r.Min.Y || y >= r.Max.Y {
		return
	}
	a, b := max(x0, r.Min.X), min(x0+len(dst), r.Max.X)
	for x := a; x < b; x++ {
		dst[x-x0] = float32(m.pix[(y-r.Min.Y)*r.Dx()+x-r.Min.X]) * (1.0 / one)
	}
}

// Ready works the mask out. While another goroutine does it waits, no longer than ctx lasts.
func (m *mask) Ready(ctx context.Context) error {
	if m.done.Load() {
		return nil
	}
	select {
	case m.turn <- struct{}{}:
		defer func() { <-m.turn }()
	case <-ctx.Done():
		return ctx.Err()
	}
	if m.done.Load() {
		return nil
	}
	pix, err := m.streak.draw(ctx, m.src, m.gain, m.rect)
	if err == nil {
		m.pix = pix
		m.bytes.Store(2 * int64(len(pix)))
		m.done.Store(true)
	}
	return err
}

// ends returns how far the kernel goes, against and along its direction.
func (s Streak) ends() (from, to float64) {
	if s.Both {
		return -s.Length / 2, s.Length / 2
	}
	return 0, s.Length
}

// reach returns the pixels that r can be drawn out to.
func (s Streak) reach(r image.Rectangle) image.Rectangle {
	if r.Empty() || s.Length <= 0 {
		return r
	}
	ux, uy := s.Vector()
	from, to := s.ends()
	out := r.Inset(-1)
	for _, t := range []float64{from, to} {
		x, y := int(math.Floor(t*ux)), int(math.Floor(t*uy))
		out = out.Union(image.Rect(r.Min.X+x-1, r.Min.Y+y-1, r.Max.X+x+2, r.Max.Y+y+2))
	}
	return out
}

// blockLines is how many lines are in memory at a time.
const blockLines = 128

// draw returns the codes of src drawn out, over a part of what it can reach.
func (s Streak) draw(ctx context.Context, src coverage.Mask, gain float32,
	out image.Rectangle) ([]uint16, error) {
	in := src.Bounds()
	all := s.reach(in)
	pix := make([]uint16, out.Dx()*out.Dy())
	if in.Empty() || out.Empty() {
		return pix, nil
	}
	// Lines run along the axis that the direction is nearer to: a along it, b across.
	ux, uy := s.Vector()
	steep := math.Abs(uy) > math.Abs(ux)
	f := &field{Rectangle: in, pix: make([]float32, in.Dx()*in.Dy()), steep: steep}
	if err := raster.Rows(ctx, in.Min.Y, in.Max.Y, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			src.Fill(f.pix[(y-in.Min.Y)*in.Dx():(y-in.Min.Y+1)*in.Dx()], in.Min.X, y)
		}
	}); err != nil {
		return nil, err
	}
	ua, ub := ux, uy
	a0, a1, b0, b1 := out.Min.X, out.Max.X, out.Min.Y, out.Max.Y
	// Lines are read from where light is, and placed by the start of all that they reach, whatever
	// part is asked for.
	from, in0, in1 := all.Min.X, in.Min.X, in.Max.X
	if steep {
		ua, ub = uy, ux
		a0, a1, b0, b1 = b0, b1, a0, a1
		from, in0, in1 = all.Min.Y, in.Min.Y, in.Max.Y
	}
	slope := ub / ua
	// Line i is at b = i/2 + slope·a.
	low := math.Min(float64(b0)-slope*float64(a0), float64(b0)-slope*float64(a1-1))
	high := math.Max(float64(b1)-slope*float64(a0), float64(b1)-slope*float64(a1-1))
	first, last := int(math.Floor(2*low))-1, int(math.Ceil(2*high))+2
	w := a1 - a0
	lines := make([]float32, (blockLines+1)*w)
	for i0 := first; i0 < last; i0 += blockLines {
		if err := raster.Each(ctx, blockLines+1, func(k int) {
			s.line(lines[k*w:(k+1)*w], f, a0, from, max(in0-1, from), in1+1, float64(i0+k)/2,
				slope, ua)
		}); err != nil {
			return nil, err
		}
		// Each place lies between the lines i and i+1.
		if err := raster.Rows(ctx, a0, a1, func(from, to int) {
			for a := from; a < to; a++ {
				at := slope * float64(a)
				// From one before, as rounding may put that on the first line.
				for b := max(b0, int(math.Ceil(float64(i0)/2+at))-1); b < b1; b++ {
					v := 2 * (float64(b) - at)
					i := int(math.Floor(v))
					if i >= i0+blockLines {
						break
					}
					if i < i0 {
						continue
					}
					t := float32(v - float64(i))
					at := (i-i0)*w + a - a0
					v0, v1 := lines[at], lines[at+w]
					c := (v0 + (v1-v0)*t) * gain
					x, y := a, b
					if steep {
						x, y = b, a
					}
					pix[(y-out.Min.Y)*out.Dx()+x-out.Min.X] = uint16(min(max(c, 0), 1)*one + 0.5)
				}
			}
		}); err != nil {
			return nil, err
		}
	}
	return pix, nil
}

// field is a coverage to be read along lines.
type field struct {
	image.Rectangle
	pix   []float32
	steep bool
}

// at returns the coverage at column a between the rows round b, by the cubic of Catmull and Rom
// (1974), which keeps edges that run along the direction; with steep columns are rows.
func (f *field) at(a int, b float64) float64 {
	i := int(math.Floor(b))
	t := b - float64(i)
	p, q, r, s := f.pixel(a, i-1), f.pixel(a, i), f.pixel(a, i+1), f.pixel(a, i+2)
	if q == r && p == q && s == q {
		return q
	}
	v := q + t/2*(r-p+t*(2*p-5*q+4*r-s+t*(3*(q-r)+s-p)))
	return min(max(v, 0), 1)
}

func (f *field) pixel(a, b int) float64 {
	if f.steep {
		a, b = b, a
	}
	if a < f.Min.X || a >= f.Max.X || b < f.Min.Y || b >= f.Max.Y {
		return 0
	}
	return float64(f.pix[(b-f.Min.Y)*f.Dx()+a-f.Min.X])
}

// line writes the integrals along one line to dst, which starts at column a0. Columns are counted
// from the column from; light is between the columns r0 and r1 alone.
func (s Streak) line(dst []float32, f *field, a0, from, r0, r1 int, at, slope, ua float64) {
	n, first := r1-r0, r0-from
	v := make([]float64, n+1)
	any := false
	for i := range n {
		a := r0 + i
		v[i] = f.at(a, at+slope*float64(a))
		any = any || v[i] > 0
	}
	if !any {
		clear(dst)
		return
	}
	// part returns the integrals from sample i to a place t behind it of what lies evenly between
	// the samples, and of that times its place.
	part := func(i int, t float64) (q, m float64) {
		d := v[i+1] - v[i]
		q = t * (v[i] + t/2*d)
		return q, float64(first+i)*q + t*t*(v[i]/2+t/3*d)
	}
	sum, moment := make([]float64, n+1), make([]float64, n+1)
	for i := range n {
		q, m := part(i, 1)
		sum[i+1], moment[i+1] = sum[i]+q, moment[i]+m
	}
	upTo := func(x float64) (q, m float64) {
		x = min(max(x, float64(first)), float64(first+n))
		i := min(int(x)-first, n-1)
		q, m = part(i, x-float64(first+i))
		return sum[i] + q, moment[i] + m
	}
	length := s.Length * math.Abs(ua)
	share := 1.0
	if s.Both {
		length, share = length/2, 0.5
	}
	alpha := share / (length * (1 - s.Taper/2))
	beta := alpha * s.Taper / length
	side := func(x, sign float64) float64 {
		// The places that light comes from: behind x, as it was drawn out along the direction.
		lo, hi := x-length, x
		if sign < 0 {
			lo, hi = x, x+length
		}
		q0, m0 := upTo(lo)
		q1, m1 := upTo(hi)
		return (alpha-sign*beta*x)*(q1-q0) + sign*beta*(m1-m0)
	}
	sign := math.Copysign(1, ua)
	for i := range dst {
		x := float64(a0 - from + i)
		c := side(x, sign)
		if s.Both {
			c += side(x, -sign)
		}
		dst[i] = float32(c)
	}
}
