// Package recipe holds everything that is done to a photo, as numbers.
//
// A Recipe is plain data: nothing in it refers to a screen, a file or a size
// other than the photo's own. All lengths are in pixels of the photo, all
// strengths are factors with 1 for 100 %. Each field declares in its tags what it
// is (see package setting), and from that come its range, its default, its row on
// the bench, its title in the history, the JSON Schema and its line in the manual.
//
// It is stored as JSON, read strictly (an unknown field is an error that names it;
// a missing one takes its default) and checked before anything is computed from
// it. Documents of older versions are brought up to date first; see upgrade.go.
package recipe

import (
	"fmt"
	"math"
	"reflect"
	"slices"
	"strings"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/crop"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// Version is the version of the recipe format that this package writes. It grows
// when a document of before means something else now, not when a field is added:
// that takes its default.
const Version = 6

// MaxBytes is the largest JSON document that Decode reads.
const MaxBytes = 32 << 20

// MaxChange is how many bytes a change of a recipe has, at most: pages send points, and no pixels.
const MaxChange = 8 << 20

// Recipe is all that is done to one photo.
type Recipe struct {
	Version int   `json:"version" fixed:"true" label:"Version" range:"6..6" doc:"of the recipe format"`
	Photo   Photo `json:"photo" fixed:"true"`

	Crop crop.Crop `json:"crop" title:"Crop: *" doc:"the part of the photo that is the picture; shapes stay in pixels of the photo"`

	Reference Reference `json:"reference" title:"Reference: *"`

	Dusk   Dusk    `json:"dusk" title:"*"`
	Lights []Light `json:"lights" label:"Lights" count:"0..100" each:"light" title:"*" doc:"in the order of the board"`
	Glow   Master  `json:"glow" title:"* of all glow" doc:"master of all cores and shells"`
	Spill  Spilled `json:"spill" title:"* of all spill" doc:"master of all spill"`
	Finish Finish  `json:"finish" title:"*"`

	Room Room `json:"room" title:"Room: *"`

	CutOuts []cutout.CutOut `json:"cutouts,omitzero" label:"Cut-outs" count:"0..100" each:"cut-out" title:"*" doc:"referred to by id"`

	Groups []Group `json:"groups,omitzero" label:"Groups" count:"0..30" each:"group" title:"*" doc:"groups of lights, referred to by id"`

	Areas []area.Area `json:"areas,omitzero" label:"Areas" count:"0..200" each:"area" title:"*" doc:"referred to by id"`
}

// Photo is the size of the upright photo that the recipe's lengths refer to.
type Photo struct {
	Width  int `json:"width" label:"Width" unit:"px" range:"1..60000"`
	Height int `json:"height" label:"Height" unit:"px" range:"1..60000" doc:"of the light over the picture, without a room; higher is softer"`
}

// LongEdge returns the longer of width and height.
func (p Photo) LongEdge() int { return max(p.Width, p.Height) }

// Size returns the size of the whole picture, in pixels of the photo.
func (r *Recipe) Size() (w, h int) { return r.Crop.Size(r.Photo.Width, r.Photo.Height) }

// Frame returns the size that bounds and defaults are relative to.
func (p Photo) Frame() setting.Frame {
	return setting.Frame{W: float64(p.Width), H: float64(p.Height)}
}

// Dusk takes the daylight out. What emits is kept out of it, and light can be given
// back.
type Dusk struct {
	On       bool        `json:"on" label:"Dusk on" default:"true" row:"own"`
	Daylight float64     `json:"daylight" label:"Daylight" unit:"stops" range:"-8..2" default:"0" step:"0.01" doc:"exposure of the photo before the passes; lower is darker"`
	Passes   []pass.Pass `json:"passes,omitzero" label:"Passes of dusk" count:"0..32" each:"pass" title:"*" doc:"in the order of their work"`
	Edge     float64     `json:"edge" label:"Protection feather" unit:"px" range:"0..500" slider:"0..L/50" default:"L/1500" step:"0.1" row:"own" doc:"how softly the protection of lights ends at their edges"`
	Back     Back        `json:"back" title:"Restored daylight: *"`
}

// Back is light given back: where dusk is taken off again.
type Back struct {
	Area   area.Ref `json:"area" label:"Area" default:"" row:"own" doc:"id of the area where daylight is restored; empty for none"`
	Amount float64  `json:"amount" label:"Amount" unit:"%" range:"0..1" default:"0.5" step:"0.01" row:"own" doc:"how far daylight is restored in the area"`
	Spill  float64  `json:"spill" label:"By spill" unit:"%" range:"0..1" default:"0" step:"0.01" row:"own" doc:"how far spill brings the photo's own detail back"`
}

// Finish is the grade of the lit picture.
type Finish struct {
	On     bool        `json:"on" label:"Finish on" default:"true" row:"own"`
	Passes []pass.Pass `json:"passes,omitzero" label:"Passes of finish" count:"0..32" each:"pass" title:"*" doc:"in the order of their work"`
}

// Master is a fader over all lights.
type Master struct {
	On    bool    `json:"on" label:"On" default:"true"`
	Level float64 `json:"level" label:"Fader" unit:"%" range:"0..2" default:"1" step:"0.01"`
}

// Spilled is what holds for the spill of all lights. Red and Blue are the daylight that the photo
// was taken in, against its green, in stops: what spill sends back in the photo's colours has that
// taken out, at the same luminance of white.
type Spilled struct {
	On    bool    `json:"on" label:"On" default:"true"`
	Level float64 `json:"level" label:"Fader" unit:"%" range:"0..2" default:"1" step:"0.01"`
	Red   float64 `json:"red" label:"Red" unit:"stops" range:"-4..4" slider:"-2..2" default:"0" step:"0.01" row:"own" doc:"red of the photo's daylight against green; spill divides it out"`
	Blue  float64 `json:"blue" label:"Blue" unit:"stops" range:"-4..4" slider:"-2..2" default:"0" step:"0.01" row:"own" doc:"blue of the photo's daylight against green; spill divides it out"`
}

// Light is one emitter: its shapes and all that they give.
type Light struct {
	ID        string       `json:"id" count:"1..64" doc:"unique in the recipe, never shown"`
	Name      string       `json:"name" label:"Name" count:"1..80" together:"own"`
	On        bool         `json:"on" label:"On" default:"true"`
	Alone     bool         `json:"alone" label:"Alone" default:"false" doc:"shows only the lights that are alone"`
	Level     float64      `json:"level" label:"Fader" unit:"%" range:"0..2" default:"1" step:"0.01" together:"factor" doc:"the fader"`
	Intensity float64      `json:"intensity" label:"Intensity" unit:"stops" range:"-6..6" default:"0" step:"0.05" row:"own" together:"sum" doc:"of core, glow and spill together; brighter is whiter inside and wider outside"`
	Keep      float64      `json:"keep" label:"Protection" unit:"%" range:"0..1" default:"1" step:"0.01" doc:"how far dusk spares what the light covers"`
	Gel       Gel          `json:"gel" title:"Gel"`
	Shapes    shape.Shapes `json:"shapes" label:"Shapes" count:"0..500" each:"a shape"`
	Core      Core         `json:"core" title:"*"`
	Glow      bool         `json:"glow" label:"Glow on" default:"true" row:"own"`
	Shells    []Shell      `json:"shells" label:"Stack" count:"0..32" each:"shell" doc:"the shells, smallest radius first"`
	Streak    Streak       `json:"streak" title:"Streak: *"`
	Rays      Rays         `json:"rays" title:"Rays: *"`
	Trim      Trim         `json:"trim" title:"Trim: *" doc:"weakens core and glow in an area"`
	Spill     Spill        `json:"spill" title:"Spill *"`
	Group     string       `json:"group" label:"Group" default:"" count:"0..64" row:"own" doc:"id of the light's group; empty for none"`

	Stand Stand `json:"stand" label:"Stands on" default:"" count:"0..70" row:"own" doc:"what the light stands on or hangs on in the room: wall:ID, platform:ID or thing:ID; empty for the floor"`

	Blockers []Blocker `json:"blockers,omitzero" label:"Blockers" count:"0..16" each:"blocker" title:"*" doc:"what hides the light"`
}

// Shared says how a setting of a light changes for the others when several are selected: all take
// the value, unless the setting is each light's own, or changes by the same factor or by the same
// sum.
type Shared struct {
	How string  `json:"how"` // own, factor or sum
	Min float64 `json:"min"`
	Max float64 `json:"max"`
}

// Together returns the settings of a light that are not simply the same for all that are selected,
// by name, as their declarations say.
func Together() map[string]Shared {
	out := map[string]Shared{}
	t := reflect.TypeFor[Light]()
	for i := range t.NumField() {
		if how := t.Field(i).Tag.Get("together"); how != "" {
			name, _, _ := strings.Cut(t.Field(i).Tag.Get("json"), ",")
			s := setting.Of[Light](name)
			out[name] = Shared{how, s.Min.A, s.Max.A}
		}
	}
	return out
}

// Gel is the colour of a light, in the terms of CSS hsl().
type Gel struct {
	Hue        float64 `json:"hue" label:"Hue" unit:"°" range:"0..360" default:"172" step:"1"`
	Saturation float64 `json:"saturation" label:"Saturation" unit:"%" range:"0..1" default:"0.85" step:"0.01"`
	Lightness  float64 `json:"lightness" label:"Lightness" unit:"%" range:"0..1" default:"0.5" step:"0.01"`
}

// Colour returns the gel in linear light.
func (g Gel) Colour() colour.RGB { return colour.HSL(g.Hue, g.Saturation, g.Lightness) }

// Look is how a core looks.
type Look string

// The looks of a core.
const (
	Exposed Look = "exposed" // as a camera exposes what is brighter than it can show
	Even    Look = "even"    // one colour
)

// Choices returns the looks.
func (Look) Choices() []setting.Choice {
	return []setting.Choice{
		{Value: string(Exposed), Label: "Exposure"},
		{Value: string(Even), Label: "Flat"},
	}
}

// Core is the shape itself, as a lit thing looks to a camera.
//
// An even core has one colour, from the gel to white by its whiteness, times the object's texture;
// the more of that is kept, the less of the glow joins it.
//
// One by exposure emits E = 2^(Brightness + the light's intensity) times its level, and shows 1 -
// exp(-E·t·f·x): t is the gel with its share of white, f what rounding leaves at a place, x = 1 +
// Texture·(luminance of the object against its mean - 1), not below 0. The depth of a place is k =
// smoothstep(2B - 1), with B the coverage blurred by 0.4 of the mean width of the shapes, against
// its largest value: 0 at the edge, 1 in the middle. f is 1 - Rounding·(1 - k), or, where Rounding
// is below 0, 1 + Rounding·k.
type Core struct {
	On           bool    `json:"on" label:"Core on" default:"true" row:"own"`
	Look         Look    `json:"look" label:"Core" default:"exposed"`
	Brightness   float64 `json:"brightness" label:"Brightness" unit:"stops" range:"-4..8" default:"3.6" step:"0.05" doc:"of the core's middle above white; exposure core only"`
	Rounding     float64 `json:"rounding" label:"Edge darkening" unit:"%" range:"-1..1" default:"0.65" step:"0.01" doc:"how much darker the rim is than the middle; negative is brighter"`
	Whiteness    float64 `json:"whiteness" label:"Whiteness" unit:"%" range:"0..1" default:"0.25" step:"0.01" doc:"from the gel to white"`
	Feather      float64 `json:"feather" label:"Feather" unit:"px" range:"0..500" slider:"0..40" default:"L/3000" step:"0.1" doc:"softness of the core's edge"`
	Texture      float64 `json:"texture" label:"Texture" unit:"%" range:"0..1" default:"0.3" step:"0.01" doc:"how much of the object's own shading stays visible"`
	Openness     float64 `json:"openness" label:"Glow over core" unit:"%" range:"0..1" default:"0.05" step:"0.01" doc:"how much of the glow also covers the core"`
	Translucency float64 `json:"translucency" label:"Transparency" unit:"%" range:"0..1" default:"0" step:"0.01" doc:"how much of the object shows through the core"`
	Uneven       float64 `json:"uneven" label:"Unevenness" unit:"stops" range:"0..4" default:"0" step:"0.05" doc:"how much brightness varies along the core, as in an old tube"`
	Seed         int     `json:"seed" label:"Seed" range:"0..9999" default:"1" doc:"another number gives another pattern"`
	Bloom        float64 `json:"bloom" label:"Bloom" unit:"%" range:"0..1" default:"0" step:"0.01" doc:"share of the core's light that is blurred over its edge"`
	BloomRadius  float64 `json:"bloomRadius" label:"Bloom radius" unit:"px" range:"0..1000" slider:"0..L/100" default:"L/750" step:"0.1" doc:"how far bloom spreads"`
}

// Idle names what does nothing as the core is.
func (c Core) Idle() (idle []string) {
	switch {
	case c.Look == Even:
		idle = []string{"brightness", "rounding", "openness", "uneven", "seed"}
	case c.Uneven == 0:
		idle = []string{"seed"}
	}
	if c.Bloom == 0 {
		idle = append(idle, "bloomRadius")
	}
	return idle
}

// Streak draws core and glow of a light out along a direction, in linear light; see package streak.
type Streak struct {
	Length float64 `json:"length" label:"Length" unit:"px" range:"0..20000" slider:"0..L/2" default:"0" step:"0.1" doc:"0 for no streak"`
	Angle  float64 `json:"angle" label:"Angle" unit:"°" range:"0..360" default:"0" step:"0.1" doc:"0 points right, 90 points up"`
	Sides  Sides   `json:"sides" label:"Sides" default:"one"`
	Taper  float64 `json:"taper" label:"Taper" unit:"%" range:"0..1" default:"0.7" step:"0.01" doc:"how much weaker the streak is at its end"`
}

// Idle names what does nothing as the streak is.
func (s Streak) Idle() []string {
	if s.Length == 0 {
		return []string{"angle", "sides", "taper"}
	}
	return nil
}

// Sides is to which sides a streak goes.
type Sides string

// The sides of a streak.
const (
	OneSide   Sides = "one"
	BothSides Sides = "both"
)

// Choices returns the sides.
func (Sides) Choices() []setting.Choice {
	return []setting.Choice{{Value: string(OneSide), Label: "One side"},
		{Value: string(BothSides), Label: "Both sides"}}
}

// Trim weakens what a light, or one shell, gives in an area: it is multiplied by 1 -
// Amount·coverage.
type Trim struct {
	Area   area.Ref `json:"area" label:"Area" default:"" row:"own" doc:"id of the area or cut-out that weakens it; empty for none"`
	Amount float64  `json:"amount" label:"Amount" unit:"%" range:"0..1" default:"1" step:"0.01" row:"own" doc:"how much the area weakens it"`
}

// Group is lights that have a fader together.
type Group struct {
	ID    string  `json:"id" count:"1..64" doc:"unique in the recipe, never shown"`
	Name  string  `json:"name" label:"Name" count:"1..80"`
	On    bool    `json:"on" label:"On" default:"true"`
	Level float64 `json:"level" label:"Fader" unit:"%" range:"0..2" default:"1" step:"0.01" doc:"the fader"`
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
var Joins = []setting.Choice{
	{Value: string(Add), Label: "Add"}, {Value: string(Screen), Label: "Screen"},
	{Value: string(Lighten), Label: "Lighten"},
	{Value: string(Overlay), Label: "Overlay"}, {Value: string(SoftLight), Label: "Soft light"},
	{Value: string(HardLight), Label: "Hard light"},
	{Value: string(ColorDodge), Label: "Color dodge"}, {Value: string(Multiply), Label: "Multiply"},
	{Value: string(Normal), Label: "Normal"},
}

// Choices returns the ways of joining.
func (Join) Choices() []setting.Choice { return Joins }

// Shell is one level of a glow.
type Shell struct {
	ID       string  `json:"id,omitzero" row:"own" key:"-" count:"0..64" doc:"unique in its list, never shown"`
	Radius   float64 `json:"radius" label:"Radius" row:"own" unit:"px" range:"0..6000" slider:"L/12000..L/10 log" default:"L/300" step:"0.01" doc:"how far the shell spreads (standard deviation of a Gaussian)"`
	Strength float64 `json:"strength" label:"Strength" unit:"%" range:"0..4" default:"0.3" row:"own" step:"0.01"`
	Tint     Tint    `json:"tint" title:"Tint"`
	Lift     float64 `json:"lift" label:"Lift" unit:"%" range:"0..1" default:"0.15" step:"0.01" doc:"0 keeps the shell's energy, 100 % keeps its peak"`
	Join     Join    `json:"join" label:"Blend mode" default:"add" row:"own"`
	Trim     Trim    `json:"trim" title:"Trim: *"`
}

// MaxRadius is the largest radius of a shell, in pixels of the photo.
var MaxRadius = setting.Of[Shell]("radius").Max.A

// Tint is a shell's colour relative to the gel, so that it follows the gel.
type Tint struct {
	White float64 `json:"white" label:"Whiten" unit:"%" range:"0..1" default:"0" step:"0.01" doc:"from the gel to white"`
	Hue   float64 `json:"hue" label:"Hue shift" unit:"°" range:"-180..180" default:"0" step:"1" doc:"against the gel"`
}

// Colour returns the tint under a gel in linear light.
func (t Tint) Colour(g Gel) colour.RGB {
	return colour.HSL(g.Hue+t.Hue, g.Saturation, g.Lightness).Mix(colour.RGB{R: 1, G: 1, B: 1},
		float32(t.White))
}

// Spill is the light that a light throws on what is near it in the picture.
type Spill struct {
	On       bool            `json:"on" label:"On" default:"true" row:"own"`
	Strength float64         `json:"strength" label:"Strength" unit:"%" range:"0..100" slider:"0.02..16 log" default:"1" step:"0.01"`
	Reach    float64         `json:"reach" label:"Reach" unit:"px" range:"1..100000" slider:"L/50..2L log" default:"L/3" step:"1" doc:"distance at which spill ends; without a room"`
	Height   float64         `json:"height" label:"Height" unit:"px" range:"1..100000" slider:"L/500..L/6 log" default:"L/24" step:"1" doc:"of the light over the picture, without a room; higher is softer"`
	Tone     area.ToneWindow `json:"tone" title:"Tone window"`
	Ramp     Ramp            `json:"ramp" title:"Colour ramp: *"`
	Carrier  area.Ref        `json:"carrier" label:"Attached to" default:"" row:"own" doc:"id of the area or cut-out that carries the light; empty for none"`
	Touches  []Touch         `json:"touches,omitzero" label:"Touch-ups" row:"own" count:"0..24" each:"touch-up" title:"*"`
	Falls    map[string]Fall `json:"falls,omitzero" label:"Spill per surface" row:"own" count:"0..110" title:"Spill per surface of *" doc:"by surface: floor, ceiling, or the id of a wall, platform or object; 100 % where missing"`
	Onto     float64         `json:"onto" label:"Spill on it" unit:"%" range:"0..1" default:"0" step:"0.01" row:"own" doc:"how much spill falls on what carries the light"`
}

// Ramp is the colours that spill has by the brightness of the photo: a tint of the gel where that
// is black, the gel itself at Middle, another tint where it is white, and what lies between.
type Ramp struct {
	Dark   Tint    `json:"dark" title:"In shadows: *"`
	Bright Tint    `json:"bright" title:"In highlights: *"`
	Middle float64 `json:"middle" label:"Gel at" unit:"%" range:"0.05..0.95" default:"0.4" step:"0.01" doc:"brightness of the photo where spill has the plain gel"`
}

// Even tells whether the ramp is the gel all over.
func (r Ramp) Even() bool { return r.Dark == Tint{} && r.Bright == Tint{} }

// Idle names what does nothing while the ramp is the gel all over.
func (r Ramp) Idle() []string {
	if r.Even() {
		return []string{"middle"}
	}
	return nil
}

// RampParts is how many colours a ramp has: in shadows, the gel, and in highlights.
const RampParts = 3

// At returns how much of each of its colours a ramp has at a brightness of the photo from 0 to 1;
// they sum to 1.
func (r Ramp) At(v float64) (share [RampParts]float64) {
	share[0] = 1 - raster.Smoothstep(v/r.Middle)
	share[2] = raster.Smoothstep((v - r.Middle) / (1 - r.Middle))
	share[1] = 1 - share[0] - share[2]
	return share
}

// Colours returns the colours of the ramp under a gel, in linear light.
func (r Ramp) Colours(g Gel) [RampParts]colour.RGB {
	return [RampParts]colour.RGB{r.Dark.Colour(g), g.Colour(), r.Bright.Colour(g)}
}

// Touch is spill that was touched up by hand in an area: it is multiplied by 1 - Amount·coverage,
// or by 1 + Amount·coverage, or light of the gel is added that makes a white surface at an Amount
// of 1 white.
type Touch struct {
	ID     string   `json:"id,omitzero" row:"own" key:"-" count:"0..64" doc:"unique in its list, never shown"`
	On     bool     `json:"on" label:"On" default:"true" row:"own"`
	Area   area.Ref `json:"area" label:"Area" row:"own" doc:"id of an area or cut-out"`
	Does   Touching `json:"does" label:"Effect" default:"less"`
	Amount float64  `json:"amount" label:"Amount" unit:"%" range:"0..4" slider:"0..1" default:"1" step:"0.01"`
}

// Fall is how much of a light's spill falls on a surface.
type Fall struct {
	Amount float64 `json:"amount" label:"Amount" unit:"%" range:"0..4" default:"1" step:"0.01" doc:"spill on this surface; 100 % is what the room computes"`
}

// Touching is what a touch does.
type Touching string

// What a touch does.
const (
	LessSpill Touching = "less"
	MoreSpill Touching = "more"
	NewSpill  Touching = "new"
)

// Choices returns what a touch does.
func (Touching) Choices() []setting.Choice {
	return []setting.Choice{{Value: string(LessSpill), Label: "Reduce"}, {Value: string(MoreSpill),
		Label: "Increase"}, {Value: string(NewSpill), Label: "Add light"}}
}

// New returns the recipe of an untouched photo.
func New(width, height int) *Recipe {
	p := Photo{width, height}
	r := setting.New[Recipe](p.Frame())
	r.Version, r.Photo, r.Lights = Version, p, []Light{}
	return &r
}

// Gain returns what all light of a light is multiplied by.
func (l *Light) Gain() float64 { return l.Level * math.Exp2(l.Intensity) }

// DefaultLight returns a light without shapes: the core and the stack of a panel, and
// spill, in sizes that suit the photo.
func DefaultLight(p Photo) Light {
	l := setting.New[Light](p.Frame())
	l.Shapes = shape.Shapes{}
	RigOf("panel").Put(&l, p)
	return l
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
		g := r.GroupOf(l.Group)
		lit[i] = l.On && len(l.Shapes) > 0 && (!alone || l.Alone) && (g == nil || g.On)
	}
	return lit
}

// GroupOf returns the group of an id, nil for none.
func (r *Recipe) GroupOf(id string) *Group {
	for i := range r.Groups {
		if r.Groups[i].ID == id {
			return &r.Groups[i]
		}
	}
	return nil
}

// Shining returns light i as the fader of its group leaves it.
func (r *Recipe) Shining(i int) *Light {
	g := r.GroupOf(r.Lights[i].Group)
	if g == nil || g.Level == 1 {
		return &r.Lights[i]
	}
	l := r.Lights[i]
	l.Level *= g.Level
	return &l
}

// Clone returns a deep copy.
func (r *Recipe) Clone() *Recipe {
	c := setting.Clone(*r)
	return &c
}

// Scale returns the recipe for the same photo k times as large on each edge:
// all its lengths are multiplied.
func (r *Recipe) Scale(k float64) *Recipe {
	c := setting.Scale(*r, k)
	return &c
}

// Check refuses lights that share an id, and what refers to a light or an area that is
// not there or to itself.
func (r Recipe) Check(setting.Frame) (field, msg string) {
	for i := range r.Lights {
		if id := r.Lights[i].ID; slices.ContainsFunc(r.Lights[:i],
			func(o Light) bool { return o.ID == id }) {
			return fmt.Sprintf("lights[%d].id", i), fmt.Sprintf("Two lights have the id %q.", id)
		}
	}
	for i := range r.Groups {
		if id := r.Groups[i].ID; slices.ContainsFunc(r.Groups[:i],
			func(o Group) bool { return o.ID == id }) {
			return fmt.Sprintf("groups[%d].id", i), fmt.Sprintf("Two groups have the id %q.", id)
		}
	}
	for i := range r.Lights {
		l := &r.Lights[i]
		if l.Group != "" && r.GroupOf(l.Group) == nil {
			return fmt.Sprintf(
					"lights[%d].group",
					i,
				), fmt.Sprintf(
					"The group of the light “%s” is not in this shot. Choose another.",
					l.Name,
				)
		}
		if msg := r.trims(l, l.Trim.Area); msg != "" {
			return fmt.Sprintf("lights[%d].trim.area", i), msg
		}
		if msg := r.trims(l, l.Rays.Trim.Area); msg != "" {
			return fmt.Sprintf("lights[%d].rays.trim.area", i), msg
		}
		if msg := r.trims(l, l.Rays.Near); msg != "" {
			return fmt.Sprintf("lights[%d].rays.near", i), msg
		}
		for j := range l.Shells {
			if msg := r.trims(l, l.Shells[j].Trim.Area); msg != "" {
				return fmt.Sprintf("lights[%d].shells[%d].trim.area", i, j), msg
			}
		}
	}
	if field, msg := r.checkCutOuts(); msg != "" {
		return field, msg
	}
	if field, msg := r.checkRoom(); msg != "" {
		return field, msg
	}
	if i, msg := area.Check(r.Areas); msg != "" {
		return fmt.Sprintf("areas[%d]", i), msg
	}
	for i := range r.Areas {
		for j, p := range r.Areas[i].Parts {
			if l, ok := p.Of.(area.Light); ok && l.Light != "" && r.LightOf(l.Light) == nil {
				return fmt.Sprintf(
						"areas[%d].parts[%d].of.light",
						i,
						j,
					), fmt.Sprintf(
						"The area “%s” uses a light that is not in this shot. Choose another.",
						r.Areas[i].Name,
					)
			}
		}
	}
	for _, list := range []struct {
		at     string
		passes []pass.Pass
	}{{"dusk.passes", r.Dusk.Passes}, {"finish.passes", r.Finish.Passes}} {
		for i := range list.passes {
			p := &list.passes[i]
			if p.Area != "" && r.Area(p.Area) == nil {
				return fmt.Sprintf(
						"%s[%d].area",
						list.at,
						i,
					), fmt.Sprintf(
						"The area of the pass “%s” is not in this shot. Choose another.",
						p.Name,
					)
			}
			if f, ok := p.Does.(pass.Ramp); ok && f.Follow != "" &&
				r.LightOf(area.LightRef(f.Follow)) == nil {
				return fmt.Sprintf(
						"%s[%d].does.follow",
						list.at,
						i,
					), fmt.Sprintf(
						"The light of the ramp “%s” is not in this shot. Choose another.",
						p.Name,
					)
			}
		}
	}
	if a := r.Dusk.Back.Area; a != "" && r.Area(a) == nil {
		return "dusk.back.area", "The area of restored daylight is not in this shot. Choose another."
	}
	return "", ""
}

// trims says why an area cannot trim a light, or nothing.
func (r *Recipe) trims(l *Light, id area.Ref) string {
	if id == "" {
		return ""
	}
	a := r.Area(id)
	if a == nil {
		return fmt.Sprintf(
			"The trim area of the light “%s” is not in this shot. Choose another.",
			l.Name,
		)
	}
	if r.glows(a, 0) {
		return fmt.Sprintf(
			"“%s” depends on a light's glow or spill and cannot trim the light “%s”. Use a drawn area or a cut-out.",
			a.Name,
			l.Name,
		)
	}
	return ""
}

// Area returns the area of an id, nil for none: one of the list, or what stands for a cut-out or
// for the shapes of a light.
func (r *Recipe) Area(id area.Ref) *area.Area {
	if kind, _ := id.Of(); kind != "" {
		return r.standing(id)
	}
	for i := range r.Areas {
		if r.Areas[i].ID == string(id) {
			return &r.Areas[i]
		}
	}
	return nil
}

// LightOf returns the light of an id, nil for none.
func (r *Recipe) LightOf(id area.LightRef) *Light {
	for i := range r.Lights {
		if r.Lights[i].ID == string(id) {
			return &r.Lights[i]
		}
	}
	return nil
}

// Validate returns nil or the first fault, a *fault.Error that names its field.
func (r *Recipe) Validate() error { return setting.Validate(*r, r.Photo.Frame()) }

// Encode returns the recipe as JSON, complete in itself.
func (r *Recipe) Encode() []byte { return setting.Encode(*r) }

// Pack returns the recipe as JSON in which long lists of points stand as the
// SHA-256 of their bytes, and those bytes by that name.
func (r *Recipe) Pack() (doc []byte, lists map[string][]byte) { return setting.Pack(*r) }

// Read reads a recipe from JSON and validates it; from is the version that it had. One of before
// version 5 is not up to date yet: edit.Decode and edit.Unpack do the rest. load returns the bytes
// of lists of points by their SHA-256; where it is nil, such lists are faults. All faults are of
// type *fault.Error.
func Read(data []byte, load func(sum string) ([]byte, error)) (r *Recipe, from int, err error) {
	if len(data) > MaxBytes {
		return nil, 0, fault.New(fault.TooLarge, "The recipe is larger than %d MB.", MaxBytes>>20)
	}
	raw, err := setting.Parse(data, "recipe")
	if err != nil {
		return nil, 0, err
	}
	if from, err = upgrade(raw); err != nil {
		return nil, from, err
	}
	r = new(Recipe)
	if err := setting.Decode(raw, r, frameOf(raw)); err != nil {
		return nil, from, err
	}
	if load != nil {
		if *r, err = setting.Resolve(*r, load); err != nil {
			return nil, from, err
		}
	}
	return r, from, r.Validate()
}

// frameOf finds the photo's size in what is not decoded yet, for defaults that
// depend on it. A size that is wrong is found later.
func frameOf(raw any) (f setting.Frame) {
	if doc, ok := raw.(map[string]any); ok {
		if p, ok := doc["photo"].(map[string]any); ok {
			f.W, _ = p["width"].(float64)
			f.H, _ = p["height"].(float64)
		}
	}
	return f
}

// widest is the longest edge that a photo can have.
var widest = setting.Of[Photo]("width").Max.A

// Schema returns the JSON Schema of recipes.
func Schema() []byte {
	return setting.Schema[Recipe](
		"https://pyrant.example/recipe.schema.json",
		"Pyrant recipe",
		setting.Frame{W: widest, H: widest},
	)
}
