package pointlight

import (
	"context"
	"image"
	"math"
	"math/rand/v2"
	"testing"

	"pyrant/demo"
	"pyrant/internal/base/codec"
	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
)

// canvas is a photo that is being painted, in linear light.
type canvas struct {
	w, h int
	pix  []float64 // three a pixel
	rand *rand.Rand
}

// night is a dusk sky over dark ground.
func night(w, h int, seed uint64) *canvas {
	c := &canvas{w: w, h: h, pix: make([]float64, 3*w*h), rand: rand.New(rand.NewPCG(seed, 9))}
	for y := range h {
		v := [3]float64{0.16, 0.17, 0.26}
		if t := float64(y) / float64(h); t > 0.45 {
			v = [3]float64{0.03, 0.035, 0.05}
		}
		for x := range w {
			copy(c.pix[3*(y*w+x):], v[:])
		}
	}
	return c
}

// add lays light on each pixel that a shape covers, with an edge of a pixel: shape gives the
// distance from its edge, below 0 within.
func (c *canvas) add(x0, y0, x1, y1 float64, light [3]float64, shape func(x, y float64) float64) {
	for y := max(int(y0), 0); y < min(int(y1)+1, c.h); y++ {
		for x := max(int(x0), 0); x < min(int(x1)+1, c.w); x++ {
			if k := math.Min(math.Max(0.5-shape(float64(x)+0.5, float64(y)+0.5), 0), 1); k > 0 {
				for q := range 3 {
					p := &c.pix[3*(y*c.w+x)+q]
					*p += (light[q] - *p) * k
				}
			}
		}
	}
}

// lamp paints a lamp with a halo.
func (c *canvas) lamp(x, y, r float64, tint [3]float64) {
	for j := max(int(y-12*r), 0); j < min(int(y+12*r), c.h); j++ {
		for i := max(int(x-12*r), 0); i < min(int(x+12*r), c.w); i++ {
			d := math.Hypot(float64(i)+0.5-x, float64(j)+0.5-y) / r
			for q := range 3 {
				c.pix[3*(j*c.w+i)+q] += 0.15 * tint[q] / (1 + d*d*d)
			}
		}
	}
	c.add(x-r-1, y-r-1, x+r+1, y+r+1, [3]float64{4 * tint[0], 4 * tint[1], 4 * tint[2]},
		func(u, v float64) float64 { return math.Hypot(u-x, v-y) - r })
}

// window paints a lit window with a bar across.
func (c *canvas) window(x, y, w, h float64) {
	c.add(x, y, x+w, y+h, [3]float64{0.85, 0.7, 0.42}, func(u, v float64) float64 {
		return max(math.Abs(u-x-w/2)-w/2, math.Abs(v-y-h/2)-h/2, 1.5-math.Abs(u-x-w/2))
	})
}

// wet paints the image of a lamp in wet ground, in rags.
func (c *canvas) wet(x, y, r float64, tint [3]float64) {
	for range int(14 * r * r) {
		u, v := x+0.5*r*c.rand.NormFloat64(), y+1.1*r*c.rand.NormFloat64()
		c.add(u-1, v-1, u+1, v+1, tint, func(a, b float64) float64 {
			return max(math.Abs(a-u), math.Abs(b-v)) - 0.5
		})
	}
}

// photo ends the painting: grain, and what is brighter than white is white.
func (c *canvas) photo() *photo.Photo {
	p := &photo.Photo{Width: c.w, Height: c.h, Profile: colour.SRGB, Pix8: make([]uint8, 3*c.w*c.h)}
	for i, v := range c.pix {
		s := colour.LinearToSRGB(math.Min(math.Max(v, 0), 1)) + 0.006*c.rand.NormFloat64()
		p.Pix8[i] = uint8(math.Round(255 * math.Min(math.Max(s, 0), 1)))
	}
	return p
}

type disc struct{ x, y, r float64 }

