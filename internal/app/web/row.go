package web

import (
	"html/template"
	"math"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
)

// row is one setting as the bench shows it: a slider with a typed value beside it,
// a switch, or a choice. All that it shows comes from the setting's declaration.
type row struct {
	*setting.Setting
	Path  string // JSON Pointer in the recipe
	Is    string // number, switch, choice
	Value any    // as in the recipe
	frame setting.Frame
	short bool             // a fader is coarser than a slider
	refs  []setting.Choice // what a reference can name
	entry string           // path of the map entry that Path lies in, if it may be missing
}

// rows returns the settings of the struct at a path, but for those that have a
// control of their own, or do nothing as the others stand.
func rows(v any, path string, f setting.Frame) []row {
	_, at, ok := setting.At(v, path)
	if !ok {
		return nil
	}
	var out []row
	idle := setting.Idle(at)
	for _, s := range setting.Fields(reflect.TypeOf(at)) {
		if s.Own || slices.Contains(idle, s.Name) {
			continue
		}
		if r, ok := rowAt(v, path+"/"+s.Name, f); ok {
			out = append(out, r)
		}
	}
	return out
}

// rowAt returns the setting at a path.
func rowAt(v any, path string, f setting.Frame) (row, bool) {
	s, at, ok := setting.At(v, path)
	if !ok {
		return row{}, false
	}
	r := row{Setting: s, Path: setting.ByID(v, path), Value: at, frame: f}
	switch t := reflect.TypeOf(at); {
	case t.Kind() == reflect.Float64 || t.Kind() == reflect.Int:
		r.Is = "number"
	case t.Kind() == reflect.Bool:
		r.Is = "switch"
	case t.Kind() == reflect.String && setting.Choices(t) != nil:
		r.Is = "choice"
	default:
		rec, ok := v.(recipe.Recipe)
		if !ok {
			return row{}, false
		}
		if r.refs, ok = ref(&rec, at); !ok {
			return row{}, false
		}
		r.Is = "choice"
	}
	return r, true
}

// ID is fit for an element.
func (r row) ID() string { return "f" + strings.NewReplacer("/", "-", ":", "-").Replace(r.Path) }

func (r row) number() float64 {
	v := reflect.ValueOf(r.Value)
	if v.CanInt() {
		return float64(v.Int())
	}
	return v.Float()
}

func (r row) digits() int {
	if n := r.Digits(); !r.short {
		return n
	}
	return min(r.Digits(), 1)
}

// Shown is the value in the unit that the user reads.
func (r row) Shown() string { return strconv.FormatFloat(r.number()*r.Times, 'f', r.digits(), 64) }

// Trimmed is Shown without zeros at the end.
func (r row) Trimmed() string {
	if s := r.Shown(); strings.Contains(s, ".") {
		return strings.TrimRight(strings.TrimRight(s, "0"), ".")
	}
	return r.Shown()
}

// Pos is the slider's place, 0 to 1000.
func (r row) Pos() int {
	lo, hi, v := r.From.In(r.frame), r.To.In(r.frame), r.number()
	t := (v - lo) / (hi - lo)
	if r.Log {
		t = math.Log(math.Max(v, lo)/lo) / math.Log(hi/lo)
	}
	return int(math.Round(1000 * math.Min(math.Max(t, 0), 1)))
}

// Spec is what the page's scripts need to turn a place into a value and back: the
// ends of the slider (min, max), those of the range (least, most), how the value is
// shown, and the default.
func (r row) Spec() template.HTMLAttr {
	lo, hi := r.Bounded(r.frame)
	var s string
	put := func(name, value string) {
		s += ` data-` + name + `="` + template.HTMLEscapeString(value) + `"`
	}
	num := func(name string, v float64) { put(name, strconv.FormatFloat(v, 'g', -1, 64)) }
	put("path", r.Path)
	if r.entry != "" {
		put("entry", r.entry)
	}
	num("min", r.From.In(r.frame))
	num("max", r.To.In(r.frame))
	num("least", lo)
	num("most", hi)
	num("mul", r.Times)
	num("digits", float64(r.digits()))
	num("default", r.Setting.Value(r.frame))
	if r.Log {
		s += " data-log"
	}
	if r.Length {
		s += " data-length"
	}
	return template.HTMLAttr(s)
}

// Track is a class for the slider's track: a full turn of hue is drawn as one.
func (r row) Track() string {
	switch {
	case r.Name != "hue" || r.Unit != "°" || r.Min.A != 0:
	case strings.HasSuffix(r.Path, "/of/hue"): // of an area, in OKLCh
		return "hues even"
	default:
		return "hues"
	}
	return ""
}

// Hint says what the setting does and in which range, for a tooltip.
func (r row) Hint() string {
	s := r.Doc
	if c, size := utf8.DecodeRuneInString(s); size > 0 {
		s = string(unicode.ToUpper(c)) + s[size:]
	}
	if r.Is != "number" {
		return s
	}
	lo, hi := r.Bounded(r.frame)
	shown := func(v float64) string {
		return strconv.FormatFloat(math.Round(v*r.Times*100)/100, 'f', -1, 64)
	}
	of := strings.TrimSpace(shown(lo) + " to " + shown(hi) + " " + r.Unit)
	if s == "" {
		return of
	}
	return s + ". " + of
}

// Choices are what a choice offers.
func (r row) Choices() []setting.Choice {
	if r.refs != nil {
		return r.refs
	}
	return setting.Choices(reflect.TypeOf(r.Value))
}

// Chosen is the value of a choice.
func (r row) Chosen() string { return reflect.ValueOf(r.Value).String() }
