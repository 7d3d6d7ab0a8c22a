package setting

import (
	"fmt"
	"reflect"
	"strings"
)

// Manual returns what a declared type declares as a table in Markdown: one line a
// field, with those of the structs below it.
func Manual[T any]() string {
	var b strings.Builder
	b.WriteString(
		"| field | name | unit | range | default | meaning |\n|---|---|---|---|---|---|\n",
	)
	manual(&b, reflect.TypeFor[T](), "")
	return b.String()
}

func manual(b *strings.Builder, t reflect.Type, at string) {
	for _, s := range Fields(t) {
		ft, path := t.Field(s.index).Type, at+s.Name
		s.line(b, ft, path)
		switch {
		case ft == reflect.TypeFor[Bytes]():
		case isList(ft):
			manual(b, itemType(ft), path+"[].")
		case ft.Kind() == reflect.Struct:
			manual(b, ft, path+".")
		case ft.Kind() == reflect.Slice && ft.Elem().Kind() == reflect.Struct:
			manual(b, ft.Elem(), path+"[].")
		case ft.Kind() == reflect.Slice && ft.Elem().Kind() == reflect.Interface:
			for _, k := range Kinds(ft.Elem()) {
				fmt.Fprintf(b, "| `%s[]` of kind `%s` | %s | | | | |\n", path, k.Word, k.Label)
				manual(b, reflect.TypeOf(k.Zero), path+"[].")
			}
		}
	}
}

func (s *Setting) line(b *strings.Builder, t reflect.Type, path string) {
	span, def := "", s.Text
	switch {
	case s.ranged:
		span = fmt.Sprintf("%v to %v", s.Min, s.Max)
		if s.hasDefault {
			def = s.Default.String()
		}
	case Choices(t) != nil:
		var words []string
		for _, c := range Choices(t) {
			words = append(words, c.Value)
		}
		span = strings.Join(words, ", ")
	case s.Count[1] > 0:
		what := "characters"
		if t.Kind() != reflect.String {
			what = plural(s.noun())
		}
		span = fmt.Sprintf("%d to %d %s", s.Count[0], s.Count[1], what)
	}
	fmt.Fprintf(b, "| `%s` | %s | %s | %s | %s | %s |\n", path, s.Label, s.Unit, span, def, s.Doc)
}

// String writes the bound as it is declared, as far as that can be told: in terms of
// the long edge L, the width W and the height H.
func (b Bound) String() string {
	var out []string
	if b.A != 0 || b == (Bound{}) {
		out = append(out, plain(b.A))
	}
	for _, t := range []struct {
		k    float64
		name string
	}{{b.L, "L"}, {b.W, "W"}, {b.H, "H"}} {
		switch {
		case t.k == 0:
		case t.k == 1:
			out = append(out, t.name)
		case t.k == -1:
			out = append(out, "−"+t.name)
		case t.k > 0 && t.k < 1:
			out = append(out, t.name+"/"+plain(1/t.k))
		default:
			out = append(out, plain(t.k)+t.name)
		}
	}
	return strings.ReplaceAll(strings.Join(out, " + "), "+ −", "− ")
}
