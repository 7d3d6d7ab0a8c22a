package store

import (
	"errors"
	"fmt"
	"math/bits"

	"github.com/klauspost/compress/zstd"
	"gorm.io/gorm"
)

// A revision's recipe is mostly that of the one before it. It is kept as zstd with a recipe of an
// earlier revision of the shot as its dictionary, its base: what both have costs a few bytes. A
// base is kept whole and never changes. The longer ago it is, the more differs from it; so a new
// one is made when what was kept since takes as much as the base itself: then both together take
// least.

// Base is a recipe that others are kept against.
type Base struct {
	ShotID string `gorm:"primaryKey"`
	Seq    int    `gorm:"primaryKey"` // of the first revision that is kept against it
	Recipe []byte // JSON as zstd
}

const dictionary = 1 // its number in zstd's frames

// window returns how far back zstd must see in a document with a base.
func window(doc, base []byte) int {
	return min(max(1<<bits.Len(uint(len(doc)+len(base))), zstd.MinWindowSize), zstd.MaxWindowSize)
}

// pack compresses a document against a base; nil for none.
func pack(doc, base []byte) []byte {
	opt := []zstd.EOption{zstd.WithEncoderConcurrency(1), zstd.WithLowerEncoderMem(true),
		zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithWindowSize(window(doc, base))}
	if base != nil {
		opt = append(opt, zstd.WithEncoderDictRaw(dictionary, base))
	}
	e, err := zstd.NewWriter(nil, opt...)
	if err != nil {
		panic(fmt.Sprintf("store: zstd: %v", err)) // of these options
	}
	out := e.EncodeAll(doc, nil)
	_ = e.Close() // it writes nowhere
	return out
}

// unpacker reads what pack made with one base.
func unpacker(base []byte) (*zstd.Decoder, error) {
	opt := []zstd.DOption{zstd.WithDecoderConcurrency(1)}
	if base != nil {
		opt = append(opt, zstd.WithDecoderDictRaw(dictionary, base))
	}
	return zstd.NewReader(nil, opt...)
}

func unpack(data, base []byte) ([]byte, error) {
	d, err := unpacker(base)
	if err != nil {
		return nil, err
	}
	defer d.Close()
	doc, err := d.DecodeAll(data, nil)
	if err != nil {
		return nil, fmt.Errorf("%w: a recipe of the history: %v", ErrDamaged, err)
	}
	return doc, nil
}

// put keeps doc as the recipe of a revision that is to be created, against a base of its shot.
func put(tx *gorm.DB, rev *Revision, doc []byte) error {
	var b Base
	err := tx.Where("shot_id = ? AND seq <= ?", rev.ShotID, rev.Seq).Order("seq DESC").
		First(&b).Error
	switch {
	case errors.Is(err, gorm.ErrRecordNotFound):
	case err != nil:
		return err
	default:
		base, err := unpack(b.Recipe, nil)
		if err != nil {
			return err
		}
		var since int
		if err := tx.Model(&Revision{}).Where("shot_id = ? AND seq >= ? AND base = ?", rev.ShotID,
			b.Seq, b.Seq).Select("COALESCE(SUM(LENGTH(recipe)), 0)").Scan(&since).Error; err != nil {
			return err
		}
		rev.Base, rev.Recipe = b.Seq, pack(doc, base)
		if since+len(rev.Recipe) <= len(b.Recipe) {
			return nil
		}
	}
	b = Base{rev.ShotID, rev.Seq, pack(doc, nil)}
	rev.Base, rev.Recipe = b.Seq, pack(doc, doc)
	return tx.Create(&b).Error
}

// repack returns doc as the recipe of a revision that is there, against the base that it has.
func repack(tx *gorm.DB, id string, seq int, doc []byte) ([]byte, error) {
	var rev Revision
	if err := tx.Select("base").Where("shot_id = ? AND seq = ?", id, seq).
		First(&rev).Error; err != nil {
		return nil, err
	}
	base, err := baseOf(tx, id, rev.Base)
	if err != nil {
		return nil, err
	}
	return pack(doc, base), nil
}

// baseOf returns the document of a base.
func baseOf(tx *gorm.DB, id string, seq int) ([]byte, error) {
	var b Base
	if err := tx.Where("shot_id = ? AND seq = ?", id, seq).First(&b).Error; err != nil {
		return nil, err
	}
	return unpack(b.Recipe, nil)
}

// document returns the recipe of a revision as JSON.
func document(tx *gorm.DB, rev *Revision) ([]byte, error) {
	base, err := baseOf(tx, rev.ShotID, rev.Base)
	if err != nil {
		return nil, err
	}
	return unpack(rev.Recipe, base)
}

// eachDocument calls do with the recipe of every revision, of all shots.
func eachDocument(tx *gorm.DB, do func(doc []byte)) error {
	var bases []Base
	if err := tx.Select("shot_id", "seq").Find(&bases).Error; err != nil {
		return err
	}
	for _, b := range bases {
		if err := documentsOf(tx, b, do); err != nil {
			return err
		}
	}
	return nil
}

// documentsOf calls do with the recipe of every revision that is kept against a base.
func documentsOf(tx *gorm.DB, b Base, do func(doc []byte)) error {
	base, err := baseOf(tx, b.ShotID, b.Seq)
	if err != nil {
		return err
	}
	d, err := unpacker(base)
	if err != nil {
		return err
	}
	defer d.Close()
	rows, err := tx.Model(&Revision{}).Select("recipe").
		Where("shot_id = ? AND seq >= ? AND base = ?", b.ShotID, b.Seq, b.Seq).Rows()
	if err != nil {
		return err
	}
	for rows.Next() {
		var data []byte
		if err := rows.Scan(&data); err != nil {
			return errors.Join(err, rows.Close())
		}
		doc, err := d.DecodeAll(data, nil)
		if err != nil {
			return errors.Join(fmt.Errorf("%w: a recipe of the history: %v", ErrDamaged, err),
				rows.Close())
		}
		do(doc)
	}
	return errors.Join(rows.Err(), rows.Close())
}

// packAll makes of revisions with whole recipes, as an older Pyrant kept them, packed ones.
func packAll(tx *gorm.DB) error {
	var list []struct {
		ShotID string
		Seq    int
	}
	if err := tx.Table("whole").Order("shot_id, seq").Find(&list).Error; err != nil {
		return err
	}
	for _, at := range list {
		var doc string
		if err := tx.Table("whole").Where("shot_id = ? AND seq = ?", at.ShotID, at.Seq).
			Pluck("recipe", &doc).Error; err != nil {
			return err
		}
		rev := &Revision{ShotID: at.ShotID, Seq: at.Seq}
		if err := put(tx, rev, []byte(doc)); err != nil {
			return err
		}
		if err := tx.Exec(`INSERT INTO revisions (shot_id, seq, title, base, recipe, created_at)
			SELECT shot_id, seq, title, ?, ?, created_at FROM whole WHERE shot_id = ? AND seq = ?`,
			rev.Base, rev.Recipe, at.ShotID, at.Seq).Error; err != nil {
			return err
		}
	}
	return nil
}
