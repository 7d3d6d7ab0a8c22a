package simd

import "math"

const (
	expTop = 16      // above, e^-x is taken for 0
	magic  = 3 << 22 // added and taken away again, it rounds to whole numbers
	log2e  = math.Log2E
)

// ExpNeg returns e^(-x) for x >= 0, with an error of at most 1e-6 of its value up to 15. It ends at
// 0 from 16 up. It is 2^-n·2^-f with n whole and f from -1/2 to 1/2, where 2^-f is a polynomial
// through its values at Chebyshev nodes (2e-9), and costs a quarter of math.Exp.
func ExpNeg(x float32) float32 {
	if !(x < expTop) {
		return 0
	}
	z := float32(x * log2e)
	n := float32(z+magic) - magic
	f := z - n
	e := float32(f*0.00015461444698922696) - 0.0013400428177681087
	e = float32(e*f) + 0.009618056678527508
	e = float32(e*f) - 0.05550327226670095
	e = float32(e*f) + 0.24022650922288688
	e = float32(e*f) - 0.6931472067028328
	e = float32(e*f) + 1
	return e * math.Float32frombits(uint32(127-int32(n))<<23)
}

// ExpNegRow puts e^(-x) in the place of each x, as ExpNeg gives it.
func ExpNegRow(x []float32) {
	if n := len(x) &^ 7; eight && n > 0 {
		expNeg8(&x[0], n)
		x = x[n:]
	}
	for i, v := range x {
		x[i] = ExpNeg(v)
	}
}

// SoftAdd joins light x >= 0 to p: out = p + (1-p)·(1-exp(-x/(1-p))) for
// p < 1, and p from 1 up. It leaves p alone at x = 0, has slope 1 there, never
// passes 1, and so lets a strong colour whiten as film does.
func SoftAdd(p, x float32) float32 {
	if !(p < 1) || !(x > 0) {
		return p
	}
	t := 1 - p
	return 1 - float32(t*ExpNeg(x/t))
}

// SoftAddRow joins the light in x to the samples in p, each as SoftAdd does.
func SoftAddRow(p, x []float32) {
	x = x[:len(p):len(p)]
	if n := len(p) &^ 7; eight && n > 0 {
		softAdd8(&p[0], &x[0], n)
		p, x = p[n:], x[n:]
	}
	for i, v := range x {
		p[i] = SoftAdd(p[i], v)
	}
}

// EncodeSRGB returns the sRGB value of linear light, clipped to [0, 1], within 3e-6: a polynomial
// of its fourth root through Chebyshev-Lobatto nodes, so that it meets the straight piece and 1.
func EncodeSRGB(x float32) float32 {
	switch {
	case !(x > 0):
		return 0
	case x >= 1:
		return 1
	case x <= 0.0031308:
		return x * 12.92
	}
	s := float32(math.Sqrt(float64(x)))
	s = float32(math.Sqrt(float64(s)))
	v := float32(s*0.06487332825845106) - 0.30865865880585774
	v = float32(v*s) + 0.6469883145537192
	v = float32(v*s) - 0.8487974568427767
	v = float32(v*s) + 1.3657915807845034
	v = float32(v*s) + 0.1392982713636226
	v = float32(v*s) - 0.05949537931166164
	return min(v, 1)
}

// EncodeRow encodes pixels of three samples as sRGB, to red, green, blue and 255 each. The codes
// are dithered: the upper half of seed, which grows by step at each pixel, is added before they are
// cut off.
func EncodeRow(dst []uint8, src []float32, seed, step uint32) {
	n := seed
	if g := (len(src)/3 - 1) / 8; eight && g > 0 {
		_, _ = dst[32*g-1], src[24*g]
		encode8x8(&dst[0], &src[0], g, seed, step)
		dst, src = dst[32*g:], src[24*g:]
		n += step * uint32(8*g)
	}
	for i, j := 0, 0; i+2 < len(src); i, j = i+3, j+4 {
		s, d := src[i:i+3:i+3], dst[j:j+4:j+4]
		k := n >> 16
		d[0] = uint8((uint32(EncodeSRGB(s[0])*(255*65536)) + k) >> 16)
		d[1] = uint8((uint32(EncodeSRGB(s[1])*(255*65536)) + k) >> 16)
		d[2] = uint8((uint32(EncodeSRGB(s[2])*(255*65536)) + k) >> 16)
		d[3] = 255
		n += step
	}
}
