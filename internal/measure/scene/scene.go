// Package scene reads scenes of which the truth is known: a photo, what a user would mark on
// it, and masks of what is really seen. Tools and tests measure against them.
package scene

import (
	"encoding/json"
	"fmt"
	"image"
	_ "image/png" // masks are PNG files
	"math"
	"os"
	"path/filepath"

	"pyrant/internal/recipe/shape"
)

// Scene is the marks file of a scene. Places are in pixels of a frame of Width by Height;
// pictures and masks may be smaller or larger than that.
type Scene struct {
	Width   float64 `json:"width"`
	Height  float64 `json:"height"`
	Picture string  `json:"picture"` // display values
	Plain   string  `json:"plain"`   // the same in linear light; may be missing

	Floor     [][2]float64 `json:"floor"` // four corners of a rectangle on it, in order
	Walls     []Wall       `json:"walls"`
	Platforms []Platform   `json:"platforms"`
	Things    []Thing      `json:"things"`
	Lights    []Light      `json:"lights"`
	Surfaces  []string     `json:"surfaces"` // masks to measure on
	// mask of what is darker in the photo than by the lights alone
	Damp string `json:"damp"`
	dir  string
}

// Wall is a wall by the line where it meets the floor; its mask has the name of the surface.
type Wall struct {
	Surface string        `json:"surface"`
	Line    [2][2]float64 `json:"line"`
}

// Platform is a level rectangle over the floor, with the floor's point under its first corner.
type Platform struct {
	Mask    string       `json:"mask"`
	Surface string       `json:"surface"` // the same, where the scene calls it so
	Top     [][2]float64 `json:"top"`
	Foot    [2]float64   `json:"foot"`
	Hollow  bool         `json:"hollow"`
}

// Thing is a figure or a thing that stands in the scene, with the mask of what of it is seen, in
// a box where one mask holds several.
type Thing struct {
	Name string     `json:"name"`
	Mask string     `json:"mask"`
	Own  string     `json:"own"` // picture of its own light, where its coverage is known exactly
	Box  []float64  `json:"box"`
	Foot [2]float64 `json:"foot"`
}

// Light is one group of shapes, with the mask of what of all of them is seen.
type Light struct {
	Group    string `json:"group"`
	Lit      string `json:"lit"` // picture of this group's light alone, linear
	Mask     string `json:"mask"`
	Shapes   []Mark `json:"shapes"`
	Platform string `json:"platform"` // that it stands on
	Wall     string `json:"wall"`     // that it hangs on
	Faces    string `json:"faces"`    // thing on whose front it lies
}

// Mark is a shape as a user would mark it: an outline with points, a tube with points and a
// width, or a bulb.
type Mark struct {
	Kind   string       `json:"kind"`
	Points [][2]float64 `json:"points"`
	Closed bool         `json:"closed"`
	Width  float64      `json:"width"`
	At     [2]float64   `json:"at"`
	Radius float64      `json:"radius"`
	Feet   [][2]float64 `json:"feet"` // on the floor under it, or under each of its ends
}

// Open reads the scene of a folder with a marks.json, or of a marks file.
func Open(path string) (*Scene, error) {
	if st, err := os.Stat(path); err == nil && st.IsDir() {
		path = filepath.Join(path, "marks.json")
	}
	b, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	s := &Scene{dir: filepath.Dir(path)}
	if err := json.Unmarshal(b, s); err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	if !(s.Width > 0 && s.Height > 0) {
		return nil, fmt.Errorf("%s: the marks have no width and height", path)
	}
	return s, nil
}

// PicturePath returns where the scene's photo lies.
func (s *Scene) PicturePath() string { return filepath.Join(s.dir, s.Picture) }

// Called returns the name of a platform's mask, by which lights refer to it.
func (p Platform) Called() string {
	if p.Mask != "" {
		return p.Mask
	}
	return p.Surface
}

// Path returns where a file of the scene lies.
func (s *Scene) Path(name string) string { return filepath.Join(s.dir, name) }

