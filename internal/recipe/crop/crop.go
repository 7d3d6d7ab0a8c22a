// Package crop recomposes a picture: a frame is laid over the photo, straightened, turned and
// mirrored.
//
// The photo and all that is drawn on it keep their places; only what is seen of the picture
// changes. A frame is a rectangle about a middle, upright on the screen, under which the photo is
// turned. Of a place p of the photo, relative to the middle, R(angle)·p is where it lies in the
// frame from its middle, before quarter turns and mirroring.
package crop

import (
	"fmt"
	"math"

	"pyrant/internal/base/fault"
	"pyrant/internal/recipe/setting"
)

// Crop is the frame. Of zero width it is all of the photo, and only Turns and Flip count.
type Crop struct {
	X      float64 `json:"x" label:"Centre X" row:"own" unit:"px" range:"0..W" default:"0" step:"0.5"`
	Y      float64 `json:"y" label:"Centre Y" row:"own" unit:"px" range:"0..H" default:"0" step:"0.5"`
	Width  float64 `json:"width" label:"Width" unit:"px" range:"0..2L" default:"0" step:"1" slider:"L/50..L log" row:"own" doc:"before quarter turns; 0 for the whole photo"`
	Height float64 `json:"height" label:"Height" unit:"px" range:"0..2L" slider:"L/50..L log" default:"0" step:"1" row:"own"`
	Angle  float64 `json:"angle" label:"Straighten" unit:"°" range:"-45..45" slider:"-15..15" default:"0" step:"0.05" row:"own" doc:"turns the photo clockwise"`
	Turns  int     `json:"turns" label:"Quarter turns" range:"0..3" default:"0" row:"own" doc:"of the picture, clockwise"`
	Flip   bool    `json:"flip" label:"Mirror" default:"false" row:"own" doc:"left to right, after quarter turns"`
}

// Least is how many pixels a frame has on each side, at the least.
const Least = 16

// slack is by how much of a pixel a corner may lie outside: lengths are rounded.
const slack = 0.51

// Whole tells whether the frame shows all of a photo.
func (c Crop) Whole() bool { return c.Width <= 0 || c.Height <= 0 }

// Idle tells whether the picture is as the photo is.
func (c Crop) Idle() bool { return c.Whole() && c.Turns == 0 && !c.Flip }

// Of returns the frame in numbers for a photo of a size.
func (c Crop) Of(w, h int) Crop {
	if c.Whole() {
		c.X, c.Y, c.Width, c.Height, c.Angle = float64(w)/2, float64(h)/2, float64(w), float64(h), 0
	}
	return c
}

// Check refuses a frame that has no pixels, or reaches beyond the photo.
func (c Crop) Check(f setting.Frame) (field, msg string) {
	if c.Width == 0 && c.Height == 0 {
		return "", ""
	}
	least := math.Min(Least, math.Min(f.W, f.H))
	if c.Width < least || c.Height < least {
		return "width", fmt.Sprintf("A crop of %g × %g pixels is too small. Give it at least %g on each side.", c.Width, c.Height, least)
	}
	ex, ey := c.extent()
	if c.X-ex < -slack || c.Y-ey < -slack || c.X+ex > f.W+slack || c.Y+ey > f.H+slack {
		return "width", "The crop reaches beyond the photo. Make it smaller or move it inwards."
	}
	return "", ""
}

// extent returns half of what holds the turned frame on the photo.
func (c Crop) extent() (x, y float64) {
	sin, cos := math.Sincos(math.Abs(c.Angle) * math.Pi / 180)
	return (c.Width*cos + c.Height*sin) / 2, (c.Width*sin + c.Height*cos) / 2
}

