package shape

import (
	"cmp"
	"math"
	"slices"

	"pyrant/internal/recipe/setting"
)

// String is round bulbs along a cord that hangs between the points it is held at.
//
// The bulbs are laid evenly. Each that was moved, sized or dropped is one of Own, which
// stands in the place of the nearest that is laid, also when there are more or fewer; those
// between two of them are laid evenly between these.
type String struct {
	ID      string  `json:"id,omitzero" row:"own" key:"-" count:"0..64" doc:"unique in its list, never shown"`
	Away    bool    `json:"away,omitzero" label:"Subtract" row:"own" doc:"subtracted from the light's other shapes"`
	Nodes   Path    `json:"nodes" label:"Nodes" count:"0..5000" each:"point" doc:"where the cord is held, at least 2"`
	Laid    Laying  `json:"laid,omitzero" label:"Spaced by" default:"count" doc:"by the number of bulbs or by the distance between them"`
	Count   int     `json:"count,omitzero" label:"Bulbs" range:"1..500" slider:"2..60" default:"12"`
	Spacing float64 `json:"spacing,omitzero" label:"Spacing" unit:"px" range:"1..2L" slider:"L/300..L/5 log" default:"L/20" step:"0.1" doc:"between bulbs along the cord"`
	Width   float64 `json:"width" label:"Bulb size" unit:"px" range:"0.1..L" slider:"1..L/10 log" default:"L/100" step:"0.1"`
	Sag     float64 `json:"sag,omitzero" label:"Sag" unit:"%" range:"0..2" slider:"0..0.4" step:"0.005" doc:"how far the cord hangs between two nodes, relative to their distance"`
	Scatter float64 `json:"scatter,omitzero" label:"Scatter" unit:"%" range:"0..1" default:"0" step:"0.01" doc:"how far bulbs move from even spacing"`
	Vary    float64 `json:"vary,omitzero" label:"Size variation" unit:"%" range:"0..1" default:"0" step:"0.01" doc:"how much smaller or larger bulbs may be"`
	Seed    int     `json:"seed,omitzero" label:"Seed" range:"0..9999" default:"0" doc:"another number gives another scatter and other sizes"`
	Closed  bool    `json:"closed,omitzero" label:"Closed" row:"own" doc:"the cord ends where it begins"`
	Own     []Bulb  `json:"own,omitzero" label:"Placed bulbs" count:"0..500" each:"bulb" title:"bulb" doc:"bulbs moved, resized or deleted by hand, or snapped to the photo"`
	Feet    Feet    `json:"feet,omitzero" label:"Feet" row:"own" count:"0..2" each:"foot" doc:"where it stands in the room: empty for automatic, one, or one for each end"`
}

// Bulb is one bulb of a string that has a place and a size of its own.
type Bulb struct {
	Place float64 `json:"place" label:"Position" row:"own" unit:"%" range:"0..1" step:"0.001" doc:"along the cord"`
	X     float64 `json:"x" label:"X" row:"own" unit:"px" range:"-W..2W" doc:"of the centre"`
	Y     float64 `json:"y" label:"Y" row:"own" unit:"px" range:"-H..2H" doc:"of the centre"`
	Size  float64 `json:"size,omitzero" label:"Size" row:"own" unit:"%" range:"0.01..20" default:"1" step:"0.001" doc:"relative to the string's bulb size"`
	Gone  bool    `json:"gone,omitzero" label:"Deleted" row:"own"`
	Found bool    `json:"found,omitzero" label:"Found" row:"own" doc:"snapped to the photo, not placed by hand"`
}

// Laying is what the bulbs of a string are laid by.
type Laying string

// By their number, or by the way from one to the next.
const (
	ByCount   Laying = "count"
	BySpacing Laying = "spacing"
)

// Choices lists what bulbs are laid by.
func (Laying) Choices() []setting.Choice {
	return []setting.Choice{{Value: string(ByCount), Label: "count"}, {Value: string(BySpacing),
		Label: "spacing"}}
}

// mostBulbs is how many bulbs a string has at most.
const mostBulbs = 500

// Hung is one bulb of a string as it hangs.
type Hung struct {
	At    Point   // its middle, in pixels of the photo
	Width float64 // in pixels of the photo
	Place float64 // along the cord, as a share of its length
	Gone  bool
	Own   int // its index among those with a place of their own, -1 for one that was laid
}

