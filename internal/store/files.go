package store

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"pyrant/internal/asset"
	"pyrant/internal/atomicfile"
)

// openFiles makes the folder of files ready. In data folders of before it held
// photos only, and had their name.
func openFiles(dir string) error {
	to, from := filepath.Join(dir, "files"), filepath.Join(dir, "photos")
	if err := os.MkdirAll(to, 0o755); err != nil {
		return err
	}
	old, err := os.ReadDir(from)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	for _, f := range old {
		if err := os.Rename(filepath.Join(from, f.Name()), filepath.Join(to, f.Name())); err != nil {
			return err
		}
	}
	return os.Remove(from)
}

// FilePath returns where the file with the given SHA-256 lies.
func (s *Store) FilePath(sum string) string { return filepath.Join(s.dir, "files", sum) }

// ReadFile returns the bytes of a file.
func (s *Store) ReadFile(sum string) ([]byte, error) { return os.ReadFile(s.FilePath(sum)) }

// keep writes files that are not there yet and calls commit, which says in the
// database who uses them. The caller holds s.keeping for reading, so that none of
// them is collected before.
func (s *Store) keep(files []asset.File, commit func() error) error {
	for _, f := range files {
		name := s.FilePath(f.Sum)
		if _, err := os.Stat(name); err == nil {
			continue
		}
		err := atomicfile.Write(name, 0o600, func(w io.Writer) error {
			_, err := w.Write(f.Data)
			return err
		})
		if err != nil {
			return err
		}
	}
	return commit()
}

// onceOnly leaves a row alone that is there already.
var onceOnly = clause.OnConflict{DoNothing: true}

// use notes that revision seq of a shot names files, whose bytes are kept.
func use(tx *gorm.DB, shot string, seq int, files []asset.File) error {
	for _, f := range files {
		if f.Role != asset.Photo { // the row of a photo says more, and is made before
			if err := tx.Clauses(onceOnly).Create(&File{Sum: f.Sum, Size: int64(len(f.Data))}).Error; err != nil {
				return err
			}
		}
		if err := tx.Clauses(onceOnly).Create(&Use{ShotID: shot, Sum: f.Sum, Role: f.Role, FirstSeq: seq}).Error; err != nil {
			return err
		}
	}
	return nil
}

// Collect removes what no shot uses: rows of files, files without a row, and what
// broken-off writes left behind. It may run beside other work.
func (s *Store) Collect(ctx context.Context) error {
	s.keeping.Lock()
	defer s.keeping.Unlock()
	db := s.db.WithContext(ctx)
	if err := db.Where("sum NOT IN (SELECT sum FROM uses)").Delete(&File{}).Error; err != nil {
		return wrap(err)
	}
	var sums []string
	if err := db.Model(&File{}).Pluck("sum", &sums).Error; err != nil {
		return wrap(err)
	}
	used := make(map[string]bool, len(sums))
	for _, sum := range sums {
		used[sum] = true
	}
	files, err := os.ReadDir(filepath.Join(s.dir, "files"))
	if err != nil {
		return err
	}
	for _, f := range files {
		if name := f.Name(); !used[name] && !f.IsDir() && (len(name) == 64 || strings.HasPrefix(name, atomicfile.Prefix)) {
			err = errors.Join(err, os.Remove(filepath.Join(s.dir, "files", name)))
		}
	}
	return err
}
