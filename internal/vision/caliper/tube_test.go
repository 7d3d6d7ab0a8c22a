package caliper

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
)

// painted makes a photo of 300 by 300 in which a shape is pale and all else as of a wall.
func painted(shapes shape.Shapes, wall func(x, y int) uint8) *edge.Eye {
	p := &photo.Photo{Width: 300, Height: 300, Pix8: make([]uint8, 3*300*300), Profile: colour.SRGB}
	m := shape.NewMask(shapes, 1)
	row := make([]float32, 300)
	for y := range 300 {
		m.Fill(row, 0, y)
		for x, a := range row {
			// Coverage is a share of light, not of codes.
			v := float64(a)*colour.SRGBToLinear(0.86) +
				float64(1-a)*colour.SRGBToLinear(float64(wall(x, y))/255)
			i := 3 * (y*300 + x)
			c := uint8(math.Round(255 * colour.LinearToSRGB(v)))
			p.Pix8[i], p.Pix8[i+1], p.Pix8[i+2] = c, c, c
		}
	}
	return edge.NewEye(p)
}

func bricks(x, y int) uint8 {
	if y%24 < 3 || (x+y/24*20)%60 < 3 {
		return 150
	}
	return uint8(70 + (x/60*13+y/24*29)%40)
}

func nodes(xy ...float64) []shape.Node {
	var out []shape.Node
	for i := 0; i < len(xy); i += 2 {
		out = append(out, shape.Node{X: xy[i], Y: xy[i+1]})
	}
	return out
}

// A tube that was traced carelessly is moved to its middle, and its width found, before a
// wall of bricks as before an even one.
func TestTubeFindsWidthAndMiddle(t *testing.T) {
	for name, wall := range map[string]func(x, y int) uint8{"even": func(int,
		int) uint8 {
		return 60
	}, "bricks": bricks} {
		rod := shape.Tube{Nodes: shape.PathOf(nodes(60, 250, 230, 40)...), Width: 14}
		m := Tube(painted(shape.Shapes{rod}, wall), nodes(62.5, 251.5, 232.5, 41.5), false, 60)
		if math.Abs(m.Width-14) > 0.5 || m.Flat || m.Sure < 0.1 {
			t.Errorf("%s: a rod of 14 px: %.2f, flat %v, sure %.2f", name, m.Width, m.Flat, m.Sure)
		}
		for _, n := range m.Nodes {
			// How far from the line through the true ends.
			if d := math.Abs((n.X-60)*210+(n.Y-250)*170) / math.Hypot(210, 170); d > 0.4 {
				t.Errorf("%s: a point lies %.2f beside the middle", name, d)
			}
		}
		hexagon := shape.Tube{Nodes: shape.PathOf(nodes(230, 150, 190, 220, 110, 220, 70, 150, 110,
			80, 190, 80)...), Width: 7, Closed: true}
		m = Tube(painted(shape.Shapes{hexagon}, wall), nodes(231, 150, 190, 221, 109, 221, 71, 150,
			109, 79, 191, 79), true, 60)
		if math.Abs(m.Width-7) > 0.5 {
			t.Errorf("%s: a hexagon of 7 px: %.2f", name, m.Width)
		}
		for i, n := range m.Nodes {
			if q := hexagon.Nodes.At(i); math.Hypot(n.X-q.X, n.Y-q.Y) > 0.6 {
				t.Errorf("%s: corner %d lies at %.1f, %.1f", name, i, n.X, n.Y)
			}
		}
	}
}

