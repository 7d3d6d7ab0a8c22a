// Package setting lets the fields of a recipe declare what they are, once.
//
// A field says in its tags by which name users know it, its unit, its range,
// what a slider spans, its default and its step:
//
//	Radius float64 `json:"radius" label:"Radius" unit:"px" range:"0..6000" slider:"L/12000..L/10 log" default:"L/300" step:"0.1" doc:"…"`
//
// All that handles a value without knowing what it means works from these
// declarations by reflection: Decode and Encode, Validate, Apply (a change of
// some values), Scale, Clone, Key, Schema, and the rows that an interface
// shows. To add a setting is to add a field.
//
// Besides structs, slices, arrays, pointers and maps of declared types, a field
// may hold an interface whose kinds are registered (see Register), or a List,
// which is never changed in place and named by the hash of what it holds.
package setting

import (
	"fmt"
	"math"
	"reflect"
	"strconv"
	"strings"
	"sync"
)

// Frame is the size of the photo in pixels, which bounds may be relative to.
type Frame struct{ W, H float64 }

// LongEdge returns the longer edge.
func (f Frame) LongEdge() float64 { return math.Max(f.W, f.H) }

// Bound is a number that may depend on the frame: A + L·long edge + W·width + H·height.
type Bound struct{ A, L, W, H float64 }

// In returns the number for a frame.
func (b Bound) In(f Frame) float64 { return b.A + b.L*f.LongEdge() + b.W*f.W + b.H*f.H }

// Setting is what one field declares.
type Setting struct {
	Name     string // in JSON
	Label    string // as the user reads it
	Unit     string // "", "%", "°", "px", "stops", …
	Doc      string // half a sentence that says what it does
	Title    string // of a change in the history, with * for what lies below; see Title
	Min, Max Bound  // the range that is valid
	From, To Bound  // what a slider spans; typed values may lie outside
	Log      bool   // the slider is logarithmic
	Default  Bound  // of a number
	Text     string // the default of a switch, a choice or a text
	Step     float64
	Times    float64 // shown = value · Times
	Length   bool    // measured in pixels of the photo, and scaled with it
	Optional bool    // may be missing in JSON: it has a default, or is left out where zero
	Count    [2]int  // of a list's elements or a text's characters; {0, 0} for no limit
	Each     string  // what one element of a list is called
	Own      bool    // has a control of its own, not a row among its struct's (row:"own")
	Unkeyed  bool    // left out of Key (key:"-")

	hasDefault, omitZero, ranged bool
	index                        int
	opens                        string // how it begins in a document
}

// Choice is one value of a setting that offers several.
type Choice struct{ Value, Label string }

// chooser is a string type that lists its values.
type chooser interface{ Choices() []Choice }

// Choices returns the values that a type offers, nil for one that offers none.
func Choices(t reflect.Type) []Choice {
	if c, ok := reflect.Zero(t).Interface().(chooser); ok {
		return c.Choices()
	}
	return nil
}

// Idle names those settings of a value that do nothing as its others stand, if its type tells.
func Idle(v any) []string {
	if i, ok := v.(interface{ Idle() []string }); ok {
		return i.Idle()
	}
	return nil
}

var fieldsOf sync.Map // of reflect.Type to []*Setting

// Fields returns what the fields of a struct type declare, in their order. It
// panics on a declaration that cannot be read, as that is a mistake in the
// program.
func Fields(t reflect.Type) []*Setting {
	if v, ok := fieldsOf.Load(t); ok {
		return v.([]*Setting)
	}
	var out []*Setting
	for i := range t.NumField() {
		f := t.Field(i)
		if !f.IsExported() {
			continue
		}
		s, err := parse(f)
		if err != nil {
			panic(fmt.Sprintf("setting: %v.%s: %v", t, f.Name, err))
		}
		s.index = i
		s.opens = strconv.Quote(s.Name) + ":"
		out = append(out, s)
	}
	v, _ := fieldsOf.LoadOrStore(t, out)
	return v.([]*Setting)
}

// Field returns the declaration of a struct's field by its name in JSON, nil for
// one that it has not.
func Field(t reflect.Type, name string) *Setting {
	for _, s := range Fields(t) {
		if s.Name == name {
			return s
		}
	}
	return nil
}

// Of returns the declaration of a field of T by its name in JSON. It panics where T
// has no such field, as that is a mistake in the program.
func Of[T any](name string) *Setting {
	s := Field(reflect.TypeFor[T](), name)
	if s == nil {
		panic(fmt.Sprintf("setting: %v has no %s", reflect.TypeFor[T](), name))
	}
	return s
}

