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

// Luma returns the relative luminance of linear light, by the weights of
// Rec. 709.
func Luma(r, g, b float32) float32 { return 0.2126*r + 0.7152*g + 0.0722*b }

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

// Hex returns the colour as the display value #rrggbb.
func (c RGB) Hex() string {
	const digits = "0123456789abcdef"
	out := []byte{'#'}
	for _, v := range []float32{c.R, c.G, c.B} {
		n := int(Display.At(v)*255 + 0.5001) // a half that the table made a little less is still one
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
