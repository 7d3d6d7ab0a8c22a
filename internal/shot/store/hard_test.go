package store

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"pyrant/internal/base/fault"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/shape"
)

// The tests of this file break a data folder in the ways in which it did break.

// While a photo's last shot is removed for good, the same photo is opened again: the new
// shot must have it.
func TestPhotoOpenedWhileItsLastShotIsRemoved(t *testing.T) {
	s := open(t, t.TempDir())
	photo := Photo{bytes.Repeat([]byte("a photo's bytes "), 4000), "jpeg", 30, 20}
	last, err := s.AddShot(ctx, "Quay", photo, recipe.New(30, 20), "Opened")
	if err != nil {
		t.Fatal(err)
	}
	for round := range 60 {
		if err := s.PutAside(ctx, last.ID); err != nil {
			t.Fatal(err)
		}
		var both sync.WaitGroup
		gone := last.ID
		both.Go(func() {
			if err := s.Remove(ctx, gone); err != nil {
				t.Errorf("round %d: removing: %v", round, err)
			}
		})
		both.Go(func() {
			if last, err = s.AddShot(ctx, "Quay", photo, recipe.New(30, 20), "Opened"); err != nil {
				t.Errorf("round %d: opening: %v", round, err)
			}
		})
		both.Wait()
		if t.Failed() {
			return
		}
		if got, err := s.ReadFile(last.PhotoSHA); err != nil || !bytes.Equal(got, photo.Data) {
			t.Fatalf("round %d: the photo of the new shot: %v", round, err)
		}
	}
}

// Eight open the same new photo at once.
func TestSamePhotoOpenedAtOnce(t *testing.T) {
	s := open(t, t.TempDir())
	for round := range 10 {
		var all sync.WaitGroup
		for range 8 {
			all.Go(func() {
				if _, err := s.AddShot(ctx, "Quay", Photo{fmt.Appendf(nil, "photo %d", round),
					"jpeg", 30, 20}, recipe.New(30, 20), "Opened"); err != nil {
					t.Errorf("round %d: %v", round, err)
				}
			})
		}
		all.Wait()
	}
	if list, err := s.Shots(ctx, false); err != nil || len(list) != 80 {
		t.Errorf("%d shots, %v", len(list), err)
	}
}

// Writers queue up; none is told that the database is locked.
func TestManyWritersAtOnce(t *testing.T) {
	s := open(t, t.TempDir())
	var all sync.WaitGroup
	for range 24 {
		all.Go(func() {
			shot, err := s.AddShot(
				ctx,
				"Quay",
				Photo{[]byte("a photo's bytes"), "jpeg", 30, 20},
				recipe.New(30, 20),
				"Opened",
			)
			for i := 0; i < 8 && err == nil; i++ {
				shot, err = s.Commit(ctx, shot.ID, shot.Version, dusk(-float64(i)/10), "Daylight")
			}
			if err != nil {
				t.Error(err)
			}
		})
	}
	all.Wait()
	// Who waits in the queue can give up.
	s.writing <- struct{}{}
	given, up := context.WithTimeout(ctx, 10*time.Millisecond)
	defer up()
	if _, err := s.AddShot(given, "Quay", Photo{[]byte("other"), "jpeg", 30, 20},
		recipe.New(30, 20), "Opened"); !fault.Cancelled(err) {
		t.Errorf("a writer who gave up while waiting: %v", err)
	}
	<-s.writing
}

