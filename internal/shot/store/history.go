package store

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"gorm.io/gorm"

	"pyrant/internal/base/fault"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/shot/atomicfile"
)

// Past is a revision in a list of them: all but its recipe.
type Past struct {
	Seq       int
	Title     string
	CreatedAt time.Time
}

// Past returns revisions of a shot before a number (0 for all), the newest first, and at most so
// many.
func (s *Store) Past(ctx context.Context, id string, before, most int) (out []Past, err error) {
	q := s.db.WithContext(ctx).Model(&Revision{}).Where("shot_id = ?", id)
	if before > 0 {
		q = q.Where("seq < ?", before)
	}
	err = q.Order("seq DESC").Limit(most).Find(&out).Error
	return out, wrap(err)
}

// Go makes a revision the one in force, as so many steps of undo or redo would. A revision
// that cannot be read is refused.
func (s *Store) Go(ctx context.Context, id string, version int64, seq int) (*Shot, error) {
	return s.move(ctx, id, version, func(tx *gorm.DB, shot *Shot) error {
		if seq < 1 || seq > shot.LastSeq {
			return ErrNothing
		}
		if err := s.readable(tx, id, seq); err != nil {
			return err
		}
		shot.HeadSeq = seq
		return nil
	})
}

// Mark is a state of a shot that has a name. It keeps its recipe by itself: what becomes of the
// revision that it was made of is nothing to it.
type Mark struct {
	ID        string `gorm:"primaryKey"`
	ShotID    string
	Name      string
	Recipe    string
	CreatedAt time.Time
}

// MaxMarks is how many marks a shot has.
const MaxMarks = 100

// Marks returns a shot's marks without their recipes, the newest first.
func (s *Store) Marks(ctx context.Context, id string) (out []Mark, err error) {
	err = s.db.WithContext(ctx).
		Omit("recipe").
		Where("shot_id = ?", id).
		Order("created_at DESC, id").
		Find(&out).
		Error
	return out, wrap(err)
}

// SetMark gives a name to a revision of a shot.
func (s *Store) SetMark(ctx context.Context, id string, seq int, name string) (*Mark, error) {
	m := new(Mark)
	err := s.write(ctx, func(tx *gorm.DB) (err error) {
		m, err = mark(tx, id, seq, name)
		return err
	})
	return m, wrap(err)
}

func mark(tx *gorm.DB, id string, seq int, name string) (*Mark, error) {
	if n := len([]rune(name)); n < 1 || n > 80 {
		return nil, fault.In("name", "The name of a saved state has 1 to 80 characters.")
	}
	var rev Revision
	if err := tx.Where("shot_id = ? AND seq = ?", id, seq).First(&rev).Error; err != nil {
		return nil, err
	}
	var n int64
	if err := tx.Model(&Mark{}).Where("shot_id = ?", id).Count(&n).Error; err != nil {
		return nil, err
	}
	if n >= MaxMarks {
		return nil, fault.New(
			fault.NoRoom,
			"A shot has at most %d saved states. Delete one that is not needed.",
			MaxMarks,
		)
	}
	doc, err := document(tx, &rev)
	if err != nil {
		return nil, err
	}
	m := &Mark{
		ID:        newID(),
		ShotID:    id,
		Name:      name,
		Recipe:    string(doc),
		CreatedAt: time.Now().UTC(),
	}
	return m, tx.Create(m).Error
}

// MarkRecipe returns the recipe of a mark of a shot, and its name.
func (s *Store) MarkRecipe(ctx context.Context, id, of string) (*recipe.Recipe, string, error) {
	var m Mark
	if err := s.db.WithContext(ctx).Where("shot_id = ? AND id = ?", id, of).First(&m).Error; err != nil {
		return nil, "", wrap(err)
	}
	r, err := edit.Unpack([]byte(m.Recipe), s.ReadFile)
	return r, m.Name, err
}

// RenameMark gives a mark another name; RemoveMark takes it away.
func (s *Store) RenameMark(ctx context.Context, id, of, name string) error {
	if n := len([]rune(name)); n < 1 || n > 80 {
		return fault.In("name", "The name of a saved state has 1 to 80 characters.")
	}
	return s.onMark(ctx, func(tx *gorm.DB) *gorm.DB {
		return tx.Model(&Mark{}).Where("shot_id = ? AND id = ?", id, of).Update("name", name)
	})
}

// RemoveMark takes a mark away. What it stood for stays in the history, as far as it is there.
func (s *Store) RemoveMark(ctx context.Context, id, of string) error {
	return s.onMark(ctx, func(tx *gorm.DB) *gorm.DB {
		return tx.Where("shot_id = ? AND id = ?", id, of).Delete(&Mark{})
	})
}

func (s *Store) onMark(ctx context.Context, do func(tx *gorm.DB) *gorm.DB) error {
	return wrap(s.write(ctx, func(tx *gorm.DB) error {
		q := do(tx)
		if q.Error == nil && q.RowsAffected == 0 {
			return ErrNotFound
		}
		return q.Error
	}))
}

// left is how many revisions may be redone no more without a mark being made of the last of them.
const left = 3

// leave marks the newest revision of a shot before it, and those after the one in force, are taken
// away, where they are many: who went back far and then changed something may want to come forth
// again.
func leave(tx *gorm.DB, shot *Shot) error {
	if shot.LastSeq-shot.HeadSeq < left {
		return nil
	}
	var n int64
	if err := tx.Model(&Mark{}).Where("shot_id = ?", shot.ID).Count(&n).Error; err != nil ||
		n >= MaxMarks {
		return err
	}
	_, err := mark(tx, shot.ID, shot.LastSeq, "Left at "+time.Now().Format("15:04"))
	return err
}

// Bounds of the small pictures that are kept.
const (
	SmallMost  = 800      // pictures
	SmallBytes = 16 << 20 // of all of them
)

var small sync.Mutex

func (s *Store) smallDir() string { return filepath.Join(s.dir, "small") }

// Small returns a small picture by its key, nil for none.
func (s *Store) Small(key string) []byte {
	b, err := os.ReadFile(filepath.Join(s.smallDir(), key+".jpg"))
	if err != nil {
		return nil
	}
	return b
}

// KeepSmall keeps a small picture, as a file by its key, which is hex. The oldest give way when
// there are too many.
func (s *Store) KeepSmall(key string, data []byte) error {
	if strings.Trim(key, "0123456789abcdef") != "" || key == "" {
		return fmt.Errorf("store: a small picture has no such key: %q", key)
	}
	small.Lock()
	defer small.Unlock()
	dir := s.smallDir()
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	err := atomicfile.Write(filepath.Join(dir, key+".jpg"), 0o600, func(w io.Writer) error {
		_, err := w.Write(data)
		return err
	})
	if err != nil {
		return wrap(err)
	}
	list, err := os.ReadDir(dir)
	if err != nil {
		return err
	}
	type kept struct {
		name string
		size int64
		at   time.Time
	}
	var all []kept
	var size int64
	for _, e := range list {
		if info, err := e.Info(); err == nil && info.Mode().IsRegular() {
			all = append(all, kept{e.Name(), info.Size(), info.ModTime()})
			size += info.Size()
		}
	}
	slices.SortFunc(all, func(a, b kept) int { return a.at.Compare(b.at) })
	for i := 0; len(all)-i > SmallMost || size > SmallBytes; i++ {
		if err := os.Remove(filepath.Join(dir, all[i].name)); err != nil {
			return err
		}
		size -= all[i].size
	}
	return nil
}
