// Package photo holds a decoded photo as the engine reads it.
package photo

import "pyrant/internal/base/colour"

// Photo is a decoded picture, upright, three interleaved samples a pixel as
// the file encodes them: Pix8 for files of 8 bits a sample, Pix16 for 16.
type Photo struct {
	Width, Height int
	Pix8          []uint8
	Pix16         []uint16
	Profile       *colour.Profile
	ICC           []byte // the embedded profile as it was; nil where none was or it is not honoured
	EXIF          []byte // fit for an export; nil where there was none
	Format        string // jpeg, png, tiff or webp
	Notes         []string
}

// Deep tells whether the samples have 16 bits.
func (p *Photo) Deep() bool { return p.Pix16 != nil }

// Bytes returns the memory that the samples take.
func (p *Photo) Bytes() int64 { return int64(len(p.Pix8)) + 2*int64(len(p.Pix16)) }

// Linear writes the working values of the pixels (x0, y) to (x0+n-1, y) to dst,
// 3·n samples.
func (p *Photo) Linear(dst []float32, x0, y, n int) {
	i := 3 * (y*p.Width + x0)
	if p.Deep() {
		p.Profile.Linear16(dst, p.Pix16[i:i+3*n])
	} else {
		p.Profile.Linear8(dst, p.Pix8[i:i+3*n])
	}
}
