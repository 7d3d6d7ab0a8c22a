package setting

import (
	"bytes"
	"math/rand/v2"
	"strings"
	"testing"

	"pyrant/internal/base/fault"
)

type picture struct {
	Edge float64 `json:"edge" label:"Edge" unit:"px" range:"0..100" default:"1"`
	Data Bytes   `json:"data,omitzero" label:"Pixels"`
}

func noise(n int) []byte {
	r := rand.New(rand.NewPCG(3, 4))
	b := make([]byte, n)
	for i := range b {
		b[i] = byte(r.UintN(256))
	}
	return b
}

func TestBytesStandInACompleteDocument(t *testing.T) {
	for _, n := range []int{0, 1, 500, 20_000} {
		v := picture{2, BytesOf(noise(n))}
		raw, err := Parse(Encode(v), "picture")
		if err != nil {
			t.Fatal(err)
		}
		var got picture
		if err := Decode(raw, &got, Frame{}); err != nil || !bytes.Equal(got.Data.Bytes(),
			v.Data.Bytes()) || got.Data.Key() != v.Data.Key() {
			t.Errorf("%d bytes: %v, %d come back", n, err, got.Data.Len())
		}
		if err := Validate(got, Frame{}); err != nil {
			t.Errorf("%d bytes: %v", n, err)
		}
	}
}

func TestLargeBytesAreKeptBeside(t *testing.T) {
	small, large := picture{1, BytesOf(noise(100))}, picture{1, BytesOf(noise(5000))}
	if doc, lists := Pack(small); len(lists) != 0 || len(doc) < 100 {
		t.Errorf("a hundred bytes: %d beside a document of %d", len(lists), len(doc))
	}
	doc, lists := Pack(large)
	key := large.Data.Key()
	if len(lists) != 1 || !bytes.Equal(lists[key], large.Data.Bytes()) || len(doc) > 200 ||
		!strings.Contains(string(doc), key) {
		t.Fatalf("%d lists beside a document of %d bytes", len(lists), len(doc))
	}
	raw, _ := Parse(doc, "picture")
	var away picture
	if err := Decode(raw, &away, Frame{}); err != nil || !away.Data.Away() {
		t.Fatalf("the document names them: %v", err)
	}
	if err := Validate(away, Frame{}); !fault.Is(err, fault.Invalid) {
		t.Errorf("without them it is valid: %v", err)
	}
	got, err := Resolve(away, func(k string) ([]byte, error) { return lists[k], nil })
	if err != nil || !bytes.Equal(got.Data.Bytes(), large.Data.Bytes()) {
		t.Errorf("brought in: %v", err)
	}
}

func TestBytesAreNoNumbers(t *testing.T) {
	v := picture{2, BytesOf(noise(3000))}
	if s := Scale(v, 3); s.Edge != 6 || s.Data.Key() != v.Data.Key() {
		t.Errorf("scaled: %g, and the bytes changed: %v", s.Edge, s.Data.Key() != v.Data.Key())
	}
	if Key(v) == Key(picture{2, BytesOf(noise(2999))}) {
		t.Error("other bytes have the same key")
	}
	raw, _ := Parse([]byte(`{"edge":1,"data":["no base64!"]}`), "picture")
	var got picture
	if err := Decode(raw, &got, Frame{}); err != nil || got.Data.Len() != 1 {
		t.Errorf("what is no base64: %v, %d bytes, which no owner takes", err, got.Data.Len())
	}
}
