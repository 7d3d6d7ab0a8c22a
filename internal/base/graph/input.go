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

// Intern returns g's input with a content, which says all that v is: a hash of its bytes, or a
// canonical encoding. v is used if there is no such input yet. A graph shares its inputs with its
// children.
func Intern[V any](g *Graph, content string, v V) *Input[V] {
	inputs := g.inputs
	key := inputKey[V]{content}
	for {
		if w, ok := inputs.Load(key); ok {
			if i := w.(weak.Pointer[Input[V]]).Value(); i != nil {
				return i
			}
			inputs.CompareAndDelete(key, w)
		}
		i := &Input[V]{v, content}
		w := weak.Make(i)
		if _, ok := inputs.LoadOrStore(key, w); ok {
			continue
		}
		runtime.AddCleanup(i, func(key inputKey[V]) { inputs.CompareAndDelete(key, w) }, key)
		return i
	}
}
