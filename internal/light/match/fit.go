package match

import (
	"context"
	"math"
	"slices"

	"pyrant/internal/base/fault"
	"pyrant/internal/base/raster"
)

// Fitted is what lights have to be for their picture to be the reference.
type Fitted struct {
	Gains    [][3]float64 // of each light's field, for each colour
	Daylight [3]float64   // how much of the photo's daylight is left
	// Explained is the share of what the lights of the reference give that the fitted ones give
	// too, from 0 to 1.
	Explained float64
	// Left is what is left over at each pixel against the photo: above 0 where the reference is
	// brighter.
	Left *raster.Plane
	// Weight is how far each pixel agrees with the others, from 0 for one that shows something that
	// moved.
	Weight []float32
}

// Fit finds by how much each light's field has to be taken, for each colour by itself, so that with
// what is left of the daylight they make the reference: by least squares without negative gains, in
// which pixels count the less the farther off they are (Huber 1964), so that what moved between the
// photos pulls little. A field is what one light adds to the photo, in linear light on the pair's
// grid; skip tells which pixels are left out, as those that the lights cover.
func (p *Pair) Fit(ctx context.Context, fields []*raster.RGB,
	skip func(i int) bool) (*Fitted, error) {
	n := len(fields)
	// Of each pixel the reference and the fields against the photo.
	var at []int
	for i := range p.Known {
		a, b := p.Photo.Pix[3*i:3*i+3], p.Ref.Pix[3*i:3*i+3]
		if !p.Known[i] || min(a[0], a[1], a[2]) < dark || max(a[0], a[1], a[2]) > clipped ||
			max(b[0], b[1], b[2]) > clipped || skip != nil && skip(i) {
			continue
		}
		at = append(at, i)
	}
	if len(at) < 100*(n+1) {
		return nil, fault.New(fault.Invalid, "The photo and its reference have too few midtones in common.")
	}
	out := &Fitted{Gains: make([][3]float64, n), Left: raster.NewPlane(p.Photo.Rect),
		Weight: make([]float32, len(p.Known))}
	weight := make([]float64, len(at))
	for k := range weight {
		weight[k] = 1
	}
	value := func(l, i, c int) float64 {
		if l == n {
			return 1 // the daylight
		}
		return float64(fields[l].Pix[3*i+c]) / float64(p.Photo.Pix[3*i+c])
	}
	rest := make([]float64, len(at))
	var gains [3][]float64
	for round := range 8 {
		for c := range 3 {
			a, b := make([][]float64, n+1), make([]float64, n+1)
			for l := range a {
				a[l] = make([]float64, n+1)
			}
			row := make([]float64, n+1)
			for k, i := range at {
				if k%4096 == 0 && ctx.Err() != nil {
					return nil, ctx.Err()
				}
				for l := range row {
					row[l] = value(l, i, c)
				}
				t := float64(p.Ref.Pix[3*i+c] / p.Photo.Pix[3*i+c])
				for l, v := range row {
					if v == 0 {
						continue
					}
					v *= weight[k]
					b[l] += v * t
					for m := l; m <= n; m++ {
						a[l][m] += v * row[m]
					}
				}
			}
			for l := range a {
				for m := range l {
					a[l][m] = a[m][l]
				}
			}
			gains[c] = positive(a, b)
		}
		// What is left over decides what counts in the next round.
		for k, i := range at {
			sum := 0.0
			for c := range 3 {
				d := float64(p.Ref.Pix[3*i+c] / p.Photo.Pix[3*i+c])
				for l := range n + 1 {
					if g := gains[c][l]; g > 0 {
						d -= g * value(l, i, c)
					}
				}
				sum += d * d
			}
			rest[k] = math.Sqrt(sum / 3)
		}
		if round == 7 {
			break
		}
		sorted := slices.Clone(rest)
		slices.Sort(sorted)
		scale := math.Max(1.345*1.4826*sorted[len(sorted)/2], 1e-6)
		for k, r := range rest {
			weight[k] = math.Min(scale/math.Max(r, 1e-12), 1)
			// At last what is far off does not count at all (Tukey's biweight).
			if t := r / (4.5 * scale); round > 3 {
				weight[k] = math.Pow(math.Max(1-t*t, 0), 2)
			}
		}
	}
	for l := range out.Gains {
		for c := range 3 {
			out.Gains[l][c] = gains[c][l]
		}
	}
	for c := range 3 {
		out.Daylight[c] = gains[c][n]
	}
	var energy, left float64
	for k, i := range at {
		var added, off float64
		for c := range 3 {
			v := float64(p.Ref.Pix[3*i+c]/p.Photo.Pix[3*i+c]) - out.Daylight[c]
			d := v
			for l := range n {
				d -= out.Gains[l][c] * value(l, i, c)
			}
			added += v / 3
			off += d / 3
			energy += weight[k] * v * v
			left += weight[k] * d * d
		}
		out.Left.Pix[i], out.Weight[i] = float32(off), float32(weight[k])
	}
	out.Explained = math.Max(1-left/math.Max(energy, 1e-12), 0)
	return out, nil
}

// positive solves a·x = b as well as it goes without negative x, one after the other.
func positive(a [][]float64, b []float64) []float64 {
	x := make([]float64, len(b))
	for range 5000 {
		most := 0.0
		for l := range x {
			if a[l][l] <= 0 {
				continue
			}
			v := b[l]
			for m, g := range x {
				if m != l {
					v -= a[l][m] * g
				}
			}
			v = math.Max(v/a[l][l], 0)
			most = math.Max(most, math.Abs(v-x[l])/(1e-9+math.Abs(v)))
			x[l] = v
		}
		if most < 1e-7 {
			break
		}
	}
	return x
}
