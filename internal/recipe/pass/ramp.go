package pass

import (
	"pyrant/internal/base/colour"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/area"
)

// Ramp gives shadows, middle and highlights three colours, by display brightness, and
// keeps the luminance of every pixel.
type Ramp struct {
	Follow     Follow `json:"follow" label:"Colours from" default:"" doc:"id of the light whose gel the hues follow; empty for own colours"`
	Shadows    Swatch `json:"shadows" title:"Shadows"`
	Middle     Swatch `json:"middle" title:"Midtones"`
	Highlights Swatch `json:"highlights" title:"Highlights"`
}

// Follow names a light that colours follow; "" for none.
type Follow string

// Swatch is one colour of a ramp.
type Swatch struct {
	Hue        float64 `json:"hue" label:"Hue" unit:"°" range:"0..360" default:"200" step:"1" doc:"absolute, or against the gel that the ramp follows"`
	Saturation float64 `json:"saturation" label:"Saturation" unit:"%" range:"0..1" default:"0.7" step:"0.01" doc:"absolute, or against the gel that the ramp follows"`
	Amount     float64 `json:"amount" label:"Amount" unit:"%" range:"0..1" default:"0" step:"0.01"`
}

// Colour returns the swatch in linear light, following a gel if there is one.
func (s Swatch) Colour(gel *Gel) colour.RGB {
	if gel == nil {
		return colour.HSL(s.Hue, s.Saturation, 0.5)
	}
	return colour.HSL(gel.Hue+s.Hue, s.Saturation*gel.Saturation, 0.5)
}

// Gel is what a ramp needs of the gel of a light.
type Gel struct{ Hue, Saturation float64 }

func (r Ramp) ops(c *compiler) ([]op, error) {
	if r.Shadows.Amount == 0 && r.Middle.Amount == 0 && r.Highlights.Amount == 0 {
		return nil, nil
	}
	var gel *Gel
	if r.Follow != "" {
		gel = c.site.Gel(area.LightRef(r.Follow))
	}
	o := &ramp{}
	for i, s := range []Swatch{r.Shadows, r.Middle, r.Highlights} {
		v := s.Colour(gel)
		o.colour[i] = v.Scale(1 / max(v.Luma(), 1e-4))
		o.amount[i] = float32(s.Amount)
	}
	return []op{o}, nil
}

// ramp holds for steps of display brightness what is added to a pixel, and what is left of
// it: both depend on brightness alone.
type ramp struct {
	colour [3]colour.RGB // of luminance 1
	amount [3]float32
	tab    [rampSteps + 2][4]float32
}

const rampSteps = 1024

func (*ramp) display() {}

// ready works out the table. With t the display brightness and w the weights of shadows,
// middle and highlights, which are smooth and sum to 1, a pixel p of luminance Y becomes
// p + Σ w·amount·(colour·Y − p). A colour that a display cannot show that bright goes
// towards the grey of its luminance.
func (r *ramp) ready() {
	for i := range r.tab {
		t := min(float32(i)/rampSteps, 1)
		y := float32(colour.SRGBToLinear(float64(t)))
		s, h := 1-raster.Smoothstep(t*2), raster.Smoothstep(t*2-1)
		w := [3]float32{s * r.amount[0], (1 - s - h) * r.amount[1], h * r.amount[2]}
		out := &r.tab[i]
		out[3] = 1
		for k, w := range w {
			c := &r.colour[k]
			v := [3]float32{c.R * y, c.G * y, c.B * y}
			if hi := max(v[0], v[1], v[2]); hi > 1 && y < 1 {
				q := (1 - y) / (hi - y)
				for n := range v {
					v[n] = y + (v[n]-y)*q
				}
			}
			out[3] -= w
			for n := range v {
				out[n] += w * min(v[n], 1)
			}
		}
	}
}

func (r *ramp) row(pix []float32, _ *rowSite) {
	for i := 0; i+2 < len(pix); i += 3 {
		p := pix[i : i+3 : i+3]
		f := colour.Display.At(colour.Luma(p[0], p[1], p[2])) * rampSteps
		k := int(f)
		f -= float32(k)
		a, b := &r.tab[k], &r.tab[k+1]
		rest := a[3] + (b[3]-a[3])*f
		p[0] = rest*p[0] + a[0] + (b[0]-a[0])*f
		p[1] = rest*p[1] + a[1] + (b[1]-a[1])*f
		p[2] = rest*p[2] + a[2] + (b[2]-a[2])*f
	}
}
