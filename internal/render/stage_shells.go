package render

import (
	"cmp"
	"context"
	"image"
	"slices"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/raster"
	"pyrant/internal/base/simd"
	"pyrant/internal/light/glow"
	"pyrant/internal/recipe"
)

// shellStage joins the shells of all lights, the widest first.
type shellStage struct {
	*scene
	runs []run
}

// run is either a run of added shells, merged into one, or a run of shells that
// join by blend modes.
type run struct {
	add    []veiled
	blends []blended
}

// veiled is added shells of lights that are hidden alike.
type veiled struct {
	veil veilInput
	all  []addend
}

type blended struct {
	term term
	veil veilInput
	tint [3]float32 // display values
	mode func(cb, cs float32) float32
}

func (st *shellStage) prepare(ctx context.Context) (bool, error) {
	master := st.recipe.Glow
	if !master.On {
		return false, nil
	}
	var items []shellItem
	for _, ll := range st.lights {
		if ll.l.Gain()*master.Level <= 0 || !ll.l.Glow {
			continue
		}
		list, err := st.shells(ctx, ll)
		if err != nil {
			return false, err
		}
		items = append(items, list...)
	}
	// Widest first over all lights; equal ones by their order in the recipe.
	slices.SortStableFunc(items, func(a, b shellItem) int {
		return cmp.Compare(b.shell.Radius, a.shell.Radius)
	})
	for i := range items {
		st.add(&items[i])
	}
	return len(st.runs) > 0, nil
}

// shellItem is one shell of a light.
type shellItem struct {
	light  *recipe.Light
	shell  *recipe.Shell
	mask   maskRef
	veil   veilInput
	weight float32
}

// shells returns the shells of a light that give any light.
func (sc *scene) shells(ctx context.Context, ll *litLight) (out []shellItem, err error) {
	mask, err := ll.seen(ctx, sc)
	if err != nil {
		return nil, err
	}
	for i := range ll.l.Shells {
		s := &ll.l.Shells[i]
		if s.Strength <= 0 {
			continue
		}
		k, err := ll.weight(ctx, sc.graph, s, ll.l.Gain()*sc.recipe.Glow.Level)
		if err != nil {
			return nil, err
		}
		v, err := sc.glowVeil(ctx, ll.l, s.Trim)
		if err != nil {
			return nil, err
		}
		out = append(out, shellItem{ll.l, s, mask, v, float32(k)})
	}
	return out, nil
}

// add puts a shell into the runs.
func (st *shellStage) add(it *shellItem) {
	tint := it.light.Gel.Colour()
	if it.shell.Tint.Hue != 0 {
		tint = recipe.Tint{Hue: it.shell.Tint.Hue}.Colour(it.light.Gel)
	}
	tint = tint.Mix(colour.RGB{R: 1, G: 1, B: 1}, float32(it.shell.Tint.White))
	added := it.shell.Join == recipe.Add
	if n := len(st.runs); n == 0 || added != (st.runs[n-1].add != nil) {
		st.runs = append(st.runs, run{})
	}
	last := &st.runs[len(st.runs)-1]
	k := it.weight
	t := term{it.mask, it.shell.Radius * st.picture.Scale, []float32{k}}
	if !added {
		last.blends = append(last.blends, blended{t, it.veil,
			[3]float32{colour.Display.At(tint.R), colour.Display.At(tint.G),
				colour.Display.At(tint.B)}, colour.Blend(string(it.shell.Join))})
		return
	}
	t.weight = []float32{tint.R * k, tint.G * k, tint.B * k}
	i := slices.IndexFunc(last.add, func(a veiled) bool { return a.veil == it.veil })
	if i < 0 {
		i = len(last.add)
		last.add = append(last.add, veiled{veil: it.veil})
	}
	last.add[i].all = append(last.add[i].all, st.addend(&t))
}

