package render

import (
	"context"
	"image"
	"math"

	"pyrant/internal/crop"
	"pyrant/internal/raster"
)

// framing is how the picture lies on the photo: all stages work on the photo as it is, at a scale, and what of that is seen
// is taken out at the end. Without an angle whole pixels are taken, and nothing is made anew.
type framing struct {
	crop  crop.Crop // in numbers
	w, h  int       // of the picture at its scale, before quarter turns
	long  int       // long edge of the photo at that scale
	scale float64
	at    image.Point // the frame's corner on the photo at that scale, without an angle
	ph    image.Point // size of the photo at that scale
	view  image.Rectangle
	inner image.Rectangle // what of the photo is needed for view
}

// framing returns how the picture that is asked for lies on the photo; nil where it is the photo.
func (q *Request) framing() (*framing, error) {
	c := q.Recipe.Crop
	if q.Uncropped || c.Idle() {
		return nil, nil
	}
	c = c.Of(q.Photo.Width, q.Photo.Height)
	f := &framing{crop: c}
	own := max(int(c.Width), int(c.Height))
	var k float64
	f.w, f.h, k = Size(int(c.Width), int(c.Height), q.LongEdge)
	if k > 1 {
		return nil, tooLarge(own)
	}
	photo := max(q.Photo.Width, q.Photo.Height)
	f.long = photo
	if k < 1 {
		f.long = max(int(math.Round(k*float64(photo))), 1)
	}
	f.ph.X, f.ph.Y, f.scale = Size(q.Photo.Width, q.Photo.Height, f.long)
	f.at = image.Pt(int(math.Round((c.X-c.Width/2)*f.scale)), int(math.Round((c.Y-c.Height/2)*f.scale)))
	f.at.X, f.at.Y = max(min(f.at.X, f.ph.X-f.w), 0), max(min(f.at.Y, f.ph.Y-f.h), 0)
	frame := image.Rect(0, 0, f.w, f.h)
	if c.Turns%2 == 1 {
		frame.Max = image.Pt(f.h, f.w)
	}
	if f.view = frame; !q.View.Empty() {
		f.view = q.View.Intersect(frame)
	}
	if f.view.Empty() {
		return nil, outside(frame.Dx(), frame.Dy())
	}
	m := f.toPhoto()
	x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for _, p := range [...]image.Point{f.view.Min, {f.view.Max.X, f.view.Min.Y}, f.view.Max, {f.view.Min.X, f.view.Max.Y}} {
		x, y := m.At(float64(p.X), float64(p.Y))
		x0, y0, x1, y1 = math.Min(x0, x), math.Min(y0, y), math.Max(x1, x), math.Max(y1, y)
	}
	rim := 0.0
	if f.crop.Angle != 0 {
		rim = 3
	}
	f.inner = image.Rect(int(math.Floor(x0-rim+1e-6)), int(math.Floor(y0-rim+1e-6)), int(math.Ceil(x1+rim-1e-6)), int(math.Ceil(y1+rim-1e-6))).Intersect(image.Rectangle{Max: f.ph})
	if f.inner.Empty() {
		return nil, outside(frame.Dx(), frame.Dy())
	}
	return f, nil
}

// toPhoto returns where places of the picture lie on the photo, both at their scale.
func (f *framing) toPhoto() crop.Affine {
	c := f.crop
	if c.Angle == 0 {
		// Whole pixels.
		c.X, c.Y, c.Width, c.Height = float64(f.at.X)+float64(f.w)/2, float64(f.at.Y)+float64(f.h)/2, float64(f.w), float64(f.h)
		return c.ToPicture(f.ph.X, f.ph.Y).Inverse()
	}
	kx, ky := c.Width/float64(f.w), c.Height/float64(f.h)
	if c.Turns%2 == 1 {
		kx, ky = ky, kx
	}
	own := crop.Affine{A: kx, E: ky}.Then(c.ToPicture(0, 0).Inverse())
	return own.Then(crop.Affine{A: f.scale, E: f.scale})
}

// on returns what to ask for of the photo.
func (f *framing) on(q Request) Request {
	q.Uncropped, q.LongEdge, q.View = true, f.long, f.inner
	q.Deep = q.Deep || f.crop.Angle != 0
	return q
}

// frame returns the picture that is asked for, taken out of what draw makes of the photo.
func (q *Request) frame(ctx context.Context, draw func(q Request) (image.Image, error)) (image.Image, error) {
	return drawn(q, draw, func(f *framing, m image.Image) (image.Image, error) { return f.take(ctx, m, q.Deep) })
}

// drawn returns what draw makes for q: where it is cropped of the photo, and then taken out of that.
func drawn[T any](q *Request, draw func(q Request) (T, error), take func(f *framing, m T) (T, error)) (out T, err error) {
	f, err := q.framing()
	if err != nil {
		return out, err
	}
	if f == nil {
		return draw(*q)
	}
	m, err := draw(f.on(*q))
	if err != nil {
		return out, err
	}
	return take(f, m)
}

// take takes the picture out of one of the photo.
func (f *framing) take(ctx context.Context, m image.Image, deep bool) (image.Image, error) {
	out := newImage(deep, f.view)
	at := f.toPhoto()
	if f.crop.Angle != 0 {
		src := deepened(m)
		return out, raster.Rows(ctx, f.view.Min.Y, f.view.Max.Y, func(y0, y1 int) {
			for y := y0; y < y1 && ctx.Err() == nil; y++ {
				resample(out, src, at, f.view.Min.X, f.view.Max.X, y)
			}
		})
	}
	pix, src, n := pixels(m)
	to, _, _ := pixels(out)
	return out, raster.Rows(ctx, f.view.Min.Y, f.view.Max.Y, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			d := to[(y-f.view.Min.Y)*f.view.Dx()*n:]
			if at.A == 1 {
				u, v := at.At(float64(f.view.Min.X)+0.5, float64(y)+0.5)
				copy(d[:f.view.Dx()*n], pix[((int(v)-src.Min.Y)*src.Dx()+int(u)-src.Min.X)*n:])
				continue
			}
			for x := f.view.Min.X; x < f.view.Max.X; x++ {
				u, v := at.At(float64(x)+0.5, float64(y)+0.5)
				from := ((int(v)-src.Min.Y)*src.Dx() + int(u) - src.Min.X) * n
				copy(d[(x-f.view.Min.X)*n:][:n], pix[from:])
			}
		}
	})
}

