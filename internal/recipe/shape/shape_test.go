package shape

import (
	"encoding/json"
	"fmt"
	"image"
	"math"
	"math/rand/v2"
	"reflect"
	"sync"
	"testing"

	"pyrant/internal/recipe/setting"
)

func corners(xy ...float64) []Node {
	var n []Node
	for i := 0; i < len(xy); i += 2 {
		n = append(n, Node{X: xy[i], Y: xy[i+1]})
	}
	return n
}

// circle returns an outline of four Bézier quarters; its area differs from
// that of the true circle by less than 0.03 %.
func circle(x, y, r float64) Outline {
	k := 0.5522847498 * r
	return Outline{Nodes: PathOf(
		Node{X: x + r, Y: y, In: [2]float64{0, -k}, Out: [2]float64{0, k}},
		Node{X: x, Y: y + r, In: [2]float64{k, 0}, Out: [2]float64{-k, 0}},
		Node{X: x - r, Y: y, In: [2]float64{0, k}, Out: [2]float64{0, -k}},
		Node{X: x, Y: y - r, In: [2]float64{-k, 0}, Out: [2]float64{k, 0}},
	)}
}

func sum(m *Mask) (s float64) {
	for _, v := range m.Plane(m.Bounds()).Pix {
		s += float64(v)
	}
	return
}

func TestCoverageSumsToArea(t *testing.T) {
	tests := []struct {
		name   string
		shapes Shapes
		scale  float64
		want   float64
	}{
		{
			"square on pixel edges",
			Shapes{Outline{Nodes: PathOf(corners(10, 10, 30, 10, 30, 25, 10, 25)...)}},
			1,
			300,
		},
		{"square between pixels, walked the other way",
			Shapes{Outline{Nodes: PathOf(corners(10.25, 10.5, 10.25, 20.25, 30.75, 20.25, 30.75,
				10.5)...)}}, 1, 20.5 * 9.75},
		{"square over many tiles", Shapes{Outline{Nodes: PathOf(corners(-300.5, -100, 900, -100,
			900, 700.25, -300.5, 700.25)...)}}, 1, 1200.5 * 800.25},
		{"scaled down", Shapes{Outline{Nodes: PathOf(corners(0, 0, 1000, 0, 1000, 500, 0,
			500)...)}}, 0.157, 500000 * 0.157 * 0.157},
		{"contain each other", Shapes{circle(300, 300, 100)}, 1, math.Pi * 1e4},
		{"circles that overlap, walked either way, unite", Shapes{circle(100, 100, 50),
			Outline{Nodes: PathOf(corners(100, 100, 100, 200, 20, 200, 20, 100)...)}}, 1,
			math.Pi*2500 + 8000 - math.Pi*2500/4},
		{"ring by taking away", Shapes{circle(100, 100, 50),
			func() Shape { c := circle(100, 100, 30); c.Away = true; return c }()}, 1,
			math.Pi * 1600},
		{"rod with round ends", Shapes{Tube{Width: 10,
			Nodes: PathOf(corners(50, 50, 250, 200)...)}}, 1, 250*10 + math.Pi*25},
		{
			"bent rod with round ends",
			Shapes{Tube{Width: 10, Nodes: PathOf(corners(50, 50, 150, 50, 150, 150)...)}},
			1,
			// Two arms that share the corner's outer quarter and its inner square.
			200*10 + math.Pi*25 - 25 + math.Pi*25/4,
		},
		{"closed square tube", Shapes{Tube{Width: 8, Closed: true,
			Nodes: PathOf(corners(100, 100, 200, 100, 200, 200, 100, 200)...)}}, 1,
			100*100 + 4*100*4 + math.Pi*16 - 92*92},
		{"triangle", Shapes{Outline{Nodes: PathOf(corners(10, 10, 50, 10, 10, 40)...)}}, 1, 600},
		{"short rod", Shapes{Tube{Width: 10, Nodes: PathOf(corners(50, 50, 60, 50)...)}}, 1,
			100 + math.Pi*25},
		{"rod there and back", Shapes{Tube{Width: 10, Closed: true,
			Nodes: PathOf(corners(50, 50, 150, 50)...)}}, 1, 1000 + math.Pi*25},
		{"closed triangle tube", Shapes{Tube{Width: 4, Closed: true,
			Nodes: PathOf(corners(100, 100, 200, 100, 100, 200)...)}}, 1,
			// The triangle grown by 2 less the one shrunk by 2: the perimeter times 4, and what the
			// corners are rounder than sharp.
			4*(200+math.Sqrt2*100) + math.Pi*4 - 4*(1+2/math.Tan(math.Pi/8))},
		{"tube wider than its loop", Shapes{Tube{Width: 60, Closed: true,
			Nodes: PathOf(corners(100, 100, 140, 100, 140, 140, 100, 140)...)}}, 1,
			40*40 + 4*40*30 + math.Pi*900},
		{"rod at half the size", Shapes{Tube{Width: 20,
			Nodes: PathOf(corners(100, 100, 500, 400)...)}}, 0.5, 250*10 + math.Pi*25},
		{"square along the edges of tiles",
			Shapes{Outline{Nodes: PathOf(corners(0, 256, 512, 256, 512, 768, 0, 768)...)}}, 1,
			512 * 512},
		{"square through the middles of tiles",
			Shapes{Outline{Nodes: PathOf(corners(128, 128, 1152, 128, 1152, 1152, 128, 1152)...)}},
			1, 1024 * 1024},
		{
			"frame along the edges of tiles",
			Shapes{Outline{Nodes: PathOf(corners(0, 0, 1024, 0, 1024, 1024, 0, 1024)...)},
				Outline{
					Away:  true,
					Nodes: PathOf(corners(256, 256, 768, 256, 768, 768, 256, 768)...),
				}},
			1,
			1024*1024 - 512*512,
		},
		{"diamond with its corners on tiles' middles",
			Shapes{Outline{Nodes: PathOf(corners(128, 640, 640, 128, 1152, 640, 640, 1152)...)}}, 1,
			1024 * 1024 / 2},
		{"tips on the middles of tiles",
			Shapes{Outline{Nodes: PathOf(corners(100, 100, 300, 100, 200, 640)...)},
				Outline{Nodes: PathOf(corners(100, 1300, 300, 1300, 200, 640)...)},
				Outline{Nodes: PathOf(corners(1500, 600, 1510, 600, 1510, 680, 1500, 680)...)}}, 1,
			200*540/2 + 200*660/2 + 800},
		{
			"dot",
			Shapes{Tube{Width: 20, Nodes: PathOf(corners(40, 40, 40, 40)...)}},
			1,
			math.Pi * 100,
		},
	}
	for _, tt := range tests {
		got := sum(NewMask(tt.shapes, tt.scale))
		if math.Abs(got-tt.want) > 0.002*tt.want {
			t.Errorf("%s: coverage sums to %.1f, want %.1f", tt.name, got, tt.want)
		}
	}
}

