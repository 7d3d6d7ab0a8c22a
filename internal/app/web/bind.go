package web

import (
	"encoding/json"
	"net/url"
	"reflect"
	"strconv"
	"strings"

	"pyrant/internal/base/fault"
)

// bindForm reads the values of a form into the fields of a struct, by their tags: `form:"name"`, or
// `form:"name,optional"` for what may be missing. Strings stand as they are, a boolean is whether
// there is a value, numbers are decimal, and all else is JSON. Structs within it are read alike.
func bindForm(form url.Values, to any) error { return bindFields(form, reflect.ValueOf(to).Elem()) }

func bindFields(form url.Values, v reflect.Value) error {
	for i := range v.NumField() {
		field := v.Type().Field(i)
		if field.Anonymous {
			if err := bindFields(form, v.Field(i)); err != nil {
				return err
			}
			continue
		}
		name, rest, _ := strings.Cut(field.Tag.Get("form"), ",")
		text, there := form.Get(name), form.Has(name)
		if v.Field(i).Kind() != reflect.Bool && (!there || rest == "optional" && text == "") {
			if rest != "optional" {
				return fault.New(fault.Invalid,
					"%q is missing in the request. Reload the page.", name)
			}
			continue
		}
		if !bindValue(v.Field(i), text) {
			return fault.New(fault.Invalid,
				"The value of %q in the request cannot be read. Nothing was changed.", name)
		}
	}
	return nil
}

// bindValue sets a field to a text, and reports whether it can be read.
func bindValue(v reflect.Value, text string) bool {
	switch v.Kind() {
	case reflect.String:
		v.SetString(text)
	case reflect.Bool:
		v.SetBool(text != "")
	case reflect.Int:
		n, err := strconv.Atoi(text)
		v.SetInt(int64(n))
		return err == nil
	case reflect.Float64:
		f, err := strconv.ParseFloat(text, 64)
		v.SetFloat(f)
		return err == nil && f-f == 0 // no infinity
	default:
		return json.Unmarshal([]byte(text), v.Addr().Interface()) == nil
	}
	return true
}
