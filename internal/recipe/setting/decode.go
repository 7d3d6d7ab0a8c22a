package setting

import (
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"pyrant/internal/base/fault"
)

// New returns a T with the defaults that its fields declare.
func New[T any](f Frame) T {
	var v T
	defaults(reflect.ValueOf(&v).Elem(), f)
	return v
}

// NewOf returns a value of zero's type with the defaults that its fields declare: what
// New does for the kinds of an interface.
func NewOf(zero any, f Frame) any {
	v := reflect.New(reflect.TypeOf(zero)).Elem()
	defaults(v, f)
	return v.Interface()
}

func defaults(v reflect.Value, f Frame) {
	switch {
	case isList(v.Type()):
	case v.Kind() == reflect.Struct:
		for _, s := range Fields(v.Type()) {
			field := v.Field(s.index)
			if !s.setDefault(field, f) {
				defaults(field, f)
			}
		}
	}
}

// setDefault gives v the default that s declares, if it does.
func (s *Setting) setDefault(v reflect.Value, f Frame) bool {
	if !s.hasDefault {
		return false
	}
	switch v.Kind() {
	case reflect.Float64:
		v.SetFloat(s.Value(f))
	case reflect.Int:
		v.SetInt(int64(s.Value(f)))
	case reflect.Bool:
		v.SetBool(s.Text == "true")
	case reflect.String:
		v.SetString(s.Text)
	default:
		v.SetZero()
	}
	return true
}

// optional tells whether a struct may be missing: all its fields may.
func optional(t reflect.Type) bool {
	if t.Kind() != reflect.Struct || isList(t) {
		return false
	}
	for _, s := range Fields(t) {
		if !s.Optional && !optional(t.Field(s.index).Type) {
			return false
		}
	}
	return true
}

// Parse reads JSON into plain values, for Decode. Its faults are in a user's words.
func Parse(data []byte, what string) (any, error) {
	var raw any
	if err := json.Unmarshal(data, &raw); err != nil {
		var kind *json.UnmarshalTypeError
		if errors.As(err, &kind) {
			return nil, &fault.Error{
				Msg: fmt.Sprintf("The %s is beyond what a number can hold.", kind.Value),
				Err: err,
			}
		}
		return nil, &fault.Error{Msg: "The " + what + " is not valid JSON.", Err: err}
	}
	return raw, nil
}

// Decode fills the declared value that dst points to from what Parse returned.
// An unknown field, a missing one without a default and a value of the wrong kind
// are faults that name the field, whatever case its letters have: encoding/json
// alone would take a missing fader for one at zero. Ranges are checked by Validate.
func Decode(raw any, dst any, f Frame) error {
	if err := fill(reflect.ValueOf(dst).Elem(), raw, "", f); err != nil {
		return err
	}
	return nil
}

func below(path, name string) string {
	if path == "" {
		return name
	}
	return path + "." + name
}

var isKey = regexp.MustCompile(`^[0-9a-f]{64}$`).MatchString

// fill sets v to what raw says.
func fill(v reflect.Value, raw any, path string, f Frame) *fault.Error {
	t := v.Type()
	if isList(t) {
		return fillList(v, raw, path, f)
	}
	switch t.Kind() {
	case reflect.Struct, reflect.Interface, reflect.Map:
		m, ok := raw.(map[string]any)
		switch {
		case !ok:
			return fault.In(path, "This must be an object.")
		case t.Kind() == reflect.Struct:
			return fillFields(v, m, path, f, "")
		case t.Kind() == reflect.Interface:
			return fillKind(v, m, path, f)
		}
		return fillMap(v, m, path, f)
	case reflect.Pointer:
		if raw == nil {
			v.SetZero()
			return nil
		}
		p := reflect.New(t.Elem())
		if err := fill(p.Elem(), raw, path, f); err != nil {
			return err
		}
		v.Set(p)
	case reflect.Slice, reflect.Array:
		return fillItems(v, raw, path, f)
	default:
		return fillPlain(v, raw, path)
	}
	return nil
}

// fillList is fill of a List.
func fillList(v reflect.Value, raw any, path string, f Frame) *fault.Error {
	l := v.Interface().(anyList)
	if key, ok := raw.(string); ok {
		if !isKey(key) {
			return fault.In(path, "This is not the name of a stored list.")
		}
		v.Set(reflect.ValueOf(l.reference(key)))
		return nil
	}
	s := reflect.New(reflect.SliceOf(itemType(v.Type()))).Elem()
	if err := fill(s, raw, path, f); err != nil {
		return err
	}
	v.Set(reflect.ValueOf(l.from(s)))
	return nil
}

