package main

import (
	"context"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"slices"

	"pyrant/internal/measure/scene"
	"pyrant/internal/recipe"
	"pyrant/internal/render"
)

// least is the share of a surface that has to be in true shadow for a figure of it, dim what a
// light gives of its brightest surface for a surface to be measured, and shadow how dark a shadow
// is.
const (
	least  = 0.005
	dim    = 0.01
	shadow = 0.35
	away   = 5.0 // pixels of the frame round what shines that are left out
)

func (b *bench) measure(ctx context.Context) error {
	e := render.New(1 << 30)
	for i := range b.sc.Lights {
		if b.sc.Lights[i].Lit == "" {
			continue
		}
		if err := b.light(ctx, e, i); err != nil {
			return fmt.Errorf("%s: %w", b.sc.Lights[i].Group, err)
		}
	}
	return nil
}

func (b *bench) light(ctx context.Context, e *render.Engine, n int) error {
	g := b.sc.Lights[n]
	lit, err := scene.ReadHDR(b.sc.Path(g.Lit))
	if err != nil {
		return err
	}
	lit = lit.Resized(b.w, b.h)
	got, err := b.spill(ctx, e, n, func(*recipe.Recipe) {})
	if err != nil {
		return err
	}
	bare, err := b.spill(ctx, e, n, func(r *recipe.Recipe) { r.Room.Shadows, r.Room.Bounce = 0, 0 })
	if err != nil {
		return err
	}
	emitter, err := b.mask(g.Mask)
	if err != nil {
		return err
	}
	near := b.grown(emitter, away*b.k)
	truth := gray(lit.Pix)
	if b.damp != nil {
		floor := b.masks["floor"]
		for i := range truth {
			if floor != nil {
				truth[i] *= 1 - 0.26*float64(b.damp[i]*floor[i])
			}
		}
	}
	p, u, plain := gray(got), gray(bare), gray(b.plain.Pix)
	copies := b.copies(emitter, plain)
	pick := func(names ...string) (idx []int) {
		for _, name := range names {
			for i, v := range b.masks[name] {
				if v > 0.99 && !near[i] {
					idx = append(idx, i)
				}
			}
		}
		return
	}
	means := map[string]float64{}
	top := 0.0
	for name := range b.masks {
		sum := 0.0
		idx := pick(name)
		for _, i := range idx {
			sum += truth[i]
		}
		means[name] = sum / math.Max(float64(len(idx)), 1)
		top = math.Max(top, means[name])
	}
	if b.dump != "" {
		if err := b.pictures(g.Group, truth, p, pick); err != nil {
			return err
		}
	}
	rows := append(slices.Clone(b.sc.Surfaces), "room")
	for _, name := range rows {
		names := []string{name}
		if name == "room" {
			names = []string{"floor"}
			for _, w := range b.sc.Walls {
				names = append(names, w.Surface)
			}
		} else if means[name] < dim*top {
			continue
		}
		idx := pick(names...)
		if len(idx) == 0 {
			continue
		}
		r := row{Light: g.Group, Surface: name, CopyR2: math.Inf(-1)}
		var k float64
		k, r.R2, r.Explained = fit(idx, truth, p)
		for _, c := range copies {
			if _, r2, ex := fit(idx, truth, c); r2 > r.CopyR2 {
				r.CopyR2, r.CopyExplained = r2, ex
			}
		}
		if name != "room" {
			var both, either, dark int
			for _, i := range idx {
				t, q := truth[i] < shadow*k*u[i], p[i] < shadow*u[i]
				if t {
					dark++
				}
				if t && q {
					both++
				}
				if t || q {
					either++
				}
			}
			if float64(dark) >= least*float64(len(idx)) && either > 0 {
				v := float64(both) / float64(either)
				r.ShadowIoU = &v
			}
		}
		b.rows = append(b.rows, r)
	}
	return nil
}

// fit returns the best single gain of p for t over some pixels, and how well it goes with it.
func fit(idx []int, t, p []float64) (k, r2, explained float64) {
	var tp, pp, tt, sum float64
	for _, i := range idx {
		tp += t[i] * p[i]
		pp += p[i] * p[i]
		tt += t[i] * t[i]
		sum += t[i]
	}
	if pp > 0 {
		k = tp / pp
	}
	mean := sum / float64(len(idx))
	var left, spread float64
	for _, i := range idx {
		left += (t[i] - k*p[i]) * (t[i] - k*p[i])
		spread += (t[i] - mean) * (t[i] - mean)
	}
	return k, 1 - left/math.Max(spread, 1e-30), 1 - left/math.Max(tt, 1e-30)
}

