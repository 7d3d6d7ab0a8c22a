// Package match reads off a reference what small real lights do to a set, and fits the lights of a
// recipe to it.
//
// The reference is a second photo of the same set, darker and with its lights on. With daylight D
// and albedo ρ a photo shows ρ·D; the reference shows e·ρ·D + ρ·E, where e is how much darker the
// daylight is in it and E what its lights give. So the reference over the photo, less e, is what
// the lights give against the daylight, without the colours of the things that it falls on.
package match

import (
	"context"
	"image"
	"math"
	"slices"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/vision/align"
)

// edge is the long edge of what is compared.
const edge = 750

// Pair is a photo and its reference on it, in linear light and smaller.
type Pair struct {
	Photo, Ref *raster.RGB // of one size
	Known      []bool      // of each pixel, whether the reference shows it
	Step       float64     // pixels of the photo for one of theirs
	// Dimmed is how much of the photo's daylight the reference has, for each colour.
	Dimmed [3]float64
}

// Bytes returns the memory that is held.
func (p *Pair) Bytes() int64 { return p.Photo.Bytes() + p.Ref.Bytes() + int64(len(p.Known)) }

// New lays a reference on a photo, which lies on it by s.
func New(ctx context.Context, p, o *photo.Photo, s align.Similarity) (*Pair, error) {
	step := max(1, (max(p.Width, p.Height)+edge-1)/edge)
	out := &Pair{Step: float64(step)}
	var err error
	if out.Photo, err = reduced(ctx, p, step); err != nil {
		return nil, err
	}
	// The reference as fine as the photo is where it lies on it.
	ostep := max(1, int(s.Size*float64(step)+0.5))
	ref, err := reduced(ctx, o, ostep)
	if err != nil {
		return nil, err
	}
	out.Ref, out.Known = raster.NewRGB(out.Photo.Rect),
		make([]bool, out.Photo.Rect.Dx()*out.Photo.Rect.Dy())
	w, h := out.Photo.Rect.Dx(), out.Photo.Rect.Dy()
	err = raster.Rows(ctx, 0, h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			row := out.Ref.Row(y)
			for x := range w {
				u, v := s.At((float64(x)+0.5)*out.Step, (float64(y)+0.5)*out.Step, p.Width,
					p.Height, o.Width, o.Height)
				out.Known[y*w+x] = ref.Between(row[3*x:], u/float64(ostep)-0.5,
					v/float64(ostep)-0.5)
			}
		}
	})
	if err != nil {
		return nil, err
	}
	return out, out.dim()
}

// reduced returns a photo in linear light, each pixel the mean of step by step of its own.
//
// One in which any is clipped is told as white: of what it would be nothing is known.
func reduced(ctx context.Context, p *photo.Photo, step int) (*raster.RGB, error) {
	out := raster.NewRGB(image.Rect(0, 0, p.Width/step, p.Height/step))
	one := 1 / float32(step*step)
	return out, raster.Rows(ctx, 0, out.Rect.Max.Y, func(y0, y1 int) {
		row := make([]float32, 3*p.Width)
		for y := y0; y < y1 && ctx.Err() == nil; y++ {
			to := out.Row(y)
			for j := range step {
				p.Linear(row, 0, y*step+j, p.Width)
				for i := range len(to) / 3 * step {
					d, s := to[3*(i/step):3*(i/step)+3:3*(i/step)+3], row[3*i:3*i+3:3*i+3]
					if step > 1 && max(s[0], s[1], s[2]) > 0.985 {
						d[0], d[1], d[2] = 1e3, 1e3, 1e3
					}
					d[0], d[1], d[2] = d[0]+s[0]*one, d[1]+s[1]*one, d[2]+s[2]*one
				}
			}
			for i, v := range to {
				to[i] = min(v, 1)
			}
		}
	})
}

// Of linear light: what is too dark to tell anything, and what is taken for clipped.
const (
	dark    = 0.008
	clipped = 0.93
)

