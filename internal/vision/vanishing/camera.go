package vanishing

import (
	"context"
	"math"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
)

// View is what the lines tell of a camera.
type View struct {
	Cam camera.Camera
	// degrees to the right from straight ahead to the nearest direction that level lines go in, -45
	// to 45
	Heading float64
	Level   float64 // share of the lines, by length, that go in level directions
	Upright float64 // and of those that are upright
	// by how much of all lines' length it is better than any camera that is tilted otherwise
	Sure float64
}

// sure is the least Sure of a camera that the lines tell of: of bare hills it is 0.03 at the most,
// of what people have built it is 0.15 and more.
const sure = 0.07

// How far a line may point past a vanishing point, and what is taken for usual where lines tell
// little: tilts and rolls are small, and fields of view near camera.Usual.
const (
	aside      = 2.0 * math.Pi / 180
	usualTilt  = 15.0
	usualRoll  = 2.5
	usualShare = 0.05 // what a deviation of one of these costs, as a share of all lines
)

// seen is a line by its middle, from that of the photo, its direction and its length.
type seen struct {
	mx, my, dx, dy, len float64
}

// few is how many lines tell nothing.
const few = 12

// Of finds the camera of a photo by its lines; see Find.
func Of(ctx context.Context, p *photo.Photo, view float64) (View, bool, error) {
	small, step, err := Look(ctx, p)
	if err != nil {
		return View{}, false, err
	}
	w, h := float64(small.Rect.Dx()), float64(small.Rect.Dy())
	v, ok, err := Find(ctx, Lines(small, shortest*math.Max(w, h)), w, h, view)
	k := float64(step)
	v.Cam.CX, v.Cam.CY, v.Cam.F = float64(p.Width)/2, float64(p.Height)/2, v.Cam.F*k
	return v, ok, err
}

// shortest is how long lines must be, of the long edge.
const shortest = 0.025

// Find finds the camera of a photo of w by h pixels. view is the field of view across it in degrees
// where that is known, else 0. It returns false where the lines do not tell: too few, or as good
// from elsewhere.
func Find(ctx context.Context, lines []Line, w, h, view float64) (View, bool, error) {
	var list []seen
	total := 0.0
	for i := range lines {
		l := &lines[i]
		n := l.Len()
		list = append(list, seen{(l.X0+l.X1)/2 - w/2, (l.Y0+l.Y1)/2 - h/2, (l.X1 - l.X0) / n,
			(l.Y1 - l.Y0) / n, n})
		total += n
	}
	if len(list) < few {
		return View{}, false, ctx.Err()
	}
	type try struct{ f, tilt, roll, heading, score float64 }
	usual := camera.FocalOf(camera.Usual, w)
	var focals []float64
	if view > 0 {
		focals = []float64{camera.FocalOf(view, w)}
	} else {
		for _, k := range [...]float64{-0.36, -0.24, -0.12, 0, 0.12, 0.24, 0.36} {
			focals = append(focals, usual*math.Exp(k))
		}
	}
	prior := func(f, tilt, roll float64) float64 {
		p := tilt*tilt/(usualTilt*usualTilt) + roll*roll/(usualRoll*usualRoll)
		if view <= 0 {
			l := math.Log(f/usual) / camera.UsualSpread
			p += l * l
		}
		return -usualShare * p * total
	}
	const tilts, rolls = 61, 13
	best := make([]try, tilts*len(focals)) // by tilt and focal length
	if err := raster.Each(ctx, len(best), func(k int) {
		f, tilt := focals[k%len(focals)], float64(k/len(focals)-tilts/2)
		b := try{score: math.Inf(-1)}
		var hist [90]float64
		for r := range rolls {
			roll := float64(r - rolls/2)
			heading, s := headings(list, f, tilt, roll, &hist)
			if s += prior(f, tilt, roll); s > b.score {
				b = try{f, tilt, roll, heading, s}
			}
		}
		best[k] = b
	}); err != nil {
		return View{}, false, err
	}
	top := best[0]
	for _, b := range best {
		if b.score > top.score {
			top = b
		}
	}
	// From there on in ever smaller steps.
	full := func(t try) float64 {
		s, _, _ := score(list, t.f, t.tilt, t.roll, t.heading)
		return s + prior(t.f, t.tilt, t.roll)
	}
	top.score = full(top)
	step := [4]float64{0.06, 0.5, 0.5, 0.5}
	if view > 0 {
		step[0] = 0
	}
	for range 40 {
		moved := false
		for k := range step {
			for _, d := range [2]float64{-step[k], step[k]} {
				t := top
				switch k {
				case 0:
					t.f *= math.Exp(d)
				case 1:
					t.tilt += d
				case 2:
					t.roll += d
				case 3:
					t.heading += d
				}
				if d != 0 {
					if t.score = full(t); t.score > top.score {
						top, moved = t, true
					}
				}
			}
		}
		if !moved {
			for k := range step {
				step[k] /= 2
			}
		}
	}
	other := math.Inf(-1)
	for _, b := range best {
		if math.Abs(b.tilt-top.tilt) > 6 {
			other = math.Max(other, b.score)
		}
	}
	_, level, upright := score(list, top.f, top.tilt, top.roll, top.heading)
	v := View{Cam: tilted(w, h, top.f, top.tilt, top.roll), Heading: math.Remainder(top.heading,
		90), Level: level / total, Upright: upright / total}
	v.Sure = (top.score - other) / total
	return v, v.Sure >= sure, ctx.Err()
}

