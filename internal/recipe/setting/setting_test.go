package setting

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"reflect"
	"slices"
	"strings"
	"testing"

	"pyrant/internal/base/fault"
)

// The types of these tests are a small world of their own: a stall at a market with
// all that a declared type may hold.
type (
	stall struct {
		Name   string            `json:"name" label:"Name" count:"1..8" default:"Stall"`
		Open   bool              `json:"open" label:"Opening" default:"true"`
		Width  float64           `json:"width" label:"Width" unit:"px" range:"1..W" slider:"W/100..W/2 log" default:"W/7" step:"0.5"`
		Shelf  int               `json:"shelf" label:"Shelf" unit:"px" range:"0..10" default:"3"`
		Rebate float64           `json:"rebate" label:"Rebate" unit:"%" range:"-0.5..0.5" default:"0" step:"0.005"`
		Mood   mood              `json:"mood" label:"Mood" default:"calm"`
		Paint  paint             `json:"paint" title:"Paint *"`
		Goods  []good            `json:"goods" label:"Goods" count:"0..3" each:"good" title:"*"`
		Fee    *fee              `json:"fee,omitempty" title:"Fee"`
		Prices map[string]amount `json:"prices,omitempty" label:"Prices" count:"0..2" each:"price"`
		Edge   [2]float64        `json:"edge,omitzero" label:"Edge" unit:"px" range:"-H..H"`
		Line   List[spot]        `json:"line,omitzero" label:"Line" count:"0..100" each:"spot"`
		Mark   string            `json:"mark,omitzero" label:"Mark" fixed:"true" count:"0..4"`
	}
	paint struct {
		Red  float64 `json:"red" label:"Red" range:"0..1" default:"0.25"`
		Gold float64 `json:"gold" label:"Gold" range:"0..1" default:"0"`
	}
	fee struct {
		Sum float64 `json:"sum" label:"Sum" range:"0..9" default:"2"`
	}
	amount struct {
		Of float64 `json:"of" label:"Of" range:"0..9"`
	}
	spot struct {
		X float64    `json:"x" label:"Across" unit:"px" range:"0..W"`
		A [2]float64 `json:"a,omitzero" label:"Arm" unit:"px" range:"-9..9"`
	}
	mood string
	// good is what a stall sells: loaves or ropes.
	good interface{ weight() float64 }
	loaf struct {
		Grams float64 `json:"grams" label:"Grams" range:"1..5000" default:"500"`
	}
	rope struct {
		From float64 `json:"from" label:"From" unit:"px" range:"0..100"`
		To   float64 `json:"to" label:"To" unit:"px" range:"0..100" default:"L/20"`
	}
)

func (mood) Choices() []Choice { return []Choice{{"calm", "Calm"}, {"loud", "Loud"}} }

func (l loaf) weight() float64 { return l.Grams }
func (r rope) weight() float64 { return r.To - r.From }

func (r rope) Check(Frame) (field, msg string) {
	if r.From > r.To {
		return "to", "The rope ends before it begins."
	}
	return "", ""
}

func (r rope) Shifted(dx, dy float64) any { return rope{r.From + dx, r.To + dy} }

var _ = Register[good](Kind{Word: "loaf", Label: "Loaf", Zero: loaf{}},
	Kind{Word: "rope", Label: "Rope", Zero: rope{}})

var market = Frame{W: 600, H: 400}

func full() stall {
	s := New[stall](market)
	s.Goods = []good{loaf{300}, rope{10, 30}}
	s.Fee = &fee{4}
	s.Prices = map[string]amount{"b": {2}, "a": {1}}
	s.Edge = [2]float64{-3, 4}
	s.Line = ListOf(spot{X: 5}, spot{X: 7, A: [2]float64{1, -1}})
	return s
}

func TestDefaults(t *testing.T) {
	s := New[stall](market)
	want := stall{
		Name:  "Stall",
		Open:  true,
		Width: 85.7,
		Shelf: 3,
		Mood:  "calm",
		Paint: paint{Red: 0.25},
	}
	if !reflect.DeepEqual(s, want) {
		t.Errorf("the defaults are %+v\nwant %+v", s, want)
	}
	if err := Validate(s, market); err != nil {
		t.Errorf("the defaults are not valid: %v", err)
	}
}

func TestBounds(t *testing.T) {
	for text, want := range map[string]Bound{
		"0": {}, "6000": {A: 6000}, "-8": {A: -8}, "1e-3": {A: 0.001}, "L": {L: 1}, "-W": {W: -1},
		"2W": {W: 2}, "L/4": {L: 0.25},
		"-W-H": {W: -1, H: -1}, "W+H": {W: 1, H: 1}, "3L/2+10": {L: 1.5, A: 10}, "1e2-H/2": {A: 100, H: -0.5},
	} {
		if got, err := parseBound(text); err != nil || got != want {
			t.Errorf("%q is read as %+v, %v; want %+v", text, got, err, want)
		}
	}
	for _, text := range []string{"", " ", "x", "L/", "L/x", "2Q", "1..2", "LL"} {
		if got, err := parseBound(text); err == nil {
			t.Errorf("%q is read as %+v", text, got)
		}
	}
	if got := (Bound{A: 1, L: 2, W: 10, H: 100}).In(Frame{W: 3, H: 5}); got != 1+10+30+500 {
		t.Errorf("a bound in a frame is %v", got)
	}
	for want, b := range map[string]Bound{"0": {}, "−W − H": {W: -1, H: -1}, "L/4": {L: 0.25},
		"2W": {W: 2}, "5 + H": {A: 5, H: 1}} {
		if b.String() != want {
			t.Errorf("%+v is written %q, want %q", b, b, want)
		}
	}
	for v, want := range map[float64]float64{0: 0, -4: 0, 1.2345: 1.23, 85.714: 85.7, 12345: 12300,
		0.0019999: 0.002} {
		if got := Round(v); math.Abs(got-want) > 1e-12 {
			t.Errorf("Round(%v) = %v, want %v", v, got, want)
		}
	}
}

