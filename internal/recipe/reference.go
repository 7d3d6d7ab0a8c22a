package recipe

import (
	"regexp"
	"slices"

	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
)

// Reference is a second photo of the same set with small real lights on, and how the photo lies on
// it.
type Reference struct {
	Sum    string  `json:"sum" label:"Picture" default:"" row:"own" count:"0..64" doc:"SHA-256 of the file; empty for none"`
	Name   string  `json:"name" label:"Name" default:"" row:"own" count:"0..80"`
	Width  int     `json:"width" label:"Picture width" row:"own" range:"0..60000" default:"0" doc:"in its own pixels"`
	Height int     `json:"height" label:"Picture height" row:"own" range:"0..60000" default:"0"`
	X      float64 `json:"x" label:"Offset X" unit:"%" range:"-1..1" slider:"-0.1..0.1" default:"0" step:"0.0001" doc:"relative to its width"`
	Y      float64 `json:"y" label:"Offset Y" unit:"%" range:"-1..1" slider:"-0.1..0.1" default:"0" step:"0.0001" doc:"relative to its height"`
	Turn   float64 `json:"turn" label:"Rotation" unit:"°" range:"-180..180" slider:"-5..5" default:"0" step:"0.01" doc:"clockwise"`
	Size   float64 `json:"size" label:"Scale" unit:"%" range:"0.1..10" slider:"0.8..1.25 log" default:"1" step:"0.0001" doc:"100 % shows the same as the photo"`
}

// There tells whether there is a reference.
func (r Reference) There() bool { return r.Sum != "" }

var sum = regexp.MustCompile(`^[0-9a-f]{64}$`)

// Check refuses what names no file.
func (r Reference) Check(setting.Frame) (field, msg string) {
	if r.Sum != "" && (!sum.MatchString(r.Sum) || r.Width < 1 || r.Height < 1) {
		return "sum", "The reference has no picture. Attach it again."
	}
	return "", ""
}

// Pictures returns the sums of the pictures that the recipe names beside its photo.
func (r *Recipe) Pictures() (out []string) {
	if r.Reference.There() {
		out = append(out, r.Reference.Sum)
	}
	for _, sum := range append(pass.Pictures(r.Dusk.Passes), pass.Pictures(r.Finish.Passes)...) {
		if !slices.Contains(out, sum) {
			out = append(out, sum)
		}
	}
	return out
}
