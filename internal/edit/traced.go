package edit

import (
	"math"
	"regexp"
	"strings"

	"pyrant/internal/base/coverage"
	"pyrant/internal/base/photo"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/objecthue"
)

// FirstTraced returns the index of the first light of a recipe that got its first shapes by a
// change, -1 for none.
func FirstTraced(before, after *recipe.Recipe) int {
	had := map[string]bool{}
	for i := range before.Lights {
		had[before.Lights[i].ID] = len(before.Lights[i].Shapes) > 0
	}
	for i := range after.Lights {
		if l := &after.Lights[i]; len(l.Shapes) > 0 && !had[l.ID] {
			return i
		}
	}
	return -1
}

// Introduce gives light i the hue of the object that its shapes cover on the photo, if the object
// has one and the light still has a dealt gel, and names it by hue and kind, such as "Red
// outline", if it still has a number for its name. It writes to r.
func Introduce(r *recipe.Recipe, i int, p *photo.Photo) {
	l := &r.Lights[i]
	if isDealt(l.Gel) {
		if hue, ok := objecthue.Of(p, maskOf(r, l.Shapes)); ok {
			l.Gel.Hue = math.Round(hue)
		}
	}
	if numbered.MatchString(l.Name) {
		rename(r, i, hueName(l.Gel)+" "+strings.ToLower(kindName(l.Shapes[0])))
	}
}

// maskOf returns what shapes cover on the photo: those that are traced, or the first cut-out.
func maskOf(r *recipe.Recipe, shapes shape.Shapes) coverage.Mask {
	k, is := shapes[0].(shape.CutOut)
	if !is {
		return shapes.At(1)
	}
	c := r.CutOut(k.Of)
	if c == nil || c.Empty() {
		return shapes.At(1)
	}
	m, err := c.Raster.Mask()
	if err != nil {
		return shapes.At(1) // damaged pixels: the hue stays as dealt
	}
	return c.On(m, cutout.Alpha).At(1)
}

// numbered is the name that AddLight gives.
var numbered = regexp.MustCompile(`^Light \d+$`)

// dealtGel returns the gel of the nth new light, from 0: hues keep apart by the golden angle.
func dealtGel(n int) float64 { return math.Mod(172+137.5*float64(n), 360) }

// isDealt reports whether a gel is as AddLight gives it.
func isDealt(g recipe.Gel) bool {
	fresh := setting.New[recipe.Gel](setting.Frame{})
	for n := range setting.Of[recipe.Recipe]("lights").Count[1] {
		fresh.Hue = dealtGel(n)
		if g == fresh {
			return true
		}
	}
	return false
}

// hueNames are the names of hues, each up to an angle of HSL.
var hueNames = []struct {
	to   float64
	name string
}{{15, "Red"}, {43, "Orange"}, {68, "Yellow"}, {165, "Green"}, {198, "Cyan"}, {258, "Blue"},
	{292, "Violet"}, {345, "Pink"}, {360, "Red"}}

// minNamed is the saturation from which a gel is called by its hue.
const minNamed = 0.15

// hueName returns what people call the colour of a gel.
func hueName(g recipe.Gel) string {
	if g.Saturation < minNamed || g.Lightness > 0.97 {
		return "White"
	}
	for _, h := range hueNames {
		if g.Hue <= h.to {
			return h.name
		}
	}
	return "Red"
}

// kindName returns the label of a shape's kind.
func kindName(s shape.Shape) string {
	for _, k := range shape.Kinds {
		if k.Word == shape.KindOf(s) {
			return k.Label
		}
	}
	return "Light"
}
