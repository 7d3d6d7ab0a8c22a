package web

import (
	"bytes"
	"encoding/json"
	"image"
	"math"
	"net/url"
	"strings"
	"testing"

	"pyrant/internal/base/codec"
)

// lens50 is an EXIF block that tells of a lens of 50 mm on film.
const lens50 = "II*\x00\x08\x00\x00\x00\x01\x00\x69\x87\x04\x00\x01\x00\x00\x00\x1a\x00\x00\x00\x00\x00\x00\x00" +
	"\x01\x00\x05\xa4\x03\x00\x01\x00\x00\x00\x32\x00\x00\x00\x00\x00\x00\x00"

// A room that is made by one line sees as far across as the photo's lens did, and a line along the
// horizon makes a floor alone.
func TestRoomByOneLine(t *testing.T) {
	a := start(t, Options{})
	var file bytes.Buffer
	if err := codec.Write(&file, image.NewRGBA(image.Rect(0, 0, 300, 200)),
		codec.Options{Format: "png", EXIF: []byte(lens50)}); err != nil {
		t.Fatal(err)
	}
	resp, body := a.upload("quay.png", file.Bytes())
	var told struct{ URL string }
	if err := json.Unmarshal([]byte(body), &told); err != nil || resp.StatusCode != 201 {
		t.Fatalf("upload: %d %.200s", resp.StatusCode, body)
	}
	at := told.URL
	if code, body := a.act(at, "set-horizon", url.Values{"points": {`[{"x":150,"y":20},{"x":152,"y":180}]`}}); code != 422 ||
		!strings.Contains(body, "is upright") {
		t.Errorf("an upright horizon: %d %.200s", code, body)
	}
	if r := a.recipe(at); r.Room.On {
		t.Error("what was refused made a room")
	}
	if code, body := a.act(at, "set-horizon", url.Values{"points": {`[{"x":250,"y":85},{"x":50,"y":75}]`}}); code != 200 {
		t.Fatalf("the horizon: %d %.200s", code, body)
	}
	m := a.recipe(at).Room
	if !m.On || m.Horizon != 80 || math.Abs(m.Roll-2.9) > 0.01 || len(m.Walls) != 0 ||
		math.Abs(m.View-39.6) > 0.05 {
		t.Errorf("the room is %+v", m)
	}
	if code, body := a.act(at, "add-wall", url.Values{"points": {`[{"x":20,"y":120},{"x":280,"y":121}]`}}); code != 200 {
		t.Fatalf("a wall: %d %.200s", code, body)
	}
	if m := a.recipe(at).Room; len(m.Walls) != 1 || m.Horizon != 80 {
		t.Errorf("with a wall the room is %+v", m)
	}
	// Above the wall's foot the ground may not end.
	if code, body := a.act(at, "set-horizon", url.Values{"points": {`[{"x":0,"y":150},{"x":300,"y":150}]`}}); code != 422 {
		t.Errorf("a horizon below a wall: %d %.200s", code, body)
	}
}
