package pass

import (
	"math"

	"pyrant/internal/recipe/setting"
)

// Levels is exposure on linear light, then the ends, the middle and the contrast of
// display values d:
//
//	t = clip((d − black) / (white − black)),  t' = t^(1/middle),
//	out = t'^g / (t'^g + (1−t')^g),  g = 2^(2·contrast)
//
// Contrast turns round display 0.5, keeps both ends, and is undone by its negative.
type Levels struct {
	Exposure float64 `json:"exposure" label:"Exposure" unit:"stops" range:"-10..6" slider:"-6..3" default:"0" step:"0.01"`
	Black    float64 `json:"black" label:"Black point" unit:"%" range:"0..1" default:"0" step:"0.001" doc:"tone that becomes black"`
	Middle   float64 `json:"middle" label:"Midtones" range:"0.1..10" slider:"0.2..5 log" default:"1" step:"0.01" doc:"above 1 is brighter; black and white stay"`
	White    float64 `json:"white" label:"White point" unit:"%" range:"0..1" default:"1" step:"0.001" doc:"tone that becomes white"`
	Contrast float64 `json:"contrast" label:"Contrast" range:"-1..1" times:"100" default:"0" step:"0.01"`
	Red      float64 `json:"red" label:"Red" unit:"stops" range:"-3..3" slider:"-1..1" default:"0" step:"0.01" doc:"exposure of red alone"`
	Green    float64 `json:"green" label:"Green" unit:"stops" range:"-3..3" slider:"-1..1" default:"0" step:"0.01" doc:"exposure of green alone"`
	Blue     float64 `json:"blue" label:"Blue" unit:"stops" range:"-3..3" slider:"-1..1" default:"0" step:"0.01" doc:"exposure of blue alone"`
}

// Check refuses a black point that is no darker than the white point.
func (l Levels) Check(setting.Frame) (field, msg string) {
	if l.White-l.Black < 0.004 {
		return "black", "The black point must lie below the white point."
	}
	return "", ""
}

func (l Levels) ops(*compiler) (out []op, err error) {
	if l.Exposure != 0 || l.Red != 0 || l.Green != 0 || l.Blue != 0 {
		out = append(out, &matrix{m: [9]float64{0: math.Exp2(l.Exposure + l.Red),
			4: math.Exp2(l.Exposure + l.Green), 8: math.Exp2(l.Exposure + l.Blue)}})
	}
	if l.Black != 0 || l.White != 1 || l.Middle != 1 || l.Contrast != 0 {
		out = append(out, sameTable(l.At, setting.Key(Levels{Black: l.Black, Middle: l.Middle,
			White: l.White, Contrast: l.Contrast})))
	}
	return out, nil
}

// At returns what becomes of a display value, after exposure.
func (l Levels) At(d float64) float64 {
	t := math.Min(math.Max((d-l.Black)/(l.White-l.Black), 0), 1)
	if l.Middle != 1 {
		t = math.Pow(t, 1/l.Middle)
	}
	if l.Contrast != 0 {
		g := math.Exp2(2 * l.Contrast)
		a, b := math.Pow(t, g), math.Pow(1-t, g)
		t = a / (a + b)
	}
	return t
}
