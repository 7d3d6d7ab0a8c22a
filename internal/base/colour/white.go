package colour

import "math"

// rec709ToXYZ holds the primaries of Rec. 709 with white point D65, by column.
var rec709ToXYZ = [9]float64{
	0.4123908, 0.3575843, 0.1804808,
	0.2126390, 0.7151687, 0.0721923,
	0.0193308, 0.1191948, 0.9505322,
}

// bradford takes XYZ to the responses in which white is adapted (Lam 1985).
var bradford = [9]float64{
	0.8951, 0.2664, -0.1614,
	-0.7502, 1.7135, 0.0367,
	0.0389, -0.0685, 1.0296,
}

// Neutral is the colour temperature in kelvin that working values are neutral at.
const Neutral = 6504

// planck returns the place of a black body of t kelvin in the CIE 1960 UCS (Krystek
// 1985, good to a thousandth from 1000 to 15 000 K and close beyond).
func planck(t float64) (u, v float64) {
	u = (0.860117757 + 1.54118254e-4*t + 1.28641212e-7*t*t) / (1 + 8.42420235e-4*t +
		7.08145163e-7*t*t)
	v = (0.317398726 + 4.22806245e-5*t + 4.20481691e-8*t*t) / (1 - 2.89741816e-5*t +
		1.61456053e-7*t*t)
	return u, v
}

// whiteAt returns XYZ, Y = 1, of the black body at so many mired, moved across the
// locus by tint in the units of the UCS; positive goes to magenta.
func whiteAt(mired, tint float64) [3]float64 {
	u, v := planck(1e6 / mired)
	u2, v2 := planck(1e6 / (mired + 0.1))
	// The locus runs to larger u; across it, downwards, lies magenta.
	du, dv := u2-u, v2-v
	l := math.Hypot(du, dv)
	u, v = u+tint*dv/l, v-tint*du/l
	d := 2*u - 8*v + 4
	x, y := 3*u/d, 2*v/d
	return [3]float64{x / y, 1, (1 - x - y) / y}
}

// Warm returns the matrix over linear light, by row, that takes what is lit by the
// white of a display to what the white would be mired further along the Planckian
// locus (positive is warmer) and tint across it (in units of the CIE 1960 UCS, positive
// is magenta), with the luminance of white kept. It is the identity for two zeros.
func Warm(mired, tint float64) [9]float64 {
	if mired == 0 && tint == 0 {
		return [9]float64{1, 0, 0, 0, 1, 0, 0, 0, 1}
	}
	from, to := whiteAt(1e6/Neutral, 0), whiteAt(1e6/Neutral+mired, tint)
	var scale [9]float64
	for i := range 3 {
		row := bradford[3*i : 3*i+3]
		scale[4*i] = (row[0]*to[0] + row[1]*to[1] + row[2]*to[2]) / (row[0]*from[0] +
			row[1]*from[1] + row[2]*from[2])
	}
	m := Mul(invert(bradford), Mul(scale, bradford))
	m = Mul(invert(rec709ToXYZ), Mul(m, rec709ToXYZ))
	// Display white is D65, which lies beside the locus: what becomes of it keeps its
	// luminance exactly.
	y := 0.0
	for i, w := range LumaWeights() {
		y += w * (m[3*i] + m[3*i+1] + m[3*i+2])
	}
	for i := range m {
		m[i] /= y
	}
	return m
}

// BlackBody returns the colour of a black body of t kelvin in linear light, its largest value 1;
// what a display cannot show is cut off.
func BlackBody(t float64) RGB {
	m, v := invert(rec709ToXYZ), whiteAt(1e6/t, 0)
	var c [3]float64
	top := 0.0
	for i := range c {
		c[i] = max(m[3*i]*v[0]+m[3*i+1]*v[1]+m[3*i+2]*v[2], 0)
		top = max(top, c[i])
	}
	return RGB{float32(c[0] / top), float32(c[1] / top), float32(c[2] / top)}
}