func TestDeclarations(t *testing.T) {
	w := Of[stall]("width")
	if lo, hi := w.Bounded(market); lo != 1 || hi != 600 {
		t.Errorf("a width is from %v to %v", lo, hi)
	}
	if w.From.In(market) != 6 || w.To.In(market) != 300 || !w.Log || !w.Length || w.Times != 1 ||
		w.Digits() != 1 {
		t.Errorf("the width's slider is declared as %+v", w)
	}
	if r := Of[stall]("rebate"); r.Times != 100 || r.Length || r.Log || r.From != r.Min ||
		r.To != r.Max || r.Digits() != 1 {
		t.Errorf("the rebate is declared as %+v", r)
	}
	for _, tt := range []struct {
		step, times float64
		digits      int
	}{{0, 1, 0}, {1, 1, 0}, {5, 1, 0}, {0.5, 1, 1}, {0.01, 1, 2}, {0.01, 100, 0}, {0.025, 100, 1},
		{1e-8, 1, 6}, {0.001, 1, 3}} {
		if got := (&Setting{Step: tt.step, Times: tt.times}).Digits(); got != tt.digits {
			t.Errorf(
				"steps of %v, shown times %v, have %d digits, want %d",
				tt.step,
				tt.times,
				got,
				tt.digits,
			)
		}
	}
	if Field(reflect.TypeFor[stall](), "Width") != nil {
		t.Error("a name in another case is found")
	}
	// Mistakes in a declaration are found when the type is first used.
	for _, bad := range []any{
		struct {
			V float64 `json:"v" label:"V"`
		}{},
		struct {
			V float64 `label:"V" range:"0..1"`
		}{},
		struct {
			V float64 `json:"v" range:"0..1"`
		}{},
		struct {
			V float64 `json:"v" label:"V" range:"0-1"`
		}{},
		struct {
			V float64 `json:"v" label:"V" range:"0..1" default:"some"`
		}{},
		struct {
			V float64 `json:"v" label:"V" range:"0..1" slider:"0..many"`
		}{},
		struct {
			V float64 `json:"v" label:"V" range:"0..1" step:"fine"`
		}{},
		struct {
			V float64 `json:"v" label:"V" range:"0..1" times:"ten"`
		}{},
		struct {
			V string `json:"v" count:"5"`
		}{},
		struct {
			V string `json:"v" count:"1..many"`
		}{},
		struct {
			V bool `json:"v"`
		}{},
	} {
		func() {
			defer func() {
				if recover() == nil {
					t.Errorf("%T is taken for a declaration", bad)
				}
			}()
			Fields(reflect.TypeOf(bad))
		}()
	}
	defer func() {
		if recover() == nil {
			t.Error("a field that is none is found")
		}
	}()
	Of[stall]("roof")
}

func decode(doc string) (s stall, err error) {
	raw, err := Parse([]byte(doc), "stall")
	if err == nil {
		err = Decode(raw, &s, market)
	}
	return s, err
}

func TestEncodeAndDecode(t *testing.T) {
	s := full()
	const want = `{"name":"Stall","open":true,"width":85.7,"shelf":3,"rebate":0,"mood":"calm","paint":{"red":0.25,"gold":0},` +
		`"goods":[{"kind":"loaf","grams":300},{"kind":"rope","from":10,"to":30}],"fee":{"sum":4},"prices":{"a":{"of":1},"b":{"of":2}},"edge":[-3,4],` +
		`"line":[{"x":5},{"x":7,"a":[1,-1]}]}`
	if got := string(Encode(s)); got != want {
		t.Errorf("encoded:\n%s\nwant\n%s", got, want)
	}
	back, err := decode(want)
	if err != nil || string(Encode(back)) != want {
		t.Errorf("decoded: %+v, %v", back, err)
	}
	// The same numbers as encoding/json writes.
	for _, v := range []float64{0, 1, -1, 0.1, 1e-6, 9.9e-7, 1e20, 1e21, 123456789.125,
		math.MaxFloat64, math.SmallestNonzeroFloat64, 1.0 / 3} {
		j, _ := json.Marshal(v)
		var n, m float64
		if err := json.Unmarshal(number(nil, v), &n); err != nil || n != v {
			t.Errorf("%v is written %s", v, number(nil, v))
		}
		if err := json.Unmarshal(j, &m); err != nil || m != n {
			t.Errorf("%v: %s against %s", v, j, number(nil, v))
		}
	}
	// What is left out takes its default, an optional part stays away.
	s, err = decode(`{"goods":[{"kind":"rope","from":1}],"paint":{"gold":1}}`)
	if err != nil || s.Fee != nil || s.Paint != (paint{0.25, 1}) || s.Goods[0] != (rope{1, 30}) ||
		s.Width != 85.7 || !s.Open || s.Mood != "calm" {
		t.Errorf("with much left out: %+v, %v", s, err)
	}
	if s, err = decode(`{"goods":[],"fee":null,"paint":{}}`); err != nil || s.Fee != nil ||
		s.Paint.Red != 0.25 {
		t.Errorf("with null: %+v, %v", s, err)
	}
	if s, err = decode(`{"goods":[],"fee":{}}`); err != nil || s.Fee == nil || s.Fee.Sum != 2 {
		t.Errorf("with an optional part: %+v, %v", s, err)
	}
}

