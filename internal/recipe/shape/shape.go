package shape

import (
	"fmt"
	"math"
	"slices"

	"pyrant/internal/base/coverage"
	"pyrant/internal/recipe/setting"
)

// Shape is one traced shape, in pixels of the photo.
type Shape interface {
	// Taken tells whether the shape is taken away from the light's other shapes.
	Taken() bool
	// Length returns the length of the traced line in pixels of the photo.
	Length() float64
	// Edge returns the length of the line that bounds the shape.
	Edge() float64
	// path returns the nodes that were traced.
	path() Path
	// Shifted returns the shape moved by (dx, dy) pixels.
	Shifted(dx, dy float64) any
	// polygons returns the closed polygons whose non-zero winding area is the
	// shape at a scale, all with the same sense of rotation, so that those of
	// several shapes unite.
	polygons(scale float64) [][]Point
}

// Kinds lists the kinds of shape.
var Kinds = setting.Register[Shape](
	setting.Kind{Word: "outline", Label: "Outline", Zero: Outline{}},
	setting.Kind{Word: "tube", Label: "Tube", Zero: Tube{}},
	setting.Kind{Word: "ellipse", Label: "Ellipse", Zero: Ellipse{}},
	setting.Kind{Word: "string", Label: "String", Zero: String{}},
	setting.Kind{Word: "cut-out", Label: "Cut-out", Zero: CutOut{}},
)

// KindOf returns the word for the kind of s.
func KindOf(s Shape) string { return setting.Word(s) }

// Nodes returns the nodes of s.
func Nodes(s Shape) Path { return s.path() }

// Shapes is the coverage of all shapes of a light, those taken away taken away.
type Shapes []Shape

var _ coverage.Coverage = Shapes(nil)

// Key names the coverage by all that it depends on, which where they stand is not.
func (s Shapes) Key() string {
	for i := range s {
		if FeetOf(s[i]).Len() == 0 {
			continue
		}
		c := slices.Clone(s)
		for k := range c {
			c[k] = Standing(c[k], Feet{})
		}
		return setting.Key(c)
	}
	return setting.Key(s)
}

// At returns the coverage of the picture at a scale.
func (s Shapes) At(scale float64) coverage.Mask { return NewMask(s, scale) }

// Area returns the area of all shapes in square pixels of the photo; what
// overlaps counts twice.
func (s Shapes) Area() (a float64) {
	for _, sh := range s {
		a += Area(sh)
	}
	return
}

// Line returns the length of all traced lines in pixels of the photo.
func (s Shapes) Line() (l float64) {
	for _, sh := range s {
		l += sh.Length()
	}
	return
}

// Width returns the mean width in pixels of the photo: twice the area by the length
// of the edge, of the shapes that are not taken away.
func (s Shapes) Width() float64 {
	area, edge := 0.0, 0.0
	for _, sh := range s {
		if !sh.Taken() {
			area += Area(sh)
			edge += sh.Edge()
		}
	}
	if edge == 0 {
		return 0
	}
	return 2 * area / edge
}

// Area returns the area in square pixels of the photo that the polygons of s
// enclose; overlapping parts of one shape count twice.
func Area(s Shape) (a float64) {
	for _, p := range s.polygons(1) {
		a += area(p) / 2
	}
	return math.Abs(a)
}

// few says that a path has too few nodes for a shape, or nothing.
func few(n, least int, kind string) string {
	if n >= least {
		return ""
	}
	points := "points"
	if n == 1 {
		points = "point"
	}
	return fmt.Sprintf("A path of %d %s is too short for this shape (%s). It needs at least %d.", n, points, kind, least)
}

// Edges returns the closed lines that bound a shape, in pixels of the photo.
func Edges(s Shape) [][]Point { return s.polygons(1) }

// Inside tells whether a point lies inside of a closed line, by how often that crosses its row to
// one side.
func Inside(line []Point, x, y float64) bool {
	in := false
	for i, a := range line {
		b := line[(i+1)%len(line)]
		if (a.Y > y) != (b.Y > y) && x < a.X+(y-a.Y)/(b.Y-a.Y)*(b.X-a.X) {
			in = !in
		}
	}
	return in
}

// Turn returns the area that a closed line encloses, below 0 where it runs the other way round.
func Turn(line []Point) float64 { return area(line) / 2 }
