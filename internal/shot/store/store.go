// Package store keeps shots on disk: everything in one SQLite database, but for
// the files of shots (photos, long lists of points), which lie in a folder under
// the SHA-256 of their bytes.
//
// A shot's recipes are kept as a line of revisions; a head says which of them
// is in force, and undo and redo move the head. A version number grows with
// every move, so that a writer who looked at an older state is told so.
//
// A file is kept for as long as a shot has it as its photo, or the recipe of a
// revision or of a mark names it: the recipes themselves say so, and nothing else
// counts uses. A file that nothing names any more is collected; see files.go.
package store

import (
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/base32"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/go-gormigrate/gormigrate/v2"
	"github.com/gofrs/flock"
	_ "github.com/mattn/go-sqlite3" // the driver
	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"

	"pyrant/internal/base/fault"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/shot/asset"
)

// File is a file that shots use.
type File struct {
	Sum       string `gorm:"primaryKey"` // SHA-256 in hex
	Format    string // of a photo; otherwise empty
	Width     int    // of a photo, upright
	Height    int
	Size      int64 // bytes
	CreatedAt time.Time
}

// Shot is one photo with all that is done to it.
type Shot struct {
	ID       string `gorm:"primaryKey"`
	Name     string
	PhotoSHA string
	Photo    File `gorm:"foreignKey:PhotoSHA;references:Sum"`
	HeadSeq  int  // of the revision in force
	LastSeq  int  // of the newest revision: redo ends there
	Version  int64
	// LostSeq is the revision that was in force and could not be read, so that the head
	// moved to another; 0 once the user has gone on from there.
	LostSeq   int
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
	Base      int    // what its recipe is kept against; see packed.go
	Recipe    []byte // JSON as zstd; long lists of points stand as their keys
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
	// Moved is called after a shot has got another recipe in force; nil for nobody.
	Moved func(*Shot)

	dir string
	db  *gorm.DB
	// keeping is held for reading from before a file is written until its use is
	// committed, and for writing while files are collected: a file that somebody
	// is about to use is not taken away.
	keeping sync.RWMutex
	// writing holds a place for the one that writes to the database: SQLite takes one
	// at a time, and those who wait in it are told that it is locked.
	writing chan struct{}
	lock    *flock.Flock
}