func TestCoverageOfHalfPixels(t *testing.T) {
	m := NewMask(Shapes{Outline{Nodes: PathOf(corners(2.5, 3, 6, 3, 6, 5.25, 2.5, 5.25)...)}}, 1)
	p := m.Plane(image.Rect(0, 0, 8, 8))
	for _, c := range []struct {
		x, y int
		want float64
	}{{1, 3, 0}, {2, 3, 0.5}, {3, 3, 1}, {5, 4, 1}, {6, 4, 0}, {3, 5, 0.25}, {2, 5, 0.125},
		{3, 2, 0}, {3, 6, 0}} {
		if got := float64(p.At(c.x, c.y)); math.Abs(got-c.want) > 1.0/255 {
			t.Errorf("coverage at (%d, %d) is %.3f, want %.3f", c.x, c.y, got, c.want)
		}
	}
}

// A viewport must show the same bytes as the whole: coverage does not depend
// on the rectangle that is asked for.
func TestFillDoesNotDependOnViewport(t *testing.T) {
	shapes := Shapes{circle(400, 300, 170),
		Tube{Width: 13, Nodes: PathOf(corners(20, 20, 700, 560)...)}}
	whole := NewMask(shapes, 0.77)
	all := whole.Plane(image.Rect(-50, -50, 700, 600))
	for _, r := range []image.Rectangle{image.Rect(250, 250, 260, 262), image.Rect(-3, 100, 600,
		101), image.Rect(255, 0, 257, 300)} {
		part := NewMask(shapes, 0.77).Plane(r)
		for y := r.Min.Y; y < r.Max.Y; y++ {
			for x := r.Min.X; x < r.Max.X; x++ {
				if part.At(x, y) != all.At(x, y) {
					t.Fatalf(
						"coverage at (%d, %d) is %v in viewport %v and %v in the whole",
						x,
						y,
						part.At(x, y),
						r,
						all.At(x, y),
					)
				}
			}
		}
	}
}

