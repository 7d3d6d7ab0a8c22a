package lightmap

import "math"

// cells is the most cells along an edge of a tile.
const cells = 8

// along is one number of a tile from cell to cell along a row: what it is at the left of each, and
// by how much more at the right.
type along struct{ from, more [cells]float32 }

// scan is where pixels of a row lie along a tile: pixel x at (x·k - left)·scale cells, of which
// there are last + 1.
type scan struct {
	x, k, left, scale float64 // x is the middle of the first pixel
	last              int32
}

// readEach writes one number of n pixels to dst, which lie evenly between the sides of their cell.
func readEach(dst []float32, at *scan, a *along) {
	for i := range dst {
		v := float64(float64((at.x+float64(i))*at.k)-at.left) * at.scale
		c := min(int32(v), at.last)
		dst[i] = a.from[c] + float32(a.more[c]*float32(v-float64(c)))
	}
}

// On returns the irradiance of a surface with the normal n, three numbers, of the four of a Beam:
// X, Y, Z and S. Light from a cone of directions is taken as even over it: with k = |V|/S, which is
// (1 + cos α)/2 for a cone of half-angle α, it is S·(kc + √((kc)² + ε²))/2, c the cosine to its
// middle and ε what is left at the horizon, less towards the middle.
func On(v, n []float32) float32 { return on(v[0], v[1], v[2], v[3], n[0], n[1], n[2]) }

func on(x, y, z, s, nx, ny, nz float32) float32 {
	if s <= 0 {
		return 0
	}
	straight, each := float32(x*x)+float32(y*y)+float32(z*z), 1/s
	k := float32(sqrt(straight) * each)
	if k > 1 {
		k = 1
	}
	var eps2 float32 // the square of ε
	if k < 0.5 {
		eps2 = 0.424 + float32((0.5-k)*0.8)
		eps2 = float32(eps2 * eps2)
	} else {
		cos := float32(2*k) - 1
		eps2 = float32(0.18 * (1 - float32(cos*cos)))
	}
	dot := float32(x*nx) + float32(y*ny) + float32(z*nz)
	m := float32(dot * each)
	if k > 1e-6 { // straight from its middle all of it comes from above the horizon
		eps2 = float32(eps2 * (1 - float32(dot*dot)/straight))
		if eps2 < 0 {
			eps2 = 0
		}
	}
	return float32(s*(m+sqrt(float32(m*m)+eps2))) * 0.5
}

func sqrt(v float32) float32 { return float32(math.Sqrt(float64(v))) }

// OnRow writes what On is for each pixel of a row to dst, of v as Grid.Read has it and of normals,
// each of whose three numbers is a row as well.
func OnRow(dst, v, normals []float32) {
	n := len(dst)
	i := 0
	if wide {
		if i = n &^ 7; i > 0 {
			_, _ = v[4*n-1], normals[3*n-1]
			on8(&dst[0], &v[0], &normals[0], n, i)
		}
	}
	for ; i < n; i++ {
		dst[i] = on(v[i], v[n+i], v[2*n+i], v[3*n+i], normals[i], normals[n+i], normals[2*n+i])
	}
}

// What bounces comes to a body from a bright wall behind it and from a dim floor before it at once,
// which is no cone, but about two: of what comes from before the body's card, and of what comes
// from behind it.
//
// Around is how many numbers light from all sides has, the Beams of the two, and Mixed how many it
// has in three colours, six each: the sum of what comes of all colours, each by its direction, as
// X, Y and Z, and the sums of each colour without direction.
const (
	Around = 8
	Mixed  = 12
)

// OnAround is OnRow for the numbers of an Around. some is memory for a row.
func OnAround(dst, v, normals, some []float32) {
	n := len(dst)
	OnRow(dst, v, normals)
	OnRow(some[:n], v[4*n:], normals)
	for i, e := range some[:n] {
		dst[i] += e
	}
}

// OnColours is OnRow for three colours, the numbers of a Mixed, to three rows: how they stand to
// each other is that of all that comes from before, and of all from behind.
func OnColours(dst, v, normals []float32) {
	n := len(normals) / 3
	i := 0
	if wide {
		if i = n &^ 7; i > 0 {
			_, _ = dst[3*n-1], v[12*n-1]
			onColours8(&dst[0], &v[0], &normals[0], n, i)
		}
	}
	for ; i < n; i++ {
		for half := range 2 {
			lobe := v[half*6*n:][:6*n]
			r, g, b := lobe[3*n+i], lobe[4*n+i], lobe[5*n+i]
			var k float32
			if all := r + g + b; all > 0 {
				k = on(lobe[i], lobe[n+i], lobe[2*n+i], all, normals[i], normals[n+i],
					normals[2*n+i]) / all
			}
			r, g, b = float32(r*k), float32(g*k), float32(b*k)
			if half == 1 {
				r, g, b = dst[i]+r, dst[n+i]+g, dst[2*n+i]+b
			}
			dst[i], dst[n+i], dst[2*n+i] = r, g, b
		}
	}
}

// Add adds to pixels of three channels w·(e + amount·b), of what they send back of light: e in one
// number each, b in three rows, one a channel.
func Add(dst, w, e, b []float32, amount float32) {
	n := len(w)
	i := 0
	if wide {
		if i = n &^ 7; i > 0 {
			_, _, _ = dst[3*n-1], e[n-1], b[3*n-1]
			add8(&dst[0], &w[0], &e[0], &b[0], n, i, amount)
		}
	}
	for ; i < n; i++ {
		q, w, e := dst[3*i:3*i+3:3*i+3], w[i], e[i]
		q[0] += float32(w * (e + float32(amount*b[i])))
		q[1] += float32(w * (e + float32(amount*b[n+i])))
		q[2] += float32(w * (e + float32(amount*b[2*n+i])))
	}
}

// Divide divides w by what of daylight comes to each place, no less than least, which is of as
// many, and than floor.
func Divide(w, day, least []float32, floor float32) {
	i := 0
	if wide {
		if i = len(w) &^ 7; i > 0 {
			_, _ = day[i-1], least[i-1]
			divide8(&w[0], &day[0], &least[0], i, floor)
		}
	}
	for ; i < len(w); i++ {
		w[i] /= max(day[i], least[i], floor)
	}
}