// migrations are run in order, each once. They spell their tables out, so that
// a later change of the types above does not change what an old one did.
var migrations = []*gormigrate.Migration{{
	// Where it stops half-way an older Pyrant left a folder with some of these.
	ID: "2026-11-24-shots",
	Migrate: func(tx *gorm.DB) error {
		for _, q := range []string{
			`CREATE TABLE IF NOT EXISTS photos (sha TEXT PRIMARY KEY, format TEXT NOT NULL, width INTEGER NOT NULL, height INTEGER NOT NULL,
				size INTEGER NOT NULL, created_at DATETIME NOT NULL)`,
			`CREATE TABLE IF NOT EXISTS shots (id TEXT PRIMARY KEY, name TEXT NOT NULL, photo_sha TEXT NOT NULL REFERENCES photos(sha),
				head_seq INTEGER NOT NULL, last_seq INTEGER NOT NULL, version INTEGER NOT NULL,
				deleted_at DATETIME, created_at DATETIME NOT NULL, updated_at DATETIME NOT NULL)`,
			`CREATE TABLE IF NOT EXISTS revisions (shot_id TEXT NOT NULL REFERENCES shots(id) ON DELETE CASCADE, seq INTEGER NOT NULL,
				title TEXT NOT NULL, recipe TEXT NOT NULL, created_at DATETIME NOT NULL, PRIMARY KEY (shot_id, seq))`,
		} {
			if err := tx.Exec(q).Error; err != nil {
				return err
			}
		}
		return nil
	},
}, {
	// Photos become one role of files.
	ID: "2026-11-25-files",
	Migrate: func(tx *gorm.DB) error {
		for _, q := range []string{
			`ALTER TABLE photos RENAME TO files`,
			`ALTER TABLE files RENAME COLUMN sha TO sum`,
			`CREATE TABLE uses (shot_id TEXT NOT NULL REFERENCES shots(id) ON DELETE CASCADE, sum TEXT NOT NULL REFERENCES files(sum),
				role TEXT NOT NULL, first_seq INTEGER NOT NULL, PRIMARY KEY (shot_id, sum))`,
			`CREATE INDEX uses_of_files ON uses (sum)`,
			`INSERT INTO uses (shot_id, sum, role, first_seq) SELECT id, photo_sha, 'photo', 1 FROM shots`,
		} {
			if err := tx.Exec(q).Error; err != nil {
				return err
			}
		}
		return nil
	},
}, {
	ID: "2026-11-26-rigs",
	Migrate: func(tx *gorm.DB) error {
		return tx.Exec(
			`CREATE TABLE rigs (id TEXT PRIMARY KEY, name TEXT NOT NULL, doc TEXT NOT NULL, created_at DATETIME NOT NULL)`,
		).Error
	},
}, {
	ID: "2026-11-26-marks",
	Migrate: func(tx *gorm.DB) error {
		for _, q := range []string{
			`CREATE TABLE marks (id TEXT PRIMARY KEY, shot_id TEXT NOT NULL REFERENCES shots(id) ON DELETE CASCADE, name TEXT NOT NULL,
				recipe TEXT NOT NULL, created_at DATETIME NOT NULL)`,
			`CREATE INDEX marks_of_shots ON marks (shot_id)`,
		} {
			if err := tx.Exec(q).Error; err != nil {
				return err
			}
		}
		return nil
	},
}, {
	// Which files are used is read from the recipes: a table beside them was wrong at times.
	ID: "2026-12-01-no-uses",
	Migrate: func(tx *gorm.DB) error {
		for _, q := range []string{
			`DROP TABLE uses`,
			`ALTER TABLE shots ADD COLUMN lost_seq INTEGER NOT NULL DEFAULT 0`,
		} {
			if err := tx.Exec(q).Error; err != nil {
				return err
			}
		}
		return nil
	},
}, {
	ID: "2026-12-02-jobs",
	Migrate: func(tx *gorm.DB) error {
		return tx.Exec(
			`CREATE TABLE jobs (id TEXT PRIMARY KEY, shot_id TEXT NOT NULL REFERENCES shots(id) ON DELETE CASCADE,
			doc BLOB NOT NULL, request BLOB NOT NULL, created_at DATETIME NOT NULL)`,
		).Error
	},
}, {
	ID: "2026-12-02-packed",
	Migrate: func(tx *gorm.DB) error {
		for _, q := range []string{
			`ALTER TABLE revisions RENAME TO whole`,
			`CREATE TABLE revisions (shot_id TEXT NOT NULL REFERENCES shots(id) ON DELETE CASCADE, seq INTEGER NOT NULL, title TEXT NOT NULL,
				base INTEGER NOT NULL, recipe BLOB NOT NULL, created_at DATETIME NOT NULL, PRIMARY KEY (shot_id, seq)) WITHOUT ROWID`,
			`CREATE TABLE bases (shot_id TEXT NOT NULL REFERENCES shots(id) ON DELETE CASCADE, seq INTEGER NOT NULL, recipe BLOB NOT NULL,
				PRIMARY KEY (shot_id, seq))`,
		} {
			if err := tx.Exec(q).Error; err != nil {
				return err
			}
		}
		if err := packAll(tx); err != nil {
			return err
		}
		return tx.Exec(`DROP TABLE whole`).Error
	},
}}

// Open opens the data folder, makes it if need be, and brings its database up to date.
// Where another program has it open, or the database is damaged, it changes nothing and
// returns an error with ErrTaken or ErrDamaged that says what to do.
func Open(dir string) (*Store, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	lock, err := take(dir)
	if err != nil {
		return nil, err
	}
	s, err := openLocked(dir)
	if err != nil {
		return nil, errors.Join(err, lock.Unlock())
	}
	s.lock = lock
	return s, nil
}