// A first start that was stopped half-way, by an older Pyrant, left some of the tables
// and no note that they were made.
func TestHalfMadeFolderHeals(t *testing.T) {
	tables := []string{
		`CREATE TABLE photos (sha TEXT PRIMARY KEY, format TEXT NOT NULL, width INTEGER NOT NULL, height INTEGER NOT NULL, size INTEGER NOT NULL, created_at DATETIME NOT NULL)`,
		`CREATE TABLE shots (id TEXT PRIMARY KEY, name TEXT NOT NULL, photo_sha TEXT NOT NULL REFERENCES photos(sha), head_seq INTEGER NOT NULL, last_seq INTEGER NOT NULL, version INTEGER NOT NULL, deleted_at DATETIME, created_at DATETIME NOT NULL, updated_at DATETIME NOT NULL)`,
		`CREATE TABLE revisions (shot_id TEXT NOT NULL REFERENCES shots(id) ON DELETE CASCADE, seq INTEGER NOT NULL, title TEXT NOT NULL, recipe TEXT NOT NULL, created_at DATETIME NOT NULL, PRIMARY KEY (shot_id, seq))`,
	}
	for n := range len(tables) + 1 {
		dir := t.TempDir()
		db, err := sql.Open("sqlite3", filepath.Join(dir, "pyrant.db"))
		if err != nil {
			t.Fatal(err)
		}
		for _, q := range append([]string{`CREATE TABLE migrations (id TEXT PRIMARY KEY)`}, tables[:n]...) {
			if _, err := db.Exec(q); err != nil {
				t.Fatal(err)
			}
		}
		db.Close()
		s := open(t, dir)
		if shot := addShot(t, s); head(t, s, shot.ID) != 0 {
			t.Errorf("after %d of 3 tables it does not work", n)
		}
		s.Close()
	}
}

