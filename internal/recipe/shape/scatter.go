package shape

import (
	"math"
	"math/rand/v2"
)

// Scatter is how bulbs are laid about in a region.
type Scatter struct {
	Gap  float64 `json:"gap" label:"Minimum distance" unit:"px" range:"1..L" slider:"L/400..L/10 log" default:"L/50" step:"0.1" doc:"between the centres of two bulbs"`
	Size float64 `json:"size" label:"Bulb size" unit:"px" range:"0.1..L" slider:"1..L/40 log" default:"L/220" step:"0.1"`
	Vary float64 `json:"vary" label:"Size variation" unit:"%" range:"0..1" default:"0.3" step:"0.01" doc:"how much smaller or larger bulbs may be"`
	Seed int     `json:"seed" label:"Seed" range:"0..9999" default:"1" doc:"another number gives another scatter"`
}

// tries is how many places round a bulb are tried for another, as Bridson has it.
const tries = 30

// MostScattered is how many bulbs are laid at the most.
const MostScattered = 400

// Bulbs lays bulbs about in what shapes cover: as close as the gap lets them, by Poisson discs
// (Bridson, Fast Poisson Disk Sampling in Arbitrary Dimensions, 2007). The same seed lays the same
// ones. Full is false where more would have gone in.
func (k Scatter) Bulbs(in Shapes) (out []Ellipse, full bool) {
	if k.Gap <= 0 || len(in) == 0 {
		return nil, true
	}
	free, inside := in.cells(math.Min(6/k.Gap, 1)) // a sixth of the gap wide
	r := rand.New(rand.NewPCG(uint64(k.Seed), 0x73636174))
	d := discs{gap: k.Gap, near: map[[2]int][]Point{}}
	lay := func(p Point) {
		d.add(p)
		out = append(out, Spot{p, k.Size / 2 * (1 + k.Vary*(2*r.Float64()-1))}.Disc())
	}
	// From somewhere free outwards, and again where that did not lead.
	r.Shuffle(len(free), func(i, j int) { free[i], free[j] = free[j], free[i] })
	for _, first := range free {
		if !d.apart(first) {
			continue
		}
		lay(first)
		active := []Point{first}
		for len(active) > 0 {
			if len(out) >= MostScattered {
				return out, false
			}
			i := r.IntN(len(active))
			found := false
			for range tries {
				a, far := 2*math.Pi*r.Float64(), k.Gap*(1+r.Float64())
				p := Point{active[i].X + far*math.Cos(a), active[i].Y + far*math.Sin(a)}
				if inside(p) && d.apart(p) {
					lay(p)
					active = append(active, p)
					found = true
					break
				}
			}
			if !found {
				active[i] = active[len(active)-1]
				active = active[:len(active)-1]
			}
		}
	}
	return out, true
}

// cells returns the middles of the cells that shapes cover by half, of a grid of a scale, row by
// row, and what reports whether a place is in one.
func (s Shapes) cells(scale float64) (free []Point, inside func(Point) bool) {
	m := s.At(scale)
	b := m.Bounds()
	covered := make([][]float32, b.Dy())
	for y := range covered {
		covered[y] = make([]float32, b.Dx())
		m.Fill(covered[y], b.Min.X, b.Min.Y+y)
		for x, v := range covered[y] {
			if v >= 0.5 {
				free = append(free, Point{(float64(b.Min.X+x) + 0.5) / scale,
					(float64(b.Min.Y+y) + 0.5) / scale})
			}
		}
	}
	return free, func(p Point) bool {
		x, y := int(math.Floor(p.X*scale))-b.Min.X, int(math.Floor(p.Y*scale))-b.Min.Y
		return x >= 0 && y >= 0 && x < b.Dx() && y < b.Dy() && covered[y][x] >= 0.5
	}
}

// discs are places that lie a gap apart, on a grid no cell of which holds more than one.
type discs struct {
	gap  float64
	near map[[2]int][]Point
}

func (d *discs) cell(p Point) [2]int {
	edge := d.gap / math.Sqrt2
	return [2]int{int(math.Floor(p.X / edge)), int(math.Floor(p.Y / edge))}
}

func (d *discs) add(p Point) { d.near[d.cell(p)] = append(d.near[d.cell(p)], p) }

// apart reports whether a place is a gap away from all.
func (d *discs) apart(p Point) bool {
	c := d.cell(p)
	for y := c[1] - 2; y <= c[1]+2; y++ {
		for x := c[0] - 2; x <= c[0]+2; x++ {
			for _, o := range d.near[[2]int{x, y}] {
				if p.dist(o) < d.gap {
					return false
				}
			}
		}
	}
	return true
}
