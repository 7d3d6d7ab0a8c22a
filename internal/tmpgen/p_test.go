package tmpgen

import (
	"context"
	"image"
	"image/color"
	"image/png"
	"math"
	"os"
	"testing"

	"pyrant/internal/codec"
	"pyrant/internal/edge"
	"pyrant/internal/region"
	"pyrant/internal/shape"
)

func TestP(t *testing.T) {
	for name, c := range map[string]struct {
		file string
		x, y float64
		z    int
	}{"f0": {"/tmp/var/flip/p.jpg", 3000 - 1254, 620, 5}, "n0": {"/tmp/var/noisy/p.jpg", 1254, 620, 5}, "s4": {"/tmp/var/tiny/p.jpg", 1344 * .45, 724 * .45, 12}} {
		data, _ := os.ReadFile(c.file)
		p, err := codec.Open(context.Background(), data)
		if err != nil {
			t.Fatal(err)
		}
		im, _ := os.Open(c.file)
		src, _, _ := image.Decode(im)
		g, _ := region.NewGround(context.Background(), p, nil)
		f, err := g.Find(context.Background(), region.Pick{X: c.x, Y: c.y})
		if err != nil {
			t.Fatal(err)
		}
		o := f.Outline(edge.NewEye(p))
		z := c.z
		n := 800 / z
		x0, y0 := int(c.x)-n/2, int(c.y)-n/2
		out := image.NewRGBA(image.Rect(0, 0, n*z, n*z))
		for y := range n * z {
			for x := range n * z {
				out.Set(x, y, src.At(x0+x/z, y0+y/z))
			}
		}
		for _, q := range edge.Spaced(shape.Flatten(o, true), true, 0.05) {
			out.Set(int((q.X-float64(x0))*float64(z)), int((q.Y-float64(y0))*float64(z)), color.RGBA{0, 255, 255, 255})
		}
		for _, q := range edge.Spaced(f.Rough, true, 0.05) {
			out.Set(int((q.X-float64(x0))*float64(z)), int((q.Y-float64(y0))*float64(z)), color.RGBA{255, 0, 255, 255})
		}
		fo, _ := os.Create("/tmp/port-" + name + ".png")
		png.Encode(fo, out)
		fo.Close()
	}
	_ = math.Pi
}
