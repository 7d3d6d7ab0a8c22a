// Fringes draws photos of objects with fine or translucent edges, whose coverage is known exactly:
// tufts, fur, long hair, plumes and veils before backgrounds that are out of focus, even or busy.
// Each is a scene for scripts/cutout.
//
//	go run ./scripts/fringes [-n 12] [-seed 1] [-long 1200] FOLDER
package main

import (
	"encoding/json"
	"flag"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"

	"golang.org/x/image/vector"

	"pyrant/internal/base/colour"
)

func main() {
	n := flag.Int("n", 12, "how many scenes")
	seed := flag.Uint64("seed", 1, "seed of the first")
	long := flag.Int("long", 1200, "long edge in pixels")
	flag.Parse()
	if flag.NArg() != 1 {
		fmt.Fprintln(os.Stderr, "usage: fringes [-n N] [-seed S] [-long PX] FOLDER")
		os.Exit(2)
	}
	for i := range *n {
		s := *seed + uint64(i)
		folder := filepath.Join(
			flag.Arg(0),
			fmt.Sprintf("%03d-%s", s, kinds[s%uint64(len(kinds))].name),
		)
		if err := write(folder, Draw(s, *long, *long*2/3)); err != nil {
			fmt.Fprintln(os.Stderr, "fringes:", err)
			os.Exit(1)
		}
		fmt.Println(folder)
	}
}

// Scene is a photo with the truth about its object, in linear light.
type Scene struct {
	W, H     int
	Coverage []float32
	Own      []float32 // light of the object, premultiplied, three values a pixel
	Photo    []float32
}

// canvas is an object in the making.
type canvas struct {
	*Scene
	rnd  *rand.Rand
	unit float64 // a hundredth of the long edge
	ras  vector.Rasterizer
	base colour.RGB
}

var kinds = [...]struct {
	name string
	draw func(*canvas)
}{{"tuft", tuft}, {"fur", fur}, {"hair", hair}, {"plume", plume}, {"veil", veil}}

// Draw draws the scene of a seed.
func Draw(seed uint64, w, h int) *Scene {
	rnd := rand.New(rand.NewPCG(seed, 77))
	s := &Scene{W: w, H: h, Coverage: make([]float32, w*h), Own: make([]float32, 3*w*h),
		Photo: make([]float32, 3*w*h)}
	c := &canvas{Scene: s, rnd: rnd, unit: float64(max(w, h)) / 100}
	c.base = colour.HSL(360*rnd.Float64(), 0.1+0.6*rnd.Float64(), 0.1+0.7*rnd.Float64())
	behind := background(rnd, w, h, c.base)
	kinds[seed%uint64(len(kinds))].draw(c)
	for i := range s.Coverage {
		for k := 3 * i; k < 3*i+3; k++ {
			s.Photo[k] = s.Own[k] + (1-s.Coverage[i])*behind[k]
		}
	}
	return s
}

func (c *canvas) between(a, b float64) float64 { return a + (b-a)*c.rnd.Float64() }

// shade returns a colour of the object, lighter or darker.
func (c *canvas) shade(by float64) colour.RGB {
	return c.base.Scale(float32(math.Exp(by * c.rnd.NormFloat64())))
}

// fill lays a polygon over what is drawn, with an opacity.
func (c *canvas) fill(pts [][2]float64, paint colour.RGB, opacity float64) {
	lo, hi := [2]float64{1e9, 1e9}, [2]float64{-1e9, -1e9}
	for _, p := range pts {
		for k := range 2 {
			lo[k], hi[k] = min(lo[k], p[k]), max(hi[k], p[k])
		}
	}
	r := image.Rect(int(lo[0])-1, int(lo[1])-1, int(hi[0])+2, int(hi[1])+2).
		Intersect(image.Rect(0, 0, c.W, c.H))
	if r.Empty() {
		return
	}
	c.ras.Reset(r.Dx(), r.Dy())
	for i, p := range pts {
		x, y := float32(p[0]-float64(r.Min.X)), float32(p[1]-float64(r.Min.Y))
		if i == 0 {
			c.ras.MoveTo(x, y)
		} else {
			c.ras.LineTo(x, y)
		}
	}
	c.ras.ClosePath()
	m := image.NewAlpha(image.Rect(0, 0, r.Dx(), r.Dy()))
	c.ras.Draw(m, m.Bounds(), image.Opaque, image.Point{})
	for y := range r.Dy() {
		for x := range r.Dx() {
			if a := float32(m.Pix[y*m.Stride+x]) / 255 * float32(opacity); a > 0 {
				c.lay((y+r.Min.Y)*c.W+x+r.Min.X, a, paint)
			}
		}
	}
}