// Idle names the settings that do nothing for a string as it is laid.
func (s String) Idle() []string {
	idle := []string{"spacing"}
	if s.Laid == BySpacing {
		idle = []string{"count"}
	}
	if s.Scatter == 0 && s.Vary == 0 {
		idle = append(idle, "seed")
	}
	return idle
}

// chance returns a number from -1 to 1 for each of a string's bulbs and what it is used for. The
// page has the same.
func (s String) chance(j, what int) float64 {
	h := uint32(s.Seed)*0x9E3779B1 ^ uint32(3*j+what+1)*0x85EBCA77
	h = (h ^ h>>15) * 0x2C1B3C6D
	h = (h ^ h>>12) * 0x297A2D39
	return 2*float64(h^h>>15)/(1<<32) - 1
}

// Check refuses a string of fewer than two points.
func (s String) Check(setting.Frame) (field, msg string) {
	return "nodes", few(s.Nodes.Len(), 2, "string")
}

// Cord returns the cord as it hangs: between two points a parabola more than the path is,
// which a cord's catenary hardly differs from where it hangs little.
func (s String) Cord() Path {
	nodes := slices.Clone(s.Nodes.All())
	if s.Sag == 0 || len(nodes) < 2 {
		return PathOf(nodes...)
	}
	sides := len(nodes)
	if !s.Closed {
		sides--
	}
	for i := range sides {
		a, b := &nodes[i], &nodes[(i+1)%len(nodes)]
		dx, dy := b.X-a.X, b.Y-a.Y
		if a.Out == [2]float64{} && b.In == [2]float64{} {
			a.Out, b.In = [2]float64{dx / 3, dy / 3}, [2]float64{-dx / 3, -dy / 3}
		}
		// 3·t·(1-t) of it for both arms, 4·t·(1-t) of what it hangs in the middle.
		down := 4.0 / 3 * s.Sag * math.Abs(dx)
		a.Out[1] += down
		b.In[1] += down
	}
	return PathOf(nodes...)
}

// Bulbs returns all bulbs, those that are dropped too, in their order along the cord.
func (s String) Bulbs() []Hung {
	c := flatten(s.Cord(), s.Closed, 1)
	if len(c) == 0 {
		return nil
	}
	if s.Closed {
		c = append(c, c[0])
	}
	way := make([]float64, len(c))
	for i := 1; i < len(c); i++ {
		way[i] = way[i-1] + c[i].dist(c[i-1])
	}
	total := way[len(way)-1]
	even := s.places(total)
	at := make([]float64, len(even))
	own := s.claims(even)
	for j := range at {
		at[j] = even[j]
		if own[j] >= 0 {
			at[j] = s.Own[own[j]].Place
		}
	}
	between(at, even, own)
	out := make([]Hung, len(even))
	half := 0.0 // the way to the next
	if len(even) > 1 {
		half = (even[1] - even[0]) * total / 2
	}
	for j, place := range at {
		h := Hung{At: along(c, way, place*total), Width: s.Width, Place: place, Own: own[j]}
		h.At.X += s.Scatter * half * s.chance(j, 0)
		h.At.Y += s.Scatter * half * s.chance(j, 1)
		h.Width *= 1 + s.Vary*s.chance(j, 2)*0.95
		if own[j] >= 0 {
			b := s.Own[own[j]]
			h.At, h.Gone, h.Width = Point{b.X, b.Y}, b.Gone, s.Width*b.Size
		}
		out[j] = h
	}
	return out
}

// places returns where along a cord of a length bulbs are laid, as shares of it.
func (s String) places(total float64) []float64 {
	gap := s.Spacing / math.Max(total, 1e-9)
	n := min(max(s.Count, 1), mostBulbs)
	if s.Laid == BySpacing {
		n = int(math.Min(1/gap+1e-9, mostBulbs))
		if !s.Closed {
			n = min(n+1, mostBulbs)
		}
		n = max(n, 1)
	} else if s.Closed {
		gap = 1 / float64(n)
	} else {
		gap = 1 / float64(max(n-1, 1))
	}
	out := make([]float64, n)
	for j := range out {
		out[j] = math.Min(float64(j)*gap, 1)
	}
	if n == 1 && s.Laid != BySpacing && !s.Closed {
		out[0] = 0.5
	}
	return out
}