// Field is coverage in [0, 1] on a grid, K of whose pixels make one of the frame.
type Field struct {
	W, H int
	K    float64
	Pix  []float32
}

// At returns the coverage of a pixel, 0 outside.
func (f *Field) At(x, y int) float32 {
	if x < 0 || y < 0 || x >= f.W || y >= f.H {
		return 0
	}
	return f.Pix[y*f.W+x]
}

// Mask reads a mask, which is given by its name or its path.
func (s *Scene) Mask(name string) (*Field, error) {
	path := filepath.Join(s.dir, name)
	if filepath.Ext(name) == "" {
		path = filepath.Join(s.dir, "masks", name+".png")
	}
	file, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	m, _, err := image.Decode(file)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	b := m.Bounds()
	f := &Field{W: b.Dx(), H: b.Dy(), K: float64(b.Dx()) / s.Width, Pix: make([]float32,
		b.Dx()*b.Dy())}
	for y := range f.H {
		for x := range f.W {
			r, _, _, _ := m.At(b.Min.X+x, b.Min.Y+y).RGBA()
			f.Pix[y*f.W+x] = float32(r) / 65535
		}
	}
	return f, nil
}

// Draw returns what shapes, in pixels of the frame, cover on the grid of f.
func (f *Field) Draw(shapes ...shape.Shape) *Field {
	m := shape.NewMask(shape.Shapes(shapes), f.K)
	out := &Field{W: f.W, H: f.H, K: f.K, Pix: make([]float32, len(f.Pix))}
	for y := range f.H {
		m.Fill(out.Pix[y*f.W:(y+1)*f.W], 0, y)
	}
	return out
}

// Shape returns a mark as a shape, made wider by so many pixels of the frame to all sides.
func (m Mark) Shape(wider float64) []shape.Shape {
	nodes := make([]shape.Node, len(m.Points))
	for i, p := range m.Points {
		nodes[i] = shape.Node{X: p[0], Y: p[1]}
	}
	switch m.Kind {
	case "bulb":
		d := 2 * (m.Radius + wider)
		return []shape.Shape{shape.Ellipse{X: m.At[0], Y: m.At[1], Width: d, Height: d}}
	case "tube":
		return []shape.Shape{shape.Tube{Nodes: shape.PathOf(nodes...), Width: m.Width + 2*wider,
			Closed: m.Closed}}
	}
	out := []shape.Shape{shape.Outline{Nodes: shape.PathOf(nodes...)}}
	if wider != 0 { // what lies within that of its edge as well, or no more
		out = append(out, shape.Tube{Nodes: shape.PathOf(nodes...), Width: 2 * math.Abs(wider),
			Closed: true, Away: wider < 0})
	}
	return out
}

// Result is how well a shape that was found agrees with what is seen.
type Result struct {
	IoU  float64 `json:"iou"`     // of coverages: the sum of the smaller by that of the larger
	Edge float64 `json:"edge_px"` // mean distance of the edges to one another, pixels of the frame
}

// Nowhere is the distance of the edge of nothing.
const Nowhere = 1000

