package colour

import "math"

// Curve maps linear light in [0, 1] to encoded values in [0, 1] by a table
// with linear interpolation. The table's nodes are spaced by the exponent and
// the upper seven bits of the mantissa of the argument, so that each octave has
// 128 of them: as fine near black, where encodings are steep, as near white.
type Curve struct {
	tab [curveOctaves*curveSteps + 1]float32
}

const (
	curveOctaves = 16 // the table starts at 2^-16; below, the curve is a straight line
	curveSteps   = 128
	curveBase    = (127 - curveOctaves) * curveSteps
)

// NewCurve tabulates encode, an increasing function with encode(0) = 0 and
// encode(1) = 1.
func NewCurve(encode func(float64) float64) *Curve {
	c := new(Curve)
	for i := range c.tab {
		x := math.Float32frombits(uint32(i+curveBase) << 16)
		c.tab[i] = float32(encode(float64(x)))
	}
	return c
}

// At returns the encoded value of x; arguments outside [0, 1] are clipped.
func (c *Curve) At(x float32) float32 {
	if !(x > 0) {
		return 0
	}
	if x >= 1 {
		return c.tab[len(c.tab)-1]
	}
	b := math.Float32bits(x)
	i := int(b>>16) - curveBase
	if i < 0 {
		return x * (1 << curveOctaves) * c.tab[0]
	}
	f := float32(b&0xffff) * (1.0 / 65536)
	return c.tab[i] + (c.tab[i+1]-c.tab[i])*f
}

// SRGBToLinear decodes a display value in [0, 1] by the transfer function of
// IEC 61966-2-1.
func SRGBToLinear(v float64) float64 {
	if v <= 0.04045 {
		return v / 12.92
	}
	return math.Pow((v+0.055)/1.055, 2.4)
}

// LinearToSRGB encodes linear light in [0, 1] by the transfer function of
// IEC 61966-2-1.
func LinearToSRGB(v float64) float64 {
	if v <= 0.0031308 {
		return v * 12.92
	}
	return 1.055*math.Pow(v, 1/2.4) - 0.055
}

// Display encodes linear light for a display with the transfer function of
// sRGB, by table.
var Display = NewCurve(LinearToSRGB)

// undisplay holds SRGBToLinear at steps of 1/4096.
var undisplay = func() (t [4098]float32) {
	for i := range t {
		t[i] = float32(SRGBToLinear(float64(i) / 4096))
	}
	return
}()

// Undisplay returns the linear light of a display value, clipped to [0, 1], by
// table; it undoes Display to within 1e-5.
func Undisplay(v float32) float32 {
	if !(v > 0) {
		return 0
	}
	if v >= 1 {
		return 1
	}
	f := v * 4096
	i := int(f)
	return undisplay[i] + (undisplay[i+1]-undisplay[i])*(f-float32(i))
}

// expTab holds e^(-k/32) for k from 0 to 32·16.
var expTab = func() (t [32*16 + 2]float32) {
	for i := range t {
		t[i] = float32(math.Exp(-float64(i) / 32))
	}
	return
}()

// ExpNeg returns e^(-x) for x >= 0 with a relative error below 1e-6: a table
// over steps of 1/32 and three terms of the series between them. Above 16 it
// is 0. It is a third of the cost of math.Exp, and the same on every machine.
func ExpNeg(x float32) float32 {
	if x >= 16 {
		return 0
	}
	k := int(x * 32)
	f := x - float32(k)*(1.0/32)
	return expTab[k] * (1 - f*(1-f*(0.5-f*(1.0/6))))
}

// SoftAdd joins light x >= 0 to p: out = p + (1-p)·(1-exp(-x/(1-p))) for
// p < 1, and p from 1 up. It leaves p alone at x = 0, has slope 1 there, never
// passes 1, and so lets a strong colour whiten as film does.
func SoftAdd(p, x float32) float32 {
	if p >= 1 || x <= 0 {
		return p
	}
	t := 1 - p
	return 1 - t*ExpNeg(x/t)
}
