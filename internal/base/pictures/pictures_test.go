package pictures

import (
	"bytes"
	"image/jpeg"
	"testing"
)

// All that is listed is there, of one size, and none is even: what is laid over a photo is to be
// seen.
func TestAll(t *testing.T) {
	for _, p := range All {
		m, err := jpeg.Decode(bytes.NewReader(Data(p.ID)))
		if err != nil {
			t.Fatalf("%s: %v", p.ID, err)
		}
		if b := m.Bounds(); b.Dx() != 1800 || b.Dy() != 1200 {
			t.Errorf("%s has %v", p.ID, b)
		}
		seen := map[uint32]bool{}
		for y := 0; y < 1200; y += 40 {
			for x := 0; x < 1800; x += 40 {
				r, _, _, _ := m.At(x, y).RGBA()
				seen[r>>8] = true
			}
		}
		if len(seen) < 6 {
			t.Errorf("%s has %d values", p.ID, len(seen))
		}
	}
	if Data("none") != nil {
		t.Error("there is a picture of no name")
	}
}
