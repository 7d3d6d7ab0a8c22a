package simd

import (
	"math/rand/v2"
	"testing"

	"pyrant/internal/base/samebits"
)

func TestSameBits(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	a := samebits.Numbers(r, 1003, 2)
	Add(a, samebits.Numbers(r, 1003, 2))
	Mul(a, samebits.Numbers(r, 1003, 2))
	Cap(a, 3)
	samebits.Check(t, "Add, Mul, Cap", a, "4a61cb2a403c")
	c := samebits.Numbers(r, 3*1003, 2)
	AddColour(c, samebits.Numbers(r, 1003, 3), [3]float32{0.3, 1.7, 4.1})
	samebits.Check(t, "AddColour", c, "f3f3c2b08703")
	AddColours(c, samebits.Numbers(r, 3*1003, 3), [3]float32{0.3, 1.7, 4.1})
	samebits.Check(t, "AddColours", c, "0c3710b1e8ec")
}

func TestSameBitsOfExposure(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	x := samebits.Numbers(r, 4003, 17)
	ExpNegRow(x)
	samebits.Check(t, "ExpNegRow", x, "1976f4335240")
	p, light := samebits.Numbers(r, 4003, 1.1), samebits.Numbers(r, 4003, 3)
	SoftAddRow(p, light)
	samebits.Check(t, "SoftAddRow", p, "2c796179c118")
	codes := make([]uint8, 4*1003)
	EncodeRow(codes, samebits.Numbers(r, 3*1003, 1.05), 12345, 2654435769)
	v := make([]float32, len(codes))
	for i, c := range codes {
		v[i] = float32(c)
	}
	samebits.Check(t, "encodeRow", v, "a7651c1fb622")
}
