// Package store keeps shots on disk: everything in one SQLite database, but for
// the photos, which are files named by the SHA-256 of their bytes.
//
// A shot's recipes are kept as a line of revisions; a head says which of them
// is in force, and undo and redo move the head. A version number grows with
// every move, so that a writer who looked at an older state is told so.
package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base32"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"

	"pyrant/internal/recipe"
)

// Photo is a photo file that was opened once.
type Photo struct {
	SHA       string `gorm:"primaryKey"` // of the file, in hex
	Format    string
	Width     int // upright
	Height    int
	Size      int64 // bytes of the file
	CreatedAt time.Time
}

// Shot is one photo with all that is done to it.
type Shot struct {
	ID        string `gorm:"primaryKey"`
	Name      string
	PhotoSHA  string
	Photo     Photo `gorm:"foreignKey:PhotoSHA;references:SHA"`
	HeadSeq   int   // of the revision in force
	LastSeq   int   // of the newest revision: redo ends there
	Version   int64
	DeletedAt *time.Time // when it was put aside; nil for one in use
	CreatedAt time.Time
	UpdatedAt time.Time
}

// Revision is one state of a shot's recipe. The recipe of Seq 1 is the one that
// the shot was made with.
type Revision struct {
	ShotID    string `gorm:"primaryKey"`
	Seq       int    `gorm:"primaryKey"`
	Title     string // what led to it, for people
	Recipe    string // JSON
	CreatedAt time.Time
}

// Errors that callers tell apart.
var (
	ErrNotFound = errors.New("store: no such shot")
	ErrStale    = errors.New("store: the shot was changed since")
	ErrNothing  = errors.New("store: nothing to undo or redo")
	ErrFull     = errors.New("store: the disk is full")
)

// Store is an open data folder. It may be used by several goroutines.
type Store struct {
	dir string
	db  *gorm.DB
}

// migrations are run in order, each once. They spell their tables out, so that
// a later change of the types above does not change what an old one did.
var migrations = []*gormigrate.Migration{{
	ID: "2026-11-24-shots",
	Migrate: func(tx *gorm.DB) error {
		for _, q := range []string{
			`CREATE TABLE photos (sha TEXT PRIMARY KEY, format TEXT NOT NULL, width INTEGER NOT NULL, height INTEGER NOT NULL,
				size INTEGER NOT NULL, created_at DATETIME NOT NULL)`,
			`CREATE TABLE shots (id TEXT PRIMARY KEY, name TEXT NOT NULL, photo_sha TEXT NOT NULL REFERENCES photos(sha),
				head_seq INTEGER NOT NULL, last_seq INTEGER NOT NULL, version INTEGER NOT NULL,
				deleted_at DATETIME, created_at DATETIME NOT NULL, updated_at DATETIME NOT NULL)`,
			`CREATE TABLE revisions (shot_id TEXT NOT NULL REFERENCES shots(id) ON DELETE CASCADE, seq INTEGER NOT NULL,
				title TEXT NOT NULL, recipe TEXT NOT NULL, created_at DATETIME NOT NULL, PRIMARY KEY (shot_id, seq))`,
		} {
			if err := tx.Exec(q).Error; err != nil {
				return err
			}
		}
		return nil
	},
}}

// Open opens the data folder, makes it if need be, and brings its database up
// to date.
func Open(dir string) (*Store, error) {
	if err := os.MkdirAll(filepath.Join(dir, "photos"), 0o755); err != nil {
		return nil, err
	}
	// WAL and full synchronisation: a commit that was answered survives a crash.
	dsn := "file:" + filepath.Join(dir, "pyrant.db") + "?_journal_mode=WAL&_synchronous=FULL&_foreign_keys=on&_busy_timeout=5000&_txlock=immediate"
	db, err := gorm.Open(sqlite.Open(dsn), &gorm.Config{Logger: logger.Default.LogMode(logger.Silent)})
	if err != nil {
		return nil, fmt.Errorf("store: opening the database in %s: %w", dir, err)
	}
	if err := gormigrate.New(db, gormigrate.DefaultOptions, migrations).Migrate(); err != nil {
		return nil, fmt.Errorf("store: bringing the database up to date: %w", err)
	}
	s := &Store{dir, db}
	// What an interrupted upload left behind.
	if old, err := filepath.Glob(filepath.Join(dir, "photos", ".new-*")); err == nil {
		for _, f := range old {
			os.Remove(f)
		}
	}
	return s, nil
}

// Close writes all to disk and lets go of the database.
func (s *Store) Close() error {
	db, err := s.db.DB()
	if err != nil {
		return err
	}
	return db.Close()
}

