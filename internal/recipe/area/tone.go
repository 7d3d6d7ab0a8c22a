package area

import (
	"math"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/setting"
)

// ToneWindow is the range of the photo's display brightness, before dusk, that an
// effect may touch.
type ToneWindow struct {
	Low  float64 `json:"low" label:"From" unit:"%" range:"0..1" default:"0" step:"0.01" doc:"darkest tone that is covered"`
	High float64 `json:"high" label:"To" unit:"%" range:"0..1" default:"1" step:"0.01" doc:"brightest tone that is covered"`
	Soft float64 `json:"soft" label:"Fade" unit:"%" range:"0..1" default:"0.1" step:"0.01" doc:"how far coverage fades beyond both ends"`
}

// Check refuses a window that is upside down.
func (w ToneWindow) Check(setting.Frame) (field, msg string) {
	if w.Low > w.High {
		return "", "“From” must lie below “To”."
	}
	return "", ""
}

// Whole tells whether the window lets everything through.
func (w ToneWindow) Whole() bool { return w.Low <= 0 && w.High >= 1 }

// At returns how much of the effect a display brightness v takes, from 0 to 1.
func (w ToneWindow) At(v float64) float64 {
	k := 1.0
	if w.Low > 0 {
		k *= ramp((v - w.Low) / math.Max(w.Soft, 1e-3))
	}
	if w.High < 1 {
		k *= ramp((w.High - v) / math.Max(w.Soft, 1e-3))
	}
	return k
}

// ramp rises smoothly from 0 at -1 to 1 at 0.
func ramp(t float64) float64 {
	return raster.Smoothstep(t + 1)
}

// Fill returns how much of the effect a linear colour takes, by a table.
func (w ToneWindow) Fill() func(r, g, b float32) float32 {
	const steps = 1024
	table := make([]float32, steps+2)
	for i := range table {
		table[i] = float32(w.At(float64(i) / steps))
	}
	return func(r, g, b float32) float32 {
		f := colour.Display.At(colour.Luma(r, g, b)) * steps
		i := int(f)
		return table[i] + (table[i+1]-table[i])*(f-float32(i))
	}
}
