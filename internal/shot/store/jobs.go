package store

import (
	"context"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Job is work on a shot that survives a restart, as the package of jobs keeps it.
type Job struct {
	ID        string `gorm:"primaryKey"`
	ShotID    string // goes with it when the shot is deleted for good
	Doc       []byte // the job as JSON
	Request   []byte // what was asked for
	CreatedAt time.Time
}

// SaveJob keeps a job, in the place of what was kept of it before.
func (s *Store) SaveJob(ctx context.Context, j Job) error {
	return s.relieved(func() error {
		return wrap(s.write(ctx, func(tx *gorm.DB) error {
			return tx.Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "id"}},
				DoUpdates: clause.AssignmentColumns([]string{"doc", "request"})}).Create(&j).Error
		}))
	})
}

// Jobs returns all that are kept, the oldest first.
func (s *Store) Jobs(ctx context.Context) (out []Job, err error) {
	err = s.db.WithContext(ctx).Order("created_at, id").Find(&out).Error
	return out, wrap(err)
}

// RemoveJob lets go of a job.
func (s *Store) RemoveJob(ctx context.Context, id string) error {
	return s.relieved(func() error {
		return wrap(s.write(ctx, func(tx *gorm.DB) error {
			return tx.Delete(&Job{}, "id = ?", id).Error
		}))
	})
}
