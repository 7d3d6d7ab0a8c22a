package store

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"
	"time"

	"pyrant/demo"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
)

func TestPack(t *testing.T) {
	doc := bytes.Repeat([]byte(`{"a":1,"b":[2,3]}`), 3000)
	other := append(append([]byte(`{"new":7}`), doc...), "end"...)
	for _, tt := range []struct {
		name      string
		doc, base []byte
		most      int // bytes
	}{
		{"alone", doc, nil, 200},
		{"itself", doc, doc, 40},
		{"with little that is new", other, doc, 80},
		{"with nothing in common", []byte("quite another"), doc, 60},
		{"nothing", nil, doc, 30},
	} {
		packed := pack(tt.doc, tt.base)
		got, err := unpack(packed, tt.base)
		if err != nil || !bytes.Equal(got, tt.doc) || len(packed) > tt.most {
			t.Errorf("%s: %d of %d bytes come back, packed %d, %v", tt.name, len(got), len(tt.doc),
				len(packed), err)
		}
		if tt.base == nil || len(tt.doc) < 100 {
			continue
		}
		if got, err := unpack(packed, []byte("another base")); err == nil &&
			bytes.Equal(got, tt.doc) {
			t.Errorf("%s: it does not need its base", tt.name)
		}
	}
}

// quay returns the demo's quay, with all its lights and its room.
func quay(t testing.TB) *recipe.Recipe {
	for _, d := range demo.Shots {
		if d.Name == "Tidewatch quay" {
			r, err := edit.Decode(d.Recipe)
			if err != nil {
				t.Fatal(err)
			}
			return r
		}
	}
	t.Fatal("the demo has no quay")
	return nil
}

// worked returns a recipe after one more change, of those that a day's work is made of.
func worked(t testing.TB, r *recipe.Recipe, dice *rand.Rand) *recipe.Recipe {
	next := r.Clone()
	l := &next.Lights[dice.IntN(len(next.Lights))]
	hundredths := func(most int) float64 { return float64(dice.IntN(most)) / 100 }
	switch dice.IntN(6) {
	case 0:
		l.Level = hundredths(100)
	case 1:
		l.Gel.Hue = float64(dice.IntN(360))
	case 2:
		l.Shells[dice.IntN(len(l.Shells))].Strength = hundredths(100)
	case 3:
		next.Dusk.Daylight = -hundredths(300)
	case 4:
		l.Spill.Strength = hundredths(100)
	case 5:
		moved, err := edit.Apply(
			next,
			edit.Set("/lights/0/name", "Light "+string(rune('a'+dice.IntN(26)))),
		)
		if err != nil {
			t.Fatal(err)
		}
		next = moved
	}
	return next
}

// bytesOf returns what the history of a shot takes.
func bytesOf(t testing.TB, s *Store, id string) (sum int) {
	for _, of := range []any{&Revision{}, &Base{}} {
		n := 0
		if err := s.db.Model(of).Where("shot_id = ?", id).
			Select("COALESCE(SUM(LENGTH(recipe)), 0)").Scan(&n).Error; err != nil {
			t.Fatal(err)
		}
		sum += n
	}
	return sum
}

