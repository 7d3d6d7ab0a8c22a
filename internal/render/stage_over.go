package render

import (
	"context"
	"image"
)

// overStage joins what light still waits and lays the cores over what lies behind
// them.
type overStage struct{}

func (*overStage) prepare(context.Context) (bool, error) { return true, nil }

func (*overStage) collect(context.Context, image.Rectangle) (rower, error) {
	return overRows{}, nil
}

type overRows struct{}

func (overRows) row(s *scratch, _, _, _ int) {
	if s.waits {
		clear(s.light)
		s.expose()
	}
	s.core.over(s.pix, s.hit)
}

// over lays the cores over a row and marks what they changed.
func (c *cores) over(pix []float32, hit []bool) {
	for _, sp := range c.spans {
		for i := sp.from; i < sp.to; i++ {
			a := c.alpha[i]
			if a == 0 {
				continue
			}
			d, v := pix[3*i:3*i+3:3*i+3], c.pix[3*i:3*i+3:3*i+3]
			d[0] += (v[0] - d[0]) * a
			d[1] += (v[1] - d[1]) * a
			d[2] += (v[2] - d[2]) * a
			hit[i] = true
		}
	}
}
