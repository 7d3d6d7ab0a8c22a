// Command enlarge writes the demo shot, lights and all, as large as asked for:
// something to measure time and memory with.
//
//	go run ./scripts/enlarge -megapixels 24 -o quay24.pyrant
package main

import (
	"bytes"
	"flag"
	"image"
	"image/jpeg"
	"log"
	"math"
	"os"

	"golang.org/x/image/draw"

	"pyrant/demo"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/shot/archive"
)

func main() {
	log.SetFlags(0)
	megapixels := flag.Float64("megapixels", 24, "size of the photo")
	out := flag.String("o", "enlarged.pyrant", "the shot to write")
	photo := flag.String("photo", "", "write the photo alone too, as JPEG")
	graded := flag.Bool("graded", false, "add passes and areas: a band of hue, a ramp, a vignette, sixty strokes")
	flag.Parse()
	r, err := edit.Decode(demo.Recipe)
	if err != nil {
		log.Fatal(err)
	}
	src, err := jpeg.Decode(bytes.NewReader(demo.Photo))
	if err != nil {
		log.Fatal(err)
	}
	r = r.Scale(math.Sqrt(*megapixels * 1e6 / float64(r.Photo.Width*r.Photo.Height)))
	if *graded {
		if r, err = grade(r); err != nil {
			log.Fatal(err)
		}
	}
	dst := image.NewRGBA(image.Rect(0, 0, r.Photo.Width, r.Photo.Height))
	draw.ApproxBiLinear.Scale(dst, dst.Rect, src, src.Bounds(), draw.Src, nil)
	var b bytes.Buffer
	if err := jpeg.Encode(&b, dst, &jpeg.Options{Quality: 90}); err != nil {
		log.Fatal(err)
	}
	if *photo != "" {
		if err := os.WriteFile(*photo, b.Bytes(), 0o644); err != nil {
			log.Fatal(err)
		}
	}
	f, err := os.Create(*out)
	if err != nil {
		log.Fatal(err)
	}
	if err := archive.Write(f, &archive.Shot{Name: "Tidewatch quay", Recipe: r, Photo: b.Bytes()}); err != nil {
		log.Fatal(err)
	}
	if err := f.Close(); err != nil {
		log.Fatal(err)
	}
}

// grade adds passes to dusk and finish, and areas for them.
func grade(r *recipe.Recipe) (*recipe.Recipe, error) {
	var err error
	for _, id := range []string{"but-colour", "gel-ramp", "vignette"} {
		if r, _, _, err = edit.Begin(r, id); err != nil {
			return nil, err
		}
	}
	l := float64(r.Photo.LongEdge())
	for a := range 3 {
		var list []area.Stroke
		for i := range 20 {
			s := setting.New[area.Stroke](r.Photo.Frame())
			points := make([]area.Dab, 30)
			for k := range points {
				u := float64(k) / 29
				sin, cos := math.Sincos(2.4*u + float64(i+7*a))
				points[k] = area.Dab{X: l * (0.5 + 0.4*cos*u), Y: l * (0.33 + 0.3*sin*u), P: 1}
			}
			s.Points = setting.ListOf(points...)
			list = append(list, s)
		}
		next, id, err := edit.AddArea(r, "Painted", area.Part{On: true, Does: area.Add, Amount: 1,
			Of: area.Strokes{Strokes: list}})
		if err != nil {
			return nil, err
		}
		r = next
		p, _ := pass.New("levels", r.Photo.Frame())
		p.Does, p.Area = pass.Levels{Exposure: -0.5, Middle: 1, White: 1}, id
		r.Dusk.Passes = append(r.Dusk.Passes, p)
	}
	return r, r.Validate()
}
