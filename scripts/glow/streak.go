package main

import (
	"math"

	"pyrant/demo"
	"pyrant/internal/base/photo"
	"pyrant/internal/light/streak"
	"pyrant/internal/recipe"
	"pyrant/internal/render"
)

// streakError draws the lights of a demo shot out and holds what the engine renders against an
// integration of what it renders without a streak, place by place along the direction: the share of
// the peak by which the worst place is off, and the root of the mean square.
func streakError(s demo.Shot) (most, rms float64, err error) {
	p, r, err := open(s)
	if err != nil {
		return 0, 0, err
	}
	black := &photo.Photo{Width: p.Width, Height: p.Height, Pix8: make([]uint8, len(p.Pix8)),
		Profile: p.Profile}
	e := render.New(2 << 30)
	n, square := 0.0, 0.0
	for i := range r.Lights {
		one := r.Clone()
		one.Lights = []recipe.Light{r.Lights[i]}
		l := &one.Lights[0]
		l.Shells, l.Level, l.Intensity, l.Blockers = nil, 1, 0, nil
		l.Core = recipe.Core{On: true, Look: recipe.Even, Whiteness: 1, Feather: 1.5}
		still, err := alone(e, black, one, 0)
		if err != nil {
			return 0, 0, err
		}
		k := streak.Streak{Length: float64(r.Photo.LongEdge()) / 10, Angle: 33 + 40*float64(i),
			Taper: 0.5}
		l.Streak = recipe.Streak{Length: k.Length, Angle: k.Angle, Sides: recipe.OneSide,
			Taper: k.Taper}
		drawn, err := alone(e, black, one, 0)
		if err != nil {
			return 0, 0, err
		}
		ux, uy := k.Vector()
		direct := func(x, y int) (sum float64) {
			steps := int(2 * k.Length)
			for j := range steps {
				t := k.Length * (float64(j) + 0.5) / float64(steps)
				sum += k.Kernel(t) * k.Length / float64(steps) * still.between(float64(x)-t*ux,
					float64(y)-t*uy)
			}
			return
		}
		// Both have the brightness of their peak: where the streak is strongest they are set alike.
		peak, at := 0.0, 0
		for j := range drawn.w * drawn.h {
			if v := drawn.luma(j); v > peak {
				peak, at = v, j
			}
		}
		scale := peak / direct(at%drawn.w, at/drawn.w)
		for y := 0; y < drawn.h; y += 9 {
			for x := 0; x < drawn.w; x += 9 {
				v := drawn.luma(y*drawn.w + x)
				if v < 0.01*peak {
					continue
				}
				d := math.Abs(v-min(scale*direct(x, y), peak)) / peak
				most, square, n = max(most, d), square+d*d, n+1
			}
		}
	}
	return most, math.Sqrt(square / n), nil
}

// between returns the luminance between the pixels round a place.
func (p *picture) between(x, y float64) float64 {
	i, j := int(math.Floor(x)), int(math.Floor(y))
	s, t := x-float64(i), y-float64(j)
	at := func(i, j int) float64 {
		if i < 0 || j < 0 || i >= p.w || j >= p.h {
			return 0
		}
		return p.luma(j*p.w + i)
	}
	return (at(i, j)*(1-s)+at(i+1, j)*s)*(1-t) + (at(i, j+1)*(1-s)+at(i+1, j+1)*s)*t
}
