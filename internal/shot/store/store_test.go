package store

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/shot/asset"
)

var ctx = context.Background()

func open(t testing.TB, dir string) *Store {
	t.Helper()
	s, err := Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}

func addShot(t testing.TB, s *Store) *Shot {
	t.Helper()
	shot, err := s.AddShot(
		ctx,
		"Quay",
		Photo{[]byte("a photo's bytes"), "jpeg", 30, 20},
		recipe.New(30, 20),
		"Opened",
	)
	if err != nil {
		t.Fatal(err)
	}
	return shot
}

func dusk(v float64) *recipe.Recipe {
	r := recipe.New(30, 20)
	r.Dusk.Daylight = v
	return r
}

// head returns the daylight of the recipe in force, by which the tests tell
// revisions apart.
func head(t testing.TB, s *Store, id string) float64 {
	t.Helper()
	shot, err := s.Shot(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	rev, err := s.Revision(ctx, id, shot.HeadSeq)
	if err != nil {
		t.Fatal(err)
	}
	doc, err := document(s.db, rev)
	if err != nil {
		t.Fatal(err)
	}
	r, err := edit.Decode(doc)
	if err != nil {
		t.Fatal(err)
	}
	return r.Dusk.Daylight
}

func TestUndoRedoSurviveARestart(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	shot := addShot(t, s)
	var err error
	for i := 1; i <= 3; i++ {
		if shot, err = s.Commit(ctx, shot.ID, shot.Version, dusk(-float64(i)),
			fmt.Sprintf("Daylight %d", i)); err != nil {
			t.Fatal(err)
		}
	}
	if shot, err = s.Step(ctx, shot.ID, shot.Version, -1); err != nil {
		t.Fatal(err)
	}
	s.Close()
	s = open(t, dir)
	if got := head(t, s, shot.ID); got != -2 {
		t.Errorf("after undo and restart daylight is %v, want -2", got)
	}
	undo, redo, err := s.Titles(ctx, shot)
	if err != nil || undo != "Daylight 2" || redo != "Daylight 3" {
		t.Errorf("undo is %q, redo %q, %v", undo, redo, err)
	}
	if shot, err = s.Step(ctx, shot.ID, shot.Version, 1); err != nil || head(t, s, shot.ID) != -3 {
		t.Errorf("redo: %v, daylight %v", err, head(t, s, shot.ID))
	}
	if _, err := s.Step(ctx, shot.ID, shot.Version, 1); !errors.Is(err, ErrNothing) {
		t.Errorf("redo at the end: %v", err)
	}
	// A change after undo ends what could be redone.
	for range 2 {
		if shot, err = s.Step(ctx, shot.ID, shot.Version, -1); err != nil {
			t.Fatal(err)
		}
	}
	if shot, err = s.Commit(ctx, shot.ID, shot.Version, dusk(-7), "Daylight"); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Step(ctx, shot.ID, shot.Version, 1); !errors.Is(err, ErrNothing) ||
		head(t, s, shot.ID) != -7 {
		t.Errorf("redo after a new change: %v", err)
	}
}

func TestStaleWriterIsRefused(t *testing.T) {
	s := open(t, t.TempDir())
	shot := addShot(t, s)
	if _, err := s.Commit(ctx, shot.ID, shot.Version, dusk(-1), "first"); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Commit(ctx, shot.ID, shot.Version, dusk(-2), "second"); !errors.Is(
		err,
		ErrStale,
	) {
		t.Errorf("a commit on an old version: %v", err)
	}
	if got := head(t, s, shot.ID); got != -1 {
		t.Errorf("the refused commit left daylight at %v", got)
	}
}

func TestAsideAndRemove(t *testing.T) {
	s := open(t, t.TempDir())
	shot := addShot(t, s)
	twin, err := s.Duplicate(ctx, shot.ID, "Quay again")
	if err != nil {
		t.Fatal(err)
	}
	if err := s.PutAside(ctx, shot.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Shot(ctx, shot.ID); !errors.Is(err, ErrNotFound) {
		t.Errorf("a shot that was put aside can be had: %v", err)
	}
	if err := s.Bring(ctx, shot.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Shot(ctx, shot.ID); err != nil {
		t.Errorf("a shot that was brought back: %v", err)
	}
	if err := s.Remove(ctx, shot.ID); !errors.Is(err, ErrNotFound) {
		t.Errorf("a shot in use can be removed: %v", err)
	}
	for i, id := range []string{shot.ID, twin.ID} {
		if err := s.PutAside(ctx, id); err != nil {
			t.Fatal(err)
		}
		if err := s.Remove(ctx, id); err != nil {
			t.Fatal(err)
		}
		if _, err := os.Stat(s.FilePath(shot.PhotoSHA)); (err == nil) != (i == 0) {
			t.Errorf("after removing %d of 2 shots, the photo: %v", i+1, err)
		}
	}
}

func TestFullDisk(t *testing.T) {
	s := open(t, t.TempDir())
	shot := addShot(t, s)
	// SQLite is allowed no more pages than it has: what a full disk does to it.
	var pages int
	db, err := s.db.DB()
	if err != nil {
		t.Fatal(err)
	}
	db.SetMaxOpenConns(1)
	if err := s.db.Raw("PRAGMA page_count").Scan(&pages).Error; err != nil {
		t.Fatal(err)
	}
	if err := s.db.Exec("PRAGMA max_page_count = " + strconv.Itoa(pages)).Error; err != nil {
		t.Fatal(err)
	}
	large := strings.Repeat("large ", 10_000)
	if _, err := s.Commit(ctx, shot.ID, shot.Version, dusk(-1), large); !errors.Is(err, ErrFull) {
		t.Errorf("a commit on a full disk: %v", err)
	}
	if got := head(t, s, shot.ID); got != 0 {
		t.Errorf("the failed commit left daylight at %v", got)
	}
	if err := s.Check(ctx); err != nil {
		t.Error(err)
	}
	if err := wrap(fmt.Errorf("write: %w", syscall.ENOSPC)); !errors.Is(err, ErrFull) {
		t.Errorf("a photo that finds no room: %v", err)
	}
}

// A process that is killed in a burst of commits must leave a sound database
// whose head is a revision that it was told is committed, or the one after.
func TestKilledWhileSaving(t *testing.T) {
	if dir := os.Getenv("STORE_TEST_BURST"); dir != "" {
		burst(dir)
		return
	}
	for round := range 3 {
		dir := t.TempDir()
		cmd := exec.Command(os.Args[0], "-test.run=^TestKilledWhileSaving$")
		cmd.Env = append(os.Environ(), "STORE_TEST_BURST="+dir)
		out, err := cmd.StdoutPipe()
		if err != nil {
			t.Fatal(err)
		}
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		sc := bufio.NewScanner(out)
		id, last, killed := "", 0, false
		for sc.Scan() {
			word, rest, _ := strings.Cut(sc.Text(), " ")
			switch word {
			case "shot":
				id = rest
			case "saved":
				last, _ = strconv.Atoi(rest)
			}
			if last == 20+7*round && !killed {
				killed = true
				if err := cmd.Process.Kill(); err != nil {
					t.Fatal(err)
				}
			}
		}
		// What was answered before it was killed has been read to its end.
		cmd.Wait()
		s := open(t, dir)
		if err := s.Check(ctx); err != nil {
			t.Error(err)
		}
		if got := -int(1000*head(t, s, id) - 0.5); got < last || got > last+1 {
			t.Errorf("the last commit that was answered is %d, the shot opens with %d", last, got)
		}
		s.Close()
	}
}

func burst(dir string) {
	s, err := Open(dir)
	if err != nil {
		panic(err)
	}
	shot, err := s.AddShot(
		ctx,
		"Quay",
		Photo{[]byte("bytes"), "jpeg", 30, 20},
		recipe.New(30, 20),
		"Opened",
	)
	if err != nil {
		panic(err)
	}
	fmt.Println("shot", shot.ID)
	deadline := time.Now().Add(20 * time.Second)
	for i := 1; i < 5000 && time.Now().Before(deadline); i++ {
		if shot, err = s.Commit(ctx, shot.ID, shot.Version, dusk(-float64(i)/1000),
			"Daylight"); err != nil {
			panic(err)
		}
		fmt.Println("saved", i)
	}
}

// A data folder of the first version opens: shots, revisions, what was undone and what
// was put aside. testdata/v1 was made by it.
func TestDataFolderOfTheFirstVersion(t *testing.T) {
	dir := t.TempDir()
	if err := os.CopyFS(dir, os.DirFS("testdata/v1")); err != nil {
		t.Fatal(err)
	}
	for range 2 { // the second time it is one of today's
		s := open(t, dir)
		if err := s.Check(ctx); err != nil {
			t.Fatal(err)
		}
		list, err := s.Shots(ctx, false)
		if err != nil || len(list) != 1 {
			t.Fatalf("%d shots, %v", len(list), err)
		}
		shot := &list[0]
		if shot.Name != "Quay at dusk" || shot.HeadSeq != 3 || shot.LastSeq != 4 ||
			shot.Version != 5 || shot.Photo.Width != 480 || shot.Photo.Format != "jpeg" {
			t.Errorf("the shot is %+v", shot)
		}
		for seq, lights := range map[int]int{1: 0, 2: 6, 3: 6, 4: 6} {
			r, err := s.Recipe(ctx, shot.ID, seq)
			if err != nil || r.Version != recipe.Version || len(r.Lights) != lights {
				t.Errorf(
					"revision %d is of version %d and has %d lights, %v",
					seq,
					r.Version,
					len(r.Lights),
					err,
				)
			}
		}
		undo, redo, err := s.Titles(ctx, shot)
		if err != nil || undo != "Made everything" || redo != "Made alone" {
			t.Errorf("undo is %q, redo %q, %v", undo, redo, err)
		}
		b, err := s.ReadFile(shot.PhotoSHA)
		if err != nil || asset.Sum(b) != shot.PhotoSHA {
			t.Errorf("the photo's bytes: %d, %v", len(b), err)
		}
		aside, err := s.Shots(ctx, true)
		if err != nil || len(aside) != 1 || aside[0].Name != "Put aside" {
			t.Errorf("aside are %v, %v", aside, err)
		}
		// What it uses is known to be used.
		if err := s.Collect(ctx); err != nil {
			t.Fatal(err)
		}
		if _, err := s.ReadFile(shot.PhotoSHA); err != nil {
			t.Errorf("the photo was taken for one that nobody uses: %v", err)
		}
		s.Close()
	}
	s := open(t, dir)
	list, _ := s.Shots(ctx, false)
	shot, err := s.Step(ctx, list[0].ID, 5, 1)
	if err != nil {
		t.Fatal(err)
	}
	r, err := s.Recipe(ctx, shot.ID, 4)
	if err != nil {
		t.Fatal(err)
	}
	r.Dusk.Daylight = -1
	if shot, err = s.Commit(ctx, shot.ID, shot.Version, r, "Daylight"); err != nil ||
		head(t, s, shot.ID) != -1 {
		t.Errorf("a change on top: %v", err)
	}
}

// many returns a recipe with n points in one shape.
func many(t testing.TB, n int, x float64) *recipe.Recipe {
	t.Helper()
	r, _, err := edit.AddLight(recipe.New(30, 20))
	if err != nil {
		t.Fatal(err)
	}
	nodes := make([]shape.Node, n)
	for i := range nodes {
		nodes[i] = shape.Node{X: x, Y: float64(i) / float64(n)}
	}
	r.Lights[0].Shapes = shape.Shapes{shape.Outline{Nodes: shape.PathOf(nodes...)}}
	return r
}

// kept lists the files that a data folder holds.
func kept(t testing.TB, dir string) map[string]bool {
	t.Helper()
	files, err := os.ReadDir(filepath.Join(dir, "files"))
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]bool{}
	for _, f := range files {
		out[f.Name()] = true
	}
	return out
}

// A long list of points is kept once beside the revisions that name it, and is there
// for as long as one of them is.
func TestLongListsAreKeptOnceAndCollected(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	shot := addShot(t, s)
	a, b := many(t, 1000, 5), many(t, 1000, 6)
	sumOf := func(r *recipe.Recipe) string { return shape.Nodes(r.Lights[0].Shapes[0]).Key() }
	var err error
	commit := func(r *recipe.Recipe) {
		t.Helper()
		if shot, err = s.Commit(ctx, shot.ID, shot.Version, r, "Trace"); err != nil {
			t.Fatal(err)
		}
	}
	commit(a)
	size := func(seq int) int {
		rev, err := s.Revision(ctx, shot.ID, seq)
		if err != nil {
			t.Fatal(err)
		}
		return len(rev.Recipe)
	}
	for i := range 5 { // other values of the same points
		c := a.Clone()
		c.Dusk.Daylight = -float64(i)
		commit(c)
	}
	if n := size(shot.HeadSeq); n > 4000 {
		t.Errorf("a revision with a thousand points takes %d bytes", n)
	}
	if k := kept(t, dir); len(k) != 2 || !k[sumOf(a)] || !k[shot.PhotoSHA] {
		t.Errorf("kept are %v", k)
	}
	commit(b)
	if got, err := s.Recipe(ctx, shot.ID, shot.HeadSeq); err != nil || sumOf(got) != sumOf(b) {
		t.Errorf("the points come back as others: %v", err)
	}
	// Undone and overwritten, b is of no use to anyone; a still is.
	if shot, err = s.Step(ctx, shot.ID, shot.Version, -1); err != nil {
		t.Fatal(err)
	}
	if err := s.Collect(ctx); err != nil || !kept(t, dir)[sumOf(b)] {
		t.Errorf("what could still be redone is gone, %v", err)
	}
	commit(a)
	if err := s.Collect(ctx); err != nil {
		t.Fatal(err)
	}
	if k := kept(t, dir); k[sumOf(b)] || !k[sumOf(a)] || !k[shot.PhotoSHA] {
		t.Errorf("after what was undone is overwritten, kept are %v", k)
	}
	// A duplicate uses them too, also when the first is gone for good.
	twin, err := s.Duplicate(ctx, shot.ID, "Twin")
	if err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(s.PutAside(ctx, shot.ID), s.Remove(ctx, shot.ID)); err != nil {
		t.Fatal(err)
	}
	if got, err := s.Recipe(ctx, twin.ID, 1); err != nil || sumOf(got) != sumOf(a) {
		t.Errorf("the duplicate lost its points: %v", err)
	}
	if err := errors.Join(s.PutAside(ctx, twin.ID), s.Remove(ctx, twin.ID)); err != nil {
		t.Fatal(err)
	}
	if k := kept(t, dir); len(k) != 0 {
		t.Errorf("when all is removed there lie %v", k)
	}
}

// An amended revision stays one: undo goes to what was before it, and files that only its earlier
// form named are collected.
func TestAmend(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	shot := addShot(t, s)
	rough, fine := many(t, 1000, 5), many(t, 1000, 6)
	sumOf := func(r *recipe.Recipe) string { return shape.Nodes(r.Lights[0].Shapes[0]).Key() }
	shot, err := s.Commit(ctx, shot.ID, shot.Version, rough, "Scribble")
	if err != nil {
		t.Fatal(err)
	}
	was := shot.Version
	next, err := s.Amend(ctx, shot.ID, was, fine)
	if err != nil || next.HeadSeq != shot.HeadSeq || next.LastSeq != shot.LastSeq ||
		next.Version <= was {
		t.Fatalf("amended: %v, %+v", err, next)
	}
	if got, err := s.Recipe(ctx, shot.ID, next.HeadSeq); err != nil || sumOf(got) != sumOf(fine) {
		t.Errorf("the revision holds another recipe: %v", err)
	}
	if undo, _, err := s.Titles(ctx, next); err != nil || undo != "Scribble" {
		t.Errorf("undo would take back %q, %v", undo, err)
	}
	if _, err := s.Amend(ctx, shot.ID, was, rough); !errors.Is(err, ErrStale) {
		t.Errorf("amended by one who looked at what was before: %v", err)
	}
	if err := s.Collect(ctx); err != nil {
		t.Fatal(err)
	}
	if k := kept(t, dir); k[sumOf(rough)] || !k[sumOf(fine)] {
		t.Errorf("kept are %v", k)
	}
	// What a later revision names stays, though an earlier one that named it first is amended.
	if next, err = s.Commit(ctx, shot.ID, next.Version, fine, "Fader"); err != nil {
		t.Fatal(err)
	}
	if next, err = s.Step(ctx, shot.ID, next.Version, -1); err != nil {
		t.Fatal(err)
	}
	if next, err = s.Amend(ctx, shot.ID, next.Version, rough); err != nil {
		t.Fatal(err)
	}
	if err := s.Collect(ctx); err != nil {
		t.Fatal(err)
	}
	if next, err = s.Step(ctx, shot.ID, next.Version, 1); err != nil {
		t.Fatal(err)
	}
	if got, err := s.Recipe(ctx, shot.ID, next.HeadSeq); err != nil || sumOf(got) != sumOf(fine) {
		t.Errorf("the later revision lost its points: %v", err)
	}
}