// town paints a street with lamps and far lights, among windows, a sign and wet ground.
func town(seed uint64) (*photo.Photo, []disc) {
	c := night(1200, 800, seed)
	r := c.rand
	tints := [][3]float64{{1, 0.75, 0.45}, {0.75, 0.9, 1}, {1, 0.35, 0.25}, {0.5, 1, 0.7},
		{1, 1, 1}}
	var all []disc
	free := func(x, y, need float64) bool {
		for _, d := range all {
			if math.Hypot(x-d.x, y-d.y) < need+4*d.r {
				return false
			}
		}
		return true
	}
	for i := range 5 {
		c.window(700+90*float64(i), 420, 50+20*r.Float64(), 70)
	}
	for i := range 6 { // letters: upright strokes
		x := 720 + 40*float64(i)
		c.add(x, 330, x+9, 380, [3]float64{1, 1, 0.9},
			func(u, v float64) float64 { return max(math.Abs(u-x-4.5)-4.5, math.Abs(v-355)-25) })
	}
	for i := range 8 {
		x, y, rad := 40+75*float64(i), 200+30*r.Float64(), 22-2.3*float64(i)
		all = append(all, disc{x, y, rad})
		tint := tints[i%2]
		c.lamp(x, y, rad, tint)
		c.wet(x, 800-y/1.8, 0.8*rad, [3]float64{1.2, 1.1, 0.9})
	}
	for n := 0; n < 24; {
		x, y, rad := 20+1160*r.Float64(), 250+140*r.Float64(), 2.1+2*r.Float64()
		if (x > 640 && y > 300) || !free(x, y, 30) {
			continue
		}
		all = append(all, disc{x, y, rad})
		c.lamp(x, y, rad, tints[n%len(tints)])
		n++
	}
	return c.photo(), all
}

// match returns precision and recall of the points that are sure enough.
func match(found []Point, truth []disc) (precision, recall float64) {
	taken := make([]bool, len(truth))
	right, all := 0.0, 0.0
	for _, p := range found {
		if p.Sure < Threshold {
			continue
		}
		all++
		for i, d := range truth {
			if !taken[i] && math.Hypot(p.X-d.x, p.Y-d.y) <= math.Max(3, d.r) {
				taken[i] = true
				right++
				break
			}
		}
	}
	return right / math.Max(all, 1), right / float64(len(truth))
}

// On made streets nine lights of ten are found and little else: no windows, no letters, no images
// in wet ground.
func TestStreets(t *testing.T) {
	streets := uint64(4)
	if testing.Short() {
		streets = 1
	}
	for seed := range streets {
		p, truth := town(seed)
		found, more, err := Find(context.Background(), p, Lit)
		if err != nil || more != 0 {
			t.Fatal(err, more)
		}
		precision, recall := match(found, truth)
		t.Logf("street %d: precision %.3f, recall %.3f", seed, precision, recall)
		if precision < 0.9 || recall < 0.9 {
			t.Errorf("street %d: precision %.3f, recall %.3f", seed, precision, recall)
		}
		for i := range found {
			if i > 0 && found[i].Sure > found[i-1].Sure {
				t.Fatal("the surest are not first")
			}
		}
	}
}

// A lamp's middle and radius are told to a fraction of a pixel, and its colour from its rim, as its
// middle is white.
func TestMeasures(t *testing.T) {
	c := night(400, 300, 1)
	truth := disc{143.3, 97.8, 9.4}
	c.lamp(truth.x, truth.y, truth.r, [3]float64{1, 0.5, 0.25})
	found, _, err := Find(context.Background(), c.photo(), Lit)
	if err != nil || len(found) == 0 {
		t.Fatal(found, err)
	}
	p := found[0]
	if d := math.Hypot(p.X-truth.x, p.Y-truth.y); d > 0.35 {
		t.Errorf("the middle is %.2f px off", d)
	}
	if math.Abs(p.Radius-truth.r) > 0.6 {
		t.Errorf("the radius is %.2f, made with %.2f", p.Radius, truth.r)
	}
	if !p.Clipped || p.Sure < 0.9 {
		t.Errorf("clipped %v, sure %.2f", p.Clipped, p.Sure)
	}
	if hue, _, _ := p.Colour.HSL(); math.Abs(hue-30) > 12 || p.Colour.R != 1 || p.Colour.B > 0.75 {
		t.Errorf("its colour is %v, of hue %.0f", p.Colour, hue)
	}
}

