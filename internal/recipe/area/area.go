// Package area computes areas: how much of each place of the photo an effect may
// touch, from 0 to 1.
//
// An Area is an ordered list of parts. Each adds to what the parts before it left,
// takes away from it, or keeps only what both cover; if the first part does not add,
// it works on the whole photo. With p for a part's coverage and A for what is there
// before it,
//
//	add        1 − (1−A)·(1−p)
//	take away  A·(1−p)
//	keep       A·p
//
// where p is taken by the part's amount: nothing of it adds nothing, takes nothing away
// and keeps everything.
//
// What a part covers is its Source, of one of the Kinds: traced shapes, gradients,
// painted strokes, a window of brightness, a band of hue, a light, another area.
// All of them are vectors or rules to the end, and render alike at every scale.
//
// What an area needs of its surroundings (the photo, what lights cover, a store for
// masks) it asks a World for.
package area

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"image"
	"slices"
	"strings"

	"pyrant/internal/base/coverage"
	"pyrant/internal/base/guided"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/cutout"
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
	Parts []Part `json:"parts" label:"Parts" count:"0..64" each:"part" title:"*" doc:"in their order"`
}

// Part is one step in the making of an area.
type Part struct {
	On       bool    `json:"on" label:"Switch" default:"true" row:"own"`
	Does     Does    `json:"does" label:"Does" default:"add" row:"own" doc:"to what the parts before it cover"`
	Inverted bool    `json:"inverted,omitzero" label:"Inverted" row:"own" doc:"covers what it otherwise leaves"`
	Feather  float64 `json:"feather" label:"Feather" unit:"px" range:"0..L/4" slider:"0..L/20" default:"0" step:"0.1" row:"own" doc:"deviation of a soft edge; nothing for glow and spill, which are soft"`
	Amount   float64 `json:"amount" label:"Amount" unit:"%" range:"0..1" default:"1" step:"0.01"`
	Of       Source  `json:"of" label:"What it covers" title:"*"`
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
		Label: "Take away"}, {Value: string(Keep), Label: "Keep only"}}
}

// Source is what a part covers.
type Source interface {
	// prepare makes the coverage ready for the rows of r, softened by a feather in
	// pixels of the picture. The rows may be asked for by several goroutines.
	prepare(ctx context.Context, w World, feather float64, r image.Rectangle) (Rows, error)
}

// Kinds lists the kinds of Source.
var Kinds = setting.Register[Source](
	setting.Kind{Word: "shape", Label: "Shape", Zero: Shape{}},
	setting.Kind{Word: "line", Label: "Line", Zero: Line{}},
	setting.Kind{Word: "ring", Label: "Ring", Zero: Ring{}},
	setting.Kind{Word: "strokes", Label: "Strokes", Zero: Strokes{}},
	setting.Kind{Word: "tone", Label: "Tone", Zero: ToneWindow{}},
	setting.Kind{Word: "hue", Label: "Hue", Zero: Hue{}},
	setting.Kind{Word: "light", Label: "Light", Zero: Light{}},
	setting.Kind{Word: "cut-out", Label: "Cut-out", Zero: CutOut{}},
	setting.Kind{Word: "surface", Label: "Surface", Zero: Surface{}},
	setting.Kind{Word: "area", Label: "Other area", Zero: Other{}},
)

// Rows gives coverage row by row.
type Rows interface {
	// Fill writes the coverage of row y from column x0 on, one value for each
	// element of dst.
	Fill(dst []float32, x0, y int)
}

// World is what areas are evaluated in: a picture at some scale, its photo and its
// lights.
type World interface {
	// Scale is pixels of the picture for each pixel of the photo.
	Scale() float64
	// Frame is the whole picture.
	Frame() image.Rectangle
	// Photo gives rows of the photo before dusk at the picture's scale, linear,
	// three samples a pixel.
	Photo() func(dst []float32, x0, y int)
	// PhotoKey names the photo.
	PhotoKey() string
	// Mask returns the mask of a key, made where there is none yet.
	Mask(ctx context.Context, key string, make func() coverage.Mask) (coverage.Mask, error)
	// Whole returns the coverage of a key over the whole frame, which make makes, as a whole or
	// part by part.
	Whole(ctx context.Context, key string, make func(ctx context.Context,
		part image.Rectangle) (*raster.Plane, error)) (Rows, error)
	// Filter returns the guided filter of a key, made in the world of the whole picture with
	// a long edge of so many pixels, or of the photo's if that is less.
	Filter(ctx context.Context, key string, edge int, make func(context.Context,
		World) (*guided.Filter, error)) (*guided.Filter, error)
	// Soften blurs a mask by a deviation in pixels of the picture.
	Soften(ctx context.Context, key string, m coverage.Mask, sigma float64,
		r image.Rectangle) (Rows, error)
	// Light returns where a light is, or what it gives.
	Light(ctx context.Context, l Light, feather float64, r image.Rectangle) (Rows, error)
	// LightKey names what Light depends on.
	LightKey(l Light) string
	// CutOut returns what a cut-out covers, "" for all of them.
	CutOut(ctx context.Context, id cutout.Ref, feather float64, r image.Rectangle) (Rows, error)
	// CutOutKey names what CutOut depends on.
	CutOutKey(id cutout.Ref) string
	// Surface returns what is seen of a surface of the room.
	Surface(ctx context.Context, id SurfaceRef, feather float64, r image.Rectangle) (Rows, error)
	// SurfaceKey names what Surface depends on.
	SurfaceKey(id SurfaceRef) string
	// Area returns another area, nil for one that is not there.
	Area(Ref) *Area
}

