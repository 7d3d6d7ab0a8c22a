// Package svg reads shapes from SVG files and writes them: what of a drawing can shine or be
// traced (paths, polygons, circles, rectangles, lines with a width), and nothing of the rest.
//
// A file is read as data only: scripts, links, styles of classes, pictures and texts are left
// out and named; entities are not expanded; depth, size and number of points are bounded.
package svg

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"pyrant/internal/base/fault"
	"pyrant/internal/recipe/shape"
)

// What a file may have at most.
const (
	MaxBytes  = 8 << 20
	maxDepth  = 100
	maxShapes = 500
	maxPoints = 5000 // of one shape, as the recipe takes them
)

// matrix is an affine map: x' = a·x + c·y + e, y' = b·x + d·y + f, in SVG's order.
type matrix [6]float64

var identity = matrix{1, 0, 0, 1, 0, 0}

// then returns the map that does n first and m after it.
func (m matrix) after(n matrix) matrix {
	return matrix{
		m[0]*n[0] + m[2]*n[1], m[1]*n[0] + m[3]*n[1],
		m[0]*n[2] + m[2]*n[3], m[1]*n[2] + m[3]*n[3],
		m[0]*n[4] + m[2]*n[5] + m[4], m[1]*n[4] + m[3]*n[5] + m[5],
	}
}

func (m matrix) at(x, y float64) (float64, float64) {
	return m[0]*x + m[2]*y + m[4], m[1]*x + m[3]*y + m[5]
}

// scale returns by how much the map makes lengths larger, in the mean.
func (m matrix) scale() float64 { return math.Sqrt(math.Abs(m[0]*m[3] - m[1]*m[2])) }

// look is what an element takes over from those round it.
type look struct {
	m       matrix
	fill    bool
	stroke  bool
	width   float64
	evenOdd bool
	hidden  bool
	flat    bool // a line ends straight across
	away    bool // taken away, as Write says it
}

// Read returns the shapes of a drawing, scaled so that it fits a photo of w by h pixels, or as
// they are where it has the photo's size, and what was left out of it. Errors are *fault.Error.
func Read(data []byte, w, h float64) (shapes shape.Shapes, left []string, err error) {
	if len(data) > MaxBytes {
		return nil, nil, fault.New(fault.TooLarge, "The drawing has more than %d MB. Save it with fewer points.", MaxBytes>>20)
	}
	r := reader{w: w, h: h, left: map[string]bool{}}
	d := xml.NewDecoder(bytes.NewReader(data))
	d.Entity = nil
	stack := []look{{m: identity, fill: true, width: 1, flat: true}}
	skip, seen := 0, false
	for {
		t, err := d.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, nil, fault.New(fault.Invalid, "The drawing is not a valid SVG file: %s.", plain(err))
		}
		switch t := t.(type) {
		case xml.StartElement:
			if len(stack) > maxDepth {
				return nil, nil, fault.New(fault.Invalid, "The drawing nests more than %d groups.", maxDepth)
			}
			if !seen {
				if t.Name.Local != "svg" {
					return nil, nil, fault.New(fault.Invalid, "This is not an SVG drawing: it begins with %q.", short(t.Name.Local))
				}
				seen = true
			}
			l := stack[len(stack)-1]
			if skip > 0 || !r.element(t, &l) {
				skip++
			}
			stack = append(stack, l)
			if r.err != nil {
				return nil, nil, r.err
			}
		case xml.EndElement:
			stack = stack[:len(stack)-1]
			if skip > 0 {
				skip--
			}
		case xml.Directive:
			if bytes.Contains(bytes.ToUpper(t), []byte("ENTITY")) {
				r.left["entities"] = true
			}
		}
	}
	if !seen {
		return nil, nil, fault.New(fault.Invalid, "This is not an SVG drawing.")
	}
	if len(r.shapes) == 0 {
		return nil, nil, fault.New(fault.Invalid, "The drawing has no shape to trace: no path, polygon, circle, rectangle or line.")
	}
	for k := range r.left {
		left = append(left, k)
	}
	slices.Sort(left)
	return r.shapes, left, nil
}

type reader struct {
	w, h   float64
	shapes shape.Shapes
	left   map[string]bool
	err    error
}

// short returns a name that may be said.
func short(s string) string { return s[:min(len(s), 30)] }

// plain returns what of a parser's error is worth saying.
func plain(err error) string {
	var s *xml.SyntaxError
	if errors.As(err, &s) {
		return "line " + strconv.Itoa(s.Line) + ", " + s.Msg
	}
	return "it ends in the middle"
}

