package colour

import "math"

// Curve maps linear light in [0, 1] to encoded values in [0, 1] by a table
// with linear interpolation. The table's nodes are spaced by the exponent and
// the upper seven bits of the mantissa of the argument, so that each octave has
// 128 of them: as fine near black, where encodings are steep, as near white.
type Curve struct {
	tab [curveOctaves * curveSteps]segment
	low float32 // slope below the table
}

// segment is a straight piece of a curve, at + slope·x.
type segment struct{ at, slope float32 }

// between returns the segment through (x0, y0) and (x1, y1).
func between(x0, y0, x1, y1 float64) segment {
	m := (y1 - y0) / (x1 - x0)
	return segment{float32(y0 - m*x0), float32(m)}
}

const (
	// the table starts at 2^-64: no code of 16 bits lies below, whatever its curve
	curveOctaves = 64
	curveSteps   = 128
	curveBase    = (127 - curveOctaves) * curveSteps
	curveLow     = curveBase << 16 // bits of 2^-64
	curveOne     = 127 << 23       // bits of 1
)

// NewCurve tabulates encode, an increasing function with encode(0) = 0 and
// encode(1) = 1.
func NewCurve(encode func(float64) float64) *Curve {
	c := new(Curve)
	x0 := math.Exp2(-curveOctaves)
	y0 := encode(x0)
	c.low = float32(y0 / x0)
	for i := range c.tab {
		x1 := float64(math.Float32frombits(uint32(i+1+curveBase) << 16))
		y1 := encode(x1)
		c.tab[i] = between(x0, y0, x1, y1)
		x0, y0 = x1, y1
	}
	return c
}

// At returns the encoded value of x; arguments outside [0, 1] are clipped.
func (c *Curve) At(x float32) float32 {
	// One comparison of the bits finds all arguments that the table covers:
	// negative ones have the highest bit set.
	b := math.Float32bits(x)
	if b-curveLow >= curveOne-curveLow {
		return c.outside(x)
	}
	s := &c.tab[(b>>16-curveBase)&(curveOctaves*curveSteps-1)]
	return s.at + s.slope*x
}

func (c *Curve) outside(x float32) float32 {
	switch {
	case x >= 1:
		return 1
	case x > 0:
		return x * c.low
	}
	return 0 // and what is no number
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