func TestDecodeRefuses(t *testing.T) {
	for doc, want := range map[string]string{
		`{}`:                                    "goods: This field is missing.",
		`{"goods":[],"roof":1}`:                 "roof: There is no such field.",
		`{"goods":[],"paint":{"blue":1}}`:       "paint.blue: There is no such field.",
		`{"goods":[],"name":7}`:                 "name: This must be a text.",
		`{"goods":[],"open":1}`:                 "open: This must be true or false.",
		`{"goods":[],"width":"9"}`:              "width: This must be a number.",
		`{"goods":[],"width":null}`:             "width: This must be a number.",
		`{"goods":[],"shelf":2.5}`:              "shelf: This must be a whole number.",
		`{"goods":[],"paint":[]}`:               "paint: This must be an object.",
		`{"goods":{}}`:                          "goods: This must be a list.",
		`{"goods":[3]}`:                         "goods[0]: This must be an object.",
		`{"goods":[{"grams":3}]}`:               `goods[0].kind: "" is not a known kind: loaf, rope.`,
		`{"goods":[{"kind":"cake"}]}`:           `goods[0].kind: "cake" is not a known kind: loaf, rope.`,
		`{"goods":[{"kind":"loaf","to":3}]}`:    "goods[0].to: There is no such field.",
		`{"goods":[{"kind":"rope","to":3}]}`:    "goods[0].from: This field is missing.",
		`{"goods":[],"fee":{"tax":1}}`:          "fee.tax: There is no such field.",
		`{"goods":[],"fee":3}`:                  "fee: This must be an object.",
		`{"goods":[],"prices":[]}`:              "prices: This must be an object.",
		`{"goods":[],"prices":{"a":{"off":1}}}`: "prices.a.of: This field is missing.",
		`{"goods":[],"edge":[1]}`:               "edge: This must be a list of 2 numbers.",
		`{"goods":[],"edge":[1,"2"]}`:           "edge: This must be a number.",
		`{"goods":[],"line":[{"y":1}]}`:         "line[0].x: This field is missing.",
		`{"goods":[],"line":"0f"}`:              "line: This is not the name of a stored list.",
		`{"kind":"stall","goods":[]}`:           "kind: There is no such field.",
		`[]`:                                    "This must be an object.",
	} {
		if s, err := decode(doc); err == nil || err.Error() != want {
			t.Errorf("%s gives %v (%+v)\nwant %s", doc, err, s, want)
		} else if !fault.Is(err, fault.Invalid) {
			t.Errorf("%s: %T", doc, err)
		}
	}
	for doc, want := range map[string]string{`{`: "The stall is not valid JSON.", `{"width":1e999}`: "beyond what a number can hold"} {
		if _, err := decode(doc); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s gives %v", doc, err)
		}
	}
}

func TestValidate(t *testing.T) {
	if err := Validate(full(), market); err != nil {
		t.Fatal(err)
	}
	long := make([]spot, 101)
	for _, tt := range []struct {
		change func(*stall)
		want   string
	}{
		{func(s *stall) { s.Width = 0.5 }, "width: 0.5 is out of range; give a value from 1 to 600."},
		{func(s *stall) { s.Width = 600.5 }, "width: 600.5 is out of range; give a value from 1 to 600."},
		{func(s *stall) { s.Width = math.Inf(1) }, "width: This is not a number."},
		{func(s *stall) { s.Width = 1e300 }, "width: 1e+300 is out of range; give a value from 1 to 600."},
		{func(s *stall) { s.Shelf = 11 }, "shelf: 11 is out of range; give a value from 0 to 10."},
		{func(s *stall) { s.Edge[1] = 401 }, "edge: 401 is out of range; give a value from -400 to 400."},
		{func(s *stall) { s.Name = "" }, "name: Name has 1 to 8 characters."},
		{func(s *stall) { s.Name = "Wällchenx" }, "name: Name has 1 to 8 characters."},
		{func(s *stall) { s.Name = "a\xff" }, "name: This text has invalid characters."},
		{func(s *stall) { s.Mood = "shy" }, `mood: "shy" is not a choice; choose calm, loud.`},
		{func(s *stall) { s.Mood = mood(strings.Repeat("ä", 50)) }, `mood: "` + strings.Repeat("ä", 40) + `…" is not a choice; choose calm, loud.`},
		{func(s *stall) { s.Paint.Gold = -1 }, "paint.gold: -1 is out of range; give a value from 0 to 1."},
		{func(s *stall) { s.Goods = append(s.Goods, loaf{1}, loaf{2}) }, "goods: There are 4 goods; the limit is 3."},
		{func(s *stall) { s.Goods[0] = loaf{0} }, "goods[0].grams: 0 is out of range; give a value from 1 to 5000."},
		{func(s *stall) { s.Goods[1] = rope{30, 10} }, "goods[1].to: The rope ends before it begins."},
		{func(s *stall) { s.Goods[1] = nil }, "goods[1]: Something is missing here."},
		{func(s *stall) { s.Fee.Sum = 10 }, "fee.sum: 10 is out of range; give a value from 0 to 9."},
		{func(s *stall) { s.Prices["a"] = amount{10} }, "prices.a.of: 10 is out of range; give a value from 0 to 9."},
		{func(s *stall) { s.Prices["c"] = amount{} }, "prices: There are 3 prices; the limit is 2."},
		{func(s *stall) { s.Line = s.Line.With(1, spot{X: 601}) }, "line[1].x: 601 is out of range; give a value from 0 to 600."},
		{func(s *stall) { s.Line = s.Line.With(1, spot{A: [2]float64{0, 10}}) }, "line[1].a: 10 is out of range; give a value from -9 to 9."},
		{func(s *stall) { s.Line = ListOf(long...) }, "line: There are 101 spots; the limit is 100."},
	} {
		s := Clone(full())
		tt.change(&s)
		if err := Validate(s, market); err == nil || err.Error() != tt.want {
			t.Errorf("got %v\nwant %s", err, tt.want)
		}
	}
	// The ends of a range belong to it.
	s := full()
	s.Width, s.Shelf, s.Rebate, s.Edge = 600, 10, -0.5, [2]float64{-400, 400}
	if err := Validate(s, market); err != nil {
		t.Error(err)
	}
}

