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

	"pyrant/internal/base/fault"
	"pyrant/internal/recipe"
	"pyrant/internal/shot/asset"
	"pyrant/internal/shot/atomicfile"
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
		if err := os.Rename(filepath.Join(from, f.Name()),
			filepath.Join(to, f.Name())); err != nil {
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
		return nil, &fault.Error{
			Kind: fault.Gone,
			Msg:  "A file of this shot is missing in the data folder. Your work on the shot is safe. Open the photo or the shot file again on the shots page to restore it.",
			Err:  err,
		}
	case err != nil:
		return nil, err
	case asset.Sum(data) != sum:
		return nil, &fault.Error{
			Kind: fault.Gone,
			Msg:  "A file of this shot is damaged on the disk. Your work on the shot is safe. Open the photo or the shot file again on the shots page to repair it.",
			Err:  errors.New("store: " + sum + " has other bytes"),
		}
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

// keep writes files that are not there yet, or not as has tells them to be, and calls commit, which
// says in the database who uses them. The caller holds s.keeping for reading, so that none of them
// is collected before.
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

// record adds the rows of files, whose bytes are kept. It refuses a recipe that names a
// picture which is not kept.
func record(tx *gorm.DB, files []asset.File, r *recipe.Recipe) error {
	for _, f := range files {
		if f.Role != asset.Photo { // the row of a photo says more, and is made before
			if err := tx.Clauses(onceOnly).Create(&File{Sum: f.Sum,
				Size: int64(len(f.Data))}).Error; err != nil {
				return err
			}
		}
	}
	for _, sum := range r.Pictures() {
		if err := tx.Where("sum = ?", sum).First(&File{}).Error; err != nil {
			return fault.New(
				fault.Gone,
				"A picture of this shot is missing. Attach it again.",
			)
		}
	}
	return nil
}

// names adds the SHA-256 sums that a recipe names, as it is kept, to the sums given. A
// sum is any run of exactly 64 hexadecimal digits; one too many keeps a file too long, one
// too few would lose it.
func names(doc []byte, sums map[string]bool) {
	const length = 64
	run := 0
	for i := 0; i <= len(doc); i++ {
		if i < len(doc) && (doc[i] >= '0' && doc[i] <= '9' || doc[i] >= 'a' && doc[i] <= 'f') {
			run++
			continue
		}
		if run == length {
			sums[string(doc[i-length:i])] = true
		}
		run = 0
	}
}

// named returns the sums of all files that a shot has as its photo, or that a revision, a mark or a
// kept job names.
func named(tx *gorm.DB) (map[string]bool, error) {
	var photos []string
	if err := tx.Model(&Shot{}).Pluck("photo_sha", &photos).Error; err != nil {
		return nil, err
	}
	sums := map[string]bool{}
	for _, sum := range photos {
		sums[sum] = true
	}
	if err := eachDocument(tx, func(doc []byte) { names(doc, sums) }); err != nil {
		return nil, err
	}
	for of, column := range map[any]string{&Mark{}: "recipe", &Job{}: "request"} {
		rows, err := tx.Model(of).Select(column).Rows()
		if err != nil {
			return nil, err
		}
		for rows.Next() {
			var doc []byte
			if err := rows.Scan(&doc); err != nil {
				return nil, errors.Join(err, rows.Close())
			}
			names(doc, sums)
		}
		if err := errors.Join(rows.Err(), rows.Close()); err != nil {
			return nil, err
		}
	}
	return sums, nil
}

// Collect removes what nothing names: rows of files, files, and what broken-off writes left
// behind. A file that something names is kept, and has a row afterwards if it had none. It
// may run beside other work.
func (s *Store) Collect(ctx context.Context) error {
	s.keeping.Lock()
	defer s.keeping.Unlock()
	files, err := os.ReadDir(filepath.Join(s.dir, "files"))
	if err != nil {
		return err
	}
	var used map[string]bool
	err = s.write(ctx, func(tx *gorm.DB) (err error) {
		if used, err = named(tx); err != nil {
			return err
		}
		var have []string
		if err := tx.Model(&File{}).Pluck("sum", &have).Error; err != nil {
			return err
		}
		rows := map[string]bool{}
		for _, sum := range have {
			rows[sum] = true
			if !used[sum] {
				if err := tx.Delete(&File{Sum: sum}).Error; err != nil {
					return err
				}
			}
		}
		for _, f := range files {
			info, err := f.Info()
			if sum := f.Name(); used[sum] && !rows[sum] && err == nil {
				if err := tx.Create(&File{Sum: sum, Size: info.Size()}).Error; err != nil {
					return err
				}
			}
		}
		return nil
	})
	if err != nil {
		return wrap(err)
	}
	for _, f := range files {
		if name := f.Name(); !used[name] && !f.IsDir() &&
			(len(name) == 64 || strings.HasPrefix(name, atomicfile.Prefix)) {
			err = errors.Join(err, os.Remove(filepath.Join(s.dir, "files", name)))
		}
	}
	return err
}
