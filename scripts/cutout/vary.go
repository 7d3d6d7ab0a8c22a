package main

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"math"
	"math/rand/v2"
	"slices"
	"strings"

	"golang.org/x/image/draw"

	"pyrant/internal/base/colour"
)

// change is what a picture is made before it is measured: how well hands trace should not hang
// on the light of one photo, its size or its noise.
type change struct {
	name    string
	light   [3]float64 // of linear red, green and blue
	size    float64
	noise   float64 // of values to 255, to both sides
	quality int     // of the JPEG
}

var changes = []change{
	{"dark", [3]float64{0.4, 0.4, 0.4}, 1, 0, 90},
	{"warm", [3]float64{1.1, 0.85, 0.6}, 1, 0, 88},
	{"noisy", [3]float64{0.7, 0.7, 0.75}, 1, 6, 85},
	{"cold", [3]float64{0.45, 0.6, 0.8}, 0.8, 3, 85},
	{"small", [3]float64{1, 1, 1}, 0.6, 0, 90},
	{"tiny", [3]float64{1, 1, 1}, 0.45, 0, 92},
}

// changed returns a picture file changed as a name says.
func changed(data []byte, as string) ([]byte, error) {
	i := slices.IndexFunc(changes, func(c change) bool { return c.name == as })
	if i < 0 {
		var names []string
		for _, c := range changes {
			names = append(names, c.name)
		}
		return nil, fmt.Errorf("a picture is changed to %s", strings.Join(names, ", "))
	}
	c := changes[i]
	src, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	b := src.Bounds()
	out := image.NewRGBA(image.Rect(0, 0, int(float64(b.Dx())*c.size), int(float64(b.Dy())*c.size)))
	draw.CatmullRom.Scale(out, out.Rect, src, b, draw.Src, nil)
	rnd := rand.New(rand.NewPCG(1, 1))
	for y := range out.Rect.Dy() {
		for x := range out.Rect.Dx() {
			p := out.RGBAAt(x, y)
			grain := (2*rnd.Float64() - 1) * c.noise
			value := func(v uint8, k float64) uint8 {
				l := math.Min(colour.SRGBToLinear(float64(v)/255)*k, 1)
				return uint8(math.Round(min(max(255*colour.LinearToSRGB(l)+grain, 0), 255)))
			}
			out.SetRGBA(x, y, color.RGBA{value(p.R, c.light[0]), value(p.G, c.light[1]),
				value(p.B, c.light[2]), 255})
		}
	}
	var to bytes.Buffer
	err = jpeg.Encode(&to, out, &jpeg.Options{Quality: c.quality})
	return to.Bytes(), err
}
