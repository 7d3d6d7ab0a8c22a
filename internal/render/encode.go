package render

import (
	"image"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
)

// encoder encodes finished rows.
type encoder struct {
	photo   *photo.Photo
	profile *colour.Profile
	copies  bool        // untouched pixels may leave in the photo's own codes
	out     image.Image // *image.RGBA or *image.RGBA64
}

// newEncoder returns an encoder of a picture of a plan, with an image for its view.
func newEncoder(p *plan, deep bool) *encoder {
	ph := p.picture.Photo.Value()
	return &encoder{ph, p.profile, p.isWhole() && p.profile == ph.Profile && !p.layer.black,
		newImage(deep, p.view)}
}

// The dither is a two-dimensional additive recurrence with the ratios of the
// plastic number (Roberts 2018): it fills the steps evenly, is the same for a
// pixel in every viewport, and needs no table. All channels of a pixel go the
// same way, so that the noise is one of brightness and not of colour.
const (
	ditherX = 3242174889 // 2^32 / 1.32471795724…
	ditherY = 2447445414 // 2^32 / 1.32471795724…²
)

// put encodes a finished row. Pixels that an effect changed are dithered by
// one step of 8 bits; others leave in the codes that they came in, where the
// result is for the photo's own profile and size.
func (p *encoder) put(s *scratch, x0, x1, y int) {
	w := x1 - x0
	ph := p.photo
	from := 3 * (y*ph.Width + x0) // of the photo's own codes
	switch m := p.out.(type) {
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
