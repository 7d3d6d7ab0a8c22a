package graph

import "context"

// Ref names a node by its value alone: of what is blurred it matters that it is a mask, and not of
// which kind. Keys hold references by their pointer; two of a graph to one node are the same.
type Ref[V Sized] struct {
	key      any
	get, own func(context.Context, *Graph) (V, error)
}

func (*Ref[V]) handle() {}

// Get returns the value of the node, as the function Get does.
func (r *Ref[V]) Get(ctx context.Context, g *Graph) (V, error) { return r.get(ctx, g) }

// Own returns the value of the node, as the function Own does.
func (r *Ref[V]) Own(ctx context.Context, g *Graph) (V, error) { return r.own(ctx, g) }

// refKey is what Graph.inputs finds a reference by.
type refKey[V Sized] struct{ key any }

// To returns g's reference to a node. A graph shares its references with its children.
func To[K Node[V], V Sized](g *Graph, key K) *Ref[V] {
	return intern(g, refKey[V]{key}, func() *Ref[V] {
		return &Ref[V]{
			key: key,
			get: func(ctx context.Context, g *Graph) (V, error) { return Get(ctx, g, key) },
			own: func(ctx context.Context, g *Graph) (V, error) { return Own(ctx, g, key) },
		}
	})
}
