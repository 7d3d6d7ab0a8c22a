// Package area declares areas: parts of the photo that an effect is limited to. Package areas
// computes what they cover.
//
// An Area is an ordered list of parts. What a part covers is its Source, of one of the Kinds:
// traced shapes, gradients, painted strokes, a window of brightness, a band of hue, a light,
// another area. All of them are vectors or rules to the end, and render alike at every scale.
package area

import (
	"fmt"
	"strings"

	"pyrant/internal/recipe/setting"
)

// Ref names an area by its id; "" names none.
type Ref string

// What besides an area of the list a Ref can name, by what stands before its colon: a cut-out, all
// but that, the shapes of a light. Without an id after it all cut-outs are meant.
const (
	OfCutOut  = "cut-out"
	OfBehind  = "behind"
	OfLight   = "light"
	separator = ":"
)

// RefTo returns the name of what is no area of the list.
func RefTo(kind, id string) Ref { return Ref(kind + separator + id) }

// Of returns which kind of thing a Ref names that is no area of the list, and its id; "" for an
// area.
func (r Ref) Of() (kind, id string) {
	kind, id, ok := strings.Cut(string(r), separator)
	if !ok || kind != OfCutOut && kind != OfBehind && kind != OfLight {
		return "", ""
	}
	return kind, id
}

// Split parts a name of the form kind:id; ok is false for one without a colon.
func Split(name string) (kind, id string, ok bool) {
	kind, id, ok = strings.Cut(name, separator)
	if !ok {
		return "", "", false
	}
	return kind, id, true
}

// LightRef names a light by its id; "" names all.
type LightRef string

// Area is a part of the photo that an effect is limited to.
type Area struct {
	ID    string `json:"id" count:"1..64" doc:"unique among the areas, never shown"`
	Name  string `json:"name" label:"Name" count:"1..80"`
	Parts []Part `json:"parts" label:"Parts" count:"0..64" each:"part" title:"*" doc:"each combines with those before it"`
}

// Part is one step in the making of an area.
type Part struct {
	ID       string  `json:"id,omitzero" row:"own" key:"-" count:"0..64" doc:"unique in its list, never shown"`
	On       bool    `json:"on" label:"On" default:"true" row:"own"`
	Does     Does    `json:"does" label:"Combine" default:"add" row:"own" doc:"how it combines with the parts before it"`
	Inverted bool    `json:"inverted,omitzero" label:"Invert" row:"own" doc:"covers what it would leave out"`
	Feather  float64 `json:"feather" label:"Feather" unit:"px" range:"0..L/4" slider:"0..L/20" default:"0" step:"0.1" row:"own" doc:"softness of the edge; glow and spill are soft already"`
	Amount   float64 `json:"amount" label:"Amount" unit:"%" range:"0..1" default:"1" step:"0.01"`
	Of       Source  `json:"of" label:"Source" title:"*"`
}

// Does is what a part does to those before it.
type Does string

// What a part can do.
const (
	Add  Does = "add"
	Away Does = "away"
	Keep Does = "keep"
)

// Choices returns what a part can do.
func (Does) Choices() []setting.Choice {
	return []setting.Choice{{Value: string(Add), Label: "Add"}, {Value: string(Away),
		Label: "Subtract"}, {Value: string(Keep), Label: "Intersect"}}
}

// Source is what a part covers.
type Source interface{ source() }

func (Shape) source()      {}
func (Line) source()       {}
func (Ring) source()       {}
func (Strokes) source()    {}
func (ToneWindow) source() {}
func (Hue) source()        {}
func (Light) source()      {}
func (CutOut) source()     {}
func (Surface) source()    {}
func (Other) source()      {}

// Kinds lists the kinds of Source.
var Kinds = setting.Register[Source](
	setting.Kind{Word: "shape", Label: "Shape", Zero: Shape{}},
	setting.Kind{Word: "line", Label: "Linear gradient", Zero: Line{}},
	setting.Kind{Word: "ring", Label: "Radial gradient", Zero: Ring{}},
	setting.Kind{Word: "strokes", Label: "Strokes", Zero: Strokes{}},
	setting.Kind{Word: "tone", Label: "Tone", Zero: ToneWindow{}},
	setting.Kind{Word: "hue", Label: "Hue", Zero: Hue{}},
	setting.Kind{Word: "light", Label: "Light", Zero: Light{}},
	setting.Kind{Word: "cut-out", Label: "Cut-out", Zero: CutOut{}},
	setting.Kind{Word: "surface", Label: "Surface", Zero: Surface{}},
	setting.Kind{Word: "area", Label: "Another area", Zero: Other{}},
)

// MaxDepth is how deep areas may be nested in one another.
const MaxDepth = 8

// Check says what is wrong with how areas refer to each other: an area that is not
// there, a circle, a nest that is too deep. It returns the index of the area at fault
// and a sentence, "" where all is well.
func Check(areas []Area) (int, string) {
	at := make(map[Ref]int, len(areas))
	for i := range areas {
		if _, twice := at[Ref(areas[i].ID)]; twice {
			return i, fmt.Sprintf("Two areas have the id %q.", areas[i].ID)
		}
		at[Ref(areas[i].ID)] = i
	}
	depth := make([]int, len(areas)) // 0 for one not seen yet, -1 for one on the way
	var fault string
	var visit func(i int) int
	visit = func(i int) int {
		if depth[i] > 0 {
			return depth[i]
		}
		depth[i] = -1
		most := 0
		for _, p := range areas[i].Parts {
			o, ok := p.Of.(Other)
			if !ok {
				continue
			}
			if kind, _ := o.Area.Of(); kind != "" {
				continue // what it stands for is no area of the list
			}
			j, ok := at[o.Area]
			switch {
			case fault != "":
			case !ok:
				fault = fmt.Sprintf(
					"The area “%s” uses an area that is not in this shot. Choose another.",
					areas[i].Name,
				)
			case i == j:
				fault = fmt.Sprintf("The area “%s” cannot be a part of itself.", areas[i].Name)
			case depth[j] < 0:
				fault = fmt.Sprintf(
					"The areas “%s” and “%s” contain each other. Delete one of the two parts.",
					areas[i].Name,
					areas[j].Name,
				)
			default:
				most = max(most, visit(j))
			}
		}
		depth[i] = most + 1
		if most+1 > MaxDepth && fault == "" {
			fault = fmt.Sprintf(
				"The area “%s” is nested %d levels deep; the limit is %d.",
				areas[i].Name,
				most+1,
				MaxDepth,
			)
		}
		return depth[i]
	}
	for i := range areas {
		if visit(i); fault != "" {
			return i, fault
		}
	}
	return 0, ""
}
