// Truth measures the spill of a room against light of which the truth is known: the scene's marks
// are set up as a recipe, each group of lights is rendered alone by the engine that previews and
// exports use, and compared with the picture of that group's light on each surface. See
// docs/benchmarks.md.
//
//	go run ./scripts/truth [-json] SCENE
package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"image"
	"math"
	"os"
	"time"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/measure/scene"
	"pyrant/internal/recipe"
	"pyrant/internal/render"
)

// row is what one light gives to one surface. The surface "room" is floor and walls with one gain.
type row struct {
	Light         string   `json:"light"`
	Surface       string   `json:"surface"`
	R2            float64  `json:"r2"`
	Explained     float64  `json:"explained"`
	ShadowIoU     *float64 `json:"shadow_iou"`
	CopyR2        float64  `json:"copy_r2"` // of the best blurred copy of the shapes
	CopyExplained float64  `json:"copy_explained"`
}

func main() {
	asJSON := flag.Bool("json", false, "print a list of JSON objects")
	dump := flag.String("dump", "", "write pictures of the truth, of what was found and of the difference to this folder")
	flag.Parse()
	if flag.NArg() != 1 {
		fmt.Fprintln(os.Stderr, "usage: truth [-json] SCENE")
		os.Exit(2)
	}
	b, err := open(flag.Arg(0))
	if err == nil {
		b.dump = *dump
		err = b.measure(context.Background())
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "truth:", err)
		os.Exit(1)
	}
	if *asJSON {
		out, _ := json.MarshalIndent(b.rows, "", " ")
		fmt.Println(string(out))
		return
	}
	for _, r := range b.rows {
		fmt.Printf("%-8s %-12s R² %6.3f  explained %5.3f  shadow %s  copy %6.3f %5.3f\n", r.Light,
			r.Surface, r.R2, r.Explained, iou(r.ShadowIoU), r.CopyR2, r.CopyExplained)
	}
	fmt.Fprintf(os.Stderr, "focal length %.0f of a width of %d; took %v\n", b.focal, b.w, b.took.Round(time.Millisecond))
}

func iou(v *float64) string {
	if v == nil {
		return "    -"
	}
	return fmt.Sprintf("%5.2f", *v)
}

// bench is a scene that is measured.
type bench struct {
	sc     *scene.Scene
	w, h   int
	k      float64 // pixels of the photo for each of the frame
	photo  *photo.Photo
	plain  *scene.Linear
	recipe *recipe.Recipe
	masks  map[string][]float32 // by surface, on the photo's pixels
	damp   []float32
	rows   []row
	dump   string
	focal  float64
	took   time.Duration
}

// open reads a scene. The linear picture is what is measured on, as a photo of 16 bits.
func open(path string) (*bench, error) {
	sc, err := scene.Open(path)
	if err != nil {
		return nil, err
	}
	if sc.Plain == "" {
		return nil, fmt.Errorf("%s has no picture in linear light (plain), so there is no truth to measure against", path)
	}
	b := &bench{sc: sc, masks: map[string][]float32{}}
	if b.plain, err = scene.ReadHDR(sc.Path(sc.Plain)); err != nil {
		return nil, err
	}
	b.w, b.h = b.plain.W, b.plain.H
	b.k = float64(b.w) / sc.Width
	// What is brighter than white would be cut off: the brightest thousandth may.
	top := quantile(b.plain.Pix, 0.999)
	b.photo = &photo.Photo{Width: b.w, Height: b.h, Profile: colour.SRGB, Format: "png",
		Pix16: make([]uint16, len(b.plain.Pix))}
	for i, v := range b.plain.Pix {
		b.photo.Pix16[i] = uint16(math.Round(65535 * encode(math.Min(float64(v)/top, 1))))
	}
	if b.recipe, err = sc.Recipe(b.w, b.h); err != nil {
		return nil, err
	}
	sp, err := b.recipe.Space()
	if err != nil {
		return nil, err
	}
	b.focal = sp.Cam.F
	for _, name := range sc.Surfaces {
		if b.masks[name], err = b.mask(name); err != nil {
			return nil, err
		}
	}
	if sc.Damp != "" {
		if b.damp, err = b.mask(sc.Damp); err != nil {
			return nil, err
		}
	}
	return b, nil
}

func encode(v float64) float64 {
	if v <= 0.0031308 {
		return 12.92 * v
	}
	return 1.055*math.Pow(v, 1/2.4) - 0.055
}

func decode(v float64) float64 {
	if v <= 0.04045 {
		return v / 12.92
	}
	return math.Pow((v+0.055)/1.055, 2.4)
}

// mask reads a mask on the photo's pixels: the mean of what each covers.
func (b *bench) mask(name string) ([]float32, error) {
	f, err := b.sc.Mask(name)
	if err != nil {
		return nil, err
	}
	out := make([]float32, b.w*b.h)
	n := max(f.W/b.w, 1)
	for i := range out {
		x, y := i%b.w, i/b.w
		x0, y0 := int((float64(x)+0.5)*float64(f.W)/float64(b.w))-n/2,
			int((float64(y)+0.5)*float64(f.H)/float64(b.h))-n/2
		for v := range n {
			for u := range n {
				out[i] += f.At(x0+u, y0+v) / float32(n*n)
			}
		}
	}
	return out, nil
}

// spill renders what a light gives to its surroundings, in linear light.
func (b *bench) spill(ctx context.Context, e *render.Engine, light int,
	change func(*recipe.Recipe)) ([]float32, error) {
	r := b.recipe.Clone()
	for i := range r.Lights {
		r.Lights[i].On = i == light
	}
	change(r)
	level := 1.0
	for range 12 {
		r.Spill.Level = level
		start := time.Now()
		img, err := e.Render(ctx, render.Request{Photo: b.photo, PhotoKey: b.sc.Plain, Recipe: r,
			Layer: render.Spill, Deep: true})
		b.took += time.Since(start)
		if err != nil {
			return nil, err
		}
		m := img.(*image.RGBA64)
		out := make([]float32, 3*b.w*b.h)
		most := 0.0
		for i := range b.w * b.h {
			for c := range 3 {
				o := m.Pix[8*i+2*c:]
				v := decode(float64(uint16(o[0])<<8|uint16(o[1])) / 65535)
				most = math.Max(most, v)
				// A soft add over black gives 1 - exp(-x).
				out[3*i+c] = float32(-math.Log(1-math.Min(v, 0.999)) / level)
			}
		}
		if most < 0.9 {
			return out, nil
		}
		level /= 4
	}
	return nil, fmt.Errorf("the spill of %s is too bright to be measured", r.Lights[light].Name)
}
