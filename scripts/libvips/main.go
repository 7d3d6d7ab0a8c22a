// Command libvips compares an eight-shell stack with libvips, in speed and in
// error, on a 24-megapixel mask of which a panel covers 2 %. It needs the vips
// program (Debian: libvips-tools).
//
//	go run ./scripts/libvips
//
// The error is against the exact convolution: a panel that ends at whole pixels
// is separable, so the sums of the sampled Gaussian over its columns and rows,
// taken in float64 out to eight deviations, give it exactly.
package main

import (
	"context"
	"encoding/binary"
	"fmt"
	"image"
	"log"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"pyrant/internal/base/raster"
	"pyrant/internal/light/glow"
	"pyrant/internal/recipe/shape"
)

const width, height = 6000, 4000

var (
	panel = image.Rect(2500, 1700, 3300, 2300)
	radii = []float64{2.5, 5, 10, 20, 40, 80, 160, 320}
)

// sums returns for each of n pixels the part of a Gaussian round it that lies
// over the pixels from a to b.
func sums(n, a, b int, sigma float64) []float64 {
	reach := int(math.Ceil(8 * sigma))
	k := make([]float64, 2*reach+1)
	total := 0.0
	for i := range k {
		d := float64(i - reach)
		k[i] = math.Exp(-d * d / (2 * sigma * sigma))
		total += k[i]
	}
	out := make([]float64, n)
	for x := range out {
		for i := max(a, x-reach); i < min(b, x+reach+1); i++ {
			out[x] += k[i-x+reach] / total
		}
	}
	return out
}

// worst returns the largest error of a blur in parts of the exact one's peak.
func worst(at func(x, y int) float32, sigma float64) float64 {
	h, v := sums(width, panel.Min.X, panel.Max.X, sigma), sums(height, panel.Min.Y, panel.Max.Y,
		sigma)
	peak, err := 0.0, 0.0
	for y := range height {
		for x := range width {
			want := h[x] * v[y]
			peak = math.Max(peak, want)
			err = math.Max(err, math.Abs(float64(at(x, y))-want))
		}
	}
	return err / peak
}

func vips(args ...string) time.Duration {
	start := time.Now()
	if out, err := exec.Command("vips", args...).CombinedOutput(); err != nil {
		log.Fatalf("vips %v: %v\n%s", args, err, out)
	}
	return time.Since(start)
}

// stack makes all shells as the renderer does and returns the merged sum.
func stack(weights []float32) *raster.Plane {
	ctx := context.Background()
	must := func(err error) {
		if err != nil {
			log.Fatal(err)
		}
	}
	corner := func(x, y int) shape.Node { return shape.Node{X: float64(x), Y: float64(y)} }
	m := shape.NewMask(shape.Shapes{shape.Outline{Nodes: shape.PathOf(
		corner(panel.Min.X, panel.Min.Y), corner(panel.Max.X, panel.Min.Y),
		corner(panel.Max.X, panel.Max.Y), corner(panel.Min.X, panel.Max.Y),
	)}}, 1)
	top, _ := glow.Level(radii[len(radii)-1])
	p, err := glow.NewPyramid(ctx, m, m.Bounds(), top)
	must(err)
	var terms []glow.Term
	for i, r := range radii {
		if weights[i] == 0 {
			continue
		}
		l, rest := glow.Level(r)
		f, err := p.Blur(ctx, l, rest, p.Extent(l, rest))
		must(err)
		terms = append(terms, glow.Term{Level: l, Field: f, Weight: weights[i : i+1]})
	}
	out := raster.NewPlane(image.Rect(0, 0, width, height))
	s, err := glow.Collapse(ctx, terms, 1, out.Rect)
	must(err)
	must(raster.Rows(ctx, 0, height, func(y0, y1 int) {
		var tmp []float32
		for y := y0; y < y1; y++ {
			tmp = s.Row(out.Row(y), 0, y, tmp)
		}
	}))
	return out
}

func main() {
	log.SetFlags(0)
	dir, err := os.MkdirTemp("", "libvips-")
	if err != nil {
		log.Fatal(err)
	}
	defer os.RemoveAll(dir)
	at := func(name string) string { return filepath.Join(dir, name) }
	raw := make([]byte, 4*width*height)
	for y := panel.Min.Y; y < panel.Max.Y; y++ {
		for x := panel.Min.X; x < panel.Max.X; x++ {
			binary.LittleEndian.PutUint32(raw[4*(y*width+x):], math.Float32bits(1))
		}
	}
	if err := os.WriteFile(at("mask.raw"), raw, 0o644); err != nil {
		log.Fatal(err)
	}
	vips("rawload", at("mask.raw"), at("mask.v"), fmt.Sprint(width), fmt.Sprint(height), "1", "--format", "float")
	idle := vips("copy", at("mask.v"), at("copy.v"))
	fmt.Printf("reading and writing alone takes vips %v; it is taken off below\n\n", idle.Round(time.Millisecond))
	fmt.Println("radius   vips time   vips error   our error   (largest, of the peak)")
	var theirs time.Duration
	for i, r := range radii {
		took := vips("gaussblur", at("mask.v"), at("blur.v"), fmt.Sprint(r), "--precision", "approximate") - idle
		theirs += took
		vips("rawsave", at("blur.v"), at("blur.raw"))
		b, err := os.ReadFile(at("blur.raw"))
		if err != nil {
			log.Fatal(err)
		}
		ev := worst(func(x,
			y int) float32 {
			return math.Float32frombits(binary.LittleEndian.Uint32(b[4*(y*width+x):]))
		}, r)
		one := make([]float32, len(radii))
		one[i] = 1
		eo := worst(stack(one).At, r)
		fmt.Printf("%6.1f   %8.2f s   %8.2f %%   %7.3f %%\n", r, took.Seconds(), 100*ev, 100*eo)
	}
	all := []float32{1, 1, 1, 1, 1, 1, 1, 1}
	stack(all)
	const times = 5
	start := time.Now()
	for range times {
		stack(all)
	}
	ours := time.Since(start) / times
	fmt.Printf("\nall eight: vips %.1f s, Pyrant %.3f s: %.0f times as fast\n", theirs.Seconds(), ours.Seconds(), theirs.Seconds()/ours.Seconds())
}