// tilted returns the camera of a photo that is tilted down and rolled clockwise by degrees.
func tilted(w, h, f, tilt, roll float64) camera.Camera {
	return camera.Level(w, h, h/2-f*math.Tan(tilt*math.Pi/180)/math.Cos(roll*math.Pi/180), roll, f)
}

// axes returns the directions up, ahead and right of a camera as vectors of the photo, whose third
// is f.
func axes(tilt, roll float64) (up, ahead, right camera.Vec) {
	st, ct := math.Sincos(tilt * math.Pi / 180)
	sr, cr := math.Sincos(roll * math.Pi / 180)
	right = camera.Vec{X: cr, Y: sr}
	up = camera.Vec{X: sr * ct, Y: -cr * ct, Z: -st}
	ahead = camera.Vec{X: sr * st, Y: -cr * st, Z: ct}
	return
}

// fits returns how well a line points to where a direction vanishes, from 0 to 1.
func (l *seen) fits(v camera.Vec, f float64) float64 {
	// From its middle to there; behind the camera, away from there.
	x, y := v.X*f-l.mx*v.Z, v.Y*f-l.my*v.Z
	n := math.Hypot(x, y)
	if n < 1e-9 {
		return 0
	}
	a := (x*l.dy - y*l.dx) / n / aside // sine of the angle
	if a = a * a; a >= 1 {
		return 0
	}
	return (1 - a) * (1 - a)
}

// score returns by how much of their length lines go to the three vanishing points, and the parts
// of it.
func score(list []seen, f, tilt, roll, heading float64) (sum, level, upright float64) {
	up, ahead, right := axes(tilt, roll)
	s, c := math.Sincos(heading * math.Pi / 180)
	a, b := ahead.Mul(c).Add(right.Mul(s)), right.Mul(c).Sub(ahead.Mul(s))
	for i := range list {
		l := &list[i]
		u, v, w := l.fits(up, f), l.fits(a, f), l.fits(b, f)
		if u >= v && u >= w {
			upright += u * l.len
		} else {
			level += math.Max(v, w) * l.len
		}
	}
	return upright + level, level, upright
}

// headings returns the heading, modulo 90 degrees, in which most lines go, and the score that it
// gives.
func headings(list []seen, f, tilt, roll float64, hist *[90]float64) (heading, sum float64) {
	up, ahead, right := axes(tilt, roll)
	clear(hist[:])
	upright := 0.0
	for i := range list {
		l := &list[i]
		if u := l.fits(up, f); u > 0.3 {
			upright += u * l.len
			continue
		}
		// The level direction in the plane through the line and the eye.
		n := camera.Vec{X: l.mx, Y: l.my, Z: f}.Cross(camera.Vec{X: l.dx, Y: l.dy})
		d := n.Cross(up)
		if d.Len() < 1e-9 {
			continue
		}
		deg := math.Atan2(d.Dot(right), d.Dot(ahead)) * 180 / math.Pi
		k := int(math.Floor(deg))
		hist[((k%90)+90)%90] += l.len
	}
	best, at := -1.0, 0
	for i := range hist {
		if v := hist[i] + 0.6*(hist[(i+1)%90]+hist[(i+89)%90]); v > best {
			best, at = v, i
		}
	}
	heading = float64(at) + 0.5
	s, _, _ := score(list, f, tilt, roll, heading)
	return heading, s
}
