package pass

import "pyrant/internal/base/colour"

// Balance shifts the colour and the brightness of shadows, middle and highlights:
// display values d of brightness y become d + Σ w·(amount·c/4 + light/4), with the
// weights (1−y)², 2y(1−y) and y², and c the pure colour of a hue less its luma.
type Balance struct {
	Shadows    Shift `json:"shadows" title:"Shadows"`
	Middle     Shift `json:"middle" title:"Midtones"`
	Highlights Shift `json:"highlights" title:"Highlights"`
}

// Shift is where one range of brightness goes.
type Shift struct {
	Hue    float64 `json:"hue" label:"Hue" unit:"°" range:"0..360" default:"200" step:"1" doc:"colour that the tones move towards"`
	Amount float64 `json:"amount" label:"Amount" unit:"%" range:"0..1" default:"0" step:"0.01"`
	Light  float64 `json:"light" label:"Brightness" range:"-1..1" times:"100" default:"0" step:"0.01"`
}

func (b Balance) ops(*compiler) ([]op, error) {
	o := &balance{}
	any := false
	for i, s := range []Shift{b.Shadows, b.Middle, b.Highlights} {
		any = any || s.Amount != 0 || s.Light != 0
		c := colour.HSL(s.Hue, 1, 0.5)
		d := [3]float64{float64(colour.Display.At(c.R)), float64(colour.Display.At(c.G)),
			float64(colour.Display.At(c.B))}
		luma := colour.Luma(d[0], d[1], d[2])
		for k, v := range d {
			o.by[i][k] = float32(s.Amount*(v-luma)/4 + s.Light/4)
		}
	}
	if !any {
		return nil, nil
	}
	return []op{o}, nil
}

type balance struct{ by [3][3]float32 }

func (balance) display() {}

func (b *balance) row(pix []float32, _ *rowSite) {
	for i := 0; i+2 < len(pix); i += 3 {
		p := pix[i : i+3 : i+3]
		d := [3]float32{colour.Display.At(p[0]), colour.Display.At(p[1]), colour.Display.At(p[2])}
		y := colour.Luma(d[0], d[1], d[2])
		s, m, h := (1-y)*(1-y), 2*y*(1-y), y*y
		for k := range d {
			p[k] = colour.Undisplay(d[k] + s*b.by[0][k] + m*b.by[1][k] + h*b.by[2][k])
		}
	}
}
