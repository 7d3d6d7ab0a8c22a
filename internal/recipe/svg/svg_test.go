package svg

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"pyrant/internal/recipe/shape"
)

// drawing wraps elements in a drawing of the photo's size.
func drawing(inner string) []byte {
	return []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 600 400">` + inner + `</svg>`)
}

func read(t *testing.T, inner string) shape.Shapes {
	t.Helper()
	s, _, err := Read(drawing(inner), 600, 400)
	if err != nil {
		t.Fatalf("%s: %v", inner, err)
	}
	return s
}

// Every element and every command of a path, by the area that it has and where it lies.
func TestRead(t *testing.T) {
	circle := math.Pi * 40 * 40
	for _, c := range []struct {
		in           string
		area, cx, cy float64 // of all shapes, those away taken off; the middle of the first's box
	}{
		{`<rect x="100" y="50" width="80" height="60"/>`, 4800, 140, 80},
		{`<rect x="100" y="50" width="80" height="60" rx="20"/>`, 4800 - (4-math.Pi)*400, 140, 80},
		{`<rect x="100" y="50" width="80" height="60" rx="20" ry="10"/>`, 4800 - (4-math.Pi)*200, 140, 80},
		{`<path d="M200 140A60 30 90 1 0 200 260A60 30 90 1 0 200 140z"/>`, math.Pi * 1800, 200, 200},
		{`<circle cx="200" cy="200" r="40"/>`, circle, 200, 200},
		{`<ellipse cx="200" cy="200" rx="80" ry="20" transform="rotate(90 200 200)"/>`, circle, 200, 200},
		{`<circle cx="100" cy="100" r="40" transform="scale(2 1)"/>`, 2 * circle, 200, 100},
		{`<polygon points="10,10 110,10 110,60 10,60"/>`, 5000, 60, 35},
		{`<g transform="translate(50 20)"><g transform="scale(2)"><path d="M0 0h50v50h-50z"/></g></g>`, 10000, 100, 70},
		{`<path transform="matrix(0 1 -1 0 300 0)" d="M0,0 L100,0 100,50 0,50Z"/>`, 5000, 275, 50},
		{`<path transform="skewX(45)" d="M0 0H100V50H0Z"/>`, 5000, 75, 25},
		{`<path d="M100 200a40 40 0 1 0 80 0a40 40 0 1 0-80 0"/>`, circle, 140, 200},
		{`<path d="M100 200A40 40 0 01180 200A40 40 0 01100 200z"/>`, circle, 140, 200},
		{`<path d="M0 0C0 100 100 100 100 0Z"/>`, 6000, 50, 37.5},
		{`<path d="M0 0Q50 100 100 0Z"/>`, 10000.0 / 3, 50, 25},
		{`<path d="M0 100Q25 150 50 100T100 100V200H0Z"/>`, 10000, 50, 137.5},
		{`<path d="M0 0C0 50 50 50 50 0S100 -50 100 0V100H0Z"/>`, 10000, 50, 31.25},
		{`<path d="m10 10 100 0 0 50-100 0z m200 0h50v50h-50z"/>`, 7500, 60, 35},
		// A hole by the rule, and by running the other way.
		{`<path fill-rule="evenodd" d="M0 0H100V100H0Z M25 25H75V75H25Z"/>`, 7500, 50, 50},
		{`<path d="M0 0H100V100H0Z M25 25V75H75V25Z"/>`, 7500, 50, 50},
		{`<path d="M0 0H100V100H0Z M25 25H75V75H25Z"/>`, 12500, 50, 50},
		// Lines with a width are tubes.
		{`<line x1="100" y1="100" x2="300" y2="100" stroke="red" stroke-width="10"/>`, 2000, 200, 100},
		{`<polyline fill="none" stroke="#fff" stroke-width="8" points="10 10 110 10"/>`, 800, 60, 10},
		{`<path style="fill:none;stroke:blue;stroke-width:5px;stroke-linecap:round" d="M10 10h100"/>`, 500 + math.Pi*6.25, 60, 10},
		{`<g stroke="red" fill="none" stroke-width="4" transform="scale(2)"><path d="M20 20h50"/></g>`, 800, 90, 40},
	} {
		got := read(t, c.in)
		sum := 0.0
		for _, s := range got {
			if s.Taken() {
				sum -= shape.Area(s)
			} else {
				sum += shape.Area(s)
			}
		}
		if math.Abs(sum-c.area) > 0.003*c.area {
			t.Errorf("%s: an area of %.1f, want %.1f", c.in, sum, c.area)
		}
		x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
		for _, p := range shape.Edges(got[0])[0] {
			x0, y0, x1, y1 = min(x0, p.X), min(y0, p.Y), max(x1, p.X), max(y1, p.Y)
		}
		if math.Hypot((x0+x1)/2-c.cx, (y0+y1)/2-c.cy) > 0.3 {
			t.Errorf("%s: its middle is %.1f, %.1f", c.in, (x0+x1)/2, (y0+y1)/2)
		}
	}
}

