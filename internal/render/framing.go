package render

import (
	"context"
	"encoding/binary"
	"image"
	"math"

	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/crop"
)

// framing is how the picture lies on the photo: all stages work on the photo as it is, at a scale,
// and what of that is seen is taken out at the end. Without an angle whole pixels are taken, and
// nothing is made anew.
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
	f.at = image.Pt(int(math.Round((c.X-c.Width/2)*f.scale)),
		int(math.Round((c.Y-c.Height/2)*f.scale)))
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
	for _, p := range [...]image.Point{f.view.Min, {f.view.Max.X, f.view.Min.Y}, f.view.Max,
		{f.view.Min.X, f.view.Max.Y}} {
		x, y := m.At(float64(p.X), float64(p.Y))
		x0, y0, x1, y1 = math.Min(x0, x), math.Min(y0, y), math.Max(x1, x), math.Max(y1, y)
	}
	rim := 0.0
	if f.crop.Angle != 0 {
		rim = 3
	}
	f.inner = image.Rect(int(math.Floor(x0-rim+1e-6)), int(math.Floor(y0-rim+1e-6)),
		int(math.Ceil(x1+rim-1e-6)),
		int(math.Ceil(y1+rim-1e-6))).Intersect(image.Rectangle{Max: f.ph})
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
		c.X, c.Y, c.Width, c.Height = float64(f.at.X)+float64(f.w)/2,
			float64(f.at.Y)+float64(f.h)/2, float64(f.w), float64(f.h)
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
	return q
}

// frame returns the picture that is asked for, taken out of what draw makes of the photo.
func (q *Request) frame(ctx context.Context,
	draw func(q Request) (image.Image, error)) (image.Image, error) {
	return cropped(q, draw, func(f *framing, m image.Image) (image.Image, error) {
		return f.take(ctx, m, q.Deep)
	})
}

// cropped returns what draw makes for q: where it is cropped of the photo, and then taken out of
// that.
func cropped[T any](q *Request, draw func(q Request) (T, error), take func(f *framing,
	m T) (T, error)) (out T, err error) {
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
		return out, raster.Rows(ctx, f.view.Min.Y, f.view.Max.Y, func(y0, y1 int) {
			for y := y0; y < y1 && ctx.Err() == nil; y++ {
				resample(out, m, at, f.view.Min.X, f.view.Max.X, y)
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
		return m.At(min(max(x, m.Rect.Min.X), m.Rect.Max.X-1), min(max(y, m.Rect.Min.Y),
			m.Rect.Max.Y-1))
	}
	return out, raster.Rows(ctx, f.view.Min.Y, f.view.Max.Y, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			row := out.Row(y)
			for x := range row {
				u, v := at.At(float64(f.view.Min.X+x)+0.5, float64(y)+0.5)
				u, v = u-0.5, v-0.5
				i, j := int(math.Floor(u)), int(math.Floor(v))
				s, t := float32(u-float64(i)), float32(v-float64(j))
				row[x] = (get(i, j)*(1-s)+get(i+1, j)*s)*(1-t) + (get(i, j+1)*(1-s)+get(i+1,
					j+1)*s)*t
			}
		}
	})
}

// cubic is how many steps of a pixel the weights of four samples are kept for.
const cubic = 256

// weights are those of Catmull and Rom's cubic for four samples, by where between the middle two a
// place is.
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