// Every value of a declared type, changed by itself, makes another key, and the way
// back the old one.
func TestKeyHoldsEveryField(t *testing.T) {
	s := full()
	base := Key(s)
	if base != Key(Clone(s)) || len(base) != 24 {
		t.Fatalf("a clone has another key than %q", base)
	}
	n := 0
	Paths(s, func(path string, _ *Setting, v reflect.Value) {
		n++
		var to any
		switch v.Kind() {
		case reflect.Float64:
			to = v.Float() + 0.125
		case reflect.Int:
			to = v.Int() + 1
		case reflect.Bool:
			to = !v.Bool()
		default:
			if v.Type() == reflect.TypeFor[mood]() {
				to = "loud"
			} else if path == "/mark" {
				return // fixed
			} else {
				to = "Other"
			}
		}
		changed, err := Apply(s, set(path, to), market)
		if err != nil {
			t.Errorf("%s: %v", path, err)
			return
		}
		if Key(changed) == base {
			t.Errorf("%s makes no other key", path)
		}
	})
	if n != 17 {
		t.Errorf("%d values were changed", n)
	}
	for name, change := range map[string]func(*stall){
		"another kind with the same numbers": func(s *stall) { s.Goods[0] = rope{300, 300} },
		"no fee":                             func(s *stall) { s.Fee = nil },
		"another key of the map":             func(s *stall) { delete(s.Prices, "a"); s.Prices["c"] = amount{1} },
		"a spot":                             func(s *stall) { s.Line = s.Line.With(0, spot{X: 5.5}) },
		"an arm of a spot": func(s *stall) {
			s.Line = s.Line.With(0,
				spot{X: 5, A: [2]float64{0, 1e-9}})
		},
		"fewer spots":        func(s *stall) { s.Line = ListOf(s.Line.At(0)) },
		"the order of goods": func(s *stall) { slices.Reverse(s.Goods) },
	} {
		c := Clone(s)
		change(&c)
		if Key(c) == base {
			t.Errorf("%s makes no other key", name)
		}
	}
}

func set(path string, value any) []Op {
	b, err := json.Marshal(value)
	if err != nil {
		panic(err)
	}
	return []Op{{Op: "replace", Path: path, Value: b}}
}

