package codec

import (
	"encoding/binary"
	"math"
	"testing"
)

func TestView(t *testing.T) {
	le := binary.LittleEndian
	short := func(tag uint16, v int) field {
		return field{tag: tag, kind: 3, count: 1, data: le.AppendUint16(nil, uint16(v))}
	}
	long := func(tag uint16, v int) field {
		return field{tag: tag, kind: 4, count: 1, data: le.AppendUint32(nil, uint32(v))}
	}
	share := func(tag uint16, a, b int) field {
		return field{tag: tag, kind: 5, count: 1, data: le.AppendUint32(le.AppendUint32(nil,
			uint32(a)), uint32(b))}
	}
	block := func(sub ...field) []byte {
		return appendIFD([]byte("II*\x00\x08\x00\x00\x00"), 0, []field{{tag: tagExif, kind: 4, count: 1, sub: sub}})
	}
	for _, tt := range []struct {
		name string
		exif []byte
		w, h int
		want float64
	}{
		{"50 mm on film", block(short(tagFocal35, 50)), 3000, 2000, 39.6},
		{"24 mm upright", block(short(tagFocal35, 24)), 2000, 3000, 53.1},
		{"28 mm, of a sensor of 4:3", block(short(tagFocal35, 28)), 4000, 3000, 63.4},
		// 6000 × 4000 pixels on 36 × 24 mm are 4233.3 to an inch.
		{"35 mm by the sensor", block(share(tagFocal, 350, 10), long(tagWide, 6000),
			long(tagHigh, 4000), share(tagPlaneX, 42333, 10), short(tagPlaneUnit, 2)), 3000, 2000,
			54.4},
		{"the same in centimetres", block(share(tagFocal, 35, 1), long(tagWide, 6000),
			long(tagHigh, 4000), share(tagPlaneX, 5000, 3), short(tagPlaneUnit, 3)), 3000, 2000,
			54.4},
		{"no lens", block(short(0xa001, 1)), 3000, 2000, 0},
		{"a focal length of nothing", block(short(tagFocal35, 0)), 3000, 2000, 0},
		{"a sensor without a size", block(share(tagFocal, 35, 1)), 3000, 2000, 0},
		{"divided by nothing", block(share(tagFocal, 35, 0), share(tagPlaneX, 1, 0)), 3000, 2000, 0},
		{"a lens that sees behind itself", block(short(tagFocal35, 1)), 3000, 2000, 0},
		{"no block", nil, 3000, 2000, 0},
		{"no photo", block(short(tagFocal35, 50)), 0, 0, 0},
	} {
		got, ok := View(tt.exif, tt.w, tt.h)
		if ok != (tt.want > 0) || ok && math.Abs(got-tt.want) > 0.06 {
			t.Errorf("%s: %.2f, %v; want %.1f", tt.name, got, ok, tt.want)
		}
	}
}