// A round rod that grows dark towards its edges is as wide as it is, where its tint tells.
func TestRoundRod(t *testing.T) {
	const width = 16.0
	p := &photo.Photo{Width: 300, Height: 300, Pix8: make([]uint8, 3*300*300), Profile: colour.SRGB}
	wall := [3]float64{0.14, 0.07, 0.04}
	for i := range 300 * 300 {
		var c [3]float64
		for k := range 16 {
			// Across a line that leans, its side away from the light in shade.
			x, y := float64(i%300)+(float64(k%4)+0.5)/4, float64(i/300)+(float64(k/4)+0.5)/4
			u := ((x-150)*0.96 + (y-150)*0.28) / (width / 2)
			light := [3]float64{wall[0], wall[1], wall[2]}
			if u*u < 1 {
				v := 0.09 + 0.5*math.Max(0.9*math.Sqrt(1-u*u)-0.7*u, 0)
				light = [3]float64{v, v, v}
			}
			for q := range c {
				c[q] += light[q] / 16
			}
		}
		for q, v := range c {
			p.Pix8[3*i+q] = uint8(math.Round(255 * colour.LinearToSRGB(v)))
		}
	}
	m := Tube(edge.NewEye(p), nodes(150-0.28*120, 150+0.96*120, 150+0.28*120+1, 150-0.96*120),
		false, 60)
	if math.Abs(m.Width-width) > 0.4 {
		t.Errorf("a rod of %v px is %.2f wide", width, m.Width)
	}
	for _, n := range m.Nodes {
		if off := math.Abs((n.X-150)*0.96 + (n.Y-150)*0.28); off > 0.4 {
			t.Errorf("an end lies %.2f beside the middle", off)
		}
	}
}

func TestFlatEndsAreSeen(t *testing.T) {
	rod := shape.Tube{Nodes: shape.PathOf(nodes(60, 150, 240, 150)...), Width: 20, Flat: true}
	if m := Tube(painted(shape.Shapes{rod}, bricks), nodes(60, 150, 240, 150), false, 60); !m.Flat {
		t.Error("a rod that ends straight was taken for round")
	}
}

func TestNothingThere(t *testing.T) {
	e := painted(nil, func(int, int) uint8 { return 120 })
	if m := Tube(e, nodes(60, 150, 240, 150), false, 60); m.Sure != 0 || m.Width != 0 ||
		m.Nodes[0].X != 60 {
		t.Errorf("on an even wall there is %+v", m)
	}
	if m := Tube(e, nodes(60, 150), false, 60); m.Width != 0 {
		t.Errorf("one point has a width of %v", m.Width)
	}
}

// Lines drawn by chance over a wall of bricks, or over noise, are no tubes: the edges beside them
// stand out no further than others.
func TestTextureIsNoTube(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 5))
	noise := make([]uint8, 300*300)
	for i := range noise {
		noise[i] = uint8(60 + rnd.IntN(120))
	}
	for name, wall := range map[string]func(x, y int) uint8{"bricks": bricks,
		"noise": func(x, y int) uint8 { return noise[(y/3)*300+x/3] }} {
		e := painted(nil, wall)
		certain, n := 0, 0
		for range 120 {
			x, y := 20+260*rnd.Float64(), 20+260*rnd.Float64()
			a, l := 2*math.Pi*rnd.Float64(), 60+120*rnd.Float64()
			x2, y2 := x+l*math.Cos(a), y+l*math.Sin(a)
			along := math.Abs(
				math.Sin(2*a),
			) < math.Sin(
				24*math.Pi/180,
			) // with the mortar, whose edges are real
			if min(x2, y2) < 0 || max(x2, y2) > 299 || along {
				continue
			}
			n++
			if Tube(e, nodes(x, y, x2, y2), false, 40).Sure >= Certain {
				certain++
			}
		}
		if n < 40 || certain > n/12 {
			t.Errorf("%s: %d of %d lines were taken for tubes", name, certain, n)
		}
	}
}

func ExampleTube() {
	rod := shape.Tube{Nodes: shape.PathOf(nodes(60, 250, 230, 40)...), Width: 14}
	m := Tube(painted(shape.Shapes{rod}, bricks), nodes(61, 250, 231, 41), false, 60)
	fmt.Printf("%.0f px\n", m.Width)
	// Output: 14 px
}
