package codec_test

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"

	"pyrant/internal/base/codec"
)

// A photo is read with what belongs to it, and written again.
func Example() {
	m := image.NewRGBA(image.Rect(0, 0, 4, 3))
	m.SetRGBA(1, 0, color.RGBA{200, 100, 50, 255})
	var file bytes.Buffer
	err := codec.Write(&file, m, codec.Options{Format: "png"})
	fmt.Println(codec.Sniff(file.Bytes()), err)
	p, err := codec.Open(context.Background(), file.Bytes())
	fmt.Println(p.Width, p.Height, p.Pix8[3:6], p.Deep(), err)
	_, err = codec.Open(context.Background(), []byte("a letter, not a photo"))
	fmt.Println(err)
	// Output:
	// png <nil>
	// 4 3 [200 100 50] false <nil>
	// Pyrant cannot read this file. Open a JPEG, PNG, TIFF or WebP file.
}