func (st *shellStage) collect(ctx context.Context, part image.Rectangle) (rower, error) {
	r := shellRows{runs: st.runs}
	for i := range st.runs {
		var l readyRun
		for _, add := range st.runs[i].add {
			over, err := veilOver(ctx, st.graph, add.veil, part)
			if err != nil {
				return nil, err
			}
			view := sumView{picture: st.picture, part: part, stage: "shells", run: i,
				veil: add.veil}
			sum, err := st.sum(ctx, view, add.all)
			if err != nil {
				return nil, err
			}
			l.add = append(l.add, readySum{sum, over})
		}
		for j := range st.runs[i].blends {
			b := &st.runs[i].blends[j]
			s, err := st.sumOf(ctx, &b.term, part)
			if err != nil {
				return nil, err
			}
			v, err := veilOver(ctx, st.graph, b.veil, part)
			if err != nil {
				return nil, err
			}
			l.blends = append(l.blends, readySum{s, v})
			l.rect = l.rect.Union(s.Rect)
		}
		r.ready = append(r.ready, l)
	}
	return r, nil
}

type shellRows struct {
	runs  []run
	ready []readyRun
}

// readySum is blurred coverage with how much of it is seen at each place, nil for all.
type readySum struct {
	*glow.Sum
	veil *raster.Plane
}

// row writes row y of what is seen, with n values for each pixel from column x0 on.
func (r *readySum) row(dst []float32, n, x0, y int, tmp []float32) []float32 {
	tmp = r.Row(dst, x0, y, tmp)
	if r.veil != nil {
		v := r.veil.Row(y)[x0-r.veil.Rect.Min.X:]
		for i := range len(dst) / n {
			for k := i * n; k < (i+1)*n; k++ {
				dst[k] *= v[i]
			}
		}
	}
	return tmp
}

// readyRun is a run with what one part of the picture needs.
type readyRun struct {
	add    []readySum
	blends []readySum
	rect   image.Rectangle // of the blends
}

func (r shellRows) done() {
	for i := range r.ready {
		for _, s := range r.ready[i].add {
			s.Done()
		}
	}
}

func (r shellRows) row(s *scratch, x0, x1, y int) {
	for i := range r.ready {
		l := &r.ready[i]
		if l.add != nil {
			s.tmp = l.add[0].row(s.light, 3, x0, y, s.tmp)
			for j := range l.add[1:] {
				if s.part == nil {
					s.part = make([]float32, len(s.light))
				}
				s.tmp = l.add[j+1].row(s.part, 3, x0, y, s.tmp)
				simd.Add(s.light, s.part)
			}
			s.expose()
			continue
		}
		if s.waits {
			clear(s.light)
			s.expose()
		}
		l.blendRow(s, r.runs[i].blends, x0, x1, y)
	}
}

// blendRow joins shells by W3C blend modes, on display values, with the shell's
// strength as the source's alpha.
func (l *readyRun) blendRow(s *scratch, plans []blended, x0, x1, y int) {
	a, b := span(l.rect, x0, x1, y)
	if a >= b {
		return
	}
	for len(s.alpha) < len(plans) {
		s.alpha = append(s.alpha, make([]float32, len(s.cover)))
	}
	for j := range l.blends {
		al := s.alpha[j][a:b]
		s.tmp = l.blends[j].row(al, 1, x0+a, y, s.tmp)
	}
	blend := func(d []float32, i int) {
		for c := range 3 {
			v := colour.Display.At(d[c])
			for j := range plans {
				k := min(s.alpha[j][i], 1)
				v = (1-k)*v + k*plans[j].mode(v, plans[j].tint[c])
			}
			d[c] = colour.Undisplay(v)
		}
	}
	for i := a; i < b; i++ {
		for j := range plans {
			if s.alpha[j][i] >= 1e-4 {
				blend(s.pix[3*i:3*i+3], i)
				s.hit[i] = true
				break
			}
		}
	}
	for _, c := range s.core.spans {
		for i := max(a, c.from); i < min(b, c.to); i++ {
			if s.core.alpha[i] > 0 {
				blend(s.core.pix[3*i:3*i+3], i)
			}
		}
	}
}
