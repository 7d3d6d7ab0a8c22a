package areas

import (
	"context"
	"image"
	"slices"
	"sync"

	"pyrant/internal/base/raster"
)

// bands is a coverage over the whole frame of an export, made in bands when they are asked for, of
// which the last few are held: at 100 megapixels the whole takes 400 MB.
type bands struct {
	frame image.Rectangle
	make  func(context.Context, image.Rectangle) (*raster.Plane, error)
	mu    sync.Mutex
	held  []*band // the newest last
}

type band struct {
	n    int
	once sync.Once
	*raster.Plane
}

// bandRows is how many rows a band has, and maxBands how many bands are held: several for each
// goroutine that reads.
const (
	bandRows = 64
	maxBands = 16
)

// bandMask is bands as a mask.
type bandMask struct {
	rule
	*bands
}

func (m bandMask) Fill(dst []float32, x0, y int) { m.rule.Fill(dst, x0, y) }

// Bytes returns the memory of as many bands as are held at most.
func (m bandMask) Bytes() int64 { return int64(4 * m.rule.frame.Dx() * bandRows * maxBands) }

// ready makes the first band, so that what cannot be made at all is an error.
func (b *bands) ready(ctx context.Context) error {
	p, err := b.make(ctx, b.rect(0))
	if err == nil {
		k := &band{Plane: p}
		k.once.Do(func() {})
		b.held = append(b.held, k)
	}
	return err
}

func (b *bands) rect(n int) image.Rectangle {
	return image.Rect(b.frame.Min.X, b.frame.Min.Y+n*bandRows, b.frame.Max.X,
		b.frame.Min.Y+(n+1)*bandRows).Intersect(b.frame)
}

func (b *bands) Fill(dst []float32, x0, y int) {
	n := (y - b.frame.Min.Y) / bandRows
	b.mu.Lock()
	i := slices.IndexFunc(b.held, func(k *band) bool { return k.n == n })
	k := &band{n: n}
	if i >= 0 {
		k = b.held[i]
		b.held = slices.Delete(b.held, i, i+1)
	} else if len(b.held) >= maxBands {
		b.held = slices.Delete(b.held, 0, 1)
	}
	b.held = append(b.held, k)
	b.mu.Unlock()
	k.once.Do(func() {
		// What reads it may be kept for the next strips: it is not given up with one of them.
		p, err := b.make(context.Background(), b.rect(n))
		if err != nil {
			panic(err) // the first band was made of the same
		}
		k.Plane = p
	})
	copy(dst, k.Row(y)[x0-b.frame.Min.X:])
}
