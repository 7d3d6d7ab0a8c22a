package pass

import (
	"math"
	"slices"

	"pyrant/internal/recipe/setting"
)

// Curves bends display values: first all channels, then each by itself. A curve runs
// through its points by monotone cubics (Fritsch and Carlson 1980) and goes on level
// beyond the first and the last; without points it leaves values as they are.
type Curves struct {
	All   []Knot `json:"all,omitzero" label:"All channels" row:"own" count:"0..32" each:"point"`
	Red   []Knot `json:"red,omitzero" label:"Red curve" row:"own" count:"0..32" each:"point"`
	Green []Knot `json:"green,omitzero" label:"Green curve" row:"own" count:"0..32" each:"point"`
	Blue  []Knot `json:"blue,omitzero" label:"Blue curve" row:"own" count:"0..32" each:"point"`
}

// Knot is a point of a curve, in display values.
type Knot struct {
	X float64 `json:"x" label:"From" unit:"%" range:"0..1" step:"0.001" doc:"tone before"`
	Y float64 `json:"y" label:"To" unit:"%" range:"0..1" step:"0.001" doc:"tone after"`
}

// leastGap is how far apart the points of a curve lie at least.
const leastGap = 0.002

// Check refuses points that are not in order, and a single one.
func (c Curves) Check(setting.Frame) (field, msg string) {
	for _, l := range []struct {
		name string
		k    []Knot
	}{{"all", c.All}, {"red", c.Red}, {"green", c.Green}, {"blue", c.Blue}} {
		if len(l.k) == 1 {
			return l.name, "A curve needs at least two points, or none."
		}
		for i := 1; i < len(l.k); i++ {
			if l.k[i].X-l.k[i-1].X < leastGap {
				return l.name, "The points of a curve must lie apart, from left to right."
			}
		}
	}
	return "", ""
}

func (c Curves) ops(*compiler) ([]op, error) {
	t := &table{key: setting.Key(c), same: slices.Equal(c.Red, c.Green) && slices.Equal(c.Green,
		c.Blue)}
	any := false
	all := NewCurve(c.All)
	for i, k := range [3][]Knot{c.Red, c.Green, c.Blue} {
		if own := NewCurve(k); !own.Straight() || !all.Straight() {
			t.f[i], any = func(d float64) float64 { return own.At(all.At(d)) }, true
		}
	}
	if !any {
		return nil, nil
	}
	return []op{t}, nil
}

// Curve is a curve through points.
type Curve struct {
	k []Knot
	m []float64 // slopes at the points
}

// NewCurve returns the curve through points, which lie in order of their X.
func NewCurve(k []Knot) Curve {
	c := Curve{k: k}
	n := len(k)
	if n < 2 {
		return c
	}
	d := make([]float64, n-1) // slopes between points
	for i := range d {
		d[i] = (k[i+1].Y - k[i].Y) / (k[i+1].X - k[i].X)
	}
	c.m = make([]float64, n)
	c.m[0], c.m[n-1] = d[0], d[n-2]
	for i := 1; i < n-1; i++ {
		if d[i-1]*d[i] > 0 {
			c.m[i] = (d[i-1] + d[i]) / 2
		}
	}
	for i, s := range d {
		if s == 0 {
			c.m[i], c.m[i+1] = 0, 0
			continue
		}
		a, b := c.m[i]/s, c.m[i+1]/s
		if l := math.Hypot(a, b); l > 3 {
			c.m[i], c.m[i+1] = 3*a/l*s, 3*b/l*s
		}
	}
	return c
}

// Straight tells whether the curve leaves all values as they are.
func (c Curve) Straight() bool {
	if len(c.k) < 2 {
		return true
	}
	for _, k := range c.k {
		if k.X != k.Y {
			return false
		}
	}
	return c.k[0].X == 0 && c.k[len(c.k)-1].X == 1
}

// At returns what becomes of a display value.
func (c Curve) At(d float64) float64 {
	if c.Straight() {
		return d
	}
	n := len(c.k)
	switch {
	case d <= c.k[0].X:
		return c.k[0].Y
	case d >= c.k[n-1].X:
		return c.k[n-1].Y
	}
	i := 0
	for d > c.k[i+1].X {
		i++
	}
	a, b := c.k[i], c.k[i+1]
	h := b.X - a.X
	t := (d - a.X) / h
	return a.Y*(1+2*t)*(1-t)*(1-t) + c.m[i]*h*t*(1-t)*(1-t) + b.Y*t*t*(3-2*t) + c.m[i+1]*h*t*t*(t-1)
}