func TestLengthAndArea(t *testing.T) {
	c := circle(0, 0, 100)
	if l := c.Length(); math.Abs(l-2*math.Pi*100) > 0.5 {
		t.Errorf("circle of radius 100 is %.2f long", l)
	}
	if a := Area(c); math.Abs(a-math.Pi*1e4) > 20 {
		t.Errorf("circle of radius 100 has area %.1f", a)
	}
	rod := Tube{Width: 6, Nodes: PathOf(corners(0, 0, 30, 40)...)}
	if l := rod.Length(); math.Abs(l-50) > 1e-9 {
		t.Errorf("rod is %.2f long, want 50", l)
	}
	if e := rod.Edge(); math.Abs(e-100) > 1e-9 {
		t.Errorf("the sides of the rod are %.2f long, want 100", e)
	}
	square := Tube{Width: 6, Closed: true, Nodes: PathOf(corners(0, 0, 30, 0, 30, 30, 0, 30)...)}
	if l := square.Length(); math.Abs(l-120) > 1e-9 {
		t.Errorf("the square is %.2f long, want 120", l)
	}
	back := Tube{Width: 6, Closed: true, Nodes: PathOf(corners(0, 0, 30, 40)...)}
	if l := back.Length(); math.Abs(l-100) > 1e-9 {
		t.Errorf("there and back is %.2f long, want 100", l)
	}
	// What is taken away is none of the width, but of the line.
	panel := Outline{Nodes: PathOf(corners(0, 0, 100, 0, 100, 20, 0, 20)...)}
	hole := Outline{Away: true, Nodes: PathOf(corners(10, 5, 20, 5, 20, 15, 10, 15)...)}
	both := Shapes{panel, hole}
	if w := both.Width(); math.Abs(w-2*2000/240.0) > 1e-9 {
		t.Errorf("the panel's mean width is %v, want %v", w, 2*2000/240.0)
	}
	if a, l := both.Area(), both.Line(); math.Abs(a-2100) > 1e-9 || math.Abs(l-280) > 1e-9 {
		t.Errorf("area %v and line %v; want 2100 and 280", a, l)
	}
	if w := (Shapes{hole}).Width(); w != 0 {
		t.Errorf("nothing is %v wide", w)
	}
	if m := panel.Shifted(5, -7).(Outline).Nodes.At(2); m.X != 105 || m.Y != 13 {
		t.Errorf("moved by 5, -7 a corner lies at %v", m)
	}
	if m := rod.Shifted(5, -7).(Tube); m.Nodes.At(1) != (Node{X: 35, Y: 33}) || m.Width != 6 {
		t.Errorf("moved by 5, -7 the rod is %v", m.Nodes.All())
	}
}

