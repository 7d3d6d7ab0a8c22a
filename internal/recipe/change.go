package recipe

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	jsonpatch "github.com/evanphx/json-patch/v5"

	"pyrant/internal/shape"
)

// Apply returns the recipe after a change, given as a JSON Patch (RFC 6902)
// with paths such as /lights/0/gel/hue. The recipe itself stays as it was. The
// result is validated; faults are of type *Error.
func (r *Recipe) Apply(patch []byte) (*Recipe, error) {
	if len(patch) > MaxBytes {
		return nil, &Error{"", "The change is too large."}
	}
	ops, err := jsonpatch.DecodePatch(patch)
	if err != nil {
		return nil, &Error{"", "The change is not a valid JSON Patch."}
	}
	opts := jsonpatch.NewApplyOptions()
	opts.AccumulatedCopySizeLimit = MaxBytes
	out, err := ops.ApplyWithOptions(r.Encode(), opts)
	if err != nil {
		return nil, &Error{"", "The change does not fit this recipe: " + err.Error() + "."}
	}
	return Decode(out)
}

// Set returns the one-operation patch that replaces the value at path.
func Set(path string, value any) []byte {
	b, err := json.Marshal([]map[string]any{{"op": "replace", "path": path, "value": value}})
	if err != nil {
		panic("recipe: " + err.Error())
	}
	return b
}

// labels names the last part of a path in the history.
var labels = map[string]string{
	"daylight": "Daylight", "warmth": "Warmth", "saturation": "Saturation",
	"level": "Level", "on": "Switch", "alone": "Alone", "name": "Name",
	"whiteness": "Whiteness", "feather": "Edge feather", "texture": "Texture kept",
	"radius": "Radius", "strength": "Strength", "tint": "Tint", "lift": "Lift", "join": "Joining",
	"reach": "Reach", "tone": "Tone window", "width": "Width", "nodes": "Points", "away": "Taking away",
	"closed": "Closing", "gel": "Gel",
}

// Title returns a few words for the history on what patch does to the recipe:
// "Gel of Signal rod", "Daylight".
func (r *Recipe) Title(patch []byte) string {
	var ops []struct{ Op, Path string }
	if json.Unmarshal(patch, &ops) != nil || len(ops) == 0 {
		return "Change"
	}
	p := strings.Split(strings.TrimPrefix(ops[0].Path, "/"), "/")
	label := func(part string) string {
		if l, ok := labels[part]; ok {
			return l
		}
		return "Change"
	}
	last := p[len(p)-1]
	switch p[0] {
	case "dusk":
		if last == "on" {
			return "Switch of dusk"
		}
		return label(last)
	case "glow", "spill":
		return label(last) + " of all " + p[0]
	case "lights":
		i := -1
		if len(p) > 1 {
			if n, err := strconv.Atoi(p[1]); err == nil && n >= 0 && n < len(r.Lights) {
				i = n
			}
		}
		if i < 0 {
			return "Lights"
		}
		name := r.Lights[i].Name
		if len(p) == 2 {
			if ops[0].Op == "remove" {
				return "Remove " + name
			}
			return "Change " + name
		}
		switch p[2] {
		case "gel":
			return "Gel of " + name
		case "core":
			return label(last) + " of " + name
		case "spill":
			for _, part := range p {
				if part == "tone" {
					return "Tone window of " + name
				}
			}
			return "Spill " + strings.ToLower(label(last)) + " of " + name
		case "shells":
			if len(p) == 3 {
				return "Stack of " + name
			}
			if n, err := strconv.Atoi(p[3]); err == nil {
				if len(p) == 4 && ops[0].Op == "remove" {
					return fmt.Sprintf("Remove shell %d of %s", n+1, name)
				}
				if len(ops) > 1 || len(p) == 4 {
					return fmt.Sprintf("Shell %d of %s", n+1, name)
				}
				return fmt.Sprintf("%s of shell %d of %s", label(p[4]), n+1, name)
			}
			return "Stack of " + name
		case "shapes":
			switch {
			case ops[0].Op == "remove" && len(p) == 4:
				return "Remove a shape of " + name
			case ops[0].Op == "add" && len(p) == 4:
				return "Trace " + name
			case len(p) > 4:
				return label(p[4]) + " of " + name
			}
			return "Shapes of " + name
		}
		return label(p[2]) + " of " + name
	}
	return "Change"
}

// ErrFull is returned where a recipe can hold no more of something.
var ErrFull = errors.New("recipe: no room for more")

// AddLight returns the recipe with one more light, with the default core,
// stack and spill, named "Light n", and its index.
func (r *Recipe) AddLight() (*Recipe, int, error) {
	if len(r.Lights) >= MaxLights {
		return nil, 0, fmt.Errorf("%w: a shot holds at most %d lights", ErrFull, MaxLights)
	}
	c := r.Clone()
	l := DefaultLight(r.Photo.LongEdge())
	n := 1
	l.ID, l.Name = c.freeID(), "Light 1"
	for slices.ContainsFunc(c.Lights, func(o Light) bool { return o.Name == l.Name }) {
		n++
		l.Name = fmt.Sprintf("Light %d", n)
	}
	// Gels of new lights keep apart by the golden angle.
	l.Gel.Hue = math.Mod(172+137.5*float64(len(c.Lights)), 360)
	c.Lights = append(c.Lights, l)
	return c, len(c.Lights) - 1, nil
}

