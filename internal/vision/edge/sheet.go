// Package edge holds what a hand that traces needs to know of a photo: its colours as the
// eye tells them apart, how strongly they change at each place, and where along a line
// across an edge the change is.
//
// A Sheet is the photo, or a part of it, at a scale at which things on it are found. Place
// then puts a line that was found there on the photo's own edges, to a fraction of a pixel.
package edge

import (
	"context"
	"image"
	"math"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
)

// Sheet is a part of a photo reduced by a whole number, as its colours look.
//
// A colour is three numbers made of OKLab (Ottosson 2020): lightness, and both opponent axes by
// lightness. Their gaps are what the eye goes by that looks for the edge of a thing: grey glass
// in a brown frame, however both are lit.
type Sheet struct {
	Step int             // pixels of the photo for each of the sheet, along both axes
	Rect image.Rectangle // of the sheet's pixels, in the grid of the photo so reduced
	Full image.Rectangle // what all of the photo would be
	Lab  []float32       // three for each pixel of Rect
	// Slope is how fast the colour changes at a pixel, for each pixel of the sheet, the
	// square root of the larger eigenvalue of the tensor of its derivatives (Di Zenzo 1986):
	// as far as it changes faster there than three pixels to both sides. The shading of a ball
	// has no slope in this sense, its outline has.
	Slope []float32
	// Ridge is the slope of the edge that runs at most 1.5 pixels from a pixel: of the place
	// there where the slope is a maximum across itself; 0 where none is.
	Ridge []float32
	// Crest is the slope where that is a maximum across itself, 0 elsewhere.
	Crest []float32
	// Worth and CrestWorth are Ridge and Crest as Weigh weighs them, of 255.
	Worth, CrestWorth []uint8
	// Across is the direction of that change, a unit vector, up to its sign.
	Across [][2]float32
}

// What a sheet makes of OKLab. That is of the degree 1/3 in linear light, so that shade, which
// takes all of light by one factor, leaves a/L and b/L as they are: colour divided by
// lightness tells what a thing is of, lightness how it is lit as well, and counts less. Where
// it is very dark there is no colour to be told.
const (
	lightness     = 0.6
	colourfulness = 1.2
	dark          = 0.15
)

// Bytes returns the memory that a sheet takes.
func (s *Sheet) Bytes() int64 {
	return int64(len(s.Lab)+len(s.Slope)+2*len(s.Ridge)+2*len(s.Across)) * 4
}

// Steps returns what a photo is reduced by so that it has at most a number of pixels.
func Steps(width, height, pixels int) int {
	n := 1
	for ((width+n-1)/n)*((height+n-1)/n) > pixels {
		n++
	}
	return n
}

// New reduces the part r of a photo, given in pixels of the sheet, by step. It calls done,
// if there is one, with the share of the work that is done.
func New(ctx context.Context, p *photo.Photo, step int, r image.Rectangle,
	done func(float64)) (*Sheet, error) {
	full := image.Rect(0, 0, (p.Width+step-1)/step, (p.Height+step-1)/step)
	r = r.Intersect(full)
	s := &Sheet{Step: step, Rect: r, Full: full}
	w, h := r.Dx(), r.Dy()
	s.Lab = make([]float32, 3*w*h)
	if err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
		x0 := r.Min.X * step
		n := min(w*step, p.Width-x0)
		line := make([]float32, 3*n)
		sum := make([]float32, 3*w)
		for y := y0; y < y1; y++ {
			clear(sum)
			top := (r.Min.Y + y) * step
			rows := min(step, p.Height-top)
			for v := range rows {
				p.Linear(line, x0, top+v, n)
				if step == 1 {
					copy(sum, line)
					break
				}
				for x := range w {
					d := sum[3*x : 3*x+3 : 3*x+3]
					for u := 3 * x * step; u < min(3*(x+1)*step, len(line)); u += 3 {
						d[0] += line[u]
						d[1] += line[u+1]
						d[2] += line[u+2]
					}
				}
			}
			out := s.Lab[3*y*w:]
			for x := range w {
				k := 1 / float32(rows*min(step, n-x*step))
				out[3*x], out[3*x+1], out[3*x+2] = lab(sum[3*x]*k, sum[3*x+1]*k, sum[3*x+2]*k)
			}
		}
		if done != nil {
			done(float64(y1) / float64(h))
		}
	}); err != nil {
		return nil, err
	}
	if err := s.slopes(ctx); err != nil {
		return nil, err
	}
	return s, s.ridges(ctx)
}

// lab returns a linear colour as a sheet holds it.
func lab(r, g, b float32) (float32, float32, float32) {
	l, a, bb := colour.OKLab(max(r, 0), max(g, 0), max(b, 0))
	k := colourfulness / (l + dark)
	return float32(lightness * l), float32(k * a), float32(k * bb)
}

// smooth holds the weights of a Gaussian of deviation 1 and of its derivative.
var smooth, derive = func() (g, d [7]float32) {
	var sum, moment float64
	for i := range g {
		x := float64(i - 3)
		v := math.Exp(-x * x / 2)
		sum += v
		moment += x * x * v
	}
	for i := range g {
		x := float64(i - 3)
		v := math.Exp(-x * x / 2)
		g[i] = float32(v / sum)
		d[i] = float32(x * v / moment) // a ramp of 1 a pixel has the slope 1
	}
	return
}()