// A flattened curve stays within a hundredth of a pixel of the true one, at the scale
// at which it is drawn, and takes no more pieces than that needs.
func TestFlatteningKeepsToTheCurve(t *testing.T) {
	for _, r := range []float64{5, 100, 2000} {
		c := circle(0, 0, r)
		for _, scale := range []float64{1, 0.25} {
			line := flatten(c.Nodes, true, scale)
			worst := 0.0
			for i, p := range line {
				q := line[(i+1)%len(line)]
				mid := p.mix(q, 0.5)
				// A chord's middle lies inside of the circle by its sagitta; the four
				// quarters themselves are off by 0.03 %.
				worst = math.Max(worst, r*scale-math.Hypot(mid.X, mid.Y)-0.0003*r*scale)
			}
			if worst > 0.01 {
				t.Errorf("radius %v at %v: off by %.4f px", r, scale, worst)
			}
			// As many pieces as chords of that sagitta need, and no more than twice.
			need := math.Pi / math.Acos(1-0.01/(r*scale))
			if n := float64(len(line)); n > 2.5*need+8 {
				t.Errorf("radius %v at %v: %v pieces, where %.0f do", r, scale, n, need)
			}
		}
	}
	// Any cubic: within the tolerance, in the number of pieces that Wang's bound gives.
	rnd := rand.New(rand.NewPCG(8, 9))
	at := func() Point { return Point{rnd.Float64() * 400, rnd.Float64() * 400} }
	for range 50 {
		p := [4]Point{at(), at(), at(), at()}
		a := Node{X: p[0].X, Y: p[0].Y, Out: [2]float64{p[1].X - p[0].X, p[1].Y - p[0].Y}}
		b := Node{X: p[3].X, Y: p[3].Y, In: [2]float64{p[2].X - p[3].X, p[2].Y - p[3].Y}}
		line := flatten(PathOf(a, b), false, 1)
		second := func(i int) float64 { return p[i].sub(p[i+1].mul(2)).add(p[i+2]).dist(Point{}) }
		if want := int(math.Ceil(math.Sqrt(3 * 2 / 8.0 * math.Max(second(0),
			second(1)) / 0.01))); len(line) != want+1 {
			t.Errorf("%v is flattened to %d pieces, want %d", p, len(line)-1, want)
		}
		for k := range 1000 {
			t1 := float64(k) / 1000
			t0 := 1 - t1
			q := p[0].mul(t0 * t0 * t0).add(p[1].mul(3 * t0 * t0 * t1)).
				add(p[2].mul(3 * t0 * t1 * t1)).add(p[3].mul(t1 * t1 * t1))
			gap := math.Inf(1)
			for i := 1; i < len(line); i++ {
				d := line[i].sub(line[i-1])
				along := (q.X-line[i-1].X)*d.X + (q.Y-line[i-1].Y)*d.Y
				u := math.Min(math.Max(along/(d.X*d.X+d.Y*d.Y), 0), 1)
				gap = math.Min(gap, q.dist(line[i-1].add(d.mul(u))))
			}
			if gap > 0.01 {
				t.Fatalf("%v: a point of the curve lies %v px from the line", p, gap)
			}
		}
	}
	// Straight sides are one piece each, also where a point stands twice.
	if line := flatten(PathOf(corners(0, 0, 10, 0, 10, 0, 10, 10, 0, 0)...), true,
		1); len(line) != 3 {
		t.Errorf("a triangle with a point twice has %d pieces", len(line))
	}
}

// Deep inside of what is taken away there is exactly nothing, deep inside of a shape
// exactly all, in tiles that no edge crosses.
func TestTilesWithoutEdges(t *testing.T) {
	outer := Outline{Nodes: PathOf(corners(-40, -40, 2000, -40, 2000, 2000, -40, 2000)...)}
	hole := Outline{Away: true, Nodes: PathOf(corners(500, 500, 1500, 500, 1500, 1500, 500,
		1500)...)}
	m := NewMask(Shapes{outer, hole}, 1)
	for _, c := range []struct {
		x, y int
		want float32
	}{{900, 900, 0}, {1100, 1400, 0}, {100, 100, 1}, {400, 1900, 1}, {1999, 1999, 1},
		{2000, 500, 0}, {499, 900, 1}, {500, 900, 0}, {1499, 900, 0}, {1500, 900, 1}} {
		v := []float32{-1}
		if m.Fill(v, c.x, c.y); v[0] != c.want {
			t.Errorf("coverage at (%d, %d) is %v, want %v", c.x, c.y, v[0], c.want)
		}
	}
	if got := sum(m); math.Abs(got-(2040*2040-1e6)) > 1 {
		t.Errorf("coverage sums to %v", got)
	}
	// What covers nothing of a hole leaves it, whatever is taken away elsewhere.
	far := Outline{Away: true, Nodes: PathOf(corners(3000, 0, 3100, 0, 3100, 50, 3000, 50)...)}
	if a, b := sum(NewMask(Shapes{hole, far}, 1)), sum(NewMask(Shapes{outer, far}, 1)); a != 0 ||
		math.Abs(b-2040*2040) > 1 {
		t.Errorf("a hole in nothing covers %v, a panel with a hole elsewhere %v", a, b)
	}
}

func BenchmarkMaskPanel24MP(b *testing.B) {
	shapes := Shapes{circle(3000, 2000, 390)} // 2 % of 6000x4000
	for b.Loop() {
		m := NewMask(shapes, 1)
		m.Plane(m.Bounds())
	}
}