// wrap turns errors of the database and the disk into the ones above.
func wrap(err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, gorm.ErrRecordNotFound):
		return ErrNotFound
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT), strings.Contains(err.Error(), "disk is full"):
		return fmt.Errorf("%w: %v", ErrFull, err)
	}
	return err
}

// PhotoPath returns where the photo with the given SHA-256 lies.
func (s *Store) PhotoPath(sha string) string { return filepath.Join(s.dir, "photos", sha) }

// AddPhoto keeps a photo's bytes: the file is written under a temporary name,
// synced and renamed before the row that speaks of it is committed.
func (s *Store) AddPhoto(ctx context.Context, data []byte, format string, width, height int) (sha string, err error) {
	sum := sha256.Sum256(data)
	sha = hex.EncodeToString(sum[:])
	if _, err := os.Stat(s.PhotoPath(sha)); err != nil {
		if err := s.writePhoto(s.PhotoPath(sha), data); err != nil {
			return "", wrap(err)
		}
	}
	p := Photo{SHA: sha, Format: format, Width: width, Height: height, Size: int64(len(data))}
	return sha, wrap(s.db.WithContext(ctx).Where(Photo{SHA: sha}).FirstOrCreate(&p).Error)
}

func (s *Store) writePhoto(name string, data []byte) error {
	f, err := os.CreateTemp(filepath.Dir(name), ".new-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	_, err = f.Write(data)
	if err == nil {
		err = f.Sync()
	}
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	if err != nil {
		return err
	}
	if err := os.Rename(f.Name(), name); err != nil {
		return err
	}
	d, err := os.Open(filepath.Dir(name))
	if err != nil {
		return err
	}
	defer d.Close()
	return d.Sync()
}

// ReadPhoto returns the original bytes of a photo.
func (s *Store) ReadPhoto(sha string) ([]byte, error) { return os.ReadFile(s.PhotoPath(sha)) }

// newID returns a short random name for a shot, fit for an address.
func newID() string {
	var b [10]byte
	rand.Read(b[:]) // never fails
	return strings.ToLower(base32.StdEncoding.EncodeToString(b[:]))
}

// AddShot makes a shot of a kept photo.
func (s *Store) AddShot(ctx context.Context, name, sha string, r *recipe.Recipe, title string) (*Shot, error) {
	shot := &Shot{ID: newID(), Name: name, PhotoSHA: sha, HeadSeq: 1, LastSeq: 1, Version: 1}
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Omit("Photo").Create(shot).Error; err != nil {
			return err
		}
		return tx.Create(&Revision{ShotID: shot.ID, Seq: 1, Title: title, Recipe: string(r.Encode())}).Error
	})
	return shot, wrap(err)
}

// Shots returns the shots in use, or those put aside, the newest first.
func (s *Store) Shots(ctx context.Context, aside bool) (out []Shot, err error) {
	q := s.db.WithContext(ctx).Preload("Photo").Order("updated_at DESC, id")
	if aside {
		q = q.Where("deleted_at IS NOT NULL")
	} else {
		q = q.Where("deleted_at IS NULL")
	}
	return out, wrap(q.Find(&out).Error)
}

// Shot returns a shot that is in use.
func (s *Store) Shot(ctx context.Context, id string) (*Shot, error) {
	shot := new(Shot)
	err := s.db.WithContext(ctx).Preload("Photo").Where("id = ? AND deleted_at IS NULL", id).First(shot).Error
	return shot, wrap(err)
}

// Revision returns a revision of a shot.
func (s *Store) Revision(ctx context.Context, id string, seq int) (*Revision, error) {
	r := new(Revision)
	return r, wrap(s.db.WithContext(ctx).Where("shot_id = ? AND seq = ?", id, seq).First(r).Error)
}

// Titles returns the titles of what undo would take back and what redo would
// bring again; empty where there is nothing.
func (s *Store) Titles(ctx context.Context, shot *Shot) (undo, redo string, err error) {
	if shot.HeadSeq > 1 {
		r, err := s.Revision(ctx, shot.ID, shot.HeadSeq)
		if err != nil {
			return "", "", err
		}
		undo = r.Title
	}
	if shot.HeadSeq < shot.LastSeq {
		r, err := s.Revision(ctx, shot.ID, shot.HeadSeq+1)
		if err != nil {
			return "", "", err
		}
		redo = r.Title
	}
	return undo, redo, nil
}

