package render

import (
	"context"
	"image"
)

// outputStage encodes the finished rows.
type outputStage struct {
	copies bool // untouched pixels may leave in the photo's own codes
}

func (o *outputStage) prepare(_ context.Context, p *plan) (bool, error) {
	o.copies = p.isWhole() && p.profile == p.q.Photo.Profile && !p.layer.black
	return true, nil
}

func (o *outputStage) collect(_ context.Context, p *plan, _ image.Rectangle) (rower, error) {
	return outputRows{p, o.copies}, nil
}

type outputRows struct {
	*plan
	copies bool
}

// The dither is a two-dimensional additive recurrence with the ratios of the
// plastic number (Roberts 2018): it fills the steps evenly, is the same for a
// pixel in every viewport, and needs no table. All channels of a pixel go the
// same way, so that the noise is one of brightness and not of colour.
const (
	ditherX = 3242174889 // 2^32 / 1.32471795724…
	ditherY = 2447445414 // 2^32 / 1.32471795724…²
)

// row encodes a finished row. Pixels that an effect changed are dithered by
// one step of 8 bits; others leave in the codes that they came in, where the
// result is for the photo's own profile and size.
func (p outputRows) row(s *scratch, x0, x1, y int) {
	w := x1 - x0
	ph := p.q.Photo
	from := 3 * (y*ph.Width + x0) // of the photo's own codes
	switch m := s.out.(type) {
	case parts:
		m.put(s, x0, x1, y)
	case *image.RGBA:
		o := m.Pix[m.PixOffset(x0, y):]
		o = o[: 4*w : 4*w]
		p.profile.Encode8(o, s.pix, uint32(x0)*ditherX+uint32(y)*ditherY, ditherX)
		if s.all {
			return
		}
		for i, hit := range s.hit[:w] {
			switch d := o[4*i : 4*i+3]; {
			case hit:
			case p.copies && !ph.Deep():
				copy(d, ph.Pix8[from+3*i:])
			default:
				p.profile.Encode8(o[4*i:4*i+4], s.pix[3*i:3*i+3], 1<<31, 0)
			}
		}
	case *image.RGBA64:
		o := m.Pix[m.PixOffset(x0, y):]
		if s.codes == nil {
			s.codes = make([]uint16, 3*w)
		}
		p.profile.Encode16(s.codes, s.pix)
		for i, hit := range s.hit[:w] {
			d := o[8*i : 8*i+8 : 8*i+8]
			d[6], d[7] = 255, 255
			for k, c := range s.codes[3*i : 3*i+3] {
				switch {
				case hit || !p.copies:
				case ph.Deep():
					c = ph.Pix16[from+3*i+k]
				default:
					c = uint16(ph.Pix8[from+3*i+k]) * 257
				}
				d[2*k], d[2*k+1] = uint8(c>>8), uint8(c)
			}
		}
	}
}
