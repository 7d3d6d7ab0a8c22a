// Package recipe holds everything that is done to a photo, as numbers.
//
// A Recipe is plain data: nothing in it refers to a screen, a file or a size
// other than the photo's own. All lengths are in pixels of the photo, all
// strengths are factors with 1 for 100 %. It is stored as JSON, read strictly
// (an unknown field is an error that names it) and checked against the ranges
// in this package before anything is computed from it.
package recipe

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"reflect"
	"strings"

	"pyrant/internal/colour"
	"pyrant/internal/shape"
)

// Version is the version of the recipe format that this package writes.
const Version = 1

// MaxBytes is the largest JSON document that Decode reads.
const MaxBytes = 8 << 20

// Recipe is all that is done to one photo.
type Recipe struct {
	Version int     `json:"version"`
	Photo   Photo   `json:"photo"`
	Dusk    Dusk    `json:"dusk"`
	Lights  []Light `json:"lights"`
	Glow    Master  `json:"glow"`  // over the cores and shells of all lights
	Spill   Master  `json:"spill"` // over the spill of all lights
}

// Photo is the size of the photo that the recipe's lengths refer to.
type Photo struct {
	Width  int `json:"width"`
	Height int `json:"height"`
}

// LongEdge returns the longer of width and height.
func (p Photo) LongEdge() int { return max(p.Width, p.Height) }

// Dusk takes the daylight out. What a light that is on covers is kept out of it.
type Dusk struct {
	On         bool    `json:"on"`
	Daylight   float64 `json:"daylight"`   // exposure in stops, -8 to 2
	Warmth     float64 `json:"warmth"`     // -1 (cold) to 1 (warm)
	Saturation float64 `json:"saturation"` // 0 (grey) to 2, 1 leaves it
}

// Master is a fader over all lights.
type Master struct {
	On    bool    `json:"on"`
	Level float64 `json:"level"` // 0 to 2
}

// Light is one emitter: its shapes and all that they give.
type Light struct {
	ID     string        `json:"id"` // unique in the recipe, never shown
	Name   string        `json:"name"`
	On     bool          `json:"on"`
	Alone  bool          `json:"alone"` // while any light is alone, the others are dark
	Level  float64       `json:"level"` // the fader, 0 to 2
	Gel    Gel           `json:"gel"`
	Shapes []shape.Shape `json:"shapes"`
	Core   Core          `json:"core"`
	Shells []Shell       `json:"shells"`
	Spill  Spill         `json:"spill"`
}

// Gel is the colour of a light, in the terms of CSS hsl().
type Gel struct {
	Hue        float64 `json:"hue"`        // degrees, 0 to 360
	Saturation float64 `json:"saturation"` // 0 to 1
	Lightness  float64 `json:"lightness"`  // 0 to 1
}

// Colour returns the gel in linear light.
func (g Gel) Colour() colour.RGB { return colour.HSL(g.Hue, g.Saturation, g.Lightness) }

// Core is the shape itself, as a lit thing looks to a camera.
type Core struct {
	Whiteness float64 `json:"whiteness"` // 0 (the gel) to 1 (white)
	Feather   float64 `json:"feather"`   // deviation of the soft edge in pixels
	Texture   float64 `json:"texture"`   // 0 (flat) to 1: how much of the object's own shading shows
}

// Join is how a shell joins what is below it: a soft add in linear light, or a
// blend mode of W3C Compositing and Blending on display values.
type Join string

// The ways of joining.
const (
	Add        Join = "add"
	Screen     Join = "screen"
	Lighten    Join = "lighten"
	Overlay    Join = "overlay"
	SoftLight  Join = "soft-light"
	HardLight  Join = "hard-light"
	ColorDodge Join = "color-dodge"
	Multiply   Join = "multiply"
	Normal     Join = "normal"
)

// Joins lists the ways of joining in the order in which they are offered.
var Joins = []Join{Add, Screen, Lighten, Overlay, SoftLight, HardLight, ColorDodge, Multiply, Normal}

// Shell is one level of a glow.
type Shell struct {
	Radius   float64 `json:"radius"`   // standard deviation of the Gaussian in pixels
	Strength float64 `json:"strength"` // 0 to 4
	Tint     Tint    `json:"tint"`
	Lift     float64 `json:"lift"` // 0 keeps the energy, 1 the peak
	Join     Join    `json:"join"`
}

// Tint is a shell's colour relative to the gel, so that it follows the gel.
type Tint struct {
	Hue   float64 `json:"hue"`   // turn in degrees, -180 to 180
	White float64 `json:"white"` // 0 (the gel) to 1 (white)
}

// Colour returns the tint under a gel in linear light.
func (t Tint) Colour(g Gel) colour.RGB {
	return colour.HSL(g.Hue+t.Hue, g.Saturation, g.Lightness).Mix(colour.RGB{R: 1, G: 1, B: 1}, float32(t.White))
}

// Spill is the light that a light throws on what is near it in the picture.
type Spill struct {
	Strength float64    `json:"strength"` // 0 to 4
	Reach    float64    `json:"reach"`    // distance in pixels at which it ends
	Tone     ToneWindow `json:"tone"`
}

// ToneWindow is the range of the photo's display brightness that an effect may
// touch; it fades out over Soft beyond either end.
type ToneWindow struct {
	Low  float64 `json:"low"`  // 0 to 1
	High float64 `json:"high"` // 0 to 1, not below Low
	Soft float64 `json:"soft"` // 0 to 1
}

