package svg

import (
	"bytes"
	"fmt"
	"strconv"

	"pyrant/internal/recipe/shape"
)

// Write returns shapes as a drawing of the photo's size, in its pixels. What is taken away
// stands in white over what is there, with the class "away", by which Read knows it again; a
// tube of one width is a line with that width, one of several an outline, a string its bulbs.
func Write(shapes shape.Shapes, w, h float64) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" width="%[1]s" height="%[2]s" viewBox="0 0 %[1]s %[2]s">`+"\n", num(w), num(h))
	for _, s := range shapes {
		colour, class := "black", ""
		if s.Taken() {
			colour, class = "white", ` class="away"`
		}
		switch s := s.(type) {
		case shape.Tube:
			if s.Widths.Len() > 0 || s.Taper != 0 {
				fmt.Fprintf(&b, `<path%s fill="%s" d="`, class, colour)
				for _, p := range shape.Edges(s) {
					for i, q := range p {
						fmt.Fprintf(&b, "%c%s %s", "ML"[min(i, 1)], num(q.X), num(q.Y))
					}
					b.WriteByte('Z')
				}
				b.WriteString("\"/>\n")
				continue
			}
			end := "round"
			if s.Flat {
				end = "butt"
			}
			fmt.Fprintf(&b, `<path%s fill="none" stroke="%s" stroke-width="%s" stroke-linecap="%s" stroke-linejoin="round" d="%s"/>`+"\n", class, colour, num(s.Width), end, data(s.Nodes, s.Closed))
		case shape.Ellipse:
			fmt.Fprintf(&b, `<ellipse%s fill="%s" cx="%s" cy="%s" rx="%s" ry="%s"`, class, colour, num(s.X), num(s.Y), num(s.Width/2), num(s.Height/2))
			if s.Turn != 0 {
				fmt.Fprintf(&b, ` transform="rotate(%s %s %s)"`, num(s.Turn), num(s.X), num(s.Y))
			}
			b.WriteString("/>\n")
		case shape.String:
			for _, h := range s.Bulbs() {
				if !h.Gone {
					fmt.Fprintf(&b, `<circle%s fill="%s" cx="%s" cy="%s" r="%s"/>`+"\n", class, colour, num(h.At.X), num(h.At.Y), num(h.Width/2))
				}
			}
		case shape.CutOut: // it has pixels, no line
		default:
			fmt.Fprintf(&b, `<path%s fill="%s" d="%s"/>`+"\n", class, colour, data(shape.Nodes(s), true))
		}
	}
	b.WriteString("</svg>\n")
	return b.Bytes()
}

func num(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

// data returns a path's data.
func data(p shape.Path, closed bool) string {
	nodes := p.All()
	if len(nodes) == 0 {
		return ""
	}
	b := []byte("M" + num(nodes[0].X) + " " + num(nodes[0].Y))
	sides := len(nodes)
	if !closed {
		sides--
	}
	for i := range sides {
		a, n := nodes[i], nodes[(i+1)%len(nodes)]
		if a.Out == [2]float64{} && n.In == [2]float64{} {
			if closed && i == sides-1 {
				break // the line that closes it
			}
			b = append(b, "L"+num(n.X)+" "+num(n.Y)...)
			continue
		}
		b = append(b, fmt.Sprintf("C%s %s %s %s %s %s", num(a.X+a.Out[0]), num(a.Y+a.Out[1]),
			num(n.X+n.In[0]), num(n.Y+n.In[1]), num(n.X), num(n.Y))...)
	}
	if closed {
		b = append(b, 'Z')
	}
	return string(b)
}
