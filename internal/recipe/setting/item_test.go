package setting

import (
	"encoding/json"
	"strings"
	"testing"

	"pyrant/internal/base/fault"
)

// bead is an item, pearl another as a kind of an interface.
type bead struct {
	ID    string  `json:"id,omitzero" key:"-" count:"0..64"`
	Name  string  `json:"name" label:"Name" default:"" count:"0..9"`
	Size  float64 `json:"size" label:"Size" default:"1" range:"0..9"`
	Holes []hole  `json:"holes,omitzero" label:"Holes" count:"0..9" each:"hole"`
}

type hole struct {
	At float64 `json:"at" label:"At" range:"0..9"`
}

type charm interface{ charm() }

type pearl struct {
	ID string  `json:"id,omitzero" key:"-" count:"0..64"`
	R  float64 `json:"r" label:"R" range:"0..9"`
}

func (pearl) charm() {}

var _ = Register[charm](Kind{Word: "pearl", Zero: pearl{}})

type chain struct {
	Beads  []bead  `json:"beads" label:"Beads" count:"0..5" each:"bead"`
	Charms []charm `json:"charms" label:"Charms" count:"0..5" each:"charm"`
}

func beads() chain {
	return chain{
		[]bead{{ID: "a", Name: "A"}, {ID: "b/1", Name: "B", Holes: []hole{{1}, {2}}}, {ID: "c"}},
		[]charm{pearl{ID: "p", R: 1}, pearl{ID: "q", R: 2}},
	}
}

func change1(t *testing.T, c chain, ops string) (chain, error) {
	t.Helper()
	list, err := ParseOps([]byte(ops))
	if err != nil {
		t.Fatal(err)
	}
	return Apply(c, list, Frame{})
}

func order(c chain) (s string) {
	for _, b := range c.Beads {
		s += b.ID + " "
	}
	for _, p := range c.Charms {
		s += p.(pearl).ID + " "
	}
	return strings.TrimSpace(s)
}

// Items are found by their ids wherever they stand, and keep them whatever becomes of them.
func TestItems(t *testing.T) {
	for _, tt := range []struct{ what, ops, order string }{
		{"a value", `[{"op":"replace","path":"/beads/id:a/size","value":3}]`, "a b/1 c p q"},
		{"of an id with a slash", `[{"op":"replace","path":"/beads/id:b~11/holes/1/at","value":3}]`, "a b/1 c p q"},
		{"deleted", `[{"op":"remove","path":"/beads/id:a"},{"op":"remove","path":"/charms/id:q"}]`, "b/1 c p"},
		{"replaced", `[{"op":"replace","path":"/beads/id:c","value":{"name":"C"}}]`, "a b/1 c p q"},
		{"replaced by a copy of another", `[{"op":"replace","path":"/beads/id:c","value":{"id":"a"}}]`, "a b/1 c p q"},
		{"a kind replaced", `[{"op":"replace","path":"/charms/id:p","value":{"kind":"pearl","r":4}}]`, "a b/1 c p q"},
		{"moved", `[{"op":"move","from":"/beads/id:c","path":"/beads/id:a"}]`, "c a b/1 p q"},
		{"added before", `[{"op":"add","path":"/beads/id:c","value":{"id":"new"}}]`, "a b/1 new c p q"},
		{"a copy added", `[{"op":"add","path":"/beads/-","value":{"id":"a","name":"A"}}]`, "a b/1 c  p q"},
		{"changed after another went", `[{"op":"remove","path":"/beads/id:a"},{"op":"replace","path":"/beads/id:c/name","value":"Z"}]`, "b/1 c p q"},
	} {
		got, err := change1(t, beads(), tt.ops)
		if err != nil || order(got) != tt.order {
			t.Errorf("%s: %q, %v, want %q", tt.what, order(got), err, tt.order)
		}
	}
	got, err := change1(t, beads(), `[{"op":"remove","path":"/beads/id:a"},
		{"op":"replace","path":"/beads/id:c/name","value":"Z"}]`)
	if err != nil || got.Beads[1].Name != "Z" {
		t.Errorf("the last bead is %+v, %v", got.Beads[1], err)
	}
}

