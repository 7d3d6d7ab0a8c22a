package staging

import (
	"cmp"
	"context"
	"image"
	"math"
	"slices"

	"pyrant/internal/base/raster"
)

// Looks is how bright the photo shows the surfaces of a room. It serves as long as the room's
// Layout is the same.
type Looks struct {
	scale float64
	of    []look // by surface
}

// look is how bright the photo shows one surface about the pixels of the small picture, in the part
// of it where the surface is seen; empty for a ceiling, and for what is hardly seen.
type look struct {
	image.Rectangle
	mean  []float32
	whole []int32 // those of every third row and column that show nothing else
}

// Bytes returns the memory that is held.
func (l *Looks) Bytes() (n int64) {
	for i := range l.of {
		n += 4 * int64(len(l.of[i].mean)+len(l.of[i].whole))
	}
	return
}

// about is how far about a pixel of the small picture its brightness is taken: so that light stones
// and dark joints stay what they are.
const about = 2

// Looks looks at all surfaces but the ceiling.
func (s *Set) Looks(ctx context.Context, small Small) (*Looks, error) {
	w, h := small.Rect.Dx(), small.Rect.Dy()
	out := &Looks{scale: float64(w) / float64(s.Photo.Width),
		of: make([]look, len(s.Surfaces))}
	c := s.Compose(out.scale)
	weight := make([][]float32, len(s.Surfaces))
	for i := range s.Surfaces {
		if k := s.Surfaces[i].Kind; k != Ceiling {
			weight[i] = make([]float32, w*h)
		}
	}
	if err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
		row := c.NewWeights(w)
		for y := y0; y < y1; y++ {
			c.Row(row, 0, y, w)
			for i, any := range row.Any {
				if any && weight[i] != nil {
					copy(weight[i][y*w:(y+1)*w], row.Of[i][:w])
				}
			}
		}
	}); err != nil {
		return nil, err
	}
	errs := make([]error, len(weight))
	err := raster.Each(ctx, len(weight), func(i int) {
		if weight[i] == nil {
			return
		}
		if s.Surfaces[i].Sheet.Body != nil {
			for k, v := range weight[i] { // of what is round only what shows nothing else
				v *= v
				v *= v
				weight[i][k] = v * v
			}
		}
		out.of[i], errs[i] = lookAt(ctx, small, weight[i])
	})
	return out, cmp.Or(append(errs, err)...)
}

// lookAt looks at one surface, that fills so much of each pixel.
func lookAt(ctx context.Context, small Small, weight []float32) (l look, err error) {
	w, h := small.Rect.Dx(), small.Rect.Dy()
	seen := image.Rectangle{Min: image.Pt(w, h)}
	for k, v := range weight {
		if v > 0 {
			x, y := k%w, k/w
			seen.Min.X, seen.Min.Y = min(seen.Min.X, x), min(seen.Min.Y, y)
			seen.Max.X, seen.Max.Y = max(seen.Max.X, x+1), max(seen.Max.Y, y+1)
		}
	}
	// Beyond where it is seen, for whoever looks between two pixels.
	seen = seen.Inset(-1).Intersect(image.Rect(0, 0, w, h))
	if seen.Dx() < 3 || seen.Dy() < 3 {
		return
	}
	l.Rectangle = seen
	light, part := raster.NewPlane(seen), raster.NewPlane(seen)
	for y := range seen.Dy() {
		row := small.Row(small.Rect.Min.Y + seen.Min.Y + y)
		for x := range seen.Dx() {
			k, px := y*seen.Dx()+x, seen.Min.X+x
			v := weight[(seen.Min.Y+y)*w+px]
			part.Pix[k], light.Pix[k] = v, v*float32(brightness([3]float32(row[3*px:])))
			if v > 0.99 && x%3 == 0 && y%3 == 0 {
				l.whole = append(l.whole, int32(k))
			}
		}
	}
	if light, err = raster.Means(ctx, light, about); err != nil {
		return
	}
	if part, err = raster.Means(ctx, part, about); err != nil {
		return
	}
	l.mean = light.Pix
	for k, v := range part.Pix {
		if v > 1e-4 {
			l.mean[k] /= v
		} else {
			l.mean[k] = 0
		}
	}
	return
}

// Bright returns how bright, in linear luminance, the photo shows a surface about a place of it, 0
// where it shows nothing of it.
func (l *Looks) Bright(surface int, x, y float64) float32 {
	k := &l.of[surface]
	if len(k.mean) == 0 {
		return 0
	}
	w, h := k.Dx(), k.Dy()
	fx, fy := math.Min(math.Max(x*l.scale-0.5-float64(k.Min.X), 0), float64(w-1)),
		math.Min(math.Max(y*l.scale-0.5-float64(k.Min.Y), 0), float64(h-1))
	i, j := min(int(fx), w-2), min(int(fy), h-2)
	tx, ty := float32(fx-float64(i)), float32(fy-float64(j))
	var sum, all float32
	for q := range 4 {
		c := (tx + float32(1-q&1)*(1-2*tx)) * (ty + float32(1-q>>1)*(1-2*ty))
		if v := k.mean[(j+q>>1)*w+i+q&1]; v > 0 {
			sum, all = sum+c*v, all+c
		}
	}
	if all == 0 {
		return 0
	}
	return sum / all
}