// fillKind is fill of an interface.
func fillKind(v reflect.Value, m map[string]any, path string, f Frame) *fault.Error {
	word, _ := m["kind"].(string)
	k, ok := kindOf(v.Type(), word)
	if !ok {
		return fault.In(below(path, "kind"),
			"%q is not a known kind: %s.", word, words(v.Type()))
	}
	c := reflect.New(reflect.TypeOf(k.Zero)).Elem()
	if err := fillFields(c, m, path, f, "kind"); err != nil {
		return err
	}
	v.Set(c)
	return nil
}

// fillMap is fill of a map.
func fillMap(v reflect.Value, m map[string]any, path string, f Frame) *fault.Error {
	t := v.Type()
	out := reflect.MakeMapWithSize(t, len(m))
	for _, k := range sortedKeys(m) {
		e := reflect.New(t.Elem()).Elem()
		if err := fill(e, m[k], below(path, k), f); err != nil {
			return err
		}
		out.SetMapIndex(reflect.ValueOf(k).Convert(t.Key()), e)
	}
	v.Set(out)
	return nil
}

// fillItems is fill of a slice or an array.
func fillItems(v reflect.Value, raw any, path string, f Frame) *fault.Error {
	list, ok := raw.([]any)
	if v.Kind() == reflect.Array {
		if !ok || len(list) != v.Len() {
			return fault.In(path, "This must be a list of %d numbers.", v.Len())
		}
		for i, e := range list {
			if err := fill(v.Index(i), e, path, f); err != nil {
				return err
			}
		}
		return nil
	}
	if !ok {
		return fault.In(path, "This must be a list.")
	}
	s := reflect.MakeSlice(v.Type(), len(list), len(list))
	for i, e := range list {
		if err := fill(s.Index(i), e, path+"["+strconv.Itoa(i)+"]", f); err != nil {
			return err
		}
	}
	v.Set(s)
	return nil
}

// fillPlain is fill of a number, a text or a boolean.
func fillPlain(v reflect.Value, raw any, path string) *fault.Error {
	switch v.Kind() {
	case reflect.Float64:
		n, ok := raw.(float64)
		if !ok {
			return fault.In(path, "This must be a number.")
		}
		v.SetFloat(n)
	case reflect.Int:
		n, ok := raw.(float64)
		if !ok || n != float64(int(n)) {
			return fault.In(path, "This must be a whole number.")
		}
		v.SetInt(int64(n))
	case reflect.String:
		s, ok := raw.(string)
		if !ok {
			return fault.In(path, "This must be a text.")
		}
		v.SetString(s)
	case reflect.Bool:
		b, ok := raw.(bool)
		if !ok {
			return fault.In(path, "This must be true or false.")
		}
		v.SetBool(b)
	default:
		panic("setting: a " + v.Type().String() + " cannot be declared")
	}
	return nil
}

// fillFields fills a struct; tag is a member that is not one of its fields.
func fillFields(v reflect.Value, m map[string]any, path string, f Frame, tag string) *fault.Error {
	fields := Fields(v.Type())
	seen := 0
	for _, s := range fields {
		sub, ok := m[s.Name]
		field := v.Field(s.index)
		switch {
		case ok:
			seen++
			if err := fill(field, sub, below(path, s.Name), f); err != nil {
				return err
			}
		case s.setDefault(field, f) || s.Optional:
		case optional(field.Type()):
			defaults(field, f)
		default:
			return fault.In(below(path, s.Name), "This field is missing.")
		}
	}
	if _, ok := m[tag]; ok && tag != "" {
		seen++
	}
	if seen == len(m) {
		return nil
	}
	for _, name := range sortedKeys(m) {
		if name != tag && !slices.ContainsFunc(fields,
			func(s *Setting) bool { return s.Name == name }) {
			return fault.In(below(path, name), "There is no such field.")
		}
	}
	return nil
}

func words(t reflect.Type) string {
	var w []string
	for _, k := range Kinds(t) {
		w = append(w, k.Word)
	}
	return strings.Join(w, ", ")
}

func sortedKeys(m map[string]any) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}