// An item that is gone refuses the change, and Gone says which it was; an id cannot be changed.
func TestItemsThatAreGone(t *testing.T) {
	c := beads()
	for _, tt := range []struct{ ops, gone string }{
		{`[{"op":"replace","path":"/beads/id:x/size","value":3}]`, "/beads/id:x"},
		{`[{"op":"remove","path":"/beads/id:a"},{"op":"replace","path":"/beads/id:y~1z/size","value":3}]`, "/beads/id:y~1z"},
		{`[{"op":"move","from":"/beads/id:z","path":"/beads/id:a"}]`, "/beads/id:z"},
		{`[{"op":"move","from":"/beads/id:a","path":"/beads/id:z"}]`, "/beads/id:z"},
		{`[{"op":"remove","path":"/charms/id:a"}]`, "/charms/id:a"},
	} {
		_, err := change1(t, c, tt.ops)
		if !fault.Is(err, fault.Gone) {
			t.Errorf("%s: %v", tt.ops, err)
		}
		ops, _ := ParseOps([]byte(tt.ops))
		if got := Gone(c, ops); got != tt.gone {
			t.Errorf("%s: gone is %q, want %q", tt.ops, got, tt.gone)
		}
	}
	if ops, _ := ParseOps([]byte(`[{"op":"remove","path":"/beads/id:a"},{"op":"remove","path":"/beads/0"}]`)); Gone(
		c,
		ops,
	) != "" {
		t.Error("what is there is gone")
	}
	if _, err := change1(t, c, `[{"op":"replace","path":"/beads/0/id","value":"n"}]`); !fault.Is(
		err,
		fault.Invalid,
	) {
		t.Errorf("an id is changed: %v", err)
	}
	c.Beads[2].ID = "a"
	if err := Validate(c, Frame{}); err == nil || !strings.Contains(err.Error(), `the id "a"`) {
		t.Errorf("one id twice: %v", err)
	}
}

// A path by position says the same by ids, and both lead to the same value.
func TestByID(t *testing.T) {
	c := beads()
	for path, want := range map[string]string{
		"/beads/1/holes/0/at": "/beads/id:b~11/holes/0/at", "/charms/1/r": "/charms/id:q/r",
		"/beads/-": "/beads/-", "/beads": "/beads", "/beads/9/size": "/beads/9/size", "": "",
		"/beads/id:a/name": "/beads/id:a/name",
	} {
		got := ByID(c, path)
		if got != want {
			t.Errorf("%s is %s, want %s", path, got, want)
		}
		_, a, _ := At(c, path)
		_, b, _ := At(c, got)
		x, _ := json.Marshal(a)
		y, _ := json.Marshal(b)
		if string(x) != string(y) {
			t.Errorf("%s is %s, %s is %s", path, x, got, y)
		}
	}
	c.Beads[0].ID = ""
	if got := ByID(c, "/beads/0/size"); got != "/beads/0/size" {
		t.Errorf("an item without an id: %s", got)
	}
}

// Ids that are missing are made, different ones by chance or the same each time; those that are
// there stay, and no id is part of a key.
func TestIdentify(t *testing.T) {
	c := beads()
	if got := Identify(c, false); &got.Beads[0] != &c.Beads[0] {
		t.Error("a value with all ids is copied")
	}
	for i := range c.Beads {
		c.Beads[i] = bead{}
	}
	c.Charms[1] = pearl{R: 2}
	x, y := Identify(c, false), Identify(c, false)
	if order(x) == order(y) || c.Beads[0].ID != "" {
		t.Errorf("by chance twice: %q", order(x))
	}
	if x.Charms[0] != c.Charms[0] {
		t.Error("an id that was there is another now")
	}
	x, y = Identify(c, true), Identify(c, true)
	if order(x) != order(y) || Validate(x, Frame{}) != nil {
		t.Errorf("of what they hold: %q and %q", order(x), order(y))
	}
	// What an item holds makes its id, not where it stands.
	c.Beads = append([]bead{{Name: "first"}}, c.Beads...)
	if z := Identify(c, true); z.Beads[1].ID != x.Beads[0].ID || z.Charms[1] != x.Charms[1] {
		t.Errorf("behind another: %q, before %q", order(z), order(x))
	}
	if Key(x) != Key(Identify(x, false)) || Key(x) == Key(c) {
		t.Error("the key is not that of the values")
	}
}
