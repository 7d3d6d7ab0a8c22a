package pass

import "pyrant/internal/base/colour"

// Colour is temperature and tint of the light, how strong colours are, and how rich:
// richness leaves what is vivid already, and skin, more alone.
type Colour struct {
	Temperature float64 `json:"temperature" label:"Temperature" unit:"mired" range:"-120..300" slider:"-120..200" default:"0" step:"1" doc:"positive is warmer"`
	Tint        float64 `json:"tint" label:"Tint" range:"-1..1" times:"100" default:"0" step:"0.01" doc:"from green to magenta"`
	Saturation  float64 `json:"saturation" label:"Saturation" unit:"%" range:"0..3" slider:"0..2" default:"1" step:"0.01" doc:"0 is grey, 100 % changes nothing"`
	Richness    float64 `json:"richness" label:"Dull colours" range:"-1..1" times:"100" default:"0" step:"0.01" doc:"changes the saturation of dull colours more than of vivid ones"`
}

// tintRange is how far a full tint goes across the locus.
const tintRange = 0.03

func (c Colour) ops(*compiler) (out []op, err error) {
	m := colour.Warm(c.Temperature, c.Tint*tintRange)
	if c.Saturation != 1 {
		m = colour.Mul(m, saturate(c.Saturation))
	}
	if m != unit {
		out = append(out, &matrix{m: m})
	}
	if c.Richness != 0 {
		out = append(out, rich(c.Richness))
	}
	return out, nil
}

// saturate returns the matrix that takes colours away from the grey of their
// luminance by a factor.
func saturate(k float64) (m [9]float64) {
	for i := range 3 {
		for j, w := range colour.LumaWeights() {
			m[3*i+j] = (1 - k) * w
		}
		m[4*i] += k
	}
	return m
}

// rich is the richness of a colour pass. With s = 1 − min/max for how vivid a colour
// is, saturation becomes 1 + richness·(1−s)², by half as much on hues of skin.
type rich float32

func (r rich) row(pix []float32, _ *rowSite) {
	k := float32(r)
	for i := 0; i+2 < len(pix); i += 3 {
		p := pix[i : i+3 : i+3]
		hi, lo := max(p[0], p[1], p[2]), min(p[0], p[1], p[2])
		if hi <= lo || hi <= 0 {
			continue
		}
		s := max(lo, 0) / hi // 1 − how vivid it is
		f := k * s * s
		if p[0] == hi && p[2] == lo {
			// From red over orange to yellow this goes from 0 to 1 in linear light; skin
			// lies about 0.25.
			off := ((p[1]-lo)/(hi-lo) - 0.25) * (1 / 0.3)
			f *= 1 - 0.5*max(1-off*off, 0)
		}
		y := f * colour.Luma(p[0], p[1], p[2])
		f++
		p[0], p[1], p[2] = f*p[0]-y, f*p[1]-y, f*p[2]-y
	}
}
