package codec

import (
	"fmt"
	"math"
	"strings"
	"unicode"
)

// More tags of an EXIF block that tell how a photo was taken.
const (
	tagMaker    = 0x010f
	tagModel    = 0x0110
	tagTime     = 0x829a
	tagNumber   = 0x829d
	tagISO      = 0x8827
	tagOriginal = 0x9003
	tagLens     = 0xa434
)

// Fact is something that is known of a photo.
type Fact struct{ Name, Text string }

// Camera returns what an EXIF block tells of the camera and how the photo was taken, as a
// photographer would say it.
func Camera(exif []byte) (out []Fact) {
	list, _ := description(exif)
	all := list
	for _, f := range list {
		if f.tag == tagExif {
			all = append(all[:len(all):len(all)], f.sub...)
		}
	}
	find := func(tag uint16) *field {
		for i := range all {
			if all[i].tag == tag {
				return &all[i]
			}
		}
		return &field{}
	}
	add := func(name, text string) {
		if text != "" {
			out = append(out, Fact{name, text})
		}
	}
	maker, model := find(tagMaker).text(), find(tagModel).text()
	if !strings.HasPrefix(strings.ToLower(model), strings.ToLower(maker)) {
		model = strings.TrimSpace(maker + " " + model)
	}
	add("Camera", model)
	add("Lens", find(tagLens).text())
	var taken []string
	if v := find(tagFocal).number(); v > 0 {
		taken = append(taken, fmt.Sprintf("%.4g mm", v))
	}
	if v := find(tagNumber).number(); v > 0 {
		taken = append(taken, fmt.Sprintf("f/%.3g", v))
	}
	switch v := find(tagTime).number(); {
	case v > 0 && v < 0.3:
		taken = append(taken, fmt.Sprintf("1/%.0f s", 1/v))
	case v > 0 && !math.IsInf(v, 0):
		taken = append(taken, fmt.Sprintf("%.3g s", v))
	}
	if v := find(tagISO).number(); v > 0 {
		taken = append(taken, fmt.Sprintf("ISO %.0f", v))
	}
	add("Taken", strings.Join(taken, ", "))
	// 2026:05:01 18:30:00
	if when := find(tagOriginal).text(); len(when) >= 16 && when[4] == ':' && when[7] == ':' {
		add("When", when[:4]+"-"+when[5:7]+"-"+when[8:16])
	}
	return out
}

// text returns a field's characters, at most 80, without what cannot be shown.
func (f *field) text() string {
	if f.kind != 2 {
		return ""
	}
	s := strings.Map(func(r rune) rune {
		if !unicode.IsPrint(r) {
			return -1
		}
		return r
	}, strings.ToValidUTF8(string(f.data), ""))
	if r := []rune(s); len(r) > 80 {
		s = string(r[:80])
	}
	return strings.TrimSpace(s)
}
