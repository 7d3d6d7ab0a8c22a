// Package vanishing finds by the straight lines of a photo how its camera looked: most of what
// people build stands upright and at right angles, so that its lines go to three vanishing points.
//
// Lines are pieces of the picture whose gradients go one way (as in von Gioi, Jakubowicz, Morel and
// Randall's line segment detector, 2010). A camera is good where many and long ones of them go to
// its vertical vanishing point or to two level ones at right angles (after Coughlan and Yuille,
// Manhattan World, 2003): it is searched for over all fields of view, tilts and rolls.
package vanishing

import (
	"cmp"
	"context"
	"math"
	"slices"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
)

// Line is a straight piece of an edge, in pixels.
type Line struct{ X0, Y0, X1, Y1 float64 }

// Len returns its length.
func (l *Line) Len() float64 { return math.Hypot(l.X1-l.X0, l.Y1-l.Y0) }

const (
	cone    = math.Pi / 8 // by how much gradients of one line differ at the most
	weakest = 0.02        // gradient of display values to a pixel that counts
	slim    = 0.08        // how wide a line may be, of its length
)

// Lines finds the straight lines of a picture of display values that are at least so long.
func Lines(p *raster.Plane, shortest float64) (out []Line) {
	w, h := p.Rect.Dx(), p.Rect.Dy()
	if w < 3 || h < 3 {
		return nil
	}
	size, dir := make([]float32, w*h), make([]float32, w*h)
	var order []int32
	for y := range h - 1 {
		for x := range w - 1 {
			i := y*w + x
			a, b, c, d := p.Pix[i], p.Pix[i+1], p.Pix[i+w], p.Pix[i+w+1]
			gx, gy := float64(b+d-a-c)/2, float64(c+d-a-b)/2
			if g := math.Hypot(gx, gy); g >= weakest {
				size[i], dir[i] = float32(g), float32(math.Atan2(gy, gx))
				order = append(order, int32(i))
			}
		}
	}
	// The clearest first, as a line's direction is that of where it began.
	slices.SortFunc(order, func(a, b int32) int {
		return cmp.Or(cmp.Compare(size[b], size[a]), cmp.Compare(a, b))
	})
	taken := make([]bool, w*h)
	var piece []int32
	for _, seed := range order {
		if taken[seed] {
			continue
		}
		piece = append(piece[:0], seed)
		taken[seed] = true
		sin, cos := math.Sincos(float64(dir[seed]))
		for k := 0; k < len(piece); k++ {
			i := int(piece[k])
			x, y := i%w, i/w
			mean := math.Atan2(sin, cos)
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					u, v := x+dx, y+dy
					if u < 0 || v < 0 || u >= w || v >= h {
						continue
					}
					j := v*w + u
					if taken[j] || size[j] == 0 || math.Abs(math.Remainder(float64(dir[j])-mean,
						2*math.Pi)) > cone {
						continue
					}
					taken[j] = true
					piece = append(piece, int32(j))
					s, c := math.Sincos(float64(dir[j]))
					sin, cos = sin+s, cos+c
				}
			}
		}
		if l, ok := fit(piece, size, w, shortest); ok {
			out = append(out, l)
		}
	}
	return out
}

// fit returns the line through a piece by the moments of its gradients; false for one that is short
// or wide.
func fit(piece []int32, size []float32, w int, shortest float64) (Line, bool) {
	if float64(len(piece)) < shortest {
		return Line{}, false
	}
	var sum, mx, my float64
	for _, i := range piece {
		g := float64(size[i])
		sum += g
		mx += g * float64(int(i)%w)
		my += g * float64(int(i)/w)
	}
	mx, my = mx/sum, my/sum
	var xx, xy, yy float64
	for _, i := range piece {
		g, x, y := float64(size[i]), float64(int(i)%w)-mx, float64(int(i)/w)-my
		xx += g * x * x
		xy += g * x * y
		yy += g * y * y
	}
	s, c := math.Sincos(math.Atan2(2*xy, xx-yy) / 2)
	lo, hi, wide := math.Inf(1), math.Inf(-1), 0.0
	for _, i := range piece {
		x, y := float64(int(i)%w)-mx, float64(int(i)/w)-my
		t := c*x + s*y
		lo, hi = math.Min(lo, t), math.Max(hi, t)
		wide = math.Max(wide, math.Abs(c*y-s*x))
	}
	if hi-lo < shortest || 2*wide > math.Max(slim*(hi-lo), 3) {
		return Line{}, false
	}
	// A gradient lies between four pixels.
	mx, my = mx+1, my+1
	return Line{mx + lo*c, my + lo*s, mx + hi*c, my + hi*s}, true
}

// across is about how many pixels the long edge has of the picture that is looked at: more show
// more of what is rough, and no more lines.
const across = 1000

// Look returns a photo reduced by a whole number as display values, and that number.
func Look(ctx context.Context, p *photo.Photo) (*raster.Plane, int, error) {
	step := max((max(p.Width, p.Height)+across-1)/across, 1)
	out, err := p.Reduced(ctx, step, colour.Luma)
	return out, step, err
}