// Fit returns the frame moved into a photo of a size and, where it is too large, made smaller in
// its ratio. Its lengths are whole pixels; without an angle its edges lie between pixels.
func (c Crop) Fit(w, h int) Crop {
	if c.Whole() {
		c.X, c.Y, c.Width, c.Height = 0, 0, 0, 0
		if c.Angle == 0 {
			return c
		}
		c.X, c.Y, c.Width, c.Height = float64(w)/2, float64(h)/2, float64(w), float64(h)
	}
	W, H := float64(w), float64(h)
	ex, ey := c.extent()
	fits := func() bool { return 2*ex <= W+2*slack-0.1 && 2*ey <= H+2*slack-0.1 }
	if !fits() {
		k := math.Min(W/(2*ex), H/(2*ey))
		c.Width, c.Height = c.Width*k, c.Height*k
	}
	least := math.Min(Least, math.Min(W, H))
	c.Width, c.Height = math.Max(math.Floor(c.Width+1e-6), least),
		math.Max(math.Floor(c.Height+1e-6), least)
	// What is very narrow gives up its ratio before it has nothing in it.
	for ex, ey = c.extent(); !fits(); ex, ey = c.extent() {
		long := &c.Width
		if c.Height > c.Width {
			long = &c.Height
		}
		*long = math.Floor(*long * math.Min(W/(2*ex), H/(2*ey)))
	}
	hold := func(v, e, most float64) float64 {
		return math.Min(math.Max(v, math.Min(e, most/2)), math.Max(most-e, most/2))
	}
	c.X, c.Y = hold(c.X, ex, W), hold(c.Y, ey, H)
	if c.Angle == 0 {
		c.X, c.Y = math.Round(c.X-c.Width/2)+c.Width/2, math.Round(c.Y-c.Height/2)+c.Height/2
		if c.Width == W && c.Height == H {
			c.X, c.Y, c.Width, c.Height = 0, 0, 0, 0 // all of the photo
		}
		return c
	}
	hundredth := func(v float64) float64 { return math.Round(100*v) / 100 }
	c.X, c.Y = hundredth(c.X), hundredth(c.Y)
	return c
}

// Size returns the size of the picture in pixels of the photo.
func (c Crop) Size(w, h int) (int, int) {
	c = c.Of(w, h)
	if c.Turns%2 == 1 {
		return int(c.Height), int(c.Width)
	}
	return int(c.Width), int(c.Height)
}

// Affine is a map of the plane: x' = A·x + B·y + C, y' = D·x + E·y + F.
type Affine struct{ A, B, C, D, E, F float64 }

// At returns where a place goes.
func (m Affine) At(x, y float64) (float64, float64) {
	return m.A*x + m.B*y + m.C, m.D*x + m.E*y + m.F
}

// Then returns the map that does m and then n.
func (m Affine) Then(n Affine) Affine {
	return Affine{
		n.A*m.A + n.B*m.D, n.A*m.B + n.B*m.E, n.A*m.C + n.B*m.F + n.C,
		n.D*m.A + n.E*m.D, n.D*m.B + n.E*m.E, n.D*m.C + n.E*m.F + n.F,
	}
}

// Inverse returns the map back.
func (m Affine) Inverse() Affine {
	d := 1 / (m.A*m.E - m.B*m.D)
	return Affine{m.E * d, -m.B * d, (m.B*m.F - m.C*m.E) * d, -m.D * d, m.A * d,
		(m.C*m.D - m.A*m.F) * d}
}

// ToPicture returns where places of a photo of a size lie in the picture, in pixels of the photo's
// size.
func (c Crop) ToPicture(w, h int) Affine {
	c = c.Of(w, h)
	sin, cos := math.Sincos(c.Angle * math.Pi / 180)
	if c.Angle == 0 {
		sin, cos = 0, 1
	}
	m := Affine{1, 0, -c.X, 0, 1, -c.Y}.Then(Affine{cos, -sin, c.Width / 2, sin, cos, c.Height / 2})
	return m.Then(c.turned(c.Width, c.Height))
}

// turned returns what quarter turns and mirroring do to a picture of a size.
func (c Crop) turned(w, h float64) Affine {
	m := Affine{1, 0, 0, 0, 1, 0}
	switch c.Turns % 4 {
	case 1:
		m = Affine{0, -1, h, 1, 0, 0}
	case 2:
		m = Affine{-1, 0, w, 0, -1, h}
	case 3:
		m = Affine{0, 1, 0, -1, 0, w}
	}
	if c.Turns%2 == 1 {
		w = h
	}
	if c.Flip {
		m = m.Then(Affine{-1, 0, w, 0, 1, 0})
	}
	return m
}