// Compare compares a shape with the mask of its group inside the mark widened by 12 pixels.
// What lies more than a pixel inside the mark and is not in the mask is hidden by something
// that stands in front, and does not count; nor does what of the mark's own rim lies beside
// that, within two and a half pixels, and is hidden with it, nor what belongs to other marks of
// the group.
func Compare(truth *Field, l Light, index int, found ...shape.Shape) Result {
	mark := l.Shapes[index]
	area := truth.Draw(mark.Shape(12)...)
	inside := truth.Draw(mark.Shape(-1)...)
	own := truth.Draw(mark.Shape(1)...)
	got := truth.Draw(found...)
	others := &Field{Pix: make([]float32, len(truth.Pix)), W: truth.W, H: truth.H, K: truth.K}
	for i := range l.Shapes {
		if i == index {
			continue
		}
		for j, v := range truth.Draw(l.Shapes[i].Shape(2)...).Pix {
			others.Pix[j] = max(others.Pix[j], v)
		}
	}
	var both, either float64
	hidden := make([]bool, len(truth.Pix))
	reach := 2.5 * truth.K
	for i, t := range truth.Pix {
		if !(inside.Pix[i] > 0.99 && t < 0.5) {
			continue
		}
		x, y, r := i%truth.W, i/truth.W, int(reach)
		for v := -r; v <= r; v++ {
			for u := -r; u <= r; u++ {
				if j := (y+v)*truth.W + x + u; x+u >= 0 && x+u < truth.W && y+v >= 0 &&
					y+v < truth.H &&
					math.Hypot(float64(u), float64(v)) <= reach && own.Pix[j] > 0 &&
					truth.Pix[j] < 0.5 {
					hidden[j] = true
				}
			}
		}
	}
	counts := make([]bool, len(truth.Pix))
	for i, t := range truth.Pix {
		g := got.Pix[i]
		if area.Pix[i] < 0.5 && g == 0 { // what was found beyond the area counts in full
			continue
		}
		if area.Pix[i] < 0.5 {
			t = 0
		}
		if hidden[i] || others.Pix[i] > 0 && own.Pix[i] == 0 {
			continue
		}
		counts[i] = true
		both += float64(min(t, g))
		either += float64(max(t, g))
	}
	r := Result{Edge: math.Inf(1)}
	if either > 0 {
		r.IoU = both / either
	}
	a, b := edges(truth, counts), edges(got, counts)
	if len(a) > 0 && len(b) > 0 {
		r.Edge = (apart(a, b) + apart(b, a)) / 2 / truth.K
	} else {
		r.Edge = Nowhere
	}
	return r
}

// edges returns where a field crosses one half between neighbours that both count.
func edges(f *Field, counts []bool) (out [][2]float64) {
	for y := range f.H {
		for x := range f.W {
			i := y*f.W + x
			if !counts[i] {
				continue
			}
			a := f.Pix[i] - 0.5
			if x+1 < f.W && counts[i+1] {
				if b := f.Pix[i+1] - 0.5; a*b < 0 || a == 0 && b != 0 {
					out = append(out, [2]float64{float64(x) + 0.5 + float64(a/(a-b)),
						float64(y) + 0.5})
				}
			}
			if y+1 < f.H && counts[i+f.W] {
				if b := f.Pix[i+f.W] - 0.5; a*b < 0 || a == 0 && b != 0 {
					out = append(out, [2]float64{float64(x) + 0.5, float64(y) + 0.5 +
						float64(a/(a-b))})
				}
			}
		}
	}
	return out
}

// apart returns the mean distance of points to the nearest of others.
func apart(from, to [][2]float64) float64 {
	// Others are kept by squares, and sought in rings of these.
	const side = 8.0
	type square [2]int
	at := func(p [2]float64) square {
		return square{int(math.Floor(p[0] / side)), int(math.Floor(p[1] / side))}
	}
	bins := map[square][][2]float64{}
	lo, hi := square{math.MaxInt32, math.MaxInt32}, square{math.MinInt32, math.MinInt32}
	for _, q := range to {
		b := at(q)
		bins[b] = append(bins[b], q)
		lo, hi = square{min(lo[0], b[0]), min(lo[1], b[1])}, square{max(hi[0], b[0]),
			max(hi[1], b[1])}
	}
	sum := 0.0
	for _, p := range from {
		c := at(p)
		best := math.Inf(1)
		last := max(c[0]-lo[0], hi[0]-c[0], c[1]-lo[1], hi[1]-c[1])
		for r := 0; r <= last && (float64(r)-1)*side < math.Sqrt(best); r++ {
			for y := c[1] - r; y <= c[1]+r; y++ {
				step := 2 * r
				if y == c[1]-r || y == c[1]+r || r == 0 {
					step = 1
				}
				for x := c[0] - r; x <= c[0]+r; x += step {
					for _, q := range bins[square{x, y}] {
						best = min(best, (p[0]-q[0])*(p[0]-q[0])+(p[1]-q[1])*(p[1]-q[1]))
					}
				}
			}
		}
		sum += math.Sqrt(best)
	}
	return sum / float64(len(from))
}

