package coverage

import (
	"image"
	"math/rand/v2"
	"sync"
	"sync/atomic"
	"testing"
)

// Each tile is made once, whoever asks, and rows find the tile and the pixels that are theirs, also
// left of and above the origin.
func TestTiles(t *testing.T) {
	var made atomic.Int32
	tiles := NewTiles(8, func(at image.Point) (image.Point, int64) {
		made.Add(1)
		return at, 10
	})
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			for y := -20; y < 20; y++ {
				for x := -20; x < 20; {
					at, first, end := tiles.Run(x, 20, y)
					in := image.Rectangle{first, first.Add(image.Pt(8, 8))}
					if first != at.Mul(8) || !image.Pt(x, y).In(in) ||
						!image.Pt(end-1, y).In(in) || end < 20 && image.Pt(end, y).In(in) {
						t.Errorf("at %d, %d: tile %v from %v, up to %d", x, y, at, first, end)
						return
					}
					x = end
				}
			}
		})
	}
	all.Wait()
	if n := made.Load(); n != 36 || tiles.Bytes() != 360 {
		t.Errorf("%d tiles are made and take %d bytes", n, tiles.Bytes())
	}
	// The rows of tiles from −24, −16 and −8 on end above row 0.
	tiles.Drop(0)
	if tiles.Bytes() != 180 {
		t.Errorf("after half was dropped they take %d bytes", tiles.Bytes())
	}
	tiles.At(image.Pt(0, -1))
	if made.Load() != 37 {
		t.Error("a tile that was dropped is not made again")
	}
}

// even is a mask of one value.
type even struct {
	v    float32
	rect image.Rectangle
}

func (e even) Bounds() image.Rectangle { return e.rect }
func (e even) Drop(int)                {}
func (e even) Bytes() int64            { return 5 }
func (e even) Fill(dst []float32, x0, y int) {
	for i := range dst {
		dst[i] = 0
		if image.Pt(x0+i, y).In(e.rect) {
			dst[i] = e.v
		}
	}
}

// What masks add and subtract is the product of what each leaves, in any order.
func TestCombined(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	for range 50 {
		c, left, kept := new(Combined), 1.0, 1.0
		for range random.IntN(4) {
			v := random.Float32()
			c.Added = append(c.Added, even{v, image.Rect(0, 0, 4, 2)})
			left *= 1 - float64(v)
		}
		for range random.IntN(3) {
			v := random.Float32()
			c.Subtracted = append(c.Subtracted, even{v, image.Rect(0, 0, 9, 9)})
			kept *= 1 - float64(v)
		}
		row := make([]float32, 6)
		c.Fill(row, 1, 1)
		want := float32((1 - left) * kept)
		if d := row[0] - want; d > 1e-6 || d < -1e-6 || row[3] != 0 {
			t.Errorf("it covers %v, want %v within and 0 beside it", row, want)
		}
		c.Fill(row, 1, 3)
		if n := int64(5 * (len(c.Added) + len(c.Subtracted))); row[0] != 0 || c.Bytes() != n {
			t.Errorf("below its bounds it covers %v; it takes %d bytes", row[0], c.Bytes())
		}
	}
}
