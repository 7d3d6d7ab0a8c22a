package setting

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base32"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"pyrant/internal/base/fault"
)

// An item is an element of a list that has a field "id". A path may name it by its id, as in
// /lights/id:k3f/gel/hue: so it is found wherever it stands by now, and nothing else is touched if
// it is gone.
const byID = "id:"

// idOf returns the id field of an item; false for what is none.
func idOf(v reflect.Value) (id reflect.Value, ok bool) {
	for v.Kind() == reflect.Interface || v.Kind() == reflect.Pointer {
		if v.IsNil() {
			return v, false
		}
		v = v.Elem()
	}
	if v.Kind() != reflect.Struct || isList(v.Type()) {
		return v, false
	}
	s := Field(v.Type(), "id")
	if s == nil {
		return v, false
	}
	return v.Field(s.index), true
}

// withID returns an item with another id.
func withID(v reflect.Value, id string) reflect.Value {
	out := reflect.New(v.Type()).Elem()
	if v.Kind() == reflect.Interface {
		out.Set(withID(v.Elem(), id))
		return out
	}
	out.Set(v)
	out.Field(Field(v.Type(), "id").index).SetString(id)
	return out
}

// position returns the index that a name in a path has in a list of n elements: a number, n itself
// included, or the id of an item.
func position(list reflect.Value, name string) (i int, ok bool) {
	if id, named := strings.CutPrefix(name, byID); named {
		for i := range list.Len() {
			if got, ok := idOf(list.Index(i)); ok && got.String() == id {
				return i, true
			}
		}
		return 0, false
	}
	return index(name, list.Len())
}

// Index returns the index of an element of a list by its name in a path.
func Index[T any](list []T, name string) (int, bool) {
	i, ok := position(reflect.ValueOf(list), split("/" + name)[0])
	return i, ok && i < len(list)
}

// missing is the fault of a path that names an item by an id that is not there.
func missing(at string) *fault.Error {
	return &fault.Error{Kind: fault.Gone, Field: at,
		Msg: "That item was deleted. Nothing was changed."}
}

// twice returns the index of the first item whose id an earlier one has, -1 for none.
func twice(list reflect.Value) int {
	if list.Len() == 0 {
		return -1
	}
	seen := make(map[string]bool, list.Len())
	for i := range list.Len() {
		id, ok := idOf(list.Index(i))
		if !ok {
			return -1
		}
		if id.String() != "" && seen[id.String()] {
			return i
		}
		seen[id.String()] = true
	}
	return -1
}

// escape writes a name for a path; see RFC 6901.
var escape = strings.NewReplacer("~", "~0", "/", "~1").Replace

// ByID returns a path of v that names items by their ids, as far as they have any.
func ByID(v any, path string) string {
	cur := reflect.ValueOf(v)
	var out strings.Builder
	for _, name := range split(path) {
		cur = bare(cur)
		if cur.IsValid() && cur.Kind() == reflect.Slice {
			if i, ok := position(cur, name); ok && i < cur.Len() {
				cur = cur.Index(i)
				if id, ok := idOf(cur); ok && id.String() != "" {
					name = byID + id.String()
				}
				out.WriteString("/" + escape(name))
				continue
			}
			cur = reflect.Value{}
		} else if cur.IsValid() {
			cur, _ = lookup(cur, []string{name})
		}
		out.WriteString("/" + escape(name))
	}
	return out.String()
}

// bare returns what an interface, a pointer or a List holds.
func bare(v reflect.Value) reflect.Value {
	for v.IsValid() && (v.Kind() == reflect.Interface || v.Kind() == reflect.Pointer) {
		v = v.Elem()
	}
	if v.IsValid() {
		if l, ok := asList(v); ok {
			return l.slice()
		}
	}
	return v
}

// Gone returns the path up to the first item that an operation names by its id and that is not in
// v; "" if all are there.
func Gone(v any, ops []Op) string {
	for _, op := range ops {
		for _, path := range []string{op.From, op.Path} {
			names := split(path)
			for k, name := range names {
				if !strings.HasPrefix(name, byID) {
					continue
				}
				list, ok := lookup(reflect.ValueOf(v), names[:k])
				if ok {
					_, ok = position(bare(list), name)
				}
				if !ok {
					for i := range names[:k+1] {
						names[i] = escape(names[i])
					}
					return "/" + strings.Join(names[:k+1], "/")
				}
			}
		}
	}
	return ""
}

// idLetters are those of ids: no two look alike.
var idLetters = base32.NewEncoding("23456789abcdefghjkmnpqrstuvwxyz_").WithPadding(base32.NoPadding)

// NewID returns an id by chance, of a letter that says what it is of and seven more.
func NewID(letter string) string {
	var b [5]byte
	rand.Read(b[:]) // never fails
	return letter + idLetters.EncodeToString(b[:])[:7]
}

// Identify returns a declared value in which every item has an id. Ids that are missing are made by
// chance, or, if it is to be the same each time, of what the item holds.
func Identify[T any](v T, same bool) T {
	if !unnamed(reflect.ValueOf(v)) {
		return v
	}
	out, _ := copied(
		v,
		copier{items: func(list reflect.Value) { identify(list, same) }},
	) // cannot fail
	return out
}

// unnamed tells whether an item in v has no id.
func unnamed(v reflect.Value) bool {
	if _, ok := asList(v); ok {
		return false
	}
	switch v.Kind() {
	case reflect.Struct:
		return slices.ContainsFunc(Fields(v.Type()),
			func(s *Setting) bool { return unnamed(v.Field(s.index)) })
	case reflect.Interface, reflect.Pointer:
		return !v.IsNil() && unnamed(v.Elem())
	case reflect.Slice:
		for i := range v.Len() {
			if id, ok := idOf(v.Index(i)); ok && id.String() == "" || unnamed(v.Index(i)) {
				return true
			}
		}
	}
	return false
}

// identify gives ids to the items of a list that have none.
func identify(list reflect.Value, same bool) {
	taken := map[string]bool{}
	for i := range list.Len() {
		if id, ok := idOf(list.Index(i)); ok {
			taken[id.String()] = true
		}
	}
	for i := range list.Len() {
		item := list.Index(i)
		if id, ok := idOf(item); !ok || id.String() != "" {
			continue
		}
		made := NewID("i")
		if same {
			sum := sha256.Sum256(Encode(item.Interface()))
			made = "i" + idLetters.EncodeToString(sum[:5])[:7]
			for n, first := 2, made; taken[made]; n++ {
				made = first + "-" + strconv.Itoa(n)
			}
		}
		taken[made] = true
		item.Set(withID(item, made))
	}
}
