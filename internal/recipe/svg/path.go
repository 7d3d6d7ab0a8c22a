package svg

import (
	"math"
	"regexp"
	"strconv"
	"strings"

	"pyrant/internal/recipe/shape"
)

// number reads a length; units are taken for pixels of the drawing, but for a percentage, which
// is none.
func number(s string) (float64, bool) {
	for _, unit := range [...]string{"px", "pt", "mm", "cm", "in"} {
		s = strings.TrimSuffix(s, unit)
	}
	v, err := strconv.ParseFloat(strings.TrimSpace(s), 64)
	return v, err == nil && !math.IsNaN(v) && !math.IsInf(v, 0)
}

var numeric = regexp.MustCompile(`^[\s,]*([+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)`)

// numbers reads a list of numbers as far as it is one.
func numbers(s string) (out []float64, all bool) {
	for {
		m := numeric.FindStringSubmatchIndex(s)
		if m == nil {
			return out, strings.Trim(s, " \t\r\n,") == ""
		}
		v, err := strconv.ParseFloat(s[m[2]:m[3]], 64)
		if err != nil {
			return out, false
		}
		out = append(out, v)
		s = s[m[1]:]
	}
}

var function = regexp.MustCompile(`^[\s,]*(matrix|translate|scale|rotate|skewX|skewY)\s*\(([^)]*)\)`)

// transforms reads a transform attribute as far as it is one.
func transforms(s string) (matrix, bool) {
	out := identity
	for {
		m := function.FindStringSubmatch(s)
		if m == nil {
			return out, strings.TrimSpace(s) == ""
		}
		s = s[len(m[0]):]
		v, ok := numbers(m[2])
		if !ok {
			return out, false
		}
		at := func(i int, or float64) float64 {
			if i < len(v) {
				return v[i]
			}
			return or
		}
		rad := at(0, 0) * math.Pi / 180
		var f matrix
		switch {
		case m[1] == "matrix" && len(v) == 6:
			f = matrix(v)
		case m[1] == "translate" && len(v) > 0:
			f = matrix{1, 0, 0, 1, v[0], at(1, 0)}
		case m[1] == "scale" && len(v) > 0:
			f = matrix{v[0], 0, 0, at(1, v[0]), 0, 0}
		case m[1] == "rotate" && len(v) > 0:
			sin, cos := math.Sincos(rad)
			x, y := at(1, 0), at(2, 0)
			f = matrix{1, 0, 0, 1, x, y}.after(matrix{cos, sin, -sin, cos, 0, 0}).after(matrix{1, 0,
				0, 1, -x, -y})
		case m[1] == "skewX" && len(v) == 1:
			f = matrix{1, 0, math.Tan(rad), 1, 0, 0}
		case m[1] == "skewY" && len(v) == 1:
			f = matrix{1, math.Tan(rad), 0, 1, 0, 0}
		default:
			return out, false
		}
		out = out.after(f)
	}
}

// needs is how many numbers a command of a path takes.
var needs = map[byte]int{'M': 2, 'L': 2, 'H': 1, 'V': 1, 'C': 6, 'S': 4, 'Q': 4, 'T': 2, 'A': 7,
	'Z': 0}

// flags finds the two flags of an arc, which may stand without anything between them.
var flags = regexp.MustCompile(`^[\s,]*([01])[\s,]*([01])`)

// path reads the data of a path, as far as it is right: what follows an error is left out, as
// the standard says.
func path(d string) (out []sub, ok bool) {
	r := &pathReader{rest: d}
	for {
		more, ok := r.command()
		if !ok || !more {
			r.end(false)
			return r.out, ok
		}
	}
}

// pathReader reads the data of a path, command by command.
type pathReader struct {
	rest   string
	out    []sub
	s      sub     // the piece at hand
	x, y   float64 // the current point
	sx, sy float64 // where the piece began
	cx, cy float64 // the last handle
	last   byte    // the last command, in capitals
	letter byte    // as written; numbers without one repeat it
}

// end ends the piece at hand.
func (r *pathReader) end(closed bool) {
	s := &r.s
	if n := len(s.nodes); closed && n > 1 && math.Hypot(s.nodes[0].X-s.nodes[n-1].X,
		s.nodes[0].Y-s.nodes[n-1].Y) < 1e-6 {
		s.nodes[0].In = s.nodes[n-1].In
		s.nodes = s.nodes[:n-1]
	}
	if len(s.nodes) > 1 {
		s.closed = closed
		r.out = append(r.out, *s)
	}
	r.s = sub{}
}

