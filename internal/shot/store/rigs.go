package store

import (
	"context"
	"time"

	"gorm.io/gorm"

	"pyrant/internal/base/fault"
	"pyrant/internal/recipe"
)

// Rig is a rig that a user saved, for all shots.
type Rig struct {
	ID        string `gorm:"primaryKey"`
	Name      string
	Doc       string // as recipe.OwnRig encodes it
	CreatedAt time.Time
}

// Rig returns what the rig holds.
func (r *Rig) Rig() (recipe.OwnRig, error) { return recipe.DecodeRig([]byte(r.Doc)) }

// MaxRigs is how many rigs are kept.
const MaxRigs = 200

// Rigs returns the saved rigs by their age, the oldest first.
func (s *Store) Rigs(ctx context.Context) (out []Rig, err error) {
	err = s.db.WithContext(ctx).Order("created_at, id").Find(&out).Error
	return out, wrap(err)
}

// SaveRig keeps a rig.
func (s *Store) SaveRig(ctx context.Context, g recipe.OwnRig) (*Rig, error) {
	r := &Rig{ID: newID(), Name: g.Name, Doc: string(g.Encode()), CreatedAt: time.Now().UTC()}
	err := s.write(ctx, func(tx *gorm.DB) error {
		var n int64
		if err := tx.Model(&Rig{}).Count(&n).Error; err != nil {
			return err
		}
		if n >= MaxRigs {
			return fault.New(fault.NoRoom, "There are %d rigs already. Delete one that is not needed, then save this one.", n)
		}
		return tx.Create(r).Error
	})
	return r, wrap(err)
}

// RenameRig gives a rig another name.
func (s *Store) RenameRig(ctx context.Context, id, name string) error {
	return wrap(s.write(ctx, func(tx *gorm.DB) error {
		var r Rig
		if err := tx.First(&r, "id = ?", id).Error; err != nil {
			return err
		}
		g, err := r.Rig()
		if err != nil {
			return err
		}
		g.Name = name
		// It is read again before it is kept: a name that may not be is refused.
		if _, err := recipe.DecodeRig(g.Encode()); err != nil {
			return err
		}
		return tx.Model(&r).Updates(map[string]any{"name": name, "doc": string(g.Encode())}).Error
	}))
}

// RemoveRig deletes a rig. Lights that took it keep what they have.
func (s *Store) RemoveRig(ctx context.Context, id string) error {
	return wrap(s.write(ctx, func(tx *gorm.DB) error {
		if t := tx.Delete(&Rig{}, "id = ?", id); t.Error != nil || t.RowsAffected > 0 {
			return t.Error
		}
		return ErrNotFound
	}))
}
