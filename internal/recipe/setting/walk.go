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
			return fault.In(path, "The list that this names is missing.")
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
		return fault.In(path, "%s is out of range; give a value from %s to %s.", plain(v), plain(lo), plain(hi))
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
		return fault.In(path, "%q is not one to choose; there are %s.", clip(v.String()), strings.Join(values, ", "))
	}
	if !utf8.ValidString(v.String()) {
		return fault.In(path, "This text has characters that cannot be read.")
	}
	if n := utf8.RuneCountInString(v.String()); s.Count[1] > 0 &&
		(n < s.Count[0] || n > s.Count[1]) {
		return fault.In(path, "%s has %d to %d characters.", s.subject("A text here"), s.Count[0], s.Count[1])
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
		return fault.In(path, "There are %d %s here; there is room for %d.", n, plural(s.noun()), s.Count[1])
	} else if n < s.Count[0] {
		return fault.In(path, "There should be at least %d %s here.", s.Count[0], plural(s.noun()))
	}
	return nil
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
	var out T
	reflect.ValueOf(&out).Elem().Set(transform(reflect.ValueOf(&v).Elem(), nil, nil))
	return out
}

// Scale returns a deep copy of a declared value for the same photo k times as large
// on each edge: what is measured in pixels is multiplied.
func Scale[T any](v T, k float64) T {
	var out T
	reflect.ValueOf(&out).Elem().Set(transform(reflect.ValueOf(&v).Elem(), nil,
		func(s *Setting, n float64) float64 {
			if s.Length {
				return n * k
			}
			return n
		}))
	return out
}

// transform copies v deeply, with numbers changed by do; nil leaves them.
func transform(v reflect.Value, s *Setting, do func(*Setting, float64) float64) reflect.Value {
	out := reflect.New(v.Type()).Elem()
	if l, ok := asList(v); ok {
		if do == nil || l.Away() || l.opaque() {
			return v
		}
		out.Set(reflect.ValueOf(l.from(transform(l.slice(), s, do))))
		return out
	}
	switch v.Kind() {
	case reflect.Struct:
		for _, s := range Fields(v.Type()) {
			out.Field(s.index).Set(transform(v.Field(s.index), s, do))
		}
		return out
	case reflect.Interface, reflect.Pointer:
		if v.IsNil() {
			return v
		}
		c := transform(v.Elem(), s, do)
		if v.Kind() == reflect.Pointer {
			p := reflect.New(c.Type())
			p.Elem().Set(c)
			c = p
		}
		out.Set(c)
		return out
	case reflect.Slice:
		if v.IsNil() {
			return v
		}
		out.Set(reflect.MakeSlice(v.Type(), v.Len(), v.Len()))
		for i := range v.Len() {
			out.Index(i).Set(transform(v.Index(i), s, do))
		}
		return out
	case reflect.Array:
		for i := range v.Len() {
			out.Index(i).Set(transform(v.Index(i), s, do))
		}
		return out
	case reflect.Map:
		if v.IsNil() {
			return v
		}
		out.Set(reflect.MakeMapWithSize(v.Type(), v.Len()))
		for _, k := range v.MapKeys() {
			out.SetMapIndex(k, transform(v.MapIndex(k), s, do))
		}
		return out
	case reflect.Float64:
		if do != nil && s != nil {
			out.SetFloat(do(s, v.Float()))
			return out
		}
	case reflect.Int:
		if do != nil && s != nil {
			out.SetInt(int64(math.Round(do(s, float64(v.Int())))))
			return out
		}
	}
	return v
}

// walkLists visits every List in v.
func walkLists(v reflect.Value, visit func(anyList)) {
	if l, ok := asList(v); ok {
		visit(l)
		return
	}
	switch v.Kind() {
	case reflect.Struct:
		for _, s := range Fields(v.Type()) {
			walkLists(v.Field(s.index), visit)
		}
	case reflect.Interface, reflect.Pointer:
		if !v.IsNil() {
			walkLists(v.Elem(), visit)
		}
	case reflect.Slice:
		for i := range v.Len() {
			walkLists(v.Index(i), visit)
		}
	case reflect.Map:
		for _, k := range v.MapKeys() {
			walkLists(v.MapIndex(k), visit)
		}
	}
}

// Resolve returns a declared value with the lists that stand as their keys brought
// in by load.
func Resolve[T any](v T, load func(key string) ([]byte, error)) (T, error) {
	var out T
	w, err := resolve(reflect.ValueOf(&v).Elem(), load)
	if err != nil {
		return out, err
	}
	reflect.ValueOf(&out).Elem().Set(w)
	return out, nil
}

func resolve(v reflect.Value, load func(string) ([]byte, error)) (reflect.Value, error) {
	out := reflect.New(v.Type()).Elem()
	out.Set(v)
	if l, ok := asList(v); ok {
		if !l.Away() {
			return v, nil
		}
		b, err := load(l.Key())
		if err != nil {
			return v, fmt.Errorf("setting: list %s: %w", l.Key(), err)
		}
		got := l.read(l.Key(), b)
		if got == nil {
			return v, fault.New(fault.Invalid, "A list of points that belongs to this shot is damaged.")
		}
		out.Set(reflect.ValueOf(got))
		return out, nil
	}
	switch v.Kind() {
	case reflect.Struct:
		for _, s := range Fields(v.Type()) {
			w, err := resolve(v.Field(s.index), load)
			if err != nil {
				return v, err
			}
			out.Field(s.index).Set(w)
		}
	case reflect.Interface, reflect.Pointer:
		if v.IsNil() {
			return v, nil
		}
		w, err := resolve(v.Elem(), load)
		if err != nil {
			return v, err
		}
		if v.Kind() == reflect.Pointer {
			p := reflect.New(w.Type())
			p.Elem().Set(w)
			w = p
		}
		out.Set(w)
	case reflect.Slice:
		if v.IsNil() {
			return v, nil
		}
		out.Set(reflect.MakeSlice(v.Type(), v.Len(), v.Len()))
		for i := range v.Len() {
			w, err := resolve(v.Index(i), load)
			if err != nil {
				return v, err
			}
			out.Index(i).Set(w)
		}
	}
	return out, nil
}

// plural returns several of a noun.
func plural(noun string) string {
	if strings.HasSuffix(noun, "s") || strings.HasSuffix(noun, "sh") {
		return noun + "es"
	}
	return noun + "s"
}
