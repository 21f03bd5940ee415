package store

import (
	"context"
	"errors"

	"gorm.io/gorm"
)

// KeptResult is the records of a part of an occurrence, kept as a part of a table.
type KeptResult struct {
	// ID is that of the delivery; Name is the table's.
	ID, Name string
	// Version counts the sets of columns that the table has had which do not go together.
	Version int
	// File is its path within the folder of kept results; Columns are JSON.
	File, Columns string
	// Schedule, Due and Value are what it is of: another of the same takes its place.
	Schedule   string
	Due        int64
	Value      string
	Occurrence uint
	Part       int
	Run        uint
	Records    int64
	Bytes      int64
	// At is when it was kept, Until how long it is; 0 for ever.
	At, Until int64
}

const keptTable = "kept_results"

// ErrNewer says that a newer result is kept already.
var ErrNewer = errors.New("store: a newer result is kept")

// KeepResult keeps a result in the place of an earlier one of the same, and with replace of all
// that are older. Agrees tells whether columns go together with those of the newest version of the
// table; where they do not, a new version begins. It gives the files that are of use no more.
func (s *Store) KeepResult(ctx context.Context, k KeptResult, replace bool, agrees func(columns string) bool) (gone []string, err error) {
	err = s.write(ctx, true, func(tx *gorm.DB) error {
		gone = nil
		var newest KeptResult
		err := tx.Table(keptTable).Where("name = ?", k.Name).Order("version desc, due desc, id").Take(&newest).Error
		if err != nil && !errors.Is(err, gorm.ErrRecordNotFound) {
			return err
		}
		if k.Version = max(newest.Version, 1); err == nil && newest.ID != k.ID && !agrees(newest.Columns) {
			k.Version++
		}
		old := tx.Table(keptTable).Where("name = ? and schedule = ? and due = ? and value = ? and id <> ?", k.Name, k.Schedule, k.Due, k.Value, k.ID)
		if replace {
			var newer int64
			if err := tx.Table(keptTable).Where("name = ? and due > ?", k.Name, k.Due).Count(&newer).Error; err != nil {
				return err
			}
			if newer > 0 {
				return ErrNewer
			}
			old = tx.Table(keptTable).Where("name = ? and (due < ? or due = ? and value = ?) and id <> ?", k.Name, k.Due, k.Due, k.Value, k.ID)
		}
		var list []KeptResult
		if err := old.Find(&list).Error; err != nil {
			return err
		}
		for _, o := range list {
			gone = append(gone, o.File)
			if err := tx.Table(keptTable).Delete(&KeptResult{}, "id = ?", o.ID).Error; err != nil {
				return err
			}
		}
		return tx.Table(keptTable).Save(&k).Error
	})
	return gone, err
}

// KeptResults lists what is kept, by table, the newest version first.
func (s *Store) KeptResults(ctx context.Context) ([]KeptResult, error) {
	list := []KeptResult{}
	return list, s.db.WithContext(ctx).Table(keptTable).Order("name, version desc, due, value").Find(&list).Error
}

// KeptBy is the schedule whose results a table holds, blank for none.
func (s *Store) KeptBy(ctx context.Context, name string) (schedule string, err error) {
	err = s.db.WithContext(ctx).Table(keptTable).Where("name = ?", name).Limit(1).Pluck("schedule", &schedule).Error
	return schedule, err
}

// ExpireKept forgets results that were kept until an instant before, and gives their files.
func (s *Store) ExpireKept(ctx context.Context, now int64) (gone []string, err error) {
	err = s.write(ctx, true, func(tx *gorm.DB) error {
		if err := tx.Table(keptTable).Where("until > 0 and until <= ?", now).Pluck("file", &gone).Error; err != nil || len(gone) == 0 {
			return err
		}
		return tx.Table(keptTable).Delete(&KeptResult{}, "until > 0 and until <= ?", now).Error
	})
	return gone, err
}
