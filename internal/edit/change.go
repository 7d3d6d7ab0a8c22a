package edit

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"pyrant/internal/base/fault"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/crop"
	"pyrant/internal/recipe/setting"
)

// Apply returns the recipe after a change, given as a list of operations on JSON
// Pointers such as /lights/0/gel/hue (see setting.Op), or of moves. The recipe itself stays as
// it was; what does not change is shared with it. Faults are of type *fault.Error.
func Apply(r *recipe.Recipe, ops []setting.Op) (*recipe.Recipe, error) {
	next, err := applied(r, ops)
	if f := (*fault.Error)(nil); errors.As(err, &f) {
		f.Words = words(r, f.Field)
	}
	if err != nil {
		return nil, err
	}
	if slices.ContainsFunc(
		ops,
		func(o setting.Op) bool { return strings.HasPrefix(o.Path, "/areas") },
	) {
		simplify(&next, r)
	}
	return &next, nil
}

// words returns what a page calls a field as faults name it; nothing where that is not known.
func words(r *recipe.Recipe, field string) string {
	path := "/" + strings.NewReplacer(".", "/", "[", "/", "]", "").
		Replace(strings.TrimPrefix(field, "/"))
	if title := setting.Title(*r, []setting.Op{{Op: "replace", Path: path}}); field != "" &&
		title != setting.AnyTitle {
		return title
	}
	return ""
}

// Set returns the operation that replaces the value at path.
func Set(path string, value any) []setting.Op {
	b, err := json.Marshal(value)
	if err != nil {
		panic("recipe: " + err.Error())
	}
	return []setting.Op{{Op: "replace", Path: path, Value: b}}
}

// Title returns a few words for the history on what a change does to the recipe:
// "Gel of Signal rod", "Daylight".
func Title(r *recipe.Recipe, ops []setting.Op) string {
	ops = setting.Changes(ops)
	if len(ops) == 1 {
		switch ops[0].Op {
		case "gels":
			var m GelMove
			if json.Unmarshal(ops[0].Value, &m) == nil && len(m.Lights) == 1 {
				if l := r.LightOf(area.LightRef(m.Lights[0])); l != nil {
					return "Gel of " + l.Name
				}
			}
			return "Gels of several lights"
		case "crop":
			return cropTitle(ops[0].Value)
		case "replace":
			switch path := ops[0].Path; {
			case path == "/crop/angle":
				return "Straighten"
			case path == "/crop" || strings.HasPrefix(path, "/crop/"):
				return "Crop"
			}
		case "rig":
			var id string
			if json.Unmarshal(ops[0].Value, &id) == nil && recipe.RigOf(id) != nil {
				return "Rig " + recipe.RigOf(id).Name
			}
			if g, err := recipe.DecodeRig(ops[0].Value); err == nil {
				return "Rig " + g.Name
			}
		case "place":
			if i, err := lightAt(r, ops[0], lightPath); err == nil {
				return "Position of " + r.Lights[i].Name
			}
		}
	}
	return setting.Title(*r, ops)
}

// cropTitle says what a move of the crop does.
func cropTitle(value []byte) string {
	var m crop.Move
	if json.Unmarshal(value, &m) != nil {
		return "Crop"
	}
	switch {
	case m.Angle != nil:
		return "Straighten"
	case m.Turn != 0:
		return "Rotate 90°"
	case m.Flip || m.Upright:
		return "Mirror"
	}
	return "Crop"
}

// AddLight returns the recipe with one more light, with the default core,
// stack and spill, named "Light n", and its index.
func AddLight(r *recipe.Recipe) (*recipe.Recipe, int, error) {
	if most := setting.Of[recipe.Recipe]("lights").Count[1]; len(r.Lights) >= most {
		return nil, 0, fault.New(fault.NoRoom, "A shot can have at most %d lights.", most)
	}
	c := r.Clone()
	l := recipe.DefaultLight(r.Photo)
	n := 1
	l.ID, l.Name = setting.NewID("l"), "Light 1"
	for slices.ContainsFunc(c.Lights, func(o recipe.Light) bool { return o.Name == l.Name }) {
		n++
		l.Name = fmt.Sprintf("Light %d", n)
	}
	l.Gel.Hue = dealtGel(len(c.Lights))
	c.Lights = append(c.Lights, l)
	return c, len(c.Lights) - 1, nil
}

