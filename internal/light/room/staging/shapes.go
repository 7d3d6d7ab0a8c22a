package staging

import (
	"context"
	"fmt"
	"image"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/coverage"
	"pyrant/internal/base/graph"
	"pyrant/internal/light/room/silhouette"
)

// The nodes of the graph that make shapes of bodies. Rectangles and places are in units of a set,
// of which unit is the edge in pixels of the photo.

type (
	coverInput = *graph.Input[coverage.Coverage]
	shapeInput = *graph.Input[*silhouette.Shape]
)

func coverOf(g *graph.Graph, c coverage.Coverage) coverInput {
	return graph.Intern(g, c.Key(), c)
}

func shapeOf(g *graph.Graph, s *silhouette.Shape) shapeInput {
	return graph.Intern(g, fmt.Sprint(s.ID), s)
}

// objectOutline is what the shape of an object follows from. Lights that lie on an object belong to
// it. Other lights do not, but where they cross it they are no outline.
type objectOutline struct {
	own, others []coverInput // what belongs to the object, and what does not
	under       []shapeInput // where others cross it
	past        []shapeInput // where it goes on behind others beyond what is seen
	at          image.Point  // about where it stands
	size        image.Point  // of the photo in units, rounded up
	unit        float64
}

// outlineShape is the shape of an object.
type outlineShape struct{ of *graph.Input[objectOutline] }

func (k outlineShape) Build(ctx context.Context, _ *graph.Graph) (*silhouette.Shape, error) {
	return k.of.Value().shape(), ctx.Err()
}

// crossingShape is where what a covers is seen between parts of what b covers; with past, where b
// goes on behind a beyond what is seen of it. rect holds b.
type crossingShape struct {
	a, b coverInput
	rect image.Rectangle
	unit float64
	past bool
}

func (k crossingShape) Build(ctx context.Context, _ *graph.Graph) (*silhouette.Shape, error) {
	scale := 1 / k.unit
	c := &crossed{w: k.rect.Dx(), h: k.rect.Dy()}
	c.is, c.over = make([]uint8, c.w*c.h), make([]bool, c.w*c.h)
	mark(c.is, k.rect, k.b.Value().At(scale), other)
	mark(c.is, k.rect, k.a.Value().At(scale), one)
	found := c.across
	if k.past {
		found = c.past
	}
	return cells(found(), k.rect, k.unit), ctx.Err()
}

// cellShape is the shape of the cells of a rectangle that are marked.
type cellShape struct {
	marked *graph.Input[[]bool]
	rect   image.Rectangle
	unit   float64
}

func (k cellShape) Build(ctx context.Context, _ *graph.Graph) (*silhouette.Shape, error) {
	return cells(k.marked.Value(), k.rect, k.unit), ctx.Err()
}

// toeShape is the shape of what of a body is seen before its card; see Set.toes.
type toeShape struct {
	of   shapeInput
	cam  camera.Camera
	card camera.Plane
	foot camera.Vec
	unit float64
}

func (k toeShape) Build(ctx context.Context, _ *graph.Graph) (*silhouette.Shape, error) {
	b := silhouette.Stand(k.of.Value(), &k.cam, k.card, k.foot.Z)
	b.FindLid()
	return outside(b, k.foot, k.unit), ctx.Err()
}

// uponShape is the shape of what stands on a platform, of what is seen of both; see upon.
type uponShape struct {
	seen  coverInput
	prism *graph.Input[camera.Prism]
	cam   camera.Camera
	mid   camera.Vec  // the middle of the platform's top
	size  image.Point // of the photo
	unit  float64
}

func (k uponShape) Build(ctx context.Context, _ *graph.Graph) (*silhouette.Shape, error) {
	prism := k.prism.Value()
	return upon(&prism, k.seen.Value(), &k.cam, k.mid, k.size, k.unit), ctx.Err()
}

// seenSums is where each surface of a set is seen; see Set.look.
type seenSums struct{ of *graph.Input[*Set] }

func (k seenSums) Build(ctx context.Context, _ *graph.Graph) (sums, error) {
	return k.of.Value().look(ctx)
}

// sums are, by surface, how many pixels of a small picture are seen above and to the left of each.
type sums [][]int32

// Bytes returns the memory that is held.
func (s sums) Bytes() (n int64) {
	for _, v := range s {
		n += 4 * int64(len(v))
	}
	return n
}
