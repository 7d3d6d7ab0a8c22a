package area

import (
	"math"

	"pyrant/internal/base/colour"
)

// Hue is a band of the photo's hues before dusk, in OKLCh (Ottosson 2020), where
// equal steps look equal.
type Hue struct {
	Hue    float64 `json:"hue" label:"Hue" unit:"°" range:"0..360" default:"140" step:"1" doc:"centre of the range"`
	Width  float64 `json:"width" label:"Width" unit:"°" range:"0..360" default:"50" step:"1" doc:"of the range, from end to end"`
	Soft   float64 `json:"soft" label:"Fade" unit:"°" range:"0..180" default:"20" step:"1" doc:"how far coverage fades beyond both ends"`
	Chroma float64 `json:"chroma" label:"Minimum chroma" range:"0..0.4" slider:"0..0.2" default:"0.03" step:"0.001" doc:"leaves out greyer colours"`
	Smooth float64 `json:"smooth" label:"Smoothing" unit:"px" range:"0..L/20" slider:"0..L/100" default:"L/400" step:"0.1" doc:"evens out grain and JPEG blocks, but keeps edges"`
}

// At returns how much of a hue in degrees and a chroma, both of OKLCh, lies in the
// band, from 0 to 1.
func (h Hue) At(hue, chroma float64) float64 {
	k := 1.0
	if h.Chroma > 0 {
		k = ramp((chroma - h.Chroma) / (h.Chroma / 2))
	}
	if k == 0 || h.Width >= 360 {
		return k
	}
	off := math.Abs(math.Remainder(hue-h.Hue, 360)) - h.Width/2
	return k * ramp(-off/math.Max(h.Soft, 0.1))
}

// Of returns how much of a linear colour lies in the band.
func (h Hue) Of(r, g, b float32) float32 {
	_, u, v := colour.OKLab(r, g, b)
	c := math.Hypot(u, v)
	if h.Chroma > 0 && c <= h.Chroma/2 {
		return 0
	}
	return float32(h.At(math.Atan2(v, u)*180/math.Pi, c))
}