// empty tells whether the area covers nothing, as it has no part that is on.
func (a *Area) empty() bool {
	return !slices.ContainsFunc(a.Parts, func(p Part) bool { return p.On })
}

// Key names the area in w by all that it depends on but the scale.
func (a *Area) Key(w World) string {
	var b strings.Builder
	b.WriteString(setting.Key(a.Parts))
	for i := range a.Parts {
		switch s := a.Parts[i].Of.(type) {
		case ToneWindow, Hue:
			b.WriteString(" " + w.PhotoKey())
		case Light:
			b.WriteString(" " + w.LightKey(s))
		case CutOut:
			b.WriteString(" " + w.CutOutKey(s.Of))
		case Surface:
			b.WriteString(" " + w.SurfaceKey(s.Of))
		case Other:
			if o := w.Area(s.Area); o != nil {
				b.WriteString(" " + o.Key(w))
			}
		}
	}
	sum := sha256.Sum256([]byte(b.String()))
	return hex.EncodeToString(sum[:12])
}

// Plane returns the coverage over r, in pixels of w's picture.
func (a *Area) Plane(ctx context.Context, w World, r image.Rectangle) (*raster.Plane, error) {
	out := raster.NewPlane(r)
	if a.empty() {
		return out, nil
	}
	rows := make([]Rows, len(a.Parts))
	for i := range a.Parts {
		p := &a.Parts[i]
		if !p.On {
			continue
		}
		var err error
		if rows[i], err = p.Of.prepare(ctx, w, p.Feather*w.Scale(), r); err != nil {
			return nil, err
		}
	}
	return out, raster.Rows(ctx, r.Min.Y, r.Max.Y, func(y0, y1 int) {
		cover := make([]float32, r.Dx())
		for y := y0; y < y1; y++ {
			if ctx.Err() != nil {
				return
			}
			dst, first := out.Row(y), true
			for i, src := range rows {
				if src == nil {
					continue
				}
				src.Fill(cover, r.Min.X, y)
				a.Parts[i].join(dst, cover, first)
				first = false
			}
		}
	})
}

// join lets the part's coverage work on what is there. The first part finds nothing
// to add to, or all to take away from.
func (p *Part) join(dst, cover []float32, first bool) {
	amount := float32(p.Amount)
	if first && p.Does != Add {
		for i := range dst {
			dst[i] = 1
		}
	}
	cover = cover[:len(dst)]
	base, sign := float32(0), amount
	if p.Inverted {
		base, sign = amount, -amount
	}
	switch p.Does {
	case Add:
		for i, v := range cover {
			v = base + sign*min(max(v, 0), 1)
			dst[i] += v - dst[i]*v
		}
	case Away:
		for i, v := range cover {
			dst[i] -= dst[i] * (base + sign*min(max(v, 0), 1))
		}
	default:
		for i, v := range cover {
			dst[i] -= dst[i] * (amount - base - sign*min(max(v, 0), 1))
		}
	}
}

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
				fault = fmt.Sprintf("The area “%s” uses an area that is not in this shot; choose another for its part.", areas[i].Name)
			case i == j:
				fault = fmt.Sprintf("The area “%s” cannot be a part of itself.", areas[i].Name)
			case depth[j] < 0:
				fault = fmt.Sprintf("The areas “%s” and “%s” go round in a circle: each is a part of the other.", areas[i].Name, areas[j].Name)
			default:
				most = max(most, visit(j))
			}
		}
		depth[i] = most + 1
		if most+1 > MaxDepth && fault == "" {
			fault = fmt.Sprintf("The area “%s” is nested %d deep in others; it may be %d.", areas[i].Name, most+1, MaxDepth)
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
