package recipe

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"unicode/utf8"

	"pyrant/internal/shape"
)

// Limits of a recipe. They keep the work that one recipe can ask for within
// what a machine can do.
const (
	MaxEdge   = 60_000 // pixels
	MaxLights = 100
	MaxShells = 32
	MaxShapes = 500
	MaxNodes  = 5_000
	MaxRadius = 6_000 // pixels
	MaxReach  = 100_000
)

// checker collects the first fault.
type checker struct{ err *Error }

func (c *checker) fail(field, format string, args ...any) {
	if c.err == nil {
		c.err = &Error{field, fmt.Sprintf(format, args...)}
	}
}

func (c *checker) between(field string, v, lo, hi float64) {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		c.fail(field, "This is not a number.")
	} else if v < lo || v > hi {
		num := func(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }
		c.fail(field, "%s is out of range; give a value from %s to %s.", num(v), num(lo), num(hi))
	}
}

// Validate returns nil or the first fault, as an *Error that names its field.
func (r *Recipe) Validate() error {
	c := new(checker)
	if r.Version != Version {
		c.fail("version", "This must be %d.", Version)
	}
	c.between("photo.width", float64(r.Photo.Width), 1, MaxEdge)
	c.between("photo.height", float64(r.Photo.Height), 1, MaxEdge)
	c.between("dusk.daylight", r.Dusk.Daylight, -8, 2)
	c.between("dusk.warmth", r.Dusk.Warmth, -1, 1)
	c.between("dusk.saturation", r.Dusk.Saturation, 0, 2)
	c.between("glow.level", r.Glow.Level, 0, 2)
	c.between("spill.level", r.Spill.Level, 0, 2)
	if len(r.Lights) > MaxLights {
		c.fail("lights", "There are %d lights; a shot holds at most %d.", len(r.Lights), MaxLights)
		return c.err
	}
	seen := map[string]bool{}
	for i := range r.Lights {
		at := fmt.Sprintf("lights[%d].", i)
		l := &r.Lights[i]
		if l.ID == "" || len(l.ID) > 64 {
			c.fail(at+"id", "A light needs an id of 1 to 64 characters.")
		} else if seen[l.ID] {
			c.fail(at+"id", "Two lights have the id %q.", l.ID)
		}
		seen[l.ID] = true
		if n := utf8.RuneCountInString(l.Name); n == 0 || n > 80 || !utf8.ValidString(l.Name) {
			c.fail(at+"name", "A light's name has 1 to 80 characters.")
		}
		c.light(at, l, r.Photo)
	}
	if c.err != nil {
		return c.err
	}
	return nil
}

func (c *checker) light(at string, l *Light, p Photo) {
	c.between(at+"level", l.Level, 0, 2)
	c.between(at+"gel.hue", l.Gel.Hue, 0, 360)
	c.between(at+"gel.saturation", l.Gel.Saturation, 0, 1)
	c.between(at+"gel.lightness", l.Gel.Lightness, 0, 1)
	c.between(at+"core.whiteness", l.Core.Whiteness, 0, 1)
	c.between(at+"core.feather", l.Core.Feather, 0, 500)
	c.between(at+"core.texture", l.Core.Texture, 0, 1)
	c.between(at+"spill.strength", l.Spill.Strength, 0, 4)
	c.between(at+"spill.reach", l.Spill.Reach, 1, MaxReach)
	c.between(at+"spill.tone.low", l.Spill.Tone.Low, 0, 1)
	c.between(at+"spill.tone.high", l.Spill.Tone.High, 0, 1)
	c.between(at+"spill.tone.soft", l.Spill.Tone.Soft, 0, 1)
	if l.Spill.Tone.Low > l.Spill.Tone.High {
		c.fail(at+"spill.tone", "The window's lower end lies above its upper end.")
	}
	if len(l.Shells) > MaxShells {
		c.fail(at+"shells", "There are %d shells; a light holds at most %d.", len(l.Shells), MaxShells)
	}
	for j := range l.Shells {
		s, at := &l.Shells[j], fmt.Sprintf("%sshells[%d].", at, j)
		c.between(at+"radius", s.Radius, 0, MaxRadius)
		c.between(at+"strength", s.Strength, 0, 4)
		c.between(at+"tint.hue", s.Tint.Hue, -180, 180)
		c.between(at+"tint.white", s.Tint.White, 0, 1)
		c.between(at+"lift", s.Lift, 0, 1)
		if !slices.Contains(Joins, s.Join) {
			c.fail(at+"join", "%q is no way of joining.", s.Join)
		}
	}
	if len(l.Shapes) > MaxShapes {
		c.fail(at+"shapes", "There are %d shapes; a light holds at most %d.", len(l.Shapes), MaxShapes)
	}
	for j := range l.Shapes {
		c.shape(fmt.Sprintf("%sshapes[%d].", at, j), &l.Shapes[j], p)
	}
}

func (c *checker) shape(at string, s *shape.Shape, p Photo) {
	least := 2
	switch s.Kind {
	case shape.Outline:
		least = 3
		if s.Width != 0 || s.Closed {
			c.fail(at+"width", "An outline has no width; only a tube has.")
		}
	case shape.Tube:
		c.between(at+"width", s.Width, 0.1, float64(p.LongEdge()))
	default:
		c.fail(at+"kind", "%q is no kind of shape; there are outline and tube.", s.Kind)
	}
	if n := len(s.Nodes); n < least {
		c.fail(at+"nodes", "A path of %d %s is no %s; it needs at least %d.", n, plural(n, "point", "points"), s.Kind, least)
	} else if n > MaxNodes {
		c.fail(at+"nodes", "A path of %d points is too long; it may have %d.", n, MaxNodes)
	}
	// Shapes may lie outside of the frame and shine into it, but not so far
	// that their light could not be told from none.
	w, h := float64(p.Width), float64(p.Height)
	for k := range s.Nodes {
		n, at := &s.Nodes[k], fmt.Sprintf("%snodes[%d].", at, k)
		c.between(at+"x", n.X, -w, 2*w)
		c.between(at+"y", n.Y, -h, 2*h)
		for i := range 2 {
			c.between(at+"in", n.In[i], -w-h, w+h)
			c.between(at+"out", n.Out[i], -w-h, w+h)
		}
	}
}

func plural(n int, one, many string) string {
	if n == 1 {
		return one
	}
	return many
}