// Every revision of a long history comes back as it was saved, whatever was undone and overwritten
// on the way, and takes little.
func TestLongHistory(t *testing.T) {
	s := open(t, t.TempDir())
	r := quay(t)
	shot, err := s.AddShot(ctx, "Quay", Photo{demo.Photo, "jpeg", r.Photo.Width, r.Photo.Height}, r,
		"Opened")
	if err != nil {
		t.Fatal(err)
	}
	dice := rand.New(rand.NewPCG(7, 12))
	line := []*recipe.Recipe{r} // recipes of the revisions, from the first
	n := 500
	if testing.Short() {
		n = 50
	}
	for range n {
		if dice.IntN(12) == 0 && shot.HeadSeq > 4 {
			for range 1 + dice.IntN(3) {
				if shot, err = s.Step(ctx, shot.ID, shot.Version, -1); err != nil {
					t.Fatal(err)
				}
			}
		}
		line = line[:shot.HeadSeq]
		next := worked(t, line[len(line)-1], dice)
		if shot, err = s.Commit(ctx, shot.ID, shot.Version, next, "Work"); err != nil {
			t.Fatal(err)
		}
		line = append(line, next)
		// The recipe in force may be put in its place worked out further, a base as well.
		if dice.IntN(20) == 0 {
			next = next.Clone()
			next.Dusk.Daylight = -0.01 * float64(dice.IntN(300))
			if shot, err = s.Amend(ctx, shot.ID, shot.Version, next); err != nil {
				t.Fatal(err)
			}
			line[len(line)-1] = next
		}
	}
	for i, want := range line {
		got, err := s.Recipe(ctx, shot.ID, i+1)
		if err != nil || !bytes.Equal(got.Encode(), want.Encode()) {
			t.Fatalf("revision %d of %d is not as it was saved: %v", i+1, len(line), err)
		}
	}
	whole := len(r.Encode())
	if each := bytesOf(t, s, shot.ID) / len(line); each > 350 && !testing.Short() {
		t.Errorf("a revision takes %d bytes, its recipe has %d", each, whole)
	}
}

// A revision that was overwritten may have been a base: another takes its place, where what is
// there now has more that is new than the old base has in all.
func TestOverwrittenBase(t *testing.T) {
	s := open(t, t.TempDir())
	shot := addShot(t, s)
	dice := rand.New(rand.NewPCG(1, 2))
	for _, lights := range []int{5, 90} {
		r := recipe.New(30, 20)
		for range lights {
			next, _, err := edit.AddLight(r)
			if err != nil {
				t.Fatal(err)
			}
			r = next
			r.Lights[len(r.Lights)-1].Name = fmt.Sprintf("%016x%016x%016x%016x%016x", dice.Uint64(),
				dice.Uint64(), dice.Uint64(), dice.Uint64(), dice.Uint64())
		}
		r = edit.Identify(r)
		next, err := s.Commit(ctx, shot.ID, shot.Version, r, "Other names")
		if err != nil {
			t.Fatal(err)
		}
		got, err := s.Recipe(ctx, shot.ID, next.HeadSeq)
		if err != nil || !bytes.Equal(got.Encode(), r.Encode()) {
			t.Fatalf("it does not come back: %v", err)
		}
		if shot, err = s.Step(ctx, shot.ID, next.Version, -1); err != nil {
			t.Fatal(err)
		}
	}
}

// What an older Pyrant kept whole is packed when its folder is opened, and the disk gets the rest
// back.
func TestWholeRevisionsArePacked(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	r := quay(t)
	shot, err := s.AddShot(ctx, "Quay", Photo{demo.Photo, "jpeg", r.Photo.Width, r.Photo.Height}, r,
		"Opened")
	if err != nil {
		t.Fatal(err)
	}
	doc, _ := r.Pack()
	for _, q := range []string{
		`DROP TABLE revisions`, `DROP TABLE bases`, `DROP TABLE jobs`,
		`DELETE FROM migrations WHERE id IN ('2026-12-02-packed', '2026-12-02-jobs')`,
		`CREATE TABLE revisions (shot_id TEXT NOT NULL REFERENCES shots(id) ON DELETE CASCADE, seq INTEGER NOT NULL,
			title TEXT NOT NULL, recipe TEXT NOT NULL, created_at DATETIME NOT NULL, PRIMARY KEY (shot_id, seq))`,
	} {
		if err := s.db.Exec(q).Error; err != nil {
			t.Fatal(err)
		}
	}
	const n = 300
	for seq := 1; seq <= n; seq++ {
		if err := s.db.Exec(`INSERT INTO revisions VALUES (?, ?, 'Work', ?, '2026-11-30 10:00:00')`, shot.ID,
			seq, string(doc)).Error; err != nil {
			t.Fatal(err)
		}
	}
	if err := s.db.Exec(`UPDATE shots SET head_seq = ?, last_seq = ?`, n, n).Error; err != nil {
		t.Fatal(err)
	}
	size := func() int64 {
		info, err := os.Stat(filepath.Join(dir, "pyrant.db"))
		if err != nil {
			t.Fatal(err)
		}
		return info.Size()
	}
	s.Close()
	before := size()
	s = open(t, dir)
	for _, seq := range []int{1, n / 2, n} {
		got, err := s.Recipe(ctx, shot.ID, seq)
		if err != nil || !bytes.Equal(got.Encode(), r.Encode()) {
			t.Errorf("revision %d: %v", seq, err)
		}
	}
	if past, err := s.Past(ctx, shot.ID, 0, 2*n); err != nil || len(past) != n ||
		past[0].CreatedAt.Day() != 30 {
		t.Errorf("%d revisions, %v", len(past), err)
	}
	s.Close()
	if after := size(); after > before/10 {
		t.Errorf("the database had %d bytes and has %d", before, after)
	}
}