func TestApply(t *testing.T) {
	s := full()
	before := string(Encode(s))
	for _, tt := range []struct{ ops, want string }{
		{`[{"op":"replace","path":"/paint/gold","value":0.5}]`, `"paint":{"red":0.25,"gold":0.5}`},
		{`[{"op":"replace","path":"/paint","value":{"gold":1}}]`, `"paint":{"red":0.25,"gold":1}`},
		{`[{"op":"remove","path":"/width"}]`, `"width":85.7`},
		{`[{"op":"replace","path":"/width","value":5},{"op":"remove","path":"/width"}]`, `"width":85.7`},
		{`[{"op":"remove","path":"/fee"}]`, `"goods":[{"kind":"loaf","grams":300},{"kind":"rope","from":10,"to":30}],"prices"`},
		{`[{"op":"add","path":"/fee","value":{"sum":1}}]`, `"fee":{"sum":1}`},
		{`[{"op":"replace","path":"/fee/sum","value":1}]`, `"fee":{"sum":1}`},
		{`[{"op":"add","path":"/goods/0","value":{"kind":"loaf","grams":7}}]`, `"goods":[{"kind":"loaf","grams":7},{"kind":"loaf","grams":300},`},
		{`[{"op":"add","path":"/goods/-","value":{"kind":"loaf"}}]`, `{"kind":"rope","from":10,"to":30},{"kind":"loaf","grams":500}]`},
		{`[{"op":"add","path":"/goods/2","value":{"kind":"loaf"}}]`, `{"kind":"rope","from":10,"to":30},{"kind":"loaf","grams":500}]`},
		{`[{"op":"remove","path":"/goods/0"}]`, `"goods":[{"kind":"rope","from":10,"to":30}]`},
		{`[{"op":"replace","path":"/goods/1","value":{"kind":"loaf"}}]`, `"goods":[{"kind":"loaf","grams":300},{"kind":"loaf","grams":500}]`},
		{`[{"op":"replace","path":"/goods/1/to","value":50}]`, `{"kind":"rope","from":10,"to":50}`},
		{`[{"op":"shift","path":"/goods/1","value":[1,2]}]`, `{"kind":"rope","from":11,"to":32}`},
		{`[{"op":"replace","path":"/prices/a/of","value":5}]`, `"prices":{"a":{"of":5},"b":{"of":2}}`},
		{`[{"op":"remove","path":"/prices/b"},{"op":"add","path":"/prices/z~1~0","value":{"of":3}}]`, `"prices":{"a":{"of":1},"z/~":{"of":3}}`},
		{`[{"op":"replace","path":"/edge/1","value":9}]`, `"edge":[-3,9]`},
		{`[{"op":"replace","path":"/line/0/x","value":6}]`, `"line":[{"x":6},{"x":7,"a":[1,-1]}]`},
		{`[{"op":"replace","path":"/line/1/a/0","value":2}]`, `{"x":7,"a":[2,-1]}`},
		{`[{"op":"add","path":"/line/-","value":{"x":1}}]`, `{"x":7,"a":[1,-1]},{"x":1}]`},
		{`[{"op":"remove","path":"/line/0"}]`, `"line":[{"x":7,"a":[1,-1]}]`},
		{`[{"op":"remove","path":"/line/1/a"}]`, `"line":[{"x":5},{"x":7}]`},
	} {
		ops, err := ParseOps([]byte(tt.ops))
		if err != nil {
			t.Fatal(err)
		}
		got, err := Apply(s, ops, market)
		if err != nil || !strings.Contains(string(Encode(got)), tt.want) {
			t.Errorf("%s gives %v\n%s", tt.ops, err, Encode(got))
		}
		if string(Encode(s)) != before {
			t.Fatalf("%s changed the value itself:\n%s", tt.ops, Encode(s))
		}
	}
}

func TestApplyRefuses(t *testing.T) {
	s := full()
	for ops, want := range map[string]string{
		`{"op":"replace","path":"/roof","value":1}`:                            "roof: The change does not fit",
		`{"op":"replace","path":"/goods/2","value":{"kind":"loaf"}}`:           "goods[2]: The change does not fit",
		`{"op":"replace","path":"/goods/-1","value":{"kind":"loaf"}}`:          "goods[-1]: The change does not fit",
		`{"op":"replace","path":"/goods/01","value":{"kind":"loaf"}}`:          "goods[01]: The change does not fit",
		`{"op":"add","path":"/goods/3","value":{"kind":"loaf"}}`:               "goods[3]: The change does not fit",
		`{"op":"remove","path":"/goods/-"}`:                                    "goods[-]: The change does not fit",
		`{"op":"replace","path":"/prices/c","value":{"of":1}}`:                 "prices.c: The change does not fit",
		`{"op":"replace","path":"/width/x","value":1}`:                         "width: The change does not fit",
		`{"op":"remove","path":"/goods"}`:                                      "goods: This value cannot be deleted.",
		`{"op":"remove","path":""}`:                                            "This value cannot be deleted.",
		`{"op":"remove","path":"/edge/0"}`:                                     "edge: This value cannot be deleted.",
		`{"op":"replace","path":"/mark","value":"x"}`:                          "mark: This value cannot be changed.",
		`{"op":"remove","path":"/mark"}`:                                       "mark: This value cannot be changed.",
		`{"op":"copy","path":"/width","value":1}`:                              `width: "copy" is not an operation`,
		`{"op":"move","from":"/line/0","path":"/edge/0"}`:                      "edge/0: Items can only be reordered within",
		`{"op":"move","from":"/line/0","path":"/line/9"}`:                      "line[0]: The change does not fit",
		`{"op":"move","from":"/line/9","path":"/line/0"}`:                      "line[9]: The change does not fit",
		`{"op":"move","path":"/line/0"}`:                                       "line/0: Items can only be reordered within",
		`{"op":"shift","path":"/width","value":[1,2]}`:                         "width: This item cannot be moved.",
		`{"op":"shift","path":"/goods/1","value":3}`:                           "goods[1]: This item cannot be moved.",
		`{"op":"shift","path":"/goods/1","value":[0,99]}`:                      "goods[1].to: 129 is out of range",
		`{"op":"replace","path":"/width","value":1000}`:                        "width: 1000 is out of range",
		`{"op":"replace","path":"/goods/1/to","value":5}`:                      "goods[1].to: The rope ends before it begins.",
		`{"op":"replace","path":"/goods/1","value":{"kind":"cake"}}`:           "goods[1].kind",
		`{"op":"replace","path":"/goods/1","value":{"kind":"loaf","grams":0}}`: "goods[1].grams: 0 is out of range",
		`{"op":"replace","path":"/width"}`:                                     "width: The value is not valid JSON.",
		`{"op":"replace","path":"/line/0/x","value":601}`:                      "line[0].x: 601 is out of range",
		`{"op":"replace","path":"/line/5/x","value":1}`:                        "line[5]: The change does not fit",
		`{"op":"add","path":"/prices/c","value":{"of":1}}`:                     "prices: There are 3 prices",
		`{"op":"replace","path":"/edge/2","value":1}`:                          "edge[2]: The change does not fit",
	} {
		parsed, err := ParseOps([]byte("[" + ops + "]"))
		if err != nil {
			t.Fatal(err)
		}
		got, err := Apply(s, parsed, market)
		if err == nil || !strings.HasPrefix(err.Error(), want) || !fault.Is(err, fault.Invalid) {
			t.Errorf("%s gives %v", ops, err)
		}
		if Key(got) != Key(s) {
			t.Errorf("%s leaves something behind", ops)
		}
	}
	three := full()
	three.Goods = append(three.Goods, loaf{9})
	if _, err := Apply(three, []Op{{Op: "add", Path: "/goods/-", Value: []byte(`{"kind":"loaf"}`)}}, market); err == nil ||
		!strings.Contains(err.Error(), "limit is 3") {
		t.Errorf("a fourth good: %v", err)
	}
	if _, err := ParseOps([]byte(`{}`)); err == nil {
		t.Error("a change that is no list is read")
	}
	one := `{"op":"remove","path":"/x"}`
	if _, err := ParseOps([]byte("[" + strings.Repeat(one+",", MaxOps-1) + one + "]")); err != nil {
		t.Error(err)
	}
	if _, err := ParseOps([]byte("[" + strings.Repeat(one+",", MaxOps) + one + "]")); err == nil {
		t.Error("a change of too many operations is read")
	}
}

