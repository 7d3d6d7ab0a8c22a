package setting

import (
	"encoding/json"
	"reflect"
)

// Schema returns a JSON Schema (2020-12) of a declared type, with ranges, choices
// and what each field means. widest is the largest frame that bounds can be
// relative to.
func Schema[T any](id, title string, widest Frame) []byte {
	g := generator{defs: map[string]any{}, widest: widest}
	root := g.object(reflect.TypeFor[T](), "")
	root["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	root["$id"], root["title"] = id, title
	root["$defs"] = g.defs
	b, err := json.MarshalIndent(root, "", " ")
	if err != nil {
		panic(err) // plain maps cannot fail
	}
	return append(b, '\n')
}

type node = map[string]any

type generator struct {
	defs   node
	widest Frame
}

// ref returns a reference to the definition of a struct or interface type.
func (g generator) ref(t reflect.Type) node {
	name := t.Name()
	if _, ok := g.defs[name]; !ok {
		g.defs[name] = node{}
		if t.Kind() == reflect.Interface {
			var any []node
			for _, k := range Kinds(t) {
				any = append(any, g.object(reflect.TypeOf(k.Zero), k.Word))
			}
			g.defs[name] = node{"oneOf": any}
		} else {
			g.defs[name] = g.object(t, "")
		}
	}
	return node{"$ref": "#/$defs/" + name}
}

// object describes a struct; word is its kind, where it is one of several.
func (g generator) object(t reflect.Type, word string) node {
	props, required := node{}, []string{}
	if word != "" {
		props["kind"] = node{"const": word}
		required = append(required, "kind")
	}
	for _, s := range Fields(t) {
		ft := t.Field(s.index).Type
		props[s.Name] = g.value(ft, s)
		if !s.Optional && !optional(ft) {
			required = append(required, s.Name)
		}
	}
	return node{
		"type":                 "object",
		"properties":           props,
		"required":             required,
		"additionalProperties": false,
	}
}

func (g generator) value(t reflect.Type, s *Setting) node {
	n := g.bare(t, s)
	if d := s.describe(); d != "" {
		n["description"] = d
	}
	return n
}

func (g generator) bare(t reflect.Type, s *Setting) node {
	if t == reflect.TypeFor[Bytes]() {
		return node{
			"anyOf": []node{
				{"type": "array", "items": node{"type": "string", "contentEncoding": "base64"}},
				{"type": "string", "pattern": "^[0-9a-f]{64}$"},
			},
		}
	}
	if isList(t) {
		items := g.counted(node{"type": "array", "items": g.ref(itemType(t))}, s, "Items")
		return node{"anyOf": []node{items, {"type": "string", "pattern": "^[0-9a-f]{64}$"}}}
	}
	switch t.Kind() {
	case reflect.Struct, reflect.Interface:
		return g.ref(t)
	case reflect.Pointer:
		return node{"anyOf": []node{g.bare(t.Elem(), s), {"type": "null"}}}
	case reflect.Slice:
		return g.counted(node{"type": "array", "items": g.bare(t.Elem(), s)}, s, "Items")
	case reflect.Array:
		return node{
			"type":     "array",
			"items":    g.bare(t.Elem(), s),
			"minItems": t.Len(),
			"maxItems": t.Len(),
		}
	case reflect.Map:
		return g.counted(
			node{"type": "object", "additionalProperties": g.bare(t.Elem(), s)},
			s,
			"Properties",
		)
	case reflect.Float64, reflect.Int:
		lo, hi := s.Min.In(g.widest), s.Max.In(g.widest)
		n := node{"type": "number", "minimum": lo, "maximum": hi}
		if t.Kind() == reflect.Int {
			n["type"] = "integer"
		}
		if s.hasDefault && s.Default == (Bound{A: s.Default.A}) {
			n["default"] = s.Default.A
		}
		return n
	case reflect.Bool:
		n := node{"type": "boolean"}
		if s.hasDefault {
			n["default"] = s.Text == "true"
		}
		return n
	}
	n := node{"type": "string"}
	if c := Choices(t); c != nil {
		var values []string
		for _, c := range c {
			values = append(values, c.Value)
		}
		n["enum"] = values
	}
	if s.hasDefault {
		n["default"] = s.Text
	}
	return g.counted(n, s, "Length")
}

func (g generator) counted(n node, s *Setting, what string) node {
	if s.Count[1] > 0 {
		n["min"+what], n["max"+what] = s.Count[0], s.Count[1]
	}
	return n
}

// describe says in words what a schema has no member for.
func (s *Setting) describe() string {
	d := s.Label
	if s.Doc != "" {
		if d != "" {
			d += ": "
		}
		d += s.Doc
	}
	if s.Length {
		d += " (in pixels of the photo)"
	}
	return d
}
