package web

import (
	"fmt"
	"html/template"
	"slices"

	"pyrant/internal/base/codec"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/crop"
	"pyrant/internal/recipe/setting"
)

var photoStep = &step{ID: "photo", Name: "Photo", Filled: func(*recipe.Recipe) bool { return true }}

// Camera is what the photo's file tells of how it was taken.
func (p *page) Camera() ([]codec.Fact, error) {
	ph, err := p.photo()
	if err != nil {
		return nil, err
	}
	return codec.Camera(ph.EXIF), nil
}

// Composed tells whether the picture is not just the photo; Cropped, whether it is a part of it.
func (p *page) Composed() bool { return !p.R.Crop.Idle() }
func (p *page) Cropped() bool  { return !p.R.Crop.Whole() }

// CropBrief says how large the picture is.
func (p *page) CropBrief() string {
	w, h := p.R.Size()
	return fmt.Sprintf("%d × %d px, %s", w, h, megapixels(w, h))
}

// CropRows are settings of the frame, in numbers also where it is all of the photo.
func (p *page) CropRows(names ...string) (out []row) {
	v := struct {
		Crop crop.Crop `json:"crop"`
	}{p.R.Crop.Of(p.R.Photo.Width, p.R.Photo.Height)}
	for _, n := range names {
		if r, ok := rowAt(v, "/crop/"+n, p.frame()); ok {
			out = append(out, r)
		}
	}
	return out
}

// cropButton is a button that moves the frame. Value is a ratio.
type cropButton struct {
	Name, Value string
	Ops         string
}

func cropOps(m string) string { return `[{"op":"crop","path":"/crop","value":` + m + `}]` }

// Ratios are those that the frame can have.
func (p *page) Ratios() []cropButton {
	out := []cropButton{{Name: "Free", Value: "0"}}
	add := func(name string, a, b float64) {
		out = append(
			out,
			cropButton{name, fmt.Sprintf("%.6g", a/b), cropOps(fmt.Sprintf(`{"ratio":%.6g}`, a/b))},
		)
	}
	w, h := p.R.Photo.Width, p.R.Photo.Height
	if p.R.Crop.Turns%2 == 1 {
		w, h = h, w
	}
	add("Photo", float64(w), float64(h))
	add("1:1", 1, 1)
	for _, r := range [][2]float64{{5, 4}, {4, 3}, {3, 2}, {16, 9}} {
		add(fmt.Sprintf("%g:%g", r[0], r[1]), r[0], r[1])
		add(fmt.Sprintf("%g:%g", r[1], r[0]), r[1], r[0])
	}
	return out
}

// Turns are what turns and mirrors the picture.
func (p *page) Turns() []cropButton {
	return []cropButton{
		{
			Name: "Rotate left",
			Ops:  cropOps(`{"turn":-1}`),
		}, {Name: "Rotate right", Ops: cropOps(`{"turn":1}`)},
		{
			Name: "Mirror",
			Ops:  cropOps(`{"flip":true}`),
		}, {Name: "Flip", Ops: cropOps(`{"upright":true}`)},
	}
}

// CropSize is the move of the frame's size: smaller, and what is in it is larger.
func (p *page) CropSize() move {
	return move{Label: "Scale crop", Op: "crop", Path: "/crop", Name: "by", Unit: "%",
		Value: "{}", Least: 0.25, Most: 4, At: 1, Times: 100, Log: true}
}

// Uncrop is the change to the photo as it is.
func (p *page) Uncrop() template.JSStr {
	return template.JSStr(
		`[{"op":"replace","path":"/crop","value":` + string(setting.Encode(crop.Crop{})) + `}]`,
	)
}

// guides are lines within the frame that the page draws.
type guides struct {
	Guides guide `json:"guides" label:"Guides" default:"thirds"`
}

type guide string

// Choices lists the guides.
func (guide) Choices() []setting.Choice {
	return []setting.Choice{{Value: "none", Label: "None"}, {Value: "thirds", Label: "Thirds"},
		{Value: "middle", Label: "Centre"}, {Value: "diagonals", Label: "Diagonals"}}
}

// Guides is the row of what guides are drawn.
func (p *page) Guides() []row {
	return slices.Clone(localRows(p, setting.New[guides](p.frame()), "crop-"))
}