func TestTitles(t *testing.T) {
	s := full()
	for _, tt := range []struct {
		op, path, want string
	}{
		{"replace", "/width", "Width"},
		{"replace", "/paint/red", "Paint red"},
		{"replace", "/paint", "Paint"},
		{"replace", "/goods/1/to", "To of good 2"},
		{"replace", "/goods/1", "Good 2"},
		{"remove", "/goods/0", "Delete good 1"},
		{"add", "/goods/0", "Add good 1"},
		{"add", "/goods/-", "Add a good"},
		{"replace", "/goods", "Goods"},
		{"replace", "/fee/sum", "Fee"},
		{"replace", "/edge/0", "Edge"},
		{"replace", "/line/0/x", "Line"},
		{"replace", "/roof", "Change"},
		{"replace", "", "Change"},
	} {
		if got := Title(s, []Op{{Op: tt.op, Path: tt.path}}); got != tt.want {
			t.Errorf("%s of %s is called %q, want %q", tt.op, tt.path, got, tt.want)
		}
	}
	both := []Op{{Op: "replace", Path: "/goods/1/to"}, {Op: "replace", Path: "/goods/1/from"}}
	if got := Title(s, both); got != "Good 2" {
		t.Errorf("two values of one good: %q", got)
	}
	if got := Title(s, append(both, Op{Op: "replace", Path: "/width"})); got != "Change" {
		t.Errorf("values all over: %q", got)
	}
	// One path that leads on from another.
	if got := Title(s, []Op{{Op: "replace", Path: "/goods/1"}, {Op: "replace", Path: "/goods/1/to"}}); got != "Good 2" {
		t.Errorf("a good and a value of it: %q", got)
	}
	if got := Title(s, []Op{{Op: "replace", Path: "/goods/1/to"}, {Op: "replace", Path: "/goods/1"}}); got != "Good 2" {
		t.Errorf("a value of a good and the good: %q", got)
	}
	if got := Title(s, nil); got != "Change" {
		t.Errorf("nothing: %q", got)
	}
}

func TestScaleAndClone(t *testing.T) {
	s := full()
	k := Scale(s, 2)
	if k.Width != 171.4 || k.Shelf != 6 || k.Edge != [2]float64{-6, 8} ||
		k.Goods[1] != (rope{20, 60}) || k.Line.At(1) != (spot{14, [2]float64{2, -2}}) {
		t.Errorf("lengths are not doubled: %+v", k)
	}
	if k.Rebate != s.Rebate || k.Paint != s.Paint || k.Goods[0] != (loaf{300}) || k.Fee.Sum != 4 ||
		k.Prices["b"].Of != 2 {
		t.Errorf("what is no length is scaled: %+v", k)
	}
	c := Clone(s)
	c.Goods[0], c.Fee.Sum, c.Prices["a"] = loaf{1}, 1, amount{9}
	if s.Goods[0] != (loaf{300}) || s.Fee.Sum != 4 || s.Prices["a"].Of != 1 {
		t.Error("a clone shares what can change")
	}
}

// A list is written in the same way whether its items write themselves or not.
type selfish struct{ A, B float64 }

func (s selfish) AppendBinary(b []byte) ([]byte, error) {
	return appendItems(b, [][2]float64{{s.A, s.B}}), nil
}

type plainPair struct{ A, B float64 }