// to draws a cubic to a point, with its handles.
func (r *pathReader) to(x1, y1, x2, y2, nx, ny float64) {
	s := &r.s
	if len(s.nodes) == 0 {
		s.nodes = append(s.nodes, shape.Node{X: r.x, Y: r.y})
		r.sx, r.sy = r.x, r.y
	}
	p := &s.nodes[len(s.nodes)-1]
	p.Out = [2]float64{x1 - r.x, y1 - r.y}
	s.nodes = append(s.nodes, shape.Node{X: nx, Y: ny, In: [2]float64{x2 - nx, y2 - ny}})
	r.x, r.y = nx, ny
}

func (r *pathReader) line(nx, ny float64) { r.to(r.x, r.y, nx, ny, nx, ny) }

// command reads one command with its numbers; more is false at the end.
func (r *pathReader) command() (more, ok bool) {
	r.rest = strings.TrimLeft(r.rest, " \t\r\n,")
	if r.rest == "" {
		return false, true
	}
	if c := r.rest[0]; c|0x20 >= 'a' && c|0x20 <= 'z' {
		r.letter, r.rest = c, r.rest[1:]
		n, known := needs[c&^0x20]
		if !known || r.last == 0 && c&^0x20 != 'M' {
			return false, false
		}
		if n == 0 {
			r.end(true)
			r.x, r.y, r.last = r.sx, r.sy, 'Z'
			return true, true
		}
	} else if r.last == 0 || r.last == 'Z' {
		return false, false
	} else if r.letter&^0x20 == 'M' { // more numbers are lines
		r.letter -= 'M' - 'L'
	}
	up := r.letter &^ 0x20
	v, ok := r.numbers(up)
	if !ok {
		return false, false
	}
	if r.letter >= 'a' { // from the current point on
		r.shift(up, &v)
	}
	r.draw(up, v)
	r.last = up
	return true, len(r.s.nodes) <= maxPoints+1
}

// numbers reads the numbers of a command.
func (r *pathReader) numbers(up byte) (v [7]float64, ok bool) {
	for i := 0; i < needs[up]; i++ {
		if up == 'A' && i == 3 {
			m := flags.FindStringSubmatch(r.rest)
			if m == nil {
				return v, false
			}
			v[3], v[4] = float64(m[1][0]-'0'), float64(m[2][0]-'0')
			r.rest = r.rest[len(m[0]):]
			i = 4
			continue
		}
		m := numeric.FindStringSubmatchIndex(r.rest)
		if m == nil {
			return v, false
		}
		var err error
		if v[i], err = strconv.ParseFloat(r.rest[m[2]:m[3]], 64); err != nil {
			return v, false
		}
		r.rest = r.rest[m[1]:]
	}
	return v, true
}

// shift makes numbers that count from the current point count from the origin.
func (r *pathReader) shift(up byte, v *[7]float64) {
	switch up {
	case 'H':
		v[0] += r.x
	case 'V':
		v[0] += r.y
	case 'A':
		v[5], v[6] = v[5]+r.x, v[6]+r.y
	default:
		for i := 0; i < needs[up]; i += 2 {
			v[i], v[i+1] = v[i]+r.x, v[i+1]+r.y
		}
	}
}

// mirrored returns the last handle mirrored at the current point, after one of two commands; else
// the point itself.
func (r *pathReader) mirrored(a, b byte) (x, y float64) {
	if r.last == a || r.last == b {
		return 2*r.x - r.cx, 2*r.y - r.cy
	}
	return r.x, r.y
}

// draw does a command.
func (r *pathReader) draw(up byte, v [7]float64) {
	switch up {
	case 'M':
		r.end(false)
		r.x, r.y, r.sx, r.sy = v[0], v[1], v[0], v[1]
	case 'L':
		r.line(v[0], v[1])
	case 'H':
		r.line(v[0], r.y)
	case 'V':
		r.line(r.x, v[0])
	case 'C':
		r.to(v[0], v[1], v[2], v[3], v[4], v[5])
		r.cx, r.cy = v[2], v[3]
	case 'S':
		x1, y1 := r.mirrored('C', 'S')
		r.to(x1, y1, v[0], v[1], v[2], v[3])
		r.cx, r.cy = v[0], v[1]
	case 'Q', 'T':
		qx, qy, nx, ny := v[0], v[1], v[2], v[3]
		if up == 'T' {
			nx, ny = v[0], v[1]
			qx, qy = r.mirrored('Q', 'T')
		}
		// A quadratic is the cubic whose handles lie two thirds of the way to its one.
		r.to(r.x+2*(qx-r.x)/3, r.y+2*(qy-r.y)/3, nx+2*(qx-nx)/3, ny+2*(qy-ny)/3, nx, ny)
		r.cx, r.cy = qx, qy
	case 'A':
		arc(v, r.x, r.y, r.to, r.line)
	}
}

