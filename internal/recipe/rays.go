package recipe

import (
	"math"

	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// Rays are what a lens gives to a light's points: its ellipses and the bulbs of its strings. See
// package rays.
type Rays struct {
	On       bool      `json:"on" label:"On" default:"false" row:"own"`
	Strength float64   `json:"strength" label:"Strength" unit:"%" range:"0..10" slider:"0..3" default:"1" step:"0.01"`
	Length   float64   `json:"length" label:"Length" unit:"px" range:"0..20000" slider:"L/300..L/2 log" default:"L/25" step:"0.1" doc:"of the rays of the largest point light"`
	Made     RaysBy    `json:"made" label:"Star from" default:"rays" doc:"what the count counts"`
	Count    int       `json:"count" label:"Count" range:"1..200" slider:"1..40" default:"6" doc:"number of rays or aperture blades; an odd number of blades gives twice as many rays"`
	Stop     float64   `json:"stop" label:"Aperture" unit:"f" range:"4..64" slider:"4..64 log" default:"16" step:"0.1" doc:"f-number of the lens; higher gives broader rays"`
	Rounded  float64   `json:"rounded" label:"Blade curvature" unit:"%" range:"0..1" default:"0.05" step:"0.01" doc:"0 for straight blades; 100 % is a circle, which has no rays"`
	Worn     float64   `json:"worn" label:"Blade wear" unit:"%" range:"0..1" default:"0.15" step:"0.01" doc:"how uneven the blades and how dusty the glass"`
	Thick    float64   `json:"thick" label:"Thickness" unit:"px" range:"0..500" slider:"L/6000..L/100 log" default:"L/900" step:"0.1" doc:"of the rays of the largest point light, at their root"`
	Taper    float64   `json:"taper" label:"Taper" unit:"%" range:"0..1" default:"0.8" step:"0.01" doc:"how much thinner rays are at their tip"`
	Turn     float64   `json:"turn" label:"Rotation" unit:"°" range:"0..360" default:"15" step:"0.5" doc:"of the first ray, clockwise from the right"`
	Halo     float64   `json:"halo" label:"Halo" unit:"%" range:"0..4" slider:"0..1" default:"0.25" step:"0.01" doc:"soft light round each point light"`
	HaloSize float64   `json:"haloSize" label:"Halo size" unit:"%" range:"0.01..2" slider:"0.02..0.6" default:"0.16" step:"0.01" doc:"relative to the rays' length"`
	Veil     float64   `json:"veil" label:"Glow between rays" unit:"%" range:"0..2" slider:"0..1" default:"0.06" step:"0.01" doc:"0 shows the rays alone"`
	Lengths  float64   `json:"lengths" label:"Length variation" unit:"%" range:"0..1" default:"0.15" step:"0.01" doc:"how much shorter some rays are"`
	Angles   float64   `json:"angles" label:"Angle variation" unit:"%" range:"0..1" default:"0" step:"0.01" doc:"how far rays turn towards their neighbours"`
	Seed     int       `json:"seed" label:"Seed" range:"0..9999" default:"1" doc:"another number gives another variation"`
	Spread   float64   `json:"spread" label:"Colour spread" unit:"%" range:"0..1" default:"0.06" step:"0.01" doc:"how much longer red rays are than blue ones"`
	Squeeze  float64   `json:"squeeze" label:"Squeeze" unit:"%" range:"0..0.95" default:"0" step:"0.01" doc:"how much narrower the star is across"`
	Slant    float64   `json:"slant" label:"Squeeze angle" unit:"°" range:"-90..90" default:"0" step:"0.5" doc:"of the wide side, clockwise from level"`
	Distance float64   `json:"distance" label:"Scale by distance" unit:"%" range:"0..1" default:"0.7" step:"0.01" doc:"0 makes all stars alike; 100 % makes far or small ones as much smaller as their point light is"`
	By       Nearness  `json:"by" label:"Distance from" default:"size" doc:"how the distance of a point light is estimated"`
	Near     area.Ref  `json:"near" label:"Near area" default:"" row:"own" doc:"id of the area whose coverage says how near a point light is; empty for all alike"`
	Lead     int       `json:"lead" label:"Main point light" range:"0..500" default:"0" doc:"its number in the light; 0 for the largest"`
	Chorus   float64   `json:"chorus" label:"Other point lights" unit:"%" range:"0..1" default:"1" step:"0.01" doc:"strength of the rays of all other point lights"`
	Colour   RayColour `json:"colour" label:"Colour" default:"own"`
	Trim     Trim      `json:"trim" title:"Rays: *" doc:"keeps rays off an area"`
	Cuts     []Cut     `json:"cuts,omitzero" label:"Shortened rays" row:"own" count:"0..300" each:"shortened ray" title:"shortened ray" doc:"single rays that end before their length"`
}

// Cut is a ray of one point that ends early.
type Cut struct {
	Point int     `json:"point" label:"Point light" row:"own" range:"0..100000" doc:"its number in the light, from 0"`
	Ray   int     `json:"ray" label:"Ray" row:"own" range:"0..400" doc:"its number, clockwise from 0"`
	At    float64 `json:"at" label:"Ends at" row:"own" unit:"%" range:"0..1" step:"0.001" doc:"share of the length that is left"`
}

// Nearness is what tells how near a point is.
type Nearness string

// What can tell how near points are.
const (
	BySize  Nearness = "size"
	ByLight Nearness = "light" // its size, and how bright the photo shows it
	ByDepth Nearness = "depth" // its place in the room
	ByArea  Nearness = "area"
)

// Choices returns what can tell how near points are.
func (Nearness) Choices() []setting.Choice {
	return []setting.Choice{{Value: string(BySize), Label: "Size"}, {Value: string(ByLight),
		Label: "Size and brightness"}, {Value: string(ByDepth), Label: "Depth in the room"}, {Value: string(ByArea), Label: "Area"}}
}

// RaysBy is what is counted.
type RaysBy string

// What can be counted: rays, or the blades of an aperture.
const (
	ByRays   RaysBy = "rays"
	ByBlades RaysBy = "blades"
	ByLens   RaysBy = "lens" // as the blades of an aperture diffract light
)

// Choices returns what can be counted.
func (RaysBy) Choices() []setting.Choice {
	return []setting.Choice{{Value: string(ByRays), Label: "Rays"}, {Value: string(ByBlades),
		Label: "Blades"}, {Value: string(ByLens), Label: "Lens"}}
}

// RayColour is what colours rays.
type RayColour string

// The colours of rays: each point's own, as the photo shows it, or the light's gel.
const (
	OwnColours RayColour = "own"
	OfGel      RayColour = "gel"
)

// Choices returns the colours.
func (RayColour) Choices() []setting.Choice {
	return []setting.Choice{{Value: string(OwnColours), Label: "Own colours"},
		{Value: string(OfGel), Label: "Gel"}}
}

// Idle names what does nothing as the rays are.
func (r Rays) Idle() (idle []string) {
	if r.Made == ByLens {
		idle = []string{"thick", "taper", "lengths", "angles", "spread", "cuts"}
		if r.Worn == 0 {
			idle = append(idle, "seed")
		}
	} else if idle = []string{"stop", "rounded", "worn"}; r.Lengths == 0 && r.Angles == 0 {
		idle = append(idle, "seed")
	}
	if r.Halo == 0 {
		idle = append(idle, "haloSize")
	}
	if r.Squeeze == 0 {
		idle = append(idle, "slant")
	}
	if r.Distance == 0 {
		idle = append(idle, "by")
	}
	if r.Chorus == 1 {
		idle = append(idle, "lead")
	}
	return idle
}

// Leads returns which of a light's points leads, -1 for none.
func (r Rays) Leads(spots []shape.Spot) int {
	if r.Lead > 0 && r.Lead <= len(spots) {
		return r.Lead - 1
	}
	best := -1
	for i, s := range spots {
		if best < 0 || s.Radius > spots[best].Radius {
			best = i
		}
	}
	return best
}

// Share returns how long the rays of a point are, and how strong, against those of the nearest, by
// how near it is against that one: a size goes as the inverse of a distance.
func (r Rays) Share(near float64) (length, strength float64) {
	k := math.Pow(math.Min(math.Max(near, 1e-3), 1), r.Distance)
	return k, math.Sqrt(k)
}
