package recipe

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
)

// checkFields compares decoded JSON with the fields of t and reports the first
// that is unknown or missing, with its whole path. encoding/json alone would
// take a missing fader for one at zero, and names for each other that differ in
// case.
func checkFields(v any, t reflect.Type, path string) *Error {
	switch t.Kind() {
	case reflect.Struct:
		m, ok := v.(map[string]any)
		if !ok {
			return &Error{path, "There should be an object here."}
		}
		var known []string
		for i := range t.NumField() {
			name, opts, _ := strings.Cut(t.Field(i).Tag.Get("json"), ",")
			known = append(known, name)
			at := strings.TrimPrefix(path+"."+name, ".")
			sub, ok := m[name]
			if !ok {
				if opts == "" {
					return &Error{at, "This field is missing."}
				}
				continue
			}
			if err := checkFields(sub, t.Field(i).Type, at); err != nil {
				return err
			}
		}
		var unknown []string
		for name := range m {
			if !slices.Contains(known, name) {
				unknown = append(unknown, name)
			}
		}
		if len(unknown) > 0 {
			slices.Sort(unknown)
			return &Error{strings.TrimPrefix(path+"."+unknown[0], "."), "This Pyrant knows no such field."}
		}
	case reflect.Slice:
		s, ok := v.([]any)
		if !ok {
			return &Error{path, "There should be a list here."}
		}
		for i, e := range s {
			if err := checkFields(e, t.Elem(), fmt.Sprintf("%s[%d]", path, i)); err != nil {
				return err
			}
		}
	case reflect.Array:
		if s, ok := v.([]any); !ok || len(s) != t.Len() {
			return &Error{path, fmt.Sprintf("There should be a list of %d numbers here.", t.Len())}
		}
	case reflect.Float64, reflect.Int:
		if _, ok := v.(float64); !ok {
			return &Error{path, "There should be a number here."}
		}
	case reflect.String:
		if _, ok := v.(string); !ok {
			return &Error{path, "There should be a text here."}
		}
	case reflect.Bool:
		if _, ok := v.(bool); !ok {
			return &Error{path, "There should be true or false here."}
		}
	}
	return nil
}
