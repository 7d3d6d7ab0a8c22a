package edit

import (
	"encoding/json"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/crop"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// A move sets many settings at once by a rule, relative to what they are: an operation of a change
// beside those of setting.Op. What it sets can be set one by one afterwards like everything else.
//
//	{"op": "rig", "path": "/lights/0", "value": "tube"}                 core and stack of a rig
//	{"op": "stack", "path": "/lights/0/shells", "value": {"spread": 2}}  see StackMove
//	{"op": "gels", "path": "/lights", "value": {"turn": 30}}             see GelMove
//	{"op": "place", "path": "/lights/0", "value": {"by": 2, "x": 9, "y": 9}}   see Place
//	{"op": "crop", "path": "/crop", "value": {"ratio": 1}}   see crop.Move
//
// The value of a rig is the id of a ready-made one, or a rig of one's own, see OwnRig.

// StackMove is a move of all shells of a stack. The place t of a shell goes from 0 for the
// smallest radius to 1 for the widest, evenly by the logarithm of the radius.
type StackMove struct {
	Even   bool    `json:"even"`   // radii in even ratios between the first and the last
	Spread float64 `json:"spread"` // stops: all radii times 2^Spread, about the smallest one
	Size   float64 `json:"size"`   // stops: all radii times 2^Size
	// stops: strengths times 2^(Curve·(2t - 1)); above 0 a long stack, below 0 a steep one
	Curve float64 `json:"curve"`
	Power float64 `json:"power"` // stops: strengths times 2^Power
	Lift  float64 `json:"lift"`  // added to each lift
	// above 0 the share of white that the rest of each shell gives up, least far outside; below 0
	// what each loses of its own
	White float64 `json:"white"`
	// degrees: hues turned by Apart·(1 - 2t), so that inside and outside part
	Apart float64     `json:"apart"`
	Join  recipe.Join `json:"join"` // how all join from now on; "" for as they do
}

// Place moves a light and sizes it, with all its lengths, about a place of the photo.
type Place struct {
	By float64 `json:"by"` // factor; 0 for 1
	X  float64 `json:"x"`  // what stays where it is when it is sized
	Y  float64 `json:"y"`
	DX float64 `json:"dx"` // by how much it is moved then
	DY float64 `json:"dy"`
}

// Of returns a light after the move.
func (m Place) Of(l recipe.Light) recipe.Light {
	if m.By == 0 {
		m.By = 1
	}
	if m.By != 1 {
		l = setting.Scale(l, m.By)
		for i := range l.Shells {
			l.Shells[i].Radius = neat(min(l.Shells[i].Radius, recipe.MaxRadius))
		}
	}
	l.Shapes = slices.Clone(l.Shapes)
	for i, s := range l.Shapes {
		l.Shapes[i] = s.Shifted(m.X-m.By*m.X+m.DX, m.Y-m.By*m.Y+m.DY).(shape.Shape)
	}
	return l
}

// GelMove changes the gels of many lights. What is left out stays.
type GelMove struct {
	Lights     []string    `json:"lights"`     // their ids; nil for all
	Turn       float64     `json:"turn"`       // degrees
	Saturation float64     `json:"saturation"` // added
	Lightness  float64     `json:"lightness"`  // added
	Gel        *recipe.Gel `json:"gel"`        // what all take
	// the gel of a black body so hot, which all take; 0 for none
	Kelvin float64 `json:"kelvin"`
}

// The temperatures that a gel can be set by, in kelvin.
const (
	Coldest = 1000
	Hottest = 20000
)

var (
	lightPath = regexp.MustCompile(`^/lights/(\d+|id:[^/]+)$`)
	cropPath  = regexp.MustCompile(`^/crop/(x|y|width|height|angle)$`)
	placeMost = 1000.0
	stackPath = regexp.MustCompile(`^/lights/(\d+|id:[^/]+)/shells$`)
)

// applied returns the recipe after a change in which there may be moves: each as the operations
// that it stands for, on the recipe that those before it made.
func applied(r *recipe.Recipe, ops []setting.Op) (recipe.Recipe, error) {
	if !slices.ContainsFunc(ops, isMove) {
		return setting.Apply(*r, ops, r.Photo.Frame())
	}
	cur := *r
	for _, op := range ops {
		next := []setting.Op{op}
		var err error
		if isMove(op) {
			if next, err = move(&cur, op); err != nil {
				return cur, err
			}
		}
		if cur, err = setting.Apply(cur, next, r.Photo.Frame()); err != nil {
			return cur, err
		}
	}
	return cur, nil
}

// isMove tells whether an operation is a move: a number of the crop is one, as the rest of the
// frame gives way to it.
func isMove(op setting.Op) bool {
	if op.Op == "replace" && cropPath.MatchString(op.Path) {
		return true
	}
	return op.Op == "rig" || op.Op == "stack" || op.Op == "gels" || op.Op == "place" ||
		op.Op == "crop"
}

// move returns the operations that a move stands for.
func move(r *recipe.Recipe, op setting.Op) ([]setting.Op, error) {
	switch op.Op {
	case "replace", "crop":
		return moveCrop(r, op)
	case "rig":
		return moveRig(r, op)
	case "place":
		return movePlace(r, op)
	case "stack":
		i, err := lightAt(r, op, stackPath)
		if err != nil {
			return nil, err
		}
		var m StackMove
		if err := readMove(op, &m); err != nil {
			return nil, err
		}
		return Set(op.Path, m.Of(r.Lights[i].Shells)), nil
	}
	return moveGels(r, op)
}

// lightAt returns the index of the light that a move's path names.
func lightAt(r *recipe.Recipe, op setting.Op, path *regexp.Regexp) (int, error) {
	if m := path.FindStringSubmatch(op.Path); m != nil {
		if i, ok := setting.Index(r.Lights, m[1]); ok {
			return i, nil
		}
	}
	return 0, fault.New(fault.Gone,
		"That light was deleted. Nothing was changed.")
}

// readMove reads the value of a move.
func readMove(op setting.Op, v any) error {
	if err := json.Unmarshal(op.Value, v); err != nil {
		return fault.In(op.Path, "The move %q is not valid.", op.Op)
	}
	return nil
}

// moveCrop changes the crop, or one setting of it; see isMove.
func moveCrop(r *recipe.Recipe, op setting.Op) ([]setting.Op, error) {
	var m crop.Move
	if op.Op == "replace" {
		var v float64
		if err := readMove(op, &v); err != nil {
			return nil, err
		}
		*map[string]**float64{"x": &m.X, "y": &m.Y, "width": &m.Width, "height": &m.Height,
			"angle": &m.Angle}[strings.TrimPrefix(op.Path, "/crop/")] = &v
	} else if err := readMove(op, &m); err != nil {
		return nil, err
	}
	if err := m.Check(); err != nil {
		return nil, err
	}
	return Set("/crop", m.Of(r.Crop, r.Photo.Width, r.Photo.Height)), nil
}

// moveRig gives a light a rig, by its id or whole.
func moveRig(r *recipe.Recipe, op setting.Op) ([]setting.Op, error) {
	i, err := lightAt(r, op, lightPath)
	if err != nil {
		return nil, err
	}
	l := r.Lights[i]
	if len(op.Value) > 0 && op.Value[0] == '{' {
		rig, err := recipe.DecodeRig(op.Value)
		if err != nil {
			return nil, err
		}
		rig.Put(&l, r.Photo)
		return append(append(Set(op.Path+"/core", l.Core), Set(op.Path+"/shells", l.Shells)...),
			Set(op.Path+"/spill", l.Spill)...), nil
	}
	var id string
	if err := readMove(op, &id); err != nil {
		return nil, err
	}
	rig := recipe.RigOf(id)
	if rig == nil {
		return nil, fault.In(op.Path, "There is no rig %q.", id)
	}
	rig.Put(&l, r.Photo)
	return append(Set(op.Path+"/core", l.Core), Set(op.Path+"/shells", l.Shells)...), nil
}

// movePlace moves, sizes and rotates a light.
func movePlace(r *recipe.Recipe, op setting.Op) ([]setting.Op, error) {
	i, err := lightAt(r, op, lightPath)
	if err != nil {
		return nil, err
	}
	var m Place
	if err := readMove(op, &m); err != nil {
		return nil, err
	}
	if m.By < 0 || m.By > placeMost || m.By != 0 && m.By < 1/placeMost {
		return nil, fault.In(op.Path, "A light can be scaled by %g to %g at a time.",
			1/placeMost, placeMost)
	}
	return []setting.Op{{Op: "replace", Path: op.Path,
		Value: setting.Encode(m.Of(r.Lights[i]))}}, nil
}

// moveGels changes the gels of several lights.
func moveGels(r *recipe.Recipe, op setting.Op) ([]setting.Op, error) {
	var m GelMove
	if err := readMove(op, &m); err != nil {
		return nil, err
	}
	if m.Kelvin != 0 && (m.Kelvin < Coldest || m.Kelvin > Hottest) {
		return nil, fault.In(op.Path, "A gel is set by a temperature from %d to %d K.", Coldest,
			Hottest)
	}
	var out []setting.Op
	for i := range r.Lights {
		if l := &r.Lights[i]; m.Lights == nil || slices.Contains(m.Lights, l.ID) {
			out = append(out, Set("/lights/"+strconv.Itoa(i)+"/gel", m.Of(l.Gel))...)
		}
	}
	if len(out) == 0 {
		return nil, fault.In(op.Path, "None of these lights is in this shot.")
	}
	return out, nil
}

// Of returns a stack after the move, smallest radius first. Values end at their ranges.
func (m StackMove) Of(stack []recipe.Shell) []recipe.Shell {
	l := recipe.Light{Shells: slices.Clone(stack)}
	sortShells(&l)
	n := len(l.Shells)
	if n == 0 {
		return l.Shells
	}
	lo, hi := max(l.Shells[0].Radius, 0.5), max(l.Shells[n-1].Radius, 0.5)
	hold := func(name string, v float64) float64 {
		s := setting.Of[recipe.Shell](name)
		return neat(min(max(v, s.Min.A), s.Max.A))
	}
	for i := range l.Shells {
		s := &l.Shells[i]
		t := 0.5
		switch {
		case m.Even && n > 1:
			t = float64(i) / float64(n-1)
			if n > 2 {
				s.Radius = lo * math.Pow(hi/lo, t)
			}
		case hi > lo:
			t = math.Log(max(s.Radius, lo)/lo) / math.Log(hi/lo)
		}
		s.Radius = hold("radius", s.Radius*math.Exp2(m.Size+m.Spread*t))
		s.Strength = hold("strength", s.Strength*math.Exp2(m.Power+m.Curve*(2*t-1)))
		s.Lift = hold("lift", s.Lift+m.Lift)
		if m.White > 0 {
			s.Tint.White += m.White * (1 - t) * (1 - t) * (1 - s.Tint.White)
		} else {
			s.Tint.White *= 1 + m.White
		}
		tint := setting.Of[recipe.Tint]("white")
		s.Tint.White = neat(min(max(s.Tint.White, tint.Min.A), tint.Max.A))
		s.Tint.Hue = neat(min(max(s.Tint.Hue+m.Apart*(1-2*t), -180), 180))
		if m.Join != "" {
			s.Join = m.Join
		}
	}
	return l.Shells
}

// neat keeps four digits after the point.
func neat(v float64) float64 { return math.Round(1e4*v) / 1e4 }

// Of returns a gel after the move. Values end at their ranges, hues go round.
func (m GelMove) Of(g recipe.Gel) recipe.Gel {
	if m.Gel != nil {
		g = *m.Gel
	}
	if m.Kelvin > 0 {
		g = GelOf(colour.BlackBody(m.Kelvin))
	}
	g.Hue = neat(math.Mod(math.Mod(g.Hue+m.Turn, 360)+360, 360))
	g.Saturation = neat(min(max(g.Saturation+m.Saturation, 0), 1))
	g.Lightness = neat(min(max(g.Lightness+m.Lightness, 0), 1))
	return g
}

// GelOf returns the gel of a colour in linear light.
func GelOf(c colour.RGB) recipe.Gel {
	h, s, l := c.HSL()
	return recipe.Gel{Hue: neat(h), Saturation: neat(s), Lightness: neat(l)}
}
