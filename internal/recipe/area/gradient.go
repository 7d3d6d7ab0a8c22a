package area

import (
	"math"

	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/setting"
)

// Line is a gradient between two points: all before the first, nothing behind the
// second, and between the lines across them a smooth fall.
type Line struct {
	X1 float64 `json:"x1" label:"Full X" row:"own" unit:"px" range:"-2W..3W" doc:"where the fade begins"`
	Y1 float64 `json:"y1" label:"Full Y" row:"own" unit:"px" range:"-2H..3H"`
	X2 float64 `json:"x2" label:"None X" row:"own" unit:"px" range:"-2W..3W" doc:"where the fade ends"`
	Y2 float64 `json:"y2" label:"None Y" row:"own" unit:"px" range:"-2H..3H"`
}

// Check refuses a gradient without a direction.
func (l Line) Check(setting.Frame) (field, msg string) {
	if math.Hypot(l.X2-l.X1, l.Y2-l.Y1) < 0.01 {
		return "", "The ends of a linear gradient coincide. Drag them apart."
	}
	return "", ""
}

// Shifted returns the gradient moved.
func (l Line) Shifted(dx, dy float64) any {
	return Line{l.X1 + dx, l.Y1 + dy, l.X2 + dx, l.Y2 + dy}
}

// Fill returns what fills a row of pixels of the picture at a scale, from column x0 of row y on.
func (l Line) Fill(scale float64) func(dst []float32, x0, y int) {
	k := scale
	dx, dy := (l.X2-l.X1)*k, (l.Y2-l.Y1)*k
	d := dx*dx + dy*dy
	if d < 1 { // less than a pixel of a small picture: as steep as an edge is drawn
		s := 1 / math.Max(math.Sqrt(d), 1e-9)
		dx, dy, d = dx*s, dy*s, 1
	}
	return func(dst []float32, x0, y int) {
		t := ((float64(x0)+0.5-l.X1*k)*dx + (float64(y)+0.5-l.Y1*k)*dy) / d
		step := dx / d
		for i := range dst {
			dst[i] = 1 - raster.Smoothstep(float32(t+step*float64(i)))
		}
	}
}

// Ring is a gradient between two ellipses of one middle: all inside the inner, nothing
// outside of the outer.
type Ring struct {
	X      float64 `json:"x" label:"X" row:"own" unit:"px" range:"-2W..3W" doc:"of the centre"`
	Y      float64 `json:"y" label:"Y" row:"own" unit:"px" range:"-2H..3H" doc:"of the centre"`
	Width  float64 `json:"width" label:"Width" unit:"px" range:"0.01..6L" slider:"L/100..3L log" default:"L/2" step:"0.1" doc:"of the outer ellipse"`
	Height float64 `json:"height" label:"Height" unit:"px" range:"0.01..6L" slider:"L/100..3L log" default:"L/2" step:"0.1"`
	Turn   float64 `json:"turn" label:"Rotation" unit:"°" range:"-180..180" default:"0" step:"0.1"`
	Inner  float64 `json:"inner" label:"Inner size" unit:"%" range:"0..1" default:"0.5" step:"0.01" doc:"size of the inner ellipse relative to the outer"`
}

// Shifted returns the gradient moved.
func (g Ring) Shifted(dx, dy float64) any {
	g.X, g.Y = g.X+dx, g.Y+dy
	return g
}

// Fill returns what fills a row of pixels of the picture at a scale, from column x0 of row y on.
func (g Ring) Fill(scale float64) func(dst []float32, x0, y int) {
	k := scale
	a, b := g.Width*k/2, g.Height*k/2
	sin, cos := math.Sincos(g.Turn * math.Pi / 180)
	// An edge is at least as soft as a pixel is wide.
	inner := math.Min(g.Inner, 1-1/math.Max(math.Min(a, b), 1))
	return func(dst []float32, x0, y int) {
		v := float64(y) + 0.5 - g.Y*k
		for i := range dst {
			u := float64(x0+i) + 0.5 - g.X*k
			p, q := (cos*u+sin*v)/a, (cos*v-sin*u)/b
			dst[i] = 1 - raster.Smoothstep(float32((math.Sqrt(p*p+q*q)-inner)/(1-inner)))
		}
	}
}
