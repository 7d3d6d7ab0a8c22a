package setting

import (
	"encoding/json"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"pyrant/internal/base/fault"
)

// Op is one operation of a change: one of JSON Patch (RFC 6902) of the kinds
// replace, add, remove, move (within one list) and test, or shift, which moves what stands
// at the path by the two numbers of its value. A test that does not hold refuses the whole
// change, with a fault of the kind Gone. Path is a JSON Pointer (RFC 6901), such
// as /lights/0/gel/hue, which may name items of lists by their ids, as in /lights/id:k3f/gel/hue;
// an item that is gone refuses the whole change, too.
type Op struct {
	Op    string          `json:"op"`
	Path  string          `json:"path"`
	From  string          `json:"from,omitempty"` // of move
	Value json.RawMessage `json:"value,omitempty"`
}

// Shifter is a declared thing that has a place in the photo. Shifted returns it
// moved by (dx, dy) pixels.
type Shifter interface{ Shifted(dx, dy float64) any }

// MaxOps is how many operations one change may have.
const MaxOps = 1000

// ParseOps reads a change from JSON.
func ParseOps(data []byte) ([]Op, error) {
	var ops []Op
	if err := json.Unmarshal(data, &ops); err != nil {
		return nil, &fault.Error{Msg: "The change is not a valid JSON Patch.", Err: err}
	}
	if len(ops) > MaxOps {
		return nil, fault.New(
			fault.Invalid,
			"The change has %d operations; the limit is %d.",
			len(ops),
			MaxOps,
		)
	}
	return ops, nil
}

// Apply returns a declared value after a change; the value itself stays as it was.
// Only what the change names is decoded, copied and checked, and the structs
// round it: the rest is shared with v, which must have been valid. A field tagged
// fixed:"true" cannot be changed.
func Apply[T any](v T, ops []Op, f Frame) (T, error) {
	cur := reflect.ValueOf(&v).Elem()
	for i := range ops {
		path := ops[i].Path
		if ops[i].Op == "test" {
			if !holds(cur, split(path), ops[i].Value) {
				return v, fault.New(
					fault.Gone,
					"That item was deleted. Nothing was changed.",
				)
			}
			continue
		}
		if ops[i].Op == "move" {
			if path = ops[i].From; list(path) != list(ops[i].Path) {
				return v, fault.In(
					strings.TrimPrefix(ops[i].Path, "/"),
					"Items can only be reordered within their list.",
				)
			}
		}
		next, err := edit(cur, nil, split(path), "", &ops[i], f)
		if err != nil {
			return v, err
		}
		cur = next
	}
	return cur.Interface().(T), nil
}

// holds tells whether the value at a path of v is the given one.
func holds(v reflect.Value, path []string, want json.RawMessage) bool {
	v, ok := lookup(v, path)
	if !ok {
		return false
	}
	var a, b any
	return json.Unmarshal(Encode(v.Interface()), &a) == nil && json.Unmarshal(want, &b) == nil &&
		reflect.DeepEqual(a, b)
}

// lookup returns the value at a path of v; false where there is none.
func lookup(v reflect.Value, path []string) (reflect.Value, bool) {
	for v.Kind() == reflect.Interface || v.Kind() == reflect.Pointer {
		if v.IsNil() {
			return v, false
		}
		v = v.Elem()
	}
	if len(path) == 0 {
		return v, true
	}
	if l, ok := asList(v); ok {
		return lookup(l.slice(), path)
	}
	switch v.Kind() {
	case reflect.Struct:
		if s := Field(v.Type(), path[0]); s != nil {
			return lookup(v.Field(s.index), path[1:])
		}
	case reflect.Slice, reflect.Array:
		if i, ok := position(v, path[0]); ok && i < v.Len() {
			return lookup(v.Index(i), path[1:])
		}
	case reflect.Map:
		if e := v.MapIndex(reflect.ValueOf(path[0]).Convert(v.Type().Key())); e.IsValid() {
			return lookup(e, path[1:])
		}
	}
	return v, false
}

// list returns the path of the list that a path goes into.
func list(path string) string { return path[:strings.LastIndexByte(path, '/')+1] }

// split takes a JSON Pointer apart.
func split(path string) []string {
	if path == "" {
		return nil
	}
	parts := strings.Split(strings.TrimPrefix(path, "/"), "/")
	for i, p := range parts {
		if strings.Contains(p, "~") {
			parts[i] = strings.ReplaceAll(strings.ReplaceAll(p, "~1", "/"), "~0", "~")
		}
	}
	return parts
}

