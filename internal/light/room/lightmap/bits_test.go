package lightmap

import (
	"math/rand/v2"
	"testing"

	"pyrant/internal/base/samebits"
)

func TestSameBits(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	signed := func(n int) []float32 {
		v := samebits.Numbers(r, n, 2)
		for i := range v {
			v[i] -= 1
		}
		return v
	}
	const n = 1003
	dst, v, normals := make([]float32, n), signed(4*n), signed(3*n)
	OnRow(dst, v, normals)
	samebits.Check(t, "OnRow", dst, "4dfb0df246cc")
	colours := make([]float32, 3*n)
	OnColours(colours, signed(Mixed*n), normals)
	samebits.Check(t, "OnColours", colours, "06b360f26b38")
	Add(colours, samebits.Numbers(r, n, 1), dst, samebits.Numbers(r, 3*n, 1), 0.7)
	samebits.Check(t, "Add", colours, "bd76a53daecc")
	Divide(dst, samebits.Numbers(r, n, 1), samebits.Numbers(r, n, 1), 0.05)
	samebits.Check(t, "Divide", dst, "4237b96ebd06")
	var a [3]along
	for i := range a {
		copy(a[i].from[:], samebits.Numbers(r, cells, 1))
		copy(a[i].more[:], signed(cells))
	}
	at := scan{100.5, 0.03125, 3, 5, 4}
	read := make([]float32, 3*40)
	if wide {
		read8(&read[0], 37, 3, 40, &at, &a[0])
	} else {
		for c := range a {
			readEach(read[40*c:40*c+37], &at, &a[c])
		}
	}
	samebits.Check(t, "readEach", read, "f202b783ba3f")
}
