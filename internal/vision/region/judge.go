package region

import (
	"math"

	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/edge"
)

// samples is how many places of a line are looked at to judge it, at most.
const samples = 160

// edgeOf tells how strong the photo's edges are under a closed line and along it, and whether
// it parts the same from the same from place to place, from 0 to 1; less by how ragged it is,
// and a little by its size, as what is traced is seldom the sky.
func edgeOf(s *edge.Sheet, line []shape.Point) float64 {
	pts := edge.Spaced(line, true, 1)
	n := len(pts)
	if n < 6 {
		return math.Inf(-1)
	}
	size := shape.Turn(pts)
	strong, count := 0.0, 0
	var before [3]float32
	var dot, all float32
	sides(s, pts, samples, func(p, out shape.Point, at func(d float64) int) {
		j := at(0)
		a := s.Across[j]
		cos := math.Abs(float64(a[0])*out.X + float64(a[1])*out.Y)
		crest := max(s.Crest[j], s.Crest[at(1)], s.Crest[at(-1)])
		strong += float64(edge.Weigh(crest)) * (0.3 + 0.7*cos)
		in, beyond := s.Colour(at(-2.5)), s.Colour(at(2.5))
		step := [3]float32{in[0] - beyond[0], in[1] - beyond[1], in[2] - beyond[2]}
		// Round a shaded ball the step turns over slowly, along the joints of a wall at once.
		if count > 0 {
			dot += step[0]*before[0] + step[1]*before[1] + step[2]*before[2]
			all += edge.Gap(step, [3]float32{}) * edge.Gap(before, [3]float32{})
		}
		before = step
		count++
	})
	same := 0.0
	if all > 0 {
		same = float64(max(dot, 0) / all)
	}
	ragged := max(length(pts)/max(length(edge.Soften(pts, 4)), 1)-1.06, 0)
	share := math.Abs(size) / float64(s.Full.Dx()*s.Full.Dy())
	return 0.8*strong/float64(count)*(0.65+0.35*same) - ragged - 0.05*math.Log2(1+share/0.002)
}

// judge tells how well a closed line stands out, about from 0 to 1: by its edge, by how far the
// colours inside of it are others than those outside, with the light on them and without; less
// by the edges that lie inside of it.
func judge(s *edge.Sheet, line []shape.Point, ofEdge float64) float64 {
	pts := edge.Spaced(line, true, 1)
	n := len(pts)
	if n < 6 {
		return math.Inf(-1)
	}
	all := sidesOf(s, pts, whole)
	tints := sidesOf(s, pts, tinted)
	var like, tint float64
	count := 0
	sides(s, pts, samples/2, func(p, out shape.Point, at func(d float64) int) {
		for _, d := range [...]float64{1.5, 3.5} {
			a, b := s.Colour(at(-d)), s.Colour(at(d))
			like += float64(all.alike(a) - all.alike(b))
			tint += float64(tints.alike(tinted(a)) - tints.alike(tinted(b)))
			count += 2
		}
	})
	return ofEdge + 0.3*like/float64(count) + 0.2*tint/float64(count) - 0.1*inside(s,
		pts)/float64(n)
}

// sides calls each at places along a closed line, at most a number of them, with the direction
// outwards, and what gives the pixel a way out from there.
func sides(s *edge.Sheet, pts []shape.Point, most int, each func(p, out shape.Point,
	at func(d float64) int)) {
	w, h := s.Rect.Dx(), s.Rect.Dy()
	n := len(pts)
	turn := 1.0
	if shape.Turn(pts) < 0 {
		turn = -1
	}
	for k := range min(n, most) {
		i := k * n / min(n, most)
		p, q, r := pts[i], pts[(i+1)%n], pts[(i+n-1)%n]
		dx, dy := q.X-r.X, q.Y-r.Y
		l := turn / math.Max(math.Hypot(dx, dy), 1e-9)
		out := shape.Point{X: dy * l, Y: -dx * l}
		each(p, out, func(d float64) int {
			x, y := int(math.Floor(p.X+out.X*d)), int(math.Floor(p.Y+out.Y*d))
			return min(max(y, 0), h-1)*w + min(max(x, 0), w-1)
		})
	}
}

func length(p []shape.Point) (l float64) {
	for i, q := range p {
		r := p[(i+1)%len(p)]
		l += math.Hypot(r.X-q.X, r.Y-q.Y)
	}
	return l
}

// inside sums the edges that lie more than two pixels inside of a closed line.
func inside(s *edge.Sheet, pts []shape.Point) (sum float64) {
	x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for _, p := range pts {
		x0, y0, x1, y1 = min(x0, p.X), min(y0, p.Y), max(x1, p.X), max(y1, p.Y)
	}
	ox, oy := int(x0)-3, int(y0)-3
	w, h := int(x1)-ox+4, int(y1)-oy+4
	cross := make([]int8, w*h) // where a row crosses the line, with its sense
	near := make([]bool, w*h)
	for i, p := range pts {
		u, v := int(p.X)-ox, int(p.Y)-oy
		for b := -2; b <= 2; b++ {
			for a := -2; a <= 2; a++ {
				near[(v+b)*w+u+a] = true
			}
		}
		q := pts[(i+1)%len(pts)]
		lo, hi, sense := p, q, int8(1)
		if lo.Y > hi.Y {
			lo, hi, sense = q, p, -1
		}
		for y := int(math.Ceil(lo.Y - 0.5)); float64(y)+0.5 < hi.Y; y++ {
			x := lo.X + (float64(y)+0.5-lo.Y)/(hi.Y-lo.Y)*(hi.X-lo.X)
			cross[(y-oy)*w+int(math.Ceil(x-0.5))-ox] += sense
		}
	}
	sw, sh := s.Rect.Dx(), s.Rect.Dy()
	for y := range h {
		in := int8(0)
		for x := range w {
			in += cross[y*w+x]
			if u, v := x+ox, y+oy; in != 0 && !near[y*w+x] && u >= 0 && v >= 0 && u < sw && v < sh {
				if c := s.Crest[v*sw+u]; c > 0 {
					sum += float64(edge.Weigh(c))
				}
			}
		}
	}
	return sum
}

func whole(c [3]float32) [3]float32 { return c }

// tinted returns what of a colour is left when shade is looked past.
func tinted(c [3]float32) [3]float32 { return [3]float32{0.25 * c[0], 1.5 * c[1], 1.5 * c[2]} }

// parted is the colours to both sides of a line.
type parted struct{ in, beyond tones }

// alike tells how much more a colour is like those inside than like those outside, from -1 to
// 1.
func (p *parted) alike(c [3]float32) float32 {
	return min(max((p.beyond.gap(c)-p.in.gap(c))/0.08, -1), 1)
}

// sidesOf returns what is made of the colours near a closed line to both sides of it.
func sidesOf(s *edge.Sheet, pts []shape.Point, of func([3]float32) [3]float32) *parted {
	var in, beyond [][3]float32
	sides(s, pts, samples/2, func(_, _ shape.Point, at func(d float64) int) {
		for _, d := range [...]float64{2, 4, 7} {
			in = append(in, of(s.Colour(at(-d))))
			beyond = append(beyond, of(s.Colour(at(d))))
		}
	})
	return &parted{tonesOf(in, 4), tonesOf(beyond, 4)}
}