func nothing(at string) *fault.Error {
	return fault.In(at, "The change does not fit this shot. Nothing was changed. Reload the page.")
}

// edit returns v after op at path. s declares v; at is v's own path, for faults.
func edit(v reflect.Value, s *Setting, path []string, at string, op *Op,
	f Frame) (reflect.Value, *fault.Error) {
	if len(path) == 0 {
		return change(v, s, at, op, f)
	}
	out := reflect.New(v.Type()).Elem()
	if l, ok := asList(v); ok {
		if l.Away() {
			return v, fault.In(at, "A list that this change needs is missing.")
		}
		w, err := edit(l.slice(), s, path, at, op, f)
		if err != nil {
			return v, err
		}
		out.Set(reflect.ValueOf(l.from(w)))
		return out, nil
	}
	switch v.Kind() {
	case reflect.Struct:
		return editField(v, path, at, op, f)
	case reflect.Interface:
		if v.IsNil() {
			return v, nothing(at)
		}
		w, err := edit(v.Elem(), s, path, at, op, f)
		if err == nil {
			out.Set(w)
		}
		return out, err
	case reflect.Pointer:
		if v.IsNil() {
			return v, nothing(at)
		}
		w, err := edit(v.Elem(), s, path, at, op, f)
		if err == nil {
			p := reflect.New(w.Type())
			p.Elem().Set(w)
			out.Set(p)
		}
		return out, err
	case reflect.Slice, reflect.Array:
		return editItem(v, s, path, at, op, f)
	case reflect.Map:
		return editEntry(v, s, path, at, op, f)
	}
	return v, nothing(at)
}

// editField is edit of a struct.
func editField(v reflect.Value, path []string, at string, op *Op,
	f Frame) (reflect.Value, *fault.Error) {
	name := path[0]
	fs := Field(v.Type(), name)
	if fs == nil {
		return v, nothing(below(at, clip(name)))
	}
	if v.Type().Field(fs.index).Tag.Get("fixed") == "true" || name == "id" {
		return v, fault.In(below(at, name), "This value cannot be changed.")
	}
	out := reflect.New(v.Type()).Elem()
	out.Set(v)
	field := out.Field(fs.index)
	if len(path) == 1 && op.Op == "remove" {
		if !fs.Optional {
			return v, fault.In(below(at, name), "This value cannot be deleted.")
		}
		if !fs.setDefault(field, f) {
			field.SetZero()
		}
		return out, check(out, at, f)
	}
	w, err := edit(v.Field(fs.index), fs, path[1:], below(at, name), op, f)
	if err != nil {
		return v, err
	}
	field.Set(w)
	return out, check(out, at, f)
}

// editItem is edit of a slice or an array.
func editItem(v reflect.Value, s *Setting, path []string, at string, op *Op,
	f Frame) (reflect.Value, *fault.Error) {
	name, last, n := path[0], len(path) == 1, v.Len()
	i, ok := position(v, name)
	if !ok && strings.HasPrefix(name, byID) {
		return v, missing(at + "[" + clip(name) + "]")
	}
	insert := last && op.Op == "add" && v.Kind() == reflect.Slice
	if insert && name == "-" {
		i, ok = n, true
	}
	if !ok || i > n || i == n && !insert {
		return v, nothing(at + "[" + clip(name) + "]")
	}
	where := at + "[" + strconv.Itoa(i) + "]"
	out := reflect.New(v.Type()).Elem()
	if v.Kind() == reflect.Array {
		out.Set(v)
		w, err := edit(v.Index(i), s, path[1:], at, op, f)
		if err == nil {
			out.Index(i).Set(w)
		}
		return out, err
	}
	switch {
	case insert:
		out.Set(reflect.MakeSlice(v.Type(), n+1, n+1))
		reflect.Copy(out, v.Slice(0, i))
		reflect.Copy(out.Slice(i+1, n+1), v.Slice(i, n))
		w, err := change(reflect.Zero(v.Type().Elem()), s, where, op, f)
		if err != nil {
			return v, err
		}
		if out.Index(i).Set(w); twice(out) >= 0 { // a copy: it gets an id of its own
			out.Index(i).Set(withID(w, ""))
			if err := validate(out.Index(i), s, where, f); err != nil {
				return v, err
			}
		}
	case last && op.Op == "move":
		place := split(op.Path[len(list(op.Path))-1:])[0]
		to, ok := position(v, place)
		switch {
		case !ok && strings.HasPrefix(place, byID):
			return v, missing(at + "[" + clip(place) + "]")
		case !ok || to >= n || i >= n:
			return v, nothing(where)
		}
		out.Set(reflect.MakeSlice(v.Type(), n, n))
		reflect.Copy(out, v)
		// What lies between goes one place the other way.
		reflect.Copy(out.Slice(i, n), v.Slice(i+1, n))
		reflect.Copy(out.Slice(to+1, n), out.Slice(to, n-1))
		out.Index(to).Set(v.Index(i))
	case last && op.Op == "remove":
		out.Set(reflect.MakeSlice(v.Type(), n-1, n-1))
		reflect.Copy(out, v.Slice(0, i))
		reflect.Copy(out.Slice(i, n-1), v.Slice(i+1, n))
	default:
		out.Set(reflect.MakeSlice(v.Type(), n, n))
		reflect.Copy(out, v)
		w, err := edit(v.Index(i), s, path[1:], where, op, f)
		if err != nil {
			return v, err
		}
		if was, ok := idOf(v.Index(i)); ok && was.String() != "" { // replaced, it is the same item
			w = withID(w, was.String())
		}
		out.Index(i).Set(w)
	}
	return out, s.count(out, at)
}