// deepened returns an image with 16 bits a sample.
func deepened(m image.Image) *image.RGBA64 {
	if m, ok := m.(*image.RGBA64); ok {
		return m
	}
	out := image.NewRGBA64(m.Bounds())
	for i, v := range m.(*image.RGBA).Pix {
		out.Pix[2*i], out.Pix[2*i+1] = v, v
	}
	return out
}

// pixels returns the bytes of an image that fills its memory, and how many a pixel has.
func pixels(m image.Image) ([]uint8, image.Rectangle, int) {
	switch m := m.(type) {
	case *image.RGBA:
		return m.Pix, m.Rect, 4
	case *image.RGBA64:
		return m.Pix, m.Rect, 8
	}
	panic("render: an image of another kind")
}

// plane takes a plane out of one of the photo, between pixels by the four round it.
func (f *framing) plane(ctx context.Context, m *raster.Plane) (*raster.Plane, error) {
	out := raster.NewPlane(f.view)
	at := f.toPhoto()
	get := func(x, y int) float32 {
		return m.At(min(max(x, m.Rect.Min.X), m.Rect.Max.X-1), min(max(y, m.Rect.Min.Y), m.Rect.Max.Y-1))
	}
	return out, raster.Rows(ctx, f.view.Min.Y, f.view.Max.Y, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			row := out.Row(y)
			for x := range row {
				u, v := at.At(float64(f.view.Min.X+x)+0.5, float64(y)+0.5)
				u, v = u-0.5, v-0.5
				i, j := int(math.Floor(u)), int(math.Floor(v))
				s, t := float32(u-float64(i)), float32(v-float64(j))
				row[x] = (get(i, j)*(1-s)+get(i+1, j)*s)*(1-t) + (get(i, j+1)*(1-s)+get(i+1, j+1)*s)*t
			}
		}
	})
}

// cubic is how many steps of a pixel the weights of four samples are kept for.
const cubic = 256

// weights are those of Catmull and Rom's cubic for four samples, by where between the middle two a place is.
var weights = func() (w [cubic + 1][4]float32) {
	for i := range w {
		t := float64(i) / cubic
		w[i] = [4]float32{
			float32(-0.5*t + t*t - 0.5*t*t*t), float32(1 - 2.5*t*t + 1.5*t*t*t),
			float32(0.5*t + 2*t*t - 1.5*t*t*t), float32(-0.5*t*t + 0.5*t*t*t),
		}
	}
	return
}()

// resample writes a row of the picture from samples of the photo that lie between pixels. It works on display values: there
// what a cubic overshoots at an edge is as small beside light as beside dark.
func resample(out image.Image, m *image.RGBA64, at crop.Affine, x0, x1, y int) {
	b := m.Rect
	n := uint32(x0)*ditherX + uint32(y)*ditherY
	for x := x0; x < x1; x++ {
		u, v := at.At(float64(x)+0.5, float64(y)+0.5)
		u, v = u-0.5, v-0.5
		i, j := int(math.Floor(u)), int(math.Floor(v))
		wx, wy := &weights[int((u-float64(i))*cubic+0.5)], &weights[int((v-float64(j))*cubic+0.5)]
		var c [3]float32
		if i-1 >= b.Min.X && i+2 < b.Max.X && j-1 >= b.Min.Y && j+2 < b.Max.Y {
			p := m.Pix[(j-1-b.Min.Y)*m.Stride+(i-1-b.Min.X)*8:]
			for k := range 4 {
				r := p[k*m.Stride:][:32:32]
				for q := range c {
					c[q] += wy[k] * (wx[0]*float32(uint32(r[2*q])<<8|uint32(r[2*q+1])) + wx[1]*float32(uint32(r[8+2*q])<<8|uint32(r[9+2*q])) +
						wx[2]*float32(uint32(r[16+2*q])<<8|uint32(r[17+2*q])) + wx[3]*float32(uint32(r[24+2*q])<<8|uint32(r[25+2*q])))
				}
			}
		} else {
			for k := range 4 {
				for l := range 4 {
					s := m.RGBA64At(min(max(i-1+l, b.Min.X), b.Max.X-1), min(max(j-1+k, b.Min.Y), b.Max.Y-1))
					w := wx[l] * wy[k]
					c[0], c[1], c[2] = c[0]+w*float32(s.R), c[1]+w*float32(s.G), c[2]+w*float32(s.B)
				}
			}
		}
		switch o := out.(type) {
		case *image.RGBA:
			d := o.Pix[o.PixOffset(x, y):][:4:4]
			dither := float32(n>>16) / 65536
			for q := range c {
				d[q] = uint8(min(max(c[q]*(255.0/65535)+dither, 0), 255))
			}
			d[3] = 255
		case *image.RGBA64:
			d := o.Pix[o.PixOffset(x, y):][:8:8]
			for q := range c {
				w := uint16(min(max(c[q]+0.5, 0), 65535))
				d[2*q], d[2*q+1] = uint8(w>>8), uint8(w)
			}
			d[6], d[7] = 255, 255
		}
		n += ditherX
	}
}