// A shot of many revisions is opened: its head is read with the titles of undo and redo.
func BenchmarkOpen(b *testing.B) {
	for _, n := range []int{10, 10_000} {
		s, shot := history(b, n)
		b.Run(map[bool]string{true: "Ten", false: "TenThousand"}[n == 10], func(b *testing.B) {
			defer func() { b.ReportMetric(float64(bytesOf(b, s, shot.ID))/1e6, "MB") }()
			for b.Loop() {
				if _, err := s.Recipe(ctx, shot.ID, shot.HeadSeq); err != nil {
					b.Fatal(err)
				}
				if _, _, err := s.Titles(ctx, shot); err != nil {
					b.Fatal(err)
				}
				if _, err := s.Past(ctx, shot.ID, 0, 30); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

// history returns a shot of so many revisions.
func history(b *testing.B, n int) (*Store, *Shot) {
	s := open(b, b.TempDir())
	// The disk's own time is not measured.
	if err := s.db.Exec("PRAGMA synchronous = OFF").Error; err != nil {
		b.Fatal(err)
	}
	r := quay(b)
	shot, err := s.AddShot(ctx, "Quay", Photo{demo.Photo, "jpeg", r.Photo.Width, r.Photo.Height}, r,
		"Opened")
	dice := rand.New(rand.NewPCG(3, uint64(n)))
	for range n - 1 {
		if err != nil {
			b.Fatal(err)
		}
		r = worked(b, r, dice)
		shot, err = s.Commit(ctx, shot.ID, shot.Version, r, "Level of Signal rod")
	}
	if err != nil {
		b.Fatal(err)
	}
	return s, shot
}

// One more revision is committed.
func BenchmarkCommit(b *testing.B) {
	s, shot := history(b, 50)
	r, err := s.Recipe(ctx, shot.ID, shot.HeadSeq)
	if err != nil {
		b.Fatal(err)
	}
	dice := rand.New(rand.NewPCG(5, 5))
	for b.Loop() {
		r = worked(b, r, dice)
		if shot, err = s.Commit(ctx, shot.ID, shot.Version, r, "Work"); err != nil {
			b.Fatal(err)
		}
	}
}

// The collector reads all recipes.
func BenchmarkCollect(b *testing.B) {
	s, _ := history(b, 2000)
	for b.Loop() {
		if err := s.Collect(ctx); err != nil {
			b.Fatal(err)
		}
	}
}

// The daily copy of a folder of 200 shots.
func BenchmarkBackup(b *testing.B) {
	s, first := history(b, 30)
	r, err := s.Recipe(ctx, first.ID, first.HeadSeq)
	if err != nil {
		b.Fatal(err)
	}
	dice := rand.New(rand.NewPCG(9, 9))
	for range 199 {
		shot, err := s.Duplicate(ctx, first.ID, "Quay")
		for range 29 {
			if err != nil {
				b.Fatal(err)
			}
			r = worked(b, r, dice)
			shot, err = s.Commit(ctx, shot.ID, shot.Version, r, "Level of Signal rod")
		}
	}
	day := time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC)
	for b.Loop() {
		day = day.AddDate(0, 0, 1)
		if err := s.Backup(ctx, day); err != nil {
			b.Fatal(err)
		}
	}
	info, err := os.Stat(filepath.Join(s.dir, "backups", backupName(day)))
	if err != nil {
		b.Fatal(err)
	}
	b.ReportMetric(float64(info.Size())/1e6, "MB")
}