// editEntry is edit of a map.
func editEntry(v reflect.Value, s *Setting, path []string, at string, op *Op,
	f Frame) (reflect.Value, *fault.Error) {
	name, last := path[0], len(path) == 1
	key := reflect.ValueOf(name).Convert(v.Type().Key())
	old := v.MapIndex(key)
	if !old.IsValid() && !(last && op.Op == "add") {
		return v, nothing(below(at, clip(name)))
	}
	out := reflect.New(v.Type()).Elem()
	out.Set(reflect.MakeMapWithSize(v.Type(), v.Len()+1))
	for _, k := range v.MapKeys() {
		out.SetMapIndex(k, v.MapIndex(k))
	}
	if last && op.Op == "remove" {
		out.SetMapIndex(key, reflect.Value{})
		return out, nil
	}
	if !old.IsValid() {
		old = reflect.Zero(v.Type().Elem())
	}
	w, err := edit(old, s, path[1:], below(at, name), op, f)
	if err != nil {
		return v, err
	}
	out.SetMapIndex(key, w)
	return out, s.count(out, at)
}

func index(name string, n int) (int, bool) {
	i, err := strconv.Atoi(name)
	return i, err == nil && i >= 0 && i <= n && strconv.Itoa(i) == name
}

// change returns what op makes of v, which it names.
func change(v reflect.Value, s *Setting, at string, op *Op, f Frame) (reflect.Value, *fault.Error) {
	out := reflect.New(v.Type()).Elem()
	switch op.Op {
	case "replace", "add":
		raw, perr := Parse(op.Value, "value")
		if perr != nil {
			return v, fault.In(at, "The value is not valid JSON.")
		}
		if err := fill(out, raw, at, f); err != nil {
			return v, err
		}
	case "shift":
		var by [2]float64
		sh, ok := v.Interface().(Shifter)
		if !ok || json.Unmarshal(op.Value, &by) != nil {
			return v, fault.In(at, "This item cannot be moved.")
		}
		out.Set(reflect.ValueOf(sh.Shifted(by[0], by[1])))
	case "remove":
		return v, fault.In(at, "This value cannot be deleted.")
	default:
		return v, fault.In(
			at,
			"%q is not an operation: replace, add, remove, move, test or shift.",
			clip(op.Op),
		)
	}
	return out, validate(out, s, at, f)
}

// Changes returns the operations without those that only test.
func Changes(ops []Op) []Op {
	return slices.DeleteFunc(slices.Clone(ops), func(o Op) bool { return o.Op == "test" })
}

// AnyTitle is the title of a change of which nothing better can be said.
const AnyTitle = "Change"

// Title returns a few words for the history on what a change does to v: "Gel of
// Signal rod", "Radius of shell 3 of Signal rod". Where the operations go to
// several places, it speaks of what they have in common.
func Title(v any, ops []Op) string {
	ops = Changes(ops)
	if len(ops) == 0 {
		return AnyTitle
	}
	path, op := split(ops[0].Path), ops[0].Op
	if op == "move" {
		path = split(ops[0].From)
	}
	for _, o := range ops[1:] {
		other := split(o.Path)
		n := 0
		for n < min(len(path), len(other)) && path[n] == other[n] {
			n++
		}
		if n < len(path) || n < len(other) {
			path, op = path[:n], "replace"
		}
	}
	if t := title(reflect.ValueOf(v), path, op); t != "" {
		return t
	}
	return AnyTitle
}