func (c *canvas) lay(i int, a float32, paint colour.RGB) {
	c.Coverage[i] += (1 - c.Coverage[i]) * a
	for k, v := range [...]float32{paint.R, paint.G, paint.B} {
		c.Own[3*i+k] += (v - c.Own[3*i+k]) * a
	}
}

// strand draws a bent hair that thins out to its tip.
func (c *canvas) strand(x, y, angle, length, width, bend float64, paint colour.RGB) {
	const n = 14
	var left, right [][2]float64
	for i := range n + 1 {
		t := float64(i) / n
		sin, cos := math.Sincos(angle)
		half := width / 2 * (1 - 0.8*t)
		left = append(left, [2]float64{x - sin*half, y + cos*half})
		right = append([][2]float64{{x + sin*half, y - cos*half}}, right...)
		x, y = x+cos*length/n, y+sin*length/n
		angle += bend / n
	}
	c.fill(append(left, right...), paint, 1)
}

// blob draws a body with a wavy outline, and returns its outline.
func (c *canvas) blob(x, y, rx, ry float64) (out [][2]float64) {
	p, q := c.between(0, 7), c.between(0, 7)
	for i := range 200 {
		a := 2 * math.Pi * float64(i) / 200
		k := 1 + 0.08*math.Sin(2*a+p) + 0.05*math.Sin(3*a+q)
		out = append(out, [2]float64{x + rx*k*math.Cos(a), y + ry*k*math.Sin(a)})
	}
	c.fill(out, c.base, 1)
	// Its surface is mottled.
	for range 1500 {
		a, r := c.between(0, 2*math.Pi), math.Sqrt(c.rnd.Float64())*0.95
		c.strand(x+rx*r*math.Cos(a), y+ry*r*math.Sin(a), c.between(0, 7), c.unit, c.unit/6, 1,
			c.shade(0.25))
	}
	return out
}

func tuft(c *canvas) {
	for range 1 + c.rnd.IntN(2) {
		x := c.between(0.3, 0.7) * float64(c.W)
		y := c.between(0.35, 0.6) * float64(c.H)
		c.strand(
			x,
			y,
			math.Pi/2+c.between(-0.2, 0.2),
			float64(c.H),
			0.5*c.unit,
			c.between(-0.2, 0.2),
			c.shade(0.2),
		)
		turn, open := c.between(-0.4, 0.4), c.between(0.7, 1.6)
		for range 150 + c.rnd.IntN(250) {
			a := -math.Pi/2 + turn + open*c.rnd.NormFloat64()*0.6
			c.strand(
				x,
				y,
				a,
				c.unit*c.between(8, 18),
				c.unit*c.between(0.08, 0.25),
				c.between(-0.5, 0.5),
				c.shade(0.15),
			)
		}
		c.blob(x, y, 1.4*c.unit, 1.2*c.unit)
	}
}

func fur(c *canvas) {
	x, y := c.between(0.4, 0.6)*float64(c.W), c.between(0.5, 0.6)*float64(c.H)
	out := c.blob(x, y, c.between(15, 22)*c.unit, c.between(12, 18)*c.unit)
	for range 3500 {
		p := out[c.rnd.IntN(len(out))]
		a := math.Atan2(p[1]-y, p[0]-x) + 0.5*c.rnd.NormFloat64()
		k := c.between(0.9, 1)
		c.strand(
			x+(p[0]-x)*k,
			y+(p[1]-y)*k,
			a,
			c.unit*c.between(1.5, 4.5),
			c.unit*c.between(0.06, 0.25),
			c.rnd.NormFloat64()*0.6,
			c.shade(0.3),
		)
	}
}

