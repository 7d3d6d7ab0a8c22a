package silhouette

import "math"

// far stands for no place at all.
const far = 1e20

// lower writes to out the lower envelope of the parabolas f(q) + (p-q)², and to from which q each p
// has it from (Felzenszwalb and Huttenlocher 2012). v and z are memory of len(f) and one more.
func lower(f, out []float64, from, v []int, z []float64) {
	k := -1
	for q := range f {
		if f[q] >= far {
			continue
		}
		if k < 0 {
			k, v[0], z[0], z[1] = 0, q, math.Inf(-1), math.Inf(1)
			continue
		}
		meet := func(p int) float64 {
			return ((f[q] + float64(q*q)) - (f[p] + float64(p*p))) / float64(2*(q-p))
		}
		s := meet(v[k])
		for s <= z[k] {
			k--
			s = meet(v[k])
		}
		k++
		v[k], z[k], z[k+1] = q, s, math.Inf(1)
	}
	if k < 0 {
		for p := range out {
			out[p], from[p] = far, 0
		}
		return
	}
	j := 0
	for p := range out {
		for z[j+1] < float64(p) {
			j++
		}
		d := float64(p - v[j])
		out[p], from[p] = d*d+f[v[j]], v[j]
	}
}

// spread returns for each cell the least of f(c) + |x-c|² over all cells c, and the index of that
// c.
func spread(f []float64, w, h int) (least []float64, from []int32) {
	n := max(w, h)
	col, out, v, z, src := make([]float64, n), make([]float64, n), make([]int, n),
		make([]float64, n+1), make([]int, n)
	least = make([]float64, w*h)
	rows := make([]int32, w*h)
	for x := range w {
		for y := range h {
			col[y] = f[y*w+x]
		}
		lower(col[:h], out[:h], src[:h], v, z)
		for y := range h {
			least[y*w+x], rows[y*w+x] = out[y], int32(src[y])
		}
	}
	from = make([]int32, w*h)
	for y := range h {
		row := least[y*w : (y+1)*w]
		copy(col, row)
		lower(col[:w], row, src[:w], v, z)
		for x := range w {
			from[y*w+x] = rows[y*w+src[x]]*int32(w) + int32(src[x])
		}
	}
	return least, from
}