// Move is a change of a frame: what is set of it, and what follows for the rest.
type Move struct {
	X      *float64 `json:"x"`
	Y      *float64 `json:"y"`
	Width  *float64 `json:"width"` // 0 for the photo's, and so for Height
	Height *float64 `json:"height"`
	Angle  *float64 `json:"angle"`
	By     float64  `json:"by"` // the frame's size times this, about its middle; 0 for 1
	// width to height as they are seen, about the middle; 0 for as it is
	Ratio   float64 `json:"ratio"`
	Largest bool    `json:"largest"` // as large as the photo lets it be, in its ratio
	Turn    int     `json:"turn"`    // quarter turns more, clockwise
	Flip    bool    `json:"flip"`    // mirrored once more, left to right as it is seen
	Upright bool    `json:"upright"` // mirrored top to bottom
}

// Check refuses a move to a frame of nothing, or by more than can be straightened.
func (m Move) Check() error {
	if m.Angle != nil && !(math.Abs(*m.Angle) <= 45) {
		return fault.In("/crop/angle", "A photo can be straightened by at most 45°. Rotate it by 90° first.")
	}
	for _, v := range []*float64{m.Width, m.Height} {
		if v != nil && *v != 0 && !(*v >= Least) {
			return fault.In("/crop", "A crop of %g pixels is too small. Give it at least %d on each side.", *v, Least)
		}
	}
	if m.Ratio != 0 && !(m.Ratio >= 0.05 && m.Ratio <= 20) {
		return fault.In("/crop", "A crop is at most twenty times as long as it is wide.")
	}
	if m.By != 0 && !(m.By >= 0.01 && m.By <= 100) {
		return fault.In("/crop", "A crop can be scaled by 0.01 to 100 at a time.")
	}
	return nil
}

// Of returns a frame over a photo of a size after the move, within the photo.
func (m Move) Of(c Crop, w, h int) Crop {
	W, H := float64(w), float64(h)
	turn := func(n int) { c.Turns = ((c.Turns+n)%4 + 4) % 4 }
	if m.Turn%4 != 0 {
		// What is mirrored turns the other way below its mirror.
		if c.Flip {
			turn(-m.Turn)
		} else {
			turn(m.Turn)
		}
	}
	if m.Flip {
		c.Flip = !c.Flip
	}
	if m.Upright {
		c.Flip = !c.Flip
		turn(2)
	}
	if m.Angle != nil && c.Whole() && *m.Angle == 0 {
		c.Angle = 0
	}
	resized := m.X != nil || m.Y != nil || m.Width != nil || m.Height != nil || m.By != 0 ||
		m.Ratio > 0 || m.Largest || m.Angle != nil && *m.Angle != 0
	if resized && c.Whole() {
		c = c.Of(w, h)
	}
	set := func(to *float64, v *float64) {
		if v != nil {
			*to = *v
		}
	}
	if m.Width != nil && *m.Width == 0 {
		m.Width = &W
	}
	if m.Height != nil && *m.Height == 0 {
		m.Height = &H
	}
	set(&c.X, m.X)
	set(&c.Y, m.Y)
	set(&c.Width, m.Width)
	set(&c.Height, m.Height)
	set(&c.Angle, m.Angle)
	if m.By > 0 {
		c.Width, c.Height = c.Width*m.By, c.Height*m.By
	}
	if m.Ratio > 0 {
		r := m.Ratio
		if c.Turns%2 == 1 {
			r = 1 / r
		}
		// Of the same area.
		a := c.Width * c.Height
		c.Width, c.Height = math.Sqrt(a*r), math.Sqrt(a/r)
	}
	if m.Largest {
		k := float64(max(w, h)) / math.Max(math.Min(c.Width, c.Height), 1)
		c.Width, c.Height, c.X, c.Y = c.Width*k, c.Height*k, float64(w)/2, float64(h)/2
	}
	return c.Fit(w, h)
}