func hair(c *canvas) {
	x, y := c.between(0.35, 0.5)*float64(c.W), c.between(0.45, 0.6)*float64(c.H)
	rx, ry := c.between(10, 14)*c.unit, c.between(12, 16)*c.unit
	c.blob(x, y, rx, ry)
	wind := c.between(-0.6, 0.6)
	for range 1800 {
		a := c.between(-math.Pi, 0.3)
		c.strand(x+0.95*rx*math.Cos(a), y+0.95*ry*math.Sin(a), a*0.4+wind, c.unit*c.between(8, 26),
			c.unit*c.between(0.06, 0.22), c.between(0, 1.2), c.shade(0.25))
	}
}

func plume(c *canvas) {
	x, y := c.between(0.2, 0.4)*float64(c.W), 0.9*float64(c.H)
	angle, bend := -math.Pi/2+c.between(0.1, 0.5), c.between(0.4, 1)
	length := 0.85 * float64(c.H)
	c.strand(x, y, angle, length, 0.9*c.unit, bend, c.shade(0.1))
	for i := range 900 {
		t := float64(i) / 900
		sin, cos := math.Sincos(angle + bend*t)
		x, y = x+cos*length/900, y+sin*length/900
		if t < 0.15 {
			continue
		}
		for _, side := range [...]float64{-1, 1} {
			c.strand(x, y, angle+bend*t+side*c.between(0.5, 1), c.unit*c.between(4, 9)*(1.2-t),
				c.unit*c.between(0.08, 0.2), -side*c.between(0, 0.8), c.shade(0.2))
		}
	}
}

func veil(c *canvas) {
	x, y := c.between(0.3, 0.4)*float64(c.W), 0.1*float64(c.H)
	c.strand(x, y-c.unit, math.Pi/2, 0.95*float64(c.H), 1.5*c.unit, 0, c.shade(0.2))
	wide, high := c.between(25, 40)*c.unit, c.between(30, 45)*c.unit
	f, g := c.between(3, 7), c.between(0, 7)
	thin := c.between(0.25, 0.6)
	var edge [][2]float64
	for i := range 60 {
		t := float64(i) / 59
		edge = append(edge, [2]float64{x + t*wide, y + c.unit*2*math.Sin(f*t+g)})
	}
	for i := range 60 {
		t := 1 - float64(i)/59
		edge = append(edge, [2]float64{x + t*wide*0.9, y + high + c.unit*3*math.Sin(f*t+g+1)})
	}
	// Cloth covers more where it is folded.
	cover := &canvas{Scene: &Scene{W: c.W, H: c.H, Coverage: make([]float32, c.W*c.H),
		Own: make([]float32, 3*c.W*c.H)}, rnd: c.rnd, unit: c.unit, base: c.base}
	cover.fill(edge, colour.RGB{R: 1, G: 1, B: 1}, 1)
	for i, a := range cover.Coverage {
		if a == 0 {
			continue
		}
		t := (float64(i%c.W) - x) / wide
		fold := 0.5 + 0.5*math.Sin(2*f*t+g+0.004*float64(i/c.W)*f)
		c.lay(i, a*float32(thin+(0.85-thin)*fold*fold), c.base.Scale(float32(0.7+0.5*fold)))
	}
}

