package raster

import "context"

// Means returns the means over windows of radius pixels to each side, as far as they lie
// in the plane.
func Means(ctx context.Context, p *Plane, radius int) (*Plane, error) {
	return Boxes(ctx, p, radius, 1)
}

// Boxes takes Means so many times in succession, which comes near to a Gaussian: of each row and
// then of each column all at once, as they do not ask about each other.
func Boxes(ctx context.Context, p *Plane, radius, times int) (*Plane, error) {
	w, h := p.Rect.Dx(), p.Rect.Dy()
	// share holds for each place along n the reciprocal of how many lie in its window.
	share := func(n int) []float64 {
		out := make([]float64, n)
		for i := range out {
			out[i] = 1 / float64(min(i+radius, n-1)-max(i-radius, 0)+1)
		}
		return out
	}
	mid, out := NewPlane(p.Rect), NewPlane(p.Rect)
	along, down := share(w), share(h)
	if err := Rows(ctx, 0, h, func(y0, y1 int) {
		between := [2][]float32{make([]float32, w), make([]float32, w)}
		for y := y0; y < y1; y++ {
			src := p.Pix[y*w : (y+1)*w]
			for k := range times {
				dst := between[k&1]
				if k == times-1 {
					dst = mid.Pix[y*w : (y+1)*w]
				}
				sum := 0.0
				for _, v := range src[:min(radius, w)] {
					sum += float64(v)
				}
				for i := range dst {
					if j := i + radius; j < w {
						sum += float64(src[j])
					}
					if j := i - radius - 1; j >= 0 {
						sum -= float64(src[j])
					}
					dst[i] = float32(sum * along[i])
				}
				src = dst
			}
		}
	}); err != nil {
		return nil, err
	}
	// Down the columns, a block of them at a time, so that memory is read along rows.
	const block = 64
	return out, Each(ctx, (w+block-1)/block, func(n int) {
		x0, x1 := n*block, min((n+1)*block, w)
		c := x1 - x0
		between := [2][]float32{}
		if times > 1 {
			between = [2][]float32{make([]float32, c*h), make([]float32, c*h)}
		}
		sum := make([]float64, c)
		src, from, step := mid.Pix, x0, w
		for k := range times {
			dst, to, next := between[k&1], 0, c
			if k == times-1 {
				dst, to, next = out.Pix, x0, w
			}
			add := func(y int, k float64) {
				for i, v := range src[y*step+from : y*step+from+c] {
					sum[i] += k * float64(v)
				}
			}
			clear(sum)
			for y := range min(radius, h) {
				add(y, 1)
			}
			for y := range h {
				if j := y + radius; j < h {
					add(j, 1)
				}
				if j := y - radius - 1; j >= 0 {
					add(j, -1)
				}
				row := dst[y*next+to : y*next+to+c]
				for i, v := range sum {
					row[i] = float32(v * down[y])
				}
			}
			src, from, step = dst, to, next
		}
	})
}