func parse(f reflect.StructField) (*Setting, error) {
	tag := f.Tag
	name, opts, _ := strings.Cut(tag.Get("json"), ",")
	if name == "" {
		return nil, fmt.Errorf("it has no name in JSON")
	}
	s := &Setting{Name: name, Label: tag.Get("label"), Unit: tag.Get("unit"), Doc: tag.Get("doc"),
		Title: tag.Get("title"), Each: tag.Get("each"), Own: tag.Get("row") == "own",
		Unkeyed: tag.Get("key") == "-", Times: 1}
	s.Length = s.Unit == "px"
	s.omitZero = opts == "omitzero" || opts == "omitempty"
	if s.Unit == "%" {
		s.Times = 100
	}
	var err error
	if v := tag.Get("times"); v != "" {
		if s.Times, err = strconv.ParseFloat(v, 64); err != nil {
			return nil, err
		}
	}
	if v := tag.Get("step"); v != "" {
		if s.Step, err = strconv.ParseFloat(v, 64); err != nil {
			return nil, err
		}
	}
	if v, ok := tag.Lookup("range"); ok {
		s.ranged = true
		if s.Min, s.Max, err = parseRange(v); err != nil {
			return nil, err
		}
		s.From, s.To = s.Min, s.Max
	}
	if v, ok := tag.Lookup("slider"); ok {
		v, s.Log = strings.CutSuffix(v, " log")
		if s.From, s.To, err = parseRange(v); err != nil {
			return nil, err
		}
	}
	if v, ok := tag.Lookup("default"); ok {
		s.hasDefault, s.Text = true, v
		switch base(f.Type).Kind() {
		case reflect.Float64, reflect.Int:
			if s.Default, err = parseBound(v); err != nil {
				return nil, err
			}
		}
	}
	if v, ok := tag.Lookup("count"); ok {
		lo, hi, ok := strings.Cut(v, "..")
		if !ok {
			return nil, fmt.Errorf("count %q is not of the form 1..80", v)
		}
		if s.Count[0], err = strconv.Atoi(lo); err != nil {
			return nil, err
		}
		if s.Count[1], err = strconv.Atoi(hi); err != nil {
			return nil, err
		}
	}
	s.Optional = s.hasDefault || s.omitZero || f.Type.Kind() == reflect.Pointer
	switch k := base(f.Type).Kind(); {
	case (k == reflect.Float64 || k == reflect.Int) && !s.ranged:
		return nil, fmt.Errorf("a number needs a range")
	case s.Label == "" && (k == reflect.Float64 || k == reflect.Int || k == reflect.Bool):
		return nil, fmt.Errorf("it has no label")
	}
	return s, nil
}

// base returns the type of an array's elements, and other types themselves.
func base(t reflect.Type) reflect.Type {
	if t.Kind() == reflect.Array {
		return t.Elem()
	}
	return t
}

func parseRange(v string) (lo, hi Bound, err error) {
	a, b, ok := strings.Cut(v, "..")
	if !ok {
		return lo, hi, fmt.Errorf("range %q is not of the form 0..1", v)
	}
	if lo, err = parseBound(a); err == nil {
		hi, err = parseBound(b)
	}
	return lo, hi, err
}

// parseBound reads a sum of terms such as 0.5, 2L, L/3, -W: L is the long edge,
// W and H the width and the height of the photo.
func parseBound(v string) (b Bound, err error) {
	rest := strings.TrimSpace(v)
	if rest == "" {
		return b, fmt.Errorf("a number is missing")
	}
	for rest != "" {
		end := 1
		for end < len(rest) && (rest[end] != '+' && rest[end] != '-' || rest[end-1] == 'e') {
			end++
		}
		term := strings.TrimPrefix(rest[:end], "+")
		rest = rest[end:]
		to := &b.A
		num, by, divided := strings.Cut(term, "/")
		if i := strings.IndexAny(num, "LWH"); i >= 0 && i == len(num)-1 {
			to = map[byte]*float64{'L': &b.L, 'W': &b.W, 'H': &b.H}[num[i]]
			switch num = num[:i]; num {
			case "":
				num = "1"
			case "-":
				num = "-1"
			}
		}
		k, err := strconv.ParseFloat(num, 64)
		if err != nil {
			return b, fmt.Errorf("%q is no number", v)
		}
		if divided {
			d, err := strconv.ParseFloat(by, 64)
			if err != nil {
				return b, fmt.Errorf("%q is no number", v)
			}
			k /= d
		}
		*to += k
	}
	return b, nil
}

// Value returns the default of a number for a frame. One that depends on the
// frame keeps three significant digits, so that it reads well.
func (s *Setting) Value(f Frame) float64 {
	v := s.Default.In(f)
	if s.Default == (Bound{A: s.Default.A}) {
		return v
	}
	return Round(v)
}

// Round keeps three significant digits of a length.
func Round(v float64) float64 {
	if v <= 0 {
		return 0
	}
	m := math.Pow(10, 2-math.Floor(math.Log10(v)))
	return math.Round(v*m) / m
}

// Digits returns how many digits after the point a number is shown with.
func (s *Setting) Digits() int {
	n := 0
	for step := s.Step * s.Times; step > 0 && n < 6 && math.Abs(step-math.Round(step)) > 1e-9; n++ {
		step *= 10
	}
	return n
}

// Bounded tells the range of a number in a frame.
func (s *Setting) Bounded(f Frame) (lo, hi float64) { return s.Min.In(f), s.Max.In(f) }

// Checker is a declared struct that knows more of what is valid than the range of
// each field: how they go together. Check returns the field at fault, relative to
// the struct, and a sentence; an empty sentence where all is well. It looks at the
// struct itself, not at what lies below it, so that it is quick.
type Checker interface {
	Check(Frame) (field, msg string)
}
