// Package cutout holds figures and things that were cut out of a photo once, to be used as areas,
// as blockers and as the shapes of lights.
//
// A CutOut is a Raster, how much of each pixel the thing covers and what share of the pixel's light
// is its own, with the strokes that it was made by (see package segment), so that it can be taken
// up again. The raster is kept with the recipe: what it shows does not change when the way of
// finding it does.
package cutout

import (
	"encoding/binary"
	"math"

	"pyrant/internal/recipe/setting"
)

// Ref names a cut-out by its id; "" names all.
type Ref string

// CutOut is a thing that was cut out.
type CutOut struct {
	ID      string   `json:"id" count:"1..64" doc:"unique among the cut-outs, never shown"`
	Name    string   `json:"name" label:"Name" count:"1..80"`
	Band    float64  `json:"band" label:"Edge width" unit:"px" range:"0..L/20" slider:"0.2..L/60 log" default:"L/1600" step:"0.1" doc:"how far to each side of the edge pixels may be partly covered"`
	X       float64  `json:"x" label:"Offset X" unit:"px" range:"-W..W" slider:"-W/4..W/4" default:"0" step:"0.1" doc:"moves the cut-out to the right"`
	Y       float64  `json:"y" label:"Offset Y" unit:"px" range:"-H..H" slider:"-H/4..H/4" default:"0" step:"0.1" doc:"moves the cut-out down"`
	Strokes []Stroke `json:"strokes,omitzero" label:"Strokes" row:"own" count:"0..300" each:"stroke" title:"*" doc:"where two cross, the later one counts"`
	Mends   []Mend   `json:"mends,omitzero" label:"Repairs" row:"own" count:"0..500" each:"repair" title:"*" doc:"coverage painted by hand over the computed one"`
	Raster  Raster   `json:"raster" title:"*"`
}

// Says is what a stroke says of the places that it covers.
type Says string

// What a stroke can say.
const (
	In   Says = "in"   // they belong to the thing
	Out  Says = "out"  // they do not
	Soft Says = "soft" // the thing's edge is soft there
	Loop Says = "loop" // all that lies outside of the stroke, closed to a loop, does not
)

// Choices returns what a stroke can say.
func (Says) Choices() []setting.Choice {
	return []setting.Choice{{Value: string(In), Label: "Inside"}, {Value: string(Out),
		Label: "Outside"}, {Value: string(Soft), Label: "Fine edge"}, {Value: string(Loop), Label: "Loop"}}
}

// Stroke says something of the places that it covers.
type Stroke struct {
	ID       string              `json:"id,omitzero" row:"own" key:"-" count:"0..64" doc:"unique in its list, never shown"`
	Says     Says                `json:"says" label:"Meaning" default:"in"`
	Diameter float64             `json:"diameter" label:"Diameter" unit:"px" range:"0.01..L" slider:"L/1000..L/20 log" default:"L/120" step:"0.1"`
	Points   setting.List[Point] `json:"points" label:"Points" count:"1..30000" each:"point"`
}

// Point is a place on the photo.
type Point struct {
	X float64 `json:"x" label:"X" unit:"px" range:"-W..2W"`
	Y float64 `json:"y" label:"Y" unit:"px" range:"-H..2H"`
}

// AppendBinary writes the point as a list does.
func (p Point) AppendBinary(b []byte) ([]byte, error) {
	b = binary.LittleEndian.AppendUint64(b, math.Float64bits(p.X))
	return binary.LittleEndian.AppendUint64(b, math.Float64bits(p.Y)), nil
}

// Mend is a stroke that sets how much is covered.
type Mend struct {
	ID       string              `json:"id,omitzero" row:"own" key:"-" count:"0..64" doc:"unique in its list, never shown"`
	To       float64             `json:"to" label:"Coverage" unit:"%" range:"0..1" default:"1" step:"0.01" doc:"the coverage that the brush paints"`
	Diameter float64             `json:"diameter" label:"Diameter" unit:"px" range:"0.01..L" slider:"L/2000..L/20 log" default:"L/200" step:"0.1"`
	Softness float64             `json:"softness" label:"Softness" unit:"%" range:"0..1" default:"0.4" step:"0.01" doc:"share of the brush that fades out at its rim"`
	Points   setting.List[Point] `json:"points" label:"Points" count:"1..30000" each:"point"`
}

// Raster is coverage in cells of Cell pixels, from a corner that lies at (Left, Top). Beyond it
// nothing is covered.
type Raster struct {
	Left   float64       `json:"left" label:"Left edge" unit:"px" range:"-2L..3L" default:"0" doc:"of the stored pixels"`
	Top    float64       `json:"top" label:"Top edge" unit:"px" range:"-2L..3L" default:"0" doc:"of the stored pixels"`
	Cell   float64       `json:"cell" label:"Pixel size" unit:"px" range:"0.000001..L" default:"1" doc:"edge length of one stored pixel"`
	Width  int           `json:"width" label:"Width in pixels" range:"0..60000" default:"0"`
	Height int           `json:"height" label:"Height in pixels" range:"0..60000" default:"0"`
	Rough  bool          `json:"rough,omitzero" label:"Draft" doc:"computed on a reduced photo, not yet at full size"`
	Tiles  setting.Bytes `json:"tiles,omitzero" label:"Pixels" doc:"coverage in compressed tiles; see package cutout"`
}

// Empty tells whether nothing is covered.
func (c *CutOut) Empty() bool { return c.Raster.Tiles.Len() == 0 }

// Check refuses a raster that is larger than a photo can be.
func (r Raster) Check(f setting.Frame) (field, msg string) {
	if float64(r.Width)*float64(r.Height) > MaxCells {
		return "width", "A cut-out can have at most 400 million pixels."
	}
	return "", ""
}

// MaxCells is how many cells a raster has, at most.
const MaxCells = 400_000_000