// attributes returns the attributes of an element, those of its style among them. Scripts are left
// out.
func (r *reader) attributes(t xml.StartElement) map[string]string {
	attr := map[string]string{}
	for _, a := range t.Attr {
		if strings.HasPrefix(strings.ToLower(a.Name.Local), "on") {
			r.left["scripts"] = true
			continue
		}
		attr[a.Name.Local] = strings.TrimSpace(a.Value)
	}
	for _, part := range strings.Split(attr["style"], ";") {
		if k, v, ok := strings.Cut(part, ":"); ok {
			attr[strings.TrimSpace(k)] = strings.TrimSpace(v)
		}
	}
	return attr
}

// style reads how an element looks into l.
func (r *reader) style(attr map[string]string, l *look) {
	if v := attr["transform"]; v != "" {
		m, ok := transforms(v)
		if !ok {
			r.left["transforms that could not be read"] = true
		}
		l.m = l.m.after(m)
	}
	if v := attr["fill"]; v != "" {
		l.fill = v != "none" && v != "transparent"
	}
	if v := attr["stroke"]; v != "" {
		l.stroke = v != "none" && v != "transparent"
	}
	if v, ok := number(attr["stroke-width"]); ok {
		l.width = v
	}
	if v := attr["fill-rule"]; v != "" {
		l.evenOdd = v == "evenodd"
	}
	if v := attr["stroke-linecap"]; v != "" {
		l.flat = v == "butt"
	}
	l.away = l.away || slices.Contains(strings.Fields(attr["class"]), "away")
	if attr["display"] == "none" || attr["visibility"] == "hidden" {
		l.hidden = true
	}
}

// element reads an element into l, and adds its shape if it is one; false where it and what it
// holds are left out.
func (r *reader) element(t xml.StartElement, l *look) bool {
	attr := r.attributes(t)
	r.style(attr, l)
	num := func(name string) float64 { v, _ := number(attr[name]); return v }
	var subs []sub
	switch t.Name.Local {
	case "svg":
		l.m = l.m.after(r.frame(attr))
		return true
	case "g", "a", "switch":
		return true
	case "path":
		var ok bool
		if subs, ok = path(attr["d"]); !ok {
			r.left["ends of paths that could not be read"] = true
		}
	case "polygon", "polyline":
		v, ok := numbers(attr["points"])
		if !ok {
			r.left["points that could not be read"] = true
		}
		s := sub{closed: t.Name.Local == "polygon"}
		for i := 0; i+1 < len(v); i += 2 {
			s.nodes = append(s.nodes, shape.Node{X: v[i], Y: v[i+1]})
		}
		subs = []sub{s}
	case "line":
		subs = []sub{{nodes: []shape.Node{{X: num("x1"), Y: num("y1")}, {X: num("x2"), Y: num("y2")}}}}
	case "rect":
		subs = rect(num("x"), num("y"), num("width"), num("height"), attr)
	case "circle", "ellipse":
		a, b := num("rx"), num("ry")
		if t.Name.Local == "circle" {
			a, b = num("r"), num("r")
		}
		if e, ok := round(l.m, num("cx"), num("cy"), a, b); ok && l.fill && !l.hidden {
			e.Away = l.away
			if r.near(shape.Nodes(e).All()) && len(r.shapes) < maxShapes {
				r.shapes = append(r.shapes, e)
			}
		} else if a > 0 && b > 0 {
			subs = []sub{{closed: true, nodes: shape.Nodes(shape.Ellipse{X: num("cx"), Y: num("cy"),
				Width: 2 * a, Height: 2 * b}).All()}}
		}
	case "title", "desc", "metadata", "defs":
		return false
	default:
		r.left[named(t.Name.Local)] = true
		return false
	}
	if !l.hidden {
		r.add(subs, l)
	}
	return true
}

// named returns what an element that is left out is called.
func named(local string) string {
	if n := map[string]string{"script": "scripts", "style": "styles", "text": "texts", "image": "pictures", "use": "repeated symbols",
		"symbol": "symbols", "foreignObject": "foreign objects", "clipPath": "clips", "mask": "masks", "filter": "filters"}[local]; n != "" {
		return n
	}
	return "elements of the kind " + short(local)
}