// move runs change on a shot whose version must be the given one, and saves it
// with the next version.
func (s *Store) move(ctx context.Context, id string, version int64, change func(tx *gorm.DB, shot *Shot) error) (*Shot, error) {
	shot := new(Shot)
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Preload("Photo").Where("id = ? AND deleted_at IS NULL", id).First(shot).Error; err != nil {
			return err
		}
		if shot.Version != version {
			return ErrStale
		}
		if err := change(tx, shot); err != nil {
			return err
		}
		shot.Version++
		return tx.Omit("Photo").Save(shot).Error
	})
	if err != nil {
		return nil, wrap(err)
	}
	return shot, nil
}

// Commit makes r the shot's recipe. What had been undone can then no longer be
// redone. It returns ErrStale where the shot is no longer at version.
func (s *Store) Commit(ctx context.Context, id string, version int64, r *recipe.Recipe, title string) (*Shot, error) {
	return s.move(ctx, id, version, func(tx *gorm.DB, shot *Shot) error {
		if err := tx.Where("shot_id = ? AND seq > ?", id, shot.HeadSeq).Delete(&Revision{}).Error; err != nil {
			return err
		}
		shot.HeadSeq++
		shot.LastSeq = shot.HeadSeq
		return tx.Create(&Revision{ShotID: id, Seq: shot.HeadSeq, Title: title, Recipe: string(r.Encode())}).Error
	})
}

// Step moves the head by -1 (undo) or 1 (redo).
func (s *Store) Step(ctx context.Context, id string, version int64, by int) (*Shot, error) {
	return s.move(ctx, id, version, func(_ *gorm.DB, shot *Shot) error {
		to := shot.HeadSeq + by
		if to < 1 || to > shot.LastSeq {
			return ErrNothing
		}
		shot.HeadSeq = to
		return nil
	})
}

// Rename gives a shot another name.
func (s *Store) Rename(ctx context.Context, id, name string) error {
	return s.update(ctx, "id = ? AND deleted_at IS NULL", id, map[string]any{"name": name, "updated_at": time.Now()})
}

// PutAside takes a shot off the shelf; Bring puts it back.
func (s *Store) PutAside(ctx context.Context, id string) error {
	return s.update(ctx, "id = ? AND deleted_at IS NULL", id, map[string]any{"deleted_at": time.Now()})
}

// Bring puts back a shot that was put aside.
func (s *Store) Bring(ctx context.Context, id string) error {
	return s.update(ctx, "id = ? AND deleted_at IS NOT NULL", id, map[string]any{"deleted_at": nil})
}

func (s *Store) update(ctx context.Context, where, id string, to map[string]any) error {
	q := s.db.WithContext(ctx).Model(&Shot{}).Where(where, id).UpdateColumns(to)
	if q.Error == nil && q.RowsAffected == 0 {
		return ErrNotFound
	}
	return wrap(q.Error)
}

// Duplicate makes a shot with the same photo and recipe under a new name.
func (s *Store) Duplicate(ctx context.Context, id, name string) (*Shot, error) {
	shot, err := s.Shot(ctx, id)
	if err != nil {
		return nil, err
	}
	rev, err := s.Revision(ctx, id, shot.HeadSeq)
	if err != nil {
		return nil, err
	}
	r, err := recipe.Decode([]byte(rev.Recipe))
	if err != nil {
		return nil, err
	}
	return s.AddShot(ctx, name, shot.PhotoSHA, r, "Duplicate of "+shot.Name)
}

// Remove deletes a shot that was put aside, for good, and its photo when no
// other shot is made of it.
func (s *Store) Remove(ctx context.Context, id string) error {
	var sha string
	var left int64
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		shot := new(Shot)
		if err := tx.Where("id = ? AND deleted_at IS NOT NULL", id).First(shot).Error; err != nil {
			return err
		}
		sha = shot.PhotoSHA
		if err := tx.Delete(shot).Error; err != nil {
			return err
		}
		if err := tx.Model(&Shot{}).Where("photo_sha = ?", sha).Count(&left).Error; err != nil || left > 0 {
			return err
		}
		return tx.Where("sha = ?", sha).Delete(&Photo{}).Error
	})
	if err == nil && left == 0 {
		err = os.Remove(s.PhotoPath(sha))
	}
	return wrap(err)
}

// Check runs SQLite's integrity check.
func (s *Store) Check(ctx context.Context) error {
	var out string
	if err := s.db.WithContext(ctx).Raw("PRAGMA integrity_check").Scan(&out).Error; err != nil {
		return err
	}
	if out != "ok" {
		return fmt.Errorf("store: the database is damaged: %s", out)
	}
	return nil
}
