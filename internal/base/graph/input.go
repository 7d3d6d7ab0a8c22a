package graph

import (
	"runtime"
	"weak"
)

// Input is a value that keys hold by its pointer: a photo, traced shapes, the output of a node. Two
// inputs of one type with the same content are the same pointer, so that keys which hold them are
// equal. The value must not change.
//
// A key that holds an input keeps it. So a build finds it, also after all else was dropped.
type Input[V any] struct {
	value   V
	content string
}

// Value returns the value.
func (i *Input[V]) Value() V { return i.value }

// Content returns what the input was interned by, for keys that are still text.
func (i *Input[V]) Content() string { return i.content }

// inputKey is what Graph.inputs finds an input by: its type and content.
type inputKey[V any] struct{ content string }

func (*Input[V]) handle() {}

// Intern returns g's input with a content, which says all that v is: a hash of its bytes, or a
// canonical encoding. v is used if there is no such input yet. A graph shares its inputs with its
// children.
func Intern[V any](g *Graph, content string, v V) *Input[V] {
	return intern(g, inputKey[V]{content}, func() *Input[V] { return &Input[V]{v, content} })
}

// intern returns the pointer that g knows by a key; if there is none, the one that fresh returns.
func intern[K comparable, T any](g *Graph, key K, fresh func() *T) *T {
	inputs := g.inputs
	for {
		if w, ok := inputs.Load(key); ok {
			if p := w.(weak.Pointer[T]).Value(); p != nil {
				return p
			}
			inputs.CompareAndDelete(key, w)
		}
		p := fresh()
		w := weak.Make(p)
		if _, ok := inputs.LoadOrStore(key, w); ok {
			continue
		}
		// The clean-up holds the key, so the key must not hold the pointer.
		runtime.AddCleanup(p, func(key K) { inputs.CompareAndDelete(key, w) }, key)
		return p
	}
}