// A drawing of another size is scaled to the photo, in its middle.
func TestReadScales(t *testing.T) {
	s, _, err := Read([]byte(`<svg viewBox="10 10 30 40"><rect x="10" y="10" width="30" height="40"/></svg>`), 600, 400)
	if err != nil {
		t.Fatal(err)
	}
	if p := shape.Nodes(s[0]).All(); p[0].X != 150 || p[0].Y != 0 || p[2].X != 450 ||
		p[2].Y != 400 {
		t.Errorf("%+v", p)
	}
	if s, _, err = Read([]byte(`<svg width="300px" height="200px"><circle cx="150" cy="100" r="10"/></svg>`), 600, 400); err != nil || s[0].(shape.Ellipse).Width != 40 {
		t.Errorf("%+v, %v", s, err)
	}
}

// What is written is read again: the same shapes, those that are taken away as well.
func TestRoundTrip(t *testing.T) {
	in := shape.Shapes{
		shape.Outline{Nodes: shape.PathOf(shape.Node{X: 10.25, Y: 20}, shape.Node{X: 90, Y: 15,
			Out: [2]float64{20, 30}}, shape.Node{X: 80, Y: 120, In: [2]float64{15, -20}})},
		shape.Outline{Away: true, Nodes: shape.PathOf(shape.Node{X: 30, Y: 40},
			shape.Node{X: 60, Y: 40}, shape.Node{X: 60, Y: 60})},
		shape.Ellipse{X: 200, Y: 150, Width: 80, Height: 30, Turn: 25},
		shape.Tube{Width: 12, Nodes: shape.PathOf(shape.Node{X: 300, Y: 50},
			shape.Node{X: 400, Y: 250, In: [2]float64{-50, 0}})},
		shape.Tube{Width: 7, Flat: true, Nodes: shape.PathOf(shape.Node{X: 300, Y: 50},
			shape.Node{X: 320, Y: 350})},
		shape.Tube{Width: 9, Closed: true, Away: true,
			Nodes: shape.PathOf(shape.Node{X: 450, Y: 50}, shape.Node{X: 550, Y: 60},
				shape.Node{X: 500, Y: 160})},
	}
	out, left, err := Read(Write(in, 600, 400), 600, 400)
	if err != nil || len(left) > 0 || len(out) != len(in) {
		t.Fatalf("%d shapes, %v, %v\n%s", len(out), left, err, Write(in, 600, 400))
	}
	for i, s := range in {
		a, b := s, out[i]
		if shape.KindOf(a) != shape.KindOf(b) || a.Taken() != b.Taken() ||
			math.Abs(shape.Area(a)-shape.Area(b)) > 1e-6*shape.Area(a) {
			t.Errorf("%+v came back as %+v", a, b)
		}
		for k, n := range shape.Nodes(a).All() {
			m := shape.Nodes(b).At(k)
			for j, v := range [...]float64{n.X - m.X, n.Y - m.Y, n.In[0] - m.In[0],
				n.In[1] - m.In[1], n.Out[0] - m.Out[0], n.Out[1] - m.Out[1]} {
				if math.Abs(v) > 1e-9 {
					t.Errorf("shape %d, node %d, number %d: off by %v", i, k, j, v)
				}
			}
		}
	}
	// A tube of several widths comes back as what it covers.
	wide := shape.Tube{Width: 10, Taper: 0.5, Nodes: shape.PathOf(shape.Node{X: 100, Y: 100},
		shape.Node{X: 300, Y: 100})}
	if out, _, err := Read(Write(shape.Shapes{wide}, 600, 400), 600, 400); err != nil ||
		math.Abs(shape.Area(out[0])-shape.Area(wide)) > 0.01 {
		t.Errorf("%v, %v", out, err)
	}
	// A string comes back as its bulbs, without those that are dropped.
	string := shape.String{Width: 10, Count: 5, Nodes: wide.Nodes,
		Own: []shape.Bulb{{Place: 0.5, X: 200, Y: 130, Size: 2}, {Place: 1, Gone: true}}}
	out, _, err = Read(Write(shape.Shapes{string}, 600, 400), 600, 400)
	if want := (shape.Ellipse{X: 200, Y: 130, Width: 20, Height: 20}); err != nil ||
		len(out) != 4 || out[2] != want {
		t.Errorf("%v, %v", out, err)
	}
}

