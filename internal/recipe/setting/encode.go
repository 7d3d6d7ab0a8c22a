package setting

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"math"
	"reflect"
	"slices"
	"strconv"
	"strings"
)

// Encode returns a declared value as JSON, complete in itself.
func Encode(v any) []byte { return encoder{inline: math.MaxInt}.append(nil, reflect.ValueOf(v)) }

// Inline is how many items of a List stand in a packed document. Longer lists are
// kept beside it.
const Inline = 32

// Pack returns a declared value as JSON in which each List of more than Inline
// items stands as its key, and the bytes of those lists by their keys.
func Pack(v any) (doc []byte, lists map[string][]byte) {
	lists = map[string][]byte{}
	e := encoder{inline: Inline, beside: func(l anyList) { lists[l.Key()] = nil }}
	doc = e.append(nil, reflect.ValueOf(v))
	if len(lists) > 0 {
		walkLists(reflect.ValueOf(v), func(l anyList) {
			if b, ok := lists[l.Key()]; ok && b == nil && !l.Away() {
				lists[l.Key()] = l.Bytes()
			}
		})
	}
	return doc, lists
}

// Brief returns a declared value as JSON in which each List of more than Inline
// items stands as its key.
func Brief(v any) []byte { return encoder{inline: Inline}.append(nil, reflect.ValueOf(v)) }

// Key returns a hash of all that a declared value holds: equal values have equal
// keys, and any field that differs makes another, but for those tagged key:"-".
func Key(v any) string {
	sum := sha256.Sum256(
		encoder{inline: -1, key: true}.append(make([]byte, 0, 512), reflect.ValueOf(v)),
	)
	return hex.EncodeToString(sum[:12])
}

// encoder writes JSON by reflection, fields in their order.
type encoder struct {
	inline int           // how long a list may be to stand in the document
	beside func(anyList) // told of lists that stand as their keys
	key    bool          // leave out what is tagged key:"-"
}

func (e encoder) append(b []byte, v reflect.Value) []byte {
	if l, ok := asList(v); ok {
		if l.Away() || l.large(e.inline) {
			if e.beside != nil {
				e.beside(l)
			}
			return append(append(append(b, '"'), l.Key()...), '"')
		}
		v = l.slice()
	}
	switch v.Kind() {
	case reflect.Struct:
		return append(e.fields(append(b, '{'), v, false), '}')
	case reflect.Interface:
		if v.IsNil() {
			return append(b, "null"...)
		}
		c := v.Elem()
		b = append(b, `{"kind":`...)
		b = text(b, wordOf(v.Type(), c))
		return append(e.fields(b, c, true), '}')
	case reflect.Pointer:
		if v.IsNil() {
			return append(b, "null"...)
		}
		return e.append(b, v.Elem())
	case reflect.Slice, reflect.Array:
		b = append(b, '[')
		for i := range v.Len() {
			if i > 0 {
				b = append(b, ',')
			}
			b = e.append(b, v.Index(i))
		}
		return append(b, ']')
	case reflect.Map:
		keys := make([]string, 0, v.Len())
		for _, k := range v.MapKeys() {
			keys = append(keys, k.String())
		}
		slices.Sort(keys)
		b = append(b, '{')
		for i, k := range keys {
			if i > 0 {
				b = append(b, ',')
			}
			b = append(text(b, k), ':')
			b = e.append(b, v.MapIndex(reflect.ValueOf(k).Convert(v.Type().Key())))
		}
		return append(b, '}')
	case reflect.String:
		return text(b, v.String())
	case reflect.Bool:
		return strconv.AppendBool(b, v.Bool())
	case reflect.Int:
		return strconv.AppendInt(b, v.Int(), 10)
	case reflect.Float64:
		return number(b, v.Float())
	}
	panic("setting: a " + v.Type().String() + " cannot be declared")
}

func (e encoder) fields(b []byte, v reflect.Value, more bool) []byte {
	for _, s := range Fields(v.Type()) {
		f := v.Field(s.index)
		if s.omitZero && f.IsZero() || e.key && s.Unkeyed {
			continue
		}
		if more {
			b = append(b, ',')
		}
		more = true
		b = e.append(append(b, s.opens...), f)
	}
	return b
}

func text(b []byte, s string) []byte {
	if !strings.ContainsFunc(
		s,
		func(r rune) bool { return r < ' ' || r > '~' || strings.ContainsRune(`"\\<>&`, r) },
	) {
		return append(append(append(b, '"'), s...), '"')
	}
	j, _ := json.Marshal(s) // a string cannot fail
	return append(b, j...)
}

// number writes as encoding/json does: the shortest text that gives the same
// number back.
func number(b []byte, v float64) []byte {
	format := byte('f')
	if a := math.Abs(v); a != 0 && (a < 1e-6 || a >= 1e21) {
		format = 'e'
	}
	return strconv.AppendFloat(b, v, format, -1, 64)
}
