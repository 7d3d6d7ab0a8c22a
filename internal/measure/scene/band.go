package scene

import (
	"image"
	_ "image/png" // pictures of an object's own light
	"math"
	"os"
	"path/filepath"
	"slices"

	"pyrant/internal/base/colour"
)

// Pixels count as mixed where their true coverage lies between mixedLow and mixedHigh. The band is
// those pixels and all within bandReach of them, in pixels of a picture whose long edge has 2400.
const (
	mixedLow  = 0.02
	mixedHigh = 0.98
	bandReach = 10.0 / 2400
)

// Band returns the pixels of a mask that are mixed or lie near one that is.
func (f *Field) Band() []bool {
	reach := int(math.Round(bandReach * float64(max(f.W, f.H))))
	// The squared distance to a mixed pixel, by rows and then by columns.
	far := reach + 1
	across := make([]int, len(f.Pix))
	for y := range f.H {
		row := across[y*f.W : (y+1)*f.W]
		last := -far - 1
		for x := range row {
			if v := f.Pix[y*f.W+x]; v > mixedLow && v < mixedHigh {
				last = x
			}
			row[x] = min(x-last, far)
		}
		next := f.W + far + 1
		for x := f.W - 1; x >= 0; x-- {
			if row[x] == 0 {
				next = x
			}
			row[x] = min(row[x], next-x)
		}
	}
	band := make([]bool, len(f.Pix))
	for i := range band {
		x, y := i%f.W, i/f.W
		for v := max(y-reach, 0); v <= min(y+reach, f.H-1) && !band[i]; v++ {
			d := across[v*f.W+x]
			band[i] = d*d+(v-y)*(v-y) <= reach*reach
		}
	}
	return band
}

// BandError returns the mean absolute error of coverage in the band of the true mask.
func BandError(truth, got *Field) float64 {
	sum, n := 0.0, 0
	for i, in := range truth.Band() {
		if in {
			sum += math.Abs(float64(truth.Pix[i] - got.Pix[i]))
			n++
		}
	}
	return sum / max(float64(n), 1)
}

// OwnLight is linear light on the grid of a mask, three values a pixel.
type OwnLight []float32

// Own reads the object's own light on black, premultiplied by its coverage; nil where the scene
// does not have it.
func (s *Scene) Own(t Thing) (OwnLight, error) {
	if t.Own == "" {
		return nil, nil
	}
	file, err := os.Open(filepath.Join(s.dir, t.Own))
	if err != nil {
		return nil, err
	}
	defer file.Close()
	m, _, err := image.Decode(file)
	if err != nil {
		return nil, err
	}
	b := m.Bounds()
	out := make(OwnLight, 0, 3*b.Dx()*b.Dy())
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for x := b.Min.X; x < b.Max.X; x++ {
			r, g, bl, _ := m.At(x, y).RGBA()
			for _, v := range [...]uint32{r, g, bl} {
				out = append(out, float32(colour.SRGBToLinear(float64(v)/65535)))
			}
		}
	}
	return out, nil
}

// grounds are the backgrounds of composites: black, white and dark blue.
var grounds = [...]colour.RGB{{}, {R: 1, G: 1, B: 1}, {R: 0.005, G: 0.012, B: 0.05}}

// CompositeError returns the median colour difference (CIEDE2000) in the band of the true mask, of
// composites over black, white and dark blue against those of the true object.
func CompositeError(truth *Field, own OwnLight, got *Field, gotOwn OwnLight) float64 {
	var all []float64
	on := func(own []float32, alpha float32, g colour.RGB) (l, a, b float64) {
		rest := 1 - alpha
		return colour.RGB{R: min(own[0]+rest*g.R, 1), G: min(own[1]+rest*g.G, 1),
			B: min(own[2]+rest*g.B, 1)}.Lab()
	}
	for i, in := range truth.Band() {
		if !in {
			continue
		}
		for _, g := range grounds {
			l1, a1, b1 := on(own[3*i:], truth.Pix[i], g)
			l2, a2, b2 := on(gotOwn[3*i:], got.Pix[i], g)
			all = append(all, colour.DeltaE2000(l1, a1, b1, l2, a2, b2))
		}
	}
	if len(all) == 0 {
		return 0
	}
	slices.Sort(all)
	return all[len(all)/2]
}