// What is taken away along an edge of what is there leaves nothing, though both
// cover only a part of its pixels; along another edge it leaves the rest.
func TestTakingAwayAlongTheSameEdge(t *testing.T) {
	disc := circle(20.3, 20.6, 9.7)
	away := disc
	away.Away = true
	if s := sum(NewMask(Shapes{disc, away}, 1)); s > 0.01*Area(disc) {
		t.Errorf("a disc less itself leaves %.2f pixels", s)
	}
	left := Outline{Nodes: PathOf(corners(10.5, 10, 20.5, 10, 20.5, 20, 10.5, 20)...)}
	right := Outline{Away: true, Nodes: PathOf(corners(20.5, 10, 30, 10, 30, 20, 20.5, 20)...)}
	if s := sum(NewMask(Shapes{left, right}, 1)); math.Abs(s-100) > 0.5 {
		t.Errorf("a panel of 100 pixels less its neighbour has %.2f", s)
	}
}

// An export lets go of the tiles behind it while a preview reads them: what is read
// must be right all the same. Run it under the race detector.
func TestDropBesideFill(t *testing.T) {
	shapes := Shapes{circle(300, 300, 250)}
	want := NewMask(shapes, 1)
	m := NewMask(shapes, 1)
	b := m.Bounds()
	var work sync.WaitGroup
	for n := range 4 {
		work.Go(func() {
			got, exp := make([]float32, b.Dx()), make([]float32, b.Dx())
			for range 8 {
				for y := b.Min.Y; y < b.Max.Y; y += 1 + n {
					if n == 0 {
						m.Drop(y)
						continue
					}
					m.Fill(got, b.Min.X, y)
					want.Fill(exp, b.Min.X, y)
					for i := range got {
						if got[i] != exp[i] {
							t.Errorf("row %d, column %d: %v, want %v", y, i, got[i], exp[i])
							return
						}
					}
				}
			}
		})
	}
	work.Wait()
	// What lies below is kept: the tiles of three rows of 256 less the first.
	m = NewMask(shapes, 1)
	m.Plane(b)
	all := m.Bytes()
	m.Drop(255)
	if m.Bytes() != all {
		t.Error("tiles that reach further down are let go of")
	}
	m.Drop(256)
	if left := m.Bytes(); left >= all || left < all/3 {
		t.Errorf("of %d bytes %d are left below the first row of tiles", all, left)
	}
	m.Drop(b.Max.Y + 1000)
	if n := m.Bytes(); n > 64<<10 {
		t.Errorf("when all is let go of, %d bytes are held", n)
	}
}