// Odd and hostile files end with a sentence, or without what is no shape, which is named.
func TestOddFiles(t *testing.T) {
	rect := `<rect width="10" height="10"/>`
	for name, c := range map[string]struct{ in, say string }{
		"nothing":     {"", "not an SVG drawing"},
		"a text":      {"once upon a time", "not an SVG drawing"},
		"a page":      {"<html><body/></html>", `begins with "html"`},
		"broken":      {`<svg><path d="M0 0"`, "not a valid SVG"},
		"an entity":   {`<!DOCTYPE svg [<!ENTITY a "b">]><svg>&a;` + rect + `</svg>`, "not a valid SVG"},
		"no shapes":   {`<svg><text>Hello</text></svg>`, "no shape to trace"},
		"deep":        {"<svg>" + strings.Repeat("<g>", 300) + rect, "nests more"},
		"many shapes": {"<svg>" + strings.Repeat(rect, 600) + "</svg>", "more than 500 shapes"},
		"many points": {`<svg><polygon points="` + strings.Repeat("1,2 3,4 ", 4000) + `"/></svg>`, "the limit is 5000"},
		"far away":    {`<svg viewBox="0 0 600 400"><rect x="1e9" width="5" height="5"/></svg>`, "no shape to trace"},
		"too large":   {strings.Repeat(" ", MaxBytes+1), "more than 8 MB"},
		"no numbers":  {`<svg><circle r="big"/><path d="M a b"/><rect width="-5" height="NaN"/></svg>`, "no shape to trace"},
		"infinite":    {`<svg><rect width="1e400" height="10"/></svg>`, "no shape to trace"},
		"a million":   {`<svg><path d="M0 0` + strings.Repeat("l1 1", 1_000_000) + `"/></svg>`, "the limit is 5000"},
	} {
		if _, _, err := Read([]byte(c.in), 600, 400); err == nil || !strings.Contains(err.Error(),
			c.say) {
			t.Errorf("%s: %v, want %q", name, err, c.say)
		}
	}
	_, left, err := Read(drawing(rect+`<script>alert(1)</script><image href="http://a/b.png"/><use href="#x"/><circle r="5" cx="50" cy="50" onclick="go()"/><path d="M0 0h10v10z L z 5"/>`), 600, 400)
	if said := fmt.Sprint(left); err != nil || said != "[ends of paths that could not be read pictures repeated symbols scripts]" {
		t.Errorf("%v, %s", err, said)
	}
}

func FuzzRead(f *testing.F) {
	f.Add(string(drawing(`<path d="M0 0C1 2 3 4 5 6S7 8 9 9Q1 2 3 4T5 6A1 2 30 01 5 5z" transform="rotate(3 1 2)"/>`)))
	f.Add(`<svg width="3" height="4"><g style="stroke:red;fill:none"><polyline points="1 2 3"/></g></svg>`)
	f.Fuzz(func(t *testing.T, in string) {
		s, _, err := Read([]byte(in), 600, 400)
		if err != nil {
			return
		}
		for _, v := range s {
			for _, n := range shape.Nodes(v).All() {
				if !(n.X >= -650 && n.X <= 1250 && n.Y >= -450 && n.Y <= 850) {
					t.Fatalf("a point at %v, %v", n.X, n.Y)
				}
			}
		}
		if _, _, err := Read(Write(s, 600, 400), 600, 400); err != nil {
			t.Fatalf("what was written is not read: %v", err)
		}
	})
}

func ExampleWrite() {
	fmt.Printf("%s", Write(shape.Shapes{shape.Ellipse{X: 20, Y: 10, Width: 8, Height: 8}}, 40, 20))
	// Output:
	// <svg xmlns="http://www.w3.org/2000/svg" width="40" height="20" viewBox="0 0 40 20">
	// <ellipse fill="black" cx="20" cy="10" rx="4" ry="4"/>
	// </svg>
}
