package photo

import (
	"context"
	"math"

	"pyrant/internal/base/raster"
)

// Stops returns how much of red and blue light there is against its green, in stops: of grey that
// is the light in which it was taken. It returns false for what is too dark or clipped to tell.
func Stops(red, green, blue float32) (r, b float64, ok bool) {
	lo, hi := min(red, green, blue), max(red, green, blue)
	if lo < 1e-4 || hi > 0.98 {
		return 0, 0, false
	}
	return math.Log2(float64(red / green)), math.Log2(float64(blue / green)), true
}

// blocks is into how many blocks the photo's long edge is divided for Daylight, and norm the power
// of its mean.
const (
	blocks = 240
	norm   = 6
)

// Daylight estimates the light in which the photo was taken, as red and blue against green in
// stops: from means that let bright places count more, which a mixture of many colours makes grey
// (shades of grey, Finlayson and Trezzi 2004). Blocks that are clipped or nearly black do not
// count; false if there are no others.
func (p *Photo) Daylight(ctx context.Context) (red, blue float64, ok bool, err error) {
	edge := max(max(p.Width, p.Height)/blocks, 1)
	rows := make([][3]float64, (p.Height+edge-1)/edge)
	if err := raster.Each(ctx, len(rows), func(j int) {
		if ctx.Err() != nil {
			return
		}
		row := make([]float32, 3*p.Width)
		sums := make([][4]float32, (p.Width+edge-1)/edge)
		for y := j * edge; y < min((j+1)*edge, p.Height); y++ {
			p.Linear(row, 0, y, p.Width)
			for x := range p.Width {
				s := &sums[x/edge]
				s[0], s[1], s[2], s[3] = s[0]+row[3*x], s[1]+row[3*x+1], s[2]+row[3*x+2], s[3]+1
			}
		}
		for _, s := range sums {
			if _, _, ok := Stops(s[0]/s[3], s[1]/s[3], s[2]/s[3]); ok {
				for c := range 3 {
					rows[j][c] += math.Pow(float64(s[c]/s[3]), norm)
				}
			}
		}
	}); err != nil {
		return 0, 0, false, err
	}
	var sum [3]float64
	for _, r := range rows {
		for c := range sum {
			sum[c] += r[c]
		}
	}
	if sum[1] == 0 {
		return 0, 0, false, nil
	}
	return math.Log2(sum[0]/sum[1]) / norm, math.Log2(sum[2]/sum[1]) / norm, true, nil
}
