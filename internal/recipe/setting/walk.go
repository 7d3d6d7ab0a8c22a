package setting

import (
	"fmt"
	"math"
	"reflect"
	"strconv"
	"strings"
	"unicode/utf8"

	"pyrant/internal/base/fault"
)

// Validate returns nil or the first fault of a declared value: a number out of its
// range, a text or list too long, a choice that is none, or what a Checker finds.
func Validate(v any, f Frame) error {
	if err := validate(reflect.ValueOf(v), nil, "", f); err != nil {
		return err
	}
	return nil
}

func validate(v reflect.Value, s *Setting, path string, f Frame) *fault.Error {
	if l, ok := asList(v); ok {
		if l.Away() {
			return fault.In(path, "A list that this change needs is missing.")
		}
		if l.opaque() {
			return nil // its owner checks it
		}
		if err := s.count(l.slice(), path); err != nil {
			return err
		}
		v = l.slice()
	}
	switch v.Kind() {
	case reflect.Struct:
		for _, s := range Fields(v.Type()) {
			if err := validate(v.Field(s.index), s, below(path, s.Name), f); err != nil {
				return err
			}
		}
		return check(v, path, f)
	case reflect.Interface:
		if v.IsNil() {
			return fault.In(path, "Something is missing here.")
		}
		return validate(v.Elem(), s, path, f)
	case reflect.Pointer:
		if !v.IsNil() {
			return validate(v.Elem(), s, path, f)
		}
	case reflect.Slice:
		if err := s.count(v, path); err != nil {
			return err
		}
		for i := range v.Len() {
			if err := validate(v.Index(i), s, path+"["+strconv.Itoa(i)+"]", f); err != nil {
				return err
			}
		}
		return s.unique(v, path)
	case reflect.Array:
		for i := range v.Len() {
			if err := validate(v.Index(i), s, path, f); err != nil {
				return err
			}
		}
	case reflect.Map:
		if err := s.count(v, path); err != nil {
			return err
		}
		for _, k := range v.MapKeys() {
			if err := validate(v.MapIndex(k), s, below(path, k.String()), f); err != nil {
				return err
			}
		}
	case reflect.Float64:
		return s.between(v.Float(), path, f)
	case reflect.Int:
		return s.between(float64(v.Int()), path, f)
	case reflect.String:
		return s.text(v, path)
	}
	return nil
}

// check asks a struct that knows more of what is valid than its fields' ranges.
func check(v reflect.Value, path string, f Frame) *fault.Error {
	c, ok := v.Interface().(Checker)
	if !ok {
		return nil
	}
	if field, msg := c.Check(f); msg != "" {
		if field != "" {
			path = below(path, field)
		}
		return fault.In(path, "%s", msg)
	}
	return nil
}

func (s *Setting) between(v float64, path string, f Frame) *fault.Error {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return fault.In(path, "This is not a number.")
	}
	if lo, hi := s.Bounded(f); v < lo || v > hi {
		return fault.In(
			path,
			"%s is out of range; give a value from %s to %s.",
			plain(v),
			plain(lo),
			plain(hi),
		)
	}
	return nil
}

// plain writes a number for people, however large it is.
func plain(v float64) string {
	if math.Abs(v) >= 1e15 {
		return strconv.FormatFloat(v, 'g', 3, 64)
	}
	return strconv.FormatFloat(v, 'f', -1, 64)
}

func (s *Setting) text(v reflect.Value, path string) *fault.Error {
	if c := Choices(v.Type()); c != nil {
		var values []string
		for _, c := range c {
			if c.Value == v.String() {
				return nil
			}
			values = append(values, c.Value)
		}
		return fault.In(
			path,
			"%q is not a choice; choose %s.",
			clip(v.String()),
			strings.Join(values, ", "),
		)
	}
	if !utf8.ValidString(v.String()) {
		return fault.In(path, "This text has invalid characters.")
	}
	if n := utf8.RuneCountInString(v.String()); s.Count[1] > 0 &&
		(n < s.Count[0] || n > s.Count[1]) {
		return fault.In(
			path,
			"%s has %d to %d characters.",
			s.subject("a text"),
			s.Count[0],
			s.Count[1],
		)
	}
	return nil
}

func (s *Setting) subject(or string) string {
	if s.Label == "" {
		return or
	}
	return s.Label
}

func clip(s string) string {
	if r := []rune(s); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return s
}

func (s *Setting) count(v reflect.Value, path string) *fault.Error {
	if s == nil || s.Count[1] == 0 {
		return nil
	}
	if n := v.Len(); n > s.Count[1] {
		return fault.In(
			path,
			"There are %d %s; the limit is %d.",
			n,
			plural(s.noun()),
			s.Count[1],
		)
	} else if n < s.Count[0] {
		return fault.In(path, "This needs at least %d %s.", s.Count[0], plural(s.noun()))
	}
	return nil
}

// unique refuses a list in which two items have the same id.
func (s *Setting) unique(list reflect.Value, path string) *fault.Error {
	i := twice(list)
	if i < 0 {
		return nil
	}
	id, _ := idOf(list.Index(i))
	return fault.In(below(path+"["+strconv.Itoa(i)+"]", "id"), "Two %s have the id %q.",
		plural(s.noun()), clip(id.String()))
}

