package store

import (
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/shape"
)

// The list of revisions comes in parts, the newest first, and one goes to any of them and back.
func TestPast(t *testing.T) {
	s := open(t, t.TempDir())
	shot := addShot(t, s)
	for i := 1; i <= 12; i++ {
		var err error
		if shot, err = s.Commit(ctx, shot.ID, shot.Version, dusk(-float64(i)/10),
			fmt.Sprint("Step ", i)); err != nil {
			t.Fatal(err)
		}
	}
	list, err := s.Past(ctx, shot.ID, 0, 5)
	if err != nil || len(list) != 5 || list[0].Title != "Step 12" || list[4].Seq != 9 {
		t.Fatalf("%+v, %v", list, err)
	}
	if list, _ = s.Past(ctx, shot.ID, list[4].Seq, 50); len(list) != 8 || list[0].Seq != 8 ||
		list[7].Title != "Opened" {
		t.Fatalf("the rest: %+v", list)
	}
	if shot, err = s.Go(ctx, shot.ID, shot.Version, 4); err != nil || head(t, s, shot.ID) != -0.3 {
		t.Fatalf("gone to the fourth: %v, %v", head(t, s, shot.ID), err)
	}
	if shot, err = s.Go(ctx, shot.ID, shot.Version, 13); err != nil || head(t, s, shot.ID) != -1.2 {
		t.Fatalf("and forth: %v, %v", head(t, s, shot.ID), err)
	}
	for _, bad := range []int{0, -1, 14} {
		if _, err := s.Go(ctx, shot.ID, shot.Version, bad); err == nil {
			t.Errorf("there is a revision %d", bad)
		}
	}
	if _, err := s.Go(ctx, shot.ID, shot.Version-1, 2); err != ErrStale {
		t.Errorf("of an older version: %v", err)
	}
}

// A mark keeps its recipe when its revision is gone, with the points that it names; who goes back
// far and changes something finds what was left under a mark.
func TestMarks(t *testing.T) {
	s := open(t, t.TempDir())
	shot := addShot(t, s)
	long := recipe.New(30, 20)
	long, _, _ = edit.AddLight(long)
	var nodes []shape.Node
	for i := range 600 {
		nodes = append(nodes, shape.Node{X: float64(i) / 20, Y: float64(i%19) / 1.5})
	}
	long.Lights[0].Shapes = shape.Shapes{shape.Outline{Nodes: shape.PathOf(nodes...)}}
	commit := func(r *recipe.Recipe, title string) {
		t.Helper()
		var err error
		if shot, err = s.Commit(ctx, shot.ID, shot.Version, r, title); err != nil {
			t.Fatal(err)
		}
	}
	commit(long, "Long")
	m, err := s.SetMark(ctx, shot.ID, 2, "The outline")
	if err != nil {
		t.Fatal(err)
	}
	if shot, err = s.Step(ctx, shot.ID, shot.Version, -1); err != nil {
		t.Fatal(err)
	}
	commit(dusk(-1), "Other")
	if err := s.Collect(ctx); err != nil {
		t.Fatal(err)
	}
	r, name, err := s.MarkRecipe(ctx, shot.ID, m.ID)
	if err != nil || name != "The outline" || r.Lights[0].Shapes.Key() != long.Lights[0].Shapes.Key() {
		t.Fatalf("the mark is %q: %v", name, err)
	}
	if list, _ := s.Marks(ctx, shot.ID); len(list) != 1 || list[0].Recipe != "" {
		t.Errorf("marks %+v", list)
	}
	for i := 1; i <= 5; i++ {
		commit(dusk(-1-float64(i)/10), fmt.Sprint("Step ", i))
	}
	if shot, err = s.Go(ctx, shot.ID, shot.Version, 2); err != nil {
		t.Fatal(err)
	}
	commit(dusk(1), "Elsewhere")
	list, err := s.Marks(ctx, shot.ID)
	if err != nil || len(list) != 2 || !strings.HasPrefix(list[0].Name, "Left at ") {
		t.Fatalf("after going back far: %+v, %v", list, err)
	}
	if r, _, err := s.MarkRecipe(ctx, shot.ID, list[0].ID); err != nil || r.Dusk.Daylight != -1.5 {
		t.Errorf("what was left is %v, %v", r, err)
	}
	// One step back and elsewhere is what undo is for, and leaves none.
	if shot, err = s.Step(ctx, shot.ID, shot.Version, -1); err != nil {
		t.Fatal(err)
	}
	commit(dusk(2), "Elsewhere again")
	if list, _ := s.Marks(ctx, shot.ID); len(list) != 2 {
		t.Errorf("after one step back there are %d marks", len(list))
	}
	if err := s.RenameMark(ctx, shot.ID, m.ID, "Outline, early"); err != nil {
		t.Error(err)
	}
	for _, bad := range []error{s.RenameMark(ctx, shot.ID, m.ID, ""), s.RenameMark(ctx, "none",
		m.ID, "X"), s.RemoveMark(ctx, shot.ID, "none")} {
		if bad == nil {
			t.Error("a mark is renamed or removed that cannot be")
		}
	}
	if _, err := s.SetMark(ctx, shot.ID, 99, "Nothing"); err == nil {
		t.Error("a revision that is not there has a mark")
	}
	if err := s.RemoveMark(ctx, shot.ID, m.ID); err != nil {
		t.Error(err)
	}
	if _, _, err := s.MarkRecipe(ctx, shot.ID, m.ID); err == nil {
		t.Error("the mark is still there")
	}
	// All go with the shot.
	if err := s.PutAside(ctx, shot.ID); err != nil {
		t.Fatal(err)
	}
	if err := s.Remove(ctx, shot.ID); err != nil {
		t.Fatal(err)
	}
	if list, _ := s.Marks(ctx, shot.ID); len(list) != 0 {
		t.Errorf("%d marks of no shot", len(list))
	}
}

// Small pictures are bounded in number and in bytes; the oldest give way.
func TestSmall(t *testing.T) {
	s := open(t, t.TempDir())
	if s.Small("ab") != nil {
		t.Error("there is a picture of nothing")
	}
	for _, bad := range []string{"", "../x", "AB", "a/b"} {
		if s.KeepSmall(bad, []byte("x")) == nil {
			t.Errorf("%q is a key", bad)
		}
	}
	big := make([]byte, SmallBytes/4)
	for i := range 5 {
		key := fmt.Sprintf("%02x", i)
		if err := s.KeepSmall(key, big); err != nil {
			t.Fatal(err)
		}
		old := time.Now().Add(time.Duration(i-100) * time.Minute)
		if err := os.Chtimes(s.smallDir()+"/"+key+".jpg", old, old); err != nil {
			t.Fatal(err)
		}
	}
	if err := s.KeepSmall("ff", []byte("last")); err != nil {
		t.Fatal(err)
	}
	if s.Small("00") != nil || s.Small("01") != nil || s.Small("04") == nil || string(s.Small("ff")) != "last" {
		t.Error("others than the oldest gave way")
	}
}
