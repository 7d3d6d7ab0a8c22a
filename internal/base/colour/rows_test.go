package colour

import (
	"math"
	"math/rand/v2"
	"pyrant/internal/base/simd"
	"testing"
)

// awkward returns samples of all sizes, with those at which something begins or ends.
func awkward(n int, seed uint64) []float32 {
	r := rand.New(rand.NewPCG(seed, 1))
	special := []float32{0, 1, -1, 0.5, 1 - 1.0/(1<<24), 1 + 1.0/(1<<23), 16, 15.9999, 1e-30,
		float32(math.Exp2(-64)), float32(math.Exp2(-65)), 1e9,
		float32(math.Inf(1)), float32(math.Inf(-1)), float32(math.Copysign(0, -1)), 4095.0 / 256}
	out := make([]float32, n)
	for i := range out {
		switch r.IntN(4) {
		case 0:
			out[i] = special[r.IntN(len(special))]
		case 1:
			out[i] = float32(math.Exp2(40*r.Float64() - 36))
		default:
			out[i] = r.Float32()
		}
	}
	return out
}

// A row must have the same bits however many samples are joined at a time.
func TestRowsAreTheirSamples(t *testing.T) {
	for n := range 70 {
		p, x := awkward(n, uint64(n)), awkward(n, uint64(n)+1000)
		e := append([]float32{}, x...)
		for i, v := range e {
			e[i] = max(v, 0)
		}
		all := append([]float32{}, e...)
		ExpNegRow(all)
		for i, v := range e {
			if want := ExpNeg(v); math.Float32bits(all[i]) != math.Float32bits(want) {
				t.Fatalf("e^-%v is %v in a row, %v alone", v, all[i], want)
			}
		}
		row := append([]float32{}, p...)
		SoftAddRow(row, x)
		for i, got := range row {
			one := []float32{p[i]}
			SoftAddRow(one, x[i:i+1])
			if math.Float32bits(one[0]) != math.Float32bits(got) {
				t.Fatalf("sample %d of %d, %v on %v: %v in a row, %v alone", i, n, x[i], p[i], got, one[0])
			}
		}
	}
	nan := []float32{0, 0, 0, 0, 0, 0, 0, 0, 0}
	SoftAddRow(nan, []float32{1, 2, float32(math.NaN()), 0, 1, 1, 1, 1, 1})
	if nan[1] != SoftAdd(0, 2) || nan[3] != 0 {
		t.Errorf("a sample that is no number changed its neighbours: %v", nan)
	}
}

// Codes must be the same however many pixels are encoded at a time, for one curve and for three.
func TestCodesOfRowsAreThoseOfPixels(t *testing.T) {
	gamma := func(g float64) func(float64) float64 {
		return func(v float64) float64 {
			return math.Pow(v, g)
		}
	}
	three := newProfile("three curves", [3]func(float64) float64{gamma(1.8), gamma(2.2),
		SRGBToLinear}, rec709ToXYZ50)
	if three.srgb || !SRGB.srgb {
		t.Fatal("the profiles are not what this test is about")
	}
	for _, p := range []*Profile{SRGB, three} {
		for n := 1; n < 60; n++ {
			src := awkward(3*n, uint64(n))
			if n%7 == 0 {
				src[n] = float32(math.NaN())
			}
			row := make([]uint8, 4*n)
			const seed, step = 0x9abcdef1, 3242174889
			p.Encode8(row, src, seed, step)
			one := make([]uint8, 4)
			for i := range n {
				p.Encode8(one, src[3*i:3*i+3], seed+step*uint32(i), 0)
				if [4]uint8(one) != [4]uint8(row[4*i:]) {
					t.Fatalf("%s: pixel %d of %d, %v: %v in a row, %v alone", p.Name, i, n, src[3*i:3*i+3], row[4*i:4*i+4], one)
				}
			}
		}
	}
}

func TestEncodeSRGB(t *testing.T) {
	last := float32(0)
	for x := 1e-9; x < 1.001; x *= 1.0007 {
		got, want := simd.EncodeSRGB(float32(x)), LinearToSRGB(min(x, 1))
		if math.Abs(float64(got)-want) > 3.2e-6 || got < last-2e-7 || got > 1 {
			t.Fatalf("at %g: %v after %v, want %v", x, got, last, want)
		}
		last = got
	}
}

func BenchmarkSoftAddRow(b *testing.B) {
	p, x := make([]float32, 3*940), make([]float32, 3*940)
	for i := range p {
		p[i], x[i] = float32(i%97)/100, float32(i%31)/20
	}
	for b.Loop() {
		SoftAddRow(p, x)
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N*len(p)), "ns/sample")
}

func BenchmarkEncode8(b *testing.B) {
	p, out := make([]float32, 3*940), make([]uint8, 4*940)
	for i := range p {
		p[i] = float32(i%97) / 100
	}
	for b.Loop() {
		SRGB.Encode8(out, p, 1, 3242174889)
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N*len(p)), "ns/sample")
}