// noun names one element of a list, without an article.
func (s *Setting) noun() string {
	if s.Each == "" {
		return "element"
	}
	if len(s.Each) > 2 && s.Each[:2] == "a " {
		return s.Each[2:]
	}
	return s.Each
}

// Clone returns a deep copy of a declared value. Lists are shared, as they do not
// change.
func Clone[T any](v T) T {
	out, _ := copied(v, copier{}) // which cannot fail
	return out
}

// Scale returns a deep copy of a declared value for the same photo k times as large
// on each edge: what is measured in pixels is multiplied.
func Scale[T any](v T, k float64) T {
	out, _ := copied(v, copier{number: func(s *Setting, n float64) float64 { // cannot fail
		if s.Length {
			return n * k
		}
		return n
	}})
	return out
}

// walkLists visits every List in v.
func walkLists(v reflect.Value, visit func(anyList)) {
	_, _ = copier{list: func(l anyList) (any, error) { visit(l); return l, nil }}.copy(v, nil)
}

// Resolve returns a declared value with the lists that stand as their keys brought
// in by load.
func Resolve[T any](v T, load func(key string) ([]byte, error)) (T, error) {
	return copied(v, copier{list: func(l anyList) (any, error) {
		if !l.Away() {
			return l, nil
		}
		b, err := load(l.Key())
		if err != nil {
			return nil, fmt.Errorf("setting: list %s: %w", l.Key(), err)
		}
		got := l.read(l.Key(), b)
		if got == nil {
			return nil, fault.New(fault.Invalid,
				"A list of points that belongs to this shot is damaged.")
		}
		return got, nil
	}})
}

// copier copies a declared value deeply, with numbers and lists changed.
type copier struct {
	number func(*Setting, float64) float64 // nil leaves numbers
	list   func(anyList) (any, error)      // nil shares lists, or copies their numbers
	items  func(slice reflect.Value)       // changes the elements of a copied slice; or nil
}

// copied returns what a copier makes of v.
func copied[T any](v T, c copier) (out T, err error) {
	w, err := c.copy(reflect.ValueOf(&v).Elem(), nil)
	if err == nil {
		reflect.ValueOf(&out).Elem().Set(w)
	}
	return out, err
}

func (c copier) copyList(v reflect.Value, l anyList, s *Setting) (reflect.Value, error) {
	out := reflect.New(v.Type()).Elem()
	if c.list != nil {
		got, err := c.list(l)
		if err == nil {
			out.Set(reflect.ValueOf(got))
		}
		return out, err
	}
	if c.number == nil || l.Away() || l.opaque() {
		return v, nil
	}
	items, err := c.copy(l.slice(), s)
	if err == nil {
		out.Set(reflect.ValueOf(l.from(items)))
	}
	return out, err
}

// copy copies v, which a setting declares; nil for the outermost.
func (c copier) copy(v reflect.Value, s *Setting) (reflect.Value, error) {
	if l, ok := asList(v); ok {
		return c.copyList(v, l, s)
	}
	out := reflect.New(v.Type()).Elem()
	switch v.Kind() {
	case reflect.Struct:
		for _, s := range Fields(v.Type()) {
			w, err := c.copy(v.Field(s.index), s)
			if err != nil {
				return v, err
			}
			out.Field(s.index).Set(w)
		}
		return out, nil
	case reflect.Interface, reflect.Pointer:
		if v.IsNil() {
			return v, nil
		}
		w, err := c.copy(v.Elem(), s)
		if err != nil {
			return v, err
		}
		if v.Kind() == reflect.Pointer {
			p := reflect.New(w.Type())
			p.Elem().Set(w)
			w = p
		}
		out.Set(w)
		return out, nil
	case reflect.Slice, reflect.Array:
		if v.Kind() == reflect.Slice {
			if v.IsNil() {
				return v, nil
			}
			out.Set(reflect.MakeSlice(v.Type(), v.Len(), v.Len()))
		}
		for i := range v.Len() {
			w, err := c.copy(v.Index(i), s)
			if err != nil {
				return v, err
			}
			out.Index(i).Set(w)
		}
		if c.items != nil && v.Kind() == reflect.Slice {
			c.items(out)
		}
		return out, nil
	case reflect.Map:
		if v.IsNil() {
			return v, nil
		}
		out.Set(reflect.MakeMapWithSize(v.Type(), v.Len()))
		for _, k := range v.MapKeys() {
			w, err := c.copy(v.MapIndex(k), s)
			if err != nil {
				return v, err
			}
			out.SetMapIndex(k, w)
		}
		return out, nil
	case reflect.Float64:
		if c.number != nil && s != nil {
			out.SetFloat(c.number(s, v.Float()))
			return out, nil
		}
	case reflect.Int:
		if c.number != nil && s != nil {
			out.SetInt(int64(math.Round(c.number(s, float64(v.Int())))))
			return out, nil
		}
	}
	return v, nil
}

// plural returns several of a noun.
func plural(noun string) string {
	if strings.HasSuffix(noun, "s") || strings.HasSuffix(noun, "sh") {
		return noun + "es"
	}
	return noun + "s"
}