func openLocked(dir string) (*Store, error) {
	name := filepath.Join(dir, "pyrant.db")
	// What SQLite makes beside it has the rights of the database.
	f, err := os.OpenFile(name, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return nil, fmt.Errorf("store: opening the database: %w", err)
	}
	if err := errors.Join(f.Chmod(0o600), f.Close()); err != nil {
		return nil, err
	}
	// WAL and full synchronisation: a commit that was answered survives a crash.
	dsn := "file:" + name + "?_journal_mode=WAL&_synchronous=FULL&_foreign_keys=on&_busy_timeout=5000&_txlock=immediate"
	conn, err := sql.Open("sqlite3", dsn)
	if err != nil {
		return nil, fmt.Errorf("store: opening the database in %s: %w", dir, err)
	}
	if err := quickCheck(conn); err != nil {
		_ = conn.Close()
		return nil, offer(dir, err)
	}
	db, err := gorm.Open(sqlite.New(sqlite.Config{Conn: conn}),
		&gorm.Config{Logger: logger.Default.LogMode(logger.Silent)})
	if err != nil {
		_ = conn.Close()
		return nil, fmt.Errorf("store: opening the database in %s: %w", dir, err)
	}
	opt := *gormigrate.DefaultOptions
	opt.UseTransaction = true
	if err := gormigrate.New(db, &opt, migrations).Migrate(); err != nil {
		_ = conn.Close()
		return nil, wrap(fmt.Errorf("store: bringing the database up to date: %w", err))
	}
	if err := errors.Join(openFiles(dir), shrink(db)); err != nil {
		_ = conn.Close()
		return nil, err
	}
	s := &Store{dir: dir, db: db, writing: make(chan struct{}, 1)}
	s.makeReserve()
	return s, nil
}

// shrink gives the disk back what the database does not use any more, where that is much of it.
func shrink(db *gorm.DB) error {
	var pages, free int
	if err := errors.Join(db.Raw("PRAGMA page_count").Scan(&pages).Error,
		db.Raw("PRAGMA freelist_count").Scan(&free).Error); err != nil {
		return err
	}
	if free < 1000 || free < pages/2 {
		return nil
	}
	return wrap(db.Exec("VACUUM").Error)
}

// Close writes all to disk and lets go of the data folder.
func (s *Store) Close() error {
	db, err := s.db.DB()
	if err != nil {
		return err
	}
	return errors.Join(db.Close(), s.lock.Unlock())
}

// write runs do in a transaction, one at a time.
func (s *Store) write(ctx context.Context, do func(tx *gorm.DB) error) error {
	select {
	case s.writing <- struct{}{}:
		defer func() { <-s.writing }()
	case <-ctx.Done():
		return ctx.Err()
	}
	return s.db.WithContext(ctx).Transaction(do)
}

// wrap turns errors of the database and the disk into the ones above.
func wrap(err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, gorm.ErrRecordNotFound):
		return ErrNotFound
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT),
		strings.Contains(err.Error(), "disk is full"):
		return fmt.Errorf("%w: %v", ErrFull, err)
	}
	return err
}

// newID returns a short random name for a shot, fit for an address.
func newID() string {
	var b [10]byte
	rand.Read(b[:]) // never fails
	return strings.ToLower(base32.StdEncoding.EncodeToString(b[:]))
}

// Photo is a photo's file with what is known of its picture.
type Photo struct {
	Data          []byte
	Format        string
	Width, Height int // upright
}

// AddShot makes a shot of a photo and a recipe, and keeps their files.
// Pictures that the recipe names come with it as more, or are kept already.
func (s *Store) AddShot(ctx context.Context, name string, p Photo, r *recipe.Recipe, title string,
	more ...asset.File) (*Shot, error) {
	f := asset.New(asset.Photo, p.Data)
	s.keeping.RLock()
	defer s.keeping.RUnlock()
	row := File{Sum: f.Sum, Format: p.Format, Width: p.Width, Height: p.Height,
		Size: int64(len(p.Data))}
	return s.addShot(ctx, name, row, append([]asset.File{f}, more...), r, title)
}

func (s *Store) addShot(ctx context.Context, name string, photo File, files []asset.File,
	r *recipe.Recipe, title string) (*Shot, error) {
	doc, lists := r.Pack()
	files = append(files, asset.Lists(lists)...)
	shot := &Shot{ID: newID(), Name: name, PhotoSHA: photo.Sum, HeadSeq: 1, LastSeq: 1, Version: 1}
	err := s.keep(files, s.whole, func() error { // what is damaged is healed
		return s.write(ctx, func(tx *gorm.DB) error {
			if err := tx.Clauses(onceOnly).Create(&photo).Error; err != nil {
				return err
			}
			if err := tx.Omit("Photo").Create(shot).Error; err != nil {
				return err
			}
			if err := record(tx, files, r); err != nil {
				return err
			}
			rev := &Revision{ShotID: shot.ID, Seq: 1, Title: title}
			if err := put(tx, rev, doc); err != nil {
				return err
			}
			return tx.Create(rev).Error
		})
	})
	shot.Photo = photo
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
	err := s.db.WithContext(ctx).
		Preload("Photo").
		Where("id = ? AND deleted_at IS NULL", id).
		First(shot).
		Error
	return shot, wrap(err)
}