// background returns what is behind an object: discs out of focus, an even change of colour, or
// something busy, at times of colours like the object's.
func background(rnd *rand.Rand, w, h int, like colour.RGB) []float32 {
	out := make([]float32, 3*w*h)
	paint := func() colour.RGB {
		c := colour.HSL(360*rnd.Float64(), 0.2+0.6*rnd.Float64(), 0.1+0.6*rnd.Float64())
		if rnd.Float64() < 0.25 {
			c = like.Mix(c, 0.4)
		}
		return c
	}
	long := float64(max(w, h))
	a, b := paint(), paint()
	for i := range w * h {
		m := a.Mix(b, float32(i/w)/float32(h))
		out[3*i], out[3*i+1], out[3*i+2] = m.R, m.G, m.B
	}
	blur := 0
	switch rnd.IntN(3) {
	case 0: // out of focus
		for range 60 {
			disc(out, w, h, rnd.Float64()*float64(w), rnd.Float64()*float64(h),
				long*(0.02+0.08*rnd.Float64()), paint())
		}
		blur = int(long / 60)
	case 1: // busy
		for range 4000 {
			disc(out, w, h, rnd.Float64()*float64(w), rnd.Float64()*float64(h),
				long*(0.002+0.01*rnd.Float64()), paint())
		}
		blur = int(long / 400)
	}
	for range 3 {
		blurred(out, w, h, blur)
	}
	return out
}

func disc(out []float32, w, h int, x, y, r float64, c colour.RGB) {
	for v := max(int(y-r), 0); v < min(int(y+r)+1, h); v++ {
		for u := max(int(x-r), 0); u < min(int(x+r)+1, w); u++ {
			if math.Hypot(float64(u)-x, float64(v)-y) < r {
				i := 3 * (v*w + u)
				out[i], out[i+1], out[i+2] = c.R, c.G, c.B
			}
		}
	}
}

// blurred blurs a picture by means along rows and columns.
func blurred(pix []float32, w, h, r int) {
	if r == 0 {
		return
	}
	line := make([]float32, max(w, h))
	run := func(at, step, n int) {
		for i := range n {
			line[i] = pix[at+i*step]
		}
		for i := range n {
			var sum float32
			lo, hi := max(i-r, 0), min(i+r, n-1)
			for j := lo; j <= hi; j++ {
				sum += line[j]
			}
			pix[at+i*step] = sum / float32(hi-lo+1)
		}
	}
	for c := range 3 {
		for y := range h {
			run(3*y*w+c, 3, w)
		}
		for x := range w {
			run(3*x+c, 3*w, h)
		}
	}
}

// write writes a scene to a folder, the photo with noise and as JPEG.
func write(folder string, s *Scene) error {
	if err := os.MkdirAll(filepath.Join(folder, "masks"), 0o755); err != nil {
		return err
	}
	r := image.Rect(0, 0, s.W, s.H)
	photo, own, mask := image.NewRGBA(r), image.NewRGBA(r), image.NewGray(r)
	rnd := rand.New(rand.NewPCG(3, 4))
	level := func(v float64) uint8 { return uint8(min(max(v, 0), 255) + 0.5) }
	for i := range s.Coverage {
		x, y := i%s.W, i/s.W
		var p, o [3]uint8
		for k := range 3 {
			p[k] = level(255*colour.LinearToSRGB(float64(s.Photo[3*i+k])) + 1.5*rnd.NormFloat64())
			o[k] = level(255 * colour.LinearToSRGB(float64(s.Own[3*i+k])))
		}
		photo.SetRGBA(x, y, color.RGBA{p[0], p[1], p[2], 255})
		own.SetRGBA(x, y, color.RGBA{o[0], o[1], o[2], 255})
		mask.SetGray(x, y, color.Gray{level(255 * float64(s.Coverage[i]))})
	}
	for name, m := range map[string]image.Image{"plain.jpg": photo, "own_object.png": own,
		"masks/object.png": mask} {
		f, err := os.Create(filepath.Join(folder, name))
		if err != nil {
			return err
		}
		if filepath.Ext(name) == ".jpg" {
			err = jpeg.Encode(f, m, &jpeg.Options{Quality: 92})
		} else {
			err = png.Encode(f, m)
		}
		if err2 := f.Close(); err == nil {
			err = err2
		}
		if err != nil {
			return err
		}
	}
	marks := map[string]any{"width": s.W, "height": s.H, "picture": "plain.jpg",
		"things": []any{
			map[string]any{"name": "object", "mask": "object", "own": "own_object.png"},
		}}
	data, err := json.MarshalIndent(marks, "", " ")
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(folder, "marks.json"), data, 0o644)
}
