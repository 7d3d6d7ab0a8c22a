package codec

import (
	"encoding/binary"
	"math"
)

// Tags of an EXIF directory (CIPA DC-008) that tell of the lens.
const (
	tagFocal     = 0x920a
	tagWide      = 0xa002
	tagHigh      = 0xa003
	tagPlaneX    = 0xa20e
	tagPlaneUnit = 0xa210
	tagFocal35   = 0xa405
)

// diagonal35 is the diagonal of a frame of 36 × 24 mm, to which a focal length for such film
// refers.
const diagonal35 = 43.2666

// View returns the field of view across a photo of w × h pixels in degrees, by the focal length in
// its EXIF block and the size of the sensor, of which it is taken to be all; false where that is
// not told, or cannot be.
func View(exif []byte, w, h int) (deg float64, ok bool) {
	list, _ := description(exif)
	for _, f := range list {
		if f.tag != tagExif {
			continue
		}
		number := func(tag uint16) float64 {
			for _, f := range f.sub {
				if f.tag == tag {
					return f.number()
				}
			}
			return 0
		}
		focal, diagonal := number(tagFocal35), diagonal35
		if focal <= 0 {
			unit := map[float64]float64{2: 25.4, 3: 10, 4: 1}[number(tagPlaneUnit)] // mm
			focal = number(tagFocal)
			diagonal = math.Hypot(number(tagWide), number(tagHigh)) / number(tagPlaneX) * unit
		}
		if !(focal > 0 && diagonal > 0) || math.IsInf(diagonal, 0) || w <= 0 || h <= 0 {
			return 0, false
		}
		across := diagonal * float64(w) / math.Hypot(float64(w), float64(h))
		deg = 2 * math.Atan(across/2/focal) * 180 / math.Pi
		return deg, deg > 1 && deg < 140
	}
	return 0, false
}

// number returns the first value of a field as a number, 0 for one that has none.
func (f *field) number() float64 {
	le := binary.LittleEndian
	switch {
	case f.kind == 3 && len(f.data) >= 2:
		return float64(le.Uint16(f.data))
	case f.kind == 4 && len(f.data) >= 4:
		return float64(le.Uint32(f.data))
	case f.kind == 5 && len(f.data) >= 8 && le.Uint32(f.data[4:]) > 0:
		return float64(le.Uint32(f.data)) / float64(le.Uint32(f.data[4:]))
	}
	return 0
}