// dim finds how much of the daylight is left in the reference: where its lights do least, a
// hundredth of the picture. It looks at small squares, as single pixels are that dark by their
// grain alone.
func (p *Pair) dim() error {
	const side = 5
	w, h := p.Photo.Rect.Dx(), p.Photo.Rect.Dy()
	var ratio [3][]float64
	for y := 0; y+side <= h; y += side {
	square:
		for x := 0; x+side <= w; x += side {
			var a, b [3]float64
			for j := y; j < y+side; j++ {
				for i := x; i < x+side; i++ {
					k := j*w + i
					u, v := p.Photo.Pix[3*k:3*k+3], p.Ref.Pix[3*k:3*k+3]
					if !p.Known[k] || min(u[0], u[1], u[2]) < 2*dark ||
						max(u[0], u[1], u[2]) > clipped || max(v[0], v[1], v[2]) > clipped {
						continue square
					}
					for c := range 3 {
						a[c], b[c] = a[c]+float64(u[c]), b[c]+float64(v[c])
					}
				}
			}
			for c := range 3 {
				ratio[c] = append(ratio[c], b[c]/a[c])
			}
		}
	}
	if len(ratio[0]) < w*h/(side*side)/50 {
		return fault.New(fault.Invalid, "The photo and its reference have too few midtones in common.")
	}
	for c := range 3 {
		slices.Sort(ratio[c])
		p.Dimmed[c] = ratio[c][len(ratio[c])/100]
	}
	return nil
}

// Added returns what the lights of the reference give at a pixel against the daylight of the photo,
// for each colour; ok is false where that cannot be told.
func (p *Pair) Added(i int) (v [3]float64, ok bool) {
	a, b := p.Photo.Pix[3*i:3*i+3], p.Ref.Pix[3*i:3*i+3]
	if !p.Known[i] || min(a[0], a[1], a[2]) < dark || max(b[0], b[1], b[2]) > clipped {
		return v, false
	}
	for c := range v {
		v[c] = float64(b[c]/a[c]) - p.Dimmed[c]
	}
	return v, true
}

// Reading is what a place of the reference tells.
type Reading struct {
	Tint     colour.RGB // of the light that falls there, 1 for its largest channel
	Stops    float64    // how much brighter the reference is there than by its daylight alone
	Daylight float64    // by how many stops its daylight is darker than the photo's
	Near     float64    // how far off what it was read is, at most, in pixels of the photo
}