func (r *Recipe) freeID() string {
	for n := len(r.Lights) + 1; ; n++ {
		id := fmt.Sprintf("l%d", n)
		if !slices.ContainsFunc(r.Lights, func(o Light) bool { return o.ID == id }) {
			return id
		}
	}
}

// DuplicateLight returns the recipe with a copy of light i behind it.
func (r *Recipe) DuplicateLight(i int) (*Recipe, error) {
	if len(r.Lights) >= MaxLights {
		return nil, fmt.Errorf("%w: a shot holds at most %d lights", ErrFull, MaxLights)
	}
	c := r.Clone()
	l := r.Clone().Lights[i]
	l.ID, l.Alone = c.freeID(), false
	if name := l.Name + " copy"; len([]rune(name)) <= 80 {
		l.Name = name
	}
	c.Lights = slices.Insert(c.Lights, i+1, l)
	return c, nil
}

// AddShape returns the recipe with one more shape in light i; where i is the
// number of lights, a new light is made for it.
func (r *Recipe) AddShape(i int, s shape.Shape) (*Recipe, error) {
	c := r.Clone()
	if i == len(c.Lights) {
		var err error
		if c, _, err = r.AddLight(); err != nil {
			return nil, err
		}
	}
	c.Lights[i].Shapes = append(c.Lights[i].Shapes, s)
	return c, c.Validate()
}

// AddShell returns the recipe with one more shell in light i: between the two
// shells whose radii lie farthest apart, or beyond the widest where the stack
// has fewer than two.
func (r *Recipe) AddShell(i int) (*Recipe, error) {
	c := r.Clone()
	l := &c.Lights[i]
	n := len(l.Shells)
	if n >= MaxShells {
		return nil, fmt.Errorf("%w: a light holds at most %d shells", ErrFull, MaxShells)
	}
	l.sortShells()
	switch n {
	case 0:
		l.Shells = append(l.Shells, Shell{Radius: round(float64(r.Photo.LongEdge()) / 300), Strength: 0.3, Lift: 0.6, Join: Add})
	case 1:
		s := l.Shells[0]
		s.Radius = round(min(max(s.Radius, 1)*2, MaxRadius))
		s.Strength *= 0.75
		l.Shells = append(l.Shells, s)
	default:
		at, widest := 1, 0.0
		for k := 1; k < n; k++ {
			if gap := math.Log(max(l.Shells[k].Radius, 0.3) / max(l.Shells[k-1].Radius, 0.3)); gap > widest {
				at, widest = k, gap
			}
		}
		a, b := l.Shells[at-1], l.Shells[at]
		s := b
		s.Radius = round(math.Sqrt(max(a.Radius, 0.3) * max(b.Radius, 0.3)))
		s.Strength = (a.Strength + b.Strength) / 2
		s.Tint.White = (a.Tint.White + b.Tint.White) / 2
		l.Shells = slices.Insert(l.Shells, at, s)
	}
	return c, c.Validate()
}

// SpaceEvenly returns the recipe with the radii of light i in even ratios
// between its smallest and its widest.
func (r *Recipe) SpaceEvenly(i int) (*Recipe, error) {
	c := r.Clone()
	l := &c.Lights[i]
	l.sortShells()
	n := len(l.Shells)
	if n < 3 {
		return c, nil
	}
	lo, hi := max(l.Shells[0].Radius, 0.5), max(l.Shells[n-1].Radius, 0.5)
	for k := range l.Shells {
		l.Shells[k].Radius = round(lo * math.Pow(hi/lo, float64(k)/float64(n-1)))
	}
	return c, c.Validate()
}

// sortShells puts the smallest radius first.
func (l *Light) sortShells() {
	slices.SortStableFunc(l.Shells, func(a, b Shell) int {
		switch {
		case a.Radius < b.Radius:
			return -1
		case a.Radius > b.Radius:
			return 1
		}
		return 0
	})
}

// Scale returns the recipe for the same photo k times as large on each edge:
// all its lengths are multiplied.
func (r *Recipe) Scale(k float64) *Recipe {
	c := r.Clone()
	c.Photo = Photo{int(math.Round(float64(r.Photo.Width) * k)), int(math.Round(float64(r.Photo.Height) * k))}
	for i := range c.Lights {
		l := &c.Lights[i]
		l.Core.Feather *= k
		l.Spill.Reach *= k
		for j := range l.Shells {
			l.Shells[j].Radius *= k
		}
		for j := range l.Shapes {
			s := &l.Shapes[j]
			s.Width *= k
			for n := range s.Nodes {
				nd := &s.Nodes[n]
				nd.X, nd.Y = nd.X*k, nd.Y*k
				for e := range 2 {
					nd.In[e], nd.Out[e] = nd.In[e]*k, nd.Out[e]*k
				}
			}
		}
	}
	return c
}
