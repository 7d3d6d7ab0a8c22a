package web

import (
	"net/url"
	"reflect"
	"testing"

	"pyrant/internal/base/fault"
	"pyrant/internal/edit/action"
)

// asking is a request with a field of each kind.
type asking struct {
	action.OfLight
	Name   string        `form:"name,optional"`
	Radius float64       `form:"radius"`
	Fresh  bool          `form:"fresh"`
	Points action.Points `form:"points,optional"`
	Seq    *int          `form:"seq,optional"`
}

func TestBindForm(t *testing.T) {
	form := func(pairs ...string) url.Values {
		out := url.Values{}
		for i := 0; i < len(pairs); i += 2 {
			out.Set(pairs[i], pairs[i+1])
		}
		return out
	}
	var got asking
	if err := bindForm(form("light", "3", "radius", "2.5", "points", `[{"x":1,"y":2}]`, "fresh",
		"1", "seq", "7", "name", "A b"), &got); err != nil {
		t.Fatal(err)
	}
	seven := 7
	want := asking{
		action.OfLight{Light: "3"},
		"A b",
		2.5,
		true,
		action.Points{{X: 1, Y: 2}},
		&seven,
	}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("got %+v, want %+v", got, want)
	}
	got = asking{}
	if err := bindForm(form("light", "0", "radius", "1"), &got); err != nil || got.Radius != 1 ||
		got.Fresh || got.Seq != nil {
		t.Errorf("without what is optional: %+v, %v", got, err)
	}
	for _, f := range []url.Values{
		form("radius", "1"), form("light", "1", "radius", "x"), form("light", "1"),
		form("light", "1", "radius", "NaN"), form("light", "1", "radius", "Inf"),
		form("light", "1", "radius", "1", "points", "{"), form("light", "1", "radius", "1", "seq", "1.5"),
	} {
		if err := bindForm(f, new(asking)); !fault.Is(err, fault.Invalid) {
			t.Errorf("%v: %v", f, err)
		}
	}
}
