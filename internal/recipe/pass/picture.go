package pass

import (
	"regexp"

	"pyrant/internal/recipe/setting"
)

// Picture lays a picture of one's own over what is there: a night sky behind roofs, a texture. It
// is placed by its middle, as wide as Size, and joins as the pass does, in the pass's area.
type Picture struct {
	Sum    string  `json:"sum" label:"Picture" default:"" row:"own" count:"0..64" doc:"SHA-256 of the file; empty for none"`
	Of     string  `json:"of" label:"Name" default:"" row:"own" count:"0..80" doc:"of the file"`
	Width  int     `json:"width" label:"Picture width" row:"own" range:"0..60000" default:"0" doc:"in its own pixels"`
	Height int     `json:"height" label:"Picture height" row:"own" range:"0..60000" default:"0"`
	X      float64 `json:"x" label:"X" unit:"px" range:"-2W..3W" slider:"0..W" default:"0" step:"1" doc:"of its centre on the photo"`
	Y      float64 `json:"y" label:"Y" unit:"px" range:"-2H..3H" slider:"0..H" default:"0" step:"1" doc:"of its centre on the photo"`
	Size   float64 `json:"size" label:"Width" unit:"px" range:"1..20L" slider:"L/20..4L log" default:"L" step:"1" doc:"on the photo"`
	Turn   float64 `json:"turn" label:"Rotation" unit:"°" range:"-180..180" default:"0" step:"0.1" doc:"clockwise"`
	Flip   bool    `json:"flip" label:"Mirror" default:"false" doc:"left to right"`
	Soft   float64 `json:"soft" label:"Blur" unit:"px" range:"0..L/10" slider:"0..L/100" default:"0" step:"0.5" doc:"of the picture and its edge"`
}

var sum = regexp.MustCompile(`^[0-9a-f]{64}$`)

// Check refuses what names no file.
func (p Picture) Check(setting.Frame) (field, msg string) {
	if p.Sum != "" && (!sum.MatchString(p.Sum) || p.Width < 1 || p.Height < 1) {
		return "sum", "The pass has no picture. Choose one."
	}
	return "", ""
}

// PictureRows gives rows of a picture as it lies: its colours in linear light, and how much of each
// pixel it covers.
type PictureRows interface {
	Row(pix, cover []float32, x0, y int)
}

func (p Picture) ops(c *compiler) ([]op, error) {
	if p.Sum == "" || c.site.Picture == nil {
		return nil, nil
	}
	rows, err := c.site.Picture(p)
	if err != nil || rows == nil {
		return nil, err
	}
	return []op{&picture{rows}}, nil
}

// picture is the op of a Picture.
type picture struct{ rows PictureRows }

func (o *picture) display() {}

func (o *picture) row(pix []float32, at *rowSite) {
	n := len(pix) / 3
	if len(at.a) < n {
		at.a, at.b = make([]float32, n), make([]float32, n)
	}
	o.rows.Row(pix, at.a[:n], at.x0, at.y)
}

// cover lets the amounts of a row be only as much as the picture covers.
func (o *picture) cover(k []float32, at *rowSite) {
	for i, v := range at.a[:len(k)] {
		k[i] *= v
	}
}

// Pictures returns the sums of the pictures that passes name.
func Pictures(list []Pass) (out []string) {
	for i := range list {
		if p, ok := list[i].Does.(Picture); ok && p.Sum != "" {
			out = append(out, p.Sum)
		}
	}
	return out
}