// Shown is how dark daylight can have made places of the flat surfaces, by what the photo shows
// there. Where something is marked beside where it stands, its shadow is told to lie where the
// photo has none: to divide that out would leave a place many times as bright as the rest of its
// surface is. So no more is divided out than leaves a place as bright as the bright ones of its
// surface.
type Shown struct {
	scale float64
	// by surface: the daylight that there is at the least; empty where all that is told may be
	of []look
}

// Bytes returns the memory that is held.
func (w *Shown) Bytes() (n int64) {
	for i := range w.of {
		n += 4 * int64(len(w.of[i].mean))
	}
	return
}

// bright is how many of the places of a surface, of those that more than half of its daylight comes
// to, are darker than what one may be left to be.
const bright = 0.98

// doubt is by how much more than the bright places a place has to send back to be surely one of
// which too much is told.
const doubt = 0.15

// Shows finds how dark daylight can have made the flat surfaces, by how they look; bounce may be
// nil. Fronts of things have too many colours to tell.
func (s *Set) Shows(ctx context.Context, looks *Looks, day *Daylight,
	bounce *Bounce) (*Shown, error) {
	out := &Shown{scale: looks.scale, of: make([]look, len(looks.of))}
	errs := make([]error, len(looks.of))
	err := raster.Each(ctx, len(looks.of), func(i int) {
		l := &looks.of[i]
		if s.Surfaces[i].Sheet.Body != nil || len(l.whole) < 32 {
			return // too little is seen of it to tell
		}
		w := l.Dx()
		told, back := raster.NewPlane(l.Rectangle), make([]float32, w)
		for y := range l.Dy() {
			row, py := told.Pix[y*w:(y+1)*w], (float64(l.Min.Y+y)+0.5)/looks.scale
			day.Field.Direct[i].Read(row, l.Min.X, 1/looks.scale, py, w)
			if bounce != nil {
				bounce.Daylight[i].Read(back, l.Min.X, 1/looks.scale, py, w)
				for x, b := range back {
					row[x] += b
				}
			}
		}
		out.of[i], errs[i] = l.least(ctx, told)
	})
	return out, cmp.Or(append(errs, err)...)
}

// least returns how dark daylight can have made the places of a surface, of what it is told to have
// done: nothing where it is told to be brighter.
func (l *look) least(ctx context.Context, told *raster.Plane) (look, error) {
	var lit, sent []float32
	for _, k := range l.whole {
		if d := told.Pix[k]; d > 0 {
			lit = append(lit, d)
		}
	}
	if len(lit) == 0 {
		return look{}, nil
	}
	slices.Sort(lit)
	half := lit[len(lit)/2]
	there := raster.NewPlane(told.Rect)
	for k, d := range told.Pix {
		if d > 0 {
			there.Pix[k] = 1
		}
	}
	for _, k := range l.whole {
		if d := told.Pix[k]; d >= half {
			sent = append(sent, l.mean[k]/d)
		}
	}
	slices.Sort(sent)
	most := sent[min(int(bright*float64(len(sent))), len(sent)-1)]
	// Where a shadow ends both the photo and what is told of it are looked at as coarsely.
	coarse, err := raster.Means(ctx, told, about)
	if err != nil {
		return look{}, err
	}
	if there, err = raster.Means(ctx, there, about); err != nil {
		return look{}, err
	}
	out := look{Rectangle: l.Rectangle, mean: make([]float32, len(told.Pix))}
	some := false
	for k, d := range told.Pix {
		if v := l.mean[k]; d > 0 && v > d*most {
			if sure := min((v*there.Pix[k]/(coarse.Pix[k]*most)-1)/doubt, 1); sure > 0.01 {
				out.mean[k], some = sure*v/most, true
			}
		}
	}
	if !some {
		return look{}, nil
	}
	return out, nil
}

// Row writes how dark daylight can have made n places of a surface, with x0, step and y as in
// lightmap.Grid.Read, to dst; it returns false, and what it wrote counts for nothing, where all
// that is told may be.
func (w *Shown) Row(dst []float32, surface, x0 int, step, y float64, n int) bool {
	l := &w.of[surface]
	if len(l.mean) == 0 {
		return false
	}
	width, height := l.Dx(), l.Dy()
	fy := math.Min(math.Max(y*w.scale-0.5-float64(l.Min.Y), 0), float64(height-1))
	j := min(int(fy), height-2)
	ty := float32(fy - float64(j))
	up, low := l.mean[j*width:(j+1)*width], l.mean[(j+1)*width:(j+2)*width]
	at := func(i int) float32 {
		i = min(max(i, 0), width-1)
		return up[i] + (low[i]-up[i])*ty
	}
	// Between two columns of the small picture it goes evenly.
	k, c := step*w.scale, (float64(x0)+0.5)*step*w.scale-0.5-float64(l.Min.X)
	some := false
	for q := 0; q < n; {
		i := int(math.Floor(c + float64(q)*k))
		next := min(max(int(math.Ceil((float64(i+1)-c)/k)), q+1), n)
		a, b := at(i), at(i+1)
		if a == 0 && b == 0 {
			clear(dst[q:next])
		} else {
			some = true
			rise := (b - a) * float32(k)
			v := a + (b-a)*float32(c+float64(q)*k-float64(i))
			for p := range dst[q:next] {
				dst[q+p] = v + rise*float32(p)
			}
		}
		q = next
	}
	return some
}
