// Package colour turns photo values into the engine's working values and back.
//
// Working values are linear light with the primaries of Rec. 709, white point
// D65, 1.0 = display white. A Profile holds the way there from a photo's own
// encoding and the way back, made so that every 8-bit and 16-bit code returns
// as it came.
package colour

import "math"

// RGB is a colour in linear light, Rec. 709 primaries.
type RGB struct{ R, G, B float32 }

// Luma returns the relative luminance (Rec. 709 weights).
func (c RGB) Luma() float32 { return Luma(c.R, c.G, c.B) }

// Luma returns the relative luminance of linear light, by LumaWeights.
func Luma[T float32 | float64](r, g, b T) T { return 0.2126*r + 0.7152*g + 0.0722*b }

// LumaWeights returns how much red, green and blue count in luminance (Rec. 709).
func LumaWeights() [3]float64 { return [3]float64{0.2126, 0.7152, 0.0722} }

// Mix returns c with t of it replaced by d.
func (c RGB) Mix(d RGB, t float32) RGB {
	return RGB{c.R + (d.R-c.R)*t, c.G + (d.G-c.G)*t, c.B + (d.B-c.B)*t}
}

// Scale returns c times k.
func (c RGB) Scale(k float32) RGB { return RGB{c.R * k, c.G * k, c.B * k} }

// HSL returns the linear colour of a hue in degrees, a saturation and a
// lightness in [0, 1], as CSS Color defines hsl() over sRGB display values.
func HSL(hue, saturation, lightness float64) RGB {
	hue = math.Mod(math.Mod(hue, 360)+360, 360)
	f := func(n float64) float32 {
		k := math.Mod(n+hue/30, 12)
		a := saturation * math.Min(lightness, 1-lightness)
		v := lightness - a*math.Max(-1, math.Min(math.Min(k-3, 9-k), 1))
		return float32(SRGBToLinear(v))
	}
	return RGB{f(0), f(8), f(4)}
}

// HSL returns hue in degrees, saturation and lightness of a colour in linear light, in the terms
// of CSS hsl(), as HSL takes them. Values out of range count as their ends.
func (c RGB) HSL() (hue, saturation, lightness float64) {
	c = RGB{min(max(c.R, 0), 1), min(max(c.G, 0), 1), min(max(c.B, 0), 1)}
	hue, chroma := HueOf(c)
	hi, lo := float64(Display.At(max(c.R, c.G, c.B))), float64(Display.At(min(c.R, c.G, c.B)))
	lightness = (hi + lo) / 2
	if room := 1 - math.Abs(2*lightness-1); room > 1e-6 {
		saturation = min(chroma/room, 1)
	}
	return hue, saturation, lightness
}

// Hex returns the colour as the display value #rrggbb.
func (c RGB) Hex() string {
	const digits = "0123456789abcdef"
	out := []byte{'#'}
	for _, v := range []float32{c.R, c.G, c.B} {
		// a half that the table made a little less is still one
		n := int(Display.At(v)*255 + 0.5001)
		out = append(out, digits[n>>4], digits[n&15])
	}
	return string(out)
}

// HueOf returns the hue in degrees of a linear colour after display encoding,
// and its HSV chroma in [0, 1]; hue is 0 for a grey.
func HueOf(c RGB) (hue, chroma float64) {
	r, g, b := float64(Display.At(c.R)), float64(Display.At(c.G)), float64(Display.At(c.B))
	hi, lo := math.Max(r, math.Max(g, b)), math.Min(r, math.Min(g, b))
	d := hi - lo
	if d < 1e-9 {
		return 0, 0
	}
	switch hi {
	case r:
		hue = math.Mod((g-b)/d+6, 6)
	case g:
		hue = (b-r)/d + 2
	default:
		hue = (r-g)/d + 4
	}
	return hue * 60, d
}

// OKLab returns the place of a linear colour in OKLab (Ottosson 2020): lightness, and
// the two opponent axes whose angle is its hue and whose length is its chroma.
func OKLab(r, g, b float32) (l, a, bb float64) {
	x, y, z := float64(r), float64(g), float64(b)
	p := math.Cbrt(0.4122214708*x + 0.5363325363*y + 0.0514459929*z)
	m := math.Cbrt(0.2119034982*x + 0.6806995451*y + 0.1073969566*z)
	s := math.Cbrt(0.0883024619*x + 0.2817188376*y + 0.6299787005*z)
	return 0.2104542553*p + 0.7936177850*m - 0.0040720468*s,
		1.9779984951*p - 2.4285922050*m + 0.4505937099*s,
		0.0259040371*p + 0.7827717662*m - 0.8086757660*s
}

// OKLCh returns the linear colour of a lightness, a chroma and a hue in degrees in
// OKLCh. It may lie outside of what a display shows.
func OKLCh(l, c, hue float64) RGB {
	sin, cos := math.Sincos(hue * math.Pi / 180)
	a, b := c*cos, c*sin
	p := math.Pow(l+0.3963377774*a+0.2158037573*b, 3)
	m := math.Pow(l-0.1055613458*a-0.0638541728*b, 3)
	s := math.Pow(l-0.0894841775*a-1.2914855480*b, 3)
	return RGB{float32(4.0767416621*p - 3.3077115913*m + 0.2309699292*s),
		float32(-1.2684380046*p + 2.6097574011*m - 0.3413193965*s),
		float32(-0.0041960863*p - 0.7034186147*m + 1.7076147010*s)}
}
