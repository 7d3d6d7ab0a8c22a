package codec

import (
	"encoding/binary"
	"slices"
	"strings"
	"testing"
)

// What a block tells is said as a photographer would; what it does not tell, or cannot be shown, is
// left out.
func TestCamera(t *testing.T) {
	le := binary.LittleEndian
	text := func(tag uint16, s string) field {
		return field{tag: tag, kind: 2, count: uint32(len(s) + 1), data: append([]byte(s), 0)}
	}
	share := func(tag uint16, a, b int) field {
		return field{tag: tag, kind: 5, count: 1, data: le.AppendUint32(le.AppendUint32(nil,
			uint32(a)), uint32(b))}
	}
	block := func(first []field, sub ...field) []byte {
		return appendIFD([]byte("II*\x00\x08\x00\x00\x00"), 0,
			append(first, field{tag: tagExif, kind: 4, count: 1, sub: sub}))
	}
	iso := field{tag: tagISO, kind: 3, count: 1, data: le.AppendUint16(nil, 400)}
	for _, tt := range []struct {
		name string
		exif []byte
		want []Fact
	}{
		{"all", block([]field{text(tagMaker, "Quay"), text(tagModel, "Quay Two ")},
			share(tagTime, 1, 60), share(tagNumber, 28, 10), iso,
			text(tagOriginal, "2026:05:01 18:30:12"), share(tagFocal, 350, 10), text(tagLens, "35 mm")),
			[]Fact{{"Camera", "Quay Two"}, {"Lens", "35 mm"}, {"Taken", "35 mm, f/2.8, 1/60 s, ISO 400"}, {"When", "2026-05-01 18:30"}}},
		{"a long exposure", block([]field{text(tagMaker, "Quay"), text(tagModel, "Two")},
			share(tagTime, 5, 2)), []Fact{{"Camera", "Quay Two"}, {"Taken", "2.5 s"}}},
		{"nothing to be shown", block([]field{text(tagModel, "\x01\x02")},
			text(tagOriginal, "soon"), share(tagTime, 1, 0), share(tagNumber, 0, 5)), nil},
		{"no block", nil, nil},
		{"too long", block([]field{text(tagModel, strings.Repeat("k", 300))}),
			[]Fact{{"Camera", strings.Repeat("k", 80)}}},
	} {
		if got := Camera(tt.exif); !slices.Equal(got, tt.want) {
			t.Errorf("%s: %q", tt.name, got)
		}
	}
}
