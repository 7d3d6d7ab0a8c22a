package colour

import (
	"math/rand/v2"
	"testing"

	"pyrant/internal/base/samebits"
)

func TestSameBits(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	x := samebits.Numbers(r, 4003, 17)
	ExpNegRow(x)
	samebits.Check(t, "ExpNegRow", x, "1976f4335240")
	p, light := samebits.Numbers(r, 4003, 1.1), samebits.Numbers(r, 4003, 3)
	SoftAddRow(p, light)
	samebits.Check(t, "SoftAddRow", p, "2c796179c118")
	codes := make([]uint8, 4*1003)
	encodeRow(codes, samebits.Numbers(r, 3*1003, 1.05), 12345, 2654435769)
	v := make([]float32, len(codes))
	for i, c := range codes {
		v[i] = float32(c)
	}
	samebits.Check(t, "encodeRow", v, "a7651c1fb622")
}