// Inside returns a point well inside of what is seen of a mark: the pixel that lies farthest
// from where that ends; false where nothing of it is seen.
func (m Mark) Inside(truth *Field) (at [2]float64, ok bool) {
	in := truth.Draw(m.Shape(0)...)
	seen := func(x, y int) bool { return in.At(x, y) > 0.99 && truth.At(x, y) > 0.9 }
	// Layer after layer is taken off.
	layer := make([]int, len(in.Pix))
	best := 0
	for y := range in.H {
		for x := range in.W {
			if seen(x, y) {
				layer[y*in.W+x] = 1
			}
		}
	}
	for n := 1; n == best+1; n++ {
		for y := 1; y < in.H-1; y++ {
			for x := 1; x < in.W-1; x++ {
				i := y*in.W + x
				if layer[i] != n {
					continue
				}
				if n > best {
					best, at, ok = n, [2]float64{(float64(x) + 0.5) / in.K,
						(float64(y) + 0.5) / in.K}, true
				}
				deep := true
				for _, j := range [...]int{i - 1, i + 1, i - in.W, i + in.W, i - in.W - 1,
					i - in.W + 1, i + in.W - 1, i + in.W + 1} {
					deep = deep && layer[j] >= n
				}
				if deep {
					layer[i] = n + 1
				}
			}
		}
	}
	return at, ok
}

// ToLine returns how far a point lies from the line between two others.
func ToLine(p, a, b [2]float64) float64 {
	dx, dy := b[0]-a[0], b[1]-a[1]
	t := 0.0
	if l := dx*dx + dy*dy; l > 0 {
		t = min(max(((p[0]-a[0])*dx+(p[1]-a[1])*dy)/l, 0), 1)
	}
	return math.Hypot(p[0]-a[0]-t*dx, p[1]-a[1]-t*dy)
}

// Thing reads the mask of a thing, with nothing beside its box.
func (s *Scene) Thing(t Thing) (*Field, error) {
	f, err := s.Mask(t.Mask)
	if err != nil || len(t.Box) != 4 {
		return f, err
	}
	for i := range f.Pix {
		x, y := (float64(i%f.W)+0.5)/f.K, (float64(i/f.W)+0.5)/f.K
		if x < t.Box[0] || y < t.Box[1] || x > t.Box[2] || y > t.Box[3] {
			f.Pix[i] = 0
		}
	}
	return f, nil
}

// CompareFields compares what was cut out with what is seen, on the same grid, and returns as well
// the mean absolute error of coverage in a band of 10 pixels of the frame to each side of the true
// edge.
func CompareFields(truth, got *Field) (r Result, band float64) {
	var both, either float64
	counts := make([]bool, len(truth.Pix))
	for i, t := range truth.Pix {
		both += float64(min(t, got.Pix[i]))
		either += float64(max(t, got.Pix[i]))
		counts[i] = true
	}
	a, b := edges(truth, counts), edges(got, counts)
	r.Edge = Nowhere
	if either > 0 {
		r.IoU = both / either
	}
	if len(a) > 0 && len(b) > 0 {
		r.Edge = (apart(a, b) + apart(b, a)) / 2 / truth.K
	}
	near := make([]bool, len(truth.Pix))
	reach := 10 * truth.K
	for _, p := range a {
		for y := max(int(p[1]-reach), 0); y <= min(int(p[1]+reach), truth.H-1); y++ {
			for x := max(int(p[0]-reach), 0); x <= min(int(p[0]+reach), truth.W-1); x++ {
				if math.Hypot(float64(x)+0.5-p[0], float64(y)+0.5-p[1]) <= reach {
					near[y*truth.W+x] = true
				}
			}
		}
	}
	n := 0.0
	for i, v := range near {
		if v {
			band += math.Abs(float64(truth.Pix[i] - got.Pix[i]))
			n++
		}
	}
	return r, band / max(n, 1)
}