// Every value of every kind of shape belongs to the key of what it covers: a field that
// were left out would show a picture of before.
func TestKeyHoldsEveryFieldOfEveryKind(t *testing.T) {
	frame := setting.Frame{W: 600, H: 400}
	middle := func(f *setting.Setting, k float64) float64 {
		lo, hi := f.Bounded(frame)
		return math.Round(100*(lo+k*(hi-lo))) / 100
	}
	for _, k := range Kinds {
		// A value for each field, whatever the kind has.
		sample := map[string]any{"kind": k.Word}
		for _, f := range setting.Fields(reflect.TypeOf(k.Zero)) {
			switch {
			case f.Name == "nodes":
				sample[f.Name] = json.RawMessage(
					`[{"x":10,"y":20,"in":[1,2],"out":[3,4]},{"x":200,"y":30},{"x":100,"y":300}]`,
				)
			case f.Name == "of":
				sample[f.Name] = json.RawMessage(`"c1"`)
			case f.Name == "scatter" || f.Name == "vary":
				sample[f.Name] = 0.25 // so that the seed does something
			case f.Name == "seed":
				sample[f.Name] = 3
			case f.Name == "widths":
				sample[f.Name] = json.RawMessage(`[{"k":1},{"k":0.5},{"k":2}]`)
			case f.Unit != "":
				sample[f.Name] = middle(f, 0.25)
			}
		}
		doc, err := json.Marshal(sample)
		if err != nil {
			t.Fatal(err)
		}
		raw, err := setting.Parse(doc, "shape")
		if err != nil {
			t.Fatal(err)
		}
		var s struct {
			Shapes Shapes `json:"shapes"`
		}
		if err := setting.Decode(map[string]any{"shapes": []any{raw}}, &s, frame); err != nil {
			t.Fatal(err)
		}
		keys := map[string]string{s.Shapes.Key(): "nothing"}
		changed := func(what, op string) {
			ops, err := setting.ParseOps([]byte("[" + op + "]"))
			if err != nil {
				t.Fatal(err)
			}
			next, err := setting.Apply(s, ops, frame)
			if err != nil {
				t.Errorf("%s, %s: %v", k.Word, what, err)
				return
			}
			key := next.Shapes.Key()
			if other, ok := keys[key]; ok {
				t.Errorf("%s: a change of %s has the key of a change of %s", k.Word, what, other)
			}
			keys[key] = what
		}
		for _, f := range setting.Fields(reflect.TypeOf(k.Zero)) {
			if f.Unkeyed {
				continue
			}
			switch at := "/shapes/0/" + f.Name; {
			case f.Name == "nodes":
				for _, c := range []string{"x", "y", "in/0", "in/1", "out/0", "out/1"} {
					changed("nodes/"+c, `{"op":"replace","path":"`+at+`/0/`+c+`","value":7.5}`)
				}
				changed("a node more", `{"op":"add","path":"`+at+`/1","value":{"x":10,"y":20}}`)
			case f.Name == "widths":
				changed("a width", `{"op":"replace","path":"`+at+`/1/k","value":0.75}`)
			case f.Name == "of":
				changed("which cut-out", `{"op":"replace","path":"`+at+`","value":"c2"}`)
			case f.Name == "feet":
				// Where it stands changes what it lights, not what it covers.
				ops, _ := setting.ParseOps(
					[]byte(`[{"op":"replace","path":"` + at + `","value":[{"x":30,"y":40}]}]`),
				)
				next, err := setting.Apply(s, ops, frame)
				if err != nil || next.Shapes.Key() != s.Shapes.Key() ||
					setting.Key(next.Shapes) == setting.Key(s.Shapes) ||
					FeetOf(next.Shapes[0]).Len() != 1 {
					t.Errorf("%s: feet: %v, %+v", k.Word, err, next.Shapes)
				}
			case f.Name == "laid":
				changed(
					"what bulbs are laid by",
					`{"op":"replace","path":"`+at+`","value":"spacing"}`,
				)
			case f.Name == "seed":
				changed("their seed", `{"op":"replace","path":"`+at+`","value":4}`)
			case f.Name == "count":
				changed("their number", `{"op":"replace","path":"`+at+`","value":7}`)
			case f.Name == "own":
				changed(
					"a bulb",
					`{"op":"add","path":"`+at+`/-","value":{"place":0.5,"x":1,"y":2}}`,
				)
				for i, c := range []string{`"place":0.6,"x":1,"y":2`, `"place":0.5,"x":3,"y":2`, `"place":0.5,"x":1,"y":3`, `"place":0.5,"x":1,"y":2,"size":2`,
					`"place":0.5,"x":1,"y":2,"gone":true`, `"place":0.5,"x":1,"y":2,"found":true`} {
					changed(
						fmt.Sprint("a bulb's value ", i),
						`{"op":"add","path":"`+at+`/-","value":{`+c+`}}`,
					)
				}
			case f.Step > 0 || f.Unit != "":
				changed(
					f.Name,
					fmt.Sprintf(`{"op":"replace","path":"%s","value":%v}`, at, middle(f, 0.35)),
				)
			default:
				changed(f.Name, `{"op":"replace","path":"`+at+`","value":true}`)
			}
		}
		changed("a shape more", `{"op":"add","path":"/shapes/-","value":`+string(doc)+`}`)
	}
}

// A node writes itself as a list would write it.
func TestNodesAreNamedAsTheyAre(t *testing.T) {
	type bare Node // without the node's own way of writing
	n := Node{X: 1.5, Y: -2, In: [2]float64{3, 4}, Out: [2]float64{-5, 1e-9}}
	if PathOf(n).Key() != setting.ListOf(bare(n)).Key() {
		t.Error("a node leaves something of itself out of its name, or puts it elsewhere")
	}
}

func TestPathsOfTooFewPoints(t *testing.T) {
	two, three := PathOf(corners(0, 0, 5, 5)...), PathOf(corners(0, 0, 5, 5, 0, 9)...)
	for _, tt := range []struct {
		shape setting.Checker
		fits  bool
	}{
		{Outline{Nodes: three}, true}, {Outline{Nodes: two}, false}, {Outline{}, false},
		{Tube{Nodes: two}, true}, {Tube{Nodes: PathOf(Node{})}, false}, {Tube{}, false},
	} {
		if field, msg := tt.shape.Check(setting.Frame{}); (msg == "") != tt.fits ||
			field != "nodes" {
			t.Errorf("%+v: %q", tt.shape, msg)
		}
	}
}
