package coverage

import (
	"image"
	"sync"

	"pyrant/internal/base/raster"
)

// Tiles keeps the tiles of a mask, which are made when they are first asked for: squares of Size
// pixels in a grid that is fixed to the picture's origin, so that a pixel has the same value in
// every viewport. It may be used by several goroutines.
type Tiles[T any] struct {
	size int
	make func(at image.Point) (t T, bytes int64)

	mu    sync.Mutex
	tiles map[image.Point]*tile[T]
	bytes int64 // of the tiles in the map that are done
}

type tile[T any] struct {
	once  sync.Once
	value T
	bytes int64 // counted for it; guarded by the mutex of the tiles
}

// NewTiles returns tiles of so many pixels along each edge. make makes the tile whose first pixel
// is size·at, and returns what memory it takes.
func NewTiles[T any](size int, make func(at image.Point) (t T, bytes int64)) *Tiles[T] {
	return &Tiles[T]{size: size, make: make, tiles: map[image.Point]*tile[T]{}}
}

// At returns the tile at a place of the grid.
func (t *Tiles[T]) At(at image.Point) T {
	t.mu.Lock()
	k := t.tiles[at]
	if k == nil {
		k = new(tile[T])
		t.tiles[at] = k
	}
	t.mu.Unlock()
	k.once.Do(func() {
		value, bytes := t.make(at)
		k.value = value
		t.mu.Lock()
		// A tile that was dropped while it was made belongs to whoever asked.
		if t.tiles[at] == k {
			k.bytes = bytes
			t.bytes += bytes
		}
		t.mu.Unlock()
	})
	return k.value
}

// Run returns the tile that holds the pixel (x, y), its first pixel, and where the run of pixels
// from x on ends that it holds of those before x1.
func (t *Tiles[T]) Run(x, x1, y int) (tile T, first image.Point, end int) {
	at := image.Pt(raster.FloorDiv(x, t.size), raster.FloorDiv(y, t.size))
	first = at.Mul(t.size)
	return t.At(at), first, min(first.X+t.size, x1)
}

// Drop lets go of the tiles that end above row y.
func (t *Tiles[T]) Drop(y int) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for at, k := range t.tiles {
		if (at.Y+1)*t.size <= y {
			t.bytes -= k.bytes
			delete(t.tiles, at)
		}
	}
}

// Bytes returns the memory of the tiles that are done.
func (t *Tiles[T]) Bytes() int64 {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.bytes
}