// DuplicateLight returns the recipe with a copy of light i behind it.
func DuplicateLight(r *recipe.Recipe, i int) (*recipe.Recipe, error) {
	if most := setting.Of[recipe.Recipe]("lights").Count[1]; len(r.Lights) >= most {
		return nil, fault.New(fault.NoRoom, "A shot can have at most %d lights.", most)
	}
	c := r.Clone()
	l := setting.Clone(r.Lights[i])
	l.ID, l.Alone = setting.NewID("l"), false
	if name := l.Name + " copy"; len([]rune(name)) <= setting.Of[recipe.Light]("name").Count[1] {
		l.Name = name
	}
	c.Lights = slices.Insert(c.Lights, i+1, l)
	return c, nil
}

// AddShell returns the recipe with one more shell in light i: between the two
// shells whose radii lie farthest apart, or beyond the widest where the stack
// has fewer than two.
func AddShell(r *recipe.Recipe, i int) (*recipe.Recipe, error) {
	c := r.Clone()
	l := &c.Lights[i]
	n := len(l.Shells)
	if most := setting.Of[recipe.Light]("shells").Count[1]; n >= most {
		return nil, fault.New(fault.NoRoom, "A light can have at most %d shells.", most)
	}
	sortShells(l)
	switch n {
	case 0:
		l.Shells = append(l.Shells, setting.New[recipe.Shell](r.Photo.Frame()))
	case 1:
		s := l.Shells[0]
		s.ID = setting.NewID("i")
		s.Radius = setting.Round(min(max(s.Radius, 1)*2, recipe.MaxRadius))
		s.Strength *= 0.75
		l.Shells = append(l.Shells, s)
	default:
		at, widest := 1, 0.0
		for k := 1; k < n; k++ {
			if gap := math.Log(max(l.Shells[k].Radius, 0.3) / max(l.Shells[k-1].Radius,
				0.3)); gap > widest {
				at, widest = k, gap
			}
		}
		a, b := l.Shells[at-1], l.Shells[at]
		s := b
		s.ID = setting.NewID("i")
		s.Radius = setting.Round(math.Sqrt(max(a.Radius, 0.3) * max(b.Radius, 0.3)))
		s.Strength = (a.Strength + b.Strength) / 2
		s.Tint.White = (a.Tint.White + b.Tint.White) / 2
		l.Shells = slices.Insert(l.Shells, at, s)
	}
	return c, c.Validate()
}

// sortShells puts the smallest radius first.
func sortShells(l *recipe.Light) {
	slices.SortStableFunc(l.Shells, func(a, b recipe.Shell) int {
		switch {
		case a.Radius < b.Radius:
			return -1
		case a.Radius > b.Radius:
			return 1
		}
		return 0
	})
}

// simplify leaves out of strokes that were not in old what needs no point of its own.
func simplify(r *recipe.Recipe, old *recipe.Recipe) {
	known := map[string]bool{}
	old.EachStroke(func(s *area.Stroke) { known[s.Points.Key()] = true })
	fresh := false
	r.EachStroke(func(s *area.Stroke) {
		fresh = fresh || s.Points.Len() > 2 &&
			!known[s.Points.Key()]
	})
	if !fresh {
		return
	}
	// What the recipe shares with the old one is not written to.
	r.Areas = setting.Clone(r.Areas)
	r.EachStroke(func(s *area.Stroke) {
		if !known[s.Points.Key()] {
			s.Points = area.Simplified(s.Points)
		}
	})
}
