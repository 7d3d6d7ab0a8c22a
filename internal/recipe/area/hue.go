package area

import (
	"context"
	"image"
	"math"
	"sync"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/guided"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/setting"
)

// Hue is a band of the photo's hues before dusk, in OKLCh (Ottosson 2020), where
// equal steps look equal.
type Hue struct {
	Hue    float64 `json:"hue" label:"Hue" unit:"°" range:"0..360" default:"140" step:"1" doc:"middle of the band, in OKLCh"`
	Width  float64 `json:"width" label:"Width" unit:"°" range:"0..360" default:"50" step:"1" doc:"from end to end"`
	Soft   float64 `json:"soft" label:"Soft" unit:"°" range:"0..180" default:"20" step:"1" doc:"how far it fades beyond both ends"`
	Chroma float64 `json:"chroma" label:"Least chroma" range:"0..0.4" slider:"0..0.2" default:"0.03" step:"0.001" doc:"greyer colours are left out, fading from here to half of it"`
	Smooth float64 `json:"smooth" label:"Smooth" unit:"px" range:"0..L/20" slider:"0..L/100" default:"L/400" step:"0.1" doc:"evens out grain and the blocks of JPEG, along the edges of brightness; at 0 every pixel is taken by itself"`
}

// At returns how much of a hue in degrees and a chroma, both of OKLCh, lies in the
// band, from 0 to 1.
func (h Hue) At(hue, chroma float64) float64 {
	k := 1.0
	if h.Chroma > 0 {
		k = ramp((chroma - h.Chroma) / (h.Chroma / 2))
	}
	if k == 0 || h.Width >= 360 {
		return k
	}
	off := math.Abs(math.Remainder(hue-h.Hue, 360)) - h.Width/2
	return k * ramp(-off/math.Max(h.Soft, 0.1))
}

// hueGrid is the long edge of the picture in which a smoothed band is worked out.
const hueGrid = 1024

// hueEdge is the variance of display brightness from which on an edge is kept.
const hueEdge = 4e-4

func (h Hue) prepare(ctx context.Context, w World, feather float64,
	r image.Rectangle) (Rows, error) {
	key := setting.Key(h)
	if h.Smooth <= 0 {
		return ofPhoto(ctx, w, key, feather, r, h.of)
	}
	// In a photo colour is coarser than brightness, and noisier: what the band covers is
	// smoothed by a guided filter, whose guide is the brightness.
	f, err := w.Filter(ctx, "hue "+key+" "+w.PhotoKey(), hueGrid,
		func(ctx context.Context, small World) (*guided.Filter, error) {
			frame := small.Frame()
			in, guide := raster.NewPlane(frame), raster.NewPlane(frame)
			photo := small.Photo()
			err := raster.Rows(ctx, 0, frame.Dy(), func(y0, y1 int) {
				row := make([]float32, 3*frame.Dx())
				for y := y0; y < y1; y++ {
					photo(row, 0, y)
					a, b := in.Row(y), guide.Row(y)
					for i := range a {
						p := row[3*i : 3*i+3 : 3*i+3]
						a[i] = h.of(p[0], p[1], p[2])
						b[i] = colour.Display.At(colour.Luma(p[0], p[1], p[2]))
					}
				}
			})
			if err != nil {
				return nil, err
			}
			return guided.New(ctx, in, guide, max(int(h.Smooth*small.Scale()+0.5), 1), hueEdge)
		})
	if err != nil {
		return nil, err
	}
	photo, frame := w.Photo(), w.Frame()
	pool := sync.Pool{New: func() any { return new([]float32) }}
	fill := func(dst []float32, x0, y int) {
		buf := pool.Get().(*[]float32)
		defer pool.Put(buf)
		n := len(dst)
		if cap(*buf) < 5*n {
			*buf = make([]float32, 5*n)
		}
		p, a, b := (*buf)[:3*n], (*buf)[3*n:4*n], (*buf)[4*n:5*n]
		photo(p, x0, y)
		f.Row(a, b, frame, x0, y)
		for i := range dst {
			dst[i] = min(max(a[i]*colour.Display.At(colour.Luma(p[3*i], p[3*i+1], p[3*i+2]))+b[i],
				0), 1)
		}
	}
	return soften(ctx, w, key+" "+w.PhotoKey(), rule{frame, fill}, feather, r)
}

// of returns how much of a linear colour lies in the band.
func (h Hue) of(r, g, b float32) float32 {
	_, u, v := colour.OKLab(r, g, b)
	c := math.Hypot(u, v)
	if h.Chroma > 0 && c <= h.Chroma/2 {
		return 0
	}
	return float32(h.At(math.Atan2(v, u)*180/math.Pi, c))
}