// arc draws an elliptic arc as cubics of at most a quarter turn (SVG 2, appendix B.2.4).
func arc(v [7]float64, x0, y0 float64, to func(x1, y1, x2, y2, x, y float64),
	line func(x, y float64)) {
	rx, ry, nx, ny := math.Abs(v[0]), math.Abs(v[1]), v[5], v[6]
	if rx == 0 || ry == 0 {
		line(nx, ny)
		return
	}
	if x0 == nx && y0 == ny {
		return
	}
	sin, cos := math.Sincos(v[2] * math.Pi / 180)
	dx, dy := (x0-nx)/2, (y0-ny)/2
	px, py := cos*dx+sin*dy, -sin*dx+cos*dy
	if k := px*px/(rx*rx) + py*py/(ry*ry); k > 1 {
		rx, ry = rx*math.Sqrt(k), ry*math.Sqrt(k)
	}
	k := math.Sqrt(math.Max(0, (rx*rx*ry*ry-rx*rx*py*py-ry*ry*px*px)/(rx*rx*py*py+ry*ry*px*px)))
	if v[3] == v[4] {
		k = -k
	}
	ux, uy := k*rx*py/ry, -k*ry*px/rx
	mx, my := cos*ux-sin*uy+(x0+nx)/2, sin*ux+cos*uy+(y0+ny)/2
	from := math.Atan2((py-uy)/ry, (px-ux)/rx)
	turn := math.Atan2((-py-uy)/ry, (-px-ux)/rx) - from
	if v[4] == 0 && turn > 0 {
		turn -= 2 * math.Pi
	} else if v[4] == 1 && turn < 0 {
		turn += 2 * math.Pi
	}
	n := int(math.Ceil(math.Abs(turn)/(math.Pi/2) - 1e-9))
	step := turn / float64(max(n, 1))
	h := 4.0 / 3 * math.Tan(step/4)
	point := func(a float64) (x, y, tx, ty float64) {
		s, c := math.Sincos(a)
		return mx + cos*rx*c - sin*ry*s, my + sin*rx*c + cos*ry*s, -cos*rx*s - sin*ry*c,
			-sin*rx*s + cos*ry*c
	}
	for i := range n {
		a := from + float64(i)*step
		x1, y1, t1, u1 := point(a)
		x2, y2, t2, u2 := point(a + step)
		if i == n-1 {
			x2, y2 = nx, ny
		}
		to(x1+h*t1, y1+h*u1, x2-h*t2, y2-h*u2, x2, y2)
	}
}

// rect returns a rectangle with its corners rounded.
func rect(x, y, w, h float64, attr map[string]string) []sub {
	if !(w > 0 && h > 0) {
		return nil
	}
	rx, okX := number(attr["rx"])
	ry, okY := number(attr["ry"])
	if !okX {
		rx = ry
	}
	if !okY {
		ry = rx
	}
	rx, ry = math.Min(math.Max(rx, 0), w/2), math.Min(math.Max(ry, 0), h/2)
	if rx == 0 || ry == 0 {
		return []sub{{closed: true, nodes: []shape.Node{{X: x, Y: y}, {X: x + w, Y: y},
			{X: x + w, Y: y + h}, {X: x, Y: y + h}}}}
	}
	const k = 0.5522847498307936
	a, b := k*rx, k*ry
	return []sub{{closed: true, nodes: []shape.Node{
		{X: x + rx, Y: y, In: [2]float64{-a, 0}}, {X: x + w - rx, Y: y, Out: [2]float64{a, 0}},
		{X: x + w, Y: y + ry, In: [2]float64{0, -b}}, {X: x + w, Y: y + h - ry,
			Out: [2]float64{0, b}},
		{X: x + w - rx, Y: y + h, In: [2]float64{a, 0}}, {X: x + rx, Y: y + h,
			Out: [2]float64{-a, 0}},
		{X: x, Y: y + h - ry, In: [2]float64{0, b}}, {X: x, Y: y + ry, Out: [2]float64{0, -b}},
	}}}
}
