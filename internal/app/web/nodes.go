package web

import (
	"context"

	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/light/match"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/align"
	"pyrant/internal/vision/livewire"
	"pyrant/internal/vision/pointlight"
	"pyrant/internal/vision/region"
	"pyrant/internal/vision/segment"
)

// The nodes of the graph that tools need of a photo. Lengths are in its pixels.

// photoInput is a decoded photo, named by the SHA-256 of its file.
type photoInput = *graph.Input[*photo.Photo]

// Keys of what is loaded into the graph: see graph.Load.
type (
	photoFile struct{ sum string } // decoded
	revision  struct {             // the recipe in force at a version of a shot
		shot    string
		seq     int
		version int64
	}
	previewFile struct { // for the page of shots
		shot    string
		version int64
	}
	fittedLights struct { // what the lights have to be to match the reference
		shot    string
		version int64
	}
)

func (s *Server) input(sum string, p *photo.Photo) photoInput {
	return graph.Intern(s.engine.Cache, sum, p)
}

// progress is the key of a context's progress function, which takes the share that is done.
type progress struct{}

// edges is a photo prepared for tools that look for edges.
type edges struct{ photo photoInput }

func (k edges) Build(ctx context.Context, _ *graph.Graph) (*region.Ground, error) {
	report, _ := ctx.Value(progress{}).(func(float64))
	return region.NewGround(ctx, k.photo.Value(), report)
}

// wires are the cheapest lines along a photo's edges from a place to all others near it.
type wires struct {
	edges edges
	from  shape.Point
}

func (k wires) Build(ctx context.Context, g *graph.Graph) (*wire, error) {
	ground, err := graph.Get(ctx, g, k.edges)
	if err != nil {
		return nil, err
	}
	return &wire{Wire: livewire.New(ground.Fine, k.from)}, nil
}

// cutGround is a photo prepared to be cut out of by strokes.
type cutGround struct{ photo photoInput }

func (k cutGround) Build(ctx context.Context, _ *graph.Graph) (*segment.Ground, error) {
	return segment.NewGround(ctx, k.photo.Value())
}

// cutPixels are the pixels of a cut-out, found on the photo itself by its strokes, mends and band.
type cutPixels struct {
	ground cutGround
	of     *graph.Input[cutout.CutOut]
}

func (k cutPixels) Build(ctx context.Context, g *graph.Graph) (rasterNode, error) {
	ground, err := graph.Get(ctx, g, k.ground)
	if err != nil {
		return rasterNode{}, err
	}
	of := k.of.Value()
	r, err := ground.Make(ctx, &of, false)
	return rasterNode(r), err
}

// pointLights are the point lights of a kind in a photo.
type pointLights struct {
	photo photoInput
	kind  pointlight.Kind
}

func (k pointLights) Build(ctx context.Context, _ *graph.Graph) (*foundPoints, error) {
	list, more, err := pointlight.Find(ctx, k.photo.Value(), k.kind)
	return &foundPoints{list, more}, err
}

// referencePair is a photo with a reference that it lies on.
type referencePair struct {
	photo, reference photoInput
	lies             align.Similarity
}

func (k referencePair) Build(ctx context.Context, _ *graph.Graph) (*match.Pair, error) {
	return match.New(ctx, k.photo.Value(), k.reference.Value(), k.lies)
}
