package silhouette

import (
	"math"
	"math/rand/v2"
	"testing"

	"pyrant/internal/base/samebits"
)

func TestSameBits(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	signed := func(most float32) float32 { return float32((2*r.Float32() - 1) * most) }
	const edge = 20
	pix := make([]cell, (edge+1)*(edge+1))
	for i := range pix {
		pix[i] = cell{h2: signed(6), ball: r.Float32() * 3, out: signed(4)}
	}
	s := still{k: 15, cx: 10, cy: 10, right: edge - 1, low: edge - 1, unit: 0.1, least: 0.02,
		stride: edge + 1, upright: math.MaxUint32}
	var all []float32
	for n := range 300 {
		s.within = uint32(n%2) * math.MaxUint32
		var f fan
		for i := range gang {
			f.x[i], f.y[i], f.z[i], f.w[i] = signed(1), signed(1), 3+signed(1), signed(30)
			f.dx[i], f.dy[i], f.dz[i], f.dw[i] = signed(2), signed(2), signed(2), signed(30)
			f.near[i], f.grow[i] = 0.1+signed(0.1), signed(0.05)
			f.t[i], f.t1[i], f.each[i] = 0.1+signed(0.1), 0.8+signed(0.2), 0.2+signed(0.1)
		}
		if wide {
			march(&f, &s, &pix[0], 2)
		} else {
			marchEach(&f, &s, pix, 2)
		}
		all = append(all, f.worst[:]...)
		var e eight
		for i := range lanes {
			e.x[i], e.y[i], e.z[i], e.dx[i], e.dy[i], e.dz[i] = signed(3), signed(3), 3+signed(4),
				signed(5), signed(5), signed(5)
			e.near[i], e.far[i], e.end[i] = 0.1+signed(0.1), 0.1+signed(0.1), 0.5+signed(0.6)
		}
		b := bounds{ball: ball{signed(1), signed(1), 3, 1.5}, tall: 0.6, z: -1, d: -3, each: 10,
			skip: 0.01, slack: 0.05, count: 2,
			sides: [4]normal{{0.6, 0, 0.8}, {-0.6, 0, 0.8}}}
		all = append(all, float32(b.touched(&e)))
		var m met
		hit := b.meet(&e, &m)
		all = append(all, float32(hit))
		for i := range lanes {
			if hit&(1<<i) != 0 { // the others may be left as they were
				all = append(all, m.t0[i], m.t1[i], m.w[i], m.dw[i], m.each[i])
			}
		}
	}
	samebits.Check(t, "march, near, meet", all, "7b750d5e2f53")
}
