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
	"pyrant/internal/fault"
	"pyrant/internal/recipe"
)

// openFiles makes the folder of files ready. In data folders of before it held
// photos only, and had their name.
func openFiles(dir string) error {
	to, from := filepath.Join(dir, "files"), filepath.Join(dir, "photos")
	if err := os.MkdirAll(to, 0o700); err != nil {
		return err
	}
	if err := os.Chmod(to, 0o700); err != nil {
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

// ReadFile returns the bytes of a file. Where it is missing or not what it was, the
// error is a *fault.Error that says how to heal it.
func (s *Store) ReadFile(sum string) ([]byte, error) {
	data, err := os.ReadFile(s.FilePath(sum))
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, &fault.Error{Kind: fault.Gone, Msg: "A file of this shot is missing in the data folder. Open the same photo, or the shot's .pyrant file, once more on the shots page: that puts it back. What was done to it is safe.", Err: err}
	case err != nil:
		return nil, err
	case asset.Sum(data) != sum:
		return nil, &fault.Error{Kind: fault.Gone, Msg: "A file of this shot is damaged on the disk. Open the same photo, or the shot's .pyrant file, once more on the shots page: that heals it. What was done to it is safe.", Err: errors.New("store: " + sum + " has other bytes")}
	}
	return data, nil
}

// there tells whether a file lies there, of the size that it should have: enough for
// what was read or written before.
func (s *Store) there(f asset.File) bool {
	info, err := os.Stat(s.FilePath(f.Sum))
	return err == nil && info.Size() == int64(len(f.Data))
}

// whole tells whether a file is there with the bytes that its name promises.
func (s *Store) whole(f asset.File) bool {
	if !s.there(f) {
		return false
	}
	data, err := os.ReadFile(s.FilePath(f.Sum))
	return err == nil && asset.Sum(data) == f.Sum
}

// reserveBytes is what a data folder holds in store for a full disk: enough for what
// putting aside and removing write.
const reserveBytes = 4 << 20

func (s *Store) reserve() string { return filepath.Join(s.dir, "reserve") }

// makeReserve makes sure of the reserve, if there is room for it.
func (s *Store) makeReserve() {
	if info, err := os.Stat(s.reserve()); err == nil && info.Size() == reserveBytes {
		return
	}
	_ = atomicfile.Write(s.reserve(), 0o600, func(w io.Writer) error {
		_, err := w.Write(make([]byte, reserveBytes))
		return err
	})
}

// relieved runs what makes room on the disk. Where the disk is so full that even that
// cannot be written, it gives up the reserve and tries once more.
func (s *Store) relieved(do func() error) error {
	err := do()
	if !errors.Is(err, ErrFull) {
		return err
	}
	if os.Remove(s.reserve()) != nil {
		return err
	}
	defer s.makeReserve()
	return do()
}

// keep writes files that are not there yet, or not as has tells them to be, and calls
// commit, which says in the database who uses them. The caller holds s.keeping for reading, so that none of
// them is collected before.
func (s *Store) keep(files []asset.File, has func(asset.File) bool, commit func() error) error {
	for _, f := range files {
		if has(f) {
			continue
		}
		err := atomicfile.Write(s.FilePath(f.Sum), 0o600, func(w io.Writer) error {
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

// usePictures notes that revision seq of a shot names pictures that are kept already.
func (s *Store) usePictures(tx *gorm.DB, shot string, seq int, r *recipe.Recipe) error {
	for _, sum := range r.Pictures() {
		var f File
		if err := tx.Where("sum = ?", sum).First(&f).Error; err != nil {
			return fault.New(fault.Gone, "A picture that this names is not kept here. Attach it again.")
		}
		if err := tx.Clauses(onceOnly).Create(&Use{ShotID: shot, Sum: sum, Role: asset.Picture, FirstSeq: seq}).Error; err != nil {
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
	var sums []string
	err := s.write(ctx, func(tx *gorm.DB) error {
		if err := tx.Where("sum NOT IN (SELECT sum FROM uses)").Delete(&File{}).Error; err != nil {
			return err
		}
		return tx.Model(&File{}).Pluck("sum", &sums).Error
	})
	if err != nil {
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
