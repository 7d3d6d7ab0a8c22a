package graph

import (
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"math"
	"reflect"
)

// Of returns g's input of a plain value, named by all that the value holds. A value is plain if it
// is made of numbers, strings, booleans, arrays, slices and structs of these, and of pointers to
// inputs and references of g. Of panics for any other value.
func Of[V any](g *Graph, v V) *Input[V] {
	return Intern(g, Digest(v), v)
}

// Digest returns a hash of all that a plain value holds; see Of.
func Digest[V any](v V) string {
	sum := sha256.Sum256(encode(nil, reflect.ValueOf(&v).Elem()))
	return string(sum[:])
}

// handle is implemented by the pointers that a plain value may hold: two of a graph with the same
// content are the same pointer, and it lives as long as the value that holds it.
type handle interface{ handle() }

var handles = reflect.TypeFor[handle]()

// encode appends a plain value to b, so that different values of a type differ.
func encode(b []byte, v reflect.Value) []byte {
	switch v.Kind() {
	case reflect.Bool:
		if v.Bool() {
			return append(b, 1)
		}
		return append(b, 0)
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		return binary.LittleEndian.AppendUint64(b, uint64(v.Int()))
	case reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		return binary.LittleEndian.AppendUint64(b, v.Uint())
	case reflect.Float32, reflect.Float64:
		f := v.Float() + 0 // −0 becomes 0
		if math.IsNaN(f) {
			panic("graph: a key holds a NaN")
		}
		return binary.LittleEndian.AppendUint64(b, math.Float64bits(f))
	case reflect.String:
		return append(binary.LittleEndian.AppendUint64(b, uint64(v.Len())), v.String()...)
	case reflect.Slice:
		b = binary.LittleEndian.AppendUint64(b, uint64(v.Len()))
		fallthrough
	case reflect.Array:
		for i := range v.Len() {
			b = encode(b, v.Index(i))
		}
		return b
	case reflect.Struct:
		for i := range v.NumField() {
			b = encode(b, v.Field(i))
		}
		return b
	case reflect.Pointer:
		if v.Type().Implements(handles) {
			return binary.LittleEndian.AppendUint64(b, uint64(v.Pointer()))
		}
	}
	panic(fmt.Sprintf("graph: a %v cannot be part of a key", v.Type()))
}
