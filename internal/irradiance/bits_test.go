package irradiance

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"math"
	"math/rand/v2"
	"testing"
)

// sameBits holds numbers against the hash of those that every processor makes of the same input: with assembly or without
// it, and where products and sums can be fused.
func sameBits(t *testing.T, of string, v []float32, want string) {
	t.Helper()
	var b []byte
	for _, x := range v {
		b = binary.LittleEndian.AppendUint32(b, math.Float32bits(x))
	}
	sum := sha256.Sum256(b)
	if got := hex.EncodeToString(sum[:6]); got != want {
		t.Errorf("%s: the bits are %s, want %s", of, got, want)
	}
}

// numbers are n numbers from 0 to most, each a whole share of 2^24.
func numbers(r *rand.Rand, n int, most float32) []float32 {
	out := make([]float32, n)
	for i := range out {
		out[i] = float32(r.Float32() * most)
	}
	return out
}

func TestSameBits(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	signed := func(n int) []float32 {
		v := numbers(r, n, 2)
		for i := range v {
			v[i] -= 1
		}
		return v
	}
	const n = 1003
	dst, v, normals := make([]float32, n), signed(4*n), signed(3*n)
	OnRow(dst, v, normals)
	sameBits(t, "OnRow", dst, "4dfb0df246cc")
	colours := make([]float32, 3*n)
	OnColours(colours, signed(Mixed*n), normals)
	sameBits(t, "OnColours", colours, "06b360f26b38")
	Add(colours, numbers(r, n, 1), dst, numbers(r, 3*n, 1), 0.7)
	sameBits(t, "Add", colours, "bd76a53daecc")
	Divide(dst, numbers(r, n, 1), numbers(r, n, 1), 0.05)
	sameBits(t, "Divide", dst, "4237b96ebd06")
	var a [3]along
	for i := range a {
		copy(a[i].from[:], numbers(r, cells, 1))
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
	sameBits(t, "readEach", read, "f202b783ba3f")
}
