package setting

import (
	"reflect"
	"strconv"
	"strings"

	"pyrant/internal/base/fault"
)

// FromForm fills the flat declared struct that dst points to from texts by the
// names of its fields, as a form or a command line gives them, and validates it.
// What get returns "" for takes its default.
func FromForm(dst any, get func(name string) string, f Frame) error {
	v := reflect.ValueOf(dst).Elem()
	for _, s := range Fields(v.Type()) {
		field, text := v.Field(s.index), strings.TrimSpace(get(s.Name))
		if text == "" {
			s.setDefault(field, f)
			continue
		}
		switch field.Kind() {
		case reflect.Int:
			n, err := strconv.Atoi(text)
			if err != nil {
				return fault.In(
					s.Name,
					"%s is a whole number from %s to %s.",
					s.Label,
					plain(s.Min.In(f)),
					plain(s.Max.In(f)),
				)
			}
			field.SetInt(int64(n))
		case reflect.Float64:
			n, err := strconv.ParseFloat(text, 64)
			if err != nil {
				return fault.In(
					s.Name,
					"%s is a number from %s to %s.",
					s.Label,
					plain(s.Min.In(f)),
					plain(s.Max.In(f)),
				)
			}
			field.SetFloat(n)
		case reflect.Bool:
			field.SetBool(text == "true" || text == "on")
		case reflect.String:
			field.SetString(text)
		}
	}
	return Validate(v.Interface(), f)
}