// resample writes a row of the picture from samples of the photo that lie between pixels. It works
// on display values: there what a cubic overshoots at an edge is as small beside light as beside
// dark. Both images have as many bits.
func resample(out, m image.Image, at crop.Affine, x0, x1, y int) {
	_, b, _ := pixels(m)
	n := uint32(x0)*ditherX + uint32(y)*ditherY
	for x := x0; x < x1; x++ {
		u, v := at.At(float64(x)+0.5, float64(y)+0.5)
		u, v = u-0.5, v-0.5
		i, j := int(math.Floor(u)), int(math.Floor(v))
		kx, ky := int((u-float64(i))*cubic+0.5), int((v-float64(j))*cubic+0.5)
		inside := i-1 >= b.Min.X && i+2 < b.Max.X && j-1 >= b.Min.Y && j+2 < b.Max.Y
		switch m := m.(type) {
		case *image.RGBA:
			o := out.(*image.RGBA)
			d := o.Pix[o.PixOffset(x, y):][:4:4]
			if inside {
				c := four8(m.Pix[(j-1-b.Min.Y)*m.Stride+(i-1-b.Min.X)*4:], m.Stride, &weights8[kx],
					&weights8[ky])
				for q, v := range c {
					d[q] = uint8(min(max((v+int64(n>>16))>>16, 0), 255))
				}
			} else {
				c, dither := rim(m, i, j, &weights[kx], &weights[ky], 255), float32(n>>16)/65536
				for q, v := range c {
					d[q] = uint8(min(max(v+dither, 0), 255))
				}
			}
			d[3] = 255
		case *image.RGBA64:
			var c [3]float32
			if inside {
				c = four16(m.Pix[(j-1-b.Min.Y)*m.Stride+(i-1-b.Min.X)*8:], m.Stride, &weights[kx],
					&weights[ky])
			} else {
				c = rim(m, i, j, &weights[kx], &weights[ky], 65535)
			}
			o := out.(*image.RGBA64)
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

// weights8 are the weights in 256ths, of which four are 256.
var weights8 = func() (w [cubic + 1][4]int64) {
	for i, k := range weights {
		rest := int64(256)
		for l, v := range k {
			w[i][l] = int64(math.Round(256 * float64(v)))
			rest -= w[i][l]
		}
		w[i][1+(2*i)/(cubic+1)] += rest // the larger of both in the middle
	}
	return
}()

// four8 returns the sum of four by four pixels of 8 bits, from p on, by their weights in 256ths.
// Red, green and blue are summed along a row in one number, 21 bits apart: none of the sums needs
// more, with its sign.
func four8(p []uint8, stride int, wx, wy *[4]int64) (c [3]int64) {
	apart := func(r []uint8) int64 {
		s := binary.LittleEndian.Uint32(r)
		return int64(uint64(s&0xff) | uint64(s&0xff00)<<13 | uint64(s&0xff0000)<<26)
	}
	for k := range 4 {
		r := p[k*stride:][:16:16]
		h := wx[0]*apart(r) + wx[1]*apart(r[4:]) + wx[2]*apart(r[8:]) + wx[3]*apart(r[12:])
		w := wy[k]
		red := h << 43 >> 43
		h = (h - red) >> 21
		green := h << 43 >> 43
		c[0] += w * red
		c[1] += w * green
		c[2] += w * ((h - green) >> 21)
	}
	return c
}

// four16 does the same of 16 bits.
func four16(p []uint8, stride int, wx, wy *[4]float32) (c [3]float32) {
	for k := range 4 {
		r := p[k*stride:][:32:32]
		s0, s1 := binary.BigEndian.Uint64(r), binary.BigEndian.Uint64(r[8:])
		s2, s3 := binary.BigEndian.Uint64(r[16:]), binary.BigEndian.Uint64(r[24:])
		w := wy[k]
		c[0] += w * (wx[0]*float32(int32(s0>>48)) + wx[1]*float32(int32(s1>>48)) +
			wx[2]*float32(int32(s2>>48)) + wx[3]*float32(int32(s3>>48)))
		c[1] += w * (wx[0]*float32(int32(s0>>32&0xffff)) + wx[1]*float32(int32(s1>>32&0xffff)) +
			wx[2]*float32(int32(s2>>32&0xffff)) + wx[3]*float32(int32(s3>>32&0xffff)))
		c[2] += w * (wx[0]*float32(int32(s0>>16&0xffff)) + wx[1]*float32(int32(s1>>16&0xffff)) +
			wx[2]*float32(int32(s2>>16&0xffff)) + wx[3]*float32(int32(s3>>16&0xffff)))
	}
	return c
}

// rim does the same where some of the pixels would lie beyond the image: its rim stands for them.
func rim(m image.Image, i, j int, wx, wy *[4]float32, most float32) (c [3]float32) {
	b := m.Bounds()
	for k := range 4 {
		for l := range 4 {
			r, g, bl, _ := m.At(min(max(i-1+l, b.Min.X), b.Max.X-1), min(max(j-1+k, b.Min.Y),
				b.Max.Y-1)).RGBA()
			w := wx[l] * wy[k] * most / 65535
			c[0], c[1], c[2] = c[0]+w*float32(r), c[1]+w*float32(g), c[2]+w*float32(bl)
		}
	}
	return c
}