// slopes works out Slope and Across, with derivatives of a Gaussian of deviation 1.
func (s *Sheet) slopes(ctx context.Context) error {
	w, h := s.Rect.Dx(), s.Rect.Dy()
	s.Slope = make([]float32, w*h)
	s.Across = make([][2]float32, w*h)
	return raster.Rows(ctx, 0, h, func(y0, y1 int) {
		// Along columns first: a row smoothed, and a row derived.
		soft, steep := make([]float32, 3*(w+6)), make([]float32, 3*(w+6))
		for y := y0; y < y1; y++ {
			clear(soft)
			clear(steep)
			for k := range smooth {
				row := s.Lab[3*w*min(max(y+k-3, 0), h-1):][:3*w]
				a, b := smooth[k], derive[k]
				to, up := soft[9:9+3*w], steep[9:9+3*w]
				for i, v := range row {
					to[i] += a * v
					up[i] += b * v
				}
			}
			for i := range 9 { // the edges go on as they are
				soft[i], steep[i] = soft[9+i%3], steep[9+i%3]
				soft[9+3*w+i], steep[9+3*w+i] = soft[6+3*w+i%3], steep[6+3*w+i%3]
			}
			for x := range w {
				var xx, xy, yy float32
				for c := range 3 {
					var dx, dy float32
					for k := range smooth {
						i := 3*(x+k) + c
						dx += derive[k] * soft[i]
						dy += smooth[k] * steep[i]
					}
					xx += dx * dx
					xy += dx * dy
					yy += dy * dy
				}
				// The larger eigenvalue, and its vector.
				half := (xx - yy) / 2
				root := float32(math.Sqrt(float64(half*half + xy*xy)))
				big := (xx+yy)/2 + root
				i := y*w + x
				s.Slope[i] = float32(math.Sqrt(float64(max(big, 0))))
				vx, vy := half+root, xy
				if half < 0 {
					vx, vy = xy, root-half
				}
				if l := float32(math.Sqrt(float64(vx*vx + vy*vy))); l > 1e-12 {
					s.Across[i] = [2]float32{vx / l, vy / l}
				}
			}
		}
	})
}

// Weigh tells how much an edge of a slope stands out, from 0 to 1.
func Weigh(slope float32) float32 { return slope * slope / (slope*slope + 0.05*0.05) }

// ridges takes the shading off Slope, and works out Crest and Ridge.
func (s *Sheet) ridges(ctx context.Context) error {
	w, h := s.Rect.Dx(), s.Rect.Dy()
	// beside returns the index of the pixel that lies d pixels across from (x, y).
	beside := func(x, y int, d float32) int {
		n := s.Across[y*w+x]
		u, v := x+int(math.Round(float64(n[0]*d))), y+int(math.Round(float64(n[1]*d)))
		return min(max(v, 0), h-1)*w + min(max(u, 0), w-1)
	}
	raw := s.Slope
	s.Slope = make([]float32, w*h)
	if err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range w {
				i := y*w + x
				s.Slope[i] = max(0, raw[i]-min(raw[beside(x, y, 3)], raw[beside(x, y, -3)]))
			}
		}
	}); err != nil {
		return err
	}
	s.Ridge = raw // its room is free now
	s.Crest = make([]float32, w*h)
	s.Worth, s.CrestWorth = make([]uint8, w*h), make([]uint8, w*h)
	crest := s.Crest
	if err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range w {
				i := y*w + x
				if v := s.Slope[i]; v >= s.Slope[beside(x, y, 1)] &&
					v >= s.Slope[beside(x, y, -1)] {
					crest[i] = v
				}
			}
		}
	}); err != nil {
		return err
	}
	return raster.Rows(ctx, 0, h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range w {
				v := crest[y*w+x]
				for _, d := range [...]float32{-1.5, -1, 1, 1.5} {
					v = max(v, crest[beside(x, y, d)])
				}
				i := y*w + x
				s.Ridge[i] = v
				s.Worth[i], s.CrestWorth[i] = uint8(255*Weigh(v)), uint8(255*Weigh(crest[i]))
			}
		}
	})
}

// At returns the place of a point of the photo on the sheet, as an index of its pixels;
// false where it lies outside.
func (s *Sheet) At(x, y float64) (int, bool) {
	u := raster.FloorDiv(int(math.Floor(x)), s.Step) - s.Rect.Min.X
	v := raster.FloorDiv(int(math.Floor(y)), s.Step) - s.Rect.Min.Y
	if u < 0 || v < 0 || u >= s.Rect.Dx() || v >= s.Rect.Dy() {
		return 0, false
	}
	return v*s.Rect.Dx() + u, true
}

// Gap returns how far two colours of a sheet lie apart.
func Gap(a, b [3]float32) float32 {
	x, y, z := a[0]-b[0], a[1]-b[1], a[2]-b[2]
	return float32(math.Sqrt(float64(x*x + y*y + z*z)))
}

// Colour returns the colour of pixel i.
func (s *Sheet) Colour(i int) [3]float32 { return [3]float32(s.Lab[3*i : 3*i+3]) }

// Mean returns the median colour, number by number, within a radius of pixel i.
func (s *Sheet) Mean(i, radius int) [3]float32 {
	w, h := s.Rect.Dx(), s.Rect.Dy()
	x, y := i%w, i/w
	var out [3]float32
	vals := make([]float32, 0, (2*radius+1)*(2*radius+1))
	for c := range 3 {
		vals = vals[:0]
		for v := max(y-radius, 0); v <= min(y+radius, h-1); v++ {
			for u := max(x-radius, 0); u <= min(x+radius, w-1); u++ {
				vals = append(vals, s.Lab[3*(v*w+u)+c])
			}
		}
		out[c] = median(vals)
	}
	return out
}
