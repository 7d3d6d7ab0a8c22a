package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"pyrant/internal/shot/atomicfile"
)

// keepBackups is how many daily copies of the database are kept.
const keepBackups = 7

// ErrDamaged says that the database cannot be read as it is.
var ErrDamaged = errors.New("the database is damaged")

// backupName returns the name of the copy of a day.
func backupName(day time.Time) string { return "pyrant-" + day.Format("2006-01-02") + ".db" }

// Backup copies the database to the folder of copies, one for each day, and keeps the
// newest seven. It may run beside other work.
func (s *Store) Backup(ctx context.Context, now time.Time) error {
	dir := filepath.Join(s.dir, "backups")
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	name := filepath.Join(dir, backupName(now))
	if _, err := os.Stat(name); err == nil {
		return nil // today's is there
	}
	// A copy that SQLite makes of one moment, beside all writing.
	tmp := filepath.Join(dir, atomicfile.Prefix+"backup")
	if err := os.RemoveAll(tmp); err != nil {
		return err
	}
	defer os.Remove(tmp)
	if err := s.db.WithContext(ctx).Exec("VACUUM INTO ?", tmp).Error; err != nil {
		return wrap(err)
	}
	if err := copyFile(name, tmp); err != nil {
		return wrap(err)
	}
	list, err := backups(s.dir)
	if err != nil {
		return err
	}
	for _, old := range list[min(keepBackups, len(list)):] {
		err = errors.Join(err, os.Remove(old))
	}
	return err
}

// backups lists the copies of a data folder's database, the newest first.
func backups(dir string) ([]string, error) {
	list, err := filepath.Glob(filepath.Join(dir, "backups", "pyrant-*.db"))
	slices.Sort(list)
	slices.Reverse(list)
	return list, err
}

// sound returns an error where a database file is not one that can be used.
func sound(name string) error {
	db, err := sql.Open("sqlite3", "file:"+name+"?mode=ro&immutable=1")
	if err != nil {
		return err
	}
	defer db.Close()
	return quickCheck(db)
}

func quickCheck(db *sql.DB) error {
	var out string
	if err := db.QueryRow("PRAGMA quick_check(1)").Scan(&out); err != nil {
		return fmt.Errorf("%w: %v", ErrDamaged, err)
	}
	if out != "ok" {
		return fmt.Errorf("%w: %s", ErrDamaged, out)
	}
	return nil
}

// offer adds to an error what can be done about a damaged database.
func offer(dir string, err error) error {
	list, _ := backups(dir)
	for _, name := range list {
		if sound(name) == nil {
			day := strings.TrimSuffix(strings.TrimPrefix(filepath.Base(name), "pyrant-"), ".db")
			return fmt.Errorf("%w. Nothing was changed. A sound copy of %s is kept: `pyrant restore --data %s` goes back to it and keeps the damaged one beside it", err, day, dir)
		}
	}
	return fmt.Errorf("%w. Nothing was changed, and there is no sound copy of it in %s. Copy the folder before anything else is tried; the photos in it are whole", err, filepath.Join(dir, "backups"))
}

// Restore puts the newest sound copy of a data folder's database in its place and
// keeps the one that was there beside it. It returns the copy's name and the new name
// of the old database.
func Restore(dir string, now time.Time) (from, kept string, err error) {
	lock, err := take(dir)
	if err != nil {
		return "", "", err
	}
	defer lock.Unlock()
	list, err := backups(dir)
	if err != nil {
		return "", "", err
	}
	i := slices.IndexFunc(list, func(name string) bool { return sound(name) == nil })
	if i < 0 {
		return "", "", fmt.Errorf("there is no sound copy of the database in %s", filepath.Join(dir, "backups"))
	}
	from = list[i]
	main := filepath.Join(dir, "pyrant.db")
	kept = main + "-" + now.Format("20060102-150405")
	// The log of writes that were not in the file yet belongs to it.
	for _, part := range []string{"", "-wal", "-shm"} {
		if err := os.Rename(main+part, kept+part); err != nil && !errors.Is(err, os.ErrNotExist) {
			return "", "", err
		}
	}
	return from, kept, copyFile(main, from)
}

// copyFile makes the file name a copy of another, whole or not at all.
func copyFile(name, from string) error {
	f, err := os.Open(from)
	if err != nil {
		return err
	}
	defer f.Close()
	return atomicfile.Write(name, 0o600, func(w io.Writer) error {
		_, err := io.Copy(w, f)
		return err
	})
}
