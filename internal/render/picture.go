package render

import (
	"context"
	"image"
	"math"

	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/pass"
)

// layOver returns the rows of a picture that a pass lays over a photo at a scale.
func layOver(ctx context.Context, g *graph.Graph, k pass.Picture, of photoInput,
	scale float64) (pass.PictureRows, error) {
	o := of.Value()
	size := k.Size * scale // of the picture's width, in pixels
	small := math.Min(size/float64(o.Width), 1)
	at := image.Rect(0, 0, max(int(float64(o.Width)*small+0.5), 1),
		max(int(float64(o.Height)*small+0.5), 1))
	soft := k.Soft * scale * float64(at.Dx()) / size
	pic, err := graph.Get(ctx, g, reducedPicture{of, at.Dx(), at.Dy(), soft})
	if err != nil {
		return nil, err
	}
	sin, cos := math.Sincos(k.Turn * math.Pi / 180)
	return &laid{pic: pic, x: k.X * scale, y: k.Y * scale, cos: cos, sin: sin, flip: k.Flip,
		per: float64(at.Dx()) / size, fade: math.Max(1, 3*k.Soft*scale)}, nil
}

// laid is a picture as it lies on another.
type laid struct {
	pic      *raster.RGB
	x, y     float64 // its middle, in pixels of that
	cos, sin float64
	per      float64 // pixels of pic for one of that
	flip     bool
	fade     float64 // over how many pixels of that its edge goes
}

// Row writes the picture's colours and how much of each pixel it covers.
func (l *laid) Row(pix, cover []float32, x0, y int) {
	w, h := l.pic.Rect.Dx(), l.pic.Rect.Dy()
	dy := float64(y) + 0.5 - l.y
	for i := range cover {
		dx := float64(x0+i) + 0.5 - l.x
		// Turned back, in pixels of the plan from its middle.
		u, v := dx*l.cos+dy*l.sin, dy*l.cos-dx*l.sin
		if l.flip {
			u = -u
		}
		edge := math.Min(float64(w)/l.per/2-math.Abs(u), float64(h)/l.per/2-math.Abs(v))
		c := edge/l.fade + 0.5
		if l.fade > 1 {
			c = edge / l.fade // a soft edge lies within
		}
		if c <= 0 {
			cover[i] = 0
			continue
		}
		cover[i] = float32(math.Min(c, 1))
		px, py := u*l.per+float64(w)/2-0.5, v*l.per+float64(h)/2-0.5
		l.pic.Between(pix[3*i:], min(max(px, 0), float64(w-1)), min(max(py, 0), float64(h-1)))
	}
}

// softened returns a picture blurred by a deviation: by three boxes, which is a Gaussian to three
// hundredths (Wells 1986).
func softened(ctx context.Context, m *raster.RGB, sigma float64) (*raster.RGB, error) {
	if sigma < 0.3 {
		return m, nil
	}
	// Boxes of 2·half+1, the first few by one less, so that their variances add up to that.
	low := int((math.Sqrt(4*sigma*sigma+1) - 1) / 2)
	wide := float64(2*low + 1)
	smaller := int(math.Round((12*sigma*sigma - 3*wide*wide - 12*wide - 9) / (-4*wide - 4)))
	half := low
	w, h := m.Rect.Dx(), m.Rect.Dy()
	// line blurs n samples that lie step apart, from src to dst.
	line := func(dst, src []float32, n, step int) {
		var sum float64
		at := func(i int) float64 { return float64(src[min(max(i, 0), n-1)*step]) }
		for i := -half; i <= half; i++ {
			sum += at(i)
		}
		for i := range n {
			dst[i*step] = float32(sum / float64(2*half+1))
			sum += at(i+half+1) - at(i-half)
		}
	}
	a, b := m, raster.NewRGB(m.Rect)
	for n := range 3 {
		if half = low; n >= smaller {
			half++
		}
		if err := raster.Rows(ctx, 0, h, func(y0, y1 int) {
			for y := y0; y < y1; y++ {
				for c := range 3 {
					line(b.Row(y)[c:], a.Row(y)[c:], w, 3)
				}
			}
		}); err != nil {
			return nil, err
		}
		next := raster.NewRGB(m.Rect)
		if err := raster.Rows(ctx, 0, w, func(x0, x1 int) {
			for x := x0; x < x1; x++ {
				for c := range 3 {
					line(next.Pix[3*x+c:], b.Pix[3*x+c:], h, 3*w)
				}
			}
		}); err != nil {
			return nil, err
		}
		a = next
	}
	return a, nil
}