// At reads the light at a place of the photo: of a lamp its rim, as its middle is white in any
// picture.
func (p *Pair) At(x, y float64) (r Reading, err error) {
	w, h := p.Photo.Rect.Dx(), p.Photo.Rect.Dy()
	px, py := int(x/p.Step), int(y/p.Step)
	if x < 0 || y < 0 || px >= w || py >= h || !p.Known[py*w+px] {
		return r, fault.New(fault.Invalid, "The reference does not show that place.")
	}
	r.Daylight = math.Log2(math.Max((p.Dimmed[0]+p.Dimmed[1]+p.Dimmed[2])/3, 1e-4))
	// What is lit through and through about the place: white, or far brighter than any daylight.
	inside := map[int]bool{}
	white := func(i int) bool {
		b, a := p.Ref.Pix[3*i:3*i+3], p.Photo.Pix[3*i:3*i+3]
		return max(b[0], b[1], b[2]) > 0.8 || max(b[0]/max(a[0], dark), b[1]/max(a[1], dark),
			b[2]/max(a[2], dark)) > 1.5
	}
	room := (w / 12) * (w / 12)
	var front []int
	if at := py*w + px; white(at) {
		front, inside[at] = []int{at}, true
	}
	for len(front) > 0 && len(inside) < room {
		i := front[0]
		front = front[1:]
		for _, d := range [4][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
			u, v := i%w+d[0], i/w+d[1]
			if u < 0 || v < 0 || u >= w || v >= h || inside[v*w+u] || !white(v*w+u) {
				continue
			}
			inside[v*w+u] = true
			front = append(front, v*w+u)
		}
	}
	// A band round that, a little away from it as lenses glare, or a disc about the place.
	reach := max(w/90, 4)
	near := map[int]bool{}
	from := inside
	if len(from) == 0 {
		from = map[int]bool{py*w + px: true}
	}
	for i := range from {
		for dy := -reach; dy <= reach; dy++ {
			for dx := -reach; dx <= reach; dx++ {
				u, v := i%w+dx, i/w+dy
				if u >= 0 && v >= 0 && u < w && v < h && dx*dx+dy*dy <= reach*reach &&
					!inside[v*w+u] {
					near[v*w+u] = true
				}
			}
		}
	}
	var sum [3]float64
	var lit, day float64
	n := 0
	for i := range near {
		a, b := p.Photo.Pix[3*i:3*i+3], p.Ref.Pix[3*i:3*i+3]
		if _, ok := p.Added(i); !ok {
			continue
		}
		lit += float64(colour.Luma(b[0], b[1], b[2]))
		day += float64(colour.Luma(float32(p.Dimmed[0])*a[0], float32(p.Dimmed[1])*a[1],
			float32(p.Dimmed[2])*a[2]))
		n++
	}
	// What falls on and round it, less what falls farther off: that is of other lights.
	far := p.round(inside, near, 2*reach)
	rim, weight, most := 0, 0.0, 0.0
	for _, set := range []map[int]bool{inside, near} {
		for i := range set {
			if v, ok := p.Added(i); ok {
				// Most by where it is brightest; a dark place beside a white one shows what is
				// spread of that.
				a := p.Photo.Pix[3*i:][:3]
				k := math.Max(v[0]-far[0]+v[1]-far[1]+v[2]-far[2],
					0) * math.Min(float64(colour.Luma(a[0], a[1], a[2]))/0.08, 1)
				for c := range sum {
					sum[c] += k * (v[c] - far[c])
				}
				most = math.Max(most, k)
				weight += k
				rim++
			}
		}
	}
	// Where it falls off too little to be told apart, all that falls there counts.
	if rim == 0 || most < 0.06 {
		sum, weight = [3]float64{}, 0
		for i := range near {
			if v, ok := p.Added(i); ok {
				for c := range sum {
					sum[c] += v[c]
				}
				weight++
			}
		}
	}
	for c := range sum {
		sum[c] = math.Max(sum[c], 0)
	}
	top := max(sum[0], sum[1], sum[2])
	if n < 6 || top/math.Max(weight, 1e-9) < 0.006 {
		return r, fault.New(fault.Invalid, "No light of the reference falls there. Click on a lamp or beside one.")
	}
	r.Tint = colour.RGB{R: float32(sum[0] / top), G: float32(sum[1] / top),
		B: float32(sum[2] / top)}
	r.Stops = math.Log2(math.Max(lit, 1e-9) / math.Max(day, 1e-9))
	r.Near = float64(reach) * p.Step
	return r, nil
}

// round returns the median of what lights give in a band beyond pixels that are near; none where it
// cannot be told.
func (p *Pair) round(inside, near map[int]bool, reach int) (v [3]float64) {
	w, h := p.Photo.Rect.Dx(), p.Photo.Rect.Dy()
	seen := map[int]bool{}
	var list [3][]float64
	for i := range near {
		for _, d := range [8][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}, {1, 1}, {1, -1}, {-1, 1},
			{-1, -1}} {
			x, y := i%w+d[0]*reach, i/w+d[1]*reach
			k := y*w + x
			if x < 0 || y < 0 || x >= w || y >= h || inside[k] || near[k] || seen[k] {
				continue
			}
			seen[k] = true
			if a, ok := p.Added(k); ok {
				for c := range v {
					list[c] = append(list[c], a[c])
				}
			}
		}
	}
	for c := range v {
		if n := len(list[c]); n > 20 {
			slices.Sort(list[c])
			v[c] = math.Max(list[c][n/2], 0)
		}
	}
	return v
}