func title(v reflect.Value, path []string, op string) string {
	for v.Kind() == reflect.Interface || v.Kind() == reflect.Pointer {
		v = v.Elem()
	}
	if len(path) == 0 || !v.IsValid() || v.Kind() != reflect.Struct {
		return ""
	}
	s := Field(v.Type(), path[0])
	if s == nil {
		return ""
	}
	f, path := v.Field(s.index), path[1:]
	if _, ok := asList(f); ok {
		path = nil // its items have no names
	}
	name := s.Label
	if name == "" {
		name = s.Title
	}
	if len(path) == 0 || f.Kind() == reflect.Array {
		return strings.Trim(strings.ReplaceAll(name, "*", ""), " ")
	}
	inner := ""
	if f.Kind() == reflect.Slice {
		inner = s.element(f, path, op)
	} else {
		inner = title(f, path, op)
	}
	switch {
	case s.Title == "":
	case !strings.Contains(s.Title, "*"):
		return s.Title
	case inner != "":
		if !strings.HasPrefix(s.Title, "*") {
			inner = strings.ToLower(inner[:1]) + inner[1:]
		}
		return strings.Replace(s.Title, "*", inner, 1)
	}
	if inner == "" {
		return strings.Trim(strings.ReplaceAll(name, "*", ""), " ")
	}
	return inner
}

// element speaks of an element of a list, or of what lies below it.
func (s *Setting) element(list reflect.Value, path []string, op string) string {
	numbered := !strings.HasPrefix(s.Each, "a ")
	i, ok := position(list, path[0])
	if !ok || i >= list.Len() {
		if op == "add" && s.Each != "" {
			return "Add a" + strings.TrimPrefix(" "+s.noun(), "a ")
		}
		return s.Label
	}
	noun := s.Each
	if numbered {
		noun += " " + strconv.Itoa(i+1)
	}
	e := list.Index(i)
	if e.Kind() == reflect.Struct {
		if n := Field(e.Type(), "name"); n != nil {
			noun = e.Field(n.index).String()
		}
	}
	if len(path) == 1 {
		switch op {
		case "remove":
			return "Delete " + noun
		case "move":
			return "Move " + noun
		case "add":
			return "Add " + noun
		}
		return strings.ToUpper(noun[:1]) + noun[1:]
	}
	inner := title(e, path[1:], op)
	switch {
	case inner == "":
		return strings.ToUpper(noun[:1]) + noun[1:]
	case !numbered:
		return inner
	}
	return strings.TrimSuffix(inner, " of") + " of " + noun
}

// Paths lists, in order, the JSON Pointers of the numbers, switches, choices and
// texts in v, with their declarations; lists of points are left out.
func Paths(v any, visit func(path string, s *Setting, v reflect.Value)) {
	paths(reflect.ValueOf(v), nil, "", visit)
}

func paths(v reflect.Value, s *Setting, at string, visit func(string, *Setting, reflect.Value)) {
	if _, ok := asList(v); ok {
		return
	}
	switch v.Kind() {
	case reflect.Struct:
		for _, s := range Fields(v.Type()) {
			paths(v.Field(s.index), s, at+"/"+s.Name, visit)
		}
	case reflect.Interface, reflect.Pointer:
		if !v.IsNil() {
			paths(v.Elem(), s, at, visit)
		}
	case reflect.Slice, reflect.Array:
		for i := range v.Len() {
			paths(v.Index(i), s, at+"/"+strconv.Itoa(i), visit)
		}
	case reflect.Map:
		keys := v.MapKeys()
		slices.SortFunc(keys, func(a, b reflect.Value) int {
			return strings.Compare(a.String(), b.String())
		})
		for _, k := range keys {
			paths(v.MapIndex(k), s, at+"/"+k.String(), visit)
		}
	default:
		visit(at, s, v)
	}
}

// At returns the declaration and the value of what stands at a JSON Pointer of v.
func At(v any, path string) (s *Setting, value any, ok bool) {
	cur := reflect.ValueOf(v)
	for _, name := range split(path) {
		for cur.Kind() == reflect.Interface || cur.Kind() == reflect.Pointer {
			cur = cur.Elem()
		}
		switch cur.Kind() {
		case reflect.Struct:
			if s = Field(cur.Type(), name); s == nil {
				return nil, nil, false
			}
			cur = cur.Field(s.index)
		case reflect.Slice, reflect.Array:
			i, ok := position(cur, name)
			if !ok || i >= cur.Len() {
				return nil, nil, false
			}
			cur = cur.Index(i)
		default:
			return nil, nil, false
		}
	}
	return s, cur.Interface(), true
}