func TestLists(t *testing.T) {
	var own []selfish
	var other []plainPair
	for i := range 1000 {
		own, other = append(own, selfish{float64(i), 1 / float64(i+1)}),
			append(other, plainPair{float64(i), 1 / float64(i+1)})
	}
	a, b := ListOf(own...), ListOf(other...)
	if string(a.Bytes()) != string(b.Bytes()) || a.Key() != b.Key() || len(a.Bytes()) != 16000 {
		t.Error("items that write themselves are named differently")
	}
	// The name is the SHA-256 of the bytes, as sha256sum prints it.
	if got := ListOf(plainPair{1, 2}).Key(); got != "dc91ce9a50ddc828740aa26743716897fdb2bb64f1db662fe263a59be56145ae" {
		t.Errorf("the pair 1, 2 is named %s", got)
	}
	if (List[plainPair]{}).Key() != "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855" {
		t.Error("the empty list is not named by the hash of nothing")
	}
	if n := b.With(3, plainPair{}); n.At(3) != (plainPair{}) || b.At(3).A != 3 ||
		n.Key() == b.Key() || n.Len() != 1000 {
		t.Error("With changes the list itself, or nothing")
	}
}

func TestPackAndResolve(t *testing.T) {
	s := full()
	doc, lists := Pack(s)
	if len(lists) != 0 || string(doc) != string(Encode(s)) {
		t.Errorf("a short list is kept beside: %s", doc)
	}
	spots := make([]spot, Inline+1)
	for i := range spots {
		spots[i].X = float64(i)
	}
	s.Line = ListOf(spots[:Inline]...)
	if _, lists = Pack(s); len(lists) != 0 {
		t.Errorf("a list of %d is kept beside", Inline)
	}
	s.Line = ListOf(spots...)
	doc, lists = Pack(s)
	if len(lists) != 1 || !strings.Contains(string(doc), `"line":"`+s.Line.Key()+`"`) ||
		string(doc) != string(Brief(s)) {
		t.Fatalf("a long list stands in the document: %s, %d lists", doc, len(lists))
	}
	back, err := decode(string(doc))
	if err != nil || !back.Line.Away() || back.Line.Key() != s.Line.Key() {
		t.Fatalf("read: %v, %v", err, back.Line)
	}
	if err := Validate(back, market); err == nil ||
		!strings.Contains(err.Error(), "line: A list that this change needs is missing.") {
		t.Errorf("without its list it counts as valid: %v", err)
	}
	if _, err := Apply(back, set("/line/0/x", 1), market); err == nil ||
		!strings.Contains(err.Error(), "missing") {
		t.Errorf("a list that is away is changed: %v", err)
	}
	got, err := Resolve(back, func(key string) ([]byte, error) { return lists[key], nil })
	if err != nil || Key(got) != Key(s) || got.Line.Away() ||
		string(Encode(got)) != string(Encode(s)) {
		t.Errorf("with its list it is another: %v", err)
	}
	gone := errors.New("gone")
	if _, err := Resolve(back, func(string) ([]byte, error) { return nil, gone }); !errors.Is(err,
		gone) {
		t.Errorf("a list that cannot be loaded: %v", err)
	}
	if _, err := Resolve(back, func(string) ([]byte, error) {
		return []byte{1, 2, 3}, nil
	}); !fault.Is(err, fault.Invalid) {
		t.Errorf("a list of broken bytes: %v", err)
	}
}

func TestPathsAndAt(t *testing.T) {
	s := full()
	var got []string
	Paths(s, func(path string, set *Setting, v reflect.Value) {
		got = append(got, path)
		found, value, ok := At(s, path)
		if strings.HasPrefix(path, "/prices/") {
			return // what a map holds has no row
		}
		if !ok || found != set || !reflect.DeepEqual(value, v.Interface()) {
			t.Errorf("At(%s) = %v, %v, %v", path, found, value, ok)
		}
	})
	want := "/name /open /width /shelf /rebate /mood /paint/red /paint/gold /goods/0/grams /goods/1/from /goods/1/to /fee/sum /prices/a/of /prices/b/of /edge/0 /edge/1 /mark"
	if strings.Join(got, " ") != want {
		t.Errorf("the paths are\n%s\nwant\n%s", strings.Join(got, " "), want)
	}
	for _, path := range []string{"/roof", "/goods/2", "/goods/x", "/width/1"} {
		if _, v, ok := At(s, path); ok {
			t.Errorf("At(%s) = %v", path, v)
		}
	}
}

func TestFromForm(t *testing.T) {
	type flat struct {
		Name  string  `json:"name" label:"Name" count:"1..8" default:"Stall"`
		Open  bool    `json:"open" label:"Opening" default:"true"`
		Part  float64 `json:"part" label:"Part" range:"0..1" default:"0.5"`
		Shelf int     `json:"shelf" label:"Shelf" range:"0..10" default:"3"`
		Mood  mood    `json:"mood" label:"Mood" default:"calm"`
	}
	for in, want := range map[string]string{
		"":                                     `{"name":"Stall","open":true,"part":0.5,"shelf":3,"mood":"calm"}`,
		"name= Bread ,open=on,part=1,shelf=10": `{"name":"Bread","open":true,"part":1,"shelf":10,"mood":"calm"}`,
		"open=false,mood=loud,part=0.25,shelf= 7": `{"name":"Stall","open":false,"part":0.25,"shelf":7,"mood":"loud"}`,
		"part=half": "part: Part is a number from 0 to 1.",
		"part=2":    "part: 2 is out of range; give a value from 0 to 1.",
		"part=NaN":  "part: This is not a number.",
		"shelf=2.5": "shelf: Shelf is a whole number from 0 to 10.",
		"mood=shy":  `mood: "shy" is not a choice; choose calm, loud.`,
	} {
		form := map[string]string{}
		for _, kv := range strings.Split(in, ",") {
			k, v, _ := strings.Cut(kv, "=")
			form[k] = v
		}
		var f flat
		err := FromForm(&f, func(name string) string { return form[name] }, market)
		got := string(Encode(f))
		if err != nil {
			got = err.Error()
		}
		if got != want {
			t.Errorf("%q gives %s, want %s", in, got, want)
		}
	}
}