// Whole tells whether the window lets every brightness through.
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
	t = math.Min(math.Max(t+1, 0), 1)
	return t * t * (3 - 2*t)
}

// New returns a recipe that leaves a photo of the given size as it is.
func New(width, height int) *Recipe {
	return &Recipe{
		Version: Version,
		Photo:   Photo{width, height},
		Dusk:    Dusk{On: true, Saturation: 1},
		Lights:  []Light{},
		Glow:    Master{On: true, Level: 1},
		Spill:   Master{On: true, Level: 1},
	}
}

// DefaultLight returns a light without shapes: a core, the starting stack and
// spill, in sizes that suit a photo with the given long edge.
func DefaultLight(longEdge int) Light {
	return Light{
		On: true, Level: 1,
		Gel:    Gel{Hue: 172, Saturation: 0.85, Lightness: 0.5},
		Shapes: []shape.Shape{},
		Core:   Core{Whiteness: 0.82, Feather: round(float64(longEdge) / 3000), Texture: 0.35},
		Shells: StartStack(longEdge),
		Spill:  Spill{Strength: 2, Reach: round(float64(longEdge) / 3), Tone: ToneWindow{0, 1, 0.1}},
	}
}

// referenceEdge is the long edge of the photo for which the starting radii are
// known good.
const referenceEdge = 6000

// StartStack returns the eight-shell stack that a new light starts with, its
// radii scaled to a photo with the given long edge.
func StartStack(longEdge int) []Shell {
	radii := []float64{2.5, 5, 10, 20, 45, 90, 144, 288}
	strength := []float64{0.50, 0.42, 0.34, 0.28, 0.22, 0.16, 0.11, 0.07}
	white := []float64{0.7, 0.45, 0.25, 0.12, 0.05, 0, 0, 0}
	shells := make([]Shell, len(radii))
	for i := range radii {
		shells[i] = Shell{
			Radius:   round(radii[i] * float64(longEdge) / referenceEdge),
			Strength: strength[i],
			Tint:     Tint{White: white[i]},
			Lift:     0.6,
			Join:     Add,
		}
	}
	return shells
}

// round keeps three significant digits, so that a length reads well.
func round(v float64) float64 {
	if v <= 0 {
		return 0
	}
	m := math.Pow(10, 2-math.Floor(math.Log10(v)))
	return math.Round(v*m) / m
}

// Lit returns for each light whether it shines: it is on, has a shape, and no
// other light is alone.
func (r *Recipe) Lit() []bool {
	alone := false
	for i := range r.Lights {
		alone = alone || r.Lights[i].Alone
	}
	lit := make([]bool, len(r.Lights))
	for i := range r.Lights {
		l := &r.Lights[i]
		lit[i] = l.On && len(l.Shapes) > 0 && (!alone || l.Alone)
	}
	return lit
}

// Clone returns a deep copy.
func (r *Recipe) Clone() *Recipe {
	c := *r
	c.Lights = make([]Light, len(r.Lights))
	for i, l := range r.Lights {
		l.Shells = append([]Shell{}, l.Shells...)
		shapes := make([]shape.Shape, len(l.Shapes))
		for j, s := range l.Shapes {
			s.Nodes = append([]shape.Node{}, s.Nodes...)
			shapes[j] = s
		}
		l.Shapes = shapes
		c.Lights[i] = l
	}
	return &c
}

// Encode returns the recipe as JSON.
func (r *Recipe) Encode() []byte {
	b, err := json.Marshal(r)
	if err != nil {
		panic("recipe: " + err.Error()) // only a NaN could fail, and Validate refuses it
	}
	return b
}

// Error is a fault of a recipe, with the field that has it.
type Error struct {
	Field string // such as lights[2].shells[0].radius; empty where no one field is at fault
	Msg   string // a sentence for the user
}

func (e *Error) Error() string {
	if e.Field == "" {
		return e.Msg
	}
	return e.Field + ": " + e.Msg
}

// Decode reads a recipe from JSON and validates it. All faults are of type
// *Error.
func Decode(data []byte) (*Recipe, error) {
	if len(data) > MaxBytes {
		return nil, &Error{"", fmt.Sprintf("The recipe is larger than %d MB.", MaxBytes>>20)}
	}
	var raw any
	if err := json.Unmarshal(data, &raw); err != nil {
		return nil, plainError(err)
	}
	head, _ := raw.(map[string]any)
	switch v, ok := head["version"].(float64); {
	case !ok:
		return nil, &Error{"version", "A recipe must say its version."}
	case v != Version:
		return nil, &Error{"version", fmt.Sprintf("This recipe is of version %v; this Pyrant reads version %d.", v, Version)}
	}
	if err := checkFields(raw, reflect.TypeFor[Recipe](), ""); err != nil {
		return nil, err
	}
	r := new(Recipe)
	if err := json.Unmarshal(data, r); err != nil {
		return nil, plainError(err)
	}
	if err := r.Validate(); err != nil {
		return nil, err
	}
	return r, nil
}

// plainError says what encoding/json found in a user's words.
func plainError(err error) *Error {
	var kind *json.UnmarshalTypeError
	if errors.As(err, &kind) {
		return &Error{kind.Field, fmt.Sprintf("A %s is not what belongs here.", kind.Value)}
	}
	return &Error{"", "The recipe is not valid JSON: " + strings.TrimPrefix(err.Error(), "json: ") + "."}
}