// claims returns for each bulb that is laid which of Own stands for it, -1 for none: for each
// of them the nearest, so that their order is kept. Where there are more of them than bulbs,
// those by hand come first, and then the nearest.
func (s String) claims(even []float64) []int {
	n := len(even)
	out := make([]int, n)
	for j := range out {
		out[j] = -1
	}
	order := make([]int, len(s.Own))
	for k := range order {
		order[k] = k
	}
	slices.SortStableFunc(order, func(a, b int) int {
		return cmp.Compare(s.Own[a].Place, s.Own[b].Place)
	})
	nearest := func(k int) (best int) {
		for j := range even {
			if math.Abs(even[j]-s.Own[k].Place) < math.Abs(even[best]-s.Own[k].Place) {
				best = j
			}
		}
		return
	}
	if len(order) > n {
		better := func(a, b, j int) bool {
			if s.Own[a].Found != s.Own[b].Found {
				return s.Own[b].Found
			}
			return math.Abs(s.Own[a].Place-even[j]) < math.Abs(s.Own[b].Place-even[j])
		}
		for _, k := range order {
			if j := nearest(k); out[j] < 0 || better(k, out[j], j) {
				out[j] = k
			}
		}
		return out
	}
	at := make([]int, len(order))
	for i, k := range order {
		at[i] = nearest(k)
		if i > 0 {
			at[i] = max(at[i], at[i-1]+1)
		}
	}
	for i := len(at) - 1; i >= 0; i-- {
		at[i] = min(at[i], n-len(at)+i)
		if i < len(at)-1 {
			at[i] = min(at[i], at[i+1]-1)
		}
		out[at[i]] = order[i]
	}
	return out
}

// between moves bulbs that were laid evenly so that they lie evenly between those with a
// place of their own, and the ends of the cord.
func between(at, even []float64, own []int) {
	last := -1
	for j := 0; j <= len(at); j++ {
		if j < len(at) && own[j] < 0 {
			continue
		}
		from, to, fromEven, toEven := 0.0, 1.0, 0.0, 1.0
		if last >= 0 {
			from, fromEven = at[last], even[last]
		}
		if j < len(at) {
			to, toEven = at[j], even[j]
		}
		for i := last + 1; i < j; i++ {
			if toEven > fromEven {
				at[i] = from + (to-from)*(even[i]-fromEven)/(toEven-fromEven)
			}
		}
		last = j
	}
}

// along returns the point at a way along a line.
func along(c []Point, way []float64, l float64) Point {
	i, _ := slices.BinarySearch(way, l)
	if i <= 0 || len(c) < 2 {
		return c[0]
	}
	if i >= len(c) {
		return c[len(c)-1]
	}
	return c[i-1].mix(c[i], (l-way[i-1])/math.Max(way[i]-way[i-1], 1e-12))
}

// Taken tells whether the string is taken away.
func (s String) Taken() bool { return s.Away }

// Length returns the length of the cord.
func (s String) Length() float64 { return length(flatten(s.Cord(), s.Closed, 1), s.Closed) }

// Edge returns the length of the rims of all bulbs.
func (s String) Edge() (l float64) {
	for _, h := range s.Bulbs() {
		if !h.Gone {
			l += math.Pi * h.Width
		}
	}
	return
}

// Shifted returns the string moved, with all its bulbs.
func (s String) Shifted(dx, dy float64) any {
	s.Nodes = shifted(s.Nodes, dx, dy)
	s.Own = slices.Clone(s.Own)
	for i := range s.Own {
		s.Own[i].X += dx
		s.Own[i].Y += dy
	}
	s.Feet = stepped(s.Feet, dx)
	return s
}

func (s String) path() Path { return s.Nodes }

func (s String) polygons(scale float64) (out [][]Point) {
	for _, h := range s.Bulbs() {
		if !h.Gone {
			c := arc(nil, h.At.mul(scale), h.Width*scale/2, 0, 2*math.Pi)
			out = append(out, orient(c[:len(c)-1], true))
		}
	}
	return
}
