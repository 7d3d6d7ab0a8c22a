// Package objecthue measures which hue an object in a photo has: the glass of a tail lamp, a
// painted panel, a coloured acrylic rod. A light that is traced from it begins with that hue.
//
// Colours are averaged in OKLab (Ottosson 2020), each pixel by how much of it the object covers,
// so that a white highlight or a grey rim dilutes the hue and does not turn it.
package objecthue

import (
	"image"
	"math"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/coverage"
	"pyrant/internal/base/photo"
)

const (
	maxSamples = 160  // along each side of the object's bounds
	minChroma  = 0.05 // of the mean in OKLab: below it a surface is called grey, white or black
	minAgree   = 0.75 // mean over the mean of lengths: below it the object has several hues
	clipped    = 0.98 // display value from which a channel says nothing
	minLuma    = 2e-3 // linear; darker pixels have more noise than colour
	minSeen    = 0.3  // of the object that is neither clipped nor dark: less is its rim alone
)

// Of returns the hue of what a mask covers on a photo, in degrees of HSL, and whether it has one:
// an object that is grey, clipped, nearly black or of several hues has none. The mask is in
// pixels of the photo.
func Of(p *photo.Photo, m coverage.Mask) (hue float64, ok bool) {
	r := m.Bounds().Intersect(image.Rect(0, 0, p.Width, p.Height))
	if r.Empty() {
		return 0, false
	}
	dx, dy := max(r.Dx()/maxSamples, 1), max(r.Dy()/maxSamples, 1)
	row, rgb := make([]float32, r.Dx()), make([]float32, 3)
	var a, b, lengths, weight, all float64
	var sum colour.RGB
	for y := r.Min.Y + dy/2; y < r.Max.Y; y += dy {
		clear(row)
		m.Fill(row, r.Min.X, y)
		for x := dx / 2; x < len(row); x += dx {
			k := row[x]
			if k <= 0 {
				continue
			}
			all += float64(k)
			p.Linear(rgb, r.Min.X+x, y, 1)
			c := colour.RGB{R: rgb[0], G: rgb[1], B: rgb[2]}
			if colour.Display.At(max(c.R, c.G, c.B)) >= clipped || c.Luma() < minLuma {
				continue
			}
			_, pa, pb := colour.OKLab(c.R, c.G, c.B)
			a, b = a+float64(k)*pa, b+float64(k)*pb
			lengths += float64(k) * math.Hypot(pa, pb)
			weight += float64(k)
			sum = colour.RGB{R: sum.R + k*c.R, G: sum.G + k*c.G, B: sum.B + k*c.B}
		}
	}
	chroma := math.Hypot(a, b)
	if weight == 0 || weight < minSeen*all || chroma < minChroma*weight ||
		chroma < minAgree*lengths {
		return 0, false
	}
	hue, _, _ = sum.Scale(1 / max(sum.R, sum.G, sum.B)).HSL()
	return hue, true
}