func TestSchemaSaysWhatIsDeclared(t *testing.T) {
	var s struct {
		Properties, Defs map[string]any
		Required         []string
		D                map[string]map[string]any `json:"$defs"`
	}
	if err := json.Unmarshal(Schema[stall]("id", "Stall", Frame{W: 1000, H: 500}), &s); err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]string{
		"name":   `{"default":"Stall","description":"Name","maxLength":8,"minLength":1,"type":"string"}`,
		"open":   `{"default":true,"description":"Opening","type":"boolean"}`,
		"width":  `{"description":"Width (in pixels of the photo)","maximum":1000,"minimum":1,"type":"number"}`,
		"shelf":  `{"default":3,"description":"Shelf (in pixels of the photo)","maximum":10,"minimum":0,"type":"integer"}`,
		"mood":   `{"default":"calm","description":"Mood","enum":["calm","loud"],"type":"string"}`,
		"paint":  `{"$ref":"#/$defs/paint"}`,
		"goods":  `{"description":"Goods","items":{"$ref":"#/$defs/good"},"maxItems":3,"minItems":0,"type":"array"}`,
		"fee":    `{"anyOf":[{"$ref":"#/$defs/fee"},{"type":"null"}]}`,
		"prices": `{"additionalProperties":{"$ref":"#/$defs/amount"},"description":"Prices","maxProperties":2,"minProperties":0,"type":"object"}`,
		"edge":   `{"description":"Edge (in pixels of the photo)","items":{"maximum":500,"minimum":-500,"type":"number"},"maxItems":2,"minItems":2,"type":"array"}`,
		"line":   `{"anyOf":[{"items":{"$ref":"#/$defs/spot"},"maxItems":100,"minItems":0,"type":"array"},{"pattern":"^[0-9a-f]{64}$","type":"string"}],"description":"Line"}`,
	} {
		if got, _ := json.Marshal(s.Properties[name]); string(got) != want {
			t.Errorf("%s:\n%s\nwant\n%s", name, got, want)
		}
	}
	if !slices.Equal(s.Required, []string{"goods"}) {
		t.Errorf("required: %v", s.Required)
	}
	if got, _ := json.Marshal(s.D["good"]); !strings.Contains(
		string(got),
		`"kind":{"const":"rope"}`,
	) ||
		!strings.Contains(string(got), `"required":["kind","from"]`) {
		t.Errorf("goods: %s", got)
	}
}

func TestManualSaysWhatIsDeclared(t *testing.T) {
	got := Manual[stall]()
	for _, want := range []string{
		"| `width` | Width | px | 1 to W | W/7 |  |\n", "| `mood` | Mood |  | calm, loud | calm |  |\n", "| `name` | Name |  | 1 to 8 characters | Stall |  |\n",
		"| `goods[]` of kind `rope` | Rope | | | | |\n| `goods[].from` | From | px | 0 to 100 |  |  |\n", "| `paint.red` | Red |  | 0 to 1 | 0.25 |  |\n",
		"| `goods` | Goods |  | 0 to 3 goods |  |  |\n", "| `line[].a` | Arm | px | -9 to 9 |  |  |\n",
	} {
		if !strings.Contains(got, want) {
			t.Errorf("the manual has no line\n%s", want)
		}
	}
	if t.Failed() {
		t.Log(got)
	}
}

func TestKinds(t *testing.T) {
	if Word[good](rope{}) != "rope" {
		t.Errorf("a rope is a %s", Word[good](rope{}))
	}
	for name, do := range map[string]func(){
		"a kind that is none":     func() { Register[good](Kind{Word: "pin", Zero: paint{}}) },
		"an unregistered type":    func() { Kinds(reflect.TypeFor[fmt.Stringer]()) },
		"a value of unknown kind": func() { Word[good](stranger{}) },
		"a channel among settings": func() {
			Encode(struct {
				C chan int `json:"c"`
			}{})
		},
	} {
		func() {
			defer func() {
				if recover() == nil {
					t.Errorf("%s is taken", name)
				}
			}()
			do()
		}()
	}
}

type stranger struct{}

func (stranger) weight() float64 { return 0 }

func ExampleApply() {
	type lamp struct {
		Level float64 `json:"level" label:"Level" unit:"%" range:"0..2" default:"1"`
		Reach float64 `json:"reach" label:"Reach" unit:"px" range:"1..L" default:"L/4"`
	}
	f := Frame{W: 3000, H: 2000}
	l := New[lamp](f)
	ops := []Op{{Op: "replace", Path: "/level", Value: []byte("0.5")}}
	next, err := Apply(l, ops, f)
	fmt.Println(Title(l, ops), string(Encode(next)), err)
	fmt.Println(string(Encode(Scale(next, 2))))
	_, err = Apply(l, []Op{{Op: "replace", Path: "/level", Value: []byte("9")}}, f)
	fmt.Println(err)
	// Output:
	// Level {"level":0.5,"reach":750} <nil>
	// {"level":0.5,"reach":1500}
	// level: 9 is out of range; give a value from 0 to 2.
}
