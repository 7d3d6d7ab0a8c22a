package testphoto

import (
	"context"
	"image"
	"image/color"
	"image/jpeg"
	"io"
	"os"
	"testing"
	"time"

	"pyrant/internal/base/codec"
	"pyrant/internal/base/photo"
)

// Large returns a photo of a file at twice its size, and a preview frame of it.
func Large(b *testing.B, file string) (*photo.Photo, *image.RGBA) {
	b.Helper()
	data, err := os.ReadFile(file)
	if err != nil {
		b.Fatal(err)
	}
	p, err := codec.Open(context.Background(), data)
	if err != nil {
		b.Fatal(err)
	}
	big := &photo.Photo{Width: 2 * p.Width, Height: 2 * p.Height,
		Pix8: make([]uint8, 4*len(p.Pix8)), Profile: p.Profile}
	for y := range big.Height {
		for x := range big.Width {
			copy(big.Pix8[3*(y*big.Width+x):][:3], p.Pix8[3*(y/2*p.Width+x/2):])
		}
	}
	frame := image.NewRGBA(image.Rect(0, 0, 940, 627))
	for y := range 627 {
		for x := range 940 {
			i := 3 * (y*p.Height/627*p.Width + x*p.Width/940)
			frame.SetRGBA(x, y, color.RGBA{p.Pix8[i], p.Pix8[i+1], p.Pix8[i+2], 255})
		}
	}
	return big, frame
}

// Against reports the time of work as a multiple of encoding a preview frame as JPEG, timed by
// turns.
func Against(b *testing.B, frame *image.RGBA, work func(i int)) {
	var own, yard time.Duration
	i := 0
	for b.Loop() {
		t := time.Now()
		work(i)
		own += time.Since(t)
		t = time.Now()
		_ = jpeg.Encode(io.Discard, frame, &jpeg.Options{Quality: 85})
		yard += time.Since(t)
		i++
	}
	b.ReportMetric(float64(own.Milliseconds())/float64(i), "ms/work")
	b.ReportMetric(own.Seconds()/yard.Seconds(), "x-jpeg")
}