// listing says of every file of a folder its size and when it was changed.
func listing(t *testing.T, dir string) string {
	t.Helper()
	var b strings.Builder
	err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		info, err := d.Info()
		if err == nil && !d.IsDir() {
			fmt.Fprintln(&b, path, info.Size(), info.ModTime().UnixNano())
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return b.String()
}

func TestSecondStartTouchesNothing(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	addShot(t, s)
	before := listing(t, dir)
	_, err := Open(dir)
	if !errors.Is(err, ErrTaken) ||
		!strings.Contains(err.Error(), fmt.Sprint("process ", os.Getpid())) {
		t.Errorf("a second start: %v", err)
	}
	if now := listing(t, dir); now != before {
		t.Errorf("a second start changed the folder from\n%s to\n%s", before, now)
	}
	if _, _, err := Restore(dir, time.Now()); !errors.Is(err, ErrTaken) {
		t.Errorf("a restore of a folder in use: %v", err)
	}
	s.Close()
	open(t, dir)
}

// A photo whose bytes went bad on the disk is told from one that is well, and healed by
// opening the same photo again.
func TestDamagedPhotoIsHealed(t *testing.T) {
	s := open(t, t.TempDir())
	shot := addShot(t, s)
	for name, harm := range map[string]func(name string) error{
		"other bytes":  func(name string) error { return os.WriteFile(name, []byte("a photo's bytez"), 0o600) },
		"cut off":      func(name string) error { return os.Truncate(name, 3) },
		"not there":    os.Remove,
		"left as zero": func(name string) error { return os.WriteFile(name, make([]byte, 15), 0o600) },
	} {
		if err := harm(s.FilePath(shot.PhotoSHA)); err != nil {
			t.Fatal(err)
		}
		var fe *fault.Error
		if _, err := s.ReadFile(shot.PhotoSHA); !errors.As(err, &fe) || fe.Kind != fault.Gone ||
			!strings.Contains(fe.Msg, "again on the shots page") {
			t.Errorf("%s: read as %v", name, err)
		}
		addShot(t, s)
		if b, err := s.ReadFile(shot.PhotoSHA); err != nil || string(b) != "a photo's bytes" {
			t.Errorf("%s: opened again, it is %q, %v", name, b, err)
		}
	}
}

// Overwritten pages are found at the next start; nothing is changed then, and the newest
// sound copy is offered and can be gone back to.
func TestDamagedDatabaseIsNoticed(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	shot := addShot(t, s)
	var err error
	for i := range 300 {
		if shot, err = s.Commit(ctx, shot.ID, shot.Version, dusk(-float64(i)/100), "Daylight"); err != nil {
			t.Fatal(err)
		}
	}
	day := time.Date(2026, 11, 20, 12, 0, 0, 0, time.UTC)
	for i := range 9 {
		if err := s.Backup(ctx, day.AddDate(0, 0, i)); err != nil {
			t.Fatal(err)
		}
	}
	if list, err := backups(dir); err != nil || len(list) != 7 || !strings.HasSuffix(list[0],
		"pyrant-2026-11-28.db") || !strings.HasSuffix(list[6], "pyrant-2026-11-22.db") {
		t.Errorf("kept are %v, %v", list, err)
	}
	if err := s.Backup(ctx, day.AddDate(0, 0, 8)); err != nil {
		t.Errorf("a second copy of a day: %v", err)
	}
	s.Close()
	harm := func(name string) {
		t.Helper()
		f, err := os.OpenFile(name, os.O_RDWR, 0)
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		for page := int64(2); page < 6; page++ {
			if _, err := f.WriteAt(bytes.Repeat([]byte{0xa5}, 4096), 4096*page); err != nil {
				t.Fatal(err)
			}
		}
	}
	harm(filepath.Join(dir, "pyrant.db"))
	harm(filepath.Join(dir, "backups", "pyrant-2026-11-28.db")) // the newest copy went bad too
	_, err = Open(dir)
	if !errors.Is(err, ErrDamaged) || !strings.Contains(err.Error(), "2026-11-27") ||
		!strings.Contains(err.Error(), "pyrant restore") {
		t.Fatalf("a damaged database: %v", err)
	}
	from, kept, err := Restore(dir, day)
	if err != nil || filepath.Base(from) != "pyrant-2026-11-27.db" {
		t.Fatalf("restored from %s, %v", from, err)
	}
	if _, err := os.Stat(kept); err != nil {
		t.Errorf("the damaged one is gone: %v", err)
	}
	s = open(t, dir)
	if got := head(t, s, shot.ID); got != -2.99 {
		t.Errorf("after going back daylight is %v", got)
	}
	s.Close()
	// Without a sound copy it says so, and changes nothing.
	harm(filepath.Join(dir, "pyrant.db"))
	if err := os.RemoveAll(filepath.Join(dir, "backups")); err != nil {
		t.Fatal(err)
	}
	if _, err := Open(dir); !errors.Is(err, ErrDamaged) ||
		!strings.Contains(err.Error(), "no sound copy") {
		t.Errorf("without a copy: %v", err)
	}
	if _, _, err := Restore(dir, day); err == nil {
		t.Error("it is restored from nothing")
	}
}

// On a full disk the reserve makes room for what makes room.
func TestReserveRelievesAFullDisk(t *testing.T) {
	s := open(t, t.TempDir())
	if info, err := os.Stat(s.reserve()); err != nil || info.Size() != reserveBytes {
		t.Fatalf("the reserve: %v", err)
	}
	tries := 0
	err := s.relieved(func() error {
		tries++
		if _, err := os.Stat(s.reserve()); err == nil {
			return fmt.Errorf("%w: no page left", ErrFull)
		}
		return nil
	})
	if err != nil || tries != 2 {
		t.Errorf("with the reserve given up: %v after %d tries", err, tries)
	}
	if _, err := os.Stat(s.reserve()); err != nil {
		t.Errorf("the reserve was not made again: %v", err)
	}
	other := errors.New("something else")
	if err := s.relieved(func() error { return other }); !errors.Is(err, other) {
		t.Errorf("another error: %v", err)
	}
}

// What broken-off work left is collected at the next occasion: files that no row names,
// rows that no shot uses, writes that did not end.
func TestLeftoversAreCollected(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	shot := addShot(t, s)
	for _, name := range []string{strings.Repeat("ab", 32), ".new-12345"} {
		if err := os.WriteFile(filepath.Join(dir, "files", name), []byte("left"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if err := s.db.Create(&File{Sum: strings.Repeat("cd", 32), Size: 5}).Error; err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "files", "note.txt"), []byte("a user's own"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := s.Collect(ctx); err != nil {
		t.Fatal(err)
	}
	if k := kept(t, dir); len(k) != 2 || !k[shot.PhotoSHA] || !k["note.txt"] {
		t.Errorf("after collecting there lie %v", k)
	}
	var rows int64
	if err := s.db.Model(&File{}).Count(&rows).Error; err != nil || rows != 1 {
		t.Errorf("%d rows of files, %v", rows, err)
	}
}

// What is in the data folder is its owner's alone.
func TestOnlyTheOwnerReads(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("it has no such rights")
	}
	dir := filepath.Join(t.TempDir(), "data")
	s := open(t, dir)
	shot := addShot(t, s)
	if _, err := s.Commit(ctx, shot.ID, shot.Version, dusk(-1), "Daylight"); err != nil {
		t.Fatal(err)
	}
	if err := s.Backup(ctx, time.Now()); err != nil {
		t.Fatal(err)
	}
	err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		info, err := d.Info()
		if err == nil && info.Mode().Perm()&0o077 != 0 {
			t.Errorf("%s has the rights %v", path, info.Mode())
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}

// Whatever is done to a shot, in whatever order, every recipe of its revisions and saved
// states can be read, and no file is kept that none of them names.
func TestEveryRevisionKeepsItsFiles(t *testing.T) {
	for seed := range uint64(16) {
		dir := t.TempDir()
		s := open(t, dir)
		rnd := rand.New(rand.NewPCG(seed, 33))
		shots := []*Shot{addShot(t, s), addShot(t, s)}
		// Few recipes, so that the same list comes back in other revisions.
		some := func() *recipe.Recipe {
			r := many(t, 40, float64(rnd.IntN(3)))
			r.Dusk.Daylight = -float64(rnd.IntN(3))
			return r
		}
		var done []string
		for range 60 {
			i := rnd.IntN(len(shots))
			shot, what := shots[i], rnd.IntN(9)
			done = append(done, fmt.Sprint(what))
			next, err := shot, error(nil)
			switch what {
			case 0, 1:
				next, err = s.Commit(ctx, shot.ID, shot.Version, some(), "Trace")
			case 2:
				next, err = s.Amend(ctx, shot.ID, shot.Version, some())
			case 3, 4:
				next, err = s.Step(ctx, shot.ID, shot.Version, -1)
			case 5:
				next, err = s.Step(ctx, shot.ID, shot.Version, 1)
			case 6:
				_, err = s.SetMark(ctx, shot.ID, 1+rnd.IntN(shot.LastSeq), "Kept")
			case 7:
				next, err = s.Go(ctx, shot.ID, shot.Version, 1+rnd.IntN(shot.LastSeq))
			case 8:
				if err = errors.Join(s.PutAside(ctx, shot.ID), s.Remove(ctx, shot.ID)); err == nil {
					next = addShot(t, s)
				}
			}
			if errors.Is(err, ErrNothing) {
				next, err = shot, nil
			}
			if err == nil && rnd.IntN(3) == 0 {
				err = s.Collect(ctx)
			}
			if err != nil {
				t.Fatalf("seed %d, after %v: %v", seed, done, err)
			}
			shots[i] = next
		}
		if seed%2 == 0 {
			s.Close()
			s = open(t, dir)
		}
		if err := s.Collect(ctx); err != nil {
			t.Fatal(err)
		}
		used := map[string]bool{}
		var revs []Revision
		var marks []Mark
		if err := errors.Join(s.db.Find(&revs).Error, s.db.Find(&marks).Error); err != nil {
			t.Fatal(err)
		}
		check := func(what string, doc []byte) {
			r, err := edit.Unpack(doc, s.ReadFile)
			if err != nil {
				t.Errorf("seed %d, after %v: %s cannot be read: %v", seed, done, what, err)
				return
			}
			_, lists := r.Pack()
			for sum := range lists {
				used[sum] = true
			}
		}
		for _, r := range revs {
			doc, err := document(s.db, &r)
			if err != nil {
				t.Fatal(err)
			}
			check(fmt.Sprint("revision ", r.Seq), doc)
		}
		for _, m := range marks {
			check("a mark", []byte(m.Recipe))
		}
		used[shots[0].PhotoSHA] = true
		if k := kept(t, dir); !maps.Equal(k, used) {
			t.Errorf(
				"seed %d, after %v: %d files are kept, %d are named",
				seed,
				done,
				len(k),
				len(used),
			)
		}
	}
}

// A shot whose revision in force names a file that is gone opens at the newest that can be
// read and says so; undo, redo and the history never lead to one that cannot be read.
func TestHeadThatCannotBeRead(t *testing.T) {
	s := open(t, t.TempDir())
	shot := addShot(t, s)
	var err error
	for i := range 4 {
		if shot, err = s.Commit(ctx, shot.ID, shot.Version, many(t, 40, float64(i)),
			"Trace"); err != nil {
			t.Fatal(err)
		}
	}
	lose := func(i int) {
		key := shape.Nodes(many(t, 40, float64(i)).Lights[0].Shapes[0]).Key()
		if err := os.Remove(s.FilePath(key)); err != nil {
			t.Fatal(err)
		}
	}
	lose(1) // of revision 3
	if shot, err = s.Step(ctx, shot.ID, shot.Version, -1); err != nil || shot.HeadSeq != 4 {
		t.Fatalf("undo: %v", err)
	}
	if shot, err = s.Step(ctx, shot.ID, shot.Version, -1); err != nil || shot.HeadSeq != 2 {
		t.Errorf("undo past what cannot be read leads to %d, %v", shot.HeadSeq, err)
	}
	if _, err := s.Go(ctx, shot.ID, shot.Version, 3); !fault.Is(err, fault.Gone) {
		t.Errorf("going to what cannot be read: %v", err)
	}
	if shot, err = s.Step(ctx, shot.ID, shot.Version, 1); err != nil || shot.HeadSeq != 4 {
		t.Fatalf("redo: %v", err)
	}
	lose(2) // of revision 4, which is in force
	was := shot.Version
	r, err := s.Head(ctx, shot)
	if err != nil || shot.HeadSeq != 5 || shot.LostSeq != 4 || shot.Version == was ||
		r.Lights[0].Shapes.Key() != many(t, 40, 3).Lights[0].Shapes.Key() {
		t.Fatalf("the head is %d, lost %d, %v", shot.HeadSeq, shot.LostSeq, err)
	}
	if again, err := s.Shot(ctx, shot.ID); err != nil || again.HeadSeq != 5 || again.LostSeq != 4 {
		t.Errorf("read again: %+v, %v", again, err)
	}
	if _, err := s.Duplicate(ctx, shot.ID, "Twin"); err != nil {
		t.Error(err)
	}
	if shot, err = s.Commit(ctx, shot.ID, shot.Version, dusk(-1), "Daylight"); err != nil ||
		shot.LostSeq != 0 {
		t.Errorf("gone on from there: lost %d, %v", shot.LostSeq, err)
	}
}

// A file that a recipe names and the database does not know of is taken up again, with its row.
func TestNamedFileWithoutARow(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	shot := addShot(t, s)
	shot, err := s.Commit(ctx, shot.ID, shot.Version, many(t, 40, 1), "Trace")
	if err != nil {
		t.Fatal(err)
	}
	if err := s.db.Where("sum <> ?", shot.PhotoSHA).Delete(&File{}).Error; err != nil {
		t.Fatal(err)
	}
	if err := s.Collect(ctx); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Recipe(ctx, shot.ID, shot.HeadSeq); err != nil {
		t.Error(err)
	}
	var n int64
	if err := s.db.Model(&File{}).Count(&n).Error; err != nil || n != 2 {
		t.Errorf("%d rows of files, %v", n, err)
	}
}
