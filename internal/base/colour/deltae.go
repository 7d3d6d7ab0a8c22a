package colour

import "math"

// Lab returns the CIE L*a*b* coordinates of a linear colour, for white point
// D65.
func (c RGB) Lab() (l, a, b float64) {
	r, g, bl := float64(c.R), float64(c.G), float64(c.B)
	x := (0.4124564*r + 0.3575761*g + 0.1804375*bl) / 0.95047
	y := 0.2126729*r + 0.7151522*g + 0.0721750*bl
	z := (0.0193339*r + 0.1191920*g + 0.9503041*bl) / 1.08883
	f := func(t float64) float64 {
		if t > 216.0/24389 {
			return math.Cbrt(t)
		}
		return (24389.0/27*t + 16) / 116
	}
	fx, fy, fz := f(x), f(y), f(z)
	return 116*fy - 16, 500 * (fx - fy), 200 * (fy - fz)
}

// DeltaE2000 returns the colour difference CIEDE2000 (ISO/CIE 11664-6) of two
// colours given in L*a*b*.
func DeltaE2000(l1, a1, b1, l2, a2, b2 float64) float64 {
	const rad = math.Pi / 180
	pow7 := func(x float64) float64 { x3 := x * x * x; return x3 * x3 * x }
	k25 := pow7(25)
	cm := (math.Hypot(a1, b1) + math.Hypot(a2, b2)) / 2
	g := 0.5 * (1 - math.Sqrt(pow7(cm)/(pow7(cm)+k25)))
	a1, a2 = a1*(1+g), a2*(1+g)
	c1, c2 := math.Hypot(a1, b1), math.Hypot(a2, b2)
	angle := func(b, a float64) float64 {
		if a == 0 && b == 0 {
			return 0
		}
		h := math.Atan2(b, a) / rad
		if h < 0 {
			h += 360
		}
		return h
	}
	h1, h2 := angle(b1, a1), angle(b2, a2)
	dh := 0.0
	if c1*c2 != 0 {
		dh = h2 - h1
		if dh > 180 {
			dh -= 360
		} else if dh < -180 {
			dh += 360
		}
	}
	dl, dc := l2-l1, c2-c1
	dH := 2 * math.Sqrt(c1*c2) * math.Sin(dh/2*rad)
	lm, cmp := (l1+l2)/2, (c1+c2)/2
	hm := h1 + h2
	if c1*c2 != 0 {
		switch {
		case math.Abs(h1-h2) <= 180:
			hm /= 2
		case h1+h2 < 360:
			hm = (hm + 360) / 2
		default:
			hm = (hm - 360) / 2
		}
	}
	t := 1 - 0.17*math.Cos((hm-30)*rad) + 0.24*math.Cos(2*hm*rad) +
		0.32*math.Cos((3*hm+6)*rad) - 0.20*math.Cos((4*hm-63)*rad)
	dTheta := 30 * math.Exp(-((hm-275)/25)*((hm-275)/25))
	rc := 2 * math.Sqrt(pow7(cmp)/(pow7(cmp)+k25))
	sl := 1 + 0.015*(lm-50)*(lm-50)/math.Sqrt(20+(lm-50)*(lm-50))
	sc, sh := 1+0.045*cmp, 1+0.015*cmp*t
	rt := -math.Sin(2*dTheta*rad) * rc
	x, y, z := dl/sl, dc/sc, dH/sh
	return math.Sqrt(x*x + y*y + z*z + rt*y*z)
}