// On the demo's harbour the ten lamps are found; on the quay in daylight nothing is as sure as they
// are.
func TestHarbour(t *testing.T) {
	if testing.Short() {
		t.Skip("whole photos")
	}
	open := func(i int) *photo.Photo {
		p, err := codec.Open(context.Background(), demo.Shots[i].Photo)
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	lamps := []disc{{216.9, 272.9, 66.6}, {854.9, 756.4, 29.1}, {1033, 890, 18.6},
		{1118, 954, 13.7}, {1165, 991, 10.8}, {1197, 1015, 8.9}, {1219, 1032, 7.6},
		{1236, 1045, 6.6}, {1249, 1055, 5.9}, {1259, 1063, 5.3}}
	harbour := open(1)
	found, _, err := Find(context.Background(), harbour, Lit)
	if err != nil {
		t.Fatal(err)
	}
	if _, recall := match(found, lamps); recall < 1 {
		t.Errorf("%.0f of ten lamps are found", 10*recall)
	}
	// All of them are lit in warm white, also where one stands in the halo of another.
	for _, d := range lamps {
		if c := Colour(harbour, d.x, d.y, d.r); c.R != 1 || c.G < 0.6 || c.B > c.G {
			t.Errorf("the lamp at %.0f, %.0f has the colour %v", d.x, d.y, c)
		}
	}
	windows := []image.Rectangle{image.Rect(1895, 1050, 2025, 1220), image.Rect(2430, 1048, 2565,
		1220), image.Rect(2150, 978, 2295, 1030), image.Rect(2350, 1070, 2412, 1210),
		image.Rect(2360, 1430, 2485, 1600), image.Rect(850, 1300, 1260, 1990)}
	for _, p := range found {
		for i, w := range windows {
			if p.Sure >= Threshold && image.Pt(int(p.X), int(p.Y)).In(w) {
				t.Errorf(
					"what shines at %.0f, %.0f, in place %d, is taken for a light",
					p.X,
					p.Y,
					i,
				)
			}
		}
	}
	found, _, err = Find(context.Background(), harbour, Dead)
	if err != nil {
		t.Fatal(err)
	}
	bulbs := []disc{{2627.9, 361.9, 16.8}, {2387.1, 515.1, 14.8}, {2156.2, 621, 12.9},
		{1918, 665.3, 10.9}, {1743.7, 632.6, 9.4}}
	if _, recall := match(found, bulbs); recall < 1 {
		t.Errorf("%.0f of five bulbs are found", 5*recall)
	}
	for _, p := range found {
		for _, d := range lamps {
			if p.Sure >= Threshold && math.Hypot(p.X-d.x, p.Y-d.y) < d.r/2 && p.Bright > clipped {
				t.Errorf("a lamp that is lit is taken for a dead bulb, at %.0f, %.0f", p.X, p.Y)
			}
		}
	}
	found, _, err = Find(context.Background(), open(2), Lit)
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range found {
		if p.Sure > 0.85 {
			t.Errorf(
				"by day something at %.0f, %.0f is taken for a light, sure %.2f",
				p.X,
				p.Y,
				p.Sure,
			)
		}
	}
}

// No shape stands out in an even photo; too many are cut off, the surest kept; a search can be
// given up.
func TestEnds(t *testing.T) {
	c := &canvas{w: 64, h: 48, pix: make([]float64, 3*64*48), rand: rand.New(rand.NewPCG(1, 1))}
	for _, k := range []Kind{Lit, Dead} {
		if found, more, err := Find(context.Background(), c.photo(), k); len(found) != 0 ||
			more != 0 || err != nil {
			t.Errorf("kind %d: in the dark: %v, %d, %v", k, found, more, err)
		}
	}
	many := night(1400, 1000, 3)
	for y := 24.0; y < 1000; y += 36 {
		for x := 24.0; x < 1400; x += 36 {
			many.lamp(x, y, 2.5, [3]float64{1, 1, 1})
		}
	}
	found, more, err := Find(context.Background(), many.photo(), Lit)
	if err != nil || len(found) != Most || more < 400 {
		t.Errorf("of a thousand lights %d are kept, %d cut off, %v", len(found), more, err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, _, err := Find(ctx, c.photo(), Lit); err == nil {
		t.Error("a search that was given up ends well")
	}
}
