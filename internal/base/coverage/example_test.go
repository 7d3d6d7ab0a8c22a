package coverage_test

import (
	"context"
	"fmt"
	"image"

	"pyrant/internal/base/coverage"
	"pyrant/internal/light/glow"
)

// band is a kind of coverage: all that lies between two columns of the photo. Whatever
// tells how much of each place it covers can shine.
type band struct{ from, to float64 }

func (b band) Key() string                    { return fmt.Sprint("band ", b.from, b.to) }
func (b band) At(scale float64) coverage.Mask { return columns{b.from * scale, b.to * scale} }
func (b band) Area() float64                  { return (b.to - b.from) * 100 }
func (b band) Line() float64                  { return 100 }
func (b band) Width() float64                 { return b.to - b.from }

type columns struct{ from, to float64 }

func (c columns) Bounds() image.Rectangle { return image.Rect(int(c.from), 0, int(c.to+1), 100) }
func (c columns) Fill(dst []float32, x0, _ int) {
	for i := range dst {
		dst[i] = float32(max(0, min(c.to, float64(x0+i+1))-max(c.from, float64(x0+i))))
	}
}
func (c columns) Drop(int)     {}
func (c columns) Bytes() int64 { return 0 }

func Example() {
	var b coverage.Coverage = band{2.5, 5}
	row := make([]float32, 7)
	b.At(1).Fill(row, 0, 50)
	fmt.Println(row)
	peaks, err := glow.NewPeaks(context.Background(), b, 100)
	if err != nil {
		fmt.Println(err)
		return
	}
	narrow, _ := peaks.At(context.Background(), 0.5)
	wide, _ := peaks.At(context.Background(), 10)
	fmt.Printf("blurred by half a pixel its peak is %.2f, by ten %.2f\n", narrow, wide)
	// Output:
	// [0 0 0.5 1 1 0 0]
	// blurred by half a pixel its peak is 0.94, by ten 0.10
}
