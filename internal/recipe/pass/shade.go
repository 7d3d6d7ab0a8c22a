package pass

import (
	"math"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/guided"
	"pyrant/internal/base/raster"
)

// Shade brightens or darkens shadows and highlights apart, by what a guided filter
// leaves of the picture's brightness, so that edges keep their sides and have no halo.
// With b for that, from 0 to 1, light is multiplied by 2^(1.5·(shadows·ws + highlights·wh)),
// ws = 1 − smooth(b/0.6), wh = smooth((b − 0.4)/0.6).
type Shade struct {
	Shadows    float64 `json:"shadows" label:"Shadows" range:"-1..1" times:"100" default:"0" step:"0.01" doc:"negative darkens shadows, positive opens them"`
	Highlights float64 `json:"highlights" label:"Highlights" range:"-1..1" times:"100" default:"0" step:"0.01" doc:"negative darkens highlights, positive brightens them"`
	Radius     float64 `json:"radius" label:"Radius" unit:"px" range:"0..L/4" slider:"L/300..L/8 log" default:"L/40" step:"1" doc:"detail smaller than this keeps its contrast"`
}

const shadeStops = 1.5

func (s Shade) ops(c *compiler) ([]op, error) {
	if s.Shadows == 0 && s.Highlights == 0 {
		return nil, nil
	}
	g, err := c.site.Guide(c.before, s.Radius)
	if err != nil {
		return nil, err
	}
	o := &shade{guide: g, peak: math.Exp2(shadeStops * max(s.Highlights, 0))}
	for i := range o.gain {
		b := float32(i) / shadeSteps
		ws, wh := 1-raster.Smoothstep(b/0.6), raster.Smoothstep((b-0.4)/0.6)
		o.gain[i] = float32(math.Exp2(shadeStops * (s.Shadows*float64(ws) +
			s.Highlights*float64(wh))))
	}
	return []op{o}, nil
}

const shadeSteps = 512

type shade struct {
	guide *guided.Filter
	gain  [shadeSteps + 2]float32
	peak  float64
}

func (s *shade) row(pix []float32, at *rowSite) {
	n := len(pix) / 3
	if len(at.a) < n {
		at.a, at.b = make([]float32, n), make([]float32, n)
	}
	s.guide.Row(at.a[:n], at.b[:n], at.frame, at.x0, at.y)
	for i := range n {
		p := pix[3*i : 3*i+3 : 3*i+3]
		v := at.a[i]*colour.Display.At(colour.Luma(p[0], p[1], p[2])) + at.b[i]
		f := min(max(v, 0), 1) * shadeSteps
		k := int(f)
		g := s.gain[k] + (s.gain[k+1]-s.gain[k])*(f-float32(k))
		p[0], p[1], p[2] = p[0]*g, p[1]*g, p[2]*g
	}
}