func gray(pix []float32) []float64 {
	out := make([]float64, len(pix)/3)
	for i := range out {
		out[i] = 0.2126*float64(pix[3*i]) + 0.7152*float64(pix[3*i+1]) + 0.0722*float64(pix[3*i+2])
	}
	return out
}

func quantile(v []float32, q float64) float64 {
	s := slices.Clone(v)
	slices.Sort(s)
	return math.Max(float64(s[int(q*float64(len(s)-1))]), 1e-6)
}

// grown tells which pixels lie within a distance of a mask.
func (b *bench) grown(m []float32, r float64) []bool {
	out := make([]bool, len(m))
	n := int(math.Ceil(r))
	for i, v := range m {
		if v < 0.02 {
			continue
		}
		x, y := i%b.w, i/b.w
		for dy := -n; dy <= n; dy++ {
			for dx := -n; dx <= n; dx++ {
				if x+dx >= 0 && y+dy >= 0 && x+dx < b.w && y+dy < b.h && math.Hypot(float64(dx),
					float64(dy)) <= r {
					out[i+dy*b.w+dx] = true
				}
			}
		}
	}
	return out
}

// copies returns the usual trick: blurred copies of the shape, times the photo, at several radii.
func (b *bench) copies(m []float32, plain []float64) (out [][]float64) {
	for r := float64(b.w) / 60; r < float64(b.w); r *= 1.6 {
		blurred := make([]float64, len(m))
		for i, v := range m {
			blurred[i] = float64(v)
		}
		// Three boxes come near a Gaussian.
		half := int(math.Round((math.Sqrt(4*r*r+1) - 1) / 2))
		for range 3 {
			box(blurred, b.w, b.h, half, 1, b.w)
			box(blurred, b.h, b.w, half, b.w, 1)
		}
		for i := range blurred {
			blurred[i] *= plain[i]
		}
		out = append(out, blurred)
	}
	return
}

// box takes the mean over 2·half+1 values along n lines' worth of values, step apart.
func box(v []float64, n, lines, half, step, next int) {
	sum := make([]float64, n+1)
	for l := range lines {
		at := v[l*next:]
		for i := range n {
			sum[i+1] = sum[i] + at[i*step]
		}
		for i := range n {
			a, b := max(i-half, 0), min(i+half+1, n)
			at[i*step] = (sum[b] - sum[a]) / float64(2*half+1)
		}
	}
}

// pictures writes what was found above the truth, each surface with its gain, and what is off.
func (b *bench) pictures(name string, t, p []float64, pick func(...string) []int) error {
	img := image.NewRGBA(image.Rect(0, 0, b.w, 3*b.h))
	for _, s := range b.sc.Surfaces {
		idx := pick(s)
		k, _, _ := fit(idx, t, p)
		top := 1e-9
		var all []float64
		for _, i := range idx {
			all = append(all, t[i])
		}
		slices.Sort(all)
		if len(all) > 0 {
			top = math.Max(all[len(all)*98/100], 1e-9)
		}
		show := func(v float64) uint8 {
			return uint8(255 * encode(math.Min(math.Max(v/top, 0), 1)))
		}
		for _, i := range idx {
			x, y := i%b.w, i/b.w
			a, c := show(t[i]), show(k*p[i])
			img.SetRGBA(x, y, color.RGBA{a, a, a, 255})
			img.SetRGBA(x, y+b.h, color.RGBA{c, c, c, 255})
			d := (k*p[i] - t[i]) / top
			img.SetRGBA(x, y+2*b.h, color.RGBA{uint8(128 + 127*math.Max(math.Min(d, 1), -1)), 128,
				uint8(128 - 127*math.Max(math.Min(d, 1), -1)), 255})
		}
	}
	f, err := os.Create(filepath.Join(b.dump, name+".png"))
	if err != nil {
		return err
	}
	defer f.Close()
	return png.Encode(f, img)
}
