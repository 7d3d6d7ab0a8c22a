package setting

import (
	"bytes"
	"crypto/sha256"
	"encoding"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"reflect"
	"slices"
	"sync"
)

// List is a list that is never changed in place, such as the points of a path.
// It is named by the SHA-256 of its bytes, which is worked out once, so that a
// copy costs nothing, a key of it little, and a store can keep it once for all
// that refer to it. T must be a struct of float64 fields and arrays of them.
//
// The zero List is empty.
type List[T any] struct{ d *listData[T] }

type listData[T any] struct {
	items []T
	once  sync.Once
	sum   string
	away  bool // only the sum is known: the items lie elsewhere
}

// ListOf returns a list of the items, which the caller must not change any more.
func ListOf[T any](items ...T) List[T] {
	if len(items) == 0 {
		return List[T]{}
	}
	return List[T]{&listData[T]{items: items}}
}

// All returns the items. They must not be changed.
func (l List[T]) All() []T {
	if l.d == nil {
		return nil
	}
	return l.d.items
}

// Len returns the number of items.
func (l List[T]) Len() int { return len(l.All()) }

// At returns item i.
func (l List[T]) At(i int) T { return l.d.items[i] }

// With returns the list with item i replaced.
func (l List[T]) With(i int, v T) List[T] {
	items := append([]T(nil), l.All()...)
	items[i] = v
	return ListOf(items...)
}

// Key returns the SHA-256 of Bytes in hex.
func (l List[T]) Key() string {
	if l.d == nil {
		return emptyKey
	}
	l.d.once.Do(func() {
		if l.d.sum != "" {
			return
		}
		h := sha256.New()
		var b []byte
		for part := range slices.Chunk(l.d.items, 256) {
			b = appendItems(b[:0], part)
			h.Write(b)
		}
		l.d.sum = hex.EncodeToString(h.Sum(nil))
	})
	return l.d.sum
}

var emptyKey = sumOf(nil)

// sumOf returns the SHA-256 of bytes in hex.
func sumOf(b []byte) string {
	h := sha256.Sum256(b)
	return hex.EncodeToString(h[:])
}

// Bytes returns the items as little-endian numbers of 64 bits, one after the other.
func (l List[T]) Bytes() []byte {
	return appendItems(make([]byte, 0, binary.Size(*new(T))*l.Len()), l.All())
}

// appendItems writes items to b. One that is an encoding.BinaryAppender writes itself,
// to the same effect: what thousands of points cost is felt while one is dragged.
func appendItems[T any](b []byte, items []T) []byte {
	var err error
	if _, own := any(*new(T)).(encoding.BinaryAppender); !own {
		b, err = binary.Append(b, binary.LittleEndian, items)
	} else {
		for i := range items {
			if b, err = any(&items[i]).(encoding.BinaryAppender).AppendBinary(b); err != nil {
				break
			}
		}
	}
	if err != nil {
		panic(fmt.Sprintf("setting: a list of %T: %v", *new(T), err))
	}
	return b
}

// Away tells whether only the list's key is known.
func (l List[T]) Away() bool { return l.d != nil && l.d.away }

// anyList is a List of whatever items, for walks by reflection.
type anyList interface {
	Key() string
	Bytes() []byte
	Away() bool
	// whether it is kept beside a document where so many items stand in it
	large(inline int) bool
	opaque() bool                  // its items declare nothing
	slice() reflect.Value          // []T
	from(slice reflect.Value) any  // a List of the items
	reference(key string) any      // a List of which only the key is known
	read(key string, b []byte) any // a List of bytes, nil where they are none
}

func (l List[T]) large(inline int) bool { return l.Len() > inline }

func (l List[T]) opaque() bool { return false }

func (l List[T]) slice() reflect.Value { return reflect.ValueOf(l.All()) }

func (l List[T]) from(s reflect.Value) any { return ListOf(s.Interface().([]T)...) }

func (l List[T]) reference(key string) any {
	return List[T]{&listData[T]{sum: key, away: true}}
}

func (l List[T]) read(key string, b []byte) any {
	size := binary.Size(*new(T))
	if len(b)%size != 0 {
		return nil
	}
	items := make([]T, len(b)/size)
	if err := binary.Read(bytes.NewReader(b), binary.LittleEndian, items); err != nil {
		return nil
	}
	return List[T]{&listData[T]{items: items, sum: key}}
}

var anyListType = reflect.TypeFor[anyList]()

// asList returns v as a list, if it is one.
func asList(v reflect.Value) (anyList, bool) {
	if !isList(v.Type()) {
		return nil, false
	}
	return v.Interface().(anyList), true
}

// listTypes remembers of types of structs whether they are lists, as each value that is encoded is
// asked.
var listTypes sync.Map

func isList(t reflect.Type) bool {
	if t.Kind() != reflect.Struct {
		return false
	}
	is, ok := listTypes.Load(t)
	if !ok {
		is, _ = listTypes.LoadOrStore(t, t.Implements(anyListType))
	}
	return is.(bool)
}

// itemType returns the type of a list's items.
func itemType(t reflect.Type) reflect.Type {
	return reflect.Zero(t).Interface().(anyList).slice().Type().Elem()
}