// frame returns how the drawing's units become pixels of the photo.
func (r *reader) frame(attr map[string]string) matrix {
	v, _ := numbers(attr["viewBox"])
	if len(v) != 4 || !(v[2] > 0 && v[3] > 0) {
		w, okW := number(attr["width"])
		h, okH := number(attr["height"])
		if !okW || !okH || !(w > 0 && h > 0) {
			return identity
		}
		v = []float64{0, 0, w, h}
	}
	k := math.Min(r.w/v[2], r.h/v[3])
	return matrix{k, 0, 0, k, (r.w-k*v[2])/2 - k*v[0], (r.h-k*v[3])/2 - k*v[1]}
}

// sub is one piece of a path.
type sub struct {
	nodes  []shape.Node
	closed bool
}

// add makes shapes of the pieces of a path: outlines of what is filled, tubes of what has only a
// line.
func (r *reader) add(subs []sub, l *look) {
	var first *shape.Outline
	for _, s := range subs {
		for i := range s.nodes {
			s.nodes[i] = mapped(l.m, s.nodes[i])
		}
		n := len(s.nodes)
		if n > maxPoints {
			r.err = fault.New(fault.Invalid, "A shape of the drawing has %d nodes; the limit is %d.", n, maxPoints)
			return
		}
		if n < 2 {
			continue
		}
		if !r.near(s.nodes) {
			r.left["shapes that lie too far off the photo"] = true
			continue
		}
		if len(r.shapes) == maxShapes {
			r.err = fault.New(fault.Invalid, "The drawing has more than %d shapes.", maxShapes)
			return
		}
		if n == 2 && l.fill && (s.nodes[0].Out != [2]float64{} || s.nodes[1].In != [2]float64{} ||
			s.nodes[1].Out != [2]float64{}) {
			s.nodes, n = shape.Halve(s.nodes, 0), 3 // a lens of two bends
		}
		if l.fill && n >= 3 {
			o := shape.Outline{Nodes: shape.PathOf(s.nodes...), Away: l.away}
			if shape.Area(o) < 0.01 {
				continue // nothing that could shine
			}
			// A piece inside of the first is a hole, if it runs the other way or the rule says so.
			if first != nil && holds(first, s.nodes[0]) &&
				(l.evenOdd || turned(first) != turned(&o)) {
				o.Away = true
			} else if first == nil {
				first = &o
			}
			r.shapes = append(r.shapes, o)
		} else if width := l.width * l.m.scale(); l.stroke && width >= 0.1 {
			r.shapes = append(r.shapes, shape.Tube{Nodes: shape.PathOf(s.nodes...),
				Width: math.Min(width, math.Max(r.w, r.h)), Closed: s.closed, Flat: l.flat &&
					!s.closed, Away: l.away})
		}
	}
}

// near tells whether all points lie where a recipe takes them.
func (r *reader) near(nodes []shape.Node) bool {
	for _, n := range nodes {
		far := r.w + r.h
		if !(n.X >= -r.w && n.X <= 2*r.w && n.Y >= -r.h && n.Y <= 2*r.h) {
			return false
		}
		for _, v := range [...]float64{n.In[0], n.In[1], n.Out[0], n.Out[1]} {
			if !(math.Abs(v) <= far) {
				return false
			}
		}
	}
	return true
}

func mapped(m matrix, n shape.Node) shape.Node {
	x, y := m.at(n.X, n.Y)
	arm := func(a [2]float64) [2]float64 {
		return [2]float64{m[0]*a[0] + m[2]*a[1], m[1]*a[0] + m[3]*a[1]}
	}
	return shape.Node{X: x, Y: y, In: arm(n.In), Out: arm(n.Out)}
}

// round returns an ellipse through a map that leaves it one without more ado: that turns,
// moves and scales all alike.
func round(m matrix, x, y, a, b float64) (shape.Ellipse, bool) {
	k := m.scale()
	if !(a > 0 && b > 0 && k > 0) || math.Abs(m[0]-m[3]) > 1e-9*k || math.Abs(m[1]+m[2]) > 1e-9*k {
		return shape.Ellipse{}, false
	}
	cx, cy := m.at(x, y)
	return shape.Ellipse{X: cx, Y: cy, Width: 2 * a * k, Height: 2 * b * k, Turn: math.Atan2(m[1],
		m[0]) * 180 / math.Pi}, true
}

func turned(o *shape.Outline) bool { return shape.Turn(shape.Flatten(o.Nodes, true)) < 0 }

func holds(o *shape.Outline, n shape.Node) bool {
	return shape.Inside(shape.Flatten(o.Nodes, true), n.X, n.Y)
}
