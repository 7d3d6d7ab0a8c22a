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
	"pyrant/internal/archive"
	"pyrant/internal/recipe"
)

func main() {
	log.SetFlags(0)
	megapixels := flag.Float64("megapixels", 24, "size of the photo")
	out := flag.String("o", "enlarged.pyrant", "the shot to write")
	photo := flag.String("photo", "", "write the photo alone too, as JPEG")
	flag.Parse()
	r, err := recipe.Decode(demo.Recipe)
	if err != nil {
		log.Fatal(err)
	}
	src, err := jpeg.Decode(bytes.NewReader(demo.Photo))
	if err != nil {
		log.Fatal(err)
	}
	r = r.Scale(math.Sqrt(*megapixels * 1e6 / float64(r.Photo.Width*r.Photo.Height)))
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