// Revision returns a revision of a shot.
func (s *Store) Revision(ctx context.Context, id string, seq int) (*Revision, error) {
	r := new(Revision)
	return r, wrap(s.db.WithContext(ctx).Where("shot_id = ? AND seq = ?", id, seq).First(r).Error)
}

// Recipe returns the recipe of a revision of a shot.
func (s *Store) Recipe(ctx context.Context, id string, seq int) (*recipe.Recipe, error) {
	rev, err := s.Revision(ctx, id, seq)
	if err != nil {
		return nil, err
	}
	doc, err := document(s.db.WithContext(ctx), rev)
	if err != nil {
		return nil, wrap(err)
	}
	return edit.Unpack(doc, s.ReadFile)
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
func (s *Store) move(ctx context.Context, id string, version int64, change func(tx *gorm.DB,
	shot *Shot) error) (*Shot, error) {
	shot := new(Shot)
	err := s.write(ctx, func(tx *gorm.DB) error {
		if err := tx.Preload("Photo").Where("id = ? AND deleted_at IS NULL", id).First(shot).Error; err != nil {
			return err
		}
		if shot.Version != version {
			return ErrStale
		}
		shot.LostSeq = 0
		if err := change(tx, shot); err != nil {
			return err
		}
		shot.Version++
		return tx.Omit("Photo").Save(shot).Error
	})
	if err != nil {
		return nil, wrap(err)
	}
	if s.Moved != nil {
		s.Moved(shot)
	}
	return shot, nil
}

// Commit makes r the shot's recipe. What had been undone can then no longer be
// redone. It returns ErrStale where the shot is no longer at version.
//
// Pictures that the recipe names are kept already, or come with it as more.
func (s *Store) Commit(ctx context.Context, id string, version int64, r *recipe.Recipe,
	title string, more ...asset.File) (next *Shot, err error) {
	doc, lists := r.Pack()
	files := append(asset.Lists(lists), more...)
	s.keeping.RLock()
	defer s.keeping.RUnlock()
	err = s.keep(files, s.there, func() error {
		next, err = s.move(ctx, id, version, func(tx *gorm.DB, shot *Shot) error {
			if err := leave(tx, shot); err != nil {
				return err
			}
			for _, of := range []any{&Revision{}, &Base{}} {
				if err := tx.Where("shot_id = ? AND seq > ?", id, shot.HeadSeq).
					Delete(of).Error; err != nil {
					return err
				}
			}
			shot.HeadSeq++
			shot.LastSeq = shot.HeadSeq
			if err := record(tx, files, r); err != nil {
				return err
			}
			rev := &Revision{ShotID: id, Seq: shot.HeadSeq, Title: title}
			if err := put(tx, rev, doc); err != nil {
				return err
			}
			return tx.Create(rev).Error
		})
		return err
	})
	return next, wrap(err)
}

// Amend puts r in the place of the shot's recipe, within its revision: what it says is the same,
// worked out further. It returns ErrStale where the shot is no longer at version.
func (s *Store) Amend(ctx context.Context, id string, version int64,
	r *recipe.Recipe) (next *Shot, err error) {
	doc, lists := r.Pack()
	files := asset.Lists(lists)
	s.keeping.RLock()
	defer s.keeping.RUnlock()
	err = s.keep(files, s.there, func() error {
		next, err = s.move(ctx, id, version, func(tx *gorm.DB, shot *Shot) error {
			if err := record(tx, files, r); err != nil {
				return err
			}
			packed, err := repack(tx, id, shot.HeadSeq, doc)
			if err != nil {
				return err
			}
			return tx.Model(&Revision{}).Where("shot_id = ? AND seq = ?", id, shot.HeadSeq).
				Update("recipe", packed).Error
		})
		return err
	})
	return next, wrap(err)
}

// Step moves the head by -1 (undo) or 1 (redo). It passes over revisions that cannot be
// read; where none further on can, the head stays and the error says what is missing.
func (s *Store) Step(ctx context.Context, id string, version int64, by int) (*Shot, error) {
	return s.move(ctx, id, version, func(tx *gorm.DB, shot *Shot) error {
		first := ErrNothing
		for to := shot.HeadSeq + by; to >= 1 && to <= shot.LastSeq; to += by {
			err := s.readable(tx, id, to)
			if err == nil {
				shot.HeadSeq = to
				return nil
			}
			if !fault.Is(err, fault.Gone) {
				return err
			}
			if first == ErrNothing {
				first = err
			}
		}
		return first
	})
}

// readable returns nil where a revision's recipe, with all files that it names, can be read.
func (s *Store) readable(tx *gorm.DB, id string, seq int) error {
	rev := new(Revision)
	if err := tx.Where("shot_id = ? AND seq = ?", id, seq).First(rev).Error; err != nil {
		return err
	}
	doc, err := document(tx, rev)
	if err != nil {
		return err
	}
	_, err = edit.Unpack(doc, s.ReadFile)
	return err
}

// Head returns the recipe in force of a shot. Where a file that it names is missing or
// damaged, the head moves to the newest revision that can be read, and shot is brought up
// to date: its LostSeq says that this happened.
func (s *Store) Head(ctx context.Context, shot *Shot) (*recipe.Recipe, error) {
	for {
		r, err := s.Recipe(ctx, shot.ID, shot.HeadSeq)
		if !fault.Is(err, fault.Gone) {
			return r, err
		}
		lost := err
		moved, err := s.move(ctx, shot.ID, shot.Version, func(tx *gorm.DB, shot *Shot) error {
			for to := shot.LastSeq; to >= 1; to-- {
				if to != shot.HeadSeq && s.readable(tx, shot.ID, to) == nil {
					shot.LostSeq, shot.HeadSeq = shot.HeadSeq, to
					return nil
				}
			}
			return lost
		})
		if errors.Is(err, ErrStale) { // somebody else has moved it meanwhile
			moved, err = s.Shot(ctx, shot.ID)
		}
		if err != nil {
			return nil, err
		}
		*shot = *moved
	}
}

// Rename gives a shot another name.
func (s *Store) Rename(ctx context.Context, id, name string) error {
	return s.update(
		ctx,
		"id = ? AND deleted_at IS NULL",
		id,
		map[string]any{"name": name, "updated_at": time.Now()},
	)
}

// PutAside takes a shot off the shelf; Bring puts it back.
func (s *Store) PutAside(ctx context.Context, id string) error {
	return s.relieved(func() error {
		return s.update(
			ctx,
			"id = ? AND deleted_at IS NULL",
			id,
			map[string]any{"deleted_at": time.Now()},
		)
	})
}

// Bring puts back a shot that was put aside.
func (s *Store) Bring(ctx context.Context, id string) error {
	return s.update(ctx, "id = ? AND deleted_at IS NOT NULL", id, map[string]any{"deleted_at": nil})
}

func (s *Store) update(ctx context.Context, where, id string, to map[string]any) error {
	return wrap(s.write(ctx, func(tx *gorm.DB) error {
		q := tx.Model(&Shot{}).Where(where, id).UpdateColumns(to)
		if q.Error == nil && q.RowsAffected == 0 {
			return ErrNotFound
		}
		return q.Error
	}))
}

// Duplicate makes a shot with the same photo and recipe under a new name.
func (s *Store) Duplicate(ctx context.Context, id, name string) (*Shot, error) {
	// From before the photo's row is read until the copy uses it.
	s.keeping.RLock()
	defer s.keeping.RUnlock()
	shot, err := s.Shot(ctx, id)
	if err != nil {
		return nil, err
	}
	r, err := s.Head(ctx, shot)
	if err != nil {
		return nil, err
	}
	return s.addShot(ctx, name, shot.Photo, nil, r, "Copy of "+shot.Name)
}

// Remove deletes a shot that was put aside, for good, and the files that no other
// shot uses.
func (s *Store) Remove(ctx context.Context, id string) error {
	err := s.relieved(func() error {
		return wrap(s.write(ctx, func(tx *gorm.DB) error {
			q := tx.Where("id = ? AND deleted_at IS NOT NULL", id).Delete(&Shot{})
			if q.Error == nil && q.RowsAffected == 0 {
				return ErrNotFound
			}
			return q.Error
		}))
	})
	if err != nil {
		return err
	}
	return s.relieved(func() error { return s.Collect(ctx) })
}

// Check runs SQLite's integrity check.
func (s *Store) Check(ctx context.Context) error {
	var out string
	if err := s.db.WithContext(ctx).Raw("PRAGMA integrity_check").Scan(&out).Error; err != nil {
		return err
	}
	if out != "ok" {
		return fmt.Errorf("%w: %s", ErrDamaged, out)
	}
	return nil
}
